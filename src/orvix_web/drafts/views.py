"""Drafts over HTTP: what a page reads, writes and steps through. JSON both ways."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

from django.http import JsonResponse
from django.urls import reverse
from django.views.decorators.http import require_http_methods, require_POST

from orvix_web.accounts.requests import PainterRequest
from orvix_web.drafts import services
from orvix_web.forms import json_body

MOST_OCTETS = 4 * 1024 * 1024


@dataclass(frozen=True)
class Opened:
    """A draft on a page that is opened. shown: whether the page shows it, and not a version that was asked for."""

    kind: str
    number: int
    standing: services.Standing
    shown: bool

    @property
    def value(self) -> Any:
        """What the bench shows: the draft, or what was saved last."""
        return self.standing.value

    def page(self) -> dict[str, Any]:
        """What the page's script needs of it."""
        href = reverse("draft", args=[self.kind, self.number])
        told = {"of": self.kind, "number": self.number, "href": href, "older": not self.shown}
        return told | self.standing.facts() | {"saved": self.standing.saved}


def opened(request: PainterRequest, kind: str, thing: Any) -> Opened:
    """The draft of a thing whose bench is opened, on its draft or on the version that the address asks for."""
    now = services.standing(request.user.pk, kind, thing.pk)
    return Opened(kind, thing.pk, now, not request.GET.get("version"))


@require_http_methods(["GET", "POST"])
def draft(request: PainterRequest, kind: str, pk: int) -> JsonResponse:
    """How a draft stands, or what it is after a window wrote to it; whole where another window wrote first."""
    if request.method == "GET":
        return JsonResponse(services.standing(request.user.pk, kind, pk).whole())
    return _answer(services.write(request.user.pk, kind, pk, services.Written.parse(json_body(request, MOST_OCTETS))))


def _answer(now: services.Standing) -> JsonResponse:
    return JsonResponse(now.whole() if now.elsewhere else now.facts())


@require_POST
def step(request: PainterRequest, kind: str, pk: int) -> JsonResponse:
    """Undo, redo or discard; answers with the whole draft."""
    asked, window = request.POST.get("way", ""), request.POST.get("window", "")
    return JsonResponse(services.step(request.user.pk, kind, pk, asked, window).whole())
