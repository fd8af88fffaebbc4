"""A layout as pixels: every copy of every item that a window of the cloth shows, in their order.

Where a painter has settled what lies over what, the place where the two meet is drawn once more in that order.
"""

from __future__ import annotations

from collections.abc import Collection, Iterator
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from orvix.tiles.motifs.layout import Layout, Rule
from orvix.tiles.motifs.sprites import Pixels, Sprite, Studio, lay_sprite, rgb8
from orvix.tiles.repeats import Repeat, indexed_shifts
from orvix.tiles.window import Window

Place = tuple[int, int]


@dataclass(frozen=True, eq=False)
class Shown:
    """One copy of an item in a window: which item, which copy (whole vectors of the repeat), and where it lies."""

    item: int
    copy: Place
    sprite: Sprite
    top: int
    left: int

    @property
    def box(self) -> tuple[int, int, int, int]:
        """left, top, right, bottom in px of the window."""
        rows, columns = self.sprite.pixels.shape[:2]
        return self.left, self.top, self.left + columns, self.top + rows


@dataclass(frozen=True)
class Cloth:
    """What a layout is laid on: the tile's width and height in px, and its repeat."""

    width: int
    height: int
    repeat: Repeat


def render(
    layout: Layout,
    cloth: Cloth,
    studio: Studio,
    window: Window,
    only: Collection[int] | None = None,
    ground: bool = True,
) -> Pixels:
    """A window of the cloth of a layout: uint16 (rows, columns, 4), premultiplied.

    only: the numbers of the items to show, all if None. ground: whether the layout's ground lies under them.
    """
    studio.draw_ahead(layout, range(len(layout.items)) if only is None else only)
    shown = list(copies_in(layout, cloth, studio, window, only))
    out = bare(layout, window.height, window.width, ground)
    for one in shown:
        lay_sprite(out, one.sprite.pixels, one.top, one.left)
    if layout.over:
        _settle(out, layout, shown, ground)
    return out


def bare(layout: Layout, height: int, width: int, ground: bool = True) -> Pixels:
    """The ground of a layout, or nothing."""
    out = np.zeros((height, width, 4), np.uint16)
    if ground and layout.ground is not None:
        out[:] = [*(part * 257 for part in rgb8(layout.ground)), 65535]
    return out


def copies_in(
    layout: Layout, cloth: Cloth, studio: Studio, window: Window, only: Collection[int] | None = None
) -> Iterator[Shown]:
    """Every copy of every item that touches a window, from below: item by item, copies of one item in their order."""
    for number, item in enumerate(layout.items):
        if only is not None and number not in only:
            continue
        sprite, x, y = studio.sprite(layout, item)
        rows, columns = sprite.pixels.shape[:2]
        left, top = x + sprite.left - window.left, y + sprite.top - window.top
        # The vectors that bring some of the sprite into the window.
        box = (-left - columns, -top - rows, window.width - left, window.height - top)
        for copy, (dx, dy) in indexed_shifts(cloth.repeat, box, cloth.width, cloth.height):
            if -columns < left + dx < window.width and -rows < top + dy < window.height:
                yield Shown(number, copy, sprite, top + dy, left + dx)


def _settle(out: Pixels, layout: Layout, shown: list[Shown], ground: bool) -> None:
    """Draw the places anew where two copies meet whose order a painter has settled."""
    at = {(one.item, one.copy): one for one in shown}
    for upper, lower, across, down in layout.over:
        for one in [one for one in shown if one.item == upper]:
            other = at.get((lower, (one.copy[0] + across, one.copy[1] + down)))
            if other is not None:
                _redraw(out, layout, shown, one, other, ground)


def _redraw(out: Pixels, layout: Layout, shown: list[Shown], upper: Shown, lower: Shown, ground: bool) -> None:
    """Where both cover something: everything in its order, but `upper` moved to just over `lower`."""
    box = _common(upper.box, lower.box, (0, 0, out.shape[1], out.shape[0]))
    if box is None:
        return
    left, top, right, bottom = box
    order = [one for one in shown if one is not upper]
    where = order.index(lower) + 1
    settled = [*order[:where], upper, *order[where:]]
    # Other rules about the same two copies' neighbours have been drawn before; this one is about these two alone.
    part = bare(layout, bottom - top, right - left, ground)
    for one in settled:
        if _common(one.box, box) is not None:
            lay_sprite(part, one.sprite.pixels, one.top - top, one.left - left)
    both = (_alpha(upper, box) > 0) & (_alpha(lower, box) > 0)
    out[top:bottom, left:right][both] = part[both]


def _alpha(one: Shown, box: tuple[int, int, int, int]) -> NDArray[np.uint16]:
    left, top, right, bottom = box
    return one.sprite.pixels[top - one.top : bottom - one.top, left - one.left : right - one.left, 3]


def _common(*boxes: tuple[int, int, int, int]) -> tuple[int, int, int, int] | None:
    left, top = max(box[0] for box in boxes), max(box[1] for box in boxes)
    right, bottom = min(box[2] for box in boxes), min(box[3] for box in boxes)
    return (left, top, right, bottom) if left < right and top < bottom else None


def swapped(layout: Layout, upper: int, lower: int, across: int, down: int) -> Layout:
    """The layout with `upper` over that copy of `lower`, and no rule that says otherwise."""
    rules: list[Rule] = [
        rule for rule in layout.over if rule not in ((upper, lower, across, down), (lower, upper, -across, -down))
    ]
    return Layout(**{**layout.__dict__, "over": (*rules, (upper, lower, across, down))})
