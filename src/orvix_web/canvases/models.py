"""Canvases: the operation log that is the truth, and the blocks stored behind it.

Law: the stored blocks of a canvas are exactly what its done operations up to `stored_through` leave. Opening loads
them and replays what came after.
"""

from __future__ import annotations

from django.conf import settings
from django.db import models

from orvix.canvases.layers import FIRST_LAYER, Layer
from orvix_web.accounts.models import Owned
from orvix_web.brushes.models import BrushVersion
from orvix_web.tiles.models import Tile, TileVersion


def first_stack() -> list[dict[str, object]]:
    """The layers of a new canvas."""
    return [Layer().as_dict()]


class Canvas(Owned):
    """A canvas. `revision` counts every kept change, undoing included; `stored_through` is a number of an operation.

    layers: the stack as it is after the operation `stored_through`; so are width, height, ppi and ground. tile: the
    tile that is drawn on this canvas, if any is. settings: what the page keeps about it (guides, greys only), never
    anything of its pixels. palette: rows of a name and a colour; null: the usual one. published: the revision that
    the tile's newest version holds.
    """

    width = models.PositiveIntegerField()
    height = models.PositiveIntegerField()
    ppi = models.FloatField()
    joined = models.BooleanField(default=False)
    repeat = models.CharField(max_length=16, default="straight")
    stagger = models.CharField(max_length=24, default="1/2")
    neighbours = models.CharField(max_length=20, default="plain")
    ground = models.CharField(max_length=7, default="#ffffff", blank=True)
    layers = models.JSONField(default=first_stack)
    settings = models.JSONField(default=dict)
    palette = models.JSONField(null=True, default=None)
    published = models.PositiveIntegerField(default=0)
    tile = models.OneToOneField(Tile, on_delete=models.CASCADE, null=True, blank=True, related_name="drawing")
    revision = models.PositiveIntegerField(default=0)
    stored_through = models.PositiveIntegerField(default=0)
    thumbnail = models.BinaryField(default=b"")


class InUse(models.Model):
    """What one person has in use on one canvas, as `canvases.in_use` reads it."""

    owner = models.ForeignKey(settings.AUTH_USER_MODEL, on_delete=models.CASCADE, related_name="+")
    canvas = models.ForeignKey(Canvas, on_delete=models.CASCADE, related_name="in_use")
    values = models.JSONField()

    class Meta:
        constraints = [models.UniqueConstraint(fields=("owner", "canvas"), name="one_in_use_of_a_person_and_canvas")]


class Operation(models.Model):
    """One undoable change. samples: float32 rows of 7, little-endian, compressed with Zstandard.

    undo_dropped: whether what stood before it is kept no longer, and is painted again where it is undone.
    layers_before: the stack before it, where it changed that. spec_before: the size, resolution and ground before
    it, where it changed those. dropped_by: the number of the one that was done instead, after it was undone. A
    stroke is of the kind "stroke", others are as the core names them.
    """

    class State(models.TextChoices):
        DONE = "done"
        UNDONE = "undone"
        DROPPED = "dropped"

    canvas = models.ForeignKey(Canvas, on_delete=models.CASCADE, related_name="operations")
    number = models.PositiveIntegerField()
    state = models.CharField(max_length=8, choices=State.choices, default=State.DONE)
    dropped_by = models.PositiveIntegerField(null=True, default=None)
    kind = models.CharField(max_length=16, default="stroke")
    engine_version = models.PositiveIntegerField()
    data = models.JSONField()
    samples = models.BinaryField(default=b"")
    layers_before = models.JSONField(null=True, default=None)
    undo_dropped = models.BooleanField(default=False)
    spec_before = models.JSONField(null=True, default=None)
    brush_version = models.ForeignKey(
        BrushVersion, on_delete=models.PROTECT, null=True, blank=True, related_name="operations"
    )
    created = models.DateTimeField(auto_now_add=True)

    class Meta:
        ordering = ("number",)
        constraints = [models.UniqueConstraint(fields=("canvas", "number"), name="one_operation_of_a_number")]


class KeptPicture(models.Model):
    """The whole picture of a canvas, smaller, for quick opening: 8-bit RGB, compressed.

    of: the operation `through` which it shows, the versions of tiles in fills, the size and ground.
    """

    canvas = models.OneToOneField(Canvas, on_delete=models.CASCADE, related_name="kept_picture")
    pixels = models.BinaryField()
    of = models.JSONField()


class StoredBlock(models.Model):
    """One block of a canvas, compressed."""

    canvas = models.ForeignKey(Canvas, on_delete=models.CASCADE, related_name="blocks")
    layer = models.PositiveIntegerField(default=FIRST_LAYER)
    row = models.PositiveIntegerField()
    column = models.PositiveIntegerField()
    pixels = models.BinaryField()

    class Meta:
        constraints = [
            models.UniqueConstraint(fields=("canvas", "layer", "row", "column"), name="one_block_at_a_place")
        ]


class UndoBlock(models.Model):
    """What stood in a block before an operation, as its difference from what stood after it, compressed."""

    operation = models.ForeignKey(Operation, on_delete=models.CASCADE, related_name="undo_blocks")
    layer = models.PositiveIntegerField(default=FIRST_LAYER)
    row = models.PositiveIntegerField()
    column = models.PositiveIntegerField()
    pixels = models.BinaryField()


class Clip(Owned):
    """A picture on its way from one place to another: x, y is where it lay; its pixels are compressed."""

    x = models.IntegerField()
    y = models.IntegerField()
    width = models.PositiveIntegerField()
    height = models.PositiveIntegerField()
    pixels = models.BinaryField()


class PathSet(Owned):
    """Paths kept to be used again: pieces as a shape holds them, about (0, 0), each {points, closed, colour}."""

    pieces = models.JSONField()


class Palette(Owned):
    """Colours kept to be used on any canvas: rows of a name and a colour."""

    colours = models.JSONField()


class KeptState(models.Model):
    """A state of a canvas that the painter kept: its layers and pixels as they were, with a picture of them."""

    canvas = models.ForeignKey(Canvas, on_delete=models.CASCADE, related_name="kept_states")
    number = models.PositiveIntegerField()
    layers = models.JSONField()
    created = models.DateTimeField(auto_now_add=True)
    thumbnail = models.BinaryField(default=b"")
    tile_version = models.ForeignKey(TileVersion, on_delete=models.SET_NULL, null=True, blank=True, related_name="+")
    """The version that was published from it, if one was."""
    made_of = models.JSONField(null=True, default=None)
    """The numbers of the operations that were done when it was kept; null where that is not known."""
    spec = models.JSONField(null=True, default=None)
    """The size, resolution and ground it had; null: those of the canvas."""
    proposed = models.JSONField(null=True, default=None)
    """What a job painted it for, {"edit": the operation that uses it, "words"}; null for all others."""

    class Meta:
        ordering = ("number",)
        constraints = [models.UniqueConstraint(fields=("canvas", "number"), name="one_kept_state_of_a_number")]


class Repainted(models.Model):
    """In a kept state that is its canvas painted again: strokes with one version of a brush that became another's."""

    state = models.ForeignKey(KeptState, on_delete=models.CASCADE, related_name="repainted")
    before = models.ForeignKey(BrushVersion, on_delete=models.PROTECT, related_name="+")
    after = models.ForeignKey(BrushVersion, on_delete=models.PROTECT, related_name="repainted")
    strokes = models.PositiveIntegerField()


class KeptBlock(models.Model):
    """One block of a kept state, compressed."""

    state = models.ForeignKey(KeptState, on_delete=models.CASCADE, related_name="blocks")
    layer = models.PositiveIntegerField()
    row = models.PositiveIntegerField()
    column = models.PositiveIntegerField()
    pixels = models.BinaryField()
