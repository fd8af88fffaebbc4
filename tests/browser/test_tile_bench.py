"""The tile bench as painters use it: photos mended, tiles from nothing, light, and judging the cloth."""

from __future__ import annotations

import numpy as np
import pytest
from PIL import Image
from playwright.sync_api import Page, expect

from orvix.devices.photo_tray import develop
from orvix_web.brushes.models import Brush
from orvix_web.jobs.models import Job
from orvix_web.tiles.models import Grain, Tile
from tests.browser.walk import canvas_pixels, idle, set_value, wait_count


def begin(page: Page, source: str) -> None:
    """A new tile from a generated source, by its picture on the sheet."""
    page.goto("/tiles/")
    page.locator(".named").get_by_role("button", name="New tile").click()
    page.locator(f'#new-tile button[name=source][value="{source}"]').click()


def opened(page: Page) -> None:
    wait_count(page, "#cloth", "shown", 1)
    wait_count(page, "#band", "full", 1)


def shown_again(page: Page, act) -> None:
    """Do something, and wait until the cloth has been drawn after it and its full reading has come."""
    shown, full = (
        int(page.evaluate("([s, n]) => document.querySelector(s).dataset[n] || 0", [where, what]))
        for where, what in (("#cloth", "shown"), ("#band", "full"))
    )
    act()
    wait_count(page, "#cloth", "shown", shown + 1)
    wait_count(page, "#band", "full", full + 1)
    idle(page)


def add_step(page: Page, name: str) -> None:
    shown_again(page, lambda: page.select_option("#add-step", name))


def seam(page: Page) -> float:
    return float(page.locator("#seam-value").inner_text())


def test_t6_a_photo_is_cropped_evened_mended_and_its_stains_healed(page, live, tmp_path):
    page.goto("/tiles/?new")
    page.get_by_role("button", name="Quay wall").click()
    opened(page)
    expect(page.locator("#seam-verdict")).to_contain_text("Visible")
    raw = canvas_pixels(page, "#cloth canvas")
    page.get_by_role("button", name="Photo", exact=True).click()
    wait_count(page, "#photo", "drawn", 1)
    page.get_by_role("button", name="Find cleanest part").click()
    expect(page.locator("#photo-words")).to_contain_text("Part 1 of 3")
    box = page.locator("#photo canvas").bounding_box()
    corners = page.evaluate("() => JSON.parse(document.getElementById('recipe').textContent).source.values.corners")
    assert corners != [[0, 0], [1, 0], [1, 1], [0, 1]]
    page.get_by_role("button", name="Use whole photo").click()
    wait_count(page, "#cards", "shown", 3)
    # A corner is dragged inwards: the two beside it come along, so that the crop stays one.
    left, top = page.evaluate("""() => {
        const frame = document.querySelector('#photo canvas').getBoundingClientRect();
        return [frame.left, frame.top];
    }""")
    assert (left, top) == (box["x"], box["y"])
    page.get_by_role("button", name="Back to cloth").click()
    shown_again(page, lambda: page.get_by_role("button", name="Add “Even the light”").click())
    shown_again(page, lambda: page.get_by_role("button", name="Add “Border mending”").click())
    expect(page.locator("#seam-verdict")).to_have_text("Seamless")
    assert seam(page) <= 1.10
    add_step(page, "mend-stains")
    page.get_by_role("button", name="Find spots").click()
    page.wait_for_function("() => Number(document.querySelector('#cloth').dataset.spots) > 0")
    view = page.locator("#cloth").bounding_box()
    shown_again(page, lambda: page.mouse.click(view["x"] + view["width"] * 0.5, view["y"] + view["height"] * 0.5))
    expect(page.locator('[data-do="spots"]').locator("xpath=preceding-sibling::span")).to_have_text("1 spot")
    page.get_by_role("button", name="Publish v2").click()
    expect(page.locator("#publish")).to_have_text("Publish v3")
    kept = Tile.objects.get().latest
    assert [step["name"] for step in kept.recipe["steps"]] == ["even-light", "mend-border", "mend-stains"]
    assert len(kept.recipe["steps"][2]["values"]["spots"]) == 1
    assert kept.readings["seam"]["value"] <= 1.10
    assert not np.array_equal(raw, canvas_pixels(page, "#cloth canvas"))


def test_a_half_move_hides_the_fault_from_the_border_and_the_reading_follows_it(page, live):
    page.goto("/tiles/?new")
    page.get_by_role("button", name="Beach stones").click()
    opened(page)
    add_step(page, "half-move")
    expect(page.locator("#seam-verdict")).to_have_text("Visible, at the moved border")
    page.locator('[data-gauge="seam"]').click()
    shown_again(page, lambda: page.get_by_role("button", name="Add “Border mending”").click())
    expect(page.locator("#seam-verdict")).to_contain_text("Seamless")


def test_t7_a_photo_becomes_hard_black_and_white_and_closes(page, live):
    page.goto("/tiles/?new")
    page.get_by_role("button", name="Sailcloth", exact=True).click()
    opened(page)
    for step in ("even-light", "colour-out", "mend-border", "threshold"):
        add_step(page, step)
    shown_again(page, lambda: set_value(page, "steps.3.values.specks", "30"))
    tones = canvas_pixels(page, "#cloth canvas")
    assert seam(page) <= 1.10
    assert ((tones < 16) | (tones > 239)).mean() > 0.3
    page.get_by_role("button", name="New grain").click()
    expect(page.locator("#cover")).not_to_have_text("…")
    wait_count(page, "#trial", "shown", 1)
    assert canvas_pixels(page, "#trial").std() > 20
    assert Grain.objects.count() == 1


def test_t8_a_screen_tells_the_angle_that_closes_and_offers_sizes(page, live):
    begin(page, "screen")
    opened(page)
    expect(page.locator("#seam-verdict")).to_have_text("Always seamless")
    shown_again(page, lambda: set_value(page, "source.values.angle", "31"))
    expect(page.locator("#given")).to_contain_text("Angle: ")
    expect(page.locator("#given")).to_contain_text("the seamless value nearest")
    size = page.locator("#given button").first
    offered = size.inner_text()
    shown_again(page, size.click)
    expect(page.locator("#facts")).to_contain_text(offered)
    set_value(page, "source.values.ruling", "1999")
    expect(page.locator("#refusals")).to_contain_text("Finer than a px: at most")
    page.get_by_role("button", name="Close", exact=True).click()
    shown_again(page, lambda: page.get_by_role("button", name="Undo").click())
    shown_again(page, lambda: page.select_option("#source-pick", "herringbone"))
    expect(page.locator("#seam-verdict")).to_have_text("Always seamless")


def test_t10_a_spark_stands_on_nothing_with_an_empty_rim_and_is_stamped(page, live):
    begin(page, "sparks")
    opened(page)
    shown_again(page, lambda: set_value(page, "source.values.rays", "9"))
    shown_again(page, lambda: set_value(page, "source.values.rim", "10"))
    page.get_by_role("button", name="Publish v2").click()
    expect(page.locator("#publish")).to_have_text("Publish v3")
    from orvix_web.tiles.rendering import tile_pixels

    pixels = tile_pixels(Tile.objects.get().latest)
    assert pixels[:40].max() == 0
    assert pixels[..., 3].max() == 65535
    page.get_by_role("button", name="New brush").click()
    wait_count(page, "#sheet", "shown", 1)
    idle(page)
    assert page.locator("#tip-pick option:checked").inner_text().endswith("v2")
    hardness = page.locator('[data-under="values.hardness"]')
    expect(hardness).to_contain_text("only round tips use Hardness")
    level = canvas_pixels(page, "#sheet")[:170, :78]
    marks = level[..., 0] < 200
    assert marks.any()
    empty = ~marks.any(axis=0)
    assert np.count_nonzero(np.diff(empty.astype(int)) == -1) >= 3  # separate stamps, not one line
    page.locator("#tip-kind").select_option(label="Round")
    idle(page)
    expect(hardness).to_be_hidden()
    page.get_by_role("button", name="Save v2").click()
    expect(page.locator("#named")).to_contain_text("v2")
    versions = Brush.objects.get().versions.order_by("number")
    assert [one.tip_version == Tile.objects.get().latest for one in versions] == [True, False]


def test_t11_the_cloth_is_judged_squinted_at_and_set_beside_another_version(page, live):
    begin(page, "specks")
    opened(page)
    shown_again(page, lambda: set_value(page, "source.values.density", "60"))
    shown_again(page, lambda: set_value(page, "source.values.size", "5"))
    expect(page.locator('[data-gauge="holes"] [data-unit]')).to_have_text("× typical")
    plain = canvas_pixels(page, "#cloth canvas")
    for gauge in ("holes", "weight"):
        page.locator(f'[data-gauge="{gauge}"]').click()
        assert not np.array_equal(plain, canvas_pixels(page, "#cloth canvas")), gauge
    page.locator('[data-gauge="weight"]').click()
    assert np.array_equal(plain, canvas_pixels(page, "#cloth canvas"))
    sharp = float(np.abs(np.diff(plain[..., 0].astype(float), axis=1)).max())
    page.get_by_role("button", name="Across the room").click()
    wait_count(page, "#cloth", "shown", 4)
    idle(page)
    far = canvas_pixels(page, "#cloth canvas")
    assert float(np.abs(np.diff(far[..., 0].astype(float), axis=1))[:, 40:-40].max()) < sharp
    page.get_by_role("button", name="Off", exact=True).click()
    page.locator('[data-beside="1"]').click()
    wait_count(page, "#beside", "read", 1)
    expect(page.locator("#beside .tag")).to_contain_text("v1: seam")
    assert not np.array_equal(
        canvas_pixels(page, "#beside canvas")[:300, :300], canvas_pixels(page, "#cloth canvas")[:300, :300]
    )


def test_steps_are_switched_moved_taken_out_and_undone(page, live):
    begin(page, "noise")
    opened(page)
    add_step(page, "negative")
    add_step(page, "levels")
    names = page.locator(".step b")
    expect(names).to_have_count(2)
    negative = canvas_pixels(page, "#cloth canvas")
    shown_again(page, lambda: page.get_by_role("button", name="Move Levels up").click())
    expect(names.first).to_contain_text("Levels")
    shown_again(page, lambda: page.locator('[data-switch="1"]').uncheck(force=True))
    expect(page.locator("#recipe-words")).to_have_text("Source + 2 steps, 1 off")
    assert not np.array_equal(negative, canvas_pixels(page, "#cloth canvas"))
    shown_again(page, lambda: page.get_by_role("button", name="Delete Levels").click())
    expect(names).to_have_count(1)
    shown_again(page, lambda: page.keyboard.press("z"))
    expect(names).to_have_count(2)
    for _ in range(2):
        shown_again(page, lambda: page.get_by_role("button", name="Undo").click())
    expect(names.last).to_contain_text("Levels")
    assert np.array_equal(negative, canvas_pixels(page, "#cloth canvas"))
    # Asked for faster than cards come, changes are taken back and made again in their order.
    shown_again(page, lambda: [page.keyboard.press("z") for _ in range(2)])
    expect(page.locator("#recipe-words")).to_have_text("Source + 0 steps")
    for _ in range(2):
        page.keyboard.press("y")
    expect(names).to_have_count(2)


def test_pictures_are_pasted_and_dropped(page, live, tmp_path):
    path = tmp_path / "wall.jpg"
    Image.fromarray(develop("quay-wall", 240, 180)).save(path)
    octets = list(path.read_bytes())
    for kind in ("paste", "drop"):
        page.goto("/tiles/")
        with page.expect_navigation(url="**/tiles/*/"):
            page.evaluate(
                """([kind, octets]) => {
                    const data = new DataTransfer();
                    data.items.add(new File([new Uint8Array(octets)], "wall.jpg", {type: "image/jpeg"}));
                    const event = kind === "paste" ? new ClipboardEvent("paste", {clipboardData: data, bubbles: true})
                        : new DragEvent("drop", {dataTransfer: data, bubbles: true, cancelable: true});
                    document.body.dispatchEvent(event);
                }""",
                [kind, octets],
            )
    assert [tile.name for tile in Tile.objects.all()] == ["wall", "wall"]


def test_the_repeat_of_a_picture_is_found_and_shown(page, live, tmp_path):
    from orvix.pictures.writing import straight_8bit
    from orvix.tiles.recipe import Recipe
    from orvix.tiles.repeats import cloth

    recipe = Recipe.parse({"size": [150, 120], "repeat": "half-drop", "source": {"name": "noise"}})
    Image.fromarray(straight_8bit(cloth(recipe.render(), recipe.repeat, 0, 0, 640, 700))).save(tmp_path / "cloth.png")
    page.goto("/tiles/")
    page.locator('#upload input[type="file"]').set_input_files(tmp_path / "cloth.png")
    opened(page)
    page.get_by_role("button", name="Photo", exact=True).click()
    wait_count(page, "#photo", "drawn", 1)
    page.locator("#photo-period").click()
    wait_count(page, "#photo", "found", 1)
    expect(page.locator("#photo-words")).to_contain_text("Found: 150 × 120 px, half-drop")
    page.get_by_role("button", name="Back to cloth").click()
    wait_count(page, "#band", "full", 2)
    expect(page.locator("#seam-verdict")).to_have_text("Seamless")
    expect(page.locator("#facts")).to_contain_text("Half-drop, 150 × 120 px")


@pytest.mark.usefixtures("live")
def test_a_large_tile_is_seen_small_and_made_by_a_job_that_can_be_cancelled(page):
    begin(page, "noise")
    opened(page)
    for side in ("size.0", "size.1"):
        set_value(page, side, "4000")
    expect(page.locator("#shown")).to_have_text("Preview at 1024 px")
    page.get_by_role("button", name="Publish v2").click()
    expect(page.locator("#jobs")).to_contain_text("4000 × 4000 px")
    expect(page.locator("#jobs")).to_contain_text("Waiting")
    page.get_by_role("button", name="Cancel").click()
    expect(page.locator("#jobs .job")).to_contain_text("Cancelled")
    page.get_by_role("button", name="Dismiss").click()
    expect(page.locator("#jobs .job")).to_have_count(0)
    assert Job.objects.get().state == "cancelled"


def test_each_reading_is_of_the_state_shown_or_says_that_it_is_being_read(page, live, kit):
    kept = dict(kit.tile.latest.readings)
    page.goto(f"/tiles/{kit.tile.pk}/")
    wait_count(page, "#band", "full", 1)
    words = "() => [document.getElementById('band').dataset.reading, document.getElementById('seam-value').textContent]"
    assert page.evaluate(words) == ["", f"{kept['seam']['value']:.2f}"]
    # From the moment of the change until it is read the old number is gone.
    page.evaluate(
        """() => {
            const value = document.getElementById("seam-value");
            window.__seen = [];
            new MutationObserver(() => window.__seen.push(value.textContent)).observe(value, { childList: true });
        }"""
    )
    page.locator("#source-pick").select_option("cells")
    wait_count(page, "#band", "full", 2)
    assert page.evaluate("() => window.__seen[0]") == "…"
    # A draft does not show what was read of the published version, nor calls it full.
    page.add_init_script(
        """document.addEventListener("alpine:initialized", () => {
            window.__first = ["reading-form", "seam-value"].map((name) => document.getElementById(name).textContent);
        });"""
    )
    page.reload()
    page.wait_for_function("() => window.__first")
    assert page.evaluate("() => window.__first") == ["", "…"]
    wait_count(page, "#band", "full", 1)
