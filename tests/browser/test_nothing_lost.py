"""Work that is left in a hurry, changed in two windows at once, or interrupted is all there afterwards."""

from __future__ import annotations

import pytest
from playwright.sync_api import Page, expect

from orvix_web.brushes.services import create_brush
from orvix_web.proofs.services import create_proof
from orvix_web.tiles.layouts import create_layout
from tests.browser.walk import open_room, set_value, wait_count
from tests.drafting import shown

pytestmark = pytest.mark.django_db(transaction=True)

BENCHES = {
    "tile": ("#cloth", "shown", "source.values.cells", "21"),
    "grain": ("#cloth", None, "contrast", "30"),
    "brush": ("#sheet", "shown", "values.spacing", "0.5"),
}


def number(page: Page, name: str):
    return page.locator(f'.value[data-value="{name}"] .number input')


def open_bench(page: Page, kit, kind: str) -> str:
    thing = {"tile": kit.tile, "grain": kit.grain, "brush": kit.brush}[kind]
    page.goto(f"/{kind}s/{thing.pk}/" if kind != "brush" else f"/brushes/{thing.pk}/")
    box, counted, name, _ = BENCHES[kind]
    if counted:
        wait_count(page, box, counted, 1)
    else:
        expect(page.locator("#cover")).not_to_have_text("…")
    return name


@pytest.mark.parametrize("kind", BENCHES)
def test_a_change_made_just_before_a_reload_is_there_and_so_is_the_way_back(page, kit, live, kind):
    name = open_bench(page, kit, kind)
    before, after = number(page, name).input_value(), BENCHES[kind][3]
    set_value(page, name, after)
    page.reload()
    expect(number(page, name)).to_have_value(after)
    page.locator("#undo").click()
    expect(number(page, name)).to_have_value(before)
    page.locator("#redo").click()
    expect(number(page, name)).to_have_value(after)


@pytest.mark.parametrize("kind", BENCHES)
def test_a_value_that_is_still_dragged_when_the_page_is_left_is_there(page, kit, live, kind):
    name = open_bench(page, kit, kind)
    before = number(page, name).input_value()
    track = page.locator(f'.value[data-value="{name}"] input[type=range]')
    track.scroll_into_view_if_needed()
    box = track.bounding_box()
    page.mouse.move(box["x"] + box["width"] * 0.2, box["y"] + box["height"] / 2)
    page.mouse.down()
    page.mouse.move(box["x"] + box["width"] * 0.8, box["y"] + box["height"] / 2, steps=5)
    dragged = number(page, name).input_value()
    assert dragged != before
    page.goto("/shelf/")
    open_bench(page, kit, kind)
    expect(number(page, name)).to_have_value(dragged)


@pytest.mark.parametrize("kind", BENCHES)
def test_two_windows_on_one_bench_follow_each_other(page, new_page, kit, live, kind):
    other = new_page()
    name = open_bench(page, kit, kind)
    open_bench(other, kit, kind)
    after = BENCHES[kind][3]
    set_value(page, name, after)
    expect(number(other, name)).to_have_value(after)
    other.locator("#undo").click()
    expect(number(page, name)).not_to_have_value(after)
    expect(number(other, name)).to_have_value(number(page, name).input_value())


def test_what_two_windows_change_at_the_same_moment_is_told_and_neither_is_lost(page, new_page, kit, live):
    other = new_page()
    for one in (page, other):
        open_bench(one, kit, "tile")
    # The second window hears nothing of the first until it has written.
    other.evaluate("() => window.orvixTile.draft.follow = () => {}")
    set_value(page, "source.values.cells", "21")
    page.wait_for_function("() => document.body.dataset.unsaved === '0'")
    set_value(other, "source.values.cells", "33")
    expect(other.locator("#refusals")).to_contain_text("Redo brings yours back")
    expect(number(other, "source.values.cells")).to_have_value("21")
    other.locator("#redo").click()
    expect(number(page, "source.values.cells")).to_have_value("33")


def test_motifs_placed_in_two_windows_are_all_there(page, new_page, kit, live):
    owner = kit.owner
    tile = create_layout(owner, "Catch", {"size": [400, 320], "repeat": "straight"})
    other = new_page()
    for one in (page, other):
        one.goto(f"/tiles/{tile.pk}/layout/")
        wait_count(one, "#cloth", "looked", 1)

    def items(one) -> int:
        return one.evaluate("() => window.orvixLayout.layout.items.length")

    for n, (one, motif) in enumerate(((page, 0), (other, 1), (page, 2))):
        one.locator("#motifs button.place").nth(motif).click()
        for each in (page, other):
            each.wait_for_function("(n) => window.orvixLayout.layout.items.length === n", arg=n + 1)
    assert len(shown(owner, "tile", tile.pk).value["source"]["values"]["layout"]["items"]) == 3
    # The way back is there after a reload, and where what was placed is chosen again.
    page.reload()
    wait_count(page, "#cloth", "looked", 1)
    page.locator("#undo").click()
    other.wait_for_function("() => window.orvixLayout.layout.items.length === 2")
    assert items(other) == 2


def test_a_proof_is_there_after_a_reload_and_in_another_window(page, new_page, kit, live):
    proof = create_proof(kit.owner, "tile", kit.tile.pk)
    other = new_page()
    for one in (page, other):
        one.goto(f"/proofs/{proof.pk}/")
        expect(one.locator("#looks figure")).to_have_count(4)
    page.locator("#add-look").select_option(label="Repeat")
    page.reload()
    expect(page.locator("#looks figure")).to_have_count(5)
    expect(other.locator("#looks figure")).to_have_count(5)
    other.locator("#look-off").click()
    expect(page.locator("#looks figure")).to_have_count(4)
    page.locator("#undo").click()
    expect(other.locator("#looks figure")).to_have_count(5)


def test_what_is_in_use_on_a_canvas_outlives_reloads_and_another_size(page, kit, live):
    create_brush(kit.owner, "Made later")
    open_room(page, f"/canvases/{kit.canvas.pk}/")
    page.locator(f'[data-id="{kit.brush.pk}"]').click()
    page.locator("[data-add-layer=paint]").click()
    page.wait_for_function("() => window.orvixRoom.layers.stack.length === 2")
    page.locator("#layers [data-layer] button, #layers li button").first.click()
    set_value(page, "size", "31")
    set_value(page, "opacity", "60")
    page.locator("#colour").fill("#aa3311")
    page.locator("input[name=mode][value=smear]").check(force=True)
    page.mouse.move(500, 300)
    page.mouse.wheel(0, -500)

    def using() -> dict:
        return page.evaluate("() => window.orvixRoom.inUse.now()")

    kept = using()
    assert (kept["brush"], kept["size"], kept["opacity"], kept["mode"], kept["colour"]) == (
        kit.brush.pk, 31, 0.6, "smear", "#aa3311",
    )  # fmt: skip
    assert not kept["fits"]
    page.wait_for_function("() => !window.orvixRoom.inUse.saver.pending && !window.orvixRoom.inUse.later")
    page.reload()
    page.wait_for_function("() => window.orvixRoom?.layers.stack.length === 2")
    assert using() == kept
    # Another size makes the page anew: all but the view is as it was, and so it is when that is undone.
    for act, width in (
        ("window.orvixRoom.link.edit({ what: 'resample', width: 320, height: 192 })", 320),
        ("window.orvixRoom.link.undo()", 640),
    ):
        page.evaluate(f"() => {{ {act}; }}")
        page.wait_for_function(
            "(width) => window.orvixRoom?.layers.stack.length === 2 && window.orvixRoom.facts.width === width",
            arg=width,
        )
        assert using() == kept
