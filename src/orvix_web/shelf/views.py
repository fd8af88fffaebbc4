"""The shelf: everything owned."""

from __future__ import annotations

from typing import Any

from django.http import HttpRequest, HttpResponse
from django.shortcuts import redirect, render
from django.views.decorators.http import require_GET, require_http_methods, require_POST

from orvix_web.errors import or_404
from orvix_web.forms import uploaded
from orvix_web.shelf import bundles, queries, services
from orvix_web.shelf.models import Incoming
from orvix_web.snapshots import one_moment

_BUNDLE = 'attachment; filename="bundle.zip"'


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


@require_GET
def bundle(request: HttpRequest) -> HttpResponse:
    """What is chosen, with all it is made from, as a bundle."""
    data = bundles.bundle_of(request.user, request.GET.getlist("thing"))
    return HttpResponse(data, content_type="application/zip", headers={"Content-Disposition": _BUNDLE})


@require_POST
def take_in(request: HttpRequest) -> HttpResponse:
    """Read a bundle; a page says what would come in."""
    return redirect("incoming", bundles.take_in(request.user, *uploaded(request)).pk)


@require_http_methods(["GET", "POST"])
def incoming(request: HttpRequest, pk: int) -> HttpResponse:
    """What of a bundle would come in, and what clashes; POST: it comes in, or is left."""
    row = or_404(Incoming.objects.filter(owner=request.user, pk=pk).first())
    if request.method == "POST":
        if request.POST.get("leave"):
            row.delete()
        else:
            bundles.bring_in(request.user, row)
        return redirect("shelf")
    coming, notes = bundles.plan(request.user, row)
    told = {"row": row, "coming": coming, "notes": notes, "fresh": sum(one.here is None for one in coming)}
    return render(request, "shelf/incoming.html", {"place": "shelf", **told})


def _found(request: HttpRequest, told: Any) -> dict[str, Any]:
    asked = queries.Asked(
        words=told.get("words", "")[:120],
        kind=told.get("kind", ""),
        tag=told.get("tag", "")[:60],
        set_name=told.get("set_name", "")[:60],
        favourites=bool(told.get("favourites")),
        trash=bool(told.get("trash")),
    )
    with one_moment():
        return {"asked": asked, "entries": queries.shelf(request.user, asked)}
