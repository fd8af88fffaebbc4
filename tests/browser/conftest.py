"""Chromium, a page at 1280 x 800, and a pen."""

from __future__ import annotations

import shutil
import sys
import traceback
from collections.abc import Iterator

import pytest
from django.core.signals import got_request_exception
from playwright.sync_api import Browser, BrowserContext, Page, expect, sync_playwright

FLAGS = [
    "--no-sandbox", "--disable-gpu", "--disable-quic", "--no-first-run", "--disable-background-networking",
    "--disable-component-update", "--disable-sync", "--force-device-scale-factor=1",
]  # fmt: skip

PATIENCE_MS = 30_000
"""How long a page may take before a test fails: it only shows where something is wrong, or the machine is busy."""
expect.set_options(timeout=PATIENCE_MS)


SEEDS = """(() => {
    const chance = crypto.getRandomValues.bind(crypto);
    let seed = 20_260;
    crypto.getRandomValues = (into) => (into instanceof Uint32Array ? into.fill((seed += 7919)) : chance(into));
})()"""
"""Strokes get the same seeds in every run."""


@pytest.fixture(scope="session")
def chromium() -> Iterator[Browser]:
    path = shutil.which("chromium")
    assert path, "Debian's chromium is needed: ./test installs it"
    with sync_playwright() as playwright:
        browser = playwright.chromium.launch(executable_path=path, args=FLAGS)
        yield browser
        browser.close()


FORGOTTEN = "cookies,local_storage,indexeddb,service_workers"
"""What one test leaves in the browser and the next must not find."""


def fresh_context(chromium: Browser, url: str) -> BrowserContext:
    context = chromium.new_context(viewport={"width": 1280, "height": 800}, base_url=url)
    context.set_default_timeout(PATIENCE_MS)
    context.add_init_script(SEEDS)
    return context


@pytest.fixture(scope="session")
def shared_context(chromium, _server) -> Iterator[BrowserContext]:
    """The context of each test's first page: its cache of scripts and fonts lasts, all else is forgotten."""
    context = fresh_context(chromium, _server.url)
    yield context
    context.close()


@pytest.fixture
def new_page(chromium, live, shared_context):
    """Pages that fail the test when anything goes wrong in them; each but the first is in a context of its own."""
    contexts, pages, wrong = [], [], []

    def raised(sender, **_):
        error = sys.exc_info()[1]
        wrong.append("".join(traceback.format_exception(error)[-4:]))

    got_request_exception.connect(raised)

    def make() -> Page:
        if pages:
            contexts.append(fresh_context(chromium, live.url))
        page = (contexts[-1] if contexts else shared_context).new_page()
        page.on("pageerror", lambda error: wrong.append(str(error)))
        page.on("console", lambda message: wrong.append(message.text) if message.type == "error" else None)
        pages.append(page)
        return page

    make.wrong = wrong
    yield make
    # A page that closes may still say what is in use: it does so before it is forgotten who it is.
    last = shared_context.new_page()
    for page in shared_context.pages:
        if page != last:
            page.close()
    told = {"origin": live.url, "storageTypes": FORGOTTEN}
    shared_context.new_cdp_session(last).send("Storage.clearDataForOrigin", told)
    last.close()
    for context in contexts:
        context.close()
    got_request_exception.disconnect(raised)
    assert wrong == []


@pytest.fixture
def page(new_page) -> Page:
    return new_page()


class Pen:
    """A pen over the real input path of the browser."""

    def __init__(self, page: Page) -> None:
        self._session = page.context.new_cdp_session(page)

    def _send(self, kind: str, x: float, y: float, press: float) -> None:
        told = {"type": kind, "x": x, "y": y, "button": "left", "buttons": 0 if kind == "mouseReleased" else 1}
        told |= {"pointerType": "pen", "force": press, "tiltX": 20, "tiltY": -10, "twist": 30, "clickCount": 1}
        self._session.send("Input.dispatchMouseEvent", told)

    def stroke(self, points, *, lift: bool = True) -> None:
        for n, (x, y, press) in enumerate(points):
            self._send("mousePressed" if n == 0 else "mouseMoved", x, y, press)
        if lift:
            self._send("mouseReleased", *points[-1][:2], 0)


@pytest.fixture
def pen():
    return Pen
