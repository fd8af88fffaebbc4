"""A contact sheet: small pictures of many things with their names, on A4 pages, as PDF."""

from __future__ import annotations

import io
from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray
from PIL import Image

from orvix.errors import BadValue
from orvix.formats.pictures_out import Credit
from orvix.lettering.pages import fitting, write_from_right, write_text

COLUMNS, ROWS = 4, 5
MOST_CELLS = 500
_LONGEST_PX = 480
"""About 270 px an inch where it is printed."""
_LEFT_MM, _TOP_MM, _SIDE_MM, _STEP_MM = 15.0, 268.0, 42.0, (46.0, 51.0)


@dataclass(frozen=True)
class Cell:
    """One thing. picture: uint8 (rows, columns, 3); words: under its name, a line each."""

    name: str
    words: tuple[str, ...]
    picture: NDArray[np.uint8]


def contact_sheet(title: str, cells: Sequence[Cell], credit: Credit) -> bytes:
    """20 things a page, whole and in their proportions, under a title; pages numbered, maker and licence at the foot.

    Fonts are embedded (`lettering.pages`). Raises BadValue for no thing and for more than 500.
    """
    from reportlab.lib.pagesizes import A4
    from reportlab.lib.units import mm
    from reportlab.lib.utils import ImageReader
    from reportlab.pdfgen.canvas import Canvas as Page

    if not 1 <= len(cells) <= MOST_CELLS:
        raise BadValue("things", len(cells), f"must be 1 to {MOST_CELLS}")
    out = io.BytesIO()
    page = Page(out, pagesize=A4, invariant=True, pdfVersion=(1, 4))
    page.setTitle(title)
    page.setAuthor(credit.maker)
    page.setSubject(credit.licence)
    each = COLUMNS * ROWS
    pages = -(-len(cells) // each)
    foot = ", ".join(one for one in (credit.maker, credit.licence) if one)
    for n, cell in enumerate(cells):
        if n % each == 0:
            if n:
                page.showPage()
            write_text(page, _LEFT_MM * mm, 278 * mm, fitting(title, 15, 180 * mm, bold=True), 15, bold=True)
            write_text(page, _LEFT_MM * mm, 10 * mm, fitting(foot, 8, 160 * mm), 8)
            write_from_right(page, 195 * mm, 10 * mm, f"{n // each + 1} of {pages}", 8)
        row, column = divmod(n % each, COLUMNS)
        left, top = _LEFT_MM + column * _STEP_MM[0], _TOP_MM - row * _STEP_MM[1]
        image = Image.fromarray(np.ascontiguousarray(cell.picture))
        image.thumbnail((_LONGEST_PX, _LONGEST_PX), Image.Resampling.LANCZOS)
        scale = min(_SIDE_MM / image.width, (_SIDE_MM - 6) / image.height)
        width, height = image.width * scale, image.height * scale
        page.drawImage(ImageReader(image), left * mm, (top - height) * mm, width * mm, height * mm)
        name = fitting(cell.name, 8, _SIDE_MM * mm, bold=True)
        write_text(page, left * mm, (top - height - 3.5) * mm, name, 8, bold=True)
        for k, line in enumerate(cell.words):
            words = fitting(line, 7, _SIDE_MM * mm)
            write_text(page, left * mm, (top - height - 6.6 - 3 * k) * mm, words, 7)
    page.save()
    return out.getvalue()
