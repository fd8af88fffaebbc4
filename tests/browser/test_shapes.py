"""Shapes in the canvas room: drawn by a drag, outlined by brushes, filled with tiles, their points dragged."""

from __future__ import annotations

from dataclasses import replace
from math import cos, pi, sin

import numpy as np
import pytest
from playwright.sync_api import expect

from orvix_web.brushes.services import create_from_definition, starter_definition
from orvix_web.canvases.models import Canvas, Operation
from orvix_web.canvases.storage import load
from orvix_web.tiles.services import create_tile
from tests.browser.walk import canvas_pixels, idle, open_room, wait_count


def drag(page, points) -> None:
    page.mouse.move(*points[0])
    page.mouse.down()
    for at in points[1:]:
        page.mouse.move(*at)
    page.mouse.up()


def stack(kit):
    return load(Canvas.objects.get(pk=kit.canvas.pk)).canvas.stack


def seen(page) -> np.ndarray:
    idle(page)
    page.mouse.move(5, 5)
    return canvas_pixels(page, "#picture canvas")


def committed(page, count: int) -> None:
    wait_count(page, "#picture", "committed", count)


def test_b5_a_border_runs_round_a_shape_and_another_brush_in_it_is_two_presses(page, live, kit):
    create_from_definition(kit.owner, "Rope", starter_definition(kit.owner, "rope-ribbon"))
    box = open_room(page, f"/canvases/{kit.canvas.pk}/")
    x, y = box["x"] + box["width"] / 2, box["y"] + box["height"] / 2
    page.locator("#picture").focus()
    page.keyboard.press("h")
    page.locator('[data-brush][title^="Rope"]').click()
    expect(page.locator('input[name="mode"][value="shape"]')).to_be_checked()
    page.locator("#shape-kind").select_option("rectangle")
    bare = seen(page)
    drag(page, [(x - 120, y - 70), (x, y), (x + 120, y + 70)])
    committed(page, 1)
    expect(page.locator("#layer-in-hand")).to_have_text("Rectangle 2")
    roped = seen(page)
    assert not np.array_equal(roped, bare)
    expect(page.locator("#shape-guides rect")).to_have_count(4)
    # A point dragged: the whole border follows, as one change.
    corner = page.locator('#shape-guides rect[data-point="2"]').bounding_box()
    at = corner["x"] + corner["width"] / 2, corner["y"] + corner["height"] / 2
    drag(page, [at, (at[0] + 10, at[1] + 5), (at[0] + 40, at[1] + 20)])
    committed(page, 2)
    points = stack(kit)[1].shape.pieces[0].points
    assert points[2][0] - points[1][0] == pytest.approx(40 / page.evaluate("window.orvixRoom.picture.zoom"), abs=1)
    assert not np.array_equal(seen(page), roped)
    # Another brush along it: two presses.
    now = seen(page)
    page.locator('[data-brush][title^="Chalk"]').click()
    page.locator("#shape-take").click()
    committed(page, 3)
    assert not np.array_equal(seen(page), now)
    version = Operation.objects.get(canvas=kit.canvas, number=3).brush_version
    assert version.brush.name == "Chalk"
    page.locator("#undo").click()
    committed(page, 4)
    assert np.array_equal(seen(page), now)


def test_c5_a_shape_of_several_pieces_filled_with_a_tile_that_is_scaled_and_moved_in_it(page, live, kit):
    tile = create_tile(kit.owner, "Checks", {"size": [128, 128], "source": {"name": "check", "values": {}}})
    box = open_room(page, f"/canvases/{kit.canvas.pk}/")
    x, y = box["x"] + box["width"] / 2, box["y"] + box["height"] / 2
    page.locator("#picture").focus()
    page.keyboard.press("h")
    page.locator("#shape-kind").select_option("ellipse")
    page.locator("#shape-outline").select_option("")
    page.locator("#shape-fill").select_option(str(tile.pk))
    drag(page, [(x - 120, y - 80), (x, y), (x + 120, y + 80)])
    committed(page, 2)
    idle(page)
    told = stack(kit)
    assert [(one.kind, one.clipped) for one in told] == [("paint", False), ("shape", False), ("fill", True)]
    assert told[2].fill.tile == tile.pk
    # A further piece, with Shift: a hole in it.
    page.locator('#layers [data-layer="2"] .take').click()
    page.keyboard.down("Shift")
    drag(page, [(x - 40, y - 30), (x, y), (x + 40, y + 30)])
    page.keyboard.up("Shift")
    committed(page, 3)
    assert len(stack(kit)[1].shape.pieces) == 2
    picture = load(kit.canvas).canvas.view((0, 0, 640, 384))[..., :3]
    assert (picture[192, 320] == (0xF2, 0xEF, 0xE6)).all()
    ring = picture[192, 150:260]
    assert len(np.unique(ring.reshape(-1, 3), axis=0)) > 1, "the tile is seen in it"
    # The tile moved in it by its values.
    page.locator("#layers .fill .take").click()
    before = seen(page)
    page.locator('input[name="mode"][value="move"]').check()
    drag(page, [(x, y), (x + 10, y), (x + 17, y + 9)])
    committed(page, 4)
    assert stack(kit)[2].fill.x > 0
    assert not np.array_equal(seen(page), before)


def test_c3_lines_are_drawn_first_and_painted_after_each_in_its_colour(page, live, kit):
    box = open_room(page, f"/canvases/{kit.canvas.pk}/")
    x, y = box["x"] + box["width"] / 2, box["y"] + box["height"] / 2
    bare = seen(page)
    page.locator("#picture").focus()
    page.keyboard.press("h")
    page.locator("#shape-kind").select_option("line")
    page.locator("#shape-fill").select_option("")
    page.locator("#shape-outline").select_option("")
    drag(page, [(x - 150 + 10 * n, y - 50 + 20 * sin(n / 4)) for n in range(31)])
    committed(page, 1)
    page.locator('[data-colour="#c2553b"]').click()
    page.keyboard.down("Shift")
    drag(page, [(x - 150 + 10 * n, y + 40 + 20 * sin(n / 4)) for n in range(31)])
    page.keyboard.up("Shift")
    committed(page, 2)
    shape = stack(kit)[1].shape
    assert [one.closed for one in shape.pieces] == [False, False]
    assert not load(kit.canvas).canvas.layer_blocks(3).keys(), "nothing is painted yet"
    assert np.array_equal(seen(page)[5:60], bare[5:60])
    page.locator("#shape-outline").select_option("brush")
    page.locator('[data-colour="#1b3f4b"]').click()
    page.locator("#shape-take").click()
    committed(page, 3)
    picture = load(kit.canvas).canvas.view((0, 0, 640, 384))[..., :3].astype(int)
    for colour in ((0xC2, 0x55, 0x3B), (0x1B, 0x3F, 0x4B)):
        assert (np.abs(picture - colour).max(axis=2) < 40).sum() > 200


def test_a_drawn_outline_is_taken_to_its_true_circle(page, live, kit):
    box = open_room(page, f"/canvases/{kit.canvas.pk}/")
    x, y = box["x"] + box["width"] / 2, box["y"] + box["height"] / 2
    page.locator("#picture").focus()
    page.keyboard.press("h")
    page.locator("#shape-kind").select_option("outline")
    drag(page, [(x + 80 * cos(n * pi / 20) + n % 3, y + 78 * sin(n * pi / 20) - n % 2) for n in range(41)])
    committed(page, 1)
    points = np.array(stack(kit)[1].shape.pieces[0].points)
    assert len(points) == 4
    away = np.hypot(*(points[:, :2] - points[:, :2].mean(axis=0)).T)
    assert away == pytest.approx(np.full(4, away[0]), rel=1e-6)
    assert away[0] * page.evaluate("window.orvixRoom.picture.zoom") == pytest.approx(80, abs=4)


def test_paths_come_from_svg_are_kept_and_used_again_with_pressure_along_them(page, live, kit):
    box = open_room(page, f"/canvases/{kit.canvas.pk}/")
    x, y = box["x"] + box["width"] / 2, box["y"] + box["height"] / 2
    page.locator("#picture").focus()
    page.keyboard.press("h")
    drawing = (
        b'<svg xmlns="http://www.w3.org/2000/svg" width="90" height="60"><path d="M5 5 C40 60 60 -20 85 50"/></svg>'
    )
    page.locator("#path-file").set_input_files({"name": "wave.svg", "mimeType": "image/svg+xml", "buffer": drawing})
    expect(page.locator("#path-set")).to_have_value("file:wave")
    page.mouse.click(x - 60, y)
    committed(page, 1)
    expect(page.locator("#layer-in-hand")).to_have_text("wave")
    (piece,) = stack(kit)[-1].shape.pieces
    assert not piece.closed
    # Its pressure is a curve: an end dragged down, a point between added.
    even = seen(page)
    curve = page.locator("#shape-press").bounding_box()
    drag(page, [(curve["x"] + 5, curve["y"] + 4), (curve["x"] + 5, curve["y"] + 30)])
    committed(page, 2)
    drag(page, [(curve["x"] + 60, curve["y"] + 20), (curve["x"] + 60, curve["y"] + 8)])
    committed(page, 3)
    press = stack(kit)[-1].shape.press
    assert len(press) == 3
    assert press[0][1] < 0.3
    assert not np.array_equal(seen(page), even)
    # Kept, it is at hand in every canvas; another press sets it once more.
    page.locator("summary", has_text="Paths").click()
    page.locator("#path-keep").click()
    expect(page.locator("#path-set option")).to_have_count(3)
    page.reload()
    wait_count(page, "#picture", "updates", 1)
    page.locator("#picture").focus()
    page.keyboard.press("h")
    page.locator("summary", has_text="Paths").click()
    page.locator("#path-set").select_option(label="wave")
    page.mouse.click(x + 60, y)
    committed(page, 1)
    assert len(stack(kit)) == 3
    page.locator("summary", has_text="Paths").click()
    page.locator("#path-out").click()
    expect(page.locator("#path-set option")).to_have_count(1)


def knob(page, point: int) -> tuple[float, float]:
    box = page.locator(f'#shape-guides rect[data-point="{point}"]').first.bounding_box()
    return box["x"] + box["width"] / 2, box["y"] + box["height"] / 2


def test_a_dragged_pressure_curve_keeps_the_brush_that_outlines_and_a_right_press_changes_nothing(page, live, kit):
    create_from_definition(kit.owner, "Rope", starter_definition(kit.owner, "rope-ribbon"))
    box = open_room(page, f"/canvases/{kit.canvas.pk}/")
    x, y = box["x"] + box["width"] / 2, box["y"] + box["height"] / 2
    page.locator("#picture").focus()
    page.keyboard.press("h")
    page.locator('[data-brush][title^="Rope"]').click()
    page.locator("#shape-kind").select_option("rectangle")
    drag(page, [(x - 120, y - 70), (x, y), (x + 120, y + 70)])
    committed(page, 1)
    before = stack(kit)[1].shape
    page.locator('[data-brush][title^="Chalk"]').click()
    page.locator("#colour").fill("#00aa00")
    curve = page.locator("#shape-press").bounding_box()
    middle = curve["x"] + curve["width"] / 2
    drag(page, [(middle, curve["y"] + 6), (middle, curve["y"] + curve["height"] / 2)])
    committed(page, 2)
    after = stack(kit)[1].shape
    assert len(after.press) == 3
    assert replace(after, press=before.press) == before
    for place in (knob(page, 1), (middle, curve["y"] + curve["height"] / 2)):
        page.mouse.click(*place, button="right")
        page.mouse.click(*place)
    idle(page)
    assert Operation.objects.filter(canvas=kit.canvas).count() == 2
    assert stack(kit)[1].shape == after


def test_shapes_without_a_look_stay_in_sight_and_all_that_are_selected_follow_in_all_their_pieces(page, live, kit):
    page.set_viewport_size({"width": 1280, "height": 850})
    box = open_room(page, f"/canvases/{kit.canvas.pk}/")
    x, y = box["x"] + box["width"] / 2, box["y"] + box["height"] / 2
    page.locator("#picture").focus()
    page.keyboard.press("h")
    page.locator("#shape-kind").select_option("line")
    page.locator("#shape-fill").select_option("")
    page.locator("#shape-outline").select_option("")
    drag(page, [(x - 150, y - 60), (x - 60, y - 20), (x + 140, y - 60)])
    committed(page, 1)
    drag(page, [(x - 150, y + 20), (x - 60, y + 60), (x + 140, y + 20)])
    committed(page, 2)
    # The first line is neither filled nor outlined: it is in sight all the same, and a press makes it current.
    other = page.locator("#shape-guides .other")
    expect(other).to_have_count(1)
    assert other.bounding_box()["width"] > 200
    page.mouse.click(x - 60, y - 20)
    expect(page.locator("#layer-in-hand")).to_have_text("Freehand line 2")
    # A further piece in a colour of its own; then both lines are selected and outlined at once, in one colour.
    page.locator("#colour").fill("#c2553b")
    page.keyboard.down("Shift")
    drag(page, [(x - 150, y - 100), (x, y - 100), (x + 100, y - 100)])
    page.keyboard.up("Shift")
    committed(page, 3)
    assert [one.colour for one in stack(kit)[1].shape.pieces] == ["", "#c2553b"]
    page.locator("#layers [data-layer] .take").nth(2).click(modifiers=["Control"])
    page.locator("#shape-outline").select_option("brush")
    page.locator("#colour").fill("#1b3f4b")
    page.locator("#shape-own").uncheck()
    page.locator("#shape-take").click()
    committed(page, 5)
    for layer in stack(kit)[1:]:
        assert layer.shape.brush == kit.brush.latest.pk
        assert {(one.colour or layer.shape.colour) for one in layer.shape.pieces} == {"#1b3f4b"}


def test_delete_takes_the_point_that_was_pressed_and_the_last_of_them_is_told(page, live, kit):
    box = open_room(page, f"/canvases/{kit.canvas.pk}/")
    x, y = box["x"] + box["width"] / 2, box["y"] + box["height"] / 2
    page.locator("#picture").focus()
    page.keyboard.press("h")
    page.locator("#shape-kind").select_option("rectangle")
    drag(page, [(x - 120, y - 70), (x, y), (x + 120, y + 70)])
    committed(page, 1)
    page.keyboard.press("Delete")
    expect(page.locator("#refusals")).to_contain_text("Click one of its points")
    page.mouse.click(*knob(page, 1))
    expect(page.locator("#shape-guides rect.current")).to_have_count(1)
    page.keyboard.press("Delete")
    committed(page, 2)
    assert len(stack(kit)[1].shape.pieces[0].points) == 3
    page.mouse.click(*knob(page, 1))
    page.keyboard.press("Delete")
    expect(page.locator("#refusals")).to_contain_text("Delete its layer instead")
    assert len(stack(kit)[1].shape.pieces[0].points) == 3
