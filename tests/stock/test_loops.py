"""Controllers, valves, steam and means: what must hold of them, and what they refuse."""

from django.test import SimpleTestCase

from stock.errors import DomainError
from stock.simulate.loops import (
    controller_step,
    level_tuning,
    mass_closure,
    mean_of_correlated,
    steam_shared,
    valve_step,
)

PI = {
    "setpoint_read": 3.5,
    "measured_read": 3.56,
    "error_before_read": -0.05,
    "output_before_pct": 40.0,
    "gain_ratio": -23.49,
}


class Loops(SimpleTestCase):
    def test_at_a_limit_it_stays_and_says_so_and_comes_off_at_once(self) -> None:
        held = controller_step(**{**PI, "measured_read": 3.60, "output_before_pct": 99.5}, reset_s=8, dt_s=1)
        self.assertEqual((held.output_pct, held.limited_count), (100.0, 1.0))
        back = controller_step(**{**PI, "measured_read": 3.4, "output_before_pct": held.output_pct}, reset_s=8, dt_s=1)
        self.assertLess(back.output_pct, 100)

    def test_what_cannot_be_is_refused_by_name(self) -> None:
        for changed, code, argument in (
            ({"gain_ratio": 0.0}, "E_RANGE", "gain_ratio"),
            ({"dt_s": 5}, "E_RANGE", "dt_s"),
            ({"low_pct": 80.0, "high_pct": 20.0}, "E_ORDER", "low_pct"),
        ):
            with self.subTest(argument=argument), self.assertRaises(DomainError) as caught:
                controller_step(**{**PI, "reset_s": 8, "dt_s": 1, **changed})
            self.assertEqual((caught.exception.code, caught.exception.argument), (code, argument))

    def test_a_tuned_level_meets_a_step_with_the_swing_it_was_allowed(self) -> None:
        tuned = level_tuning(allowed_bdt=0.768, step_bdt_per_h=1.5)
        content, feed, error_before, peak, dt_h = 0.0, 0.0, 0.0, 0.0, 1 / 3600
        for _ in range(int(4 * tuned.arrest_h / dt_h)):
            error = -content
            feed += tuned.gain_per_h * (error - error_before + dt_h / tuned.reset_h * error)
            error_before = error
            content += dt_h * (1.5 + feed)
            peak = max(peak, content)
        self.assertAlmostEqual(peak, 0.768, delta=0.002)

    def test_a_valve_rests_inside_its_stick_and_never_passes_its_goal(self) -> None:
        self.assertEqual(valve_step(position_before_pct=40, command_pct=40.4, dt_s=1, stroke_s=20, stick_pct=0.5), 40)
        at = 0.0
        for _ in range(60):
            at = valve_step(position_before_pct=at, command_pct=63, dt_s=1, stroke_s=20)
        self.assertEqual(at, 63)

    def test_steam_is_never_more_than_there_is_nor_than_was_asked(self) -> None:
        for rank in (None, [3, 1, 2]):
            found = steam_shared(demands_t_per_h=[9, 7, 5], cap_t_per_h=16, rank_each_count=rank)
            self.assertLessEqual(sum(found.granted_each_t_per_h), 16 + 1e-9)
            self.assertTrue(
                all(got <= asked + 1e-9 for got, asked in zip(found.granted_each_t_per_h, [9, 7, 5], strict=True))
            )
            self.assertEqual(found.short_t_per_h, 5)
        with self.assertRaises(DomainError):
            steam_shared(demands_t_per_h=[9, 7, 5], cap_t_per_h=16, rank_each_count=[1, 2])

    def test_readings_that_go_together_are_worth_less_than_their_number(self) -> None:
        found = mean_of_correlated(sd_read=0.02, correlation_s=600, sample_s=60, readings_count=10)
        self.assertAlmostEqual(found.sd_mean_read, 0.01719, delta=1e-4)
        self.assertAlmostEqual(found.effective_count, 1.35, delta=0.01)
        strangers = mean_of_correlated(sd_read=0.02, correlation_s=1, sample_s=600, readings_count=10)
        self.assertAlmostEqual(strangers.effective_count, 10, delta=1e-6)

    def test_what_became_something_else_is_accounted_for(self) -> None:
        self.assertAlmostEqual(mass_closure(in_t=10, out_t=6, change_t=3, reacted_t=1), 0)
        self.assertAlmostEqual(mass_closure(in_t=10, out_t=6, change_t=3), 0.1)
