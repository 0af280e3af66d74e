"""A cook house for tests: digester 2 stands empty, cook 1190 is charged, heated and logged in it."""

from datetime import timedelta

import numpy as np

from desk.floor.models import epoch
from desk.floor.services import store_samples
from desk.floor.state import State
from desk.stations.cook.amounts import Amounts
from desk.stations.cook.planning import plan_charge
from desk.stations.cook.steps import log_step
from stock.cooking.schedule import planned_profile
from tests.desk.base import NOW, DeskCase
from tests.line import hallin_reach

ABC = {"a_ml": 26.4, "b_ml": 30.9, "c_ml": 36.1, "acid_normality": 0.5, "sample_ml": 5.0}


CHIPS = Amounts(green_t=30.6, moisture_pct=48.2)


def white(liquor_m3, strength=105.0, sulphidity_pct=26.0):
    """A pumping of white liquor."""
    return Amounts(liquor_m3=liquor_m3, strength_kg_per_m3_as_naoh=strength, sulphidity_pct=sulphidity_pct)


WHITE = white(26.2, 105.2, 26.2)


LIQUOR_FORM = {
    "kind": "liquor", "liquor_m3": "24", "strength_kg_per_m3_as_naoh": "105", "sulphidity_pct": "26", "minded": "on"
}  # fmt: skip


class HouseCase(DeskCase):
    """Digester 2 stands empty at NOW; the tests cook 1190 in it."""

    def state(self, minutes=0):
        return State(self.world, NOW + timedelta(minutes=minutes))

    def plan(self, number=1190, digester=2, recipe="alder", minutes=0, due=0, who="cook", **typed):
        house = hallin_reach().cook
        return plan_charge(
            self.state(minutes), self.people[who], number=number, digester=house.digester(digester),
            recipe=house.recipe(recipe), planned_at=NOW + timedelta(minutes=minutes + due), typed=typed,
            form_key=f"plan-{number}-{minutes}-{len(typed)}",
        )  # fmt: skip

    def log(self, kind, minutes, amounts=None, number=1190, who="cook", minded=True, now=None, **options):
        self.hold_clock(minutes if now is None else now)
        return log_step(
            self.state(minutes), self.people[who], number, kind, amounts or Amounts(), at=NOW + timedelta(minutes=minutes),
            minded=minded, form_key=f"{kind}-{number}-{minutes}", **options,
        )  # fmt: skip

    def hold_clock(self, minutes):
        import os

        os.environ["FOX_NOW"] = (NOW + timedelta(minutes=minutes)).isoformat()

    def charge_it(self, at=0):
        """Plan and charge cook 1190, its chips in by `at`."""
        self.plan()
        for kind, minutes, amounts in (
            ("chips", at, CHIPS),
            ("liquor", at + 8, WHITE),
            ("fill", at + 14, Amounts(fill_m3=20.3)),
        ):
            self.hold_clock(minutes)
            self.log(kind, minutes, amounts)

    def heat_it(self, at=16, until=150, offset_c=0.0):
        """Put steam on and send temperatures by the plan from then on, the last `until` minutes from NOW."""
        self.hold_clock(at)
        self.log("steam", at)
        recipe = hallin_reach().cook.main
        times, planned = planned_profile(recipe, 900.0, 0.0)
        rows = []
        for minute in np.arange(at, until + 0.5, 1.0):
            celsius = float(np.interp(minute - at, times, planned)) + offset_c
            second = epoch(NOW + timedelta(minutes=float(minute)))
            rows += [
                ("digester_2_temp", second, celsius),
                ("digester_2_bottom", second, celsius - 0.6),
                ("digester_2_pressure", second, 640.0 if celsius > 160 else 200.0),
            ]
        store_samples(self.world.pk, rows)
        self.hold_clock(until)
