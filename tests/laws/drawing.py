"""Random values of any kind, for the laws over registries."""

from __future__ import annotations

from hypothesis import strategies as st

from orvix.registry import Value
from orvix.tiles.sources import SOURCES

COLOURS = st.integers(0, 0xFFFFFF).map(lambda number: f"#{number:06x}")
SIMPLE = [source for source in SOURCES if source.kind == "generated" and source.group not in ("colour", "light")]


def drawn_value(value: Value, deep: int = 0) -> st.SearchStrategy:
    """A strategy for one value, anywhere in its range."""
    number = st.floats(value.low, value.high) if value.low is not None else st.just(0.0)
    if value.kind == "whole":
        return st.integers(int(value.low), int(value.high))
    if value.kind == "number":
        return number
    if value.kind == "choice":
        return st.sampled_from(value.choices)
    if value.kind == "colour":
        return COLOURS
    if value.kind == "switch":
        return st.booleans()
    if value.kind == "colours":
        # Long sets of stripes do not fit the small tiles that laws are tried on.
        number = number if value.high <= 1 else st.integers(1, 6).map(float)
        rows = st.lists(st.tuples(number, COLOURS), min_size=value.least, max_size=min(value.most, 4))
        return rows.map(lambda found: [list(row) for row in sorted(found)])
    if value.kind == "source":
        return inner_sources(deep + 1)
    return st.just(value.default)


@st.composite
def inner_sources(draw, deep: int) -> dict:
    source = draw(st.sampled_from(SIMPLE))
    return {"name": source.name, "values": {value.name: draw(drawn_value(value, deep)) for value in source.values}}
