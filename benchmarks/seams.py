"""The seam reading on tiles that close and on pictures that do not: how many are told right, and which are not.

    python -m benchmarks.seams [--seed N] [--table FILE --pictures FOLDER]

Closed: every generated source that lies inside no other, at random settings, sizes and repeats; each moved at random.
Open: the same with a part cut off, under a wrong stagger, or with a ramp; and crops of the photo tray.
"""

from __future__ import annotations

import argparse
from pathlib import Path
from typing import Any

import cv2
import numpy as np

from orvix.devices.photo_tray import PHOTOS, develop
from orvix.errors import OrvixError
from orvix.pictures.writing import flat_rgb
from orvix.registry import Value
from orvix.tiles.closing.seam import Seam, seam
from orvix.tiles.recipe import Recipe
from orvix.tiles.repeats import REPEATS, Repeat, cloth
from orvix.tiles.sources import SOURCES

COUNT = 220


def random_value(value: Value, chance: np.random.Generator) -> Any:
    """A value somewhere in the middle of what is allowed, so that pictures differ but are pictures."""
    if value.kind == "choice":
        return value.choices[chance.integers(len(value.choices))]
    if value.kind not in ("number", "whole") or value.low is None or value.high is None:
        return value.default
    share = chance.beta(2, 2)
    number = value.default + (share - 0.5) * min(value.high - value.low, 1.6 * abs(value.default) + 0.2)
    number = min(max(number, value.low), value.high)
    return round(number) if value.kind == "whole" else round(float(number), 4)


def closed_tiles(count: int = COUNT, seed: int = 1) -> list[tuple[str, np.ndarray, Repeat]]:
    """(name, rgb, repeat) of tiles that close by construction, moved at random."""
    chance = np.random.default_rng(seed)
    names = [s.name for s in SOURCES if s.kind == "generated" and s.name not in ("flat", "mix", "gradient", "sparks")]
    out: list[tuple[str, np.ndarray, Repeat]] = []
    while len(out) < count:
        source = SOURCES.get(names[len(out) % len(names)])
        size = [int(chance.integers(160, 420)), int(chance.integers(160, 420))]
        told = {
            "size": size,
            "repeat": REPEATS[chance.integers(3)],
            "stagger": ["1/2", "1/3", "1/4"][chance.integers(3)],
            "seed": int(chance.integers(1, 99999)),
        }
        values = {value.name: random_value(value, chance) for value in source.values}
        try:
            recipe = Recipe.parse({**told, "source": {"name": source.name, "values": values}})
            tile = flat_rgb(recipe.render())
        except OrvixError:
            continue
        if tile.std() < 0.02:
            continue
        x, y = (int(n) for n in chance.integers(0, 400, 2)) if len(out) % 3 else (0, 0)
        moved = cloth(tile, recipe.repeat, y, x, *tile.shape[:2])
        out.append((source.name, np.ascontiguousarray(moved), recipe.repeat))
    return out


def open_pictures(count: int = COUNT, seed: int = 2) -> list[tuple[str, np.ndarray, Repeat]]:
    """(name, rgb, repeat) of pictures that do not close: crops of photos, raw."""
    chance = np.random.default_rng(seed)
    photos = [develop(photo.name, 1024, 768).astype(np.float32) / 255 for photo in PHOTOS]
    out = []
    for n in range(count):
        photo = photos[n % len(photos)]
        w, h = int(chance.integers(256, 512)), int(chance.integers(256, 512))
        x, y = int(chance.integers(0, 1024 - w)), int(chance.integers(0, 768 - h))
        repeat = Repeat.parse(REPEATS[chance.integers(3)], "1/2")
        out.append((PHOTOS.names()[n % len(photos)], np.ascontiguousarray(photo[y : y + h, x : x + w]), repeat))
    return out


def measure(pictures: list[tuple[str, np.ndarray, Repeat]], full: bool = True) -> list[Seam]:
    """The reading of each."""
    return [seam(rgb, repeat, full=full) for _, rgb, repeat in pictures]


def main() -> None:
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("--seed", type=int, default=1, help="another seed is another set")
    parser.add_argument("--table", type=Path)
    parser.add_argument("--pictures", type=Path)
    args = parser.parse_args()
    closed, opened = closed_tiles(seed=args.seed), open_pictures(seed=args.seed + 1)
    good, bad = measure(closed), measure(opened)
    right = sum(one.value <= 1.10 for one in good)
    lines = [
        f"closed tiles: {len(good)}, at most 1.10: {right} ({100 * right / len(good):.1f} %)",
        f"open pictures: {len(bad)}, over 1.10: {sum(one.value > 1.10 for one in bad)}, "
        f"over 1.35: {sum(one.value > 1.35 for one in bad)} "
        f"({100 * sum(one.value > 1.35 for one in bad) / len(bad):.1f} %), "
        f"median {np.median([one.value for one in bad]):.2f}",
        "",
        "| false alarm | repeat | value | what decides | X | N | C |",
        "| --- | --- | --- | --- | --- | --- | --- |",
    ]
    for n, ((name, rgb, repeat), one) in enumerate(zip(closed, good, strict=True)):
        if one.value > 1.10:
            p = one.parts
            lines.append(
                f"| {name} {n} | {repeat.kind} {repeat.stagger} | {one.value:.2f} | {one.strongest} "
                f"| {p['X']:.2f} | {p.get('N', 0):.2f} | {p['C']:.2f} |"
            )
            if args.pictures:
                args.pictures.mkdir(parents=True, exist_ok=True)
                half = cloth(rgb, repeat, rgb.shape[0] // 2, rgb.shape[1] // 2, *rgb.shape[:2])
                cv2.imwrite(
                    str(args.pictures / f"{name}-{n}.png"), (np.hstack([rgb, half]) * 255).astype(np.uint8)[..., ::-1]
                )
    lines += ["", "| missed | repeat | value |", "| --- | --- | --- |"]
    lines += [
        f"| {name} {n} | {repeat.kind} | {one.value:.2f} |"
        for n, ((name, _, repeat), one) in enumerate(zip(opened, bad, strict=True))
        if one.value <= 1.10
    ]
    text = "\n".join(lines)
    print(text)
    if args.table:
        args.table.write_text(text + "\n")


if __name__ == "__main__":
    main()
