"""Commands on tiles: made from a recipe, mended from a photo, read, fitted, laid out, unrolled."""

from __future__ import annotations

import argparse
import sys
import time
from collections.abc import Callable
from concurrent.futures import ThreadPoolExecutor
from dataclasses import replace
from typing import Any

from orvix.cli.files import (
    Add,
    beside,
    check_out,
    number_of,
    read_file,
    read_json,
    read_pixels,
    repeat_options,
    size_of,
)
from orvix.errors import BadValue


def _load_recipe(args: argparse.Namespace, path: str, size: str | None) -> tuple[Any, Callable[[str], Any]]:
    from orvix.tiles.motifs.svg import read_svg
    from orvix.tiles.recipe import Recipe
    from orvix.tiles.sources.registry import Outside

    recipe = Recipe.parse(read_json(path))
    if size:
        width, height = size_of("size", size)
        if width * recipe.height != height * recipe.width:
            raise BadValue("size", size, f"must have the recipe's proportions, {recipe.width}x{recipe.height}")
        recipe = recipe.at_size(width, height)
    read_file = beside(path)
    outside = Outside(read_svg=lambda name: read_svg(read_file(name), name))
    return recipe, lambda watch: recipe.run(
        lambda name: read_pixels(args, name, read_file(name)), watch, outside=outside
    )


def _tile(args: argparse.Namespace) -> dict[str, Any]:
    from orvix.pictures.writing import straight_8bit, write_png

    check_out(args.out)
    recipe, run = _load_recipe(args, args.recipe, args.size)
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
    from orvix.pictures.writing import png_bytes, straight_8bit, write_whole
    from orvix.readings.report import read_state
    from orvix.tiles.photos import MendOrder, mend_photo

    check_out(args.out)
    photo = read_pixels(args, args.photo)
    size = size_of("size", args.size) if args.size else None
    # What is read, mended and packed for the file does not wait for each other.
    with ThreadPoolExecutor(2) as beside:
        order = MendOrder(size, args.repeat, args.stagger, args.method)
        mended = mend_photo(photo, order, _watch(), lambda state: beside.submit(read_state, state))
        packed = beside.submit(lambda: png_bytes(straight_8bit(mended.after.pixels), level=3))
        after = read_state(mended.after)
        write_whole(args.out, packed.result())
        before = mended.read.result()
    return {
        "method": args.method, "size": [mended.after.width, mended.after.height], "kept": mended.kept,
        "left_out_px": mended.left_out_px, "before": before, "after": after, "warnings": list(mended.after.notes),
    }  # fmt: skip


def _mend_report(answer: dict[str, Any]) -> str:
    lines = [f"{answer['size'][0]} x {answer['size'][1]} px, {answer['method']}"]
    for when in ("before", "after"):
        told = answer[when]
        seam, light = told["seam"], told["light"]
        lines.append(f"{when:<7} seam {seam['value']:.2f} ({seam['verdict']}), light {light['value']:.1f} dE")
    return "\n".join([*lines, *(f"warning: {words}" for words in answer["warnings"])])


def _tile_report(answer: dict[str, Any]) -> str:
    closes = "always seamless" if answer["closes_by_construction"] else "not proven seamless: see orvix readings"
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
    from orvix.readings.report import read_state, readings
    from orvix.tiles.repeats import Repeat

    asked = args.repeat is not None or args.stagger is not None
    repeat = Repeat.parse(args.repeat or "straight", args.stagger)
    if args.picture.lower().endswith(".json"):
        _, run = _load_recipe(args, args.picture, None)
        state = run(_watch())
        if asked and repeat != state.repeat:
            state = replace(state, repeat=repeat, proven=False)
        return read_state(state)
    return readings(read_pixels(args, args.picture), repeat)


def _readings_report(answer: dict[str, Any]) -> str:
    seam, tone = answer["seam"], answer["tone"]
    proof = ", always seamless" if seam["by_construction"] else ""
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
    from orvix.grains.fit import TURN, FitQuestion, fit
    from orvix.tiles.repeats import Repeat, parse_fraction

    ppi = [parse_fraction(name, given or 1, 1, 100_000) for name, given in
           (("tile-ppi", args.tile_ppi), ("canvas-ppi", args.canvas_ppi))]  # fmt: skip
    if bool(args.tile_ppi) != bool(args.canvas_ppi):
        raise BadValue("ppi", args.tile_ppi or args.canvas_ppi, "give both --tile-ppi and --canvas-ppi, or neither")
    return fit(
        FitQuestion(
            tile=_side("tile", args.tile),
            canvas=_side("canvas", args.canvas),
            scale=parse_fraction("scale", args.scale, 0.001, 1000),
            repeat=Repeat.parse(args.repeat, args.stagger),
            canvas_repeat=Repeat.parse(args.canvas_repeat, args.canvas_stagger),
            ratio=ppi[1] / ppi[0],
            turn_deg=TURN.check(number_of("turn", args.turn)),
            stretch=float(parse_fraction("stretch", args.stretch, 1 / 64, 64)),
        )
    )


def _side(name: str, text: str) -> tuple[int, int]:
    from orvix.geometry import MOST_SIDE

    size = size_of(name, text)
    if max(size) > MOST_SIDE:
        raise BadValue(name, text, f"must be at most {MOST_SIDE} px a side")
    return size


def _fit_report(answer: dict[str, Any]) -> str:
    if answer["closes"]:
        first = "the grain fits this canvas"
    else:
        first = f"the grain does not fit: off by {answer['off_px']:.2f} px at the far edge"
    canvases = ", ".join(f"{w}x{h}" for w, h in answer["canvases"]) or "none within reach"
    scales = ", ".join(f"{scale['fraction']} ({scale['decimal']:.6g})" for scale in answer["scales"]) or "none"
    turns = "; ".join(
        f"{one['turn_deg']:.6g} degrees at scale {one['scale']:.6g}"
        + (f", stretched {one['stretch']:.6g}" if one["stretch"] != 1 else "")
        for one in answer["turns"]
    )
    lines = [first, f"canvases that fit, nearest first: {canvases}", f"scales that fit, nearest first: {scales}"]
    return "\n".join([*lines, f"rotations and stretches that fit, nearest first: {turns or 'none'}"])


def _repeat(args: argparse.Namespace) -> dict[str, Any]:
    from orvix.pictures.writing import straight_8bit, write_png
    from orvix.proofs.sheets import sheet
    from orvix.tiles.repeats import Repeat

    check_out(args.out)
    repeat = Repeat.parse(args.repeat, args.stagger)
    pixels = sheet(read_pixels(args, args.tile), repeat, args.columns, args.rows)
    write_png(args.out, straight_8bit(pixels))
    return {"size": [pixels.shape[1], pixels.shape[0]]}


def _unroll(args: argparse.Namespace) -> dict[str, Any]:
    from orvix.formats.pictures_out import deep_png
    from orvix.pictures.reading import bits_a_channel, read_ppi
    from orvix.pictures.writing import png_bytes, straight_8bit, write_whole
    from orvix.tiles.joining import unroll
    from orvix.tiles.repeats import Repeat

    check_out(args.out)
    data = read_file(args.tile)
    pixels = unroll(read_pixels(args, args.tile, data), Repeat.parse(args.repeat, args.stagger))
    deep, ppi = bits_a_channel(data) > 8, read_ppi(data)
    write_whole(args.out, deep_png(pixels, ppi) if deep else png_bytes(straight_8bit(pixels), ppi))
    return {"size": [pixels.shape[1], pixels.shape[0]]}


def _repeat_report(answer: dict[str, Any]) -> str:
    return f"{answer['size'][0]} x {answer['size'][1]} px"


def add_to(add: Add) -> None:
    """Add these commands to the parser."""
    one = add("tile", _tile, _tile_report, "Make a tile from a recipe.")
    one.add_argument("recipe", metavar="RECIPE.json", help="see docs/formats/recipe.md")
    one.add_argument("--out", required=True, metavar="T.png", help="where the 8-bit PNG goes")
    one.add_argument("--size", metavar="WxH", help="another size of the same proportions: more or less detail")

    one = add("mend", _mend, _mend_report, "Make a photo seamless: even its light, then mend its borders.")
    one.add_argument("photo", metavar="PHOTO", help="a PNG, JPEG, WebP or TIFF")
    one.add_argument("--out", required=True, metavar="T.png", help="where the 8-bit PNG goes")
    one.add_argument("--size", metavar="WxH", help="the tile's size in px; the photo's own when left out")
    repeat_options(one)
    one.add_argument("--method", default="automatic", metavar="M", help="automatic, or one that `orvix steps` lists")

    one = add(
        "readings",
        _readings,
        _readings_report,
        "Measure a picture or a recipe: seam, holes, rows, hot spots, weight, tone, light, texture.",
    )
    one.add_argument("picture", metavar="PICTURE|RECIPE.json", help="a PNG, JPEG, WebP or TIFF, or a recipe")
    repeat_options(one, default=None)

    one = add("fit", _fit, _fit_report, "Say whether a grain fits a canvas, and what would make it fit.")
    one.add_argument("--tile", required=True, metavar="WxH", help="the grain's tile in px")
    one.add_argument("--scale", required=True, metavar="S", help="a decimal or a fraction such as 5/17")
    one.add_argument("--canvas", required=True, metavar="WxH", help="the canvas in px")
    repeat_options(one)
    repeat_options(one, "canvas-")
    one.add_argument("--turn", default="0", metavar="DEG", help="rotation of the grain, clockwise")
    one.add_argument("--stretch", default="1", metavar="K", help="width over height, before the rotation")
    one.add_argument("--tile-ppi", metavar="N", help="the tile's px an inch; the scale is then of real sizes")
    one.add_argument("--canvas-ppi", metavar="N", help="the canvas's px an inch")

    one = add("repeat", _repeat, _repeat_report, "Lay a tile out as a sheet.")
    one.add_argument("tile", metavar="TILE.png", help="a PNG or JPEG")
    one.add_argument("--columns", type=int, required=True, metavar="N", help="1 to 12")
    one.add_argument("--rows", type=int, required=True, metavar="M", help="1 to 12")
    one.add_argument("--out", required=True, metavar="SHEET.png", help="where the 8-bit PNG goes")
    repeat_options(one)

    one = add(
        "unroll", _unroll, _repeat_report, "Unroll a staggered tile to the straight one that shows the same cloth."
    )
    one.add_argument("tile", metavar="TILE.png", help="a PNG, JPEG, WebP or TIFF")
    one.add_argument("--out", required=True, metavar="STRAIGHT.png", help="where the 8-bit PNG goes")
    repeat_options(one)
