"""Selecting in the canvas room, and what is made of it: paint that keeps to it, copies on and on, things taken."""

from __future__ import annotations

import re
from io import BytesIO

import numpy as np
import pytest
from PIL import Image
from playwright.sync_api import expect

from orvix.canvases.layers import SELECTION
from orvix.canvases.selection import selected_box
from orvix_web.brushes.models import Brush
from orvix_web.canvases.models import Canvas, Operation
from orvix_web.canvases.storage import load
from orvix_web.tiles.models import Grain, Tile
from tests.browser.walk import canvas_pixels, idle, open_room, set_value, wait_count, wave


def room(page, kit) -> dict:
    # High enough that the canvas, at the zoom it opens at, fills the width: no copy of it is seen beside it.
    page.set_viewport_size({"width": 1280, "height": 850})
    return open_room(page, f"/canvases/{kit.canvas.pk}/")


def drag(page, *points) -> None:
    page.mouse.move(*points[0])
    page.mouse.down()
    for at in points[1:]:
        page.mouse.move(*at)
    page.mouse.up()


def seen(page) -> np.ndarray:
    idle(page)
    page.mouse.move(5, 5)
    return canvas_pixels(page, "#picture canvas")


def tried(page) -> np.ndarray:
    """What is seen once all that is only looked at has come."""
    page.wait_for_function("() => document.getElementById('layers').dataset.trying === 'no'")
    return seen(page)


def opened(kit):
    return load(Canvas.objects.get(pk=kit.canvas.pk)).canvas


def committed(page, count: int) -> None:
    wait_count(page, "#picture", "committed", count)


def middle(box) -> tuple[float, float]:
    return box["x"] + box["width"] / 2, box["y"] + box["height"] / 2


def select_box(page, x0, y0, x1, y1) -> None:
    """Draw a rectangle and wait until its edge is shown."""
    told = page.locator("#selected-paths").get_attribute("data-told") or "0"
    page.locator('input[name="mode"][value="select"]').check()
    page.locator("#select-kind").select_option("rectangle")
    drag(page, (x0, y0), ((x0 + x1) / 2, y1), (x1, y1))
    wait_count(page, "#selected-paths", "told", int(told) + 1)


def test_c6_rows_are_painted_once_and_copied_on_and_on(page, live, kit, pen):
    box = room(page, kit)
    x, y = middle(box)
    set_value(page, "size", "12")
    pen(page).stroke([(x - 150 + 10 * n, y - 105, 0.8) for n in range(31)])
    committed(page, 1)
    select_box(page, x - 200, y - 125, x + 200, y - 85)
    committed(page, 2)
    assert re.fullmatch(r"\d+,\d+,\d+,\d+", page.locator("#selected-paths").get_attribute("data-box"))
    # A copy is dragged down, then the same again twice: three presses for three rows.
    page.keyboard.press("m")
    expect(page.locator("#moving-what")).to_have_text("Selection")
    page.locator("#move-copy").check()
    before = opened(kit)
    row = selected_box(before)
    drag(page, (x, y - 100), (x, y - 80), (x, y - 55))
    committed(page, 3)
    for n in (4, 5):
        page.locator("#move-again").click()
        committed(page, n)
    after = opened(kit)
    moved = selected_box(after)
    assert (moved[0], (moved[1] - row[1]) % 3) == (row[0], 0)
    step = (moved[1] - row[1]) // 3
    assert step > row[3] - row[1]
    kept = before.layer.read(row)
    assert (after.layer.read(row) == kept).all(), "the first row stays"
    assert (after.layer.read(moved) == kept).all(), "the last is its copy, octet for octet"
    for n in (6, 7, 8):
        page.locator("#undo").click()
        committed(page, n)
    assert selected_box(opened(kit)) == row
    assert (opened(kit).layer.whole() == before.layer.whole()).all()


def test_paint_keeps_to_what_is_selected_and_the_edge_is_seen(page, live, kit, pen):
    box = room(page, kit)
    x, y = middle(box)
    bare = seen(page)
    select_box(page, x - 90, y - 60, x + 90, y + 60)
    committed(page, 1)
    expect(page.locator("#selected-words")).to_contain_text("px selected")
    page.keyboard.press("p")
    pen(page).stroke(wave(box))
    committed(page, 2)
    painted = np.abs(seen(page).astype(int) - bare).max(axis=2) > 40
    rows, columns = np.nonzero(painted)
    left, top = x - box["x"], y - box["y"]
    assert len(rows) > 200
    assert left - 92 <= columns.min() < columns.max() <= left + 92
    assert top - 62 <= rows.min() < rows.max() <= top + 62
    # The rest, by a key; and nothing, by another: then everything can be painted.
    page.keyboard.press("Shift+Alt+C")
    committed(page, 3)
    page.keyboard.press("Alt+C")
    committed(page, 4)
    assert not opened(kit).layer_blocks(SELECTION).keys()
    pen(page).stroke(wave(box))
    committed(page, 5)
    again = np.abs(seen(page).astype(int) - bare).max(axis=2) > 40
    assert again.sum() > 1.4 * painted.sum()


def test_the_frame_scales_and_turns_and_numbers_do_it_too(page, live, kit, pen):
    box = room(page, kit)
    pen(page).stroke(wave(box))
    committed(page, 1)
    page.locator("#picture").focus()
    page.keyboard.press("m")
    corner = page.locator('#move-frame [data-across="1"][data-down="1"]')
    expect(corner).to_be_visible()
    before = opened(kit).layer.whole()
    at = middle(corner.bounding_box())
    drag(page, at, (at[0] - 20, at[1] - 5), (at[0] - 80, at[1] - 30))
    committed(page, 2)
    scaled = Operation.objects.get(canvas=kit.canvas, number=2)
    assert scaled.kind == "transform"
    assert scaled.data["across"] == scaled.data["down"] < 0.95
    small = opened(kit).layer.whole()
    assert 0 < (small[..., 3] > 0).sum() < (before[..., 3] > 0).sum()
    # The frame is round it again; the knob above turns it.
    idle(page)
    knob = middle(page.locator("#move-frame circle").bounding_box())
    drag(page, knob, (knob[0] + 40, knob[1] + 10), (knob[0] + 90, knob[1] + 60))
    committed(page, 3)
    assert Operation.objects.get(canvas=kit.canvas, number=3).data["turn"] > 10
    page.locator("#move-turn").fill("90")
    page.locator("#move-now").click()
    committed(page, 4)
    assert Operation.objects.get(canvas=kit.canvas, number=4).data["turn"] == 90
    # Escape while dragging leaves everything as it was.
    still = opened(kit).layer.whole()
    side = middle(page.locator('#move-frame [data-across="1"][data-down="0"]').bounding_box())
    page.mouse.move(*side)
    page.mouse.down()
    page.mouse.move(side[0] + 60, side[1])
    page.keyboard.press("Escape")
    page.mouse.up()
    idle(page)
    assert (opened(kit).layer.whole() == still).all()
    assert Operation.objects.filter(canvas=kit.canvas).count() == 4


def test_copied_and_pasted_here_with_every_bit_and_from_the_clipboard_of_the_system(page, live, kit, pen):
    box = room(page, kit)
    x, y = middle(box)
    pen(page).stroke(wave(box))
    committed(page, 1)
    select_box(page, x - 120, y - 80, x, y + 80)
    committed(page, 2)
    where = selected_box(opened(kit))
    kept = opened(kit).layer.read(where)
    page.locator('[data-clip="cut"]').click()
    page.wait_for_function("() => document.getElementById('picture').dataset.copied")
    committed(page, 3)
    assert not opened(kit).layer.read(where).any()
    page.locator('[data-clip="paste"]').click()
    committed(page, 4)
    canvas = opened(kit)
    assert [one.name for one in canvas.stack][-1].startswith("From")
    assert (canvas.layer_blocks(canvas.stack[-1].id).read(where) == kept).all()
    # A picture that another program put on the clipboard.
    data = BytesIO()
    Image.new("RGBA", (60, 40), (194, 85, 59, 255)).save(data, "PNG")
    page.evaluate(
        """(octets) => {
            const data = new DataTransfer();
            data.items.add(new File([new Uint8Array(octets)], "shot.png", { type: "image/png" }));
            document.body.dispatchEvent(new ClipboardEvent("paste", { clipboardData: data, bubbles: true }));
        }""",
        list(data.getvalue()),
    )
    committed(page, 5)
    canvas = opened(kit)
    assert canvas.stack[-1].name == "shot"
    blocks = canvas.layer_blocks(canvas.stack[-1].id).whole()
    assert (blocks[..., 3] == 65535).sum() == 2400


@pytest.mark.parametrize("kind", ["tile", "grain", "tip", "motif"])
def test_what_is_selected_is_taken_as_a_thing_of_its_own(page, live, kit, pen, kind):
    box = room(page, kit)
    x, y = middle(box)
    pen(page).stroke(wave(box))
    committed(page, 1)
    select_box(page, x - 100, y - 60, x + 100, y + 60)
    committed(page, 2)
    left, top, right, bottom = selected_box(opened(kit))
    tiles = Tile.objects.count()
    page.locator("summary", has_text="New from selection").click()
    page.locator(f'#take-as [value="{kind}"]').click()
    page.wait_for_url(
        re.compile({"tile": r"/tiles/\d+/", "grain": "/grains/", "tip": "/brushes/", "motif": "/layout/"}[kind])
    )
    made = Tile.objects.order_by("pk")[tiles]
    assert made.latest.recipe["size"] == [right - left, bottom - top]
    if kind == "grain":
        assert Grain.objects.latest("pk").latest.tile_version == made.latest
    if kind == "tip":
        assert Brush.objects.latest("pk").latest.definition["coats"][0]["tip"]["source"] == {
            "tile_version": made.latest.pk
        }


def test_a_filter_is_seen_before_it_is_done_and_keeps_to_what_is_selected(page, live, kit, pen):
    box = room(page, kit)
    x, y = middle(box)
    pen(page).stroke(wave(box))
    committed(page, 1)
    select_box(page, box["x"] + 150, y - 150, x, y + 150)
    committed(page, 2)
    before = seen(page)
    page.locator("#filter-open").click()
    page.locator("#filter-step").select_option("blur")
    expect(page.locator("#filter-what")).to_have_text("Applies to the selection")
    set_value(page, "filter.blur.reach", "3")
    looked = tried(page)
    changed = np.abs(looked.astype(int) - before).max(axis=2) > 8
    assert changed.any()
    right = page.evaluate(
        "() => { const { facts, left, zoom } = window.orvixRoom.picture; return (facts.width - left) * zoom; }"
    )
    assert not changed[:, int(x - box["x"]) + 2 : int(right) - 1].any(), "nothing right of the selection"
    page.locator("#filter-close").click()
    assert (seen(page) == before).all(), "closing leaves the picture as it was"
    page.locator("#filter-open").click()
    set_value(page, "filter.blur.reach", "3")
    page.locator("#filter-now").click()
    committed(page, 3)
    assert (seen(page) == looked).all()
    assert Operation.objects.get(canvas=kit.canvas, number=3).data["values"]["reach"] == 3
