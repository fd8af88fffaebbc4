"""Brushes with their versions."""

from __future__ import annotations

from typing import Any

from django.conf import settings
from django.db import models

from orvix.brushes.definition import Brush as CoreBrush
from orvix_web.accounts.models import Owned, Version
from orvix_web.tiles.models import GrainVersion, TileVersion


class Brush(Owned):
    """A brush; what it paints with is in its versions. picture: as PNG, where it was given one; else its versions show
    their strokes."""

    description = models.CharField(max_length=2000, blank=True)
    credit = models.CharField(max_length=400, blank=True)
    picture = models.BinaryField(default=b"")

    @property
    def latest(self) -> BrushVersion:
        """The newest version."""
        return self.versions.latest("number")


class BrushVersion(Version):
    """One kept definition. Its sources are ids of versions; `uses` says which, `grain_version` and `tip_version` the
    first grain and the first tile of a tip or a ribbon, for what shows one of them."""

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

    @property
    def small_picture(self) -> bytes:
        """The picture the brush was given, or the swatch of this version's stroke."""
        return bytes(self.brush.picture) or bytes(self.thumbnail)

    @property
    def in_hand(self) -> dict[str, Any]:
        """What the page must know to take it in hand: sizes and opacity of its largest coat, and what it brings
        along."""
        brush = CoreBrush.parse(self.definition)
        largest = max((coat.values for coat in brush.coats), key=lambda values: values["size"])
        told = {name: largest[name] for name in ("size", "smallest", "largest")}
        kept = ("use", "keeps_size", "keeps_colour", "colour", "second_colour")
        told |= {name: brush.values[name] for name in kept}
        told["ribbon"] = any(coat.ribbon is not None for coat in brush.coats)
        return told | {"opacity": max(coat.values["opacity"] for coat in brush.coats)}


class FontFile(models.Model):
    """A font of the painter's own, checked when it came."""

    owner = models.ForeignKey(settings.AUTH_USER_MODEL, on_delete=models.CASCADE, related_name="fonts")
    name = models.CharField(max_length=120)
    data = models.BinaryField()

    class Meta:
        ordering = ("name", "pk")


class BrushUse(models.Model):
    """One thing that a brush version names: a tile as a tip or a ribbon of one of its coats, or a grain."""

    version = models.ForeignKey(BrushVersion, on_delete=models.CASCADE, related_name="uses")
    coat = models.PositiveSmallIntegerField()
    what = models.CharField(max_length=8, choices=[(one, one) for one in ("tip", "tile", "grain", "font")])
    tile_version = models.ForeignKey(TileVersion, on_delete=models.PROTECT, null=True, related_name="brush_uses")
    grain_version = models.ForeignKey(GrainVersion, on_delete=models.PROTECT, null=True, related_name="brush_uses")
    font_file = models.ForeignKey(FontFile, on_delete=models.PROTECT, null=True, related_name="brush_uses")

    class Meta:
        ordering = ("coat", "pk")
