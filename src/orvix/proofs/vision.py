"""How a picture looks to eyes that lack one kind of cone, or to none but rods.

Matrices of Machado, Oliveira and Fernandes, "A Physiologically-based Model for Simulation of Color Vision Deficiency"
(2009), at full severity, on linear-light sRGB (IEC 61966-2-1). Greys keep their tone. Grey is relative luminance.
"""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

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
    matrix = np.array(_KINDS[vision], np.float32)
    light = np.clip(_LINEAR[pixels[..., :3]] @ matrix.T, 0, 1)
    out = pixels.copy()
    out[..., :3] = _CODE[(light * _STEPS + np.float32(0.5)).astype(np.int32)]
    return out
