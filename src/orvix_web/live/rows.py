"""The rows painted on one canvas since it was opened: where a new one with the same brush starts in step with them."""

from __future__ import annotations

from collections import deque

import numpy as np
from numpy.typing import NDArray

from orvix.canvases.strokes import StrokeRun
from orvix.strokes import rhythm
from orvix.strokes.loaded import LoadedBrush
from orvix.strokes.rules import RowBeside

MOST_ROWS = 40
_NEAR = 3.0
"""A row is beside a stroke that starts within this many sizes of one of its stamps."""
_WANTED = (rhythm.S_PATH_X, rhythm.S_PATH_Y, rhythm.S_HEADING, rhythm.S_GAP, rhythm.S_SIZE)


def starts_in_rows(loaded: LoadedBrush) -> bool:
    """Whether a brush's strokes ask for the row beside them."""
    return loaded.coats[0].coat.values["row_start"] != "free"


class Rows:
    """See the module's docstring. Places are px of the canvas."""

    def __init__(self) -> None:
        self._rows: dict[int, deque[NDArray[np.float64]]] = {}

    def remember(self, brush_version_id: int, run: StrokeRun) -> None:
        """Remember the stamps of a finished stroke that was told to keep its marks."""
        painter = run.painters[0]
        marks = painter.kept_marks
        row = marks[marks[:, rhythm.S_MARK] == 0][:, _WANTED]
        if len(row) > 1:
            row[:, :2] += painter.origin_px
            self._rows.setdefault(brush_version_id, deque(maxlen=MOST_ROWS)).append(row)

    def beside(self, brush_version_id: int, x: float, y: float) -> RowBeside | None:
        """The row beside a place, by its nearest stamp; the newest where several are as near."""
        best, found = np.inf, None
        for row in reversed(self._rows.get(brush_version_id, ())):
            far = np.hypot(row[:, 0] - x, row[:, 1] - y)
            n = int(far.argmin())
            if far[n] < best and far[n] <= _NEAR * row[n, 4] and row[n, 3] > 0:
                best, found = float(far[n]), row[n]
        return None if found is None else RowBeside(*(float(one) for one in found[:4]))
