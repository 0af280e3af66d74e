"""The floor's tables, with that of instrument values in the order they are read.

Its key is its storage order. Django would make it with a row id, which doubles its size, and would quietly
put one back on an AlterField: later changes to that table are written by hand as well.
"""

import django.db.models.deletion
import django.utils.timezone
from django.conf import settings
from django.db import migrations, models

MAKE_SAMPLE = """
CREATE TABLE floor_sample (
    world_id bigint NOT NULL REFERENCES floor_world (id) DEFERRABLE INITIALLY DEFERRED,
    tag varchar(40) NOT NULL,
    at_s bigint NOT NULL,
    value real NULL,
    quality integer NOT NULL DEFAULT 0,
    PRIMARY KEY (world_id, tag, at_s)
) WITHOUT ROWID
"""


class Migration(migrations.Migration):

    replaces = [('floor', '0001_initial'), ('floor', '0002_initial'), ('floor', '0003_sample_without_rowid'), ('floor', '0004_cook_recipe'), ('floor', '0005_record_source_and_form_keys'), ('floor', '0006_beat'), ('floor', '0007_sample_quality'), ('floor', '0008_seals'), ('floor', '0009_trims'), ('floor', '0010_shift'), ('floor', '0011_withdrawals'), ('floor', '0012_simulated')]

    initial = True

    dependencies = [
        ('mill', '0001_whole'),
        ('people', '__first__'),
    ]

    operations = [
        migrations.CreateModel(
            name='World',
            fields=[
                ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                ('slug', models.SlugField(unique=True)),
                ('name', models.CharField(max_length=80)),
                ('kind', models.CharField(choices=[('live', 'Live line'), ('practice', 'Practice')], default='live', max_length=10)),
                ('simulated', models.BooleanField(default=False, help_text='its plant is a simulated one, that moves may reach')),
                ('version', models.ForeignKey(on_delete=django.db.models.deletion.PROTECT, to='mill.definitionversion')),
            ],
        ),
        migrations.CreateModel(
            name='Beat',
            fields=[
                ('world', models.OneToOneField(on_delete=django.db.models.deletion.CASCADE, primary_key=True, related_name='pulse', serialize=False, to='floor.world')),
                ('beat', models.BigIntegerField(default=0)),
            ],
        ),
        migrations.CreateModel(
            name='HandOver',
            fields=[
                ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                ('shift_start', models.DateTimeField()),
                ('sheet', models.JSONField()),
                ('sha256', models.CharField(max_length=64)),
                ('signed_at', models.DateTimeField()),
                ('form_key', models.CharField(max_length=40)),
                ('signed_by', models.ForeignKey(on_delete=django.db.models.deletion.PROTECT, to=settings.AUTH_USER_MODEL)),
                ('world', models.ForeignKey(on_delete=django.db.models.deletion.PROTECT, to='floor.world')),
            ],
            options={
                'ordering': ['-signed_at'],
                'constraints': [models.UniqueConstraint(fields=('world', 'form_key'), name='handover_form_once')],
            },
        ),
        migrations.CreateModel(
            name='OpenPoint',
            fields=[
                ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                ('entered_at', models.DateTimeField(default=django.utils.timezone.now)),
                ('why', models.CharField(blank=True, max_length=200)),
                ('form_key', models.CharField(max_length=60)),
                ('kind', models.CharField(choices=[('permit', 'Permit'), ('isolation', 'Isolation'), ('gas_test', 'Gas test'), ('interlock', 'Interlock bypassed'), ('defect', 'Defect'), ('watch', 'To watch'), ('promised', 'Promised')], max_length=10)),
                ('station', models.CharField(blank=True, max_length=40)),
                ('text', models.CharField(max_length=300)),
                ('owner', models.CharField(blank=True, help_text='who holds it, or mends it', max_length=80)),
                ('until', models.DateTimeField(blank=True, help_text='when it expires', null=True)),
                ('begun_at', models.DateTimeField(help_text='when it was first opened')),
                ('closed', models.BooleanField(default=False)),
                ('by', models.ForeignKey(null=True, on_delete=django.db.models.deletion.PROTECT, related_name='+', to=settings.AUTH_USER_MODEL)),
                ('supersedes', models.OneToOneField(blank=True, null=True, on_delete=django.db.models.deletion.PROTECT, related_name='superseded_by', to='floor.openpoint')),
                ('world', models.ForeignKey(on_delete=django.db.models.deletion.PROTECT, related_name='+', to='floor.world')),
            ],
            options={
                'abstract': False,
                'indexes': [models.Index(fields=['world', '-entered_at'], name='point_by_entry')],
                'constraints': [models.UniqueConstraint(fields=('world', 'form_key'), name='openpoint_form_once')],
            },
        ),
        migrations.CreateModel(
            name='Order',
            fields=[
                ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                ('grade', models.CharField(max_length=40)),
                ('reel_t_per_h', models.FloatField()),
                ('shares', models.JSONField()),
                ('from_at', models.DateTimeField(db_index=True)),
                ('accepted_at', models.DateTimeField(default=django.utils.timezone.now)),
                ('form_key', models.CharField(max_length=40)),
                ('accepted_by', models.ForeignKey(on_delete=django.db.models.deletion.PROTECT, to=settings.AUTH_USER_MODEL)),
                ('world', models.ForeignKey(on_delete=django.db.models.deletion.PROTECT, to='floor.world')),
            ],
            options={
                'constraints': [models.UniqueConstraint(fields=('world', 'form_key'), name='order_form_once')],
            },
        ),
        migrations.CreateModel(
            name='Receipt',
            fields=[
                ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                ('at', models.DateTimeField()),
                ('words', models.CharField(blank=True, help_text='what was asked or added', max_length=300)),
                ('form_key', models.CharField(max_length=60)),
                ('by', models.ForeignKey(on_delete=django.db.models.deletion.PROTECT, related_name='+', to=settings.AUTH_USER_MODEL)),
                ('handover', models.OneToOneField(on_delete=django.db.models.deletion.PROTECT, related_name='receipt', to='floor.handover')),
                ('world', models.ForeignKey(on_delete=django.db.models.deletion.PROTECT, related_name='+', to='floor.world')),
            ],
            options={
                'constraints': [models.UniqueConstraint(fields=('world', 'form_key'), name='receipt_form_once')],
            },
        ),
        migrations.CreateModel(
            name='Record',
            fields=[
                ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                ('kind', models.CharField(choices=[('reading', 'Reading'), ('event', 'Event'), ('batch', 'Batch'), ('order', 'Order'), ('signed', 'Hand-over'), ('trim', 'Trim of an instrument')], max_length=10)),
                ('station', models.CharField(blank=True, max_length=40)),
                ('tag', models.CharField(blank=True, max_length=40)),
                ('value', models.FloatField(blank=True, null=True)),
                ('unit', models.CharField(blank=True, max_length=20)),
                ('level', models.CharField(blank=True, max_length=10)),
                ('text', models.CharField(blank=True, max_length=500)),
                ('subject', models.CharField(blank=True, max_length=40)),
                ('at', models.DateTimeField()),
                ('entered_at', models.DateTimeField(default=django.utils.timezone.now)),
                ('reason', models.CharField(blank=True, max_length=200)),
                ('source', models.CharField(blank=True, help_text='model and key of the row it was made from', max_length=60)),
                ('source_digest', models.CharField(help_text='of the row it was made from', max_length=64, null=True)),
                ('form_key', models.CharField(max_length=40)),
                ('sealed_as', models.PositiveSmallIntegerField(help_text='how its digest is made; none for the first way', null=True)),
                ('digest', models.CharField(max_length=64)),
                ('by', models.ForeignKey(on_delete=django.db.models.deletion.PROTECT, related_name='records', to=settings.AUTH_USER_MODEL)),
                ('supersedes', models.OneToOneField(blank=True, null=True, on_delete=django.db.models.deletion.PROTECT, related_name='superseded_by', to='floor.record')),
                ('world', models.ForeignKey(on_delete=django.db.models.deletion.PROTECT, to='floor.world')),
            ],
            options={
                'ordering': ['-at', '-id'],
                'indexes': [models.Index(condition=models.Q(('source', ''), _negated=True), fields=['world', 'source'], name='record_by_source'), models.Index(fields=['world', '-at'], name='record_by_time'), models.Index(fields=['world', 'tag', '-at'], name='record_by_tag')],
                'constraints': [models.UniqueConstraint(fields=('world', 'form_key'), name='record_form_once')],
            },
        ),
        migrations.RunSQL(
            MAKE_SAMPLE,
            'DROP TABLE floor_sample',
            state_operations=[
                migrations.CreateModel(
                    name='Sample',
                    fields=[
                        ('pk', models.CompositePrimaryKey('world_id', 'tag', 'at_s', blank=True, editable=False, primary_key=True, serialize=False)),
                        ('tag', models.CharField(max_length=40)),
                        ('at_s', models.BigIntegerField()),
                        ('value', models.FloatField(help_text='none where the quality is bad', null=True)),
                        ('quality', models.BigIntegerField(default=0, help_text='status as the server said it, 0 for good')),
                        ('world', models.ForeignKey(db_index=False, on_delete=django.db.models.deletion.PROTECT, to='floor.world')),
                    ],
                    options={
                        'db_table': 'floor_sample',
                    },
                ),
            ],
        ),
        migrations.CreateModel(
            name='Stop',
            fields=[
                ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                ('entered_at', models.DateTimeField(default=django.utils.timezone.now)),
                ('why', models.CharField(blank=True, max_length=200)),
                ('form_key', models.CharField(max_length=60)),
                ('station', models.CharField(max_length=40)),
                ('from_at', models.DateTimeField()),
                ('to_at', models.DateTimeField(blank=True, help_text='none while it stands', null=True)),
                ('cause', models.CharField(max_length=200)),
                ('void', models.BooleanField(default=False, help_text='it was none after all')),
                ('by', models.ForeignKey(null=True, on_delete=django.db.models.deletion.PROTECT, related_name='+', to=settings.AUTH_USER_MODEL)),
                ('supersedes', models.OneToOneField(blank=True, null=True, on_delete=django.db.models.deletion.PROTECT, related_name='superseded_by', to='floor.stop')),
                ('world', models.ForeignKey(on_delete=django.db.models.deletion.PROTECT, related_name='+', to='floor.world')),
            ],
            options={
                'abstract': False,
                'indexes': [models.Index(fields=['world', '-from_at'], name='stop_by_time')],
                'constraints': [models.UniqueConstraint(fields=('world', 'form_key'), name='stop_form_once')],
            },
        ),
        migrations.CreateModel(
            name='Withdrawal',
            fields=[
                ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                ('at', models.DateTimeField()),
                ('why', models.CharField(max_length=200)),
                ('form_key', models.CharField(max_length=60)),
                ('by', models.ForeignKey(on_delete=django.db.models.deletion.PROTECT, related_name='+', to=settings.AUTH_USER_MODEL)),
                ('order', models.OneToOneField(on_delete=django.db.models.deletion.PROTECT, related_name='withdrawal', to='floor.order')),
                ('world', models.ForeignKey(on_delete=django.db.models.deletion.PROTECT, related_name='+', to='floor.world')),
            ],
            options={
                'constraints': [models.UniqueConstraint(fields=('world', 'form_key'), name='withdrawal_form_once')],
            },
        ),
        migrations.CreateModel(
            name='Cook',
            fields=[
                ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                ('number', models.PositiveIntegerField()),
                ('digester', models.PositiveSmallIntegerField()),
                ('recipe', models.CharField(blank=True, help_text='empty: the usual one of its digester', max_length=40)),
                ('started_at', models.DateTimeField()),
                ('charge_pct_naoh_on_wood', models.FloatField(help_text='reported at the start; none for acid', null=True)),
                ('kappa_target', models.FloatField()),
                ('world', models.ForeignKey(on_delete=django.db.models.deletion.PROTECT, to='floor.world')),
            ],
            options={
                'indexes': [models.Index(fields=['world', '-started_at'], name='cook_by_start')],
                'constraints': [models.UniqueConstraint(fields=('world', 'number'), name='cook_number_once')],
            },
        ),
    ]
