"""Bundles out and in: the same things with other owners, no doubles, clashes told first, hostile ones refused."""

from __future__ import annotations

import io
import json
import zipfile

import numpy as np
import pytest

from orvix.errors import BadValue, UnreadableFile
from orvix.formats.bundle import read, write
from orvix.pictures.writing import png_bytes
from orvix_web.brushes.loading import load_version
from orvix_web.brushes.models import Brush
from orvix_web.brushes.services import create_from_definition, starter_definition
from orvix_web.canvases.models import Canvas, Palette, PathSet
from orvix_web.canvases.palettes import keep_palette
from orvix_web.canvases.path_sets import keep_paths
from orvix_web.canvases.services import create_canvas
from orvix_web.canvases.storage import load
from orvix_web.jobs.tasks import run_job
from orvix_web.proofs.models import OwnSurface
from orvix_web.proofs.own_surfaces import create_surface, keep_layer, keep_laying
from orvix_web.shelf.bundles import bring_in, bundle_of, plan, take_in
from orvix_web.shelf.files import ask_for_file
from orvix_web.shelf.models import Incoming
from orvix_web.shelf.services import do
from orvix_web.tiles.layouts import keep_file
from orvix_web.tiles.models import Grain, Tile, Upload
from orvix_web.tiles.rendering import snapshot_source, tile_pixels, tile_state
from orvix_web.tiles.services import create_grain, create_tile
from tests.orvix_web.test_painting import opened, store, stroke

pytestmark = pytest.mark.django_db


def counts(owner) -> list[int]:
    return [model.objects.filter(owner=owner).count() for model in (Tile, Grain, Brush)]


@pytest.fixture
def chalk(painter):
    brush = create_from_definition(painter, "Chalk", starter_definition(painter, "sailcloth-chalk"))
    do(painter, "tag", [f"brush-{brush.pk}"], "harbour, dry")
    return brush


def test_a_brush_with_all_it_is_made_from_comes_to_another_painter_and_paints_the_same(painter, stranger, chalk):
    data = bundle_of(painter, [f"brush-{chalk.pk}"])
    incoming = take_in(stranger, "chalk.zip", data)
    coming, notes = plan(stranger, incoming)
    assert notes == []
    assert [(one.thing.kind, one.words) for one in coming] == [(kind, "new") for kind in ("tile", "grain", "brush")]
    assert counts(stranger) == [0, 0, 0], "nothing came in yet"
    bring_in(stranger, incoming)
    assert counts(stranger) == [1, 1, 1]
    theirs = Brush.objects.get(owner=stranger)
    assert (theirs.name, theirs.tags) == ("Chalk", "harbour, dry")
    mine, other = load_version(painter.pk, chalk.latest.pk), load_version(stranger.pk, theirs.latest.pk)
    assert np.array_equal(mine.coats[0].grain.plane, other.coats[0].grain.plane)
    assert [one.values for one in mine.brush.coats] == [one.values for one in other.brush.coats]
    assert not Incoming.objects.exists()


def test_imported_twice_or_where_it_came_from_it_makes_no_doubles(painter, stranger, chalk):
    data = bundle_of(painter, [f"brush-{chalk.pk}"])
    for owner, many in ((painter, counts(painter)), (stranger, [1, 1, 1]), (stranger, [1, 1, 1])):
        bring_in(owner, take_in(owner, "chalk.zip", data))
        assert counts(owner) == many
    do(stranger, "rename", [f"brush-{Brush.objects.get(owner=stranger).pk}"], "My chalk")
    coming, _ = plan(stranger, take_in(stranger, "chalk.zip", data))
    assert coming[-1].words == "already on your shelf as My chalk"


def test_what_clashes_is_told_and_comes_in_beside_it(painter, stranger, chalk):
    create_tile(stranger, "Cloud", {"size": [64, 64], "source": {"name": "noise"}})
    tile = create_tile(painter, "Cloud", {"size": [32, 32], "source": {"name": "noise"}})
    incoming = take_in(stranger, "cloud.zip", bundle_of(painter, [f"tile-{tile.pk}"]))
    assert [one.words for one in plan(stranger, incoming)[0]] == ["new, named Cloud 2 because Cloud exists"]
    bring_in(stranger, incoming)
    assert set(Tile.objects.filter(owner=stranger).values_list("name", flat=True)) == {"Cloud", "Cloud 2"}


def test_a_tile_that_is_a_picture_keeps_its_pixels_repeat_and_whether_it_closes(painter, stranger):
    pixels = np.random.default_rng(3).integers(0, 65536, (40, 64, 4)).astype(np.uint16)
    pixels[..., :3] = np.minimum(pixels[..., :3], pixels[..., 3:])
    source = snapshot_source(painter.pk, pixels, "half-drop", "1/2", True)
    recipe = {"size": [64, 40], "repeat": "half-drop", "stagger": "1/2", "source": source}
    tile = create_tile(painter, "Drawn", recipe)
    grain = create_grain(painter, tile.latest.pk, "Read", {"contrast": 0.5})
    data = bundle_of(painter, [f"grain-{grain.pk}", f"tile-{tile.pk}"])
    bring_in(stranger, take_in(stranger, "drawn.zip", data))
    theirs = Tile.objects.get(owner=stranger)
    assert np.array_equal(tile_pixels(theirs.latest), pixels)
    state = tile_state(theirs.latest)
    assert (state.repeat.kind, state.proven) == ("half-drop", True)
    assert Grain.objects.get(owner=stranger).latest.tone["contrast"] == 0.5
    again = bundle_of(stranger, [f"grain-{Grain.objects.get(owner=stranger).pk}"])
    assert [one.digest for one in read(again).things] == [one.digest for one in read(data).things]


def changed(data: bytes, change, name: str = "bundle.json") -> bytes:
    """The bundle with its JSON changed by a function of it."""
    out = io.BytesIO()
    with zipfile.ZipFile(io.BytesIO(data)) as old, zipfile.ZipFile(out, "w") as new:
        for entry in old.infolist():
            octets = old.read(entry)
            if entry.filename == name:
                told = json.loads(octets)
                change(told)
                octets = json.dumps(told).encode()
            new.writestr(entry.filename, octets)
    return out.getvalue()


def test_what_is_not_known_is_told_and_kept_with_its_thing(painter, stranger, chalk):
    def newer(told) -> None:
        told["version"] = "1.7"
        told["colour"] = "blue"
        told["things"][0]["sparkle"] = 3
        told["things"].append({"id": "sail-1", "kind": "sail"})

    incoming = take_in(stranger, "newer.zip", changed(bundle_of(painter, [f"brush-{chalk.pk}"]), newer))
    _, notes = plan(stranger, incoming)
    assert len(notes) == 3
    assert all(any(word in note for note in notes) for word in ("colour", "sparkle", "sail"))
    bring_in(stranger, incoming)
    assert counts(stranger) == [1, 1, 1]
    # What is not known of a thing goes out with it again, and what is done to other things does not touch it.
    again = bundle_of(stranger, [f"brush-{Brush.objects.get(owner=stranger).pk}"])
    with zipfile.ZipFile(io.BytesIO(again)) as file:
        told = json.loads(file.read("bundle.json"))["things"]
    assert [one.get("sparkle") for one in told] == [3, None, None]
    assert read(again).notes == [f"{told[0]['id']}: sparkle is not supported, saved with the item"]


def _set(path, value):
    def change(told) -> None:
        *way, last = path
        for part in way:
            told = told[part]
        told[last] = value

    return change


@pytest.mark.slow
@pytest.mark.parametrize(
    ("change", "words"),
    [
        (_set(["format"], "zip"), "must say format"),
        (_set(["version"], "2.0"), "this reads 1.x"),
        (_set(["things"], []), "1 to 2000"),
        (_set(["things", 0, "name"], ""), "name"),
        (_set(["things", 0, "digest"], "0" * 64), "changed on the way"),
        (_set(["things", 0, "recipe", "size"], [64, 65]), "changed on the way"),
        (_set(["things", 0, "recipe", "source", "name"], "sail"), "known are"),
        (_set(["things", 1, "of"], "grain-1"), "stands before it"),
        (_set(["things", 1, "of"], "nothing"), "stands before it"),
        (_set(["things", 2, "id"], "x" * 80), "60 characters"),
        (_set(["things", 0, "picture"], "pictures/none.png"), "one of the two"),
        (lambda told: told["things"].reverse(), "stands before it"),
        (lambda told: told["things"].append(told["things"][0]), "of one thing only"),
    ],
)
def test_a_bundle_that_is_wrong_is_refused_whole_and_nothing_is_kept(painter, stranger, chalk, change, words):
    data = changed(bundle_of(painter, [f"brush-{chalk.pk}"]), change)
    with pytest.raises(UnreadableFile, match=words) as refused:
        take_in(stranger, "odd.zip", data)
    assert "odd.zip" in str(refused.value)
    assert counts(stranger) == [0, 0, 0]
    assert not Incoming.objects.exists()


def test_hostile_zips_are_refused(stranger):
    def zipped(names: dict[str, bytes]) -> bytes:
        out = io.BytesIO()
        with zipfile.ZipFile(out, "w", zipfile.ZIP_DEFLATED) as file:
            for name, data in names.items():
                file.writestr(name, data)
        return out.getvalue()

    good = b'{"format": "orvix-bundle", "version": "1.0", "things": [{}]}'
    cases = [
        (b"MZ" * 200, "not a bundle"),
        (zipped({"other.json": b"{}"}), "damaged"),
        (zipped({"bundle.json": b"not json"}), "no JSON"),
        (zipped({"bundle.json": b"[" * 200_000}), "no JSON"),
        (zipped({"bundle.json": good, "../../etc": b""}), "outside"),
        (zipped({"bundle.json": good, **{f"x{n}": b"" for n in range(10_000)}}), "entries"),
        (zipped({"bundle.json": good, "a.png": bytes(64 << 20)}), "times its size"),
        (zipped({"bundle.json": good}), "id"),
    ]
    for data, words in cases:
        with pytest.raises(UnreadableFile, match=words):
            take_in(stranger, "bad.zip", data)


def test_only_what_is_yours_goes_out(painter, stranger, chalk):
    from django.http import Http404

    with pytest.raises(Http404):
        bundle_of(stranger, [f"brush-{chalk.pk}"])
    for keys in ([], ["proof-1"], ["brush-x"]):
        with pytest.raises(BadValue):
            bundle_of(painter, keys)
    assert write(read(bundle_of(painter, [f"brush-{chalk.pk}"])).things) == bundle_of(painter, [f"brush-{chalk.pk}"])


@pytest.fixture
def lid(painter, wavy):
    """A canvas with joined edges and two layers, painted on both."""
    brush = create_from_definition(painter, "Liner", starter_definition(painter, "harbour-liner"))
    told = {"width": 320, "height": 200, "ppi": 200, "joined": True, "repeat": "brick", "stagger": "1/2"}
    row = create_canvas(painter, "Lid", told)
    painting, journal = opened(row)
    painting.edit(
        {"what": "layers", "layers": [{"id": 1, "name": "Sky"}, {"id": 2, "name": "Sea", "mode": "multiply"}]}
    )
    for n in (1, 2):
        stroke(painting, wavy, n, layer=n, brush=brush.latest.pk)
    store(painting, journal)
    row.refresh_from_db()
    return row


@pytest.mark.django_db(transaction=True)
def test_canvases_palettes_paths_motifs_and_surfaces_come_in_as_they_were_and_once(painter, stranger, lid):
    palette = keep_palette(painter, "Harbour", [["deep water", "#1b3f4b"], ["rope", "#d29b42"]])
    paths = keep_paths(painter, "Waves", [{"points": [[0, 0], [40, 10]], "closed": False}])
    picture = png_bytes(np.full((60, 80, 3), 90, np.uint8))
    motif = keep_file(painter, "Float.png", picture)
    wall = create_surface(painter, "Wall", picture)
    keep_layer(painter, wall.pk, "mask", "Mask.png", png_bytes(np.full((60, 80), 255, np.uint8)))
    wall = keep_laying(painter, wall.pk, wall.laying | {"width_mm": 900.0})
    keys = [f"canvas-{lid.pk}", f"palette-{palette.pk}", f"paths-{paths.pk}", f"motif-{motif.pk}", f"surface-{wall.pk}"]
    data = bundle_of(painter, keys)
    assert [one.words for one in plan(painter, take_in(painter, "b.zip", data))[0]] == [
        f"already on your shelf as {name}" for name in ("Lid", "Harbour", "Waves", "Float.png", "Wall")
    ]
    bring_in(stranger, take_in(stranger, "b.zip", data))
    theirs = Canvas.objects.get(owner=stranger)
    assert (theirs.name, theirs.joined, theirs.repeat, theirs.ppi) == ("Lid", True, "brick", 200)
    assert [(one["name"], one.get("mode", "normal")) for one in theirs.layers[-2:]] == [
        ("Sky", "normal"),
        ("Sea", "multiply"),
    ]
    mine = load(lid).canvas.pixels().astype(int)
    assert abs(load(theirs).canvas.pixels().astype(int) - mine).max() <= 1
    assert Palette.objects.get(owner=stranger).colours == palette.colours
    assert PathSet.objects.get(owner=stranger).pieces == paths.pieces
    assert bytes(Upload.objects.get(owner=stranger).data) == picture
    there = OwnSurface.objects.get(owner=stranger)
    assert (there.name, there.laying, bytes(there.mask)) == ("Wall", wall.laying, bytes(wall.mask))
    bring_in(stranger, take_in(stranger, "b.zip", data))
    for model in (Canvas, Palette, PathSet, Upload, OwnSurface):
        assert model.objects.filter(owner=stranger).count() == 1, "no doubles"
    Canvas.objects.filter(owner=stranger).update(revision=99)
    words = [one.words for one in plan(stranger, take_in(stranger, "b.zip", data))[0]]
    assert words[0] == "new, named Lid 2 because Lid exists", "painted on since, it is another"


@pytest.mark.django_db(transaction=True)
@pytest.mark.parametrize(
    ("change", "words"),
    [
        (_set(["things", 0, "file"], 3), "name of a file in the bundle"),
        (_set(["things", 0, "file"], "canvases/none.ora"), "none.ora"),
        (_set(["things", 0, "joined"], "yes"), "true or false"),
        (_set(["things", 0, "neighbours"], "upside-down"), "neighbours"),
        (_set(["things", 0, "repeat"], "straight"), "changed on the way"),
        (_set(["things", 0, "sparkle"], "x" * 70_000), "unknown parts"),
    ],
)
def test_a_canvas_that_is_wrong_is_refused(painter, stranger, lid, change, words):
    data = changed(bundle_of(painter, [f"canvas-{lid.pk}"]), change)
    with pytest.raises(UnreadableFile, match=words):
        take_in(stranger, "odd.zip", data)
    assert not Canvas.objects.filter(owner=stranger).exists()


@pytest.mark.django_db(transaction=True)
def test_the_whole_shelf_goes_out_by_a_job_and_comes_in_elsewhere(painter, stranger, chalk, lid):
    job = ask_for_file(painter, "whole", [], {})
    run_job(job.pk)
    job.refresh_from_db()
    assert (job.state, job.result["file"][:7]) == ("done", "shelf-2")
    bring_in(stranger, take_in(stranger, "whole.zip", bytes(job.product.data)))
    assert counts(stranger) == counts(painter)
    assert Canvas.objects.filter(owner=stranger).count() == 1
