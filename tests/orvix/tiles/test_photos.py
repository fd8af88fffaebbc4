"""Photos made into tiles in one go: what closes is kept, nothing is squashed, and what is cut off is said."""

from __future__ import annotations

import numpy as np
import pytest

from orvix.devices.photo_tray import develop
from orvix.errors import BadValue
from orvix.pictures.writing import flat_rgb
from orvix.tiles.closing.seam import already_closes, seam
from orvix.tiles.photos import MendOrder, mend_photo
from orvix.tiles.recipe import Recipe
from orvix.tiles.repeats import Repeat
from orvix.tiles.state import TileState
from orvix.tiles.steps.mend_border import SEAMLESS_ALREADY

CLOSED = ("noise", "courses", "weave", "net", "irregular", "check", "herringbone", "shingles")
"""Eight pictures that close: grain, bonds with joints, threads, knots, and pieces of many shapes."""


def photo_of(name: str, width: int, height: int) -> np.ndarray:
    rgb = develop(name, width, height)[..., :3]
    return np.dstack([rgb, np.full((height, width), 255, np.uint8)]).astype(np.uint16) * np.uint16(257)


def closed(source: str, width: int = 320, height: int = 256) -> np.ndarray:
    return Recipe.parse({"size": [width, height], "seed": 5, "source": {"name": source}}).render()


@pytest.mark.parametrize("source", CLOSED)
def test_a_picture_that_closes_already_is_kept_px_for_px_and_that_is_said(source):
    pixels = closed(source)
    made = mend_photo(pixels, MendOrder())
    assert made.kept
    assert np.array_equal(made.after.pixels, pixels)
    assert made.after.notes == (SEAMLESS_ALREADY,)


@pytest.mark.slow
@pytest.mark.parametrize("source", CLOSED)
def test_steps_on_a_picture_that_closes_leave_it_closing(source):
    pixels = closed(source)
    told = {"size": [320, 256], "source": {"name": "photo", "values": {"file": "p"}}}
    alone = Recipe.parse(told | {"steps": [{"name": "mend-border"}]}).run(lambda _: pixels)
    assert np.array_equal(alone.pixels, pixels)
    assert SEAMLESS_ALREADY in alone.notes
    steps = [{"name": "even-light"}, {"name": "mend-border"}]
    evened = Recipe.parse(told | {"steps": steps}).run(lambda _: pixels)
    assert SEAMLESS_ALREADY in evened.notes
    assert seam(flat_rgb(evened.pixels), Repeat("straight"), full=True).value < 1.2
    asked = Recipe.parse(told | {"steps": [{"name": "mend-border", "values": {"method": "least-error cut"}}]})
    assert not np.array_equal(asked.run(lambda _: pixels).pixels, pixels)


@pytest.mark.parametrize("size", [(640, 512), (480, 384), (160, 128)])
def test_a_picture_that_closes_still_does_at_another_size(size):
    made = mend_photo(closed("courses"), MendOrder(size))
    assert made.kept
    assert (made.after.width, made.after.height) == size
    assert seam(flat_rgb(made.after.pixels), Repeat("straight"), full=True).verdict == "seamless"


def test_a_size_that_would_squash_a_picture_that_closes_is_refused_with_those_that_fit():
    with pytest.raises(
        BadValue, match=r"size='512x512': The picture is seamless already at 320x256.* 512x410 or 640x512"
    ):
        mend_photo(closed("courses"), MendOrder((512, 512)))


@pytest.mark.parametrize(
    ("size", "left_out", "side"), [((256, 256), (120, 0), "width"), ((400, 200), (0, 150), "height")]
)
def test_another_proportion_is_cut_out_of_the_middle_and_said_and_nothing_is_squashed(size, left_out, side):
    photo = photo_of("quay-wall", 480, 360)
    photo = photo if side == "width" else photo_of("quay-wall", 420, 360)
    made = mend_photo(photo, MendOrder(size))
    assert made.left_out_px == left_out
    assert any(note.startswith(f"{max(left_out)} px of the photo's {side} are cropped") for note in made.after.notes)
    x, y = left_out[0] // 2, left_out[1] // 2
    used = photo[y : photo.shape[0] - y or None, x : photo.shape[1] - x or None]
    alone = mend_photo(np.ascontiguousarray(used), MendOrder(size))
    assert not any("cropped" in note for note in alone.after.notes)
    assert np.abs(alone.before.pixels.astype(int) - made.before.pixels).mean() < 257


def test_a_crop_of_a_photo_is_not_taken_for_closed():
    for name in ("barnacles", "deck-planking", "hedge", "quay-wall", "roof-slates"):
        assert not already_closes(TileState(photo_of(name, 400, 300), Repeat("straight"), wraps=False)), name


def test_under_another_repeat_a_picture_does_not_close():
    pixels = closed("courses")
    assert already_closes(TileState(pixels, Repeat("straight"), wraps=False))
    assert not already_closes(TileState(closed("noise"), Repeat("half-drop"), wraps=False))
