"""How far motifs lie from each other, across copies, and how far one may be moved so that they stay apart.

Distances are between outlines at half cover, straight, in px of the tile; outlines that overlap are 0 apart.
"""

from __future__ import annotations

from collections.abc import Collection, Iterator
from dataclasses import dataclass, replace
from itertools import chain

import numpy as np
from numpy.typing import NDArray
from scipy.spatial import cKDTree

from orvix.tiles.motifs.layout import Layout
from orvix.tiles.motifs.rendering import Cloth, Place
from orvix.tiles.motifs.sprites import Studio
from orvix.tiles.repeats import indexed_shifts

Points = NDArray[np.float64]
Pair = tuple[float, float]
SPACING_PX = 2.0
MOST_LINKS = 12
_PUSHES = 14
_FEW = 48


@dataclass(frozen=True)
class Link:
    """Two near items: their numbers, which copy of the second (whole vectors), how far, from where to where."""

    one: int
    other: int
    copy: Place
    px: float
    start: tuple[float, float]
    end: tuple[float, float]

    def as_dict(self) -> dict[str, object]:
        """As JSON holds it."""
        told = {"one": self.one, "other": self.other, "copy": list(self.copy), "px": round(self.px, 2)}
        return told | {"from": [round(v, 2) for v in self.start], "to": [round(v, 2) for v in self.end]}


@dataclass(frozen=True)
class _Figure:
    """One item's outlines: corner by corner, and points along them with the side each lies on."""

    shapes: tuple[Points, ...]
    along: Points
    starts: Points
    ends: Points
    tree: cKDTree
    low: Points
    high: Points


class Distances:
    """Distances in one layout on one cloth. Items that have no outline are far from everything."""

    def __init__(self, layout: Layout, cloth: Cloth, studio: Studio) -> None:
        self._layout, self._cloth, self._studio = layout, cloth, studio
        self._figures: dict[int, _Figure | None] = {}
        self._boxes: dict[int, Points] = {}
        self._ready = False

    def links(self, items: Collection[int] | None = None, within: float | None = None) -> list[Link]:
        """The shortest links of items (all if None) to any others, across copies, the shortest first.

        within: links longer than this are left out; if None, each item's nearest is told.
        """
        wanted = range(len(self._layout.items)) if items is None else sorted(items)
        found: dict[tuple[int, int, int, int], Link] = {}
        for number in wanted:
            for link in self._nearest(number, within):
                low = min((link.one, link.other, *link.copy), (link.other, link.one, -link.copy[0], -link.copy[1]))
                found.setdefault(low, link)
        return sorted(found.values(), key=lambda link: link.px)

    def _box(self, number: int) -> Points:
        """The box of an item's outlines, low and high corner; one without outlines is infinitely far away."""
        if number not in self._boxes:
            shapes = self._studio.placed_outlines(self._layout, self._layout.items[number])
            corners = np.concatenate(shapes) if shapes else np.full((1, 2), np.inf)
            self._boxes[number] = np.array([corners.min(axis=0), corners.max(axis=0) * (1 if shapes else -1)])
        return self._boxes[number]

    def _figure(self, number: int) -> _Figure | None:
        if number not in self._figures:
            shapes = self._studio.placed_outlines(self._layout, self._layout.items[number])
            self._figures[number] = _figure(shapes) if shapes else None
        return self._figures[number]

    def _nearest(self, number: int, within: float | None) -> list[Link]:
        """Links of one item to others: its shortest, or all within a distance. Boxes are compared before outlines."""
        mine = self._figure(number)
        if mine is None:
            return []
        found: list[Link] = []
        best = np.inf if within is None else within
        for gap, other, k in self._candidates(number, mine):
            if gap > best:
                break
            theirs = self._figure(other)
            assert theirs is not None
            px, start, end = _between(mine, theirs, self._moves[k])
            if px <= best:
                found.append(Link(number, other, self._copies[k], px, start, end))
                best = px if within is None else best
        return found if within is not None else found[-1:]

    def _candidates(self, number: int, mine: _Figure) -> Iterator[tuple[float, int, int]]:
        """The gap between boxes, the item, and which move, for all copies of all others, the nearest boxes first."""
        self._lay_out()
        low = self._lows[None] + self._moves[:, None] - mine.high
        high = mine.low - self._highs[None] - self._moves[:, None]
        gaps = np.hypot(*np.maximum(np.maximum(low, high), 0).transpose(2, 0, 1))
        gaps[self._home, number] = np.inf
        flat = gaps.ravel()
        few = np.argpartition(flat, _FEW)[:_FEW] if len(flat) > 2 * _FEW else np.arange(len(flat))
        order = few[np.argsort(flat[few], kind="stable")]
        for at in chain(order.tolist(), _rest(flat, few)):
            k, other = divmod(int(at), gaps.shape[1])
            if not np.isfinite(gaps[k, other]):
                return
            yield float(gaps[k, other]), other, k

    def _lay_out(self) -> None:
        """The boxes of all items, and every move of the repeat that may bring two of them near."""
        if self._ready:
            return
        self._ready = True
        boxes = np.array([self._box(n) for n in range(len(self._layout.items))]).reshape(-1, 2, 2)
        self._lows, self._highs = boxes[:, 0], boxes[:, 1]
        size = np.array([self._cloth.width, self._cloth.height])
        span = [int(one) for one in np.ptp(np.array([[item.x, item.y] for item in self._layout.items]), axis=0) + size]
        box = (-span[0], -span[1], span[0] + 1, span[1] + 1)
        found = list(indexed_shifts(self._cloth.repeat, box, self._cloth.width, self._cloth.height))
        self._copies = [copy for copy, _ in found]
        self._moves = np.array([move for _, move in found], np.float64).reshape(-1, 2)
        self._home = int(np.flatnonzero((self._moves == 0).all(axis=1))[0])

    def allowed(
        self, moved: Collection[int], by: tuple[float, float], last: tuple[float, float]
    ) -> tuple[float, float]:
        """The move nearest to `by` at which the moved items stay `keep_px` from all others; they keep their own order.

        last: a move that is allowed, to come back to. Items are pushed out along their shortest links; where that comes
        to no end, the move is shortened towards `last`.
        """
        keep = self._layout.keep_px
        if keep <= 0:
            return by
        at = np.array(by, np.float64)
        for _ in range(_PUSHES):
            close = self._too_close(moved, at, keep)
            if not close:
                return float(at[0]), float(at[1])
            push = np.zeros(2)
            for link in close[:4]:
                way = np.array(link.start) - np.array(link.end)
                length = float(np.hypot(*way))
                if length < 1e-6:
                    way, length = self._apart(link), 1.0
                push += way / length * (keep - link.px + 0.01)
            at = at + push / min(len(close), 4) * 1.05
        return self._shortened(moved, np.array(by), np.array(last), keep)

    def _apart(self, link: Link) -> Points:
        """A way out for two that overlap: from the middle of the one to that of the other."""
        items = self._layout.items
        (ax, ay), (bx, by) = self._cloth.repeat.basis(self._cloth.width, self._cloth.height)
        i, j = link.copy
        way = np.array([items[link.one].x - items[link.other].x - i * ax - j * bx,
                        items[link.one].y - items[link.other].y - i * ay - j * by])  # fmt: skip
        length = float(np.hypot(*way))
        return way / length if length > 1e-6 else np.array([1.0, 0.0])

    def _shortened(self, moved: Collection[int], by: Points, last: Points, keep: float) -> tuple[float, float]:
        good, bad = 0.0, 1.0
        for _ in range(8):
            middle = (good + bad) / 2
            if self._too_close(moved, last + (by - last) * middle, keep):
                bad = middle
            else:
                good = middle
        at = last + (by - last) * good
        return float(at[0]), float(at[1])

    def _too_close(self, moved: Collection[int], by: Points, keep: float) -> list[Link]:
        """Links shorter than `keep` between the moved items, so moved, and the others, and their own copies."""
        layout = self._layout
        items = list(layout.items)
        for number in moved:
            items[number] = items[number].moved(float(by[0]), float(by[1]))
        there = Distances(replace(layout, items=tuple(items)), self._cloth, self._studio)
        there._figures = {number: one for number, one in self._figures.items() if number not in moved}
        there._boxes = {number: one for number, one in self._boxes.items() if number not in moved}
        links = there.links(moved, keep - 1e-6)
        self._figures |= {number: one for number, one in there._figures.items() if number not in moved}
        self._boxes |= {number: one for number, one in there._boxes.items() if number not in moved}
        chosen = set(moved)
        return [one for one in links if not (one.other in chosen and one.one in chosen and one.copy == (0, 0))]


def _rest(flat: Points, few: NDArray[np.int64]) -> Iterator[int]:
    """The places of all other numbers, the smallest first; sorted only where somebody asks."""
    order = np.argsort(flat, kind="stable")
    yield from order[~np.isin(order, few)].tolist()


def _figure(shapes: list[Points]) -> _Figure:
    along, starts, ends = [], [], []
    for shape in shapes:
        ways = np.roll(shape, -1, axis=0) - shape
        counts = np.maximum(np.ceil(np.hypot(*ways.T) / SPACING_PX).astype(int), 1)
        side = np.repeat(np.arange(len(shape)), counts)
        share = (np.arange(len(side)) - np.repeat(np.cumsum(counts) - counts, counts)) / counts[side]
        along.append(shape[side] + ways[side] * share[:, None])
        starts.append(shape[side])
        ends.append(shape[side] + ways[side])
    points = np.concatenate(along)
    corners = np.concatenate(shapes)
    return _Figure(
        tuple(shapes), points, np.concatenate(starts), np.concatenate(ends), cKDTree(points), corners.min(axis=0),
        corners.max(axis=0),
    )  # fmt: skip


def _between(mine: _Figure, theirs: _Figure, moved: Points) -> tuple[float, tuple[float, float], tuple[float, float]]:
    """The distance between two figures, the second moved, and its ends."""
    far, nearest = theirs.tree.query(mine.along - moved)
    at = int(np.argmin(far))
    other = int(nearest[at])
    a, b = mine.along[at], theirs.along[other] + moved
    overlap = far[at] < SPACING_PX or bool(
        (mine.low < theirs.high + moved).all() and (theirs.low + moved < mine.high).all()
    )
    if overlap and (_inside(mine.along - moved, theirs.shapes) or _inside(theirs.along + moved, mine.shapes)):
        return 0.0, (float(a[0]), float(a[1])), (float(a[0]), float(a[1]))
    best, start, end = float(far[at]), a, b
    to = _on_segment(a, theirs.starts[other] + moved, theirs.ends[other] + moved)
    back = _on_segment(b, mine.starts[at], mine.ends[at])
    for px, one, two in ((float(np.hypot(*(a - to))), a, to), (float(np.hypot(*(b - back))), back, b)):
        if px < best:
            best, start, end = px, one, two
    return best, (float(start[0]), float(start[1])), (float(end[0]), float(end[1]))


def _on_segment(at: Points, start: Points, end: Points) -> Points:
    way = end - start
    share = np.clip(((at - start) @ way) / max(float(way @ way), 1e-12), 0, 1)
    return np.asarray(start + way * share)


def _inside(points: Points, shapes: tuple[Points, ...]) -> bool:
    """Whether any point lies in the figure of several shapes, by the even-odd rule: what lies in a hole does not."""
    crossings = np.zeros(len(points), np.int64)
    for shape in shapes:
        low, high = shape.min(axis=0), shape.max(axis=0)
        which = np.flatnonzero(((points > low) & (points < high)).all(axis=1))
        if not len(which):
            continue
        near = points[which]
        x0, y0 = shape.T
        x1, y1 = np.roll(shape, -1, axis=0).T
        with np.errstate(divide="ignore", invalid="ignore"):
            crosses = ((y0 > near[:, 1:]) != (y1 > near[:, 1:])) & (
                near[:, :1] < x0 + (near[:, 1:] - y0) * (x1 - x0) / (y1 - y0)
            )
        crossings[which] += crosses.sum(axis=1)
    return bool((crossings % 2).any())


def least_distance(layout: Layout, cloth: Cloth, studio: Studio) -> list[Link]:
    """The shortest links of a layout, at most 12, the shortest first; none where nothing is near anything."""
    return Distances(layout, cloth, studio).links()[:MOST_LINKS]
