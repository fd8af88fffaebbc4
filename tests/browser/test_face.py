"""The face: contrast, names for every control, the strip that follows other windows, and keys."""

from __future__ import annotations

import re
from pathlib import Path

import pytest
from playwright.sync_api import expect

from orvix_web.tiles.services import keep_tile
from tests.browser.walk import open_room, set_value, wait_count

pytestmark = pytest.mark.django_db(transaction=True)
TOKENS = Path(__file__).resolve().parents[2] / "src" / "orvix_web" / "static" / "orvix" / "styles" / "tokens.css"


def luminance(colour: str) -> float:
    """Relative luminance (WCAG 2.2) of #rgb or #rrggbb."""
    digits = colour[1:] if len(colour) == 7 else "".join(2 * one for one in colour[1:])
    linear = []
    for n in range(0, 6, 2):
        part = int(digits[n : n + 2], 16) / 255
        linear.append(part / 12.92 if part <= 0.04045 else ((part + 0.055) / 1.055) ** 2.4)
    return 0.2126 * linear[0] + 0.7152 * linear[1] + 0.0722 * linear[2]


def contrast(a: str, b: str) -> float:
    high, low = sorted((luminance(a), luminance(b)), reverse=True)
    return (high + 0.05) / (low + 0.05)


def tokens_of(theme: str) -> dict[str, str]:
    """The colours of a theme, those of the light one where it has none of its own."""
    light, _, rest = TOKENS.read_text().partition('[data-theme="dim"]')
    found = {}
    for part in (light, rest.partition("}")[0]) if theme == "dim" else (light,):
        found |= dict(re.findall(r"--([\w-]+): (#[0-9a-f]{3,6})", part))
    return found


@pytest.mark.parametrize("theme", ["light", "dim"])
@pytest.mark.parametrize("text", ["ink", "ink2", "ink3", "cool", "warm"])
@pytest.mark.parametrize("ground", ["paper", "field"])
def test_texts_reach_aa_on_what_they_stand_on(theme, text, ground):
    tokens = tokens_of(theme)
    assert contrast(tokens[text], tokens[ground]) >= 4.5


@pytest.mark.parametrize("theme", ["light", "dim"])
def test_texts_on_ink_on_cool_and_on_the_wall_reach_aa_and_greys_are_grey(theme):
    tokens = tokens_of(theme)
    for text, ground in (("on-ink", "ink"), ("on-cool", "cool"), ("on-wall", "wall"), ("ink", "press")):
        assert contrast(tokens[text], tokens[ground]) >= 4.5, (text, ground)
    for name in ("paper", "press", "wall", "dark", "hair", "rule"):
        digits = tokens[name][1:]
        assert digits[0:2] == digits[2:4] == digits[4:6], name


def test_the_theme_is_one_press_and_is_kept_for_the_painter(page, new_page, live, kit):
    page.goto("/canvases/")
    ground = "() => getComputedStyle(document.body).backgroundColor"
    assert page.evaluate(ground) == "rgb(247, 247, 247)"
    with page.expect_response("**/preferences/"):
        page.get_by_role("button", name="Dim theme").click()
    assert page.evaluate(ground) == "rgb(54, 54, 54)"
    other = new_page()
    other.goto("/tiles/")
    assert other.evaluate(ground) == "rgb(54, 54, 54)"
    expect(other.get_by_role("button", name="Dim theme")).to_have_attribute("aria-pressed", "true")


def test_every_control_has_a_name_and_no_text_is_under_12_px(page, live, kit):
    addresses = ["/tiles/", "/brushes/", "/canvases/", "/proofs/", f"/tiles/{kit.tile.pk}/", f"/grains/{kit.grain.pk}/"]
    for address in [*addresses, f"/brushes/{kit.brush.pk}/", f"/canvases/{kit.canvas.pk}/"]:
        page.goto(address)
        nameless = page.evaluate(
            """() => [...document.querySelectorAll("button, a[href], input:not([type=hidden]), select")]
                .filter((one) => !(one.textContent.trim() || one.getAttribute("aria-label") || one.title
                    || one.labels?.length || one.placeholder)).map((one) => one.outerHTML.slice(0, 120))"""
        )
        assert nameless == [], address
        small = page.evaluate(
            """() => [...document.querySelectorAll("body *")].filter((one) => one.childNodes.length
                && [...one.childNodes].some((node) => node.nodeType === 3 && node.textContent.trim())
                && parseFloat(getComputedStyle(one).fontSize) < 12).map((one) => one.outerHTML.slice(0, 120))"""
        )
        assert small == [], address


def test_the_strip_follows_what_another_window_keeps_within_a_second(page, live, kit):
    page.goto(f"/brushes/{kit.brush.pk}/")
    wait_count(page, "#sheet", "shown", 1)
    slot = page.locator('[data-slot="tile"]')
    expect(slot).to_contain_text("tile v1")
    page.goto(f"/tiles/{kit.tile.pk}/")
    picture = page.locator('[data-slot="tile"] img').get_attribute("src")
    wait_count(page, "#cloth", "shown", 1)
    keep_tile(kit.owner, kit.tile.pk, {**kit.tile.latest.recipe, "seed": 5})
    expect(page.locator('[data-slot="tile"]')).to_contain_text("tile v2")
    assert page.locator('[data-slot="tile"] img').get_attribute("src") != picture


def test_values_move_by_key_and_snap_back_to_their_limits(page, live, kit):
    page.goto(f"/tiles/{kit.tile.pk}/")
    wait_count(page, "#cloth", "shown", 1)
    page.locator("#v-source\\.values\\.octaves").focus()
    page.keyboard.press("ArrowRight")
    expect(page.locator('.value[data-value="source.values.octaves"] .number input')).to_have_value("6")
    for _ in range(5):
        page.keyboard.press("ArrowRight")
    expect(page.locator('.value[data-value="source.values.octaves"] .number input')).to_have_value("8")
    expect(page.get_by_role("button", name="Publish v2")).to_be_enabled()


def test_size_stays_within_its_smallest_and_largest(page, live, kit):
    page.goto(f"/brushes/{kit.brush.pk}/")
    wait_count(page, "#sheet", "shown", 1)
    number = {
        name: page.locator(f'.value[data-value="values.{name}"] .number input')
        for name in ("size", "smallest", "largest")
    }
    set_value(page, "values.largest", "30")
    expect(number["size"]).to_have_value("30")
    set_value(page, "values.size", "90")
    expect(number["largest"]).to_have_value("90")
    set_value(page, "values.smallest", "100")
    expect(number["largest"]).to_have_value("100")
    expect(number["size"]).to_have_value("100")
    page.get_by_role("button", name="Save v2").click()
    expect(page.locator("#named")).to_contain_text("v2")
    open_room(page, f"/canvases/{kit.canvas.pk}/")
    set_value(page, "size", "400")
    expect(page.locator("#refusals")).to_contain_text("Size: enter 100 to 100 px.")


def test_sizes_uses_and_zoom_have_keys_in_the_room(page, live, kit):
    open_room(page, f"/canvases/{kit.canvas.pk}/")
    size = page.locator('.value[data-value="size"] .number input')
    before = float(size.input_value())
    page.locator("#picture").focus()
    page.keyboard.press("g")
    assert float(size.input_value()) > before
    page.keyboard.press("Shift+G")
    page.keyboard.press("e")
    expect(page.locator('input[name="mode"][value="erase"]')).to_be_checked()
    page.keyboard.press("p")
    expect(page.locator('input[name="mode"][value="paint"]')).to_be_checked()
    page.keyboard.press("r")
    expect(page.locator("#zoom-text")).to_have_text("100 %")
    page.keyboard.press("a")
    expect(page.locator("#zoom-text")).not_to_have_text("100 %")
