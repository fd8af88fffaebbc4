"""A "photo" of deck planking as a camera would give it: uneven light, lens falloff, a stain and sensor noise."""

from __future__ import annotations

import cv2
import numpy as np
from numpy.typing import NDArray


def deck_photo(width: int = 900, height: int = 640, seed: int = 4) -> NDArray[np.uint8]:
    """8-bit RGB (rows, columns, 3) of planks that do not close at the borders."""
    chance = np.random.default_rng(seed)
    y, x = np.mgrid[0:height, 0:width].astype(np.float32)
    plank = (y / 73).astype(int)
    tone = chance.uniform(0.42, 0.62, plank.max() + 1)[plank]
    fibre = cv2.GaussianBlur(chance.normal(0, 1, (height, width)).astype(np.float32), (0, 0), 22, sigmaY=0.9)
    knots = np.sin(y / 9 + 3 * cv2.GaussianBlur(fibre, (0, 0), 15)) * 0.03
    wood = tone + fibre * 0.22 + knots
    joint = np.abs(y % 73 - 1.5) < 2.2
    wood[joint] *= 0.35
    rgb = np.stack([wood * 1.02, wood * 0.82, wood * 0.6], axis=-1)
    stain = np.exp(-(((x - 610) / 90) ** 2 + ((y - 250) / 60) ** 2))
    rgb *= (1 - 0.45 * stain)[..., None]
    light = 0.72 + 0.5 * x / width
    falloff = 1 - 0.35 * (((x - width / 2) / width) ** 2 + ((y - height / 2) / height) ** 2) * 2
    rgb *= (light * falloff)[..., None]
    rgb += chance.normal(0, 0.012, rgb.shape)
    return (np.clip(rgb, 0, 1) * 255 + 0.5).astype(np.uint8)
