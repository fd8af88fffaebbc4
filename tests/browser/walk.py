"""What several browser tests do: reading pixels, waiting for the core, painting."""

from __future__ import annotations

from base64 import b64decode
from io import BytesIO
from math import pi, sin

import numpy as np
from PIL import Image
from playwright.sync_api import Page
from playwright.sync_api import TimeoutError as PlaywrightTimeout


def png(data: bytes) -> np.ndarray:
    return np.asarray(Image.open(BytesIO(data)).convert("RGB"))


def canvas_pixels(page: Page, selector: str) -> np.ndarray:
    """The pixels of a canvas element, as the browser holds them: uint8 (rows, columns, 3)."""
    url = page.evaluate("(selector) => document.querySelector(selector).toDataURL()", selector)
    return png(b64decode(url.partition(",")[2]))


def wait_count(page: Page, selector: str, name: str, least: int) -> None:
    """Wait until the element's data-NAME has counted to `least`."""
    page.wait_for_function(
        "([s, n, least]) => Number(document.querySelector(s)?.dataset[n] || 0) >= least", arg=[selector, name, least]
    )


def idle(page: Page) -> None:
    """Wait until the page waits for nothing: what was painted is stored, what was asked is answered and shown."""
    try:
        page.wait_for_function("() => window.orvixIdle().then(() => true)")
    except PlaywrightTimeout as error:
        waits = page.evaluate("() => [...(window.orvixWaitsFor ?? ['the page'])]")
        raise AssertionError(f"the page is not idle: it waits for {', '.join(waits)}") from error


def sheet_pixels(page: Page) -> np.ndarray:
    """The trial sheet of a brush bench once the last change is on it."""
    page.wait_for_function(
        "() => (({ asked, settled }) => asked && asked === settled)(document.getElementById('sheet').dataset)"
    )
    return canvas_pixels(page, "#sheet")


def wave(box: dict, *, height: float = 0.5, steps: int = 30) -> list[tuple[float, float, float]]:
    """Points of a wave across the middle of an element, with a swelling pressure."""
    points = []
    for n in range(steps):
        share = n / (steps - 1)
        x = box["x"] + box["width"] * (0.32 + 0.36 * share)
        y = box["y"] + box["height"] * (height + 0.14 * sin(2 * pi * share))
        points.append((x, y, 0.15 + 0.8 * sin(pi * share)))
    return points


def set_value(page: Page, name: str, text: str) -> None:
    """Type a value into its row."""
    field = page.locator(f'.value[data-value="{name}"] .number input')
    field.fill(text)
    field.press("Enter")
    field.blur()


def open_room(page: Page, address: str) -> dict:
    """Open a canvas room, wait until it shows, ghosts of its neighbours too, and give the box of its view."""
    page.goto(address)
    wait_count(page, "#picture", "updates", 1)
    idle(page)
    page.wait_for_function("() => document.getElementById('kept').textContent.includes('saved')")
    return page.locator("#picture").bounding_box()
