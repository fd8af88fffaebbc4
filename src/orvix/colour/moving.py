"""Colours moved: turned in hue, made stronger or greyer, lighter or darker; and a picture moved by the paint colour.

The linear moves are those of W3C Filter Effects Module Level 1 (hue-rotate and saturate, section 9.6), on sRGB-encoded
colour, so that one matrix moves premultiplied pixels too.
"""

from __future__ import annotations

from colorsys import rgb_to_hls

import numpy as np
from numpy.typing import NDArray

Floats = NDArray[np.float32]
_LUMA = np.array([0.213, 0.715, 0.072])
"""The weights that the specification's matrices are written with."""
_TURN_COS = np.eye(3) - _LUMA
_TURN_SIN = np.array([[-0.213, -0.715, 0.928], [0.143, 0.140, -0.283], [-0.787, 0.715, 0.072]])


def move_matrices(
    hue_deg: NDArray[np.float64], saturation: NDArray[np.float64], brightness: NDArray[np.float64]
) -> Floats:
    """Matrices (n, 3, 4) that move premultiplied r, g, b, alpha; each argument is (n,).

    hue_deg turns; saturation -1 (grey) to 1 (twice as strong); brightness -1 (black) to 1 (white). Results still have
    to be held to 0 to alpha.
    """
    angle = np.radians(hue_deg)[:, None, None]
    turn = _LUMA + np.cos(angle) * _TURN_COS + np.sin(angle) * _TURN_SIN
    strong = _LUMA + (1 + saturation)[:, None, None] * (np.eye(3) - _LUMA)
    out = np.zeros((len(hue_deg), 3, 4))
    out[:, :, :3] = (1 - np.abs(brightness))[:, None, None] * (strong @ turn)
    out[:, :, 3] = np.maximum(brightness, 0)[:, None]
    return out.astype(np.float32)


def luma(rgb: Floats) -> Floats:
    """Of colours (..., 3)."""
    return rgb @ _LUMA.astype(np.float32)


def mean_colour(picture: Floats) -> Floats:
    """The colour a premultiplied picture (rows, columns, 4) has in the mean: (3,), straight."""
    total = picture.reshape(-1, 4).sum(axis=0, dtype=np.float64)
    return (total[:3] / max(total[3], 1e-9)).astype(np.float32)


def moved_by(picture: Floats, paint: Floats, how: str) -> Floats:
    """A picture in premultiplied colour (rows, columns, 4) whose colours all follow a paint colour (3,), straight.

    "hue": every hue turns by as much as the paint's hue lies from that of the picture's mean colour; light and dark
    stay. A grey paint, black and white among them, has no hue: the picture turns grey. "light and dark": what is as
    light as the mean becomes the paint colour, darker parts go towards black and lighter ones towards white; with black
    what is darker than the mean is black and the rest greys, with white the other way about.
    """
    if how == "nothing":
        return picture
    mean = mean_colour(picture)
    if how == "hue":
        strong = float(paint.max() - paint.min()) > 1 / 255
        turn = 360.0 * (rgb_to_hls(*paint.tolist())[0] - rgb_to_hls(*mean.tolist())[0]) if strong else 0.0
        one = np.ones(1)
        matrix = move_matrices(turn * one, (0.0 if strong else -1.0) * one, 0.0 * one)[0]
        out = np.clip(picture @ matrix.T, 0, picture[..., 3:])
        return np.concatenate([out, picture[..., 3:]], axis=2).astype(np.float32)
    alpha = picture[..., 3:]
    light = luma(picture[..., :3])[..., None] / np.maximum(alpha, np.float32(1e-6))
    middle = np.float32(min(max(float(luma(mean)), 0.02), 0.98))
    below, above = np.minimum(light / middle, 1), np.clip((light - middle) / (1 - middle), 0, 1)
    straight = paint * below + (1 - paint * below) * above
    return np.concatenate([np.clip(straight, 0, 1) * alpha, alpha], axis=2).astype(np.float32)
