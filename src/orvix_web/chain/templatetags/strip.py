"""The strip at the head of every page, and thumbnails anywhere."""

from __future__ import annotations

from typing import Any

from django import template

from orvix_web.chain import queries
from orvix_web.jobs.services import shown_jobs
from orvix_web.snapshots import one_moment

register = template.Library()
PLACES = (
    ("tiles", "Tiles", ("tile", "grain")),
    ("brushes", "Brushes", ("brush",)),
    ("canvases", "Canvases", ("canvas",)),
    ("proofs", "Proofs", ("proof",)),
    ("shelf", "Shelf", ()),
)


@register.inclusion_tag("chain/strip.html", takes_context=True)
def chain_strip(context: dict[str, Any], kind: str = "", pk: int = 0) -> dict[str, Any]:
    """The strip for the thing a page shows."""
    request = context["request"]
    return strip_context(request.user, kind, pk, context.get("place", ""), come_from(request))


def come_from(request: Any) -> int:
    """The canvas from which a bench was opened, as the strip's links say it; 0 for none."""
    told = request.GET.get("from", "")
    return int(told) if told.isascii() and told.isdigit() and len(told) < 16 else 0


def strip_context(owner: Any, kind: str, pk: int, place: str, origin: int = 0) -> dict[str, Any]:
    """What the strip's template needs. origin: as `come_from` gives it."""
    with one_moment():
        links = dict(zip(queries.SLOTS, queries.strip(owner, kind, pk, origin), strict=True))
        counted = queries.counts(owner)
    places = [
        {"slug": slug, "word": word, "count": counted[kinds[0]] if kinds else sum(counted.values()),
         "slots": [(one, links[one]) for one in kinds],
         "here": slug == place}
        for slug, word, kinds in PLACES
    ]  # fmt: skip
    return {"places": places, "kind": kind, "pk": pk, "place": place, "origin": origin}


@register.inclusion_tag("jobs/panel.html", takes_context=True)
def jobs_panel(context: dict[str, Any]) -> dict[str, Any]:
    """The long work that a page shows."""
    jobs = shown_jobs(context["request"].user)
    return {"jobs": jobs, "active": any(job.active for job in jobs)}


@register.simple_tag
def picture(kind: str, thing: Any) -> str:
    """The address of the thumbnail of a version (or canvas)."""
    return queries.picture_href(kind, thing)
