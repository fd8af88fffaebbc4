"""The sockets, thin: one for a canvas, one for the benches, one for notices. `live.messages` says what they carry."""

from __future__ import annotations

import asyncio
import contextlib
import threading
from typing import Any

from channels.generic.websocket import AsyncWebsocketConsumer

from orvix.errors import OrvixError
from orvix.progress import Stopped, Watch
from orvix_web import notices
from orvix_web.accounts.people import painter_of
from orvix_web.benches import answers
from orvix_web.benches.questions import on_bench
from orvix_web.canvases.models import Canvas as CanvasRow
from orvix_web.errors import told as error_told
from orvix_web.live import messages, rooms
from orvix_web.live.session import CanvasSession, Viewer
from orvix_web.live.strips import StripSession, close_soon

NOT_FOUND, SIGNED_OUT, FAILED = 4404, 4401, 4500


async def owner_of(scope: Any) -> int | None:
    """The number of whoever opened a socket, None where nobody is signed in who must be."""

    def find() -> int | None:
        owner = painter_of(scope)
        return None if owner is None else owner.pk

    return await on_bench(find)


class CanvasConsumer(AsyncWebsocketConsumer):
    """One window on one canvas."""

    session: CanvasSession | None = None
    viewer: Viewer

    async def connect(self) -> None:
        """Accept, check whose canvas it is, and join its session."""
        await self.accept()
        canvas_id, token = self.scope["url_route"]["kwargs"]["canvas"], self.scope["url_route"]["kwargs"]["token"]

        def find() -> int | None:
            owner = painter_of(self.scope)
            found = owner is not None and CanvasRow.objects.filter(owner=owner, pk=canvas_id).exists()
            return owner.pk if owner is not None and found else None

        owner_id = await on_bench(find)
        if owner_id is None:
            await self._refuse("not-found", "This canvas no longer exists.", NOT_FOUND)
            return
        self.viewer = Viewer(self._send, token)
        session = await rooms.room(canvas_id, owner_id)
        try:
            await session.join(self.viewer)
        except Exception:
            await self._refuse(
                "failed", "The canvas could not be opened. Nothing was changed. Reload the page.", FAILED
            )
            raise
        self.session = session

    async def receive(self, text_data: str | None = None, bytes_data: bytes | None = None) -> None:
        """Queue a frame; refuse one that breaks the protocol."""
        if self.session is None:
            return
        try:
            self.session.take(self.viewer, messages.decode(bytes_data))
        except OrvixError as error:
            await self._send(messages.told("refused", **error_told(error)))

    async def disconnect(self, code: int) -> None:
        """Leave; an open stroke waits for the window to come back."""
        if self.session is not None:
            self.session.leave(self.viewer)

    async def _send(self, frame: bytes) -> None:
        await self.send(bytes_data=frame)

    async def _refuse(self, code: str, message: str, close: int) -> None:
        await self._send(messages.told("refused", code=code, message=message))
        await self.close(close)


class StripConsumer(CanvasConsumer):
    """The scribble strip of one brush bench; it ends with the page."""

    async def connect(self) -> None:
        """Accept and open a strip of its own."""
        owner_id = await owner_of(self.scope)
        if owner_id is None:
            await self.close(SIGNED_OUT)
            return
        await self.accept()
        self.viewer = Viewer(self._send, "strip")
        session = StripSession(owner_id)
        await session.join(self.viewer)
        self.session = session

    async def disconnect(self, code: int) -> None:
        """Leave, and end the strip."""
        if isinstance(self.session, StripSession):
            self.session.leave(self.viewer)
            close_soon(self.session)


MOST_CHANNELS = 40
"""How many questions a page may have open at once: a proof asks for each of its 24 looks, its readings and checks."""


class BenchConsumer(AsyncWebsocketConsumer):
    """Questions and answers for one bench. On each channel the newest question waits; older ones are not answered."""

    async def connect(self) -> None:
        """Accept; everything asked is checked for its owner."""
        self._waiting: dict[str, dict[str, Any]] = {}
        self._running: dict[str, asyncio.Task[None]] = {}
        self._stops: dict[str, threading.Event] = {}
        owner_id = await owner_of(self.scope)
        if owner_id is None:
            await self.close(SIGNED_OUT)
            return
        self._owner_id = owner_id
        await self.accept()

    async def receive(self, text_data: str | None = None, bytes_data: bytes | None = None) -> None:
        """Take a question; it replaces the one that waits on its channel, and what can give way gives way to it."""
        try:
            message = messages.decode(bytes_data)
            if not isinstance(message, messages.Ask):
                raise messages.BadMessage("message: benches take questions (kind 9) only")
            number, channel = message.told.get("id"), message.told.get("channel")
            if not isinstance(number, int) or not 0 <= number < 2**32 or not isinstance(channel, str):
                raise messages.BadMessage("question: must have an id from 0 to 4294967295 and a channel")
        except OrvixError as error:
            await self.send(bytes_data=messages.told("refused", **error_told(error)))
            return
        if channel not in self._running and len(self._running) >= MOST_CHANNELS:
            await self.send(
                bytes_data=messages.told("refused", code="bad-message", message=f"at most {MOST_CHANNELS} channels")
            )
            return
        self._waiting[channel] = message.told
        if channel in self._stops:
            self._stops[channel].set()
        if channel not in self._running:
            self._running[channel] = asyncio.create_task(self._answer_all(channel))

    async def disconnect(self, code: int) -> None:
        """Stop answering."""
        self._waiting.clear()
        for stop in self._stops.values():
            stop.set()
        for task in self._running.values():
            task.cancel()

    async def _answer_all(self, channel: str) -> None:
        try:
            while channel in self._waiting:
                told = self._waiting.pop(channel)
                stop = self._stops[channel] = threading.Event()
                try:
                    facts, rgba = await answers.ask(self._owner_id, told, Watch(asked_to_stop=stop.is_set))
                    frame = messages.answer(told["id"], facts, rgba)
                except Stopped:
                    continue
                except OrvixError as error:
                    frame = messages.answer(told["id"], {"refused": error_told(error)})
                with contextlib.suppress(OSError):  # the page has left meanwhile
                    await self.send(bytes_data=frame)
        finally:
            del self._running[channel]
            self._stops.pop(channel, None)


class NoticeConsumer(AsyncWebsocketConsumer):
    """Tells a page that something of its owner's changed, and which drafts did, at most ten times a second."""

    async def connect(self) -> None:
        """Accept and begin to listen."""
        await self.accept()  # so that the page is told why it is closed
        owner_id = await owner_of(self.scope)
        if owner_id is None:
            await self.close(SIGNED_OUT)
            return
        self._owner_id = owner_id
        self._listener = notices.listen(self._owner_id, drafts=True)
        await self.send(bytes_data=messages.told("listening"))
        self._task = asyncio.create_task(self._tell())

    async def disconnect(self, code: int) -> None:
        """Stop listening."""
        if hasattr(self, "_task"):
            notices.leave(self._owner_id, self._listener)
            self._task.cancel()

    async def _tell(self) -> None:
        with contextlib.suppress(asyncio.CancelledError, OSError):
            while True:
                await self._listener.event.wait()
                anything, drafts = self._listener.take()
                for news in drafts:
                    await self.send(bytes_data=messages.told("draft", **news))
                if anything:
                    await self.send(bytes_data=messages.told("changed"))
                await asyncio.sleep(0.1)
