"""The strip as a fragment, and thumbnails."""

from __future__ import annotations

from contextlib import suppress
from typing import Any

from django.conf import settings
from django.http import Http404, HttpResponse
from django.shortcuts import render
from django.views.decorators.http import require_GET

from orvix_web.accounts.requests import PainterRequest
from orvix_web.brushes.models import BrushVersion
from orvix_web.canvases.models import Canvas, KeptState, Palette
from orvix_web.canvases.palettes import palette_picture
from orvix_web.chain.queries import MODELS, small_picture
from orvix_web.chain.templatetags.strip import PLACES, come_from, strip_context
from orvix_web.errors import NotYours
from orvix_web.proofs.models import OwnSurface, ProofVersion
from orvix_web.proofs.own_surfaces import small
from orvix_web.shelf.sharing import find
from orvix_web.tiles.models import GrainVersion, TileVersion, Upload
from orvix_web.tiles.thumbnails import outside_thumbnail

PICTURES: dict[str, tuple[Any, str]] = {
    "tile": (TileVersion, "tile__owner"),
    "grain": (GrainVersion, "grain__owner"),
    "brush": (BrushVersion, "brush__owner"),
    "canvas": (Canvas, "owner"),
    "proof": (ProofVersion, "proof__owner"),
    "state": (KeptState, "canvas__owner"),
    "palette": (Palette, "owner"),
    "motif": (Upload, "owner"),
    "surface": (OwnSurface, "owner"),
}
_DRAWN: dict[str, Any] = {
    "palette": lambda found: palette_picture(found.colours),
    "motif": lambda found: outside_thumbnail(bytes(found.data), found.name),
    "surface": small,
}
"""What is drawn when it is asked for, because nothing is kept of it."""
_SHARED = ("tile", "grain", "brush", "canvas")


@require_GET
def strip(request: PainterRequest) -> HttpResponse:
    """The strip again, for a page that was told of a change."""
    kind, place = request.GET.get("kind", ""), request.GET.get("place", "")
    pk = request.GET.get("pk", "0")
    if kind not in ("", *MODELS) or place not in ("", *(slug for slug, _, _ in PLACES)):
        raise Http404
    number = int(pk) if pk.isascii() and pk.isdigit() and len(pk) < 16 else 0
    return render(request, "chain/strip.html", strip_context(request.user, kind, number, place, come_from(request)))


@require_GET
def thumbnail(request: PainterRequest, kind: str, pk: int, mark: str) -> HttpResponse:
    """The small picture of one version of a thing; the mark in its address changes with it."""
    if kind not in PICTURES:
        raise Http404
    model, owner = PICTURES[kind]
    found = model.objects.filter(pk=pk, **{owner: request.user}).first() or _shared(request.user, kind, model, pk)
    if found is None:
        raise Http404
    small = _DRAWN[kind](found) if kind in _DRAWN else small_picture(found)
    response = HttpResponse(small, content_type="image/png")
    response["Cache-Control"] = "private, max-age=31536000, immutable"
    return response


def _shared(taker: Any, kind: str, model: Any, pk: int) -> Any:
    """A version of a thing that somebody else shares."""
    found = model.objects.filter(pk=pk).first() if settings.SIGN_IN and kind in _SHARED else None
    if found is None:
        return None
    with suppress(NotYours):
        find(taker, kind, found.pk if kind == "canvas" else getattr(found, f"{kind}_id"))
        return found
    return None
