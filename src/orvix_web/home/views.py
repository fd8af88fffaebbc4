"""The home page, and the large pictures on it."""

from __future__ import annotations

from django.http import Http404, HttpResponse
from django.shortcuts import render
from django.views.decorators.http import require_GET

from orvix_web.accounts.requests import PainterRequest
from orvix_web.chain.queries import owned_things
from orvix_web.errors import or_404
from orvix_web.home.pictures import large_picture
from orvix_web.home.works import last_works

PICTURED = ("tile", "brush", "canvas")


@require_GET
def home(request: PainterRequest) -> HttpResponse:
    """What the painter was last doing, and six ways to begin."""
    return render(request, "home/home.html", {"works": last_works(request.user)})


@require_GET
def work_picture(request: PainterRequest, kind: str, pk: int, mark: str) -> HttpResponse:
    """The large picture of a work as it is now; the mark in its address changes with it."""
    if kind not in PICTURED:
        raise Http404
    thing = or_404(owned_things(request.user, kind).filter(pk=pk).first())
    response = HttpResponse(large_picture(kind, thing), content_type="image/png")
    response["Cache-Control"] = "private, max-age=31536000, immutable"
    return response
