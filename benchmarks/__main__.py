"""`./bench`: prints what was measured, and writes it as JSON beside it."""

from __future__ import annotations

import argparse
import json
import platform
import time
from pathlib import Path

from orvix.benching import calibration_ms, run

ROOT = Path(__file__).resolve().parent.parent


def dabs() -> dict[str, object]:
    from benchmarks.dabs import measure

    return measure()


def core() -> dict[str, object]:
    return run(None, time.perf_counter)


def browser() -> dict[str, object]:
    from benchmarks.browser import measure

    return measure()


def starters() -> dict[str, object]:
    from benchmarks.browser import measure_starters

    return measure_starters()


def layers() -> dict[str, object]:
    from benchmarks.browser import measure_layers

    return measure_layers()


def tiles() -> dict[str, object]:
    from benchmarks.tiles import measure

    return measure()


PARTS = {"dabs": dabs, "core": core, "tiles": tiles, "browser": browser, "starters": starters, "layers": layers}


def show(told: object, depth: int = 0) -> None:
    assert isinstance(told, dict)
    for name, value in told.items():
        if isinstance(value, dict):
            print("  " * depth + name)
            show(value, depth + 1)
        else:
            print("  " * depth + f"{name:<64} {value}")


def main() -> None:
    asked = argparse.ArgumentParser(prog="./bench", description=__doc__)
    asked.add_argument("--only", choices=PARTS, help="one part")
    asked.add_argument("--json", default=str(ROOT / "var" / "bench.json"), help="where the JSON goes")
    args = asked.parse_args()
    told: dict[str, object] = {"machine": {"processor": platform.processor() or platform.machine()}}
    for name, part in PARTS.items():
        if args.only in (None, name):
            before = calibration_ms(time.perf_counter)
            told[name] = {"calibration (sorting a million numbers), ms": round(before, 1), **part()}
            show({name: told[name]})
    Path(args.json).parent.mkdir(exist_ok=True)
    Path(args.json).write_text(json.dumps(told, indent=1) + "\n")
    print(f"written to {args.json}")


if __name__ == "__main__":
    main()
