"""What each relation refuses beyond single limits, and what it only warns about."""

from unittest import TestCase

import numpy as np

from stock.errors import DomainError
from stock.figure import Datum, Figure, Origin, figure, given, number_text
from stock.names import spoken, suffix_of, unit_of
from stock.working import find_method, recording

# method, arguments changed from its example, code, argument, words in the message
REFUSED = (
    ("mix_basic_density_kg_per_m3", {"bd_mass_each_frac": [0.5, 0.3, 0.1]}, "E_SUM", "bd_mass_each_frac", "add to 0.9"),
    ("depith_stage", {"fibre_frac": 0.9}, "E_SUM", "fibre_frac", "must add to 1"),
    ("white_liquor_from_abc", {"b_ml": 20.0}, "E_ORDER", "b_ml", "must not fall"),
    ("white_liquor_from_abc", {"a_ml": 10.0}, "E_RANGE", "a_ml", "less than no NaOH"),
    ("alkali_consumed_pct", {"residual_kg_per_m3_as_naoh": 90}, "E_ORDER", "residual_kg_per_m3_as_naoh", "more than was charged"),
    ("black_liquor_fill_m3", {"liquor_to_wood": 2.0}, "E_INFEASIBLE", "liquor_to_wood", "the least that fits"),
    ("h_factor", {"times_min": [0]}, "E_COUNT", "times_min", "at least 2"),
    ("h_factor", {"times_min": [0, 30, 20, 90, 100, 150, 160]}, "E_ORDER", "times_min", "must rise"),
    ("h_factor", {"temperatures_c": [80, 108, 139, 168, 170, 170, 300]}, "E_RANGE", "temperatures_c", "300"),
    ("h_factor", {"temperatures_c": [80, "hot"]}, "E_TYPE", "temperatures_c", "not a number"),
    ("h_factor", {"temperatures_c": 80}, "E_TYPE", "temperatures_c", "must be a list"),
    ("kappa_hatton", {"h_factor": 9000, "effective_alkali_pct_na2o": 29.0}, "E_RANGE", "h_factor", "far outside"),
    ("h_for_kappa", {"kappa_target_kappa": 199}, "", "", ""),
    ("h_for_kappa", {"kappa_target_kappa": 5}, "E_INFEASIBLE", "kappa_target_kappa", "charge more alkali"),
    ("shower_flow_l_per_min", {"dilution_factor_t_per_bdt": -1, "discharge_consistency_pct": 60}, "E_RANGE", "dilution_factor_t_per_bdt", "less than no water"),
    ("displacement_ratio", {"shower_conc_g_per_l": 45}, "E_SINGULAR", "shower_conc_g_per_l", "undefined"),
    ("displacement_ratio", {"discharge_conc_g_per_l": 60}, "E_BALANCE", "discharge_conc_g_per_l", "check them"),
    ("dilution_factor_for_loss", {"target_loss_kg_per_bdt": 900}, "E_INFEASIBLE", "target_loss_kg_per_bdt", "out of reach"),
    ("screen_rates", {"reject_flow_l_per_min": 6000}, "E_RANGE", "reject_flow_l_per_min", "not less than the feed"),
    ("screen_rates", {"reject_flow_l_per_min": 3000, "reject_consistency_pct": 5}, "E_BALANCE", "reject_consistency_pct", "check the samples"),
    ("charge_for_brightness", {"target_brightness_pct": 95}, "E_INFEASIBLE", "target_brightness_pct", "however much is charged"),
    ("repulp_batch", {"target_consistency_pct": 39, "items": [{"bales_count": 1, "unit_kg": 300, "dryness_pct": 20}]}, "E_INFEASIBLE", "target_consistency_pct", "no water added"),
    ("repulp_batch", {"items": []}, "E_COUNT", "items", "no bales"),
    ("repulp_batch", {"items": ["a bale"]}, "E_TYPE", "items", "row 1, must be a record"),
    ("repulp_batch", {"items": [{"bales_count": 1, "unit_kg": 300}]}, "E_TYPE", "items[0].dryness_pct", "missing"),
    ("motor_power", {"net_kw": 5000}, "E_LIMIT", "net_kw", "1564 kW net is the most"),
    ("recipe_set_points", {"shares_frac": [0.3, 0.6, 0.15]}, "E_SUM", "shares_frac", "add to 1.05"),
    ("recipe_set_points", {"shares_frac": [0.4, 0.6]}, "E_COUNT", "consistency_each_pct", "differ in length"),
    ("blend_optics", {"brightness_each_frac": [88, 62]}, "E_RANGE", "brightness_each_frac", "if 88 % was meant, give 0.88"),
    ("dose_to_pump", {"dose_kg_per_t": 60}, "E_LIMIT", "dose_kg_per_t", "the pump gives"),
    ("headbox_balance", {"headbox_pct": 4.0}, "E_ORDER", "headbox_pct", "must lie between"),
    ("vessel_event", {"level_bdt": 99}, "E_RANGE", "level_bdt", "outside its limits"),
    ("level_band", {"upstream_stop_h": 20}, "E_INFEASIBLE", "upstream_stop_h", "cannot cover both"),
    ("blend_consistency", {"mass_flow_t_per_h": [0, 0, 0]}, "E_RANGE", "mass_flow_t_per_h", "add up to nothing"),
    ("refiner_power", {"no_load_kw": 700}, "E_ORDER", "no_load_kw", "the shaft gets 582 kW, less than the no-load"),
    ("energy_for_freeness", {"target_csf_ml": 700}, "E_ORDER", "target_csf_ml", "refining only lowers freeness"),
    ("thick_stock_demand", {"filler_frac": 0.6, "additive_frac": 0.6}, "E_ORDER", "additive_frac", "120 % of the sheet"),
    ("screen_out_fines", {"fines_wanted_pct": 3.0}, "E_ORDER", "fines_wanted_pct", "more than the 2.3 % there are"),
    ("tank_kappa", {"first_t": 0}, "", "", ""),
    ("tank_kappa", {"first_t": 0, "second_t": 0}, "E_RANGE", "second_t", "no pulp in the tank"),
    ("shower_flow_l_per_min", {"dilution_factor_t_per_bdt": -3, "discharge_consistency_pct": 10}, "", "", ""),
    ("h_for_kappa", {"kappa_target_kappa": 199, "alpha": 190}, "E_INFEASIBLE", "kappa_target_kappa", "nothing to cook"),
    ("transmitter_bias", {"lab_pct": [3.3, 3.4, 3.5, 3.6, 3.7]}, "E_COUNT", "lab_pct", "differ in length"),
)  # fmt: skip

WARNED = (
    ("bone_dry_mass_t", {"moisture_wet_frac": 0.8}, "usual is 0.15 to 0.7"),
    ("white_liquor_volume_m3", {"effective_alkali_pct_naoh_on_wood": 30}, "usual is 10 to 25"),
    ("screen_rates", {"reject_flow_l_per_min": 300, "reject_consistency_pct": 5.0}, "expect plugging"),
    ("kappa_hatton", {"h_factor": 2500, "effective_alkali_pct_na2o": 17.5, "alpha": 250}, "residual phase"),
    ("d0_charge", {"kappa_factor": 0.5}, "usual is 0.12 to 0.35"),
    ("dilution_factor_t_per_bdt", {"wash_liquor_t_per_bdt": 9.8}, ""),
    ("dilution_factor_t_per_bdt", {"wash_liquor_t_per_bdt": 14}, "is not usual: -1 to 5"),
    ("dilution_factor_t_per_bdt", {"wash_liquor_t_per_bdt": 2}, "is not usual: -1 to 5"),
    ("chest_cover", {"level_bdt": 0}, "under its least level"),
    ("liquor_cover", {"level_pct": 1, "low_pct": 10}, "under its low level"),
    ("so2_to_fortify", {"wanted_pct": 5.0}, "nothing to absorb"),
)


class Refusals(TestCase):
    def test_each_says_what_was_wrong_and_what_is_allowed(self):
        for name, changes, code, argument, words in REFUSED:
            method = find_method(name)
            with self.subTest(method=name, changes=str(changes)[:60]):
                arguments = {**method.example.arguments, **changes}
                if not code:
                    method.call(**arguments)
                    continue
                with self.assertRaises(DomainError) as caught:
                    method.call(**arguments)
                self.assertEqual((caught.exception.code, caught.exception.argument), (code, argument))
                self.assertIn(words, caught.exception.message)
                self.assertEqual(caught.exception.as_dict()["message"], str(caught.exception))

    def test_doubtful_inputs_give_the_result_with_a_warning(self):
        for name, changes, words in WARNED:
            method = find_method(name)
            with self.subTest(method=name), recording() as record:
                method.call(**{**method.example.arguments, **changes})
                self.assertIn(words, " ".join(record.warnings))
                if not words:
                    self.assertEqual(record.warnings, [])

    def test_nothing_returned_is_not_a_number(self):
        for name, changes in (
            ("ks_after", {"ks_in_ks": 0.0}),
            ("charge_for_brightness", {"target_brightness_pct": 70}),
        ):
            method = find_method(name)
            result = method.as_mapping(method.call(**{**method.example.arguments, **changes}))
            self.assertTrue(all(np.isfinite(value) for value in result.values()))


class Names(TestCase):
    def test_units_come_from_the_longest_known_tail(self):
        for name, unit in (
            ("flow_l_per_min", "L/min"),
            ("fed_bdt_per_h", "BDt/h"),
            ("level_bdt", "BDt"),
            ("start_brightness_pct", "% ISO"),
            ("moisture_pct", "%"),
            ("now_csf_ml", "mL CSF"),
            ("sample_ml", "mL"),
            ("charge_pct_naoh_on_wood", "% NaOH on wood"),
            ("tail_h", "H"),
            ("horizon_h", "h"),
        ):
            with self.subTest(name):
                self.assertEqual(unit_of(name), unit)

    def test_a_name_without_a_unit_is_refused(self):
        with self.assertRaisesRegex(LookupError, "no known unit"):
            unit_of("flow")
        self.assertEqual(suffix_of("flow"), "")

    def test_names_are_spoken_without_their_unit(self):
        self.assertEqual(spoken("flow_l_per_min"), "flow")
        self.assertEqual(spoken("water_consistency_pct"), "water consistency")
        self.assertEqual(spoken("csf_ml"), "freeness")


SEEN = Origin("measured", "a meter")


class Figures(TestCase):
    def dilution(self, **changes) -> Figure:
        data = {
            "flow_l_per_min": Datum(980.0, SEEN),
            "consistency_in_pct": Datum(3.62, SEEN),
            "consistency_out_pct": Datum(3.5, Origin("set", "limit set 4")),
        }
        return figure("dilution_water_l_per_min", "dilution water", {**data, **changes}, decimals=0)

    def test_a_figure_keeps_what_went_in_and_where_it_came_from(self):
        shown = self.dilution()
        self.assertEqual((shown.text, shown.unit), ("34", "L/min"))
        self.assertEqual(shown.data["flow_l_per_min"].origin, SEEN)
        self.assertEqual(shown.data["water_consistency_pct"].origin.kind, "assumed")

    def test_a_figure_feeds_another_and_stays_reachable(self):
        water = self.dilution()
        second = self.dilution(flow_l_per_min=water.as_datum())
        self.assertIs(second.data["flow_l_per_min"].figure, water)
        self.assertEqual(second.data["flow_l_per_min"].origin.kind, "computed")

    def test_a_measured_number_passes_its_origin_on(self):
        datum = given("flow", 980.0, "L/min", SEEN).as_datum()
        self.assertEqual((datum.value, datum.origin, datum.figure), (980.0, SEEN, None))

    def test_other_results_of_the_same_calculation(self):
        reel = figure(
            "reel_production",
            "reel",
            {
                "speed_m_per_min": Datum(650.0, SEEN),
                "width_m": Datum(4.2, SEEN),
                "grammage_g_per_m2": Datum(80.0, SEEN),
                "moisture_pct": Datum(5.5, SEEN),
            },
        )
        self.assertAlmostEqual(reel.other("bdt_per_h", "bone-dry").value, 12.3833, places=3)

    def test_warnings_ride_with_the_figure(self):
        load = figure(
            "bone_dry_mass_t", "load", {"green_mass_t": Datum(10.0, SEEN), "moisture_wet_frac": Datum(0.8, SEEN)}
        )
        self.assertEqual(len(load.warnings), 1)

    def test_numbers_are_short_enough_to_read(self):
        self.assertEqual(number_text(3.4512345), "3.4512")
        self.assertEqual(number_text([1.0, 2.0]), "(1, 2)")
        self.assertEqual(number_text(np.arange(100.0)), "100 values, 0 to 99")
        self.assertEqual(number_text("naoh"), "naoh")
        self.assertEqual(number_text(None), "not given")
        self.assertIn("unit 250", number_text([{"unit_kg": 250}]))
