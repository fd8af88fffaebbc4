"""The table edge of the canvas room: every mode's options in one row under the picture, and one popover at a time."""

from __future__ import annotations

import pytest
from playwright.sync_api import expect

from tests.browser.walk import open_room

pytestmark = pytest.mark.django_db(transaction=True)
MODES = ("paint", "erase", "smear", "soften", "select", "move", "fill", "shape", "letters", "pick")


@pytest.mark.parametrize(("width", "height"), [(1280, 800), (1024, 768), (1600, 1000)])
def test_each_mode_has_one_row_that_fits_and_the_picture_does_not_jump(page, live, kit, width, height):
    page.set_viewport_size({"width": width, "height": height})
    open_room(page, f"/canvases/{kit.canvas.pk}/")
    place = page.locator("#picture").bounding_box()
    for mode in MODES:
        page.locator(f'input[name="mode"][value="{mode}"]').check(force=True)
        row = page.locator("#context")
        assert row.bounding_box()["height"] == 44, mode
        assert row.evaluate("(box) => box.scrollWidth - box.clientWidth") <= 0, mode
        shown = row.evaluate("(box) => [...box.children].filter((one) => one.getClientRects().length).length")
        assert shown in (1, 2), mode
        assert page.locator("#picture").bounding_box() == place, mode
        over = "() => [document.documentElement.scrollHeight - innerHeight, document.body.scrollWidth - innerWidth]"
        assert max(page.evaluate(over)) <= 0, mode


def test_one_popover_is_open_at_a_time_and_escape_or_a_press_outside_closes_it(page, live, kit):
    open_room(page, f"/canvases/{kit.canvas.pk}/")
    inputs, guides = (page.locator("#painting details.drawer").nth(n) for n in (0, 1))
    inputs.locator("summary").click()
    expect(inputs.locator(".leaf")).to_be_visible()
    guides.locator("summary").click()
    expect(guides.locator(".leaf")).to_be_visible()
    expect(inputs.locator(".leaf")).to_be_hidden()
    page.keyboard.press("Escape")
    expect(guides.locator(".leaf")).to_be_hidden()
    expect(guides.locator("summary")).to_be_focused()
    inputs.locator("summary").click()
    page.locator(".tray h3").first.click()
    expect(inputs.locator(".leaf")).to_be_hidden()


def test_in_a_narrow_window_the_view_folds_into_its_zoom(page, live, kit):
    page.set_viewport_size({"width": 1024, "height": 768})
    open_room(page, f"/canvases/{kit.canvas.pk}/")
    turn = page.get_by_role("button", name="Rotate view right")
    expect(turn).to_be_hidden()
    page.locator("#view-more").click()
    turn.click()
    expect(page.locator("#turn-text")).to_have_text("15°")
    page.keyboard.press("Escape")
    expect(turn).to_be_hidden()
    page.locator("#view-more").click()
    expect(turn).to_be_visible()
    page.locator(".tray h3").first.click()
    expect(turn).to_be_hidden()
