"""What comes in with a form: JSON in a field, numbers, files. Everything else is checked by the core."""

from __future__ import annotations

import json
from typing import Any

from orvix.errors import BadValue
from orvix.pictures.reading import MOST_BYTES
from orvix.units import px_of
from orvix_web.accounts.requests import PainterRequest

MOST_JSON = 262_144


def json_field(request: PainterRequest, name: str) -> Any:
    """The JSON in one field of a form; raises BadValue."""
    text = request.POST.get(name, "")
    if len(text) > MOST_JSON:
        raise BadValue(name, f"{len(text)} characters", f"must be at most {MOST_JSON}")
    try:
        return json.loads(text)
    except (json.JSONDecodeError, RecursionError) as error:
        raise BadValue(name, text[:40], "must be JSON") from error


def json_body(request: PainterRequest, most: int = MOST_JSON) -> Any:
    """The JSON that a request consists of, at most `most` octets; raises BadValue."""
    if len(request.body) > most:
        raise BadValue("request", f"{len(request.body)} octets", f"must be at most {most}")
    try:
        return json.loads(request.body)
    except (ValueError, RecursionError) as error:
        raise BadValue("request", str(request.body[:40]), "must be JSON") from error


def whole_field(request: PainterRequest, name: str, default: int | None = None) -> int:
    """A whole number from a field of a form; raises BadValue."""
    text = request.POST.get(name, "").strip()
    if not text and default is not None:
        return default
    if not (text.isascii() and text.isdigit() and len(text) < 16):
        raise BadValue(name, text, "must be a whole number")
    return int(text)


def side_field(request: PainterRequest, name: str, unit: str, ppi: float, default: int | None = None) -> int:
    """A side in px: a whole number of them, or a length on paper; raises BadValue and UnknownName."""
    if unit == "px" or not request.POST.get(name, "").strip():
        return whole_field(request, name, default)
    return px_of(name, number_field(request, name, 0.0), unit, ppi)


def asked_version(request: PainterRequest, thing: Any) -> Any:
    """The version of a thing that the address asks for by its number, else the newest."""
    asked = request.GET.get("version", "")
    wanted = int(asked) if asked.isascii() and asked.isdigit() and len(asked) < 9 else 0
    return thing.versions.filter(number=wanted).first() or thing.latest


def uploaded(request: PainterRequest) -> tuple[str, bytes]:
    """The name and the octets of the file in a form; raises BadValue."""
    given = request.FILES.get("picture")
    if given is None and int(request.META.get("CONTENT_LENGTH") or 0) > MOST_BYTES:
        raise BadValue(
            "picture",
            f"{request.META['CONTENT_LENGTH']} bytes",
            f"The file is too large: the limit is {MOST_BYTES >> 20} MB.",
        )
    if given is None:
        raise BadValue("picture", "", "No file is chosen. Choose a PNG, JPEG, WebP or TIFF file.")
    return given.name or "picture", given.read()


def number_field(request: PainterRequest, name: str, default: float) -> float:
    """A number from a field of a form; raises BadValue."""
    text = request.POST.get(name, "").strip()
    if not text:
        return default
    try:
        return float(text[:40])
    except ValueError as error:
        raise BadValue(name, text, "must be a number") from error
