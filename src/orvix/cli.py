"""The command line, `orvix`: the core without web application, database or server. The only reader of the clock."""

from __future__ import annotations

import argparse
import hashlib
import json
import sys
import time
from collections.abc import Callable
from concurrent.futures import ThreadPoolExecutor
from dataclasses import replace
from fractions import Fraction
from math import floor
from pathlib import Path
from typing import Any

import numpy as np

from orvix.errors import BadValue, OrvixError, UnreadableFile
from orvix.registry import check_colour

EXAMPLES = """examples:
  orvix sources                                          what can make a tile
  orvix tile cloud.json --out cloud.png                  a recipe as pixels
  orvix mend wall.jpg --out wall.png --size 1024x1024    a photo that closes
  orvix readings cloud.png --repeat half-drop            does it close?
  orvix fit --tile 200x200 --scale 0.3 --canvas 1000x1000
  orvix touch float.png --size 64 --heading 30           when do its stamps just touch?
  orvix brushes sailcloth-chalk --out chalk.json         a starter brush as a file
  orvix paint chalk.json strokes.json --canvas 900x400 --out painted.png
  orvix repeat cloud.png --columns 4 --rows 3 --out sheet.png

Exit status: 0 done; 1 a file cannot be read or written; 2 a bad value or bad usage.
"""


def main(argv: list[str] | None = None) -> int:
    """Run one command; returns the exit status."""
    parser = _parser()
    args = parser.parse_args(argv)
    try:
        answer = args.run(args)
    except OrvixError as error:
        print(f"orvix {args.command}: {error}", file=sys.stderr)
        return error.exit_status
    except BrokenPipeError:
        return 1
    if args.json:
        print(json.dumps(answer))
    else:
        print(args.report(answer))
    return 0


def _read(path: str) -> bytes:
    try:
        return Path(path).read_bytes()
    except OSError as error:
        raise UnreadableFile(f"{path}: cannot be read ({error.strerror})") from error


def _read_json(path: str) -> Any:
    try:
        return json.loads(_read(path))
    except (UnicodeDecodeError, json.JSONDecodeError, RecursionError) as error:
        raise UnreadableFile(f"{path}: is not JSON ({error})") from error


def _beside(path: str) -> Callable[[str], bytes]:
    """A reader of files named in the file at `path`: beside it or below, nowhere else."""
    folder = Path(path).resolve().parent

    def read(name: str) -> bytes:
        target = (folder / name).resolve()
        if not target.is_relative_to(folder):
            raise BadValue("file", name, "must lie beside the file that names it, or below")
        return _read(str(target))

    return read


def _size(name: str, text: str) -> tuple[int, int]:
    parts = text.lower().split("x")
    if len(parts) == 2 and all(part.isascii() and part.isdigit() and 0 < len(part) < 7 for part in parts):
        width, height = int(parts[0]), int(parts[1])
        if width and height:
            return width, height
    raise BadValue(name, text, "must be WIDTHxHEIGHT in px, such as 1024x768")


def _check_out(path: str) -> None:
    if not Path(path).resolve().parent.is_dir():
        raise UnreadableFile(f"{path}: cannot be written (no such folder)")


def _sources(args: argparse.Namespace) -> dict[str, Any]:
    from orvix.tiles.sources import SOURCES

    return {"sources": [source.describe() for source in SOURCES]}


def _steps(args: argparse.Namespace) -> dict[str, Any]:
    from orvix.tiles.steps import STEPS

    return {"steps": [step.describe() for step in STEPS]}


def _tips(args: argparse.Namespace) -> dict[str, Any]:
    from orvix.brushes.tips import TIPS

    return {"tips": [tip.describe() for tip in TIPS]}


def _entries_report(answer: dict[str, Any]) -> str:
    lines = []
    for entry in next(iter(answer.values())):
        lines.append(f"{entry['name']}  ({entry['kind']})  {entry['help']}")
        for value in entry["values"]:
            unit = f" {value['unit']}" if value["unit"] else ""
            lines.append(f"  {value['name']:<12} {_span(value)}{unit}, default {value['default']}: {value['help']}")
    return "\n".join(lines)


def _span(value: dict[str, Any]) -> str:
    if value["choices"]:
        return ", ".join(value["choices"])
    return f"{value['low']:g} to {value['high']:g}" if value["low"] is not None else str(value["kind"])


def _load_recipe(path: str, size: str | None) -> tuple[Any, Callable[[str], Any]]:
    from orvix.pictures import read_picture
    from orvix.tiles.motifs.svg import read_svg
    from orvix.tiles.recipe import Recipe
    from orvix.tiles.sources.registry import Outside

    recipe = Recipe.parse(_read_json(path))
    if size:
        width, height = _size("size", size)
        if width * recipe.height != height * recipe.width:
            raise BadValue("size", size, f"must have the recipe's proportions, {recipe.width}x{recipe.height}")
        recipe = recipe.at_size(width, height)
    read_file = _beside(path)
    outside = Outside(read_svg=lambda name: read_svg(read_file(name), name))
    return recipe, lambda watch: recipe.run(lambda name: read_picture(read_file(name), name), watch, outside=outside)


def _tile(args: argparse.Namespace) -> dict[str, Any]:
    from orvix.pictures.writing import straight_8bit, write_png

    _check_out(args.out)
    recipe, run = _load_recipe(args.recipe, args.size)
    start = time.perf_counter()
    state = run(_watch())
    seconds = time.perf_counter() - start
    write_png(args.out, straight_8bit(state.pixels))
    return {
        "size": [state.width, state.height],
        "seconds": round(seconds, 4),
        "closes_by_construction": state.proven,
        "stagger_px": state.repeat.stagger_px(state.width, state.height),
        "given": [given.as_dict() for given in recipe.given()],
        "warnings": list(state.notes),
        "unknown": [".".join(str(part) for part in place) for place in recipe.unknown],
    }


def _watch() -> Any:
    """Shows how far long work is, on a terminal only."""
    from orvix.progress import UNWATCHED, Watch

    if not sys.stderr.isatty():
        return UNWATCHED
    began = time.perf_counter()

    def tell(share: float, words: str) -> None:
        if time.perf_counter() - began > 0.5:
            done = int(share * 40)
            end = "\n" if share >= 1 else ""
            print(f"\r[{'#' * done}{'.' * (40 - done)}] {words:<30}", end=end, file=sys.stderr, flush=True)

    return Watch(tell)


def _mend(args: argparse.Namespace) -> dict[str, Any]:
    from orvix.pictures import read_picture
    from orvix.pictures.writing import straight_8bit, write_png
    from orvix.readings.report import read_state
    from orvix.tiles.recipe import MOST_PIXELS, Recipe

    _check_out(args.out)
    photo = read_picture(_read(args.photo), args.photo)
    if args.size:
        width, height = _size("size", args.size)
    else:
        shrink = min(1.0, (MOST_PIXELS / (photo.shape[0] * photo.shape[1])) ** 0.5)
        width, height = int(photo.shape[1] * shrink), int(photo.shape[0] * shrink)
    told = {
        "size": [width, height], "repeat": args.repeat, "stagger": args.stagger,
        "source": {"name": "photo", "values": {"file": "photo"}},
    }  # fmt: skip
    steps = [{"name": "even-light"}, {"name": "mend-border", "values": {"method": args.method}}]
    before = Recipe.parse(told).run(lambda _: photo)
    after = Recipe.parse({**told, "steps": steps}).run(lambda _: photo, _watch())
    write_png(args.out, straight_8bit(after.pixels))
    return {
        "method": args.method, "size": [after.width, after.height], "before": read_state(before),
        "after": read_state(after), "warnings": list(after.notes),
    }  # fmt: skip


def _mend_report(answer: dict[str, Any]) -> str:
    lines = [f"{answer['size'][0]} x {answer['size'][1]} px, {answer['method']}"]
    for when in ("before", "after"):
        told = answer[when]
        seam, light = told["seam"], told["light"]
        lines.append(f"{when:<7} seam {seam['value']:.2f} ({seam['verdict']}), light {light['value']:.1f} dE")
    return "\n".join([*lines, *(f"warning: {words}" for words in answer["warnings"])])


def _tile_report(answer: dict[str, Any]) -> str:
    closes = "closes by construction" if answer["closes_by_construction"] else "not proven to close: see orvix readings"
    width, height = answer["size"]
    lines = [f"{width} x {height} px in {answer['seconds']} s, {closes}, stagger {answer['stagger_px']} px"]
    for given in answer["given"]:
        sizes = ", ".join(f"{w}x{h}" for w, h in given["sizes"])
        exact = f"; exact at {sizes}" if sizes else ""
        lines.append(
            f"{given['title'].lower()}: asked {given['asked']:g}, given {given['given']:g} {given['unit']}{exact}"
        )
    lines += [f"warning: {words}" for words in answer["warnings"]]
    return "\n".join(lines + [f"kept, but not known here: {place}" for place in answer["unknown"]])


def _readings(args: argparse.Namespace) -> dict[str, Any]:
    from orvix.pictures import read_picture
    from orvix.readings.report import read_state, readings
    from orvix.tiles.repeats import Repeat

    asked = args.repeat is not None or args.stagger is not None
    repeat = Repeat.parse(args.repeat or "straight", args.stagger)
    if args.picture.lower().endswith(".json"):
        _, run = _load_recipe(args.picture, None)
        state = run(_watch())
        if asked and repeat != state.repeat:
            state = replace(state, repeat=repeat, proven=False)
        return read_state(state)
    return readings(read_picture(_read(args.picture), args.picture), repeat)


def _readings_report(answer: dict[str, Any]) -> str:
    seam, tone = answer["seam"], answer["tone"]
    proof = ", closes by construction" if seam["by_construction"] else ""
    return (
        f"{answer['size'][0]} x {answer['size'][1]} px, {answer['repeat']}\n"
        f"seam  {seam['value']:.2f} x the strongest line inside: {seam['verdict']}{proof}\n"
        f"      left and right {seam['edges']['left_right']:.2f}, top and bottom {seam['edges']['top_bottom']:.2f}\n"
        f"tone  mean {tone['mean']:.2f}, spread {tone['std']:.2f}; as a grain {100 * tone['passes']:.0f} % passes\n"
        f"light {answer['light']['value']:.1f} dE ({answer['light']['verdict']}); "
        f"texture {answer['texture']['value']:.1f} stops ({answer['texture']['verdict']})\n"
        f"rows  {answer['rows']['value']:.1f} at {answer['rows']['angle_deg']:g} degrees: {answer['rows']['verdict']}\n"
        f"{_layout_report(answer)}"
    )


def _layout_report(answer: dict[str, Any]) -> str:
    holes, weight, spots = answer["holes"], answer["weight"], answer["hot_spots"]
    lines = [f"hot   {len(spots)} places stand out" + "".join(f"; {one['value']:.1f} at {one['at']}" for one in spots)]
    if holes["applies"]:
        lines.append(
            f"holes {holes['value']:.1f} x the usual, at {holes['at']}, {holes['radius_px']:g} px: {holes['verdict']}"
        )
        lines.append(f"cover {100 * weight['cover']:.0f} %, uneven by {weight['value']:.2f}")
    else:
        lines.append("holes and weight mean nothing here: no motifs on a ground")
    return "\n".join(lines)


def _fit(args: argparse.Namespace) -> dict[str, Any]:
    from orvix.grains.fit import FitQuestion, fit
    from orvix.tiles.repeats import Repeat, parse_fraction

    ppi = [parse_fraction(name, given or 1, 1, 100_000) for name, given in
           (("tile-ppi", args.tile_ppi), ("canvas-ppi", args.canvas_ppi))]  # fmt: skip
    if bool(args.tile_ppi) != bool(args.canvas_ppi):
        raise BadValue("ppi", args.tile_ppi or args.canvas_ppi, "give both --tile-ppi and --canvas-ppi, or neither")
    return fit(
        FitQuestion(
            tile=_side_checked("tile", args.tile),
            canvas=_side_checked("canvas", args.canvas),
            scale=parse_fraction("scale", args.scale, 0.001, 1000),
            repeat=Repeat.parse(args.repeat, args.stagger),
            canvas_repeat=Repeat.parse(args.canvas_repeat, args.canvas_stagger),
            ratio=ppi[1] / ppi[0],
        )
    )


def _side_checked(name: str, text: str) -> tuple[int, int]:
    from orvix.geometry import MOST_SIDE

    size = _size(name, text)
    if max(size) > MOST_SIDE:
        raise BadValue(name, text, f"must be at most {MOST_SIDE} px a side")
    return size


def _fit_report(answer: dict[str, Any]) -> str:
    if answer["closes"]:
        first = "the grain closes on this canvas"
    else:
        first = f"the grain does not close: off by {answer['off_px']:.2f} px at the far edge"
    canvases = ", ".join(f"{w}x{h}" for w, h in answer["canvases"]) or "none within reach"
    scales = ", ".join(f"{scale['fraction']} ({scale['decimal']:.6g})" for scale in answer["scales"]) or "none"
    return f"{first}\ncanvases that close, nearest first: {canvases}\nscales that close, nearest first: {scales}"


def _touch(args: argparse.Namespace) -> dict[str, Any]:
    from orvix.brushes.tips import picture
    from orvix.brushes.tips.outline import Outline
    from orvix.brushes.touch import touch_report
    from orvix.brushes.values import MARK
    from orvix.pictures import read_picture
    from orvix.registry import Value, check_values

    size = MARK[0].check(_number("size", args.size))
    turn, heading = (
        Value(name, name, "number", 0.0, "", unit="°", low=-360, high=360).check(_number(name, given))
        for name, given in (("turn", args.turn), ("heading", args.heading))
    )
    pixels = read_picture(_read(args.tip), args.tip)
    values = check_values(picture.VALUES, {"paints": picture.likely_paints(pixels)}, "tip")
    return touch_report(Outline(picture.tip_picture(pixels, values)[..., 3]), size, turn, heading)


def _number(name: str, given: str) -> float:
    try:
        return float(given)
    except ValueError as error:
        raise BadValue(name, given, "must be a number") from error


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

    _check_out(args.out)
    times = parse_fraction("times", args.times, 0.01, 64).limit_denominator(10_000)
    width, height = (floor(side * times + Fraction(1, 2)) for side in _size("canvas", args.canvas))
    repeat = Repeat.parse(args.repeat, args.stagger)
    ground = None if args.background == "none" else check_colour("background", args.background)
    joined = Joining(repeat, args.neighbours) if args.joined else None
    canvas = Canvas(CanvasSpec(width, height, joined=joined, ground=ground))
    brush = load_brush(_read_json(args.brush), _beside(args.brush))
    strokes = load_strokes(_read_json(args.strokes), brush, check_colour("colour", args.colour))
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


def _repeat(args: argparse.Namespace) -> dict[str, Any]:
    from orvix.pictures import read_picture
    from orvix.pictures.writing import straight_8bit, write_png
    from orvix.proofs.sheets import sheet
    from orvix.tiles.repeats import Repeat

    _check_out(args.out)
    repeat = Repeat.parse(args.repeat, args.stagger)
    pixels = sheet(read_picture(_read(args.tile), args.tile), repeat, args.columns, args.rows)
    write_png(args.out, straight_8bit(pixels))
    return {"size": [pixels.shape[1], pixels.shape[0]]}


def _unroll(args: argparse.Namespace) -> dict[str, Any]:
    from orvix.pictures import read_picture
    from orvix.pictures.writing import straight_8bit, write_png
    from orvix.tiles.joining import unroll
    from orvix.tiles.repeats import Repeat

    _check_out(args.out)
    pixels = unroll(read_picture(_read(args.tile), args.tile), Repeat.parse(args.repeat, args.stagger))
    write_png(args.out, straight_8bit(pixels))
    return {"size": [pixels.shape[1], pixels.shape[0]]}


def _repeat_report(answer: dict[str, Any]) -> str:
    return f"{answer['size'][0]} x {answer['size'][1]} px"


def _bench(args: argparse.Namespace) -> dict[str, Any]:
    from orvix.benching import run

    return run(args.only, time.perf_counter)


def _bench_report(answer: dict[str, Any]) -> str:
    return "\n".join(f"{name:<28} {value}" for name, value in answer.items())


class _Parser(argparse.ArgumentParser):
    """Bad usage in one line on standard error, status 2."""

    def error(self, message: str) -> Any:
        print(f"{self.prog}: {message}; see {self.prog} --help", file=sys.stderr)
        raise SystemExit(2)


def _repeat_options(parser: argparse.ArgumentParser, prefix: str = "", default: str | None = "straight") -> None:
    parser.add_argument(f"--{prefix}repeat", default=default, metavar="R", help="straight, brick or half-drop")
    parser.add_argument(f"--{prefix}stagger", metavar="F", help="share of the tile, 0 to 1; one half when left out")


def _parser() -> argparse.ArgumentParser:
    parser = _Parser(
        prog="orvix", description="Seamless tiles, grains, brushes and painted repeats.", epilog=EXAMPLES,
        formatter_class=argparse.RawDescriptionHelpFormatter,
    )  # fmt: skip
    commands = parser.add_subparsers(dest="command", required=True, metavar="command")

    def add(name: str, run: Any, report: Any, text: str) -> argparse.ArgumentParser:
        one = commands.add_parser(name, help=text, description=text)
        one.add_argument("--json", action="store_true", help="print one JSON object and nothing else")
        one.set_defaults(run=run, report=report)
        return one

    add("sources", _sources, _entries_report, "List the sources of tiles with every value, limit and default.")
    add("steps", _steps, _entries_report, "List the steps of recipes with every value, limit and default.")
    add("tips", _tips, _entries_report, "List the tips of brushes with every value, limit and default.")

    one = add("tile", _tile, _tile_report, "Make a tile from a recipe.")
    one.add_argument("recipe", metavar="RECIPE.json", help="see docs/formats/recipe.md")
    one.add_argument("--out", required=True, metavar="T.png", help="where the 8-bit PNG goes")
    one.add_argument("--size", metavar="WxH", help="another size of the same proportions: more or less detail")

    one = add("mend", _mend, _mend_report, "Make a photo close: even its light, then mend its borders.")
    one.add_argument("photo", metavar="PHOTO", help="a PNG, JPEG, WebP or TIFF")
    one.add_argument("--out", required=True, metavar="T.png", help="where the 8-bit PNG goes")
    one.add_argument("--size", metavar="WxH", help="the tile's size in px; the photo's own when left out")
    _repeat_options(one)
    one.add_argument("--method", default="automatic", metavar="M", help="automatic, or one that `orvix steps` lists")

    one = add(
        "readings",
        _readings,
        _readings_report,
        "Measure a picture or a recipe: seam, holes, rows, hot spots, weight, tone, light, texture.",
    )
    one.add_argument("picture", metavar="PICTURE|RECIPE.json", help="a PNG, JPEG, WebP or TIFF, or a recipe")
    _repeat_options(one, default=None)

    one = add("fit", _fit, _fit_report, "Say whether a grain closes on a canvas, and what would make it close.")
    one.add_argument("--tile", required=True, metavar="WxH", help="the grain's tile in px")
    one.add_argument("--scale", required=True, metavar="S", help="a decimal or a fraction such as 5/17")
    one.add_argument("--canvas", required=True, metavar="WxH", help="the canvas in px")
    _repeat_options(one)
    _repeat_options(one, "canvas-")
    one.add_argument("--tile-ppi", metavar="N", help="the tile's px an inch; the scale is then of real sizes")
    one.add_argument("--canvas-ppi", metavar="N", help="the canvas's px an inch")

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
    one.add_argument("--neighbours", default="plain", help="how joined neighbours are turned over")
    _repeat_options(one)
    one.add_argument("--background", default="#ffffff", metavar="#rrggbb|none", help="the ground, or none")
    one.add_argument("--colour", default="#1c1e21", metavar="#rrggbb", help="for strokes that name none")
    one.add_argument("--threads", type=int, default=2, choices=range(1, 65), metavar="N", help="changes no pixel")

    one = add("repeat", _repeat, _repeat_report, "Lay a tile out as a sheet.")
    one.add_argument("tile", metavar="TILE.png", help="a PNG or JPEG")
    one.add_argument("--columns", type=int, required=True, metavar="N", help="1 to 12")
    one.add_argument("--rows", type=int, required=True, metavar="M", help="1 to 12")
    one.add_argument("--out", required=True, metavar="SHEET.png", help="where the 8-bit PNG goes")
    _repeat_options(one)

    one = add(
        "unroll", _unroll, _repeat_report, "Unroll a staggered tile to the straight one that shows the same cloth."
    )
    one.add_argument("tile", metavar="TILE.png", help="a PNG, JPEG, WebP or TIFF")
    one.add_argument("--out", required=True, metavar="STRAIGHT.png", help="where the 8-bit PNG goes")
    _repeat_options(one)

    one = add("bench", _bench, _bench_report, "Time the core's hot paths on this machine.")
    one.add_argument("--only", metavar="NAME", help="one measurement by name")
    return parser


if __name__ == "__main__":
    sys.exit(main())
