"""From anywhere to anywhere: names changed in place, a proof and a file from every bench, kept views, dropped files."""

from __future__ import annotations

import numpy as np
import pytest
from PIL import Image
from playwright.sync_api import expect

from orvix_web.canvases.models import Canvas
from orvix_web.proofs.models import Proof
from orvix_web.tiles.models import Grain
from tests.browser.walk import idle, open_room, wait_count

pytestmark = pytest.mark.django_db(transaction=True)

DROP = """([name, type, octets]) => {
    const data = new DataTransfer();
    data.items.add(new File([new Uint8Array(octets)], name, { type }));
    document.body.dispatchEvent(new DragEvent("drop", { dataTransfer: data, bubbles: true, cancelable: true }));
}"""


@pytest.fixture
def picture(tmp_path):
    path = tmp_path / "felt.png"
    Image.fromarray(np.random.default_rng(1).integers(0, 255, (48, 64), dtype=np.uint8)).save(path)
    return ["felt.png", "image/png", list(path.read_bytes())]


def test_a_tile_is_renamed_on_its_bench_goes_out_and_its_proof_is_opened_again(page, live, kit):
    page.goto(f"/tiles/{kit.tile.pk}/")
    wait_count(page, "#cloth", "shown", 1)
    page.locator("h1").click()
    page.get_by_role("textbox", name="Name", exact=True).fill("Fog bank")
    page.keyboard.press("Enter")
    expect(page.locator("h1")).to_have_text("Fog bank")
    expect(page.locator('[data-slot="tile"]')).to_contain_text("Fog bank")
    page.locator("h1").press("Enter")
    page.keyboard.type("Another")
    page.keyboard.press("Escape")
    expect(page.locator("h1")).to_have_text("Fog bank")
    page.get_by_role("button", name="Export…").click()
    with page.expect_download() as fetched:
        page.locator("#take-out").get_by_role("button", name="Export").click()
    assert fetched.value.suggested_filename.startswith("fog-bank-v1")
    page.get_by_role("button", name="Proof").click()
    page.wait_for_url("**/proofs/*/")
    wall = page.url
    page.get_by_role("link", name="Open tile").click()
    page.get_by_role("button", name="Proof").click()
    page.wait_for_url(wall)
    assert Proof.objects.count() == 1


def test_coming_back_shows_the_same_view(page, live, kit):
    page.goto(f"/tiles/{kit.tile.pk}/")
    wait_count(page, "#cloth", "shown", 1)
    page.locator("#cloth").hover()
    page.mouse.wheel(0, -480)
    idle(page)
    zoom = page.locator(".zoom").inner_text()
    page.goto("/brushes/")
    page.goto(f"/tiles/{kit.tile.pk}/")
    wait_count(page, "#cloth", "shown", 1)
    expect(page.locator(".zoom")).to_have_text(zoom)
    page.get_by_role("button", name="Fit", exact=True).click()
    expect(page.locator(".zoom")).not_to_have_text(zoom)


def test_a_dropped_file_goes_where_it_makes_sense_and_is_asked_for_once(page, live, kit, picture):
    page.goto("/brushes/")
    page.evaluate(DROP, picture)
    sheet = page.get_by_role("dialog", name="What should this become?")
    expect(sheet).to_contain_text("felt.png")
    sheet.get_by_role("button", name="Grain").click()
    page.wait_for_url("**/grains/*/")
    assert Grain.objects.latest("pk").name.startswith("felt")
    page.goto("/canvases/")
    page.evaluate(DROP, picture)
    page.wait_for_url("**/canvases/*/")
    assert (Canvas.objects.latest("pk").width, Canvas.objects.latest("pk").height) == (64, 48)
    page.evaluate(DROP, ["song.mp3", "audio/mpeg", [1, 2]])
    expect(page.locator(".refusal")).to_contain_text("song.mp3 is not a file this page can open")


def test_a_picture_dropped_on_a_canvas_becomes_a_layer(page, live, kit, picture):
    open_room(page, f"/canvases/{kit.canvas.pk}/")
    page.evaluate(DROP, picture)
    page.get_by_role("button", name="New layer", exact=True).click()
    expect(page.locator("#layers")).to_contain_text("felt")
