"""Ribbons: a tile that runs along the stroke as a band.

The curve is walked in steps of a tenth of the band's width. Each step is a piece of band; every px keeps the
nearest place of the path: the way gone, the share across, and how strongly the paint lies there. Where the stroke
comes back over itself a px keeps one such place for each pass, so that later ones lie over earlier ones. What colour
that is, is worked out only when a block is shown: so a band that is stretched, or squeezed to whole repeats, can
change as it grows.

A bend that is tighter than the most twist becomes a corner where corners are mitred or cut: the path goes on straight
to where its two sides meet. Rounded, the nearest place of the path is all there is to it.
"""

from __future__ import annotations

from collections.abc import Callable, Iterator
from concurrent.futures import Executor
from dataclasses import replace
from typing import Any

import cv2
import numpy as np
from numba import njit
from numpy.typing import NDArray

from orvix.brushes.definition import Coat
from orvix.brushes.tips import TIPS, Tip
from orvix.colour.moving import move_matrices, moved_by
from orvix.errors import BadValue
from orvix.geometry import BLOCK, Box, Key, block_box, clip, join, keys_in
from orvix.registry import check_values
from orvix.strokes import rhythm
from orvix.strokes.area import Area
from orvix.strokes.coats import CoatPainter, Paint
from orvix.strokes.dabs import Marks
from orvix.strokes.grains import CoatGrain
from orvix.strokes.loaded import LoadedCoat
from orvix.strokes.rules import stroke_rules
from orvix.tiles.joining import Copy

Plane = NDArray[np.float32]
Mark = NDArray[np.float64]
STEPS = 10
"""How many steps a band takes over its own width."""
_AHEAD, _WINDOW = 2 * STEPS, STEPS // 2
_MOST_SHEETS = 6
CORNER, TURN = rhythm.S_FLIPS, rhythm.S_GAP
"""Where a step says that it is a corner, and how far the path turns there, radians."""
_EMPTY: Plane = np.zeros((1, 1), np.float32)
_FAR = np.float32(1e9)
_ONE = np.float32(1)


def _walking(coat: Coat) -> Coat:
    """The same coat walked step by step along its band: no scatter, no turns, one mark a step."""
    still = dict.fromkeys(("scatter_along", "scatter_across", "count_jitter", "held", "turn"), 0.0)
    plain = {"spaced_by": "px", "spacing_px": max(coat.values["size"] / STEPS, 1.0), "count": 1.0, "roundness": 1.0}
    words = {"bends": "path", "follows": "nothing", "way_back": "as it comes", "flip_across": "no", "flip_down": "no"}
    leads = tuple(lead for lead in coat.leads if lead.value in ("size", "flow", "opacity", "strength"))
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
        tile = self._tinted(loaded.ribbon.tile, loaded.coat, paint)
        self._long = loaded.coat.values["size"] * tile.shape[1] / tile.shape[0] * ribbon.values["length"]
        self._tile = _at_size(tile, loaded.coat.values["size"] * float(area.times))
        self._sheets: dict[Key, Plane] = {}
        self._held = np.empty((0, rhythm.STAMP_WIDTH))
        self._last_step: Mark | None = None
        self._first_step: Mark | None = None
        self._heading = 0.0
        self._done = False
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
        """See `CoatPainter`. Where a place depends on the whole stroke, every block of it has changed."""
        self._done = last
        changed = super().feed(points, last=last, top_pressure=top_pressure)
        if last and len(self._held):
            _join(changed, self.paint(self._held[:0]))
        whole = self._values["laid"] == "stretched" or self._values["whole"]
        if changed and (whole or (last and self._stamps)):
            canvas = (0, 0, self._area.width, self._area.height)
            return {key: clip(block_box(key), canvas) for key in self.planes}
        return changed

    def paint(self, marks: Marks) -> dict[Key, Box]:
        """See `CoatPainter`: the band between the steps of which it is known what follows them."""
        held = np.concatenate([self._held, marks])
        steps, used = self._cornered(held, len(held) if self._done else max(len(held) - _AHEAD, 0))
        self._held = held[used:]
        changed: dict[Key, Box] = {}
        for step in steps:
            if self._last_step is None:
                self._first_step = step
                self._stamp("start", step, float(step[rhythm.S_HEADING]))
            else:
                _join(changed, self._piece(self._last_step, step))
            self._last_step = step
        if self._done and self._last_step is not None:
            self._stamp("end", self._last_step, self._heading)
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

    def _piece(self, a: Mark, b: Mark) -> dict[Key, Box]:
        """Lay the band from one step to the next."""
        assert self._origin is not None
        k = float(self._area.times)
        ends = (np.array([a[:2], b[:2]]) + np.array(self._origin)) * k - 0.5
        way = ends[1] - ends[0]
        if np.hypot(*way) < 1e-9:
            return {}
        heading = float(np.arctan2(way[1], way[0]))
        came = (0.0, 0.0) if a is self._first_step else (np.cos(self._heading), np.sin(self._heading))
        before, after = (float(one[TURN]) if one[CORNER] else 0.0 for one in (a, b))
        if b[CORNER]:
            self._stamp("corner", b, heading + after / 2)
        self._heading = heading
        half = np.array([a[rhythm.S_SIZE], b[rhythm.S_SIZE]]) * k / 2
        strength = [one[rhythm.S_FLOW] * one[rhythm.S_CAP] for one in (a, b)]
        ways = [a[rhythm.S_DISTANCE], b[rhythm.S_DISTANCE]]
        numbers = np.array([*ends.ravel(), *half, *ways, *strength, before, after, *came, 1.0])
        reach = float(half.max()) * 1.5 + 2
        low, high = np.floor(ends.min(axis=0) - reach), np.ceil(ends.max(axis=0) + reach) + 1
        box = (int(low[0]), int(low[1]), int(high[0]), int(high[1]))
        return self._lay_piece(box, numbers, np.float32(1.5 * half.max() * 2 / k))

    def _lay_piece(self, box: Box, numbers: NDArray[np.float64], apart: np.float32) -> dict[Key, Box]:
        changed: dict[Key, Box] = {}
        cut = self._values["bends"] == "cut"
        for copy, part in self._copies(box):
            moved = _in_copy(numbers, copy, self._area)
            for key in keys_in(part):
                inner = clip(part, block_box(key))
                sheets = self._sheets.get(key)
                if sheets is None:
                    sheets = _sheets(1)
                left, top = key[1] * BLOCK, key[0] * BLOCK
                edges = (inner[1] - top, inner[3] - top, inner[0] - left, inner[2] - left)
                used = lay_band(sheets, top, left, *edges, moved, apart, cut)
                if not used:
                    continue
                if used == len(sheets) and used < _MOST_SHEETS:
                    sheets = np.concatenate([sheets, _sheets(1)])
                self._sheets[key] = sheets
                self.planes[key] = _EMPTY
                _join(changed, {key: inner})
        return changed

    def _copies(self, box: Box) -> Iterator[tuple[Copy, Box]]:
        """The copies of the canvas that a box touches, and the part of the canvas it covers in each."""
        area = self._area
        whole = (0, 0, area.width, area.height)
        if area.joined is None:
            yield Copy(0, 0, False, False), clip(box, whole)
            return
        for copy in area.joined.copies_near(box, area.width, area.height):
            left, top, right, bottom = box[0] - copy.x, box[1] - copy.y, box[2] - copy.x, box[3] - copy.y
            if copy.across:
                left, right = area.width - right, area.width - left
            if copy.down:
                top, bottom = area.height - bottom, area.height - top
            yield copy, clip((left, top, right, bottom), whole)

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
        sheets = self._sheets.get(key)
        if sheets is not None:
            shade_band(
                out, np.ascontiguousarray(sheets[:, :, rows, columns]), self._tile, self._period(), self._repeats()
            )
        if self.grain is not None and self.grain.field is not None:
            use = self.loaded.coat.grain
            assert use is not None
            tooth = self.grain.field.block(*key)[rows, columns]
            out *= (1 - np.float32(use.values["strength"]) * (1 - tooth))[..., None]
        above = self._stamps[1].part(key, rows, columns) if self._stamps else None
        return out if above is None else (above + out * (1 - above[..., 3:])).astype(np.float32)

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


def _sheets(count: int) -> Plane:
    """Sheets of a block, nothing on them: (count, 4, BLOCK, BLOCK): distance, way, share across, strength."""
    sheets = np.zeros((count, 4, BLOCK, BLOCK), np.float32)
    sheets[:, 0] = _FAR
    return sheets


def _in_copy(numbers: NDArray[np.float64], copy: Copy, area: Area) -> NDArray[np.float64]:
    """A piece as it lies in the part that a copy shows: moved, and mirrored where the copy is."""
    out = numbers.copy()
    out[[0, 2]] -= copy.x
    out[[1, 3]] -= copy.y
    if copy.across:
        out[[0, 2]] = area.width - 1 - out[[0, 2]]
        out[12] *= -1
    if copy.down:
        out[[1, 3]] = area.height - 1 - out[[1, 3]]
        out[13] *= -1
    if copy.across != copy.down:
        out[[10, 11, 14]] *= -1
    return out


@njit(nogil=True, cache=True, error_model="numpy")
def _corner_takes(px, py, turn, dx, dy, half, before, cut):  # type: ignore[no-untyped-def]
    """Whether a place beyond a corner, relative to it, is this side's: outside the turn, on this side of the mitre."""
    across = dx * py - dy * px
    if turn == 0.0 or across * turn >= 0.0:
        return False
    c, s = np.cos(turn), np.sin(turn)
    ox, oy = (c * dx + s * dy, c * dy - s * dx) if before else (c * dx - s * dy, s * dx + c * dy)
    side = px * (dx + ox) + py * (dy + oy)
    if (before and side < 0.0) or (not before and side > 0.0):
        return False
    if not cut:
        return True
    mx, my = -(dy + oy), dx + ox
    long = np.sqrt(mx * mx + my * my)
    if long < 1e-9:
        return False
    if (px * mx + py * my) * turn > 0.0:
        return False
    return abs(px * mx + py * my) / long <= half * np.cos(0.5 * turn)


@njit(nogil=True, cache=True, error_model="numpy")
def lay_band(sheets, top, left, y0, y1, x0, x1, piece, apart, cut):  # type: ignore[no-untyped-def]
    """Lay one piece of band into the sheets of a block whose upper left px is (top, left); unchecked kernel.

    piece: both ends, their half widths, ways and strengths, the turns at them if they are corners, the direction of
    the piece before it (0, 0 for none), and -1 where it is mirrored. apart: ways further apart than this are passes
    of their own. Returns how many sheets are in use where it laid anything, else 0.
    """
    ax, ay, bx, by, ha, hb = piece[0], piece[1], piece[2], piece[3], piece[4], piece[5]
    sa, sb, pa, pb, ta, tb = piece[6], piece[7], piece[8], piece[9], piece[10], piece[11]
    came_x, came_y, mirror = piece[12], piece[13], piece[14]
    first = came_x == 0.0 and came_y == 0.0
    length = np.sqrt((bx - ax) * (bx - ax) + (by - ay) * (by - ay))
    dx, dy = (bx - ax) / length, (by - ay) / length
    used = 0
    for y in range(y0, y1):
        for x in range(x0, x1):
            px, py = x + left - ax, y + top - ay
            along, across = px * dx + py * dy, dx * py - dy * px
            share = min(max(along / length, 0.0), 1.0)
            half = ha + (hb - ha) * share
            far = abs(across)
            if along < 0.0:
                if _corner_takes(px, py, ta, dx, dy, half, True, cut):
                    pass
                elif first or ta != 0.0 or px * came_x + py * came_y < 0.0:
                    continue
                else:
                    far = np.sqrt(px * px + py * py)
            elif along > length and not _corner_takes(px - length * dx, py - length * dy, tb, dx, dy, half, False, cut):
                continue
            if far >= half + 0.5:
                continue
            way = np.float32(sa + (sb - sa) * along / length)
            if along < 0.0 and ta == 0.0:
                way = np.float32(sa)
            k = 0
            while k < sheets.shape[0] - 1 and sheets[k, 0, y, x] < _FAR and abs(sheets[k, 1, y, x] - way) > apart:
                k += 1
            if far < sheets[k, 0, y, x] or abs(sheets[k, 1, y, x] - way) > apart:
                sheets[k, 0, y, x] = far
                sheets[k, 1, y, x] = way
                sheets[k, 2, y, x] = (far if across >= 0.0 else -far) * mirror / half
                sheets[k, 3, y, x] = (pa + (pb - pa) * share) * min(half + 0.5 - far, 1.0)
                used = max(used, k + 1)
    return used


@njit(nogil=True, cache=True, error_model="numpy")
def shade_band(out, sheets, tile, period, repeats):  # type: ignore[no-untyped-def]
    """out (rows, columns, 4) = the tile along the band, pass over pass; unchecked kernel.

    tile: premultiplied (rows, columns, 4), read bilinearly; it follows itself where it repeats.
    """
    rows, columns = tile.shape[0], tile.shape[1]
    for k in range(sheets.shape[0]):
        for y in range(out.shape[0]):
            for x in range(out.shape[1]):
                if sheets[k, 0, y, x] >= _FAR:
                    continue
                u = np.float64(sheets[k, 1, y, x]) / period
                if repeats:
                    u -= np.floor(u)
                u = u * columns - 0.5
                v = (np.float64(sheets[k, 2, y, x]) + 1.0) * 0.5 * rows - 0.5
                v = min(max(v, 0.0), rows - 1.0)
                c0, r0 = int(np.floor(u)), int(np.floor(v))
                fu, fv = np.float32(u - c0), np.float32(v - r0)
                c1, r1 = c0 + 1, min(r0 + 1, rows - 1)
                if repeats:
                    c0, c1 = c0 % columns, c1 % columns
                else:
                    c0, c1 = min(max(c0, 0), columns - 1), min(max(c1, 0), columns - 1)
                cover = sheets[k, 3, y, x]
                keep = _ONE
                for c in range(3, -1, -1):
                    upper = tile[r0, c0, c] + (tile[r0, c1, c] - tile[r0, c0, c]) * fu
                    lower = tile[r1, c0, c] + (tile[r1, c1, c] - tile[r1, c0, c]) * fu
                    value = (upper + (lower - upper) * fv) * cover
                    if c == 3:
                        keep = _ONE - value
                    out[y, x, c] = value + out[y, x, c] * keep
