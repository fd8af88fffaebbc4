"""Blocks and undo differences as they are stored."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from orvix.canvases.blocks import EMPTY, Blocks
from orvix.canvases.layers import Change
from orvix_web.canvases.rows import deltas, pack, pack_samples, unpack, unpack_samples

RANDOM = np.random.default_rng(9)


def block(seed: int) -> np.ndarray | None:
    """A block of a few painted rectangles, or nothing for 0."""
    if seed == 0:
        return None
    made, drawn = np.zeros((256, 256, 4), np.uint16), np.random.default_rng(seed)
    for _ in range(3):
        y, x = drawn.integers(0, 200, 2)
        made[y : y + 40, x : x + 40] = drawn.integers(0, 65535, 4)
    return made


def test_a_block_comes_back_and_nothing_takes_no_room():
    one = RANDOM.integers(0, 65535, (256, 256, 4)).astype(np.uint16)
    assert np.array_equal(unpack(pack(one)), one)
    assert pack(None) == b""
    assert len(pack(EMPTY)) < 200


@settings(max_examples=25)
@given(st.lists(st.tuples(st.integers(0, 4), st.integers(0, 4)), min_size=1, max_size=5))
def test_walking_the_differences_backwards_gives_every_state(history):
    states = [{(0, 0): block(0), (0, 1): block(0)}]
    befores = {}
    for number, (a, b) in enumerate(history, 1):
        befores[number] = dict(states[-1])
        states.append({(0, 0): block(a), (0, 1): block(b)})
    layer = Blocks(512, 256)
    for key, one in states[-1].items():
        layer.put(key, None if one is None else one.copy())
    stored = {}
    now = Change({(1, key): one for key, one in states[-1].items()})
    before = {number: Change({(1, key): one for key, one in state.items()}) for number, state in befores.items()}
    for number, (_, key), delta in deltas(now, before):
        stored[(number, key)] = unpack(delta)
    for number in range(len(history), 0, -1):
        for key in ((0, 0), (0, 1)):
            now = layer.get(key)
            before = stored[(number, key)] ^ (EMPTY if now is None else now)
            want = states[number - 1][key]
            assert np.array_equal(before, EMPTY if want is None else want)
            layer.put(key, before if before.any() else None)


def test_a_difference_holds_little_more_than_what_changed():
    before = RANDOM.integers(0, 65535, (256, 256, 4)).astype(np.uint16)
    after = before.copy()
    after[100:110, 100:110] = 0
    ((_, _, delta),) = list(deltas(Change({(1, (0, 0)): after}), {1: Change({(1, (0, 0)): before})}))
    assert len(delta) < len(pack(before)) / 50


def test_samples_come_back_at_the_precision_they_came_with():
    samples = RANDOM.random((50, 7)).astype(np.float32).astype(np.float64)
    assert np.array_equal(unpack_samples(pack_samples(samples)), samples)


@pytest.mark.django_db
def test_the_chain_shows_only_ones_own_and_marks_what_is_linked(kit, stranger):
    from orvix_web.chain.queries import counts, strip

    assert counts(kit.owner) == {"tile": 1, "grain": 1, "brush": 1, "canvas": 1, "proof": 0}
    assert strip(stranger, "tile", kit.tile.pk) == [None] * 5
    tile, grain, brush, canvas, proof = strip(kit.owner, "tile", kit.tile.pk)
    assert (tile.current, grain.linked, brush.linked, canvas.linked, proof) == (True, True, True, False, None)
    assert tile.version == "tile v1"
    assert tile.more == 0
