"""A bundle without a database: written, read, the same; the page of its format says what is read."""

from __future__ import annotations

import io
import json
import re
import zipfile
from dataclasses import replace
from pathlib import Path

import numpy as np
import pytest

from orvix.errors import UnreadableFile
from orvix.formats.bundle import Thing, read, with_digests, write
from orvix.formats.pictures_out import deep_png
from orvix.pictures.writing import png_bytes

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


def bundle(thing: dict, files: dict[str, bytes]) -> bytes:
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w") as file:
        whole = {"format": "orvix-bundle", "version": "1.1", "things": [{"id": "x", "name": "X", **thing}]}
        file.writestr("bundle.json", json.dumps(whole))
        for name, data in files.items():
            file.writestr(name, data)
    return out.getvalue()


WALL = {"kind": "surface", "picture": "a", "laying": {}}
PICTURE, WIDE = (png_bytes(np.full((40, side, 3), 90, np.uint8)) for side in (60, 200))


@pytest.mark.parametrize(
    ("thing", "files", "rule"),
    [
        ({"kind": "motif", "file": "a"}, {"a": b"MZ" * 400}, "no picture|not a picture|cannot be read|is no"),
        ({"kind": "motif", "file": "a"}, {"a": b"<svg xmlns='http://www.w3.org/2000/svg'><script/></svg>"}, "script"),
        ({"kind": "motif"}, {}, "name of a file"),
        (WALL | {"laying": {"columns": 99}}, {"a": PICTURE}, "columns"),
        (WALL | {"mask": "b"}, {"a": PICTURE, "b": WIDE}, "proportions"),
        (WALL | {"mask": "b"}, {"a": PICTURE}, "b"),
        ({"kind": "palette", "colours": [["tar", "black"]]}, {}, "#rrggbb"),
        ({"kind": "paths", "pieces": []}, {}, "pieces|piece"),
    ],
)
def test_files_palettes_and_paths_that_are_wrong_are_refused_by_name(thing, files, rule):
    with pytest.raises(UnreadableFile, match=rule):
        read(bundle(thing, files))


def test_files_lie_in_a_bundle_as_they_came():
    found = read(bundle(WALL | {"mask": "b"}, {"a": PICTURE, "b": PICTURE})).things[0]
    assert found.files == {"picture": PICTURE, "mask": PICTURE}
    again = read(write([found])).things[0]
    assert (again.files, again.digest) == (found.files, found.digest)
    other = read(bundle(WALL | {"laying": {"width_mm": 90}}, {"a": PICTURE})).things[0]
    assert other.digest != found.digest
