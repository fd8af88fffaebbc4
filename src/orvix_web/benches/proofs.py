"""What the proof wall asks: looks at a scale, and the readings of what they are of."""

from __future__ import annotations

from collections.abc import Awaitable, Callable
from contextlib import suppress
from typing import Any

import cv2
import numpy as np

from orvix.canvases.canvas import Canvas as CoreCanvas
from orvix.canvases.compositing import reduced
from orvix.colour.colourways import colours_of, parse_colourways
from orvix.devices.print_desk import GOODS
from orvix.errors import BadValue
from orvix.pictures.packing import flat_rgba8
from orvix.pictures.writing import contrasting_ground
from orvix.progress import UNWATCHED, Watch
from orvix.proofs.lines import MOST_SIDE, smallest_line_px
from orvix.proofs.looks import PPI, Panel, Shown, Wall, drawn, swaps_of
from orvix.proofs.own import MOST_CELLS, Laying, parse_points
from orvix.proofs.rendering import Look
from orvix.proofs.vision import AS_IT_IS
from orvix.readings.report import read_state
from orvix.registry import check_colour
from orvix.tiles.repeats import Repeat
from orvix.tiles.state import TileState
from orvix_web.benches.questions import Answer, Rgba, level_of, on_bench
from orvix_web.canvases.drawings import joining_of
from orvix_web.canvases.fits import proven_to_close
from orvix_web.canvases.pictures import picture
from orvix_web.canvases.readings import read_canvas
from orvix_web.errors import NotYours
from orvix_web.proofs.orders import checked
from orvix_web.proofs.own_surfaces import core_surface, own_of, owned_surface
from orvix_web.proofs.sources import Of, deep, find
from orvix_web.tiles.rendering import Recent, tile_state

_CLOSE = Recent(8, 256 * 1024 * 1024, lambda one: one[0].nbytes)
READ_BITS = 11
"""A canvas is read with sides of at most 2^this px."""


def _owned(owner_id: int, told: dict[str, Any]) -> Of:
    of = find(owner_id, told.get("of"), told.get("pk"))
    if of is None:
        raise NotYours("This item no longer exists.")
    return of


async def sizes(owner_id: int, told: dict[str, Any], watch: Watch = UNWATCHED) -> Answer:
    """How large the looks of a wall are, in mm and seen from away in degrees, and what a repeat is."""

    def work() -> Answer:
        of, wall = _owned(owner_id, told), Wall.parse(told.get("wall"), own_of(owner_id))
        sides, now = [], of.cloth(wall.ppi)
        for panel in wall.panels:
            # What is not there any more, as a state that was thrown away, is as large as what is there now.
            cloth = now
            with suppress(NotYours, BadValue):
                cloth = of.cloth(wall.ppi, panel.shown, swaps_of(wall.colourways, panel.shown))
            sides.append(
                {"size_mm": panel.size_mm(cloth), "blur_mm": panel.blur_mm, "angle_deg": panel.angle_deg(cloth)}
            )
        return {"looks": sides, "repeat_mm": now.size_mm, "number": of.number}, None

    return await on_bench(work)


async def look(owner_id: int, told: dict[str, Any], watch: Watch = UNWATCHED) -> Answer:
    """One look at a scale; straight RGBA. told: the colourways of its wall."""

    def work() -> Answer:
        of, panel = _owned(owner_id, told), Panel.parse(told.get("look"), own_of(owner_id))
        swaps = swaps_of(parse_colourways(told.get("colourways", [])), panel.shown)
        cloth = of.cloth(PPI.check(told.get("ppi", PPI.default)), panel.shown, swaps)
        ground, vision = check_colour("cloth", told.get("cloth", "#f2efe6")), told.get("vision", AS_IT_IS)
        return {"number": of.number}, drawn(panel, cloth, told.get("px_per_mm"), vision, ground)

    return await on_bench(work)


async def close(owner_id: int, told: dict[str, Any], watch: Watch = UNWATCHED) -> Answer:
    """What is shown of a thing at a level of its own px, as a cloth is laid out of it. told: shown, colourways."""

    def work() -> Answer:
        of, shown = _owned(owner_id, told), Shown.parse(told.get("shown") or {})
        swaps = swaps_of(parse_colourways(told.get("colourways", [])), shown)
        key = (of.kind, of.thing.pk, of.number, shown, swaps)
        pixels, repeat = _CLOSE.get(key, lambda: _flat(*of.laid_out(shown, swaps)[:2]))
        height, width = pixels.shape[:2]
        level = level_of(told, width, height)
        facts = {"level": level, "size": [width, height], "repeat": repeat.kind}
        return facts | {"stagger_px": repeat.stagger_px(width, height)}, reduced(pixels, level)

    return await on_bench(work)


def _flat(pixels: Any, repeat: Repeat) -> tuple[Rgba, Repeat]:
    """8-bit pixels as they are seen: over what they contrast with, where they are clear."""
    return (flat_rgba8(pixels, contrasting_ground(pixels)) if pixels.dtype == np.uint16 else pixels), repeat


async def colours(owner_id: int, told: dict[str, Any], watch: Watch = UNWATCHED) -> Answer:
    """The colours that a thing has, the most first, to be swapped in a colourway."""

    def work() -> Answer:
        return {"colours": colours_of(deep(_owned(owner_id, told).laid_out()[0]))}, None

    return await on_bench(work)


async def own(owner_id: int, told: dict[str, Any], watch: Watch = UNWATCHED) -> Answer:
    """An own surface as its cloth would lie, with a tile on it.

    told: surface, laying; knot and to, where one is dragged; grid, where it is parted otherwise; tile; width in
    px, 0: no picture.
    """

    def work() -> Answer:
        row = owned_surface(owner_id, told["surface"] if type(told.get("surface")) is int else 0)
        laying = Laying.parse(told.get("laying"))
        if told.get("grid"):
            laying = laying.with_grid(*_whole_pair("grid", told["grid"], 1, MOST_CELLS))
        if told.get("knot") is not None:
            most = laying.points.shape[0] * laying.points.shape[1] - 1
            (knot,) = _wholes("knot", [told["knot"]], 0, most)
            laying = laying.moved(knot, *parse_points([told.get("to")], 1)[0])
        facts = {"laying": laying.as_dict()}
        (width,) = _wholes("width", [told.get("width", 0)], 0, 2048)
        if not width:
            return facts, None
        surface = core_surface(row, laying)
        of = find(owner_id, "tile", told.get("tile"))
        if of is None:
            rgb = cv2.resize(surface.picture, (width, round(row.height * width / row.width)))
            return facts, np.dstack([rgb, np.full(rgb.shape[:2], 255, np.uint8)])
        cloth = of.cloth(PPI.check(told.get("ppi", PPI.default)))
        return facts, surface.drawn(cloth.pyramid, cloth.ppi, Look(), max(width, 64))

    return await on_bench(work)


def _wholes(name: str, told: Any, low: int, high: int) -> list[int]:
    if not isinstance(told, list) or not all(type(one) is int and low <= one <= high for one in told):
        raise BadValue(name, str(told)[:40], f"must be whole numbers from {low} to {high}")
    return told


def _whole_pair(name: str, told: Any, low: int, high: int) -> list[int]:
    found = _wholes(name, told, low, high)
    if len(found) != 2:
        raise BadValue(name, str(told)[:40], "must be two numbers")
    return found


async def readings(owner_id: int, told: dict[str, Any], watch: Watch = UNWATCHED) -> Answer:
    """All readings, and the fit of what is on a canvas; quick: those of a small picture, and no fit.

    A large canvas is read at a half of its size, or less; its seam is in full always that of its own px.
    """
    quick = told.get("quick") is True

    def work() -> Answer:
        of = _owned(owner_id, told)
        if of.kind == "tile":
            state = tile_state(of.thing.latest)
            found = read_state(state, quick=quick, watch=watch)
            return found | ({} if quick else {"line_px": _line_px(state)}), None
        canvas, joined = picture(of.thing), joining_of(of.thing)
        level = canvas.spec.level_within(READ_BITS)
        px = canvas.pixels() if not level else deep(canvas.view(canvas.spec.box, level))
        state = TileState(joined.unfold(px), joined.repeat, proven_to_close(of.thing))
        found = read_state(state, quick=quick, watch=watch)
        if quick:
            return found, None
        own = read_canvas(of.thing, canvas)
        found["line_px"] = smallest_line_px(_middle(canvas))
        return found | {name: own[name] for name in ("seam", "fits", "joined")}, None

    return await on_bench(work)


def _line_px(state: TileState) -> float | None:
    """The thinnest lines of a tile, over what it contrasts with."""
    return smallest_line_px(np.ascontiguousarray(_flat(state.pixels, state.repeat)[0][..., :3]))


def _middle(canvas: CoreCanvas) -> Any:
    """As much of the middle of a canvas as lines are measured on."""
    spec = canvas.spec
    left, top = max(spec.width - MOST_SIDE, 0) // 2, max(spec.height - MOST_SIDE, 0) // 2
    box = (left, top, min(left + MOST_SIDE, spec.width), min(top + MOST_SIDE, spec.height))
    return np.ascontiguousarray(canvas.view(box)[..., :3])


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
    "proof-close": close,
    "proof-colours": colours,
    "own-surface": own,
    "print-checks": print_checks,
}
