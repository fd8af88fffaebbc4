"""Every value of a coat, under the question it answers; those that the hand can lead; and the values of a whole brush.

The help of a value says what it does to the picture: the bench, the command line and the schema take it from here.
"""

from __future__ import annotations

from dataclasses import dataclass

from orvix.colour.blending import MODES
from orvix.registry import Value

LEAST_STEP_PX = 0.05
LEAST_STEP = 0.005
"""However small the spacing: no stamp follows another by less than this many px, or stamp lengths."""
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
        "smallest", "Minimum size", "number", 1.0,
        "Leads and jitter never make a mark smaller than this.", unit="px", low=0.5, high=2048,
    ),
    Value(
        "largest", "Maximum size", "number", 512.0,
        "Leads and jitter never make a mark larger than this.", unit="px", low=0.5, high=2048,
    ),
    Value("roundness", "Roundness", "number", 1.0, "Lower values flatten the mark.", low=0.05, high=1),
    Value(
        "hardness", "Hardness", "number", 0.8,
        "How far from its centre a round mark stays solid before it fades.", low=0, high=1,
    ),
    Value(
        "thin_start", "Taper at start", "number", 0.0,
        "Distance over which the stroke grows from a thin start. Works with a mouse too.", unit="px", low=0, high=2000,
    ),
    Value(
        "thin_end", "Taper at end", "number", 0.0,
        "Distance over which the stroke shrinks to a thin end. The end appears as you move on or lift the pen.",
        unit="px", low=0, high=2000,
    ),
    Value("thin_to", "Taper size", "number", 0.0, "Size at the thin end, as a share of Size.", low=0, high=1),
)  # fmt: skip
OFTEN = (
    Value(
        "spaced_by", "Spaced by", "choice", "length",
        "Length: in stamp lengths. Pixels: a fixed distance. Touch: neighbours just meet at any size. "
        "Overlap: neighbours overlap by a share. Gap: neighbours stay apart.", choices=SPACED_BY,
    ),
    Value(
        "spacing", "Spacing", "number", 0.08,
        "Distance from one stamp to the next, in stamp lengths.",
        unit="stamp lengths", low=LEAST_STEP, high=20,
    ),
    Value(
        "spacing_px", "Spacing", "number", 12.0,
        "Distance from one stamp to the next.", unit="px", low=0.25, high=4096
    ),
    Value(
        "overlap", "Overlap", "number", 0.1,
        "How much neighbouring stamps overlap.", low=0, high=0.95
    ),
    Value("clear_px", "Gap", "number", 2.0, "Gap between neighbouring stamps.", unit="px", low=0, high=500),
    Value(
        "scatter_along", "Scatter along", "number", 0.0,
        "Moves each mark randomly forward or back along the stroke.", unit="stamp lengths", low=0, high=10,
    ),
    Value(
        "scatter_across", "Scatter across", "number", 0.0,
        "Moves each mark randomly to either side of the stroke.", unit="stamp lengths", low=0, high=10,
    ),
    Value("count", "Count", "number", 1.0, "Number of marks in each stamp.", unit="marks", low=1, high=16),
    Value(
        "count_jitter", "Count jitter", "number", 0.0,
        "Randomly leaves out up to this share of the marks.", low=0, high=1
    ),
    Value(
        "bends", "At bends", "choice", "path",
        "Even: stamps keep their distance along the stroke. No overlap: at a bend the next stamp waits until it "
        "overlaps no more than on a straight line.", choices=BENDS,
    ),
    Value(
        "held", "Hold rate", "number", 0.0,
        "Stamps per second while you hold the pen still.", unit="/s", low=0, high=60,
    ),
    Value(
        "row_start", "Row start", "choice", "free",
        "Free: where the pen goes down. Aligned: level with a stamp in the row beside it. Between: level with a "
        "gap in that row.",
        choices=ROW_STARTS,
    ),
)  # fmt: skip
WAY = (
    Value(
        "follows", "Rotation follows", "choice", "nothing",
        "What rotates the marks: the stroke direction, its first direction, or the pen's bearing, twist or tilt.",
        choices=FOLLOWS,
    ),
    Value("turn", "Rotation", "number", 0.0, "Rotates all marks clockwise.", unit="°", low=-180, high=180),
    Value(
        "way_back", "Return strokes", "choice", "as it comes",
        "What marks do when the stroke moves left: stay, rotate by 180°, flip across the stroke, or follow the dial.",
        choices=WAYS_BACK,
    ),
    Value(
        "dial", "Dial", "points", [[0.0, 0.0], [180.0, 180.0]],
        "Rotation added at each heading, in degrees clockwise from right. Values between headings are blended.",
        low=-360, high=360, least=1, most=12, each=2,
    ),
    Value("flip_across", "Flip horizontal", "choice", "no", "Flips marks left to right.", choices=FLIPS),
    Value("flip_down", "Flip vertical", "choice", "no", "Flips marks top to bottom.", choices=FLIPS),
)  # fmt: skip
COLOUR = (
    Value(
        "colour_from", "Colour source", "choice", "paint",
        "Paint: the paint colour. Tip: the tip's own colours. Tile: the colours of the grain's tile.",
        choices=COLOURS_FROM,
    ),
    Value(
        "moved_by", "Paint tint", "choice", "nothing",
        "How the paint colour changes the tip's or tile's colours: not at all, shifts every hue, or recolours their "
        "light and dark.", choices=MOVED_BY,
    ),
    Value("hue", "Hue", "number", 0.0, "Shifts the hue of every mark.", unit="°", low=-180, high=180),
    Value("saturation", "Saturation", "number", 0.0, "Higher is stronger, lower is greyer.", low=-1, high=1),
    Value("brightness", "Brightness", "number", 0.0, "Higher is lighter, lower is darker.", low=-1, high=1),
    Value("second", "Second colour", "number", 0.0, "Share of the second colour in the paint.", low=0, high=1),
)  # fmt: skip
INK = (
    Value("flow", "Flow", "number", 0.6, "Paint applied by each mark.", low=0, high=1),
    Value("opacity", "Opacity", "number", 1.0, "The most paint one stroke can apply.", low=0, high=1),
    Value("strength", "Coat strength", "number", 1.0, "Strength of this coat among the others.", low=0, high=1),
    Value(
        "builds", "Within a stroke", "choice", "adds up",
        "Build up: overlapping marks add paint, up to Opacity. Level: they do not.", choices=BUILDS,
    ),
    Value(
        "wet_edge", "Wet edge", "number", 0.0,
        "Gathers paint at the edge of the stroke and thins its middle.", low=0, high=1
    ),
    Value("wet_px", "Edge width", "number", 6.0, "Width of the wet edge.", unit="px", low=1, high=48),
    Value("mix", "Blend mode", "choice", "normal", "How this coat blends with the coats below.", choices=MIXES),
)  # fmt: skip

GROUPS: dict[str, tuple[Value, ...]] = {"mark": MARK, "often": OFTEN, "way": WAY, "colour": COLOUR, "ink": INK}
"""The values of a coat by the question they answer; those of its grain are in `orvix.brushes.grain_use`."""
COAT_VALUES = tuple(value for group in GROUPS.values() for value in group)

BRUSH_VALUES = (
    Value("use", "Mode", "choice", "paint", "Selecting this brush switches to this mode.", choices=USES),
    Value("blend", "Stroke blend", "choice", "normal", "How a stroke blends with the paint below.", choices=MIXES),
    Value(
        "smear_strength", "Smear strength", "number", 1.0,
        "How much carried colour a smear leaves.", low=0, high=1
    ),
    Value(
        "smear_reach", "Smear reach", "number", 0.6,
        "How far a smear carries colour, in stamp lengths.", unit="stamp lengths", low=0, high=20,
    ),
    Value("soften_px", "Soften radius", "number", 4.0, "Blur radius of Soften.", unit="px", low=0.5, high=32),
    Value("keeps_size", "Own size", "switch", True, "Selecting the brush also sets the size saved with it."),
    Value("keeps_colour", "Own colours", "switch", False, "Selecting the brush also sets the colours saved with it."),
    Value("colour", "Paint colour", "colour", "#1c1e21", "The saved paint colour."),
    Value("second_colour", "Second colour", "colour", "#d9793f", "The saved second colour."),
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
    _led("size", "Size", 0.5, 2048, 64),
    _led("roundness", "Roundness", 0.05, 1, 1),
    _led("turn", "Rotation", -3600, 3600, 180),
    _led("spacing", "Spacing", 0, 20, 1),
    _led("scatter_along", "Scatter along", 0, 10, 1),
    _led("scatter_across", "Scatter across", 0, 10, 1),
    _led("count", "Count", 0, 16, 4),
    _led("flow", "Flow", 0, 1, 1),
    _led("opacity", "Opacity", 0, 1, 1),
    _led("hardness", "Hardness", 0, 1, 1),
    _led("grain_strength", "Grain strength", 0, 1, 1),
    _led("grain_scale", "Grain scale", 0.05, 20, 1),
    _led("hue", "Hue", -3600, 3600, 180),
    _led("saturation", "Saturation", -1, 1, 1),
    _led("brightness", "Brightness", -1, 1, 1),
    _led("second", "Second colour", 0, 1, 1),
    _led("strength", "Coat strength", 0, 1, 1),
)
"""What the hand and chance can lead, in the order of the grid. Spacing and grain scale are led as shares of their
value."""
LED_NAMES = tuple(one.name for one in LED)
