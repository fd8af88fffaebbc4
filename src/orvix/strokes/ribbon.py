"""Ribbons: a tile that runs along the stroke as a band.

The curve is walked in steps of a tenth of the band's width. Each step is a piece of band; every px keeps the
nearest place of the path: the way gone, the share across, and how strongly the paint lies there. Where the stroke
comes back over itself a px keeps one such place for each pass, so that later ones lie over earlier ones. What colour
that is, is worked out only when a block is shown: so a band that is stretched, or squeezed to whole repeats, can
change as it grows. Where leads move its colours along the way, so is what they are at each px of it.

A bend that is tighter than the most twist becomes a corner where corners are mitred or cut: the path goes on straight
to where its two sides meet. Rounded, the nearest place of the path is all there is to it.
"""

from __future__ import annotations

from collections.abc import Callable
from concurrent.futures import Executor
from dataclasses import replace
from typing import Any

import cv2
import numpy as np
from numpy.typing import NDArray

from orvix.brushes.definition import Coat
from orvix.brushes.tips import TIPS, Tip
from orvix.colour.moving import move_matrices, moved_by
from orvix.errors import BadValue
from orvix.geometry import BLOCK, Box, Key, block_box, clip, join
from orvix.registry import check_values
from orvix.strokes import rhythm
from orvix.strokes.area import Area
from orvix.strokes.band import Band, Pieces, shade_band
from orvix.strokes.coats import COLOUR_LEADS, CoatPainter, Paint, varies
from orvix.strokes.dabs import Marks
from orvix.strokes.grains import CoatGrain
from orvix.strokes.loaded import LoadedCoat
from orvix.strokes.rules import stroke_rules

Plane = NDArray[np.float32]
Mark = NDArray[np.float64]
STEPS = 10
"""How many steps a band takes over its own width."""
_AHEAD, _WINDOW = 2 * STEPS, STEPS // 2
CORNER, TURN = rhythm.S_FLIPS, rhythm.S_SPACING
"""Where a step says that it is a corner, and how far the path turns there, radians."""
_STILL: tuple[Plane, Plane] = (np.zeros((0, 3, 4), np.float32), np.zeros((0, 3), np.float32))
LED = ("size", "flow", "opacity", "strength", *COLOUR_LEADS)
"""The values of a coat that leads move along a ribbon."""
_MOVES = (rhythm.S_HUE, rhythm.S_SATURATION, rhythm.S_BRIGHTNESS, rhythm.S_SECOND)
_EMPTY: Plane = np.zeros((1, 1), np.float32)


def _walking(coat: Coat) -> Coat:
    """The same coat walked step by step along its band: no scatter, no turns, one mark a step."""
    still = dict.fromkeys(("scatter_along", "scatter_across", "count_jitter", "held", "turn"), 0.0)
    plain = {"spaced_by": "px", "spacing_px": max(coat.values["size"] / STEPS, 1.0), "count": 1.0, "roundness": 1.0}
    words = {"bends": "path", "follows": "nothing", "way_back": "as it comes", "flip_across": "no", "flip_down": "no"}
    leads = tuple(lead for lead in coat.leads if lead.value in LED)
    return replace(coat, tip=Tip(), values={**coat.values, **still, **plain, **words}, leads=leads)


class RibbonPainter(CoatPainter):
    """Paints one ribbon. Its planes hold nothing themselves: `part` works out what is shown."""

    def __init__(
        self,
        loaded: LoadedCoat,
        area: Area,
        paint: Paint,
        seed: int,
        grain_at: Callable[[tuple[int, int]], CoatGrain | None],
        threads: Executor | None = None,
    ) -> None:
        """Raises BadValue for a ribbon whose tile is not at hand."""
        ribbon = loaded.coat.ribbon
        if ribbon is None or loaded.ribbon is None:
            raise BadValue("ribbon", None, "the tile of this ribbon is not at hand")
        walked = replace(loaded, coat=_walking(loaded.coat), kept={})
        super().__init__(walked, stroke_rules(walked.coat, seed, 0), area, paint, grain_at, threads)
        self.coloured = True
        self._values = ribbon.values
        self._varied = varies(loaded.coat.leads)
        self._by_tile = loaded.coat.values["colour_from"] == "tip"
        self._ways: list[Marks] = []
        tile = self._tinted(loaded.ribbon.tile, loaded.coat, paint)
        if self._varied:
            # Its colours are moved where they are shown; what it is filled with as well.
            picture = loaded.ribbon.tile
            tile = moved_by(picture, paint.first, loaded.coat.values["moved_by"]) if self._by_tile else picture
        self._long = loaded.coat.values["size"] * tile.shape[1] / tile.shape[0] * ribbon.values["length"]
        self._tile = _at_size(tile, loaded.coat.values["size"] * float(area.times))
        self._band = Band(area, cut=self._values["bends"] == "cut")
        self._held = np.empty((0, rhythm.STAMP_WIDTH))
        self._last_step: Mark | None = None
        self._first_step: Mark | None = None
        self._heading = 0.0
        self._band_begun = self._done = False
        self._shown = 0.0
        self._alphas: dict[Key, Plane | None] = {}
        self._stamps = self._stamped(loaded, area, paint, seed)

    def _tinted(self, picture: Plane, coat: Coat, paint: Paint) -> Plane:
        """A tile in the colours it is painted in: its own, moved, or the paint colour where it is opaque."""
        values, alpha = coat.values, picture[..., 3:]
        if values["colour_from"] == "tip":
            moved = moved_by(picture, paint.first, values["moved_by"])
            move = (np.full(1, values[name], np.float64) for name in ("hue", "saturation", "brightness"))
            colour = np.clip(moved @ move_matrices(*move)[0].T, 0, alpha)
        else:
            colour = alpha * self.colour
        if self._values["alpha"] == "filled":
            colour, alpha = colour + self.colour * (1 - alpha), np.ones_like(alpha)
        return np.concatenate([colour, alpha], axis=2).astype(np.float32)

    def _stamped(self, loaded: LoadedCoat, area: Area, paint: Paint, seed: int) -> tuple[list[str], CoatPainter] | None:
        """What lays the pictures of the start, the end and the corners, where there are any."""
        assert loaded.ribbon is not None
        names = list(loaded.ribbon.places)
        if not names:
            return None
        kind = TIPS.get("set")
        tip = Tip(kind.name, check_values(kind.values, {}, "tip"), tuple(names))
        coat = replace(loaded.coat, tip=tip, ribbon=None, grain=None, leads=())
        pictures = tuple(self._tinted(loaded.ribbon.places[name], loaded.coat, paint) for name in names)
        coat = replace(coat, values={**coat.values, "colour_from": "tip", "moved_by": "nothing", "hue": 0.0})
        ready = LoadedCoat(coat, pictures=pictures)
        rules = stroke_rules(coat, seed, 0, ready.dabs(paint.first))
        return names, CoatPainter(ready, rules, area, paint, lambda origin: None)

    def begin(self, origin: tuple[int, int]) -> None:
        """See `CoatPainter`."""
        super().begin(origin)
        if self._stamps:
            self._stamps[1].begin(origin)

    def feed(self, points: Any, *, last: bool = False, top_pressure: float = 1.0) -> dict[Key, Box]:
        """See `CoatPainter`. Where the way of one tile is another now, every block has changed."""
        self._done = last
        changed = super().feed(points, last=last, top_pressure=top_pressure)
        if last and len(self._held):
            _join(changed, self.paint(self._held[:0]))
        shown, self._shown = self._shown, self._period()
        if changed and (shown != self._shown or (last and self._stamps)):
            canvas = (0, 0, self._area.width, self._area.height)
            changed = {key: clip(block_box(key), canvas) for key in self.planes}
        for key in changed:
            self._alphas.pop(key, None)
        return changed

    def alpha(self, key: Key) -> Plane | None:
        """See `CoatPainter`; worked out once for as long as the block does not change."""
        if key not in self._alphas:
            whole = self.part(key, slice(0, BLOCK), slice(0, BLOCK))
            self._alphas[key] = None if whole is None else np.ascontiguousarray(whole[..., 3])
        return self._alphas[key]

    def paint(self, marks: Marks) -> dict[Key, Box]:
        """See `CoatPainter`: the band between the steps of which it is known what follows them."""
        held = np.concatenate([self._held, marks])
        steps, used = self._cornered(held, len(held) if self._done else max(len(held) - _AHEAD, 0))
        self._held = held[used:]
        if not steps:
            pieces = None
        elif self._last_step is None:
            self._first_step = steps[0]
            self._stamp("start", steps[0], float(steps[0][rhythm.S_HEADING]))
            pieces = self._pieces(np.array(steps))
        else:
            pieces = self._pieces(np.array([self._last_step, *steps]))
        if steps:
            self._last_step = steps[-1]
            if self._varied:
                self._ways.append(np.array(steps)[:, [rhythm.S_DISTANCE, *_MOVES]])
        if self._done and self._last_step is not None:
            self._stamp("end", self._last_step, self._heading)
        changed = {} if pieces is None else self._band.lay(pieces)
        self.planes.update(dict.fromkeys(changed, _EMPTY))
        return changed

    def _cornered(self, held: Marks, known: int) -> tuple[list[Mark], int]:
        """The first `known` steps with tight bends made corners; and how many were used."""
        found: list[Mark] = []
        sharp, n = np.radians(self._values["most_twist"]), 0
        while n < known:
            last = min(n + _WINDOW, len(held) - 1)
            turn = _between(held[n, rhythm.S_HEADING], held[last, rhythm.S_HEADING])
            found.append(held[n].copy())
            found[-1][CORNER] = 0
            n += 1
            if self._values["bends"] == "rounded" or abs(turn) <= sharp:
                continue
            end = last
            while end + 1 < min(len(held), n + _AHEAD) and _goes_on(held, end, turn):
                end += 1
            found += [_corner(found[-1], held[end])]
            n = end
        return found, max(n, known)

    def _pieces(self, steps: Marks) -> Pieces | None:
        """The band from each step to the next."""
        assert self._origin is not None
        k = float(self._area.times)
        at = (steps[:, :2] + np.array(self._origin)) * k - 0.5
        way = np.diff(at, axis=0)
        there = np.hypot(*way.T) >= 1e-9
        if not there.any():
            return None
        a, b, way = steps[:-1][there], steps[1:][there], way[there]
        headings = np.arctan2(way[:, 1], way[:, 0])
        came = np.append(self._heading, headings[:-1])
        came = np.stack([np.cos(came), np.sin(came)], axis=1)
        if not self._band_begun:
            self._band_begun, came[0] = True, 0.0
        self._heading = float(headings[-1])
        turns = [np.where(one[:, CORNER] > 0, one[:, TURN], 0.0) for one in (a, b)]
        for n in np.flatnonzero(b[:, CORNER]):
            self._stamp("corner", b[n], float(headings[n] + turns[1][n] / 2))
        half = np.stack([a[:, rhythm.S_SIZE], b[:, rhythm.S_SIZE]], axis=1) * k / 2
        ways = [one[:, rhythm.S_DISTANCE] for one in (a, b)]
        strengths = [one[:, rhythm.S_FLOW] * one[:, rhythm.S_CAP] for one in (a, b)]
        ends = [at[:-1][there], at[1:][there]]
        plain = np.ones(len(a))
        return Pieces(np.column_stack([*ends, half, *ways, *strengths, *turns, came, plain]), half.max(axis=1) * 3 / k)

    def _stamp(self, name: str, step: Mark, heading: float) -> None:
        """Lay the picture of a place, its height as wide as the band there."""
        if not self._stamps or name not in self._stamps[0]:
            return
        names, painter = self._stamps
        mark = step[None].copy()
        picture = painter.loaded.pictures[names.index(name)]
        mark[0, rhythm.S_SIZE] *= max(picture.shape[:2]) / picture.shape[0]
        along = {"start": 0.5, "end": -0.5, "corner": 0.0}[name] * step[rhythm.S_SIZE]
        along *= picture.shape[1] / picture.shape[0]
        mark[0, :2] += along * np.cos(heading), along * np.sin(heading)
        mark[0, [rhythm.S_TURN, rhythm.S_PICTURE, rhythm.S_ROUNDNESS]] = heading, names.index(name), 1.0
        mark[0, [rhythm.S_FLIPS, rhythm.S_HUE]] = 0.0
        for key in painter.paint(mark):
            self.planes[key] = _EMPTY

    def part(self, key: Key, rows: slice, columns: slice) -> Plane | None:
        """See `CoatPainter`: the band's colours, premultiplied, with the pictures of its places over it."""
        if key not in self.planes:
            return None
        out = np.zeros((rows.stop - rows.start, columns.stop - columns.start, 4), np.float32)
        sheets = self._band.sheets.get(key)
        if sheets is not None:
            filled = self._varied and self._values["alpha"] == "filled"
            there = np.ascontiguousarray(sheets[:, :, rows, columns])
            shade_band(out, there, self._tile, self._period(), self._repeats(), *self._along(), filled)
        if self.grain is not None and self.grain.field is not None:
            use = self.loaded.coat.grain
            assert use is not None
            tooth = self.grain.field.block(*key, (rows, columns))[rows, columns]
            out *= (1 - np.float32(use.values["strength"]) * (1 - tooth))[..., None]
        above = self._stamps[1].part(key, rows, columns) if self._stamps else None
        return out if above is None else (above + out * (1 - above[..., 3:])).astype(np.float32)

    def _along(self) -> tuple[Plane, Plane]:
        """How leads move the colours at each px of the way: (ways, 3, 4), of premultiplied r, g, b and alpha; and the
        paint colour there, (ways, 3). Of no way where none does."""
        if not self._ways:
            return _STILL
        steps = np.concatenate(self._ways)
        ways = np.arange(int(steps[-1, 0]) + 2)
        moves = np.stack([np.interp(ways, steps[:, 0], steps[:, 1 + k]) for k in range(len(_MOVES))], axis=1)
        solid = self._solid(moves)
        if self._by_tile:
            return move_matrices(moves[:, 0], moves[:, 1], moves[:, 2]), solid
        plain = np.zeros((len(ways), 3, 4), np.float32)
        plain[:, :, 3] = solid
        return plain, solid

    def _repeats(self) -> bool:
        return bool(self._values["laid"] == "repeated")

    def _period(self) -> float:
        """The way that one tile takes, px of the unscaled canvas."""
        if self._last_step is None or self._first_step is None:
            return float(self._long)
        total = max(float(self._last_step[rhythm.S_DISTANCE]), 1e-6)
        if not self._repeats():
            return total
        gap = np.hypot(*(self._last_step[:2] - self._first_step[:2]))
        if self._values["whole"] and gap <= self._last_step[rhythm.S_SIZE]:
            return total / max(round(total / self._long), 1)
        return float(self._long)


def _join(boxes: dict[Key, Box], more: dict[Key, Box]) -> None:
    """Take more changed boxes in."""
    for key, box in more.items():
        both = join(boxes.get(key), box)
        assert both is not None
        boxes[key] = both


def _between(a: float, b: float) -> float:
    """The turn from one heading to another, the short way."""
    return float((b - a + np.pi) % (2 * np.pi) - np.pi)


def _goes_on(held: Marks, n: int, turn: float) -> bool:
    """Whether the path still turns the same way after step n."""
    more = _between(held[n, rhythm.S_HEADING], held[n + 1, rhythm.S_HEADING])
    return more * turn > 0 and abs(more) > 0.02


def _corner(a: Mark, b: Mark) -> Mark:
    """The step where the way on from a meets the way back from b; midway between them where they hardly meet."""
    at, heading, other = a[:2], a[rhythm.S_HEADING], b[rhythm.S_HEADING]
    step, back = np.array([np.cos(heading), np.sin(heading)]), np.array([np.cos(other), np.sin(other)])
    cross = step[0] * back[1] - step[1] * back[0]
    found = (a + b) / 2
    found[CORNER], found[TURN] = 1.0, _between(heading, other)
    if abs(cross) > 0.05:
        gap = b[:2] - at
        far = (gap[0] * back[1] - gap[1] * back[0]) / cross
        if 0 <= far <= 3 * a[rhythm.S_SIZE]:
            found[:2] = at + far * step
    return found


def _at_size(tile: Plane, width_px: float) -> Plane:
    """A tile taken down to a band's width where that is smaller, so that it does not alias."""
    rows, columns = tile.shape[:2]
    if width_px >= rows:
        return np.ascontiguousarray(tile)
    size = (max(round(columns * width_px / rows), 1), max(round(width_px), 1))
    return np.ascontiguousarray(cv2.resize(tile, size, interpolation=cv2.INTER_AREA)).reshape(size[1], size[0], 4)
