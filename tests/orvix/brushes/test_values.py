"""Leads as curves, values that do nothing, and brushes whose parts are named and renamed."""

from __future__ import annotations

from itertools import pairwise

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from orvix.brushes.definition import Brush
from orvix.brushes.idle import idle_values
from orvix.brushes.leads import DRIVERS, Lead, parse_leads
from orvix.brushes.starters import STARTERS
from orvix.brushes.values import COAT_VALUES, GROUPS, LED
from orvix.errors import BadValue, UnknownName

POINTS = st.lists(st.tuples(st.integers(0, 100), st.integers(0, 100)), min_size=2, max_size=8, unique_by=lambda p: p[0])


@given(POINTS, st.floats(-5, 5), st.floats(-5, 5))
def test_a_response_goes_through_its_points_and_never_past_its_neighbours(points, low, high):
    response = sorted([x / 100, y / 100] for x, y in points)
    table = Lead.parse("size", "pressure", {"response": response, "low": low, "high": high}).table()
    span = sorted((low, high))
    assert span[0] - 1e-9 <= table.min() <= table.max() <= span[1] + 1e-9
    share = np.linspace(0, 1, 257)
    got = np.interp([x for x, _ in response], share, table)
    assert np.abs(got - [low + (high - low) * y for _, y in response]).max() <= abs(high - low) * 0.2 + 1e-9
    for (x0, y0), (x1, y1) in pairwise(response):
        part = table[(share >= x0) & (share <= x1)]
        bounds = sorted((low + (high - low) * y0, low + (high - low) * y1))
        assert len(part) == 0 or (part.min() >= bounds[0] - 1e-6 and part.max() <= bounds[1] + 1e-6)


def test_leads_stand_in_the_order_of_the_grid_and_come_back_the_same():
    told = {"size": {"speed": {}, "pressure": {}}, "flow": {"time": {"over": 300, "loops": True}}}
    leads = parse_leads(told)
    assert [(lead.value, lead.driver) for lead in leads] == [("size", "pressure"), ("size", "speed"), ("flow", "time")]
    assert Brush.parse(Brush.parse({"coats": [{"leads": told}]}).as_dict()).coats[0].leads == leads
    with pytest.raises(UnknownName, match="mood"):
        parse_leads({"size": {"mood": {}}})
    with pytest.raises(BadValue, match="2 to 8"):
        parse_leads({"size": {"speed": {"response": [[k / 9, 0] for k in range(9)]}}})


def test_every_value_says_what_it_does_and_every_led_one_is_a_value():
    names = {value.name for value in COAT_VALUES}
    assert len(names) == len(COAT_VALUES) == sum(len(group) for group in GROUPS.values())
    assert all(len(value.help) > 15 and value.help.endswith(".") for value in COAT_VALUES)
    assert {one.name for one in LED} - names == {"grain_strength", "grain_scale"}
    assert len({driver.name for driver in DRIVERS}) == 12


def idle(**coat) -> dict[str, str]:
    brush = Brush.parse({"coats": [coat]})
    return idle_values(brush, brush.coats[0])


def test_values_that_do_nothing_say_why():
    plain = idle()
    assert "round mark looks the same" in plain["values.turn"]
    assert "no coat below" in plain["values.mix"]
    assert "no lead changes Size" in plain["values.smallest"]
    assert "values.turn" not in idle(values={"roundness": 0.5})
    assert "values.smallest" not in idle(leads={"size": {"speed": {}}})
    assert "Spaced by is set to touch" in idle(values={"spaced_by": "touch"})["values.spacing"]
    assert "grain Strength is 0" in idle(grain={"source": {}, "strength": 0})["grain.scale"]
    assert "only round tips" in idle(tip={"name": "polygon"})["values.hardness"]
    band = idle(ribbon={"source": {}}, values={"colour_from": "tip"}, grain={"source": {}})
    assert "a ribbon has no stamps" in band["values.spacing"]
    assert "values.wet_edge" not in band
    assert "is fixed" in band["grain.grows"]
    assert "values.colour_from" not in band
    assert "uses the spacing of its font" in idle(tip={"name": "lettering"})["values.spaced_by"]


def test_starters_differ_in_more_than_size_spacing_and_colour():
    small = {
        "size",
        "smallest",
        "largest",
        "spacing",
        "spacing_px",
        "overlap",
        "clear_px",
        "hue",
        "saturation",
        "brightness",
    }

    def shape(starter) -> str:
        brush = Brush.parse(starter.data)
        parts = []
        for coat in brush.coats:
            values = {name: value for name, value in coat.values.items() if name not in small}
            leads = [(lead.value, lead.driver) for lead in coat.leads]
            parts.append((coat.tip.name, sorted(values.items(), key=str), leads, bool(coat.grain), bool(coat.ribbon)))
        return str(parts)

    starters = list(STARTERS)
    assert len(starters) == 24
    assert len({shape(one) for one in starters}) == 24
    assert all(one.purpose.endswith(".") and len(one.purpose) > 20 for one in starters)
    kinds = {coat.tip.name for one in starters for coat in Brush.parse(one.data).coats}
    assert kinds == {"round", "polygon", "picture", "set", "lettering"}


def test_what_a_brush_names_can_be_renamed_in_one_go():
    data = STARTERS.get("wave-comb").data
    brush = Brush.parse(data)
    assert [what for _, what, _ in brush.sources()] == ["tile"]
    renamed = brush.renamed(lambda what, source: {"was": what})
    assert [source for *_, source in renamed.sources()] == [{"was": "tile"}]


@pytest.mark.parametrize("values", [{"size": 30.0}, {"opacity": 0.25}, {"size": 300.0, "flow": 0.5}])
def test_in_hand_the_coats_keep_their_proportion(values):
    brush = Brush.parse({"coats": [{"values": {"size": 60, "opacity": 0.8}}, {"values": {"size": 20, "opacity": 0.4}}]})
    held = brush.in_hand(**values)
    for name, value in values.items():
        before, after = ([coat.values[name] for coat in one.coats] for one in (brush, held))
        assert max(after) == pytest.approx(value)
        assert after[1] / after[0] == pytest.approx(before[1] / before[0])
    with pytest.raises(UnknownName):
        brush.in_hand(hue=3)


def test_a_grain_without_strength_still_lies_somewhere_where_its_tile_gives_the_colours():
    grain = {"source": {"file": "g.png"}, "scale": "1/2", "strength": 0}
    assert {"grain.bite", "grain.scale", "grain.hold"} <= set(idle(grain=grain))
    coloured = idle(grain=grain, values={"colour_from": "tile"})
    assert "grain.bite" in coloured
    assert not {"grain.scale", "grain.turn", "grain.hold", "values.colour_from"} & set(coloured)
