"""Say what is in the database: its lines, how much of each, up to when."""

from typing import Any

from django.core.management.base import BaseCommand
from django.db.models import Max

from desk.floor.models import Record, Sample, World
from desk.people.models import Person


class Command(BaseCommand):
    """Counts, newest moments."""

    help = "Count what the database holds of each line."

    def handle(self, **options: Any) -> None:  # noqa: ARG002  none are taken
        """Count."""
        self.stdout.write(f"{Person.objects.count()} people.")
        for world in World.objects.order_by("pk"):
            records = Record.objects.filter(world=world)
            newest = records.aggregate(at=Max("entered_at"))["at"]
            words = f"newest of {newest:%d %b %Y %H:%M} UTC" if newest else "none yet"
            samples = Sample.objects.filter(world=world).count()
            self.stdout.write(
                f"{world.name}, /{world.slug}/: {records.count()} entries, {words}; {samples} instrument values."
            )
