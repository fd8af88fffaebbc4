"""Proofs: a canvas or a tile as it is looked at on a wall."""

from __future__ import annotations

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
    def latest(self) -> ProofVersion | None:
        """The newest version."""
        return self.versions.order_by("-number").first()


class ProofVersion(Version):
    """One wall of looks, as `orvix.proofs.looks.Wall` reads it, and which revision or version of the thing it is of."""

    proof = models.ForeignKey(Proof, on_delete=models.CASCADE, related_name="versions")
    wall = models.JSONField(default=dict)
    of_number = models.PositiveIntegerField()

    class Meta(Version.Meta):
        constraints = [models.UniqueConstraint(fields=("proof", "number"), name="one_proof_version_of_a_number")]
