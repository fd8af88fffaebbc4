"""The words a page shows for stored words: choices, kinds, states and groups.

Stored words are part of the formats and never change. Where a page shows one, it shows `label(word, of)`: what the
table of that value says, else the common table, else the word with a capital.
"""

from __future__ import annotations

from collections.abc import Mapping

COMMON: Mapping[str, str] = {
    # How layers, coats and marks combine.
    "color": "Colour",
    "color-burn": "Colour burn",
    "color-dodge": "Colour dodge",
    "hard-light": "Hard light",
    "soft-light": "Soft light",
    "plus-lighter": "Add",
    "linear-burn": "Linear burn",
    "linear-light": "Linear light",
    # Leads.
    "multiplies": "Multiply",
    "adds": "Add",
    "replaces": "Replace",
    # Groups and kinds.
    "given": "Your own",
    "place": "Placement",
    "alpha": "Transparency",
    "lettering": "Text",
    # How tiles are mended.
    "least-error cut": "Best cut",
    "gradient-domain": "Smooth blend",
    # The strokes of the trial sheet.
    "level": "Horizontal",
    "plumb": "Vertical",
    "slant": "Diagonal",
    "bend": "Curve",
    "pressure swell": "Pressure",
    # How eyes see colours.
    "without red cones": "Protanopia",
    "without green cones": "Deuteranopia",
    "without blue cones": "Tritanopia",
    "greys only": "Greyscale",
    # Readings.
    "leads": "Visible",
    "none leads": "None",
}
"""Words that mean the same wherever they are shown."""

OF_VALUE: Mapping[str, Mapping[str, str]] = {
    "flip_across": {"no": "Off", "by chance": "Random", "in turn": "Alternate"},
    "flip_down": {"no": "Off", "by chance": "Random", "in turn": "Alternate"},
    "offset_chance": {"no": "Off"},
    "way_back": {"as it comes": "Unchanged", "half turn": "Rotate 180°", "mirrored": "Flip"},
    "follows": {"nothing": "None"},
    "moved_by": {"nothing": "None", "light and dark": "Tone"},
    "spaced_by": {"px": "Pixels", "clear": "Gap"},
    "bends": {"path": "Even", "clear": "No overlap", "cut": "Cut off"},
    "row_start": {"in step": "Aligned"},
    "builds": {"adds up": "Build up", "stays level": "Level"},
    "alpha": {"as it is": "Transparent"},
    "placed": {"as one stamp": "Whole text"},
    "begins": {"go on": "Continue"},
    "taken": {"by chance": "Random"},
    "resampled": {"exact": "Exact pixels"},
    "axis": {"across": "Horizontal", "down": "Vertical"},
    "how": {
        "quarter left": "Rotate 90° left",
        "quarter right": "Rotate 90° right",
        "half": "Rotate 180°",
        "mirror across": "Flip horizontal",
        "mirror down": "Flip vertical",
    },
    "colour": {"own": "Keep colours"},
    "kind": {"soft": "Even", "along": "One direction"},
    "ground": {"nothing": "Transparent"},
    "vision": {"as it is": "Normal"},
}
"""Words that a value has of its own, by its name."""


def label(word: str, of: str = "") -> str:
    """The label of a stored word, where `of` is the name of the value it is a choice of."""
    own = OF_VALUE.get(of, {}).get(word)
    return own or COMMON.get(word) or word[:1].upper() + word[1:]
