"""Bleaching and water: examples beside those of the book, laws that hold whatever is put in, refusals by name."""

from itertools import pairwise

import numpy as np
from django.test import SimpleTestCase
from hypothesis import given, settings
from hypothesis import strategies as st

from stock.bleaching.between import carried_between, filtrate_buildup
from stock.bleaching.colour import brightness_of, km_k_over_s, km_reflectance_frac, ks_of, post_colour
from stock.bleaching.dosing import (
    delivery_checked,
    mix_strengths,
    mix_strengths_by_mass,
    pump_at_strength,
    tank_after_delivery,
)
from stock.bleaching.gas import dioxide_gas, strongest_dioxide
from stock.bleaching.ladder import response_fit
from stock.bleaching.ph import alkaline_ph, ph_dose
from stock.bleaching.residual import residual_left, residual_share, so2_to_kill
from stock.bleaching.response import brightness_after_step, charge_correction
from stock.bleaching.sequence import STAGES, Pulp, bleached, stage_end
from stock.bleaching.symbols import SYMBOLS, middle, symbol_of
from stock.bleaching.through import Run, extracted, ks_into, march, rows_for, rows_of, start_of
from stock.bleaching.tower import ages_min, tower_exit_age, tower_tracer
from stock.bleaching.unit import BleachStage, Stage
from stock.water.day import effluent_day, permit_left
from stock.water.loops import (
    binding_bleed,
    bleed_for_limit,
    loop_conc,
    recovery_enrichment,
    reuse_share,
    tank_chain,
    white_water,
)
from stock.water.meters import reconciled
from stock.working import recording
from tests.line import hallin_reach
from tests.stock.test_washing import refused

CAME = {"kappa_in_kappa": 12.0, "in_brightness_pct": 42.0, "viscosity_ml_per_g": 900.0, "carryover_cod_kg_per_bdt": 8.0}

row = st.fixed_dictionaries(
    {
        "charge_kg_per_bdt": st.floats(0, 40), "response_per_kg": st.floats(0.01, 0.6), "ks_floor_ks": st.floats(0.001, 0.06),
        "rate_factor": st.floats(0, 14), "kappa_floor_kappa": st.floats(0, 3), "cut_scission": st.floats(0, 2),
        "loss_per_kappa_pct": st.floats(0, 0.3), "loss_pct": st.floats(0, 2), "cod_demand_kg_per_kg": st.floats(0, 0.5),
        "wash_removal_frac": st.floats(0, 1),
    }
)  # fmt: skip
sequences = st.lists(row, min_size=1, max_size=6)


class Examples(SimpleTestCase):
    """What the reference works out beside the book's own examples."""

    def test_residuals_show_cold_and_kappa(self):
        usual = {
            "time_min": 150, "temperature_c": 70, "reference_charge_kg_per_bdt": 10, "reference_residual_kg_per_bdt": 0.5,
            "reference_min": 150, "reference_c": 70,
        }  # fmt: skip
        self.assertAlmostEqual(residual_left(charge_kg_per_bdt=10, **usual), 0.5)
        more = residual_left(charge_kg_per_bdt=10, **usual | {"temperature_c": 60})
        self.assertAlmostEqual(more, 1.22, places=2)
        self.assertAlmostEqual(residual_left(charge_kg_per_bdt=10, demand_ratio=1.1, **usual), 0.38, places=2)
        self.assertLess(residual_left(charge_kg_per_bdt=10, metals_ratio=1.0, **usual), 0.1)
        refused(
            self, "E_RANGE", "reference_residual_kg_per_bdt", residual_left, charge_kg_per_bdt=10,
            **usual | {"reference_residual_kg_per_bdt": 4},
        )  # fmt: skip

    def test_doses_of_alkali(self):
        self.assertAlmostEqual(
            ph_dose(now_ph=10.7, target_ph=11.0, stage_consistency_pct=10, buffer_mmol_per_l_ph=12), 1.296, places=2
        )
        curve = [
            {"curve_ph": ph, "added_mmol_per_l": one}
            for one, ph in enumerate((2.9, 3.15, 3.5, 3.95, 4.6))
        ]  # fmt: skip
        given_ = {"now_ph": 2.9, "stage_consistency_pct": 10, "curve": curve}
        self.assertAlmostEqual(ph_dose(target_ph=3.9, **given_), 1.04, places=2)
        refused(self, "E_EXTRAP", "target_ph", ph_dose, target_ph=5.0, **given_)
        refused(self, "E_TYPE", "buffer_mmol_per_l_ph", ph_dose, now_ph=3, target_ph=4, stage_consistency_pct=10)
        refused(self, "E_ORDER", "curve", ph_dose, target_ph=3.0, **given_ | {"curve": [*curve, curve[0]]})
        refused(self, "E_ORDER", "curve", ph_dose, target_ph=2.9, **given_ | {"curve": curve[:1]})
        two = ph_dose(target_ph=3.0, **given_ | {"curve": curve[:2]})  # a straight line through two points serves
        self.assertAlmostEqual(two, (0.1 / 0.25) * 9 * 40 / 1000, places=2)
        self.assertEqual(alkaline_ph(hot_ph=3.1, temperature_c=70), 3.1)

    def test_gas_over_dioxide(self):
        for celsius, kpa, strongest in (
            (8, 6.8, None),
            (15, 9.1, None),
            (20, 11.0, 8.1),
            (10, None, 12.1),
            (25, None, 6.7),
        ):
            if kpa is not None:
                self.assertAlmostEqual(dioxide_gas(strength_g_per_l=9, temperature_c=celsius), kpa, places=1)
            if strongest is not None:
                self.assertAlmostEqual(strongest_dioxide(temperature_c=celsius), strongest, places=1)
        with recording() as seen:
            dioxide_gas(strength_g_per_l=9, temperature_c=20)
        self.assertIn("people out", seen.warnings[0])

    def test_between_stages(self):
        washed = carried_between(
            solute_kg_per_bdt=24, mixed_consistency_pct=10, press_consistency_pct=30, displacement_ratio=0.8
        )
        self.assertAlmostEqual(washed, 1.24, places=2)
        refused(
            self, "E_RANGE", "press_consistency_pct", carried_between, solute_kg_per_bdt=24, mixed_consistency_pct=30,
            press_consistency_pct=10,
        )  # fmt: skip
        refused(self, "E_SINGULAR", "recycle_frac", filtrate_buildup, recycle_frac=1.0, to_filtrate_frac=1.0)

    def test_water_of_the_reference(self):
        self.assertAlmostEqual(
            recovery_enrichment(input_kg_per_bdt=0.4 + 4.73, solids_lost_kg_per_bdt=17.1, ash_purged_kg_per_bdt=5),
            16.0, delta=0.1,
        )  # fmt: skip
        treated = [
            {"load_kg_per_t": 0.45, "limit_kg_per_m3": 0.10, "makeup_conc_kg_per_m3": 0.012},
            {"load_kg_per_t": 0.5, "limit_kg_per_m3": 0.20, "makeup_conc_kg_per_m3": 0.003},
        ]
        found = binding_bleed(substances=treated, product_water_m3_per_t=1.2, evaporation_m3_per_t=0.8)
        self.assertAlmostEqual(found.bleed_m3_per_t, 4.02, places=2)
        self.assertEqual(found.binding_count, 1)

    def test_the_correction_goes_through_what_the_pulp_has_had(self):
        given_ = {
            "now_brightness_pct": 81.9, "charge_kg_per_bdt": 12, "response_per_kg": 0.25, "ks_floor_ks": 0.006
        }  # fmt: skip
        change = charge_correction(target_brightness_pct=83.5, **given_)
        self.assertAlmostEqual(brightness_after_step(step_kg_per_bdt=change, **given_), 83.5, places=6)
        cold = charge_correction(target_brightness_pct=83.5, condition_factor=0.8, **given_)
        self.assertGreater(cold, change)


class Laws(SimpleTestCase):
    """What holds of any sequence."""

    @settings(max_examples=80)
    @given(sequences, st.floats(25, 75))
    def test_brightness_stays_below_the_ceiling_and_each_kilogram_brings_less(self, stages, came):
        given_ = {**CAME, "in_brightness_pct": came}
        lowest = min(one["ks_floor_ks"] for one in stages)
        for at in range(len(stages)):
            ends = []
            for more in (0.0, 5.0, 10.0, 15.0):
                changed = [dict(one) for one in stages]
                changed[at]["charge_kg_per_bdt"] += more + 80  # past what the carry-over eats
                found = bleached(stages=changed, **given_)
                self.assertLessEqual(found.end_brightness_pct, max(brightness_of(lowest), came) + 1e-9)
                ends.append(found.each_ks[at])
            steps = [a - b for a, b in pairwise(ends)]
            self.assertTrue(all(one >= -1e-12 for one in steps))
            self.assertTrue(all(b <= a + 1e-12 for a, b in pairwise(steps)))

    @settings(max_examples=80)
    @given(sequences, st.floats(30, 75), st.floats(4, 40))
    def test_what_came_in_is_found_from_what_went_out(self, stages, came, kappa):
        start = Pulp(kappa, ks_of(came), 1400.0, 1.0, 6.0)
        ends = march(stages, start)
        if any(one.ks <= row["ks_floor_ks"] * 1.001 for one, row in zip(ends, stages, strict=True)):
            return  # pulp brighter than a floor passes it unchanged, and does not tell what it was
        self.assertAlmostEqual(ks_into(stages, start, ends[-1].ks), start.ks, delta=1e-6 * start.ks + 1e-9)

    @settings(max_examples=60)
    @given(sequences)
    def test_kappa_viscosity_and_yield_only_fall(self, stages):
        found = bleached(stages=stages, **CAME)
        for values, first in (
            (found.each_kappa, CAME["kappa_in_kappa"]),
            (found.viscosity_each_ml_per_g, CAME["viscosity_ml_per_g"]),
            (found.yield_each_frac, 1.0),
            (found.each_ks, ks_of(CAME["in_brightness_pct"])),
        ):
            passed = [first, *values]
            self.assertTrue(all(b <= a + 1e-9 for a, b in pairwise(passed)))

    @settings(max_examples=60)
    @given(st.lists(st.floats(0, 30), min_size=20, max_size=200), st.floats(1, 20))
    def test_a_tower_keeps_mass_and_order(self, feed, hold):
        minutes = np.arange(len(feed), dtype=float) * 10
        ages = ages_min(minutes, np.array(feed), np.full(len(feed), hold))
        went_in = minutes - ages
        known = ~np.isnan(ages)
        self.assertTrue((np.diff(went_in[known]) >= -1e-9).all())  # first in, first out
        fed = np.append(0.0, np.cumsum(np.array(feed)[:-1] / 6))
        held = fed[known] - np.interp(went_in[known], minutes, fed)
        self.assertTrue(np.allclose(held, hold, atol=1e-6))

    def test_one_moment_and_the_whole_record_tell_the_same_age(self):
        history = [{"ago_min": 200, "feed_bdt_per_h": 18}, {"ago_min": 40, "feed_bdt_per_h": 12}]
        one = tower_exit_age(feed_history=history, hold_up_bdt=18.66)
        minutes = np.arange(0.0, 200.1, 0.5)
        feed = np.where(minutes < 160, 18.0, 12.0)
        self.assertAlmostEqual(ages_min(minutes, feed, np.full(len(minutes), 18.66))[-1], one, places=1)
        refused(self, "E_COUNT", "feed_history", tower_exit_age, feed_history=history, hold_up_bdt=400.0)
        refused(self, "E_ORDER", "feed_history", tower_exit_age, feed_history=history[::-1], hold_up_bdt=5.0)

    def test_a_channelled_tower_is_said_to_be(self):
        with recording() as seen:
            tower_tracer(
                times_min=[5, 10, 20, 30, 60, 90, 150, 240], tracer_ratio=[0, 30, 20, 10, 5, 4, 3, 1], full_time_min=120
            )
        self.assertIn("channelled", " ".join(seen.warnings))
        refused(
            self, "E_ORDER", "times_min", tower_tracer, times_min=[1, 2, 3, 3, 5, 6], tracer_ratio=[0, 1, 2, 3, 1, 0],
            full_time_min=4,
        )  # fmt: skip
        refused(
            self, "E_SINGULAR", "tracer_ratio", tower_tracer, times_min=[1, 2, 3, 4, 5, 6], tracer_ratio=[0] * 6,
            full_time_min=4,
        )  # fmt: skip

    @settings(max_examples=40)
    @given(st.lists(st.floats(1, 200), min_size=3, max_size=6), st.lists(st.floats(1, 200), min_size=3, max_size=6))
    def test_meters_made_to_close_do(self, into, out):
        meters = [{"flow_m3_per_h": one, "deviation_m3_per_h": 0.05 * one + 0.1, "into_count": 1} for one in into]
        meters += [{"flow_m3_per_h": one, "deviation_m3_per_h": 0.05 * one + 0.1, "out_of_count": 1} for one in out]
        found = reconciled(meters=meters)
        self.assertAlmostEqual(
            sum(found.flow_each_m3_per_h[: len(into)]), sum(found.flow_each_m3_per_h[len(into) :]), places=5
        )

    @settings(max_examples=60)
    @given(st.lists(st.tuples(st.floats(0, 500), st.floats(0, 500)), min_size=1, max_size=6))
    def test_a_row_of_tanks_closes(self, tanks):
        inflow, demand = [list(one) for one in zip(*tanks, strict=True)]
        found = tank_chain(inflow_each_m3_per_h=inflow, demand_each_m3_per_h=demand)
        self.assertAlmostEqual(
            sum(found.fresh_each_m3_per_h) + sum(inflow), sum(demand) + found.effluent_m3_per_h, places=6
        )

    @settings(max_examples=60)
    @given(st.floats(0.1, 50), st.floats(0.3, 1), st.floats(0, 1), st.floats(0, 1))
    def test_white_water_closes(self, feed, kept, recovered, over):
        found = white_water(feed_bdt_per_h=feed, retention_frac=kept, recovery_frac=recovered, overflow_frac=over)
        self.assertAlmostEqual(found.product_bdt_per_h + found.loss_bdt_per_h, feed, places=6)


class Sequences(SimpleTestCase):
    """Symbols, and the stages of a mill's file."""

    def test_every_symbol_stands_inside_its_windows_and_works(self):
        for name in SYMBOLS:
            symbol = symbol_of(name)
            rows = rows_for([Stage(symbol=name)], [symbol], 25.0, 8.0)
            found = bleached(stages=rows, **CAME | {"kappa_in_kappa": 25.0})
            self.assertGreaterEqual(found.end_brightness_pct, CAME["in_brightness_pct"])
            for low, high in (symbol.charge, symbol.minutes, symbol.temperature_c, symbol.ph, symbol.consistency_pct):
                self.assertLess(low, high)

    def test_an_oxygen_stage_ends_by_its_own_law(self):
        stage = Stage(symbol="O", charge_kg_per_bdt=20, temperature_c=95, retention_min=60)
        (row,) = rows_for([stage], [SYMBOLS["O"]], 25.0, 0.0)
        _, pulp = stage_end({**STAGES.defaults, **row}, Pulp(25.0, 0.4, 1500.0, 1.0, 0.0))
        self.assertAlmostEqual(pulp.kappa, 13.5, places=2)

    def test_families_reach_what_they_are_made_for(self):
        for names, furnish, kappa, came, low, high in (
            (("O", "D0", "EOP", "D1"), "chemical", 26.0, 30.0, 84.0, 93.0),
            (("O", "Q", "OP", "Q", "PO"), "chemical", 26.0, 30.0, 78.0, 90.0),
            (("D0", "EP", "P"), "chemical", 12.0, 42.0, 82.0, 88.0),
            (("P",), "mechanical", 100.0, 60.0, 72.0, 82.0),
            (("P", "Y"), "recovered", 30.0, 58.0, 60.0, 75.0),
        ):
            stages = [Stage(symbol=one, name=f"{one}{at}") for at, one in enumerate(names)]
            symbols = [symbol_of(one, furnish) for one in names]
            rows = rows_for(stages, symbols, kappa, 6.0)
            found = bleached(
                stages=rows, kappa_in_kappa=kappa, in_brightness_pct=came, viscosity_ml_per_g=1100,
                carryover_cod_kg_per_bdt=6.0,
            )  # fmt: skip
            self.assertTrue(low < found.end_brightness_pct < high, (names, found.end_brightness_pct))

    def test_a_file_of_before_stages_reads_as_its_last_stage(self):
        unit = BleachStage.model_validate(
            {
                "id": "b", "kind": "bleach_stage", "name": "Bleach", "station": "bleach", "yield_frac": 0.96,
                "chemical": "peroxide", "charge_kg_per_bdt": 14, "retention_min": 120,
            }
        )  # fmt: skip
        self.assertEqual((unit.last.symbol, unit.charge_kg_per_bdt, unit.hold_min()), ("P", 14, 120))
        self.assertEqual(unit.chemical, "peroxide")

    def test_stages_nobody_could_tell_apart_are_refused(self):
        given_ = {"id": "b", "kind": "bleach_stage", "name": "B", "station": "bleach", "yield_frac": 0.96}
        with self.assertRaisesRegex(ValueError, "stage 2 is P like stage 1"):
            BleachStage.model_validate(given_ | {"stages": [{"symbol": "P"}, {"symbol": "P"}]})
        named = BleachStage.model_validate(given_ | {"stages": [{"symbol": "P"}, {"symbol": "P", "name": "P2"}]})
        self.assertEqual(named.called(1), "P2")

    def test_time_goes_by_volume_and_rate(self):
        stage = Stage(symbol="D1", volume_m3=180, consistency_pct=10, active_frac=0.9)
        self.assertAlmostEqual(stage.minutes(6.0), 60 * 180 * 0.9 * 0.1 / 6.0)
        self.assertAlmostEqual(stage.minutes(12.0), stage.minutes(6.0) / 2)
        self.assertEqual(stage.minutes(), middle(SYMBOLS["D1"].minutes))
        self.assertEqual(extracted(["O", "D0", "EP", "D1"]), 2)
        self.assertIsNone(extracted(["P"]))

    def test_colder_stages_do_less(self):
        unit = hallin_reach().unit("wood_bleach")
        usual, cold = rows_of(unit, 18.0), rows_of(unit, 18.0, {2: Run(temperature_c=62)})
        start = start_of(unit, 18.0)._replace(ks=0.7)
        self.assertGreater(march(cold, start)[-1].ks, march(usual, start)[-1].ks)
        self.assertEqual(rows_of(unit, 18.0, {2: Run(charge_kg_per_bdt=6.0)}), usual)


class Refusals(SimpleTestCase):
    """What cannot be is refused by name."""

    def test_by_name(self):
        for code, argument, call, arguments in (
            ("E_INFEASIBLE", "load_m3", tank_after_delivery,
             {"heel_m3": 50, "heel_g_per_l": 90, "load_m3": 22, "load_g_per_l": 100, "capacity_m3": 60}),
            ("E_INFEASIBLE", "target_g_per_l", mix_strengths,
             {"target_m3": 10, "target_g_per_l": 12, "strong_g_per_l": 10, "weak_g_per_l": 6}),
            ("E_SINGULAR", "strong_mass_pct", mix_strengths_by_mass,
             {"target_kg": 10, "target_mass_pct": 10, "strong_mass_pct": 10, "weak_mass_pct": 10}),
            ("E_BALANCE", "residual_g_per_l", residual_share,
             {"residual_g_per_l": 3, "stage_consistency_pct": 10, "charge_kg_per_bdt": 5}),
            ("E_UNIT", "chemical", so2_to_kill, {"residual_g_per_l": 1, "liquor_m3_per_h": 1, "chemical": "gold"}),
            ("E_RANGE", "step_kg_per_bdt", brightness_after_step,
             {"now_brightness_pct": 80, "step_kg_per_bdt": -9, "charge_kg_per_bdt": 5, "response_per_kg": 0.2, "ks_floor_ks": 0.01}),
            ("E_RANGE", "ks_floor_ks", response_fit,
             {"charge_each_kg_per_bdt": [5, 6, 7], "ks_in_each_ks": [0.1] * 3, "ks_out_each_ks": [0.02, 0.02, 0.01], "ks_floor_ks": 0.01}),
            ("E_SINGULAR", "effluent_m3_per_t", loop_conc,
             {"load_kg_per_t": 1, "fresh_m3_per_t": 1, "fresh_conc_kg_per_m3": 0, "effluent_m3_per_t": 0, "product_water_m3_per_t": 0}),
            ("E_INFEASIBLE", "limit_kg_per_m3", bleed_for_limit,
             {"load_kg_per_t": 1, "limit_kg_per_m3": 0.01, "product_water_m3_per_t": 1, "makeup_conc_kg_per_m3": 0.02}),
            ("E_SINGULAR", "day_count", permit_left, {"limit_t_per_d": 12, "days_count": 30, "day_count": 30, "so_far_t": 10}),
            ("E_COUNT", "conc_each_kg_per_m3", effluent_day, {"flow_each_m3_per_h": [1, 2], "conc_each_kg_per_m3": [1]}),
            ("E_COUNT", "stages", bleached, {"stages": [], **CAME}),
            ("E_SINGULAR", "fresh_m3_per_h", reuse_share, {"fresh_m3_per_h": 0, "reused_m3_per_h": 0}),
            ("E_SINGULAR", "ash_purged_kg_per_bdt", recovery_enrichment,
             {"input_kg_per_bdt": 1, "solids_lost_kg_per_bdt": 0, "ash_purged_kg_per_bdt": 0}),
            ("E_BALANCE", "input_kg_per_bdt", recovery_enrichment,
             {"input_kg_per_bdt": 9, "solids_lost_kg_per_bdt": 5, "ash_purged_kg_per_bdt": 1}),
        ):  # fmt: skip
            with self.subTest(call.__name__):
                refused(self, code, argument, call, **arguments)

    def test_a_litre_alone_is_a_share_too_and_arrays_are_read_as_numbers_are(self):
        self.assertEqual(reuse_share(fresh_m3_per_h=0, reused_m3_per_h=0.5), 100)
        ks = np.array([0.0, 0.0097, 0.03, 0.4])
        for found, one in zip(km_reflectance_frac(ks=ks), ks.tolist(), strict=True):
            self.assertAlmostEqual(found, km_reflectance_frac(ks=one))
            self.assertAlmostEqual(km_k_over_s(reflectance_frac=found), one)

    def test_a_load_of_another_product_is_said_to_be(self):
        with recording() as seen:
            found = delivery_checked(product="caustic", density_t_per_m3=1.84, ph=0.5)
        self.assertEqual(found.fits_count, 0)
        self.assertIn("like sulphuric acid", seen.warnings[0])

    def test_a_pump_at_its_stop_says_what_is_left(self):
        found = pump_at_strength(flow_l_per_min=284.1, old_g_per_l=8.8, new_g_per_l=7.4, most_l_per_min=320)
        self.assertAlmostEqual(7.5 * found.charge_frac, 7.10, places=2)
        self.assertAlmostEqual(20 * found.rate_frac, 18.9, places=1)

    def test_results_that_speak_of_a_mix_up(self):
        with recording() as seen:
            self.assertLess(post_colour(before_brightness_pct=84.6, after_brightness_pct=87.0), 0)
            permit_left(limit_t_per_d=12, days_count=30, day_count=29, so_far_t=400)
        self.assertIn("taken for each other", seen.warnings[0])
        self.assertIn("over its figure", seen.warnings[1])
