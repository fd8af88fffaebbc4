"""Who asks, and what a page may load."""

from __future__ import annotations

from collections.abc import Callable

from django.http import HttpRequest, HttpResponse
from django.utils.functional import SimpleLazyObject

from orvix_web.accounts.people import local_painter

GetResponse = Callable[[HttpRequest], HttpResponse]

POLICY = (
    "default-src 'none'; script-src 'self'; style-src 'self'; img-src 'self' blob: data:; font-src 'self'; "
    "connect-src 'self'; form-action 'self'; base-uri 'none'; frame-ancestors 'none'"
)


class LocalPainter:
    """Puts the local painter on every request."""

    def __init__(self, get_response: GetResponse) -> None:
        self.get_response = get_response

    def __call__(self, request: HttpRequest) -> HttpResponse:
        request.user = SimpleLazyObject(local_painter)  # type: ignore[assignment]
        return self.get_response(request)


class ContentPolicy:
    """Puts the content security policy on every answer."""

    def __init__(self, get_response: GetResponse) -> None:
        self.get_response = get_response

    def __call__(self, request: HttpRequest) -> HttpResponse:
        response = self.get_response(request)
        response["Content-Security-Policy"] = POLICY
        return response
