"""Cloudy noise: gradient noise on a lattice that closes under any repeat, summed over octaves.

K. Perlin, "An image synthesizer", SIGGRAPH 1985, with the quintic fade of "Improving noise", 2002. Each octave's
lattice is the one before with both vectors halved, so all of them close. Ridged and turbulent sums: F. K. Musgrave in
Ebert et al., "Texturing and Modeling", chapter 16 (one minus the amount, squared; and the amount).
"""

from __future__ import annotations

from functools import lru_cache
from math import cos, radians, sin

import numpy as np
from numpy.typing import NDArray

from orvix.chance import fold, unit
from orvix.compiling import kernel, kernel_with
from orvix.pictures.packing import grey_to_pixels
from orvix.registry import Value
from orvix.tiles.lattices import Lattice, closing_lattice
from orvix.tiles.sources.registry import SOURCES, Order, Pixels, Plane, Source
from orvix.tiles.window import Window

KINDS = ("fractal", "ridged", "turbulent")
VALUES = (
    Value(
        "kind", "Kind", "choice", "fractal", "Fractal: clouds. Ridged: light veins. Turbulent: dark creases.",
        choices=KINDS,
    ),
    Value(
        "cells", "Cells across", "whole", 6,
        "Number of clouds across. More gives a finer picture.", low=1, high=64,
    ),
    Value("octaves", "Octaves", "whole", 5, "Number of layers, each twice as fine.", low=1, high=8),
    Value(
        "roughness", "Roughness", "number", 0.5, "Strength of each finer layer.", low=0,
        high=1,
    ),
    Value("depth", "Depth", "number", 0.55, "Contrast between light and dark.", low=0.05, high=1),
    Value("stretch", "Stretch", "number", 1.0, "Makes the clouds longer.", low=1, high=12),
    Value(
        "direction", "Direction", "number", 0.0, "Direction of long clouds, anticlockwise from right.", "°",
        low=0, high=180,
    ),
)  # fmt: skip


def render(order: Order) -> Pixels:
    """The window asked for, uint16 (rows, columns, 4), grey and opaque."""
    values = order.values
    lattice = turned_lattice(order, int(values["cells"]), values["stretch"], values["direction"])
    plane = octaves(order, lattice, KINDS.index(values["kind"]), int(values["octaves"]), values["roughness"])
    return grey_to_pixels(plane * np.float32(2 * values["depth"]) + np.float32(0.5))


def turned_lattice(order: Order, cells: float, stretch: float, direction_deg: float) -> Lattice:
    """Square cells, so many across the tile's width, stretched along a direction; the nearest that close."""
    side = order.width / cells
    c, s = cos(radians(direction_deg)), sin(radians(direction_deg))
    p, q = (side * stretch * c, -side * stretch * s), (side * s, side * c)
    return closing_lattice(order.width, order.height, order.repeat, p, q)


def octaves(
    order: Order, lattice: Lattice, kind: int, count: int, roughness: float, salt: int = 0, window: Window | None = None
) -> Plane:
    """The sum of octaves over a window: float32 (rows, columns) about 0, mostly within -0.5 to 0.5.

    Octaves whose cells would be under 2 px are left out.
    """
    window = window or order.window
    total = np.zeros((window.height, window.width), np.float32)
    strength, power, mean = 1.0, 0.0, 0.0
    for octave in range(count):
        finer = lattice.finer(1 << octave)
        if octave == 0 or 4 * finer.count <= order.width * order.height:
            _add_octave(total, order.seed, finer, window, octave + 16 * salt, np.float32(strength), kind)
            mean += strength * (0.0, 0.66, 0.2)[kind]
        power += strength * strength
        strength *= roughness
    gain = (1.0, 1.3, 1.6)[kind] / np.sqrt(power)
    return (total - np.float32(mean)) * np.float32(gain)


def _add_octave(
    total: Plane, seed: int, lattice: Lattice, window: Window, salt: int, strength: np.float32, kind: int
) -> None:
    n, s, m = lattice.reduced()
    u, v = lattice.axes(window)
    unit_px = np.int32(2 * lattice.width * lattice.height)
    _octave(total, _gradients(seed, salt, n, s, m), np.stack(u[:2]), np.stack(u[2:]), np.stack(v[:2]), np.stack(v[2:]),
            np.array([n, s, m, unit_px, kind], np.int32), strength)  # fmt: skip


@lru_cache(16)
def _gradients(seed: int, salt: int, n: int, s: int, m: int) -> NDArray[np.float32]:
    """Unit vectors float32 (n + 1, m + 1, 2) on the lattice's points; the last row and column repeat copies."""
    out = np.empty((n + 1, m + 1, 2), np.float32)
    _draw_gradients(out, np.uint64(seed), np.uint64(salt))
    out[n, :m] = np.roll(out[0, :m], s, axis=0)
    out[:, m] = out[:, 0]
    out.setflags(write=False)
    return out


@kernel_with(error_model="python")
def _draw_gradients(out, seed, salt):  # type: ignore[no-untyped-def]
    """A unit vector for each point but the last row and column, each from its own key; unchecked kernel."""
    state = fold(fold(np.uint64(11), seed), salt)
    for i in range(out.shape[0] - 1):
        row = fold(state, np.uint64(i))
        for j in range(out.shape[1] - 1):
            angle = 6.283185307179586 * unit(fold(row, np.uint64(j)))
            out[i, j, 0] = np.cos(angle)
            out[i, j, 1] = np.sin(angle)


@kernel
def _octave(total, gradients, u_across, u_down, v_across, v_down, numbers, strength):  # type: ignore[no-untyped-def]
    """Add one octave to `total`; unchecked kernel.

    u_across, v_across: int32 (2, columns), whole cells and rest in 1 / unit; u_down, v_down the same for rows. numbers:
    n, s, m of the lattice's copies, unit, and kind (0 the noise, 1 one minus its amount, squared, 2 its amount).
    """
    n, s, m, whole, kind = numbers[0], numbers[1], numbers[2], numbers[3], numbers[4]
    one = np.float32(1.0)
    six, fifteen, ten = np.float32(6.0), np.float32(15.0), np.float32(10.0)
    share = one / np.float32(whole)
    columns = total.shape[1]
    i_line, j_line = np.empty(columns, np.int32), np.empty(columns, np.int32)
    u_line, v_line = np.empty(columns, np.float32), np.empty(columns, np.float32)
    for y in range(total.shape[0]):
        for x in range(columns):
            rest = u_across[1, x] + u_down[1, y]
            over = np.int32(rest >= whole)
            i_line[x] = u_across[0, x] + u_down[0, y] + over
            u_line[x] = np.float32(rest - over * whole) * share
        for x in range(columns):
            rest = v_across[1, x] + v_down[1, y]
            over = np.int32(rest >= whole)
            j_line[x] = v_across[0, x] + v_down[0, y] + over
            v_line[x] = np.float32(rest - over * whole) * share
        start = 0
        while start < columns:  # cell by cell, so that the loop inside has nothing to decide
            i, j = i_line[start], j_line[start]
            stop = start + 1
            while stop < columns and i_line[stop] == i and j_line[stop] == j:
                stop += 1
            times = i // n
            i -= times * n
            j = (j - times * s) % m
            ax, ay = gradients[i, j, 0], gradients[i, j, 1]
            bx, by = gradients[i + 1, j, 0], gradients[i + 1, j, 1]
            cx, cy = gradients[i, j + 1, 0], gradients[i, j + 1, 1]
            dx, dy = gradients[i + 1, j + 1, 0], gradients[i + 1, j + 1, 1]
            us, vs, sums = u_line[start:stop], v_line[start:stop], total[y, start:stop]
            for k in range(us.shape[0]):
                u, v = us[k], vs[k]
                fade_u = u * u * u * (u * (u * six - fifteen) + ten)
                fade_v = v * v * v * (v * (v * six - fifteen) + ten)
                top = ax * u + ay * v
                top += (bx * (u - one) + by * v - top) * fade_u
                low = cx * u + cy * (v - one)
                low += (dx * (u - one) + dy * (v - one) - low) * fade_u
                value = top + (low - top) * fade_v
                if kind == 1:
                    value = one - abs(value)
                    value *= value
                elif kind == 2:
                    value = abs(value)
                sums[k] += value * strength
            start = stop


SOURCES.add(
    "noise",
    Source("noise", "Cloudy", "generated", "Cloudy tones, ridges or creases.", VALUES, render, "noise"),
)  # fmt: skip
