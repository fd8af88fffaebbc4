"""The shelf in the browser: found while typing, tagged, put in the trash and brought back, with what uses it."""

from __future__ import annotations

from playwright.sync_api import expect


def test_things_are_found_tagged_thrown_away_and_brought_back(page, live, kit):
    page.goto("/shelf/")
    things = page.locator(".shelf-thing")
    expect(things).to_have_count(4)
    page.locator("#shelf-words").fill(kit.grain.name)
    expect(things).to_have_count(1)
    page.locator("#shelf-words").fill("")
    expect(things).to_have_count(4)
    page.locator(f'[data-thing="grain-{kit.grain.pk}"] input').check()
    expect(page.locator("#shelf-used")).to_contain_text("made from")
    expect(page.locator("#shelf-used")).to_contain_text(kit.brush.name)
    page.locator(f'[data-thing="tile-{kit.tile.pk}"] input').check()
    expect(page.locator("#shelf-many")).to_have_text("2 chosen")
    expect(page.get_by_role("button", name="rename")).to_be_disabled()
    page.locator("#shelf-value").fill("harbour")
    page.get_by_role("button", name="add tag").click()
    expect(things.filter(has_text="harbour")).to_have_count(2)
    expect(page.locator("#shelf-value")).to_have_value("")
    page.locator('#shelf-find [name="tag"]').select_option("harbour")
    expect(things).to_have_count(2)
    page.locator('#shelf-find [name="tag"]').select_option("")
    expect(things).to_have_count(4)
    page.locator(f'[data-thing="canvas-{kit.canvas.pk}"] input').check()
    page.get_by_role("button", name="into the trash").click()
    expect(things).to_have_count(3)
    page.locator('#shelf-find [name="trash"]').check()
    expect(things).to_have_count(1)
    page.locator(f'[data-thing="canvas-{kit.canvas.pk}"] input').check()
    page.get_by_role("button", name="delete for good").click()
    expect(page.locator("#shelf-delete")).to_have_text("really delete 1?")
    page.get_by_role("button", name="bring back").click()
    expect(things).to_have_count(0)
    page.locator('#shelf-find [name="trash"]').uncheck()
    expect(things).to_have_count(4)
    page.locator(f'[data-thing="canvas-{kit.canvas.pk}"] a').click()
    page.wait_for_url(f"**/canvases/{kit.canvas.pk}/")
