"""The canvas itself in its room: cut, extended, turned, in mm; painted again larger, and seen beside it."""

from __future__ import annotations

import re

import numpy as np
from playwright.sync_api import expect

from orvix_web.canvases.models import Canvas
from orvix_web.canvases.services import create_canvas
from orvix_web.canvases.storage import load
from orvix_web.jobs.models import Job
from orvix_web.jobs.tasks import run_job
from tests.browser.walk import canvas_pixels, idle, open_room, wait_count, wave


def sheet(page) -> None:
    page.locator("#canvas-open").click()
    expect(page.locator("#canvas-sheet")).to_be_visible()


def reloaded(page, words: str) -> None:
    """Another size: the page is made anew."""
    expect(page.locator("#canvas-open")).to_have_text(re.compile(words))
    wait_count(page, "#picture", "updates", 1)
    idle(page)


def now(kit):
    return load(Canvas.objects.get(pk=kit.canvas.pk)).canvas


def test_it_is_cut_extended_resampled_and_turned_and_each_is_undone(page, live, kit, pen):
    box = open_room(page, f"/canvases/{kit.canvas.pk}/")
    pen(page).stroke(wave(box))
    wait_count(page, "#picture", "committed", 1)
    width, height = now(kit).spec.width, now(kit).spec.height
    before = now(kit).pixels()
    sheet(page)
    page.locator("#canvas-keep").uncheck()
    page.locator("#canvas-width").fill(str(width - 100))
    page.locator('[data-canvas="crop"]').click()
    reloaded(page, f"{width - 100} × {height} px")
    assert np.array_equal(now(kit).pixels(), before[:, 50:-50]), "cut about its middle"
    page.locator("#undo").click()
    reloaded(page, f"{width} × {height} px")
    assert np.array_equal(now(kit).pixels(), before)
    # In mm, in proportion, resampled.
    sheet(page)
    page.locator("#canvas-unit").select_option("mm")
    mm = float(page.locator("#canvas-width").input_value())
    page.locator("#canvas-width").fill(str(mm * 2))
    page.locator('[data-canvas="resample"]').click()
    expect(page.locator("#canvas-open")).not_to_have_text(f"{width} × {height} px")
    assert abs(now(kit).spec.width - 2 * width) <= 2
    page.locator("#undo").click()
    reloaded(page, f"{width} × {height} px")
    sheet(page)
    page.locator('[data-canvas="half"]').click()
    wait_count(page, "#picture", "committed", 1)
    assert np.array_equal(now(kit).pixels(), before[::-1, ::-1])
    page.locator('[data-canvas="flatten"]').click()
    expect(page.locator("#layer-in-hand")).to_have_text("Flattened")


def test_a_size_that_cannot_be_is_refused_by_its_rule(page, live, kit):
    open_room(page, f"/canvases/{kit.canvas.pk}/")
    sheet(page)
    page.locator("#canvas-keep").uncheck()
    page.locator("#canvas-width").fill("1000000")
    page.locator('[data-canvas="crop"]').click()
    expect(page.locator("#refusals")).to_contain_text("1000000")
    page.locator("#canvas-width").fill("0")
    page.locator('[data-canvas="resample"]').click()
    expect(page.locator("#refusals")).to_contain_text("Width cannot be 0")


def test_painted_again_larger_it_is_a_canvas_of_its_own_seen_beside(page, live, kit, pen):
    box = open_room(page, f"/canvases/{kit.canvas.pk}/")
    pen(page).stroke(wave(box))
    wait_count(page, "#picture", "committed", 1)
    idle(page)
    sheet(page)
    page.locator('#enlarge [name="times"]').fill("3/2")
    page.locator("#enlarge button").click()
    expect(page.locator('#jobs .job[data-state="waiting"]')).to_be_visible()
    run_job.func(job=Job.objects.get().pk)
    page.locator('#jobs .job[data-state="done"] a').click()
    expect(page.locator("#again")).to_contain_text("at 3/2 times its size")
    wait_count(page, "#again-view", "updates", 1)
    other = Canvas.objects.latest("pk")
    assert (other.width, other.height) == (kit.canvas.width * 3 // 2, kit.canvas.height * 3 // 2)
    page.mouse.move(5, 5)
    left, right = (canvas_pixels(page, f"#{name} canvas").astype(int) for name in ("picture", "again-view"))
    dark = [(one.min(axis=2) < 90).sum() for one in (left, right)]
    assert dark[1] > 0, "the same picture on the right"
    page.locator("#again a").click()
    page.wait_for_url(f"**/canvases/{other.pk}/")
    # What is drawn first is at hand to be painted again like any stroke.
    wait_count(page, "#picture", "updates", 1)
    page.locator("#layer-strokes").evaluate("(one) => one.click()")
    expect(page.locator("#picked")).to_have_attribute("data-count", "1")


def test_a_new_canvas_is_as_large_as_its_mm_say(page, live, painter):
    page.goto("/canvases/?new")
    page.locator('#canvas-form [name="unit"]').select_option("mm")
    page.locator('#canvas-form [name="width"]').fill("100")
    page.locator('#canvas-form [name="height"]').fill("50.8")
    expect(page.locator("#canvas-form [data-real-size]")).to_contain_text("1181 × 600 px")
    page.locator("#canvas-form").get_by_role("button", name="New canvas").click()
    page.wait_for_url(re.compile(r"/canvases/\d+/"))
    made = Canvas.objects.latest("pk")
    assert (made.width, made.height) == (1181, 600)


def test_c7_a_canvas_that_is_a_repeat_says_why_not_and_one_press_says_the_size_that_does(page, live, kit, pen):
    canvas = create_canvas(kit.owner, "Repeat", {"width": 509, "height": 383, "joined": True})
    box = open_room(page, f"/canvases/{canvas.pk}/")
    pen(page).stroke(wave(box))
    wait_count(page, "#picture", "committed", 1)
    expect(page.locator("#fit")).to_contain_text("off by")
    sheet(page)
    nearest = page.locator("#canvas-closes [data-size]").first
    width, height = nearest.get_attribute("data-size").split("x")
    nearest.click()
    assert page.locator("#canvas-width").input_value() == width
    page.locator('[data-canvas="crop"]').click()
    reloaded(page, f"{width} × {height} px")
    expect(page.locator("#fit")).to_contain_text("fits this canvas")
    # Painted there from now on, it closes; the seam of the picture is read beside the fit.
    pen(page).stroke(wave(box, height=0.4))
    wait_count(page, "#picture", "committed", 1)
    expect(page.locator("#seam")).to_have_attribute("data-verdict", re.compile("seamless|faint|visible"))
