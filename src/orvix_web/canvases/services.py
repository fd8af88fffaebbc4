"""What a painter does to canvases, apart from painting, which is `live`'s."""

from __future__ import annotations

from typing import Any

from django.contrib.auth.models import AbstractBaseUser
from django.db import transaction

from orvix.canvases.canvas import CANVAS_VALUES
from orvix.canvases.canvas import Canvas as CoreCanvas
from orvix.registry import check_colour, check_values
from orvix.tiles.repeats import Repeat
from orvix_web.canvases.models import Canvas
from orvix_web.canvases.storage import spec_of
from orvix_web.live.notices import changed
from orvix_web.tiles.services import check_name
from orvix_web.tiles.thumbnails import thumbnail


def create_canvas(owner: AbstractBaseUser, name: str, told: dict[str, Any]) -> Canvas:
    """Make an empty canvas. told: width, height, ppi, joined, repeat, stagger, ground; raises BadValue."""
    sizes = {value.name: told[value.name] for value in CANVAS_VALUES if value.name in told}
    values = check_values(CANVAS_VALUES, sizes, "canvas")
    repeat = Repeat.parse(told.get("repeat", "straight"), told.get("stagger"))
    with transaction.atomic():
        row = Canvas(
            owner=owner,
            name=check_name(name),
            joined=bool(told.get("joined", False)),
            repeat=repeat.kind,
            stagger=str(repeat.stagger),
            ground=check_colour("ground", told.get("ground", "#ffffff")),
            **values,
        )
        box = (0, 0, min(row.width, 256), min(row.height, 256))
        row.thumbnail = thumbnail(CoreCanvas(spec_of(row)).view(box))
        row.save()
        changed(row.owner_id)
    return row
