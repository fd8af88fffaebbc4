"""Poisson's equation on a tile that repeats, staggered or not: the picture with given gradients and a given mean.

P. Perez, M. Gangnet and A. Blake, "Poisson image editing", SIGGRAPH 2003. On the torus the discrete Laplacian is
diagonal under the Fourier transform. Under a half-drop by dy the basis functions are exp(2 pi i (kx x / W + ky (y -
dy x / W) / H)), so the transform along y is followed by a phase exp(2 pi i ky dy x / (H W)) and the transform along
x.
"""

from __future__ import annotations

import numpy as np
import scipy.fft
from numpy.typing import NDArray

from orvix.tiles.repeats import Repeat

Floats = NDArray[np.float32]


def solve(right: Floats, mean: NDArray[np.float32], repeat: Repeat) -> Floats:
    """u of float32 (rows, columns, channels) with Laplacian `right` under the repeat, and the mean of each channel.

    The Laplacian is u(x+1) + u(x-1) + u(y+1) + u(y-1) - 4 u, neighbours taken on the cloth.
    """
    if repeat.kind == "brick":
        turned = Repeat("half-drop", repeat.stagger)
        return np.ascontiguousarray(solve(right.transpose(1, 0, 2), mean, turned).transpose(1, 0, 2))
    rows, columns = right.shape[:2]
    moved = repeat.stagger_px(columns, rows)
    out = np.empty_like(right)
    for channel in range(right.shape[2]):
        plane = np.ascontiguousarray(right[..., channel])
        solved = _straight(plane) if not moved else _twisted(plane, moved)
        out[..., channel] = solved - solved.mean() + mean[channel]
    return out


def _straight(plane: Floats) -> Floats:
    rows, columns = plane.shape
    found = scipy.fft.rfft2(plane, workers=2)
    x = 2 * np.cos(2 * np.pi * np.arange(found.shape[1], dtype=np.float32) / columns)
    y = 2 * np.cos(2 * np.pi * np.arange(rows, dtype=np.float32) / rows)
    eigen = x[None, :] + y[:, None] - 4
    eigen[0, 0] = 1
    found /= eigen.astype(np.float32)
    found[0, 0] = 0
    return np.asarray(scipy.fft.irfft2(found, s=(rows, columns), workers=2), np.float32)


def _twisted(plane: Floats, moved: int) -> Floats:
    rows, columns = plane.shape
    ky = scipy.fft.fftfreq(rows)[:, None]
    kx = scipy.fft.fftfreq(columns)[None, :]
    phase = np.exp(2j * np.pi * ky * moved * np.arange(columns)[None, :] / columns)
    found = scipy.fft.fft(scipy.fft.fft(plane.astype(np.float64), axis=0, workers=2) * phase, axis=1, workers=2)
    eigen = 2 * np.cos(2 * np.pi * (kx - ky * moved / columns)) + 2 * np.cos(2 * np.pi * ky) - 4
    eigen[0, 0] = 1
    found /= eigen
    found[0, 0] = 0
    back = scipy.fft.ifft(found, axis=1, workers=2) * phase.conj()
    return np.asarray(scipy.fft.ifft(back, axis=0, workers=2).real, np.float32)


def divergence(across: Floats, down: Floats, repeat: Repeat) -> Floats:
    """The divergence of gradients to the right and down, float32 (rows, columns, channels), neighbours on the cloth."""
    rows, columns = across.shape[:2]
    moved = repeat.stagger_px(columns, rows)
    left, upper = np.roll(across, 1, axis=1), np.roll(down, 1, axis=0)
    if repeat.kind == "half-drop" and moved:
        left[:, 0] = np.roll(across[:, -1], -moved, axis=0)
    if repeat.kind == "brick" and moved:
        upper[0] = np.roll(down[-1], -moved, axis=0)
    return across - left + down - upper
