"""The proof wall: looks at one scale, on surfaces, through other eyes, up close; kept, and following their tile."""

from __future__ import annotations

import re

import numpy as np
from PIL import Image
from playwright.sync_api import expect

from orvix.pictures import read_picture
from orvix.pictures.writing import write_png
from orvix.proofs.looks import Cloth, Panel, drawn
from orvix.proofs.rendering import Look
from orvix.tiles.repeats import Repeat
from orvix_web.jobs.models import Job
from orvix_web.jobs.tasks import run_job
from orvix_web.proofs import orders
from orvix_web.proofs.models import OwnSurface, Proof
from orvix_web.proofs.own_surfaces import own_of
from orvix_web.proofs.services import create_proof, keep_proof
from orvix_web.tiles.rendering import tile_pixels
from orvix_web.tiles.services import create_tile, keep_tile
from tests.browser.walk import canvas_pixels, idle

CHECKS = {"size": [256, 256], "source": {"name": "check", "values": {}}}


def wall_of(page, tile):
    page.goto("/proofs/")
    page.locator('select[name="of"]').select_option(f"tile-{tile.pk}")
    page.get_by_role("button", name="New proof").click()
    shown(page, 0, 1)


def shown(page, n: int, times: int) -> None:
    """Wait until a look was drawn so many times."""
    page.wait_for_function(
        "([n, times]) => Number(document.querySelectorAll('#looks figure')[n]?.dataset.shown ?? 0) >= times",
        arg=[n, times],
    )


def drawn_times(page, n: int) -> int:
    return int(page.locator("#looks figure").nth(n).get_attribute("data-shown") or 0)


def scale(page) -> float:
    return page.evaluate("() => window.orvixWall.looks.scale * window.devicePixelRatio")


def test_looks_hang_at_one_scale_and_show_what_the_core_shows(page, live, kit):
    tile = create_tile(kit.owner, "Checks", CHECKS)
    wall_of(page, tile)
    for n in (1, 2):
        shown(page, n, 1)
    idle(page)  # a band or a head that settles late gives the looks another scale, and they are drawn again
    made = Cloth.of(tile_pixels(tile.latest), Repeat(), 300.0)
    looks = [Panel("repeat", 4, 4), Panel("distance", 4, 4, 12.0), Panel("surface", surface="tote")]
    for n, panel in enumerate(looks):
        want = drawn(panel, made, scale(page))
        seen = canvas_pixels(page, f"#looks figure:nth-of-type({n + 1}) canvas")
        assert seen.shape[:2] == want.shape[:2]
        opaque = want[..., 3] == 255
        assert np.array_equal(seen[opaque], want[opaque][:, :3])
    expect(page.locator("#scale-words")).to_contain_text("All at 1 :")
    expect(page.locator("#repeat-size")).to_have_text("Repeat 21.7 × 21.7 mm")
    # Printed at half the resolution it is twice as large.
    expect(page.locator("#looks figure").first).to_contain_text("87 × 87 mm")
    page.locator("#ppi").fill("150")
    page.locator("#ppi").press("Enter")
    expect(page.locator("#repeat-size")).to_have_text("Repeat 43.3 × 43.3 mm")
    expect(page.locator("#looks figure").first).to_contain_text("173 × 173 mm")


def test_a_tile_is_dragged_scaled_and_turned_on_a_surface_and_the_wall_is_kept(page, live, kit):
    tile = create_tile(kit.owner, "Checks", CHECKS)
    wall_of(page, tile)
    page.locator("#add-look").select_option('{"kind":"surface","surface":"mug"}')
    expect(page.locator("#looks figure")).to_have_count(5)
    shown(page, 4, 1)
    expect(page.locator("#look-name")).to_have_text("Mug")
    box = page.locator("#looks figure").nth(4).locator("canvas").bounding_box()
    x, y = box["x"] + box["width"] / 2, box["y"] + box["height"] / 2
    page.mouse.move(x, y)
    page.mouse.down()
    page.mouse.move(x + 10, y + 5)
    page.mouse.up()
    mm = 1 / page.evaluate("() => window.orvixWall.looks.scale")
    told = page.evaluate("() => window.orvixWall.looks.look")
    assert abs(told["x"] - 10 * mm) <= 0.06
    assert abs(told["y"] - 5 * mm) <= 0.06
    page.locator("#looks figure").nth(4).focus()
    page.keyboard.press("ArrowRight")
    page.keyboard.press("Shift+ArrowUp")
    moved = page.evaluate("() => window.orvixWall.looks.look")
    assert (round(moved["x"] - told["x"], 1), round(moved["y"] - told["y"], 1)) == (1.0, -10.0)
    before = drawn_times(page, 4)
    page.locator('[data-look="scale"]').fill("0.5")
    page.locator('[data-look="scale"]').press("Enter")
    page.locator('[data-look="turn"]').fill("30")
    page.locator('[data-look="turn"]').press("Enter")
    shown(page, 4, before + 1)
    page.locator("#vision").select_option("without green cones")
    page.locator("#looks figure").nth(1).locator("figcaption").click()
    page.get_by_role("button", name="Remove look").click()
    expect(page.locator("#looks figure")).to_have_count(4)
    page.get_by_role("button", name="Save version").click()
    expect(page.locator('[data-slot="proof"]')).to_contain_text("proof v2")
    kept = Proof.objects.get().latest.wall
    assert [one["kind"] for one in kept["panels"]] == ["repeat", "surface", "surface", "surface"]
    mug = kept["panels"][-1]
    assert (mug["surface"], mug["scale"], mug["turn"]) == ("mug", 0.5, 30)
    assert kept["vision"] == "without green cones"
    page.reload()
    shown(page, 3, 1)
    idle(page)
    want = drawn(
        Panel("surface", surface="mug", look=Look(**{k: mug[k] for k in ("scale", "turn", "x", "y", "cloth")})),
        Cloth.of(tile_pixels(tile.latest), Repeat(), 300.0), scale(page), "without green cones",
    )  # fmt: skip
    seen = canvas_pixels(page, "#looks figure:nth-of-type(4) canvas")
    opaque = want[..., 3] == 255
    assert np.array_equal(seen[opaque], want[opaque][:, :3])


def test_a_new_version_of_the_tile_shows_and_its_seam_is_seen_up_close(page, live, kit):
    tile = create_tile(kit.owner, "Checks", CHECKS)
    wall_of(page, tile)
    before = canvas_pixels(page, "#looks figure canvas")
    keep_tile(kit.owner, tile.pk, CHECKS | {"source": {"name": "noise", "values": {"cells": 4}}})
    page.wait_for_function("() => window.orvixWall.looks.number === 2")
    shown(page, 0, 1)
    assert not np.array_equal(canvas_pixels(page, "#looks figure canvas"), before)
    expect(page.locator("#seam-verdict")).to_have_text("Always seamless")
    page.locator('button[data-gauge="seam"]').click()
    expect(page.locator('input[name="view"][value="close"]')).to_be_checked()
    page.wait_for_function(
        "() => window.orvixWall.close.pieces[0]?.cloth.seam && window.orvixWall.close.pieces[0].cloth.tile"
    )
    page.locator('label:has(input[name="view"][value="true"])').click()
    page.get_by_role("button", name="Set up screen").click()
    page.locator("#screen-range").fill("120")
    page.get_by_role("button", name="Save", exact=True).click()
    expect(page.locator("#scale-words")).to_have_text("True size, 120 ppi screen")
    assert abs(page.evaluate("() => window.orvixWall.looks.scale") - 120 / 25.4) < 1e-6


def test_the_print_desk_refuses_is_mended_and_takes_the_order(page, live, kit, monkeypatch):
    for name in ("FIRST_WAIT_SECONDS", "ASK_SECONDS"):
        monkeypatch.setattr(orders, name, 0.0)
    tile = create_tile(kit.owner, "Checks", CHECKS)
    wall_of(page, tile)
    expect(page.locator('[data-check="lines"]')).to_contain_text("break up")
    page.get_by_role("button", name="Print anyway").click()
    expect(page.locator("#checks-passed")).to_have_text("All 7 passed")
    page.locator("#print-ppi").fill("100")
    page.locator("#print-ppi").press("Enter")
    expect(page.locator('[data-check="resolution"]')).to_contain_text("at least 200 ppi")
    expect(page.locator("#send-order")).to_be_disabled()
    expect(page.locator("#repeat-size")).to_have_text("Repeat 65.0 × 65.0 mm")
    page.get_by_role("button", name="Print at 200 ppi").click()
    expect(page.locator("#checks-passed")).to_have_text("All 7 passed")
    expect(page.locator("#repeat-size")).to_have_text("Repeat 32.5 × 32.5 mm")
    page.locator("#copies").fill("60")
    page.locator("#copies").press("Enter")
    page.get_by_role("button", name="Send 60 copies").click()
    expect(page.locator(".order")).to_contain_text("Waiting")
    run_job(Job.objects.get().pk)
    expect(page.locator(".order")).to_contain_text("Ready")
    with page.expect_download() as fetched:
        page.get_by_role("link", name="Proof sheet (PDF)").click()
    assert fetched.value.path().read_bytes().startswith(b"%PDF")
    page.reload()
    expect(page.locator(".order")).to_contain_text("60 × tote, Ready")


def test_a_tile_and_the_layers_in_hand_are_taken_out_as_files(page, live, kit, tmp_path):
    tile = create_tile(kit.owner, "Checks", CHECKS)
    wall_of(page, tile)
    page.get_by_role("button", name="Export…").click()
    page.locator('#take-out [name="format"]').select_option("png16")
    page.locator('#take-out [name="maker"]').fill("Brindle Skerry")
    with page.expect_download() as fetched:
        page.locator("#take-out").get_by_role("button", name="Export").click()
    assert fetched.value.suggested_filename == "checks-v1-16bit.png"
    assert np.array_equal(read_picture(fetched.value.path().read_bytes()), tile_pixels(tile.latest))
    # A canvas goes out with its layers, and comes in again.
    page.goto(f"/canvases/{kit.canvas.pk}/")
    page.locator("#export-more").click()
    expect(page.locator('#take-out [name="maker"]')).to_have_value("Brindle Skerry")
    page.locator('#take-out [name="format"]').select_option("openraster")
    with page.expect_download() as fetched:
        page.locator("#take-out").get_by_role("button", name="Export").click()
    fetched.value.save_as(tmp_path / "lid.ora")
    page.goto("/canvases/")
    page.locator('#of-file input[type="file"]').set_input_files(tmp_path / "lid.ora")
    expect(page.locator("h1")).to_have_text("lid")
    expect(page.locator("#layers")).to_contain_text("Layer 1")


LINES = {"size": [64, 64], "source": {"name": "screen", "values": {"spot": "line", "ruling": 4, "angle": 0}}}


def test_colourways_hang_in_a_row_and_are_seen_close_together(page, live, kit):
    tile = create_tile(kit.owner, "Lines", LINES)
    wall_of(page, tile)
    page.get_by_role("button", name="Colourways").click()
    expect(page.locator("#look-name")).to_have_text("Colourway 1 · 4 × 4 repeat")
    inputs = page.locator("#colourway-swaps input")
    swap = {"#000000": "#102040", "#ffffff": "#ffd0a0"}
    for n in range(inputs.count()):
        own = inputs.nth(n).input_value()
        if own in swap:
            inputs.nth(n).fill(swap[own])
    page.locator("#colourway-name").fill("Dusk")
    page.locator("#colourway-name").press("Enter")
    expect(page.locator("#look-name")).to_have_text("Dusk · 4 × 4 repeat")
    page.get_by_role("button", name="Add colourway").click()
    expect(page.locator("#looks figure")).to_have_count(6)
    page.get_by_role("button", name="Delete", exact=True).click()
    expect(page.locator("#colourway-list button")).to_have_count(1)
    page.get_by_role("button", name="Close", exact=True).click()
    page.get_by_role("button", name="Save version").click()
    expect(page.locator('[data-slot="proof"]')).to_contain_text("proof v2")
    kept = Proof.objects.get().latest.wall
    assert [one["name"] for one in kept["colourways"]] == ["Dusk"]
    assert swap.items() <= dict(kept["colourways"][0]["swaps"]).items()
    assert [one.get("colours") for one in kept["panels"]][-2:] == ["Dusk", None], "who loses its colourway has its own"
    # Side by side, up close: one is panned and zoomed, the other shows the same part.
    page.locator('label:has(input[name="view"][value="close"])').click()
    expect(page.locator(".piece")).to_have_count(2)
    page.wait_for_function("() => window.orvixWall.close.pieces.every(({ cloth }) => cloth.tile)")
    box = page.locator(".piece").first.bounding_box()
    page.mouse.move(box["x"] + 100, box["y"] + 100)
    page.mouse.wheel(0, -500)
    page.mouse.down()
    page.mouse.move(box["x"] + 160, box["y"] + 120)
    page.mouse.up()
    seen = page.evaluate("() => window.orvixWall.close.pieces.map(({ cloth }) => [cloth.zoom, cloth.left, cloth.top])")
    assert seen[0] == seen[1]
    plain, dusk = (canvas_pixels(page, f".piece:nth-child({n}) canvas") for n in (1, 2))
    black = (plain == 0).all(axis=-1)
    assert black.any()
    # Half the screen px are taken: the ones on borders between tiles may be smoothed.
    assert ((dusk[black] == (16, 32, 64)).all(axis=-1)).mean() > 0.95


def test_what_is_flat_is_looked_at_through_a_loupe_and_by_sight(page, live, kit):
    tile = create_tile(kit.owner, "Lines", LINES)
    wall_of(page, tile)
    shown(page, 1, 1)
    page.get_by_role("button", name="Loupe").click()
    box = page.locator("#looks figure canvas").first.bounding_box()
    # The middle of the second of four: in the tile, its middle.
    x, y = box["x"] + box["width"] * 3 / 8, box["y"] + box["height"] * 3 / 8
    page.mouse.move(x - 2, y)
    page.mouse.move(x, y)
    expect(page.locator(".loupe")).to_be_visible()
    page.wait_for_function("() => window.orvixWall.loupe.cloth.tile && document.querySelector('.loupe').dataset.at")
    page.mouse.move(x, y)
    at = [int(one) for one in page.locator(".loupe").get_attribute("data-at").split()]
    assert all(abs(one - 32) <= 2 for one in at)
    page.mouse.wheel(0, -100)
    assert page.evaluate("() => window.orvixWall.loupe.zoom") == 4
    page.locator("#loupe").click()
    expect(page.locator(".loupe")).to_be_hidden()
    page.locator('label:has(input[name="view"][value="sight"])').click()
    shown(page, 1, 2)
    widths = page.evaluate(
        "() => [...document.querySelectorAll('#looks canvas')].map((one) => parseFloat(one.style.width))"
    )
    # The same four repeats from 12 m, for an eye at 0.6 m from the screen: a twentieth as wide.
    assert abs(widths[0] / widths[1] - 20) < 0.1


def test_a_surface_of_ones_own_is_dragged_into_place_and_hung(page, live, kit, tmp_path):
    tile = create_tile(kit.owner, "Checks", CHECKS)
    wall = np.full((300, 400, 3), 190, np.uint8)
    write_png(tmp_path / "Boathouse.png", wall)
    page.goto("/proofs/")
    page.locator('#new-surface input[type="file"]').set_input_files(tmp_path / "Boathouse.png")
    page.wait_for_url("**/proofs/surfaces/*/")
    picture = page.locator("#own-picture")
    expect(picture).to_have_attribute("data-shown", re.compile(r"\d+"))
    page.locator('[data-own="columns"]').fill("2")
    expect(page.locator("#own-knots circle")).to_have_count(6)
    box = page.locator("#own-knots circle").first.bounding_box()
    frame = page.locator("#own-knots").bounding_box()
    x, y = box["x"] + box["width"] / 2, box["y"] + box["height"] / 2
    page.mouse.move(x, y)
    page.mouse.down()
    page.mouse.move(x - 40, y - 30, steps=4)
    page.mouse.up()
    want = [0.2 - 40 / frame["width"], 0.2 - 30 / frame["height"]]
    page.wait_for_function(
        "(want) => window.orvixOwn.laying.points[0].every((one, k) => Math.abs(one - want[k]) < 0.004)", arg=want
    )
    page.locator("#own-tile").select_option(str(tile.pk))
    page.locator('[data-own="width_mm"]').fill("150")
    page.locator("#own-name").fill("Boathouse wall")
    page.get_by_role("button", name="Save").click()
    expect(page.locator("#own-title")).to_have_text("Boathouse wall")
    kept = OwnSurface.objects.get()
    assert (kept.laying["columns"], kept.laying["width_mm"]) == (2, 150)
    wall_of(page, tile)
    page.locator("#add-look").select_option(f'{{"kind":"surface","surface":"own:{kept.pk}"}}')
    shown(page, 4, 1)
    panel = Panel.parse({"kind": "surface", "surface": f"own:{kept.pk}"}, own_of(kit.owner.pk))
    want = drawn(panel, Cloth.of(tile_pixels(tile.latest), Repeat(), 300.0), scale(page))
    assert np.array_equal(canvas_pixels(page, "#looks figure:nth-of-type(5) canvas"), want[..., :3])


def test_twenty_four_looks_hang_and_what_is_higher_than_the_window_is_reached_at_true_size(page, live, kit):
    proof = create_proof(kit.owner, "tile", kit.tile.pk)
    looks = [{"kind": "surface", "surface": name} for name in ("tote", "tin", "mug", "cushion")] * 6
    keep_proof(kit.owner, proof.pk, {"panels": looks})
    page.goto(f"/proofs/{proof.pk}/")
    figures = page.locator("#looks figure")
    expect(figures).to_have_count(24)
    page.locator("#looks").evaluate("(box) => box.scrollTo(box.scrollWidth, 0)")
    expect(figures.last).to_have_attribute("data-shown", re.compile(r"\d+"))
    page.locator("#add-look").select_option(label="Repeat")
    expect(page.locator("#refusals")).to_contain_text("holds 24 looks")
    page.get_by_text("True size", exact=True).click()
    expect(page.locator("#looks")).to_have_class(re.compile("large"))
    page.locator("#looks").evaluate("(box) => box.scrollTo(0, 0)")
    top = page.locator("#looks").bounding_box()["y"]
    assert min(one.bounding_box()["y"] for one in figures.all()) >= top
    # What left the window gave its pixels back, and is drawn again when it comes.
    last = figures.last.locator("canvas")
    page.wait_for_function("(one) => one.width === 1", arg=last.element_handle())
    # So does one whose pixels come when it has left already.
    page.evaluate(
        """async () => {
            const looks = window.orvixWall.looks, ask = looks.ask;
            looks.ask = async (...asked) => {
                const answer = await ask.apply(looks, asked);
                looks.figures[23].dataset.seen = "";
                return answer;
            };
            looks.figures[23].dataset.seen = "yes";
            await looks.draw(23);
            looks.ask = ask;
        }"""
    )
    assert last.evaluate("(one) => one.width") == 1
    page.locator("#looks").evaluate("(box) => box.scrollTo(box.scrollWidth, box.scrollHeight)")
    page.wait_for_function("(one) => one.width > 100", arg=last.element_handle())
    page.get_by_text("Side by side", exact=True).click()
    page.locator("#looks").evaluate("(box) => box.scrollTo(0, 0)")
    page.wait_for_function(
        "() => [...document.querySelectorAll('#looks figure[data-seen=yes] canvas')].every((one) => one.width > 1)"
    )


def test_what_cannot_be_printed_leaves_no_checks_standing_and_a_refused_export_stays_open(page, new_page, live, kit):
    proof = create_proof(kit.owner, "tile", kit.tile.pk)
    page.goto(f"/proofs/{proof.pk}/")
    expect(page.locator("#checks > *")).not_to_have_count(0)
    typed = (("print-ppi", "0", "300"), ("print-ppi", "abc", "300"), ("copies", "-1", "2"), ("copies", "1.5", "1"))
    for field, bad, good in typed:
        page.locator(f"#{field}").fill(bad)
        page.locator(f"#{field}").press("Enter")
        expect(page.locator("#checks-passed")).to_contain_text("enter")
        expect(page.locator("#checks > *")).to_have_count(0)
        expect(page.locator("#send-order")).to_be_disabled()
        expect(page.locator("#send-order")).to_have_text("Send order")
        page.locator(f"#{field}").fill(good)
        page.locator(f"#{field}").press("Enter")
        expect(page.locator("#checks > *")).not_to_have_count(0)
    page.locator("#take-it-out").click()
    expect(page.locator("#take-out-quality")).to_be_hidden()
    page.locator("#take-out [name=format]").select_option("jpeg")
    page.locator("#take-out [name=quality]").fill("60")
    page.locator("#take-out [name=height]").fill("20000")
    page.locator("#take-out button.main").click()
    expect(page.locator("#take-out-not")).to_contain_text("16384")
    expect(page.locator("#take-out-dialog")).to_be_visible()
    page.locator("#take-out [name=height]").fill("40")
    with page.expect_download() as fetched:
        page.locator("#take-out button.main").click()
    assert fetched.value.suggested_filename.endswith(".jpg")
    assert [line for line in new_page.wrong if "422" not in line] == []
    new_page.wrong.clear()


def test_a_surface_from_a_picture_hangs_at_once_and_the_proof_stays(page, live, kit, tmp_path):
    proof = create_proof(kit.owner, "tile", kit.tile.pk)
    Image.new("RGB", (64, 48), "#c8b48c").save(tmp_path / "wall.png")
    page.goto(f"/proofs/{proof.pk}/")
    expect(page.locator("#looks figure")).to_have_count(4)
    page.locator("#add-look").select_option(label="Repeat")
    page.locator("#new-surface input[type=file]").set_input_files(tmp_path / "wall.png")
    expect(page.locator("#looks figure")).to_have_count(6)
    expect(page.locator("#looks figure").last).to_contain_text("wall")
    page.get_by_role("link", name="Open wall").click()
    page.wait_for_url("**/proofs/surfaces/*/")
    page.go_back()
    expect(page.locator("#looks figure")).to_have_count(6)
