"""Tiles and grains with their versions, and the pictures they were made from."""

from __future__ import annotations

from django.conf import settings
from django.db import models

from orvix_web.accounts.models import Owned, Version


class Upload(Owned):
    """A picture from outside, kept as it came once it has been read and found good.

    convert: whether its colours are converted to sRGB as the file describes them; those that were kept before this was
    done stay as they were seen. notes: what was converted, clipped or left out, in words.
    """

    data = models.BinaryField()
    sha256 = models.CharField(max_length=64)
    width = models.PositiveIntegerField()
    height = models.PositiveIntegerField()
    convert = models.BooleanField(default=False)
    notes = models.JSONField(default=list)


class Snapshot(models.Model):
    """The pixels of a drawing as they were when it was published, compressed; kept for good, as versions are.

    closes: whether it is proven to close under that repeat at that size.
    """

    owner = models.ForeignKey(settings.AUTH_USER_MODEL, on_delete=models.CASCADE)
    width = models.PositiveIntegerField()
    height = models.PositiveIntegerField()
    repeat = models.CharField(max_length=16)
    stagger = models.CharField(max_length=24)
    closes = models.BooleanField()
    pixels = models.BinaryField()


class Tile(Owned):
    """A tile; its pixels are those of its versions' recipes.

    of_brush: whether it came with a brush as a tip, a band or the ground of a grain, and nobody changed it since.
    """

    of_brush = models.BooleanField(default=False)

    @property
    def latest(self) -> TileVersion:
        """The newest version."""
        return self.versions.latest("number")


class TileVersion(Version):
    """One kept recipe of a tile, with the readings taken when it was kept."""

    tile = models.ForeignKey(Tile, on_delete=models.CASCADE, related_name="versions")
    recipe = models.JSONField()
    readings = models.JSONField()
    stored = models.BinaryField(null=True, default=None)
    """Pixels of a tile that takes long to make, compressed; the recipe gives the same ones."""

    class Meta(Version.Meta):
        constraints = [models.UniqueConstraint(fields=("tile", "number"), name="one_tile_version_of_a_number")]


class Grain(Owned):
    """A grain made from a tile, kept in a set of the painter's own naming. of_brush: as that of a tile."""

    of_brush = models.BooleanField(default=False)

    @property
    def latest(self) -> GrainVersion:
        """The newest version."""
        return self.versions.latest("number")


class GrainVersion(Version):
    """One kept tone of a grain, over one version of a tile."""

    grain = models.ForeignKey(Grain, on_delete=models.CASCADE, related_name="versions")
    tile_version = models.ForeignKey(TileVersion, on_delete=models.PROTECT, related_name="grain_versions")
    tone = models.JSONField()
    scale = models.CharField(max_length=32, default="1/2")
    """How large the grain is when a brush takes it: a fraction of the tile's px."""

    class Meta(Version.Meta):
        constraints = [models.UniqueConstraint(fields=("grain", "number"), name="one_grain_version_of_a_number")]
