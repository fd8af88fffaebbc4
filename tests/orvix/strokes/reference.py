"""A stroke the slow and plain way, in Python and double precision: what the kernels are held to."""

from __future__ import annotations

from fractions import Fraction
from itertools import pairwise
from math import atan2, ceil, cos, floor, hypot, sin, sqrt

import numpy as np

MASK = 2**64 - 1


def fold(state: int, word: int) -> int:
    z = ((state ^ word) + 0x9E3779B97F4A7C15) & MASK
    z = ((z ^ (z >> 30)) * 0xBF58476D1CE4E5B9) & MASK
    z = ((z ^ (z >> 27)) * 0x94D049BB133111EB) & MASK
    return z ^ (z >> 31)


def chance(*key: int) -> float:
    state = 0
    for word in key:
        state = fold(state, word)
    return (state >> 11) / 2**53


def respond(driver, response):
    low, high, bend = response
    middle = 0.5 * (1 + 0.98 * bend)
    return low + (high - low) * driver / ((1 / middle - 2) * (1 - driver) + 1)


def curve(samples):
    """The flattened B-spline: a list of 7-vectors."""
    points = [np.array(samples[0], float)]
    start = control = points[0]
    for sample in samples[1:]:
        middle = 0.5 * (control + sample)
        bend = 0.5 * (start - control) + 0.25 * (sample - control)
        pieces = int(min(max(ceil(sqrt(50.0 * hypot(bend[1], bend[2]))), 1), 256))
        for j in range(1, pieces + 1):
            u = j / pieces
            points.append((1 - u) ** 2 * start + 2 * u * (1 - u) * control + u * u * middle)
        start, control = middle, np.array(sample, float)
    return [*points, np.array(samples[-1], float)]


def stamps(brush, samples, seed):
    """Every stamp as (x, y, size, flow, heading)."""
    values, out = brush.values, []

    def put(at, heading):
        n, size, flow = len(out), values["size"], values["flow"]
        if "size" in brush.leads:
            size *= respond(at[3], brush.leads["size"])
        size *= 1 - values["size_jitter"] * (chance(seed, 0, n, 0, 1) if values["size_jitter"] else 0)
        size = min(max(size, values["smallest"]), values["largest"])
        if "flow" in brush.leads:
            flow *= respond(at[3], brush.leads["flow"])
        aside = (2 * chance(seed, 0, n, 0, 2) - 1) * values["scatter"] * size if values["scatter"] else 0.0
        out.append((at[1] - sin(heading) * aside, at[2] + cos(heading) * aside, size, min(max(flow, 0), 1), heading))
        return max(values["spacing"] * size, 0.05)

    origin = np.array([0, floor(samples[0][1]), floor(samples[0][2]), 0, 0, 0, 0])
    points = curve([np.array(sample) - origin for sample in samples])
    left = None
    for pen, end in pairwise(points):
        length = hypot(end[1] - pen[1], end[2] - pen[2])
        if length == 0:
            continue
        heading = atan2(end[2] - pen[2], end[1] - pen[1])
        if left is None:
            left = put(points[0], heading)
        gone = left
        while gone <= length:
            gone += put(pen + (end - pen) * (gone / length), heading)
        left = gone - length
    if left is None:
        tap = points[0].copy()
        tap[3] = max(sample[3] for sample in samples)
        put(tap, 0.0)
    return [(x + origin[1], y + origin[2], *rest) for x, y, *rest in out]


def coverage(brush, samples, seed, width, height, *, grain=None, shifts=((0, 0),), times=Fraction(1)):
    """The stroke buffer, float64 (height, width); grain: a plane of the canvas's size; shifts: copies of every dab."""
    plane = np.zeros((height, width))
    y, x = np.mgrid[0:height, 0:width] + 0.5
    k = float(times)
    for cx, cy, size, flow, _ in stamps(brush, samples, seed):
        radius = size * k / 2
        inner, outer = radius * brush.tip.values["hardness"], radius
        if outer - inner < 1:
            inner, outer = radius - 0.5, radius + 0.5
        flow *= min(2 * radius, 1) ** 2
        for dx, dy in shifts:
            distance = np.hypot(x - cx * k + dx, y - cy * k + dy)
            s = np.clip((outer**2 - distance**2) / (outer**2 - inner**2), 0, 1)
            paint = s * s * (3 - 2 * s) * flow * (1 if grain is None else grain)
            plane += (1 - plane) * paint
    return plane


def picture_coverage(brush, samples, seed, width, height, mask):
    """The same for a tip of smooth picture: `mask` is a function of x and y in lengths of the mark, 0 at its middle."""
    plane = np.zeros((height, width))
    y, x = np.mgrid[0:height, 0:width] + 0.5
    for cx, cy, size, flow, _ in stamps(brush, samples, seed):
        plane += (1 - plane) * mask((x - cx) / size, (y - cy) / size) * flow
    return plane
