"""Colours in the canvas room: mixed, value, picked, swapped, used before, and the canvas's palette."""

from __future__ import annotations

import re

from playwright.sync_api import expect

from orvix_web.canvases.models import Canvas
from tests.browser.walk import open_room, wait_count, wave


def test_a_colour_is_mixed_typed_picked_swapped_and_used_again(page, new_page, live, kit, pen, tmp_path):
    box = open_room(page, f"/canvases/{kit.canvas.pk}/")
    colour = page.locator("#colour")
    page.locator("#picture").focus()
    page.locator("#mix").click()
    # Typed, in each way; what sRGB does not hold says so, and what is no colour is refused.
    page.locator("#mix-hex").fill("c2553b")
    page.locator("#mix-hex").press("Enter")
    expect(colour).to_have_value("#c2553b")
    expect(page.locator("#mix-hsb-0")).to_have_value("11.6")
    page.locator("#mix-hsb-0").fill("211.6")
    page.locator("#mix-hsb-0").press("Enter")
    expect(colour).to_have_value("#3b7bc2")
    expect(page.locator("#mix-oklch-2")).not_to_have_value("")
    ring = page.locator("#mix-wheel").bounding_box()
    page.locator("#mix-oklch-1").fill("0.45")
    page.locator("#mix-oklch-1").press("Enter")
    expect(page.locator("#mix-outside")).to_be_visible()
    # The note leaves the wheel where it is, under the hand.
    assert page.locator("#mix-wheel").bounding_box() == ring
    page.locator("#mix-hex").fill("blue")
    page.locator("#mix-hex").press("Enter")
    expect(page.locator("#refusals")).to_contain_text("colour")
    # By the wheel: the square's upper right corner is the full hue of the ring.
    page.mouse.click(ring["x"] + ring["width"] - 8, ring["y"] + ring["height"] / 2)
    square = page.locator("#mix-square").bounding_box()
    page.mouse.click(square["x"] + square["width"] - 1, square["y"] + 1)
    expect(page.locator("#mix-hsb-0")).to_have_value(re.compile("^(89|90)"))
    assert colour.input_value()[3:5] in ("fc", "fd", "fe", "ff")
    mixed = colour.input_value()
    # Painted with, it is among those used; picked from the picture, it is the colour that is seen there.
    pen(page).stroke(wave(box, height=0.3))
    wait_count(page, "#picture", "committed", 1)
    expect(page.locator("#mix-recent button").first).to_have_attribute("title", f"Recent: {mixed}")
    page.locator("#mix-hex").fill("#102030")
    page.locator("#mix-hex").press("Enter")
    page.locator("#mix-recent button").first.click()
    expect(colour).to_have_value(mixed)
    page.keyboard.down("Alt")
    page.mouse.click(box["x"] + box["width"] * 0.7, box["y"] + box["height"] * 0.6)
    page.keyboard.up("Alt")
    expect(colour).to_have_value("#f2efe6")
    page.locator("#picture").focus()
    page.keyboard.press("i")
    expect(colour).to_have_value("#d9793f")
    expect(page.locator("#second-colour")).to_have_value("#f2efe6")
    # The palette: added to, saved as a file, another opened, one that is none refused.
    page.locator("#palette-name").fill("lamp")
    page.locator("#palette-add").click()
    expect(page.locator('#colours [data-colour="#d9793f"]')).to_have_attribute("title", "lamp, #d9793f")
    with page.expect_download() as saved:
        page.locator("#colour-sheet a", has_text="Export").click()
    text = saved.value.path().read_text()
    assert text.splitlines()[-1] == "#d9793f lamp"
    mine = tmp_path / "mine.txt"
    mine.write_text("// two\n#112233 night\n#ddeeff\n")
    page.locator("#palette-file").set_input_files(mine)
    expect(page.locator("#colours [data-colour]")).to_have_count(2)
    assert Canvas.objects.get(pk=kit.canvas.pk).palette == [["night", "#112233"], ["", "#ddeeff"]]
    mine.write_text("sea")
    page.locator("#palette-file").set_input_files(mine)
    expect(page.locator("#refusals")).to_contain_text("line 1")
    assert [line for line in new_page.wrong if "422" not in line] == []
    new_page.wrong.clear()
    page.reload()
    wait_count(page, "#picture", "updates", 1)
    expect(page.locator("#colours [data-colour]")).to_have_count(2)
