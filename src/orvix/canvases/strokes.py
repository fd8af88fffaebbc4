"""A stroke as an operation on a canvas: what the hand did, the brush that did it, and putting it on the layer.

A `StrokeRun` is a stroke under way; `paint_stroke` runs a whole one. Undoing is putting back the blocks a finished
run hands out, which it shares with everything else that holds them.
"""

from __future__ import annotations

from concurrent.futures import Executor
from dataclasses import dataclass
from fractions import Fraction
from math import ceil
from typing import Any

import cv2
import numpy as np

from orvix.brushes.values import USES
from orvix.canvases.blocks import EMPTY, Block
from orvix.canvases.canvas import Canvas
from orvix.canvases.compositing import colour_to_unit, confine, keep_alpha, put_mix, put_picture, put_stroke
from orvix.canvases.layers import FIRST_LAYER, Change
from orvix.canvases.mixing import CoatMix
from orvix.canvases.selection import anything_selected, cover_at
from orvix.colour.blending import mode_number
from orvix.errors import BadValue
from orvix.geometry import BLOCK, Box, Key, area, block_box, clip, join, keys_in, part_of
from orvix.grains.field import GrainField
from orvix.grains.fit import FitQuestion
from orvix.registry import check_colour
from orvix.strokes.area import Area
from orvix.strokes.coats import CoatPainter, Paint
from orvix.strokes.curve import Curve
from orvix.strokes.grains import CoatGrain, grain_question, moves
from orvix.strokes.loaded import LoadedBrush, LoadedCoat
from orvix.strokes.ribbon import RibbonPainter
from orvix.strokes.rules import RowBeside, stroke_rules
from orvix.strokes.samples import Samples, check_samples
from orvix.strokes.smearing import SmearPainter
from orvix.strokes.steadying import Steadying
from orvix.strokes.symmetry import Symmetry
from orvix.strokes.windows import gather

MODES = USES
MOST_SEED = 2**32 - 1
INK = "#1c1e21"
SECOND = "#d9793f"


@dataclass(frozen=True)
class Stroke:
    """One stroke: its brush, samples (n, 7), colours `#rrggbb`, one of MODES, seed 0 to 2^32 - 1, the layer it is on.

    times: everything in px is so many times larger than the samples and the brush say. steady, trail_px: as
    `Steadying` takes them. row: the row it is laid beside, for brushes whose rows start in step. letters_gone: how many
    clusters of a lettering the strokes before it have laid, where it goes on with them. symmetry: where every mark is
    laid again.
    """

    brush: LoadedBrush
    samples: Samples
    colour: str = "#000000"
    mode: str = "paint"
    seed: int = 0
    layer: int = FIRST_LAYER
    steady: float = 0.0
    trail_px: float = 0.0
    second_colour: str = SECOND
    row: RowBeside | None = None
    letters_gone: int = 0
    times: Fraction = Fraction(1)
    symmetry: Symmetry | None = None

    def check(self) -> None:
        """Raise BadValue for a bad mode, seed or colour."""
        if self.mode not in MODES:
            raise BadValue("mode", self.mode, "must be one of " + ", ".join(MODES))
        if isinstance(self.seed, bool) or not isinstance(self.seed, int) or not 0 <= self.seed <= MOST_SEED:
            raise BadValue("seed", self.seed, f"must be a whole number from 0 to {MOST_SEED}")
        check_colour("colour", self.colour)
        check_colour("second colour", self.second_colour)


class GrainLayer:
    """The grains lying on one canvas. Fields held by the canvas are kept from stroke to stroke."""

    def __init__(self, canvas: Canvas, times: Fraction = Fraction(1)) -> None:
        self._canvas = canvas
        self._times = times
        self._kept: dict[Any, GrainField] = {}
        self._others: dict[Fraction, GrainLayer] = {}
        self._spec = canvas.spec

    @property
    def _area(self) -> Area:
        spec = self._canvas.spec
        if spec is not self._spec:
            self._spec, self._kept = spec, {}
        return Area(spec.width, spec.height, spec.joined, self._times)

    def at(self, times: Fraction) -> GrainLayer:
        """The grains as they lie on the same canvas for strokes that are so many times larger."""
        if times == self._times:
            return self
        if times not in self._others:
            self._others[times] = GrainLayer(self._canvas, times)
        return self._others[times]

    def grain(self, loaded: LoadedCoat, origin: tuple[int, int], number: int = 0, seed: int = 0) -> CoatGrain | None:
        """The grain of a coat for a stroke that starts at `origin`, or None when it has none."""
        coat, grain, area = loaded.coat, loaded.grain, self._area
        if coat.grain is None or grain is None:
            return None
        values = coat.grain.values
        keeps = values["hold"] == "canvas" and values["offset_chance"] == "no" and not moves(coat)
        key = (
            id(grain.plane),
            coat.grain.scale,
            *(values[name] for name in ("turn", "offset_x", "offset_y", "resampled")),
        )
        found = CoatGrain(coat, grain, area, origin, number, seed, self._kept.get(key) if keeps else None)
        if keeps and found.field is not None:
            self._kept = {key: found.field, **dict(list(self._kept.items())[:5])}
        return found


def fit_question(loaded: LoadedCoat, canvas: Canvas, times: Fraction = Fraction(1)) -> FitQuestion:
    """The question whether a coat's grain closes on a canvas (whose size is that after `times`)."""
    if loaded.coat.grain is None or loaded.grain is None:
        raise BadValue("grain", None, "this coat has no grain")
    area = Area(canvas.spec.width, canvas.spec.height, canvas.spec.joined, times)
    return grain_question(loaded.coat, loaded.grain, area)


class StrokeRun:
    """A stroke under way on a canvas. Its pixels stand in `canvas.shown` until it is finished or dropped.

    Where something is selected, it changes each px only as far as that is.
    """

    def __init__(
        self,
        canvas: Canvas,
        stroke: Stroke,
        grains: GrainLayer | None = None,
        times: Fraction = Fraction(1),
        threads: Executor | None = None,
    ) -> None:
        """stroke.samples are not painted yet: they come through `feed`. Raises BadValue for a bad mode or seed.

        times: multiplies the stroke's own.
        """
        stroke.check()
        times *= stroke.times
        onto = canvas.paintable(stroke.layer)
        self._keeps_alpha = onto.alpha_locked and stroke.layer == onto.id
        if self._keeps_alpha and stroke.mode == "erase":
            raise BadValue("mode", "erase", f"The transparency of {onto.name} is locked. Unlock transparency to erase.")
        self.canvas = canvas
        values = stroke.brush.brush.values
        self._layer = stroke.layer
        self._mode = stroke.mode
        self._confined = anything_selected(canvas)
        self._apart = self._keeps_alpha or (self._confined and stroke.mode == "smear")
        self._blend = mode_number(values["blend"])
        self._steadying = Steadying(stroke.steady, stroke.trail_px)
        self._blur_px = values["soften_px"] * float(times)
        self._soft: dict[Key, Any] = {}
        self._soft_cells: set[Box] = set()
        self._touched: set[Key] = set()
        self._before_it: dict[Key, Block] = {}
        self._colours: dict[Key, Block] = {}
        """What the stroke makes of each block, where only a part of that is shown: its colours, or what is selected."""
        self._curve = Curve()
        self._origin: tuple[int, int] | None = None
        self._area = Area(canvas.spec.width, canvas.spec.height, canvas.spec.joined, times, stroke.symmetry)
        self.painters = self._coats(stroke, grains.at(times) if grains else GrainLayer(canvas, times), threads)
        self._mix = CoatMix(self.painters, self._area)

    def _coats(self, stroke: Stroke, grains: GrainLayer, threads: Executor | None) -> list[CoatPainter]:
        paint = Paint(colour_to_unit(stroke.colour), colour_to_unit(stroke.second_colour))
        found: list[CoatPainter] = []
        for n, loaded in enumerate(stroke.brush.coats):
            coat = loaded.coat

            def grain_at(at: tuple[int, int], loaded: LoadedCoat = loaded, n: int = n) -> CoatGrain | None:
                return grains.grain(loaded, at, n, stroke.seed)

            if coat.ribbon is not None and self._mode != "smear":
                found.append(RibbonPainter(loaded, self._area, paint, stroke.seed, grain_at, threads))
                continue
            rules = stroke_rules(coat, stroke.seed, n, loaded.dabs(paint.first), stroke.row, stroke.letters_gone)
            if self._mode == "smear":
                strength, reach = (stroke.brush.brush.values[name] for name in ("smear_strength", "smear_reach"))
                return [SmearPainter(loaded, rules, self._area, paint, grain_at, self._working, strength, reach)]
            found.append(CoatPainter(loaded, rules, self._area, paint, grain_at, threads))
        return found

    def feed(self, samples: Samples, *, last: bool = False) -> list[Box]:
        """Carry on by checked samples; shows the change and returns the changed boxes, in px of the canvas."""
        steadied = self._steadying.apply(samples, last=last)
        if self._origin is None:
            if not len(steadied):
                return []
            self._origin = int(np.floor(steadied[0, 1])), int(np.floor(steadied[0, 2]))
            for painter in self.painters:
                painter.begin(self._origin)
        near = steadied.copy()
        near[:, 1] -= self._origin[0]
        near[:, 2] -= self._origin[1]
        points = self._curve.carry_on(near, last=last)
        boxes: dict[Key, Box | None] = {}
        for painter in self.painters:
            for key, box in painter.feed(points, last=last, top_pressure=self._curve.top_pressure).items():
                boxes[key] = join(boxes.get(key), box)
        changed = self._grown({key: box for key, box in boxes.items() if box is not None and area(box)})
        self._touched.update(changed)
        for key, box in changed.items():
            if self._mode != "smear" and self._may_change(key):
                self._show(key, box)
            if self._apart or self._confined:
                self._show_what_counts(key, box)
        return list(changed.values())

    def _may_change(self, key: Key) -> bool:
        return not self._confined or cover_at(self.canvas, key) is not None

    def _show_what_counts(self, key: Key, box: Box) -> None:
        """Bring what was worked out apart onto the block that is shown, as far as transparency and selection let it."""
        if not self._may_change(key):
            return
        rows, columns = part_of(key, box)
        edges = (rows.start, rows.stop, columns.start, columns.stop)
        under = self._under(key)
        base, shown = EMPTY if under is None else under, self._shown(key)
        if self._keeps_alpha:
            keep_alpha(shown, self._working(key), base, *edges)
        elif self._apart:
            shown[rows, columns] = self._working(key)[rows, columns]
        cover = cover_at(self.canvas, key)
        if self._confined and cover is not None:
            confine(shown, base, cover, *edges)

    def _grown(self, boxes: dict[Key, Box]) -> dict[Key, Box]:
        """Changed boxes with what they change around them where an edge is wet."""
        margin = self._mix.margin
        if not margin:
            return boxes
        found: dict[Key, Box | None] = {}
        for left, top, right, bottom in boxes.values():
            wide = clip((left - margin, top - margin, right + margin, bottom + margin), self.canvas.spec.box)
            for key in keys_in(wide):
                if any(key in painter.planes for painter in self.painters):
                    found[key] = join(found.get(key), clip(block_box(key), wide))
        return {key: box for key, box in found.items() if box is not None}

    def keep_marks(self, *, only: bool = False) -> None:
        """Keep the marks of all coats, for looking at them afterwards. only: find them, and paint none."""
        for painter in self.painters:
            painter.keep_marks(only=only)

    @property
    def stamp_count(self) -> int:
        """How many marks it has laid."""
        return sum(painter.marks_laid for painter in self.painters)

    def picture(self, box: Box) -> Any:
        """What was laid within a box of the cloth, over nothing: float32 (rows, columns, 4), premultiplied."""
        out = np.zeros((box[3] - box[1], box[2] - box[0], 4), np.float32)
        return gather(self._area, box, out, lambda key: self._mix.picture(key, block_box(key)))

    def finish(self) -> Change:
        """Put the stroke on the layer; returns what stood there before, for undoing."""
        before = Change()
        for key in sorted(self._touched):
            at = (self._layer, key)
            shown = self.canvas.shown.pop(at, None)
            if not self._may_change(key):
                continue
            held = shown is not None and bool(shown.view(np.uint64).any())
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

    def _shown(self, key: Key) -> Block:
        """The block that shows the stroke, begun as a copy of the layer's."""
        at = (self._layer, key)
        shown = self.canvas.shown.get(at)
        if shown is None:
            under = self._under(key)
            shown = np.zeros((BLOCK, BLOCK, 4), np.uint16) if under is None else under.copy()
            self.canvas.shown[at] = shown
            self._touched.add(key)
        return shown

    def _working(self, key: Key) -> Block:
        """The block that the stroke works on: the one shown, or one apart."""
        shown = self._shown(key)
        if not self._apart:
            return shown
        if key not in self._colours:
            opaque = self._keeps_alpha and self._mode == "paint"
            self._colours[key] = _opaque(shown) if opaque else shown.copy()
        return self._colours[key]

    def _own_colours(self, key: Key, under: Block) -> Block:
        """The colours that a block of the layer had before the stroke, opaque."""
        found = self._before_it.get(key)
        if found is None:
            found = self._before_it[key] = _opaque(under)
            found.flags.writeable = False
        return found

    def _show(self, key: Key, box: Box) -> None:
        under = self._under(key)
        shown, base = self._working(key), EMPTY if under is None else under
        if self._keeps_alpha and self._mode == "paint":
            base = self._own_colours(key, base)
        x, y = key[1] * BLOCK, key[0] * BLOCK
        edges = (box[1] - y, box[3] - y, box[0] - x, box[2] - x)
        erases, one = self._mode == "erase", np.float32(1)
        if self._mode != "soften" and self._mix.plain and (erases or not self._blend):
            painter = self.painters[0]
            put_stroke(shown, base, painter.planes[key], *edges, painter.colour, one, erases)
            return
        picture = self._mix.picture(key, box)
        if self._mode == "paint":
            put_picture(shown, base, picture, *edges, self._blend)
            return
        cover = np.zeros((BLOCK, BLOCK), np.float32)
        cover[edges[0] : edges[1], edges[2] : edges[3]] = picture[..., 3]
        if erases:
            put_stroke(shown, base, cover, *edges, self.painters[0].colour, one, erases)
        else:
            put_mix(shown, base, self._softened(key, box), cover, *edges, one)

    def _softened(self, key: Key, box: Box) -> Any:
        """A block of the layer as it was before the stroke, blurred across its edges, good within a box of the canvas.

        float32 (BLOCK, BLOCK, 4). It is blurred cell by cell, each with its own surroundings, so that a px does not
        depend on what else was asked for.
        """
        out = self._soft.get(key)
        if out is None:
            out = self._soft[key] = np.zeros((BLOCK, BLOCK, 4), np.float32)
        margin = ceil(3 * self._blur_px) + 1
        side = BLOCK // 2 if margin <= BLOCK // 4 else BLOCK
        left, top, _, _ = block_box(key)
        for y in range(top, top + BLOCK, side):
            for x in range(left, left + BLOCK, side):
                cell = (x, y, x + side, y + side)
                if cell not in self._soft_cells and area(clip(cell, box)):
                    self._soft_cells.add(cell)
                    soft = self._blurred(cell, margin)
                    out[y - top : y - top + len(soft), x - left : x - left + soft.shape[1]] = soft
        return out

    def _blurred(self, cell: Box, margin: int) -> Any:
        """A box of the layer as it was before the stroke, cut to the canvas and blurred."""
        cell = clip(cell, self.canvas.spec.box)
        left, top, right, bottom = cell
        box = (left - margin, top - margin, right + margin, bottom + margin)
        if self._area.joined is None:
            box = clip(box, self.canvas.spec.box)
        window = np.zeros((box[3] - box[1], box[2] - box[0], 4), np.uint16)
        gather(self._area, box, window, self._under)
        soft = cv2.GaussianBlur(window.astype(np.float32), (0, 0), self._blur_px, borderType=cv2.BORDER_REPLICATE)
        return soft[top - box[1] : bottom - box[1], left - box[0] : right - box[0]]


def _opaque(block: Block) -> Block:
    """A block with its own colours, opaque; black where it is clear."""
    out = np.empty_like(block)
    cover = np.maximum(block[..., 3:], 1).astype(np.float32)
    out[..., :3] = np.minimum(block[..., :3] * (np.float32(65535) / cover) + np.float32(0.5), 65535)
    out[..., 3] = 65535
    return out


def paint_stroke(
    canvas: Canvas,
    stroke: Stroke,
    grains: GrainLayer | None = None,
    times: Fraction = Fraction(1),
    threads: Executor | None = None,
) -> tuple[Change, int]:
    """Paint a whole stroke; returns the blocks before it and how many stamps it laid. One that fails leaves nothing."""
    run = StrokeRun(canvas, stroke, grains, times, threads)
    try:
        run.feed(check_samples(stroke.samples), last=True)
        return run.finish(), run.stamp_count
    except BaseException:
        run.drop()
        raise


def put_back(canvas: Canvas, change: Change) -> Change:
    """Undo (or redo) a change: put its blocks in place; returns those that stood there, which undo the undoing."""
    before = Change(spec=None if change.spec is None else canvas.respec(change.spec))
    before.blocks = {at: canvas.put(at, block) for at, block in change.blocks.items()}
    if change.stack is not None:
        before.stack = canvas.restack(change.stack)
    return before
