"""Filling areas and laying gradients: what is reached, what it becomes, and what is refused."""

from __future__ import annotations

from fractions import Fraction

import numpy as np
import pytest

from orvix.canvases.blocks import Blocks
from orvix.canvases.canvas import Canvas, CanvasSpec
from orvix.canvases.fills import FillTile
from orvix.canvases.layers import parse_stack
from orvix.canvases.operations import do
from orvix.canvases.operations.pour import area
from orvix.errors import OrvixError
from orvix.tiles.joining import Joining
from orvix.tiles.repeats import Repeat

W, H = 300, 280


def walled(joined=None) -> Canvas:
    """A plumb wall at column 100 with a gap of one px, and a level one at row 140 without."""
    canvas = Canvas(CanvasSpec(W, H, joined=joined, ground="#f0f0f0"))
    pixels = np.zeros((H, W, 4), np.uint16)
    pixels[:, 100] = pixels[140] = (0, 0, 0, 65535)
    pixels[20, 100] = 0
    canvas.blocks[1] = Blocks.from_array(pixels)
    return canvas


def test_an_area_ends_at_walls_and_goes_through_gaps():
    got = area(walled(), 1, 10, 10, 0.1, look_at_all=True)
    assert got[:140].sum() == 140 * W - 139, "above the level wall, through the gap of the plumb one"
    assert not got[140:].any()


def test_with_joined_edges_it_goes_on_across_them_as_the_neighbours_lie():
    brick = Joining(Repeat("brick", Fraction(1, 2)))
    for joined in (Joining(), brick):
        got = area(walled(joined), 1, 10, 10, 0.1, look_at_all=True)
        # Below the wall is reached over the upper border, where the wall of the copy above does not end it.
        assert got[141:, :100].all()
        assert got[141:, 101:].all()
    # Slow, px by px, on a small canvas with a slanting wall.
    canvas = Canvas(CanvasSpec(24, 18, joined=brick))
    pixels = np.zeros((18, 24, 4), np.uint16)
    for n in range(18):
        pixels[n, (n * 2) % 24, 3] = pixels[n, (n * 2 + 1) % 24, 3] = 65535
    pixels[9, :, 3] = 65535
    canvas.blocks[1] = Blocks.from_array(pixels)
    got = area(canvas, 1, 20, 3, 0.1, look_at_all=False)
    open_px = pixels[..., 3] == 0
    seen, todo = np.zeros((18, 24), bool), [(3, 20)]
    while todo:
        row, column = todo.pop()
        if seen[row, column] or not open_px[row, column]:
            continue
        seen[row, column] = True
        for dy, dx in ((0, 1), (0, -1), (1, 0), (-1, 0)):
            y, x = row + dy, column + dx
            if y < 0 or y >= 18:
                x, y = x + 12, y % 18  # rows of copies above and below are moved by half
            x %= 24
            todo.append((y, x))
    assert np.array_equal(got, seen)


def test_tolerance_counts_from_the_px_that_was_pressed():
    canvas = Canvas(CanvasSpec(256, 16))
    ramp = np.zeros((16, 256, 4), np.uint16)
    ramp[..., :3] = np.arange(256)[None, :, None] * 257
    ramp[..., 3] = 65535
    canvas.blocks[1] = Blocks.from_array(ramp)
    assert area(canvas, 1, 100, 5, 20 / 255, look_at_all=False)[0].nonzero()[0].tolist() == list(range(80, 121))


def test_it_is_filled_with_a_colour_or_a_tile_and_grown_under_the_walls():
    canvas = walled()
    do(canvas, "pour", {"layer": 1, "x": 10, "y": 10, "tolerance": 0.1, "all": True, "colour": "#204060"})
    got = canvas.layer_blocks(1).whole()
    assert (got[5, 5] == (0x2020, 0x4040, 0x6060, 65535)).all()
    assert (got[5, 100] == (0, 0, 0, 65535)).all()
    do(canvas, "pour", {"layer": 1, "x": 10, "y": 10, "tolerance": 0.1, "grow": 2, "colour": "#ff0000"})
    assert (canvas.layer_blocks(1).whole()[141, 5] == (65535, 0, 0, 65535)).all()
    tile = np.ones((8, 8, 4), np.float32)
    tile[:4, :, :3] = 0
    told = {"layer": 1, "x": 10, "y": 10, "tolerance": 0.1, "fill": {"tile": 3}}
    do(canvas, "pour", told | {"tile_of": lambda number: FillTile(tile, Repeat("straight"))})
    got = canvas.layer_blocks(1).whole()
    assert (got[0, :90, 0] == 0).all()
    assert (got[4, :90, 0] == 65535).all()


def test_a_gradient_goes_from_one_colour_to_the_other_and_stays_within_locked_transparency():
    canvas = walled()
    told = {"layer": 1, "start": [50, 0], "end": [250, 0], "colours": ["#000000", "#ffffff"]}
    do(canvas, "gradient", told)
    row = canvas.layer_blocks(1).whole()[7, :, 0].astype(float) / 65535
    assert np.abs(row - np.clip((np.arange(W) + 0.5 - 50) / 200, 0, 1)).max() < 1e-4
    canvas = walled()
    canvas.restack(parse_stack([{"id": 1, "name": "a", "alpha_locked": True}]))
    before = canvas.layer_blocks(1).whole()
    do(canvas, "gradient", told | {"shape": "round", "colours": ["#ff0000", "#0000ff"]})
    after = canvas.layer_blocks(1).whole()
    assert np.array_equal(after[..., 3], before[..., 3])
    assert (after != before).any()


@pytest.mark.parametrize(
    ("name", "told", "named"),
    [
        ("pour", {"x": -1, "y": 0}, "x="), ("pour", {"x": 0, "y": H}, "y="), ("pour", {"x": 1.5, "y": 0}, "x="),
        ("pour", {"x": 1, "y": 0, "tolerance": 2}, "tolerance"), ("pour", {"x": 1, "y": 0, "grow": 99}, "grow"),
        ("pour", {"x": 1, "y": 0, "colour": "sea"}, "colour"), ("pour", {"x": 1, "y": 0, "fill": {"tile": 9}}, "tile"),
        ("gradient", {"start": [0, 0], "end": [0, 0], "colours": ["#000000", "#ffffff"]}, "end"),
        ("gradient", {"start": [0], "end": [0, 9], "colours": ["#000000", "#ffffff"]}, "start"),
        ("gradient", {"start": [0, 0], "end": [0, 9], "colours": ["#000000"]}, "colours"),
        ("gradient", {"start": [0, 0], "end": [0, 9], "colours": ["#000000", "#ffffff"], "shape": "star"}, "star"),
    ],
)  # fmt: skip
def test_what_cannot_be_filled_is_refused_and_nothing_is_changed(name, told, named):
    canvas = walled()
    before = canvas.layer_blocks(1).whole()
    with pytest.raises(OrvixError, match=named):
        do(canvas, name, {"layer": 1, **told})
    assert np.array_equal(canvas.layer_blocks(1).whole(), before)
