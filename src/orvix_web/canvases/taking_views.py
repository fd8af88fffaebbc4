"""Copying from a canvas, pictures from the clipboard, and what is taken as a tile, a grain, a tip or a motif."""

from __future__ import annotations

from typing import Any

from django.http import HttpResponse, JsonResponse
from django.views.decorators.http import require_GET, require_POST

from orvix.pictures.writing import png_bytes, straight_8bit
from orvix_web.accounts.requests import PainterRequest
from orvix_web.canvases import taking
from orvix_web.canvases.models import Canvas, Clip
from orvix_web.canvases.pictures import picture
from orvix_web.errors import or_404
from orvix_web.forms import json_field, uploaded
from orvix_web.tiles.rendering import unpack_pixels


def _owned(request: PainterRequest, pk: int) -> Canvas:
    found: Canvas = or_404(Canvas.objects.select_related("owner").filter(owner=request.user, pk=pk).first())
    return found


def _facts(clip: Clip) -> dict[str, Any]:
    return {"picture": clip.pk, "name": clip.name, "x": clip.x, "y": clip.y, "size": [clip.width, clip.height]}


@require_POST
def copy(request: PainterRequest, pk: int) -> HttpResponse:
    """Keep what the layers in hand show of what is selected."""
    row = _owned(request, pk)
    return JsonResponse(_facts(taking.copy_from(row, picture(row), json_field(request, "layers"))))


@require_POST
def take_clip(request: PainterRequest) -> HttpResponse:
    """Keep a picture from outside, to be put on a canvas."""
    clip, notes = taking.take_clip(request.user, *uploaded(request))
    return JsonResponse(_facts(clip) | {"notes": notes})


@require_GET
def clip_png(request: PainterRequest, pk: int) -> HttpResponse:
    """A clip as an 8-bit PNG with its transparency."""
    clip = or_404(Clip.objects.filter(owner=request.user, pk=pk).first())
    pixels = unpack_pixels(bytes(clip.pixels), clip.height, clip.width)
    return HttpResponse(png_bytes(straight_8bit(pixels), level=2), content_type="image/png")


@require_POST
def take_as(request: PainterRequest, pk: int) -> HttpResponse:
    """Make something of what is selected; the answer says where it is found."""
    row = _owned(request, pk)
    told = request.POST.get("kind", ""), json_field(request, "layers"), request.POST.get("name", "")
    return JsonResponse({"href": taking.take_as(row, picture(row), *told)})
