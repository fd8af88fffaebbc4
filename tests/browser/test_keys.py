"""Keys in the browser: the table over any page, keys that are held, a colour picked, the picture alone."""

from __future__ import annotations

import pytest
from playwright.sync_api import expect

from orvix_web.canvases.models import Operation
from tests.browser.walk import idle, open_room, wait_count, wave

pytestmark = pytest.mark.django_db(transaction=True)


def drag_with(page, key: str, x: float, y: float, dx: float, dy: float) -> None:
    page.keyboard.down(key)
    page.mouse.move(x, y)
    page.mouse.down()
    page.mouse.move(x + dx, y + dy, steps=4)
    page.mouse.up()
    page.keyboard.up(key)


def test_a_key_is_changed_in_the_table_and_works_at_once(page, new_page, live, kit):
    open_room(page, f"/canvases/{kit.canvas.pk}/")
    page.keyboard.press("?")
    sheet = page.locator("#keys-sheet")
    expect(sheet).to_be_visible()
    expect(sheet.get_by_role("button", name="Erase: E")).to_be_visible()
    sheet.get_by_role("button", name="Erase: E").click()
    page.keyboard.press("p")
    expect(sheet.locator("#key-words")).to_have_text("P already stands for Paint. Choose another key.")
    assert len(new_page.wrong) == 1
    new_page.wrong.clear()  # the browser counts an answer that refuses as an error
    sheet.get_by_role("button", name="Erase: E").click()
    page.keyboard.press("Shift+E")
    expect(sheet.get_by_role("button", name="Erase: Shift+E")).to_be_focused()
    page.keyboard.press("Escape")
    expect(sheet).to_be_hidden()
    erase = page.locator("input[name=mode][value=erase]")
    page.keyboard.press("e")
    expect(erase).not_to_be_checked()
    page.keyboard.press("Shift+E")
    expect(erase).to_be_checked()
    page.locator("#keys-open").click()
    sheet.get_by_role("button", name="Reset").click()
    expect(sheet.get_by_role("button", name="Erase: E")).to_be_visible()
    sheet.get_by_role("button", name="Close").click()
    page.keyboard.press("p")
    page.keyboard.press("e")
    expect(erase).to_be_checked()


def test_held_keys_size_the_mark_set_opacity_and_turn_the_view(page, live, kit, pen):
    box = open_room(page, f"/canvases/{kit.canvas.pk}/")
    x, y = box["x"] + box["width"] / 2, box["y"] + box["height"] / 2
    size, opacity = (page.locator(f'.value[data-value="{name}"] .number input') for name in ("size", "opacity"))
    before = float(size.input_value())
    page.locator("#picture").focus()
    drag_with(page, "g", x, y, 60, -60)
    assert float(size.input_value()) > 1.3 * before
    assert float(opacity.input_value()) == 100
    drag_with(page, "d", x, y, 60, 72)
    assert float(opacity.input_value()) == pytest.approx(70, abs=1)
    drag_with(page, "t", x + 100, y, -100, 100)
    expect(page.locator("#turn-text")).to_have_text("90°")
    page.keyboard.press("t")
    expect(page.locator("#turn-text")).to_have_text("105°")
    page.keyboard.press("Shift+T")
    expect(page.locator("#turn-text")).to_have_text("0°")
    assert not Operation.objects.filter(canvas=kit.canvas).exists(), "nothing was painted meanwhile"


def test_a_key_picks_the_next_colour_and_another_swaps_the_two(page, live, kit, pen):
    box = open_room(page, f"/canvases/{kit.canvas.pk}/")
    page.locator('[data-colour="#c2553b"]').click()
    pen(page).stroke(wave(box))
    wait_count(page, "#picture", "committed", 1)
    idle(page)
    page.keyboard.press("k")
    page.mouse.click(box["x"] + 8, box["y"] + 8)
    expect(page.locator("#colour")).to_have_value("#f2efe6")
    page.keyboard.press("i")
    expect(page.locator("#second-colour")).to_have_value("#f2efe6")
    page.keyboard.press("k")
    page.keyboard.press("Escape")
    pen(page).stroke(wave(box))
    wait_count(page, "#picture", "committed", 2)


def test_layers_and_brushes_are_reached_by_keys(page, live, kit):
    open_room(page, f"/canvases/{kit.canvas.pk}/")
    page.locator("[data-add-layer=paint]").click()
    expect(page.locator("#layer-in-hand")).to_have_text("Layer 2")
    page.locator("#picture").focus()
    page.keyboard.press(",")
    expect(page.locator("#layer-in-hand")).not_to_have_text("Layer 2")
    page.keyboard.press(".")
    expect(page.locator("#layer-in-hand")).to_have_text("Layer 2")
    page.keyboard.press("u")
    expect(page.locator("#swatches [aria-pressed=true]")).to_be_focused()


def test_the_picture_alone_fills_the_window_on_every_bench(page, live, kit):
    open_room(page, f"/canvases/{kit.canvas.pk}/")
    for address, picture in (
        (f"/canvases/{kit.canvas.pk}/", "#picture"),
        (f"/tiles/{kit.tile.pk}/", "#cloth"),
        (f"/grains/{kit.grain.pk}/", "#cloth"),
    ):
        page.goto(address)
        page.wait_for_load_state("load")
        page.keyboard.press("v")
        window = page.viewport_size
        expect(page.locator("header.head")).to_be_hidden()
        box = page.locator(picture).bounding_box()
        assert (box["width"], box["height"]) == (window["width"], window["height"])
        expect(page.locator("#view-only-hint")).to_have_text("V shows the tools again")
        page.keyboard.press("v")
        expect(page.locator("header.head")).to_be_visible()
