"""Leads as a painter begins with them: what the core says is what it takes."""

from __future__ import annotations

import pytest

from orvix.brushes.leads import DRIVER_NAMES, Lead, first_lead
from orvix.brushes.values import LED_NAMES


@pytest.mark.parametrize("value", LED_NAMES)
@pytest.mark.parametrize("driver", DRIVER_NAMES)
def test_the_first_lead_at_every_place_of_the_grid_is_one_that_is_taken_as_it_is(value, driver):
    first = first_lead(value, driver)
    assert Lead.parse(value, driver, first.as_dict()) == first
    wanted = {"turn": "adds", "hue": "adds", "count": "replaces", "second": "replaces"}.get(value)
    assert wanted in (None, first.does)
    assert first.low < first.high
