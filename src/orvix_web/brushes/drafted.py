"""Brushes as things that have drafts."""

from __future__ import annotations

from typing import Any

from orvix.brushes.definition import Brush as CoreBrush
from orvix_web.brushes.models import Brush
from orvix_web.brushes.services import uses_of
from orvix_web.drafts.kinds import Kind, register


def _nameless(brush: CoreBrush) -> dict[str, Any]:
    return {name: value for name, value in brush.as_dict().items() if name != "name"}


def _check(owner_id: int, value: Any) -> Any:
    brush = CoreBrush.parse(value)
    list(uses_of(owner_id, brush))
    return _nameless(brush)


def register_all() -> None:
    """Register brushes; called once, when Django starts. The name is not part of a draft."""
    register(Kind("brush", Brush, lambda brush: _nameless(CoreBrush.parse(brush.latest.definition)), _check))
