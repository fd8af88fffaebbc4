"""The whole chain as a new painter walks it: tile, grain, brush, canvas, proof, export."""

from __future__ import annotations

import json
import subprocess
import sys
from io import BytesIO

import numpy as np
import pytest
from PIL import Image
from playwright.sync_api import expect

from orvix_web.canvases.models import Canvas, Operation
from orvix_web.tiles.models import Tile
from tests.browser.walk import canvas_pixels, idle, open_room, png, set_value, sheet_pixels, wait_count, wave

pytestmark = pytest.mark.django_db(transaction=True)


def drag(page, name: str, share: float) -> None:
    """Drag a slider's handle to a share of its track, in steps, as a hand does."""
    box = page.locator(f'.value[data-value="{name}"] input[type=range]').bounding_box()
    y = box["y"] + box["height"] / 2
    page.mouse.move(box["x"] + box["width"] * 0.3, y)
    page.mouse.down()
    for step in range(1, 8):
        page.mouse.move(box["x"] + box["width"] * (0.3 + (share - 0.3) * step / 7), y)
    page.mouse.up()


def test_the_seven_steps(page, live, pen, tmp_path):
    # A new tile from a generated source, seen as cloth, drawn again while a value is dragged.
    page.goto("/tiles/")
    page.locator(".named").get_by_role("button", name="New tile").click()
    page.locator("#new-tile").get_by_role("button", name="Cloudy", exact=True).click()
    wait_count(page, "#cloth", "shown", 1)
    expect(page.locator("#seam-verdict")).to_have_text("Always seamless")
    before = canvas_pixels(page, "#cloth canvas")
    drag(page, "source.values.cells", 0.8)
    wait_count(page, "#cloth", "shown", 3)
    idle(page)
    assert not np.array_equal(before, canvas_pixels(page, "#cloth canvas"))
    page.mouse.move(700, 300)
    page.mouse.wheel(0, -400)
    page.get_by_role("button", name="100 %").click()
    idle(page)
    page.get_by_text("Half-drop", exact=True).click()
    page.get_by_role("button", name="Publish v2").click()
    expect(page.locator("#publish")).to_have_text("Publish v3")
    expect(page.locator('[data-slot="tile"]')).to_contain_text("tile v2")
    assert Tile.objects.get().latest.recipe["repeat"] == "half-drop"

    # A grain from it, and where paint will land.
    page.get_by_role("button", name="New grain").click()
    expect(page.locator("#cover")).not_to_have_text("…")
    first = page.locator("#cover").inner_text()
    set_value(page, "brightness", "30")
    page.get_by_text("Negative", exact=False).first.click()
    expect(page.locator("#cover")).not_to_have_text(first)
    page.get_by_role("button", name="Save v2").click()
    expect(page.locator('[data-slot="grain"]')).to_contain_text("grain v2")

    # A brush over it, on the trial sheet.
    page.get_by_role("button", name="New brush").click()
    wait_count(page, "#sheet", "shown", 1)
    sheet = sheet_pixels(page)
    set_value(page, "values.size", "30")
    set_value(page, "grain.strength", "100")
    assert not np.array_equal(sheet, sheet_pixels(page))
    page.get_by_role("button", name="Save v2").click()
    expect(page.locator('[data-slot="brush"]')).to_contain_text("brush v2")

    # A canvas, painted on with a pen.
    page.get_by_role("link", name="Canvases").click()
    page.locator(".named").get_by_role("button", name="New canvas").click()
    page.locator("#canvas-form [name=width]").fill("900")
    page.locator("#canvas-form [name=height]").fill("600")
    page.get_by_label("ppi").fill("200")
    page.locator("#canvas-form").get_by_role("button", name="New canvas").click()
    canvas = Canvas.objects.get()
    box = open_room(page, page.url)
    expect(page.locator('[data-brush][aria-pressed="true"]')).to_be_visible()
    pen(page).stroke(wave(box))
    wait_count(page, "#picture", "committed", 1)
    expect(page.locator("#kept")).to_have_text("All 1 saved")
    expect(page.locator('[data-slot="canvas"]')).to_contain_text("canvas v1")
    operation = Operation.objects.get(canvas=canvas)
    assert operation.brush_version.number == 2
    assert operation.data["colour"] == "#1b3f4b"

    # Exported: an 8-bit PNG with its resolution, and what the page shows at 100 %, bit for bit.
    page.get_by_role("button", name="100 %").click()
    idle(page)
    page.evaluate("() => { const p = window.orvixRoom.picture; p.pan(Math.round(p.left), Math.round(p.top)); }")
    idle(page)
    with page.expect_download() as download:
        page.locator("#export").click()
    data = download.value.path().read_bytes()
    exported = png(data)
    assert exported.shape == (600, 900, 3)
    assert b"sRGB" in data[:80]
    assert round(Image.open(BytesIO(data)).info["dpi"][0]) == 200
    left, top = page.evaluate("() => [window.orvixRoom.picture.left, window.orvixRoom.picture.top]")
    shown = canvas_pixels(page, "#picture canvas")
    assert (left, top) == (0, 0)
    rows, columns = min(600, shown.shape[0]), min(900, shown.shape[1])
    assert np.array_equal(shown[:rows, :columns], exported[:rows, :columns])
    assert exported.std() > 3

    # A proof: three by three, its seam, the fit of its grain.
    page.get_by_role("button", name="Proof").click()
    expect(page.locator("#seam-value")).not_to_have_text("…")
    expect(page.locator("#fits")).to_contain_text("Cloudy 1 grain v2")
    page.locator('[data-look="columns"]').fill("12")
    page.locator('[data-look="columns"]').press("Enter")
    expect(page.locator("#looks figure").first).to_contain_text("12 × 4 repeat")
    page.get_by_role("button", name="Save version").click()
    expect(page.locator('[data-slot="proof"]')).to_contain_text("proof v2")


def test_an_uploaded_picture_reads_visible_and_shows_where(new_page, live, tmp_path):
    from orvix.devices.photo_tray import develop

    page = new_page()
    Image.fromarray(develop("deck-planking", 400, 300)).save(tmp_path / "deck.png")
    page.goto("/tiles/")
    page.locator('#upload input[type="file"]').set_input_files(tmp_path / "deck.png")
    expect(page.locator("#seam-verdict")).to_contain_text("Visible")
    wait_count(page, "#cloth", "shown", 1)
    plain = canvas_pixels(page, "#cloth canvas")
    page.locator('[data-gauge="seam"]').click()
    assert not np.array_equal(plain, canvas_pixels(page, "#cloth canvas"))
    (tmp_path / "bad.png").write_bytes(b"\x89PNG\r\n\x1a\nnothing")
    page.goto("/tiles/")
    page.locator('#upload input[type="file"]').set_input_files(tmp_path / "bad.png")
    expect(page.locator(".refusal")).to_contain_text("bad.png is damaged or incomplete")
    assert Tile.objects.count() == 1
    assert [line for line in new_page.wrong if "422" not in line] == []
    new_page.wrong.clear()


@pytest.mark.parametrize(("size", "factor"), [("40", 1), ("90", 2)])
def test_the_sheet_is_what_the_command_line_paints(page, live, kit, tmp_path, size, factor):
    page.goto(f"/brushes/{kit.brush.pk}/")
    wait_count(page, "#sheet", "shown", 1)
    set_value(page, "values.size", size)
    page.locator('label:has(input[name="ground"][value="light"])').click()
    sheet = sheet_pixels(page)
    expect(page.locator("#scale-words")).to_contain_text("marks" if factor == 1 else "Shown at 50 %")
    page.locator("#keep-button").click()
    expect(page.locator('[data-slot="brush"]')).to_contain_text("brush v2")
    for name, address in (
        ("b.json", f"/brushes/{kit.brush.pk}/v2.json"),
        ("s.json", f"/brushes/trial-strokes-{factor}-tall.json"),
    ):
        (tmp_path / name).write_text(json.dumps(page.request.get(address).json()))
    canvas = f"{780 * factor}x{340 * factor}"
    command = [sys.executable, "-m", "orvix.cli", "paint", "b.json", "s.json", "--canvas", canvas, "--out", "p.png"]
    colours = ["--times", f"1/{factor}", "--background", "#f7f7f7", "--colour", page.locator("#paint").input_value()]
    subprocess.run([*command, *colours], cwd=tmp_path, check=True, capture_output=True)
    painted = png((tmp_path / "p.png").read_bytes())
    assert painted.shape == (340, 780, 3)
    assert np.array_equal(sheet, painted)


def test_a_bad_value_is_refused_by_its_rule_and_the_rest_stays(page, live, kit):
    page.goto(f"/tiles/{kit.tile.pk}/")
    wait_count(page, "#cloth", "shown", 1)
    set_value(page, "source.values.cells", "20")
    wait_count(page, "#cloth", "shown", 2)
    set_value(page, "source.values.octaves", "99")
    expect(page.locator("#refusals")).to_contain_text("Octaves: enter 1 to 8")
    assert page.locator('.value[data-value="source.values.cells"] .number input').input_value() == "20"
    page.get_by_role("button", name="Close", exact=True).click()
    expect(page.locator("#refusals .refusal")).to_have_count(0)


def test_the_pages_fit_and_lead_from_each_to_the_next(page, live, kit):
    places = [
        f"/tiles/{kit.tile.pk}/",
        f"/grains/{kit.grain.pk}/",
        f"/brushes/{kit.brush.pk}/",
        f"/canvases/{kit.canvas.pk}/",
    ]
    for address in places:
        page.goto(address)
        over = page.evaluate(
            "() => [document.documentElement.scrollHeight - 800, document.documentElement.scrollWidth - 1280]"
        )
        assert max(over) <= 0, address
        for slot in ("tile", "grain", "brush", "canvas", "proof"):
            expect(page.locator(f'[data-slot="{slot}"]')).to_have_count(1)
    page.goto(places[0])
    for slot, address in zip(("grain", "brush", "canvas"), places[1:], strict=True):
        page.locator(f'[data-slot="{slot}"]').click()
        page.wait_for_url(f"**{address}")
