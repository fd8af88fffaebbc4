"""A recipe as cards: the source and the steps with their values, ready for the page."""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from dataclasses import dataclass, field
from typing import Any

from orvix.registry import Value
from orvix.tiles.recipe import SEED, Recipe
from orvix.tiles.sources import SOURCES
from orvix.tiles.sources.registry import Source
from orvix.tiles.steps import STEPS
from orvix_web.tiles.models import Upload

_FEW, _SHORT = 4, 34


@dataclass(frozen=True)
class Row:
    """One value on a card: where it lies in the recipe, what it is now, and for a source inside its own rows.

    room: how many letters of words a choice may take on a line.
    """

    path: str
    value: Value
    now: Any
    rows: tuple[Row, ...] = field(default=())
    room: int = _SHORT

    @property
    def as_words(self) -> bool:
        """Whether a choice is short enough to be shown as words on a line."""
        return len(self.value.choices) <= _FEW and len("".join(self.value.choices)) <= self.room


def rows_of(values: tuple[Value, ...], now: Mapping[str, Any], path: str) -> tuple[Row, ...]:
    """The rows of an entry's values."""
    return tuple(_row(value, now[value.name], f"{path}.{value.name}") for value in values)


def _row(value: Value, now: Any, path: str) -> Row:
    inside: tuple[Row, ...] = ()
    if value.kind == "source":
        inside = rows_of(SOURCES.get(now["name"]).values, now["values"], f"{path}.values")
    return Row(path, value, now, inside)


def cards_context(owner_id: int, recipe: Recipe) -> dict[str, Any]:
    """What the template of the cards needs."""
    given = recipe.source.kind == "given"
    return {
        "recipe": recipe,
        "recipe_json": recipe.as_dict(),
        "source_rows": rows_of(recipe.source.values, recipe.values, "source.values"),
        "seed": None if given else Row("seed", SEED, recipe.seed),
        "file_notes": file_notes(owner_id, recipe.values.get("file", "")),
        "steps": [
            {"n": n, "used": used, "rows": rows_of(used.step.values, used.values, f"steps.{n}.values")}
            for n, used in enumerate(recipe.steps)
        ],
        "sources": list(sources_beside(recipe.source)),
        "inner_sources": list(source_groups(False)),
        "step_groups": list(_grouped(STEPS)),
        "stagger": float(recipe.repeat.stagger),
    }


ALONE = ("drawn", "motifs")
"""Sources that have a bench of their own: another cannot take their place, nor they another's."""


def sources_beside(source: Source) -> Iterator[tuple[str, list[Source]]]:
    """The sources that a recipe may change to, by group."""
    for group, sources in source_groups(source.kind == "given"):
        kept = [one for one in sources if one.name == source.name or not (source.name in ALONE or one.name in ALONE)]
        if kept:
            yield group, kept


def source_groups(given: bool) -> Iterator[tuple[str, list[Source]]]:
    """Sources by group; those from outside only where there is a picture."""
    for group, sources in _grouped(SOURCES):
        if given or group != "given":
            yield group, sources


def _grouped(registry: Any) -> Iterator[tuple[str, list[Any]]]:
    groups: dict[str, list[Any]] = {}
    for entry in registry:
        groups.setdefault(entry.group, []).append(entry)
    yield from groups.items()


def file_notes(owner_id: int, name: str) -> list[str]:
    """What was converted of a file from outside, named as `upload:12`, in words."""
    kind, _, number = name.partition(":")
    if kind != "upload" or not number.isdecimal() or len(number) > 12:
        return []
    notes = Upload.objects.filter(owner_id=owner_id, pk=int(number)).values_list("notes", flat=True).first()
    return notes or []
