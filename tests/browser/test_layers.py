"""The layers of the canvas room: one to a colour, filled, clipped, masked, moved; strokes put right in their place."""

from __future__ import annotations

import re

import numpy as np
import pytest
from playwright.sync_api import expect

from orvix_web.canvases import steps
from orvix_web.canvases.models import Canvas, Operation
from orvix_web.canvases.rows import load_stroke
from orvix_web.canvases.storage import load
from orvix_web.jobs.models import Job
from orvix_web.jobs.tasks import run_job
from orvix_web.tiles.services import create_tile, keep_tile
from tests.browser.walk import canvas_pixels, idle, open_room, set_value, wait_count, wave


def room(page, kit) -> dict:
    return open_room(page, f"/canvases/{kit.canvas.pk}/")


def stack(kit) -> list[dict]:
    return [one.as_dict() for one in load(Canvas.objects.get(pk=kit.canvas.pk)).canvas.stack]


def committed(page, count: int) -> None:
    wait_count(page, "#picture", "committed", count)


def layer(page, number: int):
    return page.locator(f'#layers [data-layer="{number}"]')


def seen(page) -> np.ndarray:
    idle(page)
    page.mouse.move(5, 5)
    return canvas_pixels(page, "#picture canvas")


def test_c1_a_layer_for_each_colour_and_the_stroke_on_the_wrong_one_is_one_press(page, live, kit, pen):
    box = room(page, kit)
    pen(page).stroke(wave(box, height=0.3))
    committed(page, 1)
    page.locator("[data-add-layer=paint]").click()
    expect(page.locator("#layer-in-hand")).to_have_text("Layer 2")
    committed(page, 2)
    page.locator('[data-colour="#c2553b"]').click()
    pen(page).stroke(wave(box, height=0.5))
    committed(page, 3)
    assert Operation.objects.get(canvas=kit.canvas, number=3).data["layer"] == 2
    # Each layer shows its own picture, and the one in hand is told.
    page.wait_for_function("() => Number(document.getElementById('layers').dataset.pictures || 0) >= 2")
    before = seen(page)
    layer(page, 1).locator(".take").click()
    expect(page.locator("#layer-in-hand")).to_have_text("Layer 1")
    # The last stroke was meant for this layer: one press, and it looks as before.
    page.locator("#last-here").click()
    committed(page, 4)
    canvas = load(kit.canvas).canvas
    assert not canvas.layer_blocks(2).keys()
    assert np.array_equal(seen(page), before)
    expect(page.locator("#last-here")).to_be_hidden()
    # All of the layer in another colour, in its place, with light and dark kept.
    page.locator("#layer-settings").click()
    page.locator('#layer-sheet [value="colour"]').click()
    committed(page, 5)
    assert not np.array_equal(seen(page), before)
    page.keyboard.press("Escape")
    page.locator("#undo").click()
    committed(page, 6)
    assert np.array_equal(seen(page), before)


def test_layers_are_named_made_fainter_hidden_grouped_duplicated_merged_and_dragged_into_order(page, live, kit, pen):
    box = room(page, kit)
    for n in range(3):
        if n:
            page.locator('[data-add-layer="paint"]').click()
            expect(page.locator("#layer-in-hand")).to_have_text(f"Layer {n + 1}")
        pen(page).stroke(wave(box, height=0.3 + 0.2 * n))
        committed(page, 2 * n + 1)
    layer(page, 3).locator(".take").click()
    page.locator("#sheet-name").fill("crests")
    page.locator("#sheet-name").press("Enter")
    committed(page, 6)
    page.locator("#sheet-mode").select_option("multiply")
    committed(page, 7)
    set_value(page, "layer.opacity", "40")
    committed(page, 8)
    expect(layer(page, 3)).to_contain_text("40 %, multiply")
    told = stack(kit)[-1]
    assert (told["name"], told["mode"], told["opacity"]) == ("crests", "multiply", 0.4)
    page.keyboard.press("Escape")
    # Dragged to the back.
    from_box, to_box = layer(page, 3).bounding_box(), layer(page, 1).bounding_box()
    page.mouse.move(from_box["x"] + 30, from_box["y"] + 20)
    page.mouse.down()
    page.mouse.move(from_box["x"] - 20, from_box["y"] + 20)
    page.mouse.move(to_box["x"] + 6, to_box["y"] + 20)
    expect(layer(page, 1)).to_have_class(re.compile("put-before"))
    page.mouse.up()
    committed(page, 9)
    assert [one["id"] for one in stack(kit)] == [3, 1, 2]
    # Two at once into a group, which is hidden, shown, duplicated and merged.
    layer(page, 1).locator(".take").click()
    layer(page, 2).locator(".take").click(modifiers=["Control"])
    page.locator("#layer-settings").click()
    page.locator('#layer-sheet [value="group"]').click()
    committed(page, 10)
    expect(page.locator("#layer-in-hand")).to_have_text("Group 4")
    shown = seen(page)
    layer(page, 4).hover()
    layer(page, 4).locator(".eye").click()
    committed(page, 11)
    assert not np.array_equal(seen(page), shown)
    layer(page, 4).locator(".eye").click()
    committed(page, 12)
    assert np.array_equal(seen(page), shown)
    page.locator('#layer-sheet [value="duplicate"]').click()
    committed(page, 13)
    fresh = stack(kit)[-1]["id"]
    assert [one.get("parent", 0) for one in stack(kit)] == [0, 4, 4, 0, fresh, fresh, 0]
    page.locator('#layer-sheet [value="merge"]').click()
    committed(page, 14)
    assert [one.get("kind", "paint") for one in stack(kit)] == ["paint", "paint", "paint", "group", "paint"]
    page.locator('#layer-sheet [value="out"]').click()
    committed(page, 15)
    assert np.array_equal(seen(page), shown)


def test_c4_only_where_there_is_paint_below_or_already_and_hidden_by_a_mask(page, live, kit, pen):
    box = room(page, kit)
    pen(page).stroke(wave(box))
    committed(page, 1)
    alpha = load(kit.canvas).canvas.layer_blocks(1).whole()[..., 3].copy()
    # Clipped: a stroke over the layer shows only where the layer under it has paint.
    page.locator('[data-add-layer="paint"]').click()
    committed(page, 2)
    page.locator("#layer-settings").click()
    page.locator('#layer-sheet [name="clipped"]').check()
    committed(page, 3)
    page.locator('[data-colour="#c2553b"]').click()
    set_value(page, "size", "90")
    pen(page).stroke(wave(box, height=0.52))
    committed(page, 4)
    pixels = load(kit.canvas).canvas.view((0, 0, 640, 384)).astype(int)
    assert (pixels[alpha == 0][:, :3] == (0xF2, 0xEF, 0xE6)).all()
    assert (np.abs(pixels[alpha > 60000][:, :3] - (0xC2, 0x55, 0x3B)).max(axis=1) < 12).mean() > 0.3
    # Transparency locked: the layer itself takes paint where it has some already.
    layer(page, 1).locator(".take").click()
    page.locator('#layer-sheet [name="alpha_locked"]').check()
    committed(page, 5)
    pen(page).stroke(wave(box, height=0.5))
    committed(page, 6)
    assert np.array_equal(load(kit.canvas).canvas.layer_blocks(1).whole()[..., 3], alpha)
    # A mask: painted, it hides; erased, it shows again.
    before = seen(page)
    page.locator('#layer-sheet [value="mask"]').click()
    committed(page, 7)
    expect(page.locator("#layer-in-hand")).to_have_text("Mask of Layer 1")
    pen(page).stroke(wave(box))
    committed(page, 8)
    hidden = seen(page)
    assert not np.array_equal(hidden, before)
    page.locator("#picture").focus()
    page.keyboard.press("e")
    set_value(page, "size", "200")
    for n in range(3):
        pen(page).stroke(wave(box))
        committed(page, 9 + n)
    assert np.abs(seen(page).astype(int) - before).mean() < np.abs(hidden.astype(int) - before).mean() / 4
    # What is locked refuses by its rule, and nothing is lost.
    page.locator('#layer-sheet [name="locked"]').check()
    committed(page, 12)
    pen(page).stroke(wave(box))
    expect(page.locator("#refusals")).to_contain_text("locked")
    assert Operation.objects.filter(canvas=kit.canvas).count() == 12


def test_a_fill_follows_its_tile_at_once_and_is_dragged_on_the_picture(page, live, kit, pen):
    checks = {"size": [128, 128], "source": {"name": "check", "values": {}}}
    tile = create_tile(kit.owner, "Checks", checks)
    box = room(page, kit)
    bare = seen(page)
    page.locator('[data-add-layer="fill"]').click()
    committed(page, 1)
    page.locator("#layer-settings").click()
    page.locator("#fill-kind").select_option(str(tile.pk))
    committed(page, 2)
    expect(page.locator("#fit")).to_contain_text("✓")
    filled = seen(page)
    assert not np.array_equal(filled, bare)
    set_value(page, "fill.scale", "5/6")
    committed(page, 3)
    expect(page.locator("#fit")).to_contain_text("off by")
    # Once the seam is read too there is less room for words, and still a press to take.
    page.wait_for_selector("#seam[data-verdict]")
    page.locator("#fit button", has_text="scale").click()
    committed(page, 4)
    expect(page.locator("#fit")).to_contain_text("✓")
    # Dragged: it follows the pointer, and one change is kept when it is let go.
    page.locator('input[name="mode"][value="move"]').check()
    page.mouse.move(box["x"] + 300, box["y"] + 200)
    page.mouse.down()
    for n in range(8):
        page.mouse.move(box["x"] + 300 + 6 * n, box["y"] + 200 + 3 * n)
    page.mouse.up()
    committed(page, 5)
    moved = stack(kit)[-1]["fill"]
    zoom = page.evaluate("() => window.orvixRoom.picture.zoom")
    assert (moved["x"], moved["y"]) == (round(42 / zoom), round(21 / zoom))
    # A new version of the tile shows at once, with nothing pressed here.
    now = seen(page)
    updates = int(page.locator("#picture").get_attribute("data-updates"))
    keep_tile(kit.owner, tile.pk, checks | {"source": {"name": "noise", "values": {"cells": 4}}})
    wait_count(page, "#picture", "updates", updates + 1)
    assert not np.array_equal(seen(page), now)


def test_a_stroke_early_in_a_long_painting_is_put_right_beside_it_and_used(page, live, kit, pen, monkeypatch):
    monkeypatch.setattr(steps, "MOST_AT_ONCE", 1)
    box = room(page, kit)
    for height in (0.3, 0.6):
        pen(page).stroke(wave(box, height=height))
    committed(page, 2)
    before = seen(page)
    page.locator("#picture").focus()
    page.keyboard.press("w")
    x, y, _ = wave(box, height=0.3)[15]
    page.mouse.click(x, y)
    page.locator('[data-colour="#c2553b"]').click()
    page.locator('#picked [value="colour"]').click()
    expect(page.locator("#again")).to_contain_text("Repainting 2 steps next to the canvas")
    expect(page.locator("#jobs")).to_contain_text("Repaint 1 stroke of Page")
    assert page.locator("#refusals").inner_text() == ""
    run_job.func(job=Job.objects.get().pk)
    expect(page.locator("#again")).to_contain_text("Repainted, on the right: 1 stroke")
    wait_count(page, "#again-view", "updates", 1)
    page.get_by_role("button", name="Apply").click()
    committed(page, 3)
    expect(page.locator("#again-view")).to_be_hidden()
    page.get_by_role("button", name="Fit", exact=True).click()
    red = seen(page)
    assert red.shape == before.shape
    assert not np.array_equal(red, before)
    page.locator("#undo").click()
    committed(page, 4)
    assert np.array_equal(seen(page), before)


def test_strokes_are_picked_on_the_picture_and_painted_otherwise_in_their_place(page, live, kit, pen):
    box = room(page, kit)
    pen(page).stroke(wave(box, height=0.3))
    pen(page).stroke(wave(box, height=0.6))
    committed(page, 2)
    page.locator('[data-add-layer="paint"]').click()
    committed(page, 3)
    before = seen(page)
    page.locator("#picture").focus()
    page.keyboard.press("w")
    x, y, _ = wave(box, height=0.6)[15]
    page.mouse.click(x, y)
    expect(page.locator("#picked-words")).to_have_text("1 stroke with Chalk")
    assert page.locator("#picked-paths polyline").count() == 2
    page.locator('[data-colour="#c2553b"]').click()
    page.locator('#picked [value="colour"]').click()
    committed(page, 4)
    red = seen(page)
    assert not np.array_equal(red, before)
    page.locator('#picked [value="layer"]').click()
    committed(page, 5)
    assert np.array_equal(seen(page), red)
    assert load(kit.canvas).canvas.layer_blocks(2).keys()
    page.locator('#picked [value="larger"]').click()
    committed(page, 6)
    assert not np.array_equal(seen(page), red)
    # A second one beside it, with Shift; both are taken out, and come back with Undo.
    x, y, _ = wave(box, height=0.3)[15]
    page.keyboard.down("Shift")
    page.mouse.click(x, y)
    page.keyboard.up("Shift")
    expect(page.locator("#picked-words")).to_have_text("2 strokes with Chalk")
    larger = seen(page)
    page.locator('#picked [value="out"]').click()
    committed(page, 7)
    bare = seen(page)
    assert len(np.unique(bare[200:400, 300:900].reshape(-1, 3), axis=0)) < 4
    page.locator("#undo").click()
    committed(page, 8)
    assert np.array_equal(seen(page), larger)
    # Opened again, everything is as it was left.
    kept = load(kit.canvas).canvas.view((0, 0, 640, 384))
    page.reload()
    wait_count(page, "#picture", "updates", 1)
    assert np.array_equal(load(kit.canvas).canvas.view((0, 0, 640, 384)), kept)


def test_c2_straight_runs_follow_the_pointer_until_let_go_and_go_on_from_there(page, live, kit, pen):
    box = room(page, kit)
    page.locator("#lines").select_option("on")
    x, y = box["x"] + box["width"] * 0.4, box["y"] + box["height"] * 0.5
    hand = pen(page)
    bare = seen(page)
    hand.stroke([(x, y, 0.8), (x + 60, y + 20, 0.8), (x + 120, y + 50, 0.8)], lift=False)
    page.wait_for_function("() => window.orvixRoom.hand.stroke?.sent")
    under_way = seen(page)
    assert not np.array_equal(under_way, bare), "painted while its end is still held"
    assert Operation.objects.filter(canvas=kit.canvas).count() == 0
    hand._send("mouseMoved", x + 110, y, 0.8)
    hand._send("mouseReleased", x + 110, y, 0)
    committed(page, 1)
    # The next one goes on from there, kept to every 15 degrees by Shift.
    page.keyboard.down("Shift")
    page.mouse.move(x + 10, y - 70)
    page.mouse.down()
    page.mouse.move(x + 112, y + 60)
    page.mouse.move(x + 113, y + 90)
    page.mouse.up()
    page.keyboard.up("Shift")
    committed(page, 2)
    first, second = (load_stroke(kit.canvas, n).samples for n in (1, 2))
    assert np.allclose(first[-1, 2], first[0, 2], atol=1e-3), "level, as it was let go"
    assert np.allclose(first[-1, 1:3], second[0, 1:3], atol=1e-3)
    turn = np.degrees(np.arctan2(*(second[-1, 1:3] - second[0, 1:3])[::-1]))
    assert turn == pytest.approx(90, abs=0.01)


def test_an_area_is_filled_by_a_press_and_a_gradient_laid_by_a_drag(page, live, kit, pen):
    box = room(page, kit)
    bare = seen(page)
    page.locator("#picture").focus()
    page.keyboard.press("f")
    expect(page.locator("#filling")).to_be_visible()
    x, y = box["x"] + box["width"] * 0.45, box["y"] + box["height"] * 0.5
    page.locator('[data-colour="#c2553b"]').click()
    page.mouse.click(x, y)
    committed(page, 1)
    pixels = load(kit.canvas).canvas.view((0, 0, 640, 384))
    assert (pixels[..., :3] == (0xC2, 0x55, 0x3B)).all(), "nothing bounds it: with joined edges all of it"
    page.keyboard.press("z")
    committed(page, 2)
    assert np.array_equal(seen(page), bare)
    page.mouse.move(x - 100, y)
    page.mouse.down()
    page.mouse.move(x + 20, y)
    page.mouse.move(x + 100, y)
    page.mouse.up()
    committed(page, 3)
    row = load(kit.canvas).canvas.view((0, 0, 640, 384))[100, :, 2].astype(int)
    assert row[0] == 0x3B
    assert row[-1] == int(page.locator("#second-colour").input_value()[5:], 16)
    assert (np.diff(row) >= 0).all()
    page.locator("#fill-grow").fill("999")
    page.mouse.click(x, y)
    expect(page.locator("#refusals")).to_contain_text("Grow cannot be 999")


def test_effects_at_the_edges_are_switched_on_tried_and_follow_the_paint(page, live, kit, pen):
    box = room(page, kit)
    pen(page).stroke(wave(box))
    committed(page, 1)
    before = seen(page)
    page.locator("#layer-settings").click()
    page.locator("#layer-effects summary").click()
    page.locator('[data-effect-on="outline"]').check()
    committed(page, 2)
    outlined = seen(page)
    assert not np.array_equal(outlined, before)
    set_value(page, "effect.outline.width", "14")
    committed(page, 3)
    wider = (seen(page) != before).any(axis=2).sum()
    assert wider > 1.3 * (outlined != before).any(axis=2).sum()
    assert stack(kit)[0]["effects"][0]["width"] == 14
    page.keyboard.press("Escape")
    pen(page).stroke(wave(box, height=0.7))
    committed(page, 4)
    assert (seen(page) != before).any(axis=2).sum() > 1.5 * wider, "the next stroke has one too"
    page.locator("#layer-settings").click()
    page.locator('[data-effect-on="outline"]').uncheck()
    committed(page, 5)
    assert "effects" not in stack(kit)[0]
