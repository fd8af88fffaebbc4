"""The painter's own pen, with the test pad, and what a painter prefers on every page."""

from __future__ import annotations

from django.http import HttpResponse, JsonResponse
from django.shortcuts import render
from django.views.decorators.http import require_GET, require_POST

from orvix.devices.pen import AS_IT_COMES, HARD, LIGHT, USUAL
from orvix_web.accounts.keys import BENCHES, GROUPS, change_key, keys_of, reset_keys
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


@require_GET
def keys_page(request: PainterRequest) -> HttpResponse:
    """The table of keys, as a page or for the sheet over another page."""
    return _keys(request)


@require_POST
def change_key_view(request: PainterRequest) -> HttpResponse:
    """Give one action another key."""
    change_key(request.user, request.POST.get("name", ""), request.POST.get("key", ""))
    return JsonResponse({})


@require_POST
def reset_keys_view(request: PainterRequest) -> HttpResponse:
    """Give every action its usual key again."""
    reset_keys(request.user)
    return _keys(request)


def _keys(request: PainterRequest) -> HttpResponse:
    now = keys_of(request.user.pk)
    groups = [(title, [(key, now[key.name], _where(key.benches)) for key in keys]) for title, keys in GROUPS.items()]
    facts = {"groups": groups, "own": any(now[one.name] != one.usual for keys in GROUPS.values() for one in keys)}
    sheet = request.headers.get("HX-Request") == "true"
    return render(request, "accounts/key_table.html" if sheet else "accounts/keys.html", facts)


def _where(benches: tuple[str, ...]) -> str:
    """Where a key works, in words; empty where it works everywhere."""
    return "" if len(benches) >= len(BENCHES) - 1 else ", ".join(BENCHES[one] for one in benches)
