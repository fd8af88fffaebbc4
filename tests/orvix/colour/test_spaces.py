"""Colours told in several spaces, and palettes in files."""

from __future__ import annotations

import numpy as np
import pytest

from orvix.colour.palettes import check_palette, palette_text, read_palette
from orvix.colour.spaces import described
from orvix.errors import BadValue, OrvixError, UnreadableFile

# From the examples of CSS Color Module Level 4, sections 9.4 and 10, and of its sample code.
KNOWN = [
    ("#ffffff", [0, 0, 100], [100, 0, 0]),
    ("#000000", [0, 0, 0], [0, 0, 0]),
    ("#ff0000", [0, 100, 100], [62.8, 0.2577, 29.2]),
    ("#00ff00", [120, 100, 100], [86.64, 0.2948, 142.5]),
    ("#0000ff", [240, 100, 100], [45.2, 0.3132, 264.1]),
]


@pytest.mark.parametrize(("hexed", "hsb", "oklch"), KNOWN)
def test_known_colours(hexed, hsb, oklch):
    told = described("hex", hexed)
    assert told["hsb"] == pytest.approx(hsb, abs=0.1)
    assert told["oklch"][:2] == pytest.approx(oklch[:2], abs=0.02)
    assert told["oklch"][2] == pytest.approx(oklch[2], abs=0.3) or oklch[1] == 0


def test_every_space_gives_the_colour_back():
    for rgb in np.random.default_rng(2).integers(0, 256, (60, 3)):
        hexed = "#" + "".join(f"{one:02x}" for one in rgb)
        told = described("hex", hexed)
        for space in ("hsb", "oklch"):
            back = described(space, told[space])
            again = [int(back["hex"][n : n + 2], 16) for n in (1, 3, 5)]
            assert np.abs(np.array(again) - rgb).max() <= 1, (space, hexed)
            assert back["inside"]


def test_what_srgb_does_not_hold_keeps_its_light_and_hue():
    told = described("oklch", [70, 0.4, 150])
    assert not told["inside"]
    assert told["oklch"][0] == pytest.approx(70, abs=0.5)
    assert told["oklch"][2] == pytest.approx(150, abs=1)
    assert 0.1 < told["oklch"][1] < 0.4


@pytest.mark.parametrize(
    ("space", "given"),
    [
        ("hex", "red"),
        ("hsb", [1, 2]),
        ("hsb", [400, 0, 0]),
        ("oklch", [50, 0.9, 0]),
        ("oklch", ["a", 0, 0]),
        ("lab", 1),
    ],
)
def test_what_is_no_colour_is_refused(space, given):
    with pytest.raises(OrvixError):
        described(space, given)


def test_a_palette_comes_back_from_its_file():
    palette = check_palette([["deep water", "#1b3f4b"], ["", "#d29b42"], ["Möwe", "#f2efe6"]])
    text = palette_text(palette)
    assert text.splitlines()[1] == "#d29b42"
    assert read_palette(("// harbour\r\n\r\n" + text.replace("\n", "\r\n")).encode("utf-8-sig")) == palette


@pytest.mark.parametrize(
    ("data", "words"),
    [
        (b"", "no colour"), (b"#12345 short", "line 1"), (b"\xff\xfe", "UTF-8"), (b"#102030 a\nsea", "line 2: 'sea'"),
        (b"#102030\n" * 257, "at most 256"), (b" " * 70_000, "octets"),
    ],
)  # fmt: skip
def test_files_that_are_no_palettes_are_refused_by_line_and_rule(data, words):
    with pytest.raises(UnreadableFile, match=words):
        read_palette(data, "mine.txt")


def test_palettes_that_cannot_be():
    for wrong in ("x", [["a"]], [["a" * 50, "#102030"]], [["a", "blue"]]):
        with pytest.raises(BadValue):
            check_palette(wrong)
