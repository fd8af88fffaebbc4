"""A canvas under a hand: strokes begun, carried on, ended, undone. No sockets, no threads, no event loop.

Everything here runs on the canvas's own paint thread. What must be written down is handed to a `Log`, which
`session` runs on the journal thread in the same order.
"""

from __future__ import annotations

from dataclasses import dataclass, field
from typing import Any, Protocol

import numpy as np
from numpy.typing import NDArray

from orvix.canvases.before import StrokesBefore, listens
from orvix.canvases.canvas import Canvas, CanvasSpec
from orvix.canvases.fills import Fill
from orvix.canvases.layers import SELECTION, At, Change, block_numbers, effects_reach
from orvix.canvases.next_stamp import StampGhosts
from orvix.canvases.operations import GIVEN, OPERATIONS, do
from orvix.canvases.strokes import GrainLayer, StrokeRun, put_back
from orvix.devices.mouse import MousePressure
from orvix.devices.pen import PenPressure
from orvix.errors import BadValue
from orvix.geometry import Box, block_box, clip, merged
from orvix.strokes.loaded import LoadedBrush
from orvix.strokes.samples import MOST_SAMPLES, Samples, T, check_samples
from orvix_web.canvases.filling import OwnedTiles, tiles_filled_with
from orvix_web.canvases.journal import Journal, Record
from orvix_web.canvases.models import Canvas as CanvasRow
from orvix_web.canvases.needs import needs_rework
from orvix_web.canvases.rows import Done, as_stroke
from orvix_web.canvases.steps import DoneWith
from orvix_web.canvases.storage import Opened, load, weight_of
from orvix_web.live.beginnings import read_begin, read_hover
from orvix_web.live.looking import history_facts, history_pictures, selection_facts
from orvix_web.live.messages import BadMessage, Batch, Begin, End
from orvix_web.live.past import KeptPast, Past
from orvix_web.live.shown import Shown

UNDO_BYTES = 256 * 1024 * 1024


class Log(Protocol):
    """Where changes are written down, in the order of the calls."""

    def commit(self, record: Record) -> None: ...
    def undo(self, number: int, restored: Change) -> None: ...
    def redo(self, number: int) -> None: ...
    def flush(self) -> None:
        """Wait until everything so far is written down."""


@dataclass
class _Open:
    """The stroke under way."""

    stroke: int
    run: StrokeRun
    brush_version_id: int
    data: dict[str, Any]
    pressure: MousePressure | PenPressure
    brush: LoadedBrush
    samples: list[Samples] = field(default_factory=list)
    received: int = 0
    last_ms: float = 0.0


@dataclass
class _Step:
    """One operation in the history, and what putting back undoes (or redoes) it with, if that is still at hand."""

    what: Done
    change: Change | None

    @property
    def number(self) -> int:
        """Its number in the log."""
        return self.what.number


class Painting:
    """One canvas being painted."""

    def __init__(self, opened: Opened, log: Log, past: Past) -> None:
        self.canvas: Canvas = opened.canvas
        self.grains = GrainLayer(self.canvas)
        self.dirty: set[At] = {at for change in opened.replayed.values() for at in change.blocks}
        self._log = log
        self._past = past
        self._done = [_Step(one, opened.replayed.get(one.number)) for one in opened.done]
        self._undone = [_Step(one, None) for one in reversed(opened.undone)]
        self._highest = self._numbers_had(self.canvas)
        self._restacked = any(change.stack is not None for change in opened.replayed.values())
        self._unstored: dict[int, Change] = dict(opened.replayed)
        self._next = opened.next_number
        self._held_back = opened.held_back
        self._open: _Open | None = None
        self._facts: tuple[tuple[int, int], dict[str, Any]] = ((-1, 0), {})
        """What the history says, and of which state of it."""
        self._selected = 1
        """Another number whenever something else is selected."""
        self._tried: Change | None = None
        """What is kept, while something else is only looked at."""
        self._before = StrokesBefore()
        self._recalled: set[int] = set()
        self.shown = Shown(self.canvas, opened.shown)
        self._ghosts = StampGhosts(self.canvas.spec)
        if opened.shown is not None and (self.dirty or self._restacked):
            self.shown.update(self._changed_since())

    @property
    def _rests(self) -> bool:
        """Whether all that is seen is stored, so that `shown` is what is seen."""
        return not (self.dirty or self._restacked or self._open or self._tried)

    def view(self, box: Box, level: int) -> NDArray[np.uint8]:
        """As `Canvas.view`; what is seen small of a picture at rest is cut from the one that is kept."""
        return self.shown.view(box, level, painting=self._open is not None, rests=self._rests)

    @property
    def unsettled(self) -> bool:
        """Whether there is anything to `settle`."""
        return self.shown.unsettled and self._open is None

    def settle(self) -> list[Box]:
        """What is to be shown again now that the hand rests, so that windows have every value as a file has it."""
        return [] if self._open is not None else self.shown.settle()

    @property
    def open_stroke(self) -> tuple[int, int] | None:
        """The stroke under way and how many of its samples have come, or None."""
        return (self._open.stroke, self._open.received) if self._open else None

    def state(self) -> dict[str, Any]:
        """What the page shows of the history."""
        layers = [layer.as_dict() for layer in self.canvas.stack]
        now = len(self._done), self._done[-1].number if self._done else 0
        if self._facts[0] != now:
            self._facts = now, history_facts([step.what for step in self._done])
        told: dict[str, Any] = {
            "can_undo": bool(self._done),
            "can_redo": bool(self._undone),
            "strokes": len(self._done),
        }
        told |= {"layers": layers, "next_layer": self._highest + 1, "history": self._facts[1]}
        spec = self.canvas.spec
        told |= {"selected": self._selected, "sheet": [spec.width, spec.height, spec.ppi, spec.ground or ""]}
        held = self._held_back
        return told | ({"held_back": {"steps": held.steps, "reason": held.reason}} if held else {})

    def _numbers_had(self, canvas: Canvas) -> int:
        """The highest number that a layer or mask of this canvas has had, as far as its log says."""
        told = [one.what.data for one in (*self._done, *self._undone)]
        listed = [layer for data in told for layer in data.get("layers", []) if isinstance(layer, dict)]
        logged = [number for layer in listed for number in (layer["id"], layer.get("mask", 0))]
        added = [data["layer"] for data in told if "layer" in data]
        return max([*block_numbers(canvas.stack), *canvas.blocks, *logged, *added])

    def edit(self, told: dict[str, Any]) -> list[Box]:
        """Do an operation that is no stroke; told: its name as `what`, and what it needs. Returns the changed boxes."""
        self._must_rest("edit")
        told = dict(told)
        if told.pop("trial", False):
            return self._try(told)
        looked = self._end_trial()
        operation = OPERATIONS.get(told.pop("what", None))
        kind = operation.name
        _refuse_given(told)
        if "tiles" in operation.needs or ("fill" in operation.needs and "fill" in told):
            told["tiles"] = self._tile_versions(told.get("fill"))
        if needs_rework(kind, told):
            self._log.flush()
            change = do(self.canvas, kind, told | {"from": self._past.rework(self.canvas, self._made_by, told)})
        else:
            change = do(self.canvas, kind, self._past.told(kind, told, self._made_by))
        if not change:
            return looked
        number, self._next = self._next, self._next + 1
        self._highest = max(self._highest, *block_numbers(self.canvas.stack))
        version = operation.brush(told) or None
        self._log.commit(Record(number, kind, told, change.stack, version, spec_before=change.spec))
        self._remember(Done(number, kind, told, version), change)
        self._forget_before()
        return self._follow(change)

    @property
    def _made_by(self) -> list[DoneWith]:
        return [(step.what, step.change) for step in self._done]

    def strokes(self, told: dict[str, Any]) -> list[dict[str, Any]]:
        """Strokes that are asked for by a place or a layer, the newest first; see `orvix_web.canvases.picking`."""
        self._must_rest("look for strokes")
        self._log.flush()
        return self._past.strokes(self.canvas, self._made_by, told)

    def _try(self, told: dict[str, Any]) -> list[Box]:
        """Show what an operation would do, unlogged, while a hand drags; the next change puts it back first."""
        tried = [one.name for one in OPERATIONS if one.tried]
        if told.get("what") not in tried:
            raise BadValue("trial", told.get("what"), "only these can be looked at first: " + ", ".join(tried))
        boxes = self._end_trial()
        what = told.pop("what")
        _refuse_given(told)
        self._tried = do(self.canvas, what, self._past.told(what, told, self._made_by))
        return boxes + self._follow(self._tried)

    def _end_trial(self) -> list[Box]:
        if self._tried is None:
            return []
        boxes = self._follow(put_back(self.canvas, self._tried))
        self._tried = None
        return boxes

    def _tile_versions(self, fill: Any) -> dict[str, int]:
        """The versions that tiles have now: those of the fills, and that of one that is told."""
        tiles = self.canvas.fills.tile_of
        told = {Fill.parse(fill).tile} - {0} if fill else set()
        return tiles.versions(tiles_filled_with(self.canvas.stack) | told) if isinstance(tiles, OwnedTiles) else {}

    @property
    def shows_tiles(self) -> bool:
        """Whether a fill shows a tile."""
        return bool(tiles_filled_with(self.canvas.stack))

    def refresh_fills(self) -> list[Box]:
        """Show the newest versions of the tiles in fills; returns the changed boxes."""
        tiles = self.canvas.fills.tile_of
        if not isinstance(tiles, OwnedTiles) or not self.shows_tiles or not tiles.refresh():
            return []
        self._restacked = True  # the small picture is another now
        return [self.canvas.spec.box]

    def keep_state(self) -> tuple[Canvas, NDArray[np.uint8], list[int]]:
        """The canvas as it is now, for keeping, a small picture of it, and the operations that it is made of."""
        self._must_rest("save state")
        self._end_trial()
        made_of = [step.number for step in self._done]
        small = self.canvas.small()
        return self.canvas.copy(), small, made_of

    def _forget_before(self) -> None:
        """The strokes that count may be others now: they are read from the log again when they are asked for."""
        self._before, self._recalled = StrokesBefore(), set()

    def _remember(self, what: Done, change: Change) -> None:
        self._undone.clear()
        self._held_back = None
        self._done.append(_Step(what, change))
        self._unstored[what.number] = change
        self._mark(change)
        self._forget_old()

    def begin(self, message: Begin) -> None:
        """Begin a stroke; raises BadValue for bad values, BadMessage while another is under way."""
        if self._open is not None:
            raise BadMessage(f"stroke {message.stroke}: Finish the stroke first, then try again.")
        self._end_trial()
        told = read_begin(message.told)
        brush = self._brush(told.brush_version_id)
        run = self._run(brush, told.data)
        self._open = _Open(message.stroke, run, told.brush_version_id, told.data, told.mouse or self._past.pen(), brush)

    def _brush(self, version_id: int) -> LoadedBrush:
        """A kept brush, with the strokes before read from the log where it listens to them."""
        brush = self._past.brush(version_id)
        if listens(brush) and version_id not in self._recalled:
            self._recalled.add(version_id)
            self._past.recall(version_id, self._before)
        return brush

    def next_stamp(self, told: dict[str, Any]) -> tuple[dict[str, Any], NDArray[np.uint8] | None]:
        """What a stroke begun where the hand is would lay first: facts, and straight RGBA (rows, columns, 4), if any.

        told: as `Hovering`. Raises BadValue. Nothing is shown while a stroke is under way.
        """
        beginning, hover, level = read_hover(told)
        if self._open is not None:
            return {}, None
        brush, data = self._brush(beginning.brush_version_id), beginning.data
        if listens(brush):
            data = self._told_before(beginning.brush_version_id, brush, data, (hover.x, hover.y))
        found = self._ghosts.next_stamp(as_stroke(brush, data, np.empty((0, 7))), hover, level)
        if found is None:
            return {}, None
        left, top, right, bottom = found.box
        return {"level": level, "left": left, "top": top, "width": right - left, "height": bottom - top}, found.pixels

    def _run(self, brush: LoadedBrush, data: dict[str, Any]) -> StrokeRun:
        run = StrokeRun(self.canvas, as_stroke(brush, data, np.empty((0, 7))), self.grains)
        if listens(brush):
            run.keep_marks()
        return run

    def _after_those_before(self, going: _Open, first: Samples) -> None:
        """Begin the stroke anew where the strokes before it have something to say to it."""
        start = float(first[1]), float(first[2])
        told = self._told_before(going.brush_version_id, going.brush, going.data, start)
        if told != going.data:
            going.data = told
            going.run = self._run(going.brush, told)

    def _told_before(
        self, version_id: int, brush: LoadedBrush, data: dict[str, Any], start: tuple[float, float]
    ) -> dict[str, Any]:
        standing = {step.number for step in self._done}
        return self._before.told(version_id, brush, data, start, standing)

    def carry_on(self, message: Batch) -> list[Box]:
        """Paint more samples; returns the changed boxes. Samples that came before are passed over, gaps refused."""
        going = self._going(message.stroke)
        if message.first > going.received:
            raise BadMessage(f"samples from {message.first}: out of order, {going.received} is next")
        fresh = message.samples[going.received - message.first :]
        if not len(fresh):
            return []
        if going.received + len(fresh) > MOST_SAMPLES:
            raise BadValue("samples", going.received + len(fresh), f"a stroke has at most {MOST_SAMPLES} samples")
        samples = check_samples(as_kept(fresh), after_ms=going.last_ms)
        going.received += len(samples)
        going.last_ms = float(samples[-1, T])
        samples = as_kept(going.pressure.apply(samples))
        if not going.samples and listens(going.brush):
            self._after_those_before(going, samples[0])
        going.samples.append(samples)
        return going.run.feed(samples)

    def end(self, message: End) -> tuple[int, list[Box]]:
        """End the stroke and log it; returns its number (0 where it painted nothing) and the changed boxes."""
        going = self._going(message.stroke)
        if message.count != going.received:
            raise BadMessage(f"end after {message.count} samples: out of order, {going.received} have come")
        return self.end_as_it_is()

    def end_as_it_is(self) -> tuple[int, list[Box]]:
        """End the open stroke as far as it came, and what is only looked at."""
        going, self._open = self._open, None
        if going is None:
            return 0, self._end_trial()
        boxes = going.run.feed(np.empty((0, 7)), last=True)
        change = going.run.finish()
        if not change:
            return 0, boxes
        number, self._next = self._next, self._next + 1
        self._before.remember(going.brush_version_id, number, going.brush, going.run, going.data)
        samples = np.concatenate(going.samples)
        self._log.commit(Record(number, "stroke", going.data, None, going.brush_version_id, samples))
        self._remember(Done(number, "stroke", going.data, going.brush_version_id), change)
        return number, boxes

    def drop(self, stroke: int) -> list[Box]:
        """Take the open stroke away, unlogged."""
        going = self._going(stroke)
        self._open = None
        return [clip(block_box(key), self.canvas.spec.box) for key in going.run.drop()]

    def undo(self) -> tuple[int, list[Box]]:
        """Undo the last operation; returns its number (0 where there is nothing to undo) and the changed boxes."""
        self._must_rest("undo")
        self._end_trial()
        if not self._done:
            return 0, []
        step = self._done[-1]
        restored = step.change if step.change is not None else self._past.before(step.number, self.canvas)
        if restored is None:
            self._log.flush()
            restored = self._past.painted_before(step.number, self.canvas)
        self._done.pop()
        self._undone.append(_Step(step.what, put_back(self.canvas, restored)))
        self._unstored.pop(step.number, None)
        self._log.undo(step.number, restored)
        self._forget_old()
        if step.what.kind != "stroke":
            self._forget_before()
        self._mark(restored)
        return step.number, self._follow(restored)

    def redo(self) -> tuple[int, list[Box]]:
        """Do the last undone operation again, from its blocks or, where they are gone, from its samples."""
        self._must_rest("redo")
        self._end_trial()
        if not self._undone:
            return 0, []
        step = self._undone[-1]
        if step.change is not None:
            before = put_back(self.canvas, step.change)
        else:
            before = self._past.again(step.number, self.canvas, self.grains)
        self._undone.pop()
        self._done.append(_Step(step.what, before))
        self._unstored[step.number] = before
        self._log.redo(step.number)
        if step.what.kind != "stroke":
            self._forget_before()
        self._mark(before)
        return step.number, self._follow(before)

    @property
    def unstored_weight(self) -> int:
        """Octets of the blocks that stood before what is not stored yet."""
        return sum(weight_of(change) for change in self._unstored.values())

    def take_unstored(self) -> tuple[Change, int, dict[int, Change]] | None:
        """The blocks and the stack to be stored, through which number, and what stood before; None for nothing.

        Brings `shown` up to date as well.
        """
        if self._tried is not None or (not self.dirty and not self._restacked and not self._unstored):
            return None
        blocks = {at: self.canvas.layer_blocks(at[0]).get(at[1]) for at in self.dirty}
        now = Change(blocks, self.canvas.stack, self.canvas.spec)
        self.shown.update(self._changed_since())
        befores, self._unstored = self._unstored, {}
        self.dirty, self._restacked = set(), False
        return now, self._done[-1].number if self._done else 0, befores

    def picture_kept(self) -> tuple[NDArray[np.uint8], CanvasSpec, int, dict[str, int]] | None:
        """What is kept for quick opening, as `Journal.picture` takes it; None while something is not stored yet."""
        if not self._rests:
            return None
        through = self._done[-1].number if self._done else 0
        return self.shown.picture.copy(), self.canvas.spec, through, self._tile_versions(None)

    def _going(self, stroke: int) -> _Open:
        if self._open is None or self._open.stroke != stroke:
            raise BadMessage(f"stroke {stroke}: out of order, it is not under way")
        return self._open

    def _must_rest(self, what: str) -> None:
        if self._open is not None:
            raise BadMessage("Finish the stroke first, then try again.")

    def _mark(self, change: Change) -> None:
        self.dirty.update(change.blocks)
        self._restacked = self._restacked or change.stack is not None or change.spec is not None

    def _changed_since(self) -> list[Box]:
        changed = Change(dict.fromkeys(self.dirty), self.canvas.stack if self._restacked else None)
        return self.grown(self._boxes(changed))

    def grown(self, boxes: list[Box]) -> list[Box]:
        """Changed boxes with all that the effects of layers change around them."""
        reach, spec = effects_reach(self.canvas.stack), self.canvas.spec
        if not reach:
            return boxes
        wide = [(one[0] - reach, one[1] - reach, one[2] + reach, one[3] + reach) for one in boxes]
        if spec.joined is None:
            return [clip(one, spec.box) for one in wide]
        return merged([part for one in wide for part in spec.joined.folded(one, spec.width, spec.height)])

    def _follow(self, change: Change) -> list[Box]:
        """Bring what depends on a change up to date; where it shows."""
        self._selected += any(at[0] == SELECTION for at in change.blocks)
        if change.spec is not None:
            self._ghosts = StampGhosts(self.canvas.spec)
            self.shown.fit()
        return self._boxes(change)

    def _boxes(self, change: Change) -> list[Box]:
        """Where a change shows: everywhere, if the stack changed."""
        if change.stack is not None or change.spec is not None:
            return [self.canvas.spec.box]
        keys = {at[1] for at in change.blocks if at[0] != SELECTION}
        return [clip(block_box(key), self.canvas.spec.box) for key in keys]

    def selection(self, told: dict[str, Any]) -> dict[str, Any]:
        """What a page shows of what is selected, with its number; see `looking.selection_facts`."""
        return {"selected": self._selected, **selection_facts(self.canvas, told.get("layers"))}

    def history(self, told: dict[str, Any]) -> tuple[dict[str, Any], NDArray[np.uint8] | None]:
        """The history as a list with pictures; see `looking.history_pictures`."""
        self._must_rest("look at the history")
        self._end_trial()
        undone = [step.what for step in reversed(self._undone)]
        return history_pictures(self.canvas, self._made_by, undone, self._past.before, told.get("older", 0))

    def go_to(self, number: Any) -> list[Box]:
        """Undo or redo until an operation is the last that is done; 0: until none is. Raises BadValue."""
        done, undone = ([step.number for step in steps] for steps in (self._done, self._undone))
        if type(number) is not int or (number and number not in done and number not in undone):
            raise BadValue("step", number, "This step is no longer in the history.")
        boxes: list[Box] = []
        if number in undone:
            while not self._done or self._done[-1].number != number:
                boxes += self.redo()[1]
        while self._done and self._done[-1].number != number:
            boxes += self.undo()[1]
        return merged(boxes)

    def _forget_old(self) -> None:
        """Let go of the oldest blocks kept for undoing and redoing once they weigh too much: those before a step stand
        in the database once it is stored, and what was undone is in the log."""
        weight = 0
        for step in [*reversed(self._undone), *reversed(self._done)]:
            weight += weight_of(step.change)
            if weight > UNDO_BYTES and step.number not in self._unstored:
                step.change = None


def _refuse_given(told: dict[str, Any]) -> None:
    for name in {name for names in GIVEN.values() for name in names} & set(told):
        raise BadValue(name, str(told[name])[:60], "is never told by a page")


def open_painting(row: CanvasRow, journal: Journal, log: Log | None = None) -> Painting:
    """A canvas row as a painting; what must be written goes to `log`, or straight to the journal."""
    return Painting(load(row, store=journal.store), log or journal, KeptPast(row, journal))


def as_kept(samples: Samples) -> Samples:
    """Samples at the precision of the log, so that what is painted is what is painted again."""
    return samples.astype(np.float32).astype(np.float64)
