"""Layouts: closing bit for bit, order, what is settled by hand, distances, filling, edits, and layers for dragging."""

from __future__ import annotations

from dataclasses import replace
from fractions import Fraction

import numpy as np
import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from orvix.errors import BadValue, OrvixError, UnknownName
from orvix.readings.report import read_state
from orvix.tiles.motifs.distances import Distances, least_distance
from orvix.tiles.motifs.dragging import drag_layers
from orvix.tiles.motifs.editing import EDITS, Bench, edit
from orvix.tiles.motifs.layout import EMPTY, Item, parse_layout
from orvix.tiles.motifs.rendering import Cloth, render
from orvix.tiles.motifs.sprites import Art, Studio
from orvix.tiles.motifs.starters import STARTERS, starter_svg
from orvix.tiles.motifs.svg import Pose, draw_svg
from orvix.tiles.recipe import Recipe
from orvix.tiles.repeats import REPEATS, Repeat, cloth
from orvix.tiles.window import Window

PICTURE = np.zeros((50, 70, 4), np.uint16)
PICTURE[5:45, 5:65] = [20000, 40000, 10000, 50000]
PICTURE[20:30, 20:50] = [60000, 10000, 10000, 65535]
MOTIFS = [
    {"id": "fish", "kind": "starter", "what": "herring"},
    {"id": "star", "kind": "shape", "what": "star", "values": {"points": 6}, "colour": "#c2553b"},
    {"id": "photo", "kind": "picture", "what": "a.png"},
    {"id": "disc", "kind": "shape", "what": "ellipse", "colour": "#336699"},
]
LAW = settings(max_examples=20, derandomize=True, suppress_health_check=[HealthCheck.too_slow])


def studio() -> Studio:
    return Studio(lambda name: PICTURE, lambda name: starter_svg("kelp"))


def layout_of(*items, **more):
    rows = [{"motif": "disc", **one} for one in items]
    return parse_layout({"motifs": MOTIFS, "items": rows, **more})


PLACES = st.integers(-12800, 19200).map(lambda n: n / 64)
ITEMS = st.fixed_dictionaries(
    {
        "motif": st.sampled_from([one["id"] for one in MOTIFS]),
        "x": PLACES, "y": PLACES, "turn": st.floats(0, 360), "scale": st.floats(0.1, 1.6),
        "flip": st.booleans(), "colour": st.sampled_from([None, "#10a020"]),
    }
)  # fmt: skip
RULES = st.lists(st.tuples(st.integers(0, 1), st.integers(2, 3), st.integers(-1, 1), st.integers(-1, 1)), max_size=3)


@LAW
@given(
    st.lists(ITEMS, min_size=4, max_size=8), RULES, st.sampled_from(REPEATS), st.fractions(0, 1, max_denominator=5),
    st.integers(-300, 300), st.integers(-300, 300),
)  # fmt: skip
def test_a_layout_closes_bit_for_bit_wherever_it_is_looked_at(items, rules, kind, stagger, top, left):
    layout = parse_layout({"motifs": MOTIFS, "items": items, "over": [list(rule) for rule in rules]})
    lie = Cloth(130, 110, Repeat(kind, stagger))
    tile = render(layout, lie, studio(), Window(0, 0, 110, 130))
    window = render(layout, lie, studio(), Window(top, left, 150, 170))
    assert np.array_equal(window, cloth(tile, lie.repeat, top, left, 150, 170))
    assert (tile[..., :3] <= tile[..., 3:]).all()
    assert parse_layout(layout.as_dict()).as_dict() == layout.as_dict()


@LAW
@given(st.lists(ITEMS, min_size=4, max_size=6), RULES, st.integers(0, 5), st.integers(-2, 2), st.integers(-2, 2))
def test_moving_an_item_by_a_vector_of_the_repeat_changes_nothing_once_rules_follow(items, rules, number, i, j):
    layout = parse_layout({"motifs": MOTIFS, "items": items, "over": [list(rule) for rule in rules]})
    lie = Cloth(130, 110, Repeat("half-drop", Fraction(1, 2)))
    number %= len(items)
    before = render(layout, lie, studio(), Window(0, 0, 110, 130))
    moved = Bench(layout, lie, studio(), (number,))
    (ax, ay), (bx, by) = lie.repeat.basis(130, 110)
    after = edit(moved, {"what": "move", "x": i * ax + j * bx, "y": i * ay + j * by}).layout
    assert np.array_equal(render(after, lie, studio(), Window(0, 0, 110, 130)), before)
    assert all(0 <= item.x < 130 for item in after.items)


def test_a_recipe_of_a_layout_is_proven_to_close_and_larger_it_is_the_same_picture():
    values = {"layout": layout_of({"x": 60, "y": 50}, {"motif": "fish", "x": 5, "y": 100}).as_dict()}
    told = {"size": [128, 128], "repeat": "brick", "source": {"name": "motifs", "values": values}}
    recipe = Recipe.parse(told)
    state = recipe.run()
    assert state.proven
    large = recipe.at_size(256, 256).run().pixels.reshape(128, 2, 128, 2, 4).astype(float).mean(axis=(1, 3))
    assert np.abs(large - state.pixels).mean() < 0.01 * 65535
    assert Recipe.parse(recipe.as_dict()) == recipe


def test_items_are_as_crisp_as_if_each_were_drawn_anew():
    for name in STARTERS.names():
        layout = parse_layout(
            {
                "motifs": [{"id": "m", "kind": "starter", "what": name}],
                "items": [{"motif": "m", "x": 0.25, "y": 0.5, "turn": 33}],
            }
        )
        sprite, _, _ = studio().sprite(layout, layout.items[0])
        high, wide = sprite.pixels.shape[:2]
        anew = draw_svg(starter_svg(name), Pose(33), wide, high, (0.25 - sprite.left, 0.5 - sprite.top))
        off = np.abs(anew[..., 3].astype(int) - sprite.pixels[..., 3] / 257)
        assert off.mean() < 1.0
        assert (off > 100).mean() < 0.002


def test_a_picture_at_its_own_size_is_itself_and_small_it_is_its_mean():
    layout = layout_of({"motif": "photo", "x": 35, "y": 25})
    out = render(layout, Cloth(200, 200, Repeat()), studio(), Window(0, 0, 50, 70), ground=False)
    assert np.array_equal(out, PICTURE)
    small = render(
        layout_of({"motif": "photo", "x": 20, "y": 20, "scale": 0.125}), Cloth(40, 40, Repeat()), studio(),
        Window(0, 0, 40, 40), ground=False,
    )  # fmt: skip
    assert small.astype(float).sum() == pytest.approx(PICTURE.astype(float).sum() / 64, rel=0.02)


def test_what_lies_over_what_is_the_order_until_it_is_settled_where_two_copies_meet():
    lie, where = Cloth(200, 200, Repeat()), Window(0, 0, 200, 200)
    discs = [{"x": 80, "y": 100, "colour": "#ff0000"}, {"x": 120, "y": 100, "colour": "#00ff00"}]
    plain = render(layout_of(*discs), lie, studio(), where)
    assert plain[100, 100, 1] == 65535
    bench = edit(
        Bench(layout_of(*discs), lie, studio()), {"what": "over", "upper": 0, "lower": 1, "across": 0, "down": 0}
    )
    settled = render(bench.layout, lie, studio(), where)
    assert settled[100, 100, 0] == 65535
    # Only where both are: elsewhere it is as before.
    changed = (settled != plain).any(axis=2)
    assert changed.any()
    assert not changed[:, :70].any()
    assert not changed[:, 131:].any()
    back = edit(bench, {"what": "over", "upper": 1, "lower": 0, "across": 0, "down": 0})
    assert np.array_equal(render(back.layout, lie, studio(), where), plain)
    # Across the border, the copy alone: one over the other here, the other over the one there.
    wide = [
        {"x": 40, "y": 100, "scale": 1.2, "colour": "#ff0000"},
        {"x": 140, "y": 100, "scale": 1.2, "colour": "#00ff00"},
    ]
    rules = [[0, 1, -1, 0]]
    both = render(layout_of(*wide, over=rules), lie, studio(), where)
    assert both[100, 90, 1] == 65535
    assert both[100, 190, 0] == 65535


def test_distances_between_discs_are_exact_and_go_across_copies():
    lie = Cloth(300, 200, Repeat("half-drop", Fraction(1, 2)))
    links = least_distance(layout_of({"x": 60, "y": 60}, {"x": 200, "y": 60, "scale": 0.6}), lie, studio())
    # Radii 50 and 30, 140 apart.
    assert len(links) == 1
    first = links[0]
    assert first.px == pytest.approx(60, abs=0.7)
    assert np.hypot(*(np.array(first.start) - first.end)) == pytest.approx(first.px, abs=1e-6)
    alone = least_distance(layout_of({"x": 60, "y": 60}), Cloth(130, 160, Repeat()), studio())
    assert alone[0].px == pytest.approx(30, abs=0.7)
    over = least_distance(layout_of({"x": 60, "y": 60}, {"x": 90, "y": 60}), lie, studio())
    assert over[0].px == 0
    inside = least_distance(layout_of({"x": 60, "y": 60}, {"x": 62, "y": 60, "scale": 0.2}), lie, studio())
    assert inside[0].px == 0
    assert least_distance(layout_of(), lie, studio()) == []
    ring = {"motifs": [*MOTIFS, {"id": "ring", "kind": "starter", "what": "rope-ring"}]}
    items = [{"motif": "ring", "x": 100, "y": 90}, {"motif": "disc", "x": 100, "y": 90, "scale": 0.3}]
    in_the_hole = least_distance(parse_layout(ring | {"items": items}), lie, studio())
    assert 15 < in_the_hole[0].px < 25


@pytest.mark.parametrize("by", [(70, 0), (100, 3), (160, 0), (55, -40), (-400, 90)])
def test_kept_at_least_so_far_apart_no_move_brings_them_nearer(by):
    lie = Cloth(500, 400, Repeat("brick", Fraction(1, 3)))
    layout = layout_of({"x": 100, "y": 100}, {"x": 260, "y": 100}, {"x": 400, "y": 300, "scale": 1.5}, keep_px=20)
    bench = Bench(layout, lie, studio(), (0,))
    done = edit(bench, {"what": "move", "x": by[0], "y": by[1]})
    assert Distances(done.layout, lie, studio()).links([0])[0].px >= 19.5
    free = edit(replace(bench, layout=replace(layout, keep_px=0.0)), {"what": "move", "x": by[0], "y": by[1]})
    want, got = free.layout.items[0], done.layout.items[0]
    near = Distances(free.layout, lie, studio()).links([0])[0].px
    if near >= 20.5:
        assert (got.x, got.y) == pytest.approx((want.x, want.y))


def test_holes_are_filled_evenly_and_what_is_added_is_items_like_any_other():
    lie = Cloth(600, 500, Repeat("half-drop", Fraction(1, 2)))
    bench = Bench(layout_of({"x": 100, "y": 100, "scale": 0.8}), lie, studio())
    asked = {"what": "fill", "motifs": ["disc", "star"], "least_px": 14, "smallest": 0.3, "largest": 0.6, "seed": 5}
    filled = edit(bench, asked)
    count = len(filled.layout.items)
    assert count > 20
    assert filled.chosen == tuple(range(1, count))
    assert least_distance(filled.layout, lie, studio())[0].px >= 12
    assert edit(bench, asked).layout.as_dict() == filled.layout.as_dict()
    assert edit(bench, asked | {"seed": 6}).layout.as_dict() != filled.layout.as_dict()
    told = {
        "size": [600, 500],
        "repeat": "half-drop",
        "source": {"name": "motifs", "values": {"layout": filled.layout.as_dict()}},
    }
    read = read_state(Recipe.parse(told).run())
    assert read["holes"]["verdict"] == "even"
    assert read["seam"]["by_construction"]
    # Nothing more fits, so nothing more is added; and never more than asked for.
    assert len(edit(replace(filled, chosen=()), asked).layout.items) <= count * 1.2
    assert len(edit(bench, asked | {"most": 4}).layout.items) == 5
    for told, words in (({"motifs": []}, "No motif is marked"), ({"smallest": 2}, "at most the largest")):
        with pytest.raises(BadValue, match=words):
            edit(bench, asked | told)


@pytest.mark.parametrize(
    ("turns", "verdict"),
    [([0] * 8, "one-way"), ([0, 180] * 4, "two-way"), (range(0, 360, 30), "tossed"), ([40] * 5, "one-way")],
)
def test_direction_is_told_of_layouts_alone(turns, verdict):
    items = [{"motif": "fish", "x": 37 * n, "y": 41 * n, "turn": turn, "scale": 0.3} for n, turn in enumerate(turns)]
    told = {"size": [256, 256], "source": {"name": "motifs", "values": {"layout": layout_of(*items).as_dict()}}}
    assert read_state(Recipe.parse(told).run())["direction"]["verdict"] == verdict
    rings = [{"motif": "disc", "x": 37 * n, "y": 41 * n, "turn": 0, "scale": 0.3} for n in range(6)]
    told["source"] = {"name": "motifs", "values": {"layout": layout_of(*rings).as_dict()}}
    value = read_state(Recipe.parse(told).run())["direction"]
    assert not value["applies"] or value["value"] is not None
    assert not read_state(Recipe.parse({"size": [64, 64], "source": {"name": "noise"}}).run())["direction"]["applies"]


THREE = [{"x": 60, "y": 70}, {"x": 150, "y": 90, "scale": 0.5}, {"motif": "fish", "x": 220, "y": 160, "turn": 20}]
TOLD = {
    "place": {"motif": "star", "x": 10, "y": 20}, "move": {"x": 31, "y": -7}, "set": {"scale": 0.75, "turn": 45},
    "turn": {"by": 30}, "scale": {"times": 1.5}, "flip": {"axis": "across"}, "recolour": {"colour": "#112233"},
    "motif-colour": {"motif": "disc", "new": "#445566"}, "duplicate": {"x": 12, "y": 8}, "delete": {},
    "align": {"how": "left"}, "order": {"how": "front"}, "lock": {"on": True}, "group": {"on": True},
    "over": {"upper": 0, "lower": 1, "across": 0, "down": 0}, "fill": {"motifs": ["disc"], "most": 3},
    "basis": {"dragged": "a", "a": [310, 128], "b": [0, 260]},
    "motif": {"motif": {"id": "new", "kind": "starter", "what": "kelp"}}, "settings": {"keep_px": 9, "ground": None},
}  # fmt: skip


@pytest.mark.parametrize("name", EDITS.names())
def test_every_edit_changes_what_it_says_and_leaves_a_good_layout(name):
    lie = Cloth(300, 260, Repeat())
    bench = Bench(layout_of(*THREE), lie, studio(), (0, 1))
    done = edit(bench, {"what": name, **TOLD[name]})
    assert done.layout.as_dict() != bench.layout.as_dict() or done.cloth != lie
    assert parse_layout(done.layout.as_dict()).as_dict() == done.layout.as_dict()
    assert all(0 <= n < len(done.layout.items) for n in done.chosen)
    if name not in ("basis", "motif-colour", "motif", "settings", "over", "place", "fill"):
        assert done.layout.items[-1].motif == "fish" or name in ("duplicate", "order")


def test_edits_do_what_a_painter_expects():
    lie = Cloth(300, 260, Repeat())
    bench = Bench(layout_of(*THREE), lie, studio(), (0, 1))
    by = lambda told, start=bench: edit(start, told)
    assert [round(v) for v in by({"what": "align", "how": "bottom"}).boxes((0, 1))[3:]] == [120]
    aligned = by({"what": "align", "how": "centre"})
    assert aligned.layout.items[0].x == pytest.approx(aligned.layout.items[1].x)
    turned = by({"what": "turn", "by": 90})
    assert turned.layout.items[0].turn == 90
    back = by({"what": "turn", "by": -90}, turned)
    assert (back.layout.items[1].x, back.layout.items[1].y) == pytest.approx((150, 90))
    twice = by({"what": "flip", "axis": "down"}, by({"what": "flip", "axis": "down"}))
    assert twice.layout.items[1].as_dict() == pytest.approx(bench.layout.items[1].as_dict() | {"turn": 0.0})
    copies = by({"what": "duplicate", "x": 10, "y": 0})
    assert copies.chosen == (3, 4)
    assert copies.layout.items[3].x == 70
    front = by({"what": "order", "how": "front"})
    assert [item.motif for item in front.layout.items] == ["fish", "disc", "disc"]
    assert front.chosen == (1, 2)
    gone = by({"what": "delete"})
    assert [item.motif for item in gone.layout.items] == ["fish"]
    group = by({"what": "group", "on": True})
    alone = replace(group, chosen=(0,))
    assert edit(alone, {"what": "move", "x": 5, "y": 0}).layout.items[1].x == 155
    locked = by({"what": "lock", "on": True})
    assert by({"what": "delete"}, locked).layout.items == locked.layout.items
    assert len(by({"what": "delete"}, by({"what": "lock", "on": False}, locked)).layout.items) == 1
    wrapped = edit(replace(bench, chosen=(0,)), {"what": "move", "x": 250, "y": 0})
    assert wrapped.layout.items[0].x == 10


def test_a_tile_that_follows_its_motifs_is_as_large_as_they_and_the_margin():
    bench = Bench(layout_of(*THREE[:2]), Cloth(300, 260, Repeat()), studio(), (0,))
    done = edit(bench, {"what": "settings", "follows": True, "margin_px": 10})
    assert (done.cloth.width, done.cloth.height) == (185, 120)
    assert done.boxes((0, 1)) == pytest.approx((10, 10, 175, 110))
    grown = edit(done, {"what": "move", "x": -40, "y": 0})
    assert grown.cloth.width == 225


@pytest.mark.parametrize(
    ("told", "want"),
    [
        ({"dragged": "a", "a": [310, 128], "b": [0, 260]}, (310, 260, "half-drop", "1/2")),
        ({"dragged": "a", "a": [300, 86], "b": [0, 260]}, (300, 260, "half-drop", "1/3")),
        ({"dragged": "a", "a": [300, 3], "b": [0, 260]}, (300, 260, "straight", "1/2")),
        ({"dragged": "b", "a": [300, 0], "b": [-76, 250]}, (300, 250, "brick", "3/4")),
        ({"dragged": "b", "a": [300, 130], "b": [100, 260]}, (300, 260, "brick", "1/3")),
        ({"dragged": "a", "a": [300, 29], "b": [0, 260]}, (300, 260, "half-drop", "14/125")),
        ({"repeat": "brick", "stagger": "2/5", "size": [200, 100]}, (200, 100, "brick", "2/5")),
    ],
)
def test_the_repeat_is_dragged_by_its_arrows_or_typed(told, want):
    done = edit(Bench(layout_of(*THREE), Cloth(300, 260, Repeat()), studio()), {"what": "basis", **told})
    cloth = done.cloth
    assert (cloth.width, cloth.height, cloth.repeat.kind, str(cloth.repeat.stagger)) == want


def test_order_and_rules_follow_when_items_are_taken_out():
    layout = layout_of(*THREE, over=[[0, 2, 1, 0], [1, 2, 0, 0]])
    done = edit(Bench(layout, Cloth(300, 260, Repeat()), studio(), (0,)), {"what": "delete"})
    assert done.layout.over == ((0, 1, 0, 0),)


@pytest.mark.parametrize("level", [0, 1])
def test_layers_laid_over_each_other_are_the_settled_picture(level):
    lie, where = Cloth(256, 256, Repeat()), Window(0, 0, 256, 256)
    items = [
        {"motif": m, "x": 40 + 37 * n, "y": 60 + 29 * n, "turn": 20 * n}
        for n, m in enumerate(("disc", "fish", "star", "photo", "disc"))
    ]
    layout = layout_of(*items)
    for chosen in ((2,), (0, 3), (1, 2), (0, 1, 2, 3, 4)):
        for x, y in ((0, 0), (33 * 2, -21 * 2)):
            layers = drag_layers(layout, lie, studio(), chosen, level)
            out = np.zeros((256 >> level, 256 >> level, 3))
            for layer in layers:
                full = np.zeros((4 * 256 >> level, 4 * 256 >> level, 4), np.uint8)
                dx, dy = (x, y) if layer.moving else (0, 0)
                # The page lays every copy that shows.
                for i in (-256, 0, 256):
                    for j in (-256, 0, 256):
                        full[:] = 0
                        left, top = (layer.left + dx + i + 384) >> level, (layer.top + dy + j + 384) >> level
                        high, wide = layer.rgba.shape[:2]
                        if not layer.moving and (i or j):
                            continue
                        full[top : top + high, left : left + wide] = layer.rgba
                        part = full[384 >> level : (384 + 256) >> level, 384 >> level : (384 + 256) >> level] / 255
                        out = part[..., :3] * part[..., 3:] + out * (1 - part[..., 3:])
            moved = edit(Bench(layout, lie, studio(), chosen), {"what": "move", "x": x, "y": y}).layout
            settled = render(moved, lie, studio(), where)[..., :3].astype(float) / 65535
            step = 1 << level
            settled = settled.reshape(256 >> level, step, 256 >> level, step, 3).mean(axis=(1, 3))
            off = np.abs(out - settled).max(axis=2) * 255
            # More than 2 levels only within a px of an edge.
            grown = np.zeros(off.shape, bool)
            for dy in (-1, 0, 1):
                for dx in (-1, 0, 1):
                    grown |= np.abs(settled - np.roll(settled, (dy, dx), (0, 1))).max(axis=2) * 255 > 2
            assert (off[~grown] <= 2).all()
            assert off[grown].max() < 90


@pytest.mark.parametrize(
    ("told", "words"),
    [
        ([], "must be an object"),
        ({"rows": []}, "motifs"),
        ({"items": [{"motif": "none"}]}, "one of the layout's motifs"),
        ({"motifs": [{"id": "a", "kind": "sound", "what": "x"}]}, "shape, starter, svg, picture, tile"),
        ({"motifs": [{"id": "a", "kind": "starter", "what": "whale"}]}, "barnacle"),
        ({"motifs": [MOTIFS[0], MOTIFS[0]]}, "an id of its own"),
        ({"motifs": MOTIFS, "items": [{"motif": "disc", "scale": 0}]}, "scale=0"),
        ({"motifs": MOTIFS, "items": [{"motif": "disc", "shade": 0}]}, "colour, flip"),
        ({"motifs": MOTIFS, "items": [{"motif": "disc"}], "over": [[0, 1, 0, 0]]}, "two items"),
        ({"motifs": MOTIFS, "items": [{"motif": "disc"}] * 2001}, "at most 2000"),
        ({"keep_px": -1}, "keep_px=-1"),
        ({"ground": "white"}, "#rrggbb"),
    ],
)
def test_bad_layouts_are_refused_with_the_rule(told, words):
    with pytest.raises(OrvixError, match=words):
        parse_layout(told)


@pytest.mark.parametrize(
    ("told", "words"),
    [
        ({"what": "explode"}, "duplicate"),
        ({"what": "move", "x": "far", "y": 0}, "x='far'"),
        ({"what": "align", "how": "round"}, "even-across"),
        ({"what": "place", "motif": "whale"}, "motif='whale'"),
        ({"what": "motif", "drop": "disc"}, "is placed 2 times"),
        ({"what": "settings", "Margin": 2}, "margin_px"),
        ({"what": "scale", "times": 0}, "times=0"),
    ],
)
def test_bad_edits_are_refused_with_the_rule(told, words):
    with pytest.raises(OrvixError, match=words):
        edit(Bench(layout_of(*THREE), Cloth(300, 260, Repeat()), studio(), (0,)), told)
    with pytest.raises(BadValue, match="chosen=9"):
        edit(Bench(layout_of(*THREE), Cloth(300, 260, Repeat()), studio(), (9,)), {"what": "delete"})


def test_a_motif_much_larger_than_any_picture_is_refused():
    with pytest.raises(BadValue, match="larger than 8192 px"):
        studio().sprite(layout_of({"scale": 64}), replace(layout_of({}).items[0], scale=100.0))
    assert isinstance(studio().art(layout_of().motifs[0]), Art)
    assert parse_layout(EMPTY).items == ()
    assert Item("a", 1, 2).as_dict() == {"motif": "a", "x": 1, "y": 2, "turn": 0.0, "scale": 1.0}
    with pytest.raises(UnknownName):
        STARTERS.get("whale")
