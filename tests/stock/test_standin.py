"""The stand-in: repeatable, believable, and in step with its own past."""

from itertools import pairwise
from unittest import TestCase

from standin.plant import FIRST_COOK, TO_RELIEF_S, Plant
from tests.line import hallin_reach

ANCHOR = 1_795_000_000.0


class StandIn(TestCase):
    def setUp(self):
        self.plant = Plant(hallin_reach(), 20, ANCHOR)

    def value(self, tag_id, at_s):
        return self.plant.value(hallin_reach().tag(tag_id), at_s)

    def test_the_same_seed_and_moment_give_the_same_value(self):
        again = Plant(hallin_reach(), 20, ANCHOR)
        other = Plant(hallin_reach(), 21, ANCHOR)
        tag = hallin_reach().tag("brown_cons")
        self.assertEqual(self.plant.value(tag, ANCHOR + 77), again.value(tag, ANCHOR + 77))
        self.assertNotEqual(self.plant.value(tag, ANCHOR + 77), other.value(tag, ANCHOR + 77))

    def test_every_live_value_is_possible_for_two_days(self):
        for tag in self.plant.tags:
            for hour in range(-12, 48, 3):
                value = self.plant.value(tag, ANCHOR + 3600 * hour)
                self.assertTrue(tag.plausible[0] <= value <= tag.plausible[1], (tag.id, hour, value))

    def test_the_demonstration_opens_on_its_cook(self):
        cook = self.plant.last_cook(3, ANCHOR)
        self.assertEqual(cook.number, FIRST_COOK)
        self.assertAlmostEqual(self.value("digester_3_temp", ANCHOR), 165, delta=1.5)
        self.assertLess(self.value("digester_3_temp", ANCHOR + TO_RELIEF_S + 1200), 105)

    def test_the_cane_tower_falls_and_the_transmitter_drifts(self):
        self.assertLess(self.value("cane_tower_level", ANCHOR + 5400), self.value("cane_tower_level", ANCHOR) - 3)
        self.assertGreater(self.value("brown_cons", ANCHOR + 3 * 3600), self.value("brown_cons", ANCHOR - 5 * 3600))

    def test_each_digester_is_used_in_turn(self):
        cooks = self.plant.cooks(ANCHOR - 30_000, ANCHOR)
        self.assertEqual([cook.number for cook in cooks], list(range(cooks[0].number, cooks[0].number + len(cooks))))
        turns = [cook.digester for cook in cooks]
        self.assertTrue(
            all(later % 4 == (earlier % 4) + 1 or later % 4 == (earlier + 1) % 4 for earlier, later in pairwise(turns))
        )

    def test_laboratory_rounds_and_ends_on_the_mark(self):
        newest = {}
        for tag_id, at_s, value in self.plant.laboratory(ANCHOR - 86_400, ANCHOR):
            self.assertLess(at_s, ANCHOR)
            newest.setdefault(tag_id, value)
        self.assertEqual(newest["cane_brightness"], 81.9)

    def test_a_blow_fills_the_tank_by_what_the_washers_draw_until_the_next(self):
        tag = "blow_tank_level"
        minutes = range(170)
        levels = [self.value(tag, ANCHOR + 60 * minute) for minute in minutes]
        self.assertGreater(max(levels) - min(levels), 15)
        self.assertAlmostEqual(levels[0], self.value(tag, ANCHOR + 84.4 * 60), delta=3)

    def test_a_level_turns_before_its_vessel_runs_over_or_dry(self):
        for tag in ("tower_a_level", "cane_tower_level", "tower_r_level", "slush_level"):
            action = hallin_reach().tag(tag).band.action
            levels = [self.value(tag, ANCHOR + 3600 * hour) for hour in range(0, 72, 2)]
            self.assertGreater(min(levels), action[0] - 3)
            self.assertLess(max(levels), action[1] + 3)

    def test_the_drift_stops_after_a_while(self):
        self.assertAlmostEqual(
            self.value("brown_cons", ANCHOR + 20 * 3600), self.value("brown_cons", ANCHOR + 30 * 3600), delta=0.06
        )

    def test_history_and_the_live_signal_are_one_curve(self):
        tag = hallin_reach().tag("machine_level")
        past = {at_s: value for name, at_s, value in self.plant.history(ANCHOR, ANCHOR + 600) if name == tag.id}
        for at_s, value in past.items():
            self.assertEqual(value, self.plant.value(tag, float(at_s)))

    def test_cooks_are_charged_a_little_differently_each_time(self):
        charges = {cook.charge_pct_naoh_on_wood for cook in self.plant.cooks(ANCHOR - 40_000, ANCHOR + 40_000)}
        self.assertGreater(len(charges), 5)
        self.assertTrue(all(abs(charge - 17.4) < 0.8 for charge in charges))
