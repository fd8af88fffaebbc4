"""Tiles and grains that came with a brush are told from those a painter made."""

from __future__ import annotations

from typing import Any

from django.db import migrations, models


def find(apps: Any, schema: Any) -> None:
    """Mark what a brush was opened with: one version, used by a brush, and named after it."""
    uses = apps.get_model("brushes", "BrushUse").objects.select_related(
        "version__brush", "tile_version__tile", "grain_version__grain", "grain_version__tile_version__tile"
    )
    for use in uses:
        tiles = [use.tile_version] if use.tile_version else []
        grains = [use.grain_version] if use.grain_version else []
        tiles += [one.tile_version for one in grains]
        for thing in [one.tile for one in tiles] + [one.grain for one in grains]:
            rest = thing.name.removeprefix(use.version.brush.name + " ").rstrip(" 0123456789")
            if rest in ("tip", "band", "grain") and thing.versions.count() == 1:
                type(thing).objects.filter(pk=thing.pk).update(of_brush=True)


class Migration(migrations.Migration):
    """A flag on tiles and grains."""

    dependencies = [("tiles", "0007_files_converted"), ("brushes", "0006_shelf")]

    operations = [
        migrations.AddField("tile", "of_brush", models.BooleanField(default=False)),
        migrations.AddField("grain", "of_brush", models.BooleanField(default=False)),
        migrations.RunPython(find, migrations.RunPython.noop),
    ]
