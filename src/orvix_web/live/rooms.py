"""The canvases that are open in this process, one session each. Touched on the event loop only."""

from __future__ import annotations

import asyncio
from contextlib import suppress

from orvix.canvases.canvas import Canvas as CoreCanvas
from orvix_web.canvases.models import Canvas
from orvix_web.canvases.storage import load
from orvix_web.live.session import CanvasSession
from orvix_web.tiles.rendering import Recent

_open: dict[int, CanvasSession] = {}
_loaded = Recent(2)
_closing: dict[int, asyncio.Task[None]] = {}


async def room(canvas_id: int, owner_id: int) -> CanvasSession:
    """The session of a canvas, opened if it is not; waits for one that is just being closed."""
    if canvas_id in _closing:
        await asyncio.shield(_closing[canvas_id])
    session = _open.get(canvas_id)
    if session is None:
        session = _open[canvas_id] = CanvasSession(canvas_id, owner_id, _close_soon)
    return session


def picture(row: Canvas) -> CoreCanvas:
    """A canvas as it is now: from its session where it is open, else from its rows.

    For threads, never for the event loop. The caller has checked whose it is.
    """
    session = _open.get(row.pk)
    if session is not None:
        with suppress(RuntimeError):  # its threads ended in between: everything is in the rows
            return asyncio.run_coroutine_threadsafe(session.picture(), session.loop).result(60)
        row.refresh_from_db()
    return _loaded.get((row.pk, row.revision, row.stored_through), lambda: load(row).canvas)


def _close_soon(session: CanvasSession) -> None:
    if _open.get(session.canvas_id) is not session:
        return
    del _open[session.canvas_id]
    task = asyncio.ensure_future(session.close())
    _closing[session.canvas_id] = task
    task.add_done_callback(lambda _: _closing.pop(session.canvas_id, None))


def write_nothing_more() -> None:
    """Refuse every further write of the canvases that are open: another server has them now."""
    for session in list(_open.values()):
        session.write_nothing_more()


async def close_all() -> None:
    """Store and close every canvas; called when the server stops."""
    sessions = list(_open.values())
    _open.clear()
    await asyncio.gather(*(session.close() for session in sessions), *_closing.values(), return_exceptions=True)
