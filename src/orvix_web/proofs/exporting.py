"""Pictures taken out as files: a canvas, its layers in hand, what is selected on it, or a tile.

Small ones are made at once, large ones by a job.
"""

from __future__ import annotations

import json
from collections.abc import Callable, Mapping
from contextlib import ExitStack
from dataclasses import asdict, dataclass
from tempfile import NamedTemporaryFile
from typing import IO, Any

import numpy as np
from django.contrib.auth.models import User
from django.utils.text import slugify

from orvix.canvases.canvas import Canvas as CoreCanvas
from orvix.canvases.selection import anything_selected
from orvix.canvases.taking import taken
from orvix.errors import BadValue, UnknownName
from orvix.formats import openraster
from orvix.formats.pictures_out import OUT_FORMATS, QUALITY, Credit, Outgoing, at_height, trimmed
from orvix.formats.streamed import Streamed, stream_png, stream_tiff
from orvix.progress import Watch
from orvix.proofs.looks import PPI
from orvix.tiles.joining import unroll
from orvix.tiles.repeats import Repeat
from orvix.units import px_of
from orvix_web.canvases.drawings import joining_of
from orvix_web.canvases.history import history, samples_and_data
from orvix_web.canvases.pictures import picture
from orvix_web.canvases.taking import layers_in_hand
from orvix_web.errors import or_404
from orvix_web.jobs.models import Job
from orvix_web.jobs.services import ask_for
from orvix_web.proofs.sources import Of, find
from orvix_web.tiles.rendering import tile_state

KIND = "export"
WHATS = {"canvas": ("picture", "layers", "selection"), "tile": ("picture", "unrolled")}
LAYERED = "openraster"
STROKES = "strokes"
OFTEN_PX = 9 * 1024 * 1024
"""A picture of more px is made by a job."""
_WHOLE_CANVAS = {
    LAYERED: ("OpenRaster, layered", "ora", openraster.MIMETYPE),
    STROKES: ("Strokes", "json", "application/json"),
}


def formats_of(kind: str) -> list[tuple[str, str]]:
    """The names and titles of the formats that a kind of thing goes out in."""
    told = [(one.name, one.title) for one in OUT_FORMATS.values()]
    return told + [(name, title) for name, (title, _, _) in _WHOLE_CANVAS.items() if kind == "canvas"]


@dataclass(frozen=True)
class Asked:
    """What is to be taken out. height: in px, 0: as it is. clear: without what lies under it, where the format can.
    layers: the numbers of those in hand, for what is "layers"."""

    format: str
    what: str = "picture"
    clear: bool = False
    trim: bool = False
    height: int = 0
    ppi: float = 300.0
    maker: str = ""
    licence: str = ""
    layers: tuple[int, ...] = ()
    quality: int = int(QUALITY.default)


def asked_of(of: Of, told: Mapping[str, Any]) -> Asked:
    """From a form; raises BadValue and UnknownName, also for what the format or the thing cannot be."""
    name, what = told.get("format"), told.get("what") or "picture"
    known = [one for one, _ in formats_of(of.kind)]
    if name not in known:
        raise UnknownName("format", name, known)
    if what not in WHATS[of.kind]:
        raise UnknownName("area to export", what, list(WHATS[of.kind]))
    ppi = of.ppi or PPI.check(_number("ppi", told.get("ppi") or PPI.default))
    length, height = told.get("height") or "", 0
    if length:
        height = px_of("height", _number("height", length), told.get("unit") or "px", ppi)
        if not 1 <= height <= 16384:
            raise BadValue("height", f"{height} px", "must be 1 to 16384 px")
    credit = Credit(str(told.get("maker") or "").strip(), str(told.get("licence") or "").strip())
    layers = tuple(int(one) for one in str(told.get("layers") or "").split(",") if one.isdecimal())
    quality = QUALITY.check(_number("quality", told.get("quality") or QUALITY.default)) if name == "jpeg" else 95
    switches = bool(told.get("clear")), bool(told.get("trim"))
    asked = Asked(name, what, *switches, height, ppi, credit.maker, credit.licence, layers, quality)
    if name in _WHOLE_CANVAS and (what != "picture" or height or asked.trim):
        raise BadValue(
            "format", name, "always holds the whole canvas at its own size. Choose Whole canvas and leave Height empty."
        )
    return asked


def _number(name: str, given: Any) -> float:
    try:
        return float(str(given)[:40])
    except ValueError as error:
        raise BadValue(name, str(given)[:40], "must be a number") from error


def ask_to_take_out(owner: User, kind: str, pk: int, told: Mapping[str, Any]) -> Job | None:
    """Queue it where it is large; None: it can be fetched at once. Raises Http404, BadValue and UnknownName."""
    of = or_404(find(owner, kind, pk))
    asked = asked_of(of, told)
    width, height = of.size_px()
    if asked.height:
        width, height = round(width * asked.height / height), asked.height
    layers = len(picture(of.thing).stack) if asked.format == LAYERED else 1
    if width * height * layers <= OFTEN_PX:
        return None
    payload = {"kind": kind, "pk": pk, **asdict(asked)}
    return ask_for(owner, KIND, f"Export {of.thing.name} as {dict(formats_of(kind))[asked.format]}", payload)


def flattened(owner: User, kind: str, pk: int, told: Mapping[str, Any]) -> list[str]:
    """What of a canvas a layered file cannot hold, in words; nothing for other formats."""
    of = or_404(find(owner, kind, pk))
    return openraster.flattened(picture(of.thing)) if told.get("format") == LAYERED else []


def by_job(job: Job, watch: Watch) -> tuple[str, str, bytes | IO[bytes]]:
    """What a job was asked to take out: the name of a file, its type, and its octets or a file that holds them."""
    told = dict(job.payload)
    of = or_404(find(job.owner, told.pop("kind"), told.pop("pk")))
    asked = Asked(**told | {"layers": tuple(told["layers"])})
    watch.tell(0.01, "collecting pixels")
    watch.stop_if_asked()
    whole = asked.what == "picture" and not asked.height and not asked.trim
    if of.kind != "canvas" or asked.format not in STREAMED or not whole:
        return taken_out(of, asked)
    one = OUT_FORMATS[asked.format]
    with ExitStack() as closing:
        file = closing.enter_context(NamedTemporaryFile())
        STREAMED[asked.format](file, _streamed(of, asked), watch)
        closing.pop_all()
        return _file_name(of, asked), one.content_type, file


STREAMED: Mapping[str, Callable[[IO[bytes], Streamed, Watch], None]] = {
    "png": lambda file, picture, watch: stream_png(file, picture, deep=False, watch=watch),
    "png16": lambda file, picture, watch: stream_png(file, picture, deep=True, watch=watch),
    "tiff": stream_tiff,
}
"""What a large canvas is written in a band of rows at a time."""


def _streamed(of: Of, asked: Asked) -> Streamed:
    canvas = picture(of.thing)
    if asked.clear:
        canvas = canvas.over(None)
    spec = canvas.spec
    seen = asked.format == "png" and not asked.clear

    def band(top: int, bottom: int) -> Any:
        box = (0, top, spec.width, bottom)
        return canvas.view(box)[..., :3] if seen else canvas.pixels(box)

    clear = spec.ground is None and not seen
    return Streamed(spec.width, spec.height, asked.ppi, band, clear, Credit(asked.maker, asked.licence))


def _stem(of: Of) -> str:
    return f"{slugify(of.thing.name) or of.kind}-v{of.number}"


def _file_name(of: Of, asked: Asked) -> str:
    """Another name for each thing that can be taken out of one picture, so that none replaces another."""
    part = "" if asked.what == "picture" else f"-{asked.what}"
    if asked.format in _WHOLE_CANVAS:
        return f"{_stem(of)}.{_WHOLE_CANVAS[asked.format][1]}"
    one = OUT_FORMATS[asked.format]
    return f"{_stem(of)}{part}{one.suffix}.{one.ending}"


def taken_out(of: Of, asked: Asked) -> tuple[str, str, bytes]:
    """A thing as a file: its name, type and octets. Raises BadValue where there is nothing to take out."""
    name = _file_name(of, asked)
    if asked.format in _WHOLE_CANVAS:
        data = openraster.write(picture(of.thing))[0] if asked.format == LAYERED else _strokes(of.thing)
        return name, _WHOLE_CANVAS[asked.format][2], data
    one = OUT_FORMATS[asked.format]
    return name, one.content_type, one.write(_outgoing(of, asked))


def _outgoing(of: Of, asked: Asked) -> Outgoing:
    repeat, eight = Repeat(), None
    ground = "#ffffff"
    if of.kind == "tile":
        state = tile_state(of.thing.latest)
        pixels, repeat = state.pixels, state.repeat
        if asked.what == "unrolled":
            pixels, repeat = unroll(pixels, repeat), Repeat()
    else:
        canvas = picture(of.thing)
        ground = canvas.spec.ground or ground
        pixels = _canvas_pixels(canvas, asked)
        if asked.what == "picture":
            joined = joining_of(of.thing)
            repeat = joined.repeat
            if OUT_FORMATS[asked.format].repeats:
                pixels = joined.unfold(pixels)
            elif not asked.clear and not asked.height and not asked.trim:
                # What is seen, bit for bit.
                eight = np.ascontiguousarray(canvas.view(canvas.spec.box)[..., :3])
    if asked.trim:
        pixels = trimmed(pixels)
    if asked.height:
        pixels = at_height(pixels, asked.height)
    credit = Credit(asked.maker, asked.licence)
    return Outgoing(pixels, asked.ppi, of.thing.name, ground, credit, repeat, eight, asked.quality)


def _canvas_pixels(canvas: CoreCanvas, asked: Asked) -> Any:
    if asked.what == "picture":
        return (canvas.over(None) if asked.clear else canvas).pixels()
    if asked.what == "selection" and not anything_selected(canvas):
        raise BadValue("selection", "nothing", "Nothing is selected. Select an area first, or export the whole canvas.")
    layers = layers_in_hand(canvas, list(asked.layers) if asked.what == "layers" else None)
    return taken(canvas, layers, ground=not asked.clear and asked.what == "selection").pixels


def _strokes(row: Any) -> bytes:
    """The strokes of a canvas as STROKES.json, in the order they were painted."""
    told = []
    for step in history(row).strokes():
        samples, data = samples_and_data(row, step)
        one = {"seed": data["seed"], "colour": data["colour"], "samples": np.round(samples, 4).tolist()}
        told.append(one | ({"mode": data["mode"]} if data.get("mode") else {}))
    return json.dumps({"strokes": told}).encode()
