"""A stroke as an operation on a canvas: what the hand did, the brush that did it, and putting it on the layer.

A `StrokeRun` is a stroke under way; `paint_stroke` runs a whole one. Undoing is putting back the blocks a finished
run hands out, which it shares with everything else that holds them.
"""

from __future__ import annotations

from collections.abc import Callable
from concurrent.futures import Executor
from dataclasses import dataclass
from fractions import Fraction
from math import ceil
from typing import Any

import cv2
import numpy as np

from orvix.brushes.definition import Brush
from orvix.canvases.blocks import EMPTY, Block
from orvix.canvases.canvas import Canvas
from orvix.canvases.compositing import colour_to_unit, put_mix, put_stroke
from orvix.canvases.layers import FIRST_LAYER, Change
from orvix.errors import BadValue
from orvix.geometry import BLOCK, Box, Key, block_box, clip
from orvix.grains.field import GrainField, Placing, Plane
from orvix.grains.fit import FitQuestion, snapped_scales
from orvix.registry import check_colour
from orvix.strokes.dabs import Dabs, PictureDabs, RoundDabs
from orvix.strokes.painter import Area, StrokePainter
from orvix.strokes.rules import stroke_rules
from orvix.strokes.samples import Samples, check_samples
from orvix.strokes.smearing import SmearPainter
from orvix.strokes.steadying import Steadying
from orvix.strokes.windows import gather
from orvix.tiles.repeats import Repeat

MODES = ("paint", "erase", "smear", "soften")
MOST_SEED = 2**32 - 1
_SOFT_SHARE, _SOFT_LEAST_PX, _SOFT_MOST_PX = 0.08, 0.8, 24.0
"""How far softening blurs: a share of the mark's size, within px."""
_CARRY = 1.5
"""How many lengths of the mark a full smear carries a colour on, in the mean; it falls with the square of opacity."""


@dataclass(frozen=True)
class LoadedGrain:
    """A grain's plane, float32 (rows, columns), and the repeat and resolution it has."""

    plane: Plane
    repeat: Repeat
    ppi: float | None = None


@dataclass(frozen=True)
class LoadedBrush:
    """A brush with its grain and the picture of its tip at hand, so that it can paint.

    picture: what lays the marks of a picture tip; None for a round one.
    """

    brush: Brush
    grain: LoadedGrain | None = None
    picture: PictureDabs | None = None

    @property
    def dabs(self) -> Dabs:
        """What lays this brush's dabs; raises BadValue for a picture tip without its picture."""
        tip = self.brush.tip
        if tip.name == "round":
            return RoundDabs(tip.values["hardness"])
        if self.picture is None:
            raise BadValue("tip", tip.source, "the picture of this tip is not at hand")
        return self.picture


@dataclass(frozen=True)
class Stroke:
    """One stroke: its brush, samples (n, 7), colour `#rrggbb`, one of MODES, seed 0 to 2^32 - 1, the layer it is on.

    steady, trail_px: as `Steadying` takes them.
    """

    brush: LoadedBrush
    samples: Samples
    colour: str = "#000000"
    mode: str = "paint"
    seed: int = 0
    layer: int = FIRST_LAYER
    steady: float = 0.0
    trail_px: float = 0.0


class GrainLayer:
    """The grains lying on one canvas. Fields held by the canvas are kept from stroke to stroke."""

    def __init__(self, canvas: Canvas, times: Fraction = Fraction(1)) -> None:
        self._canvas = canvas
        self._times = times
        self._kept: dict[Any, GrainField] = {}

    def field(self, loaded: LoadedBrush, origin: tuple[int, int]) -> GrainField | None:
        """The grain of a brush for a stroke that starts at `origin`, or None when it has none."""
        use, grain = loaded.brush.grain, loaded.grain
        if use is None or grain is None or use.strength == 0:
            return None
        key = (id(grain.plane), use.scale, use.strength)
        if use.hold == "canvas" and key in self._kept:
            return self._kept[key]
        scale_x, scale_y = snapped_scales(grain_question(loaded, self._canvas, self._times)) or (use.scale, use.scale)
        placing = Placing(scale_x, scale_y, use.strength, self._times, origin if use.hold == "stroke" else (0, 0))
        field = GrainField(grain.plane, grain.repeat, placing)
        if use.hold == "canvas":
            self._kept = {key: field, **dict(list(self._kept.items())[:3])}
        return field


def grain_question(loaded: LoadedBrush, canvas: Canvas, times: Fraction = Fraction(1)) -> FitQuestion:
    """The question whether a brush's grain closes on a canvas (whose size is that after `times`)."""
    if loaded.brush.grain is None or loaded.grain is None:
        raise BadValue("grain", None, "this brush has no grain")
    rows, columns = loaded.grain.plane.shape
    spec = canvas.spec
    return FitQuestion(
        tile=(columns, rows),
        canvas=(spec.width, spec.height),
        scale=loaded.brush.grain.scale,
        repeat=loaded.grain.repeat,
        canvas_repeat=spec.joined.repeat if spec.joined else Repeat("straight"),
        ratio=times,
    )


class StrokeRun:
    """A stroke under way on a canvas. Its pixels stand in `canvas.shown` until it is finished or dropped."""

    def __init__(
        self,
        canvas: Canvas,
        stroke: Stroke,
        grains: GrainLayer | None = None,
        times: Fraction = Fraction(1),
        threads: Executor | None = None,
    ) -> None:
        """stroke.samples are not painted yet: they come through `feed`. Raises BadValue for a bad mode or seed."""
        if stroke.mode not in MODES:
            raise BadValue("mode", stroke.mode, "must be one of " + ", ".join(MODES))
        if isinstance(stroke.seed, bool) or not isinstance(stroke.seed, int) or not 0 <= stroke.seed <= MOST_SEED:
            raise BadValue("seed", stroke.seed, f"must be a whole number from 0 to {MOST_SEED}")
        check_colour("colour", stroke.colour)
        canvas.layer_of(stroke.layer)
        self.canvas = canvas
        brush = stroke.brush.brush
        self._layer = stroke.layer
        self._mode = stroke.mode
        self._colour = colour_to_unit(stroke.colour)
        self._opacity = np.float32(brush.values["opacity"])
        self._steadying = Steadying(stroke.steady, stroke.trail_px)
        self._blur_px = min(max(brush.values["size"] * _SOFT_SHARE, _SOFT_LEAST_PX), _SOFT_MOST_PX) * float(times)
        self._soft: dict[Key, Any] = {}
        self._touched: set[Key] = set()
        layer = grains or GrainLayer(canvas, times)
        self._area = Area(canvas.spec.width, canvas.spec.height, canvas.spec.joined, times)
        grain_at: Callable[[tuple[int, int]], GrainField | None] = lambda at: layer.field(stroke.brush, at)
        rules, dabs = stroke_rules(brush, stroke.seed), stroke.brush.dabs
        if stroke.mode == "smear":
            carry = _CARRY * float(self._opacity) ** 2
            keep = carry / (carry + brush.values["spacing"])
            self.painter: StrokePainter = SmearPainter(rules, dabs, self._area, grain_at, self._working, keep)
        else:
            self.painter = StrokePainter(rules, dabs, self._area, grain_at, threads)

    def feed(self, samples: Samples, *, last: bool = False) -> list[Box]:
        """Carry on by checked samples; shows the change and returns the changed boxes, in px of the canvas."""
        boxes = self.painter.feed(self._steadying.apply(samples, last=last), last=last)
        self._touched.update(boxes)
        if self._mode != "smear":
            for key, box in boxes.items():
                self._show(key, box)
        return list(boxes.values())

    def finish(self) -> Change:
        """Put the stroke on the layer; returns what stood there before, for undoing."""
        before = Change()
        for key in sorted(self._touched):
            at = (self._layer, key)
            shown = self.canvas.shown.pop(at, None)
            held = shown is not None and bool(shown.any())
            if held or (shown is not None and self._under(key) is not None):
                before.blocks[at] = self.canvas.put(at, shown if held else None)
        return before

    def drop(self) -> list[Key]:
        """Take the stroke away again, as if it had not begun; returns the blocks it had touched."""
        for key in self._touched:
            self.canvas.shown.pop((self._layer, key), None)
        return list(self._touched)

    def _under(self, key: Key) -> Block | None:
        return self.canvas.layer_blocks(self._layer).get(key)

    def _working(self, key: Key) -> Block:
        """The block that shows the stroke, begun as a copy of the layer's."""
        at = (self._layer, key)
        shown = self.canvas.shown.get(at)
        if shown is None:
            under = self._under(key)
            shown = np.zeros((BLOCK, BLOCK, 4), np.uint16) if under is None else under.copy()
            self.canvas.shown[at] = shown
            self._touched.add(key)
        return shown

    def _show(self, key: Key, box: Box) -> None:
        under = self._under(key)
        shown, base = self._working(key), EMPTY if under is None else under
        x, y = key[1] * BLOCK, key[0] * BLOCK
        edges = (box[1] - y, box[3] - y, box[0] - x, box[2] - x)
        plane = self.painter.planes[key]
        if self._mode == "soften":
            put_mix(shown, base, self._softened(key), plane, *edges, self._opacity)
        else:
            put_stroke(shown, base, plane, *edges, self._colour, self._opacity, self._mode == "erase")

    def _softened(self, key: Key) -> Any:
        """A block of the layer as it was before the stroke, blurred across its edges: float32 (BLOCK, BLOCK, 4)."""
        if key not in self._soft:
            margin = ceil(3 * self._blur_px) + 1
            left, top, right, bottom = block_box(key)
            box = (left - margin, top - margin, right + margin, bottom + margin)
            if self._area.joined is None:
                box = clip(box, self.canvas.spec.box)
            window = np.zeros((box[3] - box[1], box[2] - box[0], 4), np.uint16)
            gather(self._area, box, window, self._under)
            soft = cv2.GaussianBlur(window.astype(np.float32), (0, 0), self._blur_px, borderType=cv2.BORDER_REPLICATE)
            out = np.zeros((BLOCK, BLOCK, 4), np.float32)
            inner = clip(block_box(key), box)
            out[: inner[3] - top, : inner[2] - left] = soft[
                inner[1] - box[1] : inner[3] - box[1], inner[0] - box[0] : inner[2] - box[0]
            ]
            self._soft[key] = out
        return self._soft[key]


def paint_stroke(
    canvas: Canvas,
    stroke: Stroke,
    grains: GrainLayer | None = None,
    times: Fraction = Fraction(1),
    threads: Executor | None = None,
) -> tuple[Change, int]:
    """Paint a whole stroke; returns the blocks before it and how many stamps it laid."""
    run = StrokeRun(canvas, stroke, grains, times, threads)
    run.feed(check_samples(stroke.samples), last=True)
    return run.finish(), run.painter.stamp_count


def put_back(canvas: Canvas, change: Change) -> Change:
    """Undo (or redo) a change: put its blocks in place; returns those that stood there, which undo the undoing."""
    before = Change({at: canvas.put(at, block) for at, block in change.blocks.items()})
    if change.stack is not None:
        before.stack = canvas.restack(change.stack)
    return before
