"""Holes and weight read on layouts that are known to be even, random, and faulty: does each reading tell them apart?

    .venv/bin/python -m benchmarks.layouts [--seed N] [--count N]

Even ones are filled by the core, random ones have the same motifs at random places, faulty ones are even ones
without the motifs round one place. Prints the table of docs/readings/layouts.md.
"""

from __future__ import annotations

import argparse
from collections.abc import Callable
from dataclasses import replace

import numpy as np

from orvix.readings.report import read_state
from orvix.tiles.motifs.editing import Bench, edit
from orvix.tiles.motifs.layout import Item, Layout, Motif
from orvix.tiles.motifs.rendering import Cloth
from orvix.tiles.motifs.sprites import Studio
from orvix.tiles.motifs.starters import STARTERS
from orvix.tiles.recipe import Recipe, no_pictures
from orvix.tiles.repeats import Repeat
from orvix.tiles.sources.registry import no_svg

SIDE = 640
REPEATS = ("straight", "brick", "half-drop")
Make = Callable[[Bench, np.random.Generator], Bench]


def even(bench: Bench, rng: np.random.Generator) -> Bench:
    names = rng.choice(STARTERS.names(), 3, replace=False).tolist()
    smallest = float(rng.uniform(0.25, 0.45))
    told = {"motifs": names, "smallest": smallest, "largest": smallest * float(rng.uniform(1.1, 1.8))}
    told |= {"least_px": float(rng.uniform(6, 20)), "most": 400, "seed": int(rng.integers(1, 10**6))}
    return edit(bench, {"what": "fill", **told})


def scattered(bench: Bench, rng: np.random.Generator) -> Bench:
    full = even(bench, rng)
    items = tuple(
        replace(item, x=float(rng.uniform(0, SIDE)), y=float(rng.uniform(0, SIDE))) for item in full.layout.items
    )
    return replace(full, layout=full.layout.with_items(items))


def faulty(bench: Bench, rng: np.random.Generator) -> Bench:
    full = even(bench, rng)
    x, y = rng.uniform(0, SIDE, 2)
    reach = SIDE * float(rng.uniform(0.13, 0.2))

    def near(item: Item) -> bool:
        dx, dy = abs(item.x - x), abs(item.y - y)
        return np.hypot(min(dx, SIDE - dx), min(dy, SIDE - dy)) < reach

    return replace(full, layout=full.layout.with_items(tuple(item for item in full.layout.items if not near(item))))


def main() -> None:
    """Print the table."""
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("--seed", type=int, default=1)
    parser.add_argument("--count", type=int, default=40)
    args = parser.parse_args()
    motifs = tuple(Motif(name, "starter", name, name, {}, "#1b3f4b") for name in STARTERS.names())
    kinds: dict[str, Make] = {"even": even, "random": scattered, "faulty": faulty}
    print("| layout | holes: median (5 % to 95 %) | called a hole | weight: median (5 % to 95 %) | applies |")
    print("| --- | --- | --- | --- | --- |")
    for kind, make in kinds.items():
        rng = np.random.default_rng(args.seed)
        holes, weights, called, applies = [], [], 0, 0
        for n in range(args.count):
            repeat = Repeat(REPEATS[n % 3])
            bench = Bench(Layout(motifs), Cloth(SIDE, SIDE, repeat), Studio(no_pictures, no_svg))
            layout = make(bench, rng).layout.as_dict()
            told = {
                "size": [SIDE, SIDE],
                "repeat": repeat.kind,
                "source": {"name": "motifs", "values": {"layout": layout}},
            }
            read = read_state(Recipe.parse(told).run())
            if not read["holes"]["applies"]:
                continue
            applies += 1
            holes.append(read["holes"]["value"])
            weights.append(read["weight"]["value"])
            called += read["holes"]["verdict"] == "hole"
        parts = [np.percentile(values, (50, 5, 95)) for values in (holes, weights)]
        spread = [f"{middle:.2f} ({low:.2f} to {high:.2f})" for middle, low, high in parts]
        print(f"| {kind} | {spread[0]} | {called} of {applies} | {spread[1]} | {applies} of {args.count} |")


if __name__ == "__main__":
    main()
