"""Screens and cleaners as one system: what comes in goes out, what is beyond a stage is said, the tail is looked at first."""

from unittest import TestCase

import numpy as np

from stock.errors import DomainError
from stock.figure import Datum, Origin
from stock.screening.system import run, tail_first
from stock.screening.unit import Stage

RATE = Datum(8.0, Origin("set", "a test"))
CAME_PCT = 2.8


def screens(*more: Stage) -> list[Stage]:
    """Three stages of pressure screens, the accepts of each going back to the one before."""
    return [
        Stage(name="First", mass_reject_frac=0.20, volumetric_reject_frac=0.16, feed_consistency_pct=2.2, screen_m2=2.2,
              open_frac=0.06, clean_kpa=24, clean_l_per_min=6000),
        Stage(name="Second", mass_reject_frac=0.25, volumetric_reject_frac=0.18, feed_consistency_pct=1.8),
        Stage(name="Tail", type="vibrating screen", mass_reject_frac=0.30, volumetric_reject_frac=0.20,
              feed_consistency_pct=1.2, quotient=0.9),
        *more,
    ]  # fmt: skip


class WholeSystem(TestCase):
    def test_one_stage_by_hand(self):
        one = Stage(name="Only", mass_reject_frac=0.2, volumetric_reject_frac=0.1, feed_consistency_pct=2.0, quotient=0)
        found = run([one], RATE, CAME_PCT, 10.0)
        self.assertAlmostEqual(found.lost_pct, 20)
        self.assertAlmostEqual(found.removed_pct, 20)  # a quotient of nothing takes debris as it takes fibre
        self.assertAlmostEqual(found.accept_debris_per_kg, 10.0)
        (stage,) = found.stages
        self.assertAlmostEqual(stage.flow_l_per_min, 8 / 0.02 * 1000 / 60)
        self.assertAlmostEqual(stage.dilution_t_per_h, 8 / 0.02 - 8 / 0.028)
        self.assertAlmostEqual(stage.thickening, 2.0)
        self.assertAlmostEqual(stage.reject_consistency_pct, 4.0)
        self.assertAlmostEqual(stage.accept_consistency_pct, 2.0 * 0.8 / 0.9)

    def test_fibre_debris_and_water_close_for_any_stages(self):
        rng = np.random.default_rng(5)
        for _ in range(40):
            stages = [
                Stage(
                    name=f"Stage {at}", mass_reject_frac=float(rng.uniform(0.05, 0.5)),
                    volumetric_reject_frac=float(rng.uniform(0.05, 0.3)), feed_consistency_pct=float(2.4 - 0.7 * at),
                    quotient=float(rng.uniform(0, 0.95)),
                )
                for at in range(int(rng.integers(1, 4)))
            ]  # fmt: skip
            try:
                found = run(stages, RATE, 3.2, 5.0)
            except DomainError as refused:
                self.assertEqual(refused.code, "E_INFEASIBLE")
                continue
            out_bdt = found.stages[0].accept_bdt_per_h + found.stages[-1].reject_bdt_per_h
            self.assertAlmostEqual(out_bdt, RATE.value, places=9)
            self.assertAlmostEqual(found.stages[-1].reject_bdt_per_h, found.lost_bdt_per_h, places=9)
            for one in found.stages:
                self.assertAlmostEqual(one.fed_bdt_per_h, one.accept_bdt_per_h + one.reject_bdt_per_h, places=9)
            came = 100 * RATE.value / 3.2 + sum(one.dilution_t_per_h for one in found.stages)
            first, last = found.stages[0], found.stages[-1]
            left = 0.06 * first.flow_l_per_min * (1 - first.stage.volumetric_reject_frac)
            left += 0.06 * last.flow_l_per_min * last.stage.volumetric_reject_frac
            self.assertAlmostEqual(came, left, places=6)  # water goes where the fibre went, and nowhere else
            kept = found.accept_debris_per_kg * (RATE.value - found.lost_bdt_per_h)
            self.assertAlmostEqual(kept + 5.0 * RATE.value * found.removed_pct / 100, 5.0 * RATE.value, places=6)

    def test_better_screens_take_more_debris_and_lose_no_more_fibre(self):
        poor, good = (
            run([one.model_copy(update={"quotient": quotient}) for one in screens()], RATE, CAME_PCT, 10.0)
            for quotient in (0.5, 0.95)
        )
        self.assertGreater(good.removed_pct, poor.removed_pct)
        self.assertAlmostEqual(good.lost_pct, poor.lost_pct)

    def test_a_stage_thicker_than_what_comes_to_it_is_refused_by_name(self):
        thick = screens()
        thick[1] = thick[1].model_copy(update={"feed_consistency_pct": 4.5})
        with self.assertRaisesRegex(DomainError, "Second at 4.5 % is thicker than what comes to it") as refused:
            run(thick, RATE, CAME_PCT, 1.0)
        self.assertEqual(refused.exception.argument, "stage-1-feed")
        most = float(refused.exception.allowed.split()[0])
        thick[1] = thick[1].model_copy(update={"feed_consistency_pct": most - 0.01})
        run(thick, RATE, CAME_PCT, 1.0)  # what it says is allowed is
        with self.assertRaises(DomainError) as none:
            run([], RATE, CAME_PCT, 1.0)
        self.assertEqual(none.exception.code, "E_COUNT")


class OneStage(TestCase):
    def test_what_a_stage_does_not_bear_is_said(self):
        self.assertEqual(run(screens(), RATE, CAME_PCT, 1.0).stages[0].doubts, [])
        plugs = screens()
        plugs[2] = plugs[2].model_copy(update={"mass_reject_frac": 0.5, "volumetric_reject_frac": 0.2})
        self.assertIn("rejects thicken 2.5 times; above 2", run(plugs, RATE, CAME_PCT, 1.0).stages[2].doubts[0])
        fast = screens()
        fast[0] = fast[0].model_copy(update={"screen_m2": 0.3})
        self.assertIn("m/s in the slots; usual is 0.5 to 2", run(fast, RATE, CAME_PCT, 1.0).stages[0].doubts[0])

    def test_cleaners_are_counted_by_their_flow_and_bear_more_thickening(self):
        bank = Stage(
            name="Cleaners", type="cleaner", mass_reject_frac=0.2, volumetric_reject_frac=0.08, feed_consistency_pct=0.8,
            installed=20, each_l_per_min=500, each_kpa=120,
        )  # fmt: skip
        (found,) = run([bank], RATE, CAME_PCT, 1.0).stages
        self.assertAlmostEqual(found.cleaners or 0, 8 / 0.008 * 1000 / 60 / 500)
        self.assertIsNone(found.passage)
        self.assertIsNone(found.velocity_m_per_s)
        self.assertEqual(found.doubts, ["33 cleaners would be filled, 20 are there"])
        self.assertAlmostEqual(found.drop_kpa or 0, 120 * (8 / 0.008 * 1000 / 60 / 20 / 500) ** 2)

    def test_a_passage_shows_in_the_thickening(self):
        first = run(screens(), RATE, CAME_PCT, 1.0).stages[0]
        self.assertAlmostEqual(0.16 ** ((first.passage or 0) - 1), 0.20 / 0.16, places=6)


class TheTail(TestCase):
    def test_it_saves_what_the_two_systems_differ_by(self):
        found = tail_first(screens(), RATE, CAME_PCT)
        assert found is not None
        words, saved = found
        lower = screens()
        lower[2] = lower[2].model_copy(update={"mass_reject_frac": 0.27, "volumetric_reject_frac": 0.18})
        before, after = (run(one, RATE, CAME_PCT, 1.0).lost_bdt_per_h for one in (screens(), lower))
        self.assertAlmostEqual(saved, 24 * (before - after))
        self.assertGreater(saved, 0)
        self.assertIn("Tail 30 to 27 % by mass saves", words)

    def test_where_it_has_no_room_it_says_nothing(self):
        tight = screens()
        tight[2] = tight[2].model_copy(update={"mass_reject_frac": 0.052, "volumetric_reject_frac": 0.04})
        self.assertIsNone(tail_first(tight, RATE, CAME_PCT))


class SavedByTheTail(TestCase):
    def test_what_hardly_dirties_the_accepts_is_told_without_a_sign(self):
        def stages(count):
            return [
                Stage(name=f"stage {at}", mass_reject_frac=0.2, volumetric_reject_frac=0.1, feed_consistency_pct=1.2)
                for at in range(count)
            ]

        rate = Datum(8.0, Origin("set", "x"))
        short, _ = tail_first(stages(1), rate, 2.0)
        self.assertRegex(short, r"debris in accepts \+\d+ %$")
        long, saved = tail_first(stages(6), rate, 2.0)
        self.assertTrue(long.endswith("debris in accepts as it is"), long)
        self.assertGreater(saved, 0)
