"""The operation log and the stored blocks of one canvas: the only module that writes them.

Law (see models): stored blocks = what the done operations up to `stored_through` leave. `load` therefore reads the
blocks and replays the done operations after them, so whatever was committed before a server was killed is there.
"""

from __future__ import annotations

from collections.abc import Iterable, Iterator
from dataclasses import dataclass, field, replace
from fractions import Fraction
from typing import Any

import numpy as np
import zstandard
from django.db import transaction
from django.db.models import F
from django.utils import timezone
from numpy.typing import NDArray

from orvix import ENGINE_VERSION
from orvix.canvases.blocks import EMPTY, Block, Blocks
from orvix.canvases.canvas import Canvas as CoreCanvas
from orvix.canvases.canvas import CanvasSpec
from orvix.canvases.strokes import Change, GrainLayer, LoadedBrush, Stroke, paint_stroke
from orvix.geometry import BLOCK, Key
from orvix.tiles.repeats import Repeat
from orvix_web.brushes.loading import load_version
from orvix_web.canvases.models import Canvas, Operation, StoredBlock, UndoBlock
from orvix_web.live.notices import changed

KEPT_UNDO = 200
"""How many of the newest operations keep the blocks before them in the database."""

State = Operation.State


@dataclass(frozen=True)
class StrokeRecord:
    """A finished stroke on its way into the log. data: mode, colour, seed and changed values of the brush."""

    number: int
    brush_version_id: int
    data: dict[str, Any]
    samples: NDArray[np.float64]


@dataclass
class Opened:
    """A canvas as it was loaded: its pixels, and the numbers of its done and undone operations, oldest first."""

    canvas: CoreCanvas
    done: list[int] = field(default_factory=list)
    undone: list[int] = field(default_factory=list)
    replayed: dict[int, Change] = field(default_factory=dict)
    next_number: int = 1


def spec_of(row: Canvas) -> CanvasSpec:
    """The core's description of a canvas row."""
    joined = Repeat(row.repeat, Fraction(row.stagger)) if row.joined else None
    return CanvasSpec(row.width, row.height, row.ppi, joined, row.ground)


@transaction.atomic
def load(row: Canvas) -> Opened:
    """Read the stored blocks and replay what was done after them.

    The row is read anew and locked meanwhile: every write of the log touches it, so blocks and log agree.
    """
    row = Canvas.objects.select_for_update().get(pk=row.pk)
    layer = Blocks(row.width, row.height)
    for stored in StoredBlock.objects.filter(canvas=row).iterator(chunk_size=64):
        layer.put((stored.row, stored.column), unpack(stored.pixels))
    opened = Opened(CoreCanvas(spec_of(row), layer))
    grains = GrainLayer(opened.canvas)
    states = Operation.objects.filter(canvas=row).values_list("number", "state")
    for number, state in states:
        opened.next_number = number + 1
        if state == State.UNDONE:
            opened.undone.append(number)
        elif state == State.DONE:
            opened.done.append(number)
            if number > row.stored_through:
                stroke = load_stroke(row, number)
                opened.replayed[number] = paint_stroke(opened.canvas, stroke, grains)[0]
    return opened


def load_stroke(row: Canvas, number: int) -> Stroke:
    """One operation of the log as a stroke that can be painted again."""
    operation = Operation.objects.get(canvas=row, number=number)
    loaded = load_version(row.owner_id, operation.brush_version_id or 0)
    return as_stroke(loaded, operation.data, unpack_samples(operation.samples))


def as_stroke(loaded: LoadedBrush, data: dict[str, Any], samples: NDArray[np.float64]) -> Stroke:
    """A stroke from a kept brush and the data of an operation; raises BadValue for values out of range."""
    values = data.get("values") or {}
    brush = replace(loaded, brush=loaded.brush.with_values(**values)) if values else loaded
    return Stroke(brush, samples, data["colour"], data["mode"], data["seed"])


class Journal:
    """Writes of one open canvas, in order, all on one thread."""

    def __init__(self, canvas_id: int, owner_id: int) -> None:
        self._canvas_id = canvas_id
        self._owner_id = owner_id

    def commit(self, record: StrokeRecord) -> None:
        """Add a stroke to the log. What was undone before it is dropped from the history, though not from the table."""
        with transaction.atomic():
            log = Operation.objects.filter(canvas_id=self._canvas_id)
            log.filter(state=State.UNDONE).update(state=State.DROPPED)
            Operation.objects.create(
                canvas_id=self._canvas_id,
                number=record.number,
                engine_version=ENGINE_VERSION,
                data=record.data,
                samples=pack_samples(record.samples),
                brush_version_id=record.brush_version_id,
            )
            self._touch()

    def undo(self, number: int, restored: Change) -> None:
        """Mark an operation undone; where the stored blocks hold it already, put back those before it."""
        with transaction.atomic():
            row = Canvas.objects.select_for_update().get(pk=self._canvas_id)
            Operation.objects.filter(canvas=row, number=number).update(state=State.UNDONE)
            if number <= row.stored_through:
                self._write_blocks(restored)
                Canvas.objects.filter(pk=row.pk).update(stored_through=number - 1)
            self._touch()

    def redo(self, number: int) -> None:
        """Mark an undone operation done again; its pixels are stored with the next blocks."""
        with transaction.atomic():
            Operation.objects.filter(canvas_id=self._canvas_id, number=number).update(state=State.DONE)
            self._touch()

    def store(self, blocks: Change, through: int, befores: dict[int, Change]) -> None:
        """Store the blocks as they are after operation `through`, and what stood before the operations since."""
        with transaction.atomic():
            self._write_blocks(blocks)
            rows = dict(
                Operation.objects.filter(canvas_id=self._canvas_id, number__in=befores).values_list("number", "pk")
            )
            UndoBlock.objects.filter(operation_id__in=rows.values()).delete()
            UndoBlock.objects.bulk_create(
                (
                    UndoBlock(operation_id=rows[number], row=key[0], column=key[1], pixels=delta)
                    for number, key, delta in deltas(blocks, befores)
                    if number in rows
                ),
                batch_size=64,
            )
            old = Operation.objects.filter(canvas_id=self._canvas_id, number__lte=through - KEPT_UNDO)
            UndoBlock.objects.filter(operation__in=old).delete()
            Canvas.objects.filter(pk=self._canvas_id).update(stored_through=through)

    def before(self, number: int, layer: Blocks) -> Change | None:
        """The blocks that stood before the newest operation of `layer`, or None where they are kept no longer."""
        found = UndoBlock.objects.filter(operation__canvas_id=self._canvas_id, operation__number=number)
        change: Change = {}
        for one in found:
            key = (one.row, one.column)
            before = _differs(unpack(one.pixels), layer.get(key))
            change[key] = before if before.any() else None
        return change or None

    def thumbnail(self, png: bytes) -> None:
        """Keep a new small picture of the canvas."""
        Canvas.objects.filter(pk=self._canvas_id).update(thumbnail=png)
        changed(self._owner_id)

    def _touch(self) -> None:
        row = Canvas.objects.filter(pk=self._canvas_id)
        row.update(revision=F("revision") + 1, touched=timezone.now())
        changed(self._owner_id)

    def _write_blocks(self, blocks: Change) -> None:
        by_state: dict[bool, list[Key]] = {True: [], False: []}
        for key, block in blocks.items():
            by_state[block is None].append(key)
        for row, column in by_state[True]:
            StoredBlock.objects.filter(canvas_id=self._canvas_id, row=row, column=column).delete()
        StoredBlock.objects.bulk_create(
            (
                StoredBlock(canvas_id=self._canvas_id, row=key[0], column=key[1], pixels=pack(blocks[key]))
                for key in by_state[False]
            ),
            update_conflicts=True,
            unique_fields=["canvas", "row", "column"],
            update_fields=["pixels"],
            batch_size=64,
        )


def deltas(blocks: Change, befores: dict[int, Change]) -> Iterator[tuple[int, Key, bytes]]:
    """What stood before each operation, as its difference (exclusive or) from what stood after, compressed.

    blocks: what stands now, at least wherever `befores` says something. A difference is empty but for what the
    operation changed, so it takes a small part of the block's own room.
    """
    after = dict(blocks)
    for number in sorted(befores, reverse=True):
        for key, before in befores[number].items():
            yield number, key, pack(_differs(before, after[key]))
            after[key] = before


def _differs(a: Block | None, b: Block | None) -> Block:
    return (EMPTY if a is None else a) ^ (EMPTY if b is None else b)


def pack(block: Block | None) -> bytes:
    """A block compressed; nothing for None."""
    return b"" if block is None else zstandard.ZstdCompressor(level=1).compress(block.astype("<u2").tobytes())


def unpack(data: bytes | memoryview) -> Block:
    """A block from its compressed form."""
    raw = zstandard.ZstdDecompressor().decompress(bytes(data), max_output_size=BLOCK * BLOCK * 8)
    return np.frombuffer(raw, "<u2").astype(np.uint16).reshape(BLOCK, BLOCK, 4)


def pack_samples(samples: NDArray[np.float64]) -> bytes:
    """Samples compressed; the hand's samples are float32 from the start, so nothing is lost."""
    return zstandard.ZstdCompressor(level=3).compress(samples.astype("<f4").tobytes())


def unpack_samples(data: bytes | memoryview) -> NDArray[np.float64]:
    """Samples from their compressed form: float64 (n, 7)."""
    raw = zstandard.ZstdDecompressor().decompress(bytes(data))
    return np.frombuffer(raw, "<f4").astype(np.float64).reshape(-1, 7)


def brushes_used(row: Canvas) -> Iterable[int]:
    """Ids of the brush versions that done strokes were painted with, the last used first."""
    done = Operation.objects.filter(canvas=row, state=State.DONE, brush_version__isnull=False)
    seen: dict[int, None] = dict.fromkeys(done.order_by("-number").values_list("brush_version_id", flat=True))
    return list(seen)
