"""What there is to see of a thing, at the size of a page."""

from __future__ import annotations

from typing import Any

import numpy as np
from numpy.typing import NDArray

from orvix.pictures.packing import flat_rgba8
from orvix.pictures.writing import contrasting_ground
from orvix.tiles.repeats import cloth
from orvix_web.brushes.loading import load_version
from orvix_web.brushes.trials import SheetOrder, best_factor, paint_sheet
from orvix_web.canvases.pictures import picture
from orvix_web.tiles.rendering import loaded_grain, tile_state

LONGEST_PX = 1200
Rgb = NDArray[np.uint8]


def _tile(thing: Any) -> Rgb:
    state = tile_state(thing.latest)
    rows, columns = state.pixels.shape[:2]
    flat = flat_rgba8(state.pixels, contrasting_ground(state.pixels))
    across, down = (max(1, min(3, LONGEST_PX // side)) for side in (columns, rows))
    return cloth(flat, state.repeat, 0, 0, rows * down, columns * across)[..., :3]


def _grain(thing: Any) -> Rgb:
    plane = loaded_grain(thing.latest).plane
    grey = (plane * 255 + 0.5).astype(np.uint8)
    return np.dstack([grey, grey, grey])


def _brush(thing: Any) -> Rgb:
    loaded = load_version(thing.owner_id, thing.latest.pk)
    return paint_sheet(loaded, SheetOrder(factor=best_factor(loaded.brush.size))).pixels[..., :3]


def _canvas(thing: Any) -> Rgb:
    canvas = picture(thing)
    level = 0
    while max(canvas.spec.width, canvas.spec.height) >> level > LONGEST_PX:
        level += 1
    return canvas.view(canvas.spec.box, level)[..., :3]


PICTURES = {"tile": _tile, "grain": _grain, "brush": _brush, "canvas": _canvas}


def picture_of(kind: str, thing: Any) -> Rgb:
    """A thing of one of PICTURES: uint8 (rows, columns, 3). A tile is laid out where it is small."""
    return np.ascontiguousarray(PICTURES[kind](thing))


def facts_of(kind: str, thing: Any) -> list[tuple[str, str]]:
    """What there is to know of a thing without having it: rows of a word and a value."""
    told = [("version", str(thing.revision if kind == "canvas" else thing.latest.number))]
    if kind == "canvas":
        told += [("size", f"{thing.width} × {thing.height} px at {thing.ppi:g} ppi")]
    elif kind == "tile":
        width, height = thing.latest.recipe["size"]
        told += [("size", f"{width} × {height} px"), ("repeat", thing.latest.recipe.get("repeat", "straight"))]
    elif kind == "brush":
        told += [(name, text) for name, text in (("maker", thing.credit), ("about", thing.description)) if text]
    return told + ([("tags", thing.tags)] if thing.tags else [])
