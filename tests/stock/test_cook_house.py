"""The cook house in the core: charge sheets, liquors, schedule, learning."""

from itertools import pairwise
from unittest import TestCase

import numpy as np
from hypothesis import given, settings
from hypothesis import strategies as st

from stock.cooking.alkali import active_alkali, effective_alkali, liquor_cover, mixed_sulphidity
from stock.cooking.charge import charge_sheet, refuse_overfull, usual
from stock.cooking.end_point import g_factor, h_factor
from stock.cooking.liquor import liquor_fill, liquor_ratio
from stock.cooking.relation import Relation, calibrate_bulk, fit_relation
from stock.cooking.schedule import (
    Leg,
    draw_of,
    earliest_steam,
    later_by,
    legs,
    planned_profile,
    profile_to_h,
    steam_curve,
)
from stock.cooking.sulphite import penetration_min, so2_charge, so2_to_fortify
from stock.cooking.titration import causticizing_efficiency, green_liquor_from_abc, white_liquor_from_abc
from stock.errors import DomainError
from stock.fit.kappa import choose_exponent, fit_yield_model, outliers
from stock.working import recording
from tests.line import hallin_reach, tidewater_bench
from tests.stock.test_following import RECIPES, datum

LINES = (hallin_reach(), tidewater_bench())


HOUSES = [
    (line.cook, digester, line.cook.recipe(name))
    for line in LINES
    for digester in line.cook.digesters
    for name in digester.recipes
]


class ChargeSheet(TestCase):
    def test_liquor_fill_and_chip_water_make_up_the_ratio(self):
        for _, digester, recipe in HOUSES:
            with self.subTest(f"{digester.number} {recipe.id}"):
                sheet = charge_sheet(recipe, Relation.of(recipe), usual(recipe, digester))
                wood = sheet.value("chips")
                liquid = sheet.value("liquor") + (sheet.value("fill") or 0.0)
                reached = liquor_ratio(
                    bd_wood_t=wood,
                    liquor_m3=liquid,
                    moisture_wet_frac=recipe.chip_moisture_frac,
                    steam_condensate_t_per_bdt=recipe.condensate_t_per_bdt,
                )
                self.assertAlmostEqual(reached, recipe.liquor_to_wood, places=9)
                self.assertAlmostEqual(sheet.value("green") * (1 - recipe.chip_moisture_frac), wood, places=9)
                self.assertGreater(sheet.value("fit"), 0)
                self.assertEqual(sheet.warnings, ())

    @given(st.floats(0.35, 0.60), st.floats(14, 20), st.floats(90, 120))
    @settings(max_examples=30)
    def test_alkali_is_conserved_whatever_the_chips_and_the_liquor(self, moisture, charge, strength):
        recipe, digester = RECIPES["alder"], hallin_reach().cook.digesters[0]
        data = usual(recipe, digester) | {
            "moisture_wet_frac": datum(moisture),
            "charge_pct_naoh_on_wood": datum(charge),
            "strength_kg_per_m3_as_naoh": datum(strength),
            "fill_kg_per_m3_as_naoh": datum(8.0),
        }
        try:
            sheet = charge_sheet(recipe, Relation.of(recipe), data)
        except DomainError as error:
            self.assertEqual(error.code, "E_INFEASIBLE")
            return
        wood = sheet.value("chips")
        brought = sheet.value("liquor") * strength + sheet.value("fill") * 8.0
        self.assertAlmostEqual(10 * wood * sheet.value("met"), brought, places=6)
        self.assertAlmostEqual(sheet.value("start") * recipe.liquor_to_wood / 10, sheet.value("met"), places=9)

    def test_wetter_chips_leave_less_room_for_black_liquor_and_take_no_more_white(self):
        recipe, digester = RECIPES["alder"], hallin_reach().cook.digesters[0]
        dry, wet = (
            charge_sheet(recipe, Relation.of(recipe), usual(recipe, digester) | {"moisture_wet_frac": datum(m)})
            for m in (0.44, 0.52)
        )
        self.assertAlmostEqual(dry.value("liquor"), wet.value("liquor"))
        self.assertGreater(dry.value("fill"), wet.value("fill"))
        self.assertGreater(wet.value("green"), dry.value("green"))

    def test_a_fill_below_nought_names_the_least_ratio(self):
        recipe, digester = RECIPES["alder"], hallin_reach().cook.digesters[0]
        data = usual(recipe, digester) | {"liquor_to_wood": datum(2.4)}
        with self.assertRaisesRegex(DomainError, "the least that fits is"):
            charge_sheet(recipe, Relation.of(recipe), data)

    def test_a_full_digester_takes_no_more(self):
        recipe, digester = RECIPES["alder"], hallin_reach().cook.digesters[0]
        refuse_overfull(digester, recipe, 15.8, 60.0, 0.48)
        with self.assertRaises(DomainError) as caught:
            refuse_overfull(digester, recipe, 15.8, 70.0, 0.48)
        self.assertEqual((caught.exception.code, caught.exception.argument), ("E_LIMIT", "liquor_m3"))

    def test_acid_brings_its_sulphur_dioxide_and_base(self):
        found = so2_charge(acid_m3=0.075, bd_wood_t=0.018, total_pct=6.2, combined_pct=1.1, base="magnesium")
        self.assertAlmostEqual(found.so2_pct, 0.075 * 62 / 0.018 / 10)
        self.assertAlmostEqual(found.base_kg_per_t, 0.075 * 11 * 40.304 / 64.066 / 0.018)
        self.assertEqual(so2_to_fortify(acid_m3=10, total_pct=6.2, wanted_pct=6.2), 0)
        with self.assertRaisesRegex(DomainError, "combined 7 % is more than total"):
            so2_charge(acid_m3=1, bd_wood_t=1, total_pct=6, combined_pct=7, base="calcium")


class Liquors(TestCase):
    @given(st.floats(50, 150), st.floats(0, 0.45))
    def test_effective_and_active_there_and_back(self, value, sulphidity):
        active = active_alkali(effective_kg_per_m3_as_naoh=value, sulphidity_frac=sulphidity)
        self.assertAlmostEqual(effective_alkali(active_kg_per_m3_as_naoh=active, sulphidity_frac=sulphidity), value)

    def test_the_parts_of_a_titration_add_up(self):
        found = white_liquor_from_abc(a_ml=26.4, b_ml=30.9, c_ml=36.1, acid_normality=0.5, sample_ml=5.0)
        parts = found.naoh_kg_per_m3_as_naoh + found.na2s_kg_per_m3_as_naoh + found.na2co3_kg_per_m3_as_naoh
        self.assertAlmostEqual(parts, found.titratable_kg_per_m3_as_naoh)
        half = found.naoh_kg_per_m3_as_naoh + found.na2s_kg_per_m3_as_naoh / 2
        self.assertAlmostEqual(half, found.effective_kg_per_m3_as_naoh)

    def test_a_strange_white_liquor_is_remarked_on_and_so_is_white_in_a_green_bottle(self):
        with recording() as record:
            white_liquor_from_abc(a_ml=14, b_ml=16, c_ml=26, acid_normality=0.5, sample_ml=5.0)
        self.assertEqual(len(record.warnings), 2)
        with recording() as record:
            green_liquor_from_abc(a_ml=26.4, b_ml=30.9, c_ml=36.1, acid_normality=0.5, sample_ml=5.0)
        self.assertIn("or white?", record.warnings[0])

    def test_swapped_samples_do_not_causticize(self):
        with self.assertRaisesRegex(DomainError, "swapped"):
            causticizing_efficiency(
                white_naoh_kg_per_m3_as_naoh=7, white_na2co3_kg_per_m3_as_naoh=90, green_naoh_kg_per_m3_as_naoh=88
            )

    def test_a_mix_lies_between_its_parts(self):
        mixed = mixed_sulphidity(volumes_m3=[10, 30], each_kg_per_m3_as_naoh=[120, 110], each_frac=[0.30, 0.20])
        self.assertTrue(0.20 < mixed < 0.25)
        with self.assertRaises(DomainError) as caught:
            mixed_sulphidity(volumes_m3=[10, 30], each_kg_per_m3_as_naoh=[120], each_frac=[0.3, 0.2])
        self.assertEqual(caught.exception.code, "E_COUNT")

    def test_chips_wetter_than_the_ratio_are_refused(self):
        with self.assertRaisesRegex(DomainError, "more than a liquor to wood of 2"):
            liquor_fill(bd_wood_t=10, liquor_to_wood=2.0, moisture_wet_frac=0.75)

    def test_cover_falls_below_nought_under_the_low_mark(self):
        self.assertLess(liquor_cover(volume_m3=100, level_pct=8, low_pct=12, draw_m3_per_h=5), 0)


class Schedule(TestCase):
    @given(st.floats(1, 400), st.floats(-300, 300))
    def test_legs_lie_end_to_end(self, hold, start):
        for recipe in RECIPES.values():
            laid = legs(recipe, hold, start)
            for one, other in pairwise(laid):
                self.assertAlmostEqual(one.to_min, other.from_min)
            self.assertAlmostEqual(laid[0].from_min, start)

    def test_a_late_start_of_heating_moves_all_that_follows(self):
        recipe = RECIPES["alder"]
        planned, late = legs(recipe, 60, 0.0), legs(recipe, 60, 0.0, {"heat": 75.0})
        self.assertEqual([one.from_min for one in planned[:2]], [one.from_min for one in late[:2]])
        self.assertTrue(
            all(abs(b.from_min - a.from_min - 30) < 1e-9 for a, b in zip(planned[2:], late[2:], strict=True))
        )

    def test_the_steam_of_a_cook_adds_up_to_its_heat(self):
        for recipe in RECIPES.values():
            laid = legs(recipe, 60, 0.0)
            draw = draw_of(recipe, laid, 15.8, 11.4)
            grid = np.arange(0, 900, 0.5)
            drawn = float(np.sum(steam_curve([draw], grid)) * 0.5 / 60)
            hold = next(one for one in laid if one.name == "hold")
            expected = 15.8 * recipe.condensate_t_per_bdt + 11.4 + draw.hold_t_per_h * hold.minutes / 60
            self.assertAlmostEqual(drawn, expected, delta=0.03 * expected)

    def test_steam_is_free_once_the_others_have_risen(self):
        grid = np.arange(0.0, 300.0, 2.0)
        curve = np.where(grid < 70, 18.0, 6.0)
        self.assertEqual(earliest_steam(curve, grid, 9.0, 60.0, 20.0), 70.0)
        self.assertEqual(earliest_steam(curve, grid, 1.0, 60.0, 20.0), 0.0)
        self.assertIsNone(earliest_steam(curve, grid, 19.0, 60.0, 20.0))

    def test_a_heat_up_waits_as_long_as_the_others_need_and_no_longer(self):
        recipe = hallin_reach().cook.recipe("alder")
        grid = np.arange(0.0, 400.0, 2.0)
        own = draw_of(recipe, legs(recipe, 60.0, 10.0), 15.8, 14.0)
        heat = next(leg for leg in own.legs if leg.name == "heat")
        others = np.where(grid < heat.from_min + 30, 20.0, 5.0)
        self.assertEqual(later_by(own, others, grid, 100.0), 0.0)
        minutes = later_by(own, others, grid, 28.0)
        self.assertAlmostEqual(minutes, 30.0, delta=2.0)
        self.assertIsNone(later_by(own, np.full_like(grid, 27.9), grid, 28.0))

    def test_a_profile_is_cut_where_its_factor_is_reached(self):
        times, celsius = profile_to_h(planned_profile(RECIPES["alder"], 900.0), 700.0)
        self.assertAlmostEqual(h_factor(times_min=times, temperatures_c=celsius), 700.0, delta=0.5)

    def test_hotter_at_the_same_h_costs_more_chain(self):
        cool, hot = (
            {"times_min": [0.0, 60 * 700 / rate], "temperatures_c": [c, c]}
            for c, rate in ((160.0, 400.84), (170.0, 930.14))
        )
        self.assertAlmostEqual(h_factor(**cool), h_factor(**hot), delta=12)
        self.assertGreater(g_factor(**hot), 1.1 * g_factor(**cool))

    def test_penetration_counts_only_what_lies_below(self):
        times, celsius = [0, 60, 150, 240, 300], [30, 104, 108, 136, 136]
        self.assertAlmostEqual(penetration_min(times_min=times, temperatures_c=celsius), 150 + 90 * 2 / 28, places=6)
        self.assertLess(penetration_min(times_min=times, temperatures_c=celsius, limit_c=100), 60)

    def test_a_leg_knows_its_length(self):
        self.assertEqual(Leg("fill", -5.0, 25.0).minutes, 30.0)


def cooks(count=60, seed=3, spread=0.3, **truth):
    """Return cooks by a relation that is known, scattered about it."""
    rng = np.random.default_rng(seed)
    alpha, beta, n = truth.get("alpha", 120.0), truth.get("beta", 4.8), truth.get("n", 0.76)
    found = []
    for _ in range(count):
        h, alkali = rng.uniform(650, 1100), rng.uniform(12.8, 14.2)
        kappa = alpha - beta * np.log10(h) * alkali**n + rng.normal(0, spread)
        found.append(
            {
                "factor": h,
                "alkali_pct_na2o": alkali,
                "charge_pct": alkali / 0.774796,
                "kappa": kappa,
                "yield_pct": 52 + 0.15 * (kappa - 18),
                "used_pct": 14.0,
            }
        )
    return found


class Learning(TestCase):
    def test_a_known_relation_is_found_again_with_its_spread(self):
        relation = fit_relation(RECIPES["alder"], cooks(400), 2, "a test")
        for h, alkali in ((700, 13.0), (900, 13.5), (1050, 14.0)):
            true = 120.0 - 4.8 * np.log10(h) * alkali**0.76
            self.assertAlmostEqual(relation.alpha - relation.beta * np.log10(h) * alkali**relation.n, true, delta=0.15)
        self.assertAlmostEqual(relation.spread_kappa, 0.3, delta=0.05)
        self.assertAlmostEqual(relation.slope_pct, 0.15, delta=0.01)
        self.assertEqual((relation.version, relation.cooks, relation.used_pct), (2, 400, 14.0))

    def test_the_band_holds_about_nineteen_cooks_of_twenty(self):
        relation = fit_relation(RECIPES["alder"], cooks(200), 2, "a test")
        new = cooks(400, seed=9)
        inside = 0
        for one in new:
            half = relation.band(datum(one["factor"]), datum(one["alkali_pct_na2o"])).value
            value = relation.alpha - relation.beta * np.log10(one["factor"]) * one["alkali_pct_na2o"] ** relation.n
            inside += abs(one["kappa"] - value) <= half
        self.assertTrue(0.92 < inside / 400 < 0.98, inside)

    def test_the_band_widens_away_from_what_was_cooked(self):
        relation = fit_relation(RECIPES["alder"], cooks(12), 2, "a test")
        middle = relation.band(datum(860.0), datum(13.5)).value
        self.assertGreater(relation.band(datum(1700.0), datum(14.6)).value, middle)

    def test_heat_and_charge_are_each_held_against_what_it_was_fitted_on(self):
        relation = fit_relation(RECIPES["alder"], cooks(60), 2, "a test")
        self.assertEqual(relation.beyond(860.0, 13.5), ())
        longer, weaker = relation.beyond(1900.0, 13.5), relation.beyond(860.0, 11.0)
        self.assertRegex(longer[0], r"H 1900 is beyond the \d+ to \d+ relation 2 was fitted on")
        self.assertRegex(weaker[0], r"a charge of 11\.0 % Na2O is beyond")
        self.assertEqual(len(relation.beyond(1900.0, 11.0)), 2)

    def test_a_default_says_so_and_bands_by_twice_its_spread(self):
        relation = Relation.of(RECIPES["alder"])
        self.assertEqual(relation.band(datum(860.0), datum(13.5)).value, 1.1)
        self.assertIn("default of Alder kraft", relation.origin.text)
        self.assertEqual(relation.beyond(5000.0, 20.0), ())

    def test_far_cooks_are_flagged_and_near_ones_left_alone(self):
        many = cooks(120)
        for index in (7, 50, 99):
            many[index]["kappa"] += 4
        rows = [
            {"h_factor": c["factor"], "effective_alkali_pct_na2o": c["alkali_pct_na2o"], "kappa": c["kappa"]}
            for c in many
        ]
        flags = outliers(rows, 0.76)
        self.assertTrue({7, 50, 99} <= {index for index, far in enumerate(flags) if far})
        self.assertLess(sum(flags), 7)
        self.assertTrue(0.3 <= choose_exponent(cooks=rows).n <= 0.8)

    def test_too_few_or_too_alike_teach_nothing(self):
        for some, code in ((cooks(5), "E_COUNT"), ([cooks(1)[0]] * 12, "E_OBSERV")):
            with self.assertRaises(DomainError) as caught:
                fit_relation(RECIPES["alder"], some, 2, "a test")
            self.assertEqual(caught.exception.code, code)
        with self.assertRaises(DomainError):
            fit_yield_model(cooks=[{"kappa": 18.0, "yield_pct": 52.0}] * 12, reference_kappa=18.0)

    def test_acid_cooks_teach_their_own_rate(self):
        rng = np.random.default_rng(4)
        some = [
            {"factor": f, "kappa": 180 * np.exp(-0.0078 * f) * (1 + rng.normal(0, 0.01))}
            for f in rng.uniform(200, 260, 30)
        ]
        relation = fit_relation(RECIPES["spruce_acid"], some, 2, "a test")
        self.assertAlmostEqual(np.log(180 / 28) / relation.reference_factor, 0.0078, delta=1e-4)

    def test_the_kinetics_are_set_right_on_average(self):
        recipe = RECIPES["alder"]
        some = [
            {"factor": h, "charge_pct": 17.4, "sulphidity": 0.26, "kappa": k}
            for h, k in ((820, 20.0), (870, 18.4), (930, 17.0))
        ]
        ratio = calibrate_bulk(recipe, some)
        self.assertTrue(1.0 < ratio < 1.4)
        with self.assertRaises(DomainError):
            calibrate_bulk(recipe, [{**one, "kappa": 90.0} for one in some])
