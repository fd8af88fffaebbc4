"""Palettes: a canvas's own, and those kept on the shelf; as text files out and in."""

from __future__ import annotations

import numpy as np
from django.contrib.auth.models import User
from django.http import HttpResponse, JsonResponse
from django.shortcuts import redirect
from django.utils.text import slugify
from django.views.decorators.http import require_GET, require_http_methods, require_POST

from orvix.colour.palettes import Palette as Rows
from orvix.colour.palettes import check_palette, palette_text, read_palette
from orvix.errors import BadValue
from orvix.pictures.colours import hex_to_rgb
from orvix_web.accounts.requests import PainterRequest
from orvix_web.canvases.models import Canvas, Palette
from orvix_web.errors import or_404
from orvix_web.forms import json_field, uploaded
from orvix_web.notices import changed
from orvix_web.tiles.services import check_name
from orvix_web.tiles.thumbnails import HEIGHT, WIDTH, thumbnail

PALETTE = (
    ("deep water", "#1b3f4b"), ("kelp", "#5f7a3f"), ("net", "#8fa3a0"), ("rope", "#d29b42"),
    ("float", "#c2553b"), ("sailcloth", "#f2efe6"), ("tar", "#1c1e21"),
)  # fmt: skip
"""What a canvas has until it is given another."""
MOST_PALETTES = 200


def keep_palette(owner: User, name: str, rows: Rows) -> Palette:
    """Keep a palette on the shelf; raises BadValue."""
    if not rows:
        raise BadValue("palette", name, "The palette is empty. Add a colour first.")
    if Palette.objects.filter(owner=owner).count() >= MOST_PALETTES:
        raise BadValue("palette", name, f"The shelf holds {MOST_PALETTES} palettes. Delete one first.")
    made = Palette.objects.create(owner=owner, name=check_name(name), colours=rows)
    changed(made.owner_id)
    return made


def palette_picture(rows: Rows) -> bytes:
    """The colours of a palette in bars, as a small PNG."""
    bars = np.array([hex_to_rgb(colour) for _, colour in rows[:24]])
    places = np.arange(WIDTH) * len(bars) // WIDTH
    row = np.rint(bars[places] * 255).astype(np.uint8)
    return thumbnail(np.repeat(row[None], HEIGHT, axis=0))


@require_http_methods(["GET", "POST"])
def palette(request: PainterRequest, pk: int) -> HttpResponse:
    """The palette of a canvas: as a file to keep; or kept anew, from rows of names and colours, a file or the shelf."""
    canvas = or_404(Canvas.objects.filter(owner=request.user, pk=pk).first())
    if request.method == "POST":
        file, kept = request.FILES.get("file"), request.POST.get("kept", "")
        if file is not None:
            told = read_palette(file.read(), file.name or "")
        elif kept.isdecimal():
            told = or_404(Palette.objects.filter(owner=request.user, pk=int(kept)).first()).colours
        else:
            told = check_palette(json_field(request, "palette"))
        Canvas.objects.filter(pk=canvas.pk).update(palette=told)
        return JsonResponse({"palette": told})
    return _as_file(canvas.name, canvas.palette or list(PALETTE))


@require_POST
def keep(request: PainterRequest, pk: int) -> HttpResponse:
    """Keep the palette of a canvas on the shelf."""
    canvas = or_404(Canvas.objects.filter(owner=request.user, pk=pk).first())
    rows = [list(row) for row in canvas.palette or PALETTE]
    made = keep_palette(
        request.user, request.POST.get("name") or f"Colours of {canvas.name}"[:120], check_palette(rows)
    )
    return JsonResponse({"palette": made.pk, "name": made.name})


@require_POST
def take_in(request: PainterRequest) -> HttpResponse:
    """A palette from a text file, onto the shelf."""
    name, data = uploaded(request)
    keep_palette(request.user, name.rsplit(".", 1)[0] or "Palette", read_palette(data, name))
    return redirect("shelf")


@require_GET
def palette_file(request: PainterRequest, pk: int) -> HttpResponse:
    """A palette of the shelf as a text file."""
    found = or_404(Palette.objects.filter(owner=request.user, pk=pk).first())
    return _as_file(found.name, [(name, colour) for name, colour in found.colours])


def _as_file(name: str, rows: Rows) -> HttpResponse:
    response = HttpResponse(palette_text(rows), content_type="text/plain; charset=utf-8")
    response["Content-Disposition"] = f'attachment; filename="{slugify(name) or "canvas"}-palette.txt"'
    return response
