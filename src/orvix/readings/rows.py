"""Rows: lines that lead the eye, along any short vector of the repeat.

What varies across lines along a vector has its energy at frequencies k with k . vector = 0. Their energy over the mean
energy at the same distance from 0 is 1.9 where nothing leads; from 3, with an amplitude over 2 L*, a row shows.
"""

from __future__ import annotations

from math import atan2, degrees, hypot
from typing import Any

import cv2
import numpy as np
from numpy.typing import NDArray

from orvix.readings.registry import READINGS, Reading, Subject
from orvix.tiles.repeats import Repeat, cloth

SHOWS, LEAST_AMPLITUDE = 3.0, 2.0
_SIDE, _REACH, _HARMONICS = 192, 3, 6


def rows(subject: Subject, quick: bool = False) -> dict[str, Any]:
    """{"value", "angle_deg", "amplitude", "applies", "verdict"}: of the direction that leads most."""
    light = subject.small_lab(_SIDE)[..., 0]
    height, width = light.shape
    basis = _basis(subject, width, height)
    power = _power(light, basis)
    radial = _radial(power)
    best: tuple[float, float, float] = (0.0, 0.0, 0.0)
    for p in range(_REACH + 1):
        for q in range(-_REACH, _REACH + 1):
            if (p, q) == (0, 0) or np.gcd(p, q) != 1 or (p == 0 and q < 0):
                continue
            (a, b), vector = (-q, p), p * basis[0] + q * basis[1]
            here = [power[(n * a, n * b)] for n in range(1, _HARMONICS + 1) if (n * a, n * b) in power]
            usual = [radial(n * a, n * b) for n in range(1, _HARMONICS + 1) if (n * a, n * b) in power]
            if not here:
                continue
            value = sum(here) / max(sum(usual), 1e-9)
            amplitude = float(np.sqrt(2 * 2 * sum(here)))
            if amplitude > LEAST_AMPLITUDE and value > best[0]:
                best = (value, degrees(atan2(-vector[1], vector[0])) % 180, amplitude)
    value, angle, amplitude = best
    return {
        "value": round(float(value), 3), "angle_deg": round(float(angle), 1), "amplitude": round(amplitude, 2),
        "applies": True, "verdict": "leads" if value > SHOWS else "none leads",
    }  # fmt: skip


def _basis(subject: Subject, width: int, height: int) -> NDArray[np.float64]:
    scale = np.array([width / subject.width, height / subject.height])
    return np.array(subject.repeat.basis(subject.width, subject.height), np.float64) * scale


def _power(light: NDArray[np.float32], basis: NDArray[np.float64]) -> dict[tuple[int, int], float]:
    """Energy of the cloth's own frequencies: (a, b) counts periods along the two vectors of the repeat.

    The tile is laid out along its vectors first, so that a straight transform sees whole periods.
    """
    height, width = light.shape
    side = 96
    n = (np.arange(side) + 0.5) / side
    u, v = np.meshgrid(n, n)
    x, y = u * basis[0][0] + v * basis[1][0], u * basis[0][1] + v * basis[1][1]
    blurred = cv2.GaussianBlur(light, (0, 0), 0.6 * max(width, height) / side)
    kind = "half-drop" if basis[0][1] else "brick" if basis[1][0] else "straight"
    if kind == "half-drop":
        y = y - np.floor(x / width) * basis[0][1]
    elif kind == "brick":
        x = x - np.floor(y / height) * basis[1][0]
    around = cloth(blurred, Repeat("straight"), 0, 0, height + 1, width + 1)
    sampled = cv2.remap(around, (x % width).astype(np.float32), (y % height).astype(np.float32), cv2.INTER_LINEAR)
    found = np.abs(np.fft.fft2(sampled - sampled.mean()) / side**2) ** 2
    reach = _REACH * _HARMONICS
    return {
        (a, b): float(found[b % side, a % side]) for a in range(-reach, reach + 1) for b in range(-reach, reach + 1)
    }


def _radial(power: dict[tuple[int, int], float]) -> Any:
    """The mean energy at a distance from 0, over rings one period wide."""
    sums: dict[int, list[float]] = {}
    for (a, b), energy in power.items():
        sums.setdefault(round(hypot(a, b)), []).append(energy)
    means = {ring: float(np.mean(energies)) for ring, energies in sums.items()}
    return lambda a, b: means[round(hypot(a, b))]


READINGS.add("rows", Reading("rows", "Rows", "Rows and stripes that catch the eye.", rows, quick=False))
