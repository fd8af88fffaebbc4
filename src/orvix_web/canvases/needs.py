"""What operations need besides what they are told, at hand: brushes, fonts, pictures, kept states, tiles of fills."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

import numpy as np
from numpy.typing import NDArray

from orvix.canvases.operations import OPERATIONS
from orvix.errors import BadValue
from orvix_web.brushes.loading import load_font, load_version
from orvix_web.canvases.filling import OwnedTiles
from orvix_web.canvases.models import Canvas, Clip, KeptState
from orvix_web.canvases.rows import load_kept
from orvix_web.tiles.rendering import unpack_pixels


def with_needs(row: Canvas, kind: str, data: dict[str, Any], done: list[int] | None = None) -> dict[str, Any]:
    """What an operation was told, with what it needs besides, as `orvix.canvases.operations.GIVEN` says.

    done: the operations that stand, where it is told for the first time: a canvas painted again must still be what it
    was then. Raises BadValue.
    """
    given: dict[str, Any] = {}
    for need in OPERATIONS.get(kind).needs:
        if need == "brushes":
            given["brush_of"] = lambda version: load_version(row.owner_id, version)
        elif need == "fonts":
            given["font_of"] = lambda number: load_font(row.owner_id, number)
        elif need == "clip":
            given["from"] = load_clip(row.owner_id, data.get("picture"))
        elif need in ("tiles", "fill") and "tiles" in data:
            given["tile_of"] = OwnedTiles(row.owner_id, data["tiles"])
        elif need == "state" and "state" in data:
            if done is not None:
                _check_state(row, kind, data, done)
            given["from"] = load_kept(row, data["state"])
    return data | given


def needs_rework(kind: str, data: Mapping[str, Any]) -> bool:
    """Whether an operation needs the canvas with strokes reworked, which no job has painted for it."""
    return "rework" in OPERATIONS.get(kind).needs and "state" not in data


def _check_state(row: Canvas, kind: str, data: dict[str, Any], done: list[int]) -> None:
    """Raise BadValue where a state was painted for another operation, or of the canvas as it no longer is."""
    state = KeptState.objects.filter(canvas=row, number=data["state"]).first()
    if state is None:
        return
    reworks = OPERATIONS.get(kind).strokes == "reworks"
    if reworks:
        asked = {"what": kind, **{name: data[name] for name in data if name != "state"}}
        if not state.proposed or state.proposed["edit"] != asked:
            raise BadValue("state", state.number, "was not painted for this change of strokes")
    if (reworks or state.repainted.exists()) and state.made_of != done:
        raise BadValue("state", state.number, "the canvas has changed since it was painted again: paint it once more")


def load_clip(owner_id: int, number: Any) -> NDArray[np.uint16] | None:
    """The pixels of a picture that is kept to be put on a canvas, or None where there is none of that number."""
    clip = Clip.objects.filter(owner_id=owner_id, pk=number).first() if type(number) is int else None
    return None if clip is None else unpack_pixels(bytes(clip.pixels), clip.height, clip.width)
