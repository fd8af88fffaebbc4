"""Lengths on paper in px."""

from __future__ import annotations

import pytest

from orvix.errors import BadValue, UnknownName
from orvix.units import px_of


@pytest.mark.parametrize(
    ("length", "unit", "ppi", "px"),
    [
        (1536, "px", 300, 1536),
        (25.4, "mm", 300, 300),
        (210, "mm", 300, 2480),
        (2.54, "cm", 300, 300),
        (2.5, "inch", 150, 375),
        (0.5, "px", 72, 1),
    ],
)
def test_lengths_are_whole_px(length, unit, ppi, px):
    assert px_of("width", length, unit, ppi) == px


def test_bad_lengths_are_refused_by_name():
    for length, ppi in ((0, 300), (-5, 300), (10, 0), (float("inf"), 300), (float("nan"), 300)):
        with pytest.raises(BadValue, match="width"):
            px_of("width", length, "mm", ppi)
    with pytest.raises(UnknownName, match="unit"):
        px_of("width", 10, "furlong", 300)
