import django.db.models.deletion
from django.db import migrations, models


class Migration(migrations.Migration):

    replaces = [('ahead', '0001_ahead')]

    initial = True

    dependencies = [
        ('floor', '0001_whole'),
    ]

    operations = [
        migrations.CreateModel(
            name='Lookout',
            fields=[
                ('world', models.OneToOneField(on_delete=django.db.models.deletion.CASCADE, primary_key=True, related_name='+', serialize=False, to='floor.world')),
                ('made_at', models.DateTimeField()),
                ('told', models.JSONField()),
            ],
        ),
        migrations.CreateModel(
            name='Foretold',
            fields=[
                ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                ('unit', models.CharField(max_length=40)),
                ('made_at', models.DateTimeField()),
                ('for_at', models.DateTimeField()),
                ('level_pct', models.FloatField()),
                ('sd_pct', models.FloatField()),
                ('world', models.ForeignKey(on_delete=django.db.models.deletion.PROTECT, related_name='+', to='floor.world')),
            ],
            options={
                'indexes': [models.Index(fields=['world', '-for_at'], name='foretold_by_time')],
                'constraints': [models.UniqueConstraint(fields=('world', 'unit', 'made_at', 'for_at'), name='foretold_once')],
            },
        ),
    ]
