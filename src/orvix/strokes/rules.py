"""A brush and a seed as the row of numbers the stamp kernel reads."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from orvix.brushes.definition import Brush
from orvix.strokes import kernels

_ORDER = ("size", "smallest", "largest", "spacing", "flow", "size_jitter", "scatter")


def stroke_rules(brush: Brush, seed: int) -> NDArray[np.float64]:
    """float64 (RULE_WIDTH,): the values, the seed and the leads of a brush, for one stroke."""
    rules = np.zeros(kernels.RULE_WIDTH)
    rules[: len(_ORDER)] = [brush.values[name] for name in _ORDER]
    rules[kernels.SEED] = seed
    for start, name in ((kernels.SIZE_LEAD, "size"), (kernels.FLOW_LEAD, "flow")):
        if name in brush.leads:
            rules[start : start + 4] = (1.0, *brush.leads[name])
    return rules
