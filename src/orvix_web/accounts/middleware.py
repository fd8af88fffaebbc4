"""Who asks, and what a page may load."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

from django.conf import settings
from django.contrib.auth.middleware import LoginRequiredMiddleware
from django.http import HttpRequest, HttpResponse
from django.shortcuts import resolve_url
from django.utils.functional import SimpleLazyObject

from orvix_web.accounts.people import local_painter

GetResponse = Callable[[HttpRequest], HttpResponse]

POLICY = (
    "default-src 'none'; script-src 'self'; style-src 'self'; img-src 'self' blob: data:; font-src 'self'; "
    "connect-src 'self'; form-action 'self'; base-uri 'none'; frame-ancestors 'none'"
)


class LocalPainter:
    """Puts the local painter on every request, where nobody has to sign in."""

    def __init__(self, get_response: GetResponse) -> None:
        self.get_response = get_response

    def __call__(self, request: HttpRequest) -> HttpResponse:
        if not settings.SIGN_IN:
            request.user = SimpleLazyObject(local_painter)  # type: ignore[assignment]
        return self.get_response(request)


class SignedIn(LoginRequiredMiddleware):
    """Sends whoever is not signed in to the page for that; a fragment's page is sent there whole."""

    def handle_no_permission(self, request: HttpRequest, view_func: Any) -> Any:
        """The answer for somebody who is not signed in."""
        if request.headers.get("HX-Request"):
            return HttpResponse(status=204, headers={"HX-Redirect": resolve_url(settings.LOGIN_URL)})
        if "application/json" in request.headers.get("Accept", ""):
            return HttpResponse('{"message": "You are signed out. Sign in again."}', "application/json", 401)
        return super().handle_no_permission(request, view_func)


class ContentPolicy:
    """Puts the content security policy on every answer."""

    def __init__(self, get_response: GetResponse) -> None:
        self.get_response = get_response

    def __call__(self, request: HttpRequest) -> HttpResponse:
        response = self.get_response(request)
        response["Content-Security-Policy"] = POLICY
        return response
