"""How the layers of a canvas lie over one another, worked out block by block.

Groups are isolated (W3C Compositing and Blending Level 1, section 6): what is in one is blended first, then laid over
what is under it by the group's own mode and opacity. What is clipped to a layer is laid atop it (section 9.1.8) and
goes with it; the border of a shape lies over that. A mask takes away what is under its paint.

Layers of the mode normal that follow each other are merged as a tree of halves, each merge rounded to 16 bits. So the
picture does not depend on which layer is painted on, and while one is, only the halves that hold it are merged anew:
everything else is kept, told by the very blocks it was made from.
"""

from __future__ import annotations

from collections import OrderedDict
from collections.abc import Callable, Sequence
from dataclasses import dataclass, field
from typing import Any

import numpy as np

from orvix.canvases.blocks import Block
from orvix.canvases.compositing import fade, lay_atop, lay_over
from orvix.canvases.effects import reach_of, rendered
from orvix.canvases.layers import At, Layer, Stack
from orvix.colour.blending import blend_pixels, mode_number
from orvix.geometry import BLOCK, Key, block_box
from orvix.strokes.area import Area
from orvix.strokes.windows import gather, pieces

KEPT_BLOCKS = 128
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


@dataclass
class _Part:
    """A picture of some rows of a block, how strongly it is still to be laid, and whether nobody else holds it."""

    pixels: Block
    opacity: float = 1.0
    own: bool = False


Found = tuple[Any, bool]
"""What an item is made from at a block, told by identity, and whether a stroke is changing it just now."""
Rows = slice
WHOLE = slice(0, BLOCK)


def items_of(stack: Stack, parent: int = 0) -> tuple[Item, ...]:
    """What is seen of a stack as a tree. What is clipped to something hidden is hidden too."""
    bases: list[tuple[Layer, list[Layer]]] = []
    for layer in stack:
        if layer.parent != parent:
            continue
        if layer.clipped and bases:
            bases[-1][1].append(layer)
        else:
            bases.append((layer, []))

    def item(layer: Layer, clipped: Sequence[Layer] = ()) -> Item:
        inside = items_of(stack, layer.id) if layer.kind == "group" else ()
        return Item(layer, inside, tuple(item(one) for one in clipped if one.seen))

    return tuple(item(layer, clipped) for layer, clipped in bases if layer.seen)


class Stacking:
    """Merges the layers of one canvas.

    block_of: what stands at a place of a layer or mask; fill_of: what a fill layer shows there; moving: whether a
    stroke under way changes the block at a place; area: the canvas, whose effects look across joined borders.
    """

    def __init__(
        self,
        block_of: Callable[[At], Block | None],
        fill_of: Callable[[Layer, Key], Block | None],
        moving: Callable[[At], bool],
        area: Area,
    ) -> None:
        self._block_of = block_of
        self._fill_of = fill_of
        self._moving = moving
        self._area = area
        self._items: tuple[Stack, tuple[Item, ...]] = ((), ())
        self._keeping = False
        self._kept: OrderedDict[Any, tuple[Any, Block | None]] = OrderedDict()
        self._edges_kept: OrderedDict[Any, tuple[Any, tuple[Block | None, Block | None]]] = OrderedDict()

    def picture(self, stack: Stack, key: Key, ground: Block | None = None, rows: Rows = WHOLE) -> Block | None:
        """All that is seen at a block, in some of its rows: uint16 (rows, BLOCK, 4), not to be changed; None: nothing.

        ground: what lies under everything, for layers whose mode looks at it.
        """
        if self._items[0] is not stack:
            self._items = stack, items_of(stack)
        items = self._items[1]
        if all(one.plain for one in items):
            ground = None
        return self._finished(self._over(items, key, rows, ground))

    def alone(self, stack: Stack, layer: Layer, key: Key) -> Block | None:
        """One layer or group by itself at a block, as if it were seen and full; what is clipped to it left out."""
        item = Item(layer, items_of(stack, layer.id) if layer.kind == "group" else (), ())
        return self._finished(self._item(item, key, WHOLE))

    def _finished(self, part: _Part | None) -> Block | None:
        if part is None:
            return None
        if part.opacity == 1:
            return part.pixels
        return self._mine(part).pixels

    def _mine(self, part: _Part) -> _Part:
        """The same picture at full strength, free to be changed."""
        if part.own and part.opacity == 1:
            return part
        if part.opacity == 1:
            return _Part(part.pixels.copy(), own=True)
        out = np.empty_like(part.pixels)
        fade(out, part.pixels, np.float32(part.opacity))
        return _Part(out, own=True)

    # What things are made from.

    def _found(self, item: Item, key: Key) -> Found:
        if not item.layer.effects:
            return self._found_here(item, key)
        parts = [self._found_here(item, one) for one in self._around(item.layer, key)]
        return (item.layer.effects, *(told for told, _ in parts)), any(moves for _, moves in parts)

    def _around(self, layer: Layer, key: Key) -> list[Key]:
        """The blocks that the effects of a layer look at for one."""
        left, top, right, bottom = block_box(key)
        reach = reach_of(layer.effects)
        box = (left - reach, top - reach, right + reach, bottom + reach)
        return sorted({one for one, *_ in pieces(self._area, box)})

    def _found_here(self, item: Item, key: Key) -> Found:
        layer = item.layer
        if item.bare:
            at = (layer.id, key)
            return (layer.opacity, layer.mode, _Same(self._block_of(at))), self._moving(at)
        made: list[Any] = [layer.opacity, layer.mode]
        moves = False
        if layer.kind in _PAINTED:
            moves = self._moving((layer.id, key))
            made.append(_Same(self._block_of((layer.id, key))))
        elif layer.kind == "fill":
            made.append(_Same(self._fill_of(layer, key)))
        if layer.mask:
            moves = moves or self._moving((layer.mask, key))
            made.append(_Same(self._block_of((layer.mask, key))))
        if layer.border:
            made.append(_Same(self._block_of((layer.border, key))))
        for one in (*item.inside, None, *item.clips):
            if one is None:
                made.append("clips")
                continue
            told, moving = self._found(one, key)
            made.append(told)
            moves = moves or moving
        return tuple(made), moves

    def _keep(self, slot: Any, made: Any, work: Callable[[], _Part | None]) -> _Part | None:
        """What stands in a slot if it was made from the same, or made now and kept there."""
        kept = self._kept.get(slot)
        if kept is not None and kept[0] == made:
            self._kept.move_to_end(slot)
            pixels = kept[1]
        else:
            before, self._keeping = self._keeping, True
            try:
                part = work()
            finally:
                self._keeping = before
            pixels = None if part is None else self._finished(part)
            self._kept[slot] = made, pixels
            self._kept.move_to_end(slot)
            while len(self._kept) > KEPT_BLOCKS:
                self._kept.popitem(last=False)
        return None if pixels is None else _Part(pixels)

    # How they lie over one another.

    def _over(self, items: tuple[Item, ...], key: Key, rows: Rows, ground: Block | None = None) -> _Part | None:
        """Items over one another, the lowest first; over the ground, if it is given."""
        found = [self._found(one, key) for one in items]
        runs: list[tuple[int, int]] = []
        for n, item in enumerate(items):
            if runs and item.plain and items[runs[-1][0]].plain:
                runs[-1] = (runs[-1][0], n + 1)
            else:
                runs.append((n, n + 1))
        still = next((n for n, (low, high) in enumerate(runs) if any(moves for _, moves in found[low:high])), len(runs))

        def fold(under: _Part | None, some: list[tuple[int, int]], at: Rows) -> _Part | None:
            for low, high in some:
                if items[low].plain:
                    under = self._merged(under, self._run(items, found, low, high, key, at))
                else:
                    under = self._blended(under, self._item(items[low], key, at), items[low].layer)
            return under

        base = None if ground is None else _Part(ground)
        if still > 1 or (still == 1 and base is not None):
            made = _Same(ground), tuple(told for told, _ in found[: runs[still - 1][1]])
            slot = ("over", key, items[0].layer.id)
            under = _rows(self._keep(slot, made, lambda: fold(base, runs[:still], WHOLE)), rows)
            return fold(under, runs[still:], rows)
        return fold(_rows(base, rows), runs, rows)

    def _run(
        self, items: tuple[Item, ...], found: list[Found], low: int, high: int, key: Key, rows: Rows
    ) -> _Part | None:
        """Plain items low to high merged as halves of halves."""
        if high - low == 1:
            return self._item(items[low], key, rows)

        def halves(at: Rows) -> _Part | None:
            middle = (low + high) // 2
            lower = self._run(items, found, low, middle, key, at)
            return self._merged(lower, self._run(items, found, middle, high, key, at))

        # Only the largest half that stands still is kept; what it was made of is not looked at again.
        if self._keeping or any(moves for _, moves in found[low:high]):
            return halves(rows)
        slot = (items[low].layer.id, key, items[high - 1].layer.id)
        made = tuple(told for told, _ in found[low:high])
        return _rows(self._keep(slot, made, lambda: halves(WHOLE)), rows)

    def _merged(self, under: _Part | None, over: _Part | None) -> _Part | None:
        if under is None or over is None:
            return under if over is None else over
        out = self._mine(under)
        lay_over(out.pixels, over.pixels, np.float32(over.opacity))
        return out

    def _blended(self, under: _Part | None, over: _Part | None, layer: Layer) -> _Part | None:
        if under is None or over is None:
            return under if over is None else over
        out = self._mine(under)
        flat = out.pixels.reshape(-1, 4)
        share = np.full(1, over.opacity, np.float32)
        blend_pixels(flat, flat, over.pixels.reshape(-1, 4), share, mode_number(layer.mode))
        return out

    def _item(self, item: Item, key: Key, rows: Rows) -> _Part | None:
        """One item with its mask, what is clipped to it and its effects, its own opacity still to come."""
        layer = item.layer
        part = self._content(item, key, rows)
        if layer.effects:
            part = self._with_effects(item, key, rows, part)
        if part is None:
            return None
        return _Part(part.pixels, layer.opacity, part.own) if part.opacity == 1 else self._faded(part, layer.opacity)

    def _with_effects(self, item: Item, key: Key, rows: Rows, part: _Part | None) -> _Part | None:
        edges = self._edges(item, key)
        under, over = (None if one is None else one[rows] for one in edges)
        if over is not None and part is not None:
            part = self._mine(part)
            lay_atop(part.pixels.reshape(-1, 4), np.ascontiguousarray(over).reshape(-1, 4), _ONE, 0)
        return part if under is None else self._merged(_Part(under), part)

    def _edges(self, item: Item, key: Key) -> tuple[Block | None, Block | None]:
        """What the effects of an item put under a block of it and atop it; kept for as long as what is around stays."""
        layer, slot = item.layer, ("edges", item.layer.id, key)
        made, moves = self._found(item, key)
        kept = self._edges_kept.get(slot)
        if kept is not None and kept[0] == made and not moves:
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

    def _content(self, item: Item, key: Key, rows: Rows) -> _Part | None:
        """One item with its mask and what is clipped to it, without its effects and its own opacity."""
        layer = item.layer
        if layer.kind == "group":
            part = self._over(item.inside, key, rows)
        elif layer.kind == "fill":
            part = _part(self._fill_of(layer, key), rows)
        else:
            part = _part(self._block_of((layer.id, key)), rows)
        border = _part(self._block_of((layer.border, key)), rows) if layer.border else None
        if part is None:
            part, border = border, None
        if part is None:
            return None
        mask = _part(self._block_of((layer.mask, key)), rows) if layer.mask else None
        for one in item.clips:
            above = self._item(one, key, rows)
            if above is not None:
                part = self._mine(part)
                flat = part.pixels.reshape(-1, 4)
                strength = np.float32(above.opacity)
                lay_atop(flat, above.pixels.reshape(-1, 4), strength, mode_number(one.layer.mode))
        part = self._merged(part, border)
        assert part is not None
        if mask is not None:
            part = self._mine(part)
            _hide(part.pixels, mask.pixels)
        return part

    def _faded(self, part: _Part, opacity: float) -> _Part:
        whole = self._mine(part)
        return _Part(whole.pixels, opacity, True)


class _Same:
    """A block told by identity: two are the same only if they are one object, which is held so that it stays."""

    __slots__ = ("of",)

    def __init__(self, of: Any) -> None:
        self.of = of

    def __eq__(self, other: object) -> bool:
        return isinstance(other, _Same) and self.of is other.of

    def __hash__(self) -> int:
        return id(self.of)


def _part(block: Block | None, rows: Rows) -> _Part | None:
    return None if block is None else _Part(block[rows])


def _rows(part: _Part | None, rows: Rows) -> _Part | None:
    return part if part is None or rows == WHOLE else _Part(part.pixels[rows], part.opacity)


def _alpha(part: _Part | None) -> Any:
    return None if part is None else part.pixels[..., 3]


def _hide(pixels: Block, mask: Block) -> None:
    """Take away what is under the mask's paint, rounded half up."""
    keep = np.uint32(65535) - mask[..., 3:].astype(np.uint32)
    pixels[:] = ((pixels * keep + np.uint32(32767)) // np.uint32(65535)).astype(np.uint16)
