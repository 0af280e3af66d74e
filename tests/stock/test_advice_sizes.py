"""Every sized correction, worked out again by hand."""

import math
from unittest import TestCase

from tests.line import hallin_reach
from tests.stock.test_judge import Facts, card


def constant(name):
    return hallin_reach().constant(name)


class ByHand(TestCase):
    def test_brown_stock_too_thick_and_too_thin(self):
        flow, water = Facts().reading("brown_flow").value, constant("white_water_pct")
        thick = card("brown_cons", 3.7)
        self.assertAlmostEqual(thick.size.value, flow * 0.2 / (3.5 - water))
        self.assertEqual(thick.correction, f"Open the dilution {thick.size.value:.0f} L/min")
        thin = card("brown_cons", 3.3)
        self.assertAlmostEqual(thin.size.value, flow * 0.2 / (3.3 - water))
        self.assertIn("Close the dilution", thin.correction)

    def test_wash_loss_sets_the_shower_through_the_dilution_factor(self):
        high = card("wash_loss", 21.0)
        wanted = high.size.data["dilution_factor_t_per_odt"].figure
        self.assertEqual(wanted.method.name, "dilution_factor_for_loss")
        pulp = Facts().flow("washed").value
        mat = constant("wash_mat_consistency_pct")
        by_hand = pulp * (wanted.value + (100 - mat) / mat) * 1000 / 60
        self.assertAlmostEqual(high.size.value, by_hand, places=6)

    def test_shives_raise_the_reject_rate(self):
        high = card("shives", 0.27)
        self.assertGreater(high.size.value, 0.20)
        self.assertLess(high.size.value, 0.60)
        self.assertRegex(high.correction, r"Set the reject rate to \d+ % by mass")

    def test_cane_short_of_peroxide(self):
        low = card("cane_brightness", 82.3)
        floor, response = constant("cane_ks_floor"), constant("cane_response_per_kg")
        now, target = ((1 - r) ** 2 / (2 * r) for r in (0.823, 0.835))
        self.assertAlmostEqual(low.size.value, ((now - floor) / (target - floor) - 1) / response)

    def test_freeness_moves_the_power_both_ways(self):
        flow = Facts().flow("wood_stored").value
        for value in (488.0, 432.0):
            found = card("wood_freeness", value)
            by_hand = flow * math.log(value / 460) / constant("refine_slope")
            self.assertAlmostEqual(found.size.value, by_hand)
            self.assertIn(f"by {abs(by_hand):.0f} kW net", found.correction)

    def test_the_bale_line_uses_its_own_flow(self):
        found = card("bale_freeness", 552.0)
        flow = Facts().flow("slush_out").value
        self.assertAlmostEqual(found.size.value, flow * math.log(552 / 520) / constant("refine_slope"))

    def test_a_thick_pulper_batch_gets_its_water(self):
        found = card("pulper_cons", 16.8)
        by_hand = constant("pulper_batch_odt") * (100 / 15.5 - 100 / 16.8)
        self.assertAlmostEqual(found.size.value, by_hand)
        self.assertTrue(found.correction.startswith("Raise water"))
        self.assertTrue(card("pulper_cons", 14.4).correction.startswith("Lower water"))

    def test_a_low_residual_raises_the_next_charge(self):
        found = card("residual_alkali", 5.5)
        self.assertAlmostEqual(found.size.value, 0.1 * (8.5 - 5.5) * 4.0)
        self.assertEqual(found.correction, "Raise the next charge by 1.2 % NaOH on wood")

    def test_a_falling_machine_chest_asks_for_feed(self):
        found = card("machine_level", 58)
        consistency = Facts().reading("machine_cons").value
        by_hand = constant("machine_chest_volume_m3") * (78 - 58) / 100 * consistency / 100
        self.assertAlmostEqual(found.size.value, by_hand)

    def test_a_low_cane_tower_asks_for_feed_over_its_horizon(self):
        found = card("cane_tower_level", 28)
        by_hand = constant("cane_tower_volume_m3") * 0.27 * constant("cane_tower_consistency_pct") / 100 / 4
        self.assertAlmostEqual(found.size.value, by_hand)

    def test_every_card_names_its_causes_in_order_and_one_check(self):
        for tag, value in (("brown_cons", 3.7), ("wash_loss", 21), ("shives", 0.27), ("cane_brightness", 82.3)):
            found = card(tag, value)
            self.assertGreaterEqual(len(found.causes), 2)
            self.assertTrue(found.check.endswith((".", "?")))
            self.assertEqual(found.tag.id, tag)

    def test_the_working_of_a_card_reaches_what_was_set_and_measured(self):
        found = card("machine_level", 58)
        now = found.size.data["level_bd_t"].figure
        self.assertEqual(now.data["level_pct"].value, 58)
        wanted = found.size.data["wanted_bd_t"].figure
        self.assertEqual(wanted.data["level_pct"].value, 78)
