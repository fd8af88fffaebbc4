"""Whole pieces of work with brushes, from the first press to the painted canvas, as a painter does them."""

from __future__ import annotations

import numpy as np
import pytest
from playwright.sync_api import expect

from orvix_web.brushes.services import create_tip_brush
from orvix_web.canvases.drawings import create_drawing
from orvix_web.canvases.models import Canvas
from orvix_web.canvases.storage import load
from orvix_web.jobs.models import Job
from orvix_web.jobs.tasks import run_job
from tests.browser.walk import open_room, quiet, set_value, sheet_pixels, wait_count


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
    quiet(page, "#picture", "updates")


def pixels(row: Canvas) -> np.ndarray:
    canvas = load(row).canvas
    return canvas.view(canvas.spec.box)[..., :3].astype(int)


def test_b2_rows_that_interlock_and_the_mark_redrawn_runs_through_all_of_them(page, live, kit, pen):
    tile = create_drawing(kit.owner, "Shingle", {"width": 160, "height": 160, "ground": ""})
    page.goto(f"/tiles/{tile.pk}/draw/")
    wait_count(page, "#picture", "updates", 1)
    quiet(page, "#picture", "updates")
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
    quiet(page, "#picture", "updates")
    page.locator("[data-brush]").filter(has_text="Chalk").click()
    page.locator('[data-colour="#c2553b"]').click()
    set_value(page, "size", "20")
    painted(page, pen, 1, row(cloth, 0.47, 0.45, 0.55))
    page.locator("#publish").click()
    expect(page.locator(".followers")).to_contain_text("becomes v3")
    page.get_by_role("button", name="Publish", exact=True).click()
    expect(page.locator("#publish")).to_have_text("Publish v4")
    # Every row with it: beside the canvas first, then in its place, then taken back.
    open_room(page, f"/canvases/{kit.canvas.pk}/")
    expect(page.locator("#again")).to_contain_text("v2 has become v3; 2 strokes here")
    page.locator("[data-paint]").click()
    expect(page.locator("#jobs")).to_contain_text("2 strokes of Page painted again")
    run_job.func(job=Job.objects.get().pk)
    expect(page.locator("#again")).to_contain_text("Painted again, on the right: 2 strokes")
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
    expect(page.locator("#again")).to_contain_text("has become v3")


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
    expect(page.locator("#again")).to_contain_text("Painted again")
    page.locator("[data-leave]").click()
    expect(page.locator("#again")).to_contain_text("has become v2")
    expect(page.locator("#again-view")).to_be_hidden()
    assert np.array_equal(pixels(kit.canvas), before)
    assert not kit.canvas.kept_states.exists()
