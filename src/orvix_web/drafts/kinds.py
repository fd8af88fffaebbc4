"""The kinds of things that have drafts. Each app registers its own when Django starts."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from typing import Any

from orvix.errors import UnknownName


@dataclass(frozen=True)
class Kind:
    """A kind of thing. model: its rows, with an owner. saved(thing): the value that was saved last, as JSON.

    check(owner_id, value): the value in its stored form; raises OrvixError where it cannot be saved.
    """

    name: str
    model: Any
    saved: Callable[[Any], Any]
    check: Callable[[int, Any], Any]


_KINDS: dict[str, Kind] = {}


def register(kind: Kind) -> None:
    """Add a kind; a name that is taken is an error."""
    if kind.name in _KINDS:
        raise ValueError(f"draft kind {kind.name!r} is registered twice")
    _KINDS[kind.name] = kind


def kind_of(name: str) -> Kind:
    """The kind of a name; raises UnknownName."""
    if name not in _KINDS:
        raise UnknownName("kind of draft", name, sorted(_KINDS))
    return _KINDS[name]
