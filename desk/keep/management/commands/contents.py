"""Say what is in the database: its lines, how much of each, up to when."""

from typing import Any

from django.core.management import call_command
from django.core.management.base import BaseCommand, CommandParser
from django.db.models import Max

from desk.floor.models import Record, Sample, World
from desk.people.models import Person

OLDER = 4


class Command(BaseCommand):
    """Counts, newest moments."""

    help = "Count what the database holds of each line."
    requires_system_checks: list[str] = []  # noqa: RUF012  Django's way; what is asked for is the data, not the pages

    def add_arguments(self, parser: CommandParser) -> None:
        """Take whether it is checked first."""
        parser.add_argument("--checked", action="store_true", help="its version and the chain of its log first")

    def handle(self, **options: Any) -> None:
        """Count."""
        if options["checked"]:
            self._check()
        self.stdout.write(f"{Person.objects.count()} people.")
        for world in World.objects.order_by("pk"):
            records = Record.objects.filter(world=world)
            newest = records.aggregate(at=Max("entered_at"))["at"]
            words = f"newest of {newest:%d %b %Y %H:%M} UTC" if newest else "none yet"
            samples = Sample.objects.filter(world=world).count()
            self.stdout.write(
                f"{world.name}, /{world.slug}/: {records.count()} entries, {words}; {samples} instrument values."
            )

    def _check(self) -> None:
        """Look at the version and the chain; an older version is no fault, `fox serve` brings it up."""
        try:
            call_command("schema", stdout=self.stdout)
        except SystemExit as ended:
            if ended.code != OLDER:
                raise
        call_command("verify", stdout=self.stdout)
