"""Writes the operation log and the stored blocks of one canvas. No other module does; `storage` reads them.

Writes come in order, and none is left out: after one that failed, every later one is refused, and so is not
acknowledged. Whoever opens the canvas anew reads what was committed and goes on from there with a journal of its own.

A write waits for a database that is being started again and is then done once more; each of them may be, as it looks
at what is there. What a server said nothing of before it went away is looked up first.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from functools import wraps
from typing import Any, ParamSpec, TypeVar

import numpy as np
import zstandard
from django.db import transaction
from django.db.models import F
from django.utils import timezone
from numpy.typing import NDArray

from orvix import ENGINE_VERSION
from orvix.canvases.blocks import Block
from orvix.canvases.canvas import Canvas as CoreCanvas
from orvix.canvases.canvas import CanvasSpec
from orvix.canvases.layers import SELECTION, At, Change, Stack, block_numbers, parse_stack
from orvix_web.canvases.models import Canvas, KeptBlock, KeptPicture, KeptState, Operation, StoredBlock, UndoBlock
from orvix_web.canvases.rows import deltas, differs, pack, pack_samples, spec_json, stack_json, unpack, with_spec
from orvix_web.database import with_database
from orvix_web.notices import changed
from orvix_web.tiles.thumbnails import thumbnail

KEPT_UNDO = 500
"""How many of the newest operations have the blocks before them in the database."""
State = Operation.State


class NotStored(Exception):
    """Raised for a write that comes after one that failed."""


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
    """Whether the blocks before it are not stored."""


P = ParamSpec("P")
R = TypeVar("R")


def in_order(write: Callable[P, R]) -> Callable[P, R]:
    """A write of a journal: refused after one that failed, done again once the database is back."""

    @wraps(write)
    def guarded(*args: P.args, **more: P.kwargs) -> R:
        journal: Any = args[0]
        if journal.failed:
            raise NotStored("An earlier change could not be saved. Reload the page.")
        try:
            return with_database(lambda: write(*args, **more))
        except BaseException:
            journal.failed = True
            raise

    return guarded


class Journal:
    """Writes of one open canvas, in order, all on one thread. failed: whether one of them was not done."""

    def __init__(self, canvas_id: int, owner_id: int) -> None:
        self._canvas_id = canvas_id
        self._owner_id = owner_id
        self._under_way = 0
        self.failed = False

    @in_order
    def commit(self, record: Record) -> None:
        """Add an operation to the log. What was undone before it leaves the history, though not the table."""
        with transaction.atomic():
            log = Operation.objects.filter(canvas_id=self._canvas_id)
            if self._under_way == record.number and log.filter(number=record.number).exists():
                return  # it was committed, only the answer was lost
            self._under_way = record.number
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

    @in_order
    def undo(self, number: int, restored: Change) -> None:
        """Mark an operation undone. If the stored blocks contain it, write back the blocks before it."""
        with transaction.atomic():
            row = Canvas.objects.select_for_update().get(pk=self._canvas_id)
            Operation.objects.filter(canvas=row, number=number).update(state=State.UNDONE)
            if number <= row.stored_through:
                self._write_blocks(restored.blocks)
                layers = row.layers if restored.stack is None else stack_json(restored.stack)
                spec = {} if restored.spec is None else spec_json(restored.spec)
                Canvas.objects.filter(pk=row.pk).update(stored_through=number - 1, layers=layers, **spec)
            self._touch()

    @in_order
    def redo(self, number: int) -> None:
        """Mark an undone operation done. The next stored blocks contain its pixels."""
        with transaction.atomic():
            Operation.objects.filter(canvas_id=self._canvas_id, number=number).update(state=State.DONE)
            self._touch()

    def flush(self) -> None:
        """Does nothing: every call has written its data when it returns."""

    @in_order
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
        """Load the change that undoes the newest operation of `canvas`; None if it is no longer stored."""
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
            before = differs(unpack(one.pixels), canvas.layer_blocks(one.layer).get(at[1]))
            change.blocks[at] = before if before.any() else None
        return change or None

    @in_order
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
        """Store a new small picture of the canvas."""
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
