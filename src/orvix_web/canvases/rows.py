"""Turns the rows of a canvas into objects of the core, and back."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass, replace
from fractions import Fraction
from typing import Any

import numpy as np
import zstandard
from numpy.typing import NDArray

from orvix.canvases.blocks import EMPTY, Block
from orvix.canvases.canvas import Canvas as CoreCanvas
from orvix.canvases.canvas import CanvasSpec
from orvix.canvases.layers import FIRST_LAYER, At, Change, Stack, parse_stack
from orvix.canvases.outlines import TIMES
from orvix.canvases.strokes import SECOND, Stroke
from orvix.geometry import BLOCK
from orvix.strokes.loaded import LoadedBrush
from orvix.strokes.rules import RowBeside
from orvix.strokes.symmetry import Symmetry
from orvix.tiles.joining import Joining
from orvix.tiles.repeats import Repeat, parse_fraction
from orvix_web.brushes.loading import load_version
from orvix_web.canvases.filling import OwnedTiles
from orvix_web.canvases.models import Canvas, KeptBlock, KeptState, Operation


@dataclass(frozen=True)
class Done:
    """One operation of the log, without its samples: its number, kind, data and brush version."""

    number: int
    kind: str
    data: dict[str, Any]
    brush_version_id: int | None = None


def spec_of(row: Canvas) -> CanvasSpec:
    """Return the core's description of a canvas row."""
    joined = Joining(Repeat(row.repeat, Fraction(row.stagger)), row.neighbours) if row.joined else None
    return CanvasSpec(row.width, row.height, row.ppi, joined, row.ground or None)


def spec_json(spec: CanvasSpec) -> dict[str, Any]:
    """Return the part of a spec that operations change, as the database stores it."""
    return {"width": spec.width, "height": spec.height, "ppi": spec.ppi, "ground": spec.ground or ""}


def with_spec(spec: CanvasSpec, told: dict[str, Any] | None) -> CanvasSpec:
    """Return a spec with the values that `spec_json` stored; with None, return it unchanged."""
    return spec if told is None else replace(spec, **told | {"ground": told["ground"] or None})


def first_spec(row: Canvas) -> CanvasSpec:
    """Return the spec that a canvas had before its first operation."""
    changed_it = Operation.objects.filter(canvas=row, spec_before__isnull=False)
    return with_spec(spec_of(row), changed_it.order_by("number").values_list("spec_before", flat=True).first())


def blank(row: Canvas, spec: CanvasSpec | None = None) -> CoreCanvas:
    """Return an empty canvas for a row. spec: replaces the spec that the row has now."""
    canvas = CoreCanvas(spec or spec_of(row))
    canvas.fills.tile_of = OwnedTiles(row.owner_id)
    return canvas


def load_stroke(row: Canvas, number: int) -> Stroke:
    """Load one stroke of the log, ready to be painted again."""
    operation = Operation.objects.get(canvas=row, number=number)
    loaded = load_version(row.owner_id, operation.brush_version_id or 0)
    return as_stroke(loaded, operation.data, unpack_samples(operation.samples))


def as_stroke(loaded: LoadedBrush, data: dict[str, Any], samples: NDArray[np.float64]) -> Stroke:
    """Build a stroke from a saved brush and the data of an operation; raises BadValue for values out of range."""
    values = data.get("values") or {}
    brush = loaded.with_brush(loaded.brush.in_hand(**values)) if values else loaded
    row = RowBeside(*data["row"]) if "row" in data else None
    times = parse_fraction("times", data.get("times", "1"), *TIMES)
    return Stroke(
        brush,
        samples,
        data["colour"],
        data["mode"],
        data["seed"],
        layer=data.get("layer", FIRST_LAYER),
        steady=data.get("steady", 0.0),
        trail_px=data.get("trail", 0.0),
        second_colour=data.get("second_colour", SECOND),
        row=row,
        letters_gone=data.get("letters_gone", 0),
        times=times,
        symmetry=Symmetry.parse(data["symmetry"]) if data.get("symmetry") else None,
    )


def stack_json(stack: Stack) -> list[dict[str, Any]]:
    """Return a stack as the database stores it."""
    return [layer.as_dict() for layer in stack]


def load_kept(row: Canvas, number: Any) -> CoreCanvas | None:
    """Load a saved state as a canvas; None where the canvas has no state of that number."""
    whole = isinstance(number, int) and not isinstance(number, bool)
    state = KeptState.objects.filter(canvas=row, number=number).first() if whole else None
    if state is None:
        return None
    canvas = blank(row, with_spec(spec_of(row), state.spec))
    canvas.restack(parse_stack(state.layers))
    for one in KeptBlock.objects.filter(state=state).iterator(chunk_size=64):
        canvas.put((one.layer, (one.row, one.column)), unpack(one.pixels))
    return canvas


def deltas(now: Change, befores: dict[int, Change]) -> Iterator[tuple[int, At, bytes]]:
    """Yield the blocks before each operation, each as its exclusive-or with the block after it, compressed.

    now: what stands now, at least wherever `befores` says something. A difference is empty but for what the
    operation changed, so it takes a small part of the block's own room.
    """
    after = dict(now.blocks)
    for number in sorted(befores, reverse=True):
        for at, before in befores[number].blocks.items():
            yield number, at, pack(differs(before, after[at]))
            after[at] = before


def differs(a: Block | None, b: Block | None) -> Block:
    return (EMPTY if a is None else a) ^ (EMPTY if b is None else b)


def pack(block: Block | None) -> bytes:
    """Compress a block; None gives no octets."""
    return b"" if block is None else zstandard.ZstdCompressor(level=1).compress(block.astype("<u2").tobytes())


def unpack(data: bytes | memoryview) -> Block:
    """Decompress a block."""
    raw = zstandard.ZstdDecompressor().decompress(bytes(data), max_output_size=BLOCK * BLOCK * 8)
    return np.frombuffer(raw, "<u2").astype(np.uint16, copy=False).reshape(BLOCK, BLOCK, 4)


def pack_samples(samples: NDArray[np.float64]) -> bytes:
    """Compress samples. The hand's samples are float32 from the start, so this loses nothing."""
    return zstandard.ZstdCompressor(level=3).compress(samples.astype("<f4").tobytes())


def unpack_samples(data: bytes | memoryview) -> NDArray[np.float64]:
    """Decompress samples: float64 (n, 7)."""
    raw = zstandard.ZstdDecompressor().decompress(bytes(data))
    return np.frombuffer(raw, "<f4").astype(np.float64).reshape(-1, 7)
