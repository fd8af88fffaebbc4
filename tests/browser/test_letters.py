"""Lettering in the canvas room: set by a press, every value live, dragged, in the paint colour, undone."""

from __future__ import annotations

import numpy as np
from playwright.sync_api import expect

from orvix_web.canvases.models import Canvas, Operation
from orvix_web.canvases.storage import load
from tests.browser.walk import canvas_pixels, idle, open_room, wait_count


def lettering(kit):
    return load(Canvas.objects.get(pk=kit.canvas.pk)).canvas.stack[-1].lettering


def test_a_text_is_set_edited_dragged_and_stays_a_text(page, live, kit):
    box = open_room(page, f"/canvases/{kit.canvas.pk}/")
    x, y = box["x"] + box["width"] / 2, box["y"] + box["height"] / 2
    page.locator("#picture").focus()
    page.keyboard.press("x")
    page.locator("#letter-text").fill("Brindle")
    page.locator("#letter-size").fill("60")
    page.locator('[data-colour="#c2553b"]').click()
    bare = canvas_pixels(page, "#picture canvas")
    page.mouse.click(x - 100, y)
    wait_count(page, "#picture", "committed", 1)
    expect(page.locator("#layer-in-hand")).to_have_text("Brindle")
    assert (lettering(kit).text, lettering(kit).size, lettering(kit).colour) == ("Brindle", 60, "#c2553b")
    idle(page)
    first = canvas_pixels(page, "#picture canvas")
    assert not np.array_equal(first, bare)
    # While it is typed it is seen; only what it comes to is a step of the history.
    page.locator("#letter-text").press_sequentially(" Skerry")
    idle(page)
    assert not np.array_equal(canvas_pixels(page, "#picture canvas"), first)
    assert Operation.objects.filter(canvas=kit.canvas).count() == 1
    page.locator("#letter-turn").fill("20")
    page.locator("#letter-turn").press("Enter")
    wait_count(page, "#picture", "committed", 3)
    was = lettering(kit)
    assert was.turn == 20
    page.mouse.move(x - 60, y - 5)
    page.mouse.down()
    page.mouse.move(x - 20, y + 40, steps=4)
    page.mouse.up()
    idle(page)
    now = lettering(kit)
    assert now.x > was.x
    assert now.y > was.y
    page.locator('[data-colour="#1b3f4b"]').click()
    page.locator("#letter-colour").click()
    expect(page.locator("#layers")).to_have_attribute("data-count", "2")
    wait_count(page, "#picture", "committed", 5)
    assert lettering(kit).colour == "#1b3f4b"


def test_what_is_typed_after_a_press_on_the_picture_is_the_text(page, live, kit):
    box = open_room(page, f"/canvases/{kit.canvas.pk}/")
    x, y = box["x"] + box["width"] / 2, box["y"] + box["height"] / 2
    page.locator("#picture").focus()
    page.keyboard.press("x")
    page.mouse.click(x - 100, y)
    page.keyboard.type("Kelp be")  # every letter is a key of the room as well
    page.keyboard.type("d")
    expect(page.locator("#letter-text")).to_have_value("Kelp bed")
    page.keyboard.press("Escape")
    expect(page.locator("#picture")).to_be_focused()
    wait_count(page, "#picture", "committed", 2)
    assert lettering(kit).text == "Kelp bed"
    expect(page.locator('input[name="mode"][value="letters"]')).to_be_checked()
