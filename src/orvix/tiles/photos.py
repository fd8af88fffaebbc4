"""A photo made into a tile in one go: left alone where it closes, else cut to proportion, its light evened, mended."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, replace
from typing import Any

import cv2
import numpy as np
from numpy.typing import NDArray

from orvix.errors import BadValue
from orvix.progress import UNWATCHED, Watch
from orvix.tiles.closing.seam import already_closes
from orvix.tiles.recipe import MOST_PIXELS, Recipe
from orvix.tiles.repeats import Repeat
from orvix.tiles.state import TileState
from orvix.tiles.steps.mend_border import AUTOMATIC, SEAMLESS_ALREADY
from orvix.tiles.steps.registry import StepOrder

Pixels = NDArray[np.uint16]
_READ_PX = 2048
"""Larger photos are reduced to this many px a side to see whether they close."""
_STRETCH = 0.01
"""How far proportions may differ before something has to be left out: whole px seldom meet them exactly."""


@dataclass(frozen=True)
class MendOrder:
    """size: the tile's width and height in px, or none for the photo's own; repeat, stagger and method by name."""

    size: tuple[int, int] | None = None
    repeat: str = "straight"
    stagger: str | None = None
    method: str = AUTOMATIC


@dataclass(frozen=True)
class MendedPhoto:
    """before, after: the tile before and after mending; kept: whether the photo closed already and is left as it is;
    left_out_px: how much of the photo's width and height is cut off; read: what `begin` gave."""

    before: TileState
    after: TileState
    kept: bool
    left_out_px: tuple[int, int]
    read: Any


def mend_photo(
    photo: Pixels, order: MendOrder, watch: Watch = UNWATCHED, begin: Callable[[TileState], Any] = lambda state: None
) -> MendedPhoto:
    """Make a photo close, uint16 (rows, columns, 4).

    begin is called with the tile before it is mended, to read it meanwhile; what it gives is `read`. Raises BadValue
    for a size that would squash or cut a photo that closes already, and for unknown names.
    """
    repeat = Repeat.parse(order.repeat, order.stagger)
    width, height = order.size or _own_size(photo)
    told: dict[str, Any] = {"size": [width, height], "repeat": order.repeat, "stagger": order.stagger}
    left_out, corners = _in_proportion(photo, (width, height))
    cut_out = told | {"source": {"name": "photo", "values": {"file": "photo", "corners": corners}}}
    mend = {"name": "mend-border", "values": {"method": order.method}}
    recipe = Recipe.parse(cut_out | {"steps": [{"name": "even-light"}, mend]})
    before = Recipe.parse(cut_out).run(lambda _: photo)
    # Begun before it is known whether anything is to be mended: reading takes as long as the rest.
    read = begin(before)
    if order.method == AUTOMATIC and already_closes(TileState(_reduced(photo), repeat, wraps=False)):
        _check_proportions(photo, (width, height))
        source = {"name": "picture", "values": {"file": "photo"}}
        state = Recipe.parse(told | {"source": source}).run(lambda _: photo, watch)
        read = read if np.array_equal(state.pixels, before.pixels) else begin(state)
        return MendedPhoto(state, state.noting(SEAMLESS_ALREADY), True, (0, 0), read)
    after = replace(before, closes=False)
    for n, one in enumerate(recipe.steps):
        after = one.step.run(after, StepOrder(one.values, recipe.seed, watch.part(n / 2, (n + 1) / 2)))
    watch.tell(1.0, "done")
    return MendedPhoto(before, replace(after, notes=(*_cut_note(left_out), *after.notes)), False, left_out, read)


def _own_size(photo: Pixels) -> tuple[int, int]:
    rows, columns = photo.shape[:2]
    shrink = min(1.0, (MOST_PIXELS / (rows * columns)) ** 0.5)
    return int(columns * shrink), int(rows * shrink)


def _reduced(photo: Pixels) -> Pixels:
    shrink = _READ_PX / max(photo.shape[:2])
    if shrink >= 1:
        return photo
    size = max(round(photo.shape[1] * shrink), 1), max(round(photo.shape[0] * shrink), 1)
    return np.asarray(cv2.resize(photo, size, interpolation=cv2.INTER_AREA), np.uint16)


def _same_proportions(photo: Pixels, size: tuple[int, int]) -> bool:
    rows, columns = photo.shape[:2]
    return abs(size[0] * rows / (size[1] * columns) - 1) <= _STRETCH


def _check_proportions(photo: Pixels, size: tuple[int, int]) -> None:
    rows, columns = photo.shape[:2]
    if not _same_proportions(photo, size):
        width, height = size
        nearest = f"{width}x{round(width * rows / columns)} or {round(height * columns / rows)}x{height}"
        use = f"Use its proportions, such as {nearest}."
        rule = f"The picture is seamless already at {columns}x{rows}, so it is not cropped. {use}"
        raise BadValue("size", f"{width}x{height}", rule)


def _in_proportion(photo: Pixels, size: tuple[int, int]) -> tuple[tuple[int, int], list[list[float]]]:
    """How many px of width and height are left out, and the corners of what is used, in the middle of the photo."""
    rows, columns = photo.shape[:2]
    used = columns, rows
    if not _same_proportions(photo, size):
        used = min(columns, round(rows * size[0] / size[1])), min(rows, round(columns * size[1] / size[0]))
    x, y = (columns - used[0]) / 2 / columns, (rows - used[1]) / 2 / rows
    return (columns - used[0], rows - used[1]), [[x, y], [1 - x, y], [1 - x, 1 - y], [x, 1 - y]]


def _cut_note(left_out: tuple[int, int]) -> list[str]:
    names = zip(left_out, ("width", "height"), ("left and right", "top and bottom"), strict=True)
    return [
        f"{px} px of the photo's {side} are cropped, half at {ends} each, so that nothing is squashed."
        for px, side, ends in names
        if px
    ]
