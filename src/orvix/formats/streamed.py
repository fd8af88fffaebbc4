"""Large pictures out, a band of rows at a time: PNG of 8 and 16 bits and TIFF of 16, into a file that is open.

The same px, resolution and credit as `pictures_out` writes; a picture never stands in memory whole.
"""

from __future__ import annotations

import zlib
from collections.abc import Callable, Iterator
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass
from typing import IO, Any

import numpy as np
from numpy.typing import NDArray

from orvix.formats.pictures_out import Credit, png_chunk, png_head, straight_16bit, tiff_tags
from orvix.geometry import BLOCK
from orvix.pictures.writing import straight_8bit
from orvix.progress import UNWATCHED, Watch

Straight = NDArray[np.uint8] | NDArray[np.uint16]
_LEVEL = 3
"""Of zlib: higher ones take several times as long for a few per cent."""
_CHUNK = 1 << 20
_ROWS = 64
"""So many rows are packed at once."""


@dataclass(frozen=True)
class Streamed:
    """A picture that is asked for by its rows. band(top, bottom): uint16 (rows, width, 4), premultiplied; or uint8
    (rows, width, 3) of what is seen. clear: whether it has alpha."""

    width: int
    height: int
    ppi: float
    band: Callable[[int, int], NDArray[Any]]
    clear: bool
    credit: Credit = Credit()

    def straight(self, px: NDArray[Any], deep: bool) -> Straight:
        """Some rows of a band as they stand in a file: (rows, width, 3 or 4)."""
        if px.dtype == np.uint8:
            return np.ascontiguousarray(px[..., :3].astype(np.uint8, copy=False))
        if deep and not self.clear:
            return np.ascontiguousarray(px[..., :3].astype(np.uint16, copy=False))
        out: Straight = straight_16bit(px) if deep else straight_8bit(px)
        return out if self.clear else np.ascontiguousarray(out[..., :3])  # type: ignore[return-value]

    def bands(self) -> Iterator[tuple[int, int]]:
        """Rows from top to bottom, as high as blocks are."""
        for top in range(0, self.height, BLOCK):
            yield top, min(top + BLOCK, self.height)


def stream_png(file: IO[bytes], picture: Streamed, *, deep: bool, watch: Watch = UNWATCHED) -> None:
    """Write a PNG; deep: of 16 bits, else of 8. Raises Stopped where `watch` asks for it."""
    file.write(png_head(picture.width, picture.height, 16 if deep else 8, picture.clear, picture.ppi, picture.credit))
    packing = zlib.compressobj(_LEVEL)
    above = np.zeros(0, np.uint8)
    waiting = bytearray()

    def written(packed: bytes) -> None:
        waiting.extend(packed)
        while len(waiting) >= _CHUNK:
            file.write(png_chunk(b"IDAT", bytes(waiting[:_CHUNK])))
            del waiting[:_CHUNK]

    # Rows are packed on a thread of their own while the next ones are gathered.
    with ThreadPoolExecutor(1) as packer:
        under_way = None
        for top, bottom in picture.bands():
            watch.tell(top / picture.height, "writing")
            watch.stop_if_asked()
            band = picture.band(top, bottom)
            for first in range(0, bottom - top, _ROWS):
                filtered, above = _filtered(picture.straight(band[first : first + _ROWS], deep), above)
                if under_way is not None:
                    written(under_way.result())
                under_way = packer.submit(packing.compress, filtered.data)
        if under_way is not None:
            written(under_way.result())
    written(packing.flush())
    file.write(png_chunk(b"IDAT", bytes(waiting)))
    file.write(png_chunk(b"IEND", b""))


def _filtered(px: Straight, above: NDArray[np.uint8]) -> tuple[NDArray[np.uint8], NDArray[np.uint8]]:
    """Rows as a PNG has them, each as its difference from the one above it, and the last one as it is.

    The filter "up" of the PNG specification, 9.2; above: the row above the first one, empty where there is none.
    """
    rows = (px.astype(">u2").view(np.uint8) if px.dtype == np.uint16 else px).reshape(px.shape[0], -1)
    out = np.empty((rows.shape[0], rows.shape[1] + 1), np.uint8)
    out[:, 0] = 2
    out[0, 1:] = rows[0] - above if len(above) else rows[0]
    np.subtract(rows[1:], rows[:-1], out=out[1:, 1:])
    return out, rows[-1].copy()


def stream_tiff(file: IO[bytes], picture: Streamed, watch: Watch = UNWATCHED) -> None:
    """Write a TIFF of 16 bits, in tiles of 256 px; into a file with a name, that can be sought in."""
    import tifffile

    channels = 4 if picture.clear else 3
    more: dict[str, Any] = {"extrasamples": ["unassalpha"]} if picture.clear else {}

    def tiles() -> Iterator[NDArray[np.uint16]]:
        for top, bottom in picture.bands():
            watch.tell(top / picture.height, "writing")
            watch.stop_if_asked()
            px = picture.straight(picture.band(top, bottom), True)
            for left in range(0, picture.width, BLOCK):
                part = px[:, left : left + BLOCK]
                whole = np.zeros((BLOCK, BLOCK, channels), np.uint16)
                whole[: part.shape[0], : part.shape[1]] = part
                yield whole

    tifffile.imwrite(
        file, tiles(), shape=(picture.height, picture.width, channels), dtype=np.uint16, tile=(BLOCK, BLOCK),
        photometric="rgb", compression="zlib", compressionargs={"level": _LEVEL}, resolutionunit="inch",
        resolution=(picture.ppi, picture.ppi), metadata=None, software="Orvix", extratags=tiff_tags(picture.credit),
        **more,
    )  # fmt: skip
