"""What a row of an archive must be, before it comes in: checked as what a painter makes is. Each raises OrvixError.

told: the fields of the row, as the model takes them, with the numbers of the rows here; changed where the stored form
is another. Octets are unpacked once, so that nothing that cannot be read later comes in.
"""

from __future__ import annotations

import hashlib
from collections.abc import Callable
from typing import Any

import numpy as np
import zstandard

from orvix.brushes.definition import Brush as CoreBrush
from orvix.canvases.canvas import CANVAS_VALUES
from orvix.canvases.layers import parse_stack
from orvix.canvases.operations import OPERATIONS
from orvix.canvases.outlines import Outline
from orvix.colour.palettes import check_palette
from orvix.errors import BadValue
from orvix.geometry import BLOCK, MOST_SIDE
from orvix.grains.tone import Tone
from orvix.lettering.fonts import Font
from orvix.pictures import read_picture
from orvix.proofs.looks import Wall
from orvix.proofs.own import Laying
from orvix.registry import check_colour, check_values
from orvix.strokes.samples import MOST_SAMPLES, check_samples
from orvix.tiles.joining import Joining
from orvix.tiles.motifs.svg import is_svg, read_svg
from orvix.tiles.recipe import MOST_PIXELS, Recipe
from orvix.tiles.repeats import Repeat, parse_fraction
from orvix_web.canvases.guides import check_settings
from orvix_web.canvases.models import Operation
from orvix_web.proofs.own_surfaces import own_of
from orvix_web.tiles.rendering import unpack_pixels
from orvix_web.tiles.services import GRAIN_SCALES, check_name

Told = dict[str, Any]
_PNG = b"\x89PNG\r\n\x1a\n"
_MOST_LAYER = 2**31 - 1


def _whole(told: Told, *names: str, low: int = 0, high: int = 2**31 - 1) -> None:
    for name in names:
        if type(told[name]) is not int or not low <= told[name] <= high:
            raise BadValue(name, str(told[name])[:40], f"must be a whole number from {low} to {high}")


def _owned(told: Told) -> None:
    told["name"] = check_name(told["name"])
    for name, most in (("tags", 400), ("set_name", 60)):
        if not isinstance(told[name], str) or len(told[name]) > most:
            raise BadValue(name, str(told[name])[:40], f"must be text of at most {most} characters")
    if type(told["favourite"]) is not bool:
        raise BadValue("favourite", str(told["favourite"])[:40], "must be true or false")


def _thumbnail(told: Told, name: str = "thumbnail") -> None:
    if told[name] and (not told[name].startswith(_PNG) or len(told[name]) > 1 << 20):
        raise BadValue(name, f"{len(told[name])} octets", "must be a small PNG")


def _upload(told: Told, owner_id: int) -> None:
    _owned(told)
    _whole(told, "width", "height", low=1)
    if type(told["convert"]) is not bool:
        raise BadValue("convert", str(told["convert"])[:40], "must be true or false")
    notes = told["notes"]
    if not isinstance(notes, list) or len(notes) > 40 or not all(isinstance(one, str) for one in notes):
        raise BadValue("notes", str(notes)[:40], "must be at most 40 texts")
    if is_svg(told["data"], told["name"]):
        read_svg(told["data"], told["name"])
    else:
        read_picture(told["data"], "file", convert=told["convert"])
    told["sha256"] = hashlib.sha256(told["data"]).hexdigest()


def _pixels(told: Told) -> None:
    _whole(told, "width", "height", low=1, high=MOST_SIDE)
    if told["width"] * told["height"] > MOST_PIXELS:
        raise BadValue("size", f"{told['width']} x {told['height']}", f"must be at most {MOST_PIXELS} px")
    unpack_pixels(told["pixels"], told["height"], told["width"])


def _snapshot(told: Told, owner_id: int) -> None:
    _pixels(told)
    Repeat.parse(told["repeat"], told["stagger"])
    if type(told["closes"]) is not bool:
        raise BadValue("closes", str(told["closes"])[:40], "must be true or false")


def _font(told: Told, owner_id: int) -> None:
    told["name"] = check_name(told["name"])
    Font(told["data"], told["name"])


def _clip(told: Told, owner_id: int) -> None:
    _owned(told)
    _whole(told, "x", "y", low=-(2**31))
    _pixels(told)


def _tile_version(told: Told, owner_id: int) -> None:
    _whole(told, "number", low=1)
    _thumbnail(told)
    recipe = Recipe.parse(told["recipe"])
    told["recipe"] = recipe.as_dict()
    if not isinstance(told["readings"], dict):
        raise BadValue("readings", str(told["readings"])[:40], "must be an object")
    if told["stored"]:
        width, height, _ = recipe.shape
        unpack_pixels(told["stored"], height, width)


def _grain_version(told: Told, owner_id: int) -> None:
    _whole(told, "number", low=1)
    _thumbnail(told)
    told["tone"] = Tone.parse(told["tone"]).as_dict()
    parse_fraction("scale", told["scale"], *GRAIN_SCALES)


def _brush(told: Told, owner_id: int) -> None:
    _owned(told)
    _thumbnail(told, "picture")
    for name, most in (("description", 2000), ("credit", 400)):
        if not isinstance(told[name], str) or len(told[name]) > most:
            raise BadValue(name, str(told[name])[:40], f"must be text of at most {most} characters")


def _brush_version(told: Told, owner_id: int) -> None:
    _whole(told, "number", low=1)
    _thumbnail(told)
    told["definition"] = CoreBrush.parse(told["definition"]).as_dict()


def _canvas(told: Told, owner_id: int) -> None:
    _owned(told)
    _thumbnail(told)
    sizes = {value.name: told[value.name] for value in CANVAS_VALUES if value.name in told}
    told |= check_values(CANVAS_VALUES, sizes, "canvas")
    Joining.parse(told["repeat"], told["stagger"], told["neighbours"])
    if type(told["joined"]) is not bool:
        raise BadValue("joined", str(told["joined"])[:40], "must be true or false")
    if told["ground"]:
        check_colour("ground", told["ground"])
    told["layers"] = [one.as_dict() for one in parse_stack(told["layers"])]
    if told["settings"] != {}:
        told["settings"] = check_settings(told["settings"])
    if told["palette"] is not None:
        told["palette"] = [list(row) for row in check_palette(told["palette"])]
    _whole(told, "published", "revision", "stored_through")


def _spec(spec: Any) -> None:
    if spec is None:
        return
    if not isinstance(spec, dict) or set(spec) != {"width", "height", "ppi", "ground"}:
        raise BadValue("spec", str(spec)[:60], "must have a width, a height, a ppi and a ground")
    check_values(CANVAS_VALUES, {name: spec[name] for name in ("width", "height", "ppi")}, "canvas")
    if spec["ground"]:
        check_colour("ground", spec["ground"])


def _operation(told: Told, owner_id: int) -> None:
    _whole(told, "number", "engine_version", low=1)
    if told["kind"] != "stroke":
        OPERATIONS.get(told["kind"])
    if told["state"] not in Operation.State.values:
        raise BadValue("state", str(told["state"])[:20], "must be one of " + ", ".join(Operation.State.values))
    if told["dropped_by"] is not None:
        _whole(told, "dropped_by", low=1)
    if not isinstance(told["data"], dict) or type(told["undo_dropped"]) is not bool:
        raise BadValue("data", str(told["data"])[:40], "must be an object")
    if told["layers_before"] is not None:
        parse_stack(told["layers_before"])
    _spec(told["spec_before"])
    if told["samples"] or told["kind"] == "stroke":
        raw = zstandard.ZstdDecompressor().decompress(told["samples"], max_output_size=28 * MOST_SAMPLES)
        if len(raw) % 28 or len(raw) > 28 * MOST_SAMPLES:
            raise BadValue("samples", f"{len(raw)} octets", f"must be 1 to {MOST_SAMPLES} rows of 7 numbers")
        check_samples(np.frombuffer(raw, "<f4").astype(np.float64).reshape(-1, 7))


def _spot(told: Told) -> Any:
    _whole(told, "layer", high=_MOST_LAYER)
    _whole(told, "row", "column", high=MOST_SIDE // BLOCK)
    raw = zstandard.ZstdDecompressor().decompress(told["pixels"], max_output_size=BLOCK * BLOCK * 8)
    if len(raw) != BLOCK * BLOCK * 8:
        raise BadValue("block", f"{len(raw)} octets", f"must be {BLOCK} x {BLOCK} px of 8 octets")
    return np.frombuffer(raw, "<u2").reshape(BLOCK, BLOCK, 4)


def _block(told: Told, owner_id: int) -> None:
    pixels = _spot(told)
    if (pixels[..., :3] > pixels[..., 3:]).any():
        raise BadValue("block", f"layer {told['layer']}", "must be premultiplied: no colour above its alpha")


def _difference(told: Told, owner_id: int) -> None:
    _spot(told)


def _kept_state(told: Told, owner_id: int) -> None:
    _whole(told, "number", low=1)
    _thumbnail(told)
    told["layers"] = [one.as_dict() for one in parse_stack(told["layers"])]
    _spec(told["spec"])
    made_of, proposed = told["made_of"], told["proposed"]
    if made_of is not None and not (isinstance(made_of, list) and all(type(one) is int for one in made_of)):
        raise BadValue("made_of", str(made_of)[:40], "must be numbers of operations")
    if proposed is not None and not (isinstance(proposed, dict) and isinstance(proposed.get("edit"), dict)):
        raise BadValue("proposed", str(proposed)[:40], "must say which edit it is for")


def _in_use(told: Told, owner_id: int) -> None:
    from orvix_web.canvases.in_use import VALUES

    told["values"] = check_values(VALUES, told["values"], "in use")


def _palette(told: Told, owner_id: int) -> None:
    _owned(told)
    told["colours"] = [list(row) for row in check_palette(told["colours"])]


def _paths(told: Told, owner_id: int) -> None:
    _owned(told)
    told["pieces"] = Outline.parse({"pieces": told["pieces"]}).as_dict()["pieces"]


def _surface(told: Told, owner_id: int) -> None:
    _owned(told)
    _whole(told, "width", "height", "state", low=1)
    told["laying"] = Laying.parse(told["laying"]).as_dict()
    for name in ("picture", "mask", "shade_picture"):
        if told[name] or name == "picture":
            read_picture(told[name], name)


def _proof_version(told: Told, owner_id: int) -> None:
    _whole(told, "number", low=1)
    _whole(told, "of_number")
    _thumbnail(told)
    told["wall"] = Wall.parse(told["wall"], own_of(owner_id)).as_dict()


def _thing(told: Told, owner_id: int) -> None:
    _owned(told)


CHECKS: dict[str, Callable[[Told, int], None]] = {
    "upload": _upload,
    "snapshot": _snapshot,
    "font": _font,
    "clip": _clip,
    "tile": _thing,
    "tile_version": _tile_version,
    "grain": _thing,
    "grain_version": _grain_version,
    "brush": _brush,
    "brush_version": _brush_version,
    "canvas": _canvas,
    "operation": _operation,
    "stored_block": _block,
    "undo_block": _difference,
    "kept_state": _kept_state,
    "kept_block": _block,
    "repainted": lambda told, owner_id: _whole(told, "strokes"),
    "in_use": _in_use,
    "palette": _palette,
    "paths": _paths,
    "surface": _surface,
    "proof": _thing,
    "proof_version": _proof_version,
}
