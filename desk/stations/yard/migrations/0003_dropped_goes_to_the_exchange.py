import django.db.models.deletion
from django.db import migrations, models


class Migration(migrations.Migration):
    """The files of devices are the exchange's; their table stays where it is."""

    dependencies = [("yard", "0002_op_undoes"), ("exchange", "0002_dropped_comes_from_the_yard")]

    operations = [
        migrations.SeparateDatabaseAndState(
            state_operations=[
                migrations.AlterField(
                    model_name="ticket",
                    name="dropped",
                    field=models.ForeignKey(on_delete=django.db.models.deletion.PROTECT, to="exchange.dropped"),
                ),
                migrations.DeleteModel(name="Dropped"),
            ],
        ),
    ]
