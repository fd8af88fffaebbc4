"""A canvas painted again at another size, or with other edges: a canvas of its own, whose strokes are all there."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import replace
from fractions import Fraction
from math import floor
from typing import Any

from django.contrib.auth.models import User
from django.db import transaction

from orvix.canvases.canvas import Canvas as CoreCanvas
from orvix.canvases.canvas import CanvasSpec
from orvix.canvases.layers import SELECTION, Change, block_numbers
from orvix.canvases.resizing import check_resampled, resampled
from orvix.errors import BadValue
from orvix.geometry import BLOCK, MOST_SIDE
from orvix.progress import Watch
from orvix.tiles.joining import PLAIN, Joining
from orvix.tiles.repeats import parse_fraction
from orvix_web.canvases.history import history
from orvix_web.canvases.journal import Journal, Record
from orvix_web.canvases.models import Canvas
from orvix_web.canvases.repainting import owned
from orvix_web.canvases.rows import first_spec, spec_json
from orvix_web.canvases.services import create_canvas
from orvix_web.canvases.steps import begun, each_step
from orvix_web.jobs.models import Job
from orvix_web.jobs.services import ask_for
from orvix_web.tiles.services import check_name
from orvix_web.tiles.thumbnails import thumbnail

KIND = "enlarge"
TIMES = (1 / 4, 8)
MOST_BYTES = 3 * 1024**3
"""What the painted blocks of what comes out may weigh, as far as that can be foreseen."""
KEPT_STEPS = 20
"""So many of the last steps are undone on the new canvas from what is kept; those before are painted again for it."""


def ask_to_enlarge(owner: User, canvas_id: int, told: Mapping[str, Any]) -> Job:
    """Queue painting a canvas again. told: times, 1/4 to 8; edges, "open", "joined", or as they are; name.

    Raises Http404 and BadValue.
    """
    row = owned(owner, canvas_id)
    times = parse_fraction("times", told.get("times") or "1", *TIMES).limit_denominator(1000)
    edges = told.get("edges") or ("joined" if row.joined else "open")
    if edges not in ("open", "joined"):
        raise BadValue("edges", edges, "must be open or joined")
    if times == 1 and (edges == "joined") == row.joined:
        raise BadValue("times", str(times), "Nothing would change. Choose another scale or other edges.")
    for name, side in (("width", row.width), ("height", row.height)):
        if not 16 <= side * times <= MOST_SIDE:
            raise BadValue(name, f"{float(side * times):.0f} px", f"must be 16 to {MOST_SIDE} px")
    weight = row.blocks.count() * BLOCK * BLOCK * 8 * float(times) ** 2
    if weight > MOST_BYTES:
        rule = f"would need about {weight / 1024**3:.1f} GB, the limit is {MOST_BYTES // 1024**3}"
        raise BadValue("times", str(times), rule)
    name = check_name(told.get("name") or f"{row.name}, {_words(times, edges, row)}"[:120])
    payload = {"canvas": row.pk, "times": str(times), "joined": edges == "joined", "name": name}
    return ask_for(owner, KIND, f"Repaint {row.name} {_words(times, edges, row)}", payload)


def _words(times: Fraction, edges: str, row: Canvas) -> str:
    size = [] if times == 1 else [f"at {times} times its size"]
    return " ".join(size + ([] if (edges == "joined") == row.joined else [f"with {edges} edges"]))


def enlarge(row: Canvas, told: Mapping[str, Any], watch: Watch) -> Canvas:
    """Paint a canvas again from its first step, everything so many times larger; the new canvas has its own log.

    What came into it as pixels, a state whose strokes are not known or a picture put there, is resampled. Raises
    Stopped, and then nothing is kept.
    """
    times, steps = Fraction(told["times"]), history(row)
    spec = first_spec(row)
    joined = spec.joined or (Joining() if told["joined"] else None)
    size = {name: floor(getattr(spec, name) * times + Fraction(1, 2)) for name in ("width", "height")}
    canvas = _begun(row, replace(spec, **size, joined=joined if told["joined"] else None))
    first, start = canvas.spec, canvas.copy()
    log: list[tuple[Record, Change]] = []
    for record, change in each_step(row, canvas, steps.steps, watch, times):
        log.append((replace(record, number=len(log) + 1), change))
        if len(log) > KEPT_STEPS:
            old, _ = log[-KEPT_STEPS - 1]
            log[-KEPT_STEPS - 1] = replace(old, undo_dropped=True), Change()
    watch.tell(0.96, "saving")
    watch.stop_if_asked()
    return _keep(row, told["name"], canvas, (first, start), log)


def _begun(row: Canvas, spec: CanvasSpec) -> CoreCanvas:
    """The canvas before its first step, at another size: bare, or what a state whose strokes are not known holds."""
    told = history(row)
    old = begun(row, told)
    canvas = CoreCanvas(spec)
    canvas.fills.tile_of = old.fills.tile_of
    if old.layer_blocks(SELECTION).keys() or any(blocks.keys() for blocks in old.blocks.values()):
        check_resampled(old.spec, spec)
        for number in (SELECTION, *block_numbers(old.stack)):
            canvas.blocks[number] = resampled(old.layer_blocks(number), old.spec, spec)
    times = Fraction(spec.width, old.spec.width)
    canvas.restack(tuple(one.at_times(times) for one in old.stack))
    return canvas


def _keep(
    row: Canvas,
    name: str,
    canvas: CoreCanvas,
    before: tuple[CanvasSpec, CoreCanvas],
    log: list[tuple[Record, Change]],
) -> Canvas:
    first, start = before
    told = spec_json(first) | {"joined": first.joined is not None, "repeat": row.repeat, "stagger": row.stagger}
    with transaction.atomic():
        other = create_canvas(row.owner, name, told | {"neighbours": row.neighbours if first.joined else PLAIN})
        Canvas.objects.filter(pk=other.pk).update(palette=row.palette)
        journal = Journal(other.pk, other.owner_id)
        if any(blocks.keys() for blocks in start.blocks.values()):
            # What it begins with as pixels is a kept state, so that painting it again begins there as well.
            state = journal.keep(start, thumbnail(start.small()))
            taken = Record(1, "take-up", {"state": state.number}, undo_dropped=True)
            log = [(taken, Change()), *((replace(one, number=one.number + 1), change) for one, change in log)]
        for record, _ in log:
            journal.commit(record)
        blocks = {
            (number, key): canvas.layer_blocks(number).get(key)
            for number in (SELECTION, *block_numbers(canvas.stack))
            for key in canvas.layer_blocks(number)
        }
        befores = {record.number: change for record, change in log if change}
        touched = (at for change in befores.values() for at in change.blocks)
        blocks |= {at: canvas.layer_blocks(at[0]).get(at[1]) for at in touched}
        journal.store(Change(blocks, canvas.stack, canvas.spec), len(log), befores)
        journal.thumbnail(thumbnail(canvas.small()))
    other.refresh_from_db()
    return other
