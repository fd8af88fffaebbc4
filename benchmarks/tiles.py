"""Tiles at 1024 px: each source and step to pixels, p50 and p95; mending of the photo tray, and the large tile."""

from __future__ import annotations

import time
from typing import Any

import numpy as np

from orvix.devices.photo_tray import PHOTOS, develop
from orvix.pictures.writing import flat_rgb
from orvix.readings.report import read_state
from orvix.tiles.closing.seam import seam
from orvix.tiles.closing.structure import structure_along
from orvix.tiles.lowpass import coarse
from orvix.tiles.mending.borders import mend_borders, to_lab
from orvix.tiles.recipe import KeptStates, Recipe
from orvix.tiles.sources import SOURCES
from orvix.tiles.steps import STEPS

SIDE, RUNS = 1024, 15
MENDING = ("mend-border", "mend-stains")


def times_ms(recipe: Recipe, before: Recipe | None = None) -> tuple[float, float]:
    """Median and 95th percentile of one change on the bench: what comes before is kept, what changed is not."""
    took = []
    for _ in range(RUNS):
        kept = KeptStates(10**9)
        if before is not None:
            before.run(kept=kept)
        start = time.perf_counter()
        recipe.run(kept=kept)
        took.append(1000 * (time.perf_counter() - start))
    return float(np.percentile(took, 50)), float(np.percentile(took, 95))


def sources_and_steps() -> dict[str, str]:
    told = {}
    for source in SOURCES:
        if source.kind == "generated":
            recipe = Recipe.parse({"size": [SIDE, SIDE], "source": {"name": source.name}})
            recipe.run()
            told[f"source {source.name}, p50 / p95 ms"] = "{:.0f} / {:.0f}".format(*times_ms(recipe))
    base = {"size": [SIDE, SIDE], "source": {"name": "gradient", "values": {"of": {"name": "courses"}}}}
    for step in STEPS:
        if step.name not in MENDING:
            recipe = Recipe.parse({**base, "steps": [{"name": step.name}]})
            told[f"step {step.name}, p50 / p95 ms"] = "{:.0f} / {:.0f}".format(*times_ms(recipe, Recipe.parse(base)))
    return told


def as_pixels(rgb: np.ndarray) -> np.ndarray:
    pixels = np.full((*rgb.shape[:2], 4), 65535, np.uint16)
    pixels[..., :3] = rgb[..., :3].astype(np.uint16) * 257
    return pixels


def contrast(rgb: np.ndarray) -> float:
    return float((rgb - coarse(rgb, rgb.shape[1] / 8, None)).std())


def mended(name: str, photo: np.ndarray, side: int = SIDE) -> str:
    pixels = as_pixels(photo)
    base: dict[str, Any] = {"size": [side, side], "source": {"name": "photo", "values": {"file": "p"}}}
    raw = Recipe.parse(base).run(lambda _: pixels)
    flat = Recipe.parse({**base, "steps": [{"name": "even-light"}]}).run(lambda _: pixels)
    recipe = Recipe.parse({**base, "steps": [{"name": "even-light"}, {"name": "mend-border"}]})
    start = time.perf_counter()
    state = recipe.run(lambda _: pixels)
    quick = read_state(state, quick=True)
    seconds = time.perf_counter() - start
    rgb = flat_rgb(state.pixels)
    full = read_state(state)
    before = seam(flat_rgb(raw.pixels), raw.repeat)
    cut = mend_borders(flat_rgb(flat.pixels), (side, side), flat.repeat, "gradient-domain", 0.1)
    lab = to_lab(cut.picture)
    across = structure_along(lab, cut.cut_across)
    down = structure_along(lab.transpose(1, 0, 2), cut.cut_down)
    return (
        f"seam {before.value:.2f} -> {full['seam']['value']:.2f} (quick {quick['seam']['value']:.2f}), "
        f"N along the cuts {across:.2f} and {down:.2f}, "
        f"light {full['light']['value']:.2f} dE, contrast {contrast(rgb) / contrast(flat_rgb(flat.pixels)):.3f}, "
        f"{seconds:.2f} s{', warned' if state.notes else ''}"
    )


def packaged() -> dict[str, np.ndarray]:
    """Pictures that come with a general package, where it is installed; measured only, never kept."""
    try:
        from skimage import data
    except ImportError:
        return {}
    found = {}
    for name in ("brick", "grass", "gravel"):
        picture = np.asarray(getattr(data, name)())
        found[name] = picture if picture.ndim == 3 else np.repeat(picture[..., None], 3, axis=2)
    return found


def measure() -> dict[str, Any]:
    """All of it."""
    told: dict[str, Any] = {"at 1024 px": sources_and_steps()}
    told["automatic mending of the photo tray at 1024, with a quick reading"] = {
        photo.name: mended(photo.name, develop(photo.name)) for photo in PHOTOS
    }
    told["automatic mending of packaged pictures at 512"] = {
        name: mended(name, picture, 512) for name, picture in packaged().items()
    }
    recipe = Recipe.parse({"size": [4096, 4096], "source": {"name": "noise", "values": {"octaves": 8}}})
    start = time.perf_counter()
    recipe.run()
    told["noise of 8 octaves at 4096, s"] = round(time.perf_counter() - start, 2)
    return told
