"""Each sample keeps its server's word on its quality; bad quality is no value."""

from django.db import migrations, models

MAKE = """
CREATE TABLE floor_sample_new (
    world_id bigint NOT NULL REFERENCES floor_world (id) DEFERRABLE INITIALLY DEFERRED,
    tag varchar(40) NOT NULL,
    at_s bigint NOT NULL,
    value real NULL,
    quality integer NOT NULL DEFAULT 0,
    PRIMARY KEY (world_id, tag, at_s)
) WITHOUT ROWID;
INSERT INTO floor_sample_new (world_id, tag, at_s, value) SELECT world_id, tag, at_s, value FROM floor_sample;
DROP TABLE floor_sample;
ALTER TABLE floor_sample_new RENAME TO floor_sample;
"""


class Migration(migrations.Migration):
    dependencies = [("floor", "0006_beat")]
    operations = [
        migrations.RunSQL(
            MAKE,
            migrations.RunSQL.noop,
            state_operations=[
                migrations.AlterField("sample", "value", models.FloatField(help_text="none where the quality is bad", null=True)),
                migrations.AddField("sample", "quality", models.BigIntegerField(default=0, help_text="status as the server said it, 0 for good")),
            ],
        )
    ]
