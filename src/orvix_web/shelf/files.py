"""Several things at once as a file, made by a job: pictures in a zip, a contact sheet, a bundle."""

from __future__ import annotations

import io
import zipfile
from collections.abc import Callable, Mapping
from typing import Any

from django.contrib.auth.models import User
from django.utils import timezone

from orvix.errors import BadValue, UnknownName
from orvix.formats.contact_sheet import Cell, contact_sheet
from orvix.formats.pictures_out import Credit
from orvix.progress import Watch
from orvix_web.jobs.models import Job
from orvix_web.jobs.services import ask_for
from orvix_web.proofs import exporting
from orvix_web.proofs.sources import Of
from orvix_web.shelf.archive import archive_of
from orvix_web.shelf.bundles import bundle_of
from orvix_web.shelf.pictures import PICTURES, facts_of, picture_of
from orvix_web.shelf.services import MOST_AT_ONCE, owned_thing

KIND = "shelf-file"
WHATS = {"pictures": "pictures", "sheet": "a contact sheet", "bundle": "a bundle", "whole": "the whole shelf"}
MOST_BYTES = 512 * 1024 * 1024
_ASKED = ("format", "height", "unit", "ppi", "clear", "trim", "maker", "licence")


def ask_for_file(owner: User, what: str, keys: list[str], told: Mapping[str, Any]) -> Job:
    """Queue what is to be made of things; raises BadValue, UnknownName and NotYours, and then nothing is queued."""
    if what not in WHATS:
        raise UnknownName("what to make", what, list(WHATS))
    keys = list(dict.fromkeys(keys)) if what != "whole" else []
    if what != "whole" and not 1 <= len(keys) <= MOST_AT_ONCE:
        raise BadValue("things", len(keys), f"choose 1 to {MOST_AT_ONCE} first")
    asked = {name: str(told[name])[:200] for name in _ASKED if told.get(name)}
    _CHECKS[what]([owned_thing(owner, key) for key in keys], asked)
    title = (
        f"Export {len(keys)} {'item' if len(keys) == 1 else 'items'} as {WHATS[what]}"
        if what != "whole"
        else "Export the whole shelf with its history"
    )
    return ask_for(owner, KIND, title, {"what": what, "things": keys, "asked": asked})


def by_job(job: Job, watch: Watch) -> tuple[str, str, bytes]:
    """What a job was asked to make: the name of a file, its type and its octets."""
    return _MAKERS[job.payload["what"]](job.owner, job.payload["things"], job.payload["asked"], watch)


Things = list[tuple[str, Any]]


def _check_pictures(things: Things, asked: Mapping[str, Any]) -> None:
    for kind, thing in things:
        if kind not in exporting.WHATS:
            raise BadValue("thing", thing.name, f"a {kind} is not a picture. Select tiles and canvases.")
        exporting.asked_of(Of(kind, thing), asked)


def _check_sheet(things: Things, asked: Mapping[str, Any]) -> None:
    for kind, thing in things:
        if kind not in PICTURES:
            raise BadValue("thing", thing.name, f"a {kind} has no picture for a sheet; {', '.join(PICTURES)} have")
    _credit(asked)


def _check_nothing(things: Things, asked: Mapping[str, Any]) -> None:
    pass


_CHECKS: dict[str, Callable[[Things, Mapping[str, Any]], None]] = {
    "pictures": _check_pictures,
    "sheet": _check_sheet,
    "bundle": _check_nothing,
    "whole": _check_nothing,
}


def _credit(asked: Mapping[str, Any]) -> Credit:
    return Credit(str(asked.get("maker", "")).strip(), str(asked.get("licence", "")).strip())


def _pictures(owner: User, keys: list[str], asked: Mapping[str, Any], watch: Watch) -> Any:
    out, names, total = io.BytesIO(), set(), 0
    with zipfile.ZipFile(out, "w", zipfile.ZIP_STORED) as file:
        for n, key in enumerate(keys):
            kind, thing = owned_thing(owner, key)
            watch.tell(n / len(keys), f"{thing.name}, {n + 1} of {len(keys)}")
            watch.stop_if_asked()
            name, _, data = exporting.taken_out(Of(kind, thing), exporting.asked_of(Of(kind, thing), asked))
            total += len(data)
            if total > MOST_BYTES:
                raise BadValue(
                    "things",
                    len(keys),
                    f"are larger than {MOST_BYTES >> 20} MB together. Select fewer or smaller items.",
                )
            stem, dot, ending = name.rpartition(".")
            free = next(one for one in _numbered(stem, f"{dot}{ending}") if one not in names)
            names.add(free)
            file.writestr(zipfile.ZipInfo(free, (1980, 1, 1, 0, 0, 0)), data)
    return f"pictures-{timezone.now():%Y-%m-%d}.zip", "application/zip", out.getvalue()


def _numbered(stem: str, ending: str) -> Any:
    yield stem + ending
    for number in range(2, MOST_AT_ONCE + 2):
        yield f"{stem}-{number}{ending}"


def _sheet(owner: User, keys: list[str], asked: Mapping[str, Any], watch: Watch) -> Any:
    cells = []
    for n, key in enumerate(keys):
        kind, thing = owned_thing(owner, key)
        watch.tell(n / len(keys), f"{thing.name}, {n + 1} of {len(keys)}")
        watch.stop_if_asked()
        words = [f"{kind}, {' '.join(row)}" for row in facts_of(kind, thing) if row[0] in ("size", "version")]
        cells.append(Cell(thing.name, tuple(words[:2]), picture_of(kind, thing)))
    data = contact_sheet(f"Contact sheet, {timezone.now():%d %B %Y}", cells, _credit(asked))
    return f"contact-sheet-{timezone.now():%Y-%m-%d}.pdf", "application/pdf", data


def _bundle(owner: User, keys: list[str], asked: Mapping[str, Any], watch: Watch) -> Any:
    watch.tell(0.1, "collecting linked items")
    watch.stop_if_asked()
    return f"bundle-{timezone.now():%Y-%m-%d}.zip", "application/zip", bundle_of(owner, keys)


def _whole(owner: User, keys: list[str], asked: Mapping[str, Any], watch: Watch) -> Any:
    watch.tell(0.1, "collecting everything and its history")
    watch.stop_if_asked()
    return f"shelf-{timezone.now():%Y-%m-%d}.zip", "application/zip", archive_of(owner)


_MAKERS: dict[str, Callable[[User, list[str], Mapping[str, Any], Watch], tuple[str, str, bytes]]] = {
    "pictures": _pictures,
    "sheet": _sheet,
    "bundle": _bundle,
    "whole": _whole,
}
