from django.db import migrations


def move(apps, schema_editor):
    """Drafts of tiles become rows of their own."""
    Tile, Draft = apps.get_model("tiles", "Tile"), apps.get_model("drafts", "Draft")
    for tile in Tile.objects.exclude(draft=None):
        Draft.objects.create(owner_id=tile.owner_id, kind="tile", number=tile.pk, value=tile.draft, revision=1)


class Migration(migrations.Migration):
    dependencies = [("tiles", "0005_shelf"), ("drafts", "0001_initial")]

    operations = [
        migrations.RunPython(move, migrations.RunPython.noop),
        migrations.RemoveField(model_name="tile", name="draft"),
    ]
