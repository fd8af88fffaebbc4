"""What was painted before an undo, after which something else was painted: brought back, or thrown away for good."""

from __future__ import annotations

from typing import Any

from django.contrib.auth.models import User
from django.db import transaction
from django.db.models import Q

from orvix.errors import BadValue
from orvix_web.canvases.history import history
from orvix_web.canvases.journal import Journal
from orvix_web.canvases.models import Canvas, Operation
from orvix_web.canvases.repainting import owned
from orvix_web.canvases.steps import do_steps, refuse_long
from orvix_web.notices import changed
from orvix_web.tiles.thumbnails import thumbnail

State = Operation.State


def branches(row: Canvas) -> list[dict[str, Any]]:
    """What was undone and then painted over, the newest first: {"number", "steps", "strokes", "when"}."""
    found: dict[int, dict[str, Any]] = {}
    gone = Operation.objects.filter(canvas=row, state=State.DROPPED, dropped_by__isnull=False)
    for number, kind, created in gone.values_list("dropped_by", "kind", "created"):
        assert number is not None
        one = found.setdefault(number, {"number": number, "steps": 0, "strokes": 0})
        one["steps"] += 1
        one["strokes"] += kind == "stroke"
        one["when"] = created.isoformat(timespec="minutes")
    return [found[number] for number in sorted(found, reverse=True)]


def made_of(row: Canvas, number: int) -> list[int]:
    """The operations that stood when those were undone that operation `number` dropped; raises BadValue."""
    log = Operation.objects.filter(canvas=row)
    if not log.filter(state=State.DROPPED, dropped_by=number).exists():
        raise BadValue("step", number, "There is no undone work to restore before this step.")
    before = Q(number__lt=number) & (~Q(state=State.DROPPED) | Q(dropped_by__gt=number))
    stood = log.filter(before | Q(state=State.DROPPED, dropped_by=number))
    return list(stood.order_by("number").values_list("number", flat=True))


def bring_back(owner: User, canvas_id: int, number: int) -> int:
    """Paint what stood then once more, beside the canvas, as a kept state; returns its number, to be taken up.

    Raises TooLong where a job must do it.
    """
    row = owned(owner, canvas_id)
    stood = made_of(row, number)
    whole = history(row, stood)
    refuse_long(whole.steps)
    canvas = do_steps(row, whole)
    small = thumbnail(canvas.small())
    return Journal(row.pk, row.owner_id).keep(canvas, small, stood).number


def throw_away(owner: User, canvas_id: int, number: int) -> None:
    """Throw away for good what operation `number` dropped."""
    with transaction.atomic():
        row = owned(owner, canvas_id)
        Operation.objects.filter(canvas=row, state=State.DROPPED, dropped_by=number).delete()
        changed(row.owner_id)
