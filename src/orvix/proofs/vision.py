"""How a picture looks to eyes that lack one kind of cone, or to none but rods.

Matrices of Machado, Oliveira and Fernandes, "A Physiologically-based Model for Simulation of Color Vision Deficiency"
(2009), at full severity, on linear-light sRGB (IEC 61966-2-1). Greys keep their tone. Grey is relative luminance.
"""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from orvix.bands import in_bands
from orvix.compiling import kernel
from orvix.errors import UnknownName

AS_IT_IS = "as it is"
_KINDS = {
    "without red cones": (
        (0.152286, 1.052583, -0.204868),
        (0.114503, 0.786281, 0.099216),
        (-0.003882, -0.048116, 1.051998),
    ),
    "without green cones": (
        (0.367322, 0.860646, -0.227968),
        (0.280085, 0.672501, 0.047413),
        (-0.011820, 0.042940, 0.968881),
    ),
    "without blue cones": (
        (1.255528, -0.076749, -0.178779),
        (-0.078411, 0.930809, 0.147602),
        (0.004733, 0.691367, 0.303900),
    ),
    "greys only": ((0.2126, 0.7152, 0.0722),) * 3,
}
VISIONS = (AS_IT_IS, *_KINDS)
_STEPS = 4095


def _to_linear() -> NDArray[np.float32]:
    code = np.arange(256) / 255
    return np.where(code <= 0.04045, code / 12.92, ((code + 0.055) / 1.055) ** 2.4).astype(np.float32)


def _to_code() -> NDArray[np.uint8]:
    light = np.arange(_STEPS + 1) / _STEPS
    code = np.where(light <= 0.0031308, light * 12.92, 1.055 * light ** (1 / 2.4) - 0.055)
    return (code * 255 + 0.5).astype(np.uint8)


_LINEAR, _CODE = _to_linear(), _to_code()


def seen_by(pixels: NDArray[np.uint8], vision: str) -> NDArray[np.uint8]:
    """Pixels (rows, columns, 3 or 4), straight, as these eyes see them; alpha stays. Raises UnknownName."""
    if vision == AS_IT_IS:
        return pixels
    if vision not in _KINDS:
        raise UnknownName("vision", vision, list(VISIONS))
    out = np.ascontiguousarray(pixels).copy()
    flat = out.reshape(-1, out.shape[-1])
    matrix = np.array(_KINDS[vision], np.float32)
    in_bands(len(flat), 1, lambda first, last: _see(flat, matrix, _LINEAR, _CODE, first, last))
    return out


@kernel
def _see(px, matrix, linear, code, first, last):  # type: ignore[no-untyped-def]
    """Pixels first to last through a matrix on linear light, in place; unchecked kernel.

    px: uint8 (n, 3 or 4). linear: float32 (256,); code: uint8, what it is encoded as by steps of light.
    """
    one, zero, half, most = np.float32(1.0), np.float32(0.0), np.float32(0.5), np.float32(code.shape[0] - 1)
    for n in range(first, last):
        red, green, blue = linear[px[n, 0]], linear[px[n, 1]], linear[px[n, 2]]
        for c in range(3):
            light = matrix[c, 0] * red + matrix[c, 1] * green + matrix[c, 2] * blue
            px[n, c] = code[int(min(max(light, zero), one) * most + half)]
