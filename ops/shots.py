"""Takes the pictures in docs/screenshots from the demo data: ./shots. One picture of each main view, 1280 x 800."""

from __future__ import annotations

import io
import shutil
import sys
from math import sin

from PIL import Image
from playwright.sync_api import Page, sync_playwright
from served import FLAGS, ROOT, served

sys.path.insert(0, str(ROOT / "src"))
from orvix.devices.photo_tray import develop

FOLDER = ROOT / "docs" / "screenshots"


def thing(page: Page, name: str) -> None:
    page.locator(".thing", has_text=name).first.click()


def settle(page: Page) -> None:
    page.wait_for_load_state("networkidle")
    page.wait_for_timeout(1800)
    page.mouse.move(640, 2)


def tiles(page: Page, base: str) -> None:
    page.goto(f"{base}/tiles/")


def tile_bench(page: Page, base: str) -> None:
    page.goto(f"{base}/tiles/")
    thing(page, "Harbour courses")


def holes(page: Page, base: str) -> None:
    page.goto(f"{base}/tiles/")
    thing(page, "Cork floats")
    page.wait_for_timeout(2500)
    page.locator('[data-gauge="holes"]').click()


def photo(page: Page, base: str) -> None:
    page.goto(f"{base}/tiles/")
    thing(page, "Quay wall, mended")
    page.wait_for_timeout(1500)
    page.locator('[data-mode="photo"]').click()


def photo_mended(page: Page, base: str) -> None:
    page.goto(f"{base}/tiles/")
    thing(page, "Quay wall, mended")
    page.wait_for_timeout(2500)


def picture_seam(page: Page, base: str) -> None:
    page.goto(f"{base}/tiles/")
    thing(page, "Deck planking")
    page.wait_for_timeout(1200)
    page.wait_for_timeout(1200)
    page.locator('[data-gauge="seam"]').click()


def grain(page: Page, base: str) -> None:
    page.goto(f"{base}/tiles/")
    thing(page, "Sailcloth grain")


def brush_bench(page: Page, base: str) -> None:
    page.goto(f"{base}/brushes/")
    thing(page, "Kelp frond")
    page.wait_for_timeout(1500)
    box = page.locator("#strip").bounding_box()
    assert box is not None
    page.mouse.move(box["x"] + 30, box["y"] + 60)
    page.mouse.down()
    for n in range(46):
        page.mouse.move(box["x"] + 30 + 13 * n, box["y"] + 60 + 26 * sin(n / 5))
        page.wait_for_timeout(8)
    page.mouse.up()
    page.locator('[data-cell="size.distance"]').click()


def canvas_room(page: Page, base: str) -> None:
    page.goto(f"{base}/canvases/")
    thing(page, "Harbour endpaper")


def room_at(page: Page, base: str, layer: str) -> None:
    """The room, with one of its layers chosen."""
    canvas_room(page, base)
    page.wait_for_timeout(1800)
    page.locator("#layers li", has_text=layer).locator(".take").click()


def canvas_shapes(page: Page, base: str) -> None:
    """A shape of two pieces filled with a tile and bound with rope, its points in sight."""
    x, y = new_canvas(page, base, "Hat box lid")
    page.locator("input[name=mode][value=shape]").check()
    page.locator('[data-brush][title^="Rope ribbon"]').click()
    page.locator("#shape-kind").select_option("ellipse")
    page.locator("#shape-fill").select_option(label="Kelp garden")
    drag(page, (x - 190, y - 190), (x + 190, y + 190))
    page.wait_for_timeout(1500)
    page.locator("#layers .shape .take").click()
    page.keyboard.down("Shift")
    drag(page, (x - 70, y - 70), (x + 70, y + 70))
    page.keyboard.up("Shift")
    page.wait_for_timeout(2000)


def new_canvas(page: Page, base: str, name: str) -> tuple[float, float]:
    """A new canvas in its room; the middle of its view."""
    page.goto(f"{base}/canvases/?new")
    page.locator("#canvas-form input[name=name]").fill(name)
    page.locator("#canvas-form").get_by_role("button", name="New canvas").click()
    page.wait_for_function("() => document.getElementById('kept')?.textContent.includes('saved')")
    page.wait_for_timeout(800)
    box = page.locator("#picture").bounding_box()
    assert box is not None
    return box["x"] + box["width"] / 2, box["y"] + box["height"] / 2


def canvas_again(page: Page, base: str) -> None:
    """All strokes of a layer picked, and painted again with another brush in their place."""
    room_at(page, base, "rope")
    page.locator("#layer-settings").click()
    page.locator("#layer-strokes").click()
    page.keyboard.press("l")
    page.locator('[data-brush][title^="Net mesh"]').click()
    page.locator('#picked [value="brush"]').click()
    page.wait_for_timeout(4000)


def canvas_selected(page: Page, base: str) -> None:
    """A part selected, in the frame that moves, scales and turns it."""
    room_at(page, base, "kelp")
    page.locator("input[name=mode][value=select]").check()
    page.locator("#select-kind").select_option("ellipse")
    drag(page, (360, 260), (590, 600))
    page.wait_for_timeout(800)
    page.locator("input[name=mode][value=move]").check()


def drag(page: Page, start: tuple[float, float], end: tuple[float, float]) -> None:
    """The left button from one place of the page to another."""
    page.mouse.move(*start)
    page.mouse.down()
    page.mouse.move((start[0] + end[0]) / 2, (start[1] + end[1]) / 2)
    page.mouse.move(*end)
    page.mouse.up()


def draw_bench(page: Page, base: str) -> None:
    page.goto(f"{base}/tiles/")
    thing(page, "Kelp garden")
    page.wait_for_timeout(1500)
    page.locator("[data-half=both]").click()
    page.locator("[data-setting=reserve]").set_checked(True)


def layout_bench(page: Page, base: str) -> None:
    page.goto(f"{base}/tiles/")
    thing(page, "Harbour catch")
    page.wait_for_function("() => Number(document.getElementById('cloth').dataset.looked || 0) > 0")
    page.wait_for_timeout(1500)
    page.evaluate("() => window.orvixLayout.choose([0])")


def proof_wall(page: Page, base: str) -> None:
    page.goto(f"{base}/proofs/")
    thing(page, "Harbour endpaper")
    page.locator("#fits [data-unit]:not(:empty)").wait_for()


def print_desk(page: Page, base: str) -> None:
    """A tile that is too coarse for its goods, and an order that was taken before."""
    page.goto(f"{base}/proofs/")
    page.locator('select[name="of"]').select_option(label="Harbour catch")
    page.get_by_role("button", name="New proof").click()
    page.locator(".check").first.wait_for()
    if page.get_by_role("button", name="Print anyway").count():
        page.get_by_role("button", name="Print anyway").click()
    page.locator("#send-order:not([disabled])").wait_for()
    page.locator("#copies").fill("60")
    page.locator("#send-order").click()
    page.locator('.order[data-state="ready"]').wait_for()
    page.locator("#goods").select_option("endpaper")
    page.locator("#print-ppi").fill("150")
    page.locator("#print-ppi").press("Enter")
    page.locator("#add-look").select_option('{"kind":"surface","surface":"tin"}')
    page.locator(".check.bad").wait_for()
    page.locator('#reading-form[data-full="true"]').wait_for()


COLOURWAYS = (
    ("Dusk", {"#f2efe6": "#2b3a55", "#1b3f4b": "#e9d8b4", "#c2553b": "#d98c5f"}),
    ("Low tide", {"#f2efe6": "#c9d3c8", "#1b3f4b": "#3a4a40", "#d29b42": "#8a9a5b"}),
)
"""Names, and what stands for some of the colours of the harbour catch."""


def colourways(page: Page, base: str) -> None:
    """One tile in two colourways, seen close beside its own."""
    page.goto(f"{base}/proofs/")
    page.locator('select[name="of"]').select_option(label="Harbour catch")
    page.get_by_role("button", name="New proof").click()
    page.locator("#colourways").click()
    for n, (name, swaps) in enumerate(COLOURWAYS):
        if n:
            page.locator("#colourway-new").click()
        page.locator("#colourway-name").fill(name)
        page.locator("#colourway-name").press("Enter")
        inputs = page.locator("#colourway-swaps input")
        for k in range(inputs.count()):
            own = (inputs.nth(k).get_attribute("title") or "").removeprefix("What stands for ")
            inputs.nth(k).fill(swaps.get(own, own))
    page.get_by_role("button", name="Close", exact=True).click()
    page.locator('label:has(input[name="view"][value="close"])').click()
    page.locator(".piece canvas").nth(2).wait_for()
    page.wait_for_timeout(1500)
    page.mouse.move(200, 300)
    page.mouse.wheel(0, -500)


def own_surface(page: Page, base: str) -> None:
    """A photo as a surface: the corners of the cloth and a grid that follows it."""
    photo = io.BytesIO()
    Image.fromarray(develop("deck-planking")).save(photo, "PNG")
    page.goto(f"{base}/proofs/")
    picture = {"name": "Deck.png", "mimeType": "image/png", "buffer": photo.getvalue()}
    page.locator('#new-surface input[type="file"]').set_input_files(picture)  # type: ignore[arg-type]
    page.locator("#own-knots circle").first.wait_for()
    page.locator('[data-own="columns"]').fill("4")
    page.locator('[data-own="rows"]').fill("3")
    page.locator("#own-knots circle").nth(19).wait_for()
    for knot, to in ((0, (-70, 20)), (4, (60, -30)), (15, (20, 40)), (19, (-30, 30)), (7, (10, -24)), (12, (-12, 22))):
        box = page.locator("#own-knots circle").nth(knot).bounding_box()
        assert box is not None
        x, y = box["x"] + box["width"] / 2, box["y"] + box["height"] / 2
        drag(page, (x, y), (x + to[0], y + to[1]))
        page.wait_for_timeout(400)
    page.locator('[data-own="width_mm"]').fill("620")
    page.locator('[data-own="height_mm"]').fill("440")


def shelf(page: Page, base: str) -> None:
    page.goto(f"{base}/shelf/")
    one = page.locator(".shelf-thing", has_text="Barnacle grain").first
    one.locator("input").check()
    page.locator("#shelf-used .used").first.wait_for()


VIEWS = {
    "tiles": tiles,
    "tile-bench": tile_bench,
    "tile-from-a-picture": picture_seam,
    "photo": photo,
    "photo-mended": photo_mended,
    "holes": holes,
    "draw-bench": draw_bench,
    "layout-bench": layout_bench,
    "grain": grain,
    "brush-bench": brush_bench,
    "canvas-room": canvas_room,
    "canvas-selected": canvas_selected,
    "canvas-again": canvas_again,
    "canvas-shapes": canvas_shapes,
    "proof-wall": proof_wall,
    "colourways": colourways,
    "own-surface": own_surface,
    "print-desk": print_desk,
    "shelf": shelf,
}


def main() -> None:
    """Take every picture, or those of the views named."""
    named = sys.argv[1:] or list(VIEWS)
    if unknown := [one for one in named if one not in VIEWS]:
        sys.exit(f"view {unknown[0]!r}: must be one of {', '.join(VIEWS)}")
    FOLDER.mkdir(parents=True, exist_ok=True)
    with served() as base, sync_playwright() as playwright:
        browser = playwright.chromium.launch(executable_path=shutil.which("chromium"), args=FLAGS)
        page = browser.new_page(viewport={"width": 1280, "height": 800})
        for name in named:
            VIEWS[name](page, base)
            settle(page)
            page.screenshot(path=str(FOLDER / f"{name}.png"))
            print(f"docs/screenshots/{name}.png")
        browser.close()


if __name__ == "__main__":
    main()
