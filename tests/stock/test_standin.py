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
