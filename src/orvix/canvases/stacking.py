"""How the layers of a canvas lie over one another, worked out block by block.

Groups are isolated (W3C Compositing and Blending Level 1, section 6): what is in one is blended first, then laid over
what is under it by the group's own mode and opacity. What is clipped to a layer is laid atop it (section 9.1.8) and
goes with it; the border of a shape lies over that. A mask takes away what is under its paint.

Layers of the mode normal that follow each other are merged as a tree of halves, each merge rounded to 16 bits. So the
picture does not depend on which layer is painted on, and while one is, only the halves that hold it are merged anew,
and only in the rows and columns that changed: everything else is kept, told by the very blocks it was made from.

While a hand paints even those can be too many. Then a long run is merged as what is below the one that changes, that
one, and what is above (`swift`): rounded otherwise, by a few 65535ths, and made good when the hand rests.
"""

from __future__ import annotations

from collections import OrderedDict
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, field, replace
from math import prod
from operator import is_
from typing import Any

import numpy as np

from orvix.canvases.blocks import Block, looked_at
from orvix.canvases.compositing import fade, lay_atop, lay_between, lay_over
from orvix.canvases.effects import reach_of, rendered
from orvix.canvases.layers import At, Layer, Stack
from orvix.colour.blending import blend_pixels, mode_number
from orvix.geometry import BLOCK, Key, block_box
from orvix.strokes.area import Area
from orvix.strokes.windows import gather, pieces

KEPT_BLOCKS = 128
"""Merges that are kept at least; or a quarter of what the layers themselves hold, where that is more."""
_SHORT_RUN = 4
"""Items in a run whose halves are merged as fast as what is below and above one of them."""
_ONE = np.float32(1)
_PAINTED = ("paint", "shape", "lettering")


@dataclass(frozen=True)
class Item:
    """A layer that others may be clipped to, with what is in it if it is a group, the lowest first."""

    layer: Layer
    inside: tuple[Item, ...]
    clips: tuple[Item, ...]
    plain: bool = field(init=False)
    """Whether it only lies over what is under it."""
    bare: bool = field(init=False)
    """Whether it is made of nothing but the blocks of its layer."""

    def __post_init__(self) -> None:
        layer = self.layer
        beside = layer.mask or layer.border or layer.effects or self.clips
        object.__setattr__(self, "plain", layer.mode == "normal")
        object.__setattr__(self, "bare", layer.kind in _PAINTED and not beside)


Cut = tuple[int, int, int, int]
"""Rows from, rows to, columns from, columns to within a block."""
WHOLE: Cut = (0, BLOCK, 0, BLOCK)


@dataclass
class Part:
    """A picture of a block, or of a cut of it: then its first px is that of the row and column it begins at.

    opacity: how strongly it is still to be laid. own: whether nobody else holds it, so that it may be changed.
    """

    pixels: Block
    opacity: float = 1.0
    own: bool = False
    row: int = 0
    column: int = 0

    def at(self, cut: Cut) -> tuple[int, int]:
        """Where a cut of the block begins in its pixels."""
        return cut[0] - self.row, cut[2] - self.column

    def cut_out(self, cut: Cut) -> Block:
        """Its px within a cut, as an array without gaps; not to be changed."""
        row, column = self.at(cut)
        return np.ascontiguousarray(self.pixels[row : row + cut[1] - cut[0], column : column + cut[3] - cut[2]])


def items_of(stack: Stack, parent: int = 0, before: Mapping[int, Item] | None = None) -> tuple[Item, ...]:
    """What is seen of a stack as a tree. What is clipped to something hidden is hidden too.

    before: items by the number of their layer; those alike are used again, so that they are told by identity.
    """
    known = before or {}
    bases: list[tuple[Layer, list[Layer]]] = []
    for layer in stack:
        if layer.parent != parent:
            continue
        if layer.clipped and bases:
            bases[-1][1].append(layer)
        else:
            bases.append((layer, []))

    def item(layer: Layer, clipped: Sequence[Layer] = ()) -> Item:
        inside = items_of(stack, layer.id, known) if layer.kind == "group" else ()
        found = Item(layer, inside, tuple(item(one) for one in clipped if one.seen))
        was = known.get(layer.id)
        return was if was is not None and was == found else found

    return tuple(item(layer, clipped) for layer, clipped in bases if layer.seen)


def _by_number(items: tuple[Item, ...]) -> dict[int, Item]:
    found: dict[int, Item] = {}
    for one in items:
        found |= {one.layer.id: one} | _by_number(one.inside) | _by_number(one.clips)
    return found


def _runs_of(items: tuple[Item, ...]) -> list[tuple[int, int]]:
    """Items that only lie over one another, as from which to which; each other one by itself."""
    runs: list[tuple[int, int]] = []
    for n, item in enumerate(items):
        if runs and item.plain and items[runs[-1][0]].plain:
            runs[-1] = (runs[-1][0], n + 1)
        else:
            runs.append((n, n + 1))
    return runs


class Stacking:
    """Merges the layers of one canvas.

    block_of: what stands at a place of a layer or mask; fill_of: what a fill layer shows there; moving: whether a
    stroke under way changes the block at a place; area: the canvas, whose effects look across joined borders; stamp:
    the same as long as no block was put or taken away, so that not every layer has to be asked again; held: how many
    blocks there are.
    """

    def __init__(
        self,
        block_of: Callable[[At], Block | None],
        fill_of: Callable[[Layer, Key], Block | None],
        moving: Callable[[At], bool],
        area: Area,
        stamp: Callable[[], object] = object,
        held: Callable[[], int] = int,
    ) -> None:
        self._block_of = block_of
        self._fill_of = fill_of
        self._moving = moving
        self._area = area
        self._stamp = stamp
        self._held = held
        self._most = KEPT_BLOCKS
        self._stood: tuple[object, dict[Key, tuple[tuple[Item, ...], list[At], list[Any]]]] = None, {}
        """What stands at blocks of the whole stack, and the stamp for as long as which it does."""
        self._items: tuple[Stack, tuple[Item, ...]] = ((), ())
        self._runs: list[tuple[int, int]] = []
        self._keeping = self._swift = self._was_swift = False
        self._room = np.empty(BLOCK * BLOCK * 4, np.uint16)
        """Where what is shown swiftly is made; see `_room_for`."""
        self._kept: OrderedDict[Any, tuple[Any, Block | None]] = OrderedDict()
        self._edges_kept: OrderedDict[Any, tuple[Any, tuple[Block | None, Block | None]]] = OrderedDict()

    def picture(self, stack: Stack, key: Key, ground: Block | None = None) -> Block | None:
        """All that is seen at a block: uint16 (BLOCK, BLOCK, 4), not to be changed; None for nothing.

        ground: what lies under everything, for layers whose mode looks at it.
        """
        part, _ = self.part(stack, key, ground, WHOLE)
        return None if part is None else part.pixels

    def part(
        self, stack: Stack, key: Key, ground: Block | None, cut: Cut, *, swift: bool = False
    ) -> tuple[Part | None, bool]:
        """As `picture`, in a cut of the block: what it returns holds at least that, at full strength.

        swift: under a hand that paints, see the module. Also returns whether that made a difference.
        """
        self._swift, self._was_swift = swift, False
        if self._items[0] is not stack:
            self._items = stack, items_of(stack, before=_by_number(self._items[1]))
            self._runs = _runs_of(self._items[1])
        items = self._items[1]
        if all(one.plain for one in items):
            ground = None
        return self._finished(self._over(items, key, cut, ground), cut), self._was_swift

    def alone(self, stack: Stack, layer: Layer, key: Key) -> Block | None:
        """One layer or group by itself at a block, as if it were seen and full; what is clipped to it left out."""
        self._swift = False
        item = Item(layer, items_of(stack, layer.id) if layer.kind == "group" else (), ())
        part = self._finished(self._item(item, key, WHOLE), WHOLE)
        return None if part is None else part.pixels

    def _finished(self, part: Part | None, cut: Cut) -> Part | None:
        return part if part is None or part.opacity == 1 else self._mine(part, cut)

    def _mine(self, part: Part, cut: Cut) -> Part:
        """A cut of the same picture at full strength, free to be changed."""
        if part.own and part.opacity == 1:
            return part
        row, column = part.at(cut)
        out = np.empty((cut[1] - cut[0], cut[3] - cut[2], 4), np.uint16)
        if part.opacity == 1:
            out[:] = part.pixels[row : row + out.shape[0], column : column + out.shape[1]]
        else:
            fade(out, looked_at(part.pixels), row, column, np.float32(part.opacity))
        return Part(out, own=True, row=cut[0], column=cut[2])

    # What things are made from.

    def _found(self, items: tuple[Item, ...], key: Key) -> tuple[list[Any], list[bool]]:
        """What each item is made from at a block, and whether a stroke is changing it just now.

        Items of nothing but blocks are told by the block itself; see `_same` for how two are compared.
        """
        places, told = self._standing(items, key)
        moves = list(map(self._moving, places))
        for n, item in enumerate(items):
            if not item.bare:
                told[n], moves[n] = self._found_of(item, key)
        return told, moves

    def _standing(self, items: tuple[Item, ...], key: Key) -> tuple[list[At], list[Any]]:
        """The places of items at a block, and what stands there; not asked again while nothing was put."""
        stamp = self._stamp()
        if self._stood[0] != stamp:
            self._stood = stamp, {}
        stood = self._stood[1].get(key)
        if stood is None or stood[0] is not items:
            places = [(item.layer.id, key) for item in items]
            stood = items, places, [self._block_of(at) for at in places]
            if items is self._items[1]:
                self._stood[1][key] = stood
        return stood[1], stood[2].copy()

    def _found_of(self, item: Item, key: Key) -> tuple[Any, bool]:
        if not item.layer.effects:
            return self._found_here(item, key)
        parts = [self._found_here(item, one) for one in self._around(item.layer, key)]
        return tuple(told for told, _ in parts), any(moves for _, moves in parts)

    def _around(self, layer: Layer, key: Key) -> list[Key]:
        """The blocks that the effects of a layer look at for one."""
        left, top, right, bottom = block_box(key)
        reach = reach_of(layer.effects)
        box = (left - reach, top - reach, right + reach, bottom + reach)
        return sorted({one for one, *_ in pieces(self._area, box)})

    def _found_here(self, item: Item, key: Key) -> tuple[Any, bool]:
        layer = item.layer
        here = [(layer.id, key)] if layer.kind in _PAINTED else []
        here += [(number, key) for number in (layer.mask,) if number]
        made: list[Any] = [self._block_of(at) for at in here]
        if layer.kind == "fill":
            made.append(self._fill_of(layer, key))
        if layer.border:
            made.append(self._block_of((layer.border, key)))
        inside, moving = self._found((*item.inside, *item.clips), key)
        return (*made, *inside), any(map(self._moving, here)) or any(moving)

    def _keep(self, slot: Any, made: tuple[Any, ...], work: Callable[[], Part | None]) -> Part | None:
        """What stands in a slot if it was made from the same, or made now and kept there."""
        kept = self._kept.get(slot)
        if kept is None or not _same(kept[0], made):
            part = self._finished(work(), WHOLE)
            kept = self._kept[slot] = made, None if part is None else part.pixels
        self._kept.move_to_end(slot)
        if len(self._kept) > self._most:
            self._most = max(KEPT_BLOCKS, self._held() // 4)
            while len(self._kept) > self._most:
                self._kept.popitem(last=False)
        return _part(kept[1])

    def _in_one(self, work: Callable[[], Part | None]) -> Part | None:
        """What is made without keeping what it is made of."""
        before, self._keeping = self._keeping, True
        try:
            return work()
        finally:
            self._keeping = before

    # How they lie over one another.

    def _over(self, items: tuple[Item, ...], key: Key, cut: Cut, ground: Block | None = None) -> Part | None:
        """Items over one another, the lowest first; over the ground, if it is given."""
        told, moves = self._found(items, key)
        runs = self._runs if items is self._items[1] else _runs_of(items)
        still = next((n for n, (low, high) in enumerate(runs) if any(moves[low:high])), len(runs))

        def fold(under: Part | None, some: list[tuple[int, int]], at: Cut) -> Part | None:
            for low, high in some:
                if items[low].plain:
                    under = self._merged(under, self._run(items, told, moves, low, high, key, at), at)
                else:
                    under = self._blended(under, self._item(items[low], key, at), items[low].layer, at)
            return under

        base = None if ground is None else Part(ground)
        if still > 1 or (still == 1 and base is not None):
            end = runs[still - 1][1]
            slot = ("over", key, items[0].layer.id)
            made = (ground, *items[:end], *told[:end])
            under = self._keep(slot, made, lambda: self._in_one(lambda: fold(base, runs[:still], WHOLE)))
            return fold(under, runs[still:], cut)
        return fold(base, runs, cut)

    def _run(
        self, items: tuple[Item, ...], told: list[Any], moves: list[bool], low: int, high: int, key: Key, cut: Cut
    ) -> Part | None:
        """Plain items low to high merged as halves of halves."""
        if high - low == 1:
            return self._item(items[low], key, cut)

        def halves(at: Cut) -> Part | None:
            middle = (low + high) // 2
            lower = self._run(items, told, moves, low, middle, key, at)
            return self._merged(lower, self._run(items, told, moves, middle, high, key, at), at)

        if self._swift and high - low > _SHORT_RUN and sum(moves[low:high]) == 1:
            return self._swift_run(items, told, moves, low, high, key, cut)
        if self._keeping or any(moves[low:high]):
            return halves(cut)
        # Only the largest half that stands still is kept; what it is made of, too, once something in it has changed:
        # it is likely to change again.
        slot = (items[low].layer.id, key, items[high - 1].layer.id)
        changed = slot in self._kept
        made = (*items[low:high], *told[low:high])
        return self._keep(slot, made, lambda: halves(WHOLE) if changed else self._in_one(lambda: halves(WHOLE)))

    def _swift_run(
        self, items: tuple[Item, ...], told: list[Any], moves: list[bool], low: int, high: int, key: Key, cut: Cut
    ) -> Part | None:
        """Plain items low to high, one of which moves, as what is below it, it and what is above; see the module."""
        self._was_swift = True
        moving = moves.index(True, low, high)
        sides: dict[bool, list[tuple[int, int]]] = {False: [], True: []}
        start, end = low, high
        while end - start > 1:
            middle = (start + end) // 2
            above = moving < middle
            sides[above].append((middle, end) if above else (start, middle))
            start, end = (start, middle) if above else (middle, end)

        def side(some: list[tuple[int, int]]) -> Part | None:
            def fold() -> Part | None:
                under = None
                for one in some:
                    under = self._merged(under, self._run(items, told, moves, *one, key, WHOLE), WHOLE)
                return under

            if not some:
                return None
            first, last = some[0][0], some[-1][1]
            slot = ("side", items[first].layer.id, key, items[last - 1].layer.id)
            return self._keep(slot, (*items[first:last], *told[first:last]), fold)

        below, above_it = side(sides[False]), side(sides[True][::-1])
        painted = self._item(items[moving], key, cut)
        if below is None or above_it is None or painted is None or painted.opacity != 1:
            return self._merged(self._merged(below, painted, cut), above_it, cut)
        out = self._room_for(cut, items is self._items[1])
        lay_between(
            out.pixels, *(one for part in (below, painted, above_it) for one in (looked_at(part.pixels), *part.at(cut)))
        )
        return out

    def _room_for(self, cut: Cut, again: bool) -> Part:
        """A part to be written. again: in the same memory each time, so that it stays at hand; for one at a time."""
        shape = (cut[1] - cut[0], cut[3] - cut[2], 4)
        pixels = self._room[: prod(shape)].reshape(shape) if again else np.empty(shape, np.uint16)
        return Part(pixels, own=True, row=cut[0], column=cut[2])

    def _merged(self, under: Part | None, over: Part | None, cut: Cut) -> Part | None:
        """One part over another, in a cut."""
        if under is None or over is None:
            return under if over is None else over
        if under.opacity != 1:
            under = self._mine(under, cut)
        out = under if under.own else self._room_for(cut, False)
        below, above = looked_at(under.pixels), looked_at(over.pixels)
        lay_over(out.pixels, below, *under.at(cut), above, *over.at(cut), np.float32(over.opacity))
        return out

    def _blended(self, under: Part | None, over: Part | None, layer: Layer, cut: Cut) -> Part | None:
        if under is None or over is None:
            return under if over is None else over
        out = self._mine(under, cut)
        flat = out.pixels.reshape(-1, 4)
        share = np.full(1, over.opacity, np.float32)
        above = looked_at(over.cut_out(cut).reshape(-1, 4))
        blend_pixels(flat, looked_at(flat), above, share, mode_number(layer.mode))
        return out

    def _item(self, item: Item, key: Key, cut: Cut) -> Part | None:
        """One item with its mask, what is clipped to it and its effects, its own opacity still to come."""
        layer = item.layer
        part = self._content(item, key, cut)
        if layer.effects:
            part = self._with_effects(item, key, cut, part)
        if part is None or layer.opacity == 1:
            return part
        return replace(part if part.opacity == 1 else self._mine(part, cut), opacity=layer.opacity)

    def _with_effects(self, item: Item, key: Key, cut: Cut, part: Part | None) -> Part | None:
        under, over = (None if one is None else Part(one) for one in self._edges(item, key))
        if over is not None and part is not None:
            part = self._mine(part, cut)
            lay_atop(part.pixels.reshape(-1, 4), looked_at(over.cut_out(cut).reshape(-1, 4)), _ONE, 0)
        return part if under is None else self._merged(under, part, cut)

    def _edges(self, item: Item, key: Key) -> tuple[Block | None, Block | None]:
        """What the effects of an item put under a block of it and atop it; kept for as long as what is around stays."""
        layer, slot = item.layer, ("edges", item.layer.id, key)
        told, moves = self._found_of(item, key)
        made = (item, told)
        kept = self._edges_kept.get(slot)
        if kept is not None and not moves and _same(kept[0], made):
            return kept[1]
        left, top, right, bottom = block_box(key)
        reach = reach_of(layer.effects)
        box = (left - reach, top - reach, right + reach, bottom + reach)
        window = np.zeros((box[3] - box[1], box[2] - box[0]), np.uint16)
        gather(self._area, box, window, lambda at: _alpha(self._content(item, at, WHOLE)))
        found = rendered(layer.effects, window.astype(np.float32) * np.float32(1 / 65535), reach)
        for one in found:
            if one is not None:
                one.flags.writeable = False
        self._edges_kept[slot] = made, found
        while len(self._edges_kept) > KEPT_BLOCKS:
            self._edges_kept.popitem(last=False)
        return found

    def _content(self, item: Item, key: Key, cut: Cut) -> Part | None:
        """One item with its mask and what is clipped to it, without its effects and its own opacity."""
        layer = item.layer
        if layer.kind == "group":
            part = self._over(item.inside, key, cut)
        elif layer.kind == "fill":
            part = _part(self._fill_of(layer, key))
        else:
            part = _part(self._block_of((layer.id, key)))
        if item.bare:
            return part
        border = _part(self._block_of((layer.border, key))) if layer.border else None
        if part is None:
            part, border = border, None
        if part is None:
            return None
        mask = _part(self._block_of((layer.mask, key))) if layer.mask else None
        for one in item.clips:
            above = self._item(one, key, cut)
            if above is not None:
                part = self._mine(part, cut)
                flat = part.pixels.reshape(-1, 4)
                strength = np.float32(above.opacity)
                lay_atop(flat, looked_at(above.cut_out(cut).reshape(-1, 4)), strength, mode_number(one.layer.mode))
        part = self._merged(part, border, cut)
        assert part is not None
        if mask is not None:
            part = self._mine(part, cut)
            _hide(part.pixels, mask.cut_out(cut))
        return part


def _same(kept: tuple[Any, ...], made: tuple[Any, ...]) -> bool:
    """Whether two tell of the same: blocks and items do only if they are one object, which is held so that it stays."""
    if len(kept) != len(made):
        return False
    return all(map(is_, kept, made)) or all(
        a is b or (type(a) is tuple and type(b) is tuple and _same(a, b)) for a, b in zip(kept, made, strict=True)
    )


def _part(block: Block | None) -> Part | None:
    return None if block is None else Part(block)


def _alpha(part: Part | None) -> Any:
    return None if part is None else part.pixels[..., 3]


def _hide(pixels: Block, mask: Block) -> None:
    """Take away what is under the mask's paint, rounded half up."""
    keep = np.uint32(65535) - mask[..., 3:].astype(np.uint32)
    pixels[:] = ((pixels * keep + np.uint32(32767)) // np.uint32(65535)).astype(np.uint16)
