"""A piece of long work, as its painter sees it. The queue itself is procrastinate's."""

from __future__ import annotations

from typing import Any

from django.conf import settings
from django.db import models

WAITING, RUNNING, DONE, FAILED, CANCELLED = "waiting", "running", "done", "failed", "cancelled"
ACTIVE = (WAITING, RUNNING)


class Job(models.Model):
    """payload: what to do; result: where what came of it is found; tries: how often it was begun; seen: put away."""

    owner = models.ForeignKey(settings.AUTH_USER_MODEL, on_delete=models.CASCADE)
    kind = models.CharField(max_length=40)
    title = models.CharField(max_length=200)
    payload = models.JSONField()
    state = models.CharField(max_length=12, default=WAITING, db_index=True)
    share = models.FloatField(default=0.0)
    words = models.CharField(max_length=120, default="", blank=True)
    result = models.JSONField(default=dict)
    error = models.TextField(default="", blank=True)
    tries = models.PositiveSmallIntegerField(default=0)
    cancel_asked = models.BooleanField(default=False)
    seen = models.BooleanField(default=False)
    created = models.DateTimeField(auto_now_add=True)
    changed = models.DateTimeField(auto_now=True)

    objects: Any = models.Manager()

    class Meta:
        ordering = ("-pk",)

    def __str__(self) -> str:
        return self.title

    @property
    def active(self) -> bool:
        """Whether it waits or runs."""
        return self.state in ACTIVE

    @property
    def percent(self) -> int:
        """How much is done, 0 to 100."""
        return round(100 * self.share)


class Product(models.Model):
    """A file that a job made, to be fetched by its owner. size: in octets; they stand in its pieces."""

    job = models.OneToOneField(Job, on_delete=models.CASCADE, related_name="product")
    name = models.CharField(max_length=160)
    content_type = models.CharField(max_length=60)
    size = models.PositiveBigIntegerField(default=0)

    objects: Any = models.Manager()

    @property
    def data(self) -> bytes:
        """All of it; for what is small."""
        return b"".join(bytes(one) for one in self.pieces.values_list("data", flat=True))


class Piece(models.Model):
    """A part of a file that a job made, so that a large one never stands in memory whole."""

    product = models.ForeignKey(Product, on_delete=models.CASCADE, related_name="pieces")
    number = models.PositiveIntegerField()
    data = models.BinaryField()

    class Meta:
        ordering = ("number",)
        constraints = [models.UniqueConstraint(fields=("product", "number"), name="one_piece_of_a_number")]
