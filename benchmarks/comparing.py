"""Whether the machine was quiet enough to believe what was measured, and what changed against an earlier run."""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass
from typing import Any

BUSY = 1.2
"""The slowest calibration over the quickest from which on the figures are not to be believed."""
CALIBRATIONS = "calibrations, ms"
SLOWER = 1.15


@dataclass(frozen=True)
class Change:
    """One figure then and now. ratio: now over then, by what the machine itself was slower; None for no time."""

    name: str
    then: float
    now: float
    ratio: float | None

    @property
    def worse(self) -> bool:
        """Whether it takes longer than chance explains."""
        return self.ratio is not None and self.ratio > SLOWER


def busy(calibrations: Sequence[float]) -> str:
    """What is to be said of calibrations made before and after each part, in ms; nothing where they agree."""
    spread = max(calibrations) / min(calibrations)
    if spread <= BUSY:
        return ""
    return (
        f"The machine was busy: the same work took {min(calibrations):.0f} to {max(calibrations):.0f} ms. "
        "Do not believe these figures; run it again when nothing else runs."
    )


def changes(then: Mapping[str, Any], now: Mapping[str, Any]) -> list[Change]:
    """The figures that both runs have, in the order of the newer one.

    Times are divided by the ratio of the quickest calibrations, so that runs of two machines can be compared.
    """
    slower = _quickest(now) / _quickest(then)
    before = dict(_figures(then))
    found = []
    for name, value in _figures(now):
        if name in before:
            timed = name.endswith((", ms", ", s"))
            ratio = value / before[name] / slower if timed and before[name] > 0 else None
            found.append(Change(name, before[name], value, ratio))
    return found


def _figures(told: Mapping[str, Any], path: str = "") -> Iterator[tuple[str, float]]:
    for name, value in told.items():
        if name == CALIBRATIONS:
            continue
        if isinstance(value, Mapping):
            yield from _figures(value, f"{path}{name}: ")
        elif isinstance(value, int | float) and not isinstance(value, bool):
            yield f"{path}{name}", float(value)


def _quickest(told: Mapping[str, Any]) -> float:
    return min(told[CALIBRATIONS])
