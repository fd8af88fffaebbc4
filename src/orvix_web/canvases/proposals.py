"""What a job has painted beside a canvas, to be looked at and used or left: strokes put right, or what was undone.

Each is a kept state that says, in `proposed`, which operation uses it. Short ones are done at once; see `steps` and
`branches`.
"""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from django.contrib.auth.models import User

from orvix.canvases.operations.rework import CHANGES, check_rework
from orvix.progress import Watch
from orvix_web.canvases.branches import made_of
from orvix_web.canvases.history import History, history, rework_steps
from orvix_web.canvases.journal import Journal
from orvix_web.canvases.models import Canvas, KeptState
from orvix_web.canvases.repainting import owned
from orvix_web.canvases.steps import check_strokes, do_steps
from orvix_web.jobs.models import Job
from orvix_web.jobs.services import ask_for
from orvix_web.tiles.thumbnails import thumbnail

REWORK, BRING_BACK = "rework", "bring-back"


def ask_to_rework(owner: User, canvas_id: int, told: Mapping[str, Any]) -> Job:
    """Queue putting strokes right, told as the operation "rework" is; raises Http404 and BadValue."""
    row = owned(owner, canvas_id)
    told = {name: told[name] for name in ("strokes", *CHANGES) if name in told}
    check_rework(told)
    check_strokes(history(row), told)
    return ask_for(owner, REWORK, f"Repaint {_count(told)} of {row.name}", {"canvas": row.pk, "told": told})


def ask_to_bring_back(owner: User, canvas_id: int, number: int) -> Job:
    """Queue painting what stood before an undo once more; raises Http404 and BadValue."""
    row = owned(owner, canvas_id)
    made_of(row, number)
    return ask_for(owner, BRING_BACK, f"Restore undone work on {row.name}", {"canvas": row.pk, "number": number})


def rework(row: Canvas, told: dict[str, Any], watch: Watch) -> KeptState:
    """Paint a canvas with strokes put right beside it; raises BadValue and Stopped."""
    whole = history(row)
    check_strokes(whole, told)
    steps = rework_steps(whole.steps, told)
    made = History(whole.start, steps, whole.before, whole.done)
    return _keep(row, made, {"what": "rework", **told}, _count(told), watch)


def bring_back(row: Canvas, number: int, watch: Watch) -> KeptState:
    """Paint what stood before an undo beside the canvas; raises BadValue and Stopped."""
    return _keep(row, history(row, made_of(row, number)), {"what": "take-up"}, "what was undone", watch)


def _keep(row: Canvas, made: History, edit: dict[str, Any], words: str, watch: Watch) -> KeptState:
    canvas = do_steps(row, made, watch)
    watch.tell(0.95, "saving")
    proposed = {"edit": edit, "words": words}
    return Journal(row.pk, row.owner_id).keep(canvas, thumbnail(canvas.small()), made.done, proposed)


def _count(told: Mapping[str, Any]) -> str:
    count = len(told["strokes"])
    return "1 stroke" if count == 1 else f"{count} strokes"
