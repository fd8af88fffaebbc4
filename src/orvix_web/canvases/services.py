"""What a painter does to canvases, apart from painting, which is `live`'s."""

from __future__ import annotations

from typing import Any

from django.contrib.auth.models import AbstractBaseUser
from django.db import transaction

from orvix.canvases.canvas import CANVAS_VALUES
from orvix.canvases.canvas import Canvas as CoreCanvas
from orvix.registry import check_colour, check_values
from orvix.tiles.joining import PLAIN, Joining
from orvix_web.canvases.models import Canvas
from orvix_web.canvases.storage import spec_of
from orvix_web.live.notices import changed
from orvix_web.tiles.services import check_name
from orvix_web.tiles.thumbnails import thumbnail


def create_canvas(owner: AbstractBaseUser, name: str, told: dict[str, Any]) -> Canvas:
    """Make an empty canvas. raises BadValue.

    told: width, height, ppi, joined, repeat, stagger, neighbours, ground (empty: none).
    """
    sizes = {value.name: told[value.name] for value in CANVAS_VALUES if value.name in told}
    values = check_values(CANVAS_VALUES, sizes, "canvas")
    joining = Joining.parse(told.get("repeat", "straight"), told.get("stagger"), told.get("neighbours", PLAIN))
    ground = told.get("ground", "#ffffff")
    with transaction.atomic():
        row = Canvas(
            owner=owner,
            name=check_name(name),
            joined=bool(told.get("joined", False)),
            repeat=joining.repeat.kind,
            stagger=str(joining.repeat.stagger),
            neighbours=joining.neighbours,
            ground=check_colour("ground", ground) if ground else "",
            **values,
        )
        box = (0, 0, min(row.width, 256), min(row.height, 256))
        row.thumbnail = thumbnail(CoreCanvas(spec_of(row)).view(box))
        row.save()
        changed(row.owner_id)
    return row
