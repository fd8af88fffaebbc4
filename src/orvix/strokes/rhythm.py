"""The hot loop that walks along a curve and lays stamps: where each one is, and what the hand and chance make of it.

Unchecked: `strokes.coats` prepares and calls it. Everything here is in px of the unscaled canvas and in float64.
"""

from __future__ import annotations

from typing import Any, NamedTuple

import numpy as np
from numpy.typing import NDArray

from orvix import chance as properties
from orvix.brushes.leads import DRIVER_NAMES, TABLE
from orvix.brushes.tips.outline import ANGLES, BITS
from orvix.brushes.values import LEAST_STEP, LEAST_STEP_PX, LED_NAMES, MOST_STAMPS
from orvix.chance import chance
from orvix.compiling import kernel
from orvix.strokes.curve import DISTANCE, SPEED, WIDTH
from orvix.strokes.samples import PRESSURE, TILT_X, TILT_Y, TWIST, T, X, Y

Floats = NDArray[np.float64]

# A coat's numbers, in this order (`strokes.rules` fills them in); the first 17 are what leads change.
(
    SIZE, ROUNDNESS, TURN, SPACING, ALONG, ACROSS, COUNT, FLOW, OPACITY, HARDNESS, GRAIN_STRENGTH, GRAIN_SCALE, HUE,
    SATURATION, BRIGHTNESS, SECOND, STRENGTH, SEED, COAT, SMALLEST, LARGEST, SPACED_BY, SPACING_BASE, COUNT_JITTER,
    KEEP_CLEAR, HELD_MS, FOLLOWS, WAY_BACK, FLIP_ACROSS, FLIP_DOWN, THIN_START, THIN_END, THIN_TO, PICTURES, TAKEN,
    GRAIN_LEAST, LEAD_IN, ROW_X, ROW_Y, ROW_HEADING, ROW_PITCH, ROW_PHASE, LETTERS_GONE, LEANS,
) = range(44)  # fmt: skip
NUMBERS = 44
BY_LENGTH, BY_PX, BY_TOUCH, BY_OVERLAP, BY_CLEAR = range(5)
COMES, HALF_TURN, MIRRORED, DIAL = range(4)
LED = len(LED_NAMES)
DRIVERS = len(DRIVER_NAMES)
(
    D_PRESSURE, D_TILT, D_BEARING, D_TWIST, D_SPEED, D_HEADING, D_FIRST_HEADING, D_DISTANCE, D_STAMP_COUNT, D_TIME,
    CHANCE_STAMP,
) = (
    DRIVER_NAMES.index(name)
    for name in (
        "pressure", "tilt", "bearing", "twist", "speed", "heading", "first_heading", "distance", "stamp_count", "time",
        "chance_stamp",
    )
)  # fmt: skip
"""Where each driver stands in `brushes.leads.DRIVERS`, and so in what `_drive` fills in."""

STAMP_WIDTH = 24
(
    S_X, S_Y, S_SIZE, S_TURN, S_ROUNDNESS, S_FLIPS, S_FLOW, S_CAP, S_HARDNESS, S_GRAIN, S_GRAIN_SCALE, S_HUE,
    S_SATURATION, S_BRIGHTNESS, S_SECOND, S_PICTURE, S_HEADING, S_NUMBER, S_MARK, S_PATH_X, S_PATH_Y,
    S_DISTANCE, S_SPACING, S_T,
) = range(STAMP_WIDTH)  # fmt: skip
"""A mark: its middle, size, turn (radians), roundness, flips (1 across, 2 down), flow, cap, and so on; where on the
path its stamp is, how far the stroke had gone there, and the way to the next stamp."""

STATE_WIDTH = 20 + WIDTH
_SEEN, _STARTED, _STAMPS, _TO_NEXT, TOP_PRESSURE, _HELD, FIRST_HEADING, _EXTRA, END_AT, _START_T = range(10)
_LX, _LY, _LSIZE, _LTURN, _LROUND, _LFLIPS, _LHEAD, _LSPACING, _LSTRAIGHT = range(10, 19)
_PEN = 20

_MOST_WAIT = 4.0
"""In a bend, a stamp waits for at most so many lengths of the one before it."""
_SLACK = 0.01
_TAU = 2.0 * np.pi


class Rules(NamedTuple):
    """What the kernel knows of a coat.

    numbers: (NUMBERS,). dial: degrees added at each degree of heading, (361,). first: where each led value's leads
    begin, (LED + 1,). leads: driver, does, span, loops and property, (n, 5). tables: (n, TABLE). shape: extent and
    touch over half a turn, (2, ANGLES + 1). bits and dots: the outline for the bend rule. advances: of a lettering's
    clusters.
    """

    numbers: Floats
    dial: Floats
    first: NDArray[np.int64]
    leads: Floats
    tables: Floats
    shape: Floats
    bits: NDArray[np.uint8]
    dots: Floats
    advances: Floats


@kernel
def _drive(state, at, heading, number, leans, drivers):  # type: ignore[no-untyped-def]
    """Fill in what drives the leads at one stamp, each in its own unit: shares, turns, px, px a second, ms, stamps.

    leans: whether anything asks how the pen leans.
    """
    drivers[D_PRESSURE] = at[PRESSURE]
    if leans > 0.0:
        tx = np.tan(np.radians(min(max(at[TILT_X], -89.0), 89.0)))
        ty = np.tan(np.radians(min(max(at[TILT_Y], -89.0), 89.0)))
        drivers[D_TILT] = np.arctan(np.sqrt(tx * tx + ty * ty)) / (0.5 * np.pi)
        drivers[D_BEARING] = (np.arctan2(ty, tx) / _TAU) % 1.0
    drivers[D_TWIST] = (at[TWIST] / 360.0) % 1.0
    drivers[D_SPEED] = 1000.0 * at[SPEED]
    drivers[D_HEADING] = (heading / _TAU) % 1.0
    drivers[D_FIRST_HEADING] = (state[FIRST_HEADING] / _TAU) % 1.0
    drivers[D_DISTANCE] = at[DISTANCE]
    drivers[D_STAMP_COUNT] = number
    drivers[D_TIME] = at[T] - state[_START_T]


@kernel
def _lead_all(rules, drivers, number, mark, led):  # type: ignore[no-untyped-def]
    """Fill in every value after its leads, (LED,), for one mark. One call: passing rules costs more than a lead."""
    seed, coat = np.uint64(rules.numbers[SEED]), np.uint64(rules.numbers[COAT])
    for value in range(LED):
        base = rules.numbers[value]
        for k in range(rules.first[value], rules.first[value + 1]):
            driver, does, over, loops = int(rules.leads[k, 0]), rules.leads[k, 1], rules.leads[k, 2], rules.leads[k, 3]
            prop = np.uint64(rules.leads[k, 4])
            if driver == CHANCE_STAMP:
                share = chance(seed, coat, np.uint64(number), np.uint64(mark), prop)
            elif driver > CHANCE_STAMP:
                share = chance(seed, coat, np.uint64(properties.OF_STROKE), np.uint64(0), prop)
            else:
                share = drivers[driver] / over
                share = share % 1.0 if loops > 0.0 else min(max(share, 0.0), 1.0)
            at = share * (TABLE - 1)
            low = min(int(at), TABLE - 2)
            out = rules.tables[k, low] + (rules.tables[k, low + 1] - rules.tables[k, low]) * (at - low)
            base = base * out if does == 0.0 else base + out if does == 1.0 else out
        led[value] = base


@kernel
def _within(value, low, high):  # type: ignore[no-untyped-def]
    return min(max(value, low), high)


@kernel
def _size(state, rules, at, led):  # type: ignore[no-untyped-def]
    """The size of a mark: led, kept within its smallest and largest, then thinned at the ends of the stroke."""
    nums = rules.numbers
    size = _within(led[SIZE], nums[SMALLEST], nums[LARGEST])
    thin = 1.0
    if nums[THIN_START] > 0.0:
        thin = min(thin, at[DISTANCE] / nums[THIN_START])
    if nums[THIN_END] > 0.0:
        thin = min(thin, (state[END_AT] - at[DISTANCE]) / nums[THIN_END])
    if thin < 1.0:
        size *= nums[THIN_TO] + (1.0 - nums[THIN_TO]) * max(thin, 0.0)
    return max(size, 0.25)


@kernel
def _turn(state, rules, heading, drivers, led, number, mark):  # type: ignore[no-untyped-def]
    """The turn of a mark, radians, and its flips as they come from the way back and from chance."""
    nums = rules.numbers
    degrees = led[TURN]
    follows, way = nums[FOLLOWS], nums[WAY_BACK]
    turn = 0.0
    if follows == 1.0:
        turn = heading
    elif follows == 2.0:
        turn = state[FIRST_HEADING]
    elif follows >= 3.0:
        turn = (
            _TAU * drivers[2] if follows == 3.0 else _TAU * drivers[3] if follows == 4.0 else 0.5 * np.pi * drivers[1]
        )
    flips = 0
    x = np.cos(heading)
    back = x < -1e-9 or (abs(x) <= 1e-9 and np.sin(heading) < 0.0)
    if way == DIAL:
        along = (heading / _TAU) % 1.0 * 360.0
        low = int(along)
        degrees += rules.dial[low] + (rules.dial[low + 1] - rules.dial[low]) * (along - low)
    elif back and way == HALF_TURN:
        degrees += 180.0
    elif back and way == MIRRORED:
        flips = 2 if follows == 1.0 or follows == 2.0 else 1
    seed, coat = np.uint64(nums[SEED]), np.uint64(nums[COAT])
    for k in range(2):
        how = nums[FLIP_ACROSS + k]
        if how == 1.0:
            prop = np.uint64(properties.FLIP_ACROSS + k)
            flip = chance(seed, coat, np.uint64(number), np.uint64(mark), prop) < 0.5
        else:
            flip = how == 2.0 and number % 2 == 1
        if flip:
            flips ^= 1 << k
    return turn + np.radians(degrees), flips


@kernel
def _into_tip(x, y, turn, roundness, flips, straight):  # type: ignore[no-untyped-def]
    """A direction taken back into the tip: by the inverse of a stamp's map (straight), or by its transpose."""
    c, s = np.cos(turn), np.sin(turn)
    a, b = c * x + s * y, c * y - s * x
    if flips & 1:
        a = -a
    if flips & 2:
        b = -b
    return a, b / roundness if straight else b * roundness


@kernel
def _table(table, x, y):  # type: ignore[no-untyped-def]
    at = (np.arctan2(y, x) / np.pi) % 1.0 * ANGLES
    low = min(int(at), ANGLES - 1)
    return table[low] + (table[low + 1] - table[low]) * (at - low)


@kernel
def extent_of(shape, heading, turn, roundness, flips):  # type: ignore[no-untyped-def]
    """How far a stamp of size 1 reaches along a heading."""
    x, y = _into_tip(np.cos(heading), np.sin(heading), turn, roundness, flips, False)
    return np.sqrt(x * x + y * y) * _table(shape[0], x, y)


@kernel
def touch_of(shape, heading, turn, roundness, flips):  # type: ignore[no-untyped-def]
    """How far apart along a heading two stamps of size 1 just touch."""
    x, y = _into_tip(np.cos(heading), np.sin(heading), turn, roundness, flips, True)
    return _table(shape[1], x, y) / np.sqrt(x * x + y * y)


@kernel
def _letter(state, rules, number):  # type: ignore[no-untyped-def]
    """Which cluster of a lettering a stamp lays: upright on a stroke that goes left they are laid last first."""
    count = rules.advances.shape[0]
    at = (number + int(rules.numbers[LETTERS_GONE])) % count
    return count - 1 - at if _backwards(state, rules) else at


@kernel
def _backwards(state, rules):  # type: ignore[no-untyped-def]
    return rules.numbers[FOLLOWS] == 0.0 and np.cos(state[FIRST_HEADING]) < -1e-9


@kernel
def _advance(state, rules, heading, number):  # type: ignore[no-untyped-def]
    """The way to the next cluster, in ems: upright ones keep a line's height where the stroke goes up or down."""
    back = _backwards(state, rules)
    way = rules.advances[_letter(state, rules, number + 1 if back else number)]
    if rules.numbers[FOLLOWS] != 0.0:
        return way
    c, s = abs(np.cos(heading)), abs(np.sin(heading))
    return min(way / max(c, 1e-9), 1.0 / max(s, 1e-9))


@kernel
def _spacing(state, rules, size, heading, turn, roundness, flips, led, number):  # type: ignore[no-untyped-def]
    """The way to the next stamp, px."""
    nums = rules.numbers
    by, given = nums[SPACED_BY], nums[SPACING_BASE]
    extent = size * extent_of(rules.shape, heading, turn, roundness, flips)
    if rules.advances.shape[0] > 0:
        spacing = size * _advance(state, rules, heading, number)
    elif by == BY_LENGTH:
        spacing = given * extent
    elif by == BY_PX:
        spacing = given
    else:
        spacing = size * touch_of(rules.shape, heading, turn, roundness, flips)
        spacing = spacing + given if by == BY_CLEAR else spacing * (1.0 - given) if by == BY_OVERLAP else spacing
    spacing *= max(led[SPACING], 0.0)
    return max(spacing, LEAST_STEP * extent, LEAST_STEP_PX)


@kernel
def overlap(rules, ax, ay, asize, aturn, around, aflips, bx, by, bsize, bturn, bround, bflips):  # type: ignore[no-untyped-def]
    """How many dots of stamp b lie inside stamp a, as a share of all of them."""
    ca, sa, cb, sb = np.cos(aturn), np.sin(aturn), np.cos(bturn), np.sin(bturn)
    inside = 0
    for k in range(rules.dots.shape[0]):
        u, v = rules.dots[k, 0], rules.dots[k, 1] * bround
        if bflips & 1:
            u = -u
        if bflips & 2:
            v = -v
        x, y = bx + bsize * (cb * u - sb * v) - ax, by + bsize * (sb * u + cb * v) - ay
        p, q = (ca * x + sa * y) / asize, (ca * y - sa * x) / (asize * around)
        if aflips & 1:
            p = -p
        if aflips & 2:
            q = -q
        i, j = int(np.floor((q + 0.5) * BITS)), int(np.floor((p + 0.5) * BITS))
        if 0 <= i < BITS and 0 <= j < BITS and rules.bits[i, j] > 0:
            inside += 1
    return inside / rules.dots.shape[0]


@kernel
def _must_wait(state, rules, at, heading, drivers, led):  # type: ignore[no-untyped-def]
    """Whether the next stamp would overlap the last one more than on a straight run."""
    number = int(state[_STAMPS])
    _lead_all(rules, drivers, number, 0, led)
    size = _size(state, rules, at, led)
    turn, flips = _turn(state, rules, heading, drivers, led, number, 0)
    roundness = _within(led[ROUNDNESS], 0.05, 1.0)
    lx, ly, lsize, lturn, lround = state[_LX], state[_LY], state[_LSIZE], state[_LTURN], state[_LROUND]
    lflips, lhead, spacing = int(state[_LFLIPS]), state[_LHEAD], state[_LSPACING]
    here = overlap(rules, lx, ly, lsize, lturn, lround, lflips, at[X], at[Y], size, turn, roundness, flips)
    if here == 0.0:
        return False
    if state[_LSTRAIGHT] < 0.0:
        x, y = lx + spacing * np.cos(lhead), ly + spacing * np.sin(lhead)
        state[_LSTRAIGHT] = overlap(rules, lx, ly, lsize, lturn, lround, lflips, x, y, lsize, lturn, lround, lflips)
    return here > state[_LSTRAIGHT] + _SLACK


@kernel
def _picture(state, rules, at, heading, number, mark):  # type: ignore[no-untyped-def]
    """Which of the tip's pictures a mark takes."""
    nums = rules.numbers
    if rules.advances.shape[0] > 0:
        return _letter(state, rules, number)
    count = int(nums[PICTURES])
    if count <= 1:
        return 0
    taken = nums[TAKEN]
    if taken == 1.0:
        prop = np.uint64(properties.PICTURE)
        share = chance(np.uint64(nums[SEED]), np.uint64(nums[COAT]), np.uint64(number), np.uint64(mark), prop)
    elif taken == 2.0:
        share = (heading / _TAU + 0.5 / count) % 1.0
    elif taken == 3.0:
        share = at[PRESSURE]
    else:
        return number % count
    return min(int(share * count), count - 1)


@kernel
def _put_stamp(state, rules, at, heading, drivers, led, out, n):  # type: ignore[no-untyped-def]
    """Put all marks of the next stamp into `out` from n on, where there is room; set the way on; returns the new n."""
    nums = rules.numbers
    number = int(state[_STAMPS])
    seed, coat = np.uint64(nums[SEED]), np.uint64(nums[COAT])
    if at[DISTANCE] < nums[LEAD_IN]:
        heading = state[FIRST_HEADING]
    _drive(state, at, heading, number, nums[LEANS], drivers)
    _lead_all(rules, drivers, number, 0, led)
    count = led[COUNT]
    if nums[COUNT_JITTER] > 0.0:
        prop = np.uint64(properties.COUNT)
        count *= 1.0 - nums[COUNT_JITTER] * chance(seed, coat, np.uint64(number), np.uint64(0), prop)
    marks = int(_within(np.floor(count + 0.5), 0.0, 16.0))
    spacing = 0.0
    for mark in range(max(marks, 1)):
        if mark > 0:
            _lead_all(rules, drivers, number, mark, led)
        size = _size(state, rules, at, led)
        turn, flips = _turn(state, rules, heading, drivers, led, number, mark)
        roundness = _within(led[ROUNDNESS], 0.05, 1.0)
        if mark == 0:
            spacing = _spacing(state, rules, size, heading, turn, roundness, flips, led, number)
            state[_LX], state[_LY], state[_LSIZE], state[_LTURN] = at[X], at[Y], size, turn
            state[_LROUND], state[_LFLIPS], state[_LHEAD], state[_LSPACING] = roundness, flips, heading, spacing
            state[_LSTRAIGHT] = -1.0
        if mark >= marks:
            break
        if n < out.shape[0]:
            row = out[n]
            along = led[ALONG]
            across = led[ACROSS]
            if along != 0.0:
                pull = chance(seed, coat, np.uint64(number), np.uint64(mark), np.uint64(properties.ALONG))
                along *= (2.0 * pull - 1.0) * size
            if across != 0.0:
                pull = chance(seed, coat, np.uint64(number), np.uint64(mark), np.uint64(properties.ACROSS))
                across *= (2.0 * pull - 1.0) * size
            row[S_X] = at[X] + np.cos(heading) * along - np.sin(heading) * across
            row[S_Y] = at[Y] + np.sin(heading) * along + np.cos(heading) * across
            row[S_SIZE], row[S_TURN], row[S_ROUNDNESS], row[S_FLIPS] = size, turn, roundness, flips
            row[S_FLOW] = _within(led[FLOW], 0.0, 1.0)
            cap = _within(led[OPACITY], 0.0, 1.0)
            row[S_CAP] = cap * _within(led[STRENGTH], 0.0, 1.0)
            row[S_HARDNESS] = _within(led[HARDNESS], 0.0, 1.0)
            grain = led[GRAIN_STRENGTH]
            row[S_GRAIN] = _within(grain, nums[GRAIN_LEAST], 1.0)
            row[S_GRAIN_SCALE] = _within(led[GRAIN_SCALE], 0.05, 20.0)
            row[S_HUE] = led[HUE]
            row[S_SATURATION] = _within(led[SATURATION], -1.0, 1.0)
            row[S_BRIGHTNESS] = _within(led[BRIGHTNESS], -1.0, 1.0)
            row[S_SECOND] = _within(led[SECOND], 0.0, 1.0)
            row[S_PICTURE] = _picture(state, rules, at, heading, number, mark)
            row[S_HEADING], row[S_NUMBER], row[S_MARK] = heading, number, mark
            row[S_PATH_X], row[S_PATH_Y], row[S_DISTANCE], row[S_SPACING], row[S_T] = (
                at[X],
                at[Y],
                at[DISTANCE],
                spacing,
                at[T],
            )
        n += 1
    state[_STAMPS] += 1.0
    state[_TO_NEXT], state[_EXTRA], state[_HELD] = spacing, 0.0, 0.0
    return n


@kernel
def _row_wait(rules, at, heading):  # type: ignore[no-untyped-def]
    """How far from its start a stroke must go to the phase that the row beside it asks for."""
    nums = rules.numbers
    pitch = nums[ROW_PITCH]
    if pitch <= 0.0:
        return 0.0
    ux, uy = np.cos(nums[ROW_HEADING]), np.sin(nums[ROW_HEADING])
    along = (at[X] - nums[ROW_X]) * ux + (at[Y] - nums[ROW_Y]) * uy
    slope = ux * np.cos(heading) + uy * np.sin(heading)
    if abs(slope) < 0.2:
        return 0.0
    phase = (along / pitch - nums[ROW_PHASE]) % 1.0
    left = (1.0 - phase) % 1.0 if slope > 0.0 else phase
    return 0.0 if left * pitch < 1e-6 else left * pitch / abs(slope)


@kernel
def _begin(state, rules, first, heading, drivers, led, out, n):  # type: ignore[no-untyped-def]
    """The first movement: the first stamp, or the way to it where the row beside asks for another phase."""
    state[_STARTED] = 1.0
    wait = _row_wait(rules, first, heading)
    if wait > 0.0:
        state[_TO_NEXT] = wait
        return n
    return _put_stamp(state, rules, first, heading, drivers, led, out, n)


@kernel
def _walk(state, rules, end, drivers, led, at, out, n):  # type: ignore[no-untyped-def]
    """Walk from the last point straight to `end`, laying stamps at even distances, or times; returns the new n."""
    nums = rules.numbers
    pen = state[_PEN : _PEN + WIDTH]
    dx, dy, dt = end[X] - pen[X], end[Y] - pen[Y], end[T] - pen[T]
    length = np.sqrt(dx * dx + dy * dy)
    held_ms = nums[HELD_MS]
    heading = np.arctan2(dy, dx) if length > 0.0 else state[_LHEAD]
    if state[_STARTED] == 0.0:
        if length == 0.0 and held_ms == 0.0:
            for i in range(WIDTH):
                pen[i] = end[i]
            return n
        first = pen.copy()
        n = _begin(state, rules, first, state[FIRST_HEADING], drivers, led, out, n)
    gone, waited = state[_TO_NEXT], held_ms - state[_HELD]
    done, passed = 0.0, 0.0
    while True:
        by_way = gone / length if length > 0.0 else np.inf
        by_time = waited / dt if held_ms > 0.0 and dt > 0.0 else np.inf
        share = min(by_way, by_time)
        if share > 1.0 or n > MOST_STAMPS:
            break
        for i in range(WIDTH):
            at[i] = pen[i] + (end[i] - pen[i]) * share
        done, passed = share * length, share * dt
        if nums[KEEP_CLEAR] > 0.0 and by_way <= by_time and state[_STAMPS] > 0.0:
            limit = _MOST_WAIT * max(state[_LSIZE], state[_LSPACING])
            if state[_EXTRA] < limit:
                _drive(state, at, heading, int(state[_STAMPS]), nums[LEANS], drivers)
                if _must_wait(state, rules, at, heading, drivers, led):
                    step = max(state[_LSIZE] / 32.0, 0.25)
                    state[_EXTRA] += step
                    gone += step
                    continue
        n = _put_stamp(state, rules, at, heading, drivers, led, out, n)
        gone, waited = done + state[_TO_NEXT], passed + held_ms
    state[_TO_NEXT], state[_HELD] = gone - length, held_ms - (waited - dt)
    for i in range(WIDTH):
        pen[i] = end[i]
    return n


@kernel
def lay_stamps(state, rules, points, last, out):  # type: ignore[no-untyped-def]
    """Walk on along points (n, WIDTH) of a curve; returns how many marks that lays, writing those `out` has room for.

    `last` ends the stroke: one that never moved lays one stamp, with heading 0 and the pressure state[TOP_PRESSURE].
    state[END_AT] must be the length of the whole stroke wherever that is nearer than the thin end. Changes `state`.
    """
    n = 0
    at, drivers, led = np.empty(WIDTH), np.zeros(DRIVERS), np.empty(LED)
    for k in range(points.shape[0]):
        point = points[k]
        if state[_SEEN] == 0.0:
            state[_SEEN], state[_START_T] = 1.0, point[T]
            for i in range(WIDTH):
                state[_PEN + i] = point[i]
            continue
        n = _walk(state, rules, point, drivers, led, at, out, n)
    if last and state[_SEEN] > 0.0 and state[_STARTED] == 0.0:
        tap = state[_PEN : _PEN + WIDTH].copy()
        tap[PRESSURE] = state[TOP_PRESSURE]
        n = _put_stamp(state, rules, tap, 0.0, drivers, led, out, n)
    return n


def new_state() -> Any:
    """The state of a stroke that has not begun: float64 (STATE_WIDTH,)."""
    state = np.zeros(STATE_WIDTH)
    state[END_AT] = np.inf
    return state
