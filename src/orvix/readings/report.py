"""All readings of a picture at once, as the command line and the pages give them."""

from __future__ import annotations

from typing import Any

import numpy as np
from numpy.typing import NDArray

from orvix.progress import UNWATCHED, Watch
from orvix.readings.registry import READINGS, Subject
from orvix.tiles.repeats import Repeat
from orvix.tiles.state import TileState

QUICK_SIDE = 512


def read(subject: Subject, *, quick: bool = False) -> dict[str, Any]:
    """Every reading as JSON types; raises Stopped where the subject's watch asks for it.

    The quick form reads the picture reduced to 512 px, leaves out what is slow, and says so by "full": false.
    """
    whole = subject
    if quick:
        subject = subject.reduced(QUICK_SIDE)
    told: dict[str, Any] = {
        "size": [whole.width, whole.height],
        "repeat": subject.repeat.kind,
        "stagger": float(subject.repeat.stagger) if subject.repeat.kind != "straight" else 0.0,
        "full": not quick,
    }
    for reading in READINGS:
        subject.watch.stop_if_asked()
        if reading.quick or not quick:
            told[reading.name] = reading.take(subject, quick)
    if quick and "holes" in told and told["holes"]["applies"]:
        told["holes"] = _enlarged(told["holes"], whole.width / subject.width)
    return told | {"notes": list(subject.notes)}


def _enlarged(found: dict[str, Any], times: float) -> dict[str, Any]:
    """A hole found on a reduced picture, in px of the whole."""
    told = found | {"at": [round(place * times) for place in found["at"]], "radius_px": found["radius_px"] * times}
    if "others" in found:
        told["others"] = [_enlarged(one, times) for one in found["others"]]
    return told


def read_state(state: TileState, *, quick: bool = False, watch: Watch = UNWATCHED) -> dict[str, Any]:
    """The readings of a tile as a recipe leaves it, also where the original borders lie now."""
    more = {"proven": state.proven, "borders": state.borders, "notes": state.notes, "watch": watch}
    more["directions"] = state.directions
    return read(Subject.of(state.pixels, state.repeat, **more), quick=quick)


def readings(pixels: NDArray[np.uint16], repeat: Repeat, *, by_construction: bool = False) -> dict[str, Any]:
    """The readings of premultiplied 16-bit pixels (rows, columns, 4), read over the ground they contrast with."""
    return read(Subject.of(pixels, repeat, proven=by_construction))
