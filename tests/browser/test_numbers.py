"""Fields for numbers: sums, units, a decimal comma, arrows, the wheel and a drag."""

from __future__ import annotations

import pytest
from playwright.sync_api import expect

from orvix_web.proofs.services import create_proof
from tests.browser.walk import idle, open_room, set_value

pytestmark = pytest.mark.django_db(transaction=True)


def test_a_value_takes_sums_lengths_and_a_comma(page, live, kit):
    open_room(page, f"/canvases/{kit.canvas.pk}/")
    field = page.locator('.value[data-value="size"] .number input')
    for typed, shown in (("120/2", "60"), ("1 cm", "118.110236"), ("30,5", "30.5"), ("(2+3)*4", "20")):
        set_value(page, "size", typed)
        expect(field).to_have_value(shown)
    set_value(page, "size", "3 kg")
    expect(page.locator("#refusals")).to_contain_text("Size: enter")
    expect(field).to_have_value("3 kg")


def test_arrows_step_by_one_ten_and_a_tenth_the_wheel_with_the_focus_and_a_drag_too(page, live, kit):
    open_room(page, f"/canvases/{kit.canvas.pk}/")
    field = page.locator('.value[data-value="size"] .number input')
    set_value(page, "size", "40")
    field.focus()
    for key, shown in (("ArrowUp", "41"), ("Shift+ArrowUp", "51"), ("Alt+ArrowDown", "50.9"), ("ArrowDown", "49.9")):
        page.keyboard.press(key)
        expect(field).to_have_value(shown)
    field.hover()
    page.mouse.wheel(0, -100)
    expect(field).to_have_value("50.9")
    page.locator("#picture").focus()
    page.mouse.wheel(0, -100)
    expect(field).to_have_value("50.9")
    box = field.bounding_box()
    x, y = box["x"] + box["width"] / 2, box["y"] + box["height"] / 2
    page.mouse.move(x, y)
    page.mouse.down()
    page.mouse.move(x + 20, y)
    page.mouse.move(x + 40, y)
    page.mouse.up()
    expect(field).to_have_value("60.9")
    expect(field).not_to_be_focused()


def test_a_native_field_takes_a_sum_too_and_refuses_what_is_none(page, live, kit):
    proof = create_proof(kit.owner, "tile", kit.tile.pk)
    page.goto(f"/proofs/{proof.pk}/")
    idle(page)
    columns = page.locator("[data-look=columns]")
    columns.press("Control+a")
    page.keyboard.type("6/2")
    page.keyboard.press("Tab")
    expect(columns).to_have_value("3")
    assert page.evaluate("() => window.orvixWall.looks.look.columns") == 3
    columns.press("Control+a")
    page.keyboard.type("wide")
    page.keyboard.press("Tab")
    expect(page.locator("#refusals")).to_contain_text("1 to 12")
    assert page.evaluate("() => window.orvixWall.looks.look.columns") == 3
