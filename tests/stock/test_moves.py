"""The size of a first move, two witnesses, charts of a run: figures worked by hand, and what hurried people give them."""

from unittest import TestCase

import numpy as np

from stock.errors import DomainError
from stock.judge.charts import drift, held, individuals, run_to_signal, shift
from stock.judge.move import first_step, look_again
from stock.judge.witness import pairs_check, transmitter_bias

DULL = {"value_read": 81.9, "target_read": 83.5, "full_correction_moved": 5.74, "test_sd_read": 0.2}


class FirstStep(TestCase):
    def step(self, **changes):
        return first_step(**{**DULL, "process_sd_read": 0.3, **changes})

    def what(self, **changes):
        found = self.step(**changes)
        return found.step_moved, found.bound_word

    def test_a_setting_is_the_present_one_and_the_step(self):
        self.assertEqual(self.step(cap_moved=2.4, present_moved=12.0).setting_moved, 14.4)

    def test_one_result_earns_half_of_the_correction_less_what_its_error_takes(self):
        found = self.step()
        self.assertAlmostEqual(found.gain_frac, 0.5 * (1 - 0.13 / 1.6**2), 6)
        self.assertAlmostEqual(found.step_moved, 5.74 * found.gain_frac, 9)
        self.assertEqual(found.bound_word, "")

    def test_more_results_earn_more(self):
        gains = [self.step(results_count=count).gain_frac for count in (1, 2, 3, 9)]
        self.assertEqual(gains, sorted(gains))
        self.assertLess(gains[-1], 0.8)

    def test_what_it_cannot_do_is_cut_and_named(self):
        self.assertEqual(self.what(cap_moved=2.4), (2.4, "cap"))
        self.assertEqual(self.what(cap_moved=2.4, room_up_moved=1.0), (1.0, "room_up"))
        self.assertEqual(self.step(room_down_moved=1.0).bound_word, "")
        down = self.what(value_read=85.1, full_correction_moved=-5.74, room_down_moved=0)
        self.assertEqual(down, (0.0, "room_down"))

    def test_inside_the_band_or_the_test_s_error_it_is_left(self):
        self.assertEqual(self.what(value_read=83.0), (0.0, "test"))
        self.assertEqual(self.step(control_low_read=81, control_high_read=84).bound_word, "band")
        self.assertEqual(first_step(**{**DULL, "value_read": 83.5, "test_sd_read": 0.0}).bound_word, "test")

    def test_a_band_upside_down_is_refused_by_name(self):
        with self.assertRaises(DomainError) as caught:
            self.step(control_low_read=84, control_high_read=81)
        self.assertEqual((caught.exception.code, caught.exception.argument), ("E_ORDER", "control_low_read"))

    def test_when_to_look_again(self):
        self.assertEqual(look_again(dead_min=4, plug_min=150, mixed_each_min=[12]), (166, 265))
        self.assertEqual(look_again(dead_min=4), (4, 4))


class Witnesses(TestCase):
    def setUp(self):
        self.seen = np.array([3.40, 3.52, 3.61, 3.38, 3.70, 3.45, 3.58, 3.66])
        self.noise = np.array([0.01, -0.02, 0.015, 0.0, -0.01, 0.02, -0.015, 0.0])

    def check(self, lab, **changes):
        return transmitter_bias(
            **{"transmitter_pct": self.seen, "lab_pct": lab, "pair_sd_pct": 0.035, "tolerance_pct": 0.05, **changes}
        )

    def test_a_true_bias_is_trimmed_by_its_size(self):
        found = self.check(self.seen - 0.09 + self.noise)
        self.assertEqual(found.decision_word, "offset")
        self.assertAlmostEqual(found.trim_pct, -0.09, 6)

    def test_a_bias_that_does_not_matter_is_left(self):
        found = self.check(self.seen - 0.02 + self.noise)
        self.assertEqual((found.decision_word, found.trim_pct), ("leave", 0.0))

    def test_a_false_span_is_no_offset(self):
        found = self.check(3.0 + 1.5 * (self.seen - 3.0) + self.noise / 10)
        self.assertEqual(found.decision_word, "span")
        self.assertAlmostEqual(found.slope_ratio, 1.5, 1)

    def test_more_scatter_than_pads_can_have_is_looked_into(self):
        self.assertEqual(self.check(self.seen + 8 * self.noise).decision_word, "investigate")

    def test_too_wide_for_a_word_asks_for_more_pairs(self):
        found = self.check(self.seen + 3.4 * self.noise, pair_sd_pct=0.09, tolerance_pct=0.03)
        self.assertEqual(found.decision_word, "more_samples")
        self.assertGreater(found.pairs_needed_count, 8)

    def test_an_instrument_that_stands_still_has_no_slope(self):
        found = self.check(np.array([3.45, 3.44, 3.46, 3.45, 3.45]), transmitter_pct=np.full(5, 3.55))
        self.assertIsNone(found.slope_ratio)
        self.assertEqual(found.decision_word, "offset")

    def test_slope_and_its_band_are_those_of_a_straight_line(self):
        from scipy.stats import linregress, t

        lab = 3.0 + 0.9 * (self.seen - 3.0) + self.noise
        line, found = linregress(self.seen, lab), self.check(lab)
        reach = t.ppf(0.975, len(lab) - 2) * line.stderr
        self.assertAlmostEqual(found.slope_ratio, line.slope)
        self.assertAlmostEqual(found.slope_low_ratio, line.slope - reach)
        self.assertAlmostEqual(found.slope_high_ratio, line.slope + reach)
        mean, half = (
            np.mean(self.seen - lab),
            t.ppf(0.975, len(lab) - 1) * np.std(self.seen - lab, ddof=1) / len(lab) ** 0.5,
        )
        self.assertAlmostEqual(found.bias_pct, mean)
        self.assertAlmostEqual(found.half_width_pct, half)

    def test_any_unit_is_judged_the_same(self):
        same = pairs_check(
            instrument_each_read=self.seen * 100,
            lab_each_read=(self.seen - 0.09 + self.noise) * 100,
            pair_sd_read=3.5,
            tolerance_read=5,
        )
        self.assertAlmostEqual(same.trim_read, -9.0, 6)


class Runs(TestCase):
    FALLS = (82.1, 81.6, 82.0, 81.4, 81.5, 81.2, 81.6, 81.1, 81.3, 81.0)

    def test_a_slow_fall_is_caught_though_no_value_is_beyond_three_sigma(self):
        known = {"values_each_read": list(self.FALLS), "target_read": 82, "sigma_read": 0.5}
        self.assertGreater(min(self.FALLS), 82 - 3 * 0.5)
        self.assertEqual(drift(**known).signal_count, 9)
        self.assertAlmostEqual(drift(**known).stands_read, 81.489, 3)
        self.assertEqual(shift(**known).signal_count, 10)
        self.assertLess(shift(**known).stands_ratio, 0)

    def test_a_process_at_its_target_is_quiet(self):
        rng = np.random.default_rng(4)
        values = rng.normal(82, 0.5, 60).tolist()
        self.assertEqual(drift(values_each_read=values, target_read=82, sigma_read=0.5).signal_count, 0)
        self.assertEqual(shift(values_each_read=values, target_read=82, sigma_read=0.5).signal_count, 0)

    def test_false_alarms_are_as_rare_as_published(self):
        self.assertAlmostEqual(run_to_signal(slack_ratio=0.5, limit_ratio=5, shift_ratio=0), 469.1, 1)
        self.assertAlmostEqual(run_to_signal(slack_ratio=0.5, limit_ratio=5, shift_ratio=1), 10.34, 2)
        self.assertAlmostEqual(run_to_signal(slack_ratio=0.5, limit_ratio=5, shift_ratio=0.5), 6.166**2, 0)

    def test_limits_of_single_values(self):
        values = [3.51, 3.48, 3.55, 3.50, 3.46, 3.52, 3.49, 3.57, 3.53, 3.50, 3.47, 3.51]
        self.assertAlmostEqual(individuals(values_each_read=values).upper_read, 3.6284, 4)

    def test_a_value_on_its_limit_does_not_flicker(self):
        values = [89, 91, 91, 91, 88.5, 87, 86, 92]
        above = [False, False, True, True, True, True, False, False]
        self.assertEqual(held(values=values, high=90, dead_band=2), above)

    def test_a_dead_band_below_nought_and_no_delay_are_refused(self):
        for wrong in ({"dead_band": -1}, {"dead_band": 1, "on_delay": 0}):
            with self.subTest(wrong), self.assertRaises(DomainError):
                held(values=[1.0], high=0, **wrong)
