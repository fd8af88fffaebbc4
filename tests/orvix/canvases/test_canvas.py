"""Canvases: the whole is the sum of its blocks, at every level, over its ground."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from orvix.canvases.blocks import Blocks
from orvix.canvases.canvas import Canvas, CanvasSpec
from orvix.canvases.compositing import reduced
from orvix.errors import BadValue
from orvix.geometry import aligned, area, merged

PIXELS = np.random.default_rng(6).integers(0, 65536, (600, 530, 4)).astype(np.uint16)
PIXELS[..., :3] = np.minimum(PIXELS[..., :3], PIXELS[..., 3:])
PIXELS[256:512, :256] = 0


def test_the_whole_is_the_sum_of_its_blocks():
    blocks = Blocks.from_array(PIXELS)
    assert blocks.get((1, 0)) is None
    assert np.array_equal(blocks.whole(), PIXELS)
    assert np.array_equal(blocks.read((100, 200, 400, 555)), PIXELS[200:555, 100:400])
    assert blocks.nbytes == 8 * 256 * 256 * 8


def test_a_copy_shares_blocks_and_blocks_are_read_only():
    blocks = Blocks.from_array(PIXELS)
    other = blocks.copy()
    assert other.get((0, 0)) is blocks.get((0, 0))
    other.put((0, 0), None)
    assert blocks.get((0, 0)) is not None
    with pytest.raises(ValueError, match="read-only"):
        blocks.get((0, 1))[0, 0] = 1


def test_over_its_ground_it_is_source_over_rounded_half_up():
    canvas = Canvas(CanvasSpec(530, 600, ground="#3060c0"), Blocks.from_array(PIXELS))
    got = canvas.view(canvas.spec.box)
    ground = np.array([0x30, 0x60, 0xC0]) / 255
    exact = PIXELS[..., :3] / 65535 + ground * (1 - PIXELS[..., 3:] / 65535)
    assert np.abs(got[..., :3] - exact * 255).max() <= 0.5001
    assert (got[..., 3] == 255).all()


@settings(max_examples=40)
@given(st.integers(0, 5), st.integers(0, 500), st.integers(0, 560), st.integers(1, 600), st.integers(1, 600))
def test_a_part_seen_is_the_part_of_the_whole_seen(level, left, top, width, height):
    canvas = Canvas(CanvasSpec(530, 600), Blocks.from_array(PIXELS))
    box = aligned((left, top, left + width, top + height), 1 << level)
    whole, part = canvas.view(canvas.spec.box, level), canvas.view(box, level)
    y, x = box[1] >> level, box[0] >> level
    assert np.array_equal(part, whole[y : y + part.shape[0], x : x + part.shape[1]])


def test_levels_are_means_of_four():
    flat = np.random.default_rng(1).integers(0, 256, (8, 12, 4)).astype(np.uint8)
    want = np.floor(flat.reshape(4, 2, 6, 2, 4).sum(axis=(1, 3)) / 4 + 0.5)
    assert np.array_equal(reduced(flat, 1), want)
    assert reduced(flat[:7, :11], 2).shape == (2, 3, 4)


@pytest.mark.parametrize(
    ("box", "level", "message"), [((0, 0, 9, 9), 9, "level=9"), ((1, 0, 9, 9), 1, "box"), ((900, 0, 950, 9), 0, "box")]
)
def test_views_out_of_range_are_refused(box, level, message):
    with pytest.raises(BadValue, match=message):
        Canvas(CanvasSpec(530, 600)).view(box, level)


@pytest.mark.parametrize("told", [{"width": 0}, {"height": 20_000}, {"ppi": 0}, {"ground": "red"}])
def test_specs_out_of_range_are_refused_by_name(told):
    with pytest.raises(BadValue, match=next(iter(told))):
        CanvasSpec(**{"width": 10, "height": 10, **told})


boxes = st.builds(
    lambda x, y, w, h: (x, y, x + w, y + h),
    st.integers(0, 90), st.integers(0, 90), st.integers(0, 40), st.integers(0, 40),
)  # fmt: skip


@given(st.lists(boxes, max_size=12))
def test_merged_boxes_cover_the_same_px(given_boxes):
    covered, again = np.zeros((140, 140), bool), np.zeros((140, 140), bool)
    for left, top, right, bottom in given_boxes:
        covered[top:bottom, left:right] = True
    for left, top, right, bottom in merged(given_boxes):
        assert area((left, top, right, bottom)) > 0
        again[top:bottom, left:right] = True
    assert (again | ~covered).all()
    assert len(merged(given_boxes)) <= len(given_boxes)
