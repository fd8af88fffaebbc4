"""A bundle without a database: written, read, the same; the page of its format says what is read."""

from __future__ import annotations

import io
import json
import re
import zipfile
from dataclasses import replace
from pathlib import Path

import numpy as np

from orvix.formats.bundle import Thing, read, with_digests, write
from orvix.formats.pictures_out import deep_png

PAGE = Path(__file__).resolve().parents[3] / "docs" / "formats" / "bundle.md"


def things() -> list[Thing]:
    pixels = np.full((20, 30, 4), 65535, np.uint16)
    pixels[:10, :, :3] = 1234
    tip = {"name": "picture", "source": {"thing": "t2"}}
    return [
        Thing("t1", "tile", "Cloth", {"recipe": {"size": [64, 64], "source": {"name": "noise"}}}, set_name="Summer"),
        Thing("t2", "tile", "Kelp", {"repeat": "brick", "stagger": "1/2", "closes": False}, pixels=pixels),
        Thing("g1", "grain", "Cloth grain", {"of": "t1", "tone": {"contrast": 0.5}, "scale": "1/2"}),
        Thing("b1", "brush", "Chalk", {"brush": {"coats": [{"tip": tip}]}}),
    ]


def digests(some: list[Thing]) -> list[str]:
    return [one.digest for one in with_digests(some)]


def test_what_is_written_is_read_and_the_same_things_are_the_same_file():
    data = write(things())
    assert write(things()) == data
    bundle = read(data)
    assert bundle.notes == []
    assert [one.name for one in bundle.things] == ["Cloth", "Kelp", "Cloth grain", "Chalk"]
    assert [one.digest for one in bundle.things] == digests(things())
    assert np.array_equal(bundle.things[1].pixels, things()[1].pixels)
    assert bundle.things[0].set_name == "Summer"


def test_a_digest_is_of_what_a_thing_is_and_not_of_what_it_is_called():
    first = digests(things())
    assert digests([replace(one, id=f"x{one.id}", name="Other", tags="new") for one in things()[:2]]) == first[:2]
    other = things()
    other[0] = replace(other[0], told={"recipe": {"size": [64, 64], "seed": 2, "source": {"name": "noise"}}})
    changed = digests(other)
    assert [a == b for a, b in zip(first, changed, strict=True)] == [False, True, False, True]


def test_the_example_of_the_page_is_read():
    text = re.search(r"```json\n(.*?)```", PAGE.read_text(), re.DOTALL).group(1)
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w") as file:
        file.writestr("bundle.json", text)
        file.writestr("pictures/tile-2.png", deep_png(things()[1].pixels))
    bundle = read(out.getvalue())
    assert [one.kind for one in bundle.things] == ["tile", "tile", "grain", "brush", "palette", "paths"]
    assert json.loads(text)["things"][3]["tags"] == bundle.things[3].tags
