"""STROKES.json: recorded strokes, read into operations for a canvas."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from orvix.canvases.strokes import INK, MODES, MOST_SEED, SECOND, Stroke
from orvix.errors import BadValue, UnknownName
from orvix.registry import check_colour
from orvix.strokes.loaded import LoadedBrush
from orvix.strokes.samples import check_samples

MOST_STROKES = 20_000
_PARTS = ("seed", "colour", "second_colour", "samples", "mode")


def load_strokes(data: Any, brush: LoadedBrush, colour: str = INK, second: str = SECOND) -> list[Stroke]:
    """Read the strokes of a file, painted with `brush`; raises BadValue naming the stroke and its rule.

    colour, second: for strokes that name none. A stroke that names no seed takes its index.
    """
    given = data.get("strokes") if isinstance(data, Mapping) else None
    if not isinstance(given, list) or len(given) > MOST_STROKES:
        raise BadValue("strokes", type(given).__name__, f"must be a list of at most {MOST_STROKES} strokes")
    return [_load(stroke, n, brush, (colour, second)) for n, stroke in enumerate(given)]


def _load(given: Any, n: int, brush: LoadedBrush, colours: tuple[str, str]) -> Stroke:
    if not isinstance(given, Mapping) or not isinstance(given.get("samples"), list):
        raise BadValue(f"strokes[{n}]", given, "must be an object with samples")
    for name in given:
        if name not in _PARTS:
            raise UnknownName(f"value of strokes[{n}]", name, list(_PARTS))
    seed = given.get("seed", n)
    if isinstance(seed, bool) or not isinstance(seed, int) or not 0 <= seed <= MOST_SEED:
        raise BadValue(f"seed of strokes[{n}]", seed, f"must be a whole number from 0 to {MOST_SEED}")
    mode = given.get("mode", brush.brush.values["use"])
    if mode not in MODES:
        raise BadValue(f"mode of strokes[{n}]", mode, "must be one of " + ", ".join(MODES))
    paint = check_colour("colour", given.get("colour", colours[0]))
    second = check_colour("second_colour", given.get("second_colour", colours[1]))
    return Stroke(brush, check_samples(given["samples"]), paint, mode, seed, second_colour=second)
