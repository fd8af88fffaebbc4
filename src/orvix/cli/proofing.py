"""Commands on proofs: a picture on a surface."""

from __future__ import annotations

import argparse
import time
from typing import Any

from orvix.cli.files import Add, check_out, number_of, read_file, read_pixels, repeat_options

USUAL_PPI = 300.0
"""Of a picture that does not say its own, where the command does not either."""


def _proof(args: argparse.Namespace) -> dict[str, Any]:
    from orvix.pictures.reading import read_ppi
    from orvix.pictures.writing import eight_bit, write_png
    from orvix.proofs.rendering import Look, on_surface
    from orvix.proofs.sampling import Pyramid
    from orvix.proofs.surfaces import SURFACES
    from orvix.tiles.repeats import Repeat, parse_fraction

    check_out(args.out)
    surface = SURFACES.get(args.surface)
    scale = float(parse_fraction("scale", args.scale, 1 / 64, 64))
    look = Look.parse({"scale": scale, "turn": number_of("turn", args.turn)})
    data = read_file(args.picture)
    pixels = read_pixels(args, args.picture, data)
    ppi = number_of("ppi", args.ppi) if args.ppi else read_ppi(data) or USUAL_PPI
    start = time.perf_counter()
    pyramid = Pyramid.of(eight_bit(pixels), Repeat.parse(args.repeat, args.stagger))
    out = on_surface(surface.name, pyramid, ppi, look, args.width)
    seconds = time.perf_counter() - start
    write_png(args.out, out)
    size_mm = [round(side / ppi * 25.4 * scale, 3) for side in (pixels.shape[1], pixels.shape[0])]
    told = {"surface": surface.name, "size": [out.shape[1], out.shape[0]], "repeat_mm": size_mm, "ppi": ppi}
    return told | {"seconds": round(seconds, 4)}


def _proof_report(answer: dict[str, Any]) -> str:
    (width, height), (across, down) = answer["size"], answer["repeat_mm"]
    at = f"repeats every {across:g} x {down:g} mm at {answer['ppi']:g} ppi"
    return f"{answer['surface']}, {width} x {height} px in {answer['seconds']} s; the picture {at}"


def add_to(add: Add) -> None:
    """Add these commands to the parser."""
    one = add("proof", _proof, _proof_report, "Show a picture on a surface, at its true scale.")
    one.add_argument("picture", metavar="PICTURE", help="a PNG, JPEG, WebP or TIFF that repeats")
    one.add_argument("--surface", required=True, metavar="NAME", help="see orvix surfaces")
    one.add_argument("--out", required=True, metavar="P.png", help="where the PNG goes, clear around the surface")
    one.add_argument("--scale", default="1", metavar="S", help="a decimal or a fraction; 1: its true size")
    one.add_argument("--turn", default="0", metavar="DEG", help="how it is turned, clockwise")
    one.add_argument("--ppi", metavar="N", help="its resolution; what the file says, else 300, when left out")
    one.add_argument("--width", type=int, default=1280, metavar="PX", help="how wide the proof is")
    repeat_options(one)
