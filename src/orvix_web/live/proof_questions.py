"""What the proof wall asks: looks at a scale, and the readings of what they are of."""

from __future__ import annotations

from collections.abc import Awaitable, Callable
from typing import Any

from orvix.canvases.compositing import reduced
from orvix.devices.print_desk import GOODS
from orvix.pictures.packing import flat_rgba8
from orvix.pictures.writing import contrasting_ground
from orvix.progress import UNWATCHED, Watch
from orvix.proofs.looks import PPI, Panel, drawn
from orvix.proofs.vision import AS_IT_IS
from orvix.readings.report import read_state
from orvix.registry import check_colour
from orvix_web.canvases.readings import read_canvas
from orvix_web.errors import NotYours
from orvix_web.live.questions import Answer, level_of, on_bench
from orvix_web.live.rooms import picture
from orvix_web.proofs.orders import checked
from orvix_web.proofs.sources import Of, find
from orvix_web.tiles.rendering import tile_state


def _owned(owner_id: int, told: dict[str, Any]) -> Of:
    of = find(owner_id, told.get("of"), told.get("pk"))
    if of is None:
        raise NotYours(f"{str(told.get('of'))[:20]}={str(told.get('pk'))[:40]}: there is no such thing of yours")
    return of


async def look(owner_id: int, told: dict[str, Any], watch: Watch = UNWATCHED) -> Answer:
    """One look: how large it is in mm, and its pixels at a scale; straight RGBA."""

    def work() -> Answer:
        of = _owned(owner_id, told)
        panel = Panel.parse(told.get("look"))
        cloth = of.cloth(PPI.check(told.get("ppi", PPI.default)))
        facts = {"size_mm": panel.size_mm(cloth), "repeat_mm": cloth.size_mm, "blur_mm": panel.blur_mm}
        scale = told.get("px_per_mm")
        if scale is None:
            return facts | {"number": of.number}, None
        ground = check_colour("cloth", told.get("cloth", "#f2efe6"))
        return facts | {"number": of.number}, drawn(panel, cloth, scale, told.get("vision", AS_IT_IS), ground)

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
    """The seam, tone and fit of a canvas, or all readings of a tile."""

    def work() -> Answer:
        of = _owned(owner_id, told)
        if of.kind == "canvas":
            return read_canvas(of.thing, picture(of.thing)), None
        return read_state(tile_state(of.thing.latest)) | {"fits": [], "joined": True}, None

    return await on_bench(work)


async def print_checks(owner_id: int, told: dict[str, Any], watch: Watch = UNWATCHED) -> Answer:
    """What the print desk would say of it. told: goods, ppi, ground."""

    def work() -> Answer:
        of = _owned(owner_id, told)
        found = [one.as_dict() for one in checked(of, told)]
        return {"checks": found, "goods": GOODS.get(told.get("goods")).describe()}, None

    return await on_bench(work)


PROOF_QUESTIONS: dict[str, Callable[[int, dict[str, Any], Watch], Awaitable[Answer]]] = {
    "proof-look": look,
    "proof-readings": readings,
    "proof-tile": tile,
    "print-checks": print_checks,
}
