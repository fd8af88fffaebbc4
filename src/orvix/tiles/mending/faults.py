"""What keeps a photo from closing well, whatever the method: blur on one side, and a picture taken at an angle.

Both show in how much fine detail the two outer quarters have beside their coarser detail: one stop is a doubling. On
made photos even ones stay within 0.4 stops, those at an angle reach 1.2, those blurred on one side over 3.
"""

from __future__ import annotations

import cv2
import numpy as np
from numpy.typing import NDArray

from orvix.pictures.writing import LUMA

Floats = NDArray[np.float32]
UNEVEN_STOPS, BLURRED_STOPS = 0.8, 2.0


def faults_of(picture: Floats) -> list[str]:
    """Warnings about a photo, float32 (rows, columns, 3 or more) in 0 to 1, before it is mended."""
    grey = picture[..., :3] @ np.array(LUMA, np.float32)
    told = []
    for plane, names in ((grey.T, ("left", "right")), (grey, ("top", "bottom"))):
        stops = texture_step(plane)
        fine, coarse = names if stops > 0 else names[::-1]
        if abs(stops) > BLURRED_STOPS:
            told.append(
                f"The photo is blurred at the {coarse} and sharp at the {fine}. No method can make that seamless. "
                "Choose another part or another photo."
            )
        elif abs(stops) > UNEVEN_STOPS:
            told.append(
                f"The photo is sharper at the {fine} than at the {coarse}. It was taken at an angle or is out "
                f"of focus. "
                "Straighten it by its corners, or choose another part."
            )
    return told


def texture_step(plane: Floats) -> float:
    """How many stops more fine detail, beside coarser detail, the first quarter of the rows has than the last."""
    quarter = max(plane.shape[0] // 4, 8)
    return _stops(np.ascontiguousarray(plane[:quarter])) - _stops(np.ascontiguousarray(plane[-quarter:]))


def _stops(plane: Floats) -> float:
    """Fine over coarser detail, in stops; the finest, where a sensor's noise lies, is left out."""
    blurs = {sigma: cv2.GaussianBlur(plane, (0, 0), sigma) for sigma in (1.5, 3.0, 6.0, 12.0)}
    fine, broad = (blurs[1.5] - blurs[3.0]).var(), (blurs[6.0] - blurs[12.0]).var()
    return float(np.log2((fine + 2e-6) / (broad + 1e-5)))
