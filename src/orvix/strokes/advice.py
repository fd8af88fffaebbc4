"""What is to be said about a brush as it is: pictures used above their own pixels, colours that run together."""

from __future__ import annotations

from typing import Any

from orvix.brushes.tips.alike import alike_colours
from orvix.strokes.loaded import LoadedBrush, LoadedCoat


def brush_advice(loaded: LoadedBrush) -> list[dict[str, Any]]:
    """Each a coat's number, what it is about ("tip", "grain" or "ribbon"), and what to know, in words."""
    return [
        {"coat": n, "about": about, "words": words}
        for n, coat in enumerate(loaded.coats)
        for about, words in [*_of_tip(coat), *_of_lettering(coat), *_of_grain(coat), *_of_ribbon(coat)]
    ]


def _of_lettering(loaded: LoadedCoat) -> list[tuple[str, str]]:
    text = loaded.text
    found = []
    for one in text.shaped.missing if text else ():
        other = f"{one.font} has it." if one.font else "No other font here has it."
        found.append(("tip", f"This font has no {one.character} ({one.name}). {other}"))
    return found


def _of_tip(loaded: LoadedCoat) -> list[tuple[str, str]]:
    if not loaded.pictures:
        return []
    values, found = loaded.coat.values, []
    own = max(max(one.shape[:2]) for one in loaded.pictures)
    largest = values["size"] if not _led(loaded, "size") else max(values["size"], _largest(loaded))
    if largest > own * 1.02:
        found.append(
            (
                "tip",
                f"Used at {largest:.0f} px but drawn at {own} px, so it looks soft. Lower Size or use a larger "
                f"picture.",
            )
        )
    if values["colour_from"] == "tip":
        for a, b in alike_colours(loaded.pictures[0]):
            found.append(("tip", f"Colours {a} and {b} are too similar to tell apart."))
    return found


def _led(loaded: LoadedCoat, value: str) -> bool:
    return any(lead.value == value for lead in loaded.coat.leads)


def _largest(loaded: LoadedCoat) -> float:
    """The largest size that leads can make."""
    values, size = loaded.coat.values, loaded.coat.values["size"]
    for lead in loaded.coat.leads:
        if lead.value == "size":
            top = float(lead.table().max())
            size = size * top if lead.does == "multiplies" else size + top if lead.does == "adds" else top
    return float(min(size, values["largest"]))


def _of_grain(loaded: LoadedCoat) -> list[tuple[str, str]]:
    use = loaded.coat.grain
    if use is None or loaded.grain is None or use.scale <= 1 or use.values["resampled"] == "exact":
        return []
    return [
        ("grain", f"Enlarged to {float(use.scale) * 100:.0f} %, so it looks soft. Lower Scale or use a larger tile.")
    ]


def _of_ribbon(loaded: LoadedCoat) -> list[tuple[str, str]]:
    if loaded.ribbon is None:
        return []
    high, size = loaded.ribbon.tile.shape[0], loaded.coat.values["size"]
    if size <= high * 1.02:
        return []
    return [("ribbon", f"The band is {size:.0f} px wide but its tile is {high} px high, so it looks soft.")]
