"""Intake: the gate, metal, the drum, chips."""

from unittest import TestCase

from hypothesis import assume, given
from hypothesis import strategies as st

from stock.book import METHODS
from stock.errors import DomainError
from stock.intake.chip_classes import chip_class_percent, kappa_spread, knife_hours_left
from stock.intake.chip_steaming import chip_steaming
from stock.intake.debarking import (
    drum_residence,
    drum_throughput,
    residence_for_bark_target_min,
    residual_bark_fraction,
)
from stock.intake.lot import Test as GateTest
from stock.intake.lot import bone_dry_mass_t, decide, moisture_of_replicates, net_mass_t, samples_needed
from stock.intake.metal import count_chart, lots_to_quarantine
from stock.steam import net_heat_as_fired, saturation_pressure_kpa_abs, saturation_temperature_c
from stock.working import find_method, recording

NAMED = [
    "saturation_pressure_kpa_abs",
    "saturation_temperature_c",
    "latent_heat_kj_per_kg",
    "dry_wood_cp_kj_per_kg_k",
    "bone_dry_mass_t",
    "moisture_ratio_kg_per_kg",
    "mix_basic_density_kg_per_m3",
    "mix_basic_density_from_volume_kg_per_m3",
    "chip_bulk_density_bd_kg_per_m3",
    "solid_volume_factor",
    "wood_per_adt_m3_solid",
    "bark_mass_bdt",
    "drum_residence_min",
    "residual_bark_fraction",
    "residence_for_bark_target_min",
    "debarking_wood_loss_fraction",
    "net_heat_as_fired_mj_per_kg",
    "steam_from_fuel_t_per_h",
    "chip_class_percent",
    "blend_green_feeds_t_per_h",
    "pile_mass_after_bdt",
    "inventory_days",
    "fifo_reclaim",
    "chip_steaming",
    "c_chart_limits",
    "samples_needed",
    "check_bagasse_composition",
    "depith_stage",
    "pith_removal_for_ratio",
    "bagasse_per_adt_t",
    "wet_bulk_storage",
    "dirt_removal_fraction",
]


class InTheBook(TestCase):
    def test_every_method_of_the_reference_answers_to_its_name(self):
        for name in NAMED:
            with self.subTest(name):
                self.assertIn(find_method(name), METHODS.values())


class Gate(TestCase):
    def test_per_cent_for_a_fraction_is_said(self):
        with self.assertRaisesRegex(DomainError, "if 52.5 % was meant, give 0.525"):
            bone_dry_mass_t(green_mass_t=38.6, moisture_wet_frac=52.5)

    def test_tare_above_gross_is_refused_by_name(self):
        with self.assertRaises(DomainError) as caught:
            net_mass_t(gross_t=16.2, tare_t=38.6)
        self.assertEqual((caught.exception.code, caught.exception.argument), ("E_ORDER", "tare_t"))

    def test_replicates_apart_are_kept_and_warned_of(self):
        with recording() as record:
            found = moisture_of_replicates(each_moisture_frac=[0.46, 0.49], repeatability_sd_frac=0.005)
        self.assertAlmostEqual(found.moisture_wet_frac, 0.475)
        self.assertIn("differ by 3.0 points, more than the 1.4 the test allows", record.warnings[0])
        with recording() as record:
            moisture_of_replicates(each_moisture_frac=[0.46, 0.472], repeatability_sd_frac=0.005)
        self.assertEqual(record.warnings, [])
        with recording() as record:
            moisture_of_replicates(each_moisture_frac=[0.46])
        self.assertIn("one sample only", record.warnings[0])

    def test_more_samples_for_a_smaller_error(self):
        self.assertLess(
            samples_needed(std_dev_pct=2.1, allowed_error_pct=0.8),
            samples_needed(std_dev_pct=2.1, allowed_error_pct=0.4),
        )

    def test_accept_deduct_refuse(self):
        tests = (GateTest("bark", 1.0, 2.5, 4.0), GateTest("moisture", 52, 60, 0.5))
        for bark, moisture, answer, off in (
            (0.9, 50, "accept", 0),
            (1.5, 50, "deduct", 2.0),
            (1.5, 54, "deduct", 3.0),
            (2.6, 50, "refuse", 0),
            (1.0, 60, "deduct", 4.0),
        ):
            with self.subTest(bark=bark, moisture=moisture):
                found = decide({"bark": bark, "moisture": moisture}, tests)
                self.assertEqual(found.answer, answer)
                self.assertAlmostEqual(found.deduction_pct, off)
        self.assertIn("bark 2.6 %, above the 2.5 % at which a lot is refused", decide({"bark": 2.6}, tests).reason)
        self.assertEqual(decide({"bark": 0.9, "moisture": 50}, tests).reason, "every test within its limit")
        some = "every test made is within its limit; not tested: moisture"
        self.assertEqual(decide({"bark": 0.9}, tests).reason, some)
        self.assertEqual(decide({}, tests).reason, "not tested: bark, moisture")
        self.assertIn("refused; not tested: moisture", decide({"bark": 2.6}, tests).reason)

    def test_a_refusing_limit_below_the_accepting_one_is_an_error_not_a_refusal(self):
        with self.assertRaisesRegex(DomainError, "lies below the accepting one"):
            decide({"bark": 1.2}, (GateTest("bark", 2.0, 1.0, 4.0),))


class Metal(TestCase):
    def test_eight_shifts_are_needed(self):
        with self.assertRaises(DomainError) as caught:
            count_chart(trips_each_count=[1, 2, 3])
        self.assertEqual(caught.exception.code, "E_COUNT")
        with self.assertRaises(DomainError) as caught:
            count_chart(trips_each_count=[1, 2, 3, 1, 2, -1, 2, 2])
        self.assertEqual(caught.exception.code, "E_RANGE")

    def test_eight_in_a_shift_is_a_change_and_seven_is_not(self):
        upper = count_chart(trips_each_count=[3, 1, 4, 2, 2, 5, 3, 1, 2, 4]).upper_count
        self.assertTrue(7 <= upper < 8)

    def test_two_trips_in_one_lot(self):
        self.assertEqual(lots_to_quarantine(["A", "B", "A", "", ""]), ["A"])


class Drum(TestCase):
    @given(st.floats(20, 600), st.floats(0.2, 0.8), st.floats(5, 400))
    def test_feed_and_residence_are_each_others_inverse(self, volume, fill, feed):
        minutes = drum_residence(drum_volume_m3=volume, fill_frac=fill, throughput_m3_solid_per_h=feed)
        assume(0 < minutes <= 600)
        again = drum_throughput(drum_volume_m3=volume, fill_frac=fill, residence_min=minutes)
        self.assertAlmostEqual(again / feed, 1)

    @given(st.floats(0.02, 0.3), st.floats(0.001, 0.019), st.floats(0.02, 0.2))
    def test_the_time_needed_brings_the_bark_to_its_target(self, bark, target, rate):
        needed = residence_for_bark_target_min(bark_in_frac=bark, bark_target_frac=target, rate_per_min=rate)
        left = residual_bark_fraction(bark_in_frac=bark, rate_per_min=rate, residence_min=min(needed, 600))
        if needed <= 600:
            self.assertAlmostEqual(left, target)
        self.assertEqual(
            residence_for_bark_target_min(bark_in_frac=target, bark_target_frac=bark, rate_per_min=rate), 0
        )

    def test_wet_bark_gives_less_heat_and_at_last_none(self):
        heats = [net_heat_as_fired(moisture_wet_frac=m).net_as_fired_mj_per_kg for m in (0.3, 0.5, 0.7, 0.9)]
        self.assertEqual(heats, sorted(heats, reverse=True))
        with recording() as record:
            self.assertLess(net_heat_as_fired(moisture_wet_frac=0.9).net_as_fired_mj_per_kg, 0)
        self.assertTrue(any("support fuel" in warning for warning in record.warnings))


class Chips(TestCase):
    def test_classes_that_do_not_add_up_are_refused(self):
        masses = [31, 402, 2986, 1105, 318, 71]
        with self.assertRaises(DomainError) as caught:
            chip_class_percent(mass_by_class_g=masses, sample_mass_g=5200)
        self.assertEqual(caught.exception.code, "E_SUM")
        with recording() as record:
            chip_class_percent(mass_by_class_g=masses, sample_mass_g=4990)
        self.assertIn("spilt or counted twice", record.warnings[0])
        with self.assertRaises(DomainError) as caught:
            chip_class_percent(mass_by_class_g=[*masses, 1], sample_mass_g=4914)
        self.assertEqual(caught.exception.code, "E_COUNT")

    def test_thick_chips_lift_and_spread_the_kappa_less_in_a_cool_cook(self):
        thin = [0, 0.02, 0.6, 0.3, 0.06, 0.02]
        thick = [0.05, 0.2, 0.45, 0.22, 0.06, 0.02]
        few, many = (kappa_spread(class_each_frac=one, thin_kappa=25) for one in (thin, thick))
        cool = kappa_spread(class_each_frac=thick, thin_kappa=25, hot_frac=0)
        self.assertLess(few.spread_kappa, many.spread_kappa)
        self.assertLess(few.kappa_rise_kappa, many.kappa_rise_kappa)
        self.assertLess(cool.spread_kappa, many.spread_kappa)

    def test_knives_that_do_not_wear_give_no_hours(self):
        with self.assertRaises(DomainError) as caught:
            knife_hours_left(since_change_h=[1, 5, 9], overthick_each_pct=[4, 3.5, 3], limit_pct=5)
        self.assertEqual(caught.exception.code, "E_OBSERV")
        with self.assertRaises(DomainError):
            knife_hours_left(since_change_h=[2, 2, 2], overthick_each_pct=[4, 3.5, 3], limit_pct=5)
        past = knife_hours_left(since_change_h=[1, 9, 17], overthick_each_pct=[3, 5, 7], limit_pct=5)
        self.assertEqual(past.left_h, 0)

    @given(st.floats(-30, 60), st.floats(0.2, 0.65), st.floats(0.02, 0.1))
    def test_wetter_and_colder_chips_take_more_steam(self, t_in, moisture, more):
        def steam(t, m):
            return chip_steaming(t_in_c=t, t_out_c=100, moisture_wet_frac=m).steam_kg_per_bdt

        self.assertLess(steam(t_in, moisture), steam(t_in, moisture + more))
        self.assertLess(steam(t_in + 1, moisture), steam(t_in, moisture))

    def test_frozen_chips_take_nearly_double(self):
        frozen = chip_steaming(t_in_c=-12, t_out_c=100, moisture_wet_frac=0.52)
        self.assertAlmostEqual(frozen.heat_kj_per_kg, 991.5, delta=0.5)
        self.assertAlmostEqual(frozen.steam_kg_per_bdt, 517, delta=0.5)
        with self.assertRaises(DomainError) as caught:
            chip_steaming(t_in_c=90, t_out_c=80, moisture_wet_frac=0.5)
        self.assertEqual(caught.exception.code, "E_ORDER")

    @given(st.floats(1, 340))
    def test_water_boils_where_it_is_under_its_own_pressure(self, celsius):
        pressure = saturation_pressure_kpa_abs(temperature_c=celsius)
        self.assertAlmostEqual(saturation_temperature_c(pressure_kpa_abs=pressure), celsius, places=5)
