"""The pen of a painter, calibrated once."""

from __future__ import annotations

from typing import Any

from django.contrib.auth.models import User

from orvix.devices.pen import PenPressure
from orvix_web.accounts.models import Pen


def pen_of(owner_id: int) -> PenPressure:
    """The pen of a painter, as it comes where it was never calibrated."""
    response = Pen.objects.filter(owner_id=owner_id).values_list("response", flat=True).first()
    return PenPressure() if response is None else PenPressure(response)


def keep_pen(owner: User, response: Any) -> PenPressure:
    """Keep a response; raises BadValue."""
    pen = PenPressure(response)
    Pen.objects.update_or_create(owner=owner, defaults={"response": [list(point) for point in pen.response]})
    return pen
