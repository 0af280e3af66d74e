"""Cooking: the H-factor, the end point, and a cook followed."""

from unittest import TestCase

from hypothesis import given
from hypothesis import strategies as st

from stock.cooking.alkali import alkali_as_na2o, alkali_as_naoh
from stock.cooking.end_point import extra_min, h_factor, h_for_kappa, h_missed, h_rate, kappa_hatton, minutes_left_to_h
from stock.cooking.liquor import black_liquor_fill_m3
from stock.cooking.titration import white_liquor_from_abc
from stock.errors import DomainError
from stock.working import recording

HEMLOCK = {"alpha": 259.3, "beta": 22.57, "n": 0.41}


class HFactor(TestCase):
    @given(st.floats(60, 190), st.floats(1, 600))
    def test_constant_temperature_gives_rate_times_time(self, temperature_c, minutes):
        total = h_factor(times_min=[0, minutes], temperatures_c=[temperature_c, temperature_c])
        self.assertAlmostEqual(total, h_rate(temperature_c=temperature_c) * minutes / 60, delta=1e-9 * max(total, 1))

    @given(st.lists(st.floats(60, 185), min_size=3, max_size=8))
    def test_parts_add_up_to_the_whole(self, temperatures):
        times = [10.0 * index for index in range(len(temperatures))]
        whole = h_factor(times_min=times, temperatures_c=temperatures)
        parts = sum(
            h_factor(times_min=times[i : i + 2], temperatures_c=temperatures[i : i + 2]) for i in range(len(times) - 1)
        )
        self.assertAlmostEqual(whole, parts, delta=1e-3 * max(whole, 1))

    def test_sparse_readings_are_not_overcounted(self):
        self.assertLess(h_factor(times_min=[0, 90], temperatures_c=[80, 170]), 182)

    def test_disorder_and_gaps(self):
        with self.assertRaises(DomainError) as caught:
            h_factor(times_min=[0, 10, 10], temperatures_c=[100, 110, 120])
        self.assertEqual((caught.exception.code, caught.exception.argument), ("E_ORDER", "times_min"))
        with self.assertRaises(DomainError) as caught:
            h_factor(times_min=[0, 10], temperatures_c=[100, 110, 120])
        self.assertEqual(caught.exception.code, "E_COUNT")
        with recording() as record:
            h_factor(times_min=[0, 90], temperatures_c=[80, 170])
        self.assertIn("gap", record.warnings[0])

    @given(st.floats(20, 80), st.floats(12, 17))
    def test_h_for_a_kappa_gives_that_kappa(self, kappa, alkali):
        try:
            h = h_for_kappa(kappa_target_kappa=kappa, effective_alkali_pct_na2o=alkali, **HEMLOCK)
        except DomainError as error:
            self.assertEqual(error.code, "E_INFEASIBLE")
            return
        if h > 1:
            back = kappa_hatton(h_factor=h, effective_alkali_pct_na2o=alkali, **HEMLOCK)
            self.assertAlmostEqual(back, kappa, places=6)

    def test_lost_heat_is_made_up_by_the_extra_minutes(self):
        missed = h_missed(set_c=170, actual_c=167, duration_min=20)
        self.assertAlmostEqual(h_rate(temperature_c=170) * extra_min(h_deficit=missed, set_c=170) / 60, missed)

    def test_an_overdue_cook_says_so(self):
        with recording() as record:
            left = minutes_left_to_h(h_now=900, h_target=880, temperature_c=165)
        self.assertEqual(left, 0)
        self.assertIn("past its end point by 20 H", record.warnings[0])


class Liquor(TestCase):
    @given(st.floats(0, 300), st.sampled_from(["naoh", "na2o", "na2s", "na2co3"]))
    def test_bases_convert_there_and_back(self, value, basis):
        as_naoh = alkali_as_naoh(value_kg_per_m3=value, basis=basis)
        through = alkali_as_na2o(value_kg_per_m3=as_naoh, basis="naoh")
        self.assertAlmostEqual(through, alkali_as_na2o(value_kg_per_m3=value, basis=basis), places=9)

    def test_titration_out_of_order_is_refused(self):
        with self.assertRaises(DomainError) as caught:
            white_liquor_from_abc(a_ml=30, b_ml=26, c_ml=36, acid_normality=0.5, sample_ml=5)
        self.assertEqual(caught.exception.code, "E_ORDER")

    def test_liquor_that_does_not_fit_says_the_least_that_does(self):
        with self.assertRaisesRegex(DomainError, "the least that fits is 3.05"):
            black_liquor_fill_m3(bd_wood_t=10, liquor_to_wood=3.0, white_liquor_m3=20.5, moisture_wet_frac=0.5)
