"""Blend modes against the formulas of the specification, written out slowly."""

from __future__ import annotations

import numpy as np
import pytest

from orvix.colour.blending import MODES, blend

CHANCE = np.random.default_rng(4)


def slow(mode: str, b: float, s: float) -> float:
    """B(cb, cs) of one channel, as W3C Compositing and Blending Level 1, section 10, writes it."""
    if mode == "overlay":
        return slow("hard-light", s, b)
    if mode == "soft-light":
        d = ((16 * b - 12) * b + 4) * b if b <= 0.25 else b**0.5
        return b - (1 - 2 * s) * b * (1 - b) if s <= 0.5 else b + (2 * s - 1) * (d - b)
    if mode == "hard-light":
        return b * 2 * s if s <= 0.5 else slow("screen", b, 2 * s - 1)
    if mode == "color-dodge":
        return 0 if b == 0 else 1 if s == 1 else min(1, b / (1 - s))
    if mode == "color-burn":
        return 1 if b == 1 else 0 if s == 0 else 1 - min(1, (1 - b) / s)
    return {
        "normal": s, "multiply": b * s, "screen": b + s - b * s, "darken": min(b, s), "lighten": max(b, s),
        "difference": abs(b - s), "exclusion": b + s - 2 * b * s, "plus-lighter": min(b + s, 1),
        "subtract": max(b - s, 0), "linear-burn": max(b + s - 1, 0), "linear-light": min(max(b + 2 * s - 1, 0), 1),
    }[mode]  # fmt: skip


SEPARABLE = [name for name in MODES if name not in ("hue", "saturation", "color", "luminosity")]


def opaque(rgb: np.ndarray) -> np.ndarray:
    pixels = np.full((*rgb.shape[:2], 4), 65535, np.uint16)
    pixels[..., :3] = np.round(rgb * 65535)
    return pixels


@pytest.mark.parametrize("mode", SEPARABLE)
def test_separable_modes_are_their_formulas_also_at_the_ends(mode):
    b, s = CHANCE.random((2, 12, 12, 3))
    b[0, :4, 0], s[0, :4, 0] = [0, 1, 0, 1], [0, 0, 1, 1]
    under, over = opaque(b), opaque(s)
    got = blend(under, over, mode).astype(float)[..., :3] / 65535
    for at in np.ndindex(b.shape):
        want = slow(mode, under[at[:2]][at[2]] / 65535, over[at[:2]][at[2]] / 65535)
        assert got[at] == pytest.approx(want, abs=2e-4), (mode, at)


@pytest.mark.parametrize("mode", SEPARABLE)
def test_every_alpha_has_the_formula_where_colours_are_none_or_whole(mode):
    """Sections 5 and 10, in float64: white and black over black and white of all 65,535 alphas."""
    alphas = np.arange(1, 65536)
    for cb in (0, 1):
        for cs in (0, 1):
            under, over = np.zeros((1, len(alphas), 4), np.uint16), np.zeros((1, len(alphas), 4), np.uint16)
            under[..., :3], under[..., 3] = cb * alphas[:, None], alphas
            over[..., :3], over[..., 3] = cs * 40000, 40000
            got = blend(under, over, mode).astype(float) / 65535
            a, ab = 40000 / 65535, alphas / 65535
            if mode == "plus-lighter":
                want = np.minimum(cs * a + cb * ab, 1)
            else:
                want = cs * a * (1 - ab) + a * ab * slow(mode, cb, cs) + (1 - a) * ab * cb
            assert np.abs(got[0, :, 0] - want).max() < 2e-4, (cb, cs)


def luminosity(c: np.ndarray) -> np.ndarray:
    return c @ np.array([0.3, 0.59, 0.11])


@pytest.mark.parametrize("mode", ["hue", "saturation", "color", "luminosity"])
def test_the_others_keep_the_light_that_they_say(mode):
    b, s = opaque(CHANCE.random((9, 9, 3))), opaque(CHANCE.random((9, 9, 3)))
    got = blend(b, s, mode)[..., :3] / 65535
    kept = s if mode == "luminosity" else b
    assert np.abs(luminosity(got) - luminosity(kept[..., :3] / 65535)).max() < 2e-3
    assert got.min() >= 0
    assert got.max() <= 1


@pytest.mark.parametrize("mode", list(MODES))
def test_nothing_over_and_nothing_under_change_nothing(mode):
    picture = opaque(CHANCE.random((6, 6, 3)))
    half = picture // 2
    empty = np.zeros_like(picture)
    for one in (picture, half):
        assert np.abs(blend(one, empty, mode).astype(int) - one).max() <= 1
        assert np.abs(blend(empty, one, mode).astype(int) - one).max() <= 1
    assert np.array_equal(blend(picture, half, mode, np.float32(0)), picture)


def test_alpha_is_source_over_and_light_adds_up():
    red, green = np.zeros((1, 1, 4), np.uint16), np.zeros((1, 1, 4), np.uint16)
    red[..., [0, 3]], green[..., [1, 3]] = 32768, 32768
    over = blend(green, red, "normal")[0, 0] / 65535
    assert over == pytest.approx([0.5, 0.25, 0, 0.75], abs=1e-3)
    assert blend(green, red, "plus-lighter")[0, 0] / 65535 == pytest.approx([0.5, 0.5, 0, 1.0], abs=1e-3)


@pytest.mark.parametrize("mode", sorted(MODES))
def test_a_px_comes_out_the_same_whatever_lies_beside_it(mode):
    chance = np.random.default_rng(5)
    opaque = np.full((6, 40, 4), 65535, np.uint16)
    opaque[..., :3] = chance.integers(0, 65536, (6, 40, 3))
    other = np.full((6, 40, 4), 65535, np.uint16)
    other[..., :3] = chance.integers(0, 65536, (6, 40, 3))
    alone = blend(opaque, other, mode, np.float32(0.37))
    hollow = [np.concatenate([one, np.zeros((1, 40, 4), np.uint16)]) for one in (opaque, other)]
    assert np.array_equal(blend(*hollow, mode, np.float32(0.37))[:6], alone)
