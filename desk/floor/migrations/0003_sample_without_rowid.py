"""Instrument values in the order they are read: a table whose key is its storage order.

Django would make it with a row id, which doubles its size, and would quietly put one
back on an AlterField: later changes to this table are written by hand as well.
"""

import django.db.models.deletion
from django.db import migrations, models


class Migration(migrations.Migration):
    dependencies = [("floor", "0002_initial")]

    operations = [
        migrations.RunSQL(
            """
            CREATE TABLE floor_sample (
                world_id bigint NOT NULL REFERENCES floor_world (id) DEFERRABLE INITIALLY DEFERRED,
                tag varchar(40) NOT NULL,
                at_s bigint NOT NULL,
                value real NOT NULL,
                PRIMARY KEY (world_id, tag, at_s)
            ) WITHOUT ROWID
            """,
            "DROP TABLE floor_sample",
            state_operations=[
                migrations.CreateModel(
                    name="Sample",
                    fields=[
                        ("tag", models.CharField(max_length=40)),
                        ("at_s", models.BigIntegerField()),
                        ("value", models.FloatField()),
                        (
                            "world",
                            models.ForeignKey(
                                db_index=False, on_delete=django.db.models.deletion.PROTECT, to="floor.world"
                            ),
                        ),
                        ("pk", models.CompositePrimaryKey("world_id", "tag", "at_s", blank=True, editable=False, primary_key=True, serialize=False)),
                    ],
                    options={"db_table": "floor_sample"},
                )
            ],
        )
    ]
