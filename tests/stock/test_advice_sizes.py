"""Every sized correction, worked out again by hand."""

import math
from unittest import TestCase
from unittest.mock import patch

from stock.decisions import RULES
from stock.figure import Datum, Origin
from stock.judge.advice import advise
from stock.judge.limits import judge
from tests.line import hallin_reach
from tests.stock.test_judge import Facts, card, halfway, tags_of

SET = Origin("set", "as the plant says")


def unit(unit_id):
    return hallin_reach().unit(unit_id)


class ByHand(TestCase):
    def test_brown_stock_too_thick_and_too_thin(self):
        flow, water = Facts().reading("brown_flow").value, Facts().thickness("brown_water").value
        thick = card("brown_cons", 3.7)
        self.assertAlmostEqual(thick.size.value, flow * 0.2 / (3.5 - water))
        self.assertEqual(thick.correction, f"Open the dilution {thick.step.value:.0f} L/min")
        self.assertAlmostEqual(thick.step.value / thick.size.value, 0.5 * (1 - (0.03**2 + 0.01**2) / 0.2**2))
        thin = card("brown_cons", 3.3)
        self.assertAlmostEqual(thin.size.value, flow * 0.2 / (3.3 - water))
        self.assertIn("Close the dilution", thin.correction)

    def test_wash_loss_sets_the_shower_through_the_dilution_factor(self):
        high = card("wash_loss", 21.0)
        wanted = high.size.data["dilution_factor_t_per_bdt"].figure
        self.assertEqual(wanted.method.name, "dilution_factor_for_loss")
        pulp = Facts().flow("washed").value
        mat = unit("wood_wash").consistency_pct
        by_hand = pulp * (wanted.value + (100 - mat) / mat) * 1000 / 60
        self.assertAlmostEqual(high.size.value, by_hand, places=6)

    def test_shives_raise_the_reject_rate(self):
        high = card("shives", 0.27)
        self.assertGreater(high.size.value, 0.20)
        self.assertLess(high.size.value, 0.60)
        self.assertRegex(high.correction, r"Set the reject rate to \d+ % by mass")

    def test_cane_short_of_peroxide(self):
        low = card("cane_brightness", 82.3)
        stage = unit("cane_bleach")
        floor, response = stage.ks_floor.value, stage.response_per_kg.value
        now, target = ((1 - r) ** 2 / (2 * r) for r in (0.823, 0.835))
        fresh = ((now - floor) / (target - floor) - 1) / response
        self.assertAlmostEqual(low.size.value, fresh * (1 + response * stage.charge_kg_per_bdt))

    def test_freeness_moves_the_power_both_ways(self):
        flow = Facts().flow("wood_stored").value
        slope = unit("wood_refine").slope.value
        for value in (488.0, 432.0):
            found = card("wood_freeness", value)
            by_hand = flow * math.log(value / 460) / slope
            self.assertAlmostEqual(found.size.value, by_hand)
            self.assertIn(f"by {abs(found.step.value):.0f} kW net", found.correction)
            self.assertAlmostEqual(found.step.value / by_hand, 0.5 * (1 - (6**2 + 4**2) / 28**2))

    def test_the_bale_line_uses_its_own_flow(self):
        found = card("bale_freeness", 552.0)
        flow = Facts().flow("slush_out").value
        self.assertAlmostEqual(found.size.value, flow * math.log(552 / 520) / unit("bale_refine").slope.value)

    def test_a_thick_pulper_batch_gets_its_water(self):
        found = card("pulper_cons", 16.8)
        by_hand = unit("pulper").batch_bdt * (100 / 15.5 - 100 / 16.8)
        self.assertAlmostEqual(found.size.value, by_hand)
        self.assertTrue(found.correction.startswith("Raise water"))
        self.assertTrue(card("pulper_cons", 14.4).correction.startswith("Lower water"))

    def test_a_low_residual_raises_the_next_charge(self):
        found = card("wood_residual", 5.5)
        self.assertAlmostEqual(found.size.value, 0.1 * (8.5 - 5.5) * 4.0)
        self.assertEqual(found.correction, "Raise the next charge by 0.6 % NaOH on wood")
        self.assertRegex(found.carrying[-1], r"With it blow at H \d+, so that kappa stays")

    def test_a_falling_machine_chest_asks_for_feed(self):
        found = card("machine_level", 58)
        consistency = Facts().reading("machine_cons").value
        by_hand = unit("paper_chest").volume_m3 * (78 - 58) / 100 * consistency / 100
        self.assertAlmostEqual(found.size.value, by_hand)

    def test_a_low_cane_tower_asks_for_feed_over_its_horizon(self):
        found = card("cane_tower_level", 28)
        tower = unit("cane_tower")
        by_hand = tower.volume_m3 * 0.27 * tower.holds_pct / 100 / 4
        self.assertAlmostEqual(found.size.value, by_hand)

    def test_every_card_names_causes_one_check_and_the_tag_it_is_about(self):
        for rule in RULES:
            for line, facts, tag, side in tags_of(rule):
                with self.subTest(f"{rule.id} {tag.id} {side}"):
                    found = card(tag.id, halfway(tag, side), line, facts)
                    self.assertGreaterEqual(len(found.causes), 2)
                    self.assertEqual(len(set(found.causes)), len(found.causes))
                    self.assertTrue(found.check.endswith((".", "?")))
                    self.assertEqual(found.tag, tag)

    def test_the_working_of_a_card_reaches_what_was_set_and_measured(self):
        found = card("machine_level", 58)
        now = found.size.data["level_bdt"].figure
        self.assertEqual(now.data["level_pct"].value, 58)
        wanted = found.size.data["wanted_bdt"].figure
        self.assertEqual(wanted.data["level_pct"].value, 78)


class YardByHand(TestCase):
    def test_wetter_chips_get_less_liquor_for_their_weight(self):
        found = card("chip_moisture", 52.0)
        self.assertAlmostEqual(found.size.value, 0.48 / (1 - hallin_reach().cook.recipe("alder").chip_moisture_frac))
        self.assertIn("multiply white liquor by 0.923", found.correction)

    def test_bark_sets_the_log_feed_through_the_time_it_needs(self):
        drum = unit("drum")
        minutes = math.log(unit("logs").solids["bark"] / 0.006) / drum.rate_per_min
        feed = 60 * drum.drum_volume_m3 * drum.fill_frac * drum.log_solid_frac / minutes
        self.assertAlmostEqual(card("bark_in_chips", 1.1).size.value, feed)
        self.assertAlmostEqual(card("bark_wood", 18).size.value, minutes)

    def test_fines_cost_wood(self):
        found = card("chip_fines", 2.0)
        pulp, chips = Facts().flow("washed").value, Facts().flow("chips_in").value
        density = hallin_reach().cook.recipe("alder").basic_density_kg_per_m3
        wood = 900 / (pulp / chips * density)
        self.assertAlmostEqual(found.size.value, 0.010)
        self.assertAlmostEqual(found.size.results["wood_m3_per_adt"], 0.010 * wood)

    def test_a_cold_bin_says_the_steam_and_the_rate_without_it(self):
        found = card("chip_bin_temp", 93)
        steam = found.size.data["steam_kg_per_bdt"].value
        chips = Facts().flow("chips_in").value
        there = hallin_reach().yard.feed("chips_in").steam_t_per_h
        self.assertAlmostEqual(found.size.value, 1000 * there / steam)
        self.assertIn(f"Steam is enough ({steam * chips / 1000:.1f} of 3.2 t/h)", found.correction)

    def test_short_stock_is_stretched_over_the_wait(self):
        use = 24 * Facts().flow("chips_in").value
        self.assertAlmostEqual(card("wood_stock", 5).size.value, 5 * use / (hallin_reach().yard.lead_d + 1))

    def test_pith_is_taken_out_as_far_as_the_wet_stage_leaves_it(self):
        between = 8.0 * (1 - 0.45) / (1 - 0.04)
        removal = 1 - 0.62 * 0.94 / (between * 0.28)
        self.assertAlmostEqual(card("depith_ratio", 6.4).size.value, removal)

    def test_fibre_in_the_pith_is_counted_as_pulp(self):
        bagasse = 24 * Facts().flow("bagasse_in").value
        by_hand = (0.13 - 0.098) * bagasse * 0.62 * unit("cane_cook").yield_frac / 0.9
        self.assertAlmostEqual(card("pith_fibre", 13.0).size.value, by_hand)

    def test_a_meter_that_shows_more_than_the_scale_books_less(self):
        chips = Facts().flow("chips_in").value
        self.assertAlmostEqual(card("chip_meter_gap", 5.0).size.value, chips / 1.05)

    def test_a_hot_pile_loses_by_its_mean_and_its_own_wood(self):
        pile = hallin_reach().yard.pile("pile_b")
        mean_c = 50.5 - pile.hot_over_mean_c
        rate = hallin_reach().yard.of_species(pile.species).loss_per_month
        self.assertAlmostEqual(card("pile_b_temp", 50.5).size.value, rate * 2 ** ((mean_c - 15) / 10))


class Water(TestCase):
    def test_a_dirty_loop_asks_for_so_much_more_bleed_in_a_first_step_it_can_stand(self):
        dirty = card("clear_cod", 3.0)
        result = Facts().result
        leaves = sum(result.streams[one.id].total_t_per_h for one in hallin_reach().graph.into("sewer"))
        self.assertAlmostEqual(dirty.size.value, leaves * (3.0 - 2.0) / (2.0 - 0.01), delta=0.01)
        first = min(dirty.size.value, leaves / 4)
        self.assertIn(f"Open the bleed {first:.1f} m³/h first", dirty.correction)
        self.assertIn(f"after {2600 / leaves:.0f} h", dirty.correction)
        self.assertIn("could close by", card("clear_cod", 1.1).correction)


class Washers(TestCase):
    def test_a_low_vacuum_asks_for_a_heavier_mat_by_a_slower_drum(self):
        low = card("wash_vacuum", 25.0)
        drum = unit("wood_wash").machines[0]
        speed = round(0.9 * drum.drum_speed_rpm, 3)
        pulp = Facts().flow("washed").value
        by_hand = pulp * 1000 / 60 / (math.pi * drum.drum_diameter_m * drum.drum_face_m * speed)
        self.assertAlmostEqual(low.size.value, by_hand, places=6)
        self.assertIn(f"Slow Washer 1 to {speed:.2f} rpm", low.correction)

    def test_a_full_vat_asks_for_a_tenth_less_feed(self):
        high = card("wash_vat", 90.0)
        now = Facts().flow("brown").value
        by_hand = 0.9 * now * 1000 / 60 / (Facts().thickness("brown").value / 100)
        self.assertAlmostEqual(high.size.value, by_hand, delta=0.01 * by_hand)
        self.assertIn("Feed down to", high.correction)


class Warmth(TestCase):
    def test_a_cold_stage_asks_for_the_steam_it_is_short_of(self):
        cold = card("d1_warmth", 62.0)
        stage = unit("wood_bleach").stages[-1]
        share = stage.consistency_pct / 100
        pulp = Facts().flow("thick_brown").value
        by_hand = pulp / share * (share * 1.34 + (1 - share) * 4.19) * 10 / (2738 - 4.19 * 72)
        self.assertAlmostEqual(cold.size.value, by_hand, places=3)
        self.assertIn(f"Let in {0.3 * by_hand:.2f} t/h more steam first, 3 °C", cold.correction)
        self.assertIsNone(cold.moved)  # nobody is known to have set it

    def test_a_set_point_that_is_low_is_raised_and_one_that_is_not_is_not_the_cause(self):
        point = "warmth:wood_bleach:3"
        with patch.object(Facts, "stands", lambda facts, asked: Datum(66.0, SET) if asked == point else None):
            low = card("d1_warmth", 66.0)
        self.assertEqual((low.moved.point, low.moved.unit), (point, "°C"))
        self.assertAlmostEqual(low.step.value * low.moved.per_step, 3.0, delta=0.05)  # half of six, less the test
        with patch.object(Facts, "stands", lambda facts, asked: Datum(72.0, SET) if asked == point else None):
            lost = card("d1_warmth", 66.0)
        self.assertIsNone(lost.moved)
        self.assertEqual(lost.correction, f"Find the {lost.size.value:.2f} t/h of steam that do not come")
        self.assertTrue(any("It is set for 72 °C already" in words for words in lost.carrying), lost.carrying)


class Bleaching(TestCase):
    def test_a_weak_solution_multiplies_the_pump_until_its_stop(self):
        weak = card("d0_strength", 4.0)
        self.assertAlmostEqual(weak.size.value, 8.8 / 4.0, places=3)
        self.assertTrue(weak.correction.startswith("Titrate again, then: multiply the pump by 2.200"))
        rate = Facts().flow("thick_brown").value
        reached = 260 * 4.0 * 60 / (1000 * rate)
        self.assertTrue(
            any(f"D0 reaches {reached:.1f} of 13.5 kg/BDt at its pump's stop" in words for words in weak.carrying)
        )
        near = card("d0_strength", 8.1)
        self.assertTrue(near.correction.startswith("Multiply the pump by 1.086"))
        self.assertEqual(near.carrying, ())

    def test_the_first_stage_moves_a_tenth_at_most_and_its_caustic_with_it(self):
        for value, verb in ((5.2, "Add"), (2.4, "Cut")):
            found = card("e_kappa", value)
            self.assertIn(f"{verb} ", found.correction)
            self.assertLessEqual(abs(found.step.value), 1.35 + 1e-9)
            self.assertEqual(found.moved.point, "charge:wood_bleach:1")
            self.assertTrue(any("Extraction's caustic with it" in words for words in found.carrying))

    def test_a_residual_over_is_cut_by_what_leaves_unused_and_never_where_it_is_dull(self):
        over = card("p_residual", 0.9)
        self.assertIn("it leaves unused", over.correction)
        self.assertLess(over.step.value * over.moved.per_step, 0)
        facts = Facts(hallin_reach(), p_residual=0.9, cane_brightness=80.0)
        tag = hallin_reach().tag("p_residual")
        self.assertIsNone(advise(RULES, tag, judge(tag, 0.9), facts))  # conditions, not charge
