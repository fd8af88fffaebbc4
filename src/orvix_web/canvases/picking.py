"""Strokes of a canvas found by where they are seen, by their layer or by their numbers, as pages pick them."""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Sequence
from dataclasses import dataclass
from fractions import Fraction
from typing import Any

import numpy as np
from numpy.typing import NDArray

from orvix.canvases.canvas import Canvas as CoreCanvas
from orvix.canvases.layers import FIRST_LAYER
from orvix.canvases.operations.frames import frame_matrix
from orvix.canvases.operations.rework import reworked
from orvix.errors import BadValue
from orvix.geometry import BLOCK
from orvix.strokes.samples import PLACE
from orvix_web.brushes.models import BrushVersion
from orvix_web.canvases.history import Step, history
from orvix_web.canvases.models import Canvas, Operation
from orvix_web.canvases.rows import spec_of, unpack_samples, with_spec
from orvix_web.canvases.steps import DoneWith

MOST_PICKED = 2000
_PATH_POINTS = 160
_AT_ONCE = 256


@dataclass(frozen=True)
class _Stroke:
    """A stroke as it counts now: what it is told, and where its samples lie on the canvas as it is framed, (n, 2)."""

    step: Step
    data: dict[str, Any]
    places: NDArray[np.float64]

    @property
    def layer(self) -> int:
        return int(self.data.get("layer", FIRST_LAYER))

    def away(self, x: float, y: float) -> float:
        """How far a place lies from its path, in halves of its size."""
        size = float((self.data.get("values") or {}).get("size", 32.0)) * float(Fraction(self.data.get("times", "1")))
        return float(np.hypot(self.places[:, 0] - x, self.places[:, 1] - y).min()) / max(size / 2, 4.0)


def strokes_asked_for(
    row: Canvas, canvas: CoreCanvas, done: Sequence[DoneWith], told: dict[str, Any]
) -> list[dict[str, Any]]:
    """Strokes by what a page asks, the newest first: `at`, a place [x, y] in px of the canvas; `layer`; or `strokes`.

    Each: number, brush (version), name of the brush, layer, colour, path [[x, y], ...]. At a place it is the stroke
    that changed its px last, told by what undoes it; of older ones the newest whose path is near. Raises BadValue.
    """
    steps = {step.number: step for step in history(row, [one.number for one, _ in done]).strokes()}
    if "at" in told:
        return _told(_at(row, canvas, done, steps, *_place(told["at"])))
    if "layer" in told:
        found: Iterator[_Stroke] = (one for one in _strokes(row, steps.values()) if one.layer == told["layer"])
    else:
        wanted = told.get("strokes")
        found = _strokes(row, [step for n, step in steps.items() if isinstance(wanted, list) and n in wanted])
    return _told(one for one, _ in zip(found, range(MOST_PICKED), strict=False))


def _strokes(row: Canvas, steps: Iterable[Step]) -> Iterator[_Stroke]:
    """Strokes read from the log, the newest first, many at a time."""
    ordered = sorted(steps, key=lambda step: -step.number)
    frames = _frames(row)
    for first in range(0, len(ordered), _AT_ONCE):
        some = ordered[first : first + _AT_ONCE]
        logged = Operation.objects.filter(canvas=row, number__in=[step.number for step in some])
        read = {number: rest for number, *rest in logged.values_list("number", "samples", "data")}
        for step in some:
            samples, data = read[step.number]
            for told in step.changed:
                data = reworked(data, told)
            places = unpack_samples(samples)[:, PLACE] * float(Fraction(data.get("times", "1")))
            for number, matrix in frames:
                if number > step.number:
                    places = places @ matrix[:, :2].T + matrix[:, 2]
            yield _Stroke(step, data, places)


def _frames(row: Canvas) -> list[tuple[int, NDArray[np.float64]]]:
    """Where each change of the canvas's frame has moved what was there, in their order."""
    reframed = Operation.objects.filter(canvas=row, state=Operation.State.DONE).exclude(spec_before=None)
    found = []
    for number, kind, told, before in reframed.values_list("number", "kind", "data", "spec_before"):
        matrix = frame_matrix(kind, told, with_spec(spec_of(row), before))
        if matrix is not None:
            found.append((number, matrix))
    return found


def _place(at: Any) -> tuple[float, float]:
    if not isinstance(at, list) or len(at) != 2 or not all(isinstance(one, int | float) for one in at):
        raise BadValue("at", str(at)[:60], "must be a place of the canvas, [x, y] in px")
    return float(at[0]), float(at[1])


def _at(
    row: Canvas, canvas: CoreCanvas, done: Sequence[DoneWith], steps: dict[int, Step], x: float, y: float
) -> Iterator[_Stroke]:
    """The stroke that is seen at a place, if there is one."""
    column, line = int(x), int(y)
    key, px = (line // BLOCK, column // BLOCK), (line % BLOCK, column % BLOCK)
    now: dict[int, Any] = {}
    for one, change in reversed(done):
        if change is None or change.spec is not None:
            break
        for (layer, at), block in change.blocks.items():
            if at != key:
                continue
            after = now.get(layer, _px(canvas.layer_blocks(layer).get(key), px))
            now[layer] = _px(block, px)
            if one.number in steps and not (after == now[layer]).all():
                return _strokes(row, [steps[one.number]])
    near = next((one for one in _strokes(row, steps.values()) if one.away(x, y) <= 1), None)
    return iter(() if near is None else (near,))


def _px(block: Any, px: tuple[int, int]) -> Any:
    return np.zeros(4, np.uint16) if block is None else block[px]


def _told(strokes: Iterable[_Stroke]) -> list[dict[str, Any]]:
    found = list(strokes)
    versions = BrushVersion.objects.filter(pk__in={one.step.version for one in found})
    names = dict(versions.values_list("pk", "brush__name"))
    return [
        {
            "number": one.step.number,
            "brush": one.step.version,
            "name": names.get(one.step.version, ""),
            "colour": one.data["colour"],
            "layer": one.layer,
            "path": np.round(one.places[:: -(-len(one.places) // _PATH_POINTS)], 1).tolist(),
        }
        for one in found
    ]
