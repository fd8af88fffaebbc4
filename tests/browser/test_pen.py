"""The painter's own pen: measured on its pad, kept, and used on a canvas; scribbles that stay; grounds of one's own."""

from __future__ import annotations

import numpy as np
import pytest
from playwright.sync_api import expect

from orvix_web.accounts.models import Pen as PenRow
from orvix_web.brushes.models import Brush
from orvix_web.canvases.rows import load_stroke
from tests.browser.walk import canvas_pixels, idle, open_room, sheet_pixels, wait_count

pytestmark = pytest.mark.django_db(transaction=True)


def line(box: dict, y: float, press: float, steps: int = 24) -> list[tuple[float, float, float]]:
    return [(box["x"] + 40 + 20 * n, box["y"] + y, press) for n in range(steps)]


def test_three_strokes_on_the_pad_make_a_light_a_usual_and_a_hard_touch(page, live, kit, pen):
    page.goto("/pen/")
    wait_count(page, "#pen", "shown", 1)
    expect(page.locator("#keep-button")).to_be_disabled()
    box = page.locator("#strip").bounding_box()
    hand = pen(page)
    for n, (name, press) in enumerate((("light", 0.12), ("usual", 0.35), ("hard", 0.7))):
        expect(page.locator(f'[data-touch="{name}"]')).to_have_class("now")
        hand.stroke(line(box, 60 + 80 * n, press))
    expect(page.locator('[data-touch="hard"] output')).to_have_text("70 %")
    assert page.locator('.value[data-value="light"] .number input').input_value() == "12"
    # What is stroked now is painted as it stands for.
    page.locator("#strip-clear").click()
    page.wait_for_function("() => document.getElementById('strip').dataset.strokes === '0'")
    idle(page)
    hand.stroke(line(box, 200, 0.7))
    page.wait_for_function("() => document.getElementById('strip').dataset.strokes === '1'")
    idle(page)
    dark = (canvas_pixels(page, "#strip canvas")[..., 0] < 120).any(axis=1)
    assert dark.sum() > 45, "a hard touch is as thick as the brush is"
    page.locator("#keep-button").click()
    expect(page.locator("#pen-kept")).to_have_text("Calibrated")
    assert PenRow.objects.get().response == [[0, 0], [0.12, 0.05], [0.35, 0.5], [0.7, 1]]
    room = open_room(page, f"/canvases/{kit.canvas.pk}/")
    middle = {"x": room["x"] + room["width"] * 0.3, "y": room["y"] + room["height"] * 0.5}
    pen(page).stroke(line(middle, 0, 0.35))
    wait_count(page, "#picture", "committed", 1)
    assert np.allclose(load_stroke(kit.canvas, 1).samples[:, 3], 0.5, atol=0.03)
    # It is there again when the page is opened again, can be typed, and taken back.
    page.goto("/pen/")
    wait_count(page, "#pen", "shown", 1)
    usual = page.locator('.value[data-value="usual"] .number input')
    expect(usual).to_have_value("35")
    usual.fill("40")
    usual.press("Enter")
    expect(page.locator("#keep-button")).to_be_enabled()
    page.locator("#plain").click()
    page.locator("#keep-button").click()
    expect(page.locator("#pen-kept")).to_have_text("Raw pressure")


@pytest.mark.usefixtures("live")
def test_a_mouse_is_not_measured(page):
    page.goto("/pen/")
    wait_count(page, "#pen", "shown", 1)
    box = page.locator("#strip").bounding_box()
    page.mouse.move(box["x"] + 60, box["y"] + 80)
    page.mouse.down()
    page.mouse.move(box["x"] + 200, box["y"] + 90, steps=8)
    page.mouse.up()
    expect(page.locator("#refusals")).to_contain_text("mouse or finger")
    expect(page.locator('[data-touch="light"]')).to_have_class("now")


def test_scribbles_are_there_again_on_another_brushs_bench_and_after_a_lost_connection(page, live, kit, pen):
    def opened() -> None:
        wait_count(page, "#sheet", "shown", 1)
        sheet_pixels(page)
        idle(page)

    page.goto(f"/brushes/{kit.brush.pk}/")
    opened()
    box = page.locator("#strip").bounding_box()
    pen(page).stroke(line(box, 60, 0.6))
    page.wait_for_function("() => document.getElementById('strip').dataset.strokes === '1'")
    idle(page)
    first = canvas_pixels(page, "#strip canvas")
    assert (first < 150).any()
    page.evaluate("() => window.orvixBench.strip.link.connection.drop()")
    page.wait_for_function("() => !window.orvixBench.strip.link.ready")
    page.wait_for_function("() => window.orvixBench.strip.link.ready")
    page.wait_for_function("() => document.getElementById('strip').dataset.strokes === '1'")
    idle(page)
    assert np.array_equal(canvas_pixels(page, "#strip canvas"), first)
    other = Brush.objects.create(owner=kit.owner, name="Other")
    version = kit.brush.latest
    version.pk, version.brush, version.number = None, other, 1
    version.save()
    page.goto(f"/brushes/{other.pk}/")
    opened()
    assert np.array_equal(canvas_pixels(page, "#strip canvas"), first)
    page.locator("#strip-clear").click()
    page.wait_for_function("() => document.getElementById('strip').dataset.strokes === '0'")
    page.reload()
    opened()
    assert (canvas_pixels(page, "#strip canvas") > 200).all()


def test_the_sheet_lies_over_a_canvas_and_the_strip_becomes_the_brushs_picture(page, live, kit, pen):
    room = open_room(page, f"/canvases/{kit.canvas.pk}/")
    middle = {"x": room["x"] + room["width"] * 0.3, "y": room["y"] + room["height"] * 0.5}
    pen(page).stroke(line(middle, 0, 0.8))
    wait_count(page, "#picture", "committed", 1)
    page.goto(f"/brushes/{kit.brush.pk}/")
    wait_count(page, "#sheet", "shown", 1)
    light = sheet_pixels(page)
    page.locator('label:has(input[name=ground][value="canvas"])').click()
    over = sheet_pixels(page)
    assert not np.array_equal(over, light)
    page.locator("#over-next").click()
    assert not np.array_equal(sheet_pixels(page), over)
    page.locator("[data-about]").click()
    page.locator("#picture-strip").click()
    expect(page.locator("#refusals")).to_contain_text("Paint on it first")
    page.locator("[data-close]").first.click()
    box = page.locator("#strip").bounding_box()
    pen(page).stroke(line(box, 60, 0.6))
    page.wait_for_function("() => document.getElementById('strip').dataset.strokes === '1'")
    idle(page)
    page.locator("[data-about]").click()
    page.locator("#picture-strip").click()
    expect(page.locator("#about-dialog")).to_be_hidden()
    assert bytes(Brush.objects.get().picture)[:4] == b"\x89PNG"
