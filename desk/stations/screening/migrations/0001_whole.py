import django.db.models.deletion
import django.utils.timezone
from django.conf import settings
from django.db import migrations, models


class Migration(migrations.Migration):

    replaces = [('screening', '0001_initial'), ('screening', '0002_counts')]

    initial = True

    dependencies = [
        ('floor', '0001_whole'),
        ('people', '__first__'),
    ]

    operations = [
        migrations.CreateModel(
            name='Accepted',
            fields=[
                ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                ('entered_at', models.DateTimeField(default=django.utils.timezone.now)),
                ('why', models.CharField(blank=True, max_length=200)),
                ('form_key', models.CharField(max_length=60)),
                ('unit', models.CharField(max_length=40)),
                ('stage', models.PositiveSmallIntegerField(help_text='counted from 1 at the first')),
                ('quotient', models.FloatField()),
                ('low', models.FloatField()),
                ('high', models.FloatField()),
                ('tests', models.JSONField(help_text='the tests it was fitted to')),
                ('by', models.ForeignKey(null=True, on_delete=django.db.models.deletion.PROTECT, related_name='+', to=settings.AUTH_USER_MODEL)),
                ('supersedes', models.OneToOneField(blank=True, null=True, on_delete=django.db.models.deletion.PROTECT, related_name='superseded_by', to='screening.accepted')),
                ('world', models.ForeignKey(on_delete=django.db.models.deletion.PROTECT, related_name='+', to='floor.world')),
            ],
            options={
                'ordering': ['-id'],
                'abstract': False,
                'constraints': [models.UniqueConstraint(fields=('world', 'form_key'), name='accepted_form_once')],
            },
        ),
        migrations.CreateModel(
            name='CountTest',
            fields=[
                ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                ('entered_at', models.DateTimeField(default=django.utils.timezone.now)),
                ('why', models.CharField(blank=True, max_length=200)),
                ('form_key', models.CharField(max_length=60)),
                ('unit', models.CharField(max_length=40)),
                ('stage', models.PositiveSmallIntegerField(help_text='counted from 1 at the first')),
                ('at', models.DateTimeField()),
                ('feed_count', models.PositiveIntegerField()),
                ('feed_g', models.FloatField(help_text='bone-dry sample of the feed')),
                ('accept_count', models.PositiveIntegerField()),
                ('accept_g', models.FloatField(help_text='bone-dry sample of the accepts')),
                ('mass_reject_pct', models.FloatField()),
                ('by', models.ForeignKey(null=True, on_delete=django.db.models.deletion.PROTECT, related_name='+', to=settings.AUTH_USER_MODEL)),
                ('supersedes', models.OneToOneField(blank=True, null=True, on_delete=django.db.models.deletion.PROTECT, related_name='superseded_by', to='screening.counttest')),
                ('world', models.ForeignKey(on_delete=django.db.models.deletion.PROTECT, related_name='+', to='floor.world')),
            ],
            options={
                'ordering': ['-at', '-id'],
                'abstract': False,
                'indexes': [models.Index(fields=['world', 'unit', 'stage', '-at'], name='screening_count_by_time')],
                'constraints': [models.UniqueConstraint(fields=('world', 'form_key'), name='counttest_form_once')],
            },
        ),
        migrations.CreateModel(
            name='Dump',
            fields=[
                ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                ('entered_at', models.DateTimeField(default=django.utils.timezone.now)),
                ('why', models.CharField(blank=True, max_length=200)),
                ('form_key', models.CharField(max_length=60)),
                ('unit', models.CharField(max_length=40)),
                ('at', models.DateTimeField()),
                ('wet_kg', models.FloatField()),
                ('lot', models.CharField(blank=True, max_length=20)),
                ('text', models.CharField(blank=True, help_text='what lay in it', max_length=120)),
                ('by', models.ForeignKey(null=True, on_delete=django.db.models.deletion.PROTECT, related_name='+', to=settings.AUTH_USER_MODEL)),
                ('supersedes', models.OneToOneField(blank=True, null=True, on_delete=django.db.models.deletion.PROTECT, related_name='superseded_by', to='screening.dump')),
                ('world', models.ForeignKey(on_delete=django.db.models.deletion.PROTECT, related_name='+', to='floor.world')),
            ],
            options={
                'ordering': ['-at', '-id'],
                'abstract': False,
                'indexes': [models.Index(fields=['world', 'unit', '-at'], name='screening_dump_by_time')],
                'constraints': [models.UniqueConstraint(fields=('world', 'form_key'), name='dump_form_once')],
            },
        ),
    ]
