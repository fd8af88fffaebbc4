"""What the page of the brush bench shows: every value under its question, the leads grid, tips and grains to choose."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import replace
from typing import Any

from django.contrib.auth.models import User

from orvix.brushes import grain_use
from orvix.brushes import ribbon as ribbons
from orvix.brushes.definition import MOST_COATS, Coat
from orvix.brushes.definition import Brush as CoreBrush
from orvix.brushes.leads import DOES, DRIVERS, LEAD_VALUES, first_lead, range_of
from orvix.brushes.tips import TIPS
from orvix.brushes.values import BRUSH_VALUES, GROUPS, LED
from orvix.devices.stylus import CELLS, SHOWN, sheet_size
from orvix.grains.tone import TONE_VALUES
from orvix.lettering.fonts import SHIPPED
from orvix.registry import Value, check_values
from orvix.tiles.recipe import Recipe
from orvix_web.brushes.models import Brush, BrushVersion, FontFile
from orvix_web.brushes.services import uses_of
from orvix_web.brushes.trials import DARK, FACTORS, HALVES, INK, LIGHT, SECOND
from orvix_web.tiles.cards import Row, rows_of
from orvix_web.tiles.models import GrainVersion, TileVersion

QUESTIONS = {
    "mark": "Tip",
    "often": "Rhythm",
    "way": "Direction",
    "grain": "Grain",
    "colour": "Colour",
    "ink": "Ink",
}
_ROOM = 14
"""Letters of a choice that fit beside its name in a column of the bench."""
_KEPT = ("use", "blend", "smear_strength", "smear_reach", "soften_px", "keeps_size", "keeps_colour")


def _defaults(values: tuple[Value, ...]) -> dict[str, Any]:
    return {value.name: value.default for value in values}


def _rows(values: tuple[Value, ...], now: Any, path: str) -> list[Row]:
    rows = rows_of(values, {**_defaults(values), **now}, path)
    return [replace(row, room=_ROOM) for row in rows if row.value.kind != "points"]


def bench_context(
    owner: User, brush: Brush, version: BrushVersion, definition: Any, canvases: Iterable[Any] = ()
) -> dict[str, Any]:
    """Everything the template needs; the page fills in the other coats from the definition itself.

    definition: what the bench shows, a draft or the version's own. canvases: those that the trial sheet can be painted
    over.
    """
    core = CoreBrush.parse(definition)
    coat = core.coats[0]
    groups = [
        {"name": name, "title": title, "rows": _rows(GROUPS.get(name, ()), coat.values, "values")}
        for name, title in QUESTIONS.items()
    ]
    kept = tuple(value for value in BRUSH_VALUES if value.name in _KEPT)
    return {
        "place": "brushes",
        "brush": brush,
        "version": version,
        "definition": core.as_dict() | {"name": brush.name},
        "facts": _facts(),
        "groups": groups,
        "tip_kinds": [
            (kind, [row for row in _rows(kind.values, {}, f"tip.{kind.name}") if row.value.name != "font"])
            for kind in TIPS
        ],
        "grain_rows": _grain_rows(coat),
        "tone_rows": _rows(TONE_VALUES, {}, "grain.tone"),
        "ribbon_places": ribbons.PLACES,
        "ribbon_rows": _rows(ribbons.VALUES, {}, "ribbon.values"),
        "brush_rows": _rows(kept, core.values, "brush"),
        "tips": tip_choices(owner, core),
        "grains": [(one, Recipe.parse(one.tile_version.recipe).shape[0]) for one in grain_choices(owner, core)],
        "sets": sorted({one for one in Brush.objects.of(owner).values_list("set_name", flat=True) if one}),
        "others": Brush.objects.of(owner).exclude(pk=brush.pk),
        "fonts": SHIPPED,
        "font_files": FontFile.objects.filter(owner=owner),
        "led": LED,
        "drivers": DRIVERS,
        "strokes": SHOWN,
        "sheet": dict(zip(("width", "height"), sheet_size(), strict=True)),
        "most_coats": MOST_COATS,
        "canvases": canvases,
    }


def _grain_rows(coat: Coat) -> list[Row]:
    return _rows(grain_use.VALUES, coat.grain.values if coat.grain else {}, "grain")


def _facts() -> dict[str, Any]:
    """What the page's scripts must know that is not in the definition."""
    return {
        "led": [{**vars(one), "ranges": {does: range_of(one.name, does) for does in DOES}} for one in LED],
        "first_leads": {
            one.name: {driver.name: first_lead(one.name, driver.name).as_dict() for driver in DRIVERS} for one in LED
        },
        "drivers": [vars(one) for one in DRIVERS],
        "lead": {value.name: value.default for value in LEAD_VALUES},
        "tips": {kind.name: {"sources": kind.sources, "values": _defaults(kind.values)} for kind in TIPS},
        "coat": CoreBrush.parse({"coats": [{}]}).coats[0].as_dict(),
        "grain": check_values(grain_use.VALUES, {}, "grain") | {"scale": "1/2", "tone": _defaults(TONE_VALUES)},
        "ribbon": check_values(ribbons.VALUES, {}, "ribbon"),
        "cells": CELLS,
        "factors": FACTORS,
        "grounds": {"both": HALVES, "light": LIGHT, "dark": DARK},
        "colours": [INK, SECOND],
    }


def tip_choices(owner: User, brush: CoreBrush) -> list[TileVersion]:
    """The tiles a tip or a ribbon can be taken from, in their newest versions, and those this brush has."""
    newest = TileVersion.objects.filter(tile__owner=owner).order_by("tile_id", "-number").distinct("tile_id")
    found = list(newest.select_related("tile"))
    used = [use.tile_version for use in uses_of(owner.pk, brush) if use.tile_version]
    return [*dict.fromkeys(one for one in used if one not in found), *found]


def grain_choices(owner: User, brush: CoreBrush) -> list[GrainVersion]:
    """The grains of the painter in their newest versions, and those this brush has."""
    newest = GrainVersion.objects.filter(grain__owner=owner).order_by("grain_id", "-number").distinct("grain_id")
    found = list(newest.select_related("grain", "tile_version"))
    used = [use.grain_version for use in uses_of(owner.pk, brush) if use.grain_version]
    return [*dict.fromkeys(one for one in used if one not in found), *found]
