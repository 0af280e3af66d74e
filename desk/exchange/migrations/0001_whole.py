import django.db.models.deletion
import django.utils.timezone
from django.conf import settings
from django.db import migrations, models


class Migration(migrations.Migration):

    replaces = [('exchange', '0001_initial'), ('exchange', '0002_dropped_comes_from_the_yard'), ('exchange', '0003_pieces')]

    initial = True

    dependencies = [
        ('floor', '0001_whole'),
        ('people', '__first__'),
    ]

    operations = [
        migrations.CreateModel(
            name='Dropped',
            fields=[
                ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                ('name', models.CharField(max_length=120)),
                ('kind', models.CharField(max_length=10)),
                ('reason', models.CharField(blank=True, max_length=300)),
                ('at', models.DateTimeField(default=django.utils.timezone.now)),
                ('world', models.ForeignKey(on_delete=django.db.models.deletion.PROTECT, to='floor.world')),
            ],
            options={
                'db_table': 'yard_dropped',
                'ordering': ['-id'],
            },
        ),
        migrations.CreateModel(
            name='Staged',
            fields=[
                ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                ('table', models.CharField(max_length=30)),
                ('name', models.CharField(max_length=120)),
                ('rows', models.JSONField()),
                ('at', models.DateTimeField(default=django.utils.timezone.now)),
                ('checked', models.JSONField(default=list, help_text='faults of each row tried so far')),
                ('kept_rows', models.PositiveIntegerField(default=0)),
                ('kept_at', models.DateTimeField(null=True)),
                ('by', models.ForeignKey(on_delete=django.db.models.deletion.PROTECT, related_name='+', to=settings.AUTH_USER_MODEL)),
                ('world', models.ForeignKey(on_delete=django.db.models.deletion.PROTECT, to='floor.world')),
            ],
        ),
    ]
