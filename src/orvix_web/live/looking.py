"""What a page shows of a canvas under a hand besides its picture: its history, in words and pictures; its selection."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from typing import Any

import numpy as np
from numpy.typing import NDArray

from orvix.canvases.canvas import MOST_LEVEL, Canvas
from orvix.canvases.layers import FIRST_LAYER, SELECTION, Change
from orvix.canvases.operations import OPERATIONS
from orvix.canvases.operations.move import moved_along
from orvix.canvases.operations.transform import painted_box
from orvix.canvases.selection import shown_paths
from orvix.canvases.strokes import put_back
from orvix.errors import BadValue
from orvix.geometry import Box, aligned, block_box, clip, join
from orvix_web.brushes.models import BrushVersion
from orvix_web.canvases.history import effect_of
from orvix_web.canvases.rows import Done
from orvix_web.canvases.steps import DoneWith

MOST_SIZES = 12
"""How many of the sizes used on a canvas are listed."""
PICTURES = 24
WIDE, HIGH = 96, 56
_USES = {"paint": "Paint", "erase": "Erase", "smear": "Smear", "soften": "Soften"}


def history_facts(done: Sequence[Done]) -> dict[str, Any]:
    """What the done operations say: sizes used, the last first, and on which axes the border lies inside."""
    sizes: dict[tuple[int, float], int] = {}
    half = {"across": False, "down": False}
    for step in done:
        data = step.data
        if step.kind == "stroke":
            used = (step.brush_version_id or 0, data["values"].get("size", 0))
            sizes[used] = sizes.pop(used, 0) + 1
        else:
            half |= OPERATIONS.get(step.kind).half(data)
    used_sizes = [[brush, size, count] for (brush, size), count in reversed(sizes.items()) if size]
    return {"sizes": used_sizes[:MOST_SIZES], "half": half, "last": _last_stroke(done)}


def _last_stroke(done: Sequence[Done]) -> list[int] | None:
    """The number of the last stroke and the layer it is on now, or None where it is gone."""
    layer = None
    for step in reversed(done):
        data = step.data
        if step.kind == "stroke":
            return [step.number, layer or data.get("layer", FIRST_LAYER)]
        effect = effect_of(step.kind)
        if effect == "reworks":
            if data.get("gone"):
                return None
            layer = layer or data.get("layer")
        elif effect in ("merges", "replaces"):
            return None
    return None


def selection_facts(canvas: Canvas, layers: Any) -> dict[str, Any]:
    """The box of what is selected, the paths around it, and `frame`, the box of what would be moved of the layers."""
    shown = shown_paths(canvas)
    frame = shown["box"]
    if frame is None and layers:
        frame = painted_box(canvas, moved_along(canvas, layers))
    return {"frame": frame, **shown}


def history_pictures(
    canvas: Canvas,
    done: Sequence[DoneWith],
    undone: Sequence[Done],
    before: Callable[[int, Canvas], Change | None],
    older: Any,
) -> tuple[dict[str, Any], NDArray[np.uint8] | None]:
    """Steps of the history, the newest first, PICTURES of them after the `older` newest, each with what it changed.

    facts: steps, each number, words, colour; undone, the same of those undone; more, whether there are older ones. The
    pictures stand one under the other, (steps x HIGH, WIDE, 4): what each step changed, as it was after it. before:
    gives what stood before the newest operation of a canvas; where that is kept no longer, the list ends.
    """
    if type(older) is not int or not 0 <= older <= len(done):
        raise BadValue("older", older, f"must be 0 to {len(done)}")
    other = canvas.copy()
    told: list[dict[str, Any]] = []
    pictures: list[NDArray[np.uint8]] = []
    names = _names([one for one, _ in done] + list(undone))
    for n, (step, change) in enumerate(reversed(done)):
        known = change if change is not None else before(step.number, other)
        if n >= older:
            told.append(_words(step, names))
            pictures.append(_picture(other, known))
        if known is None or len(told) == PICTURES:
            break
        put_back(other, known)
    shown = {"steps": told, "undone": [_words(one, names) for one in undone], "size": [WIDE, HIGH]}
    facts = shown | {"more": older + len(told) < len(done) and len(told) == PICTURES, "older": older + len(told)}
    return facts, np.concatenate(pictures) if pictures else None


def _names(steps: Sequence[Done]) -> dict[int, str]:
    versions = {step.brush_version_id for step in steps if step.brush_version_id}
    return dict(BrushVersion.objects.filter(pk__in=versions).values_list("pk", "brush__name"))


def _words(step: Done, names: dict[int, str]) -> dict[str, Any]:
    data = step.data
    if step.kind == "stroke":
        words = f"{_USES[data['mode']]}, {names.get(step.brush_version_id or 0, 'a brush')}"
        return {"number": step.number, "words": words, "colour": data["colour"] if data["mode"] == "paint" else ""}
    return {"number": step.number, "words": OPERATIONS.get(step.kind).title, "colour": ""}


def _widened(box: Box, canvas: Box) -> Box:
    """A box with some of what is around it, so that it fills a picture."""
    wide, high = box[2] - box[0], box[3] - box[1]
    more = max(high * WIDE // HIGH - wide, 0), max(wide * HIGH // WIDE - high, 0)
    left = min(max(box[0] - more[0] // 2, 0), max(canvas[2] - wide - more[0], 0))
    top = min(max(box[1] - more[1] // 2, 0), max(canvas[3] - high - more[1], 0))
    return clip((left, top, left + wide + more[0], top + high + more[1]), canvas)


def _picture(canvas: Canvas, change: Change | None) -> NDArray[np.uint8]:
    """What a step changed, as it is now, on a picture of WIDE by HIGH px; the whole where that is not known."""
    spec, box = canvas.spec, None
    if change is not None and change.stack is None and change.spec is None:
        for number, key in change.blocks:
            if number != SELECTION:
                box = join(box, clip(block_box(key), spec.box))
    box = _widened(box or spec.box, spec.box)
    level = 0
    while level < MOST_LEVEL and (box[2] - box[0] > WIDE << level or box[3] - box[1] > HIGH << level):
        level += 1
    seen: Box = clip(aligned(box, 1 << level), spec.box)
    small = canvas.view(seen, level)[:HIGH, :WIDE]
    out = np.full((HIGH, WIDE, 4), 180, np.uint8)
    out[..., 3] = 255
    top, left = (HIGH - small.shape[0]) // 2, (WIDE - small.shape[1]) // 2
    out[top : top + small.shape[0], left : left + small.shape[1]] = small
    return out
