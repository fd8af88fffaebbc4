"""Guides of the canvas room: symmetry while the hand draws, lines that it keeps to, and that they are remembered."""

from __future__ import annotations

from io import BytesIO

import numpy as np
from PIL import Image
from playwright.sync_api import expect

from orvix_web.canvases.models import Canvas, Operation
from orvix_web.canvases.rows import unpack_samples
from orvix_web.canvases.storage import load
from tests.browser.walk import canvas_pixels, idle, open_room, png, set_value, wait_count


def room(page, kit) -> tuple[float, float]:
    box = open_room(page, f"/canvases/{kit.canvas.pk}/")
    set_value(page, "size", "14")
    return box["x"] + box["width"] / 2, box["y"] + box["height"] / 2


def alpha(kit) -> np.ndarray:
    return load(Canvas.objects.get(pk=kit.canvas.pk)).canvas.layer.whole()[..., 3]


def drag(page, *points) -> None:
    page.mouse.move(*points[0])
    page.mouse.down()
    for at in points[1:]:
        page.mouse.move(*at, steps=6)
    page.mouse.up()


def test_a_mirror_is_painted_while_the_hand_draws_and_its_middle_is_dragged(page, live, kit):
    x, y = room(page, kit)
    page.locator("#guides-open").click()
    page.locator("#guide-symmetry").select_option("across")
    page.locator("#guides-open").click()
    bare = canvas_pixels(page, "#picture canvas")
    page.mouse.move(x - 120, y - 60)
    page.mouse.down()
    page.mouse.move(x - 40, y + 30, steps=8)
    idle(page)
    seen = np.abs(canvas_pixels(page, "#picture canvas").astype(int) - bare).max(axis=2) > 40
    assert seen[:, int(x) + 35 : int(x) + 125].any(), "seen on the other side before the hand lifts"
    page.mouse.up()
    wait_count(page, "#picture", "committed", 1)
    got = alpha(kit) > 20000
    assert got.any()
    assert (got == got[:, ::-1]).mean() > 0.995
    middle = page.locator('#room-guides [data-guide="middle"]').bounding_box()
    at = middle["x"] + 6, middle["y"] + 6
    drag(page, at, (at[0] - 80, at[1]))
    drag(page, (x - 130, y + 60), (x - 100, y + 90))
    wait_count(page, "#picture", "committed", 2)
    told = Operation.objects.get(canvas=kit.canvas, number=2).data["symmetry"]
    assert told["kind"] == "mirror"
    assert told["x"] < kit.canvas.width / 2 - 40
    # It is as it was when the room is opened again; none is none.
    open_room(page, f"/canvases/{kit.canvas.pk}/")
    expect(page.locator("#guides-open")).to_have_text("Symmetry")
    page.locator("#guides-open").click()
    page.locator("#guide-symmetry").select_option("")
    page.locator("#guides-open").click()
    drag(page, (x - 130, y + 60), (x - 100, y + 90))
    wait_count(page, "#picture", "committed", 1)
    assert "symmetry" not in Operation.objects.get(canvas=kit.canvas, number=3).data


def test_the_hand_keeps_to_grid_ruler_and_centre_lines_that_it_comes_near(page, live, kit):
    x, y = room(page, kit)
    page.locator("#guides-open").click()
    page.locator("#guide-centre").check()
    page.locator("#guides-open").click()
    drag(page, (x - 100, y + 4), (x - 20, y - 4), (x + 80, y + 3))
    wait_count(page, "#picture", "committed", 1)
    samples = unpack_samples(Operation.objects.get(canvas=kit.canvas, number=1).samples)
    assert np.abs(samples[:, 2] - kit.canvas.height / 2).max() < 1e-3
    page.locator("#guides-open").click()
    page.locator("#guide-centre").uncheck()
    page.locator("#guide-ruler").check()
    page.locator("#guides-open").click()
    expect(page.locator('#room-guides [data-guide="1"]')).to_be_visible()
    end = page.locator('#room-guides [data-guide="1"]').bounding_box()
    drag(page, (end["x"] + 6, end["y"] + 6), (end["x"] + 6, end["y"] - 60))
    drag(page, (x - 60, y - 18), (x + 20, y - 38))
    wait_count(page, "#picture", "committed", 2)
    samples = unpack_samples(Operation.objects.get(canvas=kit.canvas, number=2).samples)
    slope = np.diff(samples[:, 2])[np.diff(samples[:, 1]) > 0.5] / np.diff(samples[:, 1])[np.diff(samples[:, 1]) > 0.5]
    assert np.ptp(slope) < 0.02, "all along one line"
    assert slope.mean() < -0.05


def test_the_view_is_turned_and_flipped_the_hand_with_it_and_the_picture_stays(page, live, kit):
    x, y = room(page, kit)
    page.locator("#picture").focus()
    for key in ("t", "t"):
        page.keyboard.press(key)
    page.get_by_role("button", name="Flip view").click()
    page.locator("#picture").focus()
    idle(page)
    before = alpha(kit)
    assert not before.any()
    drag(page, (x - 60, y), (x + 60, y))
    wait_count(page, "#picture", "committed", 1)
    samples = unpack_samples(Operation.objects.get(canvas=kit.canvas, number=1).samples)
    (dx, dy) = samples[-1, 1:3] - samples[0, 1:3]
    assert dx < 0, "in a mirror"
    assert abs(np.degrees(np.arctan2(dy, -dx)) + 30) < 0.5, "as far as the view is turned"
    # What was painted is seen under the hand.
    idle(page)
    page.mouse.move(5, 5)
    shot = png(page.screenshot())
    strip = shot[int(y) - 3 : int(y) + 3, int(x) - 40 : int(x) + 40].mean(axis=2)
    assert strip.mean() < shot[int(y) - 40 : int(y) - 34, int(x) - 40 : int(x) + 40].mean() - 40
    page.keyboard.press("Shift+T")
    expect(page.locator("#turn-text")).to_have_text("0°")


def test_a_picture_lies_beside_the_work_and_a_press_picks_its_colour(page, live, kit):
    room(page, kit)
    data = BytesIO()
    Image.new("RGB", (120, 80), (47, 111, 147)).save(data, "PNG")
    page.locator("#guides-open").click()
    picture = {"name": "beside.png", "mimeType": "image/png", "buffer": data.getvalue()}
    page.locator("#reference-file").set_input_files(picture)
    page.locator("#guides-open").click()
    expect(page.locator("#reference")).to_be_visible()
    page.locator("#reference-picture").click()
    expect(page.locator("#colour")).to_have_value("#2f6f93")
    bar = page.locator("#reference-bar").bounding_box()
    drag(page, (bar["x"] + 30, bar["y"] + 6), (bar["x"] + 130, bar["y"] + 86))
    moved = page.locator("#reference-bar").bounding_box()
    assert (round(moved["x"] - bar["x"]), round(moved["y"] - bar["y"])) == (100, 80)
    assert not Operation.objects.filter(canvas=kit.canvas).exists()
    page.locator("#reference-file").set_input_files(picture | {"name": "none.png", "buffer": b"MZ"})
    expect(page.locator("#refusals")).to_contain_text("none.png cannot be shown")
