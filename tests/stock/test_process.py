"""Relations that must hold whatever the numbers: balances close, inverses return, more gives more."""

from unittest import TestCase

from hypothesis import assume, given
from hypothesis import strategies as st

from stock.bleaching.colour import km_k_over_s, km_reflectance_frac
from stock.bleaching.response import charge_for_brightness, ks_after
from stock.blending.furnish import blend_freeness_ml, blend_optics, dose_to_pump
from stock.consistency.basis import bd_rate_t_per_h, stock_flow_l_per_min
from stock.consistency.dilution import blend_consistency, dilution_liquor_t_per_h, dilution_water_l_per_min
from stock.delivery.machine import chest_cover, headbox_balance, reel_production, speed_for_tonnes
from stock.errors import DomainError
from stock.figure import Datum, Origin, figure
from stock.plan.cover import vessel_event
from stock.refining.curve import freeness_curve
from stock.refining.energy import csf_to_sr, energy_for_freeness, freeness_after, power_step, sr_to_csf
from stock.refining.freeness import cake_of_csf_ratio, csf_at_standard, csf_of_cake_ml
from stock.screening.stage import debris_removed, mass_reject_for_removal, screen_rates
from stock.slushing.batch import repulp_batch
from stock.units import US, convert, shown
from stock.washing.stage import dilution_factor_for_loss, washing_loss_frac
from stock.working import recording


class Dilution(TestCase):
    @given(st.floats(10, 9000), st.floats(2, 12), st.floats(0.2, 1), st.floats(0, 0.1))
    def test_fibre_in_is_fibre_out(self, flow, thick, share, water):
        target = water + share * (thick - water)
        assume(target > water + 0.05)
        added = dilution_water_l_per_min(
            flow_l_per_min=flow, consistency_in_pct=thick, consistency_out_pct=target, water_consistency_pct=water
        )
        self.assertAlmostEqual(flow * thick + added * water, (flow + added) * target, delta=1e-6 * flow * thick)
        mixed = blend_consistency(mass_flow_t_per_h=[flow, added], consistency_each_pct=[thick, water])
        self.assertAlmostEqual(mixed.consistency_pct, target, places=8)

    def test_water_does_not_thicken(self):
        for call, wanted in (
            (dilution_water_l_per_min, "consistency_out_pct"),
            (dilution_liquor_t_per_h, "to_consistency_pct"),
        ):
            arguments = {"flow_l_per_min": 100, "consistency_in_pct": 3, "consistency_out_pct": 4}
            if call is dilution_liquor_t_per_h:
                arguments = {"od_flow_t_per_h": 10, "from_consistency_pct": 3, "to_consistency_pct": 4}
            with self.subTest(wanted), self.assertRaises(DomainError) as caught:
                call(**arguments)
            self.assertEqual((caught.exception.code, caught.exception.argument), ("E_ORDER", wanted))

    @given(st.floats(0.1, 50), st.floats(0.5, 12))
    def test_flow_and_rate_return(self, rate, consistency):
        flow = stock_flow_l_per_min(bdt_per_h=rate, consistency_pct=consistency)
        self.assertAlmostEqual(bd_rate_t_per_h(flow_l_per_min=flow, consistency_pct=consistency), rate, places=9)


class Washing(TestCase):
    @given(st.floats(0.2, 5.5), st.floats(4, 20))
    def test_the_dilution_factor_returns_from_its_loss(self, df, e_std):
        loss = 1500 * washing_loss_frac(dilution_factor_t_per_bdt=df, feed_consistency_pct=10, e_std_total_ratio=e_std)
        assume(loss > 1e-3)
        back = dilution_factor_for_loss(
            target_loss_kg_per_bdt=loss, feed_consistency_pct=10, feed_solids_kg_per_bdt=1500, e_std_total_ratio=e_std
        )
        self.assertAlmostEqual(back, df, places=5)

    @given(st.floats(0, 5), st.floats(0.01, 1), st.floats(1, 20))
    def test_more_water_never_loses_more(self, df, step, e_std):
        at = {"feed_consistency_pct": 10, "e_std_total_ratio": e_std}
        now = washing_loss_frac(dilution_factor_t_per_bdt=df, **at)
        self.assertLessEqual(washing_loss_frac(dilution_factor_t_per_bdt=df + step, **at), now + 1e-12)

    def test_the_limit_at_no_dilution_is_continuous(self):
        at = {"feed_consistency_pct": 12, "e_std_total_ratio": 9}
        zero = washing_loss_frac(dilution_factor_t_per_bdt=0, **at)
        self.assertAlmostEqual(zero, washing_loss_frac(dilution_factor_t_per_bdt=1e-6, **at), places=5)

    def test_out_of_reach_says_what_is_in_reach(self):
        with self.assertRaisesRegex(DomainError, "out of reach; the line gives"):
            dilution_factor_for_loss(
                target_loss_kg_per_bdt=0.001, feed_consistency_pct=10, feed_solids_kg_per_bdt=1500, e_std_total_ratio=3
            )


class Screening(TestCase):
    @given(st.floats(0.05, 0.95), st.floats(-0.5, 0.95))
    def test_removal_and_reject_rate_return(self, removal, quotient):
        rate = mass_reject_for_removal(removal_frac=removal, quotient_ratio=quotient)
        assume(0 < rate < 1)
        self.assertAlmostEqual(debris_removed(mass_reject_frac=rate, quotient_ratio=quotient), removal, places=9)

    @given(st.floats(100, 9000), st.floats(0.5, 4), st.floats(0.05, 0.5), st.floats(1, 1.8))
    def test_fibre_parts_between_accept_and_reject(self, feed, consistency, by_volume, thickening):
        reject = feed * by_volume
        rates = screen_rates(
            feed_flow_l_per_min=feed,
            feed_consistency_pct=consistency,
            reject_flow_l_per_min=reject,
            reject_consistency_pct=consistency * thickening,
        )
        accepted = (feed - reject) * rates.accept_consistency_pct
        self.assertAlmostEqual(accepted + reject * consistency * thickening, feed * consistency, delta=1e-6 * feed)


class Brightness(TestCase):
    @given(st.floats(0.02, 1))
    def test_reflectance_returns(self, reflectance):
        back = km_reflectance_frac(ks=km_k_over_s(reflectance_frac=reflectance))
        self.assertAlmostEqual(back, reflectance, places=9)

    @given(st.floats(60, 82), st.floats(1, 7))
    def test_the_charge_reaches_its_brightness(self, start, gain):
        stage = {"response_per_kg": 0.25, "ks_floor_ks": 0.004}
        charge = charge_for_brightness(start_brightness_pct=start, target_brightness_pct=start + gain, **stage)
        ks = ks_after(ks_in_ks=km_k_over_s(reflectance_frac=start / 100), charge_kg_per_bdt=charge, **stage)
        self.assertAlmostEqual(100 * km_reflectance_frac(ks=ks), start + gain, places=6)

    @given(st.floats(0.5, 0.9), st.floats(0.5, 0.9), st.floats(0, 1))
    def test_a_blend_lies_between_its_parts(self, one, other, share):
        blend = blend_optics(
            shares_frac=[share, 1 - share], brightness_each_frac=[one, other], scattering_m2_per_kg=[30, 30]
        ).brightness_frac
        self.assertTrue(min(one, other) - 1e-9 <= blend <= max(one, other) + 1e-9)


class Refining(TestCase):
    @given(csf=st.floats(60, 700), consistency=st.floats(0.2, 0.4), warmth=st.floats(10, 30))
    def test_a_test_at_the_standard_stays_and_thick_or_cold_stock_reads_low(self, csf, consistency, warmth):
        assume(abs(consistency - 0.3) > 1e-6 and abs(warmth - 20) > 1e-6)  # at it, it stays: said on its own
        self.assertAlmostEqual(cake_of_csf_ratio(csf_ml=csf_of_cake_ml(cake_ratio=csf / 300)), csf / 300, places=6)
        same = csf_at_standard(read_csf_ml=csf, tested_consistency_pct=0.3, temperature_c=20)
        self.assertAlmostEqual(same.correction_ml, 0, places=6)
        thick = csf_at_standard(read_csf_ml=csf, tested_consistency_pct=consistency, temperature_c=20)
        self.assertEqual(thick.correction_ml > 0, consistency > 0.3)
        warm = csf_at_standard(read_csf_ml=csf, tested_consistency_pct=0.3, temperature_c=warmth)
        self.assertEqual(warm.correction_ml < 0, warmth > 20)

    def test_a_test_is_corrected_by_the_printed_steps(self):
        for csf, per_pct, per_c in ((100, -3.4, 2.5), (200, -5.3, 3.9), (400, -7.0, 5.2), (600, -6.5, 4.7)):
            cake = cake_of_csf_ratio(csf_ml=csf)
            self.assertAlmostEqual(csf_of_cake_ml(cake_ratio=cake * 0.31 / 0.30) - csf, per_pct, delta=0.15)
            warmer = csf_at_standard(read_csf_ml=csf, tested_consistency_pct=0.3, temperature_c=21)
            self.assertAlmostEqual(-warmer.correction_ml, per_c, delta=0.15)

    def test_three_rules_of_a_blend_as_printed(self):
        for rule, wanted in (("logarithm", 349.7), ("resistance", 341.1), ("mean", 360.0)):
            found = blend_freeness_ml(shares_frac=[0.3, 0.7], each_csf_ml=[500, 300], rule=rule)
            self.assertAlmostEqual(found, wanted, delta=0.06)

    @given(st.floats(25, 800))
    def test_freeness_tables_return(self, csf):
        self.assertAlmostEqual(sr_to_csf(sr=csf_to_sr(csf_ml=csf)), csf, places=6)

    @given(st.floats(300, 700), st.floats(0.3, 0.95))
    def test_energy_brings_stock_to_its_freeness(self, start, share):
        energy = energy_for_freeness(unrefined_csf_ml=start, target_csf_ml=start * share, slope_ratio=0.0034)
        assume(energy < 600)
        after = freeness_after(unrefined_csf_ml=start, sre_kwh_per_t=energy, slope_ratio=0.0034)
        self.assertAlmostEqual(after, start * share, places=6)
        step = power_step(now_csf_ml=start, target_csf_ml=start * share, bdt_per_h=5, slope_ratio=0.0034)
        self.assertAlmostEqual(step, 5 * energy, places=6)


class MachineAndChests(TestCase):
    @given(st.floats(1, 30), st.floats(2, 8), st.floats(40, 200))
    def test_speed_makes_its_tonnes(self, tonnes, width, grammage):
        speed = speed_for_tonnes(reel_t_per_h=tonnes, width_m=width, grammage_g_per_m2=grammage)
        assume(speed < 3000)
        made = reel_production(speed_m_per_min=speed, width_m=width, grammage_g_per_m2=grammage, moisture_pct=5)
        self.assertAlmostEqual(made.reel_t_per_h, tonnes, places=8)

    def test_the_head_box_balance_closes(self):
        box = headbox_balance(
            sheet_bdt_per_h=12.4, retention_frac=0.82, headbox_pct=0.75, thick_pct=3.2, couch_solids_pct=19
        )
        fed = box.thick_t_per_h * 3.2 + box.recirculated_t_per_h * box.white_water_pct
        self.assertAlmostEqual(fed, box.headbox_t_per_h * 0.75, places=6)

    def test_a_batch_that_does_not_fit_is_refused(self):
        bales = [{"bales_count": 20, "unit_kg": 250, "dryness_pct": 90}]
        with self.assertRaisesRegex(DomainError, "take fewer bales"):
            repulp_batch(items=bales, target_consistency_pct=5, usable_volume_m3=60)
        with self.assertRaises(DomainError) as caught:
            repulp_batch(items=[{**bales[0], "dryness_pct": 140}], target_consistency_pct=5, usable_volume_m3=60)
        self.assertEqual(caught.exception.argument, "items[0].dryness_pct")

    @given(st.floats(9, 59), st.floats(0, 20), st.floats(0, 20))
    def test_a_vessel_meets_its_limit_when_the_mass_says(self, level, fed, drawn):
        event = vessel_event(
            level_bdt=level,
            min_bdt=8,
            max_bdt=60,
            segments=[{"span_h": 4, "in_bdt_per_h": fed, "out_bdt_per_h": drawn}],
        )
        hours = 4 if event.time_h is None else event.time_h  # with no event there is no time of one
        self.assertEqual(event.time_h is None, event.event_count == 0)
        self.assertAlmostEqual(level + (fed - drawn) * hours, event.level_bdt, places=6)

    def test_what_nobody_draws_from_has_no_time(self):
        with recording() as seen:
            self.assertIsNone(chest_cover(level_bdt=5.0, min_bdt=1.0, demand_bdt_per_h=0))
        self.assertIn("nothing is drawn", seen.warnings[0])
        with self.assertRaisesRegex(DomainError, "nothing is drawn"):  # no number to show
            data = {name: Datum(value, Origin("entered", "t")) for name, value in
                    (("level_bdt", 5.0), ("min_bdt", 1.0), ("demand_bdt_per_h", 0.0))}  # fmt: skip
            figure("chest_cover", "cover", data)

    def test_a_curve_of_freeness_is_refused_where_it_says_nothing(self):
        good = {"energy_each_kwh_per_t": [0, 40, 80, 120], "freeness_each_csf_ml": [660, 585, 502, 446]}
        for code, argument, change in (
            ("E_COUNT", "energy_each_kwh_per_t", {"energy_each_kwh_per_t": [0, 0, 40, 40]}),
            ("E_OBSERV", "freeness_each_csf_ml", {"freeness_each_csf_ml": [400, 420, 440, 460]}),
            ("E_EXTRAP", "target_csf_ml", {"target_csf_ml": 150}),
        ):
            with self.subTest(code), self.assertRaises(DomainError) as caught:
                freeness_curve(**{**good, "target_csf_ml": 500, **change})
            self.assertEqual((caught.exception.code, caught.exception.argument), (code, argument))

    def test_a_dose_at_a_low_stroke_is_doubted(self):
        with recording() as seen:
            found = dose_to_pump(bdt_per_h=1, dose_kg_per_t=1, active_pct=10, pump_max_l_per_h=200)
        self.assertAlmostEqual(found.stroke_pct, 5.0)
        self.assertIn("doses unevenly", seen.warnings[0])


class Units(TestCase):
    @given(st.floats(-1e6, 1e6), st.sampled_from(sorted(US)))
    def test_there_and_back(self, value, unit):
        there, other = shown(value, unit, "us")
        self.assertAlmostEqual(convert(there, other, unit), value, delta=1e-6 * max(1, abs(value)))

    def test_known_pairs(self):
        for value, start, end, expected in (
            (1, "hp·d/short ton", "kWh/t", 19.7278),
            (100, "°C", "°F", 212),
            (1, "US gpm", "L/min", 3.785411784),
            (120, "g/L NaOH", "g/L Na2O", 92.98),
            (1, "short ton", "kg", 907.18474),
        ):
            with self.subTest(start):
                self.assertAlmostEqual(convert(value, start, end), expected, places=2)

    def test_units_of_other_kinds_are_refused(self):
        for start, end in (("kW", "L/min"), ("furlong", "m")):
            with self.subTest(start), self.assertRaises(DomainError) as caught:
                convert(1, start, end)
            self.assertEqual(caught.exception.code, "E_UNIT")
