"""A washing line as it runs, machine by machine: at rest as the line is worked out, slow as its tanks make it, each to be told."""

from itertools import pairwise
from unittest import TestCase

import numpy as np
from hypothesis import given, settings
from hypothesis import strategies as st

from stock.line.load import load_definition
from stock.simulate.machines import Machines
from stock.simulate.plant import Plant
from stock.simulate.saving import restore, state_of
from stock.washing.line import equations, steady
from stock.washing.norden import stage_efficiency
from stock.washing.stairs import answer_min, rows_of
from tests.line import hallin_reach
from tests.mills import TWO_LINES

HOUR = 3600.0


def calm():
    """Return a plant of ten-second steps in which nothing wanders."""
    return Plant(hallin_reach(), dt_s=10, disturbed=False)


def line_of(name="cane_wash", rate=2.3):
    """Return the machines of a washer at a rate, their tanks as long as is usual."""
    unit = hallin_reach().unit(name)
    machines = [one.model_copy(update={"tank_m3": None}) for one in unit.machines]
    return Machines(unit.model_copy(update={"machines": machines}), unit.wash, rate)


class AtRest(TestCase):
    @settings(max_examples=40)
    @given(st.floats(0.05, 6.0), st.floats(0.65, 1.0), st.integers(0, 3))
    def test_it_comes_to_what_the_line_comes_to(self, factor, health, machine):
        found = line_of()
        unit = found.unit
        for _ in range(60):
            found.run(2 * HOUR, factor, 2.3, {machine: health})
        shown = [one.e_std * (health if machine in (0, at) else 1.0) for at, one in enumerate(unit.machines, 1)]
        stages = [{"std_consistency_pct": 10.0, "vat_consistency_pct": 0.0, "displacement_ratio": 0.0, "added_conc_kg_per_t": 0.0,
                   "bleed_t_per_bdt": 0.0, **one} for one in rows_of(unit.machines, shown)]  # fmt: skip
        rows = equations(stages, unit.wash.feed_consistency_pct, factor)
        mats, tanks = steady(rows, 1.0, 0.0)
        self.assertAlmostEqual(found.share, rows[-1].l_out * mats[-1] / rows[0].l_in, delta=0.02 * found.share + 1e-6)
        np.testing.assert_allclose(found.holds[1::2], tanks, rtol=0.03, atol=1e-6)

    def test_at_its_own_settings_it_leaves_what_it_leaves(self):
        found = line_of()
        self.assertAlmostEqual(found.run(HOUR, 3.0, 2.3, {}), 1.0, places=9)

    @settings(max_examples=30)
    @given(st.floats(0.0, 5.0), st.floats(0.3, 1.0), st.floats(0.2, 1.5))
    def test_strengths_lie_between_wash_and_feed_and_a_worse_machine_loses_more(self, factor, health, rate):
        well, ill = line_of(), line_of()
        for _ in range(40):
            good, bad = well.run(600, factor, 2.3 * rate, {}), ill.run(600, factor, 2.3 * rate, {2: health})
            self.assertTrue(((ill.holds >= -1e-9) & (ill.holds <= 1 + 1e-9)).all())
            self.assertGreaterEqual(bad, good - 1e-9)


class Slow(TestCase):
    def test_a_change_of_water_comes_as_slowly_as_the_line_answers(self):
        """63 % of it within a third of what the same line, its displacement held, takes by the method."""
        for name, rate in (("wood_wash", 5.9), ("cane_wash", 2.3)):
            with self.subTest(name):
                found, unit = line_of(name, rate), hallin_reach().unit(name)
                factor = unit.wash.dilution_factor_t_per_bdt + 0.3
                end = line_of(name, rate)
                for _ in range(60):
                    last = end.run(2 * HOUR, factor, rate, {})
                minutes = 0
                while found.run(60, factor, rate, {}) > 1 + 0.63 * (last - 1):
                    minutes += 1
                self.assertAlmostEqual(minutes / answer_min(unit), 1.0, delta=0.33)

    def test_half_the_pulp_takes_twice_as_long(self):
        fast, slow = line_of(), line_of()
        for _ in range(60):
            first = fast.run(60, 3.4, 2.3, {})
        for _ in range(120):
            second = slow.run(60, 3.4, 1.15, {})
        self.assertAlmostEqual(first, second, places=3)


class TooLittleLiquor(TestCase):
    def test_with_too_little_wash_liquor_it_leaves_more_and_more_and_with_none_all_of_it(self) -> None:
        for line, unit in ((hallin_reach(), "wood_wash"), (load_definition(TWO_LINES), "filter_one")):
            washer = line.unit(unit)
            thick = 100 / washer.consistency_pct - 1
            left = []
            for factor in (2.5, 1.5, 0.6, 0.4, -0.45, -1.0, -3.0, -thick):
                machines = Machines(washer, washer.wash, 4.0)
                for _ in range(48):
                    ratio = machines.run(900.0, factor, 4.0, {})
                left.append(ratio * machines.usual_share)
            with self.subTest(unit):
                self.assertEqual(left, sorted(left))
                self.assertLess(max(after / before for before, after in pairwise(left)), 4.5)  # and leaps nowhere
                carried = thick / (100 / washer.wash.feed_consistency_pct - 1)
                self.assertAlmostEqual(left[-1], carried, delta=0.02)


class InThePlant(TestCase):
    def shown(self, plant, unit_id="cane_wash"):
        """Return the efficiency each machine shows by its liquors."""
        unit = plant.line.unit(unit_id)
        factor = next(one.factor for one in plant.separating.washers if one.unit.id == unit_id)
        return [
            stage_efficiency(
                dilution_factor_t_per_bdt=factor, discharge_consistency_pct=machine.discharge_consistency_pct,
                filtrate_conc_kg_per_t=filtrate, discharge_conc_kg_per_t=mat, wash_conc_kg_per_t=wash,
            ).e_std_ratio
            for machine, (filtrate, mat, wash) in zip(unit.machines, plant.separating.liquors(unit_id), strict=True)
        ]  # fmt: skip

    def test_the_machine_that_fell_behind_is_the_one_its_liquors_name(self):
        plant = calm()
        before = self.shown(plant)
        plant.fault("lanes_blocked", "cane_wash", health_frac=0.7, machine=2)
        plant.run(0.25 * HOUR)
        early = self.shown(plant)
        plant.run(plant.now_s + 8 * HOUR)
        after = self.shown(plant)
        self.assertLess(early[1], 0.9 * before[1])  # its own mat is told at once
        self.assertAlmostEqual(after[1] / before[1], 0.7, delta=0.06)
        for at in (0, 2):
            self.assertAlmostEqual(after[at] / before[at], 1.0, delta=0.06)

    def test_settled_it_is_as_if_it_were_so_for_a_day(self):
        plant, long = calm(), calm()
        for one in (plant, long):
            one.fault("foams", "wood_wash", health_frac=0.8, machine=3)
        plant.separating.settle()
        long.slow_s = 60.0
        long.run(24 * HOUR)
        told = [
            next(one.ratio for one in each.separating.washers if one.unit.id == "wood_wash") for each in (plant, long)
        ]
        self.assertAlmostEqual(told[0], told[1], delta=0.02 * told[0])

    def test_kept_in_the_middle_it_goes_on_alike_and_an_old_state_is_taken(self):
        plant, other, old = calm(), calm(), calm()
        plant.fault("lanes_blocked", "cane_wash", health_frac=0.6, machine=1)
        plant.run(HOUR)
        kept = state_of(plant)
        restore(other, kept)
        restore(
            old, kept | {"separating": {name: one for name, one in kept["separating"].items() if name != "machines"}}
        )
        for one in (plant, other, old):
            one.run(one.now_s + HOUR)
        self.assertEqual(plant.truth("cane_wash_loss"), other.truth("cane_wash_loss"))
        self.assertLess(old.truth("cane_wash_loss"), plant.truth("cane_wash_loss"))
