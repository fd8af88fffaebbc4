"""Answers what benches ask. Each question is one function from the owner and its data to facts and pixels.

Questions run on threads of their own, so they block neither pages nor painting.
"""

from __future__ import annotations

import time
from collections.abc import Awaitable, Callable
from typing import Any

import numpy as np
from numpy.typing import NDArray

from orvix.canvases.canvas import Canvas
from orvix.canvases.compositing import reduced
from orvix.errors import BadValue, UnknownName
from orvix.grains.tone import Tone, cover, grain_plane
from orvix.pictures.packing import flat_rgba8
from orvix.pictures.writing import contrasting_ground, flat_rgb
from orvix.progress import UNWATCHED, Watch
from orvix.readings.advice import advice
from orvix.readings.report import read_state
from orvix.readings.squint import PRINT_PPI, squint
from orvix.tiles.mending.cleanest import cleanest_parts
from orvix.tiles.mending.periods import find_period
from orvix.tiles.mending.stains import find_stains
from orvix.tiles.recipe import Recipe
from orvix.tiles.state import TileState
from orvix_web.benches.brushes import BRUSH_QUESTIONS
from orvix_web.benches.layouts import LAYOUT_QUESTIONS
from orvix_web.benches.proofs import PROOF_QUESTIONS
from orvix_web.benches.questions import Answer, Rgba, level_of, number_of, on_bench, whole_of
from orvix_web.brushes.trials import paint_grain_stroke
from orvix_web.canvases.drawings import drawn_state
from orvix_web.canvases.fits import canvas_fits
from orvix_web.canvases.models import Canvas as CanvasRow
from orvix_web.canvases.models import KeptState
from orvix_web.canvases.pictures import picture
from orvix_web.canvases.readings import read_canvas
from orvix_web.canvases.rows import load_kept
from orvix_web.drafts.services import Written, write
from orvix_web.errors import NotYours
from orvix_web.live.messages import View
from orvix_web.live.session import seen_box
from orvix_web.tiles.models import TileVersion
from orvix_web.tiles.rendering import Recent, rendered, tile_state, upload_reader

MOST_PHOTO_PX = 1400
DISTANCES_MM = (600, 4000)
"""Arm's length, and across the room."""
_kept = Recent(2)


async def ask(owner_id: int, told: dict[str, Any], watch: Watch = UNWATCHED) -> Answer:
    """Answer one question; raises OrvixError, and Stopped where `watch` asks a question that gives way to stop."""
    what = told.get("what")
    if what not in QUESTIONS:
        raise UnknownName("what", what, sorted(QUESTIONS))
    start = time.perf_counter()
    facts, rgba = await QUESTIONS[what](owner_id, told, watch)
    if rgba is not None:
        facts |= {"width": rgba.shape[1], "height": rgba.shape[0]}
    return facts | {"ms": round(1000 * (time.perf_counter() - start), 1)}, rgba


def _flat8(pixels: NDArray[np.uint16]) -> Rgba:
    return flat_rgba8(pixels, contrasting_ground(pixels))


def _lie(state: TileState) -> dict[str, Any]:
    """How a tile's copies lie, as pages lay out a cloth."""
    moved = state.repeat.stagger_px(state.width, state.height)
    return {"size": [state.width, state.height], "repeat": state.repeat.kind, "stagger_px": moved}


async def _tile(owner_id: int, told: dict[str, Any], watch: Watch = UNWATCHED) -> Answer:
    def work() -> Answer:
        asked = Recipe.parse(told.get("recipe"))
        recipe, smaller = asked.preview()
        level = level_of(told, recipe.width, recipe.height)
        # While a value moves, what is seen at half its size is made at half its size.
        half = recipe.halved() if told.get("moving") is True and level and smaller == 1 else None
        try:
            state = rendered(owner_id, half or recipe)
        except BadValue:
            if half is None:
                raise
            half, state = None, rendered(owner_id, recipe)
        facts = _lie(state) | {
            "level": level,
            "notes": list(state.notes),
            "proven": state.proven,
            "preview": smaller > 1,
            "moving": half is not None,
        }
        if half is not None:
            level -= 1
        if smaller > 1 or half is not None:
            width, height, repeat = asked.shape
            facts |= {
                "size": [width, height],
                "stagger_px": repeat.stagger_px(width, height),
                "shown": _lie(state)["size"],
            }
        facts["given"] = [given.as_dict() for given in asked.given()]
        shown = reduced(_flat8(state.pixels), level)
        distance = told.get("squint", 0)
        if distance not in (0, *DISTANCES_MM):
            raise BadValue("squint", distance, f"must be 0 or one of {', '.join(str(mm) for mm in DISTANCES_MM)} mm")
        return facts, squint(shown, state.repeat, distance, PRINT_PPI / (1 << level)) if distance else shown

    return await on_bench(work)


async def _nothing(owner_id: int, told: dict[str, Any], watch: Watch = UNWATCHED) -> Answer:
    """Asked to make the question before it on its channel give way."""
    return {}, None


async def _tile_readings(owner_id: int, told: dict[str, Any], watch: Watch = UNWATCHED) -> Answer:
    def work() -> Answer:
        recipe, _ = Recipe.parse(told.get("recipe")).preview()
        read = read_state(rendered(owner_id, recipe), quick=told.get("quick") is True, watch=watch)
        return read | {"advice": advice(read, recipe.steps_on())}, None

    return await on_bench(work)


async def _photo(owner_id: int, told: dict[str, Any], watch: Watch = UNWATCHED) -> Answer:
    """An upload as it came, reduced to what is seen."""

    def work() -> Answer:
        pixels = upload_reader(owner_id)(str(told.get("file")))
        level = 0
        while max(pixels.shape[:2]) >> level > MOST_PHOTO_PX:
            level += 1
        return {"photo": [pixels.shape[1], pixels.shape[0]], "level": level}, reduced(_flat8(pixels), level)

    return await on_bench(work)


async def _cleanest(owner_id: int, told: dict[str, Any], watch: Watch = UNWATCHED) -> Answer:
    def work() -> Answer:
        rgb = flat_rgb(upload_reader(owner_id)(str(told.get("file"))))
        width, height = (
            number_of(told, name, "must be a share of the photo, 0.1 to 1") for name in ("width", "height")
        )
        parts = cleanest_parts(rgb, width, height)
        return {"parts": [{"corners": part.corners(), "cost": part.cost} for part in parts]}, None

    return await on_bench(work)


async def _period(owner_id: int, told: dict[str, Any], watch: Watch = UNWATCHED) -> Answer:
    """The repeat of an upload, as the source takes it: from where one period lies in the picture's middle."""

    def work() -> Answer:
        rgb = flat_rgb(upload_reader(owner_id)(str(told.get("file"))))
        found = find_period(rgb)
        corner = np.array(found.across) + np.array(found.down)
        start = (np.array(rgb.shape[1::-1]) - corner) / 2
        facts = {"start": start.tolist(), "across": found.across, "down": found.down, "repeat": found.repeat}
        facts |= {"stagger": str(found.stagger), "size": found.size, "turn_deg": found.turn_deg}
        return facts | {"strength": found.strength}, None

    return await on_bench(work)


async def _stains(owner_id: int, told: dict[str, Any], watch: Watch = UNWATCHED) -> Answer:
    """Spots that a recipe's tile may have, in shares of it, the strongest first."""

    def work() -> Answer:
        state = rendered(owner_id, Recipe.parse(told.get("recipe")).preview()[0])
        found = find_stains(flat_rgb(state.pixels), state.repeat if state.wraps else None)
        width, height = state.width, state.height
        spots = [
            {"x": one.x / width % 1, "y": one.y / height % 1, "r": min(one.radius / width, 0.2), "score": one.score}
            for one in found
        ]
        return {"stains": spots}, None

    return await on_bench(work)


async def _grain(owner_id: int, told: dict[str, Any], watch: Watch = UNWATCHED) -> Answer:
    def work() -> Answer:
        state = tile_state(_owned_tile_version(owner_id, told.get("tile_version")))
        plane = grain_plane(state.pixels, Tone.parse(told.get("tone", {})))
        rgba = np.full((*plane.shape, 4), 255, np.uint8)
        rgba[..., :3] = ((1 - plane) * np.float32(215) + np.float32(32.5)).astype(np.uint8)[..., None]
        level = level_of(told, state.width, state.height)
        facts = _lie(state) | {"cover": cover(plane), "level": level}
        shares = np.histogram(plane, bins=24, range=(0, 1 + 1e-6))[0] / plane.size
        return facts | {"shares": [float(share) for share in shares]}, reduced(rgba, level)

    return await on_bench(work)


async def _grain_stroke(owner_id: int, told: dict[str, Any], watch: Watch = UNWATCHED) -> Answer:
    """One trial stroke with a round brush through a tile read as a grain."""

    def work() -> Answer:
        version = _owned_tile_version(owner_id, told.get("tile_version"))
        return {}, paint_grain_stroke(tile_state(version), Tone.parse(told.get("tone", {})), told.get("scale", "1/2"))

    return await on_bench(work)


def _owned_tile_version(owner_id: int, number: Any) -> TileVersion:
    whole = isinstance(number, int) and not isinstance(number, bool)
    owned = TileVersion.objects.select_related("tile").filter(tile__owner_id=owner_id)
    version = owned.filter(pk=number).first() if whole else None
    if version is None:
        raise NotYours("This tile no longer exists.")
    return version


def _owned_canvas(owner_id: int, canvas_id: Any) -> CanvasRow:
    whole = isinstance(canvas_id, int) and not isinstance(canvas_id, bool)
    row = CanvasRow.objects.filter(owner_id=owner_id, pk=canvas_id).first() if whole else None
    if row is None:
        raise NotYours("This canvas no longer exists.")
    return row


async def _canvas(owner_id: int, told: dict[str, Any], watch: Watch = UNWATCHED) -> Answer:
    def work() -> Answer:
        row = _owned_canvas(owner_id, told.get("canvas"))
        canvas = picture(row)
        level = level_of(told, row.width, row.height)
        spec = canvas.spec
        repeat = spec.joined.repeat if spec.joined else None
        facts = {"level": level, "size": [spec.width, spec.height], "revision": row.revision}
        facts |= {"repeat": repeat.kind if repeat else "straight"}
        facts |= {"stagger_px": repeat.stagger_px(spec.width, spec.height) if repeat else 0}
        return facts, canvas.view(spec.box, level)

    return await on_bench(work)


async def _canvas_readings(owner_id: int, told: dict[str, Any], watch: Watch = UNWATCHED) -> Answer:
    def work() -> Answer:
        row = _owned_canvas(owner_id, told.get("canvas"))
        return read_canvas(row, picture(row)), None

    return await on_bench(work)


def _owned_drawing(owner_id: int, canvas_id: Any) -> CanvasRow:
    row = _owned_canvas(owner_id, canvas_id)
    if row.tile_id is None:
        raise BadValue("canvas", row.pk, "must be one that a tile is drawn on")
    return row


async def _drawing_readings(owner_id: int, told: dict[str, Any], watch: Watch = UNWATCHED) -> Answer:
    """The readings of a drawing as it is now; those of its whole tile."""

    def work() -> Answer:
        row = _owned_drawing(owner_id, told.get("canvas"))
        state = drawn_state(row, picture(row))
        read = read_state(state, quick=told.get("quick") is True, watch=watch)
        return read | _lie(state) | {"advice": []}, None

    return await on_bench(work)


async def _kept_state(owner_id: int, told: dict[str, Any], watch: Watch = UNWATCHED) -> Answer:
    """A kept state of a drawing, as its whole tile."""

    def work() -> Answer:
        row = _owned_drawing(owner_id, told.get("canvas"))
        kept = load_kept(row, told.get("state"))
        if kept is None:
            raise BadValue("state", told.get("state"), "This saved state no longer exists.")
        state = drawn_state(row, kept)
        level = level_of(told, state.width, state.height)
        return _lie(state) | {"level": level}, reduced(_flat8(state.pixels), level)

    return await on_bench(work)


async def _painted_again(owner_id: int, told: dict[str, Any], watch: Watch = UNWATCHED) -> Answer:
    """A box of a kept state of a canvas, or of the canvas `beside`, as the canvas room looks at the canvas itself."""

    def work() -> Answer:
        state, level, box = told.get("state"), told.get("level"), told.get("box")
        if type(level) is not int or not isinstance(box, list) or len(box) != 4 or not all(type(x) is int for x in box):
            raise BadValue("box", str(box)[:60], "must be four whole numbers, with a level")
        if "beside" in told:
            kept: Canvas | None = picture(_owned_canvas(owner_id, told["beside"]))
        else:
            row = _owned_canvas(owner_id, told.get("canvas"))
            keys = KeptState.objects.filter(canvas=row, number=state) if type(state) is int else ()
            kept = next((_kept.get(one.pk, lambda: load_kept(row, state)) for one in keys), None)
        if kept is None:
            raise BadValue("state", state, "This saved state no longer exists.")
        seen = seen_box(View(level, (box[0], box[1], box[2], box[3])), kept)
        return {"level": level, "box": list(seen)}, kept.view(seen, level)

    return await on_bench(work)


async def _layer(owner_id: int, told: dict[str, Any], watch: Watch = UNWATCHED) -> Answer:
    """One layer of a canvas alone, small."""

    def work() -> Answer:
        row = _owned_canvas(owner_id, told.get("canvas"))
        canvas, layer = picture(row), whole_of(told, "layer")
        return {"layer": layer}, canvas.layer_view(canvas.layer_of(layer).id, canvas.spec.level_within(7))

    return await on_bench(work)


async def _canvas_fits(owner_id: int, told: dict[str, Any], watch: Watch = UNWATCHED) -> Answer:
    def work() -> Answer:
        row = _owned_canvas(owner_id, told.get("canvas"))
        in_hand = told.get("brush", 0)
        if isinstance(in_hand, bool) or not isinstance(in_hand, int):
            raise BadValue("brush", in_hand, "must be the number of a saved brush, or 0")
        return {"fits": canvas_fits(row, in_hand, picture(row).stack), "joined": row.joined}, None

    return await on_bench(work)


async def _draft(owner_id: int, told: dict[str, Any], watch: Watch = UNWATCHED) -> Answer:
    """A draft that is too large for a request that outlives its page: stored as the page's own request would be."""

    def work() -> Answer:
        kind, number = told.get("of"), told.get("number")
        if not isinstance(kind, str) or type(number) is not int:
            raise BadValue("draft", str(kind)[:40], "must name a kind of item and its number")
        return write(owner_id, kind, number, Written.parse(told.get("written"))).facts(), None

    return await on_bench(work)


QUESTIONS: dict[str, Callable[[int, dict[str, Any], Watch], Awaitable[Answer]]] = {
    "nothing": _nothing,
    "draft": _draft,
    "tile": _tile,
    "tile-readings": _tile_readings,
    "photo": _photo,
    "cleanest": _cleanest,
    "period": _period,
    "stains": _stains,
    "grain": _grain,
    "grain-stroke": _grain_stroke,
    "canvas": _canvas,
    "canvas-readings": _canvas_readings,
    "canvas-fits": _canvas_fits,
    "drawing-readings": _drawing_readings,
    "kept-state": _kept_state,
    "painted-again": _painted_again,
    "layer": _layer,
    **LAYOUT_QUESTIONS,
    **BRUSH_QUESTIONS,
    **PROOF_QUESTIONS,
}
