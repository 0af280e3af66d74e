"""What is said of a cook, of liquor and of pulp off its kappa, worked out by hand: sizes, signs, what bounds them."""

from dataclasses import replace
from unittest import TestCase

from stock.cooking.case import CookCase, advise_cook
from stock.cooking.end_point import h_rate
from stock.cooking.facts import Kinetic
from stock.cooking.follow import follow
from stock.cooking.relation import Relation
from stock.cooking.steer import KAPPA_PER_SULPHIDITY, Surroundings, corrections, decide
from stock.cooking.ways import WAYS
from stock.figure import given
from tests.line import hallin_reach
from tests.stock.test_following import RECIPES, SEEN, datum, facts
from tests.stock.test_judge import Facts, card


def case(known=None, **changes):
    known = known or facts()
    return CookCase(known, follow(known), **changes)


def told(rule, known=None, **changes):
    """Return the card of one row about a cook."""
    return next(one for one in advise_cook(case(known, **changes)) if one.rule == rule)


class OneCook(TestCase):
    def test_the_h_a_cold_part_lacks_is_the_difference_of_rates_until_relief(self):
        now = case(apart_c=6.4)
        left = now.state.blow_min - now.facts.now_min
        set_c = now.facts.temperature.value
        by_hand = left / 60 * (h_rate(temperature_c=set_c) - h_rate(temperature_c=set_c - 6.4))
        self.assertAlmostEqual(told("parted", apart_c=6.4).size.value, by_hand)
        self.assertNotIn("parted", [one.rule for one in advise_cook(case(apart_c=5.0))])

    def test_a_late_rise_is_held_for_by_as_much_as_it_is_late(self):
        late = facts(at_min=100, late_min=9)
        found = told("ramp_late", late)
        self.assertIn(
            f"Hold {follow(late).behind_min:.0f} min longer than planned; stay under 170 °C", found.correction
        )
        self.assertNotIn("ramp_late", [one.rule for one in advise_cook(case(facts(at_min=100, late_min=1)))])

    def test_a_cold_cook_wants_the_minutes_its_h_is_short_at_its_temperature(self):
        cold = facts(at_min=165, offset_c=-3)
        found = told("below_set", cold)
        cook_c = RECIPES["alder"].cook_c
        self.assertAlmostEqual(found.size.value, 60 * follow(cold).behind / h_rate(temperature_c=cook_c))

    def test_gas_is_relieved_to_half_of_what_is_allowed(self):
        allowed = RECIPES["alder"].over_kpa
        found = told("gas_left", over_kpa=given("gas over steam", 95.0, "kPa", SEEN))
        self.assertIn(f"Relieve {95 - allowed / 2:.0f} kPa more", found.correction)

    def test_one_result_moves_a_charge_by_half_and_a_per_cent_at_most_either_way(self):
        for rule, kappa, residual in (("high_and_spent", 21.0, 6.4), ("overcharged", 18.2, 11.8)):
            found = told(rule, kappa=datum(kappa), residual=datum(residual))
            self.assertAlmostEqual(found.size.value, 0.1 * (8.5 - residual) * 4.0)
            said = "Raise" if residual < 8.5 else "Cut"
            self.assertIn(f"{said} the next charge by {abs(found.size.value) / 2:.1f} % NaOH on wood", found.correction)
        for rule, kappa, residual in (("high_and_spent", 21.0, 1.0), ("overcharged", 18.2, 17.0)):
            found = told(rule, kappa=datum(kappa), residual=datum(residual))
            self.assertGreater(abs(found.size.value), 2.0)
            self.assertIn("the next charge by 1.0 % NaOH on wood", found.correction)
        self.assertIn("saves 10 kg NaOH a bone-dry tonne", found.correction)

    def test_too_late_for_liquor_it_names_what_the_liquor_would_meet(self):
        known = facts(at_min=165, pressure=datum(610.0))
        words = told("spent_late", known, sampled_residual=datum(3.1)).correction
        self.assertIn(f"it would meet {known.temperature.value:.0f} °C and 610 kPa", words)
        self.assertIn("Raise the next charge by 1.0 % NaOH on wood", words)
        self.assertNotIn("kPa", told("spent_late", facts(at_min=165), sampled_residual=datum(3.1)).correction)
        self.assertNotIn("goes back", told("spent_late", facts(at_min=165), sampled_residual=datum(5.0)).correction)

    def test_a_low_kappa_costs_yield_by_the_slope_of_its_relation(self):
        relation = facts().relation
        found = told("low", kappa=datum(15.0))
        by_hand = relation.reference_yield_pct + relation.slope_pct * (15.0 - relation.reference_kappa)
        self.assertAlmostEqual(found.size.value, by_hand)
        self.assertIn(f"{relation.slope_pct * (18.0 - 15.0):.1f} lost against the target", found.correction)

    def test_rejects_lose_what_is_over_the_usual_of_the_pulp_of_the_cook(self):
        usual = RECIPES["alder"].rejects_pct[1]
        found = told("rejects_high", kappa=datum(18.2), rejects=datum(usual + 2.0))
        pulp = 15.8 * follow(facts()).yield_pct.value / 100
        self.assertAlmostEqual(found.size.value, 0.02 * pulp / 0.9, places=6)
        self.assertNotIn(
            "rejects_high", [one.rule for one in advise_cook(case(kappa=datum(25.0), rejects=datum(usual + 2.0)))]
        )
        self.assertNotIn("rejects_high", [one.rule for one in advise_cook(case(rejects=datum(usual + 2.0)))])

    def test_what_may_hang_is_the_whole_of_the_cook(self):
        blown = facts(at_min=202, blown=True)
        found = told("hung_blow", blown, blown_min_ago=31.0)
        self.assertAlmostEqual(found.size.value, 15.8 * follow(blown).yield_pct.value / 100 / 0.9, places=6)
        self.assertEqual(advise_cook(case(blown, blown_min_ago=25.0)), [])


class Steering(TestCase):
    def kinds(self, known, **changes):
        state = replace(follow(known), **changes)
        return [one.kind for one in corrections(known, state)]

    def test_a_hotter_hold_is_offered_only_where_there_is_time_for_it(self):
        cold = facts(at_min=165, offset_c=-3)
        self.assertIn("temperature", self.kinds(cold))
        self.assertNotIn("temperature", self.kinds(cold, planned_end_min=cold.now_min + 9))
        self.assertNotIn("temperature", self.kinds(cold, phase="heating"))
        acid = facts("spruce_bisulphite", 290, offset_c=-3)
        self.assertNotIn("temperature", self.kinds(acid))

    def test_what_is_said_of_time_is_what_its_working_comes_to(self):
        for known in (
            facts(at_min=165, offset_c=-3),
            facts(at_min=100, late_min=9),
            facts("spruce_acid", 290, kpa=-80),
        ):
            state = follow(known)
            one = next(found for found in corrections(known, state) if found.kind == "time")
            self.assertAlmostEqual(one.size.value, state.behind_min)
            self.assertIn(f" {abs(one.size.value):.0f} min ", one.words)
            self.assertAlmostEqual(one.size.value, state.blow_min - state.planned_end_min)

    def test_a_cook_that_is_ahead_is_relieved_earlier(self):
        hot = facts(at_min=165, offset_c=2)
        early = next(one for one in corrections(hot, follow(hot)) if one.kind == "time")
        self.assertIn("min earlier than planned", early.words)

    def test_a_charge_hardly_short_asks_for_no_liquor(self):
        planned = RECIPES["alder"].alkali.charge_pct_naoh_on_wood
        for short, asked in ((0.1, False), (0.8, True)):
            known = facts(at_min=110, charge=datum(planned - short))
            found = [one for one in corrections(known, follow(known)) if one.kind == "liquor"]
            self.assertEqual(bool(found), asked)
        self.assertAlmostEqual(found[0].size.value, 10 * 15.8 * 0.8 / 105)

    def reasons(self, known, second=None, **around):
        found = decide(known, follow(known), second, Surroundings(**around))
        return {one.words: one.good for one in found.reasons}

    def second(self, apart, deaf=False):
        state = follow(facts())
        return Kinetic(state.kappa, state.yield_pct, state.kappa, apart, "", deaf)

    def test_the_kinetics_are_heard_where_they_part_by_more_than_the_band(self):
        half = follow(facts()).kappa_half
        for apart, deaf, heard in ((half + 0.2, False, True), (half - 0.2, False, False), (half + 0.2, True, False)):
            said = self.reasons(facts(), self.second(apart, deaf))
            self.assertEqual(any("the kinetics say" in words for words in said), heard, (apart, deaf))
        self.assertTrue(any("the kinetics say" in one for one in self.reasons(facts(), self.second(-half - 0.2))))

    def test_what_a_digester_usually_misses_by_is_expected_again(self):
        for miss, side, good in ((2.4, "above", False), (-0.2, "below", True)):
            said = self.reasons(facts(), usual_miss=given("digester 3", miss, "kappa", SEEN))
            (words,) = [one for one in said if "came" in one]
            self.assertIn(f"expect {18 + miss:.1f}: digester 3 came {abs(miss):.1f} {side} forecast", words)
            self.assertEqual(said[words], good)

    def test_a_strange_sulphidity_is_told_with_what_it_does(self):
        usual = RECIPES["alder"].alkali.sulphidity_frac
        for off, side in ((-0.06, "over"), (0.06, "under")):
            said = self.reasons(facts(sulphidity=datum(usual + off)))
            (words,) = [one for one in said if one.startswith("sulphidity")]
            self.assertIn(f"expect about {KAPPA_PER_SULPHIDITY * 0.06:.1f} kappa {side} its forecast", words)
        self.assertFalse(any("sulphidity" in one for one in self.reasons(facts(sulphidity=datum(usual + 0.02)))))
        self.assertFalse(any("sulphidity" in one for one in self.reasons(facts("cane", sulphidity=datum(0.2)))))

    def test_half_known_of_its_gas_says_nothing_of_it(self):
        acid = facts("spruce_acid", 280)
        for around in ({"so2_bar": 3.9}, {"normal_so2_bar": 4.0}):
            self.assertFalse(any("SO2" in one for one in self.reasons(acid, **around)))

    def test_the_liquor_sample_is_asked_for_once(self):
        words = decide(facts(at_min=186), follow(facts(at_min=186)), None, Surroundings()).words
        self.assertIn("Take the liquor sample now.", words)
        words = decide(facts(at_min=186), follow(facts(at_min=186)), None, Surroundings(sampled=True)).words
        self.assertNotIn("sample", words)

    def test_before_it_cooks_it_is_neither_held_nor_blown(self):
        known = facts(at_min=5)
        found = decide(known, follow(known), None, Surroundings())
        self.assertEqual((found.answer, found.words), ("hold", "It is not cooking yet."))


class Liquor(TestCase):
    def test_causticity_moves_the_hydroxide_and_leaves_the_sulphide(self):
        found = card("causticity", 75.6)
        ea, sulphidity, target = (
            Facts().reading(name).value for name in ("white_liquor_ea", "sulphidity", "causticity")
        )
        sulphide = ea / (1 - sulphidity / 200) * sulphidity / 100
        hydroxide = ea - sulphide / 2
        self.assertAlmostEqual(found.size.value, hydroxide * target / 75.6 + sulphide / 2)

    def test_a_tank_is_counted_above_what_its_pump_draws_down_to(self):
        tank = next(one for one in hallin_reach().cook.tanks if one.level == "white_tank_level")
        found = card("white_tank_level", 26)
        charge = found.size.data["charge_m3"].value
        self.assertAlmostEqual(found.size.value, tank.volume_m3 * (26 - tank.low_pct) / 100 / charge)
        alder = RECIPES["alder"]
        self.assertAlmostEqual(
            charge, 10 * card("white_liquor_ea", 98.6).size.data["bd_wood_t"].value
            * alder.alkali.charge_pct_naoh_on_wood / alder.alkali.liquor_kg_per_m3_as_naoh,
        )  # fmt: skip
        self.assertEqual(card("white_tank_level", tank.low_pct - 5).size.value, 0)

    def test_black_liquor_fills_the_rest_of_a_cook(self):
        chips = card("white_liquor_ea", 98.6).size.data["bd_wood_t"].value
        charge = card("black_tank_level", 21).size.data["charge_m3"].value
        self.assertAlmostEqual(charge, 0.4 * RECIPES["alder"].liquor_to_wood * chips)

    def test_a_point_of_sulphidity_is_worth_about_a_quarter_of_a_kappa(self):
        alder = RECIPES["alder"]
        relation, charge = Relation.of(alder), datum(alder.alkali.charge_pct_naoh_on_wood)
        usual = 100 * alder.alkali.sulphidity_frac
        for value in (usual - 5, usual + 5):
            aim = card("sulphidity", value).size
            kappa = WAYS["kraft"].kappa(alder, relation, aim.as_datum(), charge).value
            a_point = (kappa - alder.kappa_target) / (value - usual)  # what the H makes up for, the other way about
            self.assertTrue(0.15 < a_point < 0.5, a_point)

    def test_a_moved_charge_takes_the_end_point_with_it(self):
        for value in (5.6, 12.0):
            found = card("wood_residual", value)
            alder = RECIPES["alder"]
            charge = datum(alder.alkali.charge_pct_naoh_on_wood + found.step.results["step_moved"])
            aim = WAYS["kraft"].aim(alder, Relation.of(alder), charge, datum(alder.kappa_target))
            self.assertIn(f"With it blow at H {aim.text}, so that kappa stays", found.carrying)

    def test_knots_lose_what_is_over_the_usual_of_the_pulp(self):
        found = card("cook_rejects", 3.6)
        target = hallin_reach().tag("cook_rejects").band.target
        chips = card("white_liquor_ea", 98.6).size.data["bd_wood_t"].value
        share = (3.6 - target) / 100 * RECIPES["alder"].reference_yield_pct / 100
        self.assertAlmostEqual(found.size.value, chips * share / 0.9, places=6)

    def test_a_single_result_is_said_to_be_one(self):
        self.assertIn("By one cook alone; the mill goes by 3.", " ".join(card("kappa_wood", 19.8).carrying))
        self.assertTrue(card("kappa_wood", 19.8).correction.startswith("Blow the next cook at H "))
        self.assertTrue(card("kappa_cane", 19.48).correction.startswith("Blow the next soda cook at H "))
        self.assertIn("Find the cause first: +4.0 kappa", card("kappa_wood", 22.0).correction)

    def test_a_charge_of_bagasse_is_on_bagasse_throughout(self):
        found = card("cane_residual", 3.6)
        self.assertIn("% NaOH on bagasse", found.correction)
        self.assertNotIn("on wood", " ".join(found.carrying))
        self.assertAlmostEqual(found.size.value, 0.1 * (6.5 - 3.6) * RECIPES["cane"].liquor_to_wood)
