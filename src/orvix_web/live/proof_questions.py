"""What the proof wall asks: looks at a scale, and the readings of what they are of."""

from __future__ import annotations

from collections.abc import Awaitable, Callable
from typing import Any

import numpy as np

from orvix.canvases.compositing import reduced
from orvix.devices.print_desk import GOODS
from orvix.pictures.packing import flat_rgba8
from orvix.pictures.writing import contrasting_ground
from orvix.progress import UNWATCHED, Watch
from orvix.proofs.looks import PPI, Panel, Wall, drawn
from orvix.proofs.vision import AS_IT_IS
from orvix.readings.report import read_state
from orvix.registry import check_colour
from orvix.tiles.state import TileState
from orvix_web.canvases.drawings import joining_of
from orvix_web.canvases.fits import proven_to_close
from orvix_web.canvases.readings import read_canvas
from orvix_web.errors import NotYours
from orvix_web.live.questions import Answer, level_of, on_bench
from orvix_web.live.rooms import picture
from orvix_web.proofs.orders import checked
from orvix_web.proofs.sources import Of, find
from orvix_web.tiles.rendering import tile_state

READ_BITS = 11
"""A canvas is read with sides of at most 2^this px."""


def _owned(owner_id: int, told: dict[str, Any]) -> Of:
    of = find(owner_id, told.get("of"), told.get("pk"))
    if of is None:
        raise NotYours(f"{str(told.get('of'))[:20]}={str(told.get('pk'))[:40]}: there is no such thing of yours")
    return of


async def sizes(owner_id: int, told: dict[str, Any], watch: Watch = UNWATCHED) -> Answer:
    """How large the looks of a wall are, in mm, and what a repeat is."""

    def work() -> Answer:
        of, wall = _owned(owner_id, told), Wall.parse(told.get("wall"))
        cloth = of.cloth(wall.ppi)
        sides = [{"size_mm": panel.size_mm(cloth), "blur_mm": panel.blur_mm} for panel in wall.panels]
        return {"looks": sides, "repeat_mm": cloth.size_mm, "number": of.number}, None

    return await on_bench(work)


async def look(owner_id: int, told: dict[str, Any], watch: Watch = UNWATCHED) -> Answer:
    """One look at a scale; straight RGBA."""

    def work() -> Answer:
        of, panel = _owned(owner_id, told), Panel.parse(told.get("look"))
        cloth = of.cloth(PPI.check(told.get("ppi", PPI.default)))
        ground, vision = check_colour("cloth", told.get("cloth", "#f2efe6")), told.get("vision", AS_IT_IS)
        return {"number": of.number}, drawn(panel, cloth, told.get("px_per_mm"), vision, ground)

    return await on_bench(work)


async def tile(owner_id: int, told: dict[str, Any], watch: Watch = UNWATCHED) -> Answer:
    """A kept tile at a level, as a cloth is laid out of it."""

    def work() -> Answer:
        state = tile_state(_owned(owner_id, told | {"of": "tile"}).thing.latest)
        level = level_of(told, state.width, state.height)
        facts = {"level": level, "size": [state.width, state.height], "repeat": state.repeat.kind}
        facts |= {"stagger_px": state.repeat.stagger_px(state.width, state.height)}
        return facts, reduced(flat_rgba8(state.pixels, contrasting_ground(state.pixels)), level)

    return await on_bench(work)


async def readings(owner_id: int, told: dict[str, Any], watch: Watch = UNWATCHED) -> Answer:
    """All readings, and the fit of what is on a canvas; quick: those of a small picture, and no fit.

    A large canvas is read at a half of its size, or less; its seam is in full always that of its own px.
    """
    quick = told.get("quick") is True

    def work() -> Answer:
        of = _owned(owner_id, told)
        if of.kind == "tile":
            return read_state(tile_state(of.thing.latest), quick=quick, watch=watch), None
        canvas, joined = picture(of.thing), joining_of(of.thing)
        level = canvas.spec.level_within(READ_BITS)
        px = canvas.pixels() if not level else canvas.view(canvas.spec.box, level).astype(np.uint16) * np.uint16(257)
        state = TileState(joined.unfold(px), joined.repeat, proven_to_close(of.thing))
        found = read_state(state, quick=quick, watch=watch)
        if quick:
            return found, None
        own = read_canvas(of.thing, canvas)
        return found | {name: own[name] for name in ("seam", "fits", "joined")}, None

    return await on_bench(work)


async def print_checks(owner_id: int, told: dict[str, Any], watch: Watch = UNWATCHED) -> Answer:
    """What the print desk would say of it. told: goods, ppi, ground."""

    def work() -> Answer:
        of = _owned(owner_id, told)
        found = [one.as_dict() for one in checked(of, told)]
        return {"checks": found, "goods": GOODS.get(told.get("goods")).describe()}, None

    return await on_bench(work)


PROOF_QUESTIONS: dict[str, Callable[[int, dict[str, Any], Watch], Awaitable[Answer]]] = {
    "proof-sizes": sizes,
    "proof-look": look,
    "proof-readings": readings,
    "proof-tile": tile,
    "print-checks": print_checks,
}
