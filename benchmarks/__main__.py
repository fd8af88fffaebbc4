"""`./bench`: prints what was measured, and writes it as JSON beside it."""

from __future__ import annotations

import argparse
import json
import platform
import time
from collections.abc import Callable
from pathlib import Path

from benchmarks.comparing import CALIBRATIONS, busy, changes
from orvix.benching import PARTS as CORE_PARTS
from orvix.benching import calibration_ms, run

ROOT = Path(__file__).resolve().parent.parent
Part = Callable[[], dict[str, object]]


def dabs() -> dict[str, object]:
    from benchmarks.dabs import measure

    return measure()


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


def core(name: str) -> Part:
    """One measurement of the core, as `orvix bench` does it."""
    return lambda: run(name, time.perf_counter)


PARTS: dict[str, Part] = {
    "dabs": dabs,
    **{f"core-{name}": core(name) for name in CORE_PARTS},
    "tiles": tiles,
    "browser": browser,
    "starters": starters,
    "layers": layers,
}


def show(told: object, depth: int = 0) -> None:
    assert isinstance(told, dict)
    for name, value in told.items():
        if isinstance(value, dict):
            print("  " * depth + name)
            show(value, depth + 1)
        else:
            print("  " * depth + f"{name:<64} {value}")


def compare(then: Path, now: dict[str, object]) -> None:
    """Print each figure then and now, and how many times as long it takes on a machine of the same speed."""
    print(f"\nagainst {then}: then, now, and times as long where the machine is as fast")
    for one in changes(json.loads(then.read_text()), now):
        times = "" if one.ratio is None else f"{one.ratio:8.2f}{'  slower' if one.worse else ''}"
        print(f"{one.name:<80} {one.then:>12g} {one.now:>12g} {times}")


def main() -> None:
    asked = argparse.ArgumentParser(prog="./bench", description=__doc__)
    asked.add_argument("--only", choices=PARTS, nargs="+", metavar="PART", help=f"some parts: {', '.join(PARTS)}")
    asked.add_argument("--json", default=str(ROOT / "var" / "bench.json"), help="where the JSON goes")
    asked.add_argument("--against", type=Path, metavar="FILE", help="the JSON of an earlier run, to compare with")
    args = asked.parse_args()
    if args.against and not args.against.is_file():
        asked.error(f"--against {args.against}: there is no such file")
    calibrations = [calibration_ms(time.perf_counter)]
    told: dict[str, object] = {"machine": {"processor": platform.processor() or platform.machine()}}
    for name, part in PARTS.items():
        if args.only is None or name in args.only:
            start = time.perf_counter()
            told[name] = {**part(), "took, s": round(time.perf_counter() - start, 1)}
            calibrations.append(calibration_ms(time.perf_counter))
            show({name: told[name]})
    told[CALIBRATIONS] = [round(one, 2) for one in calibrations]
    if args.against:
        compare(args.against, told)
    Path(args.json).parent.mkdir(exist_ok=True)
    Path(args.json).write_text(json.dumps(told, indent=1) + "\n")
    print(f"written to {args.json}; calibrations {min(calibrations):.1f} to {max(calibrations):.1f} ms")
    if said := busy(calibrations):
        print(said)


if __name__ == "__main__":
    main()
