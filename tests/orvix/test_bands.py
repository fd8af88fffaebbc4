"""Work in bands: every row once, whatever the size; stopped where asked, and a failure is not swallowed."""

from __future__ import annotations

import threading

import numpy as np
import pytest

from orvix.bands import BAND_PX, in_bands
from orvix.progress import Stopped, Watch


@pytest.mark.parametrize(("rows", "columns"), [(1, 1), (7, 100_000), (1024, 1024), (4097, 3), (300, BAND_PX)])
def test_every_row_is_worked_on_once(rows, columns):
    seen = np.zeros(rows, int)

    def work(top, bottom):
        assert 0 <= top < bottom <= rows
        seen[top:bottom] += 1

    in_bands(rows, columns, work)
    assert (seen == 1).all()


def test_progress_rises_to_one_and_is_told_on_the_asking_thread():
    told, here = [], threading.current_thread()

    def tell(share, words):
        assert threading.current_thread() is here
        told.append((share, words))

    in_bands(2048, 2048, lambda top, bottom: None, Watch(tell), "drawing")
    assert told == sorted(told)
    assert told[-1] == (1.0, "drawing")


def test_work_stops_where_asked_and_leaves_the_rest():
    done, seen = [], threading.Event()

    def work(top, bottom):
        if len(done) >= 3:
            seen.wait(30)  # what comes after the third waits until stopping was asked for,
            threading.Event().wait(0.01)  # and takes its time, so that the rest is never done before it stops
        done.append(top)

    def asked_to_stop() -> bool:
        if len(done) >= 3:
            seen.set()
        return seen.is_set()

    with pytest.raises(Stopped):
        in_bands(8192, 4096, work, Watch(asked_to_stop=asked_to_stop))
    assert len(done) < 8192 * 4096 // BAND_PX // 2


def test_what_goes_wrong_in_a_band_goes_wrong_here():
    def work(top, bottom):
        if top:
            raise ZeroDivisionError(str(top))

    with pytest.raises(ZeroDivisionError):
        in_bands(2048, 2048, work)
