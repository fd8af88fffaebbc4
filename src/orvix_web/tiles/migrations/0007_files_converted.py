from django.db import migrations, models


class Migration(migrations.Migration):
    dependencies = [("tiles", "0006_drafts_move")]

    operations = [
        migrations.AddField("upload", "convert", models.BooleanField(default=False)),
        migrations.AddField("upload", "notes", models.JSONField(default=list)),
    ]
