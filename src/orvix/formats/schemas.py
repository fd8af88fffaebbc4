"""JSON Schemas of the recipe, the brush file and the bundle, made from the same values that the code checks.

`python -m orvix.formats.schemas FOLDER` writes them; a test holds the published ones to this.
"""

from __future__ import annotations

import json
import sys
from pathlib import Path
from typing import Any

from orvix.brushes import grain_use, ribbon
from orvix.brushes.definition import FORMAT, MOST_COATS
from orvix.brushes.definition import VERSION as BRUSH_VERSION
from orvix.brushes.leads import DRIVERS, LEAD_VALUES
from orvix.brushes.tips import TIPS, TipKind
from orvix.brushes.values import BRUSH_VALUES, COAT_VALUES, LED
from orvix.colour.palettes import MOST_COLOURS
from orvix.formats.bundle import FORMAT as BUNDLE
from orvix.formats.bundle import MOST_THINGS
from orvix.grains.tone import TONE_VALUES
from orvix.proofs.own import OWN_VALUES
from orvix.registry import Value
from orvix.tiles.joining import NEIGHBOURS
from orvix.tiles.motifs.layout import (
    GROUP,
    KEEP,
    KINDS,
    MARGIN,
    MOST_ITEMS,
    MOST_MOTIFS,
    MOST_RULES,
    SCALE,
    TURN,
    X,
    Y,
)
from orvix.tiles.recipe import MOST_STEPS, SEED, SIDE, VERSION
from orvix.tiles.repeats import REPEATS
from orvix.tiles.sources import SOURCES
from orvix.tiles.steps import STEPS

_DIALECT = "https://json-schema.org/draft/2020-12/schema"
_FRACTION = {"type": ["number", "string"], "description": "a decimal, or a fraction such as 5/17"}
_COLOUR = {"type": "string", "pattern": "^#[0-9a-fA-F]{6}$"}
_RESPONSE = {"type": "array", "items": {"type": "number"}, "minItems": 3, "maxItems": 3}


def value_schema(value: Value) -> dict[str, Any]:
    """The schema of one value: its type, limits, default and help."""
    told: dict[str, Any] = {"description": value.help + (f" In {value.unit}." if value.unit else "")}
    told["default"] = value.default
    if value.kind in ("number", "whole"):
        told["type"] = "integer" if value.kind == "whole" else "number"
        told |= {"minimum": value.low, "maximum": value.high}
    elif value.kind == "choice":
        told["enum"] = list(value.choices)
    elif value.kind == "text":
        told |= {"type": "string", "maxLength": int(value.high or 200)}
    elif value.kind == "points":
        row = {"type": "array", "items": _numbers(value), "minItems": value.each, "maxItems": value.each}
        told |= {"type": "array", "items": row, "minItems": value.least, "maxItems": value.most}
    elif value.kind == "colours":
        row = {"type": "array", "prefixItems": [_numbers(value), _COLOUR], "minItems": 2, "maxItems": 2}
        told |= {"type": "array", "items": row, "minItems": value.least, "maxItems": value.most}
    elif value.kind == "source":
        told |= {"$ref": "#/$defs/source"}
    elif value.kind == "layout":
        told |= _layout()
    elif value.kind == "colour":
        told |= _COLOUR
    else:
        told |= {"type": "boolean"} if value.kind == "switch" else _RESPONSE
    return told


def _numbers(value: Value) -> dict[str, Any]:
    return {"type": "number", "minimum": value.low, "maximum": value.high}


def _object(properties: dict[str, Any], required: tuple[str, ...] = ()) -> dict[str, Any]:
    told: dict[str, Any] = {"type": "object", "properties": properties, "additionalProperties": False}
    return told | ({"required": list(required)} if required else {})


def _layout() -> dict[str, Any]:
    """A motif layout, as tiles.motifs.layout reads it."""
    text, colour = {"type": "string", "minLength": 1, "maxLength": 400}, _COLOUR
    motif = {
        "id": text, "kind": {"enum": list(KINDS)}, "what": text, "name": {"type": "string", "maxLength": 120},
        "values": {"type": "object"}, "colour": colour,
        "colours": {"type": "object", "maxProperties": 64, "additionalProperties": colour},
    }  # fmt: skip
    numbers = {one.name: value_schema(one) for one in (X, Y, TURN, SCALE, GROUP)}
    switches = {"flip": {"type": "boolean"}, "locked": {"type": "boolean"}}
    item = {"motif": text, **numbers, **switches, "colour": {"oneOf": [colour, {"type": "null"}]}}
    rule = {"type": "array", "items": {"type": "integer"}, "minItems": 4, "maxItems": 4}
    rows = {
        "motifs": (_object(motif, ("id", "kind", "what")), MOST_MOTIFS),
        "items": (_object(item, ("motif",)), MOST_ITEMS),
    }
    lists = {name: {"type": "array", "items": one, "maxItems": most} for name, (one, most) in rows.items()}
    whole = {
        "ground": {"oneOf": [colour, {"type": "null"}]},
        "keep_px": value_schema(KEEP),
        "follows": {"type": "boolean"},
    }
    over = {"over": {"type": "array", "items": rule, "maxItems": MOST_RULES}}
    return _object({**lists, **over, **whole, "margin_px": value_schema(MARGIN)})


def _values(values: tuple[Value, ...]) -> dict[str, Any]:
    return _object(_each(values))


def recipe_schema() -> dict[str, Any]:
    """The schema of RECIPE.json."""
    sources = [_object({"name": {"const": one.name}, "values": _values(one.values)}, ("name",)) for one in SOURCES]
    on = {"on": {"type": "boolean", "default": True}}
    steps = [_object({"name": {"const": one.name}, "values": _values(one.values), **on}, ("name",)) for one in STEPS]
    properties = {
        "name": {"type": "string"},
        "size": {"type": "array", "items": value_schema(SIDE), "minItems": 2, "maxItems": 2},
        "repeat": {"enum": list(REPEATS), "default": "straight"},
        "stagger": {**_FRACTION, "default": "1/2"},
        "seed": value_schema(SEED),
        "source": {"$ref": "#/$defs/source"},
        "steps": {"type": "array", "maxItems": MOST_STEPS, "items": {"oneOf": steps}},
        "format": {"const": "orvix-recipe"},
        "version": {"type": "array", "prefixItems": [{"const": VERSION[0]}, {"type": "integer", "minimum": 0}]},
    }
    whole = _object(properties, ("source",))
    return {"$schema": _DIALECT, "title": "RECIPE.json", **whole, "$defs": {"source": {"oneOf": sources}}}


def brush_schema() -> dict[str, Any]:
    """The schema of BRUSH.json."""
    repeat = {"repeat": {"enum": list(REPEATS)}, "stagger": _FRACTION}
    tone = {"tone": _values(TONE_VALUES)}
    recipe = {"recipe": {"$ref": "recipe.schema.json"}}
    pictures = {"file": {"type": "string"}}, {"png": {"type": "string", "contentEncoding": "base64"}}
    source = {"oneOf": [_object(one, tuple(one)) for one in (recipe, *pictures)]}
    grains = [
        _object({**recipe, **tone}, ("recipe",)),
        *(_object({**one, **tone, **repeat}, tuple(one)) for one in pictures),
    ]
    low, high = grain_use.SCALE_LIMITS
    scale = {**_FRACTION, "default": 1, "description": f"canvas px a grain px, {low:g} to {high:g}"}
    grain = {"source": {"oneOf": grains}, "scale": scale, **tone, **_each(grain_use.VALUES)}
    places = _object(dict.fromkeys(ribbon.PLACES, source))
    band = _object({"source": source, "values": _values(ribbon.VALUES), "pictures": places}, ("source",))
    # Every value that is led takes the same leads, and each of them the same values: said once.
    lead = {"oneOf": [{"$ref": "#/$defs/lead"}, {"type": "null"}]}
    drivers = {one.name: {**lead, "description": one.help} for one in DRIVERS}
    coat = {
        "tip": {"oneOf": [_tip(kind, source) for kind in TIPS]},
        "values": _values(COAT_VALUES),
        "leads": _object({one.name: {"$ref": "#/$defs/leads"} for one in LED}),
        "grain": {"oneOf": [_object(grain, ("source",)), {"type": "null"}]},
        "ribbon": {"oneOf": [band, {"type": "null"}]},
    }
    text = {"type": "string"}
    properties = {
        "format": {"const": FORMAT},
        "version": {"type": "array", "prefixItems": [{"const": BRUSH_VERSION[0]}, {"type": "integer"}]},
        "name": {"type": "string", "maxLength": 120},
        **dict.fromkeys(("title", "for", "description", "credit"), text),
        "values": _values(BRUSH_VALUES),
        "coats": {"type": "array", "items": _object(coat), "minItems": 1, "maxItems": MOST_COATS},
    }
    shared = {"lead": _object(_each(LEAD_VALUES)), "leads": _object(drivers)}
    return {"$schema": _DIALECT, "title": "BRUSH.json", **_object(properties, ("coats",)), "$defs": shared}


def _tip(kind: TipKind, source: dict[str, Any]) -> dict[str, Any]:
    told: dict[str, Any] = {"name": {"const": kind.name}, "values": _values(kind.values)}
    least, most = kind.sources
    if most == 1:
        return _object(told | {"source": source}, ("name", "source"))
    if most:
        sources = {"type": "array", "items": source, "minItems": least, "maxItems": most}
        return _object(told | {"sources": sources}, ("name", "sources"))
    return _object(told, ("name",))


def _each(values: tuple[Value, ...]) -> dict[str, Any]:
    return {value.name: value_schema(value) for value in values}


def bundle_schema() -> dict[str, Any]:
    """The schema of bundle.json. Parts it does not know may be there: a newer version may have them."""
    text = {"type": "string"}
    common = {
        "id": text | {"minLength": 1, "maxLength": 60},
        "name": text | {"minLength": 1, "maxLength": 120},
        "tags": text | {"maxLength": 400, "description": "words with commas between them"},
        "set": text | {"maxLength": 60},
        "credit": text | {"maxLength": 400},
        "description": text | {"maxLength": 2000},
        "digest": text | {"pattern": "^[0-9a-f]{64}$", "description": "what it is, as docs/formats/bundle.md says"},
    }
    thing = text | {"description": "the id of a thing that stands before it"}
    picture = {"picture": text | {"description": "a PNG in the bundle"}, "closes": {"type": "boolean"}}
    tile = {
        "recipe": {"$ref": "recipe.schema.json"},
        **picture,
        "repeat": {"enum": list(REPEATS)},
        "stagger": _FRACTION,
    }
    canvas = {
        "file": text | {"description": "an OpenRaster file in the bundle"},
        "history": text | {"description": "an archive of the canvas in the bundle, with its log"},
        "joined": {"type": "boolean"},
        "repeat": {"enum": list(REPEATS)},
        "stagger": _FRACTION,
        "neighbours": {"enum": list(NEIGHBOURS)},
    }
    surface: dict[str, Any] = {
        name: text | {"description": f"the {name} in the bundle, as it came"} for name in ("picture", "mask", "shade")
    }
    surface["laying"] = _values(OWN_VALUES)
    surface["laying"]["properties"]["points"] = {"type": "array", "items": {"type": "array"}}
    row = {"type": "array", "prefixItems": [text | {"maxLength": 40}, _COLOUR], "minItems": 2, "maxItems": 2}
    own: dict[str, tuple[dict[str, Any], tuple[str, ...]]] = {
        "tile": (tile, ()),
        "grain": ({"of": thing, "tone": _values(TONE_VALUES), "scale": _FRACTION}, ("of",)),
        "brush": ({"brush": {"type": "object", "required": ["coats"]}}, ("brush",)),
        "canvas": (canvas, ("file",)),
        "palette": ({"colours": {"type": "array", "items": row, "maxItems": MOST_COLOURS}}, ("colours",)),
        "motif": ({"file": text | {"description": "an SVG or a picture in the bundle, as it came"}}, ("file",)),
        "surface": (surface, ("picture", "laying")),
        "paths": ({"pieces": {"type": "array", "items": {"type": "object"}, "minItems": 1}}, ("pieces",)),
    }
    things = [
        {
            "type": "object",
            "properties": {**common, "kind": {"const": kind}, **parts},
            "required": ["id", "kind", "name", *needed],
        }
        for kind, (parts, needed) in own.items()
    ]
    whole = {
        "format": {"const": BUNDLE},
        "version": text | {"pattern": r"^1\.[0-9]+$"},
        "things": {"type": "array", "items": {"anyOf": things}, "minItems": 1, "maxItems": MOST_THINGS},
    }
    needs = {"type": "object", "properties": whole, "required": ["format", "version", "things"]}
    return {"$schema": _DIALECT, "title": "bundle.json", **needs}


SCHEMAS = {
    "recipe.schema.json": recipe_schema,
    "brush.schema.json": brush_schema,
    "bundle.schema.json": bundle_schema,
}


def as_text(schema: dict[str, Any]) -> str:
    """A schema as its file holds it."""
    return json.dumps(schema, indent=1) + "\n"


if __name__ == "__main__":
    for name, make in SCHEMAS.items():
        (Path(sys.argv[1]) / name).write_text(as_text(make()))
