"""The octets of the live connection: nothing is believed before it is checked."""

from __future__ import annotations

import json
import struct
from contextlib import suppress

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from orvix.errors import OrvixError
from orvix_web.live import messages
from orvix_web.live.messages import Batch, Begin, End, Plain, View, decode


def samples_frame(stroke: int, first: int, rows: np.ndarray, stamp: float = 5.5) -> bytes:
    return bytes([messages.SAMPLES]) + struct.pack("<IId", stroke, first, stamp) + rows.astype("<f4").tobytes()


def begin_frame(stroke: int, told: dict) -> bytes:
    return bytes([messages.BEGIN]) + struct.pack("<I", stroke) + json.dumps(told).encode()


def end_frame(stroke: int, count: int) -> bytes:
    return bytes([messages.END]) + struct.pack("<II", stroke, count)


def test_good_frames_are_read():
    view = bytes([messages.VIEW]) + struct.pack("<Biiii", 2, 0, -4, 100, 200)
    assert decode(view) == View(2, (0, -4, 100, 200))
    assert decode(begin_frame(9, {"brush": 3})) == Begin(9, {"brush": 3})
    assert decode(end_frame(9, 40)) == End(9, 40)
    assert decode(bytes([messages.UNDO])) == Plain(messages.UNDO)
    assert decode(bytes([messages.ACK]) + struct.pack("<I", 7)) == Plain(messages.ACK, 7)
    batch = decode(samples_frame(9, 4, np.ones((3, 7))))
    assert isinstance(batch, Batch)
    assert (batch.stroke, batch.first, batch.stamp, batch.samples.shape) == (9, 4, 5.5, (3, 7))


BAD = {
    "nothing": None,
    "empty": b"",
    "unknown kind": b"\x7fabc",
    "short view": b"\x01\x00",
    "long undo": b"\x05\x00",
    "begin without json": b"\x02\x00\x00\x00\x00{",
    "begin with a list": b"\x02\x00\x00\x00\x00[]",
    "samples of odd length": b"\x03" + b"\0" * 16 + b"\0" * 27,
    "no samples": b"\x03" + b"\0" * 16,
    "too many samples": samples_frame(1, 0, np.zeros((messages.MOST_BATCH + 1, 7))),
    "too long": b"\x03" + b"\0" * (1 << 20),
    "deep json": b"\x09" + b"[" * 100_000,
}


@pytest.mark.parametrize("name", BAD)
def test_bad_frames_are_refused_with_a_reason(name):
    with pytest.raises(OrvixError) as refused:
        decode(BAD[name])
    assert len(str(refused.value)) > 10


@given(st.binary(max_size=200))
def test_any_octets_are_read_or_refused(frame):
    with suppress(OrvixError):
        decode(frame)


def test_what_is_sent_has_its_lengths():
    rgba = np.arange(24, dtype=np.uint8).reshape(2, 3, 4)
    frame = messages.pixels(7, 1, 2.5, [(4, -2, rgba)])
    assert struct.unpack("<BIBBHd", frame[:17]) == (messages.PIXELS, 7, 1, messages.RAW, 1, 2.5)
    assert struct.unpack("<iiII", frame[17:33]) == (4, -2, 3, 2)
    assert frame[33:] == rgba.tobytes()
    assert json.loads(messages.told("state", a=1)[1:]) == {"kind": "state", "a": 1}
