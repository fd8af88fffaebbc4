"""Palettes: named colours as a plain text file, a colour a line: `#rrggbb`, then its name if it has one.

Empty lines, and lines that begin with two slashes, say nothing. Lines may end either way; the text is UTF-8.
"""

from __future__ import annotations

from typing import Any

from orvix.errors import BadValue, UnreadableFile
from orvix.registry import check_colour

MOST_COLOURS = 256
MOST_OCTETS = 64 * 1024
_LONGEST_NAME = 40

Palette = list[tuple[str, str]]
"""Name and colour of each, in order."""


def check_palette(told: Any) -> Palette:
    """A palette from JSON data, rows of name and colour; raises BadValue."""
    if not isinstance(told, list) or len(told) > MOST_COLOURS:
        raise BadValue("palette", str(told)[:60], f"must be a list of at most {MOST_COLOURS} colours")
    found: Palette = []
    for row in told:
        if not isinstance(row, list | tuple) or len(row) != 2 or not isinstance(row[0], str):
            raise BadValue("palette", str(row)[:60], "each row must be a name and a colour")
        if len(row[0]) > _LONGEST_NAME or "\n" in row[0]:
            raise BadValue("name", row[0][:60], f"must be one line of at most {_LONGEST_NAME} characters")
        found.append((row[0].strip(), check_colour("colour", row[1])))
    return found


def palette_text(palette: Palette) -> str:
    """A palette as its file holds it."""
    return "".join(f"{colour} {name}".rstrip() + "\n" for name, colour in palette)


def read_palette(data: bytes, file: str = "palette") -> Palette:
    """A palette from a file; raises UnreadableFile, naming the file, the line and the rule."""
    if len(data) > MOST_OCTETS:
        raise UnreadableFile(f"{file}: {len(data)} octets; a palette has at most {MOST_OCTETS}")
    try:
        text = data.decode("utf-8-sig")
    except UnicodeDecodeError as error:
        raise UnreadableFile(f"{file} is not a UTF-8 text file.") from error
    rows: list[list[str]] = []
    for number, line in enumerate(text.splitlines(), 1):
        if not line.strip() or line.strip().startswith("//"):
            continue
        colour, _, name = line.strip().partition(" ")
        try:
            rows.append([name.strip()[:_LONGEST_NAME], check_colour("colour", colour)])
        except BadValue as error:
            raise UnreadableFile(
                f"{file}, line {number}: {colour[:20]!r} is not a colour. Write it like #2f6f93."
            ) from error
    if not rows:
        raise UnreadableFile(f"{file} contains no colours.")
    try:
        return check_palette(rows)
    except BadValue as error:
        raise UnreadableFile(f"{file}: {error}") from error
