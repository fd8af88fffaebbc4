"""Proofs: a canvas looked at so many times by so many."""

from __future__ import annotations

from django.db import models

from orvix_web.accounts.models import Owned, Version
from orvix_web.canvases.models import Canvas


class Proof(Owned):
    """A proof of one canvas."""

    canvas = models.ForeignKey(Canvas, on_delete=models.CASCADE, related_name="proofs")

    @property
    def latest(self) -> ProofVersion | None:
        """The newest version."""
        return self.versions.order_by("-number").first()


class ProofVersion(Version):
    """One look: how many copies, of which revision of the canvas."""

    proof = models.ForeignKey(Proof, on_delete=models.CASCADE, related_name="versions")
    columns = models.PositiveIntegerField()
    rows = models.PositiveIntegerField()
    canvas_revision = models.PositiveIntegerField()

    class Meta(Version.Meta):
        constraints = [models.UniqueConstraint(fields=("proof", "number"), name="one_proof_version_of_a_number")]
