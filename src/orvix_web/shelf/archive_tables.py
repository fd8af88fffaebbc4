"""Which rows an archive holds, which of their fields, and how they name each other."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Mapping
from dataclasses import dataclass, field
from typing import Any

from orvix.errors import BadValue
from orvix_web.brushes.models import Brush, BrushUse, BrushVersion, FontFile
from orvix_web.brushes.services import uses_of
from orvix_web.canvases.models import (
    Canvas,
    Clip,
    InUse,
    KeptBlock,
    KeptState,
    Operation,
    Palette,
    PathSet,
    Repainted,
    StoredBlock,
    UndoBlock,
)
from orvix_web.drafts.models import Draft, Step
from orvix_web.proofs.models import OwnSurface, Proof, ProofVersion
from orvix_web.tiles.models import Grain, GrainVersion, Snapshot, Tile, TileVersion, Upload

NAMES: Mapping[str, str] = {
    "tile_version": "tile_version",
    "grain_version": "grain_version",
    "font_file": "font",
    "tile": "tile",
    "own": "font",
    "brush": "brush_version",
    "picture": "clip",
}
"""Whole numbers in JSON that name a row, by their keys: of recipes, brushes, layers and operations."""
TEXTS: Mapping[str, str] = {"upload": "upload", "drawn": "snapshot", "tile": "tile_version", "own": "surface"}
"""Texts in JSON that name a row: `upload:12`."""
_OWNED = ("name", "created", "touched", "tags", "set_name", "favourite", "trashed")
_OWNED_TIMES = ("created", "touched", "trashed")


@dataclass(frozen=True)
class Table:
    """One kind of row. owner: the look-up that leads to whose it is. fields: as JSON holds them; json: those of them
    that may name rows; blobs: octets, empty_is_none: where none are null; refs: tables by foreign key; times: kept as
    they were; part_of: the foreign key to what it comes in with; parts: what comes in with it; versions: those of them
    that are its versions; shelf: its kind on the shelf; root: whether it comes in for itself; says: what tells that a
    row here is the same; later: fields that older archives do not have, and what these mean without them; after: called
    with a row that was made."""

    name: str
    model: Any
    owner: str
    fields: tuple[str, ...]
    json: tuple[str, ...] = ()
    blobs: tuple[str, ...] = ()
    empty_is_none: tuple[str, ...] = ()
    refs: Mapping[str, str] = field(default_factory=dict)
    times: tuple[str, ...] = ()
    part_of: str = ""
    parts: tuple[str, ...] = ()
    versions: tuple[str, ...] = ()
    shelf: str = ""
    root: bool = False
    says: tuple[str, ...] = ()
    names: Mapping[str, str] = field(default_factory=lambda: NAMES)
    later: Mapping[str, Any] = field(default_factory=dict)
    after: Callable[[Any], None] | None = None

    @property
    def owned(self) -> bool:
        """Whether a row itself says whose it is."""
        return self.owner == "owner_id"

    def rows(self, owner_id: int) -> Any:
        """All rows of one owner."""
        return self.model.objects.filter(**{self.owner: owner_id}).order_by("pk")


def _thing(name: str, model: Any, *more: str, shelf: str = "", **rest: Any) -> Table:
    return Table(
        name, model, "owner_id", (*_OWNED, *more), times=_OWNED_TIMES, shelf=shelf or name, root=True, **rest
    )  # fmt: skip


def _version(name: str, model: Any, of: str, *more: str, **rest: Any) -> Table:
    fields = ("number", "created", *more)
    refs = {of: of, **rest.pop("refs", {})}
    blobs = ("thumbnail", *rest.pop("blobs", ()))
    return Table(name, model, f"{of}__owner_id", fields, blobs=blobs, refs=refs, times=("created",), part_of=of, **rest)


def _part(name: str, model: Any, of: tuple[str, str], owner: str, fields: tuple[str, ...], **rest: Any) -> Table:
    refs = {of[0]: of[1], **rest.pop("refs", {})}
    return Table(name, model, owner, fields, refs=refs, part_of=of[0], **rest)


def _add_uses(version: Any) -> None:
    """What a brush version uses, worked out from its definition as when it is saved."""
    from orvix.brushes.definition import Brush as CoreBrush

    uses = list(uses_of(version.brush.owner_id, CoreBrush.parse(version.definition)))
    for use in uses:
        use.version = version
    BrushUse.objects.bulk_create(uses)
    first = {
        "grain_version": next((use.grain_version for use in uses if use.grain_version), None),
        "tip_version": next((use.tile_version for use in uses if use.tile_version), None),
    }
    BrushVersion.objects.filter(pk=version.pk).update(**first)


def _check_brush(operation: Any) -> None:
    if operation.kind == "stroke" and operation.brush_version_id is None:
        raise BadValue("brush", operation.number, "a stroke must name a version of a brush that is in the file")


_SPOT = ("layer", "row", "column")
TABLES: dict[str, Table] = {
    one.name: one
    for one in (
        _thing(
            "upload", Upload, "sha256", "width", "height", "convert", "notes", shelf="motif", blobs=("data",),
            says=("sha256", "convert"), later={"convert": False, "notes": []},
        ),
        Table("snapshot", Snapshot, "owner_id", ("width", "height", "repeat", "stagger", "closes"), blobs=("pixels",)),
        Table("font", FontFile, "owner_id", ("name",), blobs=("data",)),
        Table("clip", Clip, "owner_id", (*_OWNED, "x", "y", "width", "height"), blobs=("pixels",), times=_OWNED_TIMES),
        _thing("tile", Tile, parts=("tile_version",), versions=("tile_version",)),
        _version(
            "tile_version", TileVersion, "tile", "recipe", "readings", json=("recipe",), blobs=("stored",),
            empty_is_none=("stored",), says=("recipe",),
        ),
        _thing("grain", Grain, parts=("grain_version",), versions=("grain_version",)),
        _version(
            "grain_version", GrainVersion, "grain", "tone", "scale", refs={"tile_version": "tile_version"},
            says=("tone", "scale"),
        ),
        _thing(
            "brush", Brush, "description", "credit", blobs=("picture",), parts=("brush_version",),
            versions=("brush_version",),
        ),
        _version(
            "brush_version", BrushVersion, "brush", "definition", json=("definition",), says=("definition",),
            after=_add_uses,
        ),
        _thing(
            "canvas", Canvas, "width", "height", "ppi", "joined", "repeat", "stagger", "neighbours", "ground", "layers",
            "settings", "palette", "published", "revision", "stored_through", json=("layers",), blobs=("thumbnail",),
            refs={"tile": "tile"}, parts=("operation", "stored_block", "kept_state", "in_use"),
            says=("width", "height", "revision", "layers", "stored_through"),
        ),
        _part(
            "operation", Operation, ("canvas", "canvas"), "canvas__owner_id",
            ("number", "state", "dropped_by", "kind", "engine_version", "data", "layers_before", "undo_dropped",
             "spec_before", "created"),
            json=("data", "layers_before"), blobs=("samples",), refs={"brush_version": "brush_version"},
            times=("created",), parts=("undo_block",), after=_check_brush,
        ),
        _part("stored_block", StoredBlock, ("canvas", "canvas"), "canvas__owner_id", _SPOT, blobs=("pixels",)),
        _part(
            "undo_block", UndoBlock, ("operation", "operation"), "operation__canvas__owner_id", _SPOT,
            blobs=("pixels",),
        ),
        _part(
            "kept_state", KeptState, ("canvas", "canvas"), "canvas__owner_id",
            ("number", "layers", "created", "made_of", "spec", "proposed"), json=("layers", "proposed"),
            blobs=("thumbnail",), refs={"tile_version": "tile_version"}, times=("created",),
            parts=("kept_block", "repainted"),
        ),
        _part("kept_block", KeptBlock, ("state", "kept_state"), "state__canvas__owner_id", _SPOT, blobs=("pixels",)),
        _part(
            "repainted", Repainted, ("state", "kept_state"), "state__canvas__owner_id", ("strokes",),
            refs={"before": "brush_version", "after": "brush_version"},
        ),
        Table(
            "in_use", InUse, "owner_id", ("values",), json=("values",), refs={"canvas": "canvas"}, part_of="canvas",
            names={"brush": "brush"},
        ),
        _thing("palette", Palette, "colours", says=("colours",)),
        _thing("paths", PathSet, "pieces", says=("pieces",)),
        _thing(
            "surface", OwnSurface, "width", "height", "laying", "state",
            blobs=("picture", "mask", "shade_picture"), says=("laying", "picture"),
        ),
        _thing(
            "proof", Proof, refs={"canvas": "canvas", "tile": "tile"}, parts=("proof_version",),
            versions=("proof_version",),
        ),
        _version("proof_version", ProofVersion, "proof", "wall", "of_number", json=("wall",), says=("wall",)),
        Table("draft", Draft, "owner_id", ("kind", "number", "value", "revision", "at"), json=("value",)),
        Table(
            "draft_step", Step, "draft__owner_id", ("number", "value"), json=("value",), refs={"draft": "draft"},
        ),
    )
}  # fmt: skip
"""In the order in which they come in."""


def _latest(thing: Any) -> Iterable[Any]:
    return [thing.latest]


CHILDREN: Mapping[str, Mapping[str, Callable[[Any], Iterable[Any]]]] = {
    "tile": {"tile_version": _latest},
    "grain": {"grain_version": _latest},
    "brush": {"brush_version": _latest},
    "canvas": {
        "operation": lambda row: row.operations.all().iterator(64),
        "stored_block": lambda row: row.blocks.all().iterator(64),
        "kept_state": lambda row: row.kept_states.all(),
    },
    "operation": {"undo_block": lambda row: row.undo_blocks.all().iterator(64)},
    "kept_state": {
        "kept_block": lambda row: row.blocks.all().iterator(64),
        "repainted": lambda row: row.repainted.all(),
    },
}
"""What goes with a row that goes into an archive. Of what has versions the newest one, and those that are named."""
