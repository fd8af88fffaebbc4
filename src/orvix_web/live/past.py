"""What stands behind a canvas under a hand: its kept brushes, its log read again, and the painter's own pen."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any, Protocol

from orvix.canvases.before import StrokesBefore
from orvix.canvases.canvas import Canvas
from orvix.canvases.layers import Change
from orvix.canvases.operations import do
from orvix.canvases.strokes import GrainLayer, put_back
from orvix.devices.pen import PenPressure
from orvix.strokes.loaded import LoadedBrush
from orvix_web.accounts.pens import pen_of
from orvix_web.brushes.loading import load_version
from orvix_web.canvases.history import recall
from orvix_web.canvases.journal import Journal
from orvix_web.canvases.models import Canvas as CanvasRow
from orvix_web.canvases.needs import with_needs
from orvix_web.canvases.picking import strokes_asked_for
from orvix_web.canvases.steps import DoneWith, as_it_was_before, rework
from orvix_web.canvases.storage import do_again
from orvix_web.database import with_database


class Past(Protocol):
    """What stands behind a painting: kept brushes, its log read again, and the painter's own pen. Raises BadValue."""

    def brush(self, version_id: int) -> LoadedBrush:
        """A kept brush."""

    def before(self, number: int, canvas: Canvas) -> Change | None:
        """What stood before the newest operation, or None where it is kept no longer."""

    def painted_before(self, number: int, canvas: Canvas) -> Change:
        """What stood before the newest operation, painted again from the first step: slow, and always there."""

    def again(self, number: int, canvas: Canvas, grains: GrainLayer) -> Change:
        """Do an operation of the log once more."""

    def told(self, kind: str, told: dict[str, Any], done: Sequence[DoneWith]) -> dict[str, Any]:
        """What an operation was told, with what it names at hand; done: the operations that stand."""

    def recall(self, version_id: int, before: StrokesBefore) -> None:
        """Put the last strokes of a brush in the log to those before."""

    def pen(self) -> PenPressure:
        """The painter's own pen."""

    def rework(self, canvas: Canvas, done: Sequence[DoneWith], told: dict[str, Any]) -> Canvas:
        """A canvas with strokes reworked, from what was done and what undoes it."""

    def strokes(self, canvas: Canvas, done: Sequence[DoneWith], told: dict[str, Any]) -> list[dict[str, Any]]:
        """Strokes at a place of the picture, or of a layer, as a page shows them."""


class KeptPast:
    """The `Past` of a canvas that is kept. Whatever it reads it reads again where the database went away meanwhile."""

    def __init__(self, row: CanvasRow, journal: Journal) -> None:
        self._row = row
        self._journal = journal

    def brush(self, version_id: int) -> LoadedBrush:
        return with_database(lambda: load_version(self._row.owner_id, version_id))

    def before(self, number: int, canvas: Canvas) -> Change | None:
        return with_database(lambda: self._journal.before(number, canvas))

    def painted_before(self, number: int, canvas: Canvas) -> Change:
        other = with_database(lambda: as_it_was_before(self._row, number))
        return put_back(canvas, do(canvas, "take-up", {"from": other}))

    def again(self, number: int, canvas: Canvas, grains: GrainLayer) -> Change:
        return with_database(lambda: do_again(self._row, number, canvas, grains))

    def told(self, kind: str, told: dict[str, Any], done: Sequence[DoneWith]) -> dict[str, Any]:
        return with_database(lambda: with_needs(self._row, kind, told, [one.number for one, _ in done]))

    def recall(self, version_id: int, before: StrokesBefore) -> None:
        with_database(lambda: recall(self._row, version_id, before))

    def pen(self) -> PenPressure:
        return with_database(lambda: pen_of(self._row.owner_id))

    def rework(self, canvas: Canvas, done: Sequence[DoneWith], told: dict[str, Any]) -> Canvas:
        return with_database(lambda: rework(self._row, canvas, done, told, self._journal.before))

    def strokes(self, canvas: Canvas, done: Sequence[DoneWith], told: dict[str, Any]) -> list[dict[str, Any]]:
        return with_database(lambda: strokes_asked_for(self._row, canvas, done, told))
