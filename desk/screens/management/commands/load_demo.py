"""Load the demonstration: people, and any number of lines, each with its story and its past from the stand-in's files."""

import csv
import shutil
from collections.abc import Iterator, Mapping
from datetime import UTC, datetime, timedelta
from pathlib import Path
from tempfile import TemporaryDirectory
from typing import Any

from django.contrib.auth.hashers import make_password
from django.core.management.base import BaseCommand, CommandError, CommandParser
from django.db import transaction
from django.utils.text import slugify

from desk.exchange.pick_up import pick_up
from desk.floor import handover
from desk.floor.models import OpenPoint, Order, Record, World
from desk.floor.services import store_samples
from desk.floor.station import Past, stations
from desk.mill.selectors import line_of
from desk.mill.services import approve_definition
from desk.people.demo import DEMO_SECRET
from desk.people.models import Person
from stock.judge.limits import judge
from stock.line.definition import Definition, DefinitionError
from stock.line.story import OrderStory, Story, story_beside

PEOPLE = (
    ("orr", "Mika", "Orr", "operator"),
    ("brandt", "Ines", "Brandt", "cook"),
    ("vale", "Kit", "Vale", "tester"),
    ("sundby", "Tove", "Sundby", "lead"),
    ("achterberg", "Rolf", "Achterberg", "engineer"),
    ("lindqvist", "Sam", "Lindqvist", "trainee"),
)
BEFORE_H = 15.0  # an order that nothing is told of began so long ago


class Command(BaseCommand):
    """Everything in one transaction: a demonstration is loaded whole or not at all."""

    help = "Load one or more mills into an empty database, each with what lies beside it."

    def add_arguments(self, parser: CommandParser) -> None:
        """Take the mills, and the folder with the stand-in's history of each, by its file's name."""
        parser.add_argument("--mill", type=Path, action="append", required=True)
        parser.add_argument("--history", type=Path, required=True)
        parser.add_argument("--anchor", type=float, required=True, help="moment it opens, epoch seconds")

    def handle(self, **options: Any) -> None:
        """Load, unless a line is there already."""
        if World.objects.exists():
            self.stdout.write("There is a line in this database already; nothing was loaded.")
            return
        opened = datetime.fromtimestamp(options["anchor"], UTC)
        with transaction.atomic():
            secret = make_password(DEMO_SECRET)  # one hash for all of them: everybody is told what it is
            people = {name: _person(name, first, last, role, secret) for name, first, last, role in PEOPLE}
            for mill in options["mill"]:
                world = _load(mill, options["history"] / mill.stem, people, opened)
                self.stdout.write(f"{world.name} is loaded.")


def _person(name: str, first: str, last: str, role: str, secret: str) -> Person:
    person = Person(username=name, first_name=first, last_name=last, role=role, signing_secret=secret)
    person.set_unusable_password()
    person.save()
    return person


def _load(mill: Path, history: Path, people: Mapping[str, Person], opened: datetime) -> World:
    """Load one line: its definition, its orders, its past, what was told of it."""
    try:
        version = approve_definition(
            mill.read_text(encoding="utf-8"), people["achterberg"].short_name, "as commissioned"
        )
        line = line_of(version)
        story = story_beside(mill, line)
    except DefinitionError as error:
        message = f"{mill.name} cannot be used: " + "; ".join(error.faults)
        raise CommandError(message) from None
    world = World.objects.create(
        slug=_slug(story, line), name=line.mill, version=version, simulated=(history / "live").exists()
    )
    (history / "slug").write_text(world.slug + "\n", encoding="utf-8")  # for whoever starts its collector
    _orders(world, line, story, people["sundby"], opened)
    with (history / "instruments.csv").open(encoding="utf-8") as file:
        store_samples(world.pk, [(row["tag"], int(row["at_s"]), float(row["value"])) for row in csv.DictReader(file)])
    past = Past(history, people, opened, story)
    digest = _seal([*_laboratory(world, line, history, people["vale"]), *_told(world, story, people, opened)])
    for station in stations():  # what the laboratory found is there already, for whoever reckons with it
        if station.serves(line):
            digest = _seal(list(station.past(world, past)), digest)
    _carried(world, story, people, opened)
    _gate(world, history / "drop")
    if story.hand_over is not None:
        handover.keep_told(world, people[story.hand_over.by], story.hand_over, opened)
    return world


def _slug(story: Story, line: Definition) -> str:
    wanted = story.slug or slugify(line.mill)[:40] or "line"
    taken = set(World.objects.values_list("slug", flat=True))
    return next(name for name in (wanted, *(f"{wanted}-{index}" for index in range(2, 99))) if name not in taken)


def _orders(world: World, line: Definition, story: Story, lead: Person, opened: datetime) -> None:
    told = story.orders or [OrderStory(grade=line.grades[0].id, from_h=-BEFORE_H)]
    for index, one in enumerate(told):
        grade = line.grade(one.grade)
        Order.objects.create(
            world=world,
            grade=grade.id,
            reel_t_per_h=grade.tonnes_per_h,
            shares=grade.shares,
            from_at=opened + timedelta(hours=one.from_h),
            accepted_by=lead,
            accepted_at=opened - timedelta(hours=BEFORE_H),
            form_key=f"demo-{world.pk}-order-{index}",
        )


def _laboratory(world: World, line: Definition, history: Path, tester: Person) -> Iterator[Record]:
    with (history / "laboratory.csv").open(encoding="utf-8") as file:
        rows = list(csv.DictReader(file))
    for index, row in enumerate(rows):
        tag = line.tag(row["tag"])
        value = float(row["value"])
        fields = {"station": tag.station, "tag": tag.id, "unit": tag.unit, "level": judge(tag, value).level}
        at = datetime.fromtimestamp(int(row["at_s"]), UTC)
        key = f"demo-{world.pk}-lab-{index}"
        yield _record(world, tester, at, key, kind=Record.Kind.READING, value=value, **fields)


def _told(world: World, story: Story, people: Mapping[str, Person], opened: datetime) -> Iterator[Record]:
    for index, one in enumerate(story.log):
        at = opened - timedelta(minutes=one.minutes_ago)
        event = {"kind": Record.Kind.EVENT, "station": one.station, "text": one.text}
        yield _record(world, people[one.who], at, f"demo-{world.pk}-event-{index}", **event)


def _carried(world: World, story: Story, people: Mapping[str, Person], opened: datetime) -> None:
    for index, one in enumerate(story.carried):
        OpenPoint.objects.create(
            world=world,
            by=people[one.who],
            kind=one.kind,
            station=one.station or "",
            text=one.text,
            owner=one.owner,
            until=opened + timedelta(hours=one.until_h) if one.until_h is not None else None,
            begun_at=opened - timedelta(hours=one.hours_ago),
            form_key=f"demo-{world.pk}-point-{index}",
        )


def _gate(world: World, drop: Path) -> None:
    """Pick up a copy of what the devices left, so that the history can be loaded again."""
    if drop.is_dir():
        with TemporaryDirectory() as folder:
            copy = Path(folder) / "drop"
            shutil.copytree(drop, copy)
            pick_up(world, copy)


def _seal(records: list[Record], digest: str = "") -> str:
    """Chain records in order of time after what went before, keep them, and return the digest of the last."""
    for record in sorted(records, key=lambda one: one.at):
        record.seal(digest)
        digest = record.digest
    Record.objects.bulk_create(sorted(records, key=lambda one: one.at), batch_size=500)
    return digest


def _record(world: World, by: Person, at: datetime, form_key: str, **fields: Any) -> Record:
    return Record(world=world, by=by, at=at, entered_at=at, form_key=form_key, **fields)
