"""What each relation refuses beyond single limits, and what it only warns about."""

import ast
from contextlib import contextmanager
from functools import cache
from inspect import getsourcefile
from pathlib import Path
from traceback import walk_tb
from unittest import TestCase

import numpy as np

from stock.errors import DomainError
from stock.figure import Datum, Figure, Origin, figure, given, number_text
from stock.names import spoken, suffix_of, unit_of
from stock.working import METHODS, find_method, recording

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
    ("retention_of_balance", {"sheet_filler_t_per_h": 3, "fed_filler_t_per_h": 2, "broke_filler_t_per_h": 0.5}, "E_BALANCE", "sheet_filler_t_per_h", "3 t/h of filler, 2.5 came"),
    ("retention_of_balance", {"fed_filler_t_per_h": 0, "broke_filler_t_per_h": 0}, "E_SINGULAR", "fed_filler_t_per_h", "no filler comes"),
    ("thick_stock_demand", {"filler_frac": 0.6, "additive_frac": 0.6}, "E_ORDER", "additive_frac", "120 % of the sheet"),
    ("screen_out_fines", {"fines_wanted_pct": 3.0}, "E_ORDER", "fines_wanted_pct", "more than the 2.3 % there are"),
    ("tank_kappa", {"first_t": 0}, "", "", ""),
    ("tank_kappa", {"first_t": 0, "second_t": 0}, "E_RANGE", "second_t", "no pulp in the tank"),
    ("shower_flow_l_per_min", {"dilution_factor_t_per_bdt": -3, "discharge_consistency_pct": 10}, "", "", ""),
    ("h_for_kappa", {"kappa_target_kappa": 199, "alpha": 190}, "E_INFEASIBLE", "kappa_target_kappa", "nothing to cook"),
    ("transmitter_bias", {"lab_pct": [3.3, 3.4, 3.5, 3.6, 3.7]}, "E_COUNT", "lab_pct", "differ in length"),
    # bleaching
    ("carried_between", {"press_consistency_pct": 9.9}, "E_RANGE", "press_consistency_pct", "thicker than it came"),
    ("filtrate_buildup", {"recycle_frac": 1.0, "to_filtrate_frac": 1.0}, "E_SINGULAR", "recycle_frac", "no exit"),
    ("bleach_cod", {"kappa_out_kappa": 13.1}, "E_RANGE", "kappa_out_kappa", "nothing was dissolved"),
    ("kappa_forward", {"kappa_each_kappa": [18.0]}, "E_COUNT", "kappa_each_kappa", "2 shares and 1 kappa numbers"),
    ("kappa_forward", {"shares_frac": [0.6, 0.5]}, "E_SUM", "shares_frac", "the shares add to 1.1"),
    ("first_stage_trim", {"extracted_kappa": 1.0, "floor_kappa": 1.0}, "E_INFEASIBLE", "extracted_kappa", "at or below 1"),
    ("first_stage_trim", {"target_kappa": 1.0, "floor_kappa": 1.0}, "E_INFEASIBLE", "target_kappa", "no charge of the first"),
    ("cheapest_on_one_floor", {"least_each_kg_per_bdt": [2, 1]}, "E_COUNT", "least_each_kg_per_bdt", "one for each stage"),
    ("cheapest_on_one_floor", {"least_each_kg_per_bdt": [2, 9, 2]}, "E_ORDER", "least_each_kg_per_bdt", "above its most"),
    ("cheapest_on_one_floor", {"ks_in_ks": 0.006}, "E_RANGE", "ks_in_ks", "at the floor already"),
    ("cheapest_on_one_floor", {"target_ks": 0.00601}, "E_INFEASIBLE", "target_ks", "with all at their most it ends at"),
    ("tank_after_delivery", {"load_m3": 42.1}, "E_INFEASIBLE", "load_m3", "room for 42 m³; the load is 42.1"),
    ("response_fit", {"ks_floor_ks": 0.0159}, "E_RANGE", "ks_floor_ks", "the floor is too high"),
    ("kappa_rate_fit", {"floor_kappa": 2.3}, "E_RANGE", "floor_kappa", "the floor is too high"),
    ("oxygen_rate", {"kappa_out_kappa": 25}, "E_ORDER", "kappa_out_kappa", "25 after is not below 25 before"),
    ("chelant_for_metals", {"metal_each_g_per_mol": [54.938]}, "E_COUNT", "metal_each_g_per_mol", "2 metals, 1 molar"),
    ("fresh_peroxide", {"press_consistency_pct": 11.9}, "E_RANGE", "press_consistency_pct", "a press does not thin"),
    ("peroxide_loop", {"press_consistency_pct": 4.9}, "E_RANGE", "press_consistency_pct", "a press does not thin"),
    ("peroxide_loop", {"return_frac": 1.0, "diluted_consistency_pct": 1, "press_consistency_pct": 60}, "E_SINGULAR", "return_frac", "find no way out"),
    ("ph_dose", {"buffer_mmol_per_l_ph": None}, "E_TYPE", "buffer_mmol_per_l_ph", "neither a titration"),
    ("ph_dose", {"curve": [{"curve_ph": 3.0, "added_mmol_per_l": 0.0}]}, "E_ORDER", "curve", "two points or more"),
    ("ph_dose", {"curve": [{"curve_ph": 3.0, "added_mmol_per_l": 1.0}, {"curve_ph": 5.0, "added_mmol_per_l": 1.0}]}, "E_ORDER", "curve", "must rise"),
    ("ph_dose", {"curve": [{"curve_ph": 3.6, "added_mmol_per_l": 0.0}, {"curve_ph": 5.0, "added_mmol_per_l": 6.0}]}, "E_EXTRAP", "now_ph", "runs from pH 3.6 to 5"),
    ("ph_dose", {"curve": [{"curve_ph": 3.0, "added_mmol_per_l": 0.0}, {"curve_ph": 3.9, "added_mmol_per_l": 6.0}]}, "E_EXTRAP", "target_ph", "pH 4 is outside it"),
    ("tank_charge", {"holds_m3": 17.3}, "E_BALANCE", "holds_m3", "gained 0.1 m³ that no load explains"),
    ("residual_share", {"residual_g_per_l": 0.56}, "E_BALANCE", "residual_g_per_l", "more than was charged"),
    ("residual_left", {"reference_residual_kg_per_bdt": 9.9}, "E_RANGE", "reference_residual_kg_per_bdt", "of which reacts slowly"),
    ("charge_correction", {"now_brightness_pct": 96}, "E_INFEASIBLE", "now_brightness_pct", "is beyond this stage"),
    ("charge_correction", {"target_brightness_pct": 96}, "E_INFEASIBLE", "target_brightness_pct", "however much is charged"),
    ("brightness_after_step", {"step_kg_per_bdt": -12.1}, "E_RANGE", "step_kg_per_bdt", "cannot be cut by 12.1"),
    ("bleached", {"stages": []}, "E_COUNT", "stages", "no stage to go through"),
    ("bleach_cost", {"price_each_cost_per_kg": [1.4]}, "E_COUNT", "price_each_cost_per_kg", "one for each charge"),
    ("bleach_cost", {"yield_to_each_frac": [1.0, 0.9]}, "E_COUNT", "yield_to_each_frac", "one for each charge"),
    ("tower_exit_age", {"feed_history": []}, "E_ORDER", "feed_history", "from the longest ago to now"),
    ("tower_exit_age", {"feed_history": [{"ago_min": 40, "feed_bdt_per_h": 12}, {"ago_min": 200, "feed_bdt_per_h": 18}]}, "E_ORDER", "feed_history", "from the longest ago to now"),
    ("tower_exit_age", {"hold_up_bdt": 100}, "E_COUNT", "feed_history", "does not reach back to the pulp that leaves"),
    ("tower_tracer", {"tracer_ratio": [0, 6, 19, 24, 20, 13, 8, 5, 3]}, "E_COUNT", "tracer_ratio", "one reading for each time"),
    ("tower_tracer", {"times_min": [30, 40, 50, 50, 70, 80, 90, 100, 110, 120]}, "E_ORDER", "times_min", "must rise"),
    ("tower_tracer", {"tracer_ratio": [0] * 10}, "E_SINGULAR", "tracer_ratio", "no tracer came out"),
    ("tower_tracer", {"tracer_ratio": [0, 0, 0, 24, 0, 0, 0, 0, 0, 0]}, "E_SINGULAR", "tracer_ratio", "came out at one moment"),
    ("bleached", {"kappa_in_kappa": 60, "stages": [{"charge_kg_per_bdt": 40, "response_per_kg": 0.2, "rate_factor": 40, "ks_floor_ks": 0.006, "loss_per_kappa_pct": 5.0}]}, "E_RANGE", "stages[0].loss_pct", "more is lost than there is"),
    # cooking
    ("hydrosulphide", {"active_kg_per_m3_as_naoh": 105.5}, "E_ORDER", "active_kg_per_m3_as_naoh", "less than effective"),
    ("mixed_liquor", {"volumes_m3": [60]}, "E_COUNT", "each_kg_per_m3_as_naoh", "1 volumes but 2 strengths"),
    ("mixed_liquor", {"volumes_m3": [0, 0]}, "E_RANGE", "volumes_m3", "add to nothing"),
    ("mixed_sulphidity", {"each_frac": [0.29]}, "E_COUNT", "each_frac", "2 volumes, 2 strengths, 1 sulphidities"),
    ("mixed_sulphidity", {"volumes_m3": [0, 0]}, "E_RANGE", "volumes_m3", "no active alkali"),
    ("temperature_for_time", {"duration_min": 1}, "E_INFEASIBLE", "duration_min", "at any cooking temperature"),
    ("alkali_for_kappa", {"alpha": 38}, "E_INFEASIBLE", "kappa_target_kappa", "not below the relation's intercept"),
    ("alkali_for_kappa", {"kappa_target_kappa": 5, "h_factor": 300}, "E_INFEASIBLE", "kappa_target_kappa", "% Na2O on wood"),
    ("minutes_left_on_profile", {"h_target": 9000}, "E_INFEASIBLE", "h_target", "the profile ends at H"),
    ("liquor_fill", {"liquor_to_wood": 2.4, "moisture_wet_frac": 0.7}, "E_INFEASIBLE", "liquor_to_wood", "the chips alone bring 2.47"),
    ("sulphite_acid", {"naoh_ml": 25.0}, "E_ORDER", "naoh_ml", "swapped or stale"),
    ("sulphite_factor", {"pressures_kpa_g": [480, 600]}, "E_COUNT", "pressures_kpa_g", "5 times but 2 pressures"),
    ("sulphite_kappa", {"zero_kappa": 60, "reference_kappa": 60}, "E_INFEASIBLE", "reference_kappa", "60 is not below the 60 it starts from"),
    ("sulphite_factor_for_kappa", {"target_kappa": 60, "zero_kappa": 60}, "E_INFEASIBLE", "target_kappa", "it starts from"),
    ("so2_charge", {"combined_pct": 6.3}, "E_ORDER", "combined_pct", "combined 6.3 % is more than total 6.2 %"),
    ("causticizing_efficiency", {"white_naoh_kg_per_m3_as_naoh": 7.2}, "E_ORDER", "white_naoh_kg_per_m3_as_naoh", "swapped samples?"),
    ("reduction_efficiency", {"na2s_kg_per_m3_as_naoh": 0, "na2so4_kg_per_m3_as_naoh": 0}, "E_SINGULAR", "na2s_kg_per_m3_as_naoh", "neither sulphide nor sulphate"),
    ("liquor_fit", {"bd_wood_t": 81}, "E_RANGE", "bd_wood_t", "the chips alone take 201 m³ of 200 m³"),
    ("liquor_fit", {"liquor_to_wood": 6.5}, "E_INFEASIBLE", "liquor_to_wood", "hydraulic, relief carries over"),
    ("cook_heat_balance", {"chip_c": 170}, "E_ORDER", "chip_c", "not below cooking temperature 170"),
    ("cook_heat_balance", {"shell_c": 171}, "E_ORDER", "shell_c", "not below cooking temperature 170"),
    ("flash_steam", {"before_c": 100}, "E_ORDER", "after_c", "it must fall"),
    ("predict_kappa", {"h_factor": 2300}, "E_EXTRAP", "h_factor", "outside the cooks the relation was fitted to"),
    ("fit_yield_model", {"cooks": [{"kappa": 16.5, "yield_pct": 51.7}]}, "E_COUNT", "cooks", "too few"),
    ("fit_yield_model", {"cooks": [{"kappa": 16.5 + at / 100, "yield_pct": 51.7} for at in range(12)]}, "E_OBSERV", "cooks", "too alike in kappa"),
    ("fit_sulphite_model", {"cooks": [{"factor_bar_h": 210, "kappa": 34.2}]}, "E_COUNT", "cooks", "1 cooks are too few"),
    ("fit_sulphite_model", {"zero_kappa": 60, "reference_kappa": 60}, "E_RANGE", "cooks", "a kappa is not below the 60"),
    # fibre in
    ("pith_removal_for_ratio", {"target_ratio": 30}, "E_INFEASIBLE", "target_ratio", "90 % is the most: add a stage"),
    ("wet_bulk_storage", {"moisture_pile_frac": 0.49}, "E_RANGE", "moisture_pile_frac", "drier than what comes"),
    ("dirt_removal", {"ash_out_frac": 0.06}, "E_RANGE", "ash_out_frac", "check the samples"),
    ("blend_fibre_length", {"bd_share_each_frac": [0, 0]}, "E_SUM", "bd_share_each_frac", "no component gives pulp"),
    ("chip_class_percent", {"mass_by_class_g": [31, 402, 2986, 1105, 318, 71, 9]}, "E_COUNT", "mass_by_class_g", "there are 7 masses"),
    ("chip_class_percent", {"sample_mass_g": 5020}, "E_SUM", "mass_by_class_g", "of a 5020 g sample, 2.1 % apart"),
    ("knife_hours_left", {"since_change_h": [5, 5, 5, 5]}, "E_OBSERV", "since_change_h", "no trend can be drawn"),
    ("knife_hours_left", {"overthick_each_pct": [4.5, 3.9, 3.5, 3.0]}, "E_OBSERV", "overthick_each_pct", "not the cause yet"),
    ("chip_steaming", {"t_out_c": 8}, "E_ORDER", "t_out_c", "nothing is to be heated"),
    ("solid_volume_share", {"green_bulk_density_kg_per_m3": 700, "moisture_wet_frac": 0.5}, "E_RANGE", "green_bulk_density_kg_per_m3", "more than chips can pack"),
    ("wood_in_bark_pct", {"residual_bark_frac": 0.115}, "E_ORDER", "residual_bark_frac", "check the two samples"),
    ("net_mass_t", {"tare_t": 54.8}, "E_ORDER", "tare_t", "the two are swapped"),
    ("receiving_deduction_pct", {"refuse_pct": 1.1}, "E_ORDER", "refuse_pct", "below the accepting one 1.2 %"),
    ("receiving_deduction_pct", {"value_pct": 3.1}, "E_INFEASIBLE", "value_pct", "refused, not reduced"),
    ("ridge_volume", {"length_m": 23}, "E_ORDER", "length_m", "give the longer side as length"),
    # judging and foretelling
    ("move_estimate", {"values_each_read": [3.6] * 9}, "E_COUNT", "values_each_read", "10 times for 9 values"),
    ("move_estimate", {"effect_expected_read": 0}, "E_RANGE", "effect_expected_read", "cannot be judged"),
    ("move_estimate", {"move_min": 9}, "E_COUNT", "times_each_min", "two readings before a move"),
    ("move_estimate", {"taus_each_min": [3000]}, "E_OBSERV", "times_each_min", "nothing of it has come yet"),
    ("learned_gain", {"did_sd_each_ratio": [0.1]}, "E_COUNT", "did_sd_each_ratio", "7 moves, 1 spreads"),
    ("hand_agrees", {"found_each_read": [12, 14, 13, 19, 22]}, "E_COUNT", "found_each_read", "6 marks and 5 results"),
    ("hand_agrees", {"judged_each_count": [2] * 6}, "E_SINGULAR", "judged_each_count", "were all the same"),
    ("first_step", {"control_low_read": 84, "control_high_read": 83}, "E_ORDER", "control_low_read", "lies over its high end"),
    ("forecast_score", {"sd_each_bdt": [0.5]}, "E_COUNT", "found_each_bdt", "not as many"),
    ("arrival_h", {"segments": []}, "E_ORDER", "segments", "begin at 0 h"),
    ("arrival_h", {"segments": [{"from_h": 1, "draw_bdt_per_h": 9}]}, "E_ORDER", "segments", "begin at 0 h"),
    ("origin_shares", {"blows": [{"ago_h": 1, "bdt": 9, "held_bdt": 30}, {"ago_h": 3, "bdt": 9, "held_bdt": 30}]}, "E_ORDER", "blows", "not the oldest first"),
    ("origin_shares", {"blows": [{"ago_h": 3, "bdt": 9, "held_bdt": 8.9}]}, "E_RANGE", "held_bdt", "more than the tank held"),
    # refining
    ("freeness_curve", {"freeness_each_csf_ml": [660, 585, 502, 446, 381]}, "E_COUNT", "freeness_each_csf_ml", "one freeness for each"),
    ("freeness_curve", {"energy_each_kwh_per_t": [0, 40, 40, 40, 0, 0]}, "E_COUNT", "energy_each_kwh_per_t", "fewer than three"),
    ("freeness_curve", {"freeness_each_csf_ml": [340, 381, 446, 502, 585, 660]}, "E_OBSERV", "freeness_each_csf_ml", "does not fall"),
    ("freeness_curve", {"target_csf_ml": 100}, "E_EXTRAP", "target_csf_ml", "the tests run from 0 to 200"),
    # screening and cleaning
    ("cascade_hydraulics", {"stages": []}, "E_COUNT", "stages", "at least one stage"),
    ("cascade_hydraulics", {"stages": [{"feed_consistency_pct": 0.7, "mass_reject_frac": 0.2, "volumetric_reject_frac": 0.19, "each_l_per_min": 400}, {"feed_consistency_pct": 0.9, "mass_reject_frac": 0.25, "volumetric_reject_frac": 0.1, "each_l_per_min": 400}]}, "E_INFEASIBLE", "stages[1].feed_consistency_pct", "stage 2 at 0.9 % is thicker"),
    ("cleaners_in_service", {"bank_l_per_min": 380}, "E_INFEASIBLE", "bank_l_per_min", "does not fill one cleaner"),
    ("cleaners_in_service", {"installed_count": 22}, "E_INFEASIBLE", "installed_count", "23 cleaners are needed, 22 are there"),
    ("counts_compared", {"feed_count": 0}, "E_SINGULAR", "feed_count", "nothing was counted in the feed"),
    ("quotient_by_counts", {"accept_count": 700}, "E_RANGE", "accept_count", "the samples may have been exchanged"),
    ("counts_scatter", {"repeats_count": [0, 0, 0]}, "E_SINGULAR", "repeats_count", "nothing was counted"),
    ("reject_for_accepts", {"accept_target_per_kg": 1}, "E_INFEASIBLE", "accept_target_per_kg", "a reject rate of"),
    # the plant that runs
    ("controller_step", {"gain_ratio": 0}, "E_RANGE", "gain_ratio", "the controller would do nothing"),
    ("controller_step", {"dt_s": 2.1}, "E_RANGE", "dt_s", "above a quarter of the reset time"),
    ("controller_step", {"low_pct": 50, "high_pct": 50}, "E_ORDER", "low_pct", "not below the greatest"),
    ("instrument_shows", {"range_low_read": 6}, "E_ORDER", "range_low_read", "begins at 6 and ends at 6"),
    ("steam_shared", {"rank_each_count": [1, 2]}, "E_COUNT", "rank_each_count", "2 ranks for 3 demands"),
    ("repulp_batch", {"usable_volume_m3": 20}, "E_INFEASIBLE", "usable_volume_m3", "take fewer bales"),
    # washing
    ("line_answers", {"to_read": 2.5}, "E_RANGE", "to_read", "the dilution factor is 2.5 already"),
    ("thickener", {"outlet_consistency_pct": 1.0}, "E_RANGE", "outlet_consistency_pct", "no thicker than the inlet"),
    ("thickener", {"filtrate_kg_per_m3": 10}, "E_RANGE", "filtrate_kg_per_m3", "no thinner than the inlet"),
    ("gas_by_compression", {"pressure_after_kpa_abs": 101.3}, "E_ORDER", "pressure_after_kpa_abs", "pressures go from 101.3"),
    ("gas_by_compression", {"volume_after_ml": 1001}, "E_BALANCE", "volume_after_ml", "a share of gas of -0.00"),
    ("norden_efficiency_ratio", {"discharge_conc_kg_per_t": 10}, "E_BALANCE", "discharge_conc_kg_per_t", "no stronger than the wash liquor"),
    ("norden_efficiency_ratio", {"filtrate_conc_kg_per_t": 120}, "E_BALANCE", "filtrate_conc_kg_per_t", "no weaker than the feed"),
    ("norden_efficiency_ratio", {"filtrate_conc_kg_per_t": 100}, "E_BALANCE", "filtrate_conc_kg_per_t", "do not close within"),
    ("stage_efficiency", {"discharge_conc_kg_per_t": 10}, "E_BALANCE", "discharge_conc_kg_per_t", "no stronger than the wash liquor"),
    ("stage_efficiency", {"filtrate_conc_kg_per_t": 10}, "E_BALANCE", "filtrate_conc_kg_per_t", "no stronger than the wash liquor"),
    ("efficiency_from_loss", {"loss_kg_per_bdt": 900, "feed_solids_kg_per_bdt": 900}, "E_RANGE", "loss_kg_per_bdt", "nothing was washed"),
    ("vat_dilution", {"vat_consistency_pct": 10.1}, "E_RANGE", "vat_consistency_pct", "thicker than its feed"),
    ("best_factor", {"least_t_per_bdt": 3, "most_t_per_bdt": 3}, "E_ORDER", "least_t_per_bdt", "the bounds go from 3 to 3"),
    ("tank_cover", {"net_m3_per_h": 0}, "E_SINGULAR", "net_m3_per_h", "neither fills nor empties"),
    ("tank_cover", {"limit_pct": 63}, "E_RANGE", "limit_pct", "the level falls and the limit"),
    ("tank_cover", {"net_m3_per_h": -90}, "E_RANGE", "limit_pct", "the level rises and the limit"),
    ("factor_witnesses", {"filtrate_conc_kg_per_t": 10}, "E_SINGULAR", "filtrate_conc_kg_per_t", "solids say nothing"),
    ("factor_witnesses", {"filtrate_c": 65}, "E_SINGULAR", "filtrate_c", "warmth says nothing"),
    # water
    ("effluent_day", {"conc_each_kg_per_m3": [0.95]}, "E_COUNT", "conc_each_kg_per_m3", "one for each stream"),
    ("permit_left", {"day_count": 30}, "E_SINGULAR", "day_count", "the month is over"),
    ("reuse_share", {"fresh_m3_per_h": 0, "reused_m3_per_h": 0}, "E_SINGULAR", "fresh_m3_per_h", "no water is used"),
    ("loop_conc", {"effluent_m3_per_t": 0, "product_water_m3_per_t": 0}, "E_SINGULAR", "effluent_m3_per_t", "without end"),
    ("loop_conc", {"removed_kg_per_t": 19}, "E_BALANCE", "removed_kg_per_t", "more is taken out than comes in"),
    ("bleed_for_limit", {"limit_kg_per_m3": 0.02}, "E_INFEASIBLE", "limit_kg_per_m3", "no bleed keeps 0.02"),
    ("more_bleed", {"target_kg_per_m3": 0.02}, "E_INFEASIBLE", "target_kg_per_m3", "no bleed keeps 0.02"),
    ("binding_bleed", {"substances": []}, "E_COUNT", "substances", "no substance"),
    ("recovery_enrichment", {"solids_lost_kg_per_bdt": 0, "ash_purged_kg_per_bdt": 0}, "E_SINGULAR", "ash_purged_kg_per_bdt", "no way out"),
    ("recovery_enrichment", {"input_kg_per_bdt": 33}, "E_BALANCE", "input_kg_per_bdt", "more goes in than the solids"),
    ("tank_chain", {"demand_each_m3_per_h": [180]}, "E_COUNT", "demand_each_m3_per_h", "one for each tank"),
    ("reconciled", {"meters": [{"flow_m3_per_h": 100, "deviation_m3_per_h": 4}] * 2}, "E_COUNT", "meters", "no meter is at any node"),
    ("reconciled", {"meters": [{"flow_m3_per_h": 100, "deviation_m3_per_h": 4, "into_count": 1, "out_of_count": 2}] * 2}, "E_SINGULAR", "meters", "what others say already"),
)  # fmt: skip

WARNED = (
    ("bone_dry_mass_t", {"moisture_wet_frac": 0.8}, "usual is 0.15 to 0.7"),
    ("white_liquor_volume_m3", {"effective_alkali_pct_naoh_on_wood": 30}, "usual is 10 to 25"),
    ("kappa_hatton", {"h_factor": 2500, "effective_alkali_pct_na2o": 17.5, "alpha": 250}, "residual phase"),
    ("d0_charge", {"kappa_factor": 0.5}, "usual is 0.12 to 0.35"),
    ("dilution_factor_t_per_bdt", {"wash_liquor_t_per_bdt": 9.8}, ""),
    ("dilution_factor_t_per_bdt", {"wash_liquor_t_per_bdt": 14}, "is not usual: -1 to 5"),
    ("dilution_factor_t_per_bdt", {"wash_liquor_t_per_bdt": 2}, "is not usual: -1 to 5"),
)


@contextmanager
def noted_in(reached):
    """Note at which line of which file a method refused, and go on."""
    try:
        yield
    except DomainError as error:
        *_, (frame, line) = walk_tb(error.__traceback__)
        reached.add((Path(frame.f_code.co_filename), line))


@cache
def functions_of(source):
    """Return every function of a file, by its name."""
    tree = ast.parse(source.read_text(encoding="utf-8"))
    return {one.name: one for one in ast.walk(tree) if isinstance(one, ast.FunctionDef)}


def refusals_of(source, name):
    """Return the lines at which a function refuses of itself."""
    raised = (one for one in ast.walk(functions_of(source)[name]) if isinstance(one, ast.Raise))
    return {one.lineno for one in raised if getattr(getattr(one.exc, "func", None), "id", "") == "DomainError"}


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

    def test_none_a_method_makes_is_missing_here(self):
        reached = set()
        for name, changes, *_ in REFUSED:
            method = find_method(name)
            with noted_in(reached):
                method.call(**{**method.example.arguments, **changes})
        for method in METHODS.values():
            source = Path(getsourcefile(method.bare))
            with self.subTest(method.name):
                lines = refusals_of(source, method.bare.__name__)
                self.assertLessEqual(lines, {line for path, line in reached if path == source})

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
