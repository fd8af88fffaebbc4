"""Make the sprite of common icons from an unpacked copy of @tabler/icons: python ops/icons.py FOLDER.

It reads FOLDER/icons/outline and writes static/vendor/tabler-icons.svg, with the symbols named below. Our own icons
are in static/orvix/icons.svg, drawn by hand on the same grid.
"""

from __future__ import annotations

import re
import sys
from pathlib import Path

NAMES = [
    "adjustments-horizontal",
    "arrow-back-up",
    "arrow-down",
    "arrow-forward-up",
    "arrow-left",
    "arrow-right",
    "arrow-up",
    "arrows-move",
    "check",
    "chevron-down",
    "chevron-right",
    "clipboard",
    "color-picker",
    "copy",
    "cut",
    "dots",
    "download",
    "eraser",
    "eye",
    "eye-off",
    "file-type-pdf",
    "flip-horizontal",
    "flip-vertical",
    "help",
    "history",
    "keyboard",
    "link",
    "lock",
    "lock-open",
    "maximize",
    "minus",
    "moon",
    "palette",
    "pencil",
    "pin",
    "pinned",
    "pinned-off",
    "player-play",
    "plus",
    "rotate-2",
    "rotate-clockwise-2",
    "ruler-2",
    "search",
    "star",
    "star-filled",
    "sun",
    "trash",
    "typography",
    "upload",
    "x",
]
OUT = Path(__file__).resolve().parents[1] / "src/orvix_web/static/vendor/tabler-icons.svg"


def sprite(folder: Path) -> str:
    """The symbols of the named icons, in one file."""
    return f'<svg xmlns="http://www.w3.org/2000/svg">\n{"".join(symbol(folder, name) for name in NAMES)}</svg>\n'


def symbol(folder: Path, name: str) -> str:
    """One icon as a symbol, without the empty box that every file begins with."""
    style = "filled" if name.endswith("-filled") else "outline"
    text = (folder / "icons" / style / f"{name.removesuffix('-filled')}.svg").read_text()
    inside = re.findall(r"<(?:path|circle|rect|line|polyline)\b[^>]*/>", text)
    shapes = [re.sub(r"\s+", " ", one) for one in inside if 'd="M0 0h24v24H0z"' not in one]
    paint = ' fill="currentColor" stroke="none"' if style == "filled" else ""
    return f'<symbol id="{name}" viewBox="0 0 24 24"{paint}>{"".join(shapes)}</symbol>\n'


if __name__ == "__main__":
    OUT.write_text(sprite(Path(sys.argv[1])))
