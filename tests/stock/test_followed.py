"""What a move did, when it arrives, how good a forecast was: the reference's examples, and what must hold of them."""

import numpy as np
from django.test import SimpleTestCase
from scipy.linalg import expm

from stock.errors import DomainError
from stock.judge.followed import learned_gain, move_estimate, move_tell, move_verdict
from stock.plan.ahead import level_ahead_sd
from stock.plan.chain import arrival_h, chain_step, chain_time

LAB = {
    "times_each_min": [-360, -240, -120, 0, 150, 270, 390],
    "values_each_read": [81.7, 82.1, 81.8, 82.0, 82.1, 82.9, 82.6],
    "value_sd_read": 0.2, "move_min": 0, "effect_expected_read": 0.9, "dead_min": 120, "taus_each_min": [40],
    "process_sd_read": 0.35, "process_correlation_min": 240,
}  # fmt: skip


class Estimates(SimpleTestCase):
    """What a move did, by generalised least squares."""

    def test_a_laboratory_tells_little_alone_and_more_with_the_long_run(self) -> None:
        alone = move_estimate(**LAB)
        known = move_estimate(**LAB, level_read=82.0, level_sd_read=0.15)
        self.assertAlmostEqual(alone.did_ratio, 0.949, delta=0.003)
        self.assertAlmostEqual(alone.did_sd_ratio, 0.452, delta=0.003)
        self.assertAlmostEqual(known.did_ratio, 0.839, delta=0.003)
        self.assertAlmostEqual(known.did_sd_ratio, 0.392, delta=0.003)

    def test_nothing_done_is_called_a_change_one_time_in_twenty(self) -> None:
        rng = np.random.default_rng(4)
        times = np.arange(-30, 31, 1.0)
        phi, changed, runs = np.exp(-1 / 6), 0, 400
        for _ in range(runs):
            wander = np.zeros(len(times))
            wander[0] = 0.012 * rng.standard_normal()
            for index in range(1, len(times)):
                wander[index] = phi * wander[index - 1] + 0.012 * np.sqrt(1 - phi**2) * rng.standard_normal()
            found = move_estimate(
                times_each_min=times.tolist(), values_each_read=(3.5 + wander + 0.008 * rng.standard_normal(len(times))).tolist(),
                value_sd_read=0.008, move_min=0, effect_expected_read=-0.14, dead_min=0.5, taus_each_min=[3],
                process_sd_read=0.012, process_correlation_min=6,
            )  # fmt: skip
            changed += abs(found.did_ratio) > 1.96 * found.did_sd_ratio
        self.assertLess(changed / runs, 0.09)

    def test_too_little_to_judge_is_refused_with_why(self) -> None:
        for changed, code in (
            ({"times_each_min": [1, 2, 3, 4], "values_each_read": [1, 1, 1, 1]}, "E_COUNT"),
            ({"effect_expected_read": 0.0}, "E_RANGE"),
            ({"values_each_read": [1.0, 2, 3, 4]}, "E_COUNT"),
        ):
            with self.subTest(code=code), self.assertRaises(DomainError) as caught:
                move_estimate(**{**LAB, **changed})
            self.assertEqual(caught.exception.code, code)


class Words(SimpleTestCase):
    """The plain word on a move, when it can be said, what moves teach."""

    def test_each_word(self) -> None:
        for ratio, sd, word in (
            (0.99, 0.11, "worked"), (0.55, 0.08, "less"), (0.10, 0.12, "no_effect"), (0.03, 0.39, "unclear"),
            (-0.6, 0.2, "wrong_way"), (1.7, 0.15, "more"),
        ):  # fmt: skip
            with self.subTest(ratio=ratio):
                self.assertEqual(move_verdict(did_ratio=ratio, did_sd_ratio=sd).verdict_word, word)

    def test_when_it_can_be_told(self) -> None:
        steady = {
            "dead_min": 0.5,
            "taus_each_min": [3],
            "value_sd_read": 0.008,
            "sample_min": 1,
            "process_sd_read": 0.012,
        }
        quick = move_tell(effect_expected_read=-0.14, **steady, process_correlation_min=6, before_count=30)
        self.assertEqual(quick.tell_min, 6)
        slow = {
            "dead_min": 120,
            "taus_each_min": [40],
            "value_sd_read": 0.2,
            "sample_min": 120,
            "process_sd_read": 0.35,
        }
        rest = {"process_correlation_min": 240, "before_count": 12, "report_min": 30}
        self.assertEqual(move_tell(effect_expected_read=0.9, **slow, **rest).tell_min, 510)
        never = move_tell(effect_expected_read=0.5, **slow, **rest)
        self.assertEqual(never.tell_min, 0)
        self.assertAlmostEqual(never.detectable_read, 0.57, delta=0.01)

    def test_a_gain_is_learned_slowly_and_never_from_the_good_ones_alone(self) -> None:
        three = learned_gain(did_each_ratio=[0.72, 0.85, 0.64], did_sd_each_ratio=[0.15, 0.20, 0.12])
        self.assertAlmostEqual(three.gain_ratio, 0.744, delta=0.002)
        self.assertFalse(three.ready_count)
        one = learned_gain(did_each_ratio=[0.5], did_sd_each_ratio=[0.2])
        self.assertAlmostEqual(one.gain_ratio, 0.679, delta=0.002)
        apart = learned_gain(did_each_ratio=[0.4, 1.3, 0.7, 1.1, 0.5], did_sd_each_ratio=[0.15] * 5)
        self.assertAlmostEqual(apart.between_sd_ratio, 0.357, delta=0.002)
        self.assertFalse(apart.ready_count)
        alike = learned_gain(did_each_ratio=[0.6] * 6, did_sd_each_ratio=[0.1] * 6)
        self.assertTrue(alike.ready_count)
        with self.assertRaises(DomainError) as caught:
            learned_gain(did_each_ratio=[0.6, 0.7], did_sd_each_ratio=[0.1])
        self.assertEqual((caught.exception.code, caught.exception.argument), ("E_COUNT", "did_sd_each_ratio"))


class Arrivals(SimpleTestCase):
    """When a change arrives, with steady and varying rates."""

    WAY = {"taus_each_bdt": [30, 40, 12], "plug_bdt": 6}

    def test_at_one_rate_with_a_cut_and_with_a_stop(self) -> None:
        for segments, wanted in (
            ([(0, 9.5)], (2.788, 8.109, 19.677)),
            ([(0, 9.5), (3, 6.0)], (2.788, 11.089, 29.406)),
            ([(0, 9.5), (3, 0.0), (4, 9.5)], (2.788, 9.109, 20.677)),
        ):
            rows = [{"from_h": hour, "draw_bdt_per_h": rate} for hour, rate in segments]
            found = arrival_h(segments=rows, **self.WAY)
            with self.subTest(segments=segments):
                for one, other in zip(found, wanted, strict=True):
                    self.assertAlmostEqual(one, other, delta=0.003)

    def test_what_never_arrives_is_refused(self) -> None:
        rows = [{"from_h": 0, "draw_bdt_per_h": 9.5}, {"from_h": 1, "draw_bdt_per_h": 0.0}]
        with self.assertRaises(DomainError) as caught:
            arrival_h(segments=rows, **self.WAY)
        self.assertEqual(caught.exception.code, "E_INFEASIBLE")

    def test_the_chain_and_its_inverse_agree_and_never_fall(self) -> None:
        taus, dead = [6.0, 2.0], 0.9
        self.assertAlmostEqual(chain_time(come_frac=0.5, taus_each_h=taus, dead_h=dead), 7.245, delta=0.002)
        come = [chain_step(time_h=float(hour), taus_each_h=taus, dead_h=dead) for hour in np.linspace(0, 60, 61)]
        self.assertEqual(come, sorted(come))
        self.assertGreater(come[-1], 0.999)

    def test_it_is_the_matrix_exponential_whether_its_vessels_differ_or_are_alike(self) -> None:
        rng = np.random.default_rng(3)
        for case in range(300):
            taus = 10 ** rng.uniform(-2, 1.5, rng.integers(2, 7))
            if case % 3 == 0:
                taus[1] = taus[0] * (1 + 10 ** rng.uniform(-12, -1))
            if case % 10 == 0:
                taus[:] = taus[0]
            count = len(taus)
            rates = np.diag([*-1 / taus, 0.0]) + np.diag([*1 / taus[1:], 0.0], -1)
            rates[count, count - 1], rates[0, count] = 0.0, 1 / taus[0]  # the last is what comes in, and stays
            for time in rng.uniform(0, 4 * taus.sum(), 3):
                with self.subTest(taus=list(taus), time=time):
                    come = chain_step(time_h=time + 0.5, taus_each_h=list(taus), dead_h=0.5)
                    self.assertAlmostEqual(come, expm(rates * time)[count - 1, count], delta=1e-9)

    def test_the_band_of_a_level_only_widens(self) -> None:
        given = {
            "level_sd_bdt": 0.4,
            "rate_bias_sd_bdt_per_h": 0.10,
            "flow_sd_bdt_per_h": 0.35,
            "flow_correlation_h": 0.5,
        }
        found = [level_ahead_sd(time_h=hour, **given).sd_bdt for hour in (0.0, 1.0, 4.0, 12.0)]
        for one, wanted in zip(found, (0.4, 0.489, 0.865, 1.735), strict=True):
            self.assertAlmostEqual(one, wanted, delta=0.002)
