"""Where stamps of a stroke collide: follow one another so closely that they overlap more than on a straight run."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from orvix.compiling import kernel
from orvix.strokes import rhythm
from orvix.strokes.dabs import Marks

_SLACK, _A_LINE, _CLOSE = 0.05, 0.34, 0.3


def collisions(rules: rhythm.Rules, marks: Marks) -> NDArray[np.float64]:
    """The places (n, 2) midway between pairs of neighbouring stamps of a stroke that collide, in the marks' px.

    Each stamp's first mark counts, where its stamp is on the path; a stamp may overlap the next as far as it would if
    that lay straight on, as large and turned alike, and 5 % of its area more. Stamps that even there overlap by more
    than a third are a line and not marks of their own: they do not collide.
    """
    first = np.ascontiguousarray(marks[marks[:, rhythm.S_MARK] == 0])
    if len(first) < 2 or len(rules.advances):
        return np.empty((0, 2))
    hit = _collide(rules, first)
    middle = 0.5 * (first[:-1] + first[1:])
    return middle[hit][:, [rhythm.S_PATH_X, rhythm.S_PATH_Y]]


@kernel
def _collide(rules, marks):  # type: ignore[no-untyped-def]
    """Whether each mark collides with the next: bool (n - 1,); unchecked kernel."""
    hit = np.zeros(marks.shape[0] - 1, np.bool_)
    for n in range(marks.shape[0] - 1):
        a, b = marks[n], marks[n + 1]
        ax, ay, size, turn = a[rhythm.S_PATH_X], a[rhythm.S_PATH_Y], a[rhythm.S_SIZE], a[rhythm.S_TURN]
        flat, flips, spacing, way = (
            a[rhythm.S_ROUNDNESS],
            int(a[rhythm.S_FLIPS]),
            a[rhythm.S_SPACING],
            a[rhythm.S_HEADING],
        )
        if spacing < _CLOSE * size * flat:
            continue
        here = rhythm.overlap(
            rules, ax, ay, size, turn, flat, flips, b[rhythm.S_PATH_X], b[rhythm.S_PATH_Y], b[rhythm.S_SIZE],
            b[rhythm.S_TURN], b[rhythm.S_ROUNDNESS], int(b[rhythm.S_FLIPS]),
        )  # fmt: skip
        if here <= _SLACK:
            continue
        x, y = ax + spacing * np.cos(way), ay + spacing * np.sin(way)
        straight = rhythm.overlap(rules, ax, ay, size, turn, flat, flips, x, y, size, turn, flat, flips)
        hit[n] = straight < _A_LINE and here > straight + _SLACK
    return hit
