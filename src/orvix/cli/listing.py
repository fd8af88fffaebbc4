"""Commands that say what the registries hold."""

from __future__ import annotations

import argparse
from typing import Any

from orvix.cli.files import Add


def _sources(args: argparse.Namespace) -> dict[str, Any]:
    from orvix.tiles.sources import SOURCES

    return {"sources": [source.describe() for source in SOURCES]}


def _steps(args: argparse.Namespace) -> dict[str, Any]:
    from orvix.tiles.steps import STEPS

    return {"steps": [step.describe() for step in STEPS]}


def _tips(args: argparse.Namespace) -> dict[str, Any]:
    from orvix.brushes.tips import TIPS

    return {"tips": [tip.describe() for tip in TIPS]}


def _surfaces(args: argparse.Namespace) -> dict[str, Any]:
    from orvix.proofs.surfaces import SURFACES

    return {"surfaces": [surface.describe() for surface in SURFACES]}


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


def add_to(add: Add) -> None:
    """Add these commands to the parser."""
    add("sources", _sources, _entries_report, "List the sources of tiles with every value, limit and default.")

    add("steps", _steps, _entries_report, "List the steps of recipes with every value, limit and default.")

    add("tips", _tips, _entries_report, "List the tips of brushes with every value, limit and default.")

    add(
        "surfaces",
        _surfaces,
        _entries_report,
        "List the surfaces of proofs with every value, limit and default.",
    )
