"""Text on pages of PDF, in every script that the shipped fonts have, with the fonts embedded.

A text is cut into runs, each in the first shipped font that has its letters. Scripts whose letters only stand side by
side are written as text. Those whose letters join, stack or run from the right are shaped and drawn as outlines, with
the same text unseen over them, so that it can be searched and copied. Emoji are pictures. A letter that no font has is
written as its code, as U+6D77.
"""

from __future__ import annotations

import io
import re
import unicodedata
from dataclasses import dataclass
from functools import lru_cache
from itertools import groupby
from typing import Any

from orvix.lettering.drawing import emoji_pictures, outline
from orvix.lettering.fonts import EMOJI, FOLDER, SHIPPED, Shipped, shipped_font
from orvix.lettering.shaping import Shaped, shape

_SIDE_BY_SIDE = ("plain", "plain-bold", "georgian", "armenian", "ethiopic")
"""Shipped fonts of scripts that need no shaping."""
_UNSEEN = 3
_STROKE = re.compile(r"([MLQCZ])([^MLQCZ]*)")
_FROM_RIGHT = ("R", "AL")


@dataclass(frozen=True)
class Run:
    """Letters of one font, or of the emoji. width: in ems; shaped: where its letters are drawn as outlines."""

    text: str
    font: str
    width: float
    shaped: Shaped | None = None


def text_width(text: str, size: float, *, bold: bool = False) -> float:
    """How wide a text is, in points, at a size in points."""
    return size * sum(run.width for run in runs_of(text, bold))


def fitting(text: str, size: float, most: float, *, bold: bool = False) -> str:
    """A text, cut and with an ellipsis where it is wider than `most` points."""
    if text_width(text, size, bold=bold) <= most:
        return text
    low, high = 0, len(text)
    while low < high:
        middle = (low + high + 1) // 2
        if text_width(text[:middle].rstrip() + "…", size, bold=bold) <= most:
            low = middle
        else:
            high = middle - 1
    return text[:low].rstrip() + "…"


def write_text(page: Any, x: float, y: float, text: str, size: float, *, bold: bool = False) -> None:
    """Write a text on a page of ReportLab's, its line beginning at (x, y) in points."""
    for run in runs_of(text, bold):
        page.setFont(_embedded(run.font if run.font != EMOJI.name else _plain(bold)), size)
        if run.shaped is None:
            page.drawString(x, y, run.text)
        else:
            _draw(page, x, y, run, size)
            page.drawString(x, y, "".join(one for one in run.text if _has(page._fontname, one)), mode=_UNSEEN)
        x += run.width * size


def write_from_right(page: Any, x: float, y: float, text: str, size: float, *, bold: bool = False) -> None:
    """The same, its line ending at (x, y)."""
    write_text(page, x - text_width(text, size, bold=bold), y, text, size, bold=bold)


@lru_cache(maxsize=2048)
def runs_of(text: str, bold: bool = False) -> tuple[Run, ...]:
    """A text as runs, in the order in which they lie from left to right."""
    told = [(_font_for(one, bold), one) for one in "".join(_known(one, bold) for one in text)]
    # Marks and joiners stay with the letter before them where its font has them, spaces between letters of one font.
    for n in range(1, len(told)):
        font, one = told[n - 1][0], told[n][1]
        follows = unicodedata.category(one) in ("Mn", "Mc", "Me", "Cf")
        if one == " " and font not in (EMOJI.name, *_SIDE_BY_SIDE):
            follows = next((other for other, letter in told[n:] if letter != " "), "") == font
        if follows and (font == EMOJI.name or shipped_font(font).has(one)):
            told[n] = font, one
    runs = [_run("".join(one for _, one in letters), font) for font, letters in groupby(told, lambda pair: pair[0])]
    strong = (unicodedata.bidirectional(one) for one in text)
    first = next((one for one in strong if one in ("L", *_FROM_RIGHT)), "L")
    return tuple(runs[::-1] if first in _FROM_RIGHT else runs)


def _run(text: str, font: str) -> Run:
    if font in _SIDE_BY_SIDE:
        from reportlab.pdfbase.pdfmetrics import stringWidth

        return Run(text, font, stringWidth(text, _embedded(font), 1000) / 1000)
    shaped = shape(text, shipped_font(font))
    return Run(text, font, sum(one.advance for one in shaped.clusters), shaped)


def _plain(bold: bool) -> str:
    return "plain-bold" if bold else "plain"


@lru_cache(maxsize=8192)
def _font_for(letter: str, bold: bool) -> str:
    """The first shipped font with a letter: the plain one where it can be."""
    order = [_plain(bold), *(one.name for one in SHIPPED), EMOJI.name]
    return next((name for name in order if shipped_font(name).has(letter)), _plain(bold))


def _known(letter: str, bold: bool) -> str:
    if letter.isspace():
        return " "
    if unicodedata.category(letter) == "Cf" or shipped_font(_font_for(letter, bold)).has(letter):
        return letter
    return f"U+{ord(letter):04X}"


def _has(registered: str, letter: str) -> bool:
    return shipped_font(registered.removeprefix(_PREFIX)).has(letter)


_PREFIX = "orvix-"


def _embedded(name: str) -> str:
    """A shipped font as ReportLab knows it; it embeds the letters that are used."""
    from reportlab.pdfbase import pdfmetrics
    from reportlab.pdfbase.ttfonts import TTFont

    registered = _PREFIX + name
    if registered not in pdfmetrics.getRegisteredFontNames():
        font: Shipped = next(one for one in SHIPPED if one.name == name)
        shipped_font(name)  # says which package is missing, where one is
        pdfmetrics.registerFont(TTFont(registered, str(FOLDER / font.file), shapable=False))
    return registered


def _draw(page: Any, x: float, y: float, run: Run, size: float) -> None:
    """A shaped run as outlines and pictures."""
    from reportlab.lib.utils import ImageReader

    assert run.shaped is not None
    font = shipped_font(run.font)
    for cluster in run.shaped.clusters:
        if cluster.emoji or run.font == EMOJI.name:
            for one in emoji_pictures(cluster):
                low = y - (one.top + one.high) * size
                box = one.wide * size, one.high * size
                page.drawImage(ImageReader(io.BytesIO(one.png)), x + one.left * size, low, *box, mask="auto")
        else:
            path = page.beginPath()
            for number, dx, dy in cluster.glyphs:
                _trace(path, outline(font, number), x + dx * size, y + dy * size, size / font.upem)
            page.drawPath(path, stroke=0, fill=1)
        x += cluster.advance * size


def _trace(path: Any, data: str, x: float, y: float, scale: float) -> None:
    """An outline of `drawing.outline` on a path of a page; a quadratic curve is a cubic one with its handles at two
    thirds."""
    here = (0.0, 0.0)
    for what, rest in _STROKE.findall(data):
        numbers = [float(one) for one in re.findall(r"-?[\d.]+(?:e-?\d+)?", rest)]
        points = [(x + a * scale, y + b * scale) for a, b in zip(numbers[::2], numbers[1::2], strict=True)]
        if what == "M":
            path.moveTo(*points[0])
        elif what == "L":
            path.lineTo(*points[0])
        elif what == "Q":
            handle, end = points
            first, second = ([p + 2 / 3 * (c - p) for p, c in zip(at, handle, strict=True)] for at in (here, end))
            path.curveTo(*first, *second, *end)
        elif what == "C":
            path.curveTo(*points[0], *points[1], *points[2])
        else:
            path.close()
        here = points[-1] if points else here
