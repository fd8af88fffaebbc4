"""The shelf: everything owned."""

from __future__ import annotations

from typing import Any

from django.http import HttpRequest, HttpResponse
from django.shortcuts import render
from django.views.decorators.http import require_GET, require_POST

from orvix_web.errors import or_404
from orvix_web.shelf import queries, services


@require_GET
def shelf(request: HttpRequest) -> HttpResponse:
    """The shelf, or what is found on it as a fragment."""
    context = _found(request, request.GET)
    if getattr(request, "htmx", False) and not request.htmx.boosted:
        return render(request, "shelf/things.html", context)
    tags, sets = queries.words_used(request.user)
    weights = queries.space(request.user)
    context |= {"place": "shelf", "counts": queries.counts(request.user), "tags": tags, "sets": sets}
    context |= {"weights": weights, "weight": sum(octets for _, octets in weights)}
    return render(request, "shelf/shelf.html", context)


@require_POST
def do(request: HttpRequest) -> HttpResponse:
    """Do something to what is chosen; answers with what is found now."""
    told = request.POST
    services.do(request.user, told.get("what", ""), told.getlist("thing"), told.get("value", ""))
    tags, sets = queries.words_used(request.user)
    return render(request, "shelf/done.html", _found(request, told) | {"tags": tags, "sets": sets})


@require_GET
def used(request: HttpRequest, kind: str, pk: int) -> HttpResponse:
    """What one thing was made from, and what is made from it."""
    model = or_404(queries.KINDS.get(kind))[0]
    thing = or_404(model.objects.filter(owner=request.user, pk=pk).first())
    made_from, into = queries.uses(kind, thing)
    told = {"kind": kind, "thing": thing, "made_from": made_from, "into": into, "tags": queries.tags_of(thing)}
    return render(request, "shelf/used.html", told)


def _found(request: HttpRequest, told: Any) -> dict[str, Any]:
    asked = queries.Asked(
        words=told.get("words", "")[:120],
        kind=told.get("kind", ""),
        tag=told.get("tag", "")[:60],
        set_name=told.get("set_name", "")[:60],
        favourites=bool(told.get("favourites")),
        trash=bool(told.get("trash")),
    )
    return {"asked": asked, "entries": queries.shelf(request.user, asked)}
