"""The painter's own pen, with the test pad, and what a painter prefers on every page."""

from __future__ import annotations

from django.http import HttpResponse, JsonResponse
from django.shortcuts import render
from django.views.decorators.http import require_GET, require_POST

from orvix.devices.pen import AS_IT_COMES, HARD, LIGHT, USUAL
from orvix_web.accounts.pens import keep_pen, pen_of
from orvix_web.accounts.preferences import prefer
from orvix_web.accounts.requests import PainterRequest
from orvix_web.forms import json_field

PAD_BRUSH = {
    "name": "Test pad",
    "coats": [
        {
            "values": {"size": 56, "spacing": 0.06, "flow": 1, "hardness": 0.9},
            "leads": {"size": {"pressure": {"low": 0.04}}, "opacity": {"pressure": {"low": 0.35}}},
        }
    ],
}
"""What the test pad is painted with: as thick and as dark as the pen presses."""


@require_GET
def pen_page(request: PainterRequest) -> HttpResponse:
    """The test pad, and the response as it is kept."""
    pen = pen_of(request.user.pk)
    facts = {"response": pen.response, "plain": AS_IT_COMES, "brush": PAD_BRUSH}
    rows = [("light", "Light stroke", LIGHT), ("usual", "Normal stroke", USUAL), ("hard", "Hard stroke", HARD)]
    return render(request, "accounts/pen.html", {"facts": facts, "rows": rows, "pen": pen})


@require_POST
def keep_pen_view(request: PainterRequest) -> HttpResponse:
    """Keep the response of the painter's pen."""
    pen = keep_pen(request.user, json_field(request, "response"))
    return render(request, "accounts/pen_kept.html", {"pen": pen})


@require_POST
def preference(request: PainterRequest) -> HttpResponse:
    """Store one preference."""
    prefer(request.user, request.POST.get("name", ""), request.POST.get("value", ""))
    return JsonResponse({})
