"""The one table from core errors to answers: a status, and a message that names the value and the rule."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

from django.http import Http404, HttpRequest, HttpResponse, JsonResponse
from django.shortcuts import render

from orvix.errors import BadValue, OrvixError, UnknownName, UnreadableFile, UnreadablePicture


class NotYours(OrvixError):
    """A thing that is not there, or not this person's."""

    code = "not-found"


class InUse(OrvixError):
    """Something else would lose what it shows if this were deleted for good."""

    code = "in-use"

    def __init__(self, name: str, users: list[str]) -> None:
        one, use = ("that one", "uses") if len(users) == 1 else ("those", "use")
        super().__init__(
            f"{name} cannot be deleted permanently, because {_listed(users)} {use} it. "
            f"Delete {one} first, or leave {name} in the trash."
        )


def _listed(names: list[str], most: int = 5) -> str:
    """Names as a sentence holds them."""
    if len(names) > most:
        return f"{', '.join(names[:most])} and {len(names) - most} more"
    return names[0] if len(names) == 1 else f"{', '.join(names[:-1])} and {names[-1]}"


STATUS: dict[type[OrvixError], int] = {
    NotYours: 404,
    BadValue: 422,
    InUse: 422,
    UnknownName: 422,
    UnreadablePicture: 422,
    UnreadableFile: 422,
    OrvixError: 400,
}


def status_of(error: OrvixError) -> int:
    """The status of an answer that refuses with this error."""
    return next(status for kind, status in STATUS.items() if isinstance(error, kind))


def told(error: OrvixError) -> dict[str, Any]:
    """The error as JSON carries it, on pages and on the socket."""
    return {"code": error.code, "message": error.sentence}


class CoreErrors:
    """Answers a core error with a page, a fragment or JSON, as the request asks."""

    def __init__(self, get_response: Callable[[HttpRequest], HttpResponse]) -> None:
        self.get_response = get_response

    def __call__(self, request: HttpRequest) -> HttpResponse:
        response = self.get_response(request)
        if response.status_code == 405 and not response.content and "text/html" in request.headers.get("Accept", ""):
            message = "This address only works from its button in Orvix. Go back and use that."
            refused = render(request, "pages/refusal.html", {"message": message}, status=405)
            refused["Allow"] = response["Allow"]
            return refused
        return response

    def process_exception(self, request: HttpRequest, error: Exception) -> HttpResponse | None:
        if not isinstance(error, OrvixError):
            return None
        status = status_of(error)
        if getattr(request, "htmx", False):
            return render(request, "fragments/refusal.html", {"message": error.sentence}, status=status)
        if "application/json" in request.headers.get("Accept", ""):
            return JsonResponse(told(error), status=status)
        return render(request, "pages/refusal.html", {"message": error.sentence}, status=status)


def or_404(found: Any) -> Any:
    """The thing, or the answer that there is none (also where it is someone else's)."""
    if found is None:
        raise Http404
    return found
