"""The operation log and the stored blocks of one canvas, read; `journal` writes them.

Law (see models): stored blocks = what the done operations up to `stored_through` leave. `load` therefore reads the
blocks and replays the done operations after them, so whatever was committed before a server was killed is there.
"""

from __future__ import annotations

import logging
from collections.abc import Callable, Iterator
from dataclasses import dataclass, field, replace
from fractions import Fraction
from functools import partial
from typing import Any

import numpy as np
import zstandard
from django.db import DatabaseError, transaction
from numpy.typing import NDArray

from orvix.canvases.blocks import EMPTY, Block
from orvix.canvases.canvas import Canvas as CoreCanvas
from orvix.canvases.canvas import CanvasSpec
from orvix.canvases.layers import FIRST_LAYER, At, Change, Stack, parse_stack
from orvix.canvases.operations import do
from orvix.canvases.outlines import TIMES
from orvix.canvases.strokes import SECOND, GrainLayer, Stroke, paint_stroke
from orvix.errors import BadValue
from orvix.geometry import BLOCK
from orvix.strokes.loaded import LoadedBrush
from orvix.strokes.rules import RowBeside
from orvix.strokes.symmetry import Symmetry
from orvix.tiles.joining import Joining
from orvix.tiles.repeats import Repeat, parse_fraction
from orvix_web.brushes.loading import load_font, load_version
from orvix_web.canvases.filling import OwnedTiles, tiles_filled_with
from orvix_web.canvases.models import Canvas, Clip, KeptBlock, KeptPicture, KeptState, Operation, StoredBlock
from orvix_web.database import with_database
from orvix_web.tiles.rendering import unpack_pixels

logger = logging.getLogger(__name__)

MOST_UNSTORED = 64 * 1024 * 1024
"""Octets of blocks before what is not stored yet, from which on it is stored without waiting for a rest."""
SHOWN_BITS = 11
"""The picture that is kept for quick opening has at most 2^11 px a side."""

State = Operation.State


@dataclass(frozen=True)
class Done:
    """One operation of the log, as far as the page wants to know: its number, kind, data and brush version."""

    number: int
    kind: str
    data: dict[str, Any]
    brush_version_id: int | None = None


@dataclass(frozen=True)
class HeldBack:
    """Operations that are not shown, because the first of them cannot be done again: its number, how many they are, and
    why it cannot."""

    number: int
    steps: int
    reason: str


@dataclass
class Opened:
    """A canvas as it was loaded: its pixels, and its done and undone operations, oldest first."""

    canvas: CoreCanvas
    done: list[Done] = field(default_factory=list)
    undone: list[Done] = field(default_factory=list)
    replayed: dict[int, Change] = field(default_factory=dict)
    next_number: int = 1
    held_back: HeldBack | None = None
    shown: NDArray[np.uint8] | None = None
    """The whole picture at `SHOWN_BITS`, as it was kept with the stored blocks, where it still holds."""


def spec_of(row: Canvas) -> CanvasSpec:
    """The core's description of a canvas row."""
    joined = Joining(Repeat(row.repeat, Fraction(row.stagger)), row.neighbours) if row.joined else None
    return CanvasSpec(row.width, row.height, row.ppi, joined, row.ground or None)


def spec_json(spec: CanvasSpec) -> dict[str, Any]:
    """What the database holds of a spec that operations change."""
    return {"width": spec.width, "height": spec.height, "ppi": spec.ppi, "ground": spec.ground or ""}


def with_spec(spec: CanvasSpec, told: dict[str, Any] | None) -> CanvasSpec:
    """A spec with what the database holds of another; None: as it is."""
    return spec if told is None else replace(spec, **told | {"ground": told["ground"] or None})


def first_spec(row: Canvas) -> CanvasSpec:
    """The spec that a canvas had before anything was done to it."""
    changed_it = Operation.objects.filter(canvas=row, spec_before__isnull=False)
    return with_spec(spec_of(row), changed_it.order_by("number").values_list("spec_before", flat=True).first())


def blank(row: Canvas, spec: CanvasSpec | None = None) -> CoreCanvas:
    """A canvas row as a canvas on which nothing was done yet. spec: another than it has now."""
    canvas = CoreCanvas(spec or spec_of(row))
    canvas.fills.tile_of = OwnedTiles(row.owner_id)
    return canvas


Store = Callable[[Change, int, dict[int, Change]], None]
"""Stores blocks, as `Journal.store` does."""


def load(row: Canvas, *, store: Store | None = None) -> Opened:
    """Read the stored blocks and replay what was done after them.

    store: for the one that writes this canvas, by which it stores what the replay leaves as soon as that weighs
    MOST_UNSTORED; then each block is read when it is first looked at. An operation that cannot be replayed and all
    after it are held back: the canvas is as it was before them, and they count as undone.
    """
    held: HeldBack | None = None
    while True:
        try:
            opened = _load(row, store, held.number if held else None)
        except _CannotReplay as stop:
            logger.exception("canvas %s: operation %s cannot be done again", row.pk, stop.number)
            held = HeldBack(stop.number, 0, str(stop.__cause__)[:200] or type(stop.__cause__).__name__)
            continue
        if held is not None:
            opened.held_back = replace(held, steps=sum(one.number >= held.number for one in opened.undone))
        return opened


class _CannotReplay(Exception):
    def __init__(self, number: int) -> None:
        super().__init__(number)
        self.number = number


@transaction.atomic
def _load(row: Canvas, store: Store | None, until: int | None) -> Opened:
    """As `load`; operations from `until` on are held back.

    The row is read anew and locked meanwhile: every write of the log touches it, so blocks and log agree. Blocks are
    read at need only for the one that writes this canvas, whose own writes come after the block that they replace was
    looked at (`Blocks.put` hands it out).
    """
    row = Canvas.objects.select_for_update().get(pk=row.pk)
    opened = Opened(blank(row))
    opened.canvas.restack(parse_stack(row.layers))
    columns = ("layer", "row", "column", "pk" if store else "pixels")
    read = _read_block if store else unpack
    for layer, at_row, column, what in StoredBlock.objects.filter(canvas=row).values_list(*columns).iterator(256):
        opened.canvas.layer_blocks(layer).put_waiting((at_row, column), partial(read, what))
    opened.shown = _kept_picture(row, opened.canvas)
    grains = GrainLayer(opened.canvas)
    logged = Operation.objects.filter(canvas=row)
    if store is not None and until is not None:
        logged.filter(number__gte=until, state=State.DONE).update(state=State.UNDONE)
    for number, state, *rest in logged.values_list("number", "state", "kind", "data", "brush_version_id"):
        opened.next_number = number + 1
        held = state == State.DONE and until is not None and number >= until
        if state == State.UNDONE or held:
            opened.undone.append(Done(number, *rest))
        elif state == State.DONE:
            opened.done.append(Done(number, *rest))
            if number > row.stored_through:
                _replay(row, number, opened, grains, store)
    return opened


def _replay(row: Canvas, number: int, opened: Opened, grains: GrainLayer, store: Store | None) -> None:
    """Do an operation again. Only the one that writes wants what stood before it, and stores that before it weighs too
    much."""
    try:
        change = do_again(row, number, opened.canvas, grains)
    except (DatabaseError, MemoryError):
        raise
    except Exception as error:  # whatever it is, the canvas must open
        raise _CannotReplay(number) from error
    if store is None:
        return
    opened.replayed[number] = change
    if sum(weight_of(one) for one in opened.replayed.values()) > MOST_UNSTORED:
        places = {at for one in opened.replayed.values() for at in one.blocks}
        blocks = {at: opened.canvas.layer_blocks(at[0]).get(at[1]) for at in places}
        store(Change(blocks, opened.canvas.stack, opened.canvas.spec), number, opened.replayed)
        opened.replayed, opened.shown = {}, None


def weight_of(change: Change | None) -> int:
    """Octets of the blocks that a change keeps."""
    return 0 if change is None else BLOCK * BLOCK * 8 * sum(block is not None for block in change.blocks.values())


def _read_block(pk: int) -> Block:
    return unpack(with_database(lambda: StoredBlock.objects.values_list("pixels", flat=True).get(pk=pk)))


def _kept_picture(row: Canvas, canvas: CoreCanvas) -> NDArray[np.uint8] | None:
    """The picture that was kept with the stored blocks, if nothing of it is another now."""
    kept = KeptPicture.objects.filter(canvas=row).first()
    if kept is None:
        return None
    tiles = canvas.fills.tile_of
    shown = tiles.versions(tiles_filled_with(canvas.stack)) if isinstance(tiles, OwnedTiles) else {}
    if kept.of != {"through": row.stored_through, "tiles": shown, **spec_json(canvas.spec)}:
        return None
    step = 1 << canvas.spec.level_within(SHOWN_BITS)
    rows, columns = -(-canvas.spec.height // step), -(-canvas.spec.width // step)
    raw = zstandard.ZstdDecompressor().decompress(bytes(kept.pixels), max_output_size=rows * columns * 3)
    if len(raw) != rows * columns * 3:
        return None
    out = np.full((rows, columns, 4), 255, np.uint8)
    out[..., :3] = np.frombuffer(raw, np.uint8).reshape(rows, columns, 3)
    return out


def do_again(row: Canvas, number: int, canvas: CoreCanvas, grains: GrainLayer) -> Change:
    """Do one operation of the log once more, on the canvas as it stood before it."""
    operation = Operation.objects.get(canvas=row, number=number)
    if operation.kind == "rework" and "state" not in operation.data:
        from orvix_web.canvases.steps import as_it_was_after

        return do(canvas, "rework", operation.data | {"from": as_it_was_after(row, number)})
    if operation.kind != "stroke":
        return do(canvas, operation.kind, with_state(row, operation.kind, operation.data))
    return paint_stroke(canvas, load_stroke(row, number), grains)[0]


def load_stroke(row: Canvas, number: int) -> Stroke:
    """One stroke of the log, that can be painted again."""
    operation = Operation.objects.get(canvas=row, number=number)
    loaded = load_version(row.owner_id, operation.brush_version_id or 0)
    return as_stroke(loaded, operation.data, unpack_samples(operation.samples))


def with_state(row: Canvas, kind: str, data: dict[str, Any], done: list[int] | None = None) -> dict[str, Any]:
    """What an operation was told, with the state, the tiles, the picture or the brushes that it needs at hand.

    done: the operations that stand, where it is told for the first time: a canvas painted again must still be what it
    was then. Raises BadValue.
    """
    if kind in ("shape", "lettering", "transform"):
        brushes = {} if kind == "lettering" else {"brush_of": lambda version: load_version(row.owner_id, version)}
        return data | brushes | ({} if kind == "shape" else {"font_of": lambda number: load_font(row.owner_id, number)})
    if kind == "paste":
        return data | {"from": load_clip(row.owner_id, data.get("picture"))}
    if "tiles" in data:
        return data | {"tile_of": OwnedTiles(row.owner_id, data["tiles"])}
    if "state" not in data:
        return data
    if done is not None:
        _check_state(row, kind, data, done)
    return data | {"from": load_kept(row, data["state"])}


def _check_state(row: Canvas, kind: str, data: dict[str, Any], done: list[int]) -> None:
    """Raise BadValue where a state was painted for another operation, or of the canvas as it no longer is."""
    state = KeptState.objects.filter(canvas=row, number=data["state"]).first()
    if state is None:
        return
    if kind == "rework":
        asked = {"what": kind, **{name: data[name] for name in data if name != "state"}}
        if not state.proposed or state.proposed["edit"] != asked:
            raise BadValue("state", state.number, "was not painted for this change of strokes")
    if (kind == "rework" or state.repainted.exists()) and state.made_of != done:
        raise BadValue("state", state.number, "the canvas has changed since it was painted again: paint it once more")


def as_stroke(loaded: LoadedBrush, data: dict[str, Any], samples: NDArray[np.float64]) -> Stroke:
    """A stroke from a kept brush and the data of an operation; raises BadValue for values out of range."""
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
    """A stack as the database holds it."""
    return [layer.as_dict() for layer in stack]


def load_clip(owner_id: int, number: Any) -> NDArray[np.uint16] | None:
    """The pixels of a picture that is kept to be put on a canvas, or None where there is none of that number."""
    clip = Clip.objects.filter(owner_id=owner_id, pk=number).first() if type(number) is int else None
    return None if clip is None else unpack_pixels(bytes(clip.pixels), clip.height, clip.width)


def load_kept(row: Canvas, number: Any) -> CoreCanvas | None:
    """A kept state as a canvas, or None where there is none of that number."""
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
    """What stood before each operation, as its difference (exclusive or) from what stood after, compressed.

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
    """A block compressed; nothing for None."""
    return b"" if block is None else zstandard.ZstdCompressor(level=1).compress(block.astype("<u2").tobytes())


def unpack(data: bytes | memoryview) -> Block:
    """A block from its compressed form."""
    raw = zstandard.ZstdDecompressor().decompress(bytes(data), max_output_size=BLOCK * BLOCK * 8)
    return np.frombuffer(raw, "<u2").astype(np.uint16, copy=False).reshape(BLOCK, BLOCK, 4)


def pack_samples(samples: NDArray[np.float64]) -> bytes:
    """Samples compressed; the hand's samples are float32 from the start, so nothing is lost."""
    return zstandard.ZstdCompressor(level=3).compress(samples.astype("<f4").tobytes())


def unpack_samples(data: bytes | memoryview) -> NDArray[np.float64]:
    """Samples from their compressed form: float64 (n, 7)."""
    raw = zstandard.ZstdDecompressor().decompress(bytes(data))
    return np.frombuffer(raw, "<f4").astype(np.float64).reshape(-1, 7)
