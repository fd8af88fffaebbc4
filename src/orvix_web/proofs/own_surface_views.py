"""The page of a painter's own surface."""

from __future__ import annotations

from django.http import HttpResponse, JsonResponse
from django.shortcuts import redirect, render
from django.urls import reverse
from django.views.decorators.http import require_GET, require_POST

from orvix.proofs.looks import OWN
from orvix.proofs.own import OWN_VALUES
from orvix_web.accounts.requests import PainterRequest
from orvix_web.drafts.views import opened
from orvix_web.errors import or_404
from orvix_web.forms import json_field, uploaded
from orvix_web.proofs import own_surfaces
from orvix_web.proofs.models import OwnSurface
from orvix_web.tiles.models import Tile


@require_POST
def new_surface(request: PainterRequest) -> HttpResponse:
    """A surface from a picture; its page opens, or a wall is told what it may hang now."""
    made = own_surfaces.create_surface(request.user, *uploaded(request))
    href = reverse("own-surface", args=[made.pk])
    if "application/json" not in request.headers.get("Accept", ""):
        return redirect(href)
    size = " × ".join(f"{made.laying[side]:g}" for side in ("width_mm", "height_mm"))
    return JsonResponse({"surface": f"{OWN}{made.pk}", "name": made.name, "size": f"{size} mm", "href": href})


@require_GET
def surface_page(request: PainterRequest, pk: int) -> HttpResponse:
    """The picture, with the cloth's corners and grid to be dragged."""
    row = or_404(OwnSurface.objects.defer("picture").filter(owner=request.user, pk=pk).first())
    draft = opened(request, "surface", row)
    told = {"place": "proofs", "surface": row, "values": {value.name: value for value in OWN_VALUES}}
    told |= {"laying": draft.value["laying"], "own_name": draft.value["name"], "draft": draft.page()}
    return render(request, "proofs/own_surface.html", told | {"tiles": Tile.objects.of(request.user)[:200]})


@require_POST
def keep_surface(request: PainterRequest, pk: int) -> HttpResponse:
    """Keep how the cloth lies, and the surface's name."""
    row = own_surfaces.keep_laying(request.user, pk, json_field(request, "laying"), request.POST.get("name", ""))
    return JsonResponse({"name": row.name, "state": row.state})


@require_POST
def keep_layer(request: PainterRequest, pk: int, what: str) -> HttpResponse:
    """Keep a mask or a shade from a picture, or have none any more."""
    name, data = ("", b"") if request.POST.get("none") else uploaded(request)
    row = own_surfaces.keep_layer(request.user, pk, what, name, data)
    return JsonResponse({"state": row.state, "mask": bool(row.mask), "shade": bool(row.shade_picture)})
