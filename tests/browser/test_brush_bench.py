"""The brush bench: tips, rhythm, leads, coats, ribbons and lettering set and seen, and the strip painted with a pen."""

from __future__ import annotations

from math import sin

import numpy as np
import pytest
from playwright.sync_api import Page, expect

from orvix_web.brushes.models import Brush
from orvix_web.brushes.services import create_from_definition, create_tip_brush, starter_definition
from tests.browser.walk import canvas_pixels, idle, set_value, sheet_pixels, wait_count


def open_bench(page: Page, brush: Brush) -> None:
    page.goto(f"/brushes/{brush.pk}/")
    wait_count(page, "#sheet", "shown", 1)
    sheet_pixels(page)


def definition(page: Page) -> dict:
    return page.evaluate("() => JSON.parse(JSON.stringify(window.orvixBench.brush))")


def pick(page: Page, path: str, word: str) -> None:
    page.locator(f'select[data-path="{path}"]').select_option(word)


@pytest.fixture
def starter(kit):
    def make(name: str) -> Brush:
        return create_from_definition(kit.owner, name, starter_definition(kit.owner, name))

    return make


def test_b1_rows_of_marks_turn_with_the_line_and_keep_clear_in_bends(page, live, kit):
    brush = create_tip_brush(kit.owner, kit.tile.latest.pk)
    open_bench(page, brush)
    before = sheet_pixels(page)
    set_value(page, "values.size", "36")
    pick(page, "values.follows", "heading")
    pick(page, "values.spaced_by", "touch")
    turned = sheet_pixels(page)
    assert not np.array_equal(before, turned)
    expect(page.locator("#collisions")).not_to_have_text("0 collisions")
    page.locator("#collisions").click()
    assert page.locator("#hits circle").count() > 0
    page.locator('label:has(input[data-path="values.bends"][value="clear"])').click()
    sheet_pixels(page)
    expect(page.locator("#collisions")).to_have_text("0 collisions")
    page.locator("#keep-button").click()
    expect(page.locator("#named")).to_contain_text("v2")
    coat = brush.latest.definition["coats"][0]["values"]
    assert (coat["follows"], coat["spaced_by"], coat["bends"]) == ("heading", "touch", "clear")


def test_leads_are_begun_dragged_typed_traced_copied_and_cleared(page, live, kit):
    open_bench(page, kit.brush)
    page.locator('[data-cell="turn.heading"]').click()
    expect(page.locator('[data-part="title"]')).to_have_text("Rotation ← Heading")
    wait_count(page, "#lead-box", "traced", 1)
    page.locator('[data-cell="flow.pressure"]').click()
    assert definition(page)["coats"][0]["leads"]["flow"]["pressure"]["response"] == [[0, 0], [1, 1]]
    curve = page.locator(".response").bounding_box()
    page.mouse.move(curve["x"] + curve["width"] * 0.5, curve["y"] + curve["height"] * 0.2)
    page.mouse.down()
    page.mouse.move(curve["x"] + curve["width"] * 0.4, curve["y"] + curve["height"] * 0.3, steps=4)
    page.mouse.up()
    response = definition(page)["coats"][0]["leads"]["flow"]["pressure"]["response"]
    assert len(response) == 3
    assert response[1] == pytest.approx([0.4, 0.76], abs=0.06)
    page.locator('[data-part="high"]').fill("0.5")
    page.locator('[data-part="high"]').press("Enter")
    expect(page.locator('[data-under="values.flow"]')).to_contain_text("← Pressure")
    page.locator('[data-part="copy"]').click()
    page.locator('[data-cell="opacity.pressure"]').click()
    page.locator('[data-part="paste"]').click()
    leads = definition(page)["coats"][0]["leads"]
    assert leads["opacity"]["pressure"]["response"] == leads["flow"]["pressure"]["response"]
    page.locator('[data-part="clear"]').click()
    assert "opacity" not in definition(page)["coats"][0]["leads"]
    page.locator('[data-cell="turn.heading"]').focus()
    page.keyboard.press("ArrowDown")
    assert page.evaluate("() => document.activeElement.dataset.cell") == "spacing.heading"
    page.locator('[data-cell="size.tilt"]').click()
    expect(page.locator('[data-under="values.size"]')).to_contain_text("no pen detected")


def test_values_go_by_wheel_key_and_typing_are_found_reset_and_undone(page, live, kit):
    open_bench(page, kit.brush)
    first = definition(page)
    row = page.locator('.value[data-value="values.opacity"]')
    row.locator(".number").hover()
    page.mouse.wheel(0, 100)
    assert definition(page)["coats"][0]["values"]["opacity"] == 1, "a wheel that passes by changes nothing"
    row.locator(".number input").focus()
    page.mouse.wheel(0, 100)
    assert definition(page)["coats"][0]["values"]["opacity"] == 0.99
    page.keyboard.press("Shift+ArrowDown")
    assert definition(page)["coats"][0]["values"]["opacity"] == 0.89
    page.keyboard.press("Alt+ArrowDown")
    assert definition(page)["coats"][0]["values"]["opacity"] == 0.889
    set_value(page, "values.scatter_across", "3")
    page.locator("#find").fill("hue")
    expect(page.locator('.value[data-value="values.hue"]')).to_have_class("value found")
    page.locator("#find").press("Enter")
    page.keyboard.press("ArrowRight")
    assert definition(page)["coats"][0]["values"]["hue"] != 0
    page.locator('[data-group="colour"]').hover()
    page.locator('[data-reset="colour"]').click()
    assert definition(page)["coats"][0]["values"]["hue"] == 0
    page.locator('.value[data-value="values.scatter_across"] label').dblclick()
    assert definition(page)["coats"][0]["values"]["scatter_across"] == 0
    for _ in range(7):
        page.locator("#undo").click()
    expect(page.locator("#undo")).to_be_disabled()
    assert definition(page) == first


def test_a_pinned_state_stays_beside_what_changes(page, live, kit):
    open_bench(page, kit.brush)
    page.locator("#pin").click()
    both = sheet_pixels(page)
    assert both.shape == (340, 780, 3)
    assert np.array_equal(both[:85], both[85:170])
    set_value(page, "values.size", "20")
    both = sheet_pixels(page)
    assert not np.array_equal(both[:85], both[85:170])
    page.locator("#pin").click()
    assert sheet_pixels(page).shape == (340, 780, 3)


def test_the_strip_is_painted_with_a_pen_and_again_at_every_change(page, live, kit, pen):
    open_bench(page, kit.brush)
    box = page.locator("#strip").bounding_box()
    points = [(box["x"] + 60 + 24 * k, box["y"] + 60 + 20 * sin(k / 3), 0.3 + 0.02 * k) for k in range(24)]
    pen(page).stroke(points)
    page.wait_for_function("() => document.getElementById('strip').dataset.strokes === '1'")
    idle(page)
    first = canvas_pixels(page, "#strip canvas")
    assert (first < 200).any()
    set_value(page, "values.size", "14")
    sheet_pixels(page)
    idle(page)
    thin = canvas_pixels(page, "#strip canvas")
    assert not np.array_equal(first, thin)
    assert (thin < 200).any()
    page.locator("#strip-undo").click()
    page.wait_for_function("() => document.getElementById('strip').dataset.strokes === '0'")
    idle(page)
    assert (canvas_pixels(page, "#strip canvas") > 200).all()


def test_b7_lettering_in_a_font_chosen_by_sight_and_what_it_lacks_is_named(page, live, kit):
    open_bench(page, kit.brush)
    page.locator("#tip-kind").select_option("lettering")
    page.locator('[data-path="tip.lettering.text"]').fill("Merrow")
    page.locator('[data-path="tip.lettering.text"]').press("Enter")
    latin = sheet_pixels(page)
    page.locator("#font-open").click()
    page.locator('[data-font="book-bold"]').click()
    expect(page.locator("#font-name")).to_have_text("Book, bold")
    assert not np.array_equal(latin, sheet_pixels(page))
    page.locator('[data-path="tip.lettering.text"]').fill("Tin \u05d1")
    page.locator('[data-path="tip.lettering.text"]').press("Enter")
    expect(page.locator("#tip-advice")).to_contain_text("hebrew letter bet")
    assert definition(page)["coats"][0]["values"]["follows"] == "heading"


def test_b4_b5_a_tile_becomes_a_ribbon_and_another_tile_in_it_is_two_presses(page, live, kit):
    brush = create_tip_brush(kit.owner, kit.tile.latest.pk)
    open_bench(page, brush)
    stamped = sheet_pixels(page)
    page.locator("#tip-kind").select_option("ribbon")
    set_value(page, "values.size", "220")
    assert not np.array_equal(stamped, sheet_pixels(page))
    expect(page.locator("#tip-advice")).to_contain_text("The band is")
    expect(page.locator('[data-under="values.spacing"]')).to_have_attribute(
        "title", "No effect: a ribbon has no stamps."
    )
    pick(page, "ribbon.values.bends", "mitred")
    bare = sheet_pixels(page)
    for place in ("start", "corner"):
        page.locator(f'[data-ribbon-place="{place}"]').select_option(str(kit.tile.latest.pk))
    assert not np.array_equal(bare, sheet_pixels(page)), "pictures at its start and corners"
    page.locator('[data-ribbon-place="corner"]').select_option("")
    page.locator("#keep-button").click()
    expect(page.locator("#named")).to_contain_text("v2")
    assert brush.latest.definition["coats"][0]["ribbon"]["values"]["bends"] == "mitred"
    assert list(brush.latest.definition["coats"][0]["ribbon"]["pictures"]) == ["start"]
    assert [use.what for use in brush.latest.uses.all()] == ["tip", "tile", "tile"]


def test_b9_coats_are_added_moved_taken_from_brushes_and_taken_out(page, live, kit, starter):
    glow = starter("lantern-glow")
    open_bench(page, kit.brush)
    page.locator('[data-do="add"]').click()
    expect(page.locator(".coat-tab")).to_have_count(2)
    set_value(page, "values.size", "12")
    pick(page, "values.mix", "screen")
    page.locator('[data-do="down"]').click()
    assert definition(page)["coats"][0]["values"]["size"] == 12
    page.locator("#coat-from").select_option(label=glow.name)
    expect(page.locator(".coat-tab")).to_have_count(4)
    expect(page.locator('[data-do="add"]')).to_be_disabled()
    page.locator('[data-do="drop"]').click()
    page.locator('[data-do="drop"]').click()
    expect(page.locator(".coat-tab")).to_have_count(2)
    page.locator("#keep-button").click()
    expect(page.locator("#named")).to_contain_text("v2")
    assert len(kit.brush.latest.definition["coats"]) == 2


def test_a_brush_is_described_copied_and_found(page, live, kit):
    open_bench(page, kit.brush)
    page.locator("[data-about]").click()
    page.locator('#about-dialog input[name="tags"]').fill("rough, dry")
    page.locator("#about-dialog").get_by_role("button", name="Save").click()
    expect(page.locator("#about-dialog")).to_be_hidden()
    set_value(page, "values.size", "99")
    page.locator("[data-about]").click()
    page.locator("#about-dialog").get_by_role("button", name="Duplicate").click()
    expect(page.locator("#named h1")).to_have_text("Chalk copy")
    assert Brush.objects.get(name="Chalk copy").latest.definition["coats"][0]["values"]["size"] == 99
    page.goto("/brushes/")
    page.locator("#find-brush").fill("dry copy")
    expect(page.locator(".thing:visible")).to_have_count(1)
