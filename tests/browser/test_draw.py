"""Tiles drawn by hand, with pen and mouse: half moves, any copy, the reserve, painted tone, and changing one in use."""

from __future__ import annotations

import numpy as np
import pytest
from playwright.sync_api import expect

from orvix_web.brushes.services import create_brush, create_from_definition, starter_definition
from orvix_web.canvases.drawings import create_drawing
from orvix_web.canvases.models import Canvas, Operation
from orvix_web.canvases.storage import load
from orvix_web.tiles.models import Tile
from orvix_web.tiles.rendering import tile_state
from orvix_web.tiles.services import create_grain, create_tile
from tests.browser.walk import canvas_pixels, idle, set_value, wait_count

pytestmark = pytest.mark.django_db(transaction=True)


@pytest.fixture
def owner(live):
    from orvix_web.accounts.people import local_painter

    person = local_painter()
    create_from_definition(person, "Liner", starter_definition(person, "harbour-liner"))
    return person


def drawing_of(owner, **told):
    return create_drawing(owner, "Kelp", {"width": 301, "height": 257, "ground": "#f2efe6", **told})


def open_bench(page, tile) -> dict:
    page.goto(f"/tiles/{tile.pk}/draw/")
    return ready(page)


def ready(page) -> dict:
    wait_count(page, "#picture", "updates", 1)
    page.wait_for_function("() => document.getElementById('kept').textContent.includes('saved')")
    idle(page)
    return page.locator("#picture").bounding_box()


def at(page, box, x, y) -> tuple[float, float]:
    """Where a place of the cloth, in px of the drawing, lies on the page."""
    zoom, left, top = page.evaluate("() => { const p = window.orvixDraw.picture; return [p.zoom, p.left, p.top]; }")
    return box["x"] + (x - left) * zoom, box["y"] + (y - top) * zoom


def draw(page, box, pen, points, **more) -> None:
    pen(page).stroke([(*at(page, box, x, y), 0.7) for x, y in points], **more)


def committed(page, number: int) -> None:
    wait_count(page, "#picture", "committed", number)
    idle(page)


def whole(tile) -> np.ndarray:
    return load(Canvas.objects.get(tile=tile)).canvas.pixels()


def line(x0, y0, x1, y1, steps=24):
    return [(x0 + (x1 - x0) * n / steps, y0 + (y1 - y0) * n / steps) for n in range(steps + 1)]


def test_first_marks_in_the_middle_then_the_borders_brought_there(page, live, owner, pen):
    """T1."""
    page.goto("/tiles/")
    page.locator(".named").get_by_role("button", name="New tile").click()
    form = page.locator("#new-drawing")
    form.get_by_placeholder("Drawing").fill("Kelp")
    form.get_by_label("Width", exact=True).fill("301")
    form.get_by_label("Height", exact=True).fill("257")
    form.get_by_role("button", name="New drawing").click()
    box = ready(page)
    tile = Tile.objects.get(name="Kelp")
    draw(page, box, pen, line(90, 90, 210, 160))
    committed(page, 1)
    middle = whole(tile)
    page.get_by_role("button", name="Save state").click()
    expect(page.locator("#states")).to_contain_text("State 2")
    page.get_by_role("button", name="Horizontal", exact=True).click()
    committed(page, 3)
    assert np.array_equal(whole(tile), np.roll(middle, 150, axis=1))
    expect(page.get_by_role("button", name="Horizontal", exact=True)).to_have_attribute("aria-pressed", "true")
    # What was the border is marked, and not in the pixels: a dotted line of the guides' own colour.
    marked = (canvas_pixels(page, "#picture canvas") == [27, 94, 128]).all(axis=2)
    x = int(at(page, box, 150, 0)[0] - box["x"])
    assert marked[:, x - 2 : x + 4].sum() > 20
    page.locator("[data-setting=former]").set_checked(False)
    wait_count(page, "#picture", "settings", 1)
    marked = (canvas_pixels(page, "#picture canvas") == [27, 94, 128]).all(axis=2)
    assert not marked[:, x - 2 : x + 4].any()
    draw(page, box, pen, line(60, 40, 240, 60))
    committed(page, 4)
    page.get_by_role("button", name="Vertical", exact=True).click()
    committed(page, 5)
    page.get_by_role("button", name="Both", exact=True).click()
    committed(page, 6)
    # Both lie inside, so the press moved both back: one press, one undo.
    assert np.array_equal(whole(tile)[..., :3] != 65535, np.roll(whole(tile), 0)[..., :3] != 65535)
    expect(page.get_by_role("button", name="Horizontal", exact=True)).to_have_attribute("aria-pressed", "false")
    page.keyboard.press("z")
    committed(page, 7)
    expect(page.get_by_role("button", name="Both", exact=True)).to_have_attribute("aria-pressed", "true")
    # The kept state is looked at beside the drawing, then taken up again, and that is undone.
    now = whole(tile)
    page.locator("#states [data-beside='2']").click()
    wait_count(page, "#beside", "shown", 1)
    page.locator("#states [data-beside='2']").click()
    page.locator("#states [data-take-up='2']").click()
    committed(page, 8)
    assert np.array_equal(whole(tile), middle)
    page.get_by_role("button", name="Undo").click()
    committed(page, 9)
    assert np.array_equal(whole(tile), now)


@pytest.mark.parametrize(
    ("told", "copy"),
    [
        ({"repeat": "half-drop", "stagger": "1/2"}, lambda x, y: (x + 301, y + 129)),
        ({"repeat": "brick", "stagger": "1/3"}, lambda x, y: (x + 100, y + 257)),
        ({"neighbours": "mirror-across"}, lambda x, y: (601 - x, y)),
        ({"neighbours": "half-turn-across"}, lambda x, y: (601 - x, 256 - y)),
        ({"neighbours": "glide-across"}, lambda x, y: (301 + x, 256 - y)),
    ],
)
def test_a_stroke_in_any_copy_grows_in_all_of_them(page, live, owner, pen, told, copy):
    """T2: while the pen is down, and across the border."""
    tile = drawing_of(owner, **told)
    box = open_bench(page, tile)
    page.keyboard.press("r")
    page.evaluate(
        "() => { const p = window.orvixDraw.picture; p.pan(Math.round(p.left + 60), Math.round(p.top + 60)); }"
    )
    idle(page)
    page.locator("[data-setting=frame]").set_checked(False)
    wait_count(page, "#picture", "settings", 1)
    before = canvas_pixels(page, "#picture canvas")
    points = line(250, 60, 360, 100)
    draw(page, box, pen, points, lift=False)
    page.wait_for_function("() => window.orvixDraw.link.latency.length > 0")
    idle(page)
    shot = canvas_pixels(page, "#picture canvas")
    left, top = page.evaluate("() => [window.orvixDraw.picture.left, window.orvixDraw.picture.top]")

    def patch(x, y):
        return shot[int(y - top), int(x - left)].astype(int)

    dark = [(x, y) for x, y in points[4:-4:3] if patch(x, y).sum() < 500]
    assert len(dark) > 3
    for x, y in dark:
        cx, cy = copy(int(x), int(y))
        if 0 <= cx - left < shot.shape[1] and 0 <= cy - top < shot.shape[0]:
            assert np.abs(patch(cx, cy) - patch(x, y)).max() <= 1
    assert (before[int(60 - top), int(301 - left)] == before[0, 0]).all()
    pen(page)._send("mouseReleased", *at(page, box, *points[-1]), 0)
    committed(page, 1)
    # Settled, every copy of the view is the part, turned as the neighbours are.
    row = Canvas.objects.get(tile=tile)
    core = load(row).canvas
    part = core.view(core.spec.box)[..., :3]
    shot = canvas_pixels(page, "#picture canvas")
    want = core.spec.joined.cloth(part, int(top), int(left), *shot.shape[:2])
    assert np.array_equal(shot, want)


def test_panning_without_end_draws_on_the_same_tile(page, live, owner, pen):
    tile = drawing_of(owner, repeat="half-drop")
    box = open_bench(page, tile)
    draw(page, box, pen, line(100, 100, 200, 120))
    committed(page, 1)
    once = whole(tile)
    page.keyboard.press("z")
    committed(page, 2)
    page.evaluate("() => { const p = window.orvixDraw.picture; p.pan(-301 * 40 * p.zoom, 257 * 33 * p.zoom); }")
    home = page.evaluate("() => window.orvixDraw.picture.home(301 * 40 + 100, -257 * 33 + 100)")
    assert home[0] == 301 * 40
    assert (home[1] - 40 * 129) % 257 == 0
    draw(page, box, pen, [(px + home[0], py + home[1]) for px, py in line(100, 100, 200, 120)])
    committed(page, 3)
    assert np.abs(whole(tile).astype(int) - once.astype(int)).max() < 6000


def test_outwards_from_a_reserve_with_one_mark_at_one_size(page, live, owner, pen):
    """T3."""
    tile = drawing_of(owner)
    box = open_bench(page, tile)
    page.locator("#outline").select_option("rhomb")
    wait_count(page, "#picture", "settings", 1)
    assert Canvas.objects.get(tile=tile).settings["reserve"]
    bare = whole(tile)
    set_value(page, "size", "31")
    for n in range(3):
        draw(page, box, pen, line(110 + 30 * n, 120, 120 + 30 * n, 150))
        committed(page, n + 1)
    set_value(page, "size", "12")
    draw(page, box, pen, line(150, 100, 160, 110))
    committed(page, 4)
    expect(page.locator("#sizes")).to_have_text("12 px31 px")
    page.get_by_role("button", name="Join corners").click()
    committed(page, 5)
    expect(page.locator("#layers li")).to_have_count(2)
    assert page.locator("#layers input[name=name]").evaluate_all("all => all.map((one) => one.value)") == [
        "Second half",
        "First half",
    ]
    page.locator("#sizes button", has_text="31 px").click()
    expect(page.locator('.value[data-value="size"] .number input')).to_have_value("31")
    draw(page, box, pen, line(140, 120, 160, 140))
    committed(page, 6)
    assert Operation.objects.get(number=6).data["layer"] == 2
    canvas = load(Canvas.objects.get(tile=tile)).canvas
    assert [one.name for one in canvas.stack] == ["First half", "Second half"]
    # Guides are never in the pixels: what nobody painted is the ground.
    assert ((canvas.pixels() == bare[0, 0]).all(axis=2)).mean() > 0.8
    page.locator("#layers li").nth(1).locator(".bead-only").click()
    committed(page, 7)
    assert not load(Canvas.objects.get(tile=tile)).canvas.stack[0].visible
    page.locator("#layers li").first.get_by_role("button", name="Delete layer").click()
    committed(page, 8)
    page.get_by_role("button", name="Undo").click()
    committed(page, 9)
    expect(page.locator("#layers li")).to_have_count(2)


def test_the_reserve_is_shaped_and_the_frame_moved_on_the_cloth(page, live, owner, new_page):
    tile = drawing_of(owner)
    box = open_bench(page, tile)
    page.locator("#shaping").set_checked(True)
    wait_count(page, "#picture", "settings", 1)
    page.mouse.move(*at(page, box, 301, 128.5))
    page.mouse.down()
    page.mouse.move(*at(page, box, 250, 128.5), steps=4)
    page.mouse.up()
    wait_count(page, "#picture", "settings", 2)
    outline = Canvas.objects.get(tile=tile).settings["outline"]
    assert outline[1][0] == pytest.approx(250 / 301, abs=0.02)
    page.mouse.move(*at(page, box, 301 * outline[0][0], 0))
    page.mouse.down()
    page.mouse.move(*at(page, box, 2, 2), steps=4)
    page.mouse.up()
    expect(page.locator("#refusals")).to_contain_text("cover a corner")
    new_page.wrong.clear()
    x, y = at(page, box, 0, 0)
    page.mouse.move(x - 8, y - 8)
    page.mouse.down()
    page.mouse.move(x + 52, y + 22, steps=4)
    page.mouse.up()
    wait_count(page, "#picture", "settings", 4)
    settings = Canvas.objects.get(tile=tile).settings
    assert settings["frame_x"] > 10
    assert settings["frame_y"] > 5
    assert not Operation.objects.exists()


def test_straight_runs_snap_to_the_grid_and_a_shaking_hand_is_steadied(page, live, owner, pen):
    tile = drawing_of(owner, width=320, height=320)
    box = open_bench(page, tile)
    for name in ("grid", "snap"):
        page.locator(f"[data-setting={name}]").set_checked(True)
    wait_count(page, "#picture", "settings", 2)
    page.locator("#straight").set_checked(True)
    page.mouse.move(*at(page, box, 42, 78))
    page.mouse.down()
    page.mouse.move(*at(page, box, 150, 200), steps=5)
    page.mouse.move(*at(page, box, 238, 83), steps=5)
    assert page.locator("#run").evaluate("one => getComputedStyle(one).display") == "block"
    page.mouse.up()
    committed(page, 1)
    painted = (whole(tile)[..., 0].astype(int) < 40000).nonzero()
    assert abs(painted[0].mean() - 79.5) < 1.5
    assert painted[1].min() < 45
    assert painted[1].max() > 234
    page.locator("#straight").set_checked(False)
    page.locator("[data-setting=snap]").set_checked(False)
    set_value(page, "steady", "80")
    set_value(page, "trail", "20")
    draw(page, box, pen, [(40 + 5 * n, 240 + 8 * (n % 2)) for n in range(40)])
    committed(page, 2)
    data = Operation.objects.get(number=2).data
    assert (data["steady"], data["trail"]) == (0.8, 20)


def test_painted_tone_becomes_a_grain(page, live, owner, pen):
    """T9."""
    create_brush(owner, "Dabber")
    tile = drawing_of(owner, ground="#808080")
    box = open_bench(page, tile)
    page.locator("[data-setting=greys]").set_checked(True)
    wait_count(page, "#picture", "settings", 1)
    page.locator("[data-brush]").filter(has_text="Dabber").click()
    page.locator("#colours [aria-label=float]").click()
    draw(page, box, pen, line(60, 60, 220, 90))
    committed(page, 1)
    tones = whole(tile)
    assert (tones[..., 0].astype(int) - tones[..., 2] == 0).all()
    for n, (key, mode) in enumerate((("s", "smear"), ("o", "soften")), 2):
        page.keyboard.press(key)
        expect(page.locator(f"input[value={mode}]")).to_be_checked()
        before = whole(tile)
        draw(page, box, pen, line(150, 40, 160, 130))
        committed(page, n)
        assert Operation.objects.get(number=n).data["mode"] == mode
        assert not np.array_equal(whole(tile), before)
    # Readings follow the hand: quick ones, then full ones, and it closes by construction.
    wait_count(page, "#band", "full", 1)
    expect(page.locator("#seam-verdict")).to_have_text("Always seamless")
    page.get_by_role("button", name="Publish v2").click()
    expect(page.locator("#publish")).to_have_text("Publish v3")
    assert np.array_equal(tile_state(tile.latest).pixels, whole(tile))
    page.get_by_role("link", name="Recipe").click()
    page.get_by_role("button", name="New grain").click()
    expect(page.locator("h1")).to_contain_text("Kelp")


def test_a_tile_in_use_is_changed_and_what_follows_is_shown_first(page, live, owner, pen):
    """T5, on both benches."""
    tile = drawing_of(owner)
    grain = create_grain(owner, tile.latest.pk, "Kelp grain")
    brush = create_brush(owner, "Kelp chalk", grain.latest.pk)
    box = open_bench(page, tile)
    page.locator("[data-brush]").filter(has_text="Liner").click()
    draw(page, box, pen, line(90, 90, 210, 160))
    committed(page, 1)
    page.get_by_role("button", name="Publish v2").click()
    expect(page.locator(".followers")).to_contain_text("Kelp grain → v2")
    expect(page.locator(".followers")).to_contain_text("Kelp chalk → v2")
    page.get_by_role("button", name="Publish", exact=True).click()
    expect(page.locator("#publish")).to_have_text("Publish v3")
    assert (grain.latest.number, brush.latest.number) == (2, 2)
    assert grain.latest.tile_version == tile.latest
    # Split off under a name of its own: the tile itself goes back to what it was published as.
    published = whole(tile)
    draw(page, box, pen, line(40, 200, 260, 220))
    committed(page, 2)
    page.locator("[data-publish-more]").click()
    page.get_by_label("Name of the new tile").fill("Kelp, crossed")
    page.get_by_role("button", name="Save as new tile").click()
    expect(page.locator("h1")).to_have_text("Kelp, crossed")
    ready(page)
    other = Tile.objects.get(name="Kelp, crossed")
    assert not np.array_equal(whole(other), published)
    assert np.array_equal(whole(tile), published)
    # Dropped.
    box = open_bench(page, tile)
    draw(page, box, pen, line(40, 60, 260, 60))
    committed(page, 1)
    page.locator("[data-publish-more]").click()
    page.get_by_role("button", name="Discard changes").click()
    committed(page, 2)
    assert np.array_equal(whole(tile), published)
    assert tile.latest.number == 2


def test_a_recipe_is_a_draft_until_it_is_published_and_a_version_is_taken_up_again(page, live, owner):
    tile = create_tile(owner, "Fog", {"size": [128, 128], "source": {"name": "noise", "values": {"cells": 8}}})
    create_grain(owner, tile.latest.pk, "Fog grain")
    page.goto(f"/tiles/{tile.pk}/")
    wait_count(page, "#cloth", "shown", 1)
    expect(page.locator("#publish")).to_be_disabled()
    set_value(page, "source.values.cells", "12")
    page.goto(f"/tiles/{tile.pk}/")
    expect(page.locator('.value[data-value="source.values.cells"] .number input')).to_have_value("12")
    expect(page.locator("#keep-note")).to_have_text("Draft")
    page.get_by_role("button", name="Publish v2").click()
    page.locator(".followers input").first.set_checked(False)
    page.get_by_role("button", name="Publish", exact=True).click()
    expect(page.locator("#publish")).to_have_text("Publish v3")
    assert tile.latest.recipe["source"]["values"]["cells"] == 12
    assert tile.latest.grain_versions.count() == 0
    page.goto(f"/tiles/{tile.pk}/?version=1")
    page.get_by_role("button", name="Publish v3").click()
    page.get_by_role("button", name="Publish", exact=True).click()
    expect(page.locator("#publish")).to_have_text("Publish v4")
    assert tile.latest.recipe["source"]["values"]["cells"] == 8


def test_a_grain_that_does_not_fit_is_named_before_the_first_stroke_and_fits_by_one_press(page, live, owner):
    tile = create_tile(owner, "Fog", {"size": [128, 96], "source": {"name": "noise", "values": {"cells": 8}}})
    grain = create_grain(owner, tile.latest.pk, "Fog grain")
    brush = create_brush(owner, "Fog brush", grain.latest.pk)
    drawn = create_drawing(owner, "Quay", {"width": 352, "height": 264})
    page.goto(f"/tiles/{drawn.pk}/draw/")
    wait_count(page, "#picture", "updates", 1)
    page.locator(f'[data-id="{brush.pk}"]').click()
    expect(page.locator("#fit")).to_contain_text("Fog grain is off by")
    set_value(page, "size", "31")
    page.evaluate("() => window.orvixDraw.picture.zoomTo(2, 10, 10)")
    view = page.evaluate("() => [window.orvixDraw.picture.zoom, window.orvixDraw.picture.left]")
    page.locator("#fit button").click()
    expect(page.locator("#fit")).to_be_hidden()
    assert page.evaluate("() => window.orvixDraw.tray.brush") == brush.latest.pk
    assert brush.latest.number == 2
    assert page.evaluate("() => [window.orvixDraw.picture.zoom, window.orvixDraw.picture.left]") == view
    assert page.evaluate("() => window.orvixDraw.tray.size") == 31
