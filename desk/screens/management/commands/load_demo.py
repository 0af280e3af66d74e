"""Load the demonstration: people, the line, an order, and the past from the stand-in's files."""

import csv
import shutil
from collections.abc import Iterator
from datetime import UTC, datetime, timedelta
from pathlib import Path
from tempfile import TemporaryDirectory
from typing import Any

from django.conf import settings
from django.core.management.base import BaseCommand, CommandError, CommandParser
from django.db import transaction

from desk.exchange.pick_up import pick_up
from desk.floor import handover
from desk.floor.clock import shift_of
from desk.floor.models import Order, Record, World
from desk.floor.services import store_samples
from desk.mill.selectors import line_of
from desk.mill.services import approve_definition
from desk.people.demo import DEMO_SECRET
from desk.people.models import Person
from desk.stations.cook.history import load_cooking, load_workshop
from desk.stations.yard.history import load_yard
from stock.judge.limits import judge
from stock.line.definition import DefinitionError

PEOPLE = (
    ("orr", "Mika", "Orr", "operator"),
    ("brandt", "Ines", "Brandt", "cook"),
    ("vale", "Kit", "Vale", "tester"),
    ("sundby", "Tove", "Sundby", "lead"),
    ("achterberg", "Rolf", "Achterberg", "engineer"),
    ("lindqvist", "Sam", "Lindqvist", "trainee"),
)


class Command(BaseCommand):
    """Everything in one transaction: a demonstration is loaded whole or not at all."""

    help = "Load the demonstration mill into an empty database."

    def add_arguments(self, parser: CommandParser) -> None:
        """Take the folder with the stand-in's history."""
        parser.add_argument("--history", type=Path, required=True)
        parser.add_argument("--anchor", type=float, required=True, help="moment it opens, epoch seconds")

    def handle(self, **options: Any) -> None:
        """Load, unless a line is there already."""
        if World.objects.exists():
            self.stdout.write("There is a line in this database already; nothing was loaded.")
            return
        with transaction.atomic():
            self._load(options["history"], datetime.fromtimestamp(options["anchor"], UTC))
        self.stdout.write("Hallin Reach is loaded.")

    def _load(self, history: Path, opened: datetime) -> None:
        people = {name: self._person(name, first, last, role) for name, first, last, role in PEOPLE}
        engineer = people["achterberg"].short_name
        text = settings.MILL_FILE.read_text(encoding="utf-8")
        try:
            version = approve_definition(text, engineer, "as commissioned")
        except DefinitionError as error:
            message = f"{settings.MILL_FILE.name} cannot be used: " + "; ".join(error.faults)
            raise CommandError(message) from None
        world = World.objects.create(slug="live", name=line_of(version).mill, version=version)
        self._orders(world, people["sundby"], opened)
        with (history / "instruments.csv").open(encoding="utf-8") as file:
            store_samples(
                world.pk, [(row["tag"], int(row["at_s"]), float(row["value"])) for row in csv.DictReader(file)]
            )
        load_cooking(world, history, people["vale"], people["achterberg"], opened)
        records = [
            *self._laboratory(world, history, people["vale"]),
            *self._events(world, people, opened),
            *load_yard(world, history, people["orr"], people["vale"]),
        ]
        self._seal(records)
        self._gate(world, history / "drop")
        self._last_handover(world, people["brandt"], opened)
        if (history / "workshop").is_dir():
            self._workshop(history / "workshop", people, opened)

    def _workshop(self, history: Path, people: dict[str, Person], opened: datetime) -> None:
        """Load the teaching workshop as a line of its own."""
        text = settings.WORKSHOP_FILE.read_text(encoding="utf-8")
        version = approve_definition(text, people["achterberg"].short_name, "as set up for teaching")
        line = line_of(version)
        world = World.objects.create(slug="workshop", name=line.mill, version=version)
        grade = line.grades[0]
        Order.objects.create(
            world=world,
            grade=grade.id,
            reel_t_per_h=grade.tonnes_per_h,
            shares=grade.shares,
            from_at=opened - timedelta(days=1),
            accepted_by=people["sundby"],
            accepted_at=opened - timedelta(days=1),
            form_key="demo-workshop",
        )
        self._seal(load_workshop(world, history, people["brandt"]))

    def _person(self, name: str, first: str, last: str, role: str) -> Person:
        person = Person(username=name, first_name=first, last_name=last, role=role)
        person.set_unusable_password()
        person.set_signing_secret(DEMO_SECRET)
        person.save()
        return person

    def _orders(self, world: World, lead: Person, opened: datetime) -> None:
        line = line_of(world.version)
        for key, grade, from_at in (
            ("demo-1", line.grades[0], opened - timedelta(hours=15)),
            ("demo-2", line.grades[1], opened + timedelta(hours=4, minutes=5)),
        ):
            Order.objects.create(
                world=world,
                grade=grade.id,
                reel_t_per_h=grade.tonnes_per_h,
                shares=grade.shares,
                from_at=from_at,
                accepted_by=lead,
                accepted_at=opened - timedelta(hours=15),
                form_key=key,
            )

    def _laboratory(self, world: World, history: Path, tester: Person) -> Iterator[Record]:
        line = line_of(world.version)
        with (history / "laboratory.csv").open(encoding="utf-8") as file:
            rows = list(csv.DictReader(file))
        for index, row in enumerate(rows):
            tag = line.tag(row["tag"])
            value = float(row["value"])
            yield _record(
                world,
                tester,
                datetime.fromtimestamp(int(row["at_s"]), UTC),
                f"lab-{index}",
                kind=Record.Kind.READING,
                station=tag.station,
                tag=tag.id,
                value=value,
                unit=tag.unit,
                level=judge(tag, value).level,
            )

    def _events(self, world: World, people: dict[str, Person], opened: datetime) -> Iterator[Record]:
        told = (
            (191, "brandt", "cook", "Cook 1187 charged from piles A, C and D, chips 48 % moisture"),
            (146, "orr", "slush", "White broke chest agitator greased, 5 min stop"),
            (95, "orr", "bleach", "Third cane stage: peroxide pump hunted, reset"),
            (52, "orr", "wash", "Brown stock transmitter reads above the pad, watched"),
            (20, "sundby", "deliver", "Change to envelope 80 g white confirmed for this evening"),
        )
        for index, (minutes, name, station, text) in enumerate(told):
            at = opened - timedelta(minutes=minutes)
            event = {"kind": Record.Kind.EVENT, "station": station, "text": text}
            yield _record(world, people[name], at, f"event-{index}", **event)

    def _gate(self, world: World, drop: Path) -> None:
        """Pick up a copy of what the devices left, so that the history can be loaded again."""
        if drop.is_dir():
            with TemporaryDirectory() as folder:
                copy = Path(folder) / "drop"
                shutil.copytree(drop, copy)
                pick_up(world, copy)

    def _seal(self, records: list[Record]) -> None:
        """Chain the records in order of time and keep them."""
        digest = ""
        for record in sorted(records, key=lambda one: one.at):
            record.seal(digest)
            digest = record.digest
        Record.objects.bulk_create(sorted(records, key=lambda one: one.at), batch_size=500)

    def _last_handover(self, world: World, cook: Person, opened: datetime) -> None:
        start, _ = shift_of(opened)
        handover.keep_demo(world, cook, start - timedelta(hours=12), start)


def _record(world: World, by: Person, at: datetime, form_key: str, **fields: Any) -> Record:
    return Record(world=world, by=by, at=at, entered_at=at, form_key=form_key, **fields)
