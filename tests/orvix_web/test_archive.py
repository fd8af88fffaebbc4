"""Archives: a shelf goes out and comes in the same to the bit, with its history; nothing in one is believed."""

from __future__ import annotations

import io
import json
import zipfile

import numpy as np
import pytest

from orvix.canvases.fills import Fill
from orvix.canvases.layers import Layer
from orvix.errors import UnreadableFile
from orvix.progress import UNWATCHED
from orvix_web.brushes.models import Brush
from orvix_web.brushes.services import create_brush, create_tip_brush, keep_brush
from orvix_web.canvases import in_use, repainting
from orvix_web.canvases.drawings import create_drawing, publish_drawing
from orvix_web.canvases.journal import Journal
from orvix_web.canvases.models import Canvas, KeptState, Operation, Palette, UndoBlock
from orvix_web.canvases.rows import load_kept
from orvix_web.canvases.services import create_canvas
from orvix_web.canvases.storage import load
from orvix_web.live.painting import open_painting
from orvix_web.proofs.models import Proof
from orvix_web.proofs.services import create_proof
from orvix_web.shelf import archive
from orvix_web.shelf.bundles import bring_in, bundle_of, plan, take_in
from orvix_web.tiles.models import Grain, Tile
from orvix_web.tiles.services import create_grain, create_tile, keep_tile
from tests.drafting import put, shown
from tests.orvix_web.test_painting import opened, store, stroke

pytestmark = pytest.mark.django_db

THINGS = (Tile, Grain, Brush, Canvas, Proof, Palette)
NOISE = {"size": [64, 64], "source": {"name": "noise", "values": {"cells": 4}}}


@pytest.fixture
def shelf(painter, wavy):
    """A tile of two versions, a brush of two, a drawing, and a canvas with strokes, a fill, a shape and a state."""
    tile = create_tile(painter, "Net", NOISE)
    grain = create_grain(painter, tile.latest.pk, "Net grain")
    brush = create_brush(painter, "Chalk", grain.latest.pk)
    create_tip_brush(painter, tile.latest.pk)
    first = brush.latest.pk
    canvas = create_canvas(painter, "Quay", {"width": 384, "height": 300, "joined": True})
    painting, journal = opened(canvas)
    stroke(painting, wavy, 1, brush=first)
    fill = Layer(5, "Net", kind="fill", fill=Fill(tile=tile.pk), opacity=0.5)
    stack = [one.as_dict() for one in (fill, Layer(1, "Low"), Layer(2, "High"))]
    painting.edit({"what": "layers", "layers": stack})
    outline = {"pieces": [{"points": [[40, 40], [200, 60], [90, 180]], "closed": True}], "fill": "#c2553b"}
    outline |= {"brush": first, "size": 12}
    painting.edit({"what": "shape", "layer": 6, "over": 2, "name": "Sail", "shape": outline})
    keep_tile(painter, tile.pk, {**NOISE, "seed": 9})
    painting.edit({"what": "merge-copy", "layer": 9, "layers": [5, 1]})
    journal.keep(*painting.keep_state()[:1], b"", [1, 2])
    stroke(painting, wavy, 2, brush=first, layer=2)
    store(painting, journal)
    keep_brush(painter, brush.pk, brush.latest.definition | {"values": {"use": "paint"}})
    stroke(painting, wavy, 3, brush=first, layer=2)
    painting.undo()
    in_use.keep(painter.pk, canvas.pk, {"brush": brush.pk, "size": 33.0})
    drawing = create_drawing(painter, "Kelp", {"width": 180, "height": 150, "repeat": "half-drop"})
    stroke(open_painting(drawing.drawing, Journal(drawing.drawing.pk, painter.pk)), wavy, 1, brush=first)
    kelp = Canvas.objects.get(tile=drawing)
    publish_drawing(kelp, load(kelp).canvas, kelp.revision)
    create_proof(painter, "canvas", canvas.pk)
    put(painter, "tile", tile.pk, {**shown(painter, "tile", tile.pk).value, "seed": 4})
    Palette.objects.create(owner=painter, name="Harbour", colours=[["Rust", "#a2522d"]])
    canvas.refresh_from_db()
    return canvas


made: list[bytes] = []


@pytest.fixture
def archived(request):
    """The archive of that shelf, made by the first test that asks for it: none changes it."""
    if not made:
        request.getfixturevalue("shelf")
        made.append(archive.archive_of(request.getfixturevalue("painter")))
    return made[0]


def versions(thing) -> list:
    return [(one.number, one.created, bytes(one.thumbnail)) for one in thing.versions.all()]


def away(owner, data: bytes):
    return archive.restore(owner, archive.read(data))


def every_step(row: Canvas) -> list[np.ndarray]:
    """All layers of a canvas as it is, after each undo down to nothing, and after each redo up again."""
    painting = open_painting(row, Journal(row.pk, row.owner_id))

    def layers() -> np.ndarray:
        canvas = painting.canvas
        held = [canvas.layer_blocks(number) for number in sorted(canvas.blocks)]
        parts = [blocks.get(key) for blocks in held for key in sorted(blocks)]
        return np.concatenate(
            [canvas.view(canvas.spec.box).ravel(), *(one.ravel() for one in parts if one is not None)]
        )

    seen = [layers()]
    while painting.undo()[0]:
        seen.append(layers())
    while painting.redo()[0]:
        seen.append(layers())
    return seen


@pytest.mark.slow
def test_a_whole_shelf_comes_back_the_same_to_the_bit_undo_and_repainting_included(painter, stranger, shelf):
    restored = away(stranger, archive.archive_of(painter))
    assert restored.here == 0
    for model in THINGS:
        named = model.objects.order_by("created").values_list("name", "created", "touched")
        assert list(named.filter(owner=painter)) == list(named.filter(owner=stranger)), model
    for model in (Tile, Grain, Brush):
        pairs = (model.objects.filter(owner=one).order_by("created") for one in (painter, stranger))
        for ours, theirs in zip(*pairs, strict=True):
            assert versions(ours) == versions(theirs)
    copy = Canvas.objects.get(owner=stranger, name="Quay")
    assert Operation.objects.filter(canvas=copy).count() == Operation.objects.filter(canvas=shelf).count()
    assert (
        UndoBlock.objects.filter(operation__canvas=copy).count()
        == UndoBlock.objects.filter(operation__canvas=shelf).count()
    )
    for ours, theirs in zip(every_step(shelf), every_step(copy), strict=True):
        assert np.array_equal(ours, theirs)
    kept = [load_kept(one, KeptState.objects.get(canvas=one).number).pixels() for one in (shelf, copy)]
    assert np.array_equal(*kept)
    # It is painted again with the newer version of its brush, as it would be where it came from.
    again = []
    for row in (shelf, copy):
        newer = {one["before"]: one["after"] for one in repainting.newer_brushes(row)}
        assert len(newer) == 1
        state = repainting.paint_again(row, newer, UNWATCHED)
        again.append(load_kept(row, state.number).pixels())
    assert np.array_equal(*again)
    drawn = [Canvas.objects.get(owner=one, tile__name="Kelp") for one in (painter, stranger)]
    assert np.array_equal(*(load(one).canvas.pixels() for one in drawn))
    tile = Tile.objects.get(owner=stranger, name="Net")
    draft = shown(stranger, "tile", tile.pk)
    assert (draft.changed, draft.value["seed"], draft.can_undo) == (True, 4, True)
    brush = Brush.objects.get(owner=stranger, name="Chalk")
    assert in_use.in_use(stranger.pk, copy) | {} == in_use.in_use(painter.pk, shelf) | {"brush": brush.pk}


def test_what_is_here_already_is_not_made_again(painter, stranger, shelf):
    data = archive.archive_of(painter)
    for owner in (painter, stranger):
        away(stranger, data)
        before = {
            model: model.objects.filter(owner=owner).count() for model in (Tile, Grain, Brush, Canvas, Proof, Palette)
        }
        again = away(owner, data)
        assert again.made == []
        assert {model: model.objects.filter(owner=owner).count() for model in before} == before
        assert archive.read(data).rows.keys() == archive.read(archive.archive_of(owner)).rows.keys()


def test_a_canvas_in_a_bundle_brings_its_history_and_what_it_was_painted_with(painter, stranger, shelf):
    data = bundle_of(painter, [f"canvas-{shelf.pk}"])
    coming = bring_in(stranger, take_in(stranger, "quay.zip", data))
    assert [one.thing.kind for one in coming] == ["canvas"]
    copy = Canvas.objects.get(owner=stranger)
    assert sorted(Brush.objects.filter(owner=stranger).values_list("name", flat=True)) == ["Chalk"]
    for ours, theirs in zip(every_step(shelf), every_step(copy), strict=True):
        assert np.array_equal(ours, theirs)
    assert len(repainting.newer_brushes(copy)) == 1
    assert in_use.in_use(stranger.pk, copy) is None, "what somebody had in use is theirs"


def test_an_archive_comes_in_by_the_page_for_bundles(client, stranger, archived):
    row = take_in(stranger, "shelf.zip", archived)
    listed, notes = plan(stranger, row)
    names = {(one.thing.kind, one.thing.name) for one in listed}
    assert names >= {("tile", "Net"), ("canvas", "Quay"), ("proof", "Quay")}
    assert notes == []
    bring_in(stranger, row)
    assert Canvas.objects.filter(owner=stranger, tile=None).count() == 1


def changed(data: bytes, change) -> bytes:
    out = io.BytesIO()
    with zipfile.ZipFile(io.BytesIO(data)) as file, zipfile.ZipFile(out, "w") as other:
        told = json.loads(file.read("archive.json"))
        change(told)
        other.writestr("archive.json", json.dumps(told))
        other.writestr("octets.bin", file.read("octets.bin"))
    return out.getvalue()


def row_of(told, table: str) -> dict:
    return next(iter(told["rows"][table].values()))


@pytest.mark.parametrize(
    ("table", "values"),
    [
        ("tile_version", {"recipe": {"size": [1, 1]}}),
        ("tile_version", {"recipe": 3}),
        ("tile_version", {"number": "1"}),
        ("tile_version", {"created": "yesterday"}),
        ("grain_version", {"tone": {"contrast": 9}}),
        ("grain_version", {"tile_version": 0}),
        ("brush_version", {"definition": {"coats": []}}),
        ("brush", {"name": "x" * 200}),
        ("brush", {"tags": None}),
        ("canvas", {"width": -4}),
        ("canvas", {"layers": [{"id": 1, "name": "a"}, {"id": 1, "name": "b"}]}),
        ("canvas", {"repeat": "sideways"}),
        ("canvas", {"revision": 1.5}),
        ("canvas", {"thumbnail": "0" * 64}),
        ("operation", {"kind": "explode"}),
        ("operation", {"state": "maybe"}),
        ("operation", {"data": []}),
        ("operation", {"brush_version": None}),
        ("stored_block", {"row": 10**6}),
        ("stored_block", {"layer": -1}),
        ("kept_state", {"spec": {"width": 4}}),
        ("palette", {"colours": [["x", "red"]]}),
        ("proof_version", {"wall": {"panels": []}}),
        ("in_use", {"values": {"size": -1}}),
    ],
)
def test_a_row_that_no_painter_made_is_refused_and_nothing_comes_in(stranger, archived, table, values):
    data = changed(archived, lambda told: row_of(told, table).update(values))
    with pytest.raises(UnreadableFile):
        away(stranger, data)
    assert not Tile.objects.filter(owner=stranger).exists()
    assert not Canvas.objects.filter(owner=stranger).exists()


def test_a_frame_that_is_none_is_refused(painter, stranger, shelf):
    data = archive.archive_of(painter)
    for change in (
        lambda told: told.update(format="other"),
        lambda told: told.update(version="2.0"),
        lambda told: told.update(rows=[]),
        lambda told: told["rows"].update(tile={"one": {}}),
        lambda told: row_of(told, "tile").pop("name"),
    ):
        with pytest.raises(UnreadableFile):
            archive.read(changed(data, change))
    wrong = archive.read(changed(data, lambda told: told.update(octets={})))
    with pytest.raises(UnreadableFile, match="are missing"):
        archive.restore(stranger, wrong)
    assert not archive.is_archive(b"PK")
    assert not archive.is_archive(bundle_of(painter, [f"tile-{Tile.objects.get(name='Net').pk}"]))


def test_rows_that_are_made_of_each_other_are_refused(painter, stranger):
    tile = create_tile(painter, "Net", NOISE)
    source = {"name": "picture", "values": {"file": f"tile:{tile.latest.pk}"}}
    create_tile(painter, "Blender", {"size": [64, 64], "source": source})

    def loop(told) -> None:
        first, second = sorted(map(int, told["rows"]["tile_version"]))
        told["rows"]["tile_version"][str(first)]["recipe"] = told["rows"]["tile_version"][str(second)]["recipe"] | {
            "source": {"name": "picture", "values": {"file": f"tile:{second}"}}
        }

    with pytest.raises(UnreadableFile, match="made of itself"):
        away(stranger, changed(archive.archive_of(painter), loop))
