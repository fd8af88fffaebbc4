"""The measurements run, on a clock that is handed to them, and give the numbers the docs speak of."""

from __future__ import annotations

from itertools import count

import pytest

from orvix import benching
from orvix.errors import UnknownName


def ticking():
    ticks = count()
    return lambda: next(ticks) * 0.001


def test_the_clock_is_an_argument():
    assert benching.best_of(lambda: None, ticking(), 3) == pytest.approx(0.001)


@pytest.mark.slow
@pytest.mark.parametrize(
    ("part", "key"), [("dabs", "200 px plain, Mpx/s"), ("trial-sheet", "trial sheet of Sailcloth chalk, ms")]
)
def test_each_part_gives_its_numbers(part, key):
    told = benching.run(part, ticking())
    assert told[key] > 0
    assert told["calibration, ms"] > 0


def test_an_unknown_part_lists_those_known():
    with pytest.raises(
        UnknownName,
        match="known are dabs, kinds, canvases, memory, replay, joined, layers, proofs, streamed, trial-sheet, tiles",
    ):
        benching.run("speed", ticking())


def test_dab_work_lays_paint():
    work = benching.dab_work(32, 20, vary=True, grain=True)
    plane = work.__closure__[[*work.__code__.co_freevars].index("plane")].cell_contents
    work()
    assert plane.max() > 0.05
