"""The canvas place: the list, the canvas room, recordings and export."""

from __future__ import annotations

import json
from typing import Any
from urllib.parse import urlencode

from django.http import HttpResponse, JsonResponse
from django.shortcuts import redirect, render
from django.urls import reverse
from django.utils.text import slugify
from django.views.decorators.http import require_GET, require_http_methods, require_POST

from orvix.canvases.effects import EFFECTS
from orvix.canvases.operations.filters import filters
from orvix.colour.blending import MODES
from orvix.devices.mouse import KINDS
from orvix.devices.stylus import TRIALS, record
from orvix.lettering.fonts import SHIPPED
from orvix.pictures.writing import png_bytes
from orvix.registry import Value
from orvix.tiles.joining import Joining
from orvix.units import UNITS
from orvix_web.accounts.requests import PainterRequest
from orvix_web.brushes.models import Brush, BrushVersion, FontFile
from orvix_web.canvases import in_use, opening, services
from orvix_web.canvases.models import Canvas, Palette, PathSet
from orvix_web.canvases.palettes import PALETTE
from orvix_web.canvases.pictures import picture
from orvix_web.canvases.rows import spec_of
from orvix_web.errors import or_404
from orvix_web.forms import json_body, number_field, side_field, uploaded, whole_field
from orvix_web.tiles.beginning import repeat_pictures
from orvix_web.tiles.cards import rows_of
from orvix_web.tiles.models import Tile


@require_GET
def canvases(request: PainterRequest) -> HttpResponse:
    """All canvases of the painter, and the form for a new one."""
    found = Canvas.objects.of(request.user).filter(tile=None)
    brushes = [one for one in Brush.objects.of(request.user) if _has_grain(one)]
    context = {
        "place": "canvases",
        "canvases": found,
        "begin": "new" in request.GET,
        "repeat_pictures": repeat_pictures(),
        "units": UNITS,
        "next_number": found.count() + 1,
        "tiles": [(one, one.latest) for one in Tile.objects.of(request.user).filter(of_brush=False)],
        "brushes": [(one, one.latest) for one in brushes],
    }
    return render(request, "canvases/list.html", context)


def _has_grain(brush: Brush) -> bool:
    return brush.latest.uses.filter(what="grain").exists()


_MADE_OF = {"tile": services.create_canvas_of_tile, "brush": services.create_canvas_of_brush}


@require_POST
def new_canvas(request: PainterRequest) -> HttpResponse:
    """A new empty canvas; the room opens on it."""
    kind, _, number = request.POST.get("of", "").partition("-")
    if kind in _MADE_OF:
        counts = (whole_field(request, name, 1) for name in ("across", "down"))
        of = int(number) if number.isdecimal() else 0
        canvas = _MADE_OF[kind](request.user, _canvas_name(request), of, *counts)
        return redirect("canvas-page", canvas.pk)
    ppi, unit = number_field(request, "ppi", 300.0), request.POST.get("unit") or "px"
    told = {
        "width": side_field(request, "width", unit, ppi),
        "height": side_field(request, "height", unit, ppi),
        "ppi": ppi,
        "joined": request.POST.get("edges") == "joined",
        "repeat": request.POST.get("repeat") or "straight",
        "ground": request.POST.get("ground") or "#ffffff",
    }
    canvas = services.create_canvas(request.user, _canvas_name(request), told)
    return redirect("canvas-page", canvas.pk)


def sentences(notes: list[str]) -> str:
    """Notes as sentences, one after the other."""
    return " ".join(f"{one[:1].upper()}{one[1:]}." for one in notes)


@require_http_methods(["GET", "POST"])
def open_file(request: PainterRequest) -> HttpResponse:
    """A canvas from a layered file or a picture; the room opens on it, and says what of it is not known here.

    By its address alone it leads to the place where files are opened.
    """
    if request.method == "GET":
        return redirect("canvases")
    canvas, notes = opening.open_file(request.user, *uploaded(request), called=request.POST.get("name", ""))
    told = f"?{urlencode({'told': sentences(notes)[:600]})}" if notes else ""
    return redirect(reverse("canvas-page", args=[canvas.pk]) + told)


def _canvas_name(request: PainterRequest) -> str:
    return request.POST.get("name") or f"Canvas {Canvas.objects.of(request.user).count() + 1}"


@require_GET
def canvas_page(request: PainterRequest, pk: int) -> HttpResponse:
    """The canvas room."""
    canvas = or_404(Canvas.objects.filter(owner=request.user, pk=pk).first())
    context = {
        "place": "canvases",
        **painting_context(canvas),
        "modes": MODES,
        "tiles": Tile.objects.of(request.user),
        "fonts": SHIPPED,
        "path_sets": [{"id": one.pk, "name": one.name, "pieces": one.pieces} for one in _path_sets(request)],
        "palettes": Palette.objects.of(request.user),
        "font_files": FontFile.objects.filter(owner=request.user),
        "effects": [(one, rows_of(one.values, _usual(one.values), f"effect.{one.name}")) for one in EFFECTS],
        "filters": [(one, rows_of(one.values, _usual(one.values), f"filter.{one.name}")) for one in filters()],
    }
    return render(request, "canvases/room.html", context)


def _path_sets(request: PainterRequest) -> Any:
    return PathSet.objects.filter(owner=request.user).order_by("name")


def _usual(values: tuple[Value, ...]) -> dict[str, Any]:
    return {value.name: value.default for value in values}


def painting_context(canvas: Canvas) -> dict[str, Any]:
    """What every page needs that is painted on: brushes, colours, the hand's devices, how edges are joined."""
    brushes = [(brush, brush.latest) for brush in Brush.objects.of(canvas.owner)]
    using = in_use.in_use(canvas.owner_id, canvas)
    return {
        "canvas": canvas,
        "joining": joining_facts(canvas),
        "brushes": brushes,
        "chosen": _brush_in_use(canvas, brushes, using),
        "in_use": using or {},
        "palette": canvas.palette or PALETTE,
        "mouse_kinds": KINDS,
        "recordings": [name for name in TRIALS if name != "taps"],
    }


def joining_facts(canvas: Canvas) -> dict[str, Any]:
    """How copies lie, as pages lay out a cloth: the stagger of the whole in px, and its parts, as JSON."""
    joined = spec_of(canvas).joined or Joining()
    whole = joined.whole_size(canvas.width, canvas.height)
    return {"moved": joined.repeat.stagger_px(*whole), "places": json.dumps([list(place) for place in joined.places])}


def _brush_in_use(canvas: Canvas, brushes: list[tuple[Brush, BrushVersion]], using: dict[str, Any] | None) -> int:
    """The version of the brush that is in use here; on a canvas that was not painted on in a room yet the one made
    last, or the last that painted on it."""
    if not brushes:
        return 0
    held = next((version.pk for brush, version in brushes if using and brush.pk == using["brush"]), 0)
    if held:
        return held
    last = canvas.operations.filter(state="done", brush_version__isnull=False).order_by("-number").first()
    if last is None or brushes[0][0].touched > last.created:
        return brushes[0][1].pk
    used = last.brush_version.brush_id if last.brush_version else 0
    return next((version.pk for brush, version in brushes if brush.pk == used), brushes[0][1].pk)


@require_POST
def keep_in_use(request: PainterRequest, pk: int) -> HttpResponse:
    """Store what is in use on a canvas: brush, size, colours, layer, tool and view."""
    in_use.keep(request.user.pk, pk, json_body(request))
    return JsonResponse({})


@require_GET
def recording(request: PainterRequest, name: str) -> HttpResponse:
    """A recorded stroke of the stylus stand-in, positions from 0 to 1, to be replayed by the page."""
    hand = or_404(TRIALS.get(name))
    return JsonResponse({"name": name, "samples": record(hand, 5).tolist()})


@require_GET
def export(request: PainterRequest, pk: int) -> HttpResponse:
    """The canvas over its ground as an 8-bit PNG with sRGB and pHYs."""
    canvas = or_404(Canvas.objects.filter(owner=request.user, pk=pk).first())
    opened = picture(canvas)
    png = png_bytes(opened.view(opened.spec.box)[..., :3], canvas.ppi, level=4)
    response = HttpResponse(png, content_type="image/png")
    name = slugify(canvas.name) or "canvas"
    response["Content-Disposition"] = f'attachment; filename="{name}-v{canvas.revision}.png"'
    return response
