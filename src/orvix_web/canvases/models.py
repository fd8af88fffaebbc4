"""Canvases: the operation log that is the truth, and the blocks stored behind it.

Law: the stored blocks of a canvas are exactly what its done operations up to `stored_through` leave. Opening loads
them and replays what came after.
"""

from __future__ import annotations

from django.db import models

from orvix_web.accounts.models import Owned
from orvix_web.brushes.models import BrushVersion


class Canvas(Owned):
    """A canvas. `revision` counts every kept change, undoing included; `stored_through` is a number of an operation."""

    width = models.PositiveIntegerField()
    height = models.PositiveIntegerField()
    ppi = models.FloatField()
    joined = models.BooleanField(default=False)
    repeat = models.CharField(max_length=16, default="straight")
    stagger = models.CharField(max_length=24, default="1/2")
    ground = models.CharField(max_length=7, default="#ffffff")
    revision = models.PositiveIntegerField(default=0)
    stored_through = models.PositiveIntegerField(default=0)
    thumbnail = models.BinaryField(default=b"")


class Operation(models.Model):
    """One undoable change. samples: float32 rows of 7, little-endian, compressed with Zstandard."""

    class State(models.TextChoices):
        DONE = "done"
        UNDONE = "undone"
        DROPPED = "dropped"

    canvas = models.ForeignKey(Canvas, on_delete=models.CASCADE, related_name="operations")
    number = models.PositiveIntegerField()
    state = models.CharField(max_length=8, choices=State.choices, default=State.DONE)
    kind = models.CharField(max_length=16, default="stroke")
    engine_version = models.PositiveIntegerField()
    data = models.JSONField()
    samples = models.BinaryField(default=b"")
    brush_version = models.ForeignKey(
        BrushVersion, on_delete=models.PROTECT, null=True, blank=True, related_name="operations"
    )
    created = models.DateTimeField(auto_now_add=True)

    class Meta:
        ordering = ("number",)
        constraints = [models.UniqueConstraint(fields=("canvas", "number"), name="one_operation_of_a_number")]


class StoredBlock(models.Model):
    """One block of a canvas, compressed."""

    canvas = models.ForeignKey(Canvas, on_delete=models.CASCADE, related_name="blocks")
    row = models.PositiveIntegerField()
    column = models.PositiveIntegerField()
    pixels = models.BinaryField()

    class Meta:
        constraints = [models.UniqueConstraint(fields=("canvas", "row", "column"), name="one_block_at_a_place")]


class UndoBlock(models.Model):
    """What stood in a block before an operation, as its difference from what stood after it, compressed."""

    operation = models.ForeignKey(Operation, on_delete=models.CASCADE, related_name="undo_blocks")
    row = models.PositiveIntegerField()
    column = models.PositiveIntegerField()
    pixels = models.BinaryField()
