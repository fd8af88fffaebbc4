"""One open canvas: its paint thread, its journal thread, and the windows that look at it. No sockets in it.

Messages are queued and drained by one task. What has piled up is painted in one go on the paint thread, which also
cuts the changed rectangles for every window that is ready; a window has at most two updates in flight, and
what changes meanwhile merges. A stroke is acknowledged when the journal thread has committed it.
"""

from __future__ import annotations

import asyncio
import logging
from collections.abc import Awaitable, Callable, Coroutine
from concurrent.futures import Future, ThreadPoolExecutor
from dataclasses import dataclass, field
from itertools import count
from math import inf
from typing import Any, NamedTuple

from django.db import connection

from orvix.canvases.canvas import MOST_LEVEL, Canvas
from orvix.errors import BadValue, OrvixError
from orvix.geometry import Box, aligned, area, clip, merged
from orvix_web.canvases.journal import Journal, Record
from orvix_web.canvases.models import Canvas as CanvasRow
from orvix_web.canvases.storage import MOST_UNSTORED
from orvix_web.database import with_database
from orvix_web.errors import told as error_told
from orvix_web.live import messages
from orvix_web.live.messages import Ask, Batch, Begin, Edit, End, Hovering, Message, Plain, View
from orvix_web.live.painting import Painting, open_painting
from orvix_web.notices import leave, listen
from orvix_web.tiles.thumbnails import thumbnail

logger = logging.getLogger(__name__)

RESUME_SECONDS = 10.0
IDLE_SECONDS = 0.4
STORE_SECONDS = 5.0
"""What is painted is stored after so long, even where the hand never rests."""
MOST_WAITING = 4 * MOST_UNSTORED
"""Octets of what is not stored yet from which on painting waits for what is being stored."""
PICTURE_SECONDS = 20.0
"""So often, at most, the picture for quick opening is kept while a canvas is painted; and when it is closed."""
LINGER_SECONDS = 30.0
"""How long a canvas nobody looks at stays in memory: its proof and its export read it from there."""
MOST_IN_FLIGHT = 2
MOST_VIEW_PX = 4096 * 4096

Send = Callable[[bytes], Awaitable[None]]
Queued = tuple["Viewer | None", "Message | str | None"]
STOP: Queued = (None, "stop")
LOOK: Queued = (None, "look")
REST: Queued = (None, "rest")
SETTLE: Queued = (None, "settle")
_updates = count(1)


class Painter(NamedTuple):
    """Whose stroke is under way: the token of a page, and the number it gave the stroke. Its numbers ascend."""

    token: str
    stroke: int


@dataclass(eq=False)
class Viewer:
    """One window: what it looks at, what it has not been sent yet, and what it has not acknowledged yet."""

    send: Send
    token: str
    level: int = 0
    box: Box = (0, 0, 0, 0)
    pending: list[Box] = field(default_factory=list)
    stamp: float = 0.0
    in_flight: set[int] = field(default_factory=set)
    edited: int = 0
    """The number of the last of its edits that was answered."""

    @property
    def ready(self) -> bool:
        """Whether it may be sent an update."""
        return bool(self.pending) and len(self.in_flight) < MOST_IN_FLIGHT

    def look(self, view: View, canvas: Canvas) -> None:
        """Look at another box or level; raises BadValue."""
        box = seen_box(view, canvas)
        self.level, self.box, self.pending = view.level, box, [box]

    def keep_within(self, canvas: Canvas) -> None:
        """The canvas may be smaller now than when it looked."""
        if clip(self.box, canvas.spec.box) != self.box:
            self.box = clip(self.box, canvas.spec.box)
            self.pending = [box for one in self.pending if area(box := clip(one, self.box))]

    def add(self, boxes: list[Box]) -> None:
        """Remember changed boxes, as far as they are in sight."""
        for box in boxes:
            seen = clip(aligned(box, 1 << self.level), self.box)
            if area(seen):
                self.pending.append(seen)

    def take_frame(self, painting: Painting) -> bytes:
        """Cut the pending rectangles and count them as in flight."""
        boxes, self.pending = merged(self.pending), []
        update = next(_updates) & 0xFFFFFFFF
        self.in_flight.add(update)
        rects = [(box[0] >> self.level, box[1] >> self.level, painting.view(box, self.level)) for box in boxes]
        return messages.pixels(update, self.level, self.stamp, rects)


def seen_box(view: View, canvas: Canvas) -> Box:
    """What of a canvas is seen by someone who looks at a box at a level, in px of the canvas; raises BadValue."""
    if not 0 <= view.level <= MOST_LEVEL:
        raise BadValue("level", view.level, f"must be 0 to {MOST_LEVEL}")
    box = clip(aligned(clip(view.box, canvas.spec.box), 1 << view.level), canvas.spec.box)
    if area(box) == 0 or area(box) >> (2 * view.level) > MOST_VIEW_PX:
        raise BadValue("view", view.box, f"must touch the canvas and hold at most {MOST_VIEW_PX} px of its level")
    return box


class CanvasSession:
    """See the module's docstring. `closed` is called when nobody has looked for a while and all is stored."""

    def __init__(self, canvas_id: int, owner_id: int, closed: Callable[[CanvasSession], None]) -> None:
        self.canvas_id = canvas_id
        self._owner_id = owner_id
        self.viewers: set[Viewer] = set()
        self.painting: Painting | None = None
        self._closed = closed
        self._journal = Journal(canvas_id, owner_id)
        self._paint = ThreadPoolExecutor(1, f"paint-{canvas_id}")
        self._write = ThreadPoolExecutor(1, f"journal-{canvas_id}")
        self.loop = asyncio.get_running_loop()
        self._queue: asyncio.Queue[Queued] = asyncio.Queue()
        self.painter: Painter | None = None
        """Whose stroke is under way."""
        self._stored: dict[str, int] = {}
        """The newest stored stroke of each page that has painted here, by its token; 0 before the first is stored."""
        self._refused: set[int] = set()
        """Strokes that could not begin: what still comes of them is passed over, they were answered once."""
        self._leaving: asyncio.TimerHandle | None = None
        self._broken = False
        self._picture_due = False
        self._pictured_at = -inf
        self._restless = True
        self._changed_at = self.loop.time()
        self._stored_at = self.loop.time()
        self._storing: asyncio.Task[None] | None = None
        self._last_seen = self.loop.time()
        self._errands: set[asyncio.Task[None]] = set()
        self._notice = listen(owner_id)
        self._listening = asyncio.ensure_future(self._listen())
        self._opening = asyncio.ensure_future(self._open())
        self._task = asyncio.create_task(self._drain())

    async def join(self, viewer: Viewer) -> None:
        """Add a window; raises what opening the canvas raised."""
        try:
            await asyncio.shield(self._opening)
        except Exception:
            self._closed(self)  # the next window opens the canvas anew
            raise
        self.viewers.add(viewer)
        if self._leaving is not None and self._paints(viewer):
            self._leaving.cancel()
            self._leaving = None
        await viewer.send(self._state(viewer))

    def leave(self, viewer: Viewer) -> None:
        """Take a window away. Its open stroke waits ten seconds for it to come back."""
        self.viewers.discard(viewer)
        self._last_seen = self.loop.time()
        if any(other.token == viewer.token for other in self.viewers):
            return  # the page came back before its old connection was given up
        if self._paints(viewer) and self._leaving is None:
            self._leaving = self.loop.call_later(RESUME_SECONDS, lambda: self._queue.put_nowait((None, None)))
        elif not self.viewers and self._leaving is None:
            self._queue.put_nowait((None, None))

    def take(self, viewer: Viewer, message: Message) -> None:
        """Queue a message; acknowledgements count at once."""
        if isinstance(message, Plain) and message.kind == messages.ACK:
            viewer.in_flight.discard(message.number)
            if not viewer.pending:
                return
        self._queue.put_nowait((viewer, message))

    async def picture(self) -> Canvas:
        """The canvas as it is between strokes, for reading; shares its blocks."""
        await asyncio.shield(self._opening)

        def copy() -> Canvas:
            assert self.painting is not None
            return self.painting.canvas.copy()

        return await self.loop.run_in_executor(self._paint, copy)

    async def _listen(self) -> None:
        """When something of the owner's has changed, a fill may show another tile."""
        while True:
            await self._notice.event.wait()
            self._notice.take()
            if self.painting is not None and self.painting.shows_tiles:
                self._queue.put_nowait(LOOK)

    def write_nothing_more(self) -> None:
        """Refuse every further write, from any thread."""
        self._journal.failed = True

    async def close(self) -> None:
        """Store everything and end the threads."""
        self._listening.cancel()
        leave(self._owner_id, self._notice)
        self._queue.put_nowait(STOP)
        await asyncio.gather(self._task, return_exceptions=True)
        try:
            if self.painting is not None and not self._broken:
                await self.loop.run_in_executor(self._paint, self.painting.end_as_it_is)
                await self._store(last=True)
        finally:
            for executor in (self._paint, self._write):
                await self.loop.run_in_executor(executor, lambda: connection.close())  # the thread's own
                executor.shutdown(wait=False)

    async def _open(self) -> None:
        def open_it() -> Painting:
            row = CanvasRow.objects.get(pk=self.canvas_id)
            return open_painting(row, self._journal, _Log(self, self._journal))

        def patiently() -> Painting:
            return with_database(open_it)

        self.painting = await self.loop.run_in_executor(self._paint, patiently)

    async def _drain(self) -> None:
        await asyncio.shield(self._opening)
        while True:
            pause = IDLE_SECONDS if self._restless else LINGER_SECONDS / 4
            resting = self.loop.call_later(pause, self._queue.put_nowait, REST)
            queued = [await self._queue.get()]
            resting.cancel()
            while not self._queue.empty():
                queued.append(self._queue.get_nowait())
            work = [one for one in queued if one not in (REST, STOP)]
            changes = any(one not in (LOOK, SETTLE) and not isinstance(one[1], Hovering) for one in work)
            self._restless = bool(work)
            self._changed_at = self.loop.time() if changes else self._changed_at
            if work and not self._broken:
                news, frames = await self.loop.run_in_executor(self._paint, self._work, work)
                for viewer, frame in [*news, *frames]:
                    await self._send(viewer, frame)
            if STOP in queued or self._broken:
                return
            await self._store_in_time()
            if not work or (not changes and self.loop.time() - self._changed_at > IDLE_SECONDS):
                self._changed_at = inf  # a hand that goes on hovering is not rested for again
                await self._rest()

    async def _rest(self) -> None:
        """What is done while nothing comes: store blocks; close when nobody has looked for a while."""
        if self.painting is None or self.painting.open_stroke is not None:
            return
        await self._store()
        if self.painting.unsettled:
            self._queue.put_nowait(SETTLE)
        left = self.loop.time() - self._last_seen
        if not self.viewers and self._leaving is None and self._queue.empty() and left > LINGER_SECONDS:
            self._closed(self)

    async def _store_in_time(self) -> None:
        """Between strokes of a hand that never rests: store what is old or weighs much, while painting goes on."""
        painting = self.painting
        if painting is None or painting.open_stroke is not None:
            return
        weight = painting.unstored_weight
        if self._storing is not None and not self._storing.done():
            if weight < MOST_WAITING:
                return
            await self._storing
        # What was painted on empty ground weighs nothing here, and is stored by its age.
        if weight > MOST_UNSTORED or self.loop.time() - self._stored_at > STORE_SECONDS:
            written = await self._take_unstored()
            if written is not None:
                self._storing = self.loop.create_task(self._written_down(written))

    async def _keep_picture(self) -> None:
        """Keep the whole picture for quick opening: heavy, so not after every stroke."""
        assert self.painting is not None
        kept = await self.loop.run_in_executor(self._paint, self.painting.picture_kept)
        if kept is not None:
            self._picture_due, self._pictured_at = False, self.loop.time()
            try:
                await self.loop.run_in_executor(self._write, lambda: self._journal.picture(*kept))
            except Exception:
                logger.exception("canvas %s: its picture could not be kept; it opens more slowly", self.canvas_id)

    async def _take_unstored(self) -> Future[None] | None:
        """Hand what is not stored yet to the journal thread, in its order; none where there is nothing."""

        def prepare() -> Callable[[], None] | None:
            assert self.painting is not None
            unstored = self.painting.take_unstored()
            if unstored is None:
                return None
            small = thumbnail(self.painting.shown.small)

            def write() -> None:
                self._journal.store(*unstored)
                self._journal.thumbnail(small)

            return write

        self._stored_at = self.loop.time()
        write = await self.loop.run_in_executor(self._paint, prepare)
        return None if write is None else self._write.submit(write)

    async def _written_down(self, written: Future[None]) -> None:
        try:
            await asyncio.wrap_future(written)
        except Exception:
            logger.exception("canvas %s: blocks could not be stored", self.canvas_id)
            await self._break()
        self._picture_due = True

    async def _store(self, *, last: bool = False) -> None:
        written = await self._take_unstored()
        if written is not None:
            await self._written_down(written)
        if self._broken:
            return
        if self._picture_due and (last or self.loop.time() - self._pictured_at > PICTURE_SECONDS):
            await self._keep_picture()

    def _work(self, queued: list[Queued]) -> tuple[list[Any], list[Any]]:
        """On the paint thread: do what was asked, then cut rectangles for the windows that are ready."""
        news: list[tuple[Viewer, bytes]] = []
        for viewer, message in queued:
            try:
                self._do(viewer, message, news)
            except OrvixError as error:
                if viewer is not None:
                    news.append((viewer, _refused(viewer, message, error_told(error))))
            except Exception:
                logger.exception("canvas %s: a message failed", self.canvas_id)
                if viewer is not None:
                    refusal = {"code": "failed", "message": "Orvix could not do this. Nothing was changed."}
                    news.append((viewer, _refused(viewer, message, refusal)))
        assert self.painting is not None
        painting = self.painting
        return news, [(viewer, viewer.take_frame(painting)) for viewer in list(self.viewers) if viewer.ready]

    def _do(self, viewer: Viewer | None, message: Message | str | None, news: list[tuple[Viewer, bytes]]) -> None:
        painting = self.painting
        assert painting is not None
        boxes: list[Box] = []
        if message == LOOK[1]:
            boxes = painting.refresh_fills()
            if not boxes:
                return
        elif message == SETTLE[1]:
            boxes = painting.settle()
        elif viewer is None or message is None:
            if self._leaving is not None or not self.viewers:
                self._leaving = None
                boxes = painting.end_as_it_is()[1]
                self.painter = None
        elif isinstance(message, View):
            viewer.look(message, painting.canvas)
        elif isinstance(message, Begin):
            if self._leaving is not None:
                self.loop.call_soon_threadsafe(self._leaving.cancel)
                self._leaving = None
                boxes = painting.end_as_it_is()[1]
            self._begin(painting, viewer, message)
        elif isinstance(message, Batch | End) and message.stroke in self._refused:
            if isinstance(message, End):
                self._refused.discard(message.stroke)
                news.append((viewer, messages.told("nothing", stroke=message.stroke)))
            return
        elif isinstance(message, Batch):
            self._must_be_painter(viewer, message.stroke)
            boxes = painting.carry_on(message)
            viewer.stamp = message.stamp
        elif isinstance(message, End):
            self._must_be_painter(viewer, message.stroke)
            number, boxes = painting.end(message)
            self.painter = None
            if not number:
                news.append((viewer, messages.told("nothing", stroke=message.stroke)))
        elif isinstance(message, Ask):
            raise messages.BadMessage("message of kind 9: benches ask, canvases do not")
        elif isinstance(message, Hovering):
            news.append((viewer, _hovered(painting, viewer, message)))
            return
        elif isinstance(message, Edit):
            boxes = self._edit(painting, message)
            viewer.edited = message.number or viewer.edited
        elif isinstance(message, Plain):
            boxes = self._do_plain(viewer, message)
        boxes = painting.grown(boxes)
        for each in list(self.viewers):
            each.keep_within(painting.canvas)
            each.add(boxes)
            if not isinstance(message, View | Batch) and not _is_ack(message) and message != SETTLE[1]:
                news.append((each, self._state(each)))

    def _begin(self, painting: Painting, viewer: Viewer, message: Begin) -> None:
        try:
            painting.begin(message)
        except OrvixError:
            self._refused.add(message.stroke)
            raise
        self._refused.discard(message.stroke)
        self.painter = Painter(viewer.token, message.stroke)
        self._stored.setdefault(viewer.token, 0)

    def _edit(self, painting: Painting, message: Edit) -> list[Box]:
        if message.told.get("what") == "go-to":
            return painting.go_to(message.told.get("number"))
        if message.told.get("what") != "keep-state":
            return painting.edit(message.told)
        kept, small, made_of = painting.keep_state()

        def keep() -> None:
            self._journal.keep(kept, thumbnail(small), made_of)

        self.log(keep, "state", 0)
        return []

    def _paints(self, viewer: Viewer) -> bool:
        return self.painter is not None and self.painter.token == viewer.token

    def _must_be_painter(self, viewer: Viewer, stroke: int) -> None:
        if not self._paints(viewer):
            raise messages.BadMessage(f"stroke {stroke}: out of order, it is not under way in this window")

    def _do_plain(self, viewer: Viewer, message: Plain) -> list[Box]:
        assert self.painting is not None
        if message.kind == messages.UNDO:
            return self.painting.undo()[1]
        if message.kind == messages.REDO:
            return self.painting.redo()[1]
        if message.kind == messages.DROP:
            self._must_be_painter(viewer, message.number)
            self.painter = None
            return self.painting.drop(message.number)
        return []

    def _state(self, viewer: Viewer) -> bytes:
        assert self.painting is not None
        stroke = self.painting.open_stroke
        going = {"stroke": stroke[0], "received": stroke[1], "mine": self._paints(viewer)} if stroke else None
        known = {"edited": viewer.edited, "stored": self._stored.get(viewer.token)}
        return messages.told("state", going=going, **known, **self.painting.state())

    async def _send(self, viewer: Viewer, frame: bytes) -> None:
        try:
            await viewer.send(frame)
        except Exception:
            self.leave(viewer)

    def log(self, work: Callable[[], None], kind: str, number: int, painter: Painter | None = None) -> None:
        """Run a write on the journal thread; when it is committed, say so to every window."""

        def done(future: Future[None]) -> None:
            error = future.exception()
            if error is not None:
                logger.error("canvas %s: operation %s was not stored", self.canvas_id, number, exc_info=error)
            self.loop.call_soon_threadsafe(self._written, kind, number, painter, error is None)

        self._write.submit(work).add_done_callback(done)

    def flush(self) -> None:
        """Wait until the journal thread has written everything so far; for the paint thread."""
        self._write.submit(lambda: None).result(30)

    def _written(self, kind: str, number: int, painter: Painter | None, good: bool) -> None:
        if not good:
            self._soon(self._break())
            return
        if painter is not None:
            self._stored[painter.token] = painter.stroke
        for viewer in list(self.viewers):
            stored = self._stored.get(viewer.token)
            self._soon(self._send(viewer, messages.told("committed", what=kind, number=number, stored=stored)))

    def _soon(self, work: Coroutine[Any, Any, None]) -> None:
        task = self.loop.create_task(work)
        self._errands.add(task)
        task.add_done_callback(self._errands.discard)

    async def _break(self) -> None:
        """A write failed: forget what is in memory; whoever comes back reads what was committed."""
        if self._broken:
            return
        self._broken = True
        self._closed(self)
        message = "The last change could not be saved. The canvas shows the last saved state."
        frame = messages.told("broken", code="not-stored", message=message)
        for viewer in list(self.viewers):
            await self._send(viewer, frame)


def _refused(viewer: Viewer, message: Message | str | None, why: dict[str, Any]) -> bytes:
    """The answer to what could not be done; an edit is named by its number."""
    number = message.number if isinstance(message, Edit) else 0
    viewer.edited = number or viewer.edited
    return messages.told("refused", **why, **({"edit": number} if number else {}))


def _hovered(painting: Painting, viewer: Viewer, message: Hovering) -> bytes:
    """The answer to a hand that looks before it presses, or in it why there is none: so far nothing is refused.

    What it would lay first; or, where told `what` "strokes", those at a place or of a layer; "selection", its paths;
    "history", its steps with pictures; "settled", how much the window has not been shown yet.
    """
    number = message.told.get("id")
    if type(number) is not int or not 0 <= number < 2**32:
        raise messages.BadMessage("hover: must have an id from 0 to 4294967295")
    try:
        if message.told.get("what") == "strokes":
            return messages.answer(number, {"strokes": painting.strokes(message.told)})
        if message.told.get("what") == "settled":
            return messages.answer(number, {"pending": len(viewer.pending), "in_flight": len(viewer.in_flight)})
        if message.told.get("what") == "selection":
            return messages.answer(number, painting.selection(message.told))
        if message.told.get("what") == "history":
            return messages.answer(number, *painting.history(message.told))
        return messages.answer(number, *painting.next_stamp(message.told))
    except OrvixError as error:
        return messages.answer(number, {"refused": error_told(error)})


def _is_ack(message: Message | str | None) -> bool:
    """Whether a message only says that pixels have come: it changes nothing that a page would have to be told."""
    return isinstance(message, Plain) and message.kind == messages.ACK


class _Log:
    """The painting's log, run on the session's journal thread."""

    def __init__(self, session: CanvasSession, journal: Journal) -> None:
        self._session = session
        self._journal = journal

    def commit(self, record: Record) -> None:
        painter = self._session.painter if record.kind == "stroke" else None
        self._session.log(lambda: self._journal.commit(record), record.kind, record.number, painter)

    def undo(self, number: int, restored: Any) -> None:
        self._session.log(lambda: self._journal.undo(number, restored), "undo", number)

    def redo(self, number: int) -> None:
        self._session.log(lambda: self._journal.redo(number), "redo", number)

    def flush(self) -> None:
        self._session.flush()
