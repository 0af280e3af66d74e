"""Digesters as vessels, sulphite acid, the mill's own kappa relation."""

from unittest import TestCase

import numpy as np
from hypothesis import given
from hypothesis import strategies as st

from stock.cooking.alkali import hydrosulphide, hydroxide, mixed_liquor
from stock.cooking.end_point import cellulose_damage_rate, h_rate
from stock.cooking.liquor import charge_with_black_liquor
from stock.cooking.sulphite import so2_pressure, sulphite_acid, sulphite_factor, sulphite_factor_for_kappa
from stock.cooking.titration import white_liquor_from_abc
from stock.cooking.vessel import cook_heat_balance, flash_steam, liquor_fit, tank_kappa
from stock.errors import DomainError
from stock.fit.kappa import _EXAMPLE, fit_kappa_model, predict_kappa
from stock.working import find_method, recording

NAMED = [
    "temperature_for_rate_c",
    "active_alkali_from_effective",
    "blend_sulphidity",
    "gas_overpressure_kpa",
    "minutes_left_to_h_target",
    "h_deficit",
    "extra_minutes",
    "h_target_for_kappa",
    "alkali_consumed_percent_naoh_on_wood",
    "effective_charge_percent",
    "hydroxide_mol_per_l",
    "hydrosulphide_mol_per_l",
    "caustic_volume_m3",
    "blend_alkali",
    "digester_liquor_fit",
    "cook_heat",
    "flash_steam_t",
    "line_capacity_adt_per_day",
    "blow_interval_min",
    "blend_kappa",
    "g_rate",
    "sulphite_acid_percent",
    "so2_partial_pressure_bar",
    "s_factor",
    "s_factor_for_kappa",
    "simulate_kraft",
    "simulate_soda",
    "simulate_chip_slab",
    "kraft_rates",
    "fit_kappa_model",
    "predict_kappa",
]


class InTheBook(TestCase):
    def test_the_references_names_are_answered(self):
        for name in NAMED:
            with self.subTest(name):
                self.assertTrue(find_method(name).example.result)


class Vessel(TestCase):
    @given(st.floats(50, 400), st.floats(3, 5))
    def test_what_fits_leaves_the_head_it_says(self, volume, ratio):
        wood = 0.17 * volume
        try:
            fit = liquor_fit(
                digester_volume_m3=volume, bd_wood_t=wood, liquor_to_wood=ratio, basic_density_kg_per_m3=410
            )
        except DomainError as error:
            self.assertEqual(error.code, "E_INFEASIBLE")
            return
        again = liquor_fit(
            digester_volume_m3=volume, bd_wood_t=wood, liquor_to_wood=min(fit.most_liquor_to_wood, 10) - 1e-9,
            basic_density_kg_per_m3=410,
        )  # fmt: skip
        self.assertGreaterEqual(fit.free_m3, 0)
        self.assertLess(again.free_m3, fit.free_m3 + 1e-6)

    def test_chips_that_do_not_fit_are_refused(self):
        with self.assertRaisesRegex(DomainError, "the chips alone take"):
            liquor_fit(digester_volume_m3=80, bd_wood_t=40, liquor_to_wood=3, basic_density_kg_per_m3=400)

    def test_more_heat_for_wetter_colder_wood_and_none_from_above(self):
        base = {"bd_wood_t": 20, "moisture_kg_per_kg": 1.0, "chip_c": 60, "white_liquor_t": 42, "white_c": 85, "black_liquor_t": 24, "black_c": 80, "steel_t": 60, "shell_c": 120, "cook_c": 170, "yield_frac": 0.47}  # fmt: skip
        heat = cook_heat_balance(**base).heat_gj
        self.assertGreater(cook_heat_balance(**{**base, "moisture_kg_per_kg": 1.3}).heat_gj, heat)
        self.assertGreater(cook_heat_balance(**{**base, "chip_c": 5}).heat_gj, heat)
        with self.assertRaises(DomainError) as caught:
            cook_heat_balance(**{**base, "white_c": 175})
        self.assertEqual((caught.exception.code, caught.exception.argument), ("E_ORDER", "white_c"))

    def test_a_blow_flashes_only_downwards(self):
        cooled = flash_steam(mass_t=90, cp_kj_per_kg_k=3.8, before_c=150, after_c=100)
        self.assertAlmostEqual(cooled, 7.58, places=2)
        with self.assertRaises(DomainError):
            flash_steam(mass_t=90, cp_kj_per_kg_k=3.8, before_c=90, after_c=100)

    @given(st.floats(1, 100), st.floats(5, 60), st.floats(0, 100), st.floats(5, 60))
    def test_a_tank_lies_between_its_cooks(self, first, first_kappa, second, second_kappa):
        kappa = tank_kappa(first_t=first, first_kappa=first_kappa, second_t=second, second_kappa=second_kappa)
        low, high = sorted((first_kappa, second_kappa))
        self.assertTrue(low - 1e-9 <= kappa <= high + 1e-9)

    def test_hotter_at_the_same_h_costs_more_cellulose(self):
        ratios = [cellulose_damage_rate(temperature_c=t) / h_rate(temperature_c=t) for t in (150, 160, 170)]
        self.assertEqual(ratios, sorted(ratios))


class Liquor(TestCase):
    def test_ions_follow_the_titration(self):
        white = white_liquor_from_abc(a_ml=26.40, b_ml=30.90, c_ml=36.10, acid_normality=0.5, sample_ml=5.0)
        oh = hydroxide(effective_kg_per_m3_as_naoh=white.effective_kg_per_m3_as_naoh)
        hs = hydrosulphide(
            active_kg_per_m3_as_naoh=white.active_kg_per_m3_as_naoh,
            effective_kg_per_m3_as_naoh=white.effective_kg_per_m3_as_naoh,
        )
        self.assertAlmostEqual(oh, 2.640, places=3)
        self.assertAlmostEqual(hs, 0.450, places=3)
        with self.assertRaises(DomainError):
            hydrosulphide(active_kg_per_m3_as_naoh=100, effective_kg_per_m3_as_naoh=110)

    def test_mixing_and_filling_conserve_alkali(self):
        mixed = mixed_liquor(volumes_m3=[60, 25], each_kg_per_m3_as_naoh=[105.6, 96.0])
        self.assertAlmostEqual(mixed * 85, 60 * 105.6 + 25 * 96.0)
        charged = charge_with_black_liquor(
            charge_pct_naoh_on_wood=18.5, black_liquor_m3=20, black_liquor_kg_per_m3_as_naoh=9, bd_wood_t=21.5
        )
        self.assertAlmostEqual((charged - 18.5) / 100 * 21.5 * 1000, 180)
        for volumes, strengths in (([1, 2], [1]), ([0, 0], [1, 2])):
            with self.subTest(volumes), self.assertRaises(DomainError):
                mixed_liquor(volumes_m3=volumes, each_kg_per_m3_as_naoh=strengths)


class Sulphite(TestCase):
    def test_more_free_than_total_is_refused(self):
        with self.assertRaises(DomainError) as caught:
            sulphite_acid(iodate_ml=10, iodate_normality=0.1, naoh_ml=12, naoh_normality=0.1, sample_ml=1)
        self.assertEqual(caught.exception.code, "E_ORDER")

    def test_steam_alone_leaves_no_gas(self):
        self.assertEqual(so2_pressure(pressure_kpa_g=100, temperature_c=138), 0.0)

    @given(st.floats(120, 145), st.floats(300, 800), st.floats(1, 50))
    def test_more_gas_gives_more_factor(self, celsius, pressure, more):
        def factor(kpa):
            return sulphite_factor(times_min=[0, 120], temperatures_c=[celsius, celsius], pressures_kpa_g=[kpa, kpa])

        self.assertGreaterEqual(factor(pressure + more), factor(pressure))

    def test_a_finer_record_of_the_same_cook_gives_the_same_factor(self):
        times, temps, kpa = [0, 60, 120, 300, 330], [110, 125, 138, 138, 132], [480, 600, 600, 600, 450]
        fine = np.arange(0, 331, 5)
        again = sulphite_factor(
            times_min=fine, temperatures_c=np.interp(fine, times, temps), pressures_kpa_g=np.interp(fine, times, kpa)
        )
        whole = sulphite_factor(times_min=times, temperatures_c=temps, pressures_kpa_g=kpa)
        self.assertAlmostEqual(again, whole, places=6)
        with self.assertRaises(DomainError):
            sulphite_factor(times_min=times, temperatures_c=temps, pressures_kpa_g=kpa[:-1])

    def test_a_lower_kappa_takes_more(self):
        more = sulphite_factor_for_kappa(s_reference_bar_h=234.6, reference_kappa=28, target_kappa=20)
        self.assertGreater(more, 254.0)
        with self.assertRaises(DomainError) as caught:
            sulphite_factor_for_kappa(s_reference_bar_h=234.6, reference_kappa=28, target_kappa=190)
        self.assertEqual(caught.exception.code, "E_INFEASIBLE")


class OwnRelation(TestCase):
    def test_a_relation_without_noise_is_found_again(self):
        rng = np.random.default_rng(3)
        cooks = []
        for _ in range(20):
            h, alkali = float(rng.uniform(900, 1900)), float(rng.uniform(12.5, 15.5))
            kappa = 259.3 - 22.57 * np.log10(h) * alkali**0.41
            cooks.append({"h_factor": h, "effective_alkali_pct_na2o": alkali, "kappa": float(kappa)})
        found = fit_kappa_model(cooks=cooks, n=0.41)
        self.assertAlmostEqual(found.alpha, 259.3, places=6)
        self.assertAlmostEqual(found.beta, 22.57, places=6)
        self.assertLess(found.spread_kappa, 1e-9)

    def test_the_band_widens_away_from_the_middle(self):
        middle, edge = (
            predict_kappa(cooks=_EXAMPLE, h_factor=h, effective_alkali_pct_na2o=alkali).half_kappa
            for h, alkali in ((1680, 14.8), (1900, 15.2))
        )
        self.assertLess(middle, edge)

    def test_too_few_too_alike_and_too_far_are_refused(self):
        with self.assertRaises(DomainError) as caught:
            fit_kappa_model(cooks=_EXAMPLE[:7])
        self.assertEqual(caught.exception.code, "E_COUNT")
        with self.assertRaises(DomainError) as caught:
            fit_kappa_model(cooks=[_EXAMPLE[0]] * 10)
        self.assertEqual(caught.exception.code, "E_OBSERV")
        with self.assertRaises(DomainError) as caught:
            predict_kappa(cooks=_EXAMPLE, h_factor=600, effective_alkali_pct_na2o=14.8)
        self.assertEqual(caught.exception.code, "E_EXTRAP")
        with recording() as record:
            predict_kappa(cooks=_EXAMPLE, h_factor=1920, effective_alkali_pct_na2o=15.2)
        self.assertTrue(any("a little outside" in words for words in record.warnings))
