"""The shelf: everything owned."""

from __future__ import annotations

from typing import Any

from django.conf import settings
from django.http import HttpResponse, JsonResponse
from django.shortcuts import redirect, render
from django.urls import reverse
from django.views.decorators.http import require_GET, require_http_methods, require_POST
from django_htmx.http import trigger_client_event

from orvix.pictures.writing import png_bytes
from orvix_web.accounts.people import others
from orvix_web.accounts.requests import PainterRequest
from orvix_web.errors import or_404
from orvix_web.forms import uploaded
from orvix_web.proofs.exporting import formats_of
from orvix_web.shelf import bundles, files, pictures, queries, services, sharing
from orvix_web.shelf.models import Incoming
from orvix_web.snapshots import one_moment

_BUNDLE = 'attachment; filename="bundle.zip"'


@require_GET
def shelf(request: PainterRequest) -> HttpResponse:
    """The shelf, or what is found on it as a fragment."""
    context = _found(request, request.GET)
    if (asked := getattr(request, "htmx", None)) and not asked.boosted:
        return render(request, "shelf/things.html", context)
    tags, sets = queries.words_used(request.user)
    weights = queries.space(request.user)
    context |= {"place": "shelf", "counts": queries.counts(request.user), "tags": tags, "sets": sets}
    context["out_formats"] = formats_of("tile")
    context |= {"others": others(request.user) if settings.SIGN_IN else []}
    context |= {"weights": weights, "weight": sum(octets for _, octets in weights)}
    return render(request, "shelf/shelf.html", context)


@require_POST
def do(request: PainterRequest) -> HttpResponse:
    """Do something to what is chosen; answers with what is found now."""
    told = request.POST
    services.do(request.user, told.get("what", ""), told.getlist("thing"), told.get("value", ""))
    tags, sets = queries.words_used(request.user)
    return render(request, "shelf/done.html", _found(request, told) | {"tags": tags, "sets": sets})


@require_POST
def rename(request: PainterRequest, kind: str, pk: int) -> HttpResponse:
    """Give one thing another name, from its bench; answers with the name."""
    services.do(request.user, "rename", [f"{kind}-{pk}"], request.POST.get("name", ""))
    return JsonResponse({"name": services.owned_thing(request.user, f"{kind}-{pk}")[1].name})


@require_http_methods(["GET", "POST"])
def used(request: PainterRequest, kind: str, pk: int) -> HttpResponse:
    """What one thing was made from, and what is made from it."""
    model = or_404(queries.KINDS.get(kind))[0]
    thing = or_404(model.objects.filter(owner=request.user, pk=pk).first())
    made_from, into = queries.uses(kind, thing)
    told = {"kind": kind, "thing": thing, "made_from": made_from, "into": into, "tags": queries.tags_of(thing)}
    told["shares"] = sharing.shares_of(request.user, kind, pk) if settings.SIGN_IN else []
    return render(request, "shelf/used.html", told)


@require_GET
def bundle(request: PainterRequest) -> HttpResponse:
    """What is chosen, with all it is made from, as a bundle."""
    data = bundles.bundle_of(request.user, request.GET.getlist("thing"))
    return HttpResponse(data, content_type="application/zip", headers={"Content-Disposition": _BUNDLE})


@require_POST
def make_file(request: PainterRequest) -> HttpResponse:
    """Several things at once as a file, by a job; answers with the job."""
    told = request.POST
    job = files.ask_for_file(request.user, told.get("make", ""), told.getlist("thing"), told)
    return JsonResponse({"job": job.pk})


@require_POST
def take_in(request: PainterRequest) -> HttpResponse:
    """Read a bundle; a page says what would come in."""
    return redirect("incoming", bundles.take_in(request.user, *uploaded(request)).pk)


@require_http_methods(["GET", "POST"])
def incoming(request: PainterRequest, pk: int) -> HttpResponse:
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


@require_POST
def share(request: PainterRequest) -> HttpResponse:
    """Let another account look at what is chosen, or copy it."""
    told = request.POST
    taker, may_copy = told.get("taker", ""), told.get("may") == "copy"
    many = sharing.share(request.user, told.getlist("thing"), taker, may_copy=may_copy)
    said = {
        "title": "Shared",
        "message": f"{taker} can {'view and copy' if may_copy else 'view'} {many} {'item' if many == 1 else 'items'}.",
    }
    answer = render(request, "shelf/things.html", _found(request, told))
    return trigger_client_event(answer, "orvix-told", said)


@require_POST
def unshare(request: PainterRequest, pk: int) -> HttpResponse:
    """Share a thing no more with somebody; by its owner, or by who does not want to see it."""
    kind, number = sharing.unshare(request.user, pk)
    if request.POST.get("back"):
        return redirect(f"{reverse('shelf')}?shared=1")
    return used(request, kind, number)


@require_GET
def shared(request: PainterRequest, kind: str, pk: int) -> HttpResponse:
    """What somebody else shares, to be looked at."""
    row, thing = sharing.find(request.user, kind, pk)
    told = {"place": "shelf", "share": row, "thing": thing, "kind": kind, "facts": pictures.facts_of(kind, thing)}
    return render(request, "shelf/shared.html", told)


@require_GET
def shared_picture(request: PainterRequest, kind: str, pk: int) -> HttpResponse:
    """The picture of what somebody else shares."""
    _, thing = sharing.find(request.user, kind, pk)
    data = png_bytes(pictures.picture_of(kind, thing), level=4)
    return HttpResponse(data, "image/png", headers={"Cache-Control": "private, no-cache"})


@require_POST
def copy_shared(request: PainterRequest, kind: str, pk: int) -> HttpResponse:
    """Copy what somebody else shares, with all it is made from: as a bundle, that is looked at before it comes in."""
    return redirect("incoming", sharing.copy(request.user, kind, pk).pk)


def _found(request: PainterRequest, told: Any) -> dict[str, Any]:
    asked = queries.Asked(
        words=told.get("words", "")[:120],
        kind=told.get("kind", ""),
        tag=told.get("tag", "")[:60],
        set_name=told.get("set_name", "")[:60],
        favourites=bool(told.get("favourites")),
        trash=bool(told.get("trash")),
        shared=bool(told.get("shared")) and settings.SIGN_IN,
    )
    with one_moment():
        return {"asked": asked, "entries": queries.shelf(request.user, asked)}
