"""Kinetics against printed runs, a stiff solver, and what must hold whatever is cooked."""

from unittest import TestCase

import numpy as np
from hypothesis import given, settings
from hypothesis import strategies as st

from stock.cooking.alkali import NAOH_G_PER_MOL
from stock.cooking.end_point import h_factor
from stock.cooking.kinetics import (
    WOODS,
    kappa_of,
    kraft_rates,
    march,
    simulate_kraft,
    simulate_soda,
)
from stock.cooking.renewed import simulate_constant_liquor
from stock.cooking.slab import simulate_chip_slab
from stock.errors import DomainError
from stock.intake.chip_classes import _SLAB_KAPPA, _SLAB_MM
from stock.working import recording
from tests.stock.stiff import stiff_end

BASE = {"effective_alkali_pct_naoh_on_wood": 18.5, "sulphidity_frac": 0.30, "liquor_to_wood": 4.0}


def softwood(top_c=170.0, **changes):
    return simulate_kraft(times_min=[0, 90, 190], temperatures_c=[80, top_c, top_c], **{**BASE, **changes})


class Renewed(TestCase):
    def test_liquor_that_never_weakens_ends_where_each_phase_says_by_itself(self):
        bulk, last = 0.031569, 0.008739 * 0.6**0.7
        kelvin = 443.15
        first = 36.2 * kelvin**0.5 * np.exp(-4807.69 / kelvin)
        spent = np.log(27 / 22.5) / first + np.log(22.5 / 2.2) / bulk
        lignin = 2.2 * np.exp(-last * (100 - spent))
        found = simulate_constant_liquor(times_min=[0, 100], temperatures_c=[170, 170], oh_mol_per_l=0.6, hs_mol_per_l=0.2)  # fmt: skip
        self.assertAlmostEqual(found.lignin_pct, lignin, places=3)

    def test_it_bounds_the_batch_that_eats_its_alkali(self):
        batch = softwood()
        start = (10 * 18.5 / 39.997 - 10 * 1.3 / 43.04) / 4
        held = simulate_constant_liquor(times_min=[0, 90, 190], temperatures_c=[80, 170, 170], oh_mol_per_l=start, hs_mol_per_l=0.2)  # fmt: skip
        self.assertLess(held.kappa, batch.kappa)
        self.assertAlmostEqual(held.h_factor, batch.h_factor, places=6)


class Printed(TestCase):
    def test_softwood_on_its_way(self):
        rows = {30: (0, 25.78, 62.89, 39.7), 60: (11, 22.69, 55.20, 30.8), 90: (179, 15.55, 51.46, 24.1), 120: (644, 7.09, 47.49, 16.7), 160: (1264, 3.11, 45.62, 13.2), 190: (1730, 2.11, 44.98, 12.1)}  # fmt: skip
        course = {round(one.at_min): one for one in march(np.array([0.0, 90, 190]), np.array([80.0, 170, 170]), 18.5, 0.30, 4.0, WOODS["softwood"])}  # fmt: skip
        for minute, (h, lignin, carbohydrate, alkali) in rows.items():
            with self.subTest(minute):
                now = course[minute]
                self.assertAlmostEqual(now.lignin_pct, lignin, delta=0.02)
                self.assertAlmostEqual(now.carbohydrate_pct, carbohydrate, delta=0.02)
                self.assertAlmostEqual(now.oh_mol_per_l * NAOH_G_PER_MOL, alkali, delta=0.08)
                top = 80 + min(minute, 90)
                times, temps = ([0, minute], [80, top]) if minute <= 90 else ([0, 90, minute], [80, 170, 170])
                self.assertAlmostEqual(h_factor(times_min=times, temperatures_c=temps), h, delta=0.6)

    def test_hardwood_on_its_way(self):
        for minute, (lignin, kappa, total, alkali) in {90: (9.79, 104.4, 65.1, 16.2), 120: (3.26, 43.4, 55.5, 10.1), 150: (1.37, 21.5, 52.8, 8.4)}.items():  # fmt: skip
            with self.subTest(minute):
                times, temps = ([0, 90], [80, 165]) if minute == 90 else ([0, 90, minute], [80, 165, 165])
                end = simulate_kraft(
                    times_min=times, temperatures_c=temps, effective_alkali_pct_naoh_on_wood=18.0, sulphidity_frac=0.28,
                    liquor_to_wood=3.8, species="hardwood",
                )  # fmt: skip
                self.assertAlmostEqual(end.lignin_pct, lignin, delta=0.02)
                self.assertAlmostEqual(end.kappa, kappa, delta=0.12)
                self.assertAlmostEqual(end.total_yield_pct, total, delta=0.06)
                self.assertAlmostEqual(end.residual_kg_per_m3_as_naoh, alkali, delta=0.06)

    def test_one_change_at_a_time(self):
        for change, kappa, total, residual in (
            ({"effective_alkali_pct_naoh_on_wood": 17.5}, 32.3, 47.6, 10.1),
            ({"effective_alkali_pct_naoh_on_wood": 19.5}, 28.6, 46.7, 14.3),
            ({"effective_alkali_pct_naoh_on_wood": 16.5}, 40.3, 48.7, 8.2),
            ({"sulphidity_frac": 0.20}, 32.1, 47.5, 12.5),
            ({"sulphidity_frac": 0.40}, 29.0, 46.9, 12.0),
            ({"liquor_to_wood": 3.5}, 28.7, 46.6, 13.4),
            ({"liquor_to_wood": 4.5}, 30.8, 47.5, 11.1),
            ({"top_c": 168.0}, 33.8, 47.7, 12.6),
            ({"top_c": 172.0}, 28.2, 46.7, 11.8),
        ):
            with self.subTest(**change):
                end = softwood(**change)
                self.assertAlmostEqual(end.kappa, kappa, delta=0.06)
                self.assertAlmostEqual(end.total_yield_pct, total, delta=0.06)
                self.assertAlmostEqual(end.residual_kg_per_m3_as_naoh, residual, delta=0.06)

    def test_rates_to_check_code(self):
        def rate(phase, celsius, oh, hs):
            return -kraft_rates(
                phase=phase, temperature_c=celsius, lignin_pct=1.0, oh_mol_per_l=oh, hs_mol_per_l=hs, species="softwood"
            ).lignin_pct_per_min

        self.assertAlmostEqual(rate("bulk", 170, 0.6, 0.2), 0.031569, places=6)
        self.assertAlmostEqual(rate("bulk", 170, 0.6, 0.0), 0.016021, places=6)
        self.assertAlmostEqual(rate("residual", 170, 1.0, 0.0), 0.008739, places=6)
        self.assertAlmostEqual(rate("initial", 130, 1.0, 0.2), 0.004812, places=6)

    def test_softwood_without_sulphide_stays_at_67(self):
        end = simulate_soda(
            times_min=[0, 90, 190], temperatures_c=[80, 170, 170], effective_alkali_pct_naoh_on_wood=18.5,
            liquor_to_wood=4.0, species="softwood",
        )  # fmt: skip
        self.assertAlmostEqual(end.kappa, 67, delta=0.6)


class AgainstAStiffSolver(TestCase):
    def test_within_a_tenth_of_a_kappa(self):
        for name, charge, sulphidity, volume, top in (
            ("softwood", 18.5, 0.30, 4.0, 170),
            ("softwood", 15.0, 0.25, 3.5, 168),
            ("hardwood", 18.0, 0.28, 3.8, 165),
            ("bagasse", 13.0, 0.0, 5.0, 165),
        ):
            wood = WOODS[name]
            times, temps = np.array([0.0, 90, 170]), np.array([80.0, top, top])
            state = stiff_end(times, temps, charge, sulphidity, volume, wood)
            end = simulate_kraft(
                times_min=times, temperatures_c=temps, effective_alkali_pct_naoh_on_wood=charge, sulphidity_frac=sulphidity,
                liquor_to_wood=volume, species=name,
            )  # fmt: skip
            with self.subTest(name):
                self.assertAlmostEqual(end.kappa, kappa_of(state[0], state[1], wood), delta=0.02)
                self.assertAlmostEqual(end.total_yield_pct, state[0] + state[1], delta=0.02)


class WhateverIsCooked(TestCase):
    @settings(max_examples=25)
    @given(st.floats(14, 24), st.floats(0.1, 0.44), st.floats(3, 6), st.floats(150, 172), st.floats(0.2, 1.5))
    def test_more_of_anything_that_cooks_cooks_more(self, charge, sulphidity, volume, top, more):
        base = {"effective_alkali_pct_naoh_on_wood": charge, "sulphidity_frac": sulphidity, "liquor_to_wood": volume}
        lignin = softwood(top, **base).lignin_pct
        self.assertLess(softwood(top + more, **base).lignin_pct, lignin)
        self.assertLess(
            softwood(top, **{**base, "effective_alkali_pct_naoh_on_wood": charge + more}).lignin_pct, lignin
        )
        self.assertLess(softwood(top, **{**base, "sulphidity_frac": sulphidity + 0.1 * more}).lignin_pct, lignin)

    @settings(max_examples=25)
    @given(st.floats(14, 24), st.floats(0, 0.45), st.floats(3, 6), st.sampled_from(list(WOODS)))
    def test_alkali_used_is_what_dissolving_took(self, charge, sulphidity, volume, species):
        wood = WOODS[species]
        first, *_, last = march(np.array([0.0, 60, 120]), np.array([80.0, 160, 160]), charge, sulphidity, volume, wood)
        b_lignin, b_carbohydrate, b_sulphide = wood.alkali
        lignin, carbohydrate = first.lignin_pct - last.lignin_pct, first.carbohydrate_pct - last.carbohydrate_pct
        scale = 10 / (NAOH_G_PER_MOL * volume)
        self.assertAlmostEqual(first.oh_mol_per_l - last.oh_mol_per_l, scale * (b_lignin * lignin + b_carbohydrate * carbohydrate), places=6)  # fmt: skip
        self.assertAlmostEqual(first.hs_mol_per_l - last.hs_mol_per_l, scale * b_sulphide * lignin, places=6)

    def test_a_spent_liquor_stops_the_cook_and_says_so(self):
        with recording() as record:
            end = softwood(effective_alkali_pct_naoh_on_wood=9.0)
        self.assertLess(end.stop_min, 190)
        self.assertTrue(any("the alkali is spent after" in words for words in record.warnings))

    def test_what_cannot_be_cooked_is_refused(self):
        for change, code in (
            ({"effective_alkali_pct_naoh_on_wood": 2.0}, "E_RANGE"),
            ({"liquor_to_wood": 1.5}, "E_RANGE"),
            ({"sulphidity_frac": 0.7}, "E_RANGE"),
            ({"top_c": 190.0}, "E_RANGE"),
            ({"species": "straw"}, "E_UNIT"),
        ):
            with self.subTest(**change), self.assertRaises(DomainError) as caught:
                softwood(**change)
            self.assertEqual(caught.exception.code, code)
        with self.assertRaises(DomainError) as caught:
            simulate_kraft(times_min=[0, 90, 80], temperatures_c=[80, 170, 170], **BASE)
        self.assertEqual(caught.exception.code, "E_ORDER")


class Thickness(TestCase):
    def slab(self, thickness, hold=100, top=170):
        return simulate_chip_slab(
            thickness_mm=thickness, times_min=[0, 90, 90 + hold], temperatures_c=[80, top, top], **BASE
        )

    def test_the_yards_table_is_what_the_slab_gives(self):
        for name, hold, top in (("hot", 100, 170), ("cool", 360, 155)):
            for thickness, kappa in zip(_SLAB_MM, _SLAB_KAPPA[name], strict=True):
                if thickness in (4, 8, 12):
                    with self.subTest(name, thickness=thickness):
                        self.assertAlmostEqual(self.slab(thickness, hold, top).mean_kappa, kappa, delta=0.12)

    def test_the_core_of_a_thick_chip_stays_raw(self):
        thick = self.slab(12)
        self.assertLess(thick.surface_kappa, thick.mean_kappa)
        self.assertGreater(thick.centre_kappa, thick.mean_kappa)
        self.assertAlmostEqual(thick.surface_kappa, 27, delta=0.6)
        self.assertAlmostEqual(thick.centre_kappa, 49, delta=0.6)

    def test_a_thin_chip_cooks_as_well_mixed_liquor_does(self):
        self.assertAlmostEqual(self.slab(2).mean_kappa, softwood().kappa, delta=0.15)
