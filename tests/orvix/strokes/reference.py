"""A stroke the slow and plain way, in Python and double precision: what the kernels are held to."""

from __future__ import annotations

from fractions import Fraction
from itertools import pairwise
from math import atan, atan2, ceil, cos, exp, floor, hypot, inf, pi, prod, radians, sin, sqrt, tan

import numpy as np

from orvix.brushes.leads import DRIVER_NAMES, DRIVERS
from orvix.brushes.values import LED_NAMES

MASK = 2**64 - 1
T, X, Y, PRESS, TILT_X, TILT_Y, TWIST, SPEED, DISTANCE = range(9)


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


def curve(samples):
    """The flattened B-spline: a list of 9-vectors, speed and distance last."""
    known, speed, before = [], 0.0, None
    for sample in samples:
        now = np.append(np.array(sample, float), [speed, 0.0])
        if before is not None:
            dt = now[T] - before[T]
            if dt > 0:
                step = hypot(now[X] - before[X], now[Y] - before[Y]) / dt
                speed += (step - speed) * (1 if len(known) == 1 else 1 - exp(-dt / 40))
            now[SPEED] = speed
        before = now
        known.append(now)
    points = [known[0]]
    start = control = known[0]
    for sample in known[1:]:
        middle = 0.5 * (control + sample)
        bend = 0.5 * (start - control) + 0.25 * (sample - control)
        pieces = int(min(max(ceil(sqrt(50.0 * hypot(bend[X], bend[Y]))), 1), 256))
        for j in range(1, pieces + 1):
            u = j / pieces
            points.append((1 - u) ** 2 * start + 2 * u * (1 - u) * control + u * u * middle)
        start, control = middle, sample
    points.append(known[-1].copy())
    gone = 0.0
    for a, b in pairwise(points):
        gone += hypot(b[X] - a[X], b[Y] - a[Y])
        b[DISTANCE] = gone
    return points


def driven(name, at, heading, first, number, start):
    tx, ty = tan(radians(at[TILT_X])), tan(radians(at[TILT_Y]))
    return {
        "pressure": at[PRESS], "tilt": atan(hypot(tx, ty)) / (pi / 2), "bearing": atan2(ty, tx) / (2 * pi) % 1,
        "twist": at[TWIST] / 360 % 1, "speed": 1000 * at[SPEED], "heading": heading / (2 * pi) % 1,
        "first_heading": first / (2 * pi) % 1, "distance": at[DISTANCE], "stamp_count": number, "time": at[T] - start,
    }[name]  # fmt: skip


def led(coat, name, base, seed, number, mark, *given):
    for lead in coat.leads:
        if lead.value != name:
            continue
        n = DRIVER_NAMES.index(lead.driver)
        prop = 100 + 16 * LED_NAMES.index(name) + n
        if lead.driver == "chance_stamp":
            share = chance(seed, 0, number, mark, prop)
        elif lead.driver == "chance_stroke":
            share = chance(seed, 0, 2**40, 0, prop)
        else:
            share = driven(lead.driver, *given) / (lead.over if DRIVERS[n].over else 1)
            share = share % 1 if lead.loops and DRIVERS[n].over else min(max(share, 0), 1)
        out = float(np.interp(share, np.linspace(0, 1, 257), lead.table()))
        base = {"multiplies": base * out, "adds": base + out, "replaces": out}[lead.does]
    return base


def clamp(value, low, high):
    return min(max(value, low), high)


def stamps(brush, samples, seed):
    """Every mark as a dict of x, y, size, turn, roundness, flips, flow, cap and heading. A round tip, by lengths."""
    coat = brush.coats[0]
    values, out, count = coat.values, [], 0
    origin = np.array([0, floor(samples[0][1]), floor(samples[0][2]), 0, 0, 0, 0])
    points = curve([np.array(sample) - origin for sample in samples])
    needs = values["follows"] in ("heading", "first heading") or values["way_back"] != "as it comes"
    needs = needs or any(lead.driver in ("heading", "first_heading") for lead in coat.leads)
    lead_in = 3.0 if needs else 0.0
    far = next((p for p in points if p[DISTANCE] >= lead_in and p[DISTANCE] > 0), points[-1])
    first = atan2(far[Y] - points[0][Y], far[X] - points[0][X])
    total = points[-1][DISTANCE]

    def put(at, heading):
        nonlocal count
        heading = first if at[DISTANCE] < lead_in else heading
        number, gap = count, None
        given = (at, heading, first, number, points[0][T])
        several = led(coat, "count", values["count"], seed, number, 0, *given)
        if values["count_jitter"]:
            several *= 1 - values["count_jitter"] * chance(seed, 0, number, 0, 3)
        marks = int(clamp(floor(several + 0.5), 0, 16))
        for mark in range(max(marks, 1)):

            def one(name, base, mark=mark):
                return led(coat, name, base, seed, number, mark, *given)

            size = clamp(one("size", values["size"]), values["smallest"], values["largest"])
            thin = min(
                at[DISTANCE] / values["thin_start"] if values["thin_start"] else inf,
                (total - at[DISTANCE]) / values["thin_end"] if values["thin_end"] else inf,
            )
            if thin < 1:
                size = max(size * (values["thin_to"] + (1 - values["thin_to"]) * thin), 0.25)
            turn = radians(one("turn", values["turn"]))
            turn += {"nothing": 0.0, "heading": heading, "first heading": first}.get(values["follows"], 0.0)
            if values["follows"] in ("bearing", "twist"):
                turn += 2 * pi * driven(values["follows"], *given)
            elif values["follows"] == "tilt":
                turn += pi / 2 * driven("tilt", *given)
            flips, back = 0, cos(heading) < -1e-9
            if back and values["way_back"] == "half turn":
                turn += pi
            if back and values["way_back"] == "mirrored":
                flips = 2 if "heading" in values["follows"] else 1
            for k, name in enumerate(("flip_across", "flip_down")):
                by = {"by chance": chance(seed, 0, number, mark, 4 + k) < 0.5, "in turn": number % 2 == 1}
                flips ^= (1 << k) * by.get(values[name], False)
            roundness = clamp(one("roundness", values["roundness"]), 0.05, 1)
            if gap is None:
                c, s = cos(heading - turn), sin(heading - turn)
                extent = size * hypot(c, s * roundness)
                gap = values["spacing_px"] if values["spaced_by"] == "px" else values["spacing"] * extent
                gap *= led(coat, "spacing", 1, seed, number, 0, *given)
                gap = max(gap, 0.005 * extent, 0.05)
            if not marks:
                break
            along, across = (one(name, values[name]) for name in ("scatter_along", "scatter_across"))
            along *= (2 * chance(seed, 0, number, mark, 1) - 1) * size if along else 0
            across *= (2 * chance(seed, 0, number, mark, 2) - 1) * size if across else 0
            out.append({
                "x": at[X] + cos(heading) * along - sin(heading) * across + origin[1],
                "y": at[Y] + sin(heading) * along + cos(heading) * across + origin[2],
                "size": size, "turn": turn, "roundness": roundness, "flips": flips, "heading": heading,
                "flow": clamp(one("flow", values["flow"]), 0, 1),
                "cap": prod(clamp(one(name, values[name]), 0, 1) for name in ("opacity", "strength")),
                "hardness": clamp(one("hardness", values["hardness"]), 0, 1),
                "grain": clamp(one("grain_strength", coat.grain.values["strength"] if coat.grain else 1), 0, 1),
            })  # fmt: skip
        count += 1
        return gap

    left = None
    for pen, end in pairwise(points):
        length = hypot(end[X] - pen[X], end[Y] - pen[Y])
        if length == 0:
            continue
        heading = atan2(end[Y] - pen[Y], end[X] - pen[X])
        if left is None:
            left = put(points[0], first)
        gone = left
        while gone <= length:
            gone += put(pen + (end - pen) * (gone / length), heading)
        left = gone - length
    if left is None:
        tap = points[0].copy()
        tap[PRESS] = max(sample[3] for sample in samples)
        put(tap, 0.0)
    return out


def tip_places(mark, x, y, k):
    """Where px lie in a tip of size 1."""
    dx, dy = x - mark["x"] * k, y - mark["y"] * k
    c, s = cos(mark["turn"]), sin(mark["turn"])
    u, v = (c * dx + s * dy) / (mark["size"] * k), (c * dy - s * dx) / (mark["size"] * k * mark["roundness"])
    return (-u if mark["flips"] & 1 else u), (-v if mark["flips"] & 2 else v)


def bitten(paint, grain, strength, bite):
    """What a grain leaves of paint."""
    keep = 1 - strength
    hard = np.where(paint <= 0.5, 2 * paint * grain, 1 - 2 * (1 - paint) * (1 - grain))
    cut = np.clip((paint - (1 - grain)) * 24 + 0.5, 0, 1)
    return {
        "multiply": paint * (keep + strength * grain),
        "subtract": np.maximum(paint - strength * (1 - grain), 0),
        "height": np.clip(paint * (1 + 2 * strength) - (1 - grain) * 2 * strength, 0, 1),
        "overlay": np.where(paint > 0, paint * keep + hard * strength, 0),
        "darken": np.minimum(paint, keep + strength * grain),
        "hard cut": np.where(paint > 0, paint * keep + cut * strength, 0),
    }[bite]


def coverage(brush, samples, seed, width, height, *, grain=None, shifts=((0, 0),), times=Fraction(1), tip=None):
    """The stroke buffer, float64 (height, width); grain: a plane of the canvas's size; shifts: copies of every dab.

    tip: a function of x and y in lengths of the mark, 0 at its middle, for a picture; None for a round tip.
    """
    plane = np.zeros((height, width))
    y, x = np.mgrid[0:height, 0:width] + 0.5
    k, coat = float(times), brush.coats[0]
    for mark in stamps(brush, samples, seed):
        flow = mark["flow"] * min(mark["size"] * k * mark["roundness"], 1) ** 2
        for dx, dy in shifts:
            u, v = tip_places(mark, x + dx, y + dy, k)
            paint = flow * (round_cover(mark, u, v, k) if tip is None else tip(u, v))
            if grain is not None:
                paint = bitten(paint, grain, mark["grain"], coat.grain.values["bite"])
            if coat.values["builds"] == "stays level":
                plane = np.maximum(plane, mark["cap"] * paint)
            else:
                plane += np.maximum(mark["cap"] - plane, 0) * paint
    return plane


def round_cover(mark, u, v, k):
    radius, far = mark["size"] * k / 2, np.hypot(u, v) * 2
    inner, crisp = mark["hardness"], radius * mark["roundness"] * (1 - mark["hardness"]) < 1
    if crisp and mark["roundness"] < 1:
        # Signed distance from the ellipse to first order: (1 - q) over the length of its gradient, in px.
        gx, gy = 4 * u / (mark["size"] * k), 4 * v / (mark["size"] * k * mark["roundness"])
        return np.clip((1 - far**2) / (2 * np.hypot(gx, gy) + 1e-9) + 0.5, 0, 1)
    if crisp:
        far, inner = far * radius / (radius + 0.5), min((radius - 0.5) / (radius + 0.5), 0.9999)
    s = np.clip((1 - far**2) / (1 - inner**2), 0, 1)
    return s * s * (3 - 2 * s)
