"""What the layout bench asks: what motifs look like, edits, moves that are allowed, and layers to drag by."""

from __future__ import annotations

from collections.abc import Awaitable, Callable
from dataclasses import replace
from typing import Any

import numpy as np

from orvix.errors import BadValue
from orvix.progress import UNWATCHED, Watch
from orvix.tiles.motifs.distances import MOST_LINKS, Distances, Link, least_distance
from orvix.tiles.motifs.dragging import drag_layers
from orvix.tiles.motifs.editing import Bench, edit
from orvix.tiles.motifs.layout import Item, Layout, parse_layout
from orvix.tiles.motifs.rendering import Cloth, render
from orvix.tiles.motifs.sprites import Studio
from orvix.tiles.recipe import Recipe
from orvix.tiles.repeats import Repeat
from orvix.tiles.window import Window
from orvix_web.benches.questions import Answer, on_bench
from orvix_web.tiles.rendering import svg_reader, upload_reader

THUMB = 56
MOST_CHOSEN = 2_000


def _bench(owner_id: int, told: dict[str, Any]) -> tuple[Recipe, Bench]:
    """The recipe of a layout, and the layout as it is edited."""
    recipe = Recipe.parse(told.get("recipe"))
    if recipe.source.name != "motifs":
        raise BadValue("source", recipe.source.name, "must be a motif layout")
    chosen = told.get("chosen", [])
    if not isinstance(chosen, list) or len(chosen) > MOST_CHOSEN:
        raise BadValue("chosen", chosen, "must be a list of numbers of items")
    studio = Studio(upload_reader(owner_id), svg_reader(owner_id))
    cloth = Cloth(recipe.width, recipe.height, recipe.repeat)
    return recipe, Bench(parse_layout(recipe.values["layout"]), cloth, studio, tuple(chosen))


def _recipe_of(recipe: Recipe, bench: Bench) -> dict[str, Any]:
    cloth = bench.cloth
    fresh = replace(recipe, width=cloth.width, height=cloth.height, repeat=cloth.repeat)
    return replace(fresh, values={"layout": bench.layout.as_dict()}).as_dict()


async def layout(owner_id: int, told: dict[str, Any], watch: Watch = UNWATCHED) -> Answer:
    """What the motifs of a layout are: sizes, outlines and colours; and its shortest links. Pixels: their pictures."""

    def work() -> Answer:
        _, bench = _bench(owner_id, told)
        motifs, pictures = [], []
        for motif in bench.layout.motifs:
            art = bench.studio.art(motif)
            outlines = [np.round(shape, 2).tolist() for shape in bench.studio.outlines(bench.layout, motif)]
            motifs.append(
                {"id": motif.id, "size": [art.width, art.height], "outlines": outlines, "colours": list(art.colours)}
            )
            pictures.append(_thumb(bench, motif.id))
        links = least_distance(bench.layout, bench.cloth, bench.studio)
        facts = {"motifs": motifs, "links": [link.as_dict() for link in links], "thumb": THUMB}
        return facts, np.concatenate(pictures) if pictures else None

    return await on_bench(work)


def _thumb(bench: Bench, motif: str) -> np.ndarray:
    """A motif alone, over a light grey: uint8 (THUMB, THUMB, 4)."""
    art = bench.studio.art(bench.layout.motif(motif))
    scale = (THUMB - 6) / max(art.width, art.height)
    alone = Layout(bench.layout.motifs, (Item(motif, THUMB / 2, THUMB / 2, scale=scale),), ground="#efefef")
    cloth = Cloth(THUMB * 4, THUMB * 4, Repeat())
    return (render(alone, cloth, bench.studio, Window(0, 0, THUMB, THUMB)) >> 8).astype(np.uint8)


async def layout_edit(owner_id: int, told: dict[str, Any], watch: Watch = UNWATCHED) -> Answer:
    """A layout after an edit: the recipe, and what is chosen."""

    def work() -> Answer:
        recipe, bench = _bench(owner_id, told)
        done = edit(bench, told.get("edit"))
        return {"recipe": _recipe_of(recipe, done), "chosen": list(done.chosen)}, None

    return await on_bench(work)


async def layout_move(owner_id: int, told: dict[str, Any], watch: Watch = UNWATCHED) -> Answer:
    """While chosen items are dragged: the move that is allowed, and how near they come there."""

    def work() -> Answer:
        _, bench = _bench(owner_id, told)
        ways: list[Any] = [told.get(name) for name in ("x", "y")]
        last = told.get("last", [0, 0])
        if not all(type(one) in (int, float) and abs(one) < 1e6 for one in (*ways, *last)) or len(last) != 2:
            raise BadValue("move", ways, "must be numbers of px")
        distances = Distances(bench.layout, bench.cloth, bench.studio)
        by = distances.allowed(bench.free, (float(ways[0]), float(ways[1])), (float(last[0]), float(last[1])))
        there = bench.with_free(lambda _, item: item.moved(*by))
        return {"move": list(by), "links": [one.as_dict() for one in _apart(there)]}, None

    return await on_bench(work)


def _apart(bench: Bench) -> list[Link]:
    """The shortest links from the chosen items to others."""
    chosen = set(bench.chosen)
    links = Distances(bench.layout, bench.cloth, bench.studio).links(chosen)
    return [one for one in links if not (one.other in chosen and one.copy == (0, 0))][:MOST_LINKS]


async def layout_layers(owner_id: int, told: dict[str, Any], watch: Watch = UNWATCHED) -> Answer:
    """The layout in layers to drag by, end to end, each with its size and place; see `tiles.motifs.dragging`."""

    def work() -> Answer:
        _, bench = _bench(owner_id, told)
        level = told.get("level", 0)
        if isinstance(level, bool) or not isinstance(level, int) or not 0 <= level <= 8:
            raise BadValue("level", level, "must be a whole number from 0 to 8")
        count = len(bench.layout.items)
        if not all(isinstance(n, int) and not isinstance(n, bool) and 0 <= n < count for n in bench.chosen):
            raise BadValue("chosen", list(bench.chosen)[:8], f"must be numbers of items, below {count}")
        layers = drag_layers(bench.layout, bench.cloth, bench.studio, bench.free, level)
        told_of = [
            {
                "width": one.rgba.shape[1],
                "height": one.rgba.shape[0],
                "left": one.left,
                "top": one.top,
                "moving": one.moving,
            }
            for one in layers
        ]
        octets = np.concatenate([one.rgba.reshape(-1, 4) for one in layers])
        return {"layers": told_of, "level": level}, octets.reshape(1, -1, 4)

    return await on_bench(work)


LAYOUT_QUESTIONS: dict[str, Callable[[int, dict[str, Any], Watch], Awaitable[Answer]]] = {
    "layout": layout,
    "layout-edit": layout_edit,
    "layout-move": layout_move,
    "layout-layers": layout_layers,
}
