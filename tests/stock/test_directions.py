"""Which way each relation moves, that inverses return, and points worked out apart from the code."""

import math
from unittest import TestCase

from stock.working import find_method

# method, argument, step as a share of the example's value, result, +1 rises / -1 falls
MOVES = (
    ("bone_dry_mass_t", "green_mass_t", 0.1, "bone_dry_mass_t", 1),
    ("bone_dry_mass_t", "moisture_wet_frac", 0.1, "bone_dry_mass_t", -1),
    ("moisture_ratio_kg_per_kg", "moisture_wet_frac", 0.1, "moisture_ratio_kg_per_kg", 1),
    ("wood_per_adt", "yield_frac", 0.1, "wood_m3_solid", -1),
    ("wood_per_adt", "basic_density_kg_per_m3", 0.1, "wood_m3_solid", -1),
    ("depith_stage", "feed_bdt", 0.1, "accepts_bdt", 1),
    ("bagasse_per_adt", "storage_loss_frac", 0.1, "bagasse_t", 1),
    ("effective_alkali", "sulphidity_frac", 0.1, "effective_kg_per_m3_as_naoh", -1),
    ("white_liquor_volume_m3", "effective_alkali_kg_per_m3_as_naoh", 0.1, "white_liquor_volume_m3", -1),
    ("white_liquor_volume_m3", "bd_wood_t", 0.1, "white_liquor_volume_m3", 1),
    ("black_liquor_fill_m3", "moisture_wet_frac", 0.1, "black_liquor_fill_m3", -1),
    ("black_liquor_fill_m3", "liquor_to_wood", 0.1, "black_liquor_fill_m3", 1),
    ("alkali_consumed_pct", "residual_kg_per_m3_as_naoh", 0.1, "used_pct_naoh_on_wood", -1),
    ("alkali_correction_pct", "residual_kg_per_m3_as_naoh", 0.1, "change_pct_naoh_on_wood", -1),
    ("h_rate", "temperature_c", 0.01, "h_per_h", 1),
    ("minutes_left_to_h", "h_now", 0.05, "left_min", -1),
    ("minutes_left_to_h", "temperature_c", 0.01, "left_min", -1),
    ("minutes_left_to_h", "tail_h", 0.1, "left_min", -1),
    ("h_missed", "duration_min", 0.1, "h_deficit", 1),
    ("extra_min", "set_c", 0.01, "extra_min", -1),
    ("kappa_hatton", "h_factor", 0.1, "kappa", -1),
    ("kappa_hatton", "effective_alkali_pct_na2o", 0.05, "kappa", -1),
    ("h_for_kappa", "kappa_target_kappa", 0.05, "h_target", -1),
    ("h_for_kappa", "effective_alkali_pct_na2o", 0.05, "h_target", -1),
    ("yield_from_kappa", "kappa", 0.1, "yield_pct", 1),
    ("digester_chip_charge_bdt", "packing_gain_frac", 0.1, "digester_chip_charge_bdt", 1),
    ("dilution_factor_t_per_bdt", "discharge_consistency_pct", 0.1, "dilution_factor_t_per_bdt", 1),
    ("shower_flow_l_per_min", "dilution_factor_t_per_bdt", 0.1, "shower_flow_l_per_min", 1),
    ("washing_loss_frac", "dilution_factor_t_per_bdt", 0.1, "washing_loss_frac", -1),
    ("washing_loss_frac", "e_std_total_ratio", 0.1, "washing_loss_frac", -1),
    ("dilution_factor_for_loss", "target_loss_kg_per_bdt", 0.1, "dilution_factor_t_per_bdt", -1),
    ("wash_loss", "discharge_consistency_pct", 0.1, "saltcake_kg_per_bdt", -1),
    ("conductivity_25c", "temperature_c", 0.1, "k25_ms_per_cm", -1),
    ("debris_removed", "mass_reject_frac", 0.1, "removal_frac", 1),
    ("mass_reject_for_removal", "quotient_ratio", 0.05, "mass_reject_frac", -1),
    ("cleanliness_gain", "removal_frac", 0.1, "gain_frac", 1),
    ("km_k_over_s", "reflectance_frac", 0.05, "ks", -1),
    ("d0_charge", "carryover_cod_kg_per_bdt", 0.1, "clo2_kg_per_bdt", 1),
    ("dosing_flow", "solution_g_per_l", 0.1, "flow_l_per_min", -1),
    ("tower_retention", "production_bdt_per_h", 0.1, "retention_min", -1),
    ("ks_after", "charge_kg_per_bdt", 0.1, "ks", -1),
    ("charge_for_brightness", "target_brightness_pct", 0.02, "charge_kg_per_bdt", 1),
    ("batch_water_correction", "consistency_pct", 0.05, "water_t", 1),
    ("specific_energy_kwh_per_t", "bdt_per_h", 0.1, "sre_kwh_per_t", -1),
    ("edge_load", "rotor_rpm", 0.1, "edge_load_j_per_m", -1),
    ("freeness_after", "sre_kwh_per_t", 0.1, "csf_ml", -1),
    ("power_step", "now_csf_ml", 0.1, "change_kw", 1),
    ("csf_to_sr", "csf_ml", 0.1, "sr", -1),
    ("dilution_water_l_per_min", "consistency_in_pct", 0.1, "water_l_per_min", 1),
    ("dilution_water_l_per_min", "consistency_out_pct", 0.1, "water_l_per_min", -1),
    ("dilution_water_l_per_min", "water_consistency_pct", 0.5, "water_l_per_min", 1),
    ("stock_density_kg_per_m3", "gas_vol_pct", 0.5, "density_kg_per_m3", -1),
    ("stock_density_kg_per_m3", "temperature_c", 0.2, "density_kg_per_m3", -1),
    ("residence_time_min", "flow_l_per_min", 0.1, "residence_min", -1),
    ("tonnage_uncertainty", "consistency_pct", 0.1, "u_relative_pct", -1),
    ("retention_overall", "first_pass_frac", 0.1, "overall_frac", 1),
    ("filler_feed_t_per_h", "overall_frac", -0.1, "filler_t_per_h", 1),
    ("retention_of_balance", "broke_filler_t_per_h", 0.1, "overall_frac", -1),
    ("dose_to_pump", "active_pct", 0.1, "pump_l_per_h", -1),
    ("thick_stock_demand", "chest_consistency_pct", 0.1, "thick_l_per_min", -1),
    ("thick_stock_demand", "filler_frac", 0.1, "fibre_t_per_h", -1),
    ("headbox_balance", "headbox_pct", 0.1, "headbox_t_per_h", -1),
    ("chest_cover", "demand_bdt_per_h", 0.1, "cover_min", -1),
    ("feed_change", "horizon_h", 0.5, "change_bdt_per_h", -1),
)

# method, arguments, result, value: each worked out on paper, not with the code
POINTS = (
    ("bone_dry_from_moisture", {"gross_t": 40, "moisture_pct": 25}, "adt", 30 / 0.9),
    ("bdt_from_adt", {"adt": 100}, "bdt", 90),
    ("liquor_ratio_t_per_bdt", {"consistency_pct": 1}, "liquor_t_per_bdt", 99),
    ("liquor_ratio_t_per_bdt", {"consistency_pct": 30}, "liquor_t_per_bdt", 7 / 3),
    ("bd_rate_t_per_d", {"flow_l_per_min": 1000, "consistency_pct": 1}, "bdt_per_d", 14.4),
    ("dilution_water_l_per_min", {"flow_l_per_min": 2400, "consistency_in_pct": 4.2, "consistency_out_pct": 3.5}, "water_l_per_min", 480),
    ("residence_time_min", {"volume_m3": 186, "flow_l_per_min": 5200, "active_frac": 0.8}, "residence_min", 28.615),
    ("moisture_ratio_kg_per_kg", {"moisture_wet_frac": 0.5}, "moisture_ratio_kg_per_kg", 1),
    ("alkali_as_naoh", {"value_kg_per_m3": 61.979, "basis": "na2o"}, "alkali_kg_per_m3_as_naoh", 79.994),
    ("alkali_as_na2o", {"value_kg_per_m3": 105.988, "basis": "na2co3"}, "alkali_kg_per_m3", 61.979),
    ("alkali_as_na2o", {"value_kg_per_m3": 78.045, "basis": "na2s"}, "alkali_kg_per_m3", 61.979),
    ("effective_alkali", {"active_kg_per_m3_as_naoh": 100, "sulphidity_frac": 0}, "effective_kg_per_m3_as_naoh", 100),
    ("h_rate", {"temperature_c": 100}, "h_per_h", math.exp(43.2 - 16115 / 373.15)),
    ("h_factor", {"times_min": [0, 120], "temperatures_c": [100, 100]}, "h_factor", 2 * math.exp(43.2 - 16115 / 373.15)),
    ("yield_from_kappa", {"kappa": 18}, "yield_pct", 52.0),
    ("pulp_per_cook", {"bd_wood_t": 9, "screened_yield_frac": 0.5}, "pulp_adt", 5.0),
    ("displacement_ratio", {"vat_conc_g_per_l": 40, "discharge_conc_g_per_l": 0, "shower_conc_g_per_l": 0}, "displacement_ratio", 1.0),
    ("screen_quotient", {"accept_debris_per_kg": 100, "reject_debris_per_kg": 100}, "quotient_ratio", 0.0),
    ("debris_removed", {"mass_reject_frac": 0.5, "quotient_ratio": 0}, "removal_frac", 0.5),
    ("cleanliness_gain", {"removal_frac": 0.5, "mass_reject_frac": 0.5}, "gain_frac", 0.0),
    ("km_k_over_s", {"reflectance_frac": 0.5}, "ks", 0.25),
    ("km_k_over_s", {"reflectance_frac": 1.0}, "ks", 0.0),
    ("km_reflectance_frac", {"ks": 0.25}, "reflectance_frac", 0.5),
    ("active_chlorine", {"chemical": "cl2", "charge_kg_per_bdt": 7}, "active_cl_kg_per_bdt", 7),
    ("extraction_alkali", {"active_cl_kg_per_bdt": 0}, "naoh_kg_per_bdt", 3.0),
    ("tower_retention", {"volume_m3": 100, "fill_frac": 1, "production_bdt_per_h": 10, "consistency_pct": 10}, "retention_min", 60),
    ("ks_after", {"ks_in_ks": 0.01, "charge_kg_per_bdt": 50, "response_per_kg": 0.3, "ks_floor_ks": 0.02}, "ks", 0.01),
    ("batch_water_correction", {"bdt": 1, "consistency_pct": 5, "target_consistency_pct": 4}, "water_t", 5),
    ("hp_day_to_kwh_per_t", {"energy_hp_day_per_short_ton": 1}, "sre_kwh_per_t", 24 * 0.745699872 / 0.90718474),
    ("csf_to_sr", {"csf_ml": 400}, "sr", 32.0),
    ("sr_to_csf", {"sr": 20.0}, "csf_ml", 600),
    ("blend_optics", {"shares_frac": [1.0], "brightness_each_frac": [0.8], "scattering_m2_per_kg": [30]}, "brightness_frac", 0.8),
    ("blend_freeness_ml", {"shares_frac": [0.5, 0.5], "each_csf_ml": [400, 100]}, "csf_ml", 200),
    ("retention_overall", {"first_pass_frac": 0.5, "recirculated_frac": 1}, "overall_frac", 1.0),
    ("retention_overall", {"first_pass_frac": 0.5, "recirculated_frac": 0}, "overall_frac", 0.5),
    ("reel_production", {"speed_m_per_min": 1000, "width_m": 1, "grammage_g_per_m2": 100, "moisture_pct": 0}, "bdt_per_h", 6.0),
    ("chest_cover", {"level_bdt": 11, "min_bdt": 1, "demand_bdt_per_h": 10}, "cover_min", 60),
    ("level_band", {"min_bdt": 0, "max_bdt": 100, "use_bdt_per_h": 10, "make_bdt_per_h": 10, "upstream_stop_h": 2, "downstream_stop_h": 2}, "target_bdt", 50),
)  # fmt: skip


class Directions(TestCase):
    def test_more_gives_more_or_less_as_the_physics_says(self):
        for name, argument, step, result, sign in MOVES:
            method = find_method(name)
            with self.subTest(method=name, argument=argument):
                start = dict(method.example.arguments)
                now = start.get(argument, method.defaults.get(argument))
                before = method.as_mapping(method.call(**start))[result]
                after = method.as_mapping(method.call(**{**start, argument: now * (1 + step)}))[result]
                self.assertGreater(sign * (after - before), 0)

    def test_points_worked_out_on_paper(self):
        for name, arguments, result, value in POINTS:
            method = find_method(name)
            with self.subTest(method=name, arguments=str(arguments)):
                self.assertAlmostEqual(
                    method.as_mapping(method.call(**arguments))[result], value, delta=1e-3 * max(1, abs(value))
                )

    def test_every_chapter_is_covered_here(self):
        stations = {find_method(name).station for name, *_ in (*MOVES, *POINTS)}
        self.assertGreaterEqual(len(stations), 11)
