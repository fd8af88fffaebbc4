"""Questions of the brush bench: the trial sheet with what is to be said about the brush, and what a lead does."""

from __future__ import annotations

from collections.abc import Awaitable, Callable
from typing import Any

import numpy as np

from orvix.brushes.idle import idle_values
from orvix.canvases.compositing import colour_to_unit
from orvix.colour.spaces import described
from orvix.devices.pen import PenPressure, calibrated, touches
from orvix.devices.stylus import CELLS, TRIALS, trial_strokes
from orvix.errors import BadValue, UnknownName
from orvix.progress import UNWATCHED, Watch
from orvix.strokes.advice import brush_advice
from orvix.strokes.samples import check_samples
from orvix.strokes.tracing import trace
from orvix_web.benches.questions import Answer, Rgba, on_bench
from orvix_web.brushes.loading import load_definition
from orvix_web.brushes.trials import HALVES, INK, SECOND, SheetOrder, best_factor, paint_sheet, piece_of
from orvix_web.canvases.models import Canvas as CanvasRow
from orvix_web.canvases.pictures import picture
from orvix_web.errors import NotYours
from orvix_web.tiles.rendering import Recent

_MOST_HITS = 400
_pieces = Recent(6)


def _order(told: dict[str, Any], size: float) -> SheetOrder:
    """The sheet asked for; without a factor, at the scale at which the marks fit their cells."""
    given = {name: told[name] for name in ("ground", "cell", "colour", "second_colour") if name in told}
    defaults = {"ground": HALVES, "cell": "tall", "colour": INK, "second_colour": SECOND}
    return SheetOrder(factor=told.get("factor") or best_factor(size), **defaults | given).check()


def _under(owner_id: int, over: Any, order: SheetOrder) -> Rgba | None:
    """The piece of a canvas of the painter's own that a sheet is painted over; over: {"canvas", "place"}."""
    if over is None:
        return None
    number, place = (over.get(name, 0) if isinstance(over, dict) else None for name in ("canvas", "place"))
    if type(number) is not int or type(place) is not int or not 0 <= number < 2**53 or not 0 <= place < 1000:
        raise BadValue("over", str(over)[:60], "must name a canvas, and which piece of it from 0")
    row = CanvasRow.objects.filter(owner_id=owner_id, pk=number).first()
    if row is None:
        raise NotYours("This canvas no longer exists.")
    key = (row.pk, row.revision, place, order.factor, order.cell)
    return _pieces.get(key, lambda: piece_of(picture(row), order, place))


async def _sheet(owner_id: int, told: dict[str, Any], watch: Watch = UNWATCHED) -> Answer:
    def work() -> Answer:
        loaded = load_definition(owner_id, told.get("definition"))
        order = _order(told, loaded.brush.size)
        sheet = paint_sheet(loaded, order, _under(owner_id, told.get("over"), order))
        facts: dict[str, Any] = {"factor": order.factor, "marks": sheet.marks}
        facts |= {"collisions": len(sheet.collisions), "at": np.round(sheet.collisions[:_MOST_HITS], 1).tolist()}
        facts["idle"] = [idle_values(loaded.brush, coat) for coat in loaded.brush.coats]
        facts["advice"] = brush_advice(loaded)
        return facts, sheet.pixels

    return await on_bench(work)


async def _lead_trace(owner_id: int, told: dict[str, Any], watch: Watch = UNWATCHED) -> Answer:
    """A lead along one trial stroke."""

    def work() -> Answer:
        loaded = load_definition(owner_id, told.get("definition"))
        stroke, number = told.get("stroke"), told.get("coat", 0)
        if stroke not in TRIALS:
            raise UnknownName("trial stroke", stroke, list(TRIALS))
        if isinstance(number, bool) or not isinstance(number, int) or not 0 <= number < len(loaded.coats):
            raise BadValue("coat", number, f"must be 0 to {len(loaded.coats) - 1}")
        factor = best_factor(loaded.brush.size)
        samples = trial_strokes((stroke,), factor, cell=CELLS["tall"])["strokes"][-1]["samples"]
        coat = loaded.coats[number]
        return trace(
            coat,
            coat.dabs(colour_to_unit(INK)),
            check_samples(samples),
            str(told.get("value")),
            str(told.get("driver")),
        ), None

    return await on_bench(work)


async def _pen(owner_id: int, told: dict[str, Any], watch: Watch = UNWATCHED) -> Answer:
    """The response of a pen, from strokes on its pad or from three touches, and its curve at 65 places."""

    def work() -> Answer:
        names = ("light", "usual", "hard")
        given = told.get("touches")
        if not isinstance(given, dict) or set(given) != set(names):
            raise BadValue("touches", str(given)[:60], "must be light, usual and hard")
        listed = [given[name] for name in names]
        found = touches(*listed) if isinstance(listed[0], list) else tuple(listed)
        pen = PenPressure(calibrated(*found))
        return {
            "touches": dict(zip(names, found, strict=True)),
            "response": pen.response,
            "curve": np.round(pen.curve[::4], 4).tolist(),
        }, None

    return await on_bench(work)


async def _colour(owner_id: int, told: dict[str, Any], watch: Watch = UNWATCHED) -> Answer:
    """A colour told in one space, in all of them."""
    return described(str(told.get("space")), told.get("given")), None


BRUSH_QUESTIONS: dict[str, Callable[[int, dict[str, Any], Watch], Awaitable[Answer]]] = {
    "sheet": _sheet,
    "lead-trace": _lead_trace,
    "pen": _pen,
    "colour": _colour,
}
