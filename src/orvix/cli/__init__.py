"""The command line, `orvix`: the core without web application, database or server. The only reader of the clock."""

from __future__ import annotations

import argparse
import json
import sys
import time
from typing import Any

from orvix.cli import listing, painting, proofing, tiles
from orvix.errors import OrvixError

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
  orvix proof cloud.png --surface tote --ppi 150 --out tote.png

Exit status: 0 done; 1 a file cannot be read or written; 2 a bad value or bad usage.
"""


def main(argv: list[str] | None = None) -> int:
    """Run one command; returns the exit status."""
    parser = _parser()
    args = parser.parse_args(argv)
    args.notes = []
    try:
        answer = args.run(args)
    except OrvixError as error:
        print(f"orvix {args.command}: {error}", file=sys.stderr)
        return error.exit_status
    except BrokenPipeError:
        return 1
    if args.json:
        print(json.dumps(answer | {"notes": args.notes} if args.notes else answer))
    else:
        print("\n".join([args.report(answer), *(f"note: {words}" for words in args.notes)]))
    return 0


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

    for group in (listing, tiles, painting, proofing):
        group.add_to(add)
    one = add("bench", _bench, _bench_report, "Time the core's hot paths on this machine.")
    one.add_argument("--only", metavar="NAME", help="one measurement by name")
    return parser
