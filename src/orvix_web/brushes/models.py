"""Brushes with their versions."""

from __future__ import annotations

from django.db import models

from orvix_web.accounts.models import Owned, Version
from orvix_web.tiles.models import GrainVersion, TileVersion


class Brush(Owned):
    """A brush; what it paints with is in its versions."""

    @property
    def latest(self) -> BrushVersion | None:
        """The newest version."""
        return self.versions.order_by("-number").first()


class BrushVersion(Version):
    """One kept definition. Its grain's source, in the definition, is the id of `grain_version`, its tip's of
    `tip_version`."""

    brush = models.ForeignKey(Brush, on_delete=models.CASCADE, related_name="versions")
    definition = models.JSONField()
    grain_version = models.ForeignKey(
        GrainVersion, on_delete=models.PROTECT, null=True, blank=True, related_name="brush_versions"
    )
    tip_version = models.ForeignKey(
        TileVersion, on_delete=models.PROTECT, null=True, blank=True, related_name="brush_versions"
    )

    class Meta(Version.Meta):
        constraints = [models.UniqueConstraint(fields=("brush", "number"), name="one_brush_version_of_a_number")]
