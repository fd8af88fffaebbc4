"""Takes the pictures in docs/screenshots from the demo data: ./shots. One picture of each main view, 1280 x 800."""

from __future__ import annotations

import shutil
import sys
from math import sin

from playwright.sync_api import Page, sync_playwright
from served import FLAGS, ROOT, served

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


def pen(page: Page, base: str) -> None:
    page.goto(f"{base}/pen/")
    page.wait_for_timeout(800)
    box = page.locator("#strip").bounding_box()
    assert box is not None
    session = page.context.new_cdp_session(page)

    def send(kind: str, x: float, y: float, press: float) -> None:
        told = {"type": kind, "x": x, "y": y, "button": "left", "buttons": 0 if kind == "mouseReleased" else 1}
        session.send("Input.dispatchMouseEvent", {**told, "pointerType": "pen", "force": press})

    for top, press in ((60, 0.12), (140, 0.34), (240, 0.66), (330, 0.5)):
        for n in range(40):
            x, y = box["x"] + 40 + 17 * n, box["y"] + top + 12 * sin(n / 4)
            send("mousePressed" if n == 0 else "mouseMoved", x, y, press * (0.9 + 0.1 * sin(n)))
            page.wait_for_timeout(8)
        send("mouseReleased", x, y, 0)
        page.wait_for_timeout(500)


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
    page.goto(f"{base}/canvases/")
    page.locator("input[name=name]").first.fill(name)
    page.get_by_role("button", name="New canvas").click()
    page.wait_for_function("() => document.getElementById('kept')?.textContent.includes('kept')")
    page.wait_for_timeout(800)
    box = page.locator("#picture").bounding_box()
    assert box is not None
    return box["x"] + box["width"] / 2, box["y"] + box["height"] / 2


def canvas_paths(page: Page, base: str) -> None:
    """Lines drawn first and painted after, together on one layer, each in its colour, thin to thick and thin again."""
    x, y = new_canvas(page, base, "Wake lines")
    page.locator("input[name=mode][value=shape]").check()
    page.locator('[data-brush][title^="Harbour liner"]').click()
    page.locator("#shape-kind").select_option("line")
    curve = page.locator("#shape-press").bounding_box()
    assert curve is not None
    for share in (0, 1):
        left = curve["x"] + 5 + share * (curve["width"] - 10)
        drag(page, (left, curve["y"] + 5), (left, curve["y"] + 30))
    drag(page, (curve["x"] + 55, curve["y"] + 26), (curve["x"] + 55, curve["y"] + 6))
    for n in range(5):
        page.locator("[data-colour]").nth(n).click()
        if n:
            page.keyboard.down("Shift")
        page.mouse.move(x - 260, y - 130 + 60 * n)
        page.mouse.down()
        for step in range(1, 41):
            page.mouse.move(x - 260 + 13 * step, y - 130 + 60 * n + 24 * sin(step / 6 + n))
        page.mouse.up()
        page.keyboard.up("Shift")
        page.wait_for_timeout(700)


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
    if page.get_by_role("button", name="Print it all the same").count():
        page.get_by_role("button", name="Print it all the same").click()
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
    "pen": pen,
    "canvas-room": canvas_room,
    "canvas-selected": canvas_selected,
    "canvas-again": canvas_again,
    "canvas-paths": canvas_paths,
    "canvas-shapes": canvas_shapes,
    "proof-wall": proof_wall,
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
