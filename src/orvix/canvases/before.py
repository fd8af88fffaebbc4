"""What the strokes before it say to a new one with the same brush: the row it starts beside, the letters gone."""

from __future__ import annotations

from collections import deque
from collections.abc import Collection
from typing import Any

import numpy as np
from numpy.typing import NDArray

from orvix.canvases.strokes import StrokeRun
from orvix.strokes import rhythm
from orvix.strokes.loaded import LoadedBrush, goes_on
from orvix.strokes.rules import RowBeside

MOST_ROWS = 40
_NEAR = 3.0
"""A row is beside a stroke that starts within this many sizes of one of its stamps."""
_WANTED = (rhythm.S_PATH_X, rhythm.S_PATH_Y, rhythm.S_HEADING, rhythm.S_SPACING, rhythm.S_SIZE)


def listens(brush: LoadedBrush) -> bool:
    """Whether a brush's strokes depend on those before them."""
    return _in_rows(brush) or goes_on(brush)


def _in_rows(brush: LoadedBrush) -> bool:
    return brush.coats[0].coat.values["row_start"] != "free"


class StrokesBefore:
    """The last strokes of one canvas, by the version of their brush. Places are px of the canvas.

    Strokes have the numbers of their operations; `standing` names those that count, undone ones do not.
    """

    def __init__(self) -> None:
        self._rows: dict[int, deque[tuple[int, NDArray[np.float64]]]] = {}
        self._letters: dict[int, deque[tuple[int, int]]] = {}

    def remember(self, version: int, number: int, brush: LoadedBrush, run: StrokeRun, data: dict[str, Any]) -> None:
        """Remember a finished stroke; data: as the log holds it. Its stamps where the run kept its marks."""
        if _in_rows(brush):
            painter = run.painters[0]
            marks = painter.kept_marks
            row = marks[marks[:, rhythm.S_MARK] == 0][:, _WANTED]
            if len(row) > 1:
                row[:, :2] += painter.origin_px
                self._rows.setdefault(version, deque(maxlen=MOST_ROWS)).append((number, row))
        if goes_on(brush):
            gone = data.get("letters_gone", 0) + run.stamp_count
            self._letters.setdefault(version, deque(maxlen=MOST_ROWS)).append((number, gone))

    def told(
        self,
        version: int,
        brush: LoadedBrush,
        data: dict[str, Any],
        start: tuple[float, float],
        standing: Collection[int] | None = None,
    ) -> dict[str, Any]:
        """The data of a stroke that starts there, with what the strokes before it say; standing: None for all."""
        told = {name: one for name, one in data.items() if name not in ("row", "letters_gone")}
        if goes_on(brush):
            lines = self._letters.get(version, ())
            told["letters_gone"] = next((n for at, n in reversed(lines) if standing is None or at in standing), 0)
        row = self._beside(version, start, standing) if _in_rows(brush) else None
        if row is not None:
            told["row"] = [row.x, row.y, row.heading, row.pitch_px]
        return told

    def _beside(self, version: int, start: tuple[float, float], standing: Collection[int] | None) -> RowBeside | None:
        """The row beside a place, by its nearest stamp; the newest where several are as near."""
        best, found = np.inf, None
        for number, row in reversed(self._rows.get(version, ())):
            if standing is not None and number not in standing:
                continue
            far = np.hypot(row[:, 0] - start[0], row[:, 1] - start[1])
            n = int(far.argmin())
            if far[n] < best and far[n] <= _NEAR * row[n, 4] and row[n, 3] > 0:
                best, found = float(far[n]), row[n]
        return None if found is None else RowBeside(*(float(one) for one in found[:4]))
