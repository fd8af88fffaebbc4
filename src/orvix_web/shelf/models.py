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
    """What a version is, as bundles tell it. kind: as in bundles; version: its number, or that of what has none.

    A version never changes, so it has one. What has no versions may have several, of the bundles it went out and came
    in with, and is what they say at its revision only. unknown: parts that came with it and are not known here.
    """

    kind = models.CharField(max_length=10)
    version = models.PositiveBigIntegerField()
    revision = models.PositiveIntegerField(default=0)
    digest = models.CharField(max_length=64, db_index=True)
    unknown = models.JSONField(default=dict)

    objects: Any = models.Manager()

    class Meta:
        constraints = [models.UniqueConstraint(fields=("kind", "version", "digest"), name="each_digest_once")]


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
