"""Values that do nothing at present, and why: what a bench says beside them."""

from __future__ import annotations

from orvix.brushes.definition import Brush, Coat

_SPACINGS = {"spacing": "length", "spacing_px": "px", "overlap": "overlap", "clear_px": "clear"}
_ROUND = "a round mark looks the same at every turn: lower its roundness, or take a tip of another shape"
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
        told["values.hardness"] = "only a round tip is soft or hard; a picture has its own edges"
    if not _led(coat, "size"):
        told |= dict.fromkeys(("values.smallest", "values.largest"), "nothing leads the size")
    if not values["thin_start"] and not values["thin_end"]:
        told["values.thin_to"] = "neither end is thinned"
    return told


def _of_rhythm(coat: Coat) -> dict[str, str]:
    values = coat.values
    by = values["spaced_by"]
    if coat.tip.name == "lettering":
        names = ("spaced_by", "bends", *_SPACINGS)
        return dict.fromkeys((f"values.{name}" for name in names), "lettering keeps the font's own distances")
    told = {f"values.{name}": f"stamps are spaced by {by}" for name, used in _SPACINGS.items() if used != by}
    if values["count"] < 1.5 and not _led(coat, "count"):
        told["values.count_jitter"] = "each stamp lays one mark"
    return told


def _of_way(coat: Coat) -> dict[str, str]:
    values, told = coat.values, {}
    if values["way_back"] != "dial":
        told["values.dial"] = "the way back does not follow the dial"
    if _symmetric(coat):
        told |= dict.fromkeys((f"values.{name}" for name in ("follows", "turn", "flip_across", "flip_down")), _ROUND)
        if values["way_back"] != "as it comes":
            told["values.way_back"] = _ROUND
    return told


def _of_colour(coat: Coat) -> dict[str, str]:
    values, told = coat.values, {}
    if values["colour_from"] == "paint":
        told["values.moved_by"] = "the paint colour is painted as it is"
    else:
        told["values.second"] = "the colours are not those of the paint"
    if values["colour_from"] == "tip" and not coat.tip.sources and coat.ribbon is None:
        told["values.colour_from"] = "this tip has no colours of its own"
    if values["colour_from"] == "tile" and coat.grain is None:
        told["values.colour_from"] = "there is no grain whose tile could give its colours"
    return told


def _of_ink(brush: Brush, coat: Coat) -> dict[str, str]:
    told: dict[str, str] = {}
    if not coat.values["wet_edge"]:
        told["values.wet_px"] = "the edge is not wet"
    if coat is brush.coats[0]:
        told["values.mix"] = "there is no coat below this one"
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
        told |= dict.fromkeys((f"grain.{name}" for name in names), "the strength of the grain is 0")
    if not _led(coat, "grain_strength"):
        told["grain.least"] = "nothing leads the strength of the grain"
    if not _led(coat, "size") and use.values["grows"]:
        told["grain.grows"] = "nothing leads the size"
    return told


def _beside_a_ribbon(coat: Coat) -> dict[str, str]:
    names = [f"values.{name}" for name in coat.values if name in _OF_STAMPS]
    told = dict.fromkeys(names, "a ribbon is one band, without stamps")
    if coat.grain is not None:
        told |= dict.fromkeys(("grain.grows", "grain.offset_chance"), "the grain of a ribbon lies still")
    return told


_OF_STAMPS = (
    "roundness", "hardness", "spaced_by", "spacing", "spacing_px", "overlap", "clear_px", "scatter_along",
    "scatter_across", "count", "count_jitter", "bends", "held", "row_start", "follows", "turn", "way_back", "dial",
)  # fmt: skip
