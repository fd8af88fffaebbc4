"""A window on an open canvas: what it is sent, when, and that no more than two updates are ever in flight."""

from __future__ import annotations

import asyncio
import struct

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from orvix.canvases.canvas import Canvas, CanvasSpec
from orvix.errors import BadValue
from orvix_web import notices
from orvix_web.live import messages
from orvix_web.live.messages import View
from orvix_web.live.session import MOST_IN_FLIGHT, Viewer


async def nowhere(_: bytes) -> None:
    raise AssertionError("nothing is sent by a viewer itself")


def rects_of(frame: bytes) -> list[tuple[int, int, int, int]]:
    count = struct.unpack("<BIBBHd", frame[:17])[4]
    at, out = 17, []
    for _ in range(count):
        left, top, width, height = struct.unpack("<iiII", frame[at : at + 16])
        out.append((left, top, left + width, top + height))
        at += 16 + width * height * 4
    assert at == len(frame)
    return out


@pytest.fixture
def canvas() -> Canvas:
    return Canvas(CanvasSpec(700, 500))


@pytest.fixture
def viewer(canvas) -> Viewer:
    one = Viewer(nowhere, "t")
    one.look(View(0, (0, 0, 700, 500)), canvas)
    return one


def test_a_first_look_is_the_whole_box_and_a_new_one_replaces_what_was_pending(viewer, canvas):
    viewer.add([(10, 10, 20, 20)])
    viewer.look(View(2, (-50, 3, 333, 222)), canvas)
    frame = viewer.take_frame(canvas)
    assert rects_of(frame) == [(0, 0, 84, 56)]
    assert viewer.pending == []


def test_at_most_two_updates_are_in_flight_and_the_rest_merge(viewer, canvas):
    frames = []
    for n in range(6):
        viewer.add([(n * 10, 0, n * 10 + 10, 10)])
        if viewer.ready:
            frames.append(viewer.take_frame(canvas))
    assert len(frames) == MOST_IN_FLIGHT == 2
    viewer.in_flight.discard(struct.unpack("<I", frames[0][1:5])[0])
    assert viewer.ready
    assert rects_of(viewer.take_frame(canvas)) == [(20, 0, 60, 10)]


def test_what_is_out_of_sight_is_not_sent(viewer, canvas):
    viewer.look(View(0, (100, 100, 200, 200)), canvas)
    viewer.take_frame(canvas)
    viewer.add([(0, 0, 90, 90), (300, 300, 310, 310)])
    assert not viewer.ready
    viewer.add([(90, 90, 120, 110)])
    assert rects_of(viewer.take_frame(canvas)) == [(100, 100, 120, 110)]


@settings(max_examples=60)
@given(
    st.integers(0, 4),
    st.lists(st.tuples(st.integers(0, 699), st.integers(0, 499), st.integers(1, 80), st.integers(1, 80)), max_size=6),
)
def test_every_changed_px_in_sight_is_covered_at_every_level(level, changes):
    canvas = Canvas(CanvasSpec(700, 500))
    viewer = Viewer(nowhere, "t")
    viewer.look(View(level, (0, 0, 700, 500)), canvas)
    viewer.take_frame(canvas)
    boxes = [(x, y, min(x + w, 700), min(y + h, 500)) for x, y, w, h in changes]
    viewer.add(boxes)
    step = 1 << level
    covered = np.zeros((-(-500 // step), -(-700 // step)), bool)
    if viewer.ready:
        for left, top, right, bottom in rects_of(viewer.take_frame(canvas)):
            covered[top:bottom, left:right] = True
    for left, top, right, bottom in boxes:
        assert covered[top // step : -(-bottom // step), left // step : -(-right // step)].all()


@pytest.mark.parametrize("view", [View(9, (0, 0, 10, 10)), View(0, (800, 0, 900, 10)), View(0, (5, 5, 5, 9))])
def test_a_look_out_of_range_is_refused_and_the_old_one_stays(viewer, canvas, view):
    before = (viewer.level, viewer.box)
    with pytest.raises(BadValue):
        viewer.look(view, canvas)
    assert (viewer.level, viewer.box) == before


def test_a_look_at_too_many_px_is_refused():
    large = Canvas(CanvasSpec(16384, 16384))
    viewer = Viewer(nowhere, "t")
    with pytest.raises(BadValue, match="at most 16777216 px"):
        viewer.look(View(0, (0, 0, 16384, 16384)), large)
    viewer.look(View(3, (0, 0, 16384, 16384)), large)
    assert viewer.ready


def test_updates_are_numbered_apart(viewer, canvas):
    numbers = set()
    for _ in range(5):
        viewer.add([(0, 0, 5, 5)])
        numbers.add(struct.unpack("<I", viewer.take_frame(canvas)[1:5])[0])
    assert len(numbers) == 5


@pytest.mark.django_db(transaction=True)
def test_notices_reach_those_who_listen_and_only_after_the_commit(painter, stranger):
    from django.db import transaction

    async def listen() -> tuple[bool, bool, bool]:
        mine, theirs = notices.listen(painter.pk), notices.listen(stranger.pk)

        def change() -> bool:
            with transaction.atomic():
                notices.changed(painter.pk)
                early = mine.event.is_set()
            return early

        early = change()
        await asyncio.sleep(0)
        told = (early, mine.event.is_set(), theirs.event.is_set())
        notices.leave(painter.pk, mine)
        notices.leave(stranger.pk, theirs)
        return told

    assert asyncio.run(listen()) == (False, True, False)


def test_all_kinds_of_frames_are_apart():
    kinds = [messages.VIEW, messages.BEGIN, messages.SAMPLES, messages.END, messages.UNDO, messages.REDO]
    kinds += [messages.ACK, messages.DROP, messages.ASK, messages.PIXELS, messages.TOLD, messages.ANSWER]
    assert len(set(kinds)) == len(kinds)
