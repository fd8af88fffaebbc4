"""Paths from SVG files, and sets of paths that a painter keeps and uses again."""

from __future__ import annotations

from typing import Any

import numpy as np
from django.contrib.auth.models import User
from django.http import HttpResponse, JsonResponse
from django.views.decorators.http import require_POST

from orvix.canvases.outlines import Outline, Piece, along
from orvix.canvases.svg_paths import pieces_of
from orvix.errors import BadValue
from orvix.tiles.motifs.svg import read_svg
from orvix_web.accounts.requests import PainterRequest
from orvix_web.canvases.models import PathSet
from orvix_web.errors import or_404
from orvix_web.forms import json_field, uploaded
from orvix_web.notices import changed
from orvix_web.tiles.services import check_name

MOST_SETS = 200


def _about_middle(pieces: tuple[Piece, ...]) -> list[dict[str, Any]]:
    """Pieces as JSON, moved so that their middle lies at (0, 0)."""
    places = np.concatenate([along(one)[0] for one in pieces])
    middle = (places.min(axis=0) + places.max(axis=0)) / 2
    moved: list[dict[str, Any]] = Outline(pieces).moved(*(-np.round(middle)).tolist()).as_dict()["pieces"]
    return moved


def keep_paths(owner: User, name: str, pieces: Any) -> PathSet:
    """Keep paths under a name; raises BadValue."""
    checked = Outline.parse({"pieces": pieces}).pieces
    if PathSet.objects.filter(owner=owner).count() >= MOST_SETS:
        raise BadValue("path set", name, f"The shelf holds {MOST_SETS} saved paths. Delete one first.")
    made = PathSet.objects.create(owner=owner, name=check_name(name), pieces=_about_middle(checked))
    changed(made.owner_id)
    return made


@require_POST
def read_paths(request: PainterRequest) -> HttpResponse:
    """The paths of an SVG file, about (0, 0)."""
    name, data = uploaded(request)
    return JsonResponse({"name": name.rsplit(".", 1)[0], "pieces": _about_middle(pieces_of(read_svg(data, name)))})


@require_POST
def keep(request: PainterRequest) -> HttpResponse:
    """Keep the paths of a shape to be used again."""
    made = keep_paths(request.user, request.POST.get("name", ""), json_field(request, "pieces"))
    return JsonResponse({"set": made.pk, "name": made.name, "pieces": made.pieces})


@require_POST
def take_out(request: PainterRequest, pk: int) -> HttpResponse:
    """Take a set out; shapes made of it stay."""
    or_404(PathSet.objects.filter(owner=request.user, pk=pk).first()).delete()
    return HttpResponse(status=204)
