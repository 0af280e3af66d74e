import django.db.models.deletion
import django.utils.timezone
from django.db import migrations, models


class Migration(migrations.Migration):
    """The files of devices are the exchange's; their table stays where it is."""

    dependencies = [("exchange", "0001_initial"), ("floor", "0004_cook_recipe"), ("yard", "0002_op_undoes")]

    operations = [
        migrations.SeparateDatabaseAndState(
            state_operations=[
                migrations.CreateModel(
                    name="Dropped",
                    fields=[
                        ("id", models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name="ID")),
                        ("name", models.CharField(max_length=120)),
                        ("kind", models.CharField(max_length=10)),
                        ("reason", models.CharField(blank=True, max_length=300)),
                        ("at", models.DateTimeField(default=django.utils.timezone.now)),
                        ("world", models.ForeignKey(on_delete=django.db.models.deletion.PROTECT, to="floor.world")),
                    ],
                    options={"ordering": ["-id"], "db_table": "yard_dropped"},
                ),
            ],
        ),
    ]
