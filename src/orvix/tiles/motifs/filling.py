"""Fill the holes: chosen motifs put where the cloth is emptiest, one after the other, evenly far from what is there.

Farthest-point sampling on the cloth (Y. Eldar, M. Lindenbaum, M. Porat, Y. Zeevi, "The farthest point strategy for
progressive image sampling", IEEE Transactions on Image Processing 6, 1997), over the distance to the motifs' own
outlines. Every result is an item like any other.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace
from math import ceil, floor

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

Points = NDArray[np.float64]
SIDE = 320
VALUES = (
    Value("least_px", "Minimum gap", "number", 12.0, "How far new motifs stay from others.", unit="px", low=0,
        high=4096),
    Value("smallest", "Minimum scale", "number", 0.5, "Smallest scale of a new motif.", low=0.02, high=64),
    Value("largest", "Maximum scale", "number", 1.0, "Largest scale of a new motif.", low=0.02, high=64),
    Value("turn", "Rotation", "number", 0.0, "Rotation of all new motifs.", unit="°", low=-360, high=360),
    Value("turn_jitter", "Rotation jitter", "number", 180.0, "Random rotation, up to this much either way.", unit="°",
        low=0, high=180),
    Value("most", "Maximum count", "whole", 200, "The most motifs one fill adds.", low=1, high=1000),
    Value("seed", "Seed", "whole", 1, "Change it for another random arrangement.", low=0, high=2**32 - 1),
)  # fmt: skip
_TURN, _SIZE, _WHICH = 1, 2, 3
_TURNS, _MOST_MISSED = 8, 60


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
    """New items of the named motifs in the emptiest places; none where nothing fits. Raises BadValue.

    In every place motifs are tried in the turns that are allowed, each at a size by chance or as large as its outline
    has room for; a place where none fits is passed over.
    """
    if not motifs:
        raise BadValue("motifs", [], "No motif is marked for filling. Mark one or more with +.")
    field = _Field(layout, cloth, studio)
    outlines = {name: _outline(layout, studio, name) for name in motifs}
    found: list[Item] = []
    missed = 0
    while len(found) < min(asked.most, MOST_ITEMS - len(layout.items)) and missed < _MOST_MISSED:
        x, y, free = field.emptiest()
        if free <= asked.least_px:
            break
        item = _fitting(field, outlines, asked, (x, y), len(found) + missed)
        if item is None:
            missed += 1
            field.pass_over(x, y, free)
        else:
            found.append(item)
            field.take(item)
    return found


def _fitting(
    field: _Field, outlines: dict[str, Points], asked: Filling, at: tuple[float, float], number: int
) -> Item | None:
    """An item for a place: the first motif, from one by chance on, that fits there in some turn."""
    names = list(outlines)
    first = int(_pull(asked.seed, number, _WHICH) * len(names))
    for n in range(len(names)):
        name = names[(first + n) % len(names)]
        most = asked.largest - (asked.largest - asked.smallest) * _pull(asked.seed, number, _SIZE) ** 2
        best: tuple[float, float] | None = None
        for k in range(_TURNS if asked.turn_jitter else 1):
            way = _pull(asked.seed, number, _TURN) + k / _TURNS
            turn = asked.turn + (2 * (way % 1) - 1) * asked.turn_jitter
            scale = field.room(outlines[name], turn, at, asked.least_px, asked.smallest, most)
            if scale is not None and (best is None or scale > best[1]):
                best = turn, scale
            if best is not None and best[1] >= most:
                break
        if best is not None:
            return Item(name, round(at[0], 2), round(at[1], 2), round(best[0] % 360, 2), round(best[1], 4))
    return None


def _outline(layout: Layout, studio: Studio, name: str) -> Points:
    """Points along a motif's outlines, px of its own from its middle."""
    shapes = studio.outlines(layout, layout.motif(name))
    if not shapes:
        raise BadValue("motifs", name, "is too transparent to place. Choose a more opaque motif.")
    parts = []
    for shape in shapes:
        ways = np.roll(shape, -1, axis=0) - shape
        for start, way in zip(shape, ways, strict=True):
            count = max(int(np.hypot(*way) / 4), 1)
            parts.append(start + way * (np.arange(count) / count)[:, None])
    return np.concatenate(parts)


def emptiest(layout: Layout, cloth: Cloth, studio: Studio) -> tuple[float, float]:
    """The middle (x, y) of the emptiest place of a layout, px of the tile; of a bare one, the tile's middle."""
    if not layout.items:
        return cloth.width / 2, cloth.height / 2
    x, y, _ = _Field(layout, cloth, studio).emptiest()
    return x, y


def _pull(seed: int, number: int, prop: int) -> float:
    """A number in [0, 1) for one property of one new motif."""
    key = (np.uint64(one) for one in (seed, 0, number, 0, prop))
    return float(chance(*key))


class _Field:
    """The distance to what is there, px of the tile, on a grid of at most SIDE cells a side, as items are added."""

    def __init__(self, layout: Layout, cloth: Cloth, studio: Studio) -> None:
        self._layout, self._cloth, self._studio = layout, cloth, studio
        factor = max(max(cloth.width, cloth.height) / SIDE, 1.0)
        whole = render(layout, cloth, studio, Window(0, 0, cloth.height, cloth.width), ground=False)[..., 3]
        size = max(round(cloth.width / factor), 1), max(round(cloth.height / factor), 1)
        mask = cv2.resize(whole, size, interpolation=cv2.INTER_AREA) > 32767
        self._step = np.array([cloth.width / size[0], cloth.height / size[1]])
        self._most = np.float32(min(cloth.width, cloth.height) / 2)
        rows, columns = mask.shape
        self._far = np.full(mask.shape, self._most, np.float32)
        if mask.any():
            around = cloth_of(mask, cloth.repeat, -rows, -columns, 3 * rows, 3 * columns)
            far = self._distance(around)[rows : 2 * rows, columns : 2 * columns]
            self._far = np.minimum(far, self._most)
        self._open = self._far.copy()

    def _distance(self, mask: NDArray[np.bool_]) -> NDArray[np.float32]:
        far = cv2.distanceTransform((~mask).astype(np.uint8), cv2.DIST_L2, cv2.DIST_MASK_PRECISE)
        # Its last bits differ from run to run; squares of distances between cells are whole numbers.
        return np.asarray(np.sqrt(np.rint(far * far)) * np.float32(self._step.min()))

    def emptiest(self) -> tuple[float, float, float]:
        """The middle of the emptiest place, px of the tile, and how far it is to what is there."""
        at = int(np.argmax(self._open))
        row, column = divmod(at, self._open.shape[1])
        x, y = (np.array([column, row]) + 0.5) * self._step
        return float(x), float(y), float(self._open[row, column])

    def room(
        self, outline: Points, turn: float, at: tuple[float, float], least: float, low: float, high: float
    ) -> float | None:
        """The largest scale from low to high at which an outline, so turned, stays `least` px away; None for none."""
        way = np.deg2rad(turn)
        points = outline @ np.array([[np.cos(way), np.sin(way)], [-np.sin(way), np.cos(way)]])
        need = least + float(self._step.max()) * 0.7

        def fits(scale: float) -> bool:
            return bool(self._at(points * scale + at).min() >= need)

        if not fits(low):
            return None
        if fits(high):
            return high
        for _ in range(6):
            middle = (low + high) / 2
            low, high = (middle, high) if fits(middle) else (low, middle)
        return low

    def _at(self, points: Points) -> NDArray[np.float32]:
        """The distance at places of the cloth, px of the tile."""
        rows, columns = self._far.shape
        cells = np.floor(points / self._step).astype(np.int64)
        x, y = cells[:, 0], cells[:, 1]
        moved = self._cloth.repeat.stagger_px(columns, rows)
        if self._cloth.repeat.kind == "half-drop":
            y = y - (x // columns) * moved
        elif self._cloth.repeat.kind == "brick":
            x = x - (y // rows) * moved
        return self._far[y % rows, x % columns]

    def pass_over(self, x: float, y: float, free: float) -> None:
        """Choose this place no more, nor those close by."""
        self._near(x, y, max(free * 0.3, float(self._step.max())), self._open, 0.0)

    def _near(self, x: float, y: float, radius: float, plane: NDArray[np.float32], value: float) -> None:
        rows, columns = plane.shape
        reach = int(radius / self._step.min()) + 1
        row, column = int(y / self._step[1]), int(x / self._step[0])
        down, across = np.mgrid[-reach : reach + 1, -reach : reach + 1]
        inside = np.hypot(down * self._step[1], across * self._step[0]) <= radius
        plane[(row + down[inside]) % rows, (column + across[inside]) % columns] = value

    def take(self, item: Item) -> None:
        """Count an item as there: only what is nearer to it than to anything else changes."""
        rows, columns = self._far.shape
        small = replace(item, x=item.x / self._step[0], y=item.y / self._step[1], scale=item.scale / self._step.mean())
        alone = Layout(self._layout.motifs, (small,), ground=None)
        half = self._studio.half_size(alone, small)
        reach = int(float(self._far.max()) / self._step.min()) + 2
        left, top = (floor(middle - side) - reach for middle, side in ((small.x, half[0]), (small.y, half[1])))
        wide, high = (2 * (ceil(side) + reach) + 2 for side in half)
        cloth = Cloth(columns, rows, self._cloth.repeat)
        cover = render(alone, cloth, self._studio, Window(top, left, high, wide), ground=False)[..., 3] > 16384
        cover[int(small.y) - top, int(small.x) - left] = True
        far = self._distance(cover)
        for x, y in cloth.repeat.shifts_near((left, top, left + wide, top + high), columns, rows):
            x0, x1, y0, y1 = max(x, left), min(x + columns, left + wide), max(y, top), min(y + rows, top + high)
            part = far[y0 - top : y1 - top, x0 - left : x1 - left]
            for plane in (self._far, self._open):
                own = plane[y0 - y : y1 - y, x0 - x : x1 - x]
                np.minimum(own, part, out=own)
