"""The drawing bench: a tile drawn by hand on its cloth."""

from __future__ import annotations

from typing import Any

from django.http import HttpResponse, JsonResponse
from django.shortcuts import redirect, render
from django.urls import reverse
from django.views.decorators.http import require_GET, require_POST

from orvix.tiles.joining import NEIGHBOURS, honeycomb
from orvix_web.accounts.requests import PainterRequest
from orvix_web.canvases import drawings
from orvix_web.canvases.guides import SETTINGS, check_settings
from orvix_web.canvases.models import Canvas, KeptState
from orvix_web.canvases.pictures import picture
from orvix_web.canvases.views import painting_context
from orvix_web.chain.following import followers, showing
from orvix_web.forms import json_field, number_field, side_field
from orvix_web.tiles.models import Tile


@require_POST
def new_drawing(request: PainterRequest) -> HttpResponse:
    """A new blank tile to draw on; the drawing bench opens on it."""
    ppi, unit = number_field(request, "ppi", 300.0), request.POST.get("unit") or "px"
    repeat = request.POST.get("repeat") or "straight"
    height = side_field(request, "height", unit, ppi)
    stagger: Any = request.POST.get("stagger") or "1/2"
    width = side_field(request, "width", unit, ppi, height)
    if repeat == "honeycomb":
        repeat, stagger, width = "half-drop", "1/2", honeycomb(height)[0]
    told = {
        "width": width,
        "height": height,
        "ppi": ppi,
        "repeat": repeat,
        "stagger": stagger,
        "neighbours": request.POST.get("neighbours") or "plain",
        "ground": "" if request.POST.get("bare") else request.POST.get("ground") or "#ffffff",
    }
    count = Tile.objects.of(request.user).count() + 1
    tile = drawings.create_drawing(request.user, request.POST.get("name") or f"Drawing {count}", told)
    return redirect("draw-page", tile.pk)


@require_GET
def draw_page(request: PainterRequest, pk: int) -> HttpResponse:
    """The drawing bench."""
    row = drawings.owned_drawing(request.user, pk)
    return render(request, "tiles/draw.html", {"place": "tiles", **_head(row), **painting_context(row), **_guides(row)})


def _head(row: Canvas) -> dict[str, Any]:
    tile = drawings.drawn_tile(row)
    return {
        "tile": tile,
        "version": tile.latest,
        "followers": followers(tile),
        "showing": showing(tile),
        **_states(row),
    }


def _states(row: Canvas) -> dict[str, Any]:
    kept = KeptState.objects.filter(canvas=row, repainted__isnull=True)
    states = list(kept.select_related("tile_version").order_by("-number"))
    latest = drawings.drawn_tile(row).latest
    published = next((one.number for one in states if one.tile_version_id == latest.pk), 0)
    return {"canvas": row, "tile": row.tile, "states": states, "published_state": published}


def _guides(row: Canvas) -> dict[str, Any]:
    settings = check_settings(row.settings)
    switches = [(value, settings[value.name]) for value in SETTINGS if value.kind == "switch" and value.name != "greys"]
    return {"switches": switches, "settings_json": settings, "neighbours_words": NEIGHBOURS[row.neighbours][0]}


@require_GET
def states(request: PainterRequest, pk: int) -> HttpResponse:
    """The kept states again, after one was kept."""
    return render(request, "tiles/states.html", _states(drawings.owned_drawing(request.user, pk)))


@require_POST
def settings(request: PainterRequest, pk: int) -> HttpResponse:
    """Keep guides and switches."""
    return JsonResponse(drawings.keep_settings(request.user, pk, json_field(request, "settings")))


@require_POST
def publish_drawing(request: PainterRequest, pk: int) -> HttpResponse:
    """Publish the drawing as it is now as the tile's next version, with what follows it."""
    row = drawings.owned_drawing(request.user, pk)
    revision = row.revision  # before the picture: what comes in between counts as changed since
    drawings.publish_drawing(row, picture(row), revision, request.POST.getlist("follow"))
    row = drawings.owned_drawing(request.user, pk)
    return render(request, "tiles/drawing_published.html", _head(row))


@require_POST
def split_drawing(request: PainterRequest, pk: int) -> HttpResponse:
    """A tile of its own from the drawing as it is now; says where it is, and what the first goes back to."""
    row = drawings.owned_drawing(request.user, pk)
    tile = drawings.split_off_drawing(row, picture(row), request.POST.get("name", ""))
    return JsonResponse({"href": reverse("draw-page", args=[tile.pk]), "state": _states(row)["published_state"]})
