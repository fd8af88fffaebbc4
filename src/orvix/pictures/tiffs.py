"""The samples of a TIFF (TIFF 6.0 and its supplements), of several pages the first, decoded by tifffile."""

from __future__ import annotations

import io
import logging
from collections.abc import Callable
from typing import Any

import numpy as np
from numpy.typing import NDArray

from orvix.errors import UnreadablePicture
from orvix.pictures.samples import Samples, Stored

TIFF = (b"II*\x00", b"MM\x00*")
"""How a TIFF begins."""
_ORIENTATION = 274
_WHITE_IS_ZERO, _BLACK_IS_ZERO, _RGB, _PALETTE, _SEPARATED = 0, 1, 2, 3, 5
_COLOURS = {_WHITE_IS_ZERO: 1, _BLACK_IS_ZERO: 1, _RGB: 3, _SEPARATED: 4}
_ASSOCIATED, _UNASSOCIATED = 1, 2
_NAMES = {8: "CIE L*a*b*", 9: "ICC L*a*b*", 10: "ITU L*a*b*"}
MOST_SAMPLES = 8
"""A channel more than colour and alpha is left out; with more than so many the file is refused."""


def tiff_facts(data: bytes) -> tuple[int, float]:
    """Bits a channel and px an inch that a TIFF says it has; 8 and 0 where it does not."""
    import tifffile

    try:
        with tifffile.TiffFile(io.BytesIO(data)) as file:
            page: Any = file.pages[0]
            return _bits(page), float(page.get_resolution(unit="inch")[0]) if 282 in page.tags else 0.0
    except Exception:  # what it raises for a broken file is its own
        return 8, 0.0


def _bits(page: Any) -> int:
    return int(page.bitspersample if isinstance(page.bitspersample, int) else max(page.bitspersample))


def read_tiff(data: bytes, name: str, check_size: Callable[[int, int], None]) -> Stored | None:
    """The first page's samples, or none where its kind (palette, YCbCr) is better left to Pillow.

    check_size is called with the declared width and height before anything is decoded. Raises UnreadablePicture for
    what is not read; tifffile raises what it likes for a broken file.
    """
    # A third of a second that commands without a TIFF need not wait.
    import tifffile

    # What it says of a broken file is in the error that a painter reads.
    logging.getLogger("tifffile").setLevel(logging.CRITICAL)
    with tifffile.TiffFile(io.BytesIO(data)) as file:
        page: Any = file.pages[0]
        check_size(page.imagewidth, page.imagelength)
        kind = int(page.photometric)
        if kind in _NAMES:
            raise UnreadablePicture(f"{name}: TIFF in {_NAMES[kind]} is not read; save it as RGB")
        if kind not in _COLOURS:
            return None
        colours, count = _COLOURS[kind], int(page.samplesperpixel)
        if count < colours or count > MOST_SAMPLES or page.imagedepth != 1:
            rule = f"{colours} to {MOST_SAMPLES} samples a px are read"
            raise UnreadablePicture(f"{name}: has {count} samples a px; {rule}")
        if int(page.sampleformat) not in (1, 3):
            raise UnreadablePicture(f"{name}: has signed or complex samples; whole numbers from 0 and floats are read")
        raw = page.asarray()
        if page.planarconfig == 2 and count > 1:
            raw = np.moveaxis(raw.reshape(count, page.imagelength, page.imagewidth), 0, -1)
        raw = raw.reshape(page.imagelength, page.imagewidth, count)
        extras = [int(one) for one in page.extrasamples]
        tag = page.tags.get(_ORIENTATION)
        stored = Stored(np.empty(0, np.uint16), profile=page.iccprofile, turn=int(tag.value) if tag else 1)
        deep = _sixteen_bits(raw, _bits(page), stored.notes)
    if kind == _WHITE_IS_ZERO:
        deep[..., :1] = 65535 - deep[..., :1]
    stored.samples = np.ascontiguousarray(deep[..., :colours])
    # Without a word on what it is, one channel more is alpha.
    for n, what in enumerate(extras[: count - colours] or [_UNASSOCIATED] * (count == colours + 1)):
        if what in (_ASSOCIATED, _UNASSOCIATED):
            stored.alpha = np.ascontiguousarray(deep[..., colours + n])
            stored.associated = what == _ASSOCIATED
            break
    return stored


def _sixteen_bits(raw: NDArray[Any], bits: int, notes: list[str]) -> Samples:
    """Samples of any depth in 16 bits: whole numbers from 0 to the most, floats from 0 to 1."""
    if raw.dtype.kind == "f":
        found = np.nan_to_num(raw.astype(np.float32), nan=0.0, posinf=2.0, neginf=-1.0)
        beyond = float(((found < 0) | (found > 1)).mean())
        if beyond:
            much = f"{100 * beyond:.0f} %" if beyond >= 0.01 else "less than 1 %"
            notes.append(f"{much} of its floating point values lie outside 0 (black) to 1 (white) and are clipped")
        return (np.clip(found, 0, 1) * np.float32(65535) + np.float32(0.5)).astype(np.uint16)
    if bits == 16:
        return raw.astype(np.uint16)
    if bits == 8:
        return raw.astype(np.uint16) * np.uint16(257)
    most = (1 << bits) - 1
    return ((raw.astype(np.uint64) * 65535 + most // 2) // most).astype(np.uint16)
