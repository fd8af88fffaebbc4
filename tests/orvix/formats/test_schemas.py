"""The published schemas are those the code makes, and say what the code checks."""

from __future__ import annotations

from pathlib import Path

import pytest

from orvix.formats.schemas import SCHEMAS, as_text, value_schema
from orvix.registry import Value
from orvix.tiles.sources import SOURCES

FORMATS = Path(__file__).resolve().parents[3] / "docs" / "formats"


@pytest.mark.parametrize("name", SCHEMAS)
def test_the_published_schema_is_the_codes(name):
    assert (FORMATS / name).read_text() == as_text(SCHEMAS[name]())


def test_every_kind_of_value_has_a_schema():
    for source in SOURCES:
        for value in source.values:
            assert value_schema(value)["description"].startswith(value.help)
    assert value_schema(Value("a", "A", "choice", "x", "", choices=("x", "y")))["enum"] == ["x", "y"]
    assert value_schema(Value("a", "A", "colour", "#000000", ""))["pattern"]
    assert value_schema(Value("a", "A", "switch", False, ""))["type"] == "boolean"
