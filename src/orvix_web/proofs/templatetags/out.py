"""The dialog that takes a picture out as a file, for any page of a canvas or a tile."""

from __future__ import annotations

from typing import Any

from django import template

from orvix_web.proofs.exporting import formats_of

register = template.Library()


@register.inclusion_tag("proofs/take_out.html")
def take_out(kind: str, pk: int) -> dict[str, Any]:
    """Put it at the end of the page; `takeOut` of take_out.js opens it."""
    return {"of_kind": kind, "of_pk": pk, "out_formats": formats_of(kind)}
