"""Trips, releases and knife steps that were kept as lines of the log become rows of their own."""

import re

from django.db import migrations

STEPS = (
    "stopped",
    "stand-still seen, locked out, try-start proved dead",
    "opened",
    "knives changed, back in service",
)


def out_of_the_log(apps, schema_editor):  # noqa: ARG001
    """Read each line's words once; from here on nothing is read back from words."""
    record = apps.get_model("floor", "Record")
    models = {name: apps.get_model("yard", name) for name in ("Trip", "Release", "KnifeStep")}
    standing = record.objects.filter(tag__in=("trip", "release", "knife"), superseded_by=None, source="")
    for line in standing.order_by("at", "id").iterator():
        common = {
            "world_id": line.world_id, "by_id": line.by_id, "at": line.at, "entered_at": line.entered_at,
            "form_key": f"log-{line.pk}",
        }  # fmt: skip
        if line.tag == "trip":
            found = re.match(r"Metal trip, ([^:]*): ([^;]*)", line.text)
            where, what = found.groups() if found else ("not said", line.text[:60])
            named = {"detector": where[:1].upper() + where[1:60], "find": what[:1].upper() + what[1:60]}
            models["Trip"].objects.create(**common, **named, lot=line.subject[:20], stopped_min=line.value or 0.0)
        elif line.tag == "release":
            reason = line.text.partition(": ")[2][:300]
            models["Release"].objects.create(**common, lot=line.subject[:20], reason=reason)
        else:
            words = line.text.partition(": ")[2]
            step = STEPS.index(words) if words in STEPS else len(STEPS) - 1
            models["KnifeStep"].objects.create(**common, chipper=line.subject, step=step)


class Migration(migrations.Migration):
    """Data only; the lines of the log stay as they were sealed."""

    dependencies = [
        ("yard", "0004_trips_releases_knife_steps"),
        ("floor", "0005_record_source_and_form_keys"),
    ]

    operations = [migrations.RunPython(out_of_the_log, migrations.RunPython.noop)]
