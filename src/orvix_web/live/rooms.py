"""The canvases that are open in this process, one session each. Touched on the event loop only."""

from __future__ import annotations

import asyncio

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


def opened(canvas_id: int) -> CanvasSession | None:
    """The session of a canvas if it is open."""
    return _open.get(canvas_id)


def _close_soon(session: CanvasSession) -> None:
    if _open.get(session.canvas_id) is not session:
        return
    del _open[session.canvas_id]
    task = asyncio.ensure_future(session.close())
    _closing[session.canvas_id] = task
    task.add_done_callback(lambda _: _closing.pop(session.canvas_id, None))


async def close_all() -> None:
    """Store and close every canvas; called when the server stops."""
    sessions = list(_open.values())
    _open.clear()
    await asyncio.gather(*(session.close() for session in sessions), *_closing.values(), return_exceptions=True)
