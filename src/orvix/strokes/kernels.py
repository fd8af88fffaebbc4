"""The hot loops of painting: dabs into a one-channel stroke buffer, and the buffer onto a layer.

Unchecked: `strokes.painter` and `canvases.compositing` check and prepare. One plane is one block of the stroke buffer,
float32 (rows, columns), values 0 to 1. Rows are walked as slices so that the loops vectorise; nothing is
reassociated, so one pixel's value depends on the order of the stamps and on nothing else.
"""

from __future__ import annotations

import numpy as np
from numba import njit

from orvix import chance as properties
from orvix.chance import chance

ONE = np.float32(1.0)
HALF = np.float32(0.5)
ZERO = np.float32(0.0)
TWO = np.float32(2.0)
THREE = np.float32(3.0)


@njit(nogil=True, cache=True, error_model="numpy")
def lay_round_dabs(plane, top, left, grain, grain_top, grain_left, places, shapes, order):  # type: ignore[no-untyped-def]
    """Lay round dabs, in `order`, into `plane`, whose upper left pixel is (top, left) on the canvas.

    places: (n, 2) whole column and row of each centre. shapes: (n, 5) offset x, offset y, radius, inner, flow.
    grain: float32, value 0 to 1, read at (row - grain_top, column - grain_left); shape (1, 1) for none.
    Coverage falls from 1 at `inner` to 0 at `radius` as 3s^2 - 2s^3, where s runs with the square of the distance d:
    s = (radius^2 - d^2) / (radius^2 - inner^2). No root is taken. Callers keep the two at least a pixel apart.
    """
    rows, columns = plane.shape
    plain = grain.shape[0] == 1 and grain.shape[1] == 1
    for k in range(order.shape[0]):
        n = order[k]
        column, row = places[n, 0] - left, places[n, 1] - top
        ox, oy = shapes[n, 0], shapes[n, 1]
        radius, inner, flow = shapes[n, 2], shapes[n, 3], shapes[n, 4]
        fall = ONE / (radius * radius - inner * inner)
        reach = np.int64(radius) + 2
        y0, y1 = max(row - reach, 0), min(row + reach + 1, rows)
        for y in range(y0, y1):
            dy = np.float32(y - row) - oy
            room = radius * radius - dy * dy
            if room <= ZERO:
                continue
            half = np.int64(np.sqrt(room)) + 2
            x0, x1 = max(column - half, 0), min(column + half + 1, columns)
            if x0 >= x1:
                continue
            line = plane[y, x0:x1]
            first = np.int32(x0 - column)
            if plain:
                for i in range(line.shape[0]):
                    dx = np.float32(first + np.int32(i)) - ox
                    s = (room - dx * dx) * fall
                    s = min(max(s, ZERO), ONE)
                    line[i] += (ONE - line[i]) * (s * s * (THREE - TWO * s) * flow)
            else:
                tooth = grain[y + top - grain_top, x0 + left - grain_left : x1 + left - grain_left]
                for i in range(line.shape[0]):
                    dx = np.float32(first + np.int32(i)) - ox
                    s = (room - dx * dx) * fall
                    s = min(max(s, ZERO), ONE)
                    line[i] += (ONE - line[i]) * (s * s * (THREE - TWO * s) * flow * tooth[i])


@njit(nogil=True, cache=True, error_model="numpy")
def lay_picture_dabs(plane, top, left, grain, grain_top, grain_left, places, shapes, order, masks, levels):  # type: ignore[no-untyped-def]
    """Lay dabs of a picture, as `lay_round_dabs` lays round ones.

    shapes: (n, 6) offset x, offset y, step x, step y, flow, level; a step is how many px of the level's mask lie in
    one px of the canvas, negative where the mask is mirrored. masks: all levels end to end, float32, each with a border
    of zeros 1 px wide. levels: (k, 3) where a level begins, its rows and its columns, the border left out. The mask is
    read bilinearly.
    """
    rows, columns = plane.shape
    plain = grain.shape[0] == 1 and grain.shape[1] == 1
    for k in range(order.shape[0]):
        n = order[k]
        column, row = places[n, 0] - left, places[n, 1] - top
        ox, oy = shapes[n, 0], shapes[n, 1]
        step_x, step_y, flow = shapes[n, 2], shapes[n, 3], shapes[n, 4]
        start, high, wide = levels[np.int64(shapes[n, 5])]
        middle_x, middle_y = np.float32(wide + 1) * HALF, np.float32(high + 1) * HALF
        last_x, last_y = np.float32(wide + 1), np.float32(high + 1)
        reach_x = np.int64(middle_x / abs(step_x)) + 2
        reach_y = np.int64(middle_y / abs(step_y)) + 2
        x0, x1 = max(column - reach_x, 0), min(column + reach_x + 1, columns)
        y0, y1 = max(row - reach_y, 0), min(row + reach_y + 1, rows)
        if x0 >= x1:
            continue
        first = np.int32(x0 - column)
        for y in range(y0, y1):
            v = (np.float32(y - row) - oy) * step_y + middle_y
            if v <= ZERO or v >= last_y:
                continue
            down = np.int64(v)
            below = v - np.float32(down)
            above = ONE - below
            upper = masks[start + down * (wide + 2) : start + (down + 1) * (wide + 2)]
            lower = masks[start + (down + 1) * (wide + 2) : start + (down + 2) * (wide + 2)]
            line = plane[y, x0:x1]
            tooth = grain[0] if plain else grain[y + top - grain_top, x0 + left - grain_left : x1 + left - grain_left]
            for i in range(line.shape[0]):
                u = (np.float32(first + np.int32(i)) - ox) * step_x + middle_x
                u = min(max(u, ZERO), last_x)
                at = min(np.int32(u), np.int32(wide))
                right = u - np.float32(at)
                here = upper[at] * above + lower[at] * below
                there = upper[at + 1] * above + lower[at + 1] * below
                paint = (here + (there - here) * right) * flow
                if not plain:
                    paint *= tooth[i]
                line[i] += (ONE - line[i]) * paint


@njit(nogil=True, cache=True, error_model="numpy")
def smear_dab(window, carried, paint, keep, first):  # type: ignore[no-untyped-def]
    """One stamp of a smear: what is carried takes up the window's colour and is laid by `paint`; unchecked kernel.

    window: uint16 (rows, columns, 4), premultiplied, changed. carried: float32 of the same shape, 0 to 65535, changed.
    paint: float32 (rows, columns). keep: the share of what is carried that stays; first: nothing is laid yet.
    """
    one, half = ONE, HALF
    for y in range(window.shape[0]):
        line, load, cover = window[y].reshape(-1), carried[y].reshape(-1), paint[y]
        for x in range(cover.shape[0]):
            alpha = cover[x]
            for i in range(4 * x, 4 * x + 4):
                here = np.float32(line[i])
                held = here if first else load[i] * keep + here * (one - keep)
                load[i] = held
                line[i] = np.uint16(np.int32(here + (held - here) * alpha + half))


# A stroke being laid keeps these numbers between batches (float64 unless said otherwise by their use).
STATE_WIDTH = 34
SEEN, STARTED, STAMPS, TO_NEXT, TOP_PRESSURE = 0, 1, 2, 3, 4
FIRST, CONTROL, FROM, PEN = 6, 13, 20, 27
"""Where in the state: first sample, the curve's control sample, the curve's point so far, the last flattened point."""

RULE_WIDTH = 17
SIZE, SMALLEST, LARGEST, SPACING, FLOW, SIZE_JITTER, SCATTER, SEED = 0, 1, 2, 3, 4, 5, 6, 7
SIZE_LEAD, FLOW_LEAD = 8, 12
"""Where in the rules of a brush: its values, and its two leads as (on, from, to, bend)."""

SAMPLE_WIDTH = 7
STAMP_WIDTH = 6
"""A stamp: x, y, size (px of the unscaled canvas), flow, heading in radians, its number in the stroke."""

CHANCE_SIZE, CHANCE_SCATTER = np.uint64(properties.SIZE), np.uint64(properties.SCATTER)

LEAST_STEP_PX = 0.05
FLATNESS = 50.0


@njit(nogil=True, cache=True, error_model="numpy")
def respond(driver, low, high, bend):  # type: ignore[no-untyped-def]
    """A response (from, to, bend) at a driver in 0 to 1: Schlick's bias with 0.5 (1 + 0.98 bend) as its middle.

    C. Schlick, "Fast Alternatives to Perlin's Bias and Gain Functions", Graphics Gems IV, 1994. Exact at both ends.
    """
    middle = 0.5 * (1.0 + 0.98 * bend)
    bent = driver / ((1.0 / middle - 2.0) * (1.0 - driver) + 1.0)
    return low + (high - low) * bent


@njit(nogil=True, cache=True, error_model="numpy")
def _put_stamp(state, rules, at, heading, out, n):  # type: ignore[no-untyped-def]
    """Put stamp number state[STAMPS] at sample `at` into out[n] if there is room; set the way to the next one."""
    number = np.uint64(state[STAMPS])
    seed = np.uint64(rules[SEED])
    size = rules[SIZE]
    if rules[SIZE_LEAD] > 0.0:
        size *= respond(at[3], rules[SIZE_LEAD + 1], rules[SIZE_LEAD + 2], rules[SIZE_LEAD + 3])
    if rules[SIZE_JITTER] > 0.0:
        size *= 1.0 - rules[SIZE_JITTER] * chance(seed, np.uint64(0), number, np.uint64(0), CHANCE_SIZE)
    size = min(max(size, rules[SMALLEST]), rules[LARGEST])
    flow = rules[FLOW]
    if rules[FLOW_LEAD] > 0.0:
        flow *= respond(at[3], rules[FLOW_LEAD + 1], rules[FLOW_LEAD + 2], rules[FLOW_LEAD + 3])
    aside = 0.0
    if rules[SCATTER] > 0.0:
        pull = chance(seed, np.uint64(0), number, np.uint64(0), CHANCE_SCATTER)
        aside = (2.0 * pull - 1.0) * rules[SCATTER] * size
    if n < out.shape[0]:
        out[n, 0] = at[1] - np.sin(heading) * aside
        out[n, 1] = at[2] + np.cos(heading) * aside
        out[n, 2] = size
        out[n, 3] = min(max(flow, 0.0), 1.0)
        out[n, 4] = heading
        out[n, 5] = number
    state[STAMPS] += 1.0
    state[TO_NEXT] = max(rules[SPACING] * size, LEAST_STEP_PX)


@njit(nogil=True, cache=True, error_model="numpy")
def _walk(state, rules, end, out, n):  # type: ignore[no-untyped-def]
    """Walk from the last flattened point straight to `end`, laying stamps at even distances; returns the new n."""
    pen = state[PEN : PEN + SAMPLE_WIDTH]
    dx, dy = end[1] - pen[1], end[2] - pen[2]
    length = np.sqrt(dx * dx + dy * dy)
    if length > 0.0:
        heading = np.arctan2(dy, dx)
        if state[STARTED] == 0.0:
            state[STARTED] = 1.0
            _put_stamp(state, rules, state[FIRST : FIRST + SAMPLE_WIDTH].copy(), heading, out, n)
            n += 1
        at = np.empty(SAMPLE_WIDTH)
        gone = state[TO_NEXT]
        while gone <= length:
            share = gone / length
            for i in range(SAMPLE_WIDTH):
                at[i] = pen[i] + (end[i] - pen[i]) * share
            _put_stamp(state, rules, at, heading, out, n)
            n += 1
            gone += state[TO_NEXT]
        state[TO_NEXT] = gone - length
    for i in range(SAMPLE_WIDTH):
        pen[i] = end[i]
    return n


@njit(nogil=True, cache=True, error_model="numpy")
def lay_stamps(state, rules, samples, last, out):  # type: ignore[no-untyped-def]
    """Carry a stroke on by a batch of samples; returns how many stamps that lays, writing those `out` has room for.

    The curve is the uniform quadratic B-spline of the samples in all seven channels: from the middle of two samples
    to the middle of the next two, bent towards the sample between them. `last` ends the stroke: the curve is drawn
    on to the last sample, and a stroke that never moved lays one stamp with heading 0 and its greatest pressure.
    Changes `state`.
    """
    n = 0
    end = np.empty(SAMPLE_WIDTH)
    for k in range(samples.shape[0]):
        sample = samples[k]
        state[TOP_PRESSURE] = max(state[TOP_PRESSURE], sample[3])
        if state[SEEN] == 0.0:
            for i in range(SAMPLE_WIDTH):
                state[FIRST + i] = state[CONTROL + i] = state[FROM + i] = state[PEN + i] = sample[i]
            state[SEEN] = 1.0
            continue
        bend_x = 0.5 * (state[FROM + 1] - state[CONTROL + 1]) + 0.25 * (sample[1] - state[CONTROL + 1])
        bend_y = 0.5 * (state[FROM + 2] - state[CONTROL + 2]) + 0.25 * (sample[2] - state[CONTROL + 2])
        bend = np.sqrt(bend_x * bend_x + bend_y * bend_y)
        pieces = int(min(max(np.ceil(np.sqrt(FLATNESS * bend)), 1.0), 256.0))
        for j in range(1, pieces + 1):
            u = j / pieces
            for i in range(SAMPLE_WIDTH):
                middle = 0.5 * (state[CONTROL + i] + sample[i])
                a, b, c = (1.0 - u) * (1.0 - u), 2.0 * u * (1.0 - u), u * u
                end[i] = a * state[FROM + i] + b * state[CONTROL + i] + c * middle
            n = _walk(state, rules, end, out, n)
        for i in range(SAMPLE_WIDTH):
            state[FROM + i] = 0.5 * (state[CONTROL + i] + sample[i])
            state[CONTROL + i] = sample[i]
    if last and state[SEEN] > 0.0:
        n = _walk(state, rules, state[CONTROL : CONTROL + SAMPLE_WIDTH].copy(), out, n)
        if state[STARTED] == 0.0:
            tap = state[FIRST : FIRST + SAMPLE_WIDTH].copy()
            tap[3] = state[TOP_PRESSURE]
            _put_stamp(state, rules, tap, 0.0, out, n)
            n += 1
    return n
