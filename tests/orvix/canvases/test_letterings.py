"""Letterings: set in lines where they should be, kept editable under every map, in any script, refused by rule."""

from __future__ import annotations

from fractions import Fraction

import numpy as np
import pytest

from orvix.canvases.canvas import Canvas, CanvasSpec
from orvix.canvases.layers import parse_stack
from orvix.canvases.letterings import Lettering
from orvix.canvases.operations import do
from orvix.canvases.strokes import put_back
from orvix.canvases.typesetting import lettering_pixels, no_font
from orvix.errors import OrvixError
from orvix.tiles.joining import Joining

SPEC = CanvasSpec(600, 420)
PLAIN = {"text": "Skerry", "x": 60, "y": 150, "size": 90, "colour": "#c2553b"}


def pixels(spec=SPEC, **told) -> np.ndarray:
    return lettering_pixels(spec, Lettering.parse({**PLAIN, **told}), no_font).whole()


def box(picture) -> tuple[int, int, int, int]:
    rows, columns = (np.flatnonzero(picture[..., 3].any(axis=axis)) for axis in (1, 0))
    return int(columns[0]), int(rows[0]), int(columns[-1]) + 1, int(rows[-1]) + 1


def test_it_lies_on_its_line_in_its_colour_and_as_large_as_its_em():
    left, top, right, bottom = box(pixels())
    assert 60 <= left <= 72
    assert 75 <= top < 150 < bottom <= 180, "small letters hang below the line"
    solid = pixels()[pixels()[..., 3] == 65535]
    assert (solid[:, :3] == np.array([0xC2, 0x55, 0x3B]) * 257).all()
    twice = box(pixels(size=180))
    assert twice[2] - twice[0] == pytest.approx(2 * (right - left), abs=3)


def test_lines_are_aligned_and_go_down_by_the_leading():
    for aligned, at in (("start", 0.0), ("middle", 0.5), ("end", 1.0)):
        both = pixels(text="Skerry\nBrindle", aligned=aligned, x=300, leading=1.5)
        first, second = box(both[:185]), box(np.where(np.arange(420)[:, None, None] >= 185, both, 0))
        for one in (first, second):
            assert one[0] + at * (one[2] - one[0]) == pytest.approx(300, abs=14)
    wide, close = box(pixels(tracking=0.3)), box(pixels())
    assert wide[2] - close[2] == pytest.approx(5 * 0.3 * 90, abs=4)


def test_any_script_is_set_and_emoji_keep_their_colours():
    for text, font in (("مرفأ", "naskh"), ("बंदरगाह", "devanagari"), ("Λιμάνι", "book")):
        assert pixels(text=text, font=font)[..., 3].any()
    anchor = pixels(text="a⚓")
    letters = pixels(text="a")
    more = (anchor != letters).any(axis=2)
    assert more.any()
    assert len(np.unique(anchor[more][:, :3], axis=0)) > 20, "in its own colours"
    with pytest.raises(OrvixError, match="has no character"):
        pixels(text="\U00012000")


def test_it_is_mapped_by_its_values_whatever_the_map():
    one = Lettering.parse(PLAIN)
    for linear in (
        [[0.5, 0], [0, 2]],
        [[0, -1], [1, 0]],
        [[-1, 0], [0, 1]],
        [[1, 0.4], [0, 1]],
        [[0.7, -0.3], [0.5, 1.2]],
    ):
        matrix = np.column_stack([np.array(linear, float), (30, -20)])
        mapped = one.mapped(matrix)
        want = np.column_stack([matrix[:, :2] @ one.matrix[:, :2], matrix @ (one.x, one.y, 1)])
        assert np.abs(mapped.matrix - want).max() < 1e-3, linear
        assert Lettering.parse(mapped.as_dict()) == mapped
    assert one.at_times(Fraction(2)).size == 180
    with pytest.raises(OrvixError, match="too small to see"):
        one.mapped(np.array([[1, 0, 0], [0, 0, 0]], float))


def layered() -> Canvas:
    canvas = Canvas(SPEC)
    do(canvas, "lettering", {"layer": 2, "over": 1, "lettering": PLAIN})
    return canvas


def test_a_layer_of_it_is_edited_moved_and_turned_and_each_is_undone():
    canvas = layered()
    assert [(one.kind, one.name) for one in canvas.stack] == [("paint", "Layer 1"), ("lettering", "Skerry")]
    assert parse_stack([one.as_dict() for one in canvas.stack]) == canvas.stack
    first = canvas.layer_blocks(2).whole()
    for name, told in (
        ("lettering", {"layer": 2, "lettering": {**PLAIN, "text": "Brindle"}}),
        ("move", {"x": 40, "y": 10, "layers": [2]}),
        ("transform", {"layers": [2], "turn": 20, "across": 1.5}),
        ("turn", {"way": "right"}),
    ):
        undo = do(canvas, name, told)
        assert not np.array_equal(canvas.layer_blocks(2).whole(), first)
        put_back(canvas, undo)
        assert (canvas.layer_blocks(2).whole() == first).all()
    do(canvas, "move", {"x": 40, "y": 10, "layers": [2]})
    again = pixels(x=100, y=160)
    assert (canvas.layer_blocks(2).whole() == again).all(), "what was moved is what is set there"


def test_over_a_joined_border_it_comes_in_opposite():
    joined = pixels(CanvasSpec(600, 420, joined=Joining()), x=500)
    plain = pixels(CanvasSpec(600, 420), x=100)
    assert (np.roll(plain, 400, axis=1) == joined).all()


@pytest.mark.parametrize(
    ("told", "why"),
    [
        ({"text": "   "}, "must have a letter"),
        ({"text": "a\n" * 100}, "at most 80 lines"),
        ({"text": "a" * 3000}, "text="),
        ({"size": 0}, "size=0"),
        ({"size": 10**6}, "size=1000000"),
        ({"across": 0}, "across=0"),
        ({"font": "brush"}, "font="),
        ({"x": 1e9}, "must be within"),
        ({"aligned": "justified"}, "aligned="),
        ({"colour": "red"}, "colour"),
        ({"slant": 3}, "value of a text layer"),
        ({"own": 4}, "no longer exists"),
    ],
)
def test_bad_letterings_are_refused_and_nothing_changes(told, why):
    canvas = layered()
    before = canvas.stack, canvas.layer_blocks(2).whole()
    with pytest.raises(OrvixError, match=why):
        do(canvas, "lettering", {"layer": 2, "lettering": {**PLAIN, **told}})
    assert canvas.stack == before[0]
    assert (canvas.layer_blocks(2).whole() == before[1]).all()
    with pytest.raises(OrvixError, match="is not a text layer"):
        do(canvas, "lettering", {"layer": 1, "lettering": PLAIN})
