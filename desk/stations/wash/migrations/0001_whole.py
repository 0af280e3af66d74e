import django.db.models.deletion
import django.utils.timezone
from django.conf import settings
from django.db import migrations, models


class Migration(migrations.Migration):

    replaces = [('wash', '0001_initial')]

    initial = True

    dependencies = [
        ('floor', '0001_whole'),
        ('people', '__first__'),
    ]

    operations = [
        migrations.CreateModel(
            name='MatCheck',
            fields=[
                ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                ('entered_at', models.DateTimeField(default=django.utils.timezone.now)),
                ('why', models.CharField(blank=True, max_length=200)),
                ('form_key', models.CharField(max_length=60)),
                ('unit', models.CharField(max_length=40)),
                ('machine', models.PositiveSmallIntegerField(help_text='counted from 1 at the dirty end')),
                ('at', models.DateTimeField()),
                ('firmness', models.PositiveSmallIntegerField()),
                ('colour', models.PositiveSmallIntegerField()),
                ('foam', models.PositiveSmallIntegerField()),
                ('evenness', models.PositiveSmallIntegerField()),
                ('release', models.PositiveSmallIntegerField()),
                ('by', models.ForeignKey(null=True, on_delete=django.db.models.deletion.PROTECT, related_name='+', to=settings.AUTH_USER_MODEL)),
                ('supersedes', models.OneToOneField(blank=True, null=True, on_delete=django.db.models.deletion.PROTECT, related_name='superseded_by', to='wash.matcheck')),
                ('world', models.ForeignKey(on_delete=django.db.models.deletion.PROTECT, related_name='+', to='floor.world')),
            ],
            options={
                'ordering': ['-at', '-id'],
                'abstract': False,
                'indexes': [models.Index(fields=['world', 'unit', '-at'], name='wash_mat_by_time')],
                'constraints': [models.UniqueConstraint(fields=('world', 'form_key'), name='matcheck_form_once')],
            },
        ),
        migrations.CreateModel(
            name='Round',
            fields=[
                ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                ('entered_at', models.DateTimeField(default=django.utils.timezone.now)),
                ('why', models.CharField(blank=True, max_length=200)),
                ('form_key', models.CharField(max_length=60)),
                ('unit', models.CharField(max_length=40)),
                ('machine', models.PositiveSmallIntegerField(help_text='counted from 1 at the dirty end')),
                ('at', models.DateTimeField()),
                ('filtrate_ms_per_cm', models.FloatField()),
                ('mat_ms_per_cm', models.FloatField()),
                ('wash_ms_per_cm', models.FloatField()),
                ('factor_t_per_bdt', models.FloatField(db_column='factor_t_per_odt', help_text='dilution factor then')),
                ('discharge_pct', models.FloatField(help_text='consistency of its mat then')),
                ('by', models.ForeignKey(null=True, on_delete=django.db.models.deletion.PROTECT, related_name='+', to=settings.AUTH_USER_MODEL)),
                ('supersedes', models.OneToOneField(blank=True, null=True, on_delete=django.db.models.deletion.PROTECT, related_name='superseded_by', to='wash.round')),
                ('world', models.ForeignKey(on_delete=django.db.models.deletion.PROTECT, related_name='+', to='floor.world')),
            ],
            options={
                'ordering': ['-at', '-id'],
                'abstract': False,
                'indexes': [models.Index(fields=['world', 'unit', '-at'], name='wash_round_by_time')],
                'constraints': [models.UniqueConstraint(fields=('world', 'form_key'), name='round_form_once')],
            },
        ),
    ]
