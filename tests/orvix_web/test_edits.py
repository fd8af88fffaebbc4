"""Changes that are no strokes, through the log: layers, half moves, kept states; across openings and undo."""

from __future__ import annotations

import numpy as np
import pytest

from orvix.errors import OrvixError
from orvix_web.brushes.services import create_from_definition, new_definition, starter_definition
from orvix_web.canvases.fits import canvas_fits
from orvix_web.canvases.models import Canvas, KeptState, Operation
from orvix_web.canvases.services import create_canvas, create_canvas_of_brush, create_canvas_of_tile
from orvix_web.canvases.storage import SHOWN_BITS, load
from orvix_web.canvases.views import painting_context
from orvix_web.chain.following import showing
from orvix_web.tiles.services import create_tile, keep_tile
from tests.orvix_web.test_painting import opened, store, stroke

pytestmark = pytest.mark.django_db


TOLD = {"width": 301, "height": 277, "joined": True, "repeat": "half-drop", "stagger": "1/3"}


@pytest.fixture
def canvas(painter):
    create_from_definition(painter, "Liner", starter_definition(painter, "harbour-liner"))
    return create_canvas(painter, "Drawn", TOLD)


def look(painting):
    canvas = painting.canvas
    return [one.as_dict() for one in canvas.stack], canvas.pixels()


def same(a, b):
    return a[0] == b[0] and np.array_equal(a[1], b[1])


NOISE = {"size": [96, 96], "source": {"name": "noise", "values": {"cells": 4}}}
SECOND = {"id": 2, "name": "Over", "opacity": 0.6}


def history(painting, wavy):
    """Everything a painter does to a drawn tile; yields after each change."""
    first = painting.canvas.stack[0].as_dict()
    stroke(painting, wavy, 1)
    yield
    painting.edit({"what": "half-move", "axis": "both"})
    yield
    painting.edit({"what": "layers", "layers": [first, SECOND]})
    yield
    stroke(painting, wavy, 2, layer=2, mode="paint", steady=0.5, trail=10)
    yield
    stroke(painting, wavy, 3, layer=1, mode="smear")
    yield
    painting.edit({"what": "layers", "layers": [SECOND | {"visible": False}, first]})
    yield
    painting.edit({"what": "corners", "layer": 3, "back": True})
    yield
    painting.edit({"what": "layers", "layers": [first]})
    yield
    stroke(painting, wavy, 4, layer=1, mode="soften")
    yield


@pytest.mark.slow
@pytest.mark.parametrize("stored_after", [set(), {1, 2, 3, 4, 5, 6, 7, 8, 9}, {4}, {3, 7}])
def test_opening_again_and_undoing_give_every_state_back_whatever_was_stored(canvas, wavy, stored_after):
    painting, journal = opened(canvas)
    states = [look(painting)]
    for n, _ in enumerate(history(painting, wavy), 1):
        states.append(look(painting))
        if n in stored_after:
            store(painting, journal)
    assert same(look(opened(canvas)[0]), states[-1])
    for n in range(len(states) - 2, -1, -1):
        if n == 5:
            painting, journal = opened(canvas)
        painting.undo()
        assert same(look(painting), states[n]), n
        if n in stored_after:
            store(painting, journal)
    painting = opened(canvas)[0]
    assert same(look(painting), states[0])
    for n in range(1, len(states)):
        painting.redo()
        assert same(look(painting), states[n]), n
    assert [one.kind for one in load(canvas).done].count("half-move") == 1


def test_a_kept_state_is_taken_up_again_and_that_is_undone_like_anything(canvas, wavy):
    painting, journal = opened(canvas)
    stroke(painting, wavy, 1)
    painting.edit({"what": "layers", "layers": [painting.canvas.stack[0].as_dict(), SECOND]})
    kept, _, _ = painting.keep_state()
    journal.keep(kept, b"png")
    then = look(painting)
    stroke(painting, wavy, 2, layer=2)
    painting.edit({"what": "half-move", "axis": "across"})
    now = look(painting)
    painting.edit({"what": "take-up", "state": 1})
    assert same(look(painting), then)
    assert same(look(opened(canvas)[0]), then)
    painting.undo()
    assert same(look(painting), now)
    store(painting, journal)
    again = opened(canvas)[0]
    again.redo()
    assert same(look(again), then)
    assert [(one.number, bytes(one.thumbnail)) for one in KeptState.objects.filter(canvas=canvas)] == [(1, b"png")]


def test_the_state_tells_sizes_used_half_moves_and_a_number_for_a_new_layer(canvas, wavy):
    painting, _ = opened(canvas)
    for n, size in enumerate((40, 12, 40), 1):
        stroke(painting, wavy, n, values={"size": size})
    painting.edit({"what": "half-move", "axis": "across"})
    told = painting.state()
    brush = told["history"]["sizes"][0][0]
    assert told["history"]["sizes"] == [[brush, 40, 2], [brush, 12, 1]]
    assert told["history"]["half"] == {"across": True, "down": False}
    assert told["history"]["last"] == [3, 1]
    painting.edit({"what": "half-move", "axis": "both", "back": True})
    assert painting.state()["history"]["half"] == {"across": False, "down": False}
    painting.edit({"what": "layers", "layers": [painting.canvas.stack[0].as_dict(), SECOND]})
    painting.edit({"what": "layers", "layers": [painting.canvas.stack[0].as_dict()]})
    assert painting.state()["next_layer"] == 3
    assert opened(canvas)[0].state()["next_layer"] == 3


def test_greys_only_paints_the_grey_that_is_as_light(canvas, wavy):
    painting, _ = opened(canvas)
    stroke(painting, wavy, 1, colour="#c2553b", greys=True)
    assert Operation.objects.get(number=1).data["colour"] == "#6a6a6a"
    rgb = painting.canvas.layer.whole()[..., :3].astype(int)
    assert rgb.any()
    assert np.ptp(rgb, axis=2).max() <= 1


@pytest.mark.parametrize(
    ("told", "words"),
    [
        ({"what": "blur"}, "half-move"),
        ({}, "operation"),
        ({"what": "take-up", "state": 9}, "no longer exists"),
        ({"what": "take-up", "state": 1, "from": 3}, "is never told by a page"),
        ({"what": "half-move", "axis": "both", "why": 1}, "axis, back"),
    ],
)
def test_bad_changes_are_refused_and_nothing_is_logged(canvas, told, words):
    painting, _ = opened(canvas)
    with pytest.raises(OrvixError, match=words):
        painting.edit(told)
    assert not Operation.objects.filter(canvas=canvas).exists()


def test_anothers_kept_state_is_not_at_hand(canvas, stranger, wavy):
    other = create_canvas(stranger, "Theirs", {"width": 301, "height": 277})
    painting, journal = opened(other)
    journal.keep(painting.keep_state()[0], b"")
    with pytest.raises(OrvixError, match="no longer exists"):
        opened(canvas)[0].edit({"what": "take-up", "state": 1})


def test_strokes_are_moved_to_another_layer_recoloured_resized_and_taken_out_in_their_place(canvas, wavy):
    painting, journal = opened(canvas)
    first = painting.canvas.stack[0].as_dict()
    painting.edit({"what": "layers", "layers": [first, SECOND]})
    for n, layer in ((1, 1), (2, 1), (3, 2), (4, 1)):
        stroke(painting, wavy, n, layer=layer)
    states = [look(painting)]

    def painted_anew(change):
        """The canvas painted from nothing by strokes that were told otherwise from the first."""
        other = create_canvas(canvas.owner, "Other", TOLD)
        anew = opened(other)[0]
        anew.edit({"what": "layers", "layers": [first, SECOND]})
        for n, layer in ((1, 1), (2, 1), (3, 2), (4, 1)):
            told = change(n, {"layer": layer, "colour": "#f0e0c0", "values": {"size": 40}})
            if told:
                stroke(anew, wavy, n, **told)
        return look(anew)

    for told, change in [
        ({"strokes": [2], "layer": 2}, lambda n, one: one | ({"layer": 2} if n == 2 else {})),
        ({"strokes": [2, 4], "colour": "#205080"}, lambda n, one: one | ({"colour": "#205080"} if n in (2, 4) else {})),
        ({"strokes": [1], "size": 2}, lambda n, one: one | ({"values": {"size": 80}} if n == 1 else {})),
        ({"strokes": [1, 4], "gone": True}, lambda n, one: None if n in (1, 4) else one),
    ]:
        numbers = [one + 1 for one in told["strokes"]]  # the layers came first
        painting.edit({"what": "rework", **told, "strokes": numbers})
        assert same(look(painting), painted_anew(change)), told
        assert same(look(opened(canvas)[0]), look(painting)), "read back without what was stored"
        states.append(look(painting))
        painting.undo()
        assert same(look(painting), states[0])
    painting.redo()
    assert same(look(painting), states[-1])
    # One after another, with the blocks stored between, and opened again.
    painting.undo()
    painting.edit({"what": "rework", "strokes": [3], "layer": 2})
    store(painting, journal)
    again, journal = opened(canvas)
    again.edit({"what": "rework", "strokes": [3, 5], "colour": "#205080"})
    both = {3: {"layer": 2, "colour": "#205080"}, 5: {"colour": "#205080"}}
    assert same(look(again), painted_anew(lambda n, one: one | both.get(n + 1, {})))
    assert same(look(opened(canvas)[0]), look(again))


def test_a_stroke_may_be_moved_to_a_layer_that_was_made_after_it(canvas, wavy):
    painting, journal = opened(canvas)
    first = painting.canvas.stack[0].as_dict()
    stroke(painting, wavy, 1)
    alone = painting.canvas.layer_blocks(1).whole()
    stroke(painting, wavy, 2)
    painting.edit({"what": "layers", "layers": [first, SECOND]})
    painting.edit({"what": "rework", "strokes": [1], "layer": 2})
    assert np.array_equal(painting.canvas.layer_blocks(2).whole(), alone)
    store(painting, journal)
    painting.edit({"what": "rework", "strokes": [1], "colour": "#205080"})
    assert same(look(opened(canvas)[0]), look(painting))


@pytest.mark.parametrize(
    ("told", "words"),
    [
        ({"strokes": [], "gone": True}, "strokes"),
        ({"strokes": [99], "gone": True}, "no longer on the canvas"),
        ({"strokes": [1]}, "at least one of"),
        ({"strokes": [1], "layer": 9}, "layer"),
        ({"strokes": [1], "brush": 10**6}, "brush"),
        ({"strokes": [1], "colour": "red"}, "colour"),
        ({"strokes": [1], "size": 0}, "size"),
        ({"strokes": [1], "gone": False}, "gone"),
    ],
)
def test_reworks_that_cannot_be_are_refused_and_nothing_changes(canvas, wavy, told, words):
    painting, _ = opened(canvas)
    stroke(painting, wavy, 1)
    before = look(painting)
    with pytest.raises(OrvixError, match=words):
        painting.edit({"what": "rework", **told})
    assert same(look(painting), before)
    assert Operation.objects.filter(canvas=canvas).count() == 1


def fill_of(tile):
    return {"id": 2, "name": "Cloth", "kind": "fill", "fill": {"tile": tile.pk, "x": 7, "y": 3}}


def test_a_fill_follows_its_tile_and_what_was_merged_stays_as_it_was(canvas, wavy, stranger):
    checks = {"size": [128, 128], "source": {"name": "check", "values": {}}}
    tile = create_tile(canvas.owner, "Checks", checks)
    painting, journal = opened(canvas)
    first = painting.canvas.stack[0].as_dict()
    stroke(painting, wavy, 1)
    painting.edit({"what": "layers", "layers": [first, fill_of(tile)]})
    before = look(painting)
    assert painting.refresh_fills() == [], "nothing is newer"
    painting.edit({"what": "merge-copy", "layer": 3})
    merged = painting.canvas.layer_blocks(3).whole()
    keep_tile(canvas.owner, tile.pk, checks | {"source": {"name": "noise", "values": {"cells": 4}}})
    assert painting.refresh_fills() == [(0, 0, 301, 277)]
    store(painting, journal)
    painting.undo()
    assert not np.array_equal(look(painting)[1], before[1]), "it shows the newer version"
    painting.redo()
    assert np.array_equal(painting.canvas.layer_blocks(3).whole(), merged)
    assert np.array_equal(opened(canvas)[0].canvas.layer_blocks(3).whole(), merged), "merged from the version of then"
    # Whose tile it is counts: another painter's shows nothing.
    theirs = create_tile(stranger, "Theirs", checks)
    painting.edit({"what": "layers", "layers": [first, fill_of(theirs)]})
    alone = opened(canvas)[0]
    alone.edit({"what": "layers", "layers": [first]})
    assert np.array_equal(look(painting)[1], look(alone)[1])


def test_what_is_looked_at_while_a_hand_drags_is_neither_kept_nor_stored(canvas, wavy):
    painting, journal = opened(canvas)
    stroke(painting, wavy, 1)
    store(painting, journal)
    before = look(painting)
    first = painting.canvas.stack[0].as_dict()
    painting.edit({"what": "layers", "layers": [first | {"opacity": 0.3}], "trial": True})
    assert not same(look(painting), before)
    painting.edit({"what": "move", "x": 0, "y": 90, "layers": [1], "trial": True})
    assert painting.take_unstored() is None
    assert same(look(opened(canvas)[0]), before)
    with pytest.raises(OrvixError, match="looked at first"):
        painting.edit({"what": "half-move", "axis": "both", "trial": True})
    painting.edit({"what": "layers", "layers": [first | {"opacity": 0.5}]})
    assert Operation.objects.filter(canvas=canvas).count() == 2
    painting.undo()
    assert same(look(painting), before)
    painting.edit({"what": "layers", "layers": [first | {"opacity": 0.3}], "trial": True})
    painting.end_as_it_is()
    assert same(look(painting), before)


def test_a_canvas_of_so_many_repeats_of_a_tile_closes_and_is_shown_by_its_page(painter, wavy):
    recipe = {
        "size": [96, 80],
        "repeat": "brick",
        "stagger": "1/2",
        "source": {"name": "noise", "values": {"cells": 4}},
    }
    tile = create_tile(painter, "Crust", recipe)
    create_from_definition(painter, "Liner", starter_definition(painter, "harbour-liner"))
    row = create_canvas_of_tile(painter, "Lid", tile.pk, 3, 2)
    assert (row.width, row.height) == (288, 320), "two rows of bricks make one straight repeat"
    painting, journal = opened(row)
    assert [(one.kind, one.id) for one in painting.canvas.stack] == [("fill", 2), ("paint", 1)]
    assert canvas_fits(row, 0, painting.canvas.stack)[0]["closes"]
    stroke(painting, wavy, 1, layer=1)
    shown = look(painting)
    store(painting, journal)
    assert showing(tile) == [row]
    painting.edit({"what": "rework", "strokes": [2], "colour": "#205080"})
    painting.undo()
    assert same(look(painting), shown)
    assert same(look(opened(row)[0]), shown)
    wide = create_tile(painter, "Wide", recipe | {"size": [512, 64]})
    for across, words in ((0, "across"), (65, "across"), (64, "width")):
        with pytest.raises(OrvixError, match=words):
            create_canvas_of_tile(painter, "Lid", wide.pk, across, 1)


def test_a_canvas_of_so_many_grains_of_a_brush_closes_and_has_it_in_hand(painter, client):
    data = dict(starter_definition(painter, "sailcloth-chalk"))
    chalk = create_from_definition(painter, "Chalk", data)
    plain = create_from_definition(painter, "Plain", new_definition("Plain", None))
    client.post("/canvases/new/", {"of": f"brush-{chalk.pk}", "name": "Deck", "across": 3, "down": 2})
    row = Canvas.objects.of(painter).get()
    found = canvas_fits(row, chalk.latest.pk)[0]
    assert found["closes"]
    assert [side / period for side, period in zip((row.width, row.height), found["period_px"], strict=True)] == [3, 2]
    assert painting_context(row)["chosen"] == chalk.latest.pk
    with pytest.raises(OrvixError, match="no grain that is fixed"):
        create_canvas_of_brush(painter, "Deck", plain.pk, 3, 2)
    with pytest.raises(OrvixError, match="must be 1 to 64"):
        create_canvas_of_brush(painter, "Deck", chalk.pk, 3, 0)


def kept(painting, journal) -> None:
    """Store as a session does: blocks, then the picture for quick opening."""
    unstored = painting.take_unstored()
    if unstored is not None:
        journal.store(*unstored)
        journal.picture(*painting.picture_kept())


def test_the_picture_for_quick_opening_is_kept_where_it_still_holds(painter, wavy):
    create_from_definition(painter, "Liner", starter_definition(painter, "harbour-liner"))
    tile = create_tile(painter, "Net", NOISE)
    row = create_canvas(painter, "Large", {"width": 2500, "height": 700, "ground": "#204060"})
    painting, journal = opened(row)
    stroke(painting, wavy, 1)
    kept(painting, journal)
    again = load(row)
    box, level = again.canvas.spec.box, again.canvas.spec.level_within(SHOWN_BITS)
    assert level == 1
    assert np.array_equal(again.shown, again.canvas.view(box, 1))
    painting, journal = opened(row)
    for at in ((0, 0, 2500, 700), (64, 32, 1210, 600)):
        for seen in (1, 3):
            assert np.array_equal(painting.view(at, seen), painting.canvas.view(at, seen))
    # What comes after it is painted into it; what was undone, and another tile in a fill, make it anew.
    stroke(painting, wavy, 2)
    assert np.array_equal(painting.view(box, 1), painting.canvas.view(box, 1))
    fresh = opened(row)[0]
    assert np.array_equal(fresh.shown.picture, fresh.canvas.view(box, 1))
    kept(painting, journal)
    painting.undo()
    assert load(row).shown is None
    fill = {"id": 2, "name": "F", "kind": "fill", "fill": {"tile": tile.pk}}
    painting.edit({"what": "layers", "layers": [painting.canvas.stack[0].as_dict(), fill]})
    kept(painting, journal)
    assert load(row).shown is not None
    keep_tile(painter, tile.pk, NOISE | {"seed": 9})
    assert load(row).shown is None
    assert np.array_equal(opened(row)[0].shown.picture, load(row).canvas.view(box, 1))
