"""What a PNG says of its colours and of one that is clear (PNG, third edition, section 11.3)."""

from __future__ import annotations

import struct
from collections.abc import Mapping

from orvix.pictures.profiles import PRIMARIES, WHITE, BadProfile, described_profile

_WANTED = (b"cICP", b"iCCP", b"sRGB", b"gAMA", b"cHRM", b"tRNS")
_BY_CODE = {1: (WHITE, PRIMARIES), 9: (WHITE, ((0.708, 0.292), (0.170, 0.797), (0.131, 0.046))),
              12: (WHITE, ((0.680, 0.320), (0.265, 0.690), (0.150, 0.060)))}  # fmt: skip
"""Colour primaries of ITU-T H.273, table 2: BT.709, BT.2020, P3 with D65."""
_CURVES = {13: None, 4: 2.2, 5: 2.8, 8: 1.0}
"""Transfer characteristics of ITU-T H.273, table 3: sRGB, gamma 2.2, gamma 2.8, linear."""
_USUAL_GAMMA = 0.45455
_NEAR = 0.002
"""Chromaticities and gammas this near to sRGB's are sRGB's: files say them with four or five digits."""


def chunks_of(data: bytes) -> Mapping[bytes, bytes]:
    """The chunks before the pixels that say something of colour, by their names; of a broken file those found."""
    found: dict[bytes, bytes] = {}
    at = 8
    while at + 12 <= len(data):
        (length,) = struct.unpack_from(">I", data, at)
        kind = data[at + 4 : at + 8]
        if kind in (b"IDAT", b"IEND"):
            break
        if kind in _WANTED and kind not in found:
            found[kind] = data[at + 8 : at + 8 + length]
        at += 12 + length
    return found


def described(chunks: Mapping[bytes, bytes], icc: bytes | None, notes: list[str]) -> bytes | None:
    """The profile of a PNG's colours: cICP goes before iCCP, that before sRGB, that before cHRM and gAMA.

    None where they are sRGB. A gamma of 1/2.2 beside the primaries of sRGB is how many programs write sRGB.
    """
    told = chunks.get(b"cICP", b"")
    if len(told) == 4:
        if told[0] in _BY_CODE and told[1] in _CURVES and told[2] == 0 and told[3] == 1:
            if (told[0], told[1]) == (1, 13):
                return None
            return described_profile(*_BY_CODE[told[0]], _CURVES[told[1]])
        notes.append(f"its colours are described by codes that are not read ({told[0]}, {told[1]}); taken as sRGB")
        return None
    if b"iCCP" in chunks:
        if icc is None:
            notes.append("its colour profile is broken; its colours are taken as sRGB")
        return icc
    if b"sRGB" in chunks:
        return None
    return _from_numbers(chunks.get(b"gAMA", b""), chunks.get(b"cHRM", b""), notes)


def _from_numbers(gama: bytes, chrm: bytes, notes: list[str]) -> bytes | None:
    gamma = struct.unpack(">I", gama)[0] / 100_000 if len(gama) == 4 else _USUAL_GAMMA
    white, primaries = WHITE, PRIMARIES
    if len(chrm) == 32:
        numbers = [number / 100_000 for number in struct.unpack(">8I", chrm)]
        white = numbers[0], numbers[1]
        primaries = (numbers[2], numbers[3]), (numbers[4], numbers[5]), (numbers[6], numbers[7])
    told = [gamma, *white, *(part for pair in primaries for part in pair)]
    usual = [_USUAL_GAMMA, *WHITE, *(part for pair in PRIMARIES for part in pair)]
    if all(abs(one - other) <= _NEAR for one, other in zip(told, usual, strict=True)):
        return None
    if not 0.1 <= gamma <= 10:
        notes.append(f"its gamma of {gamma:g} cannot be; its colours are taken as sRGB")
        return None
    curve = None if abs(gamma - _USUAL_GAMMA) <= _NEAR else 1 / gamma
    try:
        return described_profile(white, primaries, curve)
    except BadProfile as error:
        notes.append(f"its chunk cHRM {error}; its colours are taken as sRGB")
        return None
