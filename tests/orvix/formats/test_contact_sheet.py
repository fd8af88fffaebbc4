"""The contact sheet, as a reader of PDF sees it."""

from __future__ import annotations

import io

import numpy as np
import pytest
from pypdf import PdfReader

from orvix.errors import BadValue
from orvix.formats.contact_sheet import Cell, contact_sheet
from orvix.formats.pictures_out import Credit


def cells(many: int) -> list[Cell]:
    words = "tile, size 90 × 60 px"
    return [Cell(f"Kelp {n}", ("tile, version 1", words), np.full((60, 90, 3), n, np.uint8)) for n in range(many)]


def test_twenty_things_lie_on_a_page_with_names_and_credit():
    data = contact_sheet("Harbour set", cells(43), Credit("A. Painter", "All rights reserved"))
    reader = PdfReader(io.BytesIO(data))
    assert len(reader.pages) == 3
    assert [len(page.images) for page in reader.pages] == [20, 20, 3]
    first, last = reader.pages[0].extract_text(), reader.pages[2].extract_text()
    assert all(words in first for words in ("Harbour set", "Kelp 0", "Kelp 19", "90 × 60 px", "1 of 3", "A. Painter"))
    assert "Kelp 42" in last
    assert reader.metadata.author == "A. Painter"
    assert [round(float(side)) for side in reader.pages[0].mediabox[2:]] == [595, 842]
    assert data == contact_sheet("Harbour set", cells(43), Credit("A. Painter", "All rights reserved"))


def test_pictures_keep_their_proportions_and_long_names_are_cut():
    wide = Cell("An endlessly long name for a tile that does not fit under it", (), np.zeros((20, 2000, 3), np.uint8))
    page = PdfReader(io.BytesIO(contact_sheet("x", [wide], Credit()))).pages[0]
    assert page.images[0].image.size == (480, 5)
    assert "An endlessly long" in page.extract_text()
    assert "under it" not in page.extract_text()


@pytest.mark.parametrize("many", [0, 501])
def test_no_thing_and_too_many_are_refused(many):
    with pytest.raises(BadValue, match="1 to 500"):
        contact_sheet("x", cells(1) * many, Credit())


NAMES = {
    "Ženské moře": "NotoSans-Bold", "Морская сеть": "NotoSans-Bold", "Ωκεανός": "NotoSans-Bold",
    "ნავსადგური": "NotoSansGeorgian", "مرفأ الشبكة": "NotoNaskhArabic", "बंदरगाह क्षि": "NotoSansDevanagari",
}  # fmt: skip


@pytest.mark.parametrize("name", NAMES)
def test_names_of_every_script_are_written_with_their_font_embedded(name):
    cell = Cell(name, ("tile, version 1",), np.zeros((40, 60, 3), np.uint8))
    page = PdfReader(io.BytesIO(contact_sheet("Harbour", [cell], Credit()))).pages[0]
    fonts = {}
    for one in page["/Resources"]["/Font"].values():
        told = one.get_object()
        fonts[str(told["/BaseFont"])] = told
    used = next(told for called, told in fonts.items() if NAMES[name] in called)
    assert "/FontFile2" in used["/FontDescriptor"], "the font is in the file"
    seen = page.extract_text()
    assert "?" not in seen
    letters = set(name) - {" "}
    assert letters <= set(seen)


def test_what_joins_or_stacks_is_drawn_as_it_is_written_by_hand():
    """Arabic letters joined, from the right; a Devanagari vowel before its consonant: narrower than letters alone."""
    from orvix.lettering.pages import runs_of, text_width

    (run,) = runs_of("مرفأ")
    assert run.shaped is not None
    assert run.shaped.right_to_left
    apart = sum(text_width(letter, 10) for letter in "مرفأ")
    assert text_width("مرفأ", 10) < 0.8 * apart
    ordered = runs_of("نمل Kelp مرفأ")
    assert [run.text.strip() for run in ordered if run.text.strip()] == ["مرفأ", "Kelp", "نمل"]


def test_a_letter_that_no_font_has_is_written_as_its_code_and_an_emoji_is_a_picture():
    from orvix.lettering.pages import fitting, runs_of, text_width

    assert [run.text for run in runs_of("海 7")] == ["U+6D77 7"]
    (emoji,) = runs_of("⚓")
    assert 0.8 < emoji.width < 1.6
    long = "Морская сеть " * 9
    short = fitting(long, 8, 100)
    assert short.endswith("…")
    assert text_width(short, 8) <= 100
    assert long.startswith(short[:-1])
