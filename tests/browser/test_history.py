"""The history of a canvas on its page: pictures, a press that goes there, and what was painted before an undo."""

from __future__ import annotations

import numpy as np
from playwright.sync_api import expect

from orvix_web.canvases.models import Canvas
from orvix_web.canvases.storage import load
from tests.browser.walk import open_room, wait_count, wave


def pixels(kit) -> np.ndarray:
    return load(Canvas.objects.get(pk=kit.canvas.pk)).canvas.pixels()


def test_a_step_is_gone_back_to_and_what_was_undone_is_brought_back(page, live, kit, pen):
    box = open_room(page, f"/canvases/{kit.canvas.pk}/")
    states = []
    for n in range(3):
        pen(page).stroke(wave(box, height=0.3 + 0.2 * n))
        wait_count(page, "#picture", "committed", n + 1)
        states.append(pixels(kit))
    page.locator("#history-open").click()
    expect(page.locator("#history-steps li")).to_have_count(3)
    expect(page.locator("#history-steps .here")).to_contain_text("Paint, Chalk")
    page.locator('#history-steps [data-step="1"]').click()
    wait_count(page, "#picture", "committed", 5)
    assert np.array_equal(pixels(kit), states[0])
    expect(page.locator("#history-steps .undone")).to_have_count(2)
    page.locator("#history-close").click()
    pen(page).stroke(wave(box, height=0.8))
    wait_count(page, "#picture", "committed", 6)
    page.locator("#history-open").click()
    expect(page.locator("#history-branches")).to_contain_text("2 steps undone on")
    page.locator("[data-back]").click()
    wait_count(page, "#picture", "committed", 7)
    assert np.array_equal(pixels(kit), states[2])
    page.locator("[data-away]").click()
    expect(page.locator("#history-branches")).to_be_empty()
