"""The starter brushes: each a title, what it is for, and the data of a brush file, tips and grains as recipes inside.

Any two differ in their tip, rhythm, leads or coats, and not only in size, spacing or colour.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

from orvix.registry import Registry


@dataclass(frozen=True)
class Starter:
    """One starter brush; `data` is a whole brush file, its grain as a recipe inside."""

    name: str
    title: str
    purpose: str
    data: dict[str, Any]


STARTERS: Registry[Starter] = Registry("brush")


def _grain(cells: int, octaves: int, seed: int, size: int = 512, **tone: Any) -> dict[str, Any]:
    recipe: dict[str, Any] = {"size": [size, size], "seed": seed}
    recipe |= {"source": {"name": "noise", "values": {"cells": cells, "octaves": octaves, "roughness": 0.65}}}
    return {"recipe": recipe, "tone": tone}


def _add(name: str, title: str, purpose: str, *coats: dict[str, Any], **values: Any) -> None:
    data: dict[str, Any] = {
        "format": "orvix-brush",
        "version": [2, 0],
        "name": title,
        "for": purpose,
        "coats": list(coats),
    }
    data |= {"values": values} if values else {}
    STARTERS.add(name, Starter(name, title, purpose, data))


def _tile(
    source: str, size: tuple[int, int] = (256, 256), steps: Any = (), seed: int = 1, **values: Any
) -> dict[str, Any]:
    recipe: dict[str, Any] = {"size": list(size), "seed": seed, "source": {"name": source, "values": values}}
    return {"recipe": recipe | ({"steps": list(steps)} if steps else {})}


Piece = tuple[str, str, float, float, float, float, dict[str, Any]]
"""A shape of a drawn tip: its kind, colour, middle in px, how many hundred px long it is, its turn, its values."""


def _drawn(size: tuple[int, int], *pieces: Piece) -> dict[str, Any]:
    """Shapes on nothing, each over those before it, as a motif layout has them."""
    motifs, items = [], []
    for n, (shape, colour, x, y, scale, turn, values) in enumerate(pieces):
        motif = {"id": f"m{n}", "kind": "shape", "what": shape, "name": shape, "values": values, "colour": colour}
        motifs.append(motif)
        items.append({"motif": f"m{n}", "x": x, "y": y, "turn": turn, "scale": scale})
    return _tile("motifs", size, layout={"motifs": motifs, "items": items, "ground": None})


def _lead(low: float, high: float, middle: float | None = None) -> dict[str, Any]:
    points = [[0, low], [1, high]] if middle is None else [[0, low], [0.5, middle], [1, high]]
    return {"pressure": {"response": points}}


def _jitter(low: float, high: float, does: str = "multiplies") -> dict[str, Any]:
    return {"chance_stamp": {"does": does, "low": low, "high": high}}


def _own(source: dict[str, Any], **values: Any) -> dict[str, Any]:
    return {"name": "picture", "source": source, "values": values}


def _box(colour: str, x: float, y: float, wide: float, high: float) -> list[Piece]:
    """A rectangle, wide x high px, in as many pieces as keep each within ten times as long as wide."""
    corners = [[a, b, 0, 0, 0, 0] for a, b in ((0, 0), (1, 0), (1, 1), (0, 1))]
    count = -(-wide // (9 * high))
    part = wide / count
    values = {"proportion": (part + 0.5) / high, "points": corners}
    left = x - wide / 2
    return [
        ("outline", colour, left + (n + 0.5) * part, y, max(part + 0.5, high) / 100, 0, values)
        for n in range(int(count))
    ]


_STRAND = _drawn(
    (240, 120),
    ("lens", "#5c3a1c", 120, 60, 2.3, 90, {"proportion": 0.42, "fullness": 0.8}),
    ("lens", "#b9813f", 120, 57, 2.2, 90, {"proportion": 0.34, "fullness": 0.8}),
    ("lens", "#e2b877", 112, 50, 1.7, 90, {"proportion": 0.14, "fullness": 0.8}),
)
_PLANK = _drawn(
    (360, 96),
    *_box("#7d5733", 180, 48, 350, 86), *_box("#b98a55", 178, 45, 342, 76), *_box("#9a6f41", 176, 34, 330, 4),
    *_box("#9a6f41", 190, 58, 300, 3), *_box("#d6ae79", 178, 12, 342, 7),
    ("ellipse", "#6b4a2a", 26, 45, 0.09, 0, {}), ("ellipse", "#6b4a2a", 332, 45, 0.09, 0, {}),
)  # fmt: skip
_FLOAT = _drawn(
    (200, 200),
    ("ellipse", "#6f4526", 100, 100, 1.96, 0, {}), ("ellipse", "#b87a47", 98, 97, 1.8, 0, {}),
    ("ellipse", "#d9a06a", 90, 86, 1.24, 0, {}), ("ellipse", "#f0cda0", 78, 70, 0.46, 0, {}),
    ("ellipse", "#4a2c17", 100, 100, 0.3, 0, {}),
)  # fmt: skip
_SHINGLE = _drawn(
    (160, 200),
    ("drop", "#3a4750", 80, 100, 1.96, 180, {"fullness": 1.0}),
    ("drop", "#6d7f89", 78, 96, 1.76, 180, {"fullness": 1.0}),
    ("drop", "#93a5ad", 74, 84, 1.2, 180, {"fullness": 0.9}),
)  # fmt: skip
_ROPE = _drawn(
    (96, 72),
    *_box("#6b4523", 48, 36, 96, 64),
    *(("lens", colour, x + shift, 36 + lift, 0.9, 52, {"proportion": wide, "fullness": 0.9})
      for x in (0, 48, 96) for colour, shift, lift, wide in (("#b8823f", 0, 0, 0.42), ("#e0b675", -4, -5, 0.16))),
)  # fmt: skip
_COMB = _drawn(
    (128, 64),
    *(("ellipse", "#2b7f96", x, 44, 0.78, 0, {"proportion": 1.5}) for x in (0, 64, 128)),
    *(("ellipse", "#7fc0c9", x, 47, 0.5, 0, {"proportion": 1.5}) for x in (0, 64, 128)),
    *_box("#1f5f73", 64, 55, 128, 18),
    *(("ellipse", "#e9f2ee", x, 11, 0.12, 0, {}) for x in (0, 64, 128)),
)
_FLAG = _drawn(
    (20, 60),
    *_box("#c0392b", 10, 10, 20, 20), *_box("#f4f1e4", 10, 30, 20, 20), *_box("#1f3f73", 10, 50, 20, 20),
)  # fmt: skip
_FROND = _drawn(
    (100, 480),
    ("lens", "#2c5a3a", 50, 120, 2.3, 0, {"proportion": 0.36, "fullness": 0.7}),
    ("lens", "#5e9a5a", 44, 120, 2.0, 0, {"proportion": 0.12, "fullness": 0.6}),
)
_CRUST = tuple(
    _drawn(
        (120, 120),
        ("star", "#8c8577", 60, 60, 1.1, turn, {"points": points, "depth": 0.72}),
        ("ellipse", "#d8d0bd", 58, 57, 0.62, 0, {}),
        ("ellipse", "#4b463d", 60, 60, 0.24, 0, {"proportion": 1.4}),
    )
    for points, turn in ((7, 0), (9, 12), (6, 40))
)

_add(
    "harbour-liner", "Harbour liner", "Even lines that swell with the hand.",
    {"values": {"size": 14, "spacing": 0.06, "flow": 1.0, "hardness": 0.96}, "leads": {"size": _lead(0.15, 1.0, 0.49)}},
)  # fmt: skip
_add(
    "lantern-glow", "Lantern glow", "A soft halo with a bright heart, which reads on light and on dark.",
    {
        "values": {"size": 120, "spacing": 0.08, "flow": 0.12, "opacity": 0.8, "hardness": 0},
        "leads": {"flow": _lead(0.0, 1.0), "size": {"speed": {"response": [[0, 1], [1, 0.55]]}}},
    },
    {
        "values": {
            "size": 26, "spacing": 0.12, "flow": 0.5, "hardness": 0.1, "brightness": 0.7, "mix": "plus-lighter",
        },
        "leads": {"opacity": _lead(0.2, 1.0), "size": {"speed": {"response": [[0, 1], [1, 0.4]]}, **_jitter(0.8, 1)}},
    },
)  # fmt: skip
_add(
    "sailcloth-chalk", "Sailcloth chalk", "A dry edge cut by the cloth under it.",
    {
        "values": {"size": 56, "spacing": 0.05, "flow": 0.5, "hardness": 0.7},
        "leads": {"size": _lead(0.5, 1.0), "flow": _lead(0.15, 1.0, 0.66)},
        "grain": {"source": _grain(40, 3, 7, contrast=0.75), "scale": "1/2", "strength": 0.95, "hold": "canvas"},
    },
)  # fmt: skip
_add(
    "sea-spray", "Sea spray", "Drops thrown to either side of the path.",
    {
        "values": {"size": 22, "spacing": 0.55, "flow": 0.95, "scatter_across": 2.4, "hardness": 0.9},
        "leads": {"size": _lead(0.4, 1.0) | _jitter(0.15, 1.0)},
    },
)  # fmt: skip
_add(
    "barnacle-wash", "Barnacle wash", "A broad wash whose crust starts fresh with each stroke.",
    {
        "values": {"size": 140, "spacing": 0.08, "flow": 0.35, "opacity": 0.85, "hardness": 0.4},
        "leads": {"flow": _lead(0.1, 1.0)},
        "grain": {"source": _grain(12, 5, 3, contrast=0.5), "scale": "1/1", "strength": 0.8, "hold": "stroke"},
    },
)  # fmt: skip
_add(
    "rope-strand", "Rope strand", "Strands that follow the line and overlap like a twisted rope.",
    {
        "tip": _own(_STRAND),
        "values": {
            "size": 64, "flow": 1, "colour_from": "tip", "spaced_by": "overlap", "overlap": 0.5, "follows": "heading",
            "turn": 48,
        },
        "leads": {"brightness": _jitter(-0.06, 0.06, "adds"), "turn": _jitter(-4, 4, "adds")},
    },
)  # fmt: skip
_add(
    "deck-planking", "Deck planking",
    "Planks end to end along the line, each row between the joints of the one beside it.",
    {
        "tip": _own(_PLANK),
        "values": {
            "size": 92, "flow": 1, "colour_from": "tip", "spaced_by": "clear", "clear_px": 1, "follows": "heading",
            "bends": "clear", "row_start": "between", "way_back": "half turn",
        },
        "leads": {"brightness": _jitter(-0.12, 0.1, "adds"), "saturation": _jitter(-0.2, 0.1, "adds")},
    },
)  # fmt: skip
_add(
    "cork-floats", "Cork floats", "Floats on a line that just touch, at every size the hand gives them.",
    {
        "tip": _own(_FLOAT),
        "values": {
            "size": 44, "flow": 1, "colour_from": "tip", "spaced_by": "touch", "row_start": "between",
            "bends": "clear",
        },
        "leads": {"size": _lead(0.45, 1.0), "hue": _jitter(-8, 8, "adds")},
    },
)  # fmt: skip
_add(
    "roof-shingles", "Roof shingles", "Rows of shingles, from the bottom up. On the way back they stay upright.",
    {
        "tip": _own(_SHINGLE),
        "values": {
            "size": 60, "flow": 1, "colour_from": "tip", "spaced_by": "overlap", "overlap": 0.06, "follows": "heading",
            "way_back": "half turn", "row_start": "between",
        },
        "leads": {"brightness": _jitter(-0.1, 0.08, "adds")},
    },
)  # fmt: skip
_add(
    "rope-ribbon", "Rope ribbon", "A rope along the line as one band. Harder pressure makes it wider.",
    {
        "values": {"size": 30, "flow": 1, "colour_from": "tip"},
        "ribbon": {"source": _ROPE, "values": {"bends": "rounded"}},
        "leads": {"size": _lead(0.6, 1.0)},
    },
)  # fmt: skip
_add(
    "wave-comb", "Wave-comb border",
    "A border that joins itself, mitres its corners and ends where an outline began.",
    {
        "values": {"size": 40, "flow": 1, "colour_from": "tip"},
        "ribbon": {"source": _COMB, "values": {"bends": "mitred", "whole": True, "most_twist": 45}},
    },
)  # fmt: skip
_add(
    "ferry-names", "Ferry names",
    "Text along the line, letter by letter. Harder pressure makes it larger.",
    {
        "tip": {"name": "lettering", "values": {"text": "Merrow Sound", "font": "book-bold", "gap": 0.8}},
        "values": {"size": 44, "flow": 1, "follows": "heading"},
        "leads": {"size": _lead(0.6, 1.0)},
    },
)  # fmt: skip
_add(
    "buoy-row", "Buoy row", "Small coloured pictures set upright, evenly whichever way the line goes.",
    {
        "tip": {"name": "lettering", "values": {"text": "\u2693\U0001f41f\u26f5", "gap": 0.0}},
        "values": {"size": 40, "flow": 1},
    },
)  # fmt: skip
_add(
    "signal-flags", "Signal-flag bristle",
    "Three bands in one stroke that follow its direction. The paint colour can shift all three.",
    {
        "tip": _own(_FLAG, edges="crisp"),
        "values": {
            "size": 44, "spacing": 0.08, "flow": 1, "colour_from": "tip", "follows": "heading", "builds": "adds up",
        },
    },
)  # fmt: skip
_add(
    "kelp-frond", "Kelp frond", "Leaves to either side of a stem, smaller and smaller as the line goes on.",
    {
        "tip": _own(_FROND, trimmed=False),
        "values": {
            "size": 116, "flow": 1, "colour_from": "tip", "spaced_by": "px", "spacing_px": 24, "follows": "heading",
            "flip_down": "in turn", "smallest": 10,
        },
        "leads": {
            "size": {"distance": {"response": [[0, 1], [1, 0.3]], "over": 600}},
            "spacing": {"distance": {"response": [[0, 1], [1, 0.35]], "over": 600}},
            "turn": {
                "stamp_count": {
                    "response": [[0, 0], [0.5, 1], [1, 1]],
                    "does": "adds", "low": 32, "high": -32, "over": 2, "loops": True,
                },
                **_jitter(-6, 6, "adds"),
            },
        },
    },
    {"values": {"size": 6, "spacing": 0.16, "flow": 1, "hue": 0}, "leads": {"size": _lead(0.4, 1)}},
)  # fmt: skip
_add(
    "net-mesh", "Net mesh", "Every stroke uncovers more of one net, in the net's own colours.",
    {
        "values": {"size": 70, "spacing": 0.06, "flow": 0.9, "hardness": 0.8, "colour_from": "tile"},
        "grain": {
            "source": _tile("net", (256, 256), ground="colour"),
            "scale": "1/2", "strength": 0.0, "hold": "canvas",
        },
        "leads": {"size": _lead(0.4, 1.0)},
    },
)  # fmt: skip
_add(
    "ticking-tape", "Ticking tape",
    "Striped cloth through the stroke, new for each stroke and larger with the brush.",
    {
        "tip": {"name": "polygon", "values": {"sides": 4, "tip_turn": 45}},
        "values": {"size": 64, "spacing": 0.08, "flow": 1, "colour_from": "tile", "follows": "heading"},
        "grain": {
            "source": _tile("ticking", (256, 256)),
            "scale": "1/3", "strength": 0.0, "hold": "stroke", "turn": 30,
        },
        "leads": {"size": _lead(0.5, 1.0)},
    },
)  # fmt: skip
_add(
    "reed-nib", "Reed nib", "A flat nib that follows the tilt of the pen, thick one way and thin the other.",
    {
        "values": {"size": 34, "roundness": 0.14, "spacing": 0.04, "flow": 1, "hardness": 1, "follows": "bearing"},
        "leads": {"roundness": {"tilt": {"low": 1.0, "high": 2.6}}, "size": _lead(0.75, 1)},
    },
)  # fmt: skip
_add(
    "star-chips", "Star chips", "Small scattered stars, with random rotation and a random colour between two paints.",
    {
        "tip": {"name": "polygon", "values": {"sides": 5, "star": 0.5, "rounded": 0.12}},
        "values": {"size": 26, "spacing": 0.9, "flow": 1, "scatter_across": 1.6, "scatter_along": 0.6, "count": 2},
        "leads": {
            "size": _jitter(0.3, 1), "turn": _jitter(-180, 180, "adds"), "second": _jitter(0, 1, "replaces"),
            "opacity": _jitter(0.5, 1),
        },
    },
)  # fmt: skip
_add(
    "rock-bite", "Rock bite", "A dense mark with a rough edge from its grain. Paints, smears and erases.",
    {
        "values": {
            "size": 40, "spacing": 0.12, "flow": 0.7, "hardness": 0.5, "scatter_across": 0.35, "scatter_along": 0.35,
        },
        "leads": {"size": _lead(0.3, 1.0) | _jitter(0.6, 1), "grain_strength": _lead(1.0, 0.75)},
        "grain": {
            "source": _grain(24, 4, 11, contrast=0.6), "scale": "1/2", "strength": 1.0, "least": 0.6, "bite": "height",
        },
    },
)  # fmt: skip
_add(
    "thumb-smear", "Thumb smear", "Drags colour along as a thumb does, further the harder it presses.",
    {"values": {"size": 52, "spacing": 0.08, "flow": 0.9, "hardness": 0.2}, "leads": {"flow": _lead(0.2, 1)}},
    use="smear", smear_reach=0.8,
)  # fmt: skip
_add(
    "sea-fog", "Sea fog", "Softens the paint under it, most where the pen rests.",
    {
        "values": {"size": 90, "spacing": 0.1, "flow": 0.4, "hardness": 0, "held": 12},
        "leads": {"opacity": _lead(0.3, 1)},
    },
    use="soften", soften_px=7,
)  # fmt: skip
_add(
    "tide-wash", "Tide wash", "A level wash that darkens what is under it and gathers at its rim as it dries.",
    {
        "values": {
            "size": 70, "spacing": 0.06, "flow": 0.55, "hardness": 0.75, "builds": "stays level", "wet_edge": 0.9,
            "wet_px": 9, "thin_end": 60, "thin_start": 30, "thin_to": 0.3,
        },
        "leads": {"size": _lead(0.5, 1)},
    },
    blend="multiply",
)  # fmt: skip
_add(
    "barnacle-crust", "Barnacle crust", "Three kinds of barnacles scattered in clumps, each with its own rotation.",
    {
        "tip": {"name": "set", "sources": list(_CRUST), "values": {"taken": "by chance"}},
        "values": {
            "size": 34, "spacing": 0.8, "flow": 1, "colour_from": "tip", "count": 3, "count_jitter": 0.6,
            "scatter_across": 1.1, "scatter_along": 0.7,
        },
        "leads": {
            "size": _jitter(0.35, 1), "turn": _jitter(-180, 180, "adds"), "brightness": _jitter(-0.15, 0.1, "adds"),
        },
    },
)  # fmt: skip
