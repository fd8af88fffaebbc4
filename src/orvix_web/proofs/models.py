"""Proofs: a canvas or a tile as it is looked at on a wall, and orders to print it."""

from __future__ import annotations

from typing import Any

from django.db import models
from django.db.models import Q

from orvix_web.accounts.models import Owned, Version
from orvix_web.canvases.models import Canvas
from orvix_web.tiles.models import Tile


class Proof(Owned):
    """A proof of one canvas, or of one tile."""

    canvas = models.ForeignKey(Canvas, on_delete=models.CASCADE, related_name="proofs", null=True)
    tile = models.ForeignKey(Tile, on_delete=models.CASCADE, related_name="proofs", null=True)

    class Meta:
        constraints = [
            models.CheckConstraint(
                condition=Q(canvas__isnull=False, tile__isnull=True) | Q(canvas__isnull=True, tile__isnull=False),
                name="a_proof_is_of_one_thing",
            )
        ]

    @property
    def latest(self) -> ProofVersion:
        """The newest version."""
        return self.versions.latest("number")


class ProofVersion(Version):
    """One wall of looks, as `orvix.proofs.looks.Wall` reads it, and which revision or version of the thing it is of."""

    proof = models.ForeignKey(Proof, on_delete=models.CASCADE, related_name="versions")
    wall = models.JSONField(default=dict)
    of_number = models.PositiveIntegerField()

    class Meta(Version.Meta):
        constraints = [models.UniqueConstraint(fields=("proof", "number"), name="one_proof_version_of_a_number")]


class Order(Owned):
    """Something sent to the print desk. token: says to the desk that two sends are one order; file: what is sent,
    made once; sheet and pdf: the proof sheet, once it is ready; ground: under what is clear, or nothing."""

    class State(models.TextChoices):
        WAITING = "waiting"
        SENDING = "sending"
        RECEIVED = "received"
        CHECKED = "checked"
        PRINTING = "printing"
        READY = "ready"
        REFUSED = "refused"
        FAILED = "failed"

    proof = models.ForeignKey(Proof, on_delete=models.CASCADE, related_name="orders")
    of_number = models.PositiveIntegerField()
    goods = models.CharField(max_length=40)
    copies = models.PositiveIntegerField()
    ppi = models.FloatField()
    ground = models.CharField(max_length=7, default="", blank=True)
    token = models.CharField(max_length=40, unique=True)
    state = models.CharField(max_length=12, choices=State.choices, default=State.WAITING)
    reasons = models.JSONField(default=list)
    checks = models.JSONField(default=list)
    number = models.PositiveIntegerField(default=0)
    tries = models.PositiveIntegerField(default=0)
    file = models.BinaryField(default=b"")
    sheet = models.BinaryField(default=b"")
    pdf = models.BinaryField(default=b"")

    @property
    def over(self) -> bool:
        """Whether nothing more happens to it by itself."""
        return self.state in (self.State.READY, self.State.REFUSED, self.State.FAILED)


class DeskTicket(models.Model):
    """The stand-in desk's own book: what it was sent, by the sender's token; failures: how often it did not answer."""

    token = models.CharField(max_length=40, unique=True)
    state = models.CharField(max_length=12, default="", blank=True)
    reasons = models.JSONField(default=list)
    asked = models.PositiveIntegerField(default=0)
    failures = models.PositiveIntegerField(default=0)

    objects: Any = models.Manager()


class OwnSurface(Owned):
    """A painter's own surface. picture, mask and shade: files as they came; laying: as `orvix.proofs.own` reads it.

    state: counts every change, so that what was drawn before is not taken for it.
    """

    picture = models.BinaryField()
    mask = models.BinaryField(default=b"")
    shade_picture = models.BinaryField(default=b"")
    width = models.PositiveIntegerField()
    height = models.PositiveIntegerField()
    laying = models.JSONField()
    state = models.PositiveIntegerField(default=1)

    @property
    def mark(self) -> str:
        """What changes in the address of its thumbnail when it does."""
        return f"s{self.state}"
