import django.db.models.deletion
import django.utils.timezone
from django.conf import settings
from django.db import migrations, models


class Migration(migrations.Migration):

    replaces = [('yard', '0001_initial'), ('yard', '0002_op_undoes'), ('yard', '0003_dropped_goes_to_the_exchange'), ('yard', '0004_trips_releases_knife_steps'), ('yard', '0005_trips_out_of_the_log'), ('yard', '0006_trips_taken_back')]

    initial = True

    dependencies = [
        ('exchange', '0001_whole'),
        ('floor', '0001_whole'),
        ('people', '__first__'),
    ]

    operations = [
        migrations.CreateModel(
            name='Lot',
            fields=[
                ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                ('number', models.CharField(max_length=20)),
                ('version', models.PositiveSmallIntegerField(default=1)),
                ('ticket', models.CharField(blank=True, max_length=20)),
                ('material', models.CharField(max_length=40)),
                ('received_at', models.DateTimeField()),
                ('gross_t', models.FloatField()),
                ('tare_t', models.FloatField()),
                ('moistures_pct', models.JSONField()),
                ('moisture_frac', models.FloatField()),
                ('bark_pct', models.FloatField(null=True)),
                ('fines_pct', models.FloatField(null=True)),
                ('overthick_pct', models.FloatField(null=True)),
                ('pith_pct', models.FloatField(null=True)),
                ('grit_pct', models.FloatField(null=True)),
                ('bdt', models.FloatField()),
                ('pile', models.CharField(blank=True, max_length=40)),
                ('answer', models.CharField(choices=[('accept', 'accepted'), ('deduct', 'accepted at a deduction'), ('refuse', 'refused')], max_length=10)),
                ('deduction_pct', models.FloatField(default=0)),
                ('reason', models.CharField(max_length=400)),
                ('warning', models.CharField(blank=True, max_length=300)),
                ('entered_at', models.DateTimeField(default=django.utils.timezone.now)),
                ('why', models.CharField(blank=True, max_length=200)),
                ('form_key', models.CharField(max_length=60)),
                ('by', models.ForeignKey(on_delete=django.db.models.deletion.PROTECT, related_name='lots', to=settings.AUTH_USER_MODEL)),
                ('supersedes', models.OneToOneField(blank=True, null=True, on_delete=django.db.models.deletion.PROTECT, related_name='superseded_by', to='yard.lot')),
                ('world', models.ForeignKey(on_delete=django.db.models.deletion.PROTECT, to='floor.world')),
            ],
            options={
                'indexes': [models.Index(fields=['world', '-received_at'], name='lot_by_time'), models.Index(fields=['world', 'ticket'], name='lot_by_ticket')],
                'constraints': [models.UniqueConstraint(fields=('world', 'number', 'version'), name='lot_once'), models.UniqueConstraint(fields=('world', 'form_key'), name='lot_form_once')],
            },
        ),
        migrations.CreateModel(
            name='Holding',
            fields=[
                ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                ('pile', models.CharField(max_length=40)),
                ('bdt', models.FloatField()),
                ('since_s', models.FloatField()),
                ('settled_s', models.FloatField()),
                ('world', models.ForeignKey(on_delete=django.db.models.deletion.PROTECT, to='floor.world')),
                ('lot', models.ForeignKey(on_delete=django.db.models.deletion.PROTECT, to='yard.lot')),
            ],
            options={
                'constraints': [models.UniqueConstraint(fields=('world', 'pile', 'lot'), name='holding_once')],
            },
        ),
        migrations.CreateModel(
            name='Op',
            fields=[
                ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                ('kind', models.CharField(choices=[('receive', 'laid down'), ('chip', 'chipped'), ('draw', 'drawn'), ('survey', 'surveyed'), ('correct', 'lot corrected'), ('undo', 'taken back')], max_length=10)),
                ('pile', models.CharField(max_length=40)),
                ('to_pile', models.CharField(blank=True, max_length=40)),
                ('bdt', models.FloatField()),
                ('from_at', models.DateTimeField()),
                ('to_at', models.DateTimeField()),
                ('source', models.CharField(max_length=60)),
                ('entered_at', models.DateTimeField(default=django.utils.timezone.now)),
                ('form_key', models.CharField(max_length=60)),
                ('by', models.ForeignKey(null=True, on_delete=django.db.models.deletion.PROTECT, related_name='+', to=settings.AUTH_USER_MODEL)),
                ('undoes', models.OneToOneField(blank=True, null=True, on_delete=django.db.models.deletion.PROTECT, related_name='undone_by', to='yard.op')),
                ('world', models.ForeignKey(on_delete=django.db.models.deletion.PROTECT, to='floor.world')),
            ],
            options={
                'ordering': ['-to_at', '-id'],
                'indexes': [models.Index(fields=['world', '-to_at'], name='op_by_time')],
                'constraints': [models.UniqueConstraint(fields=('world', 'form_key'), name='op_form_once')],
            },
        ),
        migrations.CreateModel(
            name='Movement',
            fields=[
                ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                ('pile', models.CharField(max_length=40)),
                ('lot_number', models.CharField(db_index=True, max_length=20)),
                ('kind', models.CharField(max_length=10)),
                ('bdt', models.FloatField()),
                ('op', models.ForeignKey(on_delete=django.db.models.deletion.PROTECT, related_name='movements', to='yard.op')),
            ],
            options={
                'abstract': False,
            },
        ),
        migrations.CreateModel(
            name='Release',
            fields=[
                ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                ('entered_at', models.DateTimeField(default=django.utils.timezone.now)),
                ('why', models.CharField(blank=True, max_length=200)),
                ('form_key', models.CharField(max_length=60)),
                ('at', models.DateTimeField()),
                ('lot', models.CharField(max_length=20)),
                ('reason', models.CharField(max_length=300)),
                ('by', models.ForeignKey(null=True, on_delete=django.db.models.deletion.PROTECT, related_name='+', to=settings.AUTH_USER_MODEL)),
                ('supersedes', models.OneToOneField(blank=True, null=True, on_delete=django.db.models.deletion.PROTECT, related_name='superseded_by', to='yard.release')),
                ('world', models.ForeignKey(on_delete=django.db.models.deletion.PROTECT, related_name='+', to='floor.world')),
            ],
            options={
                'abstract': False,
                'indexes': [models.Index(fields=['world', '-at'], name='release_by_time')],
                'constraints': [models.UniqueConstraint(fields=('world', 'form_key'), name='release_form_once')],
            },
        ),
        migrations.CreateModel(
            name='Ticket',
            fields=[
                ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                ('kind', models.CharField(max_length=10)),
                ('ticket', models.CharField(max_length=20)),
                ('at', models.DateTimeField()),
                ('material', models.CharField(blank=True, max_length=40)),
                ('gross_t', models.FloatField(null=True)),
                ('tare_t', models.FloatField(null=True)),
                ('moistures_pct', models.JSONField(default=list)),
                ('dropped', models.ForeignKey(on_delete=django.db.models.deletion.PROTECT, to='exchange.dropped')),
                ('world', models.ForeignKey(on_delete=django.db.models.deletion.PROTECT, to='floor.world')),
            ],
            options={
                'constraints': [models.UniqueConstraint(fields=('world', 'kind', 'ticket'), name='ticket_once')],
            },
        ),
        migrations.CreateModel(
            name='Trip',
            fields=[
                ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                ('entered_at', models.DateTimeField(default=django.utils.timezone.now)),
                ('why', models.CharField(blank=True, max_length=200)),
                ('form_key', models.CharField(max_length=60)),
                ('at', models.DateTimeField()),
                ('detector', models.CharField(max_length=60)),
                ('find', models.CharField(max_length=60)),
                ('lot', models.CharField(blank=True, max_length=20)),
                ('stopped_min', models.FloatField()),
                ('undone', models.BooleanField(default=False, help_text='it was none after all')),
                ('by', models.ForeignKey(null=True, on_delete=django.db.models.deletion.PROTECT, related_name='+', to=settings.AUTH_USER_MODEL)),
                ('supersedes', models.OneToOneField(blank=True, null=True, on_delete=django.db.models.deletion.PROTECT, related_name='superseded_by', to='yard.trip')),
                ('world', models.ForeignKey(on_delete=django.db.models.deletion.PROTECT, related_name='+', to='floor.world')),
            ],
            options={
                'abstract': False,
                'indexes': [models.Index(fields=['world', '-at'], name='trip_by_time')],
                'constraints': [models.UniqueConstraint(fields=('world', 'form_key'), name='trip_form_once')],
            },
        ),
        migrations.CreateModel(
            name='BlendPlan',
            fields=[
                ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                ('from_at', models.DateTimeField()),
                ('hours', models.FloatField()),
                ('total_bdt_per_h', models.FloatField()),
                ('aim', models.CharField(max_length=10)),
                ('parts', models.JSONField()),
                ('moisture_frac', models.FloatField()),
                ('form_key', models.CharField(max_length=60)),
                ('by', models.ForeignKey(on_delete=django.db.models.deletion.PROTECT, related_name='+', to=settings.AUTH_USER_MODEL)),
                ('world', models.ForeignKey(on_delete=django.db.models.deletion.PROTECT, to='floor.world')),
            ],
            options={
                'ordering': ['-from_at', '-id'],
                'constraints': [models.UniqueConstraint(fields=('world', 'form_key'), name='blend_form_once')],
            },
        ),
        migrations.CreateModel(
            name='Classification',
            fields=[
                ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                ('source', models.CharField(max_length=40)),
                ('at', models.DateTimeField()),
                ('sample_g', models.FloatField()),
                ('masses_g', models.JSONField()),
                ('knife_h', models.FloatField(null=True)),
                ('entered_at', models.DateTimeField(default=django.utils.timezone.now)),
                ('form_key', models.CharField(max_length=60)),
                ('by', models.ForeignKey(on_delete=django.db.models.deletion.PROTECT, related_name='+', to=settings.AUTH_USER_MODEL)),
                ('supersedes', models.OneToOneField(blank=True, null=True, on_delete=django.db.models.deletion.PROTECT, related_name='superseded_by', to='yard.classification')),
                ('world', models.ForeignKey(on_delete=django.db.models.deletion.PROTECT, to='floor.world')),
            ],
            options={
                'ordering': ['-at', '-id'],
                'indexes': [models.Index(fields=['world', 'source', '-at'], name='class_by_source')],
                'constraints': [models.UniqueConstraint(fields=('world', 'form_key'), name='class_form_once')],
            },
        ),
        migrations.CreateModel(
            name='KnifeStep',
            fields=[
                ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                ('entered_at', models.DateTimeField(default=django.utils.timezone.now)),
                ('why', models.CharField(blank=True, max_length=200)),
                ('form_key', models.CharField(max_length=60)),
                ('at', models.DateTimeField()),
                ('chipper', models.CharField(max_length=40)),
                ('step', models.PositiveSmallIntegerField()),
                ('by', models.ForeignKey(null=True, on_delete=django.db.models.deletion.PROTECT, related_name='+', to=settings.AUTH_USER_MODEL)),
                ('supersedes', models.OneToOneField(blank=True, null=True, on_delete=django.db.models.deletion.PROTECT, related_name='superseded_by', to='yard.knifestep')),
                ('world', models.ForeignKey(on_delete=django.db.models.deletion.PROTECT, related_name='+', to='floor.world')),
            ],
            options={
                'abstract': False,
                'indexes': [models.Index(fields=['world', '-at'], name='knife_by_time')],
                'constraints': [models.UniqueConstraint(fields=('world', 'form_key'), name='knifestep_form_once')],
            },
        ),
    ]
