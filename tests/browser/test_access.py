"""Every main view in both themes: nothing that axe-core finds wrong, and no page that scrolls under its notices."""

from __future__ import annotations

from pathlib import Path

import pytest

from orvix_web.canvases.drawings import create_drawing
from orvix_web.proofs.services import create_proof
from orvix_web.tiles.layouts import create_layout

pytestmark = pytest.mark.django_db(transaction=True)
AXE = Path(__file__).parents[2] / "node_modules/axe-core/axe.min.js"
PLACES = ("/", "/tiles/", "/brushes/", "/canvases/", "/proofs/", "/shelf/", "/pen/", "/keys/", "/work/")
RUN = """() => window.axe.run(document, { resultTypes: ["violations"] }).then(({ violations }) => violations.flatMap(
    ({ id, nodes }) => nodes.map((one) => `${id}: ${one.html.slice(0, 160)} ${one.any[0]?.message ?? ""}`)))"""
LONG = "Size cannot be 0. Enter 0.5 to 1024 px. " * 6


@pytest.fixture
def benches(kit) -> list[str]:
    told = {"width": 128, "height": 96, "repeat": "half-drop", "stagger": "1/2", "ground": ""}
    drawing = create_drawing(kit.owner, "Waves", told)
    layout = create_layout(kit.owner, "Pennants", {"size": [256, 256], "repeat": "straight", "stagger": "1/2"})
    proof = create_proof(kit.owner, "tile", kit.tile.pk)
    return [
        f"/tiles/{kit.tile.pk}/",
        f"/tiles/{drawing.pk}/draw/",
        f"/tiles/{layout.pk}/layout/",
        f"/grains/{kit.grain.pk}/",
        f"/brushes/{kit.brush.pk}/",
        f"/canvases/{kit.canvas.pk}/",
        f"/proofs/{proof.pk}/",
    ]


@pytest.mark.parametrize("theme", ["light", "dim"])
def test_axe_finds_nothing_wrong_in_any_view(page, live, kit, benches, theme):
    wrong = {}
    page.emulate_media(reduced_motion="reduce")
    for address in (*PLACES, *benches):
        page.goto(address)
        page.wait_for_function("() => !window.orvixIdle || window.orvixIdle().then(() => true)")
        page.evaluate("(theme) => (document.documentElement.dataset.theme = theme)", theme)
        page.evaluate(AXE.read_text())
        if found := page.evaluate(RUN):
            wrong[address] = found
    assert wrong == {}


@pytest.mark.parametrize(("width", "height"), [(1280, 800), (1024, 768), (1600, 1000)])
def test_no_bench_scrolls_whatever_it_has_to_say(page, live, kit, benches, width, height):
    page.set_viewport_size({"width": width, "height": height})
    for address in benches:
        page.goto(address)
        page.wait_for_function("() => !window.orvixIdle || window.orvixIdle().then(() => true)")
        page.evaluate(
            """(message) => {
            document.body.dispatchEvent(new CustomEvent("orvix-told", { detail: { title: "Long", message } }));
            for (const name of ["advice", "again", "fit", "last-here"]) {
                const box = document.getElementById(name);
                if (box) { box.classList.remove("hidden"); box.append(message); }
            }
        }""",
            LONG,
        )
        over = page.evaluate("""() => {
            const { scrollHeight, scrollWidth } = document.documentElement;
            return [scrollHeight - innerHeight, scrollWidth - innerWidth];
        }""")
        assert max(over) <= 0, (address, over)
        notice, head = page.locator("#refusals .refusal").bounding_box(), page.locator(".head").bounding_box()
        assert notice["y"] + notice["height"] <= head["height"], address
