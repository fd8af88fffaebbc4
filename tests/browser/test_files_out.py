"""Files as a browser shows them: patterns at any scale."""

from __future__ import annotations

import re

import pytest

from orvix.formats.pictures_out import OUT_FORMATS, Outgoing
from orvix.tiles.recipe import Recipe
from tests.browser.walk import png
from tests.orvix.formats.test_pictures_out import lines_where_copies_meet

pytestmark = pytest.mark.django_db(transaction=True)


@pytest.mark.parametrize("kind", ["straight", "half-drop"])
def test_an_svg_pattern_shows_no_hairlines_at_any_scale(page, kind):
    told = {"size": [120, 90], "repeat": kind, "seed": 3, "source": {"name": "noise", "values": {"cells": 4}}}
    recipe = Recipe.parse(told)
    text = OUT_FORMATS["svg"].write(Outgoing(recipe.render(), 254.0, "Cloud", repeat=recipe.repeat)).decode()
    width, height = recipe.repeat.unrolled_size(120, 90)
    for scale in (0.3, 0.37, 0.77, 1.3, 2.41):
        size = f'width="{3 * width * scale}" height="{3 * height * scale}"'
        sized = re.sub(r'width="[\d.]+mm" height="[\d.]+mm"', size, text)
        page.set_viewport_size({"width": round(3 * width * scale), "height": round(3 * height * scale)})
        page.set_content(f'<body style="margin: 0; background: #ff00ff">{sized}</body>')
        seen = png(page.screenshot())
        assert lines_where_copies_meet(seen, 120 * scale) < 1.2, scale
        assert lines_where_copies_meet(seen.transpose(1, 0, 2), 90 * scale) < 1.2, scale
