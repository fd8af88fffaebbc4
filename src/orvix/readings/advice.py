"""What would mend a tile that fails a reading: the step, and why. Not a reading itself."""

from __future__ import annotations

from collections.abc import Collection
from typing import Any

from orvix.tiles.steps import STEPS


def advice(told: dict[str, Any], steps: Collection[str]) -> list[dict[str, str]]:
    """[{"words", "step", "title"}] for readings of a tile whose recipe has these steps switched on.

    step is the name of one to add, or "" where no step helps.
    """
    found: list[dict[str, str]] = []

    def add(words: str, step: str = "") -> None:
        if not step or step not in steps:
            found.append({"words": words, "step": step, "title": STEPS.get(step).title if step else ""})

    seam = told["seam"]
    fails = seam["applies"] and seam["verdict"] != "seamless"
    if told["light"]["verdict"] == "uneven" and not seam["by_construction"]:
        add(f"The light is uneven by {told['light']['value']:.1f} dE.", "even-light")
    if fails:
        where = "left and right" if seam["edges"]["left_right"] >= seam["edges"]["top_bottom"] else "top and bottom"
        add(f"The {where} borders show a {seam['verdict']} seam.", "mend-border")
    if seam.get("mirrored") and not seam["by_construction"]:
        add("The tile is mirrored at its border. This shows when it repeats.")
    return found
