"""BRUSH.json: a brush with its grain and its tip's picture in it or beside it, to paint without a database.

A source is one of {"recipe": RECIPE}, {"file": name beside the brush} and {"png": base64}; a grain's also has
{"tone": {...}} and {"repeat", "stagger"} (for pictures) as docs/formats/brush.md says.
"""

from __future__ import annotations

import base64
import binascii
from collections.abc import Callable, Mapping
from typing import Any

import numpy as np
from numpy.typing import NDArray

from orvix.brushes.definition import Brush
from orvix.brushes.tips.picture import tip_picture
from orvix.brushes.tips.registry import Rgba
from orvix.errors import BadValue, UnknownName, UnreadableFile
from orvix.grains.tone import Tone, grain_plane
from orvix.lettering.fonts import Font
from orvix.pictures import read_picture
from orvix.strokes.loaded import LoadedBrush, LoadedGrain
from orvix.strokes.loaded import load_brush as load_checked
from orvix.tiles.recipe import Recipe
from orvix.tiles.repeats import Repeat

ReadFile = Callable[[str], bytes]
_PICTURES = ("recipe", "file", "png")
_PARTS = (*_PICTURES, "tone", "repeat", "stagger")


def no_files(name: str) -> bytes:
    """The reader for brushes that carry all they need; raises UnreadableFile for any name."""
    raise UnreadableFile(f"file={name!r}: no files can be read here")


def load_brush(data: Any, read_file: ReadFile) -> LoadedBrush:
    """Read a brush with its grains and pictures; raises BadValue, UnknownName or UnreadablePicture."""
    return load_checked(Brush.parse(data), _InFile(read_file))


class _InFile:
    """What a brush file names, read from it or from beside it."""

    def __init__(self, read_file: ReadFile) -> None:
        self._read = read_file

    def tip(self, source: Any, values: Mapping[str, Any]) -> Rgba:
        """See `orvix.strokes.loaded.Pictures`."""
        _check_source(source, _PICTURES, "tip source")
        return tip_picture(_tile(source, self._read)[0], values)

    def grain(self, source: Any) -> LoadedGrain:
        """See `orvix.strokes.loaded.Pictures`."""
        _check_source(source, _PARTS, "grain source")
        pixels, repeat = _tile(source, self._read)
        plane = grain_plane(pixels, Tone.parse(source.get("tone", {})))
        return LoadedGrain(plane, repeat, colours=pixels.astype(np.float32) / np.float32(65535))

    def font(self, source: Any) -> Font:
        """See `orvix.strokes.loaded.Pictures`: a file beside it, or the file's octets in base64 as "font"."""
        _check_source(source, ("file", "font"), "font source")
        if isinstance(source.get("file"), str):
            return Font(self._read(source["file"]), source["file"])
        return Font(_octets("font", source.get("font")), "font")

    def tile(self, source: Any) -> Rgba:
        """See `orvix.strokes.loaded.Pictures`."""
        _check_source(source, _PICTURES, "ribbon source")
        return _tile(source, self._read)[0].astype(np.float32) / np.float32(65535)


def _check_source(source: Any, known: tuple[str, ...], where: str) -> None:
    if not isinstance(source, Mapping):
        raise BadValue("source", source, "must be an object with recipe, file or png")
    for name in source:
        if name not in known:
            raise UnknownName(f"value of {where}", name, list(known))


def _tile(source: Mapping[str, Any], read_file: ReadFile) -> tuple[NDArray[np.uint16], Repeat]:
    """The picture that a source describes, and its repeat."""
    if "recipe" in source:
        state = Recipe.parse(source["recipe"]).run(lambda name: read_picture(read_file(name), name))
        return state.pixels, state.repeat
    repeat = Repeat.parse(source.get("repeat", "straight"), source.get("stagger"))
    return read_picture(_picture_bytes(source, read_file), "picture"), repeat


def _picture_bytes(source: Mapping[str, Any], read_file: ReadFile) -> bytes:
    if isinstance(source.get("file"), str):
        return read_file(source["file"])
    if isinstance(source.get("png"), str):
        return _octets("png", source["png"])
    raise BadValue("source", sorted(source), "must hold one of recipe, file, png")


def _octets(name: str, given: Any) -> bytes:
    try:
        return base64.b64decode(given if isinstance(given, str) else "", validate=True)
    except binascii.Error as error:
        raise BadValue(name, str(given)[:20], "must be base64") from error
