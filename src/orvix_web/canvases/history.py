"""Lists the strokes that make a canvas what it is now, each with the version of its brush that counts.

The log is read from its start: taking up a kept state goes on from what had made that state, painting again gives the
strokes before it other versions of their brushes. What comes out is a plain list, that can be painted from nothing.
"""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from dataclasses import dataclass, replace
from fractions import Fraction
from itertools import islice
from typing import Any

from django.db.models import Case, F, When

from orvix.canvases.before import MOST_ROWS, StrokesBefore
from orvix.canvases.canvas import Canvas as CoreCanvas
from orvix.canvases.operations import OPERATIONS, kinds_that
from orvix.canvases.operations.rework import reworked
from orvix.canvases.strokes import StrokeRun
from orvix.strokes.samples import X, Y
from orvix_web.brushes.loading import load_version
from orvix_web.canvases.models import Canvas, KeptState, Operation
from orvix_web.canvases.rows import as_stroke, spec_of, unpack_samples

_RECALLED = 12
"""How many of a brush's last strokes are laid again, without painting, after a canvas was reopened."""


@dataclass(frozen=True)
class Step:
    """An operation that counts: its number, its kind, and for a stroke the version that counts and the one logged.

    changed: what a stroke was told since, by those that reworked it, the first one first. times: so many times larger a
    stroke was painted than its brush says.
    """

    number: int
    kind: str
    version: int = 0
    logged: int = 0
    changed: tuple[Mapping[str, Any], ...] = ()
    times: str = "1"


@dataclass(frozen=True)
class History:
    """start: the kept state whose pixels it begins with, 0 for none. before: strokes that are in those pixels for good.

    done: the numbers of all done operations.
    """

    start: int
    steps: list[Step]
    before: int
    done: list[int]

    def strokes(self) -> Iterator[Step]:
        """The strokes, oldest first."""
        return (step for step in self.steps if step.kind == "stroke")


def effect_of(kind: str) -> str:
    """Return what an operation of the log does to the strokes before it. A stroke keeps them."""
    return "keeps" if kind == "stroke" else OPERATIONS.get(kind).strokes


def rework_steps(steps: list[Step], told: Mapping[str, Any]) -> list[Step]:
    """Return the steps after a rework: without its strokes, or with another brush or other data for them."""
    strokes = set(told["strokes"])
    kept = [step for step in steps if step.number not in strokes or not told.get("gone")]
    return [
        replace(step, version=told.get("brush", step.version), changed=(*step.changed, told))
        if step.number in strokes
        else step
        for step in kept
    ]


def history(row: Canvas, standing: list[int] | None = None) -> History:
    """Read the log of a canvas. standing: the numbers that count, if they differ from those marked done."""
    # One look at the log: what is painted meanwhile would stand in a second one and not in the first.
    reworks = When(kind__in=kinds_that("reworks"), then=F("data"))
    logged = Operation.objects.filter(canvas=row).annotate(rework=Case(reworks))
    of_states = kinds_that("replaces", "repaints")
    ops: dict[int, tuple[str, int, int, str]] = {}
    changes: dict[int, dict[str, Any]] = {}
    done = []
    columns = ("number", "kind", "brush_version_id", "state", "data__times", "data__state", "rework")
    for number, kind, version, state, times, of_state, rework in logged.values_list(*columns):
        ops[number] = (kind, version or 0, of_state if kind in of_states else 0, times or "1")
        if rework is not None:
            changes[number] = rework
        if state == Operation.State.DONE:
            done.append(number)
    states = KeptState.objects.filter(canvas=row).prefetch_related("repainted")
    kept = {
        one.number: (one.made_of, {each.before_id: each.after_id for each in one.repainted.all()}) for one in states
    }

    def walk(numbers: list[int]) -> tuple[int, list[Step], int]:
        taken = [at for at, number in enumerate(numbers) if effect_of(ops[number][0]) == "replaces"]
        start, before = (1 if row.tile_id and 1 in kept else 0), 0
        steps: list[Step] = []
        if taken:
            state = ops[numbers[taken[-1]]][2]
            made_of = kept[state][0]
            if made_of is None:
                start, before = state, sum(ops[number][0] == "stroke" for number in numbers[: taken[-1]])
            else:
                start, steps, before = walk([number for number in made_of if number in ops])
            numbers = numbers[taken[-1] + 1 :]
        for number in numbers:
            kind, version, state, times = ops[number]
            effect = effect_of(kind)
            if effect == "reworks":
                steps = rework_steps(steps, changes[number])
            elif effect == "repaints":
                other = kept[state][1]
                steps = [replace(one, version=other.get(one.version, one.version)) for one in steps]
            else:
                steps.append(Step(number, kind, version, version, times=times))
        return start, steps, before

    done = done if standing is None else standing
    return History(*walk(done), done)


def brushes_used(row: Canvas) -> list[tuple[int, Fraction]]:
    """Return the brush versions used on a canvas, each with the scale at which it painted, the last used first."""
    used = ((step.version, Fraction(step.times)) for step in reversed(history(row).steps) if step.version)
    return list(dict.fromkeys(used))


def samples_and_data(row: Canvas, step: Step) -> tuple[Any, dict[str, Any]]:
    """Return the samples of a stroke of the log, and its data after all reworks."""
    samples, data = Operation.objects.values_list("samples", "data").get(canvas=row, number=step.number)
    for told in step.changed:
        data = reworked(data, told)
    return unpack_samples(samples), data


def recall(row: Canvas, version: int, before: StrokesBefore) -> None:
    """Lay the last strokes of a brush version again without painting, so that new strokes can keep their distance."""
    canvas = CoreCanvas(spec_of(row))
    brush = load_version(row.owner_id, version)
    last = list(islice((one for one in reversed(list(history(row).strokes())) if one.version == version), _RECALLED))
    for step in reversed(last[:MOST_ROWS]):
        samples, data = samples_and_data(row, step)
        if step.version != step.logged:
            data = before.told(version, brush, data, (float(samples[0, X]), float(samples[0, Y])))
        layer = {"layer": canvas.stack[0].id}
        run = StrokeRun(canvas, as_stroke(brush, data | layer, samples))
        run.keep_marks(only=True)
        run.feed(samples, last=True)
        before.remember(version, step.number, brush, run, data)
