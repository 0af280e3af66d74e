import django.db.models.deletion
import django.utils.timezone
from django.conf import settings
from django.db import migrations, models


class Migration(migrations.Migration):

    replaces = [('moves', '0001_moves')]

    initial = True

    dependencies = [
        ('floor', '0001_whole'),
        ('people', '__first__'),
    ]

    operations = [
        migrations.CreateModel(
            name='Move',
            fields=[
                ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                ('entered_at', models.DateTimeField(default=django.utils.timezone.now)),
                ('why', models.CharField(blank=True, max_length=200)),
                ('form_key', models.CharField(max_length=60)),
                ('point', models.CharField(blank=True, help_text='its point in the plant; empty where it has none', max_length=80)),
                ('words', models.CharField(help_text='what was set', max_length=120)),
                ('unit', models.CharField(blank=True, max_length=20)),
                ('station', models.CharField(max_length=40)),
                ('tag', models.CharField(blank=True, help_text='what is to change by it', max_length=40)),
                ('from_value', models.FloatField(null=True)),
                ('to_value', models.FloatField()),
                ('at', models.DateTimeField()),
                ('because', models.CharField(choices=[('card', 'advice'), ('panel', 'a set panel'), ('plan', 'the plan'), ('own', 'own judgement')], default='own', max_length=10)),
                ('rule', models.CharField(blank=True, max_length=60)),
                ('text', models.CharField(blank=True, help_text='why, in words', max_length=200)),
                ('expected', models.JSONField(default=dict, help_text='effect, dead time, mixing times, when to look; empty: not said')),
                ('to_plant', models.BooleanField(default=False, help_text='whether it is to reach a simulated plant')),
                ('void', models.BooleanField(default=False, help_text='it was not made after all')),
                ('by', models.ForeignKey(null=True, on_delete=django.db.models.deletion.PROTECT, related_name='+', to=settings.AUTH_USER_MODEL)),
                ('supersedes', models.OneToOneField(blank=True, null=True, on_delete=django.db.models.deletion.PROTECT, related_name='superseded_by', to='moves.move')),
                ('world', models.ForeignKey(on_delete=django.db.models.deletion.PROTECT, related_name='+', to='floor.world')),
            ],
            options={
                'ordering': ['-at', '-id'],
                'abstract': False,
                'indexes': [models.Index(fields=['world', '-at'], name='move_by_time')],
                'constraints': [models.UniqueConstraint(fields=('world', 'form_key'), name='move_form_once')],
            },
        ),
        migrations.CreateModel(
            name='Made',
            fields=[
                ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                ('at', models.DateTimeField()),
                ('reached', models.BooleanField()),
                ('value', models.FloatField(help_text='as read back', null=True)),
                ('words', models.CharField(blank=True, max_length=300)),
                ('world', models.ForeignKey(on_delete=django.db.models.deletion.PROTECT, related_name='+', to='floor.world')),
                ('move', models.OneToOneField(on_delete=django.db.models.deletion.PROTECT, related_name='made', to='moves.move')),
            ],
            options={
                'abstract': False,
            },
        ),
        migrations.CreateModel(
            name='Setting',
            fields=[
                ('pk', models.CompositePrimaryKey('world_id', 'point', blank=True, editable=False, primary_key=True, serialize=False)),
                ('point', models.CharField(max_length=80)),
                ('words', models.CharField(max_length=120)),
                ('unit', models.CharField(blank=True, max_length=20)),
                ('low', models.FloatField()),
                ('high', models.FloatField()),
                ('decimals', models.PositiveSmallIntegerField(default=1)),
                ('station', models.CharField(max_length=40)),
                ('value', models.FloatField()),
                ('at', models.DateTimeField()),
                ('world', models.ForeignKey(db_index=False, on_delete=django.db.models.deletion.CASCADE, related_name='+', to='floor.world')),
            ],
        ),
        migrations.CreateModel(
            name='Gain',
            fields=[
                ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                ('entered_at', models.DateTimeField(default=django.utils.timezone.now)),
                ('why', models.CharField(blank=True, max_length=200)),
                ('form_key', models.CharField(max_length=60)),
                ('point', models.CharField(max_length=80)),
                ('tag', models.CharField(max_length=40)),
                ('gain_ratio', models.FloatField()),
                ('gain_sd_ratio', models.FloatField()),
                ('next_sd_ratio', models.FloatField()),
                ('moves', models.JSONField(help_text='the moves it was learned from')),
                ('by', models.ForeignKey(null=True, on_delete=django.db.models.deletion.PROTECT, related_name='+', to=settings.AUTH_USER_MODEL)),
                ('supersedes', models.OneToOneField(blank=True, null=True, on_delete=django.db.models.deletion.PROTECT, related_name='superseded_by', to='moves.gain')),
                ('world', models.ForeignKey(on_delete=django.db.models.deletion.PROTECT, related_name='+', to='floor.world')),
            ],
            options={
                'abstract': False,
                'indexes': [models.Index(fields=['world', 'point', 'tag'], name='gain_by_point')],
                'constraints': [models.UniqueConstraint(fields=('world', 'form_key'), name='gain_form_once')],
            },
        ),
    ]
