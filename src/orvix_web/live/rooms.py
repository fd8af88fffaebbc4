"""The canvases that are open in this process, one session each. Touched on the event loop only."""

from __future__ import annotations

import asyncio

from orvix.canvases.canvas import Canvas as CoreCanvas
from orvix_web.canvases.pictures import JustClosed, ask_first
from orvix_web.live.session import CanvasSession

_open: dict[int, CanvasSession] = {}
_closing: dict[int, asyncio.Task[None]] = {}


async def room(canvas_id: int, owner_id: int) -> CanvasSession:
    """The session of a canvas, opened if it is not; waits for one that is just being closed."""
    if canvas_id in _closing:
        await asyncio.shield(_closing[canvas_id])
    session = _open.get(canvas_id)
    if session is None:
        session = _open[canvas_id] = CanvasSession(canvas_id, owner_id, _close_soon)
    return session


def picture_under_hand(canvas_id: int) -> CoreCanvas | None:
    """A copy of a canvas that is open here, or none; see `canvases.pictures`."""
    session = _open.get(canvas_id)
    if session is None:
        return None
    try:
        return asyncio.run_coroutine_threadsafe(session.picture(), session.loop).result(60)
    except RuntimeError as error:  # its threads ended in between
        raise JustClosed from error


ask_first(picture_under_hand)


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
