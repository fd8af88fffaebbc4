"""Commands on brushes: when stamps touch, the starter brushes, and painting recorded strokes."""

from __future__ import annotations

import argparse
import hashlib
import json
import sys
import time
from concurrent.futures import ThreadPoolExecutor
from fractions import Fraction
from math import floor
from typing import Any

import numpy as np

from orvix.cli.files import Add, beside, check_out, number_of, read_json, read_pixels, repeat_options, size_of
from orvix.errors import BadValue
from orvix.registry import check_colour


def _touch(args: argparse.Namespace) -> dict[str, Any]:
    from orvix.brushes.tips import picture
    from orvix.brushes.tips.outline import Outline
    from orvix.brushes.touch import touch_report
    from orvix.brushes.values import MARK
    from orvix.registry import Value, check_values

    size = MARK[0].check(number_of("size", args.size))
    turn, heading = (
        Value(name, name, "number", 0.0, "", unit="°", low=-360, high=360).check(number_of(name, given))
        for name, given in (("turn", args.turn), ("heading", args.heading))
    )
    pixels = read_pixels(args, args.tip)
    values = check_values(picture.VALUES, {"paints": picture.likely_paints(pixels)}, "tip")
    return touch_report(Outline(picture.tip_picture(pixels, values)[..., 3]), size, turn, heading)


def _touch_report(answer: dict[str, Any]) -> str:
    lines = [f"extent along the heading: {answer['extent_px']:.2f} px; spacings in lengths of it:"]
    lines += [f"  {name.replace('_', ' by '):<16} {value:.4f}" for name, value in answer.items() if name != "extent_px"]
    return "\n".join(lines)


def _brushes(args: argparse.Namespace) -> dict[str, Any]:
    from orvix.brushes.starters import STARTERS
    from orvix.pictures.writing import write_whole

    chosen = [STARTERS.get(args.name)] if args.name else list(STARTERS)
    if args.out:
        if not args.name:
            raise BadValue("name", "", "say which brush to write")
        write_whole(args.out, (json.dumps(chosen[0].data, indent=1) + "\n").encode())
    return {"brushes": [{"name": one.name, "title": one.title, "for": one.purpose} for one in chosen]}


def _brushes_report(answer: dict[str, Any]) -> str:
    return "\n".join(f"{one['name']:<18} {one['title']}: {one['for']}" for one in answer["brushes"])


def _paint(args: argparse.Namespace) -> dict[str, Any]:
    from orvix.canvases.canvas import Canvas, CanvasSpec
    from orvix.canvases.strokes import GrainLayer, paint_stroke
    from orvix.formats.brush_file import load_brush
    from orvix.formats.strokes_file import load_strokes
    from orvix.pictures.writing import straight_8bit, write_png
    from orvix.tiles.joining import Joining
    from orvix.tiles.repeats import Repeat, parse_fraction

    check_out(args.out)
    times = parse_fraction("times", args.times, 0.01, 64).limit_denominator(10_000)
    width, height = (floor(side * times + Fraction(1, 2)) for side in size_of("canvas", args.canvas))
    repeat = Repeat.parse(args.repeat, args.stagger)
    ground = None if args.background == "none" else check_colour("background", args.background)
    joined = Joining(repeat, args.neighbours) if args.joined else None
    canvas = Canvas(CanvasSpec(width, height, joined=joined, ground=ground))
    brush = load_brush(read_json(args.brush), beside(args.brush))
    strokes = load_strokes(read_json(args.strokes), brush, check_colour("colour", args.colour))
    grains, stamps = GrainLayer(canvas, times), 0
    start = time.perf_counter()
    with ThreadPoolExecutor(args.threads) as threads:
        for stroke in _progress(strokes):
            stamps += paint_stroke(canvas, stroke, grains, times, threads if args.threads > 1 else None)[1]
    seconds = time.perf_counter() - start
    layer = canvas.layer.whole()
    write_png(args.out, straight_8bit(layer) if ground is None else canvas.view(canvas.spec.box)[..., :3])
    return {
        "strokes": len(strokes),
        "stamps": stamps,
        "seconds": round(seconds, 4),
        "touched_px": int(np.count_nonzero(layer[..., 3])),
        "sha256": hashlib.sha256(layer.astype("<u2", copy=False).tobytes()).hexdigest(),
    }


def _progress(items: list[Any]) -> Any:
    shown = sys.stderr.isatty() and len(items) > 20
    for n, item in enumerate(items):
        yield item
        if shown:
            done = (n + 1) * 40 // len(items)
            print(f"\r[{'#' * done}{'.' * (40 - done)}] {n + 1} of {len(items)}", end="", file=sys.stderr)
    if shown:
        print(file=sys.stderr)


def _paint_report(answer: dict[str, Any]) -> str:
    return (
        f"{answer['strokes']} strokes, {answer['stamps']} stamps in {answer['seconds']} s; "
        f"{answer['touched_px']} px painted\nsha256 of the 16-bit pixels {answer['sha256']}"
    )


def add_to(add: Add) -> None:
    """Add these commands to the parser."""
    one = add("touch", _touch, _touch_report, "Say at which spacing a tip's stamps just touch.")
    one.add_argument(
        "tip", metavar="TIP.png", help="a PNG or JPEG; it paints where it is opaque, else on its border's tone"
    )
    one.add_argument("--size", required=True, metavar="PX", help="the longer side of a stamp")
    one.add_argument("--turn", default="0", metavar="DEG", help="how the stamps are turned, clockwise")
    one.add_argument("--heading", default="0", metavar="DEG", help="the way the stroke goes, clockwise from the right")

    one = add("brushes", _brushes, _brushes_report, "List the starter brushes, or write one as a file.")
    one.add_argument("name", nargs="?", metavar="NAME", help="one of those listed")
    one.add_argument("--out", metavar="B.json", help="where the brush file goes")

    one = add("paint", _paint, _paint_report, "Paint recorded strokes with a brush.")
    one.add_argument("brush", metavar="BRUSH.json", help="see docs/formats/brush.md")
    one.add_argument("strokes", metavar="STROKES.json", help="see docs/formats/strokes.md")
    one.add_argument("--canvas", required=True, metavar="WxH", help="size in px before --times")
    one.add_argument("--out", required=True, metavar="P.png", help="where the 8-bit PNG goes")
    one.add_argument("--times", default="1", metavar="K", help="everything in px this many times larger")
    one.add_argument("--joined", action="store_true", help="what leaves on one side comes in on the other")
    one.add_argument("--neighbours", default="plain", help="how joined neighbours are mirrored or rotated")
    repeat_options(one)
    one.add_argument("--background", default="#ffffff", metavar="#rrggbb|none", help="the ground, or none")
    one.add_argument("--colour", default="#1c1e21", metavar="#rrggbb", help="for strokes that name none")
    one.add_argument("--threads", type=int, default=2, choices=range(1, 65), metavar="N", help="changes no pixel")
