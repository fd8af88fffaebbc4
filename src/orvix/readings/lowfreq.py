"""Coarse light and texture of a tile: how uneven its light is, and how its texture steps at the borders."""

from __future__ import annotations

from typing import Any

import cv2
import numpy as np

from orvix.readings.registry import READINGS, Floats, Reading, Subject
from orvix.tiles.lowpass import coarse

MOST_DE, MOST_STOPS = 3.0, 1.0


def uneven_light(subject: Subject, quick: bool = False) -> dict[str, Any]:
    """{"value": RMS dE of what is left after a blur of W/8, "step_de": RMS dE between opposite borders, "verdict"}."""
    lab = subject.small_lab(256)
    low = coarse(lab, lab.shape[1] / 8, subject.repeat)
    left = float(np.sqrt(((low - low.mean(axis=(0, 1))) ** 2).sum(axis=2).mean()))
    open_low = coarse(lab, lab.shape[1] / 12, None)
    step = max(_rms(open_low[:, 0] - open_low[:, -1]), _rms(open_low[0] - open_low[-1]))
    verdict = "even" if left < MOST_DE else "uneven"
    return {"value": round(left, 3), "step_de": round(step, 3), "verdict": verdict, "applies": True}


def _rms(difference: Floats) -> float:
    return float(np.sqrt((difference**2).sum(axis=-1).mean()))


def texture_step(subject: Subject, quick: bool = False) -> dict[str, Any]:
    """{"value": stops by which detail differs across the borders, at its 99th percentile along them, "verdict"}."""
    lab = subject.lab
    fine = ((lab - cv2.GaussianBlur(lab, (0, 0), 2.0)) ** 2).sum(axis=2)
    reach = max(subject.width, subject.height) / 14
    energy = np.log2(coarse(fine, reach, None) + np.float32(0.05))
    across, down = np.abs(energy[:, 0] - energy[:, -1]), np.abs(energy[0] - energy[-1])
    value = float(max(np.percentile(across, 99), np.percentile(down, 99)))
    return {"value": round(value, 3), "verdict": "alike" if value < MOST_STOPS else "differs", "applies": True}


READINGS.add("light", Reading("light", "Light", "How uneven the tile's light is.", uneven_light))
READINGS.add(
    "texture", Reading("texture", "Texture", "How detail differs across the borders.", texture_step, quick=False)
)
