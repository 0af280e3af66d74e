"""Make a line from its definition, the first engineer, and people from a list."""

import csv
import os
from pathlib import Path
from typing import Any

from django.contrib.auth.password_validation import validate_password
from django.core.exceptions import ValidationError
from django.core.management.base import BaseCommand, CommandError, CommandParser
from django.core.validators import validate_slug
from django.db import transaction

from desk.floor.models import World
from desk.mill.selectors import line_of
from desk.mill.services import approve_definition
from desk.people.forms import AddForm, first_password
from desk.people.models import Person
from stock.line.definition import DefinitionError
from stock.simulate.own_bands import outside_own_bands

COLUMNS = ("username", "first_name", "last_name", "role")


class Command(BaseCommand):
    """All of it, or nothing."""

    help = "Make a line, its first engineer, and people from a CSV."

    def add_arguments(self, parser: CommandParser) -> None:
        """Take the definition, the address, the people."""
        parser.add_argument("--mill", type=Path, required=True)
        parser.add_argument("--world", default="live")
        parser.add_argument("--engineer", help="username; the password is in FOX_FIRST_PASSWORD")
        parser.add_argument("--people", type=Path)

    def handle(self, **options: Any) -> None:
        """Make them."""
        try:
            with transaction.atomic():
                self._make(options)
        except (ValidationError, DefinitionError) as error:
            faults = error.messages if isinstance(error, ValidationError) else error.faults
            raise CommandError("nothing was made: " + "; ".join(faults)) from None
        except OSError as error:
            message = f"nothing was made: {error.filename}: {error.strerror}"
            raise CommandError(message) from None

    def _make(self, options: dict[str, Any]) -> None:
        validate_slug(options["world"])
        if World.objects.filter(slug=options["world"]).exists():
            raise ValidationError(f"there is a line at /{options['world']}/ already")
        keeper = None
        if options["engineer"]:
            keeper = self._person({"username": options["engineer"], "first_name": options["engineer"][:1].upper(),
                                   "last_name": options["engineer"].title(), "role": "engineer"})  # fmt: skip
            password = os.environ.get("FOX_FIRST_PASSWORD", "")
            validate_password(password, keeper)
            keeper.set_password(password)
            keeper.save()
        elif not Person.objects.filter(role="engineer", is_active=True).exists():
            raise ValidationError("the first line needs its first engineer: give --engineer")
        by = keeper or Person.objects.filter(role="engineer", is_active=True).order_by("pk").first()
        assert by is not None
        version = approve_definition(options["mill"].read_text(encoding="utf-8"), by.short_name, "as commissioned")
        world = World.objects.create(slug=options["world"], name=line_of(version).mill, version=version)
        self.stdout.write(f"{world.name} is at /{world.slug}/.")
        for words in outside_own_bands(line_of(version)):
            self.stdout.write(f"To look at: {words}")
        if options["people"]:
            self._people(options["people"])

    def _people(self, path: Path) -> None:
        with path.open(encoding="utf-8-sig", newline="") as file:
            rows = list(csv.DictReader(file))
        if not rows or set(rows[0]) != set(COLUMNS):
            raise ValidationError(f"{path.name} must have the columns {', '.join(COLUMNS)}")
        for number, row in enumerate(rows, 2):
            try:
                person = self._person(row)
            except ValidationError as error:
                raise ValidationError(f"{path.name}, line {number}: {'; '.join(error.messages)}") from None
            password = first_password()
            person.set_password(password)
            person.save()
            self.stdout.write(f"{person.username},{password}")

    def _person(self, row: dict[str, str]) -> Person:
        form = AddForm(row)
        if not form.is_valid():
            raise ValidationError([f"{name}: {text}" for name, texts in form.errors.items() for text in texts])
        person: Person = form.save(commit=False)
        person.must_change = True
        return person
