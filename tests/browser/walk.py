"""What several browser tests do: reading pixels, waiting for the core, painting."""

from __future__ import annotations

from io import BytesIO
from math import pi, sin

import numpy as np
from PIL import Image
from playwright.sync_api import Page


def png(data: bytes) -> np.ndarray:
    return np.asarray(Image.open(BytesIO(data)).convert("RGB"))


def canvas_pixels(page: Page, selector: str) -> np.ndarray:
    """The pixels of a canvas element, as the browser holds them: uint8 (rows, columns, 3)."""
    size, data = page.evaluate(
        """(selector) => {
            const one = document.querySelector(selector);
            const data = one.getContext("2d").getImageData(0, 0, one.width, one.height).data;
            let text = "";
            for (let n = 0; n < data.length; n += 32768) text += String.fromCharCode(...data.subarray(n, n + 32768));
            return [[one.height, one.width], btoa(text)];
        }""",
        selector,
    )
    import base64

    return np.frombuffer(base64.b64decode(data), np.uint8).reshape(*size, 4)[..., :3]


def wait_count(page: Page, selector: str, name: str, least: int) -> None:
    """Wait until the element's data-NAME has counted to `least`."""
    page.wait_for_function(
        "([s, n, least]) => Number(document.querySelector(s)?.dataset[n] || 0) >= least", arg=[selector, name, least]
    )


def quiet(page: Page, selector: str, name: str) -> None:
    """Wait until a counter has not moved for a third of a second from now on."""
    page.evaluate("() => { window.__quiet = null; }")
    page.wait_for_function(
        """([s, n]) => {
            const now = document.querySelector(s)?.dataset[n] || "0";
            const was = window.__quiet || {};
            if (was.value !== now) { window.__quiet = { value: now, since: performance.now() }; return false; }
            return performance.now() - was.since > 350;
        }""",
        arg=[selector, name],
    )


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
    quiet(page, "#picture", "updates")
    page.wait_for_function("() => document.getElementById('kept').textContent.includes('kept')")
    return page.locator("#picture").bounding_box()
