"""The shelf in the browser: found while typing, tagged, put in the trash and brought back, with what uses it."""

from __future__ import annotations

from playwright.sync_api import expect

from orvix_web.shelf.services import do


def test_things_are_found_tagged_thrown_away_and_brought_back(page, live, kit):
    page.goto("/shelf/")
    things = page.locator(".shelf-thing")
    expect(things).to_have_count(4)
    page.locator("#shelf-words").fill(kit.grain.name)
    expect(things).to_have_count(1)
    page.locator("#shelf-words").fill("")
    expect(things).to_have_count(4)
    page.locator(f'[data-thing="grain-{kit.grain.pk}"] input').check()
    expect(page.locator("#shelf-used")).to_contain_text("Made from")
    expect(page.locator("#shelf-used")).to_contain_text(kit.brush.name)
    page.locator(f'[data-thing="tile-{kit.tile.pk}"] input').check()
    expect(page.locator("#shelf-many")).to_have_text("2 selected")
    expect(page.get_by_role("button", name="rename")).to_be_disabled()
    page.locator("#shelf-value").fill("harbour")
    page.get_by_role("button", name="Add tag").click()
    expect(things.filter(has_text="harbour")).to_have_count(2)
    expect(page.locator("#shelf-value")).to_have_value("")
    page.locator('#shelf-find [name="tag"]').select_option("harbour")
    expect(things).to_have_count(2)
    page.locator('#shelf-find [name="tag"]').select_option("")
    expect(things).to_have_count(4)
    # A search and its answer, and news of a change elsewhere, leave what is selected as it is.
    expect(page.locator("#shelf-many")).to_have_text("2 selected")
    page.locator("#shelf-words").fill(kit.grain.name)
    expect(page.locator("#shelf-many")).to_have_text("2 selected, 1 not shown")
    page.locator("#shelf-words").fill("")
    expect(things).to_have_count(4)
    page.evaluate("() => window.htmx.trigger(document.body, 'orvix-changed')")
    expect(page.locator(f'[data-thing="tile-{kit.tile.pk}"] input')).to_be_checked()
    page.get_by_role("button", name="Export…").click()
    expect(page.locator("#shelf-out-many")).to_have_text("2 items")
    page.get_by_role("button", name="Cancel").click()
    page.get_by_role("button", name="None").click()
    page.locator(f'[data-thing="canvas-{kit.canvas.pk}"] input').check()
    expect(page.locator("#shelf-many")).to_have_text("1 selected")
    page.get_by_role("button", name="Move to trash").click()
    expect(things).to_have_count(3)
    page.locator('#shelf-find [name="trash"]').check()
    expect(things).to_have_count(1)
    page.locator(f'[data-thing="canvas-{kit.canvas.pk}"] input').check()
    page.get_by_role("button", name="Delete permanently").click()
    expect(page.locator("#shelf-delete")).to_have_text("Delete 1 permanently?")
    page.get_by_role("button", name="Restore").click()
    expect(things).to_have_count(0)
    page.locator('#shelf-find [name="trash"]').uncheck()
    expect(things).to_have_count(4)
    page.locator("details.drawer summary").click()
    page.get_by_role("button", name="Export the whole shelf").click()
    expect(page.locator("#jobs")).to_contain_text("Export the whole shelf")
    page.locator("details.drawer summary").click()
    picture = page.locator(f'[data-thing="canvas-{kit.canvas.pk}"] img')
    assert picture.bounding_box()["width"] == 56
    page.get_by_title("Large").click()
    assert picture.bounding_box()["width"] == 192
    page.reload()
    expect(things).to_have_count(4)
    assert picture.bounding_box()["width"] == 192, "On this computer"
    page.locator(f'[data-thing="canvas-{kit.canvas.pk}"] a').click()
    page.wait_for_url(f"**/canvases/{kit.canvas.pk}/")


def test_a_brush_goes_out_as_a_bundle_and_comes_in_where_it_is_not_yet(page, live, kit, tmp_path):
    page.goto("/shelf/")
    page.locator(f'[data-thing="brush-{kit.brush.pk}"] input').check()
    with page.expect_download() as fetched:
        page.get_by_role("button", name="Export…").click()
        page.locator("#shelf-out-go").click()
    fetched.value.save_as(tmp_path / "chalk.zip")
    chain = [f"brush-{kit.brush.pk}", f"grain-{kit.grain.pk}", f"tile-{kit.tile.pk}"]
    do(kit.owner, "trash", chain)
    do(kit.owner, "delete", chain)
    page.goto("/shelf/")
    page.locator('#bundle-in input[type="file"]').set_input_files(tmp_path / "chalk.zip")
    expect(page.locator("main h1")).to_have_text("3 of 3 items are new")
    page.get_by_role("button", name="Import").click()
    expect(page.locator(".shelf-thing")).to_have_count(4)
    page.locator('#bundle-in input[type="file"]').set_input_files(tmp_path / "chalk.zip")
    expect(page.locator("main h1")).to_have_text("0 of 3 items are new")
    expect(page.locator(".coming")).to_contain_text("already on your shelf")
    page.get_by_role("button", name="Cancel").click()
    expect(page.locator(".shelf-thing")).to_have_count(4)
