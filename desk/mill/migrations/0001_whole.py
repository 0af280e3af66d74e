import django.utils.timezone
from django.db import migrations, models


class Migration(migrations.Migration):

    replaces = [('mill', '0001_initial')]

    initial = True

    dependencies = [
    ]

    operations = [
        migrations.CreateModel(
            name='DefinitionVersion',
            fields=[
                ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                ('number', models.PositiveIntegerField(unique=True)),
                ('text', models.TextField()),
                ('sha256', models.CharField(max_length=64, unique=True)),
                ('approved_by', models.CharField(max_length=80)),
                ('approved_at', models.DateTimeField(default=django.utils.timezone.now)),
                ('note', models.CharField(blank=True, max_length=200)),
            ],
            options={
                'abstract': False,
            },
        ),
    ]
