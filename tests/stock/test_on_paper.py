"""Numbers worked out on paper, where a wrong sign or a slip in one term would still look like a number."""

import math
from types import SimpleNamespace
from unittest import TestCase

import numpy as np

from stock.bleaching.residual import residual_left
from stock.bleaching.solutions import titrated
from stock.cooking.follow import SENSOR_C, _band_min
from stock.delivery.broke import break_fills_min
from stock.errors import DomainError
from stock.judge.witness import judge_pairs
from stock.line.balance import LineBalance, Order
from stock.line.story import Story
from stock.plan.cover import level_band
from stock.screening.unit import Stage, passed_of
from stock.slushing.batch import repulp_batch
from stock.washing.stairs import machines_of, rows_of
from tests.line import hallin_reach


class Residuals(TestCase):
    USUAL = {
        "reference_charge_kg_per_bdt": 10.0, "reference_residual_kg_per_bdt": 0.5, "reference_min": 150.0,
        "reference_c": 70.0, "instant_frac": 0.7,
    }  # fmt: skip

    def left(self, charge=10.0, minutes=150.0, celsius=70.0, **more):
        return residual_left(charge_kg_per_bdt=charge, time_min=minutes, temperature_c=celsius, **self.USUAL | more)

    def test_at_its_usual_it_leaves_what_it_usually_leaves(self):
        self.assertAlmostEqual(self.left(), 0.5)
        self.assertAlmostEqual(self.left(minutes=0.0), 3.0)  # seven of ten are eaten at once
        self.assertAlmostEqual(self.left(minutes=75.0), math.sqrt(3.0 * 0.5))

    def test_ten_degrees_are_as_good_as_twice_the_time_and_metals_as_much_more(self):
        self.assertAlmostEqual(self.left(celsius=80.0), self.left(minutes=300.0))
        self.assertAlmostEqual(self.left(celsius=60.0), self.left(minutes=75.0))
        self.assertAlmostEqual(self.left(metals_ratio=1.0), self.left(minutes=300.0))
        self.assertAlmostEqual(self.left(celsius=80.0, metals_ratio=1.0), self.left(minutes=600.0))

    def test_what_a_harder_pulp_eats_at_once_is_missing_after(self):
        self.assertAlmostEqual(self.left(minutes=0.0, demand_ratio=1.2), 10 - 0.7 * 10 * 1.2)
        self.assertEqual(self.left(demand_ratio=1.5), 0.0)
        self.assertAlmostEqual(self.left(charge=12.0, minutes=0.0), 5.0)

    def test_more_left_than_reacts_slowly_is_refused(self):
        self.assertGreater(self.left(reference_residual_kg_per_bdt=2.99), 2.9)
        with self.assertRaisesRegex(DomainError, "3.01 kg/BDt left of 10, 3 of which reacts slowly"):
            self.left(reference_residual_kg_per_bdt=3.01)


class Bands(TestCase):
    def test_a_chest_too_small_for_both_stops_says_how_long_it_covers(self):
        given = {
            "min_bdt": 8.0,
            "max_bdt": 40.0,
            "use_bdt_per_h": 10.0,
            "make_bdt_per_h": 12.0,
            "downstream_stop_h": 1.5,
        }
        found = level_band(upstream_stop_h=1.4, **given)
        self.assertAlmostEqual(found.low_bdt, found.high_bdt)
        with self.assertRaisesRegex(DomainError, r"it covers 1\.4 h upstream") as caught:
            level_band(upstream_stop_h=1.5, **given)
        self.assertEqual(caught.exception.allowed, "1.4 h or less")
        with self.assertRaises(DomainError) as caught:
            level_band(upstream_stop_h=1.0, **given | {"downstream_stop_h": 3.0})
        self.assertEqual(caught.exception.allowed, "0.0 h or less")

    def test_how_far_the_end_of_a_cook_may_move_grows_with_what_is_left(self):
        def rate(recipe, celsius, kpa):
            return math.exp(0.1 * (celsius - 170))

        facts = SimpleNamespace(
            now_min=100.0, way=SimpleNamespace(rate=rate), recipe=SimpleNamespace(cook_c=170.0),
            pressure=SimpleNamespace(value=700.0),
        )  # fmt: skip
        share = math.tanh(0.1 * SENSOR_C)
        self.assertAlmostEqual(_band_min(facts, 400.0), 300 * share)
        self.assertEqual(_band_min(facts, 101.0), 1.0)
        self.assertEqual(_band_min(facts, 40.0), 1.0)  # past its end
        still = SimpleNamespace(**vars(facts) | {"way": SimpleNamespace(rate=lambda *_: 0.0)})
        self.assertEqual(_band_min(still, 400.0), 1.0)
        slow = SimpleNamespace(**vars(facts) | {"way": SimpleNamespace(rate=lambda *given: rate(*given) / 1000)})
        self.assertAlmostEqual(_band_min(slow, 400.0), 300 * share)


class Batches(TestCase):
    def test_bales_too_wet_say_what_they_give(self):
        wet = [{"bales_count": 2.0, "unit_kg": 500.0, "dryness_pct": 20.0}]
        with self.assertRaisesRegex(DomainError, r"wetter than 25 %; they give 20\.0 % with no water") as caught:
            repulp_batch(items=wet, target_consistency_pct=25.0, usable_volume_m3=20.0)
        self.assertEqual(caught.exception.allowed, "20.0 % or less")
        found = repulp_batch(items=wet, target_consistency_pct=20.0, usable_volume_m3=20.0)
        self.assertAlmostEqual(found[1], 0.0)

    def test_a_heel_and_what_comes_with_chemicals_count_as_water(self):
        dry = [{"bales_count": 4.0, "unit_kg": 250.0, "dryness_pct": 90.0}]
        alone = repulp_batch(items=dry, target_consistency_pct=15.0, usable_volume_m3=20.0)
        self.assertAlmostEqual(alone[1], 900 / 0.15 - 1000)
        more = repulp_batch(
            items=dry, target_consistency_pct=15.0, usable_volume_m3=20.0, heel_od_kg=30.0, heel_water_kg=170.0,
            chemical_water_kg=50.0,
        )  # fmt: skip
        self.assertAlmostEqual(more[0], 930.0)
        self.assertAlmostEqual(more[1], 930 / 0.15 - 1000 - 30 - 170 - 50)


class ScreensPass(TestCase):
    def stage(self, rate, quotient=0.9):
        return Stage(
            name="first",
            mass_reject_frac=rate,
            volumetric_reject_frac=2 * rate,
            feed_consistency_pct=1.0,
            quotient=quotient,
        )

    def test_what_one_stage_rejects_is_lost_within_its_limits(self):
        for times, rejected in ((1.0, 0.1), (2.0, 0.2), (0.5, 0.05), (0.01, 0.02), (50.0, 0.6)):
            fibre, debris = passed_of([self.stage(0.1)], times)
            with self.subTest(times):
                self.assertAlmostEqual(fibre, 1 - rejected)
                self.assertLess(debris, fibre)

    def test_a_leak_passes_what_was_never_screened(self):
        whole, leaking = passed_of([self.stage(0.1)]), passed_of([self.stage(0.1)], leak_frac=0.25)
        self.assertAlmostEqual(whole[0], leaking[0])
        self.assertAlmostEqual(1 - leaking[1], 0.75 * (1 - whole[1]))


class Washers(TestCase):
    def test_stray_water_runs_into_the_first_tank_alone(self):
        machines = machines_of(hallin_reach().unit("wood_wash"))
        rows = rows_of(machines, [4.0] * len(machines), 0.6)
        self.assertEqual([one["added_t_per_bdt"] for one in rows], [0.6] + [0.0] * (len(machines) - 1))
        self.assertEqual({one["added_t_per_bdt"] for one in rows_of(machines, [4.0] * len(machines))}, {0.0})


class Pairs(TestCase):
    def test_where_the_instrument_stands_still_there_is_no_slope_and_scatter_is_that_of_the_pairs(self):
        still, lab = np.full(10, 3.5), 3.5 + 0.05 * np.array([1, -1] * 5)
        found = judge_pairs(still, lab, 0.05, 0.10)
        self.assertIsNone(found.slope_ratio)
        # chi-square of 9 at 99 % is 21.67: the ratio of variances may be 2.41
        sd = float((still - lab).std(ddof=1))
        self.assertNotEqual(judge_pairs(still, lab, sd / math.sqrt(2.40), 0.10).decision_word, "investigate")
        self.assertEqual(judge_pairs(still, lab, sd / math.sqrt(2.42), 0.10).decision_word, "investigate")


class Solutions(TestCase):
    def test_a_stage_is_given_what_is_titrated_where_it_is_of_its_strength(self):
        line = hallin_reach()
        for unit in line.units:
            for at, dose in (
                titrated(line, unit).items() if hasattr(unit, "stages") and hasattr(unit, "chemical") else ()
            ):
                target = line.tag(dose.tag_of("strength")).band.target
                self.assertLess(abs(unit.stages[at].solution_g_per_l - target), 0.3 * target)
        unit = line.unit("wood_bleach")
        found = titrated(line, unit)
        self.assertTrue(found)
        at, dose = next(iter(found.items()))
        target = line.tag(dose.tag_of("strength")).band.target
        for strength, given in (
            (1.29 * target, True),
            (1.31 * target, False),
            (0.71 * target, True),
            (0.69 * target, False),
        ):
            stages = list(unit.stages)
            stages[at] = stages[at].model_copy(update={"solution_g_per_l": strength})
            with self.subTest(strength):
                self.assertEqual(at in titrated(line, unit.model_copy(update={"stages": stages})), given)


class Starts(TestCase):
    def test_a_tag_without_a_band_starts_in_the_middle_of_what_is_plausible(self):
        line, story = hallin_reach(), Story()
        for tag in line.tags:
            wanted = sum(tag.plausible) / 2 if tag.band is None else tag.band.target
            self.assertEqual(story.starts(line, tag.id), wanted)


class Breaks(TestCase):
    def test_a_break_fills_in_proportion_to_the_room_there_is(self):
        line = hallin_reach()
        result = LineBalance(line).solve(Order.of(line.grades[0]))
        unit = next(one for one in line.units if break_fills_min(line, result, one.id, 50.0) is not None)
        at = {
            level: break_fills_min(line, result, unit.id, level) for level in (unit.high_pct - 40, unit.high_pct - 10)
        }
        longer, shorter = at.values()
        self.assertAlmostEqual(longer / shorter, 4.0)
        self.assertIsNone(break_fills_min(line, result, unit.id, unit.high_pct))
        self.assertIsNone(break_fills_min(line, result, unit.id, 100.0))
        self.assertIsNone(break_fills_min(line, result, "nothing", 10.0))
