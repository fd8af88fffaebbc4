"""Dab throughput beside general raster libraries laying the same stamps, and beside copying memory.

Every peer has its pictures prepared and its target allocated before the clock runs. "Plain" lays one mask along a line
through a grain; "different" lays dabs of which each has its own size (ours computes the mask, peers resample it).
"""

from __future__ import annotations

import time
from collections.abc import Callable

import cv2
import numpy as np
import skia
from PIL import Image, ImageChops

from orvix.benching import best_of, dab_work, picture_work

Work = Callable[[], object]
SIZES = ((32, 1500), (200, 150))


def mask_of(size: int) -> np.ndarray:
    y, x = np.mgrid[0:size, 0:size] + 0.5
    s = np.clip((size / 2 - np.hypot(x - size / 2, y - size / 2)) / (size * 0.15), 0, 1)
    return (s * s * (3 - 2 * s) * 0.25).astype(np.float32)


def places_of(size: int, count: int) -> np.ndarray:
    return np.linspace(32, 2112 - size - 32, count).astype(int)


def sizes_of(size: int, count: int) -> np.ndarray:
    return np.round(np.linspace(0.9, 1.0, count) * size).astype(int)


def numpy_work(size: int, count: int, *, vary: bool) -> Work:
    plane, grain, mask, room, places = prepared(size, count)

    def work() -> None:
        for n, x in enumerate(places):
            side = widths[n]
            part = room[:side, :side]
            np.multiply(masks[n], grain[8 : 8 + side, x : x + side], out=part)
            under = plane[8 : 8 + side, x : x + side]
            under += (1 - under) * part

    widths = sizes_of(size, count) if vary else [size] * count
    masks = [mask_of(side) for side in widths] if vary else [mask] * count
    return work


def opencv_work(size: int, count: int, *, vary: bool) -> Work:
    plane, grain, mask, room, places = prepared(size, count)
    spare = np.zeros_like(mask)
    widths = sizes_of(size, count)

    def work() -> None:
        for n, x in enumerate(places):
            stamp = mask
            if vary:
                scale = widths[n] / size
                turn = np.array([[scale, 0, 0], [0, scale, 0]], np.float32)
                stamp = cv2.warpAffine(mask, turn, (size, size), dst=spare, flags=cv2.INTER_LINEAR)
            cv2.multiply(stamp, grain[8 : 8 + size, x : x + size], dst=room)
            under = plane[8 : 8 + size, x : x + size]
            cv2.subtract(1.0, under, dst=spare) if not vary else cv2.subtract(1.0, under, dst=third)
            cv2.multiply(spare if not vary else third, room, dst=room)
            cv2.add(under, room, dst=under)

    third = np.zeros_like(mask)
    return work


def prepared(size: int, count: int) -> tuple[np.ndarray, ...]:
    plane = np.zeros((size + 64, 2112), np.float32)
    grain = np.random.default_rng(2).random(plane.shape, np.float32)
    return plane, grain, mask_of(size), np.zeros((size, size), np.float32), places_of(size, count)


def pillow_work(size: int, count: int, *, vary: bool) -> Work:
    plane = Image.new("L", (2112, size + 64), 0)
    grain = Image.fromarray((np.random.default_rng(2).random((size + 64, 2112)) * 255).astype(np.uint8))
    mask = Image.fromarray((mask_of(size) * 255).astype(np.uint8))
    places, widths = places_of(size, count), sizes_of(size, count)

    def work() -> None:
        for n, x in enumerate(places):
            stamp = mask.resize((int(widths[n]), int(widths[n])), Image.Resampling.BILINEAR) if vary else mask
            box = (int(x), 8, int(x) + stamp.width, 8 + stamp.height)
            plane.paste(255, box, ImageChops.multiply(stamp, grain.crop(box)))

    return work


def skia_work(size: int, count: int, *, vary: bool) -> Work:
    target = skia.Surface.MakeRaster(skia.ImageInfo.MakeA8(2112, size + 64))
    noise = (np.random.default_rng(2).random((size + 64, 2112)) * 255).astype(np.uint8)
    a8 = {"colorType": skia.kAlpha_8_ColorType, "copy": True}
    grain = skia.Image.fromarray(noise, **a8)
    mask = skia.Image.fromarray((mask_of(size) * 255).astype(np.uint8), **a8)
    places, widths = places_of(size, count), sizes_of(size, count)
    linear = skia.SamplingOptions(skia.FilterMode.kLinear)
    plain = skia.SamplingOptions()
    tooth = grain.makeShader(skia.TileMode.kRepeat, skia.TileMode.kRepeat, plain)
    canvas, paint = target.getCanvas(), skia.Paint(Shader=tooth)
    whole = skia.Rect.MakeWH(size, size)

    def work() -> None:
        for n, x in enumerate(places):
            if vary:
                side = float(widths[n])
                canvas.drawImageRect(mask, whole, skia.Rect.MakeXYWH(float(x), 8.0, side, side), linear, paint)
            else:
                canvas.drawImage(mask, float(x), 8.0, plain, paint)

    return work


PEERS = {"NumPy": numpy_work, "OpenCV float32": opencv_work, "Pillow": pillow_work, "skia-python A8": skia_work}


def copy_rate(size: int) -> float:
    """Bytes a second, read and written, of np.copyto on an array of the stamp's size."""
    one = np.random.default_rng(1).random((size, size), np.float32)
    other = np.empty_like(one)

    def work() -> None:
        for _ in range(500):
            np.copyto(other, one)

    return 500 * one.nbytes * 2 / best_of(work, time.perf_counter)


ROUNDS = 7


def best_side_by_side(works: dict[str, Work]) -> dict[str, float]:
    """The shortest time of each work over several rounds, all works taking turns, so that drift meets them alike."""
    for work in works.values():
        work()
    best = dict.fromkeys(works, float("inf"))
    for _ in range(ROUNDS):
        for name, work in works.items():
            start = time.perf_counter()
            work()
            best[name] = min(best[name], time.perf_counter() - start)
    return best


def turned_opencv(size: int, count: int) -> Work:
    """The same turned and resized masks through OpenCV, one thread."""
    plane, grain, _, room, places = prepared(size, count)
    mask = np.random.default_rng(3).random((size, size), np.float32)
    spare, third = np.zeros_like(mask), np.zeros_like(mask)
    turns, scales = np.degrees(np.linspace(0.1, 3.0, count)), np.linspace(0.9, 1.0, count)
    maps = [cv2.getRotationMatrix2D((size / 2, size / 2), t, s) for t, s in zip(turns, scales, strict=True)]

    def work() -> None:
        for n, x in enumerate(places):
            cv2.warpAffine(mask, maps[n], (size, size), dst=spare, flags=cv2.INTER_LINEAR)
            cv2.multiply(spare, grain[8 : 8 + size, x : x + size], dst=room)
            under = plane[8 : 8 + size, x : x + size]
            cv2.subtract(1.0, under, dst=third)
            cv2.multiply(third, room, dst=room)
            cv2.add(under, room, dst=under)

    return work


def turned_skia(size: int, count: int) -> Work:
    """And through skia-python, A8, the grain as shader."""
    target = skia.Surface.MakeRaster(skia.ImageInfo.MakeA8(2112, size + 64))
    noise = (np.random.default_rng(2).random((size + 64, 2112)) * 255).astype(np.uint8)
    a8 = {"colorType": skia.kAlpha_8_ColorType, "copy": True}
    grain = skia.Image.fromarray(noise, **a8)
    mask = skia.Image.fromarray((np.random.default_rng(3).random((size, size)) * 255).astype(np.uint8), **a8)
    tooth = grain.makeShader(skia.TileMode.kRepeat, skia.TileMode.kRepeat, skia.SamplingOptions())
    canvas, paint = target.getCanvas(), skia.Paint(Shader=tooth)
    linear = skia.SamplingOptions(skia.FilterMode.kLinear)
    places, turns = places_of(size, count), np.degrees(np.linspace(0.1, 3.0, count))
    scales = np.linspace(0.9, 1.0, count)

    def work() -> None:
        for n, x in enumerate(places):
            canvas.save()
            canvas.translate(float(x) + size / 2, 8 + size / 2)
            canvas.rotate(float(turns[n]))
            canvas.scale(float(scales[n]), float(scales[n]))
            canvas.drawImage(mask, -size / 2, -size / 2, linear, paint)
            canvas.restore()

    return work


def turned(size: int, count: int) -> dict[str, object]:
    """Dabs of a picture of which each has its own size and turn."""
    threads = cv2.getNumThreads()
    cv2.setNumThreads(1)
    peers = {"OpenCV float32": turned_opencv(size, count), "skia-python A8": turned_skia(size, count)}
    best = best_side_by_side({"Orvix": picture_work(size, count), **peers})
    cv2.setNumThreads(threads)
    px = size * size * count * 0.9
    row: dict[str, object] = {f"{name}, Mpx/s": round(px / seconds / 1e6, 1) for name, seconds in best.items()}
    return row | {f"Orvix over {name}": round(best[name] / best["Orvix"], 2) for name in peers}


def measure() -> dict[str, object]:
    told: dict[str, object] = {
        f"{size} px, turned pictures, every dab different": turned(size, count) for size, count in SIZES
    }
    for size, count in SIZES:
        for vary in (False, True):
            px = (sizes_of(size, count) ** 2).sum() if vary else size * size * count
            works = {name: peer(size, count, vary=vary) for name, peer in PEERS.items()}
            best = best_side_by_side({"Orvix": dab_work(size, count, vary=vary, grain=True), **works})
            rates = {name: px / seconds / 1e6 for name, seconds in best.items()}
            row: dict[str, object] = {f"{name}, Mpx/s": round(rate, 1) for name, rate in rates.items()}
            row |= {f"Orvix over {name}": round(rates["Orvix"] / rates[name], 1) for name in PEERS}
            if not vary:
                copied = copy_rate(size)
                row["np.copyto, GB/s"] = round(copied / 1e9, 1)
                moved = rates["Orvix"] * 12e6 / copied
                row["Orvix bytes (grain read, buffer read and written) over np.copyto"] = round(moved, 2)
            told[f"{size} px, {'every dab different' if vary else 'plain'}"] = row
    return told
