"""The operation log and the stored blocks of one canvas: the only module that writes them.

Law (see models): stored blocks = what the done operations up to `stored_through` leave. `load` therefore reads the
blocks and replays the done operations after them, so whatever was committed before a server was killed is there.
"""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass, field, replace
from fractions import Fraction
from functools import partial
from typing import Any

import numpy as np
import zstandard
from django.db import transaction
from django.db.models import F
from django.utils import timezone
from numpy.typing import NDArray

from orvix import ENGINE_VERSION
from orvix.canvases.blocks import EMPTY, Block
from orvix.canvases.canvas import Canvas as CoreCanvas
from orvix.canvases.canvas import CanvasSpec
from orvix.canvases.layers import FIRST_LAYER, SELECTION, At, Change, Stack, block_numbers, parse_stack
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
from orvix_web.canvases.models import Canvas, Clip, KeptBlock, KeptPicture, KeptState, Operation, StoredBlock, UndoBlock
from orvix_web.live.notices import changed
from orvix_web.tiles.rendering import unpack_pixels
from orvix_web.tiles.thumbnails import thumbnail

SHOWN_BITS = 11
"""The picture that is kept for quick opening has at most 2^11 px a side."""
KEPT_UNDO = 500
"""How many of the newest operations keep the blocks before them in the database."""

State = Operation.State


@dataclass(frozen=True)
class Record:
    """An operation on its way into the log. data: what it was told; for a stroke mode, colour, seed, layer, values.

    layers_before, spec_before: the stack and the spec before it, where it changed those. brush_version_id and samples
    are a stroke's.
    """

    number: int
    kind: str
    data: dict[str, Any]
    layers_before: Stack | None = None
    brush_version_id: int | None = None
    samples: NDArray[np.float64] | None = None
    spec_before: CanvasSpec | None = None
    undo_dropped: bool = False
    """Whether what stood before it is not kept."""


@dataclass(frozen=True)
class Done:
    """One operation of the log, as far as the page wants to know: its number, kind, data and brush version."""

    number: int
    kind: str
    data: dict[str, Any]
    brush_version_id: int | None = None


@dataclass
class Opened:
    """A canvas as it was loaded: its pixels, and its done and undone operations, oldest first."""

    canvas: CoreCanvas
    done: list[Done] = field(default_factory=list)
    undone: list[Done] = field(default_factory=list)
    replayed: dict[int, Change] = field(default_factory=dict)
    next_number: int = 1
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


@transaction.atomic
def load(row: Canvas, *, at_need: bool = False) -> Opened:
    """Read the stored blocks and replay what was done after them.

    The row is read anew and locked meanwhile: every write of the log touches it, so blocks and log agree. at_need: each
    block is read when it is first looked at; only for the one that writes this canvas, whose own writes come after the
    block that they replace was looked at (`Blocks.put` hands it out).
    """
    row = Canvas.objects.select_for_update().get(pk=row.pk)
    opened = Opened(blank(row))
    opened.canvas.restack(parse_stack(row.layers))
    columns = ("layer", "row", "column", "pk" if at_need else "pixels")
    read = _read_block if at_need else unpack
    for layer, at_row, column, what in StoredBlock.objects.filter(canvas=row).values_list(*columns).iterator(256):
        opened.canvas.layer_blocks(layer).put_waiting((at_row, column), partial(read, what))
    opened.shown = _kept_picture(row, opened.canvas)
    grains = GrainLayer(opened.canvas)
    logged = Operation.objects.filter(canvas=row)
    for number, state, *rest in logged.values_list("number", "state", "kind", "data", "brush_version_id"):
        opened.next_number = number + 1
        if state == State.UNDONE:
            opened.undone.append(Done(number, *rest))
        elif state == State.DONE:
            opened.done.append(Done(number, *rest))
            if number > row.stored_through:
                opened.replayed[number] = do_again(row, number, opened.canvas, grains)
    return opened


def _read_block(pk: int) -> Block:
    return unpack(StoredBlock.objects.values_list("pixels", flat=True).get(pk=pk))


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


class Journal:
    """Writes of one open canvas, in order, all on one thread."""

    def __init__(self, canvas_id: int, owner_id: int) -> None:
        self._canvas_id = canvas_id
        self._owner_id = owner_id

    def commit(self, record: Record) -> None:
        """Add an operation to the log. What was undone before it leaves the history, though not the table."""
        with transaction.atomic():
            log = Operation.objects.filter(canvas_id=self._canvas_id)
            log.filter(state=State.UNDONE).update(state=State.DROPPED, dropped_by=record.number)
            Operation.objects.create(
                canvas_id=self._canvas_id,
                number=record.number,
                engine_version=ENGINE_VERSION,
                kind=record.kind,
                data=record.data,
                samples=b"" if record.samples is None else pack_samples(record.samples),
                layers_before=None if record.layers_before is None else stack_json(record.layers_before),
                spec_before=None if record.spec_before is None else spec_json(record.spec_before),
                brush_version_id=record.brush_version_id,
                undo_dropped=record.undo_dropped,
            )
            self._touch()

    def undo(self, number: int, restored: Change) -> None:
        """Mark an operation undone; where the stored blocks hold it already, put back those before it."""
        with transaction.atomic():
            row = Canvas.objects.select_for_update().get(pk=self._canvas_id)
            Operation.objects.filter(canvas=row, number=number).update(state=State.UNDONE)
            if number <= row.stored_through:
                self._write_blocks(restored.blocks)
                layers = row.layers if restored.stack is None else stack_json(restored.stack)
                spec = {} if restored.spec is None else spec_json(restored.spec)
                Canvas.objects.filter(pk=row.pk).update(stored_through=number - 1, layers=layers, **spec)
            self._touch()

    def redo(self, number: int) -> None:
        """Mark an undone operation done again; its pixels are stored with the next blocks."""
        with transaction.atomic():
            Operation.objects.filter(canvas_id=self._canvas_id, number=number).update(state=State.DONE)
            self._touch()

    def flush(self) -> None:
        """Every call has written what it was told when it returns."""

    def store(self, now: Change, through: int, befores: dict[int, Change]) -> None:
        """Store the blocks and the stack as they are after operation `through`, and what stood before those since."""
        with transaction.atomic():
            self._write_blocks(now.blocks)
            rows = dict(
                Operation.objects.filter(canvas_id=self._canvas_id, number__in=befores).values_list("number", "pk")
            )
            UndoBlock.objects.filter(operation_id__in=rows.values()).delete()
            UndoBlock.objects.bulk_create(
                (
                    UndoBlock(operation_id=rows[number], layer=layer, row=key[0], column=key[1], pixels=delta)
                    for number, (layer, key), delta in deltas(now, befores)
                    if number in rows
                ),
                batch_size=64,
            )
            old = Operation.objects.filter(canvas_id=self._canvas_id, number__lte=through - KEPT_UNDO)
            UndoBlock.objects.filter(operation__in=old).delete()
            old.filter(undo_dropped=False).update(layers_before=None, undo_dropped=True)
            layers = {} if now.stack is None else {"layers": stack_json(now.stack)}
            spec = {} if now.spec is None else spec_json(now.spec)
            Canvas.objects.filter(pk=self._canvas_id).update(stored_through=through, **layers, **spec)

    def before(self, number: int, canvas: CoreCanvas) -> Change | None:
        """What stood before the newest operation of `canvas`, or None where it is kept no longer."""
        operation = Operation.objects.get(canvas_id=self._canvas_id, number=number)
        if operation.undo_dropped:
            return None
        change = Change()
        if operation.layers_before is not None:
            change.stack = parse_stack(operation.layers_before)
        if operation.spec_before is not None:
            change.spec = with_spec(canvas.spec, operation.spec_before)
        for one in UndoBlock.objects.filter(operation=operation):
            at = (one.layer, (one.row, one.column))
            before = _differs(unpack(one.pixels), canvas.layer_blocks(one.layer).get(at[1]))
            change.blocks[at] = before if before.any() else None
        return change or None

    def keep(
        self,
        canvas: CoreCanvas,
        png: bytes,
        made_of: list[int] | None = None,
        proposed: dict[str, Any] | None = None,
    ) -> KeptState:
        """Keep a state of the canvas under the next number, to be looked at and taken up again.

        made_of: the operations that were done then, where that is known. proposed: as `KeptState` has it.
        """
        with transaction.atomic():
            Canvas.objects.select_for_update().get(pk=self._canvas_id)
            last = KeptState.objects.filter(canvas_id=self._canvas_id).last()
            number = last.number + 1 if last else 1
            state = KeptState.objects.create(
                canvas_id=self._canvas_id,
                number=number,
                layers=stack_json(canvas.stack),
                spec=spec_json(canvas.spec),
                thumbnail=png,
                made_of=made_of,
                proposed=proposed,
            )
            KeptBlock.objects.bulk_create(
                (
                    KeptBlock(state=state, layer=layer, row=row, column=column, pixels=pack(blocks.get((row, column))))
                    for layer in (SELECTION, *block_numbers(canvas.stack))
                    for blocks in [canvas.layer_blocks(layer)]
                    for row, column in blocks
                ),
                batch_size=64,
            )
            changed(self._owner_id)
        return state

    def take_over(self, canvas: CoreCanvas) -> None:
        """Store another canvas's pixels and layers as those of this one, which has no history yet."""
        blocks = {
            (layer, key): canvas.layer_blocks(layer).get(key)
            for layer in block_numbers(canvas.stack)
            for key in canvas.layer_blocks(layer)
        }
        with transaction.atomic():
            self.store(Change(blocks, canvas.stack), 0, {})
            self.thumbnail(thumbnail(canvas.small()))

    def picture(self, shown: NDArray[np.uint8], spec: CanvasSpec, through: int, tiles: dict[str, int]) -> None:
        """Keep the whole picture as it is after operation `through`, with these versions of the tiles in its fills."""
        told = {"through": through, "tiles": tiles, **spec_json(spec)}
        pixels = zstandard.ZstdCompressor(level=1).compress(np.ascontiguousarray(shown[..., :3]).tobytes())
        KeptPicture.objects.update_or_create(canvas_id=self._canvas_id, defaults={"pixels": pixels, "of": told})

    def thumbnail(self, png: bytes) -> None:
        """Keep a new small picture of the canvas."""
        Canvas.objects.filter(pk=self._canvas_id).update(thumbnail=png)
        changed(self._owner_id)

    def _touch(self) -> None:
        row = Canvas.objects.filter(pk=self._canvas_id)
        row.update(revision=F("revision") + 1, touched=timezone.now())
        changed(self._owner_id)

    def _write_blocks(self, blocks: dict[At, Block | None]) -> None:
        by_state: dict[bool, list[At]] = {True: [], False: []}
        for at, block in blocks.items():
            by_state[block is None].append(at)
        for layer, (row, column) in by_state[True]:
            StoredBlock.objects.filter(canvas_id=self._canvas_id, layer=layer, row=row, column=column).delete()
        StoredBlock.objects.bulk_create(
            (
                StoredBlock(
                    canvas_id=self._canvas_id, layer=at[0], row=at[1][0], column=at[1][1], pixels=pack(blocks[at])
                )
                for at in by_state[False]
            ),
            update_conflicts=True,
            unique_fields=["canvas", "layer", "row", "column"],
            update_fields=["pixels"],
            batch_size=64,
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
            yield number, at, pack(_differs(before, after[at]))
            after[at] = before


def _differs(a: Block | None, b: Block | None) -> Block:
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
