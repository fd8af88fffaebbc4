"""The strokes of the demo canvas, as paths a hand could take. Positions in px of a 1536 x 1024 canvas."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from dataclasses import dataclass, field, replace
from functools import partial
from math import cos, pi, sin
from typing import Any

import numpy as np
from numpy.typing import NDArray

from orvix.devices.stylus import Hand, record

WIDTH, HEIGHT = 1536, 1024
SAIL, OCHRE, RED = "#f2efe6", "#d29b42", "#c2553b"
Point = tuple[float, float]
Path = Callable[[float], Point]
Press = Callable[[float], float]

KELP = (
    (250, 980, 640, 60, "#7f9a4c"),
    (420, 1000, 430, -50, "#5f7a3f"),
    (1010, 990, 560, 70, "#5f7a3f"),
    (1230, 1010, 690, -80, "#8aa35a"),
    (1400, 990, 380, 40, "#7f9a4c"),
    (690, 1000, 360, 50, "#6f8a48"),
)
"""Foot x, foot y, height, lean and colour of each frond."""

FLOATS = ((590, 250, 104, RED), (790, 180, 66, OCHRE), (1350, 300, 120, RED), (90, 330, 76, OCHRE))
"""Middle x, middle y, width and colour of each cork float."""


@dataclass(frozen=True)
class DemoStroke:
    """One stroke: the brush's name, its colour, its samples, values set in hand, and the layer it is on."""

    brush: str
    colour: str
    samples: NDArray[np.float64]
    values: dict[str, float] = field(default_factory=dict)
    layer: int = 1


LAYERS: tuple[dict[str, Any], ...] = (
    {"id": 1, "name": "water"},
    {"id": 2, "name": "net", "kind": "fill", "mode": "soft-light", "opacity": 0.45},
    {"id": 3, "name": "kelp"},
    {"id": 4, "name": "rope"},
    {"id": 5, "name": "floats"},
    {"id": 6, "name": "waves"},
    {"id": 7, "name": "spray", "opacity": 0.85},
)
"""The layers of the demo canvas, back to front; the fill shows the net's tile."""
NET = {"scale": "2/3", "turn": 0.0}


def strokes() -> Iterator[DemoStroke]:
    """All strokes in order, back to front."""
    for layer, part in ((1, _water), (3, _kelp), (4, _rope), (5, _floats), (6, _waves), (7, _spray)):
        for one in part():
            yield replace(one, layer=layer)


def _drawn(brush: str, colour: str, size: float, path: Path, press: Press, seed: int, lasts_ms: float) -> DemoStroke:
    samples = record(Hand(path, press, lasts_ms), seed).astype(np.float32).astype(np.float64)
    return DemoStroke(brush, colour, samples, {"size": size})


def _steady(press: float) -> Press:
    return lambda _: press


def _swelling(share: float) -> float:
    return sin(pi * (0.12 + 0.86 * share))


def _water() -> Iterator[DemoStroke]:
    def current(n: int, share: float) -> Point:
        return WIDTH * share, 70 + n * 118 + 34 * sin(2 * pi * (share + n / 3))

    for n in range(7):
        yield _drawn("Barnacle wash", "#2b5c69", 190, partial(current, n), _steady(0.5), n + 1, 1200)


def _kelp() -> Iterator[DemoStroke]:
    def stem(x: float, foot: float, tall: float, lean: float, share: float) -> Point:
        return x + lean * share + 26 * sin(share * 7), foot - tall * share

    def blade(at: Point, side: int, reach: float, share: float) -> Point:
        return at[0] + side * reach * share, at[1] - reach * 0.75 * share + 22 * sin(pi * share)

    for n, (x, foot, tall, lean, colour) in enumerate(KELP):
        grown = partial(stem, x, foot, tall, lean)
        yield _drawn("Harbour liner", colour, 17, grown, lambda share: 1 - 0.7 * share, n + 20, 700)
        for leaf in range(9):
            share = 0.12 + 0.095 * leaf
            frond = partial(blade, grown(share), 1 if leaf % 2 else -1, 118 * (1.15 - share))
            yield _drawn("Sailcloth chalk", colour, 44, frond, _swelling, n * 20 + leaf + 40, 260)


def _rope() -> Iterator[DemoStroke]:
    def rope(lower: float, share: float) -> Point:
        u = min(max((share - 0.4) / 0.26, 0.0), 1.0)
        turn = 2 * pi * u * u * (3 - 2 * u)
        return WIDTH * share + 118 * sin(turn), 540 + lower + 40 * sin(2 * pi * share) - 118 * (1 - cos(turn))

    yield _drawn("Sailcloth chalk", OCHRE, 30, partial(rope, 0), _steady(0.9), 300, 1800)
    yield _drawn("Harbour liner", "#8f6424", 6, partial(rope, 9), _steady(0.4), 301, 1800)


def _floats() -> Iterator[DemoStroke]:
    def glint(x: float, y: float, size: float, share: float) -> Point:
        return x - size * 0.2 + 3 * share, y - size * 0.2

    def net(x: float, y: float, size: float, line: float, share: float) -> Point:
        return x + size * (share - 0.5) * 0.9, y + line * size * 0.8 + size * 0.14 * sin(pi * share)

    for n, (x, y, size, colour) in enumerate(FLOATS):
        disc = np.array([[0, x, y, 1, 0, 0, 0], [16, x, y, 1, 0, 0, 0]], np.float64)
        yield DemoStroke("Harbour liner", colour, disc, {"size": float(size)})
        light = partial(glint, x, y, size)
        yield _drawn("Lantern glow", "#f2d9a2", size * 0.55, light, _steady(1.0), n + 320, 220)
        for line in (-0.3, 0.0, 0.3):
            thread = partial(net, x, y, size, line)
            yield _drawn("Harbour liner", "#33231c", 4, thread, _swelling, n * 9 + 340, 220)


def _waves() -> Iterator[DemoStroke]:
    half = WIDTH / 12

    def arc(row: int, comb: int, ring: float, share: float) -> Point:
        middle = (2 * comb + row % 2) * half
        return middle - half * ring * cos(pi * share), 960 + row * 46 - 62 * ring * sin(pi * share)

    for row in range(3):
        for comb in range(6):
            for ring in (1.0, 0.74, 0.48):
                crest = partial(arc, row, comb, ring)
                seed = row * 40 + comb * 4 + 500
                yield _drawn("Harbour liner", SAIL, 11, crest, lambda s: 0.35 + 0.5 * sin(pi * s), seed, 300)


def _spray() -> Iterator[DemoStroke]:
    def thrown(n: int, share: float) -> Point:
        return WIDTH * share, 860 - 26 * n + 40 * sin(4 * pi * share + n)

    for n in range(3):
        yield _drawn("Sea spray", SAIL, 15.0 - 3 * n, partial(thrown, n), _steady(0.5), n + 700, 1500)
