"""Direction: whether a layout favours one way up, so that it is cut from one side only, or is tossed.

The mean resultant length of the motifs' turns, each counted by its size and by how unlike it is to itself half-turned
(N. I. Fisher, Statistical Analysis of Circular Data, 1993, section 2.3); for turns that are doubled it tells a layout
that reads the same from two sides. Means something for motif layouts only.
"""

from __future__ import annotations

from typing import Any

import numpy as np

from orvix.readings.registry import READINGS, Reading, Subject

ONE_WAY, TWO_WAY = 0.6, 0.6
"""From these resultants on a layout is called one-way, or two-way. Random turns of 12 motifs reach 0.6 once in 70."""


def direction(subject: Subject, quick: bool = False) -> dict[str, Any]:
    """{"value": 0 tossed to 1 one-way, "two_way", "angle_deg" or None, "verdict", "applies"}."""
    ways = [(turn, weight) for turn, weight in subject.directions if weight > 0]
    if len(ways) < 2:
        return {"value": None, "two_way": None, "angle_deg": None, "verdict": "no motifs that point", "applies": False}
    turns = np.deg2rad([turn for turn, _ in ways])
    weights = np.array([weight for _, weight in ways])
    once, twice = (complex((weights * np.exp(1j * n * turns)).sum() / weights.sum()) for n in (1, 2))
    angle = float(np.rad2deg(np.angle(once))) % 360
    if abs(once) >= ONE_WAY:
        verdict = "one-way"
    elif abs(twice) >= TWO_WAY:
        verdict, angle = "two-way", float(np.rad2deg(np.angle(twice) / 2)) % 180
    else:
        verdict = "tossed"
    told = {"value": round(abs(once), 3), "two_way": round(abs(twice), 3), "verdict": verdict, "applies": True}
    return told | {"angle_deg": None if verdict == "tossed" else round(angle, 1)}


READINGS.add("direction", Reading("direction", "Direction", "Whether most motifs face one way up.", direction))
