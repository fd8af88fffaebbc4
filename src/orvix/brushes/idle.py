"""Values that do nothing at present, and why: what a bench says beside them."""

from __future__ import annotations

from orvix.brushes.definition import Brush, Coat

_SPACINGS = {"spacing": "length", "spacing_px": "px", "overlap": "overlap", "clear_px": "clear"}
_ROUND = "No effect: a round mark looks the same at every rotation. Lower Roundness or choose another tip."
PEN_DRIVERS = ("tilt", "bearing", "twist")


def idle_values(brush: Brush, coat: Coat) -> dict[str, str]:
    """For each value of a coat that does nothing as things are: its path in the coat, and why in words."""
    if coat.ribbon is not None:
        return _beside_a_ribbon(coat) | _of_colour(coat) | _of_grain(coat)
    return _of_mark(coat) | _of_rhythm(coat) | _of_way(coat) | _of_colour(coat) | _of_ink(brush, coat) | _of_grain(coat)


def _led(coat: Coat, value: str) -> bool:
    return any(lead.value == value for lead in coat.leads)


def _symmetric(coat: Coat) -> bool:
    return coat.tip.name == "round" and coat.values["roundness"] == 1 and not _led(coat, "roundness")


def _of_mark(coat: Coat) -> dict[str, str]:
    values, told = coat.values, {}
    if coat.tip.name != "round":
        told["values.hardness"] = "No effect: only round tips use Hardness."
    if not _led(coat, "size"):
        told |= dict.fromkeys(("values.smallest", "values.largest"), "No effect: no lead changes Size.")
    if not values["thin_start"] and not values["thin_end"]:
        told["values.thin_to"] = "No effect: no taper is set."
    return told


def _of_rhythm(coat: Coat) -> dict[str, str]:
    values = coat.values
    by = values["spaced_by"]
    if coat.tip.name == "lettering":
        names = ("spaced_by", "bends", *_SPACINGS)
        return dict.fromkeys((f"values.{name}" for name in names), "No effect: text uses the spacing of its font.")
    told = {f"values.{name}": f"No effect: Spaced by is set to {by}." for name, used in _SPACINGS.items() if used != by}
    if values["count"] < 1.5 and not _led(coat, "count"):
        told["values.count_jitter"] = "No effect: Count is 1."
    return told


def _of_way(coat: Coat) -> dict[str, str]:
    values, told = coat.values, {}
    if values["way_back"] != "dial":
        told["values.dial"] = "No effect: Return strokes is not set to Dial."
    if _symmetric(coat):
        told |= dict.fromkeys((f"values.{name}" for name in ("follows", "turn", "flip_across", "flip_down")), _ROUND)
        if values["way_back"] != "as it comes":
            told["values.way_back"] = _ROUND
    return told


def _of_colour(coat: Coat) -> dict[str, str]:
    values, told = coat.values, {}
    if values["colour_from"] == "paint":
        told["values.moved_by"] = "No effect: Colour source is Paint."
    else:
        told["values.second"] = "No effect: Colour source is not Paint."
    if values["colour_from"] == "tip" and not coat.tip.sources and coat.ribbon is None:
        told["values.colour_from"] = "No effect: this tip has no colours of its own."
    if values["colour_from"] == "tile" and coat.grain is None:
        told["values.colour_from"] = "No effect: the coat has no grain to take colours from."
    return told


def _of_ink(brush: Brush, coat: Coat) -> dict[str, str]:
    told: dict[str, str] = {}
    if not coat.values["wet_edge"]:
        told["values.wet_px"] = "No effect: Wet edge is 0."
    if coat is brush.coats[0]:
        told["values.mix"] = "No effect: there is no coat below."
    return told


def _of_grain(coat: Coat) -> dict[str, str]:
    use = coat.grain
    if use is None:
        return {}
    told: dict[str, str] = {}
    if use.values["strength"] == 0 and not _led(coat, "grain_strength"):
        names: tuple[str, ...] = ("bite",)
        # Where the coat takes its tile's colours, how the grain lies still shows.
        if coat.values["colour_from"] != "tile" or coat.ribbon is not None:
            names += ("scale", "turn", "offset_x", "offset_y", "hold", "grows", "resampled", "offset_chance")
        told |= dict.fromkeys((f"grain.{name}" for name in names), "No effect: grain Strength is 0.")
    if not _led(coat, "grain_strength"):
        told["grain.least"] = "No effect: no lead changes grain Strength."
    if not _led(coat, "size") and use.values["grows"]:
        told["grain.grows"] = "No effect: no lead changes Size."
    return told


def _beside_a_ribbon(coat: Coat) -> dict[str, str]:
    names = [f"values.{name}" for name in coat.values if name in _OF_STAMPS]
    told = dict.fromkeys(names, "No effect: a ribbon has no stamps.")
    if coat.grain is not None:
        told |= dict.fromkeys(("grain.grows", "grain.offset_chance"), "No effect: the grain of a ribbon is fixed.")
    return told


_OF_STAMPS = (
    "roundness", "hardness", "spaced_by", "spacing", "spacing_px", "overlap", "clear_px", "scatter_along",
    "scatter_across", "count", "count_jitter", "bends", "held", "row_start", "follows", "turn", "way_back", "dial",
)  # fmt: skip
