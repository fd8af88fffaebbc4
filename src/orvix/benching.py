"""The core's own measurements: how fast the hot paths run here, each beside a fixed calibration kernel.

Takes its clock as an argument. Peers and the browser are measured in benchmarks/, which uses these too.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace
from fractions import Fraction
from functools import partial
from resource import RUSAGE_SELF, getrusage
from tempfile import TemporaryFile
from typing import Any

import cv2
import numpy as np

from orvix.brushes.starters import STARTERS
from orvix.canvases.canvas import Canvas, CanvasSpec
from orvix.canvases.layers import Layer
from orvix.canvases.strokes import GrainLayer, Stroke, StrokeRun, paint_stroke, put_back
from orvix.devices.stylus import TRIALS, record, sheet_size, trial_strokes
from orvix.errors import UnknownName
from orvix.formats.brush_file import load_brush, no_files
from orvix.formats.streamed import Streamed, stream_png
from orvix.formats.strokes_file import load_strokes
from orvix.geometry import BLOCK, Box, keys_in, merged
from orvix.pictures.writing import flat_rgb
from orvix.proofs.looks import Cloth, Panel, drawn
from orvix.proofs.rendering import Look, on_surface
from orvix.proofs.sampling import Pyramid
from orvix.proofs.surfaces import SURFACES
from orvix.strokes import laying, rhythm
from orvix.strokes.dabs import PictureDabs
from orvix.strokes.samples import T, check_samples
from orvix.tiles.closing.seam import seam
from orvix.tiles.joining import NEIGHBOURS, PLAIN, Joining
from orvix.tiles.recipe import Recipe
from orvix.tiles.repeats import Repeat

Clock = Callable[[], float]


def best_of(work: Callable[[], object], clock: Clock, runs: int = 7) -> float:
    """The shortest time of several runs, in seconds; the first run, which may compile, is not counted."""
    work()
    times = []
    for _ in range(runs):
        start = clock()
        work()
        times.append(clock() - start)
    return min(times)


def calibration_ms(clock: Clock) -> float:
    """The time of a fixed kernel: sorting the same million of float64 numbers."""
    numbers = np.random.default_rng(1).random(1_000_000)
    return 1000 * best_of(lambda: np.sort(numbers), clock)


_ALONG = 2112
"""Px of a plane that dabs are laid along: no power of two, for then its rows fall on one another in the cache."""


def dab_work(size: int, count: int, *, vary: bool, grain: bool) -> Callable[[], None]:
    """Work that lays `count` dabs of `size` px along a line into a float32 plane, with a grain plane or none."""
    plane = np.zeros((size + 64, _ALONG), np.float32)
    noise = np.random.default_rng(2).random(plane.shape, np.float32)
    tooth = laying.Tooth(noise, 0, False, False, 0) if grain else laying.NO_TOOTH
    places = np.empty((count, 2), np.int64)
    places[:, 0] = np.linspace(size, _ALONG - size, count)
    places[:, 1] = plane.shape[0] // 2
    radius = size / 2 * (np.linspace(0.9, 1.0, count) if vary else np.ones(count))
    dabs = np.zeros((count, laying.DAB_WIDTH), np.float32)
    dabs[:, laying.M00] = dabs[:, laying.M11] = 1 / radius
    dabs[:, laying.LEVEL] = 1.0
    dabs[:, laying.INNER], dabs[:, laying.FLOW], dabs[:, laying.CAP], dabs[:, laying.GRAIN] = 0.7, 0.25, 1.0, 1.0
    reach = np.ceil(radius).astype(np.int64) + 1
    order, pictures = np.arange(count), laying.NO_PICTURES
    return lambda: laying.lay_dabs(plane, 0, 0, laying.ROUND, pictures, tooth, False, places, dabs, reach, order)


def picture_work(size: int, count: int, *, colours: bool = False) -> Callable[[], None]:
    """Work that lays `count` dabs of a picture, each of another size and turn, along a line through a grain."""
    picture = np.random.default_rng(3).random((size, size, 4), np.float32)
    picture[..., :3] *= picture[..., 3:]
    tip = PictureDabs((picture,), colours=colours)
    marks = np.zeros((count, rhythm.STAMP_WIDTH))
    marks[:, rhythm.S_SIZE], marks[:, rhythm.S_TURN] = np.linspace(0.9, 1.0, count) * size, np.linspace(0.1, 3.0, count)
    marks[:, rhythm.S_ROUNDNESS], marks[:, rhythm.S_FLOW] = 1.0, 0.25
    dabs = np.zeros((count, laying.DAB_WIDTH), np.float32)
    reach = tip.shape(dabs, marks, 1.0)
    dabs[:, [laying.CAP, laying.GRAIN, laying.C00, laying.C11, laying.C22]] = 1.0
    plane = np.zeros((2 * size, _ALONG, 4) if colours else (2 * size, _ALONG), np.float32)
    tooth = laying.Tooth(np.random.default_rng(2).random(plane.shape[:2], np.float32), 0, False, False, 0)
    places = np.empty((count, 2), np.int64)
    places[:, 0], places[:, 1] = np.linspace(size, _ALONG - size, count), size
    order = np.arange(count)
    return lambda: laying.lay_dabs(plane, 0, 0, tip.kind, tip.pictures, tooth, False, places, dabs, reach, order)


def stroke_work(name: str) -> Callable[[], None]:
    """Work that paints one wave of about 800 px with a starter brush, as its `use` has it, on a striped canvas."""
    brush = load_brush(STARTERS.get(name).data, no_files)
    stroke = load_strokes(trial_strokes(("pressure swell",), 3, cell=(304, 196)), brush)[0]
    canvas = Canvas(CanvasSpec(1024, 640))
    under = load_strokes(trial_strokes(("level", "plumb", "slant"), 3, cell=(304, 196)), brush)
    for one in under:
        paint_stroke(canvas, replace(one, mode="paint"))

    def work() -> None:
        put_back(canvas, paint_stroke(canvas, stroke)[0])

    return work


def _kinds(clock: Clock) -> dict[str, float]:
    """The other kinds of paint: turned pictures, their own colours, two coats, a ribbon, a smear."""
    told = {}
    for colours, words in ((False, "turned pictures"), (True, "turned pictures in colour")):
        seconds = best_of(picture_work(200, 150, colours=colours), clock)
        told[f"200 px {words}, Mpx/s"] = round(200 * 200 * 150 * 0.9 / seconds / 1e6, 1)
    names = {"lantern-glow": "two coats", "rope-ribbon": "a ribbon", "thumb-smear": "a smear", "rope-strand": "colours"}
    for name, words in names.items():
        told[f"one stroke, {words}, ms"] = round(1000 * best_of(stroke_work(name), clock), 1)
    return told


def _dabs(clock: Clock) -> dict[str, float]:
    told = {}
    for size, count in ((32, 4000), (200, 200)):
        for vary in (False, True):
            seconds = best_of(dab_work(size, count, vary=vary, grain=True), clock)
            kind = "every dab different" if vary else "plain"
            told[f"{size} px {kind}, Mpx/s"] = round(size * size * count / seconds / 1e6, 1)
    return told


def _sheet_work(name: str) -> Callable[[], None]:
    """Work that paints the trial sheet of a starter brush at the scale at which it fits."""
    brush = load_brush(STARTERS.get(name).data, no_files)
    factor = next(one for one in (1, 2, 4, 8, 16) if brush.brush.size <= 48 * one)
    width, height = sheet_size()
    strokes, times = load_strokes(trial_strokes(factor=factor), brush), Fraction(1, factor)

    def work() -> None:
        canvas = Canvas(CanvasSpec(width, height))
        grains = GrainLayer(canvas, times)
        for stroke in strokes:
            paint_stroke(canvas, stroke, grains, times)
        canvas.view(canvas.spec.box)

    return work


def _trial_sheet(clock: Clock) -> dict[str, float]:
    told = {one.name: round(1000 * best_of(_sheet_work(one.name), clock, 5), 1) for one in STARTERS}
    slowest = max(told, key=lambda name: told[name])
    return {"trial sheet of Sailcloth chalk, ms": told["sailcloth-chalk"]} | {
        f"slowest trial sheet, {slowest}, ms": told[slowest],
        "trial sheets over 150 ms": float(sum(one > 150 for one in told.values())),
    }


def same_stroke_seconds(side: int, clock: Clock) -> float:
    """The time of one grained 64 px stroke of about 800 px, on a square canvas."""
    brush = load_brush(STARTERS.get("sailcloth-chalk").data, no_files)
    stroke = load_strokes(trial_strokes(("pressure swell",), 3, cell=(304, 196)), brush)[0]
    canvas = Canvas(CanvasSpec(side, side))
    grains = GrainLayer(canvas)
    return best_of(lambda: paint_stroke(canvas, Stroke(brush, stroke.samples), grains), clock)


def _canvases(clock: Clock) -> dict[str, float]:
    small, large = same_stroke_seconds(1024, clock), same_stroke_seconds(16384, clock)
    told = {"stroke on 1024 sq, ms": round(1000 * small, 2), "stroke on 16384 sq, ms": round(1000 * large, 2)}
    return told | {"16384 over 1024": round(large / small, 3)}


def _replay(clock: Clock) -> dict[str, float]:
    """Five hundred recorded strokes, each some 700 px, painted again with a brush at twice its size on 2048 square."""
    brush = load_brush(STARTERS.get("sailcloth-chalk").data, no_files)
    brush = brush.with_brush(brush.brush.in_hand(size=2 * brush.brush.size))
    canvas, names = Canvas(CanvasSpec(2048, 2048)), list(TRIALS)
    grains, recorded = GrainLayer(canvas), 0.0
    strokes = []
    for n in range(500):
        samples = record(TRIALS[names[n % len(names)]], n) * np.array([1, 700, 450, 1, 1, 1, 1])
        recorded += float(samples[-1, T] - samples[0, T]) / 1000
        strokes.append(check_samples(samples + np.array([0, 40 + n * 37 % 1280, 40 + n * 53 % 1500, 0, 0, 0, 0])))
    start = clock()
    for n, samples in enumerate(strokes):
        paint_stroke(canvas, Stroke(brush, samples, seed=n), grains)
    took = clock() - start
    return {"500 strokes repainted, s": round(took, 2), "recorded time over it": round(recorded / took, 1)}


def _memory(clock: Clock) -> dict[str, float]:
    """A canvas of 16384 square painted all about on three layers, shown at 100 % and whole; what the process grew by.

    The weight is that of the whole process at its heaviest: it says something where this runs alone.
    """
    brush = load_brush(STARTERS.get("sailcloth-chalk").data, no_files)
    brush = brush.with_brush(brush.brush.in_hand(size=200.0))
    stroke = load_strokes(trial_strokes(("pressure swell",), 3, cell=(304, 196)), brush)[0]
    rng = np.random.default_rng(4)

    def paint(side: int, count: int) -> Canvas:
        canvas = Canvas(CanvasSpec(side, side))
        canvas.restack(tuple(Layer(n, str(n)) for n in (1, 2, 3)))
        grains = GrainLayer(canvas)
        for n in range(count):
            moved = np.array([0, *rng.integers(0, side - 900, 2), 0, 0, 0, 0])
            run = StrokeRun(canvas, Stroke(brush, stroke.samples + moved, layer=1 + n % 3), grains)
            for box in run.feed(check_samples(stroke.samples + moved), last=True):
                canvas.view(box)
            run.finish()
        canvas.view(canvas.spec.box, canvas.spec.level_within(11))
        return canvas

    paint(1024, 3)
    before, start = getrusage(RUSAGE_SELF).ru_maxrss, clock()
    canvas = paint(16384, 300)
    took = clock() - start
    held, grown = sum(one.nbytes for one in canvas.blocks.values()), 1024 * (getrusage(RUSAGE_SELF).ru_maxrss - before)
    whole = clock()
    canvas.view(canvas.spec.box, canvas.spec.level_within(11))
    told = {"blocks, MB": held / 2**20, "process grown by, MB": grown / 2**20, "grown over blocks": grown / held}
    told |= {"a stroke shown, ms": 1000 * took / 300, "the whole at 2048 px, ms": 1000 * (clock() - whole)}
    return {f"16384 sq, {name}": round(value, 2) for name, value in told.items()}


def _joined(clock: Clock) -> dict[str, float]:
    """One stroke as a hand sends it, across both borders of a joined canvas, beside the same in the same place on an
    open one that goes on there."""
    brush = load_brush(STARTERS.get("sailcloth-chalk").data, no_files)
    side, batch = 1024, 6
    samples = record(TRIALS["bend"], 3) * np.array([1, 700, 700, 1, 1, 1, 1])

    def seconds(joined: Joining | None) -> float:
        canvas = Canvas(CanvasSpec(side, side, joined=joined) if joined else CanvasSpec(2 * side, 2 * side))
        grains = GrainLayer(canvas)
        moved = check_samples(samples + np.array([0, 674, 674, 0, 0, 0, 0]))

        def work() -> None:
            run = StrokeRun(canvas, Stroke(brush, moved), grains)
            for first in range(0, len(moved), batch):
                run.feed(moved[first : first + batch], last=first + batch >= len(moved))
            run.finish()

        return best_of(work, clock)

    told = {"open, ms": round(1000 * seconds(None), 2)}
    repeats = {"straight": Repeat(), "brick": Repeat("brick"), "half-drop": Repeat("half-drop", Fraction(1, 3))}
    for name, joined in [
        *((name, Joining(repeat)) for name, repeat in repeats.items()),
        *((name, Joining(Repeat(), name)) for name in NEIGHBOURS if name != PLAIN),
    ]:
        told[f"{name} over open"] = round(seconds(joined) / seconds(None), 3)
    return told


def _layers(clock: Clock) -> dict[str, float]:
    """A 256 px stroke as a hand sends it on the middle one of 3 and of 40 filled layers, shown after every batch.

    With what is made good once the hand rests, and without it.
    """
    brush = load_brush(STARTERS.get("sailcloth-chalk").data, no_files)
    brush = brush.with_brush(brush.brush.in_hand(size=min(256.0, brush.brush.coats[0].values["largest"])))
    side, batch = 1024, 3
    samples = check_samples(record(TRIALS["bend"], 3) * np.array([1, 700, 700, 1, 1, 1, 1]) + [0, 150, 150, 0, 0, 0, 0])
    noise = np.random.default_rng(7).integers(0, 65536, (BLOCK, BLOCK, 4)).astype(np.uint16)
    noise[..., :3] = np.minimum(noise[..., :3], noise[..., 3:])

    def seconds(count: int, mode: str = "normal") -> tuple[float, float]:
        canvas = Canvas(CanvasSpec(side, side, ground="#f2efe6"))
        middle = count // 2 + 1
        canvas.restack(tuple(Layer(n, str(n), mode=mode if n > middle else "normal") for n in range(1, count + 1)))
        for n in range(1, count + 1):
            for key in keys_in(canvas.spec.box):
                canvas.put((n, key), np.roll(noise, n, axis=1))
        grains = GrainLayer(canvas)

        def work() -> tuple[float, float]:
            run, shown, start = StrokeRun(canvas, Stroke(brush, samples, layer=middle), grains), list[Box](), clock()
            for first in range(0, len(samples), batch):
                for box in run.feed(samples[first : first + batch], last=first + batch >= len(samples)):
                    canvas.view(box, swift=True)
                    shown = merged([*shown, box] if canvas.was_swift else shown)
            painted, change = clock() - start, run.finish()
            for box in shown:
                canvas.view(box)
            whole = clock() - start
            put_back(canvas, change)
            return painted, whole

        took = [work() for _ in range(7)]
        return min(one for one, _ in took), min(one for _, one in took)

    few, many, multiplied = seconds(3)[0], seconds(40), seconds(40, "multiply")
    told = {"stroke shown on 3 layers, ms": round(1000 * few, 1), "40 layers over 3": round(many[0] / few, 3)}
    told["40 layers over 3, with what is made good at rest"] = round(many[1] / few, 3)
    return told | {"40 layers over 3, those above multiplied": round(multiplied[1] / few, 3)}


def _proofs(clock: Clock) -> dict[str, float]:
    """Surfaces at 1280 px wide, the first time and with another tile; twelve by twelve of a 4096 square tile."""
    tile = np.random.default_rng(3).integers(0, 256, (512, 512, 4)).astype(np.uint8)
    tile[..., 3] = 255
    pyramid = Pyramid.of(tile, Repeat("half-drop"))
    on_surface("mug", pyramid, 150.0, Look(), 64)
    for surface in SURFACES:
        assert surface.scene.corners  # as the server has made them beside its first pages
    first, again = {}, {}
    for surface in SURFACES:
        start = clock()
        on_surface(surface.name, pyramid, 150.0, Look(), 1280)
        first[surface.name] = clock() - start
        again[surface.name] = best_of(partial(on_surface, surface.name, pyramid, 150.0, Look(), 1280), clock, 3)
    large = Cloth.of(np.tile(tile, (8, 8, 1)), Repeat(), 300.0)
    many = Panel("repeat", 12, 12)
    scale = 1280 / many.size_mm(large)[0]
    told = {"surface 1280 wide, first, slowest, ms": 1000 * max(first.values())}
    told |= {"surface 1280 wide, again, slowest, ms": 1000 * max(again.values())}
    told |= {"surface 1280 wide, again, mean, ms": 1000 * sum(again.values()) / len(again)}
    told |= {"12 x 12 of a 4096 tile, 1280 wide, ms": 1000 * best_of(lambda: drawn(many, large, scale), clock, 3)}
    return {name: round(value, 1) for name, value in told.items()}


def _streamed(clock: Clock) -> dict[str, float]:
    """A canvas of 8192 square, painted all over, as a PNG of 16 bits; what the process weighs more meanwhile.

    The weight is that of the whole process at its heaviest: it says something where this runs alone.
    """
    canvas = Canvas(CanvasSpec(8192, 8192, ground="#f2efe6"))
    rng = np.random.default_rng(5)
    for row in range(32):
        for column in range(32):
            smooth = cv2.resize(rng.random((9, 9, 4), np.float32), (256, 256), interpolation=cv2.INTER_CUBIC)
            smooth += rng.normal(0, 0.01, smooth.shape).astype(np.float32)
            smooth = np.clip(smooth, 0, 1)
            smooth[..., :3] *= smooth[..., 3:]
            canvas.layer.put((row, column), (smooth * 65535).astype(np.uint16))
    whole = canvas.spec.width
    canvas.pixels((0, 0, whole, 256))
    told = Streamed(whole, whole, 300.0, lambda top, bottom: canvas.pixels((0, top, whole, bottom)), False)
    before = getrusage(RUSAGE_SELF).ru_maxrss
    with TemporaryFile() as file:
        start = clock()
        stream_png(file, told, deep=True)
        took, size = clock() - start, file.tell()
    more = getrusage(RUSAGE_SELF).ru_maxrss - before
    found = {"PNG of 16 bits, 8192 square, s": round(took, 1), "MB more meanwhile": round(more / 1024, 1)}
    return found | {"MB of file": round(size / 2**20, 1)}


def _tiles(clock: Clock) -> dict[str, float]:
    recipe = Recipe.parse({"source": {"name": "noise", "values": {"octaves": 8}}})
    rgb = flat_rgb(recipe.render())
    told = {"noise of 8 octaves at 1024, ms": round(1000 * best_of(recipe.render, clock), 1)}
    told["seam at 1024, ms"] = round(1000 * best_of(lambda: seam(rgb, Repeat()), clock), 1)
    large = np.tile(rgb, (4, 4, 1))
    return told | {"seam at 4096, ms": round(1000 * best_of(lambda: seam(large, Repeat()), clock, 2), 1)}


PARTS: dict[str, Callable[[Clock], dict[str, float]]] = {
    "dabs": _dabs,
    "kinds": _kinds,
    "canvases": _canvases,
    "memory": _memory,
    "replay": _replay,
    "joined": _joined,
    "layers": _layers,
    "proofs": _proofs,
    "streamed": _streamed,
    "trial-sheet": _trial_sheet,
    "tiles": _tiles,
}


def run(only: str | None, clock: Clock) -> dict[str, Any]:
    """Run all measurements or one of them by name; raises UnknownName."""
    if only is not None and only not in PARTS:
        raise UnknownName("measurement", only, list(PARTS))
    told: dict[str, Any] = {"calibration, ms": round(calibration_ms(clock), 2)}
    for name, part in PARTS.items():
        if only in (None, name):
            told |= part(clock)
    return told
