"""Motif layouts with the mouse: from nothing placed to a layout without holes; a drag is what it settles to."""

from __future__ import annotations

import json

import numpy as np
import pytest
from playwright.sync_api import expect

from orvix_web.tiles.layouts import create_layout
from orvix_web.tiles.models import Tile, Upload
from tests.browser.walk import canvas_pixels, idle, set_value, wait_count
from tests.drafting import put

pytestmark = pytest.mark.django_db(transaction=True)

LEAF = b"""<svg xmlns="http://www.w3.org/2000/svg" width="60" height="90">
<path fill="#5f7a3f" d="M30 0Q60 45 30 90Q0 45 30 0Z"/>
<rect x="28" y="10" width="4" height="70" fill="#1b3f4b"/></svg>"""


@pytest.fixture
def owner(live):
    from orvix_web.accounts.people import local_painter

    return local_painter()


def laid(owner, *items, **more):
    """A layout tile of 400 x 320 with items placed."""
    tile = create_layout(owner, "Catch", {"size": [400, 320], "repeat": more.pop("repeat", "half-drop")})
    recipe = tile.latest.recipe
    recipe["source"]["values"]["layout"] |= {"items": list(items), **more}
    put(owner, "tile", tile.pk, recipe)
    return tile


def open_bench(page, tile) -> dict:
    page.goto(f"/tiles/{tile.pk}/layout/")
    return ready(page)


def ready(page) -> dict:
    wait_count(page, "#cloth", "looked", 1)
    wait_count(page, "#cloth", "shown", 1)
    idle(page)
    return page.locator("#cloth").bounding_box()


def layout(page) -> dict:
    return page.evaluate("() => window.orvixLayout.layout")


def after(page, act) -> dict:
    """Do something that changes the layout, and wait until the core's pixels and its links are there."""
    before = page.evaluate(
        "() => { const told = document.getElementById('cloth').dataset; return [told.shown, told.looked].map(Number); }"
    )
    act()
    wait_count(page, "#cloth", "shown", before[0] + 1)
    wait_count(page, "#cloth", "looked", before[1] + 1)
    idle(page)
    return layout(page)


def at(page, box, x, y) -> tuple[float, float]:
    zoom, left, top = page.evaluate("() => { const v = window.orvixLayout.view; return [v.zoom, v.left, v.top]; }")
    return box["x"] + left + x * zoom, box["y"] + top + y * zoom


def press(page, box, x, y, *keys) -> None:
    for key in keys:
        page.keyboard.down(key)
    page.mouse.click(*at(page, box, x, y))
    for key in keys:
        page.keyboard.up(key)


def drag(page, box, start, end, *, drop: bool = True) -> None:
    page.mouse.move(*at(page, box, *start))
    page.mouse.down()
    page.mouse.move(*at(page, box, (start[0] + end[0]) / 2, (start[1] + end[1]) / 2))
    page.mouse.move(*at(page, box, *end))
    if drop:
        page.mouse.up()


FISH = {"motif": "herring", "x": 100, "y": 90, "scale": 0.8}
SHELL = {"motif": "shell", "x": 260, "y": 180, "scale": 0.7}


def test_from_nothing_placed_to_a_layout_without_holes(page, live, owner):
    """T4."""
    page.goto("/tiles/?new")
    page.locator("#new-drawing [name=name]").fill("Catch")
    page.get_by_role("button", name="New layout").click()
    box = ready(page)
    tile = Tile.objects.get(name="Catch")
    assert page.locator("#motifs .motif").count() == 8
    band = page.locator("#band").bounding_box()
    after(page, lambda: page.get_by_title("Place Herring").click())
    # The next one goes where the cloth is emptiest.
    two = after(page, lambda: page.get_by_title("Place Shell").click())["items"]
    assert [item["motif"] for item in two] == ["herring", "shell"]
    assert np.hypot(two[0]["x"] - two[1]["x"], two[0]["y"] - two[1]["y"]) > 400
    expect(page.locator("#least-words")).to_contain_text("px")
    # Dragged over the border, it comes back on the other side by itself.
    fish = two[0]
    moved = after(page, lambda: drag(page, box, (fish["x"], fish["y"]), (fish["x"] - 600, fish["y"])))["items"][0]
    assert moved["x"] == pytest.approx(fish["x"] - 600 + 1024, abs=3)
    # Repeated as a half-drop, value; the stagger too.
    after(page, lambda: page.locator("label", has_text="half-drop").click())
    page.locator("#stagger").fill("1/3")
    after(page, lambda: page.locator("#stagger").press("Enter"))
    assert page.evaluate("() => window.orvixLayout.recipe.stagger") == "1/3"
    # The holes are filled with what is marked, and each result can be taken and changed.
    page.locator("#fill summary").click()
    set_value(page, "fill.smallest", "0.35")
    filled = after(page, lambda: page.locator("#fill-now").click())["items"]
    assert len(filled) > 12
    wait_count(page, "#band", "full", 1)
    expect(page.locator('[data-gauge="holes"] [data-verdict]')).to_have_text("Even")
    expect(page.locator("#seam-verdict")).to_have_text("Always seamless")
    expect(page.locator('[data-gauge="direction"] [data-unit]')).to_have_text("Tossed")
    assert page.locator("#band").bounding_box() == band  # readings came in, and the cloth kept its size
    page.get_by_role("button", name="Publish v2").click()
    expect(page.locator("#publish")).to_have_text("Publish v3")
    assert len(tile.latest.recipe["source"]["values"]["layout"]["items"]) == len(filled)
    assert tile.latest.readings["direction"]["verdict"] == "tossed"
    assert tile.latest.readings["seam"]["by_construction"]


def test_a_drag_moves_at_once_and_what_settles_is_the_same_but_for_edges(page, live, owner):
    tile = laid(owner, FISH, SHELL, {"motif": "lantern", "x": 330, "y": 60, "scale": 0.6})
    box = open_bench(page, tile)
    for name in ("links",):
        page.locator(f"#{name}").set_checked(False)
    after(page, lambda: page.keyboard.press("r")) if page.evaluate(
        "() => window.orvixLayout.view.tile.level"
    ) else page.keyboard.press("r")
    press(page, box, FISH["x"], FISH["y"])
    wait_count(page, "#cloth", "layers", 1)
    idle(page)
    drag(page, box, (FISH["x"], FISH["y"]), (FISH["x"] + 83, FISH["y"] + 41), drop=False)
    wait_count(page, "#cloth", "frames", 1)
    idle(page)
    # Marks and handles are not the picture.
    page.evaluate(
        "() => { const v = window.orvixLayout.view; v.drawOver = () => {}; v.drawMark = () => {}; v.drag(v.by); }"
    )
    dragged = canvas_pixels(page, "#cloth canvas").astype(int)
    after(page, page.mouse.up)
    page.evaluate("() => { const v = window.orvixLayout.view; v.overlay = null; v.dropLayers(); v.draw(); }")
    settled = canvas_pixels(page, "#cloth canvas").astype(int)
    assert layout(page)["items"][0]["x"] == FISH["x"] + 83
    edge = np.zeros(settled.shape[:2], bool)
    for dy in (-1, 0, 1):
        for dx in (-1, 0, 1):
            edge |= np.abs(settled - np.roll(settled, (dy, dx), (0, 1))).max(axis=2) > 2
    off = np.abs(dragged - settled).max(axis=2)
    assert 0.02 < edge.mean() < 0.5
    assert off[~edge].max() <= 2


def test_several_are_chosen_turned_scaled_aligned_grouped_and_taken_back(page, live, owner):
    tile = laid(owner, FISH, SHELL, {"motif": "lantern", "x": 330, "y": 60, "scale": 0.6})
    box = open_bench(page, tile)
    press(page, box, FISH["x"], FISH["y"])
    expect(page.locator("#chosen-words")).to_have_text("Herring")
    press(page, box, SHELL["x"], SHELL["y"], "Shift")
    expect(page.locator("#chosen-words")).to_have_text("2 of 3 selected")
    page.locator("#align").select_option("middle")
    idle(page)
    assert layout(page)["items"][0]["y"] == pytest.approx(layout(page)["items"][1]["y"])
    after(page, lambda: page.get_by_role("button", name="Group", exact=True).click())
    press(page, box, 10, 300)
    expect(page.locator("#chosen-words")).to_contain_text("0 of 3 selected")
    press(page, box, FISH["x"], layout(page)["items"][0]["y"])
    expect(page.locator("#chosen-words")).to_have_text("2 of 3 selected")
    after(page, lambda: page.keyboard.press("Shift+ArrowRight"))
    assert layout(page)["items"][0]["x"] == pytest.approx(FISH["x"] + 10)
    after(page, lambda: page.get_by_role("button", name="Repeat last").click())
    assert layout(page)["items"][0]["x"] == pytest.approx(FISH["x"] + 20)
    page.locator("[data-number=scale]").fill("0.5")
    after(page, lambda: page.locator("[data-number=scale]").press("Enter"))
    assert [item["scale"] for item in layout(page)["items"][:2]] == [0.5, 0.5]
    # Turned by its stalk, scaled by a corner.
    left, top, right, _ = page.evaluate("() => window.orvixLayout.view.chosenBox()")
    x, y = at(page, box, (left + right) / 2, top)
    page.mouse.move(x, y - 26)
    page.mouse.down()
    page.mouse.move(x + 60, y + 40, steps=4)
    after(page, page.mouse.up)
    assert layout(page)["items"][0]["turn"] > 20
    count = len(layout(page)["items"])
    after(page, lambda: page.get_by_role("button", name="Duplicate").click())
    assert len(layout(page)["items"]) == count + 2
    after(page, lambda: page.keyboard.press("Delete"))
    assert len(layout(page)["items"]) == count
    for _ in range(2):
        after(page, lambda: page.get_by_role("button", name="Undo").click())
    after(page, lambda: page.keyboard.press("y"))
    assert len(layout(page)["items"]) == count + 2
    # A closed page loses nothing: it is a draft.
    page.reload()
    ready(page)
    assert len(layout(page)["items"]) == count + 2


def test_what_lies_over_what_is_set_by_pressing_the_two(page, live, owner):
    tile = laid(
        owner, {"motif": "float", "x": 180, "y": 160}, {"motif": "barnacle", "x": 215, "y": 160}, repeat="straight"
    )
    box = open_bench(page, tile)
    page.locator("#links").set_checked(False)
    before = canvas_pixels(page, "#cloth canvas")
    page.get_by_role("button", name="Overlap order").click()
    press(page, box, 165, 160)
    expect(page.locator("#mode-words")).to_contain_text("Now click the motif below it")
    after(page, lambda: press(page, box, 240, 160))
    assert layout(page)["over"] == [[0, 1, 0, 0]]
    page.evaluate("() => window.orvixLayout.choose([])")
    assert not np.array_equal(canvas_pixels(page, "#cloth canvas"), before)
    # The settled one is what a press finds now.
    press(page, box, 190, 160)
    expect(page.locator("#chosen-words")).to_have_text("Cork float")


def test_the_arrows_of_the_repeat_are_dragged_and_the_stagger_snaps(page, live, owner):
    tile = laid(owner, FISH, SHELL, repeat="straight")
    box = open_bench(page, tile)
    drag(page, box, (400, 0), (450, 158))
    page.wait_for_function("() => window.orvixLayout.recipe.repeat === 'half-drop'")
    recipe = page.evaluate("() => window.orvixLayout.recipe")
    assert recipe["stagger"] == "1/2"
    assert recipe["size"][0] == pytest.approx(450, abs=4)
    assert recipe["size"][1] == 320


def test_a_distance_that_is_kept_is_a_rule_while_dragging(page, live, owner):
    tile = laid(owner, FISH, SHELL)
    box = open_bench(page, tile)
    set_value(page, "keep_px", "25")
    page.wait_for_function("() => window.orvixLayout.layout.keep_px === 25")
    idle(page)
    drag(page, box, (FISH["x"], FISH["y"]), (SHELL["x"], SHELL["y"]), drop=False)
    page.wait_for_function("() => window.orvixLayout.held?.allowed[0] !== 0")
    after(page, page.mouse.up)
    item = layout(page)["items"][0]
    assert np.hypot(item["x"] - SHELL["x"], item["y"] - SHELL["y"]) > 60
    least = page.evaluate("() => window.orvixLayout.shared.links[0].px")
    assert least >= 24


def test_motifs_from_files_shapes_and_tiles_each_with_its_colours(page, live, owner, new_page):
    tile = laid(owner)
    open_bench(page, tile)
    files = page.locator("#motif-file")
    placed = after(
        page, lambda: files.set_input_files({"name": "leaf.svg", "mimeType": "image/svg+xml", "buffer": LEAF})
    )
    idle(page)
    placed = layout(page)
    assert [item["motif"] for item in placed["items"]] == [f"m{Upload.objects.get().pk}"]
    after(page, lambda: page.locator("#motif-values input[type=color]").first.fill("#c2553b"))
    assert layout(page)["motifs"][-1]["colours"] == {"#5f7a3f": "#c2553b"}
    files.set_input_files(
        {
            "name": "bad.svg",
            "mimeType": "image/svg+xml",
            "buffer": b'<svg xmlns="http://www.w3.org/2000/svg"><script/></svg>',
        }
    )
    expect(page.locator("#refusals")).to_contain_text("bad.svg contains script")
    new_page.wrong.clear()
    assert Upload.objects.count() == 1
    after(page, lambda: page.locator("#add-shape").select_option("outline"))
    idle(page)
    editor = page.locator(".outline-editor")
    expect(editor).to_be_visible()
    corner = editor.locator("rect").first.bounding_box()
    page.mouse.move(corner["x"] + 4, corner["y"] + 4)
    page.mouse.down()
    page.mouse.move(corner["x"] + 30, corner["y"] + 20, steps=3)
    after(page, page.mouse.up)
    points = layout(page)["motifs"][-1]["values"]["points"]
    assert points[0][0] > 0.6
    after(
        page,
        lambda: (
            page.locator("#outlines").set_checked(True)
            or page.keyboard.press("Shift+C")
            or page.keyboard.press("ArrowDown")
        ),
    )
    assert json.dumps(layout(page)).count("outline") >= 1


def test_the_size_follows_the_motifs(page, live, owner):
    tile = laid(owner, FISH, SHELL)
    open_bench(page, tile)
    page.locator("#margin").fill("20")
    after(page, lambda: page.locator("#margin").press("Enter"))
    after(page, lambda: page.locator("#follows").set_checked(True))
    size = page.evaluate("() => window.orvixLayout.recipe.size")
    assert size[0] < 330
    expect(page.locator("#width")).to_have_value(str(size[0]))
