"""The canvas room with a pen and a mouse: painting, erasing, undo, lost connections, closed tabs."""

from __future__ import annotations

import re

import numpy as np
import pytest
from playwright.sync_api import expect

from orvix_web.brushes.models import Brush
from orvix_web.brushes.services import create_from_definition, starter_definition
from orvix_web.canvases.models import Operation
from orvix_web.canvases.rows import load_stroke, unpack_samples
from orvix_web.canvases.services import create_canvas
from orvix_web.canvases.storage import load
from tests.browser.walk import canvas_pixels, idle, open_room, set_value, wait_count, wave

pytestmark = pytest.mark.django_db(transaction=True)


def address(kit) -> str:
    return f"/canvases/{kit.canvas.pk}/"


def test_a_pens_pressure_tilt_and_twist_arrive_and_are_kept(page, live, kit, pen):
    box = open_room(page, address(kit))
    points = wave(box)
    pen(page).stroke(points)
    wait_count(page, "#picture", "committed", 1)
    samples = load_stroke(kit.canvas, 1).samples
    assert len(samples) >= len(points)
    assert abs(samples[:, 3].max() - max(press for _, _, press in points)) < 0.02
    assert set(samples[:, 4]) == {20.0}
    assert set(samples[:, 5]) == {-10.0}
    assert set(samples[:, 6]) == {30.0}
    assert (np.diff(samples[:, 0]) >= 0).all()


def test_paint_erase_undo_redo_by_key_and_press(page, live, kit, pen):
    box = open_room(page, address(kit))
    bare = canvas_pixels(page, "#picture canvas")
    hand = pen(page)
    hand.stroke(wave(box))
    wait_count(page, "#picture", "committed", 1)
    idle(page)
    painted = canvas_pixels(page, "#picture canvas")
    assert not np.array_equal(bare, painted)
    page.keyboard.press("e")
    page.keyboard.press("g")
    hand.stroke(wave(box))
    wait_count(page, "#picture", "committed", 2)
    assert Operation.objects.get(number=2).data["mode"] == "erase"
    page.keyboard.press("z")
    wait_count(page, "#picture", "committed", 3)
    idle(page)
    page.mouse.move(5, 5)
    assert np.array_equal(canvas_pixels(page, "#picture canvas"), painted)
    page.get_by_role("button", name="Undo").click()
    wait_count(page, "#picture", "committed", 4)
    idle(page)
    assert np.array_equal(canvas_pixels(page, "#picture canvas"), bare)
    expect(page.get_by_role("button", name="Undo")).to_be_disabled()
    page.keyboard.press("y")
    wait_count(page, "#picture", "committed", 5)
    idle(page)
    assert np.array_equal(canvas_pixels(page, "#picture canvas"), painted)


def test_a_mouse_paints_with_pressure_from_speed_or_fixed(page, live, kit):
    box = open_room(page, address(kit))
    page.locator(".drawer summary").first.click()
    page.locator("#mouse-kind").select_option("fixed")
    page.locator("#mouse-fixed").fill("0.35")
    for n in range(2):
        points = wave(box, height=0.4 + 0.2 * n)
        page.mouse.move(*points[0][:2])
        page.mouse.down()
        for x, y, _ in points[1:]:
            page.mouse.move(x, y)
        page.mouse.up()
        wait_count(page, "#picture", "committed", n + 1)
        page.locator(".drawer summary").first.click()
        page.locator("#mouse-kind").select_option("speed")
    fixed, speed = (load_stroke(kit.canvas, n).samples[:, 3] for n in (1, 2))
    assert np.allclose(fixed, 0.35)
    assert speed.std() > 0


def test_zoom_and_pan_touch_no_pixel_and_every_level_shows_the_same_picture(page, live, kit, pen):
    box = open_room(page, address(kit))
    pen(page).stroke(wave(box))
    wait_count(page, "#picture", "committed", 1)
    page.get_by_role("button", name="Zoom out").click()
    page.get_by_role("button", name="Zoom out").click()
    for _ in range(3):
        page.mouse.wheel(0, 120)
    page.keyboard.press("r")
    idle(page)
    kept = load(kit.canvas).canvas.view((0, 0, 640, 384))[..., :3]
    region = page.evaluate("() => window.orvixRoom.picture.region.box")
    assert region == [0, 0, 640, 384]
    page.evaluate(
        "() => { const one = window.orvixRoom.picture.region.bitmap; one.id = 'bitmap'; document.body.append(one); }"
    )
    assert np.array_equal(canvas_pixels(page, "#bitmap"), kept)
    assert Operation.objects.count() == 1


def test_closing_the_tab_in_the_middle_keeps_every_finished_stroke(new_page, live, kit, pen):
    page = new_page()
    box = open_room(page, address(kit))
    hand = pen(page)
    for n in range(3):
        hand.stroke(wave(box, height=0.3 + 0.15 * n))
        wait_count(page, "#picture", "committed", n + 1)
    hand.stroke(wave(box)[:12], lift=False)
    page.close()
    again = new_page()
    open_room(again, address(kit))
    idle(again)
    # The stroke that was cut short is waited for, then kept as far as it came: before or after this page opened.
    expect(again.locator("#kept")).to_contain_text(re.compile("All [34] saved"))
    hand = pen(again)
    hand.stroke(wave(box, height=0.8))
    expect(again.locator("#kept")).to_contain_text("All 5 saved")


def test_a_lost_connection_is_taken_up_again_in_mid_stroke(page, live, kit, pen):
    box = open_room(page, address(kit))
    points = wave(box, steps=60)
    hand = pen(page)
    hand.stroke(points[:25], lift=False)
    page.evaluate("() => window.orvixRoom.link.connection.drop()")
    for point in points[25:]:
        hand._send("mouseMoved", *point)
    hand._send("mouseReleased", *points[-1][:2], 0)
    wait_count(page, "#picture", "committed", 1)
    samples = load_stroke(kit.canvas, 1).samples
    right = page.evaluate("(x) => window.orvixRoom.picture.toCanvas(x, 0)[0]", points[-1][0] - box["x"])
    assert abs(samples[-1, 1] - right) < 0.01
    assert len(samples) >= 60


def test_an_end_that_was_lost_is_sent_again(page, live, kit, pen):
    box = open_room(page, address(kit))
    page.evaluate(
        """() => {
            const { socket } = window.orvixRoom.link.connection;
            const send = socket.send.bind(socket);
            socket.send = (data) => { if (new Uint8Array(data)[0] === 4) socket.close(); else send(data); };
        }"""
    )
    hand = pen(page)
    hand.stroke(wave(box))
    wait_count(page, "#picture", "committed", 1)
    expect(page.locator("#kept")).to_have_text("All 1 saved")
    hand.stroke(wave(box, height=0.7))
    wait_count(page, "#picture", "committed", 2)
    assert len(load_stroke(kit.canvas, 1).samples) >= 30


def test_the_recorded_pen_replays_through_the_same_path(page, live, kit):
    open_room(page, address(kit))
    page.locator(".drawer summary").first.click()
    page.locator("#recording").select_option("pressure swell")
    page.get_by_role("button", name="Play").click()
    wait_count(page, "#picture", "committed", 1)
    samples = load_stroke(kit.canvas, 1).samples
    from orvix.devices.stylus import TRIALS, record

    recorded = record(TRIALS["pressure swell"], 5)
    assert len(samples) == len(recorded)
    assert np.allclose(samples[:, 3], recorded[:, 3], atol=1e-6)
    assert np.allclose(samples[:, 0], recorded[:, 0] - recorded[0, 0], atol=0.5)


def test_a_pen_held_still_sends_samples_that_are_part_of_the_stroke(page, live, kit, pen):
    box = open_room(page, address(kit))
    hand = pen(page)
    points = wave(box)
    hand.stroke(points[:10], lift=False)
    page.wait_for_function("() => window.orvixRoom.hand.stroke.samples.length > 24")
    hand._send("mouseReleased", *points[9][:2], 0)
    wait_count(page, "#picture", "committed", 1)
    samples = load_stroke(kit.canvas, 1).samples
    still = (np.diff(samples[:, 1:3], axis=0) == 0).all(axis=1).sum()
    assert still >= 10


def test_two_windows_on_one_canvas_see_the_same(new_page, live, kit, pen):
    one, two = new_page(), new_page()
    box = open_room(one, address(kit))
    open_room(two, address(kit))
    pen(one).stroke(wave(box))
    wait_count(two, "#picture", "committed", 1)
    for each in (one, two):
        idle(each)
    assert np.array_equal(canvas_pixels(one, "#picture canvas"), canvas_pixels(two, "#picture canvas"))


def test_painting_one_canvas_does_not_block_pages_or_another(new_page, live, kit, pen):
    other = create_canvas(kit.owner, "Other", {"width": 400, "height": 300})
    one, two = new_page(), new_page()
    box = open_room(one, address(kit))
    open_room(two, f"/canvases/{other.pk}/")
    pen(one).stroke(wave(box)[:15], lift=False)
    pen(two).stroke(wave(box))
    wait_count(two, "#picture", "committed", 1)
    assert two.request.get("/tiles/").ok
    pen(one)._send("mouseReleased", *wave(box)[14][:2], 0)
    wait_count(one, "#picture", "committed", 1)


def test_a_brush_brings_its_use_and_what_it_keeps(page, live, kit):
    for name, values in (
        ("Smearer", {"use": "smear", "keeps_size": False}),
        ("Rouge", {"keeps_colour": True, "colour": "#aa1133", "second_colour": "#0044aa"}),
    ):
        coats = [{"values": {"size": 20}}, {"values": {"size": 64}}]
        create_from_definition(kit.owner, name, {"coats": coats, "values": values})
    box = open_room(page, f"/canvases/{kit.canvas.pk}/")
    size = page.locator('.value[data-value="size"] .number input')
    page.locator("[data-brush]").filter(has_text="Rouge").click()
    expect(size).to_have_value("64")
    expect(page.locator("#colour")).to_have_value("#aa1133")
    expect(page.locator("#second-colour")).to_have_value("#0044aa")
    set_value(page, "size", "30")
    page.locator("[data-brush]").filter(has_text="Smearer").click()
    expect(page.locator('input[name="mode"][value="smear"]')).to_be_checked()
    expect(size).to_have_value("30")
    page.locator("[data-brush]").filter(has_text="Rouge").click()
    expect(page.locator('input[name="mode"][value="paint"]')).to_be_checked()
    page.mouse.move(box["x"] + 300, box["y"] + 200)
    page.mouse.down()
    page.mouse.move(box["x"] + 380, box["y"] + 220, steps=6)
    page.mouse.up()
    wait_count(page, "#picture", "committed", 1)
    told = Operation.objects.get().data
    assert (told["colour"], told["second_colour"], told["mode"]) == ("#aa1133", "#0044aa", "paint")


def test_the_next_stamp_is_shown_under_the_pointer_before_it_is_pressed(page, live, kit, pen):
    box = open_room(page, f"/canvases/{kit.canvas.pk}/")
    page.locator(f'[data-brush="{kit.brush.latest.pk}"]').click()
    ghost = page.locator("#picture .next-stamp")
    at = box["x"] + box["width"] / 2, box["y"] + box["height"] / 2
    expect(ghost).to_be_hidden()
    page.mouse.move(*at)
    expect(ghost).to_be_visible()
    wide = ghost.bounding_box()["width"]
    middle = ghost.bounding_box()["x"] + wide / 2
    assert abs(middle - at[0]) < 6
    page.keyboard.press("g")
    page.keyboard.press("g")
    page.wait_for_function(
        "wide => document.querySelector('.next-stamp').getBoundingClientRect().width > 1.1 * wide", arg=wide
    )
    before = int(page.locator("#picture").get_attribute("data-committed") or 0)
    page.mouse.down()
    expect(ghost).to_be_hidden()
    page.mouse.move(at[0] + 60, at[1])
    page.mouse.up()
    wait_count(page, "#picture", "committed", before + 1)
    page.mouse.move(at[0] + 70, at[1] + 10)
    expect(ghost).to_be_visible()
    page.locator("[data-next-stamp]").click()
    page.mouse.move(*at)
    idle(page)
    expect(ghost).to_be_hidden()


def test_size_and_opacity_are_set_on_the_picture_and_sizes_used_before_are_one_press(page, live, kit, pen):
    box = open_room(page, f"/canvases/{kit.canvas.pk}/")
    x, y = box["x"] + box["width"] / 2, box["y"] + box["height"] / 2
    size = page.locator('.value[data-value="size"] .number input')
    before = float(size.input_value())
    pen(page).stroke(wave(box))
    wait_count(page, "#picture", "committed", 1)
    page.keyboard.down("Control")
    page.mouse.move(x, y)
    page.mouse.down()
    page.mouse.move(x + 60, y - 60, steps=4)
    page.mouse.up()
    page.keyboard.up("Control")
    larger = float(size.input_value())
    assert larger > 1.3 * before
    page.keyboard.down("Alt")
    page.mouse.wheel(0, 300)
    page.keyboard.up("Alt")
    expect(size).not_to_have_value(str(larger))
    page.locator("#picture").focus()
    page.keyboard.press("Shift+D")
    assert float(page.locator('.value[data-value="opacity"] .number input').input_value()) < 100
    page.locator("#sizes-used").select_option(str(before).removesuffix(".0"))
    expect(size).to_have_value(str(before).removesuffix(".0"))
    assert Operation.objects.filter(canvas=kit.canvas).count() == 1, "nothing was painted meanwhile"


def test_brushes_of_one_set_keep_their_proportions_and_others_come_at_their_own_size(page, live, kit):
    for name, size, set_name in (("Leaf", 40, "Kelp"), ("Stem", 10, "Kelp"), ("Float", 25, "")):
        brush = create_from_definition(kit.owner, name, {"coats": [{"values": {"size": size, "largest": 400}}]})
        Brush.objects.filter(pk=brush.pk).update(set_name=set_name)
    open_room(page, f"/canvases/{kit.canvas.pk}/")
    size = page.locator('.value[data-value="size"] .number input')
    page.locator('[data-brush][title^="Leaf"]').click()
    set_value(page, "size", "80")
    page.locator('[data-brush][title^="Stem"]').click()
    expect(size).to_have_value("20")
    page.locator('[data-brush][title^="Float"]').click()
    expect(size).to_have_value("25")


def test_connected_runs_end_by_escape_and_go_on_from_what_still_stands(page, live, kit):
    box = open_room(page, f"/canvases/{kit.canvas.pk}/")
    x, y = box["x"] + box["width"] / 2, box["y"] + box["height"] / 2
    page.locator("#lines").select_option("on")
    page.locator("#picture").focus()

    def run(a, b, count: int) -> np.ndarray:
        """A run from a to b; where the line begins that is painted, in px of the canvas."""
        page.mouse.move(x + a[0], y + a[1])
        page.mouse.down()
        page.mouse.move(x + b[0], y + b[1], steps=3)
        page.mouse.up()
        wait_count(page, "#picture", "committed", count)
        page.wait_for_function("() => window.orvixRoom.hand.laid === null")
        done = Operation.objects.filter(canvas=kit.canvas, state="done").last()
        return unpack_samples(done.samples)[0, 1:3]

    def at(px, py) -> list[float]:
        place = [box["width"] / 2 + px, box["height"] / 2 + py]
        return page.evaluate("(place) => window.orvixRoom.picture.toCanvas(...place)", place)

    run((-150, -60), (0, -60), 1)
    assert run((40, 40), (100, 40), 2) == pytest.approx(at(0, -60), abs=1.5)
    expect(page.locator("#chain-words")).to_be_visible()
    # Undone, the next goes on from the end that still stands.
    page.locator("#undo").click()
    wait_count(page, "#picture", "committed", 3)
    assert run((50, 50), (90, 60), 4) == pytest.approx(at(0, -60), abs=1.5)
    for n in (5, 6):
        page.locator("#undo").click()
        wait_count(page, "#picture", "committed", n)
    expect(page.locator("#chain-words")).to_be_hidden()
    assert run((-40, 70), (90, 70), 7) == pytest.approx(at(-40, 70), abs=1.5)
    page.locator("#picture").focus()
    page.keyboard.press("Escape")
    expect(page.locator("#chain-words")).to_be_hidden()
    assert run((-100, -90), (90, -90), 8) == pytest.approx(at(-100, -90), abs=1.5)


def test_keys_pressed_while_a_canvas_opens_do_nothing_and_layers_added_fast_are_all_there(page, live, kit):
    page.goto(f"/canvases/{kit.canvas.pk}/", wait_until="commit")
    page.wait_for_function("() => window.orvixRoom")
    for key in "hlgcfuktvn":
        page.evaluate("(key) => document.body.dispatchEvent(new KeyboardEvent('keydown', { key, bubbles: true }))", key)
    page.wait_for_function("() => window.orvixRoom.layers.stack.length > 0")
    before = page.evaluate("() => window.orvixRoom.layers.stack.length")
    page.evaluate("() => { for (let n = 0; n < 99; n += 1) document.querySelector('[data-add-layer=paint]').click(); }")
    wait_count(page, "#picture", "committed", 99)
    numbers = page.evaluate("() => window.orvixRoom.layers.stack.map((one) => one.id)")
    assert len(numbers) == before + 99
    assert numbers == sorted(numbers)
    names = page.evaluate("() => window.orvixRoom.layers.stack.map((one) => one.name)")
    assert len(set(names)) == len(names)
    expect(page.locator("#refusals")).to_be_empty()


def test_the_corner_of_connected_ribbons_has_no_notch(page, live, kit):
    rope = create_from_definition(kit.owner, "Rope", starter_definition(kit.owner, "rope-ribbon"))
    box = open_room(page, address(kit))
    page.locator(f'[data-id="{rope.pk}"]').click()
    set_value(page, "size", "40")
    page.locator("#lines").select_option("on")
    x, y = box["x"] + box["width"] / 2, box["y"] + box["height"] / 2
    for n, (a, b) in enumerate((((-160, -60), (0, -60)), ((0, -60), (0, 90))), 1):
        page.mouse.move(x + a[0], y + a[1])
        page.mouse.down()
        page.mouse.move(x + b[0], y + b[1], steps=4)
        page.mouse.up()
        wait_count(page, "#picture", "committed", n)
        page.wait_for_function("() => window.orvixRoom.hand.laid === null")
    corner = page.evaluate(
        "(place) => window.orvixRoom.picture.toCanvas(...place)", [box["width"] / 2, box["height"] / 2 - 60]
    )
    whole = load(kit.canvas).canvas.view((0, 0, 640, 384))[..., :3].astype(int)
    # Outside of the corner, where neither of two straight ends would lie.
    at = [round(corner[0] + 8), round(corner[1] - 8)]
    assert np.abs(whole[at[1], at[0]] - [0xF2, 0xEF, 0xE6]).sum() > 60
