"""The demo's tile drawn by hand, and its motif layout: what a painter would have made on those two benches."""

from __future__ import annotations

from collections.abc import Iterator
from functools import partial
from math import cos, pi, sin
from typing import Any

import numpy as np
from numpy.typing import NDArray

from orvix.devices.stylus import Hand, record
from orvix.tiles.motifs.editing import Bench, edit
from orvix.tiles.motifs.layout import Layout, Motif
from orvix.tiles.motifs.rendering import Cloth
from orvix.tiles.motifs.sprites import Studio
from orvix.tiles.motifs.starters import TITLES
from orvix.tiles.recipe import no_pictures
from orvix.tiles.repeats import Repeat
from orvix.tiles.sources.registry import no_svg

DRAWN: dict[str, Any] = {
    "width": 960, "height": 720, "ppi": 300.0, "repeat": "half-drop", "stagger": "1/2", "ground": "#f2efe6",
}  # fmt: skip
Point = tuple[float, float]
DEEP, MOSS, LEAF, FLOAT = "#1b3f4b", "#5f7a3f", "#7f9a4c", "#c2553b"
FRONDS = ((170, 700, 520, 60, MOSS), (520, 900, 560, -70, LEAF), (800, 560, 470, 50, MOSS), (380, 420, 330, 40, LEAF))
"""Foot x, foot y, height, lean and colour of each frond; some reach over the border."""


def drawn_strokes() -> Iterator[tuple[dict[str, Any], NDArray[np.float64]]]:
    """Each stroke: what it is begun with, but for its brush, and its samples, px of the tile."""
    seed = 0
    for foot_x, foot_y, height, lean, colour in FRONDS:
        stem = partial(_stem, foot_x, foot_y, height, lean)
        seed += 1
        yield {"colour": DEEP, "values": {"size": 11}}, _samples(stem, lambda u: 1 - 0.6 * u, seed, 900)
        for n in range(8):
            at, side = 0.14 + 0.1 * n, 1 if n % 2 else -1
            seed += 1
            leaf = _leaf(stem(at), side, 92 - 6 * n)
            yield {"colour": colour, "values": {"size": 44}}, _samples(leaf, _swell, seed, 420)
    for x, y in ((70, 150), (640, 130), (905, 690), (300, 640), (690, 690)):
        turn = np.linspace(0, 2 * pi, 24)
        ring = np.zeros((24, 7))
        ring[:, 0] = np.arange(24) * 12
        ring[:, 1], ring[:, 2], ring[:, 3] = x + 9 * np.cos(turn), y + 9 * np.sin(turn), 0.9
        yield {"colour": FLOAT, "values": {"size": 40}, "layer": 2}, ring.astype(np.float32).astype(np.float64)


def _stem(x: float, y: float, height: float, lean: float, u: float) -> Point:
    return x + lean * u * u + 16 * sin(2 * pi * u), y - height * u


def _leaf(start: Point, side: int, length: float) -> Any:
    return lambda u: (start[0] + side * length * u, start[1] - length * (0.55 * u - 0.3 * u * u))


def _swell(u: float) -> float:
    return 0.1 + 0.9 * sin(pi * u) ** 0.8


def _samples(path: Any, press: Any, seed: int, lasts_ms: float) -> NDArray[np.float64]:
    return record(Hand(path, press, lasts_ms), seed).astype(np.float32).astype(np.float64)


def layout_recipe() -> dict[str, Any]:
    """The demo's layout: a few motifs placed by hand, the holes filled, under a half-drop."""
    motifs = tuple(Motif(key, "starter", key, title, {}, DEEP) for key, title in TITLES.items())
    studio, cloth = Studio(no_pictures, no_svg), Cloth(1024, 1024, Repeat("half-drop"))
    bench = Bench(Layout(motifs), cloth, studio)
    for n, name in enumerate(("herring", "lantern", "flag", "rope-ring", "herring", "shell")):
        turn = 2 * pi * n / 6
        place = {"x": 512 + 330 * cos(turn), "y": 512 + 330 * sin(turn), "turn": 60 * n, "scale": 1.25}
        bench = edit(bench, {"what": "place", "motif": name, **place})
    told = {"motifs": ["herring", "barnacle", "shell", "float", "kelp", "rope-ring"], "seed": 4, "most": 120}
    bench = edit(bench, {"what": "fill", **told, "smallest": 0.4, "largest": 1.0, "least_px": 14})
    source = {"name": "motifs", "values": {"layout": bench.layout.as_dict()}}
    return {"size": [1024, 1024], "repeat": "half-drop", "source": source}
