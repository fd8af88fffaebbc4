"""Rows of drafts. A draft belongs to one thing of one owner, and outlives every page that shows it."""

from __future__ import annotations

from django.conf import settings
from django.db import models


class Draft(models.Model):
    """What a bench shows of one thing. value: the change that is not saved; null: as it was saved last.

    revision counts every change, so that a window knows whether it shows the newest. at: the step that stands.
    window, sequence: who wrote last, and the number that the window gave that write.
    """

    owner = models.ForeignKey(settings.AUTH_USER_MODEL, on_delete=models.CASCADE, related_name="drafts")
    kind = models.CharField(max_length=12)
    number = models.PositiveBigIntegerField()
    value = models.JSONField(null=True, default=None)
    revision = models.PositiveIntegerField(default=0)
    at = models.PositiveIntegerField(default=0)
    window = models.CharField(max_length=40, default="", blank=True)
    sequence = models.PositiveBigIntegerField(default=0)

    class Meta:
        constraints = [models.UniqueConstraint(fields=("kind", "number"), name="one_draft_of_a_thing")]


class Step(models.Model):
    """One state on the way, for undo and redo. Numbers follow each other without a gap."""

    draft = models.ForeignKey(Draft, on_delete=models.CASCADE, related_name="steps")
    number = models.PositiveIntegerField()
    value = models.JSONField()

    class Meta:
        ordering = ("number",)
        constraints = [models.UniqueConstraint(fields=("draft", "number"), name="one_draft_step_of_a_number")]
