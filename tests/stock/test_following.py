"""A cook of every school followed: where it stands, when it ends, what it will be, how it is steered."""

from dataclasses import replace
from unittest import TestCase

import numpy as np
from hypothesis import given, settings
from hypothesis import strategies as st

from stock.cooking.correct import alkali_for_kappa, temperature_for_time
from stock.cooking.end_point import h_for_kappa, h_rate, minutes_left_on_profile
from stock.cooking.facts import CookFacts
from stock.cooking.follow import follow, kinetic, planned_hold_min, whole_record
from stock.cooking.relation import Relation
from stock.cooking.schedule import planned_pressure, planned_profile
from stock.cooking.steer import Surroundings, decide
from stock.cooking.ways import WAYS, Trace
from stock.errors import DomainError
from stock.figure import Datum, Origin
from tests.line import hallin_reach, tidewater_bench

SEEN = Origin("measured", "a test")
RECIPES = {
    **{recipe.id: recipe for recipe in hallin_reach().cook.recipes},
    **{recipe.id: recipe for recipe in tidewater_bench().cook.recipes},
}


def datum(value):
    return Datum(value, SEEN)


def facts(name="alder", at_min=160.0, offset_c=0.0, late_min=0.0, kpa=0.0, **changes):
    """Return a cook that ran to its plan, so far off, so late, by a minute since its start."""
    recipe = RECIPES[name]
    steam = recipe.fill_min + recipe.liquor_min
    times = np.union1d(np.arange(0.0, at_min, 1.0), [at_min])
    grid, planned = planned_profile(recipe, 900.0)
    celsius = np.interp(times - late_min, grid, planned) + np.where(times > steam, offset_c, 0.0)
    pressures = planned_pressure(recipe, times - late_min) + kpa if recipe.is_sulphite else None
    alkali = recipe.alkaline
    found = CookFacts(
        recipe=recipe,
        relation=Relation.of(recipe),
        now_min=at_min,
        trace=Trace(times, celsius, SEEN, pressures),
        charge=datum(alkali.charge_pct_naoh_on_wood if alkali else 0.0),
        kappa_target=datum(recipe.kappa_target),
        temperature=datum(float(celsius[-1])),
        bd_wood=datum(15.8),
        sulphidity=datum(alkali.sulphidity_frac if alkali else 0.0),
        liquor_to_wood=datum(recipe.liquor_to_wood),
        liquor_strength=datum(alkali.liquor_kg_per_m3_as_naoh if alkali else 0.0),
        pressure=datum(float(pressures[-1])) if pressures is not None else None,
        steam_min=steam,
    )
    return replace(found, **changes)


def top_min(recipe):
    return recipe.fill_min + recipe.liquor_min + recipe.ramp_min


class EverySchool(TestCase):
    def test_a_cook_on_plan_ends_with_its_plan_on_its_target(self):
        for name, recipe in RECIPES.items():
            with self.subTest(name):
                hold = planned_hold_min(recipe, Relation.of(recipe), facts(name).charge, datum(recipe.kappa_target))
                state = follow(facts(name, top_min(recipe) + min(10, hold / 2)))
                self.assertEqual(state.phase, "at temperature")
                self.assertAlmostEqual(state.blow_min, top_min(recipe) + hold, delta=1.5)
                self.assertAlmostEqual(state.kappa.value, recipe.kappa_target, places=3)
                self.assertEqual(state.corrections, ())

    def test_a_cold_cook_is_held_longer_and_says_how_much(self):
        for name, recipe in RECIPES.items():
            with self.subTest(name):
                hold = planned_hold_min(recipe, Relation.of(recipe), facts(name).charge, datum(recipe.kappa_target))
                at = top_min(recipe) + min(12, 0.8 * hold)
                cold, warm = follow(facts(name, at, offset_c=-2.0)), follow(facts(name, at))
                self.assertGreater(cold.blow_min, warm.blow_min + 1)
                self.assertGreater(cold.behind, 0)
                self.assertEqual(cold.corrections[0].kind, "time")
                self.assertIn("longer than planned", cold.corrections[0].words)

    def test_time_left_through_the_rise_agrees_with_the_plan(self):
        for name, recipe in RECIPES.items():
            with self.subTest(name):
                middle = recipe.fill_min + recipe.liquor_min + recipe.ramp_min / 2
                rising = follow(facts(name, middle))
                self.assertEqual(rising.phase, "heating")
                self.assertAlmostEqual(rising.blow_min, rising.planned_end_min, delta=1.5)

    def test_every_number_reaches_back_to_what_was_read(self):
        for name, recipe in RECIPES.items():
            with self.subTest(name):
                state = follow(facts(name, top_min(recipe) + 10))
                self.assertEqual(state.done.data["temperatures_c"].origin, SEEN)
                self.assertIsNotNone(state.minutes_left)
                self.assertTrue(all(one.method for one in (state.done, state.aim, state.kappa, state.yield_pct)))

    def test_phases_follow_the_clock_and_what_was_logged(self):
        for at, phase in ((10, "filling"), (40, "liquor"), (90, "heating"), (260, "past its end")):
            self.assertEqual(follow(facts(at_min=at)).phase, phase)
        charged = facts(at_min=60, steam_min=None, liquor_at_min=30.0, charged=True)
        self.assertEqual(follow(charged).phase, "charged")
        self.assertEqual(follow(facts(at_min=180, relief_min=178.0)).phase, "relief")
        self.assertEqual(follow(facts(at_min=200, blown=True)).phase, "blown")

    def test_a_rise_so_many_minutes_late_ends_so_many_minutes_late(self):
        for name, share in (("alder", 0.6), ("cane", 0.5), ("spruce_acid", 0.45), ("spruce_bisulphite", 0.8)):
            recipe = RECIPES[name]
            at = recipe.fill_min + recipe.liquor_min + share * recipe.ramp_min
            with self.subTest(name):
                self.assertAlmostEqual(follow(facts(name, at, late_min=9)).behind_min, 9, delta=1.2)

    def test_a_charged_cook_is_expected_to_start_heating_now(self):
        waiting = follow(facts(at_min=75, steam_min=None, liquor_at_min=30.0))
        later = follow(facts(at_min=95, steam_min=None, liquor_at_min=30.0))
        self.assertAlmostEqual(later.blow_min - waiting.blow_min, 20, delta=0.5)


class Alkaline(TestCase):
    def test_less_alkali_asks_for_more_heat(self):
        weak = follow(facts(charge=datum(16.4)))
        self.assertGreater(weak.aim.value, follow(facts()).aim.value)

    @given(st.floats(16.2, 18.6))
    @settings(max_examples=20)
    def test_whatever_the_charge_the_forecast_lands_on_the_target(self, charge):
        self.assertAlmostEqual(follow(facts(charge=datum(charge))).kappa.value, 18.0, places=4)

    def test_a_late_start_offers_time_then_temperature(self):
        late = follow(facts(at_min=150, late_min=8))
        kinds = [one.kind for one in late.corrections]
        self.assertEqual(kinds, ["time", "temperature"])
        self.assertTrue(165 < late.corrections[1].size.value <= RECIPES["alder"].most_c)

    def test_a_temperature_past_the_recipes_most_is_not_offered(self):
        late = follow(facts(at_min=180, late_min=25))
        self.assertNotIn("temperature", [one.kind for one in late.corrections])

    def test_a_short_charge_asks_for_liquor_while_it_still_helps(self):
        short = follow(facts(at_min=80, charge=datum(16.6)))
        liquor = next(one for one in short.corrections if one.kind == "liquor")
        self.assertAlmostEqual(liquor.size.value, 10 * 15.8 * 0.8 / 105, places=6)
        self.assertNotIn("liquor", [one.kind for one in follow(facts(at_min=160, charge=datum(16.6))).corrections])

    def test_the_second_way_is_integrated_over_the_record_and_the_plan(self):
        known = facts()
        state = follow(known)
        second = kinetic(known, state)
        self.assertAlmostEqual(second.kappa.value, state.kappa.value, delta=1.8)
        self.assertAlmostEqual(second.apart, second.kappa.value - state.kappa.value)
        weaker = kinetic(replace(known, sulphidity=datum(0.18)), state)
        self.assertGreater(weaker.kappa.value, second.kappa.value)
        self.assertIsNone(kinetic(facts("spruce_acid", 280), follow(facts("spruce_acid", 280))))

    def test_what_the_fill_brings_is_alkali_the_kinetics_count_and_its_charge_moves_with(self):
        known = facts()
        filled = replace(known, fill_pct=datum(0.84))
        state = follow(known)
        bare, with_fill = kinetic(known, state), kinetic(filled, state)
        more = 0.84 * 10 / known.liquor_to_wood.value  # g/L, all of it left where the wood takes no more
        self.assertGreater(with_fill.residual.value - bare.residual.value, 0.5 * more)
        self.assertLess(with_fill.kappa.value, bare.kappa.value + 0.01)
        self.assertAlmostEqual(filled.met.value, known.charge.value + 0.84)
        self.assertAlmostEqual(replace(filled, charge=datum(15.0)).met.value, 15.84)
        self.assertEqual(known.met, known.charge)

    def test_disagreement_is_said_with_its_size(self):
        known = replace(facts(), sulphidity=datum(0.08))
        second = kinetic(known, follow(known))
        self.assertRegex(second.words, r"The kinetics lie \d+\.\d above, outside the band of 1\.1")

    def test_the_record_is_completed_by_the_plan_as_late_as_it_runs(self):
        known = facts(at_min=90, late_min=10)
        times, celsius = whole_record(known, 220.0)
        self.assertEqual(times[-1], 220.0)
        self.assertTrue(np.all(np.diff(times) > 0))
        self.assertAlmostEqual(float(celsius[-1]), 165.0)
        self.assertLess(float(np.interp(130, times, celsius)), 165.0)

    def test_residual_is_what_the_mills_cooks_leave(self):
        state = follow(facts())
        self.assertAlmostEqual(state.residual.value, 8.5, delta=0.01)
        self.assertGreater(follow(facts(charge=datum(18.0))).residual.value, state.residual.value)

    @given(st.floats(20, 600), st.floats(15, 400))
    def test_a_temperature_for_a_time_makes_that_factor(self, wanted, minutes):
        try:
            celsius = temperature_for_time(h_wanted_h_factor=wanted, duration_min=minutes)
        except DomainError as error:
            self.assertEqual(error.code, "E_INFEASIBLE")
            return
        if 20 <= celsius <= 200:
            self.assertAlmostEqual(h_rate(temperature_c=celsius) * minutes / 60, wanted, delta=1e-6 * wanted)

    @given(st.floats(20, 60), st.floats(800, 2500))
    def test_alkali_and_heat_for_a_kappa_are_inverses(self, kappa, h):
        hemlock = {"alpha": 259.3, "beta": 22.57, "n": 0.41}
        try:
            alkali = alkali_for_kappa(kappa_target_kappa=kappa, h_factor=h, **hemlock)
        except DomainError as error:
            self.assertEqual(error.code, "E_INFEASIBLE")
            return
        back = h_for_kappa(kappa_target_kappa=kappa, effective_alkali_pct_na2o=alkali, **hemlock)
        self.assertAlmostEqual(back, h, delta=1e-6 * h)

    def test_a_plan_that_ends_too_soon_is_refused_with_what_it_gives(self):
        with self.assertRaises(DomainError) as caught:
            minutes_left_on_profile(
                now_min=0, h_now=0, h_target=900, times_min=[0, 60, 90], temperatures_c=[80, 165, 165]
            )
        self.assertEqual((caught.exception.code, caught.exception.argument), ("E_INFEASIBLE", "h_target"))


class Acid(TestCase):
    def test_less_gas_pressure_takes_longer(self):
        low, usual = follow(facts("spruce_acid", 280, kpa=-70)), follow(facts("spruce_acid", 280))
        self.assertGreater(low.blow_min, usual.blow_min + 5)
        self.assertLess(low.done.value, usual.done.value)

    def test_bisulphite_goes_by_heat_alone(self):
        low, usual = follow(facts("spruce_bisulphite", 200, kpa=-70)), follow(facts("spruce_bisulphite", 200))
        self.assertAlmostEqual(low.done.value, usual.done.value, places=9)
        self.assertEqual(usual.done.method.name, "heat_factor")
        self.assertEqual(WAYS["bisulphite"].unit, "h at 100 °C")

    def test_a_head_without_gas_is_reckoned_by_the_plan(self):
        state = follow(facts("spruce_acid", 280, pressure=datum(150.0)))
        self.assertGreater(state.minutes_left.value, 0)

    @given(st.floats(15, 120))
    @settings(max_examples=20)
    def test_a_lower_kappa_wants_more_of_the_factor(self, kappa):
        way, recipe = WAYS["acid"], RECIPES["spruce_acid"]
        relation = Relation.of(recipe)
        aim = way.aim(recipe, relation, datum(0.0), datum(kappa))
        lower = way.aim(recipe, relation, datum(0.0), datum(kappa * 0.9))
        self.assertGreater(lower.value, aim.value)
        self.assertAlmostEqual(way.kappa(recipe, relation, aim.as_datum(), datum(0.0)).value, kappa, places=6)


class Blow(TestCase):
    def answer(self, at_min, **around):
        known = facts(at_min=at_min)
        state = follow(known)
        return decide(known, state, kinetic(known, state), Surroundings(**around))

    def test_hold_soon_and_blow_by_the_clock(self):
        self.assertEqual(self.answer(140).answer, "hold")
        self.assertEqual(self.answer(186).answer, "soon")
        done = self.answer(199)
        self.assertEqual((done.answer, done.words), ("blow", "Relieve and blow."))

    def test_what_speaks_against_it_comes_first(self):
        full = self.answer(202, room_frac=0.1, needs_frac=0.33)
        self.assertFalse(full.reasons[0].good)
        self.assertIn("tank takes 10 % more, the cook needs 33 %", full.words)
        apart = self.answer(202, apart_c=7.2)
        self.assertIn("7.2 °C apart", " ".join(one.words for one in apart.reasons if not one.good))
        gas = self.answer(202, over_kpa=90)
        self.assertIn("90 kPa of gas over steam", gas.words)
        spent = self.answer(202, sampled_residual=2.1)
        self.assertIn("2.1 g/L NaOH, titrated", " ".join(one.words for one in spent.reasons if not one.good))

    def test_an_acid_cook_answers_for_its_gas_and_its_penetration(self):
        known = facts("spruce_acid", 280)
        state = follow(known)

        def reasons(**around):
            found = decide(known, state, None, Surroundings(**around)).reasons
            return {one.words: one.good for one in found if "SO2" in one.words or "penetrate" in one.words}

        kept = reasons(so2_bar=3.9, normal_so2_bar=4.0, penetrated_min=160.0)
        self.assertEqual(list(kept.values()), [True, True])
        self.assertIn("SO2 3.9 bar over steam, 4.0 in the normal cook", kept)
        lost = reasons(so2_bar=3.3, normal_so2_bar=4.0, penetrated_min=60.0)
        self.assertEqual(list(lost.values()), [False, False])
        self.assertEqual(reasons(), {})

    def test_a_blown_cook_is_over(self):
        known = facts(at_min=202, blown=True)
        state = follow(known)
        self.assertEqual(decide(known, state, None, Surroundings()).answer, "over")
        self.assertAlmostEqual(state.arriving, state.done.value + RECIPES["alder"].tail)
