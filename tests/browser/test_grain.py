"""A grain from anything: read, toned, tried, kept in a set, copied, and put in the trash."""

from __future__ import annotations

import numpy as np
import pytest
from PIL import Image
from playwright.sync_api import Page, expect

from orvix_web.tiles.models import Grain
from tests.browser.walk import canvas_pixels, idle, set_value, wait_count

pytestmark = pytest.mark.django_db(transaction=True)


def tried(page: Page, act=lambda: None) -> np.ndarray:
    """Do something, and the trial stroke painted after it."""
    before = int(page.evaluate("() => document.getElementById('trial').dataset.shown || 0"))
    act()
    wait_count(page, "#trial", "shown", before + 1)
    idle(page)
    return canvas_pixels(page, "#trial")


def test_g1_a_grain_is_judged_on_its_cloth_and_on_one_stroke(page, live, kit):
    page.goto(f"/grains/{kit.grain.pk}/")
    wait_count(page, "#trial", "shown", 1)
    stroke = canvas_pixels(page, "#trial")
    assert (stroke < 80).any()
    cover = float(page.locator("#cover").inner_text())
    turned = tried(page, lambda: page.locator("#v-negative").check(force=True))
    expect(page.locator("#cover")).to_have_text(str(round(100 - cover)))
    assert not np.array_equal(turned, stroke)
    hard = tried(page, lambda: set_value(page, "contrast", "80"))
    assert not np.array_equal(hard, turned)
    assert not np.array_equal(tried(page, lambda: set_value(page, "scale", "2")), hard)
    page.get_by_role("button", name="Save v2").click()
    expect(page.locator("#named")).to_contain_text("v2")
    version = Grain.objects.get(pk=kit.grain.pk).latest
    assert version.tone["negative"] is True
    assert version.tone["contrast"] == pytest.approx(0.8)
    assert version.scale == "2"


def test_g1_it_is_named_put_in_a_set_copied_and_put_in_the_trash(page, live, kit):
    page.goto(f"/grains/{kit.grain.pk}/")
    expect(page.get_by_text("Used by Chalk v1")).to_be_visible()
    page.get_by_label("Name", exact=True).fill("Fog")
    page.get_by_label("Set", exact=True).fill("Weather")
    page.get_by_role("button", name="Save", exact=True).click()
    expect(page.locator("#named")).to_contain_text("Fog")
    page.get_by_role("button", name="Duplicate").click()
    expect(page.locator("#named")).to_contain_text("Fog copy")
    page.get_by_role("button", name="Move to trash").click()
    page.wait_for_url("**/tiles/")
    expect(page.locator("h3", has_text="Weather")).to_be_visible()
    expect(page.get_by_text("Fog copy")).to_have_count(0)
    assert [grain.name for grain in Grain.objects.of(kit.owner)] == ["Fog"]


def test_g1_a_file_becomes_a_grain(page, live, tmp_path):
    felt = np.random.default_rng(1).integers(0, 255, (90, 120), dtype=np.uint8)
    Image.fromarray(felt).save(tmp_path / "felt.png")
    page.goto("/tiles/")
    page.get_by_label("Picture file for the grain").set_input_files(tmp_path / "felt.png")
    expect(page.locator("#named")).to_contain_text("felt")
    wait_count(page, "#trial", "shown", 1)
    assert Grain.objects.get().latest.tile_version.recipe["source"]["name"] == "photo"
