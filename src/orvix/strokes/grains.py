"""The grain of one coat on one canvas: held to the canvas or the stroke as planes of blocks, or moving with the
marks."""

from __future__ import annotations

from fractions import Fraction
from typing import Any

import numpy as np
from numpy.typing import NDArray

from orvix import chance as properties
from orvix.brushes.definition import Coat
from orvix.brushes.grain_use import BITES
from orvix.brushes.leads import Leads
from orvix.chance import chance
from orvix.geometry import Key
from orvix.grains.field import GrainField, Part, Placing, Plane
from orvix.grains.fit import FitQuestion, closing, snapped_scales
from orvix.strokes import laying, rhythm
from orvix.strokes.area import Area
from orvix.strokes.dabs import Marks
from orvix.strokes.loaded import LoadedGrain
from orvix.tiles.repeats import Repeat


def grain_question(coat: Coat, grain: LoadedGrain, area: Area) -> FitQuestion:
    """The question whether a coat's grain closes on a canvas (whose size is that after `times`)."""
    assert coat.grain is not None
    rows, columns = grain.plane.shape
    return FitQuestion(
        tile=(columns, rows),
        canvas=(area.width, area.height),
        scale=coat.grain.scale,
        repeat=grain.repeat,
        canvas_repeat=area.joined.repeat if area.joined else Repeat("straight"),
        ratio=area.times,
        turn_deg=coat.grain.values["turn"],
    )


class CoatGrain:
    """A coat's grain for one stroke. moves: whether each mark reads it at a place, a scale or an offset of its own."""

    def __init__(
        self,
        coat: Coat,
        grain: LoadedGrain,
        area: Area,
        origin: tuple[int, int],
        number: int,
        seed: int,
        base: Any = None,
    ) -> None:
        """origin: where the stroke starts; number, seed: of the coat and the stroke. base: a field kept from before."""
        assert coat.grain is not None
        self._use, values = coat.grain, coat.grain.values
        self._grain, self._area, self._origin = grain, area, origin
        self._key = (seed, number)
        self._size = coat.values["size"]
        self.moves = moves(coat)
        rows, columns = grain.plane.shape
        self._bite = BITES.index(values["bite"])
        self._exact = values["resampled"] == "exact"
        self._stagger = grain.repeat.stagger_px(columns, rows)
        if self.moves:
            self._scale = float(coat.grain.scale * area.times)
            plane = grain.filtered(self._scale, self._scale)
            plane = plane.T if grain.repeat.kind == "brick" else plane
            self._moving = laying.Tooth(np.ascontiguousarray(plane), self._bite, True, self._exact, self._stagger)
            self.field: GrainField | None = None
        else:
            self.field = base or (None if idle(coat) else self._field(coat))
        own = coat.values["colour_from"] == "tile" and grain.colours is not None
        self.colours = self._field(coat, colours=True) if own else None

    def _field(self, coat: Coat, *, colours: bool = False) -> GrainField:
        values, question = self._use.values, grain_question(coat, self._grain, self._area)
        scales = snapped_scales(question) or (self._use.scale, self._use.scale)
        origin = (0, 0) if values["hold"] == "canvas" else self._origin
        rows, columns = self._grain.plane.shape
        share = self._chance(properties.OF_STROKE, 0) if values["offset_chance"] == "per stroke" else (0.0, 0.0)
        offset = (round((values["offset_x"] + share[0]) * columns), round((values["offset_y"] + share[1]) * rows))
        placing = Placing(*scales, self._area.times, origin, values["turn"], offset, self._exact, closing(question))
        full = [float(scale * self._area.times) for scale in scales]
        return GrainField(self._grain.filtered(*full, colours=colours), self._grain.repeat, placing)

    def tooth(self, key: Key, part: Part | None = None) -> laying.Tooth:
        """The grain under a block, or only a part of it, as the kernel reads it."""
        if self.moves:
            return self._moving
        if self.field is None:
            return laying.NO_TOOTH
        return laying.Tooth(self.field.block(*key, part), self._bite, False, False, 0)

    def tooth_under(self, plane: Plane) -> laying.Tooth:
        """A window of the grain, as the kernel reads it."""
        return self.tooth((0, 0)) if self.field is None else laying.Tooth(plane, self._bite, False, False, 0)

    def _chance(self, number: int, mark: int) -> tuple[float, float]:
        seed, coat = self._key
        key = (np.uint64(seed), np.uint64(coat), np.uint64(number), np.uint64(mark))
        return chance(*key, np.uint64(properties.GRAIN_X)), chance(*key, np.uint64(properties.GRAIN_Y))

    def put_places(self, dabs: NDArray[np.float32], marks: Marks, places: NDArray[np.int64]) -> None:
        """Where in the grain each dab's middle lies, and what a px of the canvas is there."""
        values, plane = self._use.values, self._grain.plane
        rows, columns = plane.shape
        grown = 1 + values["grows"] * (marks[:, rhythm.S_SIZE] / self._size - 1)
        scale = self._scale * marks[:, rhythm.S_GRAIN_SCALE] * np.maximum(grown, 0.02)
        turn = np.full(len(marks), np.radians(values["turn"]))
        if values["hold"] == "stamp":
            turn = turn + marks[:, rhythm.S_TURN]
        c, s = np.cos(turn) / scale, np.sin(turn) / scale
        x, y = np.full(len(marks), columns / 2), np.full(len(marks), rows / 2)
        if values["hold"] != "stamp":
            start = Fraction(0) if values["hold"] == "canvas" else self._area.times
            at = places + 0.5 + dabs[:, laying.OX : laying.OY + 1]
            at = at - [float(self._origin[0] * start), float(self._origin[1] * start)]
            x, y = c * at[:, 0] + s * at[:, 1], c * at[:, 1] - s * at[:, 0]
        chances = np.zeros((len(marks), 2))
        if values["offset_chance"] == "per stamp":
            numbers = marks[:, [rhythm.S_NUMBER, rhythm.S_MARK]].astype(np.int64)
            chances = np.array([self._chance(int(number), int(mark)) for number, mark in numbers]).reshape(-1, 2)
        elif values["offset_chance"] == "per stroke":
            chances = chances + self._chance(properties.OF_STROKE, 0)
        x = x - 0.5 - (values["offset_x"] + chances[:, 0]) * columns
        y = y - 0.5 - (values["offset_y"] + chances[:, 1]) * rows
        self._put(dabs, x, y, c, -s)

    def _put(self, dabs: NDArray[np.float32], x: Any, y: Any, step: Any, turned: Any) -> None:
        """Places reduced to one repeat; a brick grain is read with its axes changed over."""
        rows, columns = self._grain.plane.shape
        swapped = self._grain.repeat.kind == "brick"
        if swapped:
            over = np.floor(y / rows)
            x, y = y - over * rows, (x - over * self._stagger) % columns
        else:
            over = np.floor(x / columns)
            x, y = x - over * columns, (y - over * self._stagger) % rows
        dabs[:, laying.TU], dabs[:, laying.TV] = x, y
        dabs[:, laying.TS], dabs[:, laying.TT] = step, turned
        dabs[:, laying.TSWAP] = swapped


def idle(coat: Coat) -> bool:
    """Whether the grain bites nothing at all: then only its tile's colours may be wanted."""
    assert coat.grain is not None
    led = any(lead.value == "grain_strength" for lead in coat.leads)
    return not led and coat.grain.values["strength"] == 0 and coat.grain.values["least"] == 0


def moves(coat: Coat) -> bool:
    """Whether each mark reads the grain at a place, a scale or an offset of its own."""
    if coat.grain is None:
        return False
    values = coat.grain.values
    own = values["hold"] == "stamp" or values["grows"] > 0 or values["offset_chance"] == "per stamp"
    return own or _leads_scale(coat.leads)


def _leads_scale(leads: Leads) -> bool:
    return any(lead.value == "grain_scale" for lead in leads)
