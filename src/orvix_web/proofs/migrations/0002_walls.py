import django.db.models.deletion
from django.db import migrations, models


def counts_to_walls(apps, schema_editor):
    """What was so many by so many is a wall with that one look."""
    for version in apps.get_model("proofs", "ProofVersion").objects.all():
        version.wall = {"panels": [{"kind": "repeat", "columns": version.columns, "rows": version.rows}]}
        version.save(update_fields=["wall"])


class Migration(migrations.Migration):
    dependencies = [
        ("proofs", "0001_initial"),
        ("tiles", "0004_drafts_and_drawings"),
    ]

    operations = [
        migrations.AddField("ProofVersion", "wall", models.JSONField(default=dict)),
        migrations.RunPython(counts_to_walls, migrations.RunPython.noop),
        migrations.RemoveField("ProofVersion", "columns"),
        migrations.RemoveField("ProofVersion", "rows"),
        migrations.RenameField("ProofVersion", "canvas_revision", "of_number"),
        migrations.AlterField(
            "Proof",
            "canvas",
            models.ForeignKey(
                null=True, on_delete=django.db.models.deletion.CASCADE, related_name="proofs", to="canvases.canvas"
            ),
        ),
        migrations.AddField(
            "Proof",
            "tile",
            models.ForeignKey(
                null=True, on_delete=django.db.models.deletion.CASCADE, related_name="proofs", to="tiles.tile"
            ),
        ),
        migrations.AddConstraint(
            "Proof",
            models.CheckConstraint(
                condition=models.Q(canvas__isnull=False, tile__isnull=True)
                | models.Q(canvas__isnull=True, tile__isnull=False),
                name="a_proof_is_of_one_thing",
            ),
        ),
    ]
