"""A canvas as it is now, for whoever reads it: from the session that paints it, where one does, else from its rows."""

from __future__ import annotations

from collections.abc import Callable

from orvix.canvases.canvas import Canvas as CoreCanvas
from orvix_web.canvases.models import Canvas
from orvix_web.canvases.storage import load
from orvix_web.tiles.rendering import Recent

UnderHand = Callable[[int], CoreCanvas | None]
_loaded = Recent(2)
_painted: list[UnderHand] = []


class JustClosed(Exception):
    """The session of a canvas ended while it was asked: everything is in the rows."""


def ask_first(under_hand: UnderHand) -> None:
    """Ask this for a canvas by its number before its rows are read: a copy of what is painted, or none where nobody
    paints it here; raises JustClosed."""
    _painted.append(under_hand)


def picture(row: Canvas) -> CoreCanvas:
    """A canvas as it is now. For threads, never for the event loop. The caller has checked whose it is."""
    for under_hand in _painted:
        try:
            found = under_hand(row.pk)
        except JustClosed:
            row.refresh_from_db()
            continue
        if found is not None:
            return found
    return _loaded.get((row.pk, row.revision, row.stored_through), lambda: load(row).canvas)
