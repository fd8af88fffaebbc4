"""BRUSH.json: a brush with its grain inside it or beside it, so that it paints without a database.

The grain's source is one of {"recipe": RECIPE}, {"file": name beside the brush} and {"png": base64}, each with an
optional {"tone": {...}}, {"repeat", "stagger"} (for pictures) as docs/formats/brush.md says.
"""

from __future__ import annotations

import base64
import binascii
from collections.abc import Callable, Mapping
from typing import Any

from orvix.brushes.definition import Brush
from orvix.canvases.strokes import LoadedBrush, LoadedGrain
from orvix.errors import BadValue, UnknownName, UnreadableFile
from orvix.grains.tone import Tone, grain_plane
from orvix.pictures import read_picture
from orvix.tiles.recipe import Recipe
from orvix.tiles.repeats import Repeat

ReadFile = Callable[[str], bytes]
_PARTS = ("recipe", "file", "png", "tone", "repeat", "stagger")


def no_files(name: str) -> bytes:
    """The reader for brushes that carry all they need; raises UnreadableFile for any name."""
    raise UnreadableFile(f"file={name!r}: no files can be read here")


def load_brush(data: Any, read_file: ReadFile) -> LoadedBrush:
    """Read a brush and its grain; raises BadValue, UnknownName or UnreadablePicture."""
    brush = Brush.parse(data)
    return LoadedBrush(brush, load_grain(brush.grain.source, read_file) if brush.grain else None)


def load_grain(source: Any, read_file: ReadFile) -> LoadedGrain:
    """Read the grain that a brush file's `source` describes."""
    if not isinstance(source, Mapping):
        raise BadValue("source", source, "must be an object with recipe, file or png")
    for name in source:
        if name not in _PARTS:
            raise UnknownName("value of grain source", name, list(_PARTS))
    tone = Tone.parse(source.get("tone", {}))
    if "recipe" in source:
        state = Recipe.parse(source["recipe"]).run(lambda name: read_picture(read_file(name), name))
        return LoadedGrain(grain_plane(state.pixels, tone), state.repeat)
    repeat = Repeat.parse(source.get("repeat", "straight"), source.get("stagger"))
    return LoadedGrain(grain_plane(read_picture(_picture_bytes(source, read_file), "grain"), tone), repeat)


def _picture_bytes(source: Mapping[str, Any], read_file: ReadFile) -> bytes:
    if isinstance(source.get("file"), str):
        return read_file(source["file"])
    if isinstance(source.get("png"), str):
        try:
            return base64.b64decode(source["png"], validate=True)
        except binascii.Error as error:
            raise BadValue("png", source["png"][:20], "must be base64") from error
    raise BadValue("source", sorted(source), "must hold one of recipe, file, png")
