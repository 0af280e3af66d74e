"""A step's numbers get columns of their own names."""

from django.db import migrations, models

NEW = (
    "green_t", "moisture_pct", "liquor_m3", "strength_kg_per_m3_as_naoh", "sulphidity_pct", "total_so2_pct",
    "combined_so2_pct", "fill_m3", "residual_kg_per_m3_as_naoh",
)
MEANS = {
    "green_t": "green chips, t",
    "moisture_pct": "moisture of the chips, % of the green mass",
    "liquor_m3": "cooking liquor, m³",
    "strength_kg_per_m3_as_naoh": "its effective alkali, g/L NaOH",
    "sulphidity_pct": "its sulphidity, %",
    "total_so2_pct": "total SO2 of the acid, %",
    "combined_so2_pct": "combined SO2 of the acid, %",
    "fill_m3": "fill, m³",
    "residual_kg_per_m3_as_naoh": "residual alkali found, g/L NaOH",
}
MOST_SO2_PCT = 15.0  # an acid may not be kept with more; no alkaline liquor is so weak
MOST_FRAC = 0.6  # of sulphidity

# The rows are of a table that refuses every change; its triggers are made anew after the migration.
COPY = """
DROP TRIGGER IF EXISTS cooking_step_no_update;
UPDATE cooking_step SET green_t = amount, moisture_pct = round(100 * second, 4) WHERE kind = 'chips';
UPDATE cooking_step SET fill_m3 = amount WHERE kind = 'fill';
UPDATE cooking_step SET residual_kg_per_m3_as_naoh = amount WHERE kind = 'sample';
UPDATE cooking_step SET liquor_m3 = amount WHERE kind = 'liquor';
UPDATE cooking_step SET total_so2_pct = second, combined_so2_pct = third
 WHERE kind = 'liquor' AND second <= MOST_SO2_PCT;
UPDATE cooking_step SET strength_kg_per_m3_as_naoh = second, sulphidity_pct = round(100 * third, 4)
 WHERE kind = 'liquor' AND (second IS NULL OR second > MOST_SO2_PCT) AND (third IS NULL OR third <= MOST_FRAC);
""".replace("MOST_SO2_PCT", str(MOST_SO2_PCT)).replace("MOST_FRAC", str(MOST_FRAC))


class Migration(migrations.Migration):
    dependencies = [("cooking", "0002_form_keys")]
    operations = [
        *(migrations.AddField("step", name, models.FloatField(null=True, help_text=MEANS[name])) for name in NEW),
        migrations.RunSQL(COPY, migrations.RunSQL.noop),
        *(migrations.RemoveField("step", name) for name in ("amount", "second", "third")),
    ]
