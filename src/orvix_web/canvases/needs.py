"""Gives operations what they need besides their own data: brushes, fonts, pictures, saved states, tiles of fills."""

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
    """Return the data of an operation with all that it needs, under the names of `orvix.canvases.operations.GIVEN`.

    done: the operations that count, for an operation that is new. A state that a job painted is then refused with
    BadValue if the canvas has changed since.
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
    """Whether an operation needs a reworked canvas that no job has painted yet."""
    return "rework" in OPERATIONS.get(kind).needs and "state" not in data


def _check_state(row: Canvas, kind: str, data: dict[str, Any], done: list[int]) -> None:
    """Raise BadValue if a job painted the state for another operation, or if the canvas has changed since."""
    state = KeptState.objects.filter(canvas=row, number=data["state"]).first()
    if state is None:
        return
    reworks = OPERATIONS.get(kind).strokes == "reworks"
    if reworks:
        asked = {"what": kind, **{name: data[name] for name in data if name != "state"}}
        if not state.proposed or state.proposed["edit"] != asked:
            raise BadValue("state", state.number, "was not painted for this change of strokes")
    if (reworks or state.repainted.exists()) and state.made_of != done:
        raise BadValue("state", state.number, "The canvas has changed since the repaint. Repaint again.")


def load_clip(owner_id: int, number: Any) -> NDArray[np.uint16] | None:
    """Load the pixels of a copied picture, uint16 (rows, columns, 4); None where the owner has none of that number."""
    clip = Clip.objects.filter(owner_id=owner_id, pk=number).first() if type(number) is int else None
    return None if clip is None else unpack_pixels(bytes(clip.pixels), clip.height, clip.width)
