"""Reads the operation log and the stored blocks of one canvas; `journal` writes them.

Law (see models): stored blocks = what the done operations up to `stored_through` leave. `load` therefore reads the
blocks and replays the done operations after them, so whatever was committed before a server was killed is there.
"""

from __future__ import annotations

import logging
from collections.abc import Callable
from dataclasses import dataclass, field, replace
from functools import partial

import numpy as np
import zstandard
from django.db import DatabaseError, transaction
from numpy.typing import NDArray

from orvix.canvases.blocks import Block
from orvix.canvases.canvas import Canvas as CoreCanvas
from orvix.canvases.layers import Change, parse_stack
from orvix.canvases.operations import do
from orvix.canvases.strokes import GrainLayer, paint_stroke
from orvix.geometry import BLOCK
from orvix_web.canvases.filling import OwnedTiles, tiles_filled_with
from orvix_web.canvases.models import Canvas, KeptPicture, Operation, StoredBlock
from orvix_web.canvases.needs import needs_rework, with_needs
from orvix_web.canvases.rows import Done, blank, load_stroke, spec_json, unpack
from orvix_web.canvases.steps import as_it_was_after
from orvix_web.database import with_database

logger = logging.getLogger(__name__)


MOST_UNSTORED = 64 * 1024 * 1024
"""When the blocks that undo unstored work take more octets than this, storing does not wait for a pause."""


SHOWN_BITS = 11
"""The picture that is saved for quick opening has at most 2^11 px a side."""


State = Operation.State


@dataclass(frozen=True)
class HeldBack:
    """Operations that are not shown because the first of them cannot be repeated.

    number: that of the first. steps: how many there are. reason: why it failed.
    """

    number: int
    steps: int
    reason: str


@dataclass
class Opened:
    """A loaded canvas: its pixels, and its done and undone operations, oldest first."""

    canvas: CoreCanvas
    done: list[Done] = field(default_factory=list)
    undone: list[Done] = field(default_factory=list)
    replayed: dict[int, Change] = field(default_factory=dict)
    next_number: int = 1
    held_back: HeldBack | None = None
    shown: NDArray[np.uint8] | None = None
    """The whole picture at `SHOWN_BITS` that was saved with the stored blocks, if it is still right."""


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
    """Repeat an operation. For the session that writes, remember what it replaced, and store it before it takes too
    much memory."""
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
    """Return how many octets the blocks of a change take."""
    return 0 if change is None else BLOCK * BLOCK * 8 * sum(block is not None for block in change.blocks.values())


def _read_block(pk: int) -> Block:
    return unpack(with_database(lambda: StoredBlock.objects.values_list("pixels", flat=True).get(pk=pk)))


def _kept_picture(row: Canvas, canvas: CoreCanvas) -> NDArray[np.uint8] | None:
    """Load the picture that was saved with the stored blocks, if nothing in it has changed."""
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
    """Repeat one operation of the log on the canvas before it."""
    operation = Operation.objects.get(canvas=row, number=number)
    kind, data = operation.kind, operation.data
    if kind == "stroke":
        return paint_stroke(canvas, load_stroke(row, number), grains)[0]
    if needs_rework(kind, data):
        return do(canvas, kind, data | {"from": as_it_was_after(row, number)})
    return do(canvas, kind, with_needs(row, kind, data))
