"""What the shelf keeps of its own: bundles on their way in, and what versions are, by digest."""

from __future__ import annotations

from typing import Any

from django.conf import settings
from django.db import models

from orvix_web.accounts.models import Owned


class Incoming(Owned):
    """A bundle that was read and found good, until its painter says that it comes in, or not."""

    data = models.BinaryField()


class Digest(models.Model):
    """What a version is, as bundles tell it: versions never change, so neither does this. kind: tile, grain, brush."""

    kind = models.CharField(max_length=10)
    version = models.PositiveBigIntegerField()
    digest = models.CharField(max_length=64, db_index=True)

    objects: Any = models.Manager()

    class Meta:
        constraints = [models.UniqueConstraint(fields=("kind", "version"), name="one_digest_of_a_version")]


class Share(models.Model):
    """A thing that its owner lets another account look at, or copy too. kind and number: the thing, as on the shelf."""

    owner = models.ForeignKey(settings.AUTH_USER_MODEL, on_delete=models.CASCADE, related_name="given")
    taker = models.ForeignKey(settings.AUTH_USER_MODEL, on_delete=models.CASCADE, related_name="taken")
    kind = models.CharField(max_length=10)
    number = models.PositiveBigIntegerField()
    may_copy = models.BooleanField(default=False)
    created = models.DateTimeField(auto_now_add=True)

    objects: Any = models.Manager()

    class Meta:
        constraints = [models.UniqueConstraint(fields=("taker", "kind", "number"), name="shared_once_with_each")]
