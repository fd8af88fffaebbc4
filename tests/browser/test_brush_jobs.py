"""Whole pieces of work with brushes, from the first press to the painted canvas, as a painter does them."""

from __future__ import annotations

import re
from fractions import Fraction

import numpy as np
import pytest
from playwright.sync_api import expect

from orvix.pictures.writing import png_bytes
from orvix_web.brushes.services import create_from_definition, create_tip_brush, starter_definition, take_tips
from orvix_web.canvases.drawings import create_drawing
from orvix_web.canvases.models import Canvas
from orvix_web.canvases.storage import load
from orvix_web.jobs.models import Job
from orvix_web.jobs.tasks import run_job
from orvix_web.tiles.services import create_grain, create_tile
from tests.browser.walk import idle, open_room, set_value, sheet_pixels, wait_count, wave


def pick(page, path: str, word: str) -> None:
    """Choose a word of a value, whether it is shown as a list or side by side."""
    side = page.locator(f'label:has(input[data-path="{path}"][value="{word}"])')
    if side.count():
        side.click()
    else:
        page.locator(f'select[data-path="{path}"]').select_option(word)


def bench(page, brush) -> None:
    page.goto(f"/brushes/{brush.pk}/")
    wait_count(page, "#sheet", "shown", 1)
    sheet_pixels(page)


def keep(page, number: int) -> None:
    page.locator("#keep-button").click()
    expect(page.locator("#named")).to_contain_text(f"v{number}")


def row(box: dict, top: float, left: float, right: float, steps: int = 24) -> list[tuple[float, float, float]]:
    """A straight row across a view, in shares of it, from left to right or back."""
    shares = np.linspace(left, right, steps)
    return [(box["x"] + box["width"] * share, box["y"] + box["height"] * top, 0.6) for share in shares]


def painted(page, pen, number: int, points) -> None:
    pen(page).stroke(points)
    wait_count(page, "#picture", "committed", number)
    idle(page)


@pytest.fixture
def starter(kit):
    def make(name: str):
        return create_from_definition(kit.owner, name, starter_definition(kit.owner, name))

    return make


def look(page, brush, number: int) -> dict:
    """Open the room with a brush in hand that has so many versions; gives the box of its view."""
    box = open_room(page, f"/canvases/{Canvas.objects.get().pk}/")
    assert brush.latest.number == number
    page.locator(f'[data-brush="{brush.latest.pk}"]').click()
    return box


def pixels(row: Canvas) -> np.ndarray:
    canvas = load(row).canvas
    return canvas.view(canvas.spec.box)[..., :3].astype(int)


def test_b2_rows_that_interlock_and_the_mark_redrawn_runs_through_all_of_them(page, live, kit, pen):
    tile = create_drawing(kit.owner, "Shingle", {"width": 160, "height": 160, "ground": ""})
    page.goto(f"/tiles/{tile.pk}/draw/")
    wait_count(page, "#picture", "updates", 1)
    idle(page)
    cloth = page.locator("#picture").bounding_box()
    set_value(page, "size", "60")
    painted(page, pen, 1, row(cloth, 0.5, 0.46, 0.54))
    page.locator("#publish").click()
    expect(page.locator("#publish")).to_have_text("Publish v3")
    # A brush of it whose marks just touch, come back turned by half, and start in step with the row beside.
    brush = create_tip_brush(kit.owner, tile.latest.pk)
    bench(page, brush)
    set_value(page, "values.size", "44")
    pick(page, "values.spaced_by", "touch")
    pick(page, "values.follows", "heading")
    pick(page, "values.way_back", "half turn")
    pick(page, "values.row_start", "between")
    pick(page, "values.colour_from", "tip")
    sheet_pixels(page)
    keep(page, 2)
    box = open_room(page, f"/canvases/{kit.canvas.pk}/")
    page.locator(f'[data-brush="{brush.latest.pk}"]').click()
    painted(page, pen, 1, row(box, 0.4, 0.35, 0.65))
    painted(page, pen, 2, row(box, 0.52, 0.65, 0.35))
    assert "row" in kit.canvas.operations.get(number=2).data
    plain = pixels(kit.canvas)
    expect(page.locator("#again")).to_be_hidden()
    # The mark is drawn anew, and its brush goes along.
    page.goto(f"/tiles/{tile.pk}/draw/")
    wait_count(page, "#picture", "updates", 1)
    idle(page)
    page.locator("[data-brush]").filter(has_text="Chalk").click()
    page.locator('[data-colour="#c2553b"]').click()
    set_value(page, "size", "20")
    painted(page, pen, 1, row(cloth, 0.47, 0.45, 0.55))
    page.locator("#publish").click()
    expect(page.locator(".followers")).to_contain_text("→ v3")
    page.get_by_role("button", name="Publish", exact=True).click()
    expect(page.locator("#publish")).to_have_text("Publish v4")
    # Every row with it: beside the canvas first, then in its place, then taken back.
    open_room(page, f"/canvases/{kit.canvas.pk}/")
    expect(page.locator("#again")).to_contain_text("v2 has a newer version, v3")
    page.locator("[data-paint]").click()
    expect(page.locator("#jobs")).to_contain_text("Repaint 2 strokes of Page")
    run_job.func(job=Job.objects.get().pk)
    expect(page.locator("#again")).to_contain_text("Repainted, on the right: 2 strokes")
    wait_count(page, "#again-view", "updates", 1)
    assert np.array_equal(pixels(kit.canvas), plain)
    page.locator("[data-use]").click()
    wait_count(page, "#picture", "committed", 1)
    expect(page.locator("#again-view")).to_be_hidden()
    red = (pixels(kit.canvas)[..., 0] - pixels(kit.canvas)[..., 2]) > 60
    rows = np.flatnonzero(red.any(axis=1))
    assert len(rows)
    assert not red[rows[0] : rows[-1]].any(axis=1).all(), "both rows, with a gap between"
    page.keyboard.press("z")
    wait_count(page, "#picture", "committed", 2)
    assert np.array_equal(pixels(kit.canvas), plain)
    expect(page.locator("#again")).to_contain_text("has a newer version, v3")


@pytest.mark.usefixtures("live")
def test_a_painting_again_that_is_left_changes_nothing(page, kit, pen):
    box = open_room(page, f"/canvases/{kit.canvas.pk}/")
    painted(page, pen, 1, row(box, 0.4, 0.35, 0.65))
    before = pixels(kit.canvas)
    bench(page, kit.brush)
    set_value(page, "values.spacing", "1.4")
    keep(page, 2)
    open_room(page, f"/canvases/{kit.canvas.pk}/")
    page.locator("[data-paint]").click()
    expect(page.locator("#jobs .job")).to_have_count(1)
    run_job.func(job=Job.objects.get().pk)
    expect(page.locator("#again")).to_contain_text("Repainted")
    page.locator("[data-leave]").click()
    expect(page.locator("#again")).to_contain_text("has a newer version, v2")
    expect(page.locator("#again-view")).to_be_hidden()
    assert np.array_equal(pixels(kit.canvas), before)
    assert not kit.canvas.kept_states.exists()


@pytest.mark.parametrize("hold", ["canvas", "stroke"])
def test_b3_a_tile_is_seen_through_the_stroke_as_one_cloth_or_anew(page, live, kit, pen, hold):
    bench(page, kit.brush)
    pick(page, "values.colour_from", "tile")
    pick(page, "grain.hold", hold)
    for path, value in (
        ("grain.strength", "0"),
        ("grain.scale", "1"),
        ("values.hardness", "100"),
        ("values.flow", "100"),
    ):
        set_value(page, path, value)
    set_value(page, "values.size", "60")
    plain = sheet_pixels(page)
    expect(page.locator("#grain-words")).to_have_text("Strength is 0. The grain gives only its colours.")
    set_value(page, "grain.scale", "2")
    assert not np.array_equal(sheet_pixels(page), plain), "its size"
    set_value(page, "grain.scale", "1")
    set_value(page, "grain.strength", "60")
    assert not np.array_equal(sheet_pixels(page), plain), "how strongly it shows"
    set_value(page, "grain.strength", "0")
    assert np.array_equal(sheet_pixels(page), plain)
    keep(page, 2)
    box = look(page, kit.brush, 2)
    page.locator("[data-next-stamp]").click()
    painted(page, pen, 1, row(box, 0.45, 0.42, 0.58))
    first = pixels(kit.canvas)
    painted(page, pen, 2, [(x + 9, y + 6, press) for x, y, press in row(box, 0.45, 0.42, 0.58)])
    second = pixels(kit.canvas)
    inside = slice(first.shape[0] // 2 - 22, first.shape[0] // 2 - 4), slice(290, 350)
    assert first[inside].std() > 5, "the tile shows"
    same = np.abs(first[inside] - second[inside]).max() <= 1
    assert same == (hold == "canvas"), "all strokes uncover one cloth, or each has its own"


@pytest.mark.usefixtures("live")
def test_b3_the_tile_grows_with_the_brush_by_the_share_asked_for(page, kit):
    bench(page, kit.brush)
    set_value(page, "grain.strength", "100")
    page.locator('[data-cell="size.pressure"]').click()
    still = sheet_pixels(page)
    set_value(page, "grain.grows", "100")
    assert not np.array_equal(sheet_pixels(page), still)
    expect(page.locator('[data-under="grain.grows"]')).to_be_hidden()


def test_b6_a_many_coloured_mark_turns_with_the_stroke_and_keeps_its_bands(page, live, kit, pen, starter):
    brush = starter("signal-flags")
    bench(page, brush)

    def shades() -> int:
        """How many px of the sheet have a colour between those of the bands and the grounds."""
        _, counts = np.unique(sheet_pixels(page).reshape(-1, 3) // 12, axis=0, return_counts=True)
        return int(counts[counts < 400].sum())

    pick(page, "tip.picture.edges", "smooth")
    soft = shades()
    pick(page, "tip.picture.edges", "crisp")
    assert shades() < soft, "the bands are crisp"
    set_value(page, "values.roundness", "30")
    assert shades() != soft, "and may be flattened"
    set_value(page, "values.roundness", "100")
    # Another paint colour moves all bands with it.
    before = sheet_pixels(page)
    pick(page, "values.moved_by", "hue")
    page.locator("#paint").fill("#2f9a3c")
    moved = sheet_pixels(page)
    changed = (before != moved).any(axis=-1)
    assert changed.mean() > 0.02
    keep(page, 2)
    box = look(page, brush, 2)
    page.locator('[data-colour="#c2553b"]').click()
    painted(page, pen, 1, row(box, 0.4, 0.35, 0.65))
    across = pixels(kit.canvas)
    painted(
        page,
        pen,
        2,
        [(box["x"] + box["width"] * 0.5, box["y"] + box["height"] * (0.5 + 0.012 * n), 0.6) for n in range(24)],
    )
    down = pixels(kit.canvas)

    def bands(line: np.ndarray) -> int:
        """How many colours a line crosses, one after another."""
        steps = np.abs(np.diff(line.astype(int), axis=0)).sum(axis=1) > 60
        return int(steps.sum())

    level = across[:, across.shape[1] // 2]
    painted_rows = np.flatnonzero((down != across).any(axis=(1, 2)))
    plumb = down[int(np.median(painted_rows))]
    assert bands(level) >= 3, "bands lie along a level stroke"
    assert bands(plumb) >= 3, "and along a plumb one: the mark turned"


@pytest.mark.usefixtures("live")
def test_b6_bands_too_alike_are_named(page, kit):
    blues = np.full((60, 60, 4), (27, 63, 75, 255), np.uint8)
    blues[30:, :, :3] += 2
    ((tile, _),) = take_tips(kit.owner, [("blues.png", png_bytes(blues))])
    brush = create_tip_brush(kit.owner, tile.pk)
    bench(page, brush)
    pick(page, "values.colour_from", "tip")
    pick(page, "tip.picture.paints", "opaque")
    sheet_pixels(page)
    expect(page.locator("#tip-advice")).to_contain_text("too similar")


def test_b8_one_mark_is_scattered_in_many_sizes_turns_and_distances(page, live, kit, pen, starter):
    brush = starter("star-chips")
    bench(page, brush)

    def marks() -> int:
        sheet_pixels(page)
        return int(page.locator("#scale-words").text_content().split(" marks")[0].split()[-1])

    set_value(page, "values.count", "1")
    one = marks()
    set_value(page, "values.count", "4")
    assert marks() > 2.5 * one, "several at once"
    narrow = sheet_pixels(page)
    set_value(page, "values.scatter_across", "3")
    assert not np.array_equal(sheet_pixels(page), narrow)
    expect(page.locator('[data-cell="size.chance_stamp"]')).to_have_class(re.compile("filled"))
    keep(page, 2)
    box = look(page, brush, 2)
    set_value(page, "size", "14")
    painted(page, pen, 1, row(box, 0.35, 0.4, 0.6))
    small = (pixels(kit.canvas) != (0xF2, 0xEF, 0xE6)).any(axis=-1)
    assert np.ptp(np.flatnonzero(small.any(axis=1))) > 14, "spread both ways"
    # The size is changed on the way, by keys.
    page.locator("#picture").focus()
    for _ in range(8):
        page.keyboard.press("g")
    painted(page, pen, 2, row(box, 0.65, 0.4, 0.6))
    sizes = [one.data["values"]["size"] for one in kit.canvas.operations.order_by("number")]
    assert sizes[1] > 1.9 * sizes[0]
    both = (pixels(kit.canvas) != (0xF2, 0xEF, 0xE6)).any(axis=-1)
    assert (both & ~small).sum() > small.sum()


def test_b10_the_grain_cuts_a_rough_edge_and_the_same_brush_paints_smears_and_erases(page, live, kit, pen, starter):
    brush = starter("rock-bite")
    bench(page, brush)
    rough = sheet_pixels(page)
    set_value(page, "grain.strength", "0")
    assert not np.array_equal(sheet_pixels(page), rough), "the grain bites"
    strength = page.locator('.value[data-value="grain.strength"] .number input')
    page.locator("#undo").click()
    expect(strength).not_to_have_value("0")
    assert np.array_equal(sheet_pixels(page), rough)
    page.locator('input[data-path="brush.keeps_size"]').set_checked(False, force=True)
    keep(page, 2)
    box = look(page, brush, 2)
    set_value(page, "size", "33")
    page.locator(f'[data-brush="{kit.brush.latest.pk}"]').click()
    page.locator(f'[data-brush="{brush.latest.pk}"]').click()
    size = page.locator('.value[data-value="size"] .number input')
    kept = float(size.input_value())
    assert kept != 40, "kept without its size, it takes the size in hand"
    set_value(page, "size", "50")
    points = wave(box, steps=40)
    painted(page, pen, 1, points)
    ground = np.array([0xF2, 0xEF, 0xE6])
    painted_px = np.abs(pixels(kit.canvas) - ground).sum(axis=-1) > 60
    edge = (painted_px[1:] != painted_px[:-1]).sum() + (painted_px[:, 1:] != painted_px[:, :-1]).sum()
    assert edge > 2.5 * 2 * np.flatnonzero(painted_px.any(axis=0)).size, "far rougher than two smooth edges"
    before = pixels(kit.canvas)
    page.locator("label:has(input[name=mode][value=smear])").click()
    middle = box["y"] + box["height"] * 0.5
    across = [(box["x"] + box["width"] * 0.5, middle - 90 + 6 * n, 0.8) for n in range(30)]
    painted(page, pen, 2, across)
    smeared = pixels(kit.canvas)
    assert not np.array_equal(smeared, before)
    assert (np.abs(smeared - ground).sum(axis=-1) > 20).sum() > (np.abs(before - ground).sum(axis=-1) > 20).sum()
    page.keyboard.press("e")
    for n in (3, 4, 5):
        painted(page, pen, n, points)
    erased = pixels(kit.canvas)
    assert (np.abs(erased - ground).sum(axis=-1) > 60).sum() < 0.5 * painted_px.sum()


def test_g2_another_grain_under_the_same_brush_is_two_presses(page, live, kit, pen):
    recipe = {"size": [96, 96], "source": {"name": "weave", "values": {"threads": 24}}}
    weave = create_grain(kit.owner, create_tile(kit.owner, "Weave", recipe).latest.pk, "Weave grain")
    bench(page, kit.brush)
    set_value(page, "grain.strength", "100")
    cloth = sheet_pixels(page)
    page.locator("#grain-pick").select_option(str(weave.latest.pk))
    assert not np.array_equal(sheet_pixels(page), cloth)
    crisp = sheet_pixels(page)
    set_value(page, "values.hardness", "0")
    assert not np.array_equal(sheet_pixels(page), crisp), "and airy"
    set_value(page, "grain.turn", "30")
    # A light touch weakens it, but never below the least.
    page.locator('[data-cell="grain_strength.pressure"]').click()
    expect(page.locator('[data-under="grain.least"]')).to_be_hidden()
    gone = sheet_pixels(page)
    set_value(page, "grain.least", "70")
    assert not np.array_equal(sheet_pixels(page), gone)
    keep(page, 2)
    box = look(page, kit.brush, 2)
    painted(page, pen, 1, row(box, 0.5, 0.4, 0.6))
    assert kit.canvas.operations.get().brush_version.grain_version == weave.latest
    # Where it does nothing, the bench says why.
    bench(page, kit.brush)
    page.locator('[data-cell="grain_strength.pressure"]').click()
    page.locator('[data-part="clear"]').click()
    set_value(page, "grain.strength", "0")
    expect(page.locator("#grain-words")).to_contain_text("Strength is 0, so the grain has no effect.")
    page.locator("#grain-pick").select_option("")
    expect(page.locator("#grain-rows")).to_be_hidden()


@pytest.mark.usefixtures("live")
def test_a_grain_that_does_not_fit_warns_and_the_nearest_scale_is_one_press(page, kit):
    bench(page, kit.brush)
    set_value(page, "grain.period", "50")
    sheet_pixels(page)
    assert page.evaluate("() => window.orvixBench.coat.grain.scale") == "5000/12800"
    keep(page, 2)
    look(page, kit.brush, 2)
    expect(page.locator("#fit")).to_contain_text("Cloth grain is off by")
    page.locator("#fit button").click()
    expect(page.locator("#fit")).to_contain_text("✓ Cloth grain fits this canvas")
    version = kit.brush.latest
    assert version.number == 3
    scale = Fraction(version.definition["coats"][0]["grain"]["scale"])
    assert (640 / (128 * scale)).denominator == 1
    assert (384 / (128 * scale)).denominator == 1
    assert abs(scale - Fraction(50, 128)) < Fraction(1, 8)
    expect(page.locator(f'[data-brush="{version.pk}"]')).to_have_attribute("aria-pressed", "true")
