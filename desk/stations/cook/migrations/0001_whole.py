import django.db.models.deletion
import django.utils.timezone
from django.conf import settings
from django.db import migrations, models


class Migration(migrations.Migration):

    replaces = [('cooking', '0001_initial'), ('cooking', '0002_form_keys'), ('cooking', '0003_named_amounts'), ('cooking', '0004_take_back'), ('cooking', '0005_causes')]

    initial = True

    dependencies = [
        ('floor', '0001_whole'),
        ('people', '__first__'),
    ]

    operations = [
        migrations.CreateModel(
            name='Step',
            fields=[
                ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                ('entered_at', models.DateTimeField(default=django.utils.timezone.now)),
                ('why', models.CharField(blank=True, max_length=200)),
                ('form_key', models.CharField(max_length=60)),
                ('number', models.PositiveIntegerField()),
                ('kind', models.CharField(choices=[('chips', 'chips in'), ('liquor', 'cooking liquor in'), ('fill', 'fill in'), ('steam', 'steam on'), ('sample', 'liquor sampled'), ('relief', 'relief begun'), ('blow', 'blown'), ('empty', 'found empty'), ('note', 'corrected on the way')], max_length=10)),
                ('at', models.DateTimeField()),
                ('green_t', models.FloatField(help_text='green chips, t', null=True)),
                ('moisture_pct', models.FloatField(help_text='moisture of the chips, % of the green mass', null=True)),
                ('liquor_m3', models.FloatField(help_text='cooking liquor, m³', null=True)),
                ('strength_kg_per_m3_as_naoh', models.FloatField(help_text='its effective alkali, g/L NaOH', null=True)),
                ('sulphidity_pct', models.FloatField(help_text='its sulphidity, %', null=True)),
                ('total_so2_pct', models.FloatField(help_text='total SO2 of the acid, %', null=True)),
                ('combined_so2_pct', models.FloatField(help_text='combined SO2 of the acid, %', null=True)),
                ('fill_m3', models.FloatField(help_text='fill, m³', null=True)),
                ('residual_kg_per_m3_as_naoh', models.FloatField(help_text='residual alkali found, g/L NaOH', null=True)),
                ('text', models.CharField(blank=True, max_length=300)),
                ('by', models.ForeignKey(null=True, on_delete=django.db.models.deletion.PROTECT, related_name='+', to=settings.AUTH_USER_MODEL)),
                ('supersedes', models.OneToOneField(blank=True, null=True, on_delete=django.db.models.deletion.PROTECT, related_name='superseded_by', to='cooking.step')),
                ('world', models.ForeignKey(on_delete=django.db.models.deletion.PROTECT, related_name='+', to='floor.world')),
            ],
            options={
                'ordering': ['at', 'id'],
                'abstract': False,
                'indexes': [models.Index(fields=['world', 'number', 'at'], name='step_by_cook')],
                'constraints': [models.UniqueConstraint(fields=('world', 'form_key'), name='step_form_once')],
            },
        ),
        migrations.CreateModel(
            name='Forecast',
            fields=[
                ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                ('number', models.PositiveIntegerField()),
                ('at', models.DateTimeField()),
                ('relation_version', models.PositiveSmallIntegerField()),
                ('relation_words', models.CharField(max_length=200)),
                ('factor', models.FloatField(help_text='H, bar·h or hours at 100 °C at the blow')),
                ('charge_pct_naoh_on_wood', models.FloatField(null=True)),
                ('sulphidity_frac', models.FloatField(null=True)),
                ('liquor_to_wood', models.FloatField(null=True)),
                ('kappa', models.FloatField()),
                ('half_kappa', models.FloatField()),
                ('yield_pct', models.FloatField()),
                ('residual_kg_per_m3_as_naoh', models.FloatField(null=True)),
                ('kinetic_kappa', models.FloatField(null=True)),
                ('kinetic_yield_pct', models.FloatField(null=True)),
                ('kinetic_residual_kg_per_m3_as_naoh', models.FloatField(null=True)),
                ('apart_c', models.FloatField(help_text='most that top and bottom parted', null=True)),
                ('world', models.ForeignKey(on_delete=django.db.models.deletion.PROTECT, related_name='+', to='floor.world')),
                ('blow', models.OneToOneField(help_text='the step it was made at', null=True, on_delete=django.db.models.deletion.PROTECT, related_name='+', to='cooking.step')),
            ],
            options={
                'indexes': [models.Index(fields=['world', 'number'], name='forecast_by_cook')],
                'constraints': [models.UniqueConstraint(condition=models.Q(('blow', None)), fields=('world', 'number'), name='forecast_of_history_once')],
            },
        ),
        migrations.CreateModel(
            name='Charge',
            fields=[
                ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                ('entered_at', models.DateTimeField(default=django.utils.timezone.now)),
                ('why', models.CharField(blank=True, max_length=200)),
                ('form_key', models.CharField(max_length=60)),
                ('number', models.PositiveIntegerField()),
                ('digester', models.PositiveSmallIntegerField()),
                ('recipe', models.CharField(max_length=40)),
                ('planned_at', models.DateTimeField(help_text='when its first chips are due')),
                ('given', models.JSONField(help_text='what the sheet was worked out from')),
                ('planned', models.JSONField(help_text='what it came to')),
                ('warnings', models.JSONField(default=list)),
                ('by', models.ForeignKey(null=True, on_delete=django.db.models.deletion.PROTECT, related_name='+', to=settings.AUTH_USER_MODEL)),
                ('supersedes', models.OneToOneField(blank=True, null=True, on_delete=django.db.models.deletion.PROTECT, related_name='superseded_by', to='cooking.charge')),
                ('world', models.ForeignKey(on_delete=django.db.models.deletion.PROTECT, related_name='+', to='floor.world')),
            ],
            options={
                'abstract': False,
                'indexes': [models.Index(fields=['world', 'number'], name='charge_by_cook')],
                'constraints': [models.UniqueConstraint(fields=('world', 'form_key'), name='charge_form_once')],
            },
        ),
        migrations.CreateModel(
            name='LiquorTest',
            fields=[
                ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                ('entered_at', models.DateTimeField(default=django.utils.timezone.now)),
                ('why', models.CharField(blank=True, max_length=200)),
                ('form_key', models.CharField(max_length=60)),
                ('kind', models.CharField(choices=[('white', 'White liquor'), ('green', 'Green liquor'), ('black', 'Black liquor'), ('caustic', 'Caustic'), ('acid', 'Cooking acid')], max_length=10)),
                ('at', models.DateTimeField()),
                ('volumes', models.JSONField()),
                ('number', models.PositiveIntegerField(help_text='the cook it was taken from, for black liquor', null=True)),
                ('by', models.ForeignKey(null=True, on_delete=django.db.models.deletion.PROTECT, related_name='+', to=settings.AUTH_USER_MODEL)),
                ('supersedes', models.OneToOneField(blank=True, null=True, on_delete=django.db.models.deletion.PROTECT, related_name='superseded_by', to='cooking.liquortest')),
                ('world', models.ForeignKey(on_delete=django.db.models.deletion.PROTECT, related_name='+', to='floor.world')),
            ],
            options={
                'ordering': ['-at', '-id'],
                'abstract': False,
                'indexes': [models.Index(fields=['world', 'kind', '-at'], name='liquor_by_kind')],
                'constraints': [models.UniqueConstraint(fields=('world', 'form_key'), name='liquortest_form_once')],
            },
        ),
        migrations.CreateModel(
            name='RelationVersion',
            fields=[
                ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                ('recipe', models.CharField(max_length=40)),
                ('version', models.PositiveSmallIntegerField()),
                ('figures', models.JSONField()),
                ('left_out', models.JSONField(default=list)),
                ('causes', models.JSONField(default=dict, help_text='why each that bears no flag was left out, by number')),
                ('first_cook', models.PositiveIntegerField(null=True)),
                ('last_cook', models.PositiveIntegerField(null=True)),
                ('accepted_at', models.DateTimeField()),
                ('why', models.CharField(max_length=200)),
                ('form_key', models.CharField(max_length=60)),
                ('by', models.ForeignKey(on_delete=django.db.models.deletion.PROTECT, related_name='+', to=settings.AUTH_USER_MODEL)),
                ('world', models.ForeignKey(on_delete=django.db.models.deletion.PROTECT, related_name='+', to='floor.world')),
            ],
            options={
                'ordering': ['-version'],
                'constraints': [models.UniqueConstraint(fields=('world', 'recipe', 'version'), name='relation_once'), models.UniqueConstraint(fields=('world', 'form_key'), name='relation_form_once')],
            },
        ),
        migrations.CreateModel(
            name='Result',
            fields=[
                ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                ('entered_at', models.DateTimeField(default=django.utils.timezone.now)),
                ('why', models.CharField(blank=True, max_length=200)),
                ('form_key', models.CharField(max_length=60)),
                ('number', models.PositiveIntegerField()),
                ('at', models.DateTimeField()),
                ('kappa', models.FloatField()),
                ('rejects_pct', models.FloatField(null=True)),
                ('yield_pct', models.FloatField(help_text='total, on bone-dry wood', null=True)),
                ('residual_kg_per_m3_as_naoh', models.FloatField(null=True)),
                ('flag', models.CharField(blank=True, help_text='why it is not to be learned from', max_length=120)),
                ('by', models.ForeignKey(null=True, on_delete=django.db.models.deletion.PROTECT, related_name='+', to=settings.AUTH_USER_MODEL)),
                ('supersedes', models.OneToOneField(blank=True, null=True, on_delete=django.db.models.deletion.PROTECT, related_name='superseded_by', to='cooking.result')),
                ('world', models.ForeignKey(on_delete=django.db.models.deletion.PROTECT, related_name='+', to='floor.world')),
            ],
            options={
                'abstract': False,
                'indexes': [models.Index(fields=['world', 'number'], name='result_by_cook'), models.Index(fields=['world', '-at'], name='result_by_time')],
                'constraints': [models.UniqueConstraint(fields=('world', 'form_key'), name='result_form_once')],
            },
        ),
    ]
