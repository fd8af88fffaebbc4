"""Fill the holes: chosen motifs put where the cloth is emptiest, one after the other, evenly far from what is there.

Farthest-point sampling on the cloth (Y. Eldar, M. Lindenbaum, M. Porat, Y. Zeevi, "The farthest point strategy for
progressive image sampling", IEEE Transactions on Image Processing 6, 1997), over the distance to the motifs' own
outlines. Every result is an item like any other.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import cv2
import numpy as np
from numpy.typing import NDArray

from orvix.chance import chance
from orvix.errors import BadValue
from orvix.registry import Value, check_values
from orvix.tiles.motifs.layout import MOST_ITEMS, Item, Layout
from orvix.tiles.motifs.rendering import Cloth, render
from orvix.tiles.motifs.sprites import Studio
from orvix.tiles.repeats import cloth as cloth_of
from orvix.tiles.window import Window

SIDE = 320
VALUES = (
    Value("least_px", "Least distance", "number", 12.0, "How far new ones stay off.", unit="px", low=0, high=4096),
    Value("smallest", "Smallest", "number", 0.5, "The smallest scale of a new motif.", low=0.02, high=64),
    Value("largest", "Largest", "number", 1.0, "The largest scale of a new motif.", low=0.02, high=64),
    Value("turn", "Turn", "number", 0.0, "The turn that all new motifs have.", unit="°", low=-360, high=360),
    Value("turn_jitter", "Turn jitter", "number", 180.0, "How far turns differ either way.", unit="°", low=0, high=180),
    Value("most", "At most", "whole", 200, "How many motifs are added at most.", low=1, high=1000),
    Value("seed", "Seed", "whole", 1, "Another seed spreads them otherwise.", low=0, high=2**32 - 1),
)  # fmt: skip
_TURN, _SIZE, _WHICH = 1, 2, 3


@dataclass(frozen=True)
class Filling:
    """What is asked for, checked: see VALUES."""

    least_px: float
    smallest: float
    largest: float
    turn: float
    turn_jitter: float
    most: int
    seed: int

    @classmethod
    def parse(cls, told: object) -> Filling:
        """From JSON data; raises BadValue or UnknownName."""
        checked = check_values(VALUES, told, "fill")  # type: ignore[arg-type]
        if checked["smallest"] > checked["largest"]:
            raise BadValue("smallest", checked["smallest"], f"must be at most the largest, {checked['largest']:g}")
        return cls(**checked)


def fill(layout: Layout, cloth: Cloth, studio: Studio, motifs: Sequence[str], asked: Filling) -> list[Item]:
    """New items of the named motifs in the emptiest places; none where nothing fits. Raises BadValue."""
    if not motifs:
        raise BadValue("motifs", [], "choose at least one motif to fill with")
    factor = max(max(cloth.width, cloth.height) / SIDE, 1.0)
    field = _Field(layout, cloth, studio, factor)
    radii = {name: _radius(layout, studio, name) for name in motifs}
    found: list[Item] = []
    room = MOST_ITEMS - len(layout.items)
    for n in range(min(asked.most, room)):
        x, y, free = field.emptiest()
        name = motifs[int(_pull(asked.seed, n, _WHICH) * len(motifs)) % len(motifs)]
        scale = _scale(asked, radii[name], free, _pull(asked.seed, n, _SIZE))
        if scale is None:
            fitting = [one for one in motifs if _scale(asked, radii[one], free, 0.0) is not None]
            if not fitting:
                break
            name = fitting[n % len(fitting)]
            scale = _scale(asked, radii[name], free, 0.0)
            assert scale is not None
        turn = asked.turn + (2 * _pull(asked.seed, n, _TURN) - 1) * asked.turn_jitter
        item = Item(name, round(x, 2), round(y, 2), round(turn % 360, 2), round(scale, 4))
        found.append(item)
        field.take(item)
    return found


def emptiest(layout: Layout, cloth: Cloth, studio: Studio) -> tuple[float, float]:
    """The middle (x, y) of the emptiest place of a layout, px of the tile; of a bare one, the tile's middle."""
    if not layout.items:
        return cloth.width / 2, cloth.height / 2
    factor = max(max(cloth.width, cloth.height) / SIDE, 1.0)
    x, y, _ = _Field(layout, cloth, studio, factor).emptiest()
    return x, y


def _pull(seed: int, number: int, prop: int) -> float:
    """A number in [0, 1) for one property of one new motif."""
    key = (np.uint64(one) for one in (seed, 0, number, 0, prop))
    return float(chance(*key))


def _scale(asked: Filling, radius: float, free: float, pull: float) -> float | None:
    """A scale by chance, no larger than what fits; None where not even the smallest does."""
    fits = (free - asked.least_px) / radius
    if fits < asked.smallest:
        return None
    most = min(asked.largest, fits)
    return asked.smallest + (most - asked.smallest) * (1 - pull)


def _radius(layout: Layout, studio: Studio, name: str) -> float:
    """How far a motif reaches from its middle, px of its own."""
    shapes = studio.outlines(layout, layout.motif(name))
    if not shapes:
        raise BadValue("motifs", name, "has no outline to be placed by: nothing of it covers half")
    return max(float(np.hypot(*shape.T).max()) for shape in shapes)


class _Field:
    """The distance to what is there, kept up to date as items are added; px of the tile over `factor`."""

    def __init__(self, layout: Layout, cloth: Cloth, studio: Studio, factor: float) -> None:
        self._layout, self._cloth, self._studio, self._factor = layout, cloth, studio, factor
        whole = render(layout, cloth, studio, Window(0, 0, cloth.height, cloth.width), ground=False)[..., 3]
        size = max(round(cloth.width / factor), 1), max(round(cloth.height / factor), 1)
        mask = cv2.resize(whole, size, interpolation=cv2.INTER_AREA) > 32767
        self._step = np.array([cloth.width / size[0], cloth.height / size[1]])
        self._mask = mask
        self._far = self._distance(mask)

    def _distance(self, mask: NDArray[np.bool_]) -> NDArray[np.float32]:
        rows, columns = mask.shape
        if not mask.any():
            return np.full(mask.shape, float(min(self._cloth.width, self._cloth.height)) / 2, np.float32)
        # The stagger of the reduced tile is that of the whole, to a px of it.
        around = cloth_of(mask, self._cloth.repeat, -rows, -columns, 3 * rows, 3 * columns)
        far = cv2.distanceTransform((~around).astype(np.uint8), cv2.DIST_L2, cv2.DIST_MASK_PRECISE)
        own = far[rows : 2 * rows, columns : 2 * columns] * np.float32(self._step.min())
        return np.minimum(own, np.float32(min(self._cloth.width, self._cloth.height) / 2))

    def emptiest(self) -> tuple[float, float, float]:
        """The middle of the emptiest place, px of the tile, and how far it is to what is there."""
        at = int(np.argmax(self._far))
        row, column = divmod(at, self._far.shape[1])
        x, y = (np.array([column, row]) + 0.5) * self._step
        return float(x), float(y), float(self._far[row, column]) - float(self._step.max()) * 0.5

    def take(self, item: Item) -> None:
        """Count an item as there."""
        rows, columns = self._mask.shape
        small = Layout(
            self._layout.motifs,
            (
                Item(
                    item.motif,
                    item.x / self._step[0],
                    item.y / self._step[1],
                    item.turn,
                    item.scale / self._step.mean(),
                ),
            ),
            ground=None,
        )
        cloth = Cloth(columns, rows, self._cloth.repeat)
        cover = render(small, cloth, self._studio, Window(0, 0, rows, columns), ground=False)[..., 3] > 16384
        if not cover.any():
            row, column = int(item.y / self._step[1]) % rows, int(item.x / self._step[0]) % columns
            cover[row, column] = True
        self._mask |= cover
        self._far = np.minimum(self._far, self._distance(cover))
