"""What one lead does along a stroke: the driver, and the value that comes out, stamp by stamp."""

from __future__ import annotations

from dataclasses import replace
from typing import Any

import numpy as np

from orvix.brushes.leads import Lead
from orvix.brushes.values import LED_NAMES
from orvix.errors import UnknownName
from orvix.strokes import rhythm
from orvix.strokes.curve import Curve
from orvix.strokes.dabs import Dabs
from orvix.strokes.loaded import LoadedCoat
from orvix.strokes.rules import stroke_rules
from orvix.strokes.samples import PRESSURE, Samples

MOST_POINTS = 160
_COLUMNS = {
    "size": rhythm.S_SIZE, "roundness": rhythm.S_ROUNDNESS, "turn": rhythm.S_TURN, "spacing": rhythm.S_SPACING,
    "flow": rhythm.S_FLOW, "opacity": rhythm.S_CAP, "hardness": rhythm.S_HARDNESS, "grain_strength": rhythm.S_GRAIN,
    "grain_scale": rhythm.S_GRAIN_SCALE, "hue": rhythm.S_HUE, "saturation": rhythm.S_SATURATION,
    "brightness": rhythm.S_BRIGHTNESS, "second": rhythm.S_SECOND, "strength": rhythm.S_CAP,
}  # fmt: skip


def trace(loaded: LoadedCoat, dabs: Dabs, samples: Samples, value: str, driver: str) -> dict[str, Any]:
    """Along a stroke: {"at": shares of its length, "driver": shares, "out": the value, in its own unit}.

    Values without a column of their own (scatter and count) give no "out". Raises UnknownName.
    """
    if value not in LED_NAMES:
        raise UnknownName("value that can be led", value, list(LED_NAMES))
    coat = loaded.coat
    lead = next((one for one in coat.leads if (one.value, one.driver) == (value, driver)), None)
    lead = lead or Lead.parse(value, driver, {})
    # Flow, replaced by the driver alone, carries the driver's share in its column.
    share = Lead("flow", driver, ((0.0, 0.0), (1.0, 1.0)), "replaces", 0.0, 1.0, lead.over, lead.loops)
    own = _marks(coat, dabs, samples)
    driven = _marks(replace(coat, leads=(*(one for one in coat.leads if one.value != "flow"), share)), dabs, samples)
    keep = np.unique(np.linspace(0, len(own) - 1, MOST_POINTS).astype(int)) if len(own) else np.zeros(0, int)
    far = max(float(own[:, rhythm.S_DISTANCE].max(initial=0.0)), 1e-9)
    told = {"at": own[keep, rhythm.S_DISTANCE] / far, "driver": driven[keep[keep < len(driven)], rhythm.S_FLOW]}
    if value in _COLUMNS:
        out = own[keep, _COLUMNS[value]]
        told["out"] = np.degrees(out) if value == "turn" else out
    return {name: [round(float(one), 4) for one in row] for name, row in told.items()}


def _marks(coat: Any, dabs: Dabs, samples: Samples) -> Any:
    ordered = tuple(sorted(coat.leads, key=lambda lead: LED_NAMES.index(lead.value)))
    rules = stroke_rules(replace(coat, leads=ordered), 1, 0, dabs)
    points, state = Curve().carry_on(samples, last=True), rhythm.new_state()
    state[rhythm.END_AT] = points[-1, -1]
    state[rhythm.TOP_PRESSURE] = samples[:, PRESSURE].max()
    room = 4096
    marks = np.empty((room, rhythm.STAMP_WIDTH))
    count = rhythm.lay_stamps(state, rules, points, True, marks)
    marks = marks[: min(count, room)]
    return marks[marks[:, rhythm.S_MARK] == 0]
