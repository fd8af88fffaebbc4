"""Writing drafts as a window does."""

from __future__ import annotations

from itertools import count
from typing import Any

from orvix_web.drafts.services import Standing, Written, standing, write

_writes = count(1)


def put(owner, kind: str, number: int, *values: Any, window: str = "one", base: int | None = None, settled=True):
    """Write values to a draft, as a window that shows revision `base`, or else the newest."""
    base = standing(owner.pk, kind, number).revision if base is None else base
    changes = [{"value": value, "settled": settled} for value in values]
    told = {"window": window, "base": base, "sequence": next(_writes), "changes": changes}
    return write(owner.pk, kind, number, Written.parse(told))


def shown(owner, kind: str, number: int) -> Standing:
    return standing(owner.pk, kind, number)
