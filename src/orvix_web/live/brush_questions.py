"""Questions of the brush bench: the trial sheet with what is to be said about the brush, and what a lead does."""

from __future__ import annotations

from collections.abc import Awaitable, Callable
from typing import Any

import numpy as np

from orvix.brushes.idle import idle_values
from orvix.canvases.compositing import colour_to_unit
from orvix.devices.stylus import CELLS, TRIALS, trial_strokes
from orvix.errors import BadValue, UnknownName
from orvix.progress import UNWATCHED, Watch
from orvix.strokes.advice import brush_advice
from orvix.strokes.samples import check_samples
from orvix.strokes.tracing import trace
from orvix_web.brushes.loading import load_definition
from orvix_web.brushes.trials import HALVES, INK, SECOND, SheetOrder, best_factor, paint_sheet
from orvix_web.live.questions import Answer, on_bench

_MOST_HITS = 400


def _order(told: dict[str, Any], size: float) -> SheetOrder:
    """The sheet asked for; without a factor, at the scale at which the marks fit their cells."""
    given = {name: told[name] for name in ("ground", "cell", "colour", "second_colour") if name in told}
    defaults = {"ground": HALVES, "cell": "tall", "colour": INK, "second_colour": SECOND}
    return SheetOrder(factor=told.get("factor") or best_factor(size), **defaults | given).check()


async def _sheet(owner_id: int, told: dict[str, Any], watch: Watch = UNWATCHED) -> Answer:
    def work() -> Answer:
        loaded = load_definition(owner_id, told.get("definition"))
        order = _order(told, loaded.brush.size)
        sheet = paint_sheet(loaded, order)
        facts = {"factor": order.factor, "marks": sheet.marks}
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


BRUSH_QUESTIONS: dict[str, Callable[[int, dict[str, Any], Watch], Awaitable[Answer]]] = {
    "sheet": _sheet,
    "lead-trace": _lead_trace,
}
