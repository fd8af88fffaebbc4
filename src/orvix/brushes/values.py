"""Every value of a coat, under the question it answers; those that the hand can lead; and the values of a whole brush.

The help of a value says what it does to the picture: the bench, the command line and the schema take it from here.
"""

from __future__ import annotations

from dataclasses import dataclass

from orvix.colour.blending import MODES
from orvix.registry import Value

LEAST_STEP_PX = 0.05
LEAST_STEP = 0.005
"""However small the spacing: no stamp follows another by less than this many px, or lengths of the stamp."""
MOST_STAMPS = 200_000
"""A stroke that asks for more is refused."""

SPACED_BY = ("length", "px", "touch", "overlap", "clear")
BENDS = ("path", "clear")
ROW_STARTS = ("free", "in step", "between")
FOLLOWS = ("nothing", "heading", "first heading", "bearing", "twist", "tilt")
WAYS_BACK = ("as it comes", "half turn", "mirrored", "dial")
FLIPS = ("no", "by chance", "in turn")
COLOURS_FROM = ("paint", "tip", "tile")
MOVED_BY = ("nothing", "hue", "light and dark")
BUILDS = ("adds up", "stays level")
MIXES = MODES
USES = ("paint", "erase", "smear", "soften")

MARK = (
    Value("size", "Size", "number", 48.0, "The longer side of one mark.", unit="px", low=0.5, high=2048),
    Value(
        "smallest", "Smallest", "number", 1.0,
        "No lead and no chance makes a mark smaller than this.", unit="px", low=0.5, high=2048,
    ),
    Value(
        "largest", "Largest", "number", 512.0,
        "No lead and no chance makes a mark larger than this.", unit="px", low=0.5, high=2048,
    ),
    Value("roundness", "Roundness", "number", 1.0, "Lower: the mark is squeezed flat.", low=0.05, high=1),
    Value(
        "hardness", "Hardness", "number", 0.8,
        "How far from the middle a round mark stays full before it fades to its edge.", low=0, high=1,
    ),
    Value(
        "thin_start", "Thins at start", "number", 0.0,
        "Over this way the marks grow from a thin start, with a mouse too.", unit="px", low=0, high=2000,
    ),
    Value(
        "thin_end", "Thins at end", "number", 0.0,
        "Over this way the marks shrink to a thin end. The end is painted when the hand has gone on, or lifts.",
        unit="px", low=0, high=2000,
    ),
    Value("thin_to", "Thinnest", "number", 0.0, "The size at a thin end, as a share of the size.", low=0, high=1),
)  # fmt: skip
OFTEN = (
    Value(
        "spaced_by", "Spaced by", "choice", "length",
        "Length: lengths of the stamp along the way. Px: always as far. Touch: neighbours just meet, at every size and "
        "turn. Overlap: they lie over one another by a share. Clear: they stay apart.", choices=SPACED_BY,
    ),
    Value(
        "spacing", "Spacing", "number", 0.08,
        "How far one stamp lies from the next, in lengths of the stamp along the way.",
        unit="lengths of the stamp", low=LEAST_STEP, high=20,
    ),
    Value(
        "spacing_px", "Spacing", "number", 12.0,
        "How far one stamp lies from the next.", unit="px", low=0.25, high=4096
    ),
    Value(
        "overlap", "Overlap by", "number", 0.1,
        "The share by which neighbours lie over one another.", low=0, high=0.95
    ),
    Value("clear_px", "Clear by", "number", 2.0, "The gap between neighbours.", unit="px", low=0, high=500),
    Value(
        "scatter_along", "Scatter along", "number", 0.0,
        "Chance moves each mark forward or back along the path.", unit="lengths of the stamp", low=0, high=10,
    ),
    Value(
        "scatter_across", "Scatter across", "number", 0.0,
        "Chance moves each mark to either side of the path.", unit="lengths of the stamp", low=0, high=10,
    ),
    Value("count", "Count", "number", 1.0, "How many marks each stamp lays.", unit="marks", low=1, high=16),
    Value(
        "count_jitter", "Count jitter", "number", 0.0,
        "Chance takes away up to this share of the marks.", low=0, high=1
    ),
    Value(
        "bends", "In bends", "choice", "path",
        "Path: stamps keep their distance along the path. Clear: in a bend the next stamp waits "
        "until it overlaps the one "
        "before it no more than on a straight run.", choices=BENDS,
    ),
    Value(
        "held", "Held still", "number", 0.0,
        "A pen held still goes on laying this many stamps a second.", unit="/s", low=0, high=60,
    ),
    Value(
        "row_start", "Row starts", "choice", "free",
        "Free: where the pen goes down. In step: opposite a stamp of the row beside it. Between: opposite a gap of it.",
        choices=ROW_STARTS,
    ),
)  # fmt: skip
WAY = (
    Value(
        "follows", "Turn follows", "choice", "nothing",
        "What turns the marks: the way the stroke goes, how it began, or how the pen leans or turns.", choices=FOLLOWS,
    ),
    Value("turn", "Turn", "number", 0.0, "A turn added for all marks, clockwise.", unit="°", low=-180, high=180),
    Value(
        "way_back", "On the way back", "choice", "as it comes",
        "What a stroke that goes left does: nothing else, turned by half, mirrored across the path, "
        "or as the dial says.",
        choices=WAYS_BACK,
    ),
    Value(
        "dial", "Dial", "points", [[0.0, 0.0], [180.0, 180.0]],
        "A heading and the turn added there, in degrees clockwise from the right; between two, the turn goes the short "
        "way from one to the other.", low=-360, high=360, least=1, most=12, each=2,
    ),
    Value("flip_across", "Flip across", "choice", "no", "Mirrors marks left to right.", choices=FLIPS),
    Value("flip_down", "Flip down", "choice", "no", "Mirrors marks top to bottom.", choices=FLIPS),
)  # fmt: skip
COLOUR = (
    Value(
        "colour_from", "Colours from", "choice", "paint",
        "Paint: the paint colour. Tip: the picture's own colours. Tile: those of the tile that the grain is read from.",
        choices=COLOURS_FROM,
    ),
    Value(
        "moved_by", "Paint colour moves", "choice", "nothing",
        "What the paint colour does to a tip's or tile's own colours: nothing, turns all their hues, "
        "or sets their light "
        "and dark between black, itself and white.", choices=MOVED_BY,
    ),
    Value("hue", "Hue", "number", 0.0, "Turns the hue of every mark.", unit="°", low=-180, high=180),
    Value("saturation", "Saturation", "number", 0.0, "Higher: stronger colour. Lower: greyer.", low=-1, high=1),
    Value("brightness", "Brightness", "number", 0.0, "Higher: towards white. Lower: towards black.", low=-1, high=1),
    Value("second", "Second colour", "number", 0.0, "The share of the second colour in the paint.", low=0, high=1),
)  # fmt: skip
INK = (
    Value("flow", "Flow", "number", 0.6, "How much paint each mark lays.", low=0, high=1),
    Value("opacity", "Opacity", "number", 1.0, "The most that one stroke can cover.", low=0, high=1),
    Value("strength", "Coat strength", "number", 1.0, "How strongly this coat shows among the others.", low=0, high=1),
    Value(
        "builds", "Within a stroke", "choice", "adds up",
        "Adds up: marks laid over one another cover more, up to the opacity. Stays level: they do not.", choices=BUILDS,
    ),
    Value(
        "wet_edge", "Wet edge", "number", 0.0,
        "Paint gathers at the rim of a stroke and leaves its middle.", low=0, high=1
    ),
    Value("wet_px", "Edge width", "number", 6.0, "How wide the rim of a wet edge is.", unit="px", low=1, high=48),
    Value("mix", "Mixes", "choice", "normal", "How this coat lies over the coats below it.", choices=MIXES),
)  # fmt: skip

GROUPS: dict[str, tuple[Value, ...]] = {"mark": MARK, "often": OFTEN, "way": WAY, "colour": COLOUR, "ink": INK}
"""The values of a coat by the question they answer; those of its grain are in `orvix.brushes.grain_use`."""
COAT_VALUES = tuple(value for group in GROUPS.values() for value in group)

BRUSH_VALUES = (
    Value("use", "Use", "choice", "paint", "What the brush does when it is picked up.", choices=USES),
    Value("blend", "Blend", "choice", "normal", "How a stroke lies over what is painted already.", choices=MIXES),
    Value(
        "smear_strength", "Smear strength", "number", 1.0,
        "How much of the carried colour a smear lays.", low=0, high=1
    ),
    Value(
        "smear_reach", "Smear reach", "number", 0.6,
        "How far a smear carries a colour on, in lengths of the stamp.", unit="lengths of the stamp", low=0, high=20,
    ),
    Value("soften_px", "Soften by", "number", 4.0, "How far softening blurs.", unit="px", low=0.5, high=32),
    Value("keeps_size", "Keeps its size", "switch", True, "Picked up, the brush brings its own size."),
    Value("keeps_colour", "Keeps its colour", "switch", False, "Picked up, the brush brings its own paint colours."),
    Value("colour", "Paint colour", "colour", "#1c1e21", "The paint colour that the brush brings if it keeps one."),
    Value("second_colour", "Second colour", "colour", "#d9793f", "The second paint colour that the brush brings."),
)  # fmt: skip


@dataclass(frozen=True)
class Led:
    """A value that leads can change. step: what "adds" adds at most, either way, unless a lead says otherwise."""

    name: str
    title: str
    low: float
    high: float
    step: float


def _led(name: str, title: str, low: float, high: float, step: float) -> Led:
    return Led(name, title, low, high, step)


LED: tuple[Led, ...] = (
    _led("size", "size", 0.5, 2048, 64),
    _led("roundness", "roundness", 0.05, 1, 1),
    _led("turn", "turn", -3600, 3600, 180),
    _led("spacing", "spacing", 0, 20, 1),
    _led("scatter_along", "scatter along", 0, 10, 1),
    _led("scatter_across", "scatter across", 0, 10, 1),
    _led("count", "count", 0, 16, 4),
    _led("flow", "flow", 0, 1, 1),
    _led("opacity", "opacity", 0, 1, 1),
    _led("hardness", "hardness", 0, 1, 1),
    _led("grain_strength", "grain strength", 0, 1, 1),
    _led("grain_scale", "grain scale", 0.05, 20, 1),
    _led("hue", "hue", -3600, 3600, 180),
    _led("saturation", "saturation", -1, 1, 1),
    _led("brightness", "brightness", -1, 1, 1),
    _led("second", "second colour", 0, 1, 1),
    _led("strength", "coat strength", 0, 1, 1),
)
"""What the hand and chance can lead, in the order of the grid. Spacing and grain scale are led as shares of their
value."""
LED_NAMES = tuple(one.name for one in LED)
