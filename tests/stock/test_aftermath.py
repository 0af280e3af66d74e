"""What is said of oxidant before a reducing stage, of pulp that yellows, of pulp dissolved: each fires, sized, with its first step."""

from unittest import TestCase

from stock.bleaching.residual import so2_kills, so2_to_kill
from stock.bleaching.sequence import pulp_dissolved
from stock.decisions import REASONS, RULES
from stock.judge.advice import advise
from stock.judge.limits import judge
from stock.judge.quiet import why_quiet
from tests.stock.test_bleaching_plant import OXIDANT, P_THEN_Y, with_stages
from tests.stock.test_judge import Facts, card


class Rows(TestCase):
    def reduced(self, **readings):
        line = with_stages(P_THEN_Y, "recovered", OXIDANT)
        ((name, value),) = list(readings.items())[:1]
        tag = line.tag(name)
        return advise(RULES, tag, judge(tag, value), Facts(line, **readings))

    def test_oxidant_is_killed_before_the_reducing_stage(self):
        """0.12 g/L at 10 %: 9 m³ of liquor a tonne, 1.883 kg a kg and a tenth more: 2.237 kg/BDt; half a kilogram first."""
        found = self.reduced(left_over=0.12)
        self.assertEqual(found.rule, "oxidant_left")
        self.assertAlmostEqual(found.size.value, 2.237, places=2)
        self.assertEqual(found.step.results["step_moved"], 0.5)
        self.assertEqual(found.moved.point, "beside:cane_bleach:2:sulphur_dioxide")
        self.assertIn("titrate until nothing is left", found.correction)
        self.assertIn("never the nose", " ".join(found.carrying))

    def test_a_reducing_stage_is_given_a_kilogram_at_most_and_only_then(self):
        found = self.reduced(cane_brightness=80.0)
        self.assertEqual(found.rule, "dull_reduced")
        self.assertLessEqual(found.step.results["step_moved"], 1.0)
        self.assertEqual(found.causes[1], "oxidant left before it")
        self.assertIn("does nothing until", found.check)

    def test_pulp_that_yellows_with_residual_in_it(self):
        """0.06 g/L active chlorine at 10.5 %: 8.524 m³ a tonne, 0.9035 kg a kg and a tenth more: 0.508 kg/BDt."""
        found = card("wood_reversion", 0.8)
        self.assertEqual(found.rule, "reverts")
        self.assertAlmostEqual(found.size.value, 0.508, places=2)
        self.assertEqual(found.moved.point, "beside:wood_bleach:3:sulphur_dioxide")
        self.assertIn("pH 5 to 6", " ".join(found.carrying))

    def test_without_residual_it_is_another_cause(self):
        facts = Facts(wood_reversion=0.8, d1_residual=0.0)
        tag = facts.line.tag("wood_reversion")
        self.assertIsNone(advise(RULES, tag, judge(tag, 0.8), facts))
        self.assertIn("metals by a chelant stage", why_quiet(REASONS, tag, judge(tag, 0.8), facts))

    def test_pulp_dissolved_over_what_is_wanted(self):
        """13 kg over 54: a hundredth of the pulp."""
        found = card("wood_dissolved", 67.0)
        self.assertEqual(found.rule, "dissolves")
        self.assertAlmostEqual(found.size.value, 1.0)
        rate = Facts().flow("thick_brown").value
        self.assertIn(f"{0.24 * rate:.1f} BDt a day", found.correction)
        self.assertIn("not below 10.8", found.correction)


class Methods(TestCase):
    def test_a_tonne_an_hour_takes_as_much_by_the_hour_as_by_the_tonne(self):
        told = {"residual_g_per_l": 0.2, "chemical": "h2o2"}
        self.assertAlmostEqual(
            so2_kills(stage_consistency_pct=12, **told), so2_to_kill(liquor_m3_per_h=100 / 12 - 1, **told)
        )

    def test_less_dissolved_than_compared_with_is_below_nought(self):
        self.assertAlmostEqual(pulp_dissolved(dissolved_cod_kg_per_bdt=-13), -1.0)
