"""The octets of the live connection: what a page sends, what it gets, and what is refused. docs/formats/live.md.

All numbers are little-endian. A frame is one kind octet and a body; nothing of a frame is believed before its length,
its kind and every count in it have been checked.
"""

from __future__ import annotations

import json
import struct
from dataclasses import dataclass
from typing import Any

import numpy as np
from numpy.typing import NDArray

from orvix.errors import BadValue, OrvixError
from orvix.geometry import Box

VIEW, BEGIN, SAMPLES, END, UNDO, REDO, ACK, DROP, ASK, EDIT, HOVER = range(1, 12)
PIXELS, TOLD, ANSWER = 0x81, 0x82, 0x83
RAW = 0

MOST_FRAME = 1 << 20
MOST_BATCH = 4096

_VIEW = struct.Struct("<Biiii")
_SAMPLES = struct.Struct("<IId")
_ID = struct.Struct("<I")
_END = struct.Struct("<II")
_PIXELS = struct.Struct("<BIBBHd")
_RECT = struct.Struct("<iiII")
_ANSWER = struct.Struct("<BII")


class BadMessage(OrvixError):
    """A frame that breaks the protocol; the connection goes on."""

    code = "bad-message"


@dataclass(frozen=True)
class View:
    """The page wants this box of the canvas (px of the canvas) at this level from now on."""

    level: int
    box: Box


@dataclass(frozen=True)
class Begin:
    """A stroke begins. told: brush (version id), colour, mode, seed, values, pointer, mouse, fixed."""

    stroke: int
    told: dict[str, Any]


@dataclass(frozen=True)
class Batch:
    """Samples of a stroke: the number of the first one, the page's clock at the newest, float32 rows of 7."""

    stroke: int
    first: int
    stamp: float
    samples: NDArray[np.float64]


@dataclass(frozen=True)
class End:
    """A stroke ends after so many samples."""

    stroke: int
    count: int


@dataclass(frozen=True)
class Plain:
    """UNDO, REDO, ACK (number: the update) or DROP (number: the stroke)."""

    kind: int
    number: int = 0


@dataclass(frozen=True)
class Ask:
    """A bench asks for something to be computed. told: id, channel, what, and what that needs."""

    told: dict[str, Any]


@dataclass(frozen=True)
class Edit:
    """A change that is no stroke. told: the operation's name as `what`, and what it needs; or `what` "keep-state".

    number: the page's own count of its edits, so that it knows which of them an answer is to; 0 where it says none.
    """

    told: dict[str, Any]
    number: int = 0


@dataclass(frozen=True)
class Hovering:
    """A hand over the canvas: what would it lay first? told: id, level, x, y, heading, ..., stroke (`Begin.told`)."""

    told: dict[str, Any]


Message = View | Begin | Batch | End | Plain | Ask | Edit | Hovering


def decode(frame: bytes | None) -> Message:
    """Read one frame from a page; raises BadMessage or BadValue, naming what is wrong."""
    if not frame:
        raise BadMessage("message: must be one binary frame that is not empty")
    if len(frame) > MOST_FRAME:
        raise BadMessage(f"message: {len(frame)} octets; at most {MOST_FRAME}")
    kind, body = frame[0], memoryview(frame)[1:]
    try:
        return _decode(kind, body)
    except struct.error as error:
        raise BadMessage(f"message of kind {kind}: {len(body)} octets is the wrong length") from error


def _decode(kind: int, body: memoryview) -> Message:
    if kind == VIEW:
        level, *box = _VIEW.unpack(body)
        return View(level, (box[0], box[1], box[2], box[3]))
    if kind == BEGIN:
        (stroke,) = _ID.unpack(body[:4])
        return Begin(stroke, _read_json(body[4:]))
    if kind == SAMPLES:
        stroke, first, stamp = _SAMPLES.unpack(body[: _SAMPLES.size])
        return Batch(stroke, first, stamp, _read_samples(body[_SAMPLES.size :]))
    if kind == END:
        return End(*_END.unpack(body))
    if kind in (ACK, DROP):
        return Plain(kind, *_ID.unpack(body))
    if kind in (UNDO, REDO):
        if len(body):
            raise BadMessage(f"message of kind {kind}: must have no body")
        return Plain(kind)
    if kind == ASK:
        return Ask(_read_json(body))
    if kind == EDIT:
        told = _read_json(body)
        number = told.pop("edit", 0)
        if type(number) is not int or not 0 <= number < 2**32:
            raise BadMessage("edit: must be a whole number from 0 to 4294967295")
        return Edit(told, number)
    if kind == HOVER:
        return Hovering(_read_json(body))
    raise BadMessage(f"message of kind {kind}: known are 1 to {HOVER}")


def _read_json(body: memoryview) -> dict[str, Any]:
    try:
        told = json.loads(bytes(body))
    except (UnicodeDecodeError, json.JSONDecodeError, RecursionError) as error:
        raise BadMessage("message: its body must be JSON") from error
    if not isinstance(told, dict):
        raise BadMessage("message: its body must be a JSON object")
    if b"\\u" in bytes(body):
        _check_texts(told)
    return told


def _check_texts(told: Any) -> None:
    """What the log cannot hold may not come in: JSON escapes say characters that PostgreSQL and UTF-8 do not have."""
    if isinstance(told, dict):
        told = [*told, *told.values()]
    if isinstance(told, list):
        for one in told:
            _check_texts(one)
    elif isinstance(told, str) and any(one == "\0" or "\ud800" <= one <= "\udfff" for one in told):
        raise BadMessage(f"text {told[:40]!r}: must not hold NUL or half a pair of surrogates")


def _read_samples(body: memoryview) -> NDArray[np.float64]:
    if len(body) % 28 or not len(body):
        raise BadMessage(f"samples: {len(body)} octets; each sample is 28")
    if len(body) // 28 > MOST_BATCH:
        raise BadValue("samples", len(body) // 28, f"a message has at most {MOST_BATCH}")
    return np.frombuffer(body, "<f4").astype(np.float64).reshape(-1, 7)


def pixels(update: int, level: int, stamp: float, rects: list[tuple[int, int, NDArray[np.uint8]]]) -> bytes:
    """An update: rectangles of opaque RGBA at a level, each with its left and top in px of that level."""
    parts = [_PIXELS.pack(PIXELS, update, level, RAW, len(rects), stamp)]
    for left, top, rgba in rects:
        parts.append(_RECT.pack(left, top, rgba.shape[1], rgba.shape[0]))
        parts.append(rgba.tobytes())
    return b"".join(parts)


def told(kind: str, **more: Any) -> bytes:
    """A piece of news as JSON: state, committed, refused, broken."""
    return bytes([TOLD]) + json.dumps({"kind": kind, **more}).encode()


def answer(number: int, facts: dict[str, Any], rgba: NDArray[np.uint8] | None = None) -> bytes:
    """The answer to an Ask or a Hovering: facts as JSON and, where there are any, RGBA pixels (size in facts)."""
    body = json.dumps(facts).encode()
    return _ANSWER.pack(ANSWER, number, len(body)) + body + (rgba.tobytes() if rgba is not None else b"")
