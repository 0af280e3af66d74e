"""A small demonstration for tests: the real line, a moment held still, a few readings."""

import os
from datetime import UTC, datetime, timedelta
from functools import cache
from unittest.mock import patch

import numpy as np
from django.test import TestCase

from desk.floor import pulse
from desk.floor.models import Cook, Order, Record, World, epoch
from desk.floor.services import record_reading, store_samples
from desk.floor.station import stations
from desk.frame.panels.attempt import stand
from desk.mill.services import approve_definition
from desk.people.models import Person
from desk.stations.cook.models import Forecast, Result
from standin.plant import Plant
from stock.cooking.alkali import charge_as_na2o
from tests.line import MILL, hallin_reach, hallin_story

NOW = datetime(2026, 3, 10, 14, 30, tzinfo=UTC)
SECRET = "2468"
ROLES = ("operator", "cook", "tester", "lead", "engineer", "trainee")


# What a page may ask cold: what towers, tanks and drains are followed by is asked once in minutes, of all pages.
QUERIES = 28


class AtMost(int):
    """A number of queries that is kept by any smaller one too."""

    def __eq__(self, other):
        return other <= int(self)

    __hash__ = int.__hash__


@cache
def plant() -> Plant:
    """Return the stand-in, opened at the tests' moment."""
    return Plant(hallin_reach(), 20, NOW.timestamp(), hallin_story())


@cache
def history() -> list[tuple[str, int, float]]:
    """Return five hours of instrument values, one in two minutes."""
    end = epoch(NOW)
    return list(plant().history(end - 5 * 3600, end + 1, 120.0))


class DeskCase(TestCase):
    """Builds the floor once a class; the clock stands at NOW."""

    @classmethod
    def setUpTestData(cls):
        cls.people = {}
        for role in ROLES:
            person = Person(username=role, first_name=role.title(), last_name="Test", role=role)
            person.set_password("a long password")
            person.set_signing_secret(SECRET)
            person.save()
            cls.people[role] = person
        version = approve_definition(MILL.read_text(encoding="utf-8"), "E. Test")
        cls.world = World.objects.create(slug="live", name="Hallin Reach", version=version)
        grade = hallin_reach().grades[0]
        Order.objects.create(
            world=cls.world,
            grade=grade.id,
            reel_t_per_h=grade.tonnes_per_h,
            shares=grade.shares,
            from_at=NOW - timedelta(hours=9),
            accepted_by=cls.people["lead"],
            form_key="first",
        )
        store_samples(cls.world.pk, history())
        for cook in plant().cooks(epoch(NOW) - 5 * 3600, epoch(NOW)):
            Cook.objects.create(
                world=cls.world,
                number=cook.number,
                digester=cook.digester,
                recipe=cook.recipe,
                started_at=datetime.fromtimestamp(cook.started_s, UTC),
                charge_pct_naoh_on_wood=cook.charge_pct_naoh_on_wood,
                kappa_target=hallin_reach().cook.recipe(cook.recipe).kappa_target,
            )

    def assertSays(self, response, words):
        """Assert that a page says something, however its source is broken into lines."""
        self.assertEqual(response.status_code, 200)
        self.assertIn(words, " ".join(response.content.decode().split()))

    def setUp(self):
        held = patch.dict(os.environ, {"FOX_NOW": NOW.isoformat()})
        held.start()
        self.addCleanup(held.stop)
        pulse.forget()  # what is rolled back between tests takes its beats with it

    def sign_in(self, role="operator"):
        """Sign in as somebody with a role."""
        self.client.force_login(self.people[role])
        return self.people[role]

    def enter(self, tag, value, minutes_ago=10, role="tester"):
        """Record a reading."""
        at = NOW - timedelta(minutes=minutes_ago)
        key = f"{tag}-{value}-{minutes_ago}"
        return record_reading(self.world, self.people[role], tag, value, at=at, form_key=key)

    def record_count(self):
        """Return how many entries there are."""
        return Record.objects.count()


def measured_cooks(world, tester, count=40):
    """Bring forty measured alder cooks into a world: the twenty-first far off, the thirty-first flagged."""
    rng = np.random.default_rng(5)
    for index in range(count):
        number, at = 900 + index, NOW - timedelta(hours=6 * (count + 1 - index))
        charge, factor = 17.4 + rng.normal(0, 0.25), 870 * (1 + rng.normal(0, 0.06))
        na2o = charge_as_na2o(charge_pct_naoh_on_wood=charge)
        kappa = 125.6 - 5.03 * np.log10(factor) * na2o**0.76 + rng.normal(0, 0.2) + (6 if index == 20 else 0)
        Cook.objects.create(
            world=world,
            number=number,
            digester=1,
            recipe="alder",
            started_at=at,
            charge_pct_naoh_on_wood=charge,
            kappa_target=18,
        )
        Forecast.objects.create(
            world=world,
            number=number,
            at=at,
            relation_version=1,
            relation_words="default",
            factor=factor,
            charge_pct_naoh_on_wood=charge,
            sulphidity_frac=0.26,
            liquor_to_wood=4.0,
            kappa=kappa - 0.9,
            half_kappa=1.1,
            yield_pct=52,
            residual_kg_per_m3_as_naoh=8.5,
            kinetic_kappa=kappa + 0.3,
        )
        Result.objects.create(
            world=world,
            number=number,
            at=at + timedelta(hours=1),
            kappa=round(kappa, 1),
            yield_pct=52.0 + 0.15 * (kappa - 18),
            residual_kg_per_m3_as_naoh=8.4,
            by=tester,
            form_key=f"r{number}",
            flag="trip" if index == 30 else "",
        )


def panels_at(state, station_id):
    """Return the set panels that stand at a station's parts, a unit before the stream that goes on from it."""
    kind = state.line.station(station_id).kind
    offered = [panel for station in stations() if station.kind in ("", kind) for panel in station.panels]
    units = [unit for unit in state.line.units if unit.station == station_id]
    piles = state.line.yard.piles if kind == "yard" else []
    return stand(state, offered, [*units, *piles, state.line.station(station_id)])
