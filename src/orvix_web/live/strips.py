"""The scribble strip of the brush bench: painted live like a canvas, with a brush that is not kept, and kept nowhere.

The page sends the definition in hand as an edit, {"what": "brush", ...}; every stroke so far is painted again with it.
"""

from __future__ import annotations

import asyncio
from typing import Any

from orvix.canvases.before import StrokesBefore
from orvix.canvases.canvas import Canvas, CanvasSpec
from orvix.canvases.layers import Change
from orvix.canvases.strokes import GrainLayer, paint_stroke
from orvix.devices.pen import PenPressure
from orvix.errors import BadValue
from orvix.geometry import Box
from orvix.registry import check_colour
from orvix.strokes.loaded import LoadedBrush
from orvix.strokes.samples import PLACE, check_samples
from orvix_web.accounts.pens import pen_of
from orvix_web.brushes.loading import load_definition
from orvix_web.canvases.journal import Record
from orvix_web.canvases.rows import Done, as_stroke
from orvix_web.canvases.storage import Opened
from orvix_web.live.beginnings import read_begin
from orvix_web.live.messages import Edit, Message
from orvix_web.live.painting import Painting, as_kept
from orvix_web.live.session import CanvasSession, Viewer

WIDTH, HEIGHT, MOST_HEIGHT = 780, 120, 480
MOST_FACTOR = 16
MOST_STROKES = 60
_COLOURS = ("colour", "second_colour")


class _Strokes:
    """The log of a strip: the strokes made on it, in memory."""

    def __init__(self) -> None:
        self.records: dict[int, Record] = {}
        self.undone: set[int] = set()

    def commit(self, record: Record) -> None:
        """Remember a stroke; what was undone before it is forgotten, and so is the oldest of too many."""
        for number in self.undone:
            self.records.pop(number, None)
        self.undone.clear()
        self.records[record.number] = record
        while len(self.records) > MOST_STROKES:
            del self.records[min(self.records)]

    def undo(self, number: int, restored: Change) -> None:
        """Leave a stroke out."""
        self.undone.add(number)

    def redo(self, number: int) -> None:
        """Take it in again."""
        self.undone.discard(number)

    def flush(self) -> None:
        """Nothing of a strip is written down."""

    def standing(self) -> list[Record]:
        """The strokes that are painted, in order."""
        return [record for number, record in sorted(self.records.items()) if number not in self.undone]


class StripSession(CanvasSession):
    """One page's strip. It is px of the hand over `factor` px of the strip, so that large brushes fit."""

    def __init__(self, owner_id: int) -> None:
        self._owner_id = owner_id
        self._strokes = _Strokes()
        self._brush: LoadedBrush | None = None
        self._later: Edit | None = None
        self._pen: PenPressure | None = None
        self._ground, self._factor, self._height = "#f7f7f7", 1, HEIGHT
        self._hand = dict.fromkeys(_COLOURS, "#1c1e21")
        super().__init__(0, owner_id, lambda session: None)

    async def _open(self) -> None:
        self.painting = await self.loop.run_in_executor(self._paint, self._painted)

    async def _store(self, *, last: bool = False) -> None:
        """Nothing of a strip is stored."""

    def _painted(self) -> Painting:
        """Every stroke painted anew with the brush in hand."""
        opened = Opened(Canvas(CanvasSpec(WIDTH * self._factor, self._height * self._factor, ground=self._ground)))
        grains = GrainLayer(opened.canvas)
        for record in self._strokes.standing():
            data = record.data | self._hand
            if self._brush is None or record.samples is None:
                continue
            stroke = as_stroke(self._brush, data | {"values": {}}, record.samples)
            opened.replayed[record.number] = paint_stroke(opened.canvas, stroke, grains)[0]
            opened.done.append(Done(record.number, "stroke", data, 1))
        opened.next_number = max(self._strokes.records, default=0) + 1
        return Painting(opened, self._strokes, _NoPast(self))

    def brush_in_hand(self, version_id: int) -> LoadedBrush:
        """The brush that the bench shows; raises BadValue before there is one."""
        if self._brush is None:
            raise BadValue("brush", version_id, "The test strip has no brush yet.")
        return self._brush

    def _do(self, viewer: Viewer | None, message: Message | str | None, news: list[tuple[Viewer, bytes]]) -> None:
        """See `CanvasSession`. A brush that came while a stroke was under way is taken in hand after it."""
        super()._do(viewer, message, news)
        if self._later is not None and self.painting is not None and self.painting.open_stroke is None:
            later, self._later = self._later, None
            boxes = self._edit(self.painting, later)
            for each in list(self.viewers):
                each.add(boxes)

    def _edit(self, painting: Painting, message: Edit) -> list[Box]:
        told = message.told
        if painting.open_stroke is not None:
            self._later = message
            return []
        if told.get("what") == "clear":
            self._strokes.records.clear()
        elif told.get("what") == "brush":
            self._take_brush(told)
        elif told.get("what") == "strokes":
            self._take_strokes(told.get("strokes"))
        else:
            raise BadValue("what", str(told.get("what"))[:40], "must be brush, strokes or clear")
        before, bare = painting.canvas, not list(painting.canvas.layer)
        self.painting = self._painted()
        spec = self.painting.canvas.spec
        if spec == before.spec and bare and not self._strokes.standing():
            return []
        if spec.box == before.spec.box:
            return [spec.box]
        for viewer in self.viewers:  # what they looked at is gone; they will say what they look at now
            viewer.box, viewer.pending = (0, 0, 0, 0), []
        return []

    def _take_strokes(self, given: Any) -> None:
        """Strokes that the page kept, in px of the hand, in place of those that are there."""
        if not isinstance(given, list) or len(given) > MOST_STROKES:
            raise BadValue("strokes", type(given).__name__, f"must be a list of at most {MOST_STROKES}")
        strokes = _Strokes()
        for number, one in enumerate(given, 1):
            if not isinstance(one, dict) or not isinstance(one.get("told"), dict):
                raise BadValue(f"strokes[{number - 1}]", type(one).__name__, "must have told and samples")
            known = {name: value for name, value in one["told"].items() if value is not None}
            beginning = read_begin({"brush": 1} | known)
            samples = check_samples(one.get("samples") or [])
            samples[:, PLACE] *= self._factor
            samples = as_kept((beginning.mouse or self.hand_pen()).apply(as_kept(samples)))
            strokes.commit(Record(number, "stroke", beginning.data, samples=samples))
        self._strokes = strokes

    def hand_pen(self) -> PenPressure:
        return self._pen or pen_of(self._owner_id)

    def _take_brush(self, told: dict[str, Any]) -> None:
        factor = told.get("factor", 1)
        if isinstance(factor, bool) or not isinstance(factor, int) or not 1 <= factor <= MOST_FACTOR:
            raise BadValue("factor", factor, f"must be 1 to {MOST_FACTOR}")
        height = told.get("height", HEIGHT)
        if isinstance(height, bool) or not isinstance(height, int) or not HEIGHT <= height <= MOST_HEIGHT:
            raise BadValue("height", height, f"must be {HEIGHT} to {MOST_HEIGHT}")
        ground = check_colour("ground", told.get("ground", self._ground))
        hand = {name: check_colour(name, told.get(name, self._hand[name])) for name in _COLOURS}
        pen = PenPressure(told["pen"]) if "pen" in told else None
        self._brush, self._pen = load_definition(self._owner_id, told.get("definition")), pen
        if factor != self._factor:
            self._strokes = _scaled(self._strokes, factor / self._factor)
        self._ground, self._factor, self._hand, self._height = ground, factor, hand, height


class _NoPast:
    """The `Past` of a strip: it has no log."""

    def __init__(self, session: StripSession) -> None:
        self._session = session

    def brush(self, version_id: int) -> LoadedBrush:
        return self._session.brush_in_hand(version_id)

    def before(self, number: int, canvas: Canvas) -> Change | None:
        return None

    def painted_before(self, number: int, canvas: Canvas) -> Change:
        return Change()

    def again(self, number: int, canvas: Canvas, grains: GrainLayer) -> Change:
        return Change()

    def told(self, kind: str, told: dict[str, Any], done: Any) -> dict[str, Any]:
        return told

    def recall(self, version_id: int, before: StrokesBefore) -> None:
        """Nothing to recall."""

    def pen(self) -> PenPressure:
        return self._session.hand_pen()

    def rework(self, canvas: Canvas, done: Any, told: dict[str, Any]) -> Canvas:
        raise BadValue("rework", None, "The test strip has no history. Clear it instead.")

    def strokes(self, canvas: Canvas, done: Any, told: dict[str, Any]) -> list[dict[str, Any]]:
        return []


def _scaled(strokes: _Strokes, times: float) -> _Strokes:
    """The same hand on a strip of another scale."""
    found = _Strokes()
    for record in strokes.standing():
        assert record.samples is not None
        samples = record.samples.copy()
        samples[:, PLACE] *= times
        found.records[record.number] = Record(record.number, record.kind, record.data, samples=samples)
    return found


_leaving: set[asyncio.Task[None]] = set()


def close_soon(session: StripSession) -> None:
    """End a strip's threads."""
    task = asyncio.ensure_future(session.close())
    _leaving.add(task)
    task.add_done_callback(_leaving.discard)
