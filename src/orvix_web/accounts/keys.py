"""The keys of every bench, in one table: what each does, where it works, and which key a painter gave it."""

from __future__ import annotations

import re
from dataclasses import dataclass
from typing import Any

from django.contrib.auth.models import User

from orvix.errors import BadValue, UnknownName
from orvix_web.accounts.preferences import store, stored

BENCHES = {
    "tile": "Recipe of a tile",
    "drawing": "Drawing",
    "layout": "Layout",
    "grain": "Grain",
    "brush": "Brush",
    "canvas": "Canvas",
    "proof": "Proof",
    "home": "Home",
}
EVERYWHERE = tuple(BENCHES)
PAINTING = ("drawing", "canvas")
VIEWS = ("tile", "drawing", "layout", "grain", "canvas", "proof")


@dataclass(frozen=True)
class Key:
    """One action. usual: its key until the painter changes it. benches: where it works. fixed: nobody can change it.

    held: it also works while the key is held down, as the sentence says.
    """

    name: str
    usual: str
    title: str
    does: str
    benches: tuple[str, ...]
    fixed: bool = False
    held: bool = False


GROUPS: dict[str, tuple[Key, ...]] = {
    "Tools": (
        Key("paint", "P", "Paint", "Paints with the current brush.", PAINTING),
        Key("erase", "E", "Erase", "Erases with the current brush.", PAINTING),
        Key("smear", "S", "Smear", "Smears colour along the stroke.", PAINTING),
        Key("soften", "O", "Soften", "Softens the paint under the stroke.", PAINTING),
        Key("fill", "F", "Fill", "Fills areas, or draws gradients.", ("canvas",)),
        Key("shape", "H", "Shape", "Draws shapes on their own layer.", ("canvas",)),
        Key("text", "X", "Text", "Places text on its own layer.", ("canvas",)),
        Key("select", "C", "Select", "Selects an area.", ("canvas",)),
        Key("move", "M", "Move", "Moves the selection or the selected layers.", ("canvas",)),
        Key("strokes", "W", "Strokes", "Selects painted strokes, to repaint or delete them.", ("canvas",)),
        Key("pick-colour", "K", "Pick a colour", "Takes the colour you click next.", PAINTING),
    ),
    "Brush": (
        Key("grow", "G", "Larger mark", "Makes the mark larger. Hold it and drag to size it.", PAINTING, held=True),
        Key("shrink", "Shift+G", "Smaller mark", "Makes the mark smaller.", PAINTING),
        Key(
            "denser", "D", "More opacity", "Raises opacity. Hold it and drag up or down to set it.",
            PAINTING, held=True,
        ),
        Key("thinner", "Shift+D", "Less opacity", "Lowers opacity.", PAINTING),
        Key("swap-colours", "I", "Swap colours", "Swaps the paint colour and the second colour.", PAINTING),
        Key("brushes", "U", "Brushes", "Moves to the list of brushes.", PAINTING),
        Key(
            "beside", "B", "Compare", "Shows the pinned brush, or the brush as you opened it, while you hold the key.",
            ("brush",), held=True,
        ),
        Key("nth", "1 to 9", "By number", "Takes that brush of the list. On Home it opens that door.",
            (*PAINTING, "home"), fixed=True),
        Key("find", "/", "Find", "Moves to the search field.", EVERYWHERE),
    ),
    "View": (
        Key("fit", "A", "Fit", "Fits everything in the window.", VIEWS),
        Key("real", "R", "100 %", "Shows one pixel per screen pixel, or true size on a proof.", VIEWS),
        Key("nearer", "+", "Zoom in", "Zooms in.", ("tile", "drawing", "layout", "grain", "canvas")),
        Key("further", "-", "Zoom out", "Zooms out.", ("tile", "drawing", "layout", "grain", "canvas")),
        Key("drag-view", "Space", "Drag the view", "Drags the view while you hold the key.", PAINTING,
            fixed=True, held=True),
        Key("turn", "T", "Rotate the view", "Rotates the view by 15°. Hold the key and drag to rotate it freely.",
            ("canvas",), held=True),
        Key("upright", "Shift+T", "View upright", "Sets the view upright again.", ("canvas",)),
        Key("next-stamp", "N", "Stamp preview", "Shows the next stamp under the pointer.", PAINTING),
        Key("neighbours", "J", "Neighbours", "Shows the neighbouring copies faint or full.", ("layout",)),
        Key("squint", "Q", "Squint", "Shows the cloth from arm's length, from across the room, then as it is.",
            ("tile",)),
        Key("view-only", "V", "View only", "Shows the picture alone, or the tools again.", VIEWS),
    ),
    "Layers and selection": (
        Key("layer-settings", "L", "Layer settings", "Opens the settings of the current layer.", ("canvas",)),
        Key("layer-back", ",", "Layer below", "Goes to the layer below.", PAINTING),
        Key("layer-forward", ".", "Layer above", "Goes to the layer above.", PAINTING),
        Key("select-all", "Shift+C", "Select all", "Selects everything.", ("canvas", "layout")),
        Key("deselect", "Alt+C", "Deselect", "Deselects everything.", ("canvas", "layout")),
        Key("invert", "Shift+Alt+C", "Invert selection", "Selects what is not selected.", ("canvas", "layout")),
        Key("copy", "Ctrl+C", "Copy", "Copies the selection.", ("canvas",), fixed=True),
        Key("cut", "Ctrl+X", "Cut", "Cuts the selection.", ("canvas",), fixed=True),
        Key("paste", "Ctrl+V", "Paste", "Pastes on a new layer.", ("canvas", "layout"), fixed=True),
        Key("delete", "Delete", "Delete", "Deletes the selection.", ("canvas", "layout"), fixed=True),
    ),
    "Everywhere": (
        Key("undo", "Z", "Undo", "Undoes the last change. Ctrl+Z does the same.", EVERYWHERE[:-1]),
        Key("redo", "Y", "Redo", "Redoes the change you undid last. Shift+Ctrl+Z does the same.", EVERYWHERE[:-1]),
        Key("close", "Escape", "Close", "Lets go of what you drag, or closes what is open.", EVERYWHERE, fixed=True),
        Key("keys", "?", "Keys", "Shows this table.", EVERYWHERE),
    ),
}  # fmt: skip
KEYS = {key.name: key for group in GROUPS.values() for key in group}

_COMBINATION = re.compile(r"(Shift\+)?(Alt\+)?([^\s0-9]|Space)")


def keys_of(owner_id: int | None) -> dict[str, str]:
    """The key of every action, as the painter has it: ``Shift+G`` and the like."""
    return keys_from(stored(owner_id))


def keys_from(chosen: dict[str, Any]) -> dict[str, str]:
    """The key of every action, from what is stored of a painter."""
    own = chosen.get("keys", {})
    return {name: key.usual if key.fixed else own.get(name, key.usual) for name, key in KEYS.items()}


def change_key(owner: User, name: str, given: str) -> None:
    """Give an action another key; raises UnknownName, and BadValue where the key is taken or is none."""
    if name not in KEYS:
        raise UnknownName("action", name, list(KEYS))
    key = KEYS[name]
    if key.fixed:
        raise BadValue("key", given, f"{key.title} always keeps {key.usual}.")
    found = _COMBINATION.fullmatch(given)
    if found is None:
        raise BadValue("key", given, "must be one letter or sign, alone or with Shift, Alt or both.")
    combination = f"{found[1] or ''}{found[2] or ''}{found[3] if len(found[3]) > 1 else found[3].upper()}"
    now = keys_of(owner.pk)
    taken = next((KEYS[other].title for other, one in now.items() if one == combination and other != name), None)
    if taken is not None:
        raise BadValue("key", given, f"{combination} already stands for {taken}. Choose another key.")
    store(owner, "keys", {**stored(owner.pk).get("keys", {}), name: combination})


def reset_keys(owner: User) -> None:
    """Every action has its usual key again."""
    store(owner, "keys", {})
