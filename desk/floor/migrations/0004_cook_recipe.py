"""A cook says by which recipe; an acid cook has no alkali charge."""

from django.db import migrations, models


class Migration(migrations.Migration):
    dependencies = [("floor", "0003_sample_without_rowid")]

    operations = [
        migrations.AddField("cook", "recipe", models.CharField(blank=True, max_length=40, help_text="empty: the usual one of its digester")),
        migrations.AlterField(
            "cook",
            "charge_pct_naoh_on_wood",
            models.FloatField(null=True, help_text="reported at the start; none for acid"),
        ),
        migrations.AddIndex("cook", models.Index(fields=["world", "-started_at"], name="cook_by_start")),
    ]
