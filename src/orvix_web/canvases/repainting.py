"""Painting a canvas again with other versions of its brushes: beside it, as a kept state, to be looked at and taken."""

from __future__ import annotations

from collections import Counter
from collections.abc import Mapping
from dataclasses import replace
from typing import Any

from django.contrib.auth.models import User
from django.db import transaction
from django.db.models import Q, QuerySet
from django.http import Http404

from orvix.errors import BadValue
from orvix.progress import Watch
from orvix_web.brushes.models import BrushVersion
from orvix_web.canvases.history import history
from orvix_web.canvases.journal import Journal
from orvix_web.canvases.models import Canvas, KeptState, Operation, Repainted
from orvix_web.canvases.steps import do_steps
from orvix_web.jobs.models import Job
from orvix_web.jobs.services import ask_for
from orvix_web.notices import changed
from orvix_web.tiles.thumbnails import thumbnail

KIND = "paint-again"
USED_BY = (KIND, "rework", "take-up")
"""Operations that put a state a job painted in the canvas's place."""


def newer_brushes(row: Canvas) -> list[dict[str, Any]]:
    """Brushes that a canvas is painted with and that have a newer version, the last used first.

    {"before", "after": ids of versions, "name", "from", "to": numbers of versions, "strokes": how many}
    """
    strokes = Counter(step.version for step in reversed(list(history(row).strokes())))
    found = []
    versions = BrushVersion.objects.select_related("brush").in_bulk(list(strokes))
    latest = BrushVersion.objects.filter(brush__in={one.brush_id for one in versions.values()})
    newest = {one.brush_id: one for one in latest.order_by("brush_id", "-number").distinct("brush_id")}
    for pk, count in strokes.items():
        version = versions[pk]
        after = newest[version.brush_id]
        if after.pk != pk:
            told = {"before": pk, "after": after.pk, "name": version.brush.name, "strokes": count}
            found.append(told | {"from": version.number, "to": after.number})
    return found


def ask_to_paint_again(owner: User, canvas_id: int, before: list[str]) -> Job:
    """Queue painting a canvas again. before: the brush versions to be replaced by the newest of their brushes.

    Raises Http404 and BadValue.
    """
    row = owned(owner, canvas_id)
    newer = {str(one["before"]): one for one in newer_brushes(row)}
    unknown = [one for one in before if one not in newer]
    if not before or unknown:
        why = "Choose at least one brush with a newer version."
        raise BadValue("brush", ", ".join(unknown)[:60] or None, why)
    chosen = [newer[one] for one in dict.fromkeys(before)]
    pairs = [[one["before"], one["after"]] for one in chosen]
    count = sum(one["strokes"] for one in chosen)
    words = f"Repaint {count} {'stroke' if count == 1 else 'strokes'} of {row.name}"
    return ask_for(owner, KIND, words, {"canvas": row.pk, "versions": pairs})


def owned(owner: User, canvas_id: int) -> Canvas:
    """A canvas of the owner's; raises Http404."""
    row = Canvas.objects.filter(owner=owner, pk=canvas_id).first()
    if row is None:
        raise Http404
    return row


def paint_again(row: Canvas, versions: Mapping[int, int], watch: Watch) -> KeptState:
    """Paint a canvas again from its first stroke, with other versions of its brushes, and keep the result beside it.

    versions: ids of brush versions, and what each becomes. Strokes with these are begun anew: they start beside the
    rows that are there now. All others are what they were. Raises BadValue where nothing would change, and Stopped.
    """
    told = history(row)
    replaced = Counter(step.version for step in told.strokes() if step.version in versions)
    if not replaced:
        raise BadValue("versions", sorted(versions), "No stroke on this canvas uses them.")
    steps = [replace(step, version=versions.get(step.version, step.version)) for step in told.steps]
    canvas = do_steps(row, replace(told, steps=steps), watch)
    watch.tell(0.95, "keeping it")
    small = thumbnail(canvas.small())
    with transaction.atomic():
        state = Journal(row.pk, row.owner_id).keep(canvas, small, told.done)
        rows = [Repainted(state=state, before_id=pk, after_id=versions[pk], strokes=n) for pk, n in replaced.items()]
        Repainted.objects.bulk_create(rows)
    return state


def proposed(row: Canvas, number: int) -> dict[str, Any]:
    """What is known of a painting again that waits to be looked at; raises Http404 where there is none."""
    state = _waiting_states(row).filter(number=number).first()
    if state is None:
        raise Http404
    rows = state.repainted.select_related("after__brush")
    brushes = [{"name": one.after.brush.name, "to": one.after.number, "strokes": one.strokes} for one in rows]
    stands = history(row)
    edit = {"what": KIND} if state.proposed is None else state.proposed["edit"]
    told: dict[str, Any] = {"state": number, "brushes": brushes}
    told["words"] = state.proposed and state.proposed["words"]
    fresh = edit["what"] == "take-up" or stands.done == state.made_of
    return told | {"edit": {**edit, "state": number}, "fresh": fresh, "fixed": stands.before}


def _waiting_states(row: Canvas) -> QuerySet[KeptState]:
    """States that a job painted beside a canvas and that no operation has used."""
    used = Operation.objects.filter(canvas=row, kind__in=USED_BY, data__state__isnull=False)
    painted = KeptState.objects.filter(Q(repainted__isnull=False) | Q(proposed__isnull=False), canvas=row)
    return painted.exclude(number__in=list(used.values_list("data__state", flat=True))).distinct()


def waiting(row: Canvas) -> int:
    """The number of the newest painting again that is neither taken nor thrown away, or 0."""
    last = _waiting_states(row).order_by("-number").first()
    return last.number if last else 0


def throw_away(owner: User, canvas_id: int, number: int) -> None:
    """Throw away a painting again that was not taken; one that was stays, for undoing. Raises Http404."""
    with transaction.atomic():
        row = owned(owner, canvas_id)
        state = _waiting_states(row).filter(number=number).first()
        if state is not None:
            state.delete()
        changed(row.owner_id)
