"""Building the scenario: tiles, grains, brushes, a painted canvas and its proof, for one owner."""

from __future__ import annotations

from typing import Any

from django.contrib.auth.models import User
from django.db import transaction

from orvix.brushes.starters import STARTERS
from orvix.devices.photo_tray import develop
from orvix.pictures.writing import png_bytes
from orvix_demo.drawn import DRAWN, drawn_strokes, layout_recipe
from orvix_demo.strokes import HEIGHT, LAYERS, NET, WIDTH, strokes
from orvix_web.brushes.models import Brush
from orvix_web.brushes.services import create_from_definition, create_tip_brush, starter_definition
from orvix_web.canvases.drawings import create_drawing, owned_drawing, publish_drawing
from orvix_web.canvases.journal import Journal
from orvix_web.canvases.models import Canvas
from orvix_web.canvases.services import create_canvas
from orvix_web.live.messages import Batch, Begin, End
from orvix_web.live.painting import open_painting
from orvix_web.proofs.services import create_proof
from orvix_web.tiles.models import Tile
from orvix_web.tiles.services import create_grain, create_tile, keep_tile, take_upload
from orvix_web.tiles.thumbnails import thumbnail


def load_scenario(owner: User) -> bool:
    """Build the scenario for an owner who has no tiles yet; returns whether it did."""
    if Tile.objects.of(owner).exists():
        return False
    with transaction.atomic():
        take_upload(owner, "Deck planking photo.png", png_bytes(develop("deck-planking")))
        take_photo(owner, "quay-wall", "Quay wall, mended", ["even-light", "mend-border"])
        create_tile(owner, "Harbour courses", COURSES)
        create_tile(owner, "Cork floats", FLOATS)
        create_tile(owner, "Ticking", {"size": [768, 768], "source": {"name": "ticking", "values": {}}})
        create_tile(owner, "Net mesh", {"size": [768, 768], "source": {"name": "net", "values": {}}})
        sparks = create_tile(owner, "Lantern glow", {"size": [512, 512], "source": {"name": "sparks", "values": {}}})
        crust = create_tile(owner, "Barnacle crust", _noise(512, 12, 5, 0.62, 3, "brick", "1/2"))
        create_tile(owner, "Deep water", _noise(768, 4, 6, 0.5, 9, "half-drop", "1/2"))
        cloth = create_tile(owner, "Sailcloth", _noise(256, 32, 3, 0.7, 7))
        crust_grain = create_grain(owner, crust.latest.pk, "Barnacle grain", {"contrast": 0.45})
        cloth_grain = create_grain(owner, cloth.latest.pk, "Sailcloth grain", {"contrast": 0.7, "brightness": 0.08})
        create_tip_brush(owner, sparks.latest.pk)
        _brushes(owner, crust_grain.latest.pk, cloth_grain.latest.pk)
        draw_kelp(owner)
        create_tile(owner, "Harbour catch", layout_recipe())
        canvas = create_canvas(owner, "Harbour endpaper", _canvas())
        paint(canvas)
        create_proof(owner, "canvas", canvas.pk)
    return True


COURSES: dict[str, Any] = {
    "size": [1024, 1024],
    "repeat": "half-drop",
    "seed": 5,
    "source": {
        "name": "mix",
        "values": {
            "under": {"name": "noise", "values": {"cells": 5, "octaves": 6}},
            "over": {"name": "courses", "values": {"across": 5, "down": 10, "variation": 0.4}},
            "mode": "overlay",
        },
    },
    "steps": [
        {
            "name": "colours",
            "values": {"colours": [[0.0, "#16313b"], [0.45, "#3f7480"], [0.8, "#cdbd94"], [1.0, "#f3ead6"]]},
        },
        {"name": "sharpen", "values": {"amount": 0.6}},
        {"name": "blur", "on": False},
    ],
}
FLOATS: dict[str, Any] = {
    "size": [768, 768],
    "repeat": "brick",
    "seed": 4,
    "source": {
        "name": "gradient",
        "values": {
            "of": {"name": "specks", "values": {"density": 70, "size": 7.0, "clustering": 0.5, "roundness": 0.85}},
            "colours": [[0.0, "#7d4a22"], [0.3, "#c08b4c"], [0.8, "#e9e2cf"], [1.0, "#f3eee0"]],
        },
    },
}


def take_photo(owner: User, name: str, title: str, steps: list[str]) -> None:
    """A photo of the tray with steps over it, kept as its second version."""
    tile = take_upload(owner, f"{title}.png", png_bytes(develop(name)))
    recipe = tile.latest.recipe
    keep_tile(owner, tile.pk, {**recipe, "steps": [{"name": step} for step in steps]})


def _noise(
    side: int, cells: int, octaves: int, roughness: float, seed: int, repeat: str = "straight", stagger: str = "1/2"
) -> dict[str, Any]:
    values = {"cells": cells, "octaves": octaves, "roughness": roughness}
    source = {"name": "noise", "values": values}
    return {"size": [side, side], "repeat": repeat, "stagger": stagger, "seed": seed, "source": source}


def _brushes(owner: User, crust: int, cloth: int) -> None:
    grains = {"barnacle-wash": crust, "sailcloth-chalk": cloth}
    first = ("lantern-glow", "sea-spray", "harbour-liner", "barnacle-wash", "sailcloth-chalk")
    for name in (*(one for one in STARTERS.names() if one not in first), *first):
        definition = starter_definition(owner, name, grains.get(name))
        brush = create_from_definition(owner, definition["name"], definition)
        brush.description, brush.set_name = STARTERS.get(name).purpose, "Starters"
        brush.save(update_fields=["description", "set_name"])


def _canvas() -> dict[str, Any]:
    return {"width": WIDTH, "height": HEIGHT, "ppi": 300.0, "joined": True, "ground": "#1b3f4b"}


def draw_kelp(owner: User) -> None:
    """A tile drawn by hand on two layers, a state kept on the way, published as its second version."""
    tile = create_drawing(owner, "Kelp garden", DRAWN)
    row = owned_drawing(owner, tile.pk)
    brush = Brush.objects.of(owner).get(name="Harbour liner").latest.pk
    journal = Journal(row.pk, row.owner_id)
    painting = open_painting(row, journal)
    first = painting.canvas.stack[0].as_dict()
    painting.edit({"what": "layers", "layers": [first | {"name": "Fronds"}, {"id": 2, "name": "Floats"}]})
    for n, (told, samples) in enumerate(drawn_strokes(), 1):
        painting.begin(Begin(n, {"brush": brush, "seed": n, **told}))
        painting.carry_on(Batch(n, 0, 0.0, samples))
        painting.end(End(n, len(samples)))
        if n == 18:
            kept, small, made_of = painting.keep_state()
            journal.keep(kept, thumbnail(small), made_of)
    unstored = painting.take_unstored()
    if unstored is not None:
        journal.store(*unstored)
    row.refresh_from_db()
    publish_drawing(row, painting.canvas, row.revision)


def paint(canvas: Canvas) -> None:
    """Paint the demo strokes on a canvas, through the log and the stored blocks, as a hand would."""
    versions = {brush.name: brush.latest.pk for brush in Brush.objects.of(canvas.owner)}
    journal = Journal(canvas.pk, canvas.owner_id)
    painting = open_painting(canvas, journal)
    net = Tile.objects.of(canvas.owner).get(name="Net mesh")
    fill = {"fill": {"tile": net.pk, **NET}}
    painting.edit({"what": "layers", "layers": [one | fill if "kind" in one else one for one in LAYERS]})
    for n, one in enumerate(strokes(), 1):
        told = {"brush": versions[one.brush], "colour": one.colour, "seed": n, "values": one.values, "layer": one.layer}
        painting.begin(Begin(n, told))
        painting.carry_on(Batch(n, 0, 0.0, one.samples))
        painting.end(End(n, len(one.samples)))
    unstored = painting.take_unstored()
    if unstored is not None:
        journal.store(*unstored)
    journal.thumbnail(thumbnail(painting.shown.small))
    canvas.refresh_from_db()
