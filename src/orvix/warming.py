"""Compiling every kernel before a painter needs it. Called once at start, in a thread of its own."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from fractions import Fraction

import numpy as np

from orvix.brushes.definition import Brush
from orvix.brushes.starters import STARTERS
from orvix.canvases.canvas import Canvas, CanvasSpec
from orvix.canvases.layers import Layer
from orvix.canvases.strokes import MODES, Stroke, StrokeRun, paint_stroke
from orvix.colour.colourways import recoloured
from orvix.devices.stylus import TRIALS, record
from orvix.formats.brush_file import load_brush, no_files
from orvix.proofs.rendering import Look, on_surface
from orvix.proofs.sampling import Pyramid
from orvix.proofs.surfaces import SURFACES
from orvix.proofs.vision import VISIONS, seen_by
from orvix.readings.report import read_state
from orvix.strokes.loaded import LoadedBrush, LoadedCoat
from orvix.strokes.samples import check_samples
from orvix.tiles.joining import Joining
from orvix.tiles.recipe import Recipe
from orvix.tiles.repeats import Repeat


def _always() -> bool:
    return True


def warm(go_on: Callable[[], bool] = _always) -> None:
    """Run each kernel once, with the types that painting uses, on small pictures; until `go_on` says no."""
    for part in (_warm_painting, _warm_tiles, _warm_proofs):
        for _ in part():
            if not go_on():
                return


def _warm_painting() -> Iterator[None]:
    canvas = Canvas(CanvasSpec(300, 300, joined=Joining(Repeat("half-drop", Fraction(1, 2)))))
    samples = record(TRIALS["level"], 1) * np.array([1, 100, 100, 1, 1, 1, 1])
    for starter in ("sailcloth-chalk", "sea-spray"):
        brush = load_brush(STARTERS.get(starter).data, no_files)
        for mode in MODES:
            paint_stroke(canvas, Stroke(brush, samples, mode=mode))
            yield
    picture = np.ones((8, 8, 4), np.float32)
    for colours in ("paint", "tip"):
        values = {"colour_from": colours, "bends": "clear", "follows": "heading", "spacing": 1.0}
        stamped = Brush.parse({"coats": [{"tip": {"name": "picture", "source": {}}, "values": values}]})
        loaded = LoadedBrush(stamped, (LoadedCoat(stamped.coats[0], pictures=(picture,)),))
        paint_stroke(canvas, Stroke(loaded, samples))
        yield
    canvas.view((0, 0, 256, 256), 2)
    yield
    below = canvas.layer.get((0, 0))
    layers = [
        Layer(n, str(n), opacity=0.5 if n == 3 else 1.0, mode="multiply" if n == 8 else "normal") for n in range(1, 9)
    ]
    canvas.restack(tuple(layers))
    for layer in layers:
        canvas.put((layer.id, (0, 0)), below)
    run = StrokeRun(canvas, Stroke(brush, samples, layer=4))
    run.feed(check_samples(samples))
    for swift in (True, False):
        canvas.view((0, 0, 256, 200), swift=swift)
        yield


def _warm_tiles() -> Iterator[None]:
    steps = [{"name": "mend-border"}, {"name": "copies"}]
    for source in ("noise", "cells", "specks", "courses"):
        recipe = Recipe.parse({"size": [64, 64], "repeat": "half-drop", "source": {"name": source}, "steps": steps})
        state = recipe.run()
        yield
        read_state(state)
        yield


def _warm_proofs() -> Iterator[None]:
    for kind in ("straight", "brick"):
        seen_by(
            on_surface("mug", Pyramid.of(np.zeros((8, 8, 4), np.uint8), Repeat(kind)), 100.0, Look(), 64), VISIONS[1]
        )
        yield
    for surface in SURFACES:
        assert surface.scene.corners  # made once, for every size
        yield
    recoloured(np.zeros((8, 8, 4), np.uint16), (("#000000", "#ffffff"),))
    yield
