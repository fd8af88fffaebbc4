"""Operations of a log done once more, in their order, on another canvas: with what they were told, or reworked."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from typing import Any

from orvix.canvases.before import StrokesBefore, listens
from orvix.canvases.canvas import Canvas as CoreCanvas
from orvix.canvases.layers import Change
from orvix.canvases.operations import do
from orvix.canvases.operations.rework import check_rework
from orvix.canvases.strokes import GrainLayer, StrokeRun, put_back
from orvix.errors import BadValue
from orvix.progress import UNWATCHED, Watch
from orvix_web.brushes.loading import load_version
from orvix_web.canvases.history import History, Step, history, rework_steps, samples_and_data
from orvix_web.canvases.models import Canvas, Operation
from orvix_web.canvases.storage import Done, as_stroke, blank, load_kept, with_state

_WHOLE_PICTURES = ("take-up", "paint-again", "rework")
"""After one of these the picture is no longer made step by step of what came before."""


def do_steps(row: Canvas, told: History, watch: Watch = UNWATCHED) -> CoreCanvas:
    """A canvas painted again from its first step; raises Stopped."""
    canvas = (load_kept(row, told.start) if told.start else None) or blank(row)
    grains, before = GrainLayer(canvas), StrokesBefore()
    for done, step in enumerate(told.steps):
        watch.stop_if_asked()
        watch.tell(0.95 * done / len(told.steps), f"stroke {done + 1} of {len(told.steps)}")
        do_step(row, canvas, grains, before, step)
    return canvas


def do_step(row: Canvas, canvas: CoreCanvas, grains: GrainLayer, before: StrokesBefore, step: Step) -> None:
    """Do one operation of a log once more."""
    if step.kind != "stroke":
        do(canvas, step.kind, with_state(row, Operation.objects.get(canvas=row, number=step.number).data))
        return
    samples, data = samples_and_data(row, step)
    brush = load_version(row.owner_id, step.version)
    if step.version != step.logged:
        data = before.told(step.version, brush, data, (float(samples[0, 1]), float(samples[0, 2])))
    run = StrokeRun(canvas, as_stroke(brush, data, samples), grains)
    if listens(brush):
        run.keep_marks()
    run.feed(samples, last=True)
    run.finish()
    before.remember(step.version, step.number, brush, run, data)


def rework(
    row: Canvas,
    canvas: CoreCanvas,
    done: Sequence[tuple[Done, Change | None]],
    told: dict[str, Any],
    load_before: Callable[[int, CoreCanvas], Change | None],
) -> CoreCanvas:
    """A canvas with strokes reworked, beside it; done: what it was made by, and what undoes each, if at hand.

    Only what came after the first of the strokes is done again, where everything since can be undone one by one.
    Raises BadValue for strokes that are not there, and for changes that cannot be.
    """
    check_rework(told)
    if "layer" in told:
        canvas.paintable(told["layer"])
    if "brush" in told:
        load_version(row.owner_id, told["brush"])
    numbers = [one.number for one, _ in done]
    strokes = set(told["strokes"])
    whole = history(row, numbers)
    missing = strokes - {step.number for step in whole.strokes()}
    if missing:
        raise BadValue("stroke", min(missing), "there is no such stroke on this canvas now")
    first = min((n for n, number in enumerate(numbers) if number in strokes), default=0)
    after = [one for one, _ in done[first:]]
    steps = rework_steps([step for step in whole.steps if step.number in {one.number for one in after}], told)
    by_steps = strokes <= set(numbers) and not any(one.kind in _WHOLE_PICTURES for one in after)
    other = _undone(canvas, done[first:], load_before) if by_steps and not _listen(row, steps) else None
    if other is None:
        return do_steps(row, History(whole.start, rework_steps(whole.steps, told), whole.before, whole.done))
    grains = GrainLayer(other)
    for step in steps:
        do_step(row, other, grains, StrokesBefore(), step)
    return other


def as_it_was_after(row: Canvas, number: int) -> CoreCanvas:
    """A canvas as it was made by its done operations through one of them, painted from its first step."""
    logged = Operation.objects.filter(canvas=row, number__lt=number, state=Operation.State.DONE)
    return do_steps(row, history(row, [*logged.values_list("number", flat=True), number]))


def _listen(row: Canvas, steps: Sequence[Step]) -> bool:
    """Whether a stroke with another brush than it had would listen to those before it."""
    return any(step.version != step.logged and listens(load_version(row.owner_id, step.version)) for step in steps)


def _undone(
    canvas: CoreCanvas,
    done: Sequence[tuple[Done, Change | None]],
    load_before: Callable[[int, CoreCanvas], Change | None],
) -> CoreCanvas | None:
    """The canvas as it was before these, or None where one of them can be undone no longer."""
    other = canvas.copy()
    for one, change in reversed(done):
        known = change if change is not None else load_before(one.number, other)
        if known is None:
            return None
        put_back(other, known)
    return other
