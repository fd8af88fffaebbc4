"""One coat of a stroke being painted: points of the curve in, changed boxes out, its cover kept in a sparse buffer.

The canvas room feeds it batch by batch while the pen moves; a replay feeds it once. Both give the same bits. It knows
nothing of layers: `canvases.strokes` mixes the coats and puts them on a layer.
"""

from __future__ import annotations

from collections.abc import Callable
from concurrent.futures import Executor
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from orvix.brushes.leads import Leads
from orvix.brushes.values import BUILDS, MOST_STAMPS
from orvix.colour.moving import move_matrices
from orvix.errors import BadValue
from orvix.geometry import BLOCK, Box, Key, part_of
from orvix.strokes import curve, laying, rhythm
from orvix.strokes.area import Area, Wrapping, box_of, by_block
from orvix.strokes.dabs import Dabs, Marks
from orvix.strokes.grains import CoatGrain
from orvix.strokes.loaded import LoadedCoat
from orvix.strokes.samples import T, X, Y

Plane = NDArray[np.float32]
Wholes = NDArray[np.int64]
USUAL_MARKS = 4096
"""Room for so many marks is made at first: it costs nothing where it is not written to."""
_PARTS = 4096
"""Places are whole parts of a px, which float32 adds to whole px without rounding."""
_HELD_START_MS = 150.0
COLOUR_LEADS = ("hue", "saturation", "brightness", "second")


@dataclass(frozen=True)
class Paint:
    """The colours in hand, each (3,), straight, 0 to 1."""

    first: Plane
    second: Plane


def varies(leads: Leads) -> bool:
    """Whether leads move the colour of a coat along its stroke."""
    return any(lead.value in COLOUR_LEADS for lead in leads)


class CoatPainter:
    """Paints one coat of one stroke. planes: the buffer, (BLOCK, BLOCK), or (BLOCK, BLOCK, 4) where colours differ.

    colour: that of a one-channel buffer, (3,).
    """

    def __init__(
        self,
        loaded: LoadedCoat,
        rules: rhythm.Rules,
        area: Area,
        paint: Paint,
        grain_at: Callable[[tuple[int, int]], CoatGrain | None],
        threads: Executor | None = None,
    ) -> None:
        self.planes: dict[Key, Plane] = {}
        self.loaded = loaded
        self.marks_laid = 0
        self.rules = rules
        self._kept: list[Marks] | None = None
        self._lays = True
        self._tip: Dabs = loaded.dabs(paint.first)
        self._area = area
        self._paint_colours = paint
        self._grain_at = grain_at
        self._threads = threads
        self._wrapping = Wrapping(area)
        self._state = rhythm.new_state()
        self._waiting: list[curve.Points] = []
        self._begun = False
        self._origin: tuple[int, int] | None = None
        self.grain: CoatGrain | None = None
        coat = loaded.coat
        self.coloured = len(self._tip.pictures.pairs) > 1 or varies(coat.leads)
        self._level = BUILDS.index(coat.values["builds"]) == 1
        self.colour = self._one_colour()

    def begin(self, origin: tuple[int, int]) -> None:
        """The stroke starts at whole px of the unscaled canvas; points come relative to it."""
        self._origin = origin
        self.rules.numbers[[rhythm.ROW_X, rhythm.ROW_Y]] -= origin
        self.grain = self._grain_at(origin)

    def keep_marks(self, *, only: bool = False) -> None:
        """Keep all marks from now on, for looking at them afterwards. only: find them, and paint none."""
        self._kept, self._lays = [], not only

    @property
    def kept_marks(self) -> Marks:
        """The marks kept, (n, STAMP_WIDTH), in px relative to `origin_px`."""
        return np.concatenate([np.empty((0, rhythm.STAMP_WIDTH)), *(self._kept or [])])

    @property
    def origin_px(self) -> NDArray[np.float64]:
        """Where the stroke starts, in whole px of the unscaled canvas: (2,)."""
        return np.array(self._origin or (0, 0), np.float64)

    def feed(self, points: curve.Points, *, last: bool = False, top_pressure: float = 1.0) -> dict[Key, Box]:
        """Carry on by points of the curve; returns the changed box of each changed block, in canvas px.

        top_pressure: the greatest so far, with which a tap lands.
        """
        self._state[rhythm.TOP_PRESSURE] = top_pressure
        marks = self._lay(self._ready(points, last), last)
        if self._kept is not None:
            self._kept.append(marks)
        return self.paint(marks) if len(marks) and self._lays else {}

    def _ready(self, points: curve.Points, last: bool) -> curve.Points:
        """The points that can be walked along: once the first heading is known, and away from a thin end."""
        self._waiting.append(points)
        held = np.concatenate(self._waiting)
        if not len(held):
            return held
        nums = self.rules.numbers
        if not self._begun:
            first = held[0]
            far = np.flatnonzero((held[:, curve.DISTANCE] > 0) & (held[:, curve.DISTANCE] >= nums[rhythm.LEAD_IN]))
            still = nums[rhythm.HELD_MS] > 0 and held[-1, T] - first[T] >= _HELD_START_MS
            if not len(far) and not still and not last:
                self._waiting = [held]
                return held[:0]
            at = held[far[0]] if len(far) else held[-1]
            x, y = at[X] - first[X], at[Y] - first[Y]
            self._state[rhythm.FIRST_HEADING] = np.arctan2(y, x) if len(far) or last else 0.0
            self._begun = True
        ready = len(held)
        if last:
            self._state[rhythm.END_AT] = held[-1, curve.DISTANCE]
        elif nums[rhythm.THIN_END] > 0:
            ready = int(np.searchsorted(held[:, curve.DISTANCE], held[-1, curve.DISTANCE] - nums[rhythm.THIN_END]))
        self._waiting = [held[ready:]]
        return held[:ready]

    def _lay(self, points: curve.Points, last: bool) -> Marks:
        """Lay the marks of a batch; where there are more than room was made for, once more with room for all."""
        if not self._begun:
            return np.empty((0, rhythm.STAMP_WIDTH))
        room = USUAL_MARKS
        while True:
            state, marks = self._state.copy(), np.empty((room, rhythm.STAMP_WIDTH))
            count = rhythm.lay_stamps(state, self.rules, points, last, marks)
            if self.marks_laid + count > MOST_STAMPS:
                raise BadValue(
                    "spacing", self.loaded.coat.values["spacing"], f"a stroke has at most {MOST_STAMPS} marks"
                )
            if count <= room:
                self._state = state
                self.marks_laid += count
                return marks[:count]
            room = count

    def paint(self, marks: Marks) -> dict[Key, Box]:
        """Lay marks into the buffer."""
        places, dabs, reach = self._wrapping.wrapped(*self.dabs(marks))
        if not len(places):
            return {}
        order_of = by_block(places, reach, self._area)
        boxes = {key: box_of(key, order, places, reach, self._area) for key, order in order_of.items()}
        jobs = [(key, order, self._plane(key)) for key, order in order_of.items()]

        def lay(job: tuple[Key, Wholes, Plane]) -> None:
            key, order, plane = job
            tooth = self.tooth(key, part_of(key, boxes[key]))
            self.lay(plane, key[0] * BLOCK, key[1] * BLOCK, tooth, places, dabs, reach, order)

        if self._threads is None or len(jobs) == 1:
            for job in jobs:
                lay(job)
        else:
            list(self._threads.map(lay, jobs))
        return boxes

    def lay(
        self,
        plane: Plane,
        top: int,
        left: int,
        tooth: laying.Tooth,
        places: Wholes,
        dabs: Plane,
        reach: Wholes,
        order: Wholes,
    ) -> None:
        """Lay dabs, in `order`, into a plane whose upper left px is (top, left)."""
        laying.lay_dabs(
            plane, top, left, self._tip.kind, self._tip.pictures, tooth, self._level, places, dabs, reach, order
        )

    def tooth(self, key: Key, part: tuple[slice, slice] | None = None) -> laying.Tooth:
        """The grain under a block, or only a part of it."""
        return laying.NO_TOOTH if self.grain is None else self.grain.tooth(key, part)

    def dabs(self, marks: Marks) -> tuple[Wholes, Plane, Wholes]:
        """Marks to dabs in canvas px: whole places (n, 2), (n, DAB_WIDTH), and how far each reaches in whole px."""
        assert self._origin is not None
        times = self._area.times
        scale = float(times)
        places = np.empty((len(marks), 2), np.int64)
        dabs = np.zeros((len(marks), laying.DAB_WIDTH), np.float32)
        for axis in (0, 1):
            whole, rest = divmod(self._origin[axis] * times.numerator, times.denominator)
            at = marks[:, axis] * scale + (rest / times.denominator - 0.5)
            at = np.round(at * _PARTS) / _PARTS
            floor = np.floor(at)
            places[:, axis] = floor.astype(np.int64) + whole
            dabs[:, laying.OX + axis] = (at - floor).astype(np.float32)
        reach = self._tip.shape(dabs, marks, scale)
        dabs[:, laying.CAP] = marks[:, rhythm.S_CAP]
        dabs[:, laying.GRAIN] = marks[:, rhythm.S_GRAIN]
        if self.coloured:
            self._put_colours(dabs, marks)
        if self.grain is not None and self.grain.moves:
            self.grain.put_places(dabs, marks, places)
        return places, dabs, reach

    def _one_colour(self) -> Plane:
        """The paint colour as the coat shifts it, where no lead changes it."""
        values = self.loaded.coat.values
        base = np.array([[values["hue"], values["saturation"], values["brightness"], values["second"]]])
        return self._solid(base)[0]

    def _solid(self, moves: NDArray[np.float64]) -> Plane:
        """Paint colours (n, 3) after moves (n, 4): hue, saturation, brightness, share of the second colour."""
        first, second = self._paint_colours.first, self._paint_colours.second
        share = moves[:, 3:].astype(np.float32)
        mixed = first + (second - first) * share
        if not moves[:, :3].any():
            return mixed
        matrices = move_matrices(moves[:, 0], moves[:, 1], moves[:, 2])
        out = np.einsum("nij,nj->ni", matrices[:, :, :3], mixed) + matrices[:, :, 3]
        return np.clip(out, 0, 1).astype(np.float32)

    def _put_colours(self, dabs: Plane, marks: Marks) -> None:
        moves = marks[:, [rhythm.S_HUE, rhythm.S_SATURATION, rhythm.S_BRIGHTNESS, rhythm.S_SECOND]]
        if len(self._tip.pictures.pairs) > 1:
            matrices = move_matrices(moves[:, 0], moves[:, 1], moves[:, 2])
            dabs[:, laying.C00 : laying.C23 + 1] = matrices.reshape(-1, 12)
        else:
            dabs[:, [laying.C03, laying.C13, laying.C23]] = self._solid(moves)

    def part(self, key: Key, rows: slice, columns: slice) -> Plane | None:
        """What the buffer holds in a part of a block, a copy: (rows, columns), or with four channels; None for
        nothing."""
        plane = self.planes.get(key)
        return None if plane is None else plane[rows, columns].copy()

    def alpha(self, key: Key) -> Plane | None:
        """How opaque the buffer is at a block, (BLOCK, BLOCK), not to be changed; None for nothing."""
        plane = self.planes.get(key)
        return plane if plane is None or plane.ndim == 2 else plane[..., 3]

    def _plane(self, key: Key) -> Plane:
        plane = self.planes.get(key)
        if plane is None:
            shape = (BLOCK, BLOCK, 4) if self.coloured else (BLOCK, BLOCK)
            plane = self.planes[key] = np.zeros(shape, np.float32)
        return plane
