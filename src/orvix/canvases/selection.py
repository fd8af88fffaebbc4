"""What is selected on a canvas: a plane of cover among its blocks, so it is undone, kept and replayed like them.

The plane has a number that no layer has. Its blocks are black, their alpha is how far each px is selected; a canvas on
which it is empty has nothing selected, and everything can be changed.
"""

from __future__ import annotations

from collections.abc import Callable, Iterable
from typing import Any

import cv2
import numpy as np
from numpy.typing import NDArray

from orvix.canvases.blocks import EMPTY, Block
from orvix.canvases.canvas import Canvas, CanvasSpec
from orvix.canvases.compositing import confine
from orvix.canvases.layers import SELECTION, Change
from orvix.geometry import BLOCK, Box, Key, block_box, clip, keys_in
from orvix.strokes.area import Area
from orvix.strokes.windows import gather
from orvix.tiles.joining import PLAIN

Cover = NDArray[np.uint16]
"""How far each px of a block is selected: uint16 (BLOCK, BLOCK), 65535 wholly."""
FULL: Block = np.zeros((BLOCK, BLOCK, 4), np.uint16)
"""A block that is wholly selected, shared by all that are."""
FULL[..., 3] = 65535
FULL.flags.writeable = False
_NONE: Cover = EMPTY[..., 3]
_SHOWN_SIDE, _MOST_SHOWN = 1024, 6000


def anything_selected(canvas: Canvas) -> bool:
    """Whether something is selected."""
    return bool(canvas.layer_blocks(SELECTION).keys())


def cover_at(canvas: Canvas, key: Key) -> Cover | None:
    """How far the px of a block are selected, or None for not at all; read-only."""
    block = canvas.layer_blocks(SELECTION).get(key)
    return None if block is None else block[..., 3]


def as_block(canvas: Canvas, key: Key, cover: Cover) -> Block | None:
    """A cover, cut to the canvas, as a block of the plane; None for nothing."""
    left, top, right, bottom = clip(block_box(key), canvas.spec.box)
    cut = np.zeros((BLOCK, BLOCK), np.uint16)
    cut[: bottom - top, : right - left] = cover[: bottom - top, : right - left]
    if not cut.any():
        return None
    if (cut == 65535).all():
        return FULL
    block = np.zeros((BLOCK, BLOCK, 4), np.uint16)
    block[..., 3] = cut
    return block


def put_selection(canvas: Canvas, covers: dict[Key, Cover]) -> Change:
    """Select these, by block, and nothing else; returns what was selected before."""
    change = Change()
    fresh = {key: block for key, cover in covers.items() if (block := as_block(canvas, key, cover)) is not None}
    for key in {*canvas.layer_blocks(SELECTION).keys(), *fresh}:
        change.blocks[(SELECTION, key)] = canvas.put((SELECTION, key), fresh.get(key))
    return change


def selected_box(canvas: Canvas) -> Box | None:
    """The smallest box around all that is selected, at least a little; see `box_on_cloth`. None for nothing."""
    keys = canvas.layer_blocks(SELECTION).keys()
    return box_on_cloth(canvas.spec, ((key, cover) for key in keys if (cover := cover_at(canvas, key)) is not None))


def box_on_cloth(spec: CanvasSpec, covers: Iterable[tuple[Key, Cover]]) -> Box | None:
    """The smallest box around what blocks cover, on the cloth: past a joined border it goes on instead of all across.

    So what lies across a border is one thing. It begins on the canvas and is at most as large. Only where copies lie
    straight beside each other, none turned over; elsewhere it is the box on the canvas. None for nothing.
    """
    across, down = np.zeros(spec.width + BLOCK, bool), np.zeros(spec.height + BLOCK, bool)
    for key, cover in covers:
        left, top, right, bottom = block_box(key)
        across[left:right] |= cover.any(axis=0)
        down[top:bottom] |= cover.any(axis=1)
    joined = spec.joined
    goes_on = joined is not None and joined.repeat.kind == "straight" and joined.neighbours == PLAIN
    ends = [_ends(there, goes_on) for there in (across[: spec.width], down[: spec.height])]
    if ends[0] is None or ends[1] is None:
        return None
    return ends[0][0], ends[1][0], ends[0][1], ends[1][1]


def _ends(there: NDArray[np.bool_], goes_on: bool) -> tuple[int, int] | None:
    """The shortest stretch that holds every place that is true; goes_on: round the end to the start again."""
    at = np.flatnonzero(there)
    if not len(at):
        return None
    if goes_on and there[0] and there[-1] and len(at) < len(there):
        gap = int(np.argmax(np.diff(at)))
        return int(at[gap + 1]), int(at[gap]) + 1 + len(there)
    return int(at[0]), int(at[-1]) + 1


def confined(canvas: Canvas, key: Key, before: Block | None, after: Block | None) -> Block | None:
    """What a change of a block comes to where something is selected: it counts as far as each px is.

    before, after: the block as it was and as it would be everywhere, None for nothing.
    """
    if not anything_selected(canvas):
        return after
    cover = cover_at(canvas, key)
    if cover is None:
        return before
    if (cover == 65535).all():
        return after
    out = (EMPTY if after is None else after).copy()
    confine(out, EMPTY if before is None else before, cover, 0, BLOCK, 0, BLOCK)
    return out if out.any() else None


def mapped(
    canvas: Canvas, change: Callable[[NDArray[np.float32]], NDArray[np.float32]], margin: int
) -> dict[Key, Cover]:
    """The covers after a change that looks at so many px around each; in every block that it can reach.

    change: float32 (rows, columns), 0 to 1, of a block with its margin, to the same.
    """
    spec = canvas.spec
    area = Area(spec.width, spec.height, spec.joined)
    out: dict[Key, Cover] = {}
    for key in _near(canvas, margin):
        left, top, right, bottom = block_box(key)
        box = (left - margin, top - margin, right + margin, bottom + margin)
        window = np.zeros((box[3] - box[1], box[2] - box[0]), np.uint16)
        gather(area, box, window, lambda at: cover_at(canvas, at))
        if spec.joined is None:
            _repeat_border(window, box, spec.box)
        if not window.any():
            continue
        if (window == 65535).all():
            out[key] = FULL[..., 3]
            continue
        soft = change(window.astype(np.float32) * np.float32(1 / 65535))
        inner = soft[margin : margin + BLOCK, margin : margin + BLOCK]
        out[key] = (np.clip(inner, 0, 1) * np.float32(65535) + np.float32(0.5)).astype(np.uint16)
    return out


def _repeat_border(window: Cover, box: Box, canvas: Box) -> None:
    """Outside an open canvas the selection goes on as it is at the border."""
    left, top, right, bottom = clip(box, canvas)
    x0, y0, x1, y1 = left - box[0], top - box[1], right - box[0], bottom - box[1]
    window[:, :x0] = window[:, x0 : x0 + 1]
    window[:, x1:] = window[:, x1 - 1 : x1]
    window[:y0] = window[y0 : y0 + 1]
    window[y1:] = window[y1 - 1 : y1]


def _near(canvas: Canvas, margin: int) -> Iterable[Key]:
    """The blocks within a margin of something selected; all of them where edges are joined and one is at a border."""
    spec = canvas.spec
    found: set[Key] = set()
    for key in canvas.layer_blocks(SELECTION):
        left, top, right, bottom = block_box(key)
        wide = (left - margin, top - margin, right + margin, bottom + margin)
        if spec.joined is not None and clip(wide, spec.box) != wide:
            return list(keys_in(spec.box))
        found.update(keys_in(clip(wide, spec.box)))
    return sorted(found)


def shown_paths(canvas: Canvas) -> dict[str, Any]:
    """What a page shows of the selection: box [left, top, right, bottom] or null; paths, each a list of [x, y] in px.

    Both on the cloth: past a joined border they go on.

    The paths go round all that is at least half selected, to within a px of what a page shows of the whole canvas.
    """
    box = selected_box(canvas)
    if box is None:
        return {"box": None, "paths": []}
    step = max(-(-max(box[2] - box[0], box[3] - box[1]) // _SHOWN_SIDE), 1)
    spec = canvas.spec
    whole = np.zeros((box[3] - box[1], box[2] - box[0]), np.uint16)
    gather(Area(spec.width, spec.height, spec.joined), box, whole, lambda key: cover_at(canvas, key))
    whole = whole[::step, ::step]
    inside = np.pad((whole >= 32768).astype(np.uint8), 1)
    twice = np.repeat(np.repeat(inside, 2, axis=0), 2, axis=1)
    found, _ = cv2.findContours(twice, cv2.RETR_LIST, cv2.CHAIN_APPROX_NONE)
    paths: list[list[list[float]]] = []
    count = 0
    for one in sorted(found, key=len, reverse=True):
        points = cv2.approxPolyDP(one, 0.75, closed=True).reshape(-1, 2)
        count += len(points)
        if count > _MOST_SHOWN:
            break
        at = (points + 0.5) / 2 - 1
        paths.append(np.round(at * step + np.array(box[:2]), 2).tolist())
    return {"box": list(box), "paths": paths}
