"""How often cooks are begun, and what is expected of a vessel they are blown into: each by hand."""

from unittest import TestCase

import numpy as np

from stock.simulate.batches import PACE_S, PULL
from stock.simulate.outlook import COVER, Blow, Course, _two_levels
from stock.simulate.plant import Plant
from tests.line import hallin_reach


class Pace(TestCase):
    def setUp(self) -> None:
        self.plant = Plant(hallin_reach(), dt_s=20, rides=False)
        self.batches = self.plant.batches
        self.house = self.batches.houses[0]
        self.drawn = next(driven for one, driven in self.plant.plan.drawn_by if one == 0)
        self.row = self.batches.targets[0]
        self.usual_t = self.plant.layout.holders[self.row].content_t
        self.rest_s = 3600 * self.house.charge_bdt / self.batches.chips_t_per_h[0]

    def interval(self, *, drawn_times: float = 1.0, level_times: float = 1.0, passed_s: float = PACE_S) -> float:
        """Return the interval of the cooks over the one at rest."""
        self.batches.asked[0] = 1.0
        self.plant.flow[self.drawn] = drawn_times * self.plant.design[self.drawn]
        self.plant.mass[self.row] *= level_times * self.usual_t / self.plant.content(self.row)
        self.batches._pace(0, passed_s)
        return self.house.every_s / self.rest_s

    def test_at_rest_it_is_what_a_charge_lasts(self) -> None:
        self.assertAlmostEqual(self.interval(), 1.0, places=9)

    def test_twice_the_draw_halves_it_in_its_time_and_half_of_that_in_half(self) -> None:
        self.assertAlmostEqual(self.interval(drawn_times=2.0), 1 / 2, places=9)
        self.assertAlmostEqual(self.interval(drawn_times=2.0, passed_s=PACE_S / 2), 1 / 1.5, places=9)

    def test_a_full_tank_puts_it_off_and_a_low_one_brings_it_on_to_a_bound(self) -> None:
        self.assertAlmostEqual(self.interval(level_times=1.2), 1 + 0.2 * PULL, places=9)
        self.assertAlmostEqual(self.interval(level_times=0.8), 1 - 0.2 * PULL, places=9)
        self.assertAlmostEqual(self.interval(level_times=1.9), 1 + 0.5 * PULL, places=9)
        self.assertAlmostEqual(self.interval(level_times=0.2), 1 - 0.5 * PULL, places=9)

    def test_nothing_drawn_does_not_end_them(self) -> None:
        self.assertAlmostEqual(self.interval(drawn_times=0.0, passed_s=100 * PACE_S), 1 / 0.05, places=9)


class Bands(TestCase):
    HOURS = (0.0, 1.0, 2.0, 3.0, 4.0)

    def course(self, levels: list[float], sd: float, blows: list[Blow]) -> Course:
        return _two_levels("tank", self.HOURS, levels, [sd] * len(self.HOURS), blows, 100.0, (15, 85), 20)

    def blow(self, at_h: float, sd_h: float) -> Blow:
        return Blow(at_h=at_h, unit="tank", bdt=20.0, sd_h=sd_h, long_h=0.25)

    def test_where_nothing_is_in_doubt_the_band_is_the_course(self) -> None:
        levels = [40.0, 40.0, 60.0, 55.0, 50.0]
        found = self.course(levels, 0.0, [self.blow(1.5, 0.0)])
        for edge in (found.low_pct, found.high_pct):
            self.assertTrue(np.allclose(edge, levels))

    def test_a_level_in_doubt_has_a_band_of_its_share_about_it(self) -> None:
        found = self.course([50.0] * 5, 4.0, [])
        half = 4.0 * 1.2816  # eight in ten of a normal distribution
        self.assertAlmostEqual(COVER, 0.8)
        self.assertAlmostEqual(found.low_pct[2], 50 - half, delta=0.6)
        self.assertAlmostEqual(found.high_pct[2], 50 + half, delta=0.6)

    def test_a_blow_in_doubt_is_a_band_of_its_rise_while_it_may_come_and_none_before_and_after(self) -> None:
        found = self.course([40.0, 40.0, 50.0, 60.0, 60.0], 0.0, [self.blow(2.0 - 0.125, 0.3)])
        self.assertTrue(np.allclose([found.low_pct[0], found.high_pct[0]], 40.0))
        self.assertTrue(np.allclose([found.low_pct[4], found.high_pct[4]], 60.0))
        self.assertAlmostEqual(found.low_pct[2], 40.0, delta=0.5)
        self.assertAlmostEqual(found.high_pct[2], 60.0, delta=0.5)

    def test_how_likely_it_leaves_its_span_is_counted(self) -> None:
        found = self.course([15.0, 85.0, 50.0, 11.0, 89.0], 4.0, [])
        for at, (below, above) in enumerate(((0.5, 0.0), (0.0, 0.5), (0.0, 0.0), (0.84, 0.0), (0.0, 0.84))):
            with self.subTest(self.HOURS[at]):
                self.assertAlmostEqual(found.chance_low[at], below, delta=0.06)
                self.assertAlmostEqual(found.chance_over[at], above, delta=0.06)
