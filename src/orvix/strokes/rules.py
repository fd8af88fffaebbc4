"""A coat and a stroke's seed as the numbers and tables that the stamp kernel reads."""

from __future__ import annotations

from dataclasses import dataclass
from functools import lru_cache
from typing import Any

import numpy as np
from numpy.typing import NDArray

from orvix import chance as properties
from orvix.brushes.definition import Coat
from orvix.brushes.leads import DRIVER_NAMES, DRIVERS, TABLE, Lead, Leads
from orvix.brushes.tips.outline import ANGLES, BITS, Outline, round_outline
from orvix.brushes.tips.sets import TAKEN
from orvix.brushes.values import BENDS, FLIPS, FOLLOWS, LED_NAMES, ROW_STARTS, SPACED_BY, WAYS_BACK
from orvix.strokes import rhythm
from orvix.strokes.dabs import Dabs

LEAD_IN_PX = 3.0
"""A stamp that turns with the path waits for so much of it, so that a first pixel of movement does not turn it
wrong."""
_PER_SECOND = 1000.0
_TURNS = ("bearing", "twist", "heading", "first_heading")
_SPACINGS = {"length": "spacing", "px": "spacing_px", "touch": None, "overlap": "overlap", "clear": "clear_px"}
_BASES = {
    "size": "size", "roundness": "roundness", "turn": "turn", "scatter_along": "scatter_along",
    "scatter_across": "scatter_across", "count": "count", "flow": "flow", "opacity": "opacity", "hardness": "hardness",
    "hue": "hue", "saturation": "saturation", "brightness": "brightness", "second": "second", "strength": "strength",
}  # fmt: skip


@dataclass(frozen=True)
class RowBeside:
    """The row that a new one is laid beside: one of its stamps, the way it goes and the distance between stamps, px."""

    x: float
    y: float
    heading: float
    pitch_px: float


def stroke_rules(
    coat: Coat,
    seed: int,
    number: int = 0,
    dabs: Dabs | None = None,
    row: RowBeside | None = None,
    letters_gone: int = 0,
) -> rhythm.Rules:
    """The rules of coat `number` of a brush for one stroke. dabs: of its tip, where that is not round.

    letters_gone: how many clusters of its lettering the strokes before this one have laid.
    """
    outlines = dabs.outlines if dabs else ()
    values = coat.values
    nums = np.zeros(rhythm.NUMBERS)
    for n, name in enumerate(LED_NAMES):
        nums[n] = values[_BASES[name]] if name in _BASES else 1.0
    nums[rhythm.SEED], nums[rhythm.COAT] = seed, number
    nums[rhythm.SMALLEST], nums[rhythm.LARGEST] = values["smallest"], values["largest"]
    nums[rhythm.SPACED_BY] = SPACED_BY.index(values["spaced_by"])
    spacing = _SPACINGS[values["spaced_by"]]
    nums[rhythm.SPACING_BASE] = values[spacing] if spacing else 0.0
    nums[rhythm.COUNT_JITTER] = values["count_jitter"]
    nums[rhythm.KEEP_CLEAR] = BENDS.index(values["bends"])
    nums[rhythm.HELD_MS] = _PER_SECOND / values["held"] if values["held"] > 0 else 0.0
    nums[rhythm.FOLLOWS], nums[rhythm.WAY_BACK] = FOLLOWS.index(values["follows"]), WAYS_BACK.index(values["way_back"])
    nums[rhythm.FLIP_ACROSS], nums[rhythm.FLIP_DOWN] = (
        FLIPS.index(values[f"flip_{way}"]) for way in ("across", "down")
    )
    nums[rhythm.THIN_START], nums[rhythm.THIN_END] = values["thin_start"], values["thin_end"]
    nums[rhythm.THIN_TO] = values["thin_to"]
    nums[rhythm.PICTURES] = dabs.count if dabs else 0
    nums[rhythm.LETTERS_GONE] = letters_gone
    nums[rhythm.TAKEN] = TAKEN.index(coat.tip.values.get("taken", TAKEN[0]))
    if coat.grain is not None:
        nums[rhythm.GRAIN_STRENGTH] = coat.grain.values["strength"]
        nums[rhythm.GRAIN_LEAST] = coat.grain.values["least"]
    nums[rhythm.LEAD_IN] = lead_in_px(coat)
    leans = any(lead.driver in ("tilt", "bearing") for lead in coat.leads)
    nums[rhythm.LEANS] = float(leans or values["follows"] in ("bearing", "tilt"))
    _put_row(nums, values["row_start"], row)
    first, leads, tables = _leads(coat.leads)
    shape, bits, dots = _shape(coat, outlines)
    advances = np.array(dabs.advances if dabs else (), np.float64)
    return rhythm.Rules(nums, _dial(values), first, leads, tables, shape, bits, dots, advances)


def lead_in_px(coat: Coat) -> float:
    """How far a stroke must have gone before its first stamp can be turned right; 0 where no turn asks for the path."""
    values = coat.values
    turned = values["follows"] in ("heading", "first heading") or values["way_back"] != "as it comes"
    led = any(lead.driver in ("heading", "first_heading") for lead in coat.leads)
    return LEAD_IN_PX if turned or led else 0.0


def _put_row(nums: NDArray[np.float64], starts: str, row: RowBeside | None) -> None:
    if row is None or starts == ROW_STARTS[0]:
        return
    nums[rhythm.ROW_X], nums[rhythm.ROW_Y] = row.x, row.y
    nums[rhythm.ROW_HEADING], nums[rhythm.ROW_PITCH] = row.heading, row.pitch_px
    nums[rhythm.ROW_PHASE] = 0.5 if starts == "between" else 0.0


def _leads(leads: Leads) -> tuple[Any, Any, Any]:
    first = np.zeros(rhythm.LED + 1, np.int64)
    for lead in leads:
        first[LED_NAMES.index(lead.value) + 1 :] += 1
    rows = [_lead(lead) for lead in leads]
    tables = [lead.table() for lead in leads]
    return first, np.array(rows).reshape(-1, 5), np.array(tables).reshape(-1, TABLE)


def _lead(lead: Lead) -> tuple[float, ...]:
    driver = DRIVER_NAMES.index(lead.driver)
    spans = DRIVERS[driver].over > 0
    loops = lead.loops if spans else lead.driver in _TURNS
    does = ("multiplies", "adds", "replaces").index(lead.does)
    prop = properties.LED + 16 * LED_NAMES.index(lead.value) + driver
    return float(driver), float(does), lead.over if spans else 1.0, float(loops), float(prop)


def _dial(values: Any) -> NDArray[np.float64]:
    """The turn that the dial adds at each degree of heading, 0 to 360, each next one by the short way."""
    if values["way_back"] != "dial":
        return np.zeros(361)
    points = sorted((heading % 360.0, turn) for heading, turn in values["dial"])
    headings = np.array([at for at, _ in points])
    turns = np.array([turn for _, turn in points])
    steps = (np.diff(np.append(turns, turns[0])) + 180.0) % 360.0 - 180.0
    at = np.append(headings, headings[0] + 360.0)
    turns = turns[0] + np.concatenate([[0.0], np.cumsum(steps)])
    asked = np.arange(361.0)
    round_again = asked < headings[0]
    found = np.interp(asked + 360.0 * round_again, at, turns)
    return found - (turns[-1] - turns[0]) * round_again


def _shape(coat: Coat, outlines: tuple[Outline, ...]) -> tuple[Any, Any, Any]:
    """Extent and touch over half a turn, and the outline for the bend rule; of a set, the longest of its pictures."""
    if not outlines:
        touch, bits = round_outline(coat.values["hardness"])
        shape = np.ones((2, ANGLES + 1))
        shape[1] = touch
        return shape, bits, _dots(bits)
    extents = np.max([outline.extents for outline in outlines], axis=0)
    meets = coat.values["spaced_by"] in ("touch", "overlap", "clear")
    touches = np.max([outline.touches for outline in outlines], axis=0) if meets else extents
    shape = np.stack([extents, touches])
    bits = np.max([outline.bits for outline in outlines], axis=0)
    return shape, bits, _dots(bits)


def _dots(bits: NDArray[np.uint8]) -> NDArray[np.float64]:
    """Places inside an outline, in lengths of its longer side about its middle: every other one of the bits."""
    return _dots_of(bits.tobytes())


@lru_cache(maxsize=64)
def _dots_of(data: bytes) -> NDArray[np.float64]:
    bits = np.frombuffer(data, np.uint8).reshape(BITS, BITS)
    y, x = np.nonzero(bits)
    keep = (x + y) % 2 == 0 if len(x) > 200 else np.ones(len(x), bool)
    return (np.stack([x[keep], y[keep]], axis=1) + 0.5) / BITS - 0.5
