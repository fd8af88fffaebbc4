"""Files that jobs made are kept in pieces; each that is there already becomes one piece."""

import django.db.models.deletion
from django.db import migrations, models

COPY = """
insert into jobs_piece (product_id, number, data) select id, 0, data from jobs_product where length(data) > 0;
update jobs_product set size = length(data);
set constraints all immediate;
"""


class Migration(migrations.Migration):
    dependencies = [("jobs", "0002_products")]

    operations = [
        migrations.AddField("product", "size", models.PositiveBigIntegerField(default=0)),
        migrations.CreateModel(
            name="Piece",
            fields=[
                ("id", models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name="ID")),
                ("number", models.PositiveIntegerField()),
                ("data", models.BinaryField()),
                (
                    "product",
                    models.ForeignKey(
                        on_delete=django.db.models.deletion.CASCADE, related_name="pieces", to="jobs.product"
                    ),
                ),
            ],
            options={
                "ordering": ("number",),
                "constraints": [
                    models.UniqueConstraint(fields=("product", "number"), name="one_piece_of_a_number")
                ],
            },
        ),
        migrations.RunSQL(COPY, migrations.RunSQL.noop),
        migrations.RemoveField("product", "data"),
    ]
