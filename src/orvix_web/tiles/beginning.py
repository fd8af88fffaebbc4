"""What the sheet that begins a tile shows: every source by its picture, every repeat by a diagram."""

from __future__ import annotations

from functools import lru_cache
from typing import Any

import cv2
import numpy as np
from django.contrib.auth.models import User

from orvix.devices.photo_tray import PHOTOS
from orvix.labels import label
from orvix.pictures.packing import flat_rgba8
from orvix.pictures.writing import contrasting_ground, png_bytes
from orvix.tiles.joining import NEIGHBOURS
from orvix.tiles.recipe import Recipe
from orvix.tiles.repeats import REPEATS
from orvix.tiles.sources import SOURCES
from orvix.units import UNITS
from orvix_web.tiles import services
from orvix_web.tiles.cards import source_groups
from orvix_web.tiles.diagrams import Flag, flags
from orvix_web.tiles.models import Tile
from orvix_web.tiles.rendering import rendered

PICTURE = (184, 132)
"""Width and height of a source's picture, px; shown at half of that."""


def sheet(owner: User) -> dict[str, Any]:
    """What the sheet needs: sources, photos, diagrams, and the size of the last drawing."""
    drawn = Tile.objects.of(owner).filter(drawing__isnull=False).order_by("-pk").first()
    honeycomb = ("honeycomb", "Honeycomb", flags("half-drop"))
    return {
        "sources": list(source_groups(False)),
        "photos": list(PHOTOS),
        "repeat_pictures": [*repeat_pictures(), honeycomb],
        "neighbour_pictures": [
            (name, words[:1].upper() + words[1:], flags("straight", name)) for name, (words, _) in NEIGHBOURS.items()
        ],
        "units": UNITS,
        "last": drawn.drawing if drawn is not None else None,
        "next_number": Tile.objects.of(owner).count() + 1,
    }


def repeat_pictures() -> list[tuple[str, str, tuple[Flag, ...]]]:
    """Every repeat: its stored word, its label and its diagram."""
    return [(name, label(name), flags(name)) for name in REPEATS]


@lru_cache(maxsize=64)
def source_picture(name: str) -> bytes:
    """A generated source as it begins, as PNG; raises UnknownName."""
    source = SOURCES.get(name)
    state = rendered(0, Recipe.parse({**services.NEW_TILE, "source": {"name": source.name}}))
    rgb = flat_rgba8(state.pixels, contrasting_ground(state.pixels))[..., :3]
    half = cv2.resize(np.ascontiguousarray(rgb), None, fx=0.5, fy=0.5, interpolation=cv2.INTER_AREA)
    return png_bytes(np.ascontiguousarray(half[: PICTURE[1], : PICTURE[0]]), level=3)
