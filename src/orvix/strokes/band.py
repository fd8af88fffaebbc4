"""The pieces of a ribbon's band laid into sheets: for every px of a block the nearest place of the path.

A sheet holds one pass of the path: the distance to it, the way gone, the share across, and how strongly the paint lies
there. Where the path comes back over itself a px takes a further sheet.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

import numpy as np
from numpy.typing import NDArray

from orvix.compiling import kernel
from orvix.geometry import BLOCK, Box, Key, block_box, keys_in
from orvix.strokes.area import Area
from orvix.strokes.symmetry import Maps
from orvix.tiles.joining import Copy

Plane = NDArray[np.float32]
Floats = NDArray[np.float64]
_MOST_SHEETS = 6
_FAR = np.float32(1e9)
_ONE = np.float32(1)
_AX, _AY, _BX, _BY, _HALF_A, _HALF_B = range(6)
_TURN_A, _TURN_B, _CAME_X, _CAME_Y, _MIRROR = range(10, 15)


@dataclass(frozen=True)
class Pieces:
    """numbers: (n, 15), as `_lay_piece` reads them, in px of the canvas. apart: (n,), as it is told."""

    numbers: Floats
    apart: Floats

    def boxes(self) -> NDArray[np.int64]:
        """What each may reach: left, top, right, bottom, (n, 4)."""
        x, y = self.numbers[:, [_AX, _BX]], self.numbers[:, [_AY, _BY]]
        reach = self.numbers[:, [_HALF_A, _HALF_B]].max(axis=1) * 1.5 + 2
        low = [np.floor(at.min(axis=1) - reach) for at in (x, y)]
        high = [np.ceil(at.max(axis=1) + reach) + 1 for at in (x, y)]
        return np.column_stack([*low, *high]).astype(np.int64)

    def at(self, maps: Maps) -> Pieces:
        """Every piece where each of the maps takes it, piece by piece."""
        numbers = np.repeat(self.numbers[:, None], len(maps), axis=1)
        for columns, shift in (([_AX, _AY], 0.5), ([_BX, _BY], 0.5)):
            moved = np.einsum("cij,nj->nci", maps[:, :, :2], self.numbers[:, columns] + shift) + maps[None, :, :, 2]
            numbers[:, :, columns] = moved - shift
        numbers[:, :, [_CAME_X, _CAME_Y]] = np.einsum(
            "cij,nj->nci", maps[:, :, :2], self.numbers[:, [_CAME_X, _CAME_Y]]
        )
        over = np.linalg.det(maps[:, :, :2]) < 0
        for column in (_TURN_A, _TURN_B, _MIRROR):
            numbers[:, over, column] *= -1
        numbers[:, 0] = self.numbers
        return Pieces(numbers.reshape(-1, numbers.shape[-1]), np.repeat(self.apart, len(maps)))

    def in_copy(self, copy: Copy, area: Area) -> Floats:
        """The numbers as they lie in the part that a copy shows: moved, and mirrored where the copy is."""
        out = self.numbers.copy()
        out[:, [_AX, _BX]] -= copy.x
        out[:, [_AY, _BY]] -= copy.y
        if copy.across:
            out[:, [_AX, _BX]] = area.width - 1 - out[:, [_AX, _BX]]
            out[:, _CAME_X] *= -1
        if copy.down:
            out[:, [_AY, _BY]] = area.height - 1 - out[:, [_AY, _BY]]
            out[:, _CAME_Y] *= -1
        if copy.across != copy.down:
            out[:, [_TURN_A, _TURN_B, _MIRROR]] *= -1
        return out


class Band:
    """The sheets of one ribbon: float32 (sheets, 4, BLOCK, BLOCK) for each block it touches."""

    def __init__(self, area: Area, *, cut: bool) -> None:
        self._area = area
        self._maps = area.maps
        self._cut = cut
        self.sheets: dict[Key, Plane] = {}

    def lay(self, pieces: Pieces) -> dict[Key, Box]:
        """Lay pieces in order, each in every copy it touches; returns the boxes that changed."""
        pieces = self._wrapped(pieces)
        boxes, whole = pieces.boxes(), (0, 0, self._area.width, self._area.height)
        boxes[:, :2] = np.maximum(boxes[:, :2], whole[:2])
        boxes[:, 2:] = np.minimum(boxes[:, 2:], whole[2:])
        there = (boxes[:, 2] > boxes[:, 0]) & (boxes[:, 3] > boxes[:, 1])
        boxes, numbers, apart = boxes[there], pieces.numbers[there], pieces.apart[there].astype(np.float32)
        changed: dict[Key, Box] = {}
        if not len(boxes):
            return changed
        reach = (*boxes[:, :2].min(axis=0).tolist(), *boxes[:, 2:].max(axis=0).tolist())
        for key in keys_in(reach):
            left, top, right, bottom = block_box(key)
            near = (boxes[:, 0] < right) & (boxes[:, 2] > left) & (boxes[:, 1] < bottom) & (boxes[:, 3] > top)
            if near.any():
                box = self._lay_in(key, boxes[near], numbers[near], apart[near])
                changed |= {key: box} if box else {}
        return changed

    def _lay_in(self, key: Key, boxes: Any, numbers: Floats, apart: Plane) -> Box | None:
        sheets = self.sheets.get(key)
        if sheets is None:
            sheets = _sheets(2)
        left, top, right, bottom = block_box(key)
        changed, n, full = np.array([right, bottom, left, top]), 0, True
        while full:
            n, full = lay_pieces(sheets, top, left, boxes, numbers, apart, self._cut, n, changed)
            sheets = np.concatenate([sheets, _sheets(1)]) if full else sheets
        if changed[2] <= changed[0]:
            return None
        self.sheets[key] = sheets
        return tuple(changed.tolist())

    def _wrapped(self, pieces: Pieces) -> Pieces:
        """Every piece in every copy of the canvas that shows some of it, piece by piece."""
        area = self._area
        if self._maps is not None:
            pieces = pieces.at(self._maps)
        if area.joined is None:
            return pieces
        boxes = pieces.boxes()
        reach = (*boxes[:, :2].min(axis=0).tolist(), *boxes[:, 2:].max(axis=0).tolist())
        copies = list(area.joined.copies_near(reach, area.width, area.height))
        numbers = np.stack([pieces.in_copy(copy, area) for copy in copies], axis=1)
        return Pieces(numbers.reshape(-1, numbers.shape[-1]), np.repeat(pieces.apart, len(copies)))


def _sheets(count: int) -> Plane:
    """Sheets of a block, nothing on them: (count, 4, BLOCK, BLOCK): distance, way, share across, strength."""
    sheets = np.zeros((count, 4, BLOCK, BLOCK), np.float32)
    sheets[:, 0] = _FAR
    return sheets


@kernel
def _corner_takes(px, py, turn, dx, dy, half, before, cut):  # type: ignore[no-untyped-def]
    """Whether a place beyond a corner, relative to it, is this side's: outside the turn, on this side of the mitre."""
    across = dx * py - dy * px
    if turn == 0.0 or across * turn >= 0.0:
        return False
    c, s = np.cos(turn), np.sin(turn)
    ox, oy = (c * dx + s * dy, c * dy - s * dx) if before else (c * dx - s * dy, s * dx + c * dy)
    side = px * (dx + ox) + py * (dy + oy)
    if (before and side < 0.0) or (not before and side > 0.0):
        return False
    if not cut:
        return True
    mx, my = -(dy + oy), dx + ox
    long = np.sqrt(mx * mx + my * my)
    if long < 1e-9:
        return False
    if (px * mx + py * my) * turn > 0.0:
        return False
    return abs(px * mx + py * my) / long <= half * np.cos(0.5 * turn)


@kernel
def _lay_piece(sheets, top, left, y0, y1, x0, x1, piece, apart, cut):  # type: ignore[no-untyped-def]
    """Lay one piece of band into the sheets of a block whose upper left px is (top, left); unchecked kernel.

    piece: both ends, their half widths, ways and strengths, the turns at them if they are corners, the direction of
    the piece before it (0, 0 for none), and -1 where it is mirrored. apart: ways further apart than this are passes
    of their own. Returns how many sheets are in use where it laid anything, else 0.
    """
    ax, ay, bx, by, ha, hb = piece[0], piece[1], piece[2], piece[3], piece[4], piece[5]
    sa, sb, pa, pb, ta, tb = piece[6], piece[7], piece[8], piece[9], piece[10], piece[11]
    came_x, came_y, mirror = piece[12], piece[13], piece[14]
    first = came_x == 0.0 and came_y == 0.0
    length = np.sqrt((bx - ax) * (bx - ax) + (by - ay) * (by - ay))
    dx, dy = (bx - ax) / length, (by - ay) / length
    used = 0
    for y in range(y0, y1):
        for x in range(x0, x1):
            px, py = x + left - ax, y + top - ay
            along, across = px * dx + py * dy, dx * py - dy * px
            share = min(max(along / length, 0.0), 1.0)
            half = ha + (hb - ha) * share
            far = abs(across)
            if along < 0.0:
                if _corner_takes(px, py, ta, dx, dy, half, True, cut):
                    pass
                elif first or ta != 0.0 or px * came_x + py * came_y < 0.0:
                    continue
                else:
                    far = np.sqrt(px * px + py * py)
            elif along > length and not _corner_takes(px - length * dx, py - length * dy, tb, dx, dy, half, False, cut):
                continue
            if far >= half + 0.5:
                continue
            way = np.float32(sa + (sb - sa) * along / length)
            if along < 0.0 and ta == 0.0:
                way = np.float32(sa)
            k = 0
            while k < sheets.shape[0] - 1 and sheets[k, 0, y, x] < _FAR and abs(sheets[k, 1, y, x] - way) > apart:
                k += 1
            if far < sheets[k, 0, y, x] or abs(sheets[k, 1, y, x] - way) > apart:
                sheets[k, 0, y, x] = far
                sheets[k, 1, y, x] = way
                sheets[k, 2, y, x] = (far if across >= 0.0 else -far) * mirror / half
                sheets[k, 3, y, x] = (pa + (pb - pa) * share) * min(half + 0.5 - far, 1.0)
                used = max(used, k + 1)
    return used


@kernel
def lay_pieces(sheets, top, left, boxes, pieces, apart, cut, first, changed):  # type: ignore[no-untyped-def]
    """Lay pieces of band from number `first` on into the sheets of a block; unchecked kernel.

    The last sheet is spare: once something lies on it, it stops. Returns the number of the piece to go on with, and
    whether one more sheet is wanted before. changed: the box of the block that was laid on, widened.
    """
    for n in range(first, boxes.shape[0]):
        x0, y0 = max(boxes[n, 0] - left, 0), max(boxes[n, 1] - top, 0)
        x1, y1 = min(boxes[n, 2] - left, BLOCK), min(boxes[n, 3] - top, BLOCK)
        if x1 <= x0 or y1 <= y0:
            continue
        used = _lay_piece(sheets, top, left, y0, y1, x0, x1, pieces[n], apart[n], cut)
        if used == 0:
            continue
        changed[0], changed[1] = min(changed[0], x0 + left), min(changed[1], y0 + top)
        changed[2], changed[3] = max(changed[2], x1 + left), max(changed[3], y1 + top)
        if used == sheets.shape[0] and used < _MOST_SHEETS:
            return n + 1, True
    return boxes.shape[0], False


@kernel
def shade_band(out, sheets, tile, period, repeats, moves, paint, filled):  # type: ignore[no-untyped-def]
    """out (rows, columns, 4) = the tile along the band, pass over pass; unchecked kernel.

    tile: premultiplied (rows, columns, 4), read bilinearly; it follows itself where it repeats. moves: (ways, 3, 4),
    how its colours are moved at each px of the way, and paint (ways, 3), what is laid under it where it is filled; of
    no way: as they are.
    """
    rows, columns = tile.shape[0], tile.shape[1]
    found = np.empty(4, np.float32)
    for k in range(sheets.shape[0]):
        for y in range(out.shape[0]):
            for x in range(out.shape[1]):
                if sheets[k, 0, y, x] >= _FAR:
                    continue
                u = np.float64(sheets[k, 1, y, x]) / period
                if repeats:
                    u -= np.floor(u)
                u = u * columns - 0.5
                v = (np.float64(sheets[k, 2, y, x]) + 1.0) * 0.5 * rows - 0.5
                v = min(max(v, 0.0), rows - 1.0)
                c0, r0 = int(np.floor(u)), int(np.floor(v))
                fu, fv = np.float32(u - c0), np.float32(v - r0)
                c1, r1 = c0 + 1, min(r0 + 1, rows - 1)
                if repeats:
                    c0, c1 = c0 % columns, c1 % columns
                else:
                    c0, c1 = min(max(c0, 0), columns - 1), min(max(c1, 0), columns - 1)
                for c in range(4):
                    upper = tile[r0, c0, c] + (tile[r0, c1, c] - tile[r0, c0, c]) * fu
                    lower = tile[r1, c0, c] + (tile[r1, c1, c] - tile[r1, c0, c]) * fu
                    found[c] = upper + (lower - upper) * fv
                if moves.shape[0] > 0:
                    at = min(max(int(sheets[k, 1, y, x]), 0), moves.shape[0] - 1)
                    r, g, b, alpha = found[0], found[1], found[2], found[3]
                    for c in range(3):
                        value = (
                            moves[at, c, 0] * r + moves[at, c, 1] * g + moves[at, c, 2] * b + moves[at, c, 3] * alpha
                        )
                        found[c] = min(max(value, np.float32(0)), alpha)
                        if filled:
                            found[c] += paint[at, c] * (_ONE - alpha)
                    if filled:
                        found[3] = _ONE
                cover = sheets[k, 3, y, x]
                keep = _ONE - found[3] * cover
                for c in range(4):
                    out[y, x, c] = found[c] * cover + out[y, x, c] * keep
