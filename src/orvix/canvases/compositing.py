"""Putting a stroke on a layer, and a layer on its ground, one block at a time.

Blending is "source over" (W3C Compositing and Blending Level 1, section 9.1.4) on sRGB-encoded, premultiplied
channels; erasing is "destination out". Float32 inside, rounded half up to 16 bits, and from those to 8 bits, so what
the page shows and what a file holds come from the same 16-bit pixels.
"""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from orvix.canvases.blocks import Block, looked_at
from orvix.colour.blending import lay_over as blend_row
from orvix.colour.blending import round_pixels, to_sixteen
from orvix.compiling import kernel
from orvix.pictures.writing import LUMA
from orvix.registry import check_colour

Rgb8 = tuple[int, int, int]
_CHUNK = 256


def colour_to_rgb(colour: str) -> Rgb8:
    """`#rrggbb` as three whole numbers 0 to 255; raises BadValue."""
    digits = check_colour("colour", colour)
    return int(digits[1:3], 16), int(digits[3:5], 16), int(digits[5:7], 16)


def grey_of(colour: str) -> str:
    """The grey that is as light as a colour, by its luma; raises BadValue."""
    light = round(sum(weight * part for weight, part in zip(LUMA, colour_to_rgb(colour), strict=True)))
    return f"#{light:02x}{light:02x}{light:02x}"


def colour_to_unit(colour: str) -> NDArray[np.float32]:
    """`#rrggbb` as float32 (3,) in 0 to 1; raises BadValue."""
    return np.array(colour_to_rgb(colour), np.float32) / np.float32(255)


@kernel
def _spread(four, values, opacity):  # type: ignore[no-untyped-def]
    """four[4 x + c] = values[x] * opacity, so that the loops over channels run without a jump."""
    for x in range(values.shape[0]):
        value = values[x] * opacity
        four[4 * x] = value
        four[4 * x + 1] = value
        four[4 * x + 2] = value
        four[4 * x + 3] = value


@kernel
def put_stroke(out, under, paint, top, bottom, left, right, colour, opacity, erase):  # type: ignore[no-untyped-def]
    """out = the stroke over `under`, in rows top to bottom and columns left to right; unchecked kernel.

    out, under: uint16 (rows, columns, 4), premultiplied, `under` read-only. paint: float32 (rows, columns), 0 to 1.
    colour: float32 (3,). Whole blocks and bounds are taken, not slices, so that one compiled form serves all.
    """
    one, full, half = np.float32(1.0), np.float32(65535.0), np.float32(0.5)
    back = one / full
    count = 4 * (right - left)
    alpha, tint = np.empty(count, np.float32), np.empty(count, np.float32)
    for i in range(count):
        channel = i % 4
        tint[i] = one if channel == 3 else colour[channel]
    if erase:
        tint[:] = np.float32(0.0)
    below, there, cover = under.reshape(-1), out.reshape(-1), paint.reshape(-1)
    for y in range(top, bottom):
        at = y * under.shape[1] + left
        _spread(alpha, cover[at : at + right - left], opacity)
        here, to = below[4 * at : 4 * at + count], there[4 * at : 4 * at + count]
        for i in range(count):
            mixed = tint[i] * alpha[i] + np.float32(here[i]) * back * (one - alpha[i])
            to[i] = np.uint16(np.int32(min(mixed, one) * full + half))


@kernel
def put_picture(out, under, over, top, bottom, left, right, mode):  # type: ignore[no-untyped-def]
    """out = a picture over `under` by a blend mode, in rows top to bottom and columns left to right; unchecked kernel.

    out, under: as in `put_stroke`. over: float32 (bottom - top, right - left, 4), premultiplied, 0 to 1.
    """
    back = np.float32(1.0) / np.float32(65535.0)
    width = right - left
    below = np.empty((width, 4), np.float32)
    flat, there, here = below.reshape(-1), out.reshape(-1), under.reshape(-1)
    for y in range(top, bottom):
        at = 4 * (y * under.shape[1] + left)
        row = here[at : at + 4 * width]
        for i in range(4 * width):
            flat[i] = np.float32(row[i]) * back
        blend_row(below, over[y - top], mode)
        round_pixels(there[at : at + 4 * width], flat)


@kernel
def put_mix(out, under, other, paint, top, bottom, left, right, opacity):  # type: ignore[no-untyped-def]
    """out = from `under` towards `other` by paint x opacity, in rows top to bottom and columns left to right.

    out, under: as in `put_stroke`. other: float32 (rows, columns, 4), 0 to 65535. Unchecked kernel.
    """
    one, full, half = np.float32(1.0), np.float32(65535.0), np.float32(0.5)
    count = 4 * (right - left)
    alpha = np.empty(count, np.float32)
    below, aim, there, cover = under.reshape(-1), other.reshape(-1), out.reshape(-1), paint.reshape(-1)
    for y in range(top, bottom):
        at = y * under.shape[1] + left
        _spread(alpha, cover[at : at + right - left], opacity)
        here, to = below[4 * at : 4 * at + count], there[4 * at : 4 * at + count]
        towards = aim[4 * at : 4 * at + count]
        for i in range(count):
            mixed = towards[i] * alpha[i] + np.float32(here[i]) * (one - alpha[i])
            to[i] = np.uint16(np.int32(min(mixed, full) + half))


@kernel
def keep_alpha(out, colours, under, top, bottom, left, right):  # type: ignore[no-untyped-def]
    """out = the colours of one block with the transparency of another, in rows and columns; unchecked kernel.

    All uint16 (rows, columns, 4), premultiplied, the last two read-only or not. Where `colours` is clear, `under`
    stays.
    """
    half = np.float32(0.5)
    for y in range(top, bottom):
        for x in range(left, right):
            cover, had = under[y, x, 3], colours[y, x, 3]
            if had == 0 or cover == 0:
                for c in range(4):
                    out[y, x, c] = under[y, x, c]
                continue
            share = np.float32(cover) / np.float32(had)
            for c in range(3):
                out[y, x, c] = min(np.uint16(np.int32(np.float32(colours[y, x, c]) * share + half)), cover)
            out[y, x, 3] = cover


@kernel
def confine(out, under, cover, top, bottom, left, right):  # type: ignore[no-untyped-def]
    """out = from `under` towards what it holds by a cover, in rows and columns; unchecked kernel.

    out, under: uint16 (rows, columns, 4); cover: uint16 (rows, columns). Halves round up.
    """
    for y in range(top, bottom):
        for x in range(left, right):
            share = np.int64(cover[y, x])
            if share == 65535:
                continue
            for c in range(4):
                mixed = np.int64(out[y, x, c]) * share + np.int64(under[y, x, c]) * (65535 - share)
                out[y, x, c] = np.uint16((mixed + 32767) // 65535)


_PAIRS, _HALVES = np.uint64(0x0000FFFF0000FFFF), np.uint64(0x0000800000008000)
_CARRY, _SIXTEEN = np.uint64(0x0001000000010000), np.uint64(16)
_ALPHA_SHIFT, _FULL_ALPHA = np.uint64(48), np.uint64(65535)


@kernel
def _word_over(below, over):  # type: ignore[no-untyped-def]
    """One px over another: over + below x (65535 - alpha) / 65535, whole numbers, rounded half up, 65535 at most.

    A px is one word of four 16-bit channels, worked on two by two: x k / 65535, rounded, is (t + (t >> 16)) >> 16 with
    t = x k + 32768.
    """
    keep = _FULL_ALPHA - (over >> _ALPHA_SHIFT)
    even = (below & _PAIRS) * keep + _HALVES
    odd = ((below >> _SIXTEEN) & _PAIRS) * keep + _HALVES
    even = (((even + ((even >> _SIXTEEN) & _PAIRS)) >> _SIXTEEN) & _PAIRS) + (over & _PAIRS)
    odd = (((odd + ((odd >> _SIXTEEN) & _PAIRS)) >> _SIXTEEN) & _PAIRS) + ((over >> _SIXTEEN) & _PAIRS)
    even |= (even & _CARRY) - ((even & _CARRY) >> _SIXTEEN)
    odd |= (odd & _CARRY) - ((odd & _CARRY) >> _SIXTEEN)
    return (even & _PAIRS) | ((odd & _PAIRS) << _SIXTEEN)


@kernel
def _lay_full(out, under, row, column, above, above_row, above_column):  # type: ignore[no-untyped-def]
    """As `lay_over` at full strength, in whole numbers."""
    there, below = out.reshape(-1).view(np.uint64), under.reshape(-1).view(np.uint64)
    over = above.reshape(-1).view(np.uint64)
    rows, width = out.shape[:2]
    here = np.empty(width, np.uint64)
    for y in range(rows):
        i, j = (row + y) * under.shape[1] + column, (above_row + y) * above.shape[1] + above_column
        to, row_below, top = there[y * width : (y + 1) * width], below[i : i + width], over[j : j + width]
        for x in range(width):  # a row of its own: where `out` is `under`, a loop over both would not vectorise
            here[x] = row_below[x]
        for x in range(width):
            to[x] = _word_over(here[x], top[x])


@kernel
def lay_between(  # type: ignore[no-untyped-def]
    out, under, row, column, middle, middle_row, middle_column, above, above_row, above_column
):
    """out = `above` over `middle` over `under` at full strength, in one go; as `lay_over` takes them."""
    there, below = out.reshape(-1).view(np.uint64), under.reshape(-1).view(np.uint64)
    between, over = middle.reshape(-1).view(np.uint64), above.reshape(-1).view(np.uint64)
    rows, width = out.shape[:2]
    for y in range(rows):
        i, j = (row + y) * under.shape[1] + column, (middle_row + y) * middle.shape[1] + middle_column
        k = (above_row + y) * above.shape[1] + above_column
        to, here, inner = there[y * width : (y + 1) * width], below[i : i + width], between[j : j + width]
        top = over[k : k + width]
        for x in range(width):
            to[x] = _word_over(_word_over(here[x], inner[x]), top[x])


@kernel
def lay_over(out, under, row, column, above, above_row, above_column, opacity):  # type: ignore[no-untyped-def]
    """out = `above` x opacity over `under`: uint16 (rows, columns, 4), premultiplied; unchecked kernel.

    Both are read from a row and column on, and hold as many rows and columns as `out` from there, which may be `under`.
    """
    one, full, half = np.float32(1.0), np.float32(65535.0), np.float32(0.5)
    if opacity == one:
        _lay_full(out, under, row, column, above, above_row, above_column)
        return
    share = opacity / full
    there, below, over = out.reshape(-1), under.reshape(-1), above.reshape(-1)
    rows, width = out.shape[:2]
    count = 4 * width
    four, here = np.empty(count, np.float32), np.empty(count, np.uint16)
    for y in range(rows):
        i, j = 4 * ((row + y) * under.shape[1] + column), 4 * ((above_row + y) * above.shape[1] + above_column)
        to, row_below, top = there[y * count : (y + 1) * count], below[i : i + count], over[j : j + count]
        for x in range(count):
            here[x] = row_below[x]
        for x in range(width):
            value = one - np.float32(top[4 * x + 3]) * share
            four[4 * x] = value
            four[4 * x + 1] = value
            four[4 * x + 2] = value
            four[4 * x + 3] = value
        for x in range(count):
            mixed = np.float32(top[x]) * opacity + np.float32(here[x]) * four[x]
            to[x] = np.uint16(np.int32(min(mixed, full) + half))


def lay_on(under: Block, over: Block) -> None:
    """Lay a picture of the same size over another, in place."""
    lay_over(under, looked_at(under), 0, 0, looked_at(over), 0, 0, np.float32(1))


@kernel
def fade(out, pixels, row, column, opacity):  # type: ignore[no-untyped-def]
    """out = pixels x opacity, from a row and column on: uint16 (rows, columns, 4), premultiplied; unchecked kernel."""
    half = np.float32(0.5)
    there, whole = out.reshape(-1), pixels.reshape(-1)
    count = 4 * out.shape[1]
    for y in range(out.shape[0]):
        i = 4 * ((row + y) * pixels.shape[1] + column)
        to, here = there[y * count : (y + 1) * count], whole[i : i + count]
        for x in range(count):
            to[x] = np.uint16(np.int32(np.float32(here[x]) * opacity + half))


@kernel
def lay_atop(under, over, opacity, mode):  # type: ignore[no-untyped-def]
    """under = `over` x opacity atop it by a mode: its colours change, its transparency stays; unchecked kernel.

    Both uint16 (n, 4), premultiplied. co = as ab B(cb, cs) + (1 - as) ab cb: over as if `under` were opaque, x ab.
    """
    zero, one = np.float32(0.0), np.float32(1.0)
    back = one / np.float32(65535.0)
    below, above = np.empty((_CHUNK, 4), np.float32), np.empty((_CHUNK, 4), np.float32)
    for start in range(0, under.shape[0], _CHUNK):
        b, s = under[start : start + _CHUNK], over[start : start + _CHUNK]
        many = b.shape[0]
        for n in range(many):
            share = one / np.float32(max(b[n, 3], 1))
            for c in range(4):
                below[n, c] = min(np.float32(b[n, c]) * share, one)
                above[n, c] = np.float32(s[n, c]) * (back * opacity)
        blend_row(below[:many], above[:many], mode)
        for n in range(many):
            cover = b[n, 3]
            if cover == 0 or s[n, 3] == 0:
                continue
            alpha = np.float32(cover) * back
            for c in range(3):
                b[n, c] = min(to_sixteen(min(max(below[n, c], zero), one) * alpha), cover)


@kernel
def flatten(out, row, column, pixels, top, bottom, left, right, ground):  # type: ignore[no-untyped-def]
    """Rows top to bottom and columns left to right of `pixels`, over an opaque ground, into `out`; unchecked kernel.

    out: uint8 (rows, columns, 4), written from (row, column) on, alpha 255. pixels: uint16 (rows, columns, 4),
    premultiplied, read-only. ground: float32 (3,), 0 to 1.
    """
    one, full, half = np.float32(1.0), np.float32(255.0), np.float32(0.5)
    back = one / np.float32(65535.0)
    width = right - left
    count = 4 * width
    keep, share, under = np.empty(count, np.float32), np.empty(width, np.float32), np.empty(count, np.float32)
    for i in range(count):
        channel = i % 4
        under[i] = one if channel == 3 else ground[channel]
    above, there = pixels.reshape(-1), out.reshape(-1)
    for y in range(top, bottom):
        at, down = 4 * (y * pixels.shape[1] + left), 4 * ((row + y - top) * out.shape[1] + column)
        here, to = above[at : at + count], there[down : down + count]
        for x in range(width):
            share[x] = one - np.float32(here[4 * x + 3]) * back
        _spread(keep, share, one)
        for i in range(count):
            value = np.float32(here[i]) * back + under[i] * keep[i]
            to[i] = np.uint8(np.int32(min(value, one) * full + half))


@kernel
def halve(out, pixels):  # type: ignore[no-untyped-def]
    """out = pixels at half the size, each the mean of four, halves up; unchecked kernel.

    out: uint8 (rows, columns, 4); pixels: uint8 (2 rows, 2 columns, 4).
    """
    for y in range(out.shape[0]):
        for x in range(out.shape[1]):
            for c in range(4):
                total = np.uint32(pixels[2 * y, 2 * x, c]) + np.uint32(pixels[2 * y, 2 * x + 1, c])
                total += np.uint32(pixels[2 * y + 1, 2 * x, c]) + np.uint32(pixels[2 * y + 1, 2 * x + 1, c])
                out[y, x, c] = np.uint8((total + np.uint32(2)) // np.uint32(4))


def reduced(pixels: NDArray[np.uint8], level: int) -> NDArray[np.uint8]:
    """8-bit pixels (rows, columns, 4) at 1 / 2^level of their size; odd sides repeat their last px."""
    step = 1 << level
    rows, columns = pixels.shape[:2]
    short = (-rows % step, -columns % step)
    if any(short):
        pixels = np.pad(pixels, ((0, short[0]), (0, short[1]), (0, 0)), mode="edge")
    for _ in range(level):
        smaller = np.empty((pixels.shape[0] // 2, pixels.shape[1] // 2, 4), np.uint8)
        halve(smaller, pixels)
        pixels = smaller
    return pixels
