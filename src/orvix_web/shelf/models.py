"""What the shelf keeps of its own: bundles on their way in, and what versions are, by digest."""

from __future__ import annotations

from typing import Any

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
