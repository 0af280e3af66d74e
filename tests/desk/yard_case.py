"""A yard for tests, with a hand for each of its verbs."""

from datetime import timedelta

from django.db.models import Sum

from desk.floor.state import State
from desk.stations.yard.lots import Load, receive
from desk.stations.yard.models import Holding, Movement
from desk.stations.yard.piles import chip_logs, draw_from
from desk.stations.yard.stock import yard_of
from tests.desk.base import NOW, DeskCase

MASSES = [28, 158, 3156, 1209, 205, 63]


SAMPLE = 4849


class YardCase(DeskCase):
    keys = 0

    def key(self):
        YardCase.keys += 1
        return f"yard-test-{YardCase.keys}"

    def lot(self, number="R-1", material="alder_logs", hours_ago=30.0, moistures=(46.0, 46.4, 45.8), **found):
        load = Load(
            number=number,
            material=material,
            received_at=NOW - timedelta(hours=hours_ago),
            gross_t=54.8,
            tare_t=16.2,
            moistures_pct=list(moistures),
            found=found,
        )
        return receive(self.world, self.people["operator"], load, form_key=self.key())

    def yard(self, at=NOW):
        return yard_of(State(self.world, at))

    def draw(self, pile, bdt, hours=4.0, ago=0.0):
        to_at = NOW - timedelta(hours=ago)
        return draw_from(
            self.world, self.people["operator"], pile, bdt,
            from_at=to_at - timedelta(hours=hours), to_at=to_at, form_key=self.key(),
        )  # fmt: skip

    def chip(self, bdt, onto="pile_a"):
        return chip_logs(
            self.world, self.people["operator"], "deck", onto, bdt,
            from_at=NOW - timedelta(hours=10), to_at=NOW - timedelta(hours=8), form_key=self.key(),
        )  # fmt: skip

    def assert_book_closes(self):
        booked = Movement.objects.exclude(pile="boiler").aggregate(sum=Sum("bdt"))["sum"] or 0
        held = Holding.objects.aggregate(sum=Sum("bdt"))["sum"] or 0
        self.assertAlmostEqual(booked, held, places=4)
