"""Two accounts of a studio: signed in, a brush shared and copied; a bundle out of one and into the other."""

from __future__ import annotations

import pytest
from playwright.sync_api import expect

from orvix_web.accounts.people import add_account
from orvix_web.brushes.models import Brush
from orvix_web.tiles.models import Tile

WORD = "a long word for tests"


@pytest.fixture
def studio(live, kit, settings):
    """Marta has a tile, a grain, a brush and a canvas; Karel has nothing."""
    settings.SIGN_IN = True
    marta, karel = add_account("marta", WORD), add_account("karel", WORD)
    for thing in (kit.tile, kit.grain, kit.brush, kit.canvas):
        type(thing).objects.filter(pk=thing.pk).update(owner=marta)
    return marta, karel


def signed_in(page, name):
    page.goto("/shelf/")
    page.locator('[name="username"]').fill(name)
    page.locator('[name="password"]').fill(WORD)
    page.get_by_role("button", name="Sign in").click()
    page.wait_for_url("**/shelf/")
    expect(page.locator(".brand button")).to_contain_text(name)


def test_a_brush_is_shared_looked_at_copied_and_no_longer_shared(new_page, studio, kit):
    marta, karel = new_page(), new_page()
    signed_in(marta, "marta")
    signed_in(karel, "karel")
    karel.locator('[name="shared"]').check()
    expect(karel.locator("#shelf-things")).to_contain_text("No shared items match")
    marta.locator(f'[data-thing="brush-{kit.brush.pk}"] input').check()
    marta.locator('[name="taker"]').select_option("karel")
    marta.get_by_text("View and copy").click()
    marta.locator("#shelf-share").click()
    expect(marta.locator("#refusals")).to_contain_text("karel can view and copy 1 item")
    # Karel's page hears of it.
    card = karel.locator(".shelf-thing")
    expect(card).to_contain_text("shared by marta")
    card.locator("a").click()
    expect(karel.locator(".shared img")).to_have_js_property("complete", True)
    karel.get_by_role("button", name="Copy to my shelf").click()
    expect(karel.locator("main h1")).to_have_text("3 of 3 items are new")
    karel.get_by_role("button", name="Import").click()
    expect(karel.locator(".shelf-thing")).to_have_count(3)
    mine = Brush.objects.get(owner=studio[1])
    karel.goto(f"/brushes/{mine.pk}/")
    expect(karel.locator("h1").first).to_contain_text(kit.brush.name)
    marta.locator(f'[data-thing="brush-{kit.brush.pk}"] input').check()
    marta.get_by_role("button", name="Stop sharing", exact=True).click()
    expect(marta.locator("#shelf-used")).not_to_contain_text("can view and copy")
    karel.goto("/shelf/?shared=1")
    expect(karel.locator("#shelf-things")).to_contain_text("No shared items match")
    karel.locator(".brand button").click()
    karel.wait_for_url("**/sign-in/")
    assert karel.request.get("/shelf/", max_redirects=0).status == 302


def test_a_bundle_goes_out_of_one_account_and_into_another(new_page, studio, kit, tmp_path):
    marta, karel = new_page(), new_page()
    signed_in(marta, "marta")
    marta.locator(f'[data-thing="brush-{kit.brush.pk}"] input').check()
    marta.get_by_role("button", name="Export…").click()
    with marta.expect_download() as fetched:
        marta.locator("#shelf-out-go").click()
    fetched.value.save_as(tmp_path / "chalk.zip")
    signed_in(karel, "karel")
    karel.locator('#bundle-in input[type="file"]').set_input_files(tmp_path / "chalk.zip")
    expect(karel.locator("main h1")).to_have_text("3 of 3 items are new")
    karel.get_by_role("button", name="Import").click()
    expect(karel.locator(".shelf-thing")).to_have_count(3)
    assert Tile.objects.filter(owner=studio[1]).get().latest.recipe == kit.tile.latest.recipe
    assert karel.request.get(f"/canvases/{kit.canvas.pk}/").status == 404
