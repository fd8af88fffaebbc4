"""The sockets, over a real connection: painting, who may, resuming, two windows, and what bad messages do."""

from __future__ import annotations

import asyncio
import json
import struct
import threading
import time
from contextlib import contextmanager, suppress

import numpy as np
import pytest
from websockets.exceptions import ConnectionClosed, InvalidStatus
from websockets.sync.client import connect

from orvix.progress import Stopped
from orvix_web.canvases.models import Operation
from orvix_web.canvases.rows import load_stroke
from orvix_web.canvases.services import create_canvas
from orvix_web.canvases.storage import load
from orvix_web.live import messages, rooms, session
from tests.orvix_web.test_messages import begin_frame, end_frame, samples_frame

pytestmark = pytest.mark.django_db(transaction=True)
LIMIT_S = 20


class Page:
    """A page's end of a canvas socket."""

    def __init__(self, socket) -> None:
        self.socket = socket
        self.picture: np.ndarray | None = None
        self.updates = 0

    def next(self):
        frame = self.socket.recv(LIMIT_S)
        if frame[0] == messages.PIXELS:
            self._put(frame)
            return {"kind": "pixels"}
        if frame[0] == messages.ANSWER:
            number, size = struct.unpack("<II", frame[1:9])
            return {"kind": "answer", "id": number, **json.loads(frame[9 : 9 + size])}
        return json.loads(frame[1:])

    def until(self, kind: str, **facts) -> dict:
        for _ in range(3000):
            told = self.next()
            if told["kind"] == kind and facts.items() <= told.items():
                return told
        raise AssertionError(f"no {kind} came")

    def look(self, width: int, height: int, level: int = 0) -> None:
        self.picture = np.zeros((height >> level, width >> level, 4), np.uint8)
        self.socket.send(bytes([messages.VIEW]) + struct.pack("<Biiii", level, 0, 0, width, height))
        self.until("pixels")

    def paint(self, kit, samples, *, stroke=1, batch=9, end=True, **told) -> None:
        begin = {"brush": kit.brush.latest.pk, "colour": "#1b3f4b", "seed": 3, "pointer": "pen", **told}
        self.socket.send(begin_frame(stroke, begin))
        for first in range(0, len(samples), batch):
            self.socket.send(samples_frame(stroke, first, samples[first : first + batch]))
        if end:
            self.socket.send(end_frame(stroke, len(samples)))

    def _put(self, frame: bytes) -> None:
        _, update, _, _, count, _ = struct.unpack("<BIBBHd", frame[:17])
        at = 17
        for _ in range(count):
            left, top, width, height = struct.unpack("<iiII", frame[at : at + 16])
            at += 16
            rect = np.frombuffer(frame, np.uint8, width * height * 4, at).reshape(height, width, 4)
            at += width * height * 4
            if self.picture is not None:
                self.picture[top : top + height, left : left + width] = rect
        self.updates += 1
        self.socket.send(bytes([messages.ACK]) + struct.pack("<I", update))


@contextmanager
def page(live, address: str, origin: str | None = "own"):
    origin = live.url if origin == "own" else origin
    with connect(f"ws://127.0.0.1:{live.port}{address}", origin=origin, max_size=None, compression=None) as socket:
        yield Page(socket)


def room(live, kit, token: str = "a"):
    return page(live, f"/live/canvas/{kit.canvas.pk}/{token}/")


def settled(page_: Page) -> None:
    """Take what is still on its way."""
    while True:
        try:
            frame = page_.socket.recv(0.6)
        except TimeoutError:
            return
        if frame[0] == messages.PIXELS:
            page_._put(frame)


def test_a_stroke_is_acknowledged_after_its_row_and_the_page_holds_the_same_pixels(live, kit, wavy):
    with room(live, kit) as one:
        one.until("state")
        one.look(640, 384)
        one.paint(kit, wavy)
        assert one.until("committed", what="stroke")["number"] == 1
        assert Operation.objects.filter(canvas=kit.canvas, number=1, state="done").exists()
        settled(one)
        kept = load(kit.canvas).canvas
        assert np.array_equal(one.picture, kept.view(kept.spec.box))
        assert one.picture[..., 0].std() > 5


def test_what_is_stored_is_told_to_each_window_of_its_own_strokes(live, kit, wavy):
    with room(live, kit, "a") as one, room(live, kit, "b") as two:
        assert one.until("state")["stored"] is None
        one.paint(kit, wavy, stroke=7)
        assert one.until("state")["stored"] == 0, "it has painted, and nothing of it is stored yet"
        assert one.until("committed")["stored"] == 7
        assert two.until("committed")["stored"] is None


@pytest.mark.parametrize("level", [1, 3])
def test_a_page_that_looks_from_afar_gets_the_level_it_shows(live, kit, wavy, level):
    with room(live, kit) as one:
        one.look(640, 384, level)
        one.paint(kit, wavy)
        one.until("committed")
        settled(one)
        kept = load(kit.canvas).canvas
        assert np.array_equal(one.picture, kept.view(kept.spec.box, level))


@pytest.mark.slow
def test_two_windows_see_each_others_strokes_and_undo(live, kit, wavy):
    with room(live, kit, "a") as one, room(live, kit, "b") as two:
        for each in (one, two):
            each.look(640, 384)
        one.paint(kit, wavy)
        two.until("committed")
        settled(one)
        settled(two)
        assert np.array_equal(one.picture, two.picture)
        two.socket.send(bytes([messages.UNDO]))
        one.until("committed", what="undo")
        settled(one)
        settled(two)
        assert one.picture[..., :3].reshape(-1, 3).std(axis=0).max() == 0
        two.socket.send(bytes([messages.REDO]))
        assert one.until("committed", what="redo")["number"] == 1


def test_a_lost_connection_goes_on_in_the_middle_of_the_stroke(live, kit, wavy):
    with room(live, kit, "same") as one:
        one.until("state")
        one.paint(kit, wavy[:30], end=False)
        one.until("state", going={"stroke": 1, "received": 0, "mine": True})
    with room(live, kit, "same") as again:
        going = again.until("state")["going"]
        assert going["stroke"] == 1
        again.socket.send(samples_frame(1, going["received"], wavy[going["received"] :]))
        again.socket.send(end_frame(1, len(wavy)))
        again.until("committed")
    with room(live, kit, "whole") as fresh:
        fresh.paint(kit, wavy, stroke=2)
        fresh.until("committed", number=2)
    first, second = Operation.objects.filter(canvas=kit.canvas)
    assert bytes(first.samples) == bytes(second.samples)


def test_otherwise_it_is_committed_as_far_as_it_came(live, kit, wavy, monkeypatch):
    monkeypatch.setattr(session, "RESUME_SECONDS", 0.3)
    with room(live, kit, "gone") as one:
        one.until("state")
        one.paint(kit, wavy[:30], end=False)
        one.until("state", going={"stroke": 1, "received": 0, "mine": True})
    with room(live, kit, "later") as other:
        other.until("committed", what="stroke")
    assert Operation.objects.filter(canvas=kit.canvas, state="done").count() == 1


def test_a_stroke_in_another_window_ends_one_that_was_left(live, kit, wavy):
    with room(live, kit, "gone") as one:
        one.until("state")
        one.paint(kit, wavy[:30], end=False)
        one.until("state", going={"stroke": 1, "received": 0, "mine": True})
    with room(live, kit, "next") as two:
        two.until("state")
        two.paint(kit, wavy, stroke=5)
        two.until("committed", number=2)


def test_an_old_connection_given_up_late_does_not_end_the_stroke_that_went_on(live, kit, wavy, monkeypatch):
    monkeypatch.setattr(session, "RESUME_SECONDS", 0.2)
    with room(live, kit, "same") as old:
        old.until("state")
        old.paint(kit, wavy[:20], end=False)
        old.until("state", going={"stroke": 1, "received": 0, "mine": True})
        with room(live, kit, "same") as new, room(live, kit, "other") as other:
            going = new.until("state")["going"]
            assert not other.until("state")["going"]["mine"]
            old.socket.close()
            settled(other)
            new.socket.send(samples_frame(1, going["received"], wavy[going["received"] :]))
            new.socket.send(end_frame(1, len(wavy)))
            new.until("committed")
    assert len(load_stroke(kit.canvas, 1).samples) == len(wavy)


def test_closing_stores_and_opening_finds_everything(live, kit, wavy):
    with room(live, kit) as one:
        one.look(640, 384)
        for n in range(1, 4):
            one.paint(kit, wavy + np.array([0, 20 * n, 9 * n, 0, 0, 0, 0]), stroke=n)
            one.until("committed", number=n)
        settled(one)
        before = one.picture.copy()
    live.close_canvases()
    kit.canvas.refresh_from_db()
    assert kit.canvas.stored_through == 3
    kept = load(kit.canvas)
    assert np.array_equal(kept.shown, kept.canvas.view(kept.canvas.spec.box)), "and the picture for quick opening"
    with room(live, kit, "b") as again:
        again.look(640, 384)
        assert np.array_equal(again.picture, before)
        assert again.picture.std() > 5


BAD = [
    (begin_frame(1, {"brush": 10**9}), "This brush no longer exists"),
    (begin_frame(1, {"brush": 1, "mode": "wash"}), "Mode cannot be wash"),
    (samples_frame(7, 0, np.ones((2, 7))), "out of order"),
    (end_frame(7, 3), "out of order"),
    (bytes([messages.DROP]) + struct.pack("<I", 7), "out of order"),
    (bytes([messages.VIEW]) + struct.pack("<Biiii", 99, 0, 0, 9, 9), "Level cannot be 99"),
    (bytes([messages.VIEW]) + struct.pack("<Biiii", 0, 9000, 0, 9001, 9), "View cannot be"),
    (bytes([messages.ASK]) + b"{}", "canvases do not"),
    (b"\x77", "known are 1 to 11"),
    (b"", "must be one binary frame"),
    ("text", "must be one binary frame"),
]


def test_bad_messages_are_refused_by_rule_and_the_connection_goes_on(live, kit, wavy):
    import re

    with room(live, kit) as one:
        one.look(640, 384)
        for frame, message in BAD:
            one.socket.send(frame)
            told = one.until("refused")
            assert re.search(message, told["message"]), (frame[:20], told)
        assert Operation.objects.count() == 0
        one.paint(kit, wavy)
        one.until("committed")


def test_a_message_over_a_mebibyte_closes_the_connection_and_loses_nothing(live, kit, wavy):
    with room(live, kit) as one:
        one.until("state")
        one.paint(kit, wavy)
        one.until("committed")
        with suppress(ConnectionClosed):  # the server may hang up before all of it is sent
            one.socket.send(b"\x03" + b"\0" * (1 << 20))
        with pytest.raises(ConnectionClosed):
            one.until("never")
    assert Operation.objects.filter(canvas=kit.canvas, state="done").count() == 1


def test_a_hand_that_hovers_is_answered_and_does_not_keep_blocks_from_being_stored(live, kit, wavy):
    with room(live, kit) as one:
        one.until("state")
        one.paint(kit, wavy)
        one.until("committed")
        stroke = {"brush": kit.brush.latest.pk, "values": {"size": 30}}
        start, number = time.monotonic(), 0
        while not kit.canvas.blocks.exists() and time.monotonic() < start + LIMIT_S:
            number += 1
            told = {"id": number, "x": 90 + number % 50, "y": 100, "stroke": stroke}
            one.socket.send(bytes([messages.HOVER]) + json.dumps(told).encode())
            answer = one.until("answer", id=number)
            assert answer["width"] > 10
        assert kit.canvas.blocks.exists(), "stored while the hand never rested"
        one.socket.send(bytes([messages.HOVER]) + json.dumps({"stroke": stroke}).encode())
        assert "id" in one.until("refused")["message"]


def test_a_canvas_that_is_not_there_or_not_ones_own_is_refused(live, kit, stranger):
    theirs = create_canvas(stranger, "Theirs", {"width": 64, "height": 64})
    for number in (theirs.pk, 10**9):
        with page(live, f"/live/canvas/{number}/a/") as one:
            told = one.until("refused")
            assert told["code"] == "not-found"
            with pytest.raises(ConnectionClosed) as closed:
                one.until("state")
            assert closed.value.rcvd.code == 4404


@pytest.mark.slow
@pytest.mark.parametrize("origin", ["http://evil.example", "http://127.0.0.1:1", "null", None])
@pytest.mark.parametrize("path", ["bench/", "notices/", "canvas/1/a/"])
def test_another_sites_page_gets_no_socket(live, origin, path):
    with pytest.raises(InvalidStatus) as refused, page(live, f"/live/{path}", origin):
        pass
    assert refused.value.response.status_code == 403


class Bench(Page):
    def ask(self, number: int, **told) -> tuple[dict, bytes]:
        question = {"id": number, "channel": told["what"]} | told
        self.socket.send(bytes([messages.ASK]) + json.dumps(question).encode())
        while True:
            frame = self.socket.recv(LIMIT_S)
            kind, got, size = struct.unpack("<BII", frame[:9])
            if kind == messages.ANSWER and got == number:
                return json.loads(frame[9 : 9 + size]), frame[9 + size :]


def test_benches_answer_with_facts_and_pixels(live, kit):
    from orvix_web.brushes.loading import load_version
    from orvix_web.brushes.trials import SheetOrder, paint_sheet
    from orvix_web.tiles.rendering import tile_pixels

    with page(live, "/live/bench/") as one:
        bench = Bench(one.socket)
        facts, pixels = bench.ask(1, what="tile", recipe=kit.tile.latest.recipe, level=0)
        assert (facts["width"], facts["height"]) == (128, 128)
        grey = np.frombuffer(pixels, np.uint8).reshape(128, 128, 4)
        assert np.abs(grey[..., 0] - tile_pixels(kit.tile.latest)[..., 0] / 257).max() <= 0.51
        facts, _ = bench.ask(2, what="tile-readings", recipe=kit.tile.latest.recipe)
        assert facts["seam"]["by_construction"]
        facts, pixels = bench.ask(3, what="sheet", definition=kit.brush.latest.definition, factor=2)
        want = paint_sheet(load_version(kit.owner.pk, kit.brush.latest.pk), SheetOrder(factor=2))
        assert pixels == want.pixels.tobytes()
        facts, _ = bench.ask(4, what="grain", tile_version=kit.tile.latest.pk, tone={"contrast": 0.5})
        assert 0.2 < facts["cover"] < 0.8
        facts, pixels = bench.ask(5, what="canvas", canvas=kit.canvas.pk, level=1)
        assert (facts["width"], facts["height"]) == (320, 192)
        facts, _ = bench.ask(6, what="canvas-readings", canvas=kit.canvas.pk)
        assert facts["seam"]["by_construction"]
        facts, _ = bench.ask(7, what="canvas-fits", canvas=kit.canvas.pk, brush=kit.brush.latest.pk)
        assert facts["fits"][0]["closes"]


def test_benches_refuse_what_is_bad_or_not_ones_own(live, kit, stranger):
    from orvix_web.tiles.services import create_tile

    theirs = create_tile(stranger, "Theirs")
    bad = [
        ({"what": "nose"}, "Choose"),
        ({"what": "tile", "recipe": {"source": {"name": "noise"}, "size": [1, 1]}}, "Size cannot be 1"),
        ({"what": "tile", "recipe": kit.tile.latest.recipe, "level": -1}, "Level cannot be -1"),
        ({"what": "grain", "tile_version": theirs.latest.pk}, "no longer exists"),
        ({"what": "sheet", "definition": {"coats": []}}, "Coats"),
        ({"what": "sheet", "definition": kit.brush.latest.definition, "factor": 3}, "Factor cannot be 3"),
        ({"what": "canvas", "canvas": 10**9}, "no longer exists"),
        ({"what": "canvas-fits", "canvas": "x"}, "no longer exists"),
    ]
    with page(live, "/live/bench/") as one:
        bench = Bench(one.socket)
        for number, (told, message) in enumerate(bad):
            facts, pixels = bench.ask(number, **told)
            assert message in facts["refused"]["message"]
            assert pixels == b""
        one.socket.send(bytes([messages.UNDO]))
        assert "questions (kind 9) only" in one.until("refused")["message"]


def test_a_full_reading_gives_way_to_what_is_asked_after_it(live, kit, monkeypatch):
    from orvix_web.benches import answers as benches

    begun, ended, gone = threading.Event(), [], threading.Semaphore(0)

    def slow(state, *, quick, watch):
        begun.set()
        for _ in range(1000):
            time.sleep(0.01)
            if watch.asked_to_stop():
                ended.append("gave way")
                gone.release()
                raise Stopped("stopped: as asked")
        ended.append("went on")
        return {}

    monkeypatch.setattr(benches, "read_state", slow)
    with page(live, "/live/bench/") as one:
        first = {"id": 1, "channel": "readings", "what": "tile-readings", "recipe": kit.tile.latest.recipe}
        one.socket.send(bytes([messages.ASK]) + json.dumps(first).encode())
        assert begun.wait(LIMIT_S)
        facts, _ = Bench(one.socket).ask(2, what="nothing", channel="readings")
        assert "refused" not in facts
        assert ended == ["gave way"]
        begun.clear()
        one.socket.send(bytes([messages.ASK]) + json.dumps({**first, "id": 3}).encode())
        assert begun.wait(LIMIT_S)
    assert gone.acquire(timeout=LIMIT_S)
    assert gone.acquire(timeout=LIMIT_S)
    assert ended == ["gave way", "gave way"]  # a page that leaves leaves no work behind


def test_a_change_is_told_to_open_pages(live, kit):
    from orvix_web.tiles.services import keep_tile

    with page(live, "/live/notices/") as one:
        assert json.loads(one.socket.recv(LIMIT_S)[1:]) == {"kind": "listening"}
        keep_tile(kit.owner, kit.tile.pk, {**kit.tile.latest.recipe, "seed": 8})
        assert json.loads(one.socket.recv(LIMIT_S)[1:]) == {"kind": "changed"}


def test_a_stroke_that_cannot_be_stored_is_never_acknowledged_and_the_canvas_goes_back(live, kit, wavy, monkeypatch):
    from orvix_web.canvases.journal import Journal

    with room(live, kit) as one:
        one.look(640, 384)
        one.paint(kit, wavy)
        one.until("committed", number=1)
        settled(one)
        before = one.picture.copy()

        def fail(*_):
            raise OSError("no room left")

        with monkeypatch.context() as broken:
            broken.setattr(Journal, "commit", fail)
            one.paint(kit, wavy + np.array([0, 50, 60, 0, 0, 0, 0]), stroke=2)
            told = one.until("broken")
        assert "could not be saved" in told["message"]
    with room(live, kit, "again") as again:
        again.look(640, 384)
        settled(again)
        assert np.array_equal(again.picture, before)
        again.paint(kit, wavy, stroke=3)
        again.until("committed", number=2)
    assert Operation.objects.filter(canvas=kit.canvas).count() == 2


def edit(page_: Page, **told) -> None:
    page_.socket.send(bytes([messages.EDIT]) + json.dumps(told).encode())


def new_layers(page_: Page, *, name: str = "More") -> list[dict]:
    """The layers that a page would ask for: those it has and one more."""
    edit(page_, what="nothing-of-the-kind")
    page_.until("refused")
    return [{"id": 1, "name": "Layer 1"}, {"id": 2, "name": name}]


def test_nothing_behind_a_write_that_failed_is_written_and_the_canvas_opens_again(live, kit, wavy, monkeypatch):
    """A layer that is not stored, and strokes on it that came meanwhile: none of them may be in the log alone."""
    from orvix_web.canvases.journal import Journal, Record

    whole, failing = Journal.commit.__wrapped__, threading.Event()

    def once(journal, record: Record) -> None:
        if record.kind == "layers" and not failing.is_set():
            time.sleep(0.5)  # so that what comes behind waits in the queue
            failing.set()
            raise OSError("no room left")
        whole(journal, record)

    from orvix_web.canvases import journal as journals

    monkeypatch.setattr(Journal, "commit", journals.in_order(once))
    with room(live, kit) as one:
        one.look(640, 384)
        one.paint(kit, wavy)
        one.until("committed", number=1)
        edit(one, what="layers", layers=new_layers(one))
        for n in (2, 3):
            one.paint(kit, wavy + np.array([0, 20 * n, 30, 0, 0, 0, 0]), stroke=n, layer=2)
        told = one.until("broken")
        assert "could not be saved" in told["message"]
    assert failing.is_set()
    assert list(Operation.objects.filter(canvas=kit.canvas).values_list("number", flat=True)) == [1]
    with room(live, kit, "again") as again:
        again.look(640, 384)
        again.paint(kit, wavy, stroke=4)
        again.until("committed", number=2)


@pytest.mark.parametrize("name", ["half \ud83d of a pair", "nul \0 inside"])
def test_a_text_that_the_log_cannot_hold_is_refused_and_the_canvas_goes_on(live, kit, wavy, name):
    with room(live, kit) as one:
        one.look(640, 384)
        edit(one, what="layers", layers=new_layers(one, name=name))
        assert "must not hold NUL or half a pair" in one.until("refused")["message"]
        one.paint(kit, wavy)
        one.until("committed", number=1)


def end_all_backends() -> None:
    """End every other connection to this database, as a restart of its server does."""
    from django.db import connection

    with connection.cursor() as asked:
        asked.execute(
            "SELECT pg_terminate_backend(pid) FROM pg_stat_activity WHERE datname = current_database() "
            "AND pid <> pg_backend_pid()"
        )


@pytest.mark.slow
def test_a_canvas_whose_database_connections_were_ended_goes_on(live, kit, wavy):
    """Those of its paint thread, which reads the brush and waiting blocks, and of its journal."""
    with room(live, kit) as one:
        one.look(640, 384)
        one.paint(kit, wavy)
        one.until("committed", number=1)
        for n in (2, 3):
            end_all_backends()
            one.paint(kit, wavy + np.array([0, 0, 40 * n, 0, 0, 0, 0]), stroke=n, seed=n)
            one.until("committed", number=n)
        end_all_backends()
        one.socket.send(bytes([messages.UNDO]))
        one.until("committed", what="undo")
        settled(one)
        seen = one.picture.copy()
    with room(live, kit, "again") as again:
        again.look(640, 384)
        settled(again)
        assert np.array_equal(again.picture, seen)


@pytest.mark.slow
@pytest.mark.parametrize("limit", ["age", "weight"])
def test_a_hand_that_never_rests_is_stored_in_between(live, kit, wavy, monkeypatch, limit):
    monkeypatch.setattr(session, "IDLE_SECONDS", 60.0)
    monkeypatch.setattr(session, "STORE_SECONDS", 0.3 if limit == "age" else 600.0)
    if limit == "weight":
        monkeypatch.setattr(session, "MOST_UNSTORED", 1 << 20)
    with room(live, kit) as one:
        one.look(640, 384)
        for n in range(1, 200):
            one.paint(kit, wavy + np.array([0, 0, 7 * (n % 20), 0, 0, 0, 0]), stroke=n, seed=n)
            one.until("committed", number=n)
            kit.canvas.refresh_from_db()
            if kit.canvas.stored_through:
                break
        assert 0 < kit.canvas.stored_through <= n
        settled(one)
        seen = one.picture.copy()
    with room(live, kit, "again") as again:
        again.look(640, 384)
        settled(again)
        assert np.array_equal(again.picture, seen)


def test_what_was_painted_on_empty_ground_is_stored_by_its_age(live, kit, wavy, monkeypatch):
    """Nothing stood before it, so it weighs nothing; the hand goes on looking round and never rests."""
    monkeypatch.setattr(session, "IDLE_SECONDS", 60.0)
    monkeypatch.setattr(session, "STORE_SECONDS", 0.3)
    with room(live, kit) as one:
        one.look(640, 384)
        one.paint(kit, wavy)
        one.until("committed", number=1)
        for _ in range(200):
            one.look(640, 384)
            kit.canvas.refresh_from_db()
            if kit.canvas.stored_through:
                break
        assert kit.canvas.stored_through == 1


def test_an_opening_that_fails_is_refused_and_the_next_one_opens(live, kit, monkeypatch):
    def fail(*_):
        raise OSError("no room left")

    with monkeypatch.context() as broken:
        broken.setattr(session, "open_painting", fail)
        with room(live, kit) as one:
            assert one.until("refused")["code"] == "failed"
            with pytest.raises(ConnectionClosed):
                one.until("state")
    with room(live, kit) as again:
        assert again.until("state")["strokes"] == 0


def test_what_was_queued_before_the_server_stops_is_painted_and_kept(live, kit, wavy):
    begin = begin_frame(1, {"brush": kit.brush.latest.pk, "colour": "#1b3f4b", "seed": 3})
    frames = [begin, samples_frame(1, 0, wavy), end_frame(1, len(wavy))]

    async def queue_and_stop() -> None:
        session_ = await rooms.room(kit.canvas.pk, kit.owner.pk)
        (viewer,) = session_.viewers
        for frame in frames:
            session_.take(viewer, messages.decode(frame))
        del rooms._open[kit.canvas.pk]
        await session_.close()  # queues its stop behind them before anything of it is drained

    with room(live, kit) as one:
        one.until("state")
        asyncio.run_coroutine_threadsafe(queue_and_stop(), live.loop).result(LIMIT_S)
    assert Operation.objects.filter(canvas=kit.canvas, state="done").count() == 1
    assert len(load_stroke(kit.canvas, 1).samples) == len(wavy)


def test_a_joined_stroke_comes_in_on_the_other_side_at_once(live, kit, wavy):
    with room(live, kit) as one:
        one.look(640, 384)
        one.paint(kit, wavy + np.array([0, 500, 0, 0, 0, 0, 0]), end=False)
        one.until("state", going={"stroke": 1, "received": 0, "mine": True})
        settled(one)
        ground = np.array([0xF2, 0xEF, 0xE6])
        assert (one.picture[:, :80, :3] != ground).any(), "the left side shows what left on the right"
        assert (one.picture[:, 560:, :3] != ground).any()
        one.socket.send(bytes([messages.DROP]) + struct.pack("<I", 1))
        settled(one)
        assert (one.picture[..., :3] == ground).all()
    assert Operation.objects.count() == 0


def test_the_seam_of_a_painted_canvas_is_read_as_it_stands_in_the_middle_of_painting(live, kit, wavy):
    with room(live, kit) as one, page(live, "/live/bench/") as other:
        one.look(640, 384)
        one.paint(kit, wavy)
        one.until("committed")
        facts, _ = Bench(other.socket).ask(1, what="canvas-readings", canvas=kit.canvas.pk)
        kept = load(kit.canvas).canvas
        light = kept.view(kept.spec.box)[..., :3].astype(float) @ [0.2126, 0.7152, 0.0722] / 255
        assert abs(facts["tone"]["mean"] - light.mean()) < 1e-3
        assert facts["seam"]["by_construction"]
        assert facts["fits"][0]["grain"] == "Cloth grain"


def test_a_strip_is_painted_live_and_again_with_another_brush(live, kit, wavy):
    def brush(size: float, factor: int = 1) -> bytes:
        told = {"what": "brush", "definition": {"coats": [{"values": {"size": size, "flow": 1}}]}, "factor": factor}
        return bytes([messages.EDIT]) + json.dumps(told).encode()

    with page(live, "/live/strip/a/") as strip:
        strip.until("state")
        strip.paint(kit, wavy)
        strip.until("refused")
        settled(strip)
        strip.socket.send(brush(30))
        strip.until("state", strokes=0)
        strip.look(780, 120)
        strip.paint(kit, wavy, stroke=2)
        assert strip.until("state", strokes=1)["can_undo"]
        settled(strip)
        thick = (strip.picture[..., 0] < 200).sum()
        assert thick > 1000
        strip.paint(kit, wavy, stroke=3, end=False)
        strip.socket.send(brush(8))
        strip.socket.send(end_frame(3, len(wavy)))
        strip.until("state", strokes=2)
        settled(strip)
        assert 0 < (strip.picture[..., 0] < 200).sum() < 0.6 * thick
        strip.socket.send(brush(16, 2))
        strip.until("state", strokes=2)
        strip.look(1560, 240, 1)
        assert (strip.picture[..., 0] < 230).any()
        strip.socket.send(bytes([messages.EDIT]) + json.dumps({"what": "wash"}).encode())
        assert "must be brush, strokes or clear" in strip.until("refused")["message"]
        strip.socket.send(bytes([messages.EDIT]) + json.dumps({"what": "clear"}).encode())
        strip.until("state", strokes=0)


def test_a_strip_takes_back_the_strokes_that_a_page_kept(live, kit, wavy):
    def edit(**told) -> bytes:
        return bytes([messages.EDIT]) + json.dumps(told).encode()

    brush = {"what": "brush", "definition": {"coats": [{"values": {"size": 30, "flow": 1}}]}}
    kept = {"told": {"pointer": "mouse", "mouse": "fixed", "fixed": 1, "seed": 4}, "samples": wavy.tolist()}
    with page(live, "/live/strip/a/") as strip:
        strip.until("state")
        strip.socket.send(edit(what="strokes", strokes=[kept, {**kept, "told": {"pointer": "pen", "mouse": None}}]))
        strip.until("state", strokes=0)  # there is no brush yet to paint them with
        strip.socket.send(edit(**brush))
        assert strip.until("state", strokes=2)["can_undo"]
        strip.look(780, 120)
        settled(strip)
        both = (strip.picture[..., 0] < 200).sum()
        assert both > 1000
        strip.socket.send(bytes([messages.UNDO]))
        strip.until("state", strokes=1)
        for wrong in (
            "all",
            [1],
            [{"told": {}, "samples": [[1, 2]]}],
            [{"told": {"ink": 1}, "samples": []}],
            [kept] * 61,
        ):
            strip.socket.send(edit(what="strokes", strokes=wrong))
            strip.until("refused")
        for name, value in (("height", 40), ("pen", [[0, 1], [1, 0]])):
            strip.socket.send(edit(**brush, **{name: value}))
            assert strip.until("refused")
        strip.socket.send(edit(**brush, height=400))
        strip.until("state", strokes=1)
