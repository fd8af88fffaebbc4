"""What is made for the print desk: checks before anything is sent, the file itself, and the proof sheet.

The file holds the tile's own px, laid out at its own resolution: nothing is resampled.
"""

from __future__ import annotations

import io
from dataclasses import dataclass
from typing import Any

import numpy as np
from numpy.typing import NDArray
from PIL import Image

from orvix.canvases.compositing import colour_to_rgb
from orvix.colour.spaces import chroma_of
from orvix.devices.print_desk import Goods
from orvix.errors import BadValue
from orvix.lettering.pages import fitting, write_text
from orvix.pictures.writing import png_bytes
from orvix.proofs.rendering import MM_AN_INCH
from orvix.tiles.repeats import Repeat, cloth

MOST_SIDE = 16384
_CHROMA_PX = 262_144
_MOST_SHARE = 0.01
ACCEPT = "accept"
"""The mend that takes a check as it is: the desk prints it, less well."""
_PACKED = 0.6
"""How large a PNG mostly is beside its px, at most."""


@dataclass(frozen=True)
class Check:
    """One thing the desk asks for: whether it is met, what was measured, what is asked, and what would mend it.

    mend: the name of what a page offers to press, with `value` what it takes; empty where nothing does.
    """

    name: str
    title: str
    ok: bool
    measured: str
    asked: str
    reason: str = ""
    mend: str = ""
    value: Any = None

    def as_dict(self) -> dict[str, Any]:
        """As JSON carries it."""
        return {name: getattr(self, name) for name in self.__dataclass_fields__}


@dataclass(frozen=True)
class Facts:
    """What is known of what is to be printed: size in px of one repeat, its ppi, seam verdict and value, whether its
    grains close (None: none), a sample of its px, straight 8-bit, and what its alpha lies on (None: nothing).

    sizes: canvas sizes at which grains would close. enlargeable: whether it can be painted again larger. line_px: how
    thin its thinnest lines are, None: none is thin.
    """

    size: tuple[int, int]
    ppi: float
    seam: tuple[str, float]
    fits: bool | None
    sample: NDArray[np.uint8]
    ground: str | None
    sizes: tuple[tuple[int, int], ...] = ()
    enlargeable: bool = False
    joined: bool = True
    line_px: float | None = None


def checks(goods: Goods, facts: Facts) -> list[Check]:
    """All that the desk asks for, in its order."""
    return [check(goods, facts) for check in (_size, _resolution, _seam, _alpha, _colour, _lines, _bytes)]


def _mm(facts: Facts) -> tuple[float, float]:
    width, height = (side / facts.ppi * MM_AN_INCH for side in facts.size)
    return width, height


def _size(goods: Goods, facts: Facts) -> Check:
    full = [side + 2 * goods.bleed_mm for side in goods.size_mm]
    have = _mm(facts)
    asked = f"{full[0]:g} × {full[1]:g} mm with {goods.bleed_mm:g} mm bleed"
    if goods.repeats:
        many = [side / one for side, one in zip(full, have, strict=True)]
        words = f"{many[0]:.2f} × {many[1]:.2f} repeats"
        return Check("size", "Size", True, words, asked, "The bleed continues the repeat. Nothing is stretched.")
    ok = all(one >= side - 0.05 for one, side in zip(have, full, strict=True))
    words = f"{have[0]:.0f} × {have[1]:.0f} mm"
    if ok:
        return Check("size", "Size", True, words, asked, "The centre is printed.")
    ppi = facts.ppi * min(one / side for one, side in zip(have, full, strict=True))
    return Check("size", "Size", False, words, asked, "A white border would show.", "ppi", float(np.floor(ppi)))


def _resolution(goods: Goods, facts: Facts) -> Check:
    measured, asked = f"{facts.ppi:g} ppi", f"at least {goods.least_ppi:g} ppi"
    if facts.ppi >= goods.least_ppi:
        return Check("resolution", "Resolution", True, measured, asked)
    larger = goods.least_ppi / facts.ppi
    if facts.enlargeable:
        times = np.ceil(larger * 16) / 16
        reason = f"Repaint {times:g} times larger to keep the size at {goods.least_ppi:g} ppi."
        return Check("resolution", "Resolution", False, measured, asked, reason, "enlarge", f"{int(times * 16)}/16")
    reason = f"At {goods.least_ppi:g} ppi it prints at {1 / larger:.0%} of its size."
    return Check("resolution", "Resolution", False, measured, asked, reason, "ppi", goods.least_ppi)


def _seam(goods: Goods, facts: Facts) -> Check:
    verdict, value = facts.seam
    if not goods.repeats:
        return Check("seam", "Seam", True, "Printed once", "nothing", "No borders meet.")
    measured, asked = f"{value:.2f}, {verdict}", "seamless, every grain fits"
    if facts.fits is False:
        size = (
            f"A canvas of {facts.sizes[0][0]} × {facts.sizes[0][1]} px would fit it."
            if facts.sizes
            else "Another canvas size may fit it."
        )
        return Check("seam", "Seam", False, measured, asked, f"A grain does not fit. {size}", "canvas")
    if verdict == "seamless":
        return Check("seam", "Seam", True, measured, asked)
    if facts.enlargeable and not facts.joined:
        return Check(
            "seam",
            "Seam",
            False,
            measured,
            asked,
            "The edges are open. Repaint with joined edges so that marks wrap.",
            "join",
        )
    return Check("seam", "Seam", False, measured, asked, "The seam would show where it repeats.", "open")


def _alpha(goods: Goods, facts: Facts) -> Check:
    clear = float((facts.sample[..., 3] < 255).mean())
    asked = "may be transparent" if goods.alpha else "opaque"
    if not clear:
        return Check("alpha", "Ground", True, "opaque", asked)
    if goods.alpha:
        return Check("alpha", "Ground", True, f"{clear:.0%} transparent", asked)
    if facts.ground:
        return Check("alpha", "Ground", True, f"on {facts.ground}", asked)
    return Check(
        "alpha", "Ground", False, f"{clear:.0%} transparent", asked, "Transparent parts need a ground colour.", "ground"
    )


def _colour(goods: Goods, facts: Facts) -> Check:
    px = facts.sample.reshape(-1, 4)
    px = px[:: max(len(px) // _CHROMA_PX, 1)]
    over = float((chroma_of(px[px[:, 3] > 0, :3]) > goods.most_chroma).mean()) if (px[:, 3] > 0).any() else 0.0
    measured, asked = f"{over:.1%} out of gamut", f"chroma up to {goods.most_chroma:g}, sRGB"
    if over <= _MOST_SHARE:
        return Check("colour", "Colour", True, measured, asked)
    return Check(
        "colour",
        "Colour",
        False,
        measured,
        asked,
        "The inks cannot print colours this strong. They will look duller.",
        ACCEPT,
    )


def _lines(goods: Goods, facts: Facts) -> Check:
    asked = f"lines of {goods.least_line_mm:g} mm or more"
    if facts.line_px is None:
        return Check("lines", "Lines", True, "no thin lines", asked)
    width = facts.line_px / facts.ppi * MM_AN_INCH
    measured = f"thinnest {width:.2f} mm"
    if width >= goods.least_line_mm - 0.005:
        return Check("lines", "Lines", True, measured, asked)
    return Check("lines", "Lines", False, measured, asked, "Lines this thin break up in print.", ACCEPT)


def _bytes(goods: Goods, facts: Facts) -> Check:
    width, height = goods.size_px(facts.ppi)
    raw = width * height * (4 if goods.alpha else 3)
    most = goods.most_bytes / 2**20
    measured, asked = f"{width} × {height} px, about {raw * _PACKED / 2**20:.0f} MB", f"a file of up to {most:.0f} MB"
    if max(width, height) > MOST_SIDE:
        return Check(
            "bytes", "File", False, measured, asked, f"No side may be over {MOST_SIDE} px.", "ppi", goods.least_ppi
        )
    if raw * _PACKED <= goods.most_bytes:
        return Check("bytes", "File", True, measured, asked)
    return Check(
        "bytes", "File", False, measured, asked, "The file is too large for the print desk.", "ppi", goods.least_ppi
    )


def print_file(goods: Goods, tile: NDArray[np.uint8], repeat: Repeat, ppi: float, ground: str | None) -> bytes:
    """The PNG that is sent. tile: straight 8-bit RGBA (rows, columns, 4). ground: under what is clear, as `#rrggbb`.

    Goods that are covered are laid out with a whole tile's corner at the trim's upper left, the bleed taken from the
    repeats around; others show the middle of the picture. Raises BadValue where it would be larger than can be.
    """
    width, height = goods.size_px(ppi)
    if max(width, height) > MOST_SIDE:
        raise BadValue("ppi", ppi, f"makes {width} x {height} px; no side may have more than {MOST_SIDE}")
    if goods.repeats:
        bleed = round(goods.bleed_mm / MM_AN_INCH * ppi)
        px = cloth(tile, repeat, -bleed, -bleed, height, width)
    else:
        top, left = (tile.shape[0] - height) // 2, (tile.shape[1] - width) // 2
        if top < 0 or left < 0:
            raise BadValue("size", f"{tile.shape[1]}x{tile.shape[0]}", f"must be at least {width}x{height} px")
        px = np.ascontiguousarray(tile[top : top + height, left : left + width])
    if not goods.alpha:
        px = laid_on(px, ground or "#ffffff")
    return png_bytes(px, ppi, level=3)


def laid_on(px: NDArray[np.uint8], ground: str) -> NDArray[np.uint8]:
    """Straight 8-bit RGBA over a colour, as RGB; rounded half up."""
    under = np.array(colour_to_rgb(ground), np.uint32)
    alpha = px[..., 3:].astype(np.uint32)
    return ((px[..., :3] * alpha + under * (255 - alpha) + 127) // 255).astype(np.uint8)


def proof_sheet(title: str, lines: list[str], file: bytes, goods: Goods) -> tuple[bytes, bytes]:
    """The proof sheet as (PDF, PNG): A4, the print with its trim marked, a rule of true centimetres, what was told.

    Fonts are embedded (`lettering.pages`).
    """
    from reportlab.lib.pagesizes import A4
    from reportlab.lib.units import mm
    from reportlab.lib.utils import ImageReader
    from reportlab.pdfgen.canvas import Canvas as Page

    with Image.open(io.BytesIO(file)) as image:
        image.load()
        picture = image.convert("RGBA") if image.mode == "RGBA" else image.convert("RGB")
    full = [side + 2 * goods.bleed_mm for side in goods.size_mm]
    scale = min(180 / full[0], 190 / full[1], 1.0)
    small = picture.copy()
    small.thumbnail((1600, 1600), Image.Resampling.LANCZOS)
    out = io.BytesIO()
    page = Page(out, pagesize=A4, invariant=True, pdfVersion=(1, 4))
    page.setTitle(title)
    write_text(page, 15 * mm, 280 * mm, fitting(title, 15, 180 * mm, bold=True), 15, bold=True)
    for n, line in enumerate(lines):
        write_text(page, 15 * mm, (273 - 4.6 * n) * mm, fitting(line, 9, 180 * mm), 9)
    width, height = full[0] * scale, full[1] * scale
    left, low = 15.0, 273 - 4.6 * len(lines) - 4 - height
    page.drawImage(ImageReader(small), left * mm, low * mm, width * mm, height * mm, mask="auto")
    bleed = goods.bleed_mm * scale
    page.setDash(2, 2)
    page.rect((left + bleed) * mm, (low + bleed) * mm, (width - 2 * bleed) * mm, (height - 2 * bleed) * mm)
    page.setDash()
    page.line(left * mm, (low - 6) * mm, (left + 100) * mm, (low - 6) * mm)
    for n in range(11):
        page.line((left + 10 * n) * mm, (low - 6) * mm, (left + 10 * n) * mm, (low - (9 if n % 5 == 0 else 8)) * mm)
    shown = f"shown at 1 : {1 / scale:.2f}" if scale < 1 else "shown at true size"
    words = f"Scale bar: 10 cm. The print is {shown}. Dashed line: trim."
    write_text(page, (left + 104) * mm, (low - 8) * mm, fitting(words, 9, 90 * mm), 9)
    page.save()
    sheet = io.BytesIO()
    small.save(sheet, "PNG")
    return out.getvalue(), sheet.getvalue()
