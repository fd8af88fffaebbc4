"""Pen to pixels: from event.timeStamp to the return of putImageData, in Chromium, over loopback, on the real server."""

from __future__ import annotations

import shutil
import statistics
import sys
import threading
import time
import urllib.request
from collections.abc import Iterator
from contextlib import contextmanager, suppress
from math import cos, pi, sin
from pathlib import Path
from typing import Any

from playwright.sync_api import Browser, Page, sync_playwright

sys.path.insert(0, str(Path(__file__).resolve().parent.parent / "ops"))

from served import FLAGS, served

from orvix.brushes.starters import STARTERS
from orvix.tiles.sources import SOURCES
from orvix.tiles.steps import STEPS


def new_canvas(page: Page, base: str, side: int) -> str:
    page.goto(f"{base}/canvases/?new")
    for name in ("width", "height"):
        page.locator(f"#canvas-form input[name={name}]").fill(str(side))
    page.locator("#canvas-form").get_by_role("button", name="New canvas").click()
    ready(page)
    return page.url


def ready(page: Page) -> None:
    page.wait_for_function("() => document.getElementById('kept')?.textContent.includes('saved')", timeout=30_000)


def choose(page: Page, size: int, zoom: str) -> None:
    page.locator("[data-brush]", has_text="Sailcloth chalk").click()
    field = page.locator('.value[data-value="size"] .number input')
    field.fill(str(size))
    field.press("Enter")
    page.get_by_role("button", name="100 %" if zoom == "100 %" else "Fit", exact=True).click()
    page.wait_for_timeout(600)


def circling(page: Page, seconds: float, pace_ms: float, speed: float = 1.0) -> list[list[float]]:
    """Move a pen in circles over the view for a while; gives (time stamp, time drawn) of every update.

    speed: 1 is 560 px a second in the mean: a brush that lays a stamp every 10 px changes the picture 56 times in it.
    """
    session = page.context.new_cdp_session(page)
    box = page.locator("#picture").bounding_box()
    assert box is not None
    page.evaluate("() => { window.orvixRoom.link.latency = []; }")

    def send(kind: str, t: float) -> None:
        x = box["x"] + box["width"] / 2 + 300 * cos(t * 2.2 * speed)
        y = box["y"] + box["height"] / 2 + 170 * sin(t * 3.1 * speed)
        told = {"type": kind, "x": x, "y": y, "button": "left", "buttons": 0 if kind == "mouseReleased" else 1}
        session.send("Input.dispatchMouseEvent", {**told, "pointerType": "pen", "force": 0.5 + 0.4 * sin(t * pi)})

    start = time.perf_counter()
    send("mousePressed", 0)
    while (t := time.perf_counter() - start) < seconds:
        send("mouseMoved", t)
        time.sleep(pace_ms / 1000)
    send("mouseReleased", seconds)
    page.wait_for_timeout(500)
    return page.evaluate("() => window.orvixRoom.link.latency")


def figures(latency: list[list[float]], seconds: float) -> dict[str, float]:
    waits = sorted(done - stamp for stamp, done in latency)
    newest: dict[float, float] = {}
    for stamp, done in latency:
        newest.setdefault(stamp, done - stamp)
    fresh = sorted(newest.values())
    return {
        "updates": len(waits),
        "updates a second": round(len(waits) / seconds, 1),
        "p50 ms": round(statistics.median(fresh), 1),
        "p95 ms": round(fresh[int(len(fresh) * 0.95)], 1),
    }


@contextmanager
def busy(base: str, page: Page):
    """Meanwhile a second canvas is painted and pages are fetched."""
    stop = threading.Event()

    def fetch() -> None:
        while not stop.is_set():
            for place in ("tiles", "brushes", "canvases", "proofs"):
                with suppress(OSError), urllib.request.urlopen(f"{base}/{place}/") as answer:
                    answer.read()
                stop.wait(0.15)

    thread = threading.Thread(target=fetch, daemon=True)
    thread.start()
    page.evaluate(
        """() => {
            const room = window.orvixRoom;
            room.hand.begin("pen", 300, 300, performance.now(), { pressure: 0.6 });
            let n = 0;
            window.painting = setInterval(() => {
              n += 1;
              const [x, y] = [400 + 250 * Math.cos(n / 20), 280 + 160 * Math.sin(n / 14)];
              room.hand.sample(x, y, performance.now(), { pressure: 0.6 });
              room.link.flush();
            }, 12);
        }"""
    )
    try:
        yield
    finally:
        page.evaluate("() => { clearInterval(window.painting); window.orvixRoom.hand.finish(); }")
        stop.set()
        thread.join()


CHANGES = """async ([counter, row, values]) => {
    const shown = document.querySelector(counter);
    const typed = document.querySelector(`.value[data-value="${row}"] .number input`);
    const waits = [];
    for (const value of values) {
      const count = () => Number(shown.dataset.shown || 0) + Number(shown.dataset.moved || 0);
      const before = count();
      const start = performance.now();
      typed.value = value;
      typed.dispatchEvent(new Event("input", { bubbles: true }));
      typed.dispatchEvent(new Event("change", { bubbles: true }));
      while (count() === before) await new Promise((go) => setTimeout(go, 1));
      waits.push(performance.now() - start);
      await new Promise((go) => setTimeout(go, 60));
    }
    return waits;
}"""
"""A value typed anew as soon as the last one is shown, as fast as a hand drags; from the change to new pixels, ms."""


def change_times(page: Page, counter: str, row: str, values: list[str]) -> dict[str, float]:
    """Times from a value changed to new pixels, one change after another; the first few warm up."""
    waits = sorted(page.evaluate(CHANGES, [counter, row, values])[4:])
    return {"p50 ms": round(statistics.median(waits), 1), "p95 ms": round(waits[int(len(waits) * 0.95)], 1)}


def sheet_times(page: Page, address: str) -> dict[str, float]:
    """On the trial sheet of a brush, its size changed."""
    page.goto(address)
    page.wait_for_function("() => Number(document.getElementById('sheet').dataset.shown || 0) > 0")
    page.wait_for_timeout(400)
    size = page.evaluate("() => window.orvixBench.size()")
    return change_times(page, "#sheet", "values.size", [f"{size * (0.8 + 0.01 * n):.1f}" for n in range(32)])


def starter_times(page: Page, base: str) -> dict[str, Any]:
    """Every starter brush: its trial sheet after a value changed, and updates a second painted at its own size."""
    page.goto(f"{base}/brushes/")
    titles = {one.title for one in STARTERS}
    brushes = page.locator("a.thing").evaluate_all(
        "all => all.map(one => [one.querySelector('b').textContent, one.href])"
    )
    told: dict[str, Any] = {
        title: {"trial sheet": sheet_times(page, href)} for title, href in brushes if title in titles
    }
    new_canvas(page, base, 4096)
    page.get_by_role("button", name="100 %", exact=True).click()
    for title in told:
        page.locator(f'[data-brush][title^="{title} v"]').click()
        page.wait_for_timeout(300)
        circling(page, 1, 6)
        told[title]["painting"] = figures(circling(page, 3, 6), 3)
        told[title]["painting twice as fast"] = figures(circling(page, 3, 6, 2), 3)
    return told


def open_tile(page: Page, base: str, source: str) -> None:
    """A new tile of 1024 px from a source, on its bench, with its full reading taken."""
    page.goto(f"{base}/tiles/?new")
    page.locator(f'#new-tile button[name=source][value="{source}"]').click()
    page.wait_for_function("() => Number(document.getElementById('cloth').dataset.shown || 0) > 0")
    for row in ("size.0", "size.1"):
        page.locator(f'.value[data-value="{row}"] .number input').fill("1024")
        page.keyboard.press("Enter")
    page.wait_for_timeout(3000)


def tile_times(page: Page, base: str) -> dict[str, Any]:
    """On the tile bench at 1024 px: the seed of every generated source, a value of every step but mending."""
    told: dict[str, Any] = {}
    for source in SOURCES:
        if source.kind == "generated" and source.name != "flat":
            open_tile(page, base, source.name)
            told[f"source {source.name}"] = change_times(page, "#cloth", "seed", [str(n) for n in range(10, 38)])
    for step in STEPS:
        numbers = [value for value in step.values if value.kind == "number" and not step.name.startswith("mend")]
        if numbers:
            open_tile(page, base, "gradient")
            page.select_option("#add-step", step.name)
            page.wait_for_timeout(3000)
            low, high = numbers[0].low or 0.0, min(numbers[0].high or 1.0, 4 * float(numbers[0].default) + 0.5)
            values = [low + (high - low) * (0.3 + 0.4 * n / 28) for n in range(28)]
            row = f"steps.0.values.{numbers[0].name}"
            percent = 100 if not numbers[0].unit and (numbers[0].high or 0) <= 1 else 1
            told[f"step {step.name}"] = change_times(page, "#cloth", row, [f"{percent * one:.3f}" for one in values])
    return told


@contextmanager
def opened() -> Iterator[tuple[str, Browser, Page]]:
    """The application served, and Chromium with a page."""
    with served() as base, sync_playwright() as playwright:
        browser = playwright.chromium.launch(executable_path=shutil.which("chromium"), args=FLAGS)
        yield base, browser, browser.new_page(viewport={"width": 1280, "height": 800})
        browser.close()


def measure_starters() -> dict[str, Any]:
    with opened() as (base, _, page):
        return starter_times(page, base)


LAYERS = """(count) => {
    const link = window.orvixRoom.link;
    const named = (n) => ({ id: n, name: `Layer ${n}`, opacity: n === 1 ? 1 : 0.8 });
    const all = Array.from({ length: count }, (_, n) => named(n + 1));
    link.edit({ what: "layers", layers: all });
    for (const { id } of all) {
      const colours = [["#2f6f93", "#d9b26a"], ["#7a3b5d", "#9fb8a4"], ["#24424f", "#e0815a"]][id % 3];
      const ends = { start: [40 * id, 0], end: [4000, 3000 + 90 * id] };
      link.edit({ what: "gradient", layer: id, ...ends, opacity: 0.5, colours });
    }
}"""
"""A canvas of so many layers, each of them filled all over."""


def filled(page: Page, base: str, count: int) -> str:
    """A new canvas of 4096 square with filled layers, all of it stored."""
    address = new_canvas(page, base, 4096)
    before = int(page.evaluate("() => document.getElementById('picture').dataset.committed || 0"))
    page.evaluate(LAYERS, count)
    done = f"() => Number(document.getElementById('picture').dataset.committed || 0) >= {before + count + 1}"
    page.wait_for_function(done, timeout=120_000)
    page.wait_for_timeout(25_000)  # the picture for quick opening is kept once in 20 s
    page.locator('#layers [data-layer="3"]').first.click()
    return address


def opening(page: Page, address: str) -> float:
    """From the press to the whole canvas shown at fit zoom, ms; the canvas is not open anywhere."""
    page.goto("about:blank")
    page.wait_for_timeout(45_000)  # until its session has been closed
    start = time.perf_counter()
    page.goto(address, wait_until="commit")
    shown = "() => Number(document.getElementById('picture')?.dataset.updates || 0) > 0"
    page.wait_for_function(shown, polling=5, timeout=60_000)
    return round(1000 * (time.perf_counter() - start), 1)


def layer_times(page: Page, base: str) -> dict[str, Any]:
    """Six filled layers under the pen, with and without a glow on the one in hand, and opening them."""
    told: dict[str, Any] = {}
    address = filled(page, base, 6)
    for size, zoom in ((256, "100 %"), (64, "100 %"), (512, "100 %"), (256, "fit")):
        choose(page, size, zoom)
        circling(page, 2, 6)
        name = f"pen to pixels, six filled layers, {size} px brush, 4096 sq, {zoom}"
        told[name] = figures(circling(page, 6, 6), 6)
        told[f"{name}, a hand twice as fast"] = figures(circling(page, 6, 6, 2), 6)
    told["opening it at fit zoom, ms"] = [opening(page, address) for _ in range(3)]
    ready(page)
    page.evaluate(
        """() => {
            const { layers, link } = window.orvixRoom;
            const glow = { kind: "glow", size: 24, colour: "#ffd27a" };
            const all = layers.stack.map((one) => one.id === 3 ? { ...one, effects: [glow] } : one);
            link.edit({ what: "layers", layers: all });
        }"""
    )
    page.wait_for_timeout(8000)
    choose(page, 256, "100 %")
    circling(page, 2, 6)
    told["the same with a glow on the layer, 256 px, 100 %"] = figures(circling(page, 6, 6), 6)
    return told


def measure_layers() -> dict[str, Any]:
    with opened() as (base, _, page):
        return layer_times(page, base)


def measure() -> dict[str, Any]:
    told: dict[str, Any] = {}
    with opened() as (base, browser, page):
        other = browser.new_page(viewport={"width": 1280, "height": 800})
        new_canvas(page, base, 4096)
        for size, zoom in ((256, "100 %"), (64, "100 %"), (512, "100 %"), (256, "fit")):
            choose(page, size, zoom)
            circling(page, 2, 6)
            told[f"pen to pixels, {size} px brush, 4096 sq, {zoom}"] = figures(circling(page, 6, 6), 6)
        new_canvas(other, base, 2048)
        choose(other, 200, "100 %")
        choose(page, 256, "100 %")
        with busy(base, other):
            name = "pen to pixels, 256 px brush, 4096 sq, 100 %, second canvas painted and pages fetched"
            told[name] = figures(circling(page, 6, 6), 6)
        told["tile bench at 1024 px, value changed to new pixels"] = tile_times(page, base)
    return told
