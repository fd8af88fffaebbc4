"""Repeats the operations of a log in their order on another canvas, as they were or reworked."""

from __future__ import annotations

from collections.abc import Callable, Iterator, Mapping, Sequence
from fractions import Fraction
from typing import Any

from orvix.canvases.before import StrokesBefore, listens
from orvix.canvases.canvas import Canvas as CoreCanvas
from orvix.canvases.layers import FIRST_LAYER, Change
from orvix.canvases.operations import OPERATIONS, do
from orvix.canvases.operations.rework import check_rework
from orvix.canvases.strokes import GrainLayer, StrokeRun, put_back
from orvix.errors import BadValue, OrvixError
from orvix.progress import UNWATCHED, Watch
from orvix.strokes.samples import X, Y
from orvix_web.brushes.loading import load_version
from orvix_web.canvases.history import History, Step, effect_of, history, rework_steps, samples_and_data
from orvix_web.canvases.journal import Record
from orvix_web.canvases.models import Canvas, Operation
from orvix_web.canvases.needs import with_needs
from orvix_web.canvases.rows import Done, as_stroke, blank, first_spec, load_kept

DoneWith = tuple[Done, Change | None]
"""An operation that counts, and the change that undoes it, if that is in memory."""
MOST_AT_ONCE = 150
"""How many steps are repeated while the painter waits. A job repeats more."""
_WHOLE_PICTURES = ("replaces", "repaints")
"""The effects after which the earlier steps no longer make the picture."""


class TooLong(OrvixError):
    """The request takes so long that a job must do it."""

    code = "long"


def do_steps(row: Canvas, told: History, watch: Watch = UNWATCHED) -> CoreCanvas:
    """Repaint a canvas from its first step; raises Stopped."""
    canvas = begun(row, told)
    for _ in each_step(row, canvas, told.steps, watch):
        pass
    return canvas


def begun(row: Canvas, told: History) -> CoreCanvas:
    """Return the canvas before its first step."""
    return (load_kept(row, told.start) if told.start else None) or blank(row, first_spec(row))


def each_step(
    row: Canvas, canvas: CoreCanvas, steps: Sequence[Step], watch: Watch = UNWATCHED, times: Fraction = Fraction(1)
) -> Iterator[tuple[Record, Change]]:
    """Repeat steps one after another; yields the record of each and what it replaced. times: scales everything.

    A stroke that was moved to a layer that is made, or unlocked, later waits for it. Raises Stopped.
    """
    grains, before = GrainLayer(canvas), StrokesBefore()
    waiting: list[Step] = []
    for done, step in enumerate(steps):
        watch.stop_if_asked()
        watch.tell(0.95 * done / len(steps), f"step {done + 1} of {len(steps)}")
        if step.changed and not _can_lie(row, canvas, step):
            waiting.append(step)
            continue
        yield _do_step(row, canvas, grains, before, step, times)
        if step.kind != "stroke":
            ready = [one for one in waiting if _can_lie(row, canvas, one)]
            waiting = [one for one in waiting if one not in ready]
            for one in ready:
                yield _do_step(row, canvas, grains, before, one, times)


def _can_lie(row: Canvas, canvas: CoreCanvas, step: Step) -> bool:
    try:
        canvas.paintable(_layer(row, step))
    except BadValue:
        return False
    return True


def _do_step(
    row: Canvas, canvas: CoreCanvas, grains: GrainLayer, before: StrokesBefore, step: Step, times: Fraction
) -> tuple[Record, Change]:
    """Repeat one operation of a log."""
    if step.kind != "stroke":
        data = Operation.objects.get(canvas=row, number=step.number).data
        operation = OPERATIONS.get(step.kind)
        if step.version != step.logged:
            data = operation.with_brush(data, step.version)
        data = dict(operation.at_times(data, times))
        change = do(canvas, step.kind, with_needs(row, step.kind, data))
        version = step.version or None
        return Record(step.number, step.kind, data, change.stack, version, spec_before=change.spec), change
    samples, data = samples_and_data(row, step)
    if times != 1:
        data = data | {"times": str(Fraction(data.get("times", "1")) * times)}
    brush = load_version(row.owner_id, step.version)
    if step.version != step.logged:
        data = before.told(step.version, brush, data, (float(samples[0, X]), float(samples[0, Y])))
    run = StrokeRun(canvas, as_stroke(brush, data, samples), grains)
    if listens(brush):
        run.keep_marks()
    run.feed(samples, last=True)
    change = run.finish()
    before.remember(step.version, step.number, brush, run, data)
    return Record(step.number, "stroke", data, None, step.version, samples), change


def rework(
    row: Canvas,
    canvas: CoreCanvas,
    done: Sequence[DoneWith],
    told: dict[str, Any],
    load_before: Callable[[int, CoreCanvas], Change | None],
) -> CoreCanvas:
    """Return a copy of a canvas with strokes reworked. done: the operations that count, with what undoes each.

    Only what came after the first of the strokes is done again, where everything since can be undone one by one.
    Raises BadValue for strokes that are not there, and for changes that cannot be; TooLong where a job must do it.
    """
    check_rework(told)
    if "layer" in told:
        canvas.paintable(told["layer"])
    if "brush" in told:
        load_version(row.owner_id, told["brush"])
    numbers = [one.number for one, _ in done]
    strokes = set(told["strokes"])
    whole = history(row, numbers)
    check_strokes(whole, told)
    first = _first(done, strokes)
    after = [one for one, _ in done[first:]]
    steps = rework_steps([step for step in whole.steps if step.number in {one.number for one in after}], told)
    by_steps = strokes <= set(numbers) and not any(effect_of(one.kind) in _WHOLE_PICTURES for one in after)
    by_steps = by_steps and not _listen(row, steps)
    refuse_long(steps if by_steps else whole.steps)
    other = _undone(canvas, done[first:], load_before) if by_steps else None
    if other is None:
        return do_steps(row, History(whole.start, rework_steps(whole.steps, told), whole.before, whole.done))
    for _ in each_step(row, other, steps):
        pass
    return other


def check_strokes(whole: History, told: Mapping[str, Any]) -> None:
    """Raise BadValue for strokes that are not on the canvas now."""
    missing = set(told["strokes"]) - {step.number for step in whole.strokes()}
    if missing:
        raise BadValue("stroke", min(missing), "This stroke is no longer on the canvas.")


def refuse_long(steps: Sequence[Step]) -> None:
    """Raise TooLong where repeating the steps takes longer than a painter waits."""
    if len(steps) > MOST_AT_ONCE:
        raise TooLong(f"Repainting {len(steps)} steps next to the canvas. You can apply the result when it is done.")


def _first(done: Sequence[DoneWith], strokes: set[int]) -> int:
    """Return the first operation that has to be repeated when these strokes change.

    Undoing what put others right makes those what they were, so it begins at these where they came before.
    """
    at = {one.number: n for n, (one, _) in enumerate(done)}
    first, more = len(done), min(at.get(number, 0) for number in strokes)
    while more < first:
        first = more
        earlier = (one.data["strokes"] for one, _ in done[first:] if effect_of(one.kind) == "reworks")
        more = min((at.get(number, 0) for some in earlier for number in some), default=first)
    return first


def as_it_was_after(row: Canvas, number: int) -> CoreCanvas:
    """Repaint a canvas from its first step through one of its done operations."""
    return do_steps(row, history(row, [*_done_before(row, number), number]))


def as_it_was_before(row: Canvas, number: int) -> CoreCanvas:
    """Repaint a canvas from its first step up to, but without, one of its done operations."""
    return do_steps(row, history(row, _done_before(row, number)))


def _done_before(row: Canvas, number: int) -> list[int]:
    logged = Operation.objects.filter(canvas=row, number__lt=number, state=Operation.State.DONE)
    return list(logged.values_list("number", flat=True))


def _listen(row: Canvas, steps: Sequence[Step]) -> bool:
    """Whether a stroke that gets another brush depends on the strokes before it."""
    return any(step.version != step.logged and listens(load_version(row.owner_id, step.version)) for step in steps)


def _undone(
    canvas: CoreCanvas,
    done: Sequence[DoneWith],
    load_before: Callable[[int, CoreCanvas], Change | None],
) -> CoreCanvas | None:
    """Return the canvas before these operations; None if one of them can no longer be undone."""
    other = canvas.copy()
    for one, change in reversed(done):
        known = change if change is not None else load_before(one.number, other)
        if known is None:
            return None
        put_back(other, known)
    return other


def _layer(row: Canvas, step: Step) -> int:
    return int(samples_and_data(row, step)[1].get("layer", FIRST_LAYER))
