"""Every warning of the book: said just past where it belongs, quiet just short of it; each on its method's own example."""

import ast
from collections import Counter
from pathlib import Path
from typing import Any, NamedTuple

from django.test import SimpleTestCase

import stock.book  # noqa: F401  every chapter
from stock.working import METHODS, find_method, recording

ROOT = Path(__file__).parents[2] / "stock"
BY_ITSELF = "; usual is "  # of an argument outside its usual span: said by the book, of every method


class Case(NamedTuple):
    """A method, its example changed so that it warns, the words of it, and changed so that it does not."""

    method: str
    said: dict[str, Any]
    words: str
    quiet: dict[str, Any] = {}


TAIL_CUT = {"times_min": [30, 40, 50, 60, 70, 80], "tracer_ratio": [0, 6, 19, 24, 20, 13], "full_time_min": 60}
RUN_OFF = {"times_min": [30, 40, 50, 60, 70, 80], "tracer_ratio": [0, 6, 19, 24, 20, 4], "full_time_min": 60}
EARLY = {
    "times_min": [5, 10, 20, 40, 60, 80, 100, 120],
    "tracer_ratio": [4, 24, 18, 10, 6, 4, 3, 2],
    "full_time_min": 73.2,
}
METERS_APART = [
    {"flow_m3_per_h": 100, "deviation_m3_per_h": 1, "into_count": 1},
    {"flow_m3_per_h": 60, "deviation_m3_per_h": 1, "out_of_count": 1},
    {"flow_m3_per_h": 20, "deviation_m3_per_h": 1, "out_of_count": 1},
]
METERS_CLOSE = [
    {"flow_m3_per_h": 100, "deviation_m3_per_h": 4, "into_count": 1},
    {"flow_m3_per_h": 76, "deviation_m3_per_h": 3, "out_of_count": 1},
    {"flow_m3_per_h": 20, "deviation_m3_per_h": 1, "out_of_count": 1},
]
METER_BACKWARDS = [
    {"flow_m3_per_h": 10, "deviation_m3_per_h": 3, "into_count": 1},
    {"flow_m3_per_h": 13, "deviation_m3_per_h": 1, "out_of_count": 1},
    {"flow_m3_per_h": 0.2, "deviation_m3_per_h": 3, "out_of_count": 1},
]


def stages_that_thicken(times: float) -> list[dict[str, float]]:
    """Return a cascade whose first stage thickens its reject so many times."""
    first = {"feed_consistency_pct": 0.7, "mass_reject_frac": 0.2, "volumetric_reject_frac": 0.2 / times}
    rest = ({"feed_consistency_pct": 0.4, "mass_reject_frac": 0.25, "volumetric_reject_frac": 0.1},)
    return [{**one, "each_l_per_min": 400} for one in (first, *rest)]


CASES = (
    # bleaching
    Case("post_colour", {"after_brightness_pct": 87.1}, "the aged pad is brighter", {"after_brightness_pct": 87.0}),
    Case("pump_at_strength", {"new_g_per_l": 8.4, "most_l_per_min": 297}, "the pump stops at 297 L/min: 99.8 %",
         {"new_g_per_l": 8.4, "most_l_per_min": 298}),
    Case("pump_at_strength", {"new_g_per_l": 7.0}, "the strength moved by -20 %", {"new_g_per_l": 8.4}),
    Case(
        "delivery_checked", {"density_t_per_m3": 1.29, "ph": 12.0}, "not peroxide by this sample: it is like dtpa",
        {"density_t_per_m3": 1.21, "ph": 3.0},
    ),
    Case("dioxide_gas", {"strength_g_per_l": 10.0}, "10.1 kPa of dioxide: stop. No transfer", {"strength_g_per_l": 7.9}),
    Case("dioxide_gas", {"strength_g_per_l": 9.9}, "10.0 kPa of dioxide: chill it, make it weaker", {"strength_g_per_l": 7.9}),
    Case("oxygen_kappa", {"time_min": 200}, "78 % off in one stage costs strength", {}),
    Case("fresh_peroxide", {"residual_frac": 0.9}, "more than half comes back", {"residual_frac": 0.5}),
    Case("peroxide_loop", {"return_frac": 0.99}, "builds up more than three times", {"return_frac": 0.7}),
    Case("tank_charge", {"meant_kg_per_bdt": 5.0}, "20 % less than meant", {"meant_kg_per_bdt": 4.1}),
    Case("tank_charge", {"meant_kg_per_bdt": 3.5}, "15 % more than meant", {"meant_kg_per_bdt": 3.9}),
    Case("chain_scission", {"after_ml_per_g": 951}, "viscosity rose", {"after_ml_per_g": 950}),
    Case("tower_tracer", EARLY, "channelled by this tracer", {}),
    Case("tower_tracer", TAIL_CUT, "the tail was missed", RUN_OFF),
    # blending, delivery
    Case("dose_to_pump", {"dose_kg_per_t": 0.8}, "a stroke of 9 % doses unevenly: dilute to 0.188 %", {"dose_kg_per_t": 1.0}),
    Case("chest_cover", {"level_bdt": 1.19}, "the chest holds 1.19 BDt, under its least", {"level_bdt": 1.2}),
    Case("chest_cover", {"demand_bdt_per_h": 0.0}, "nothing is drawn", {"demand_bdt_per_h": 0.01}),
    # cooking
    Case("liquor_cover", {"level_pct": 11.9}, "the tank stands at 11.9 %, under its low level", {"level_pct": 12}),
    Case("h_factor", {"times_min": [0, 30, 60, 90, 100, 150, 160]}, "a gap of more than 10 min",
         {"times_min": [0, 10, 20, 30, 40, 50, 60]}),
    Case("minutes_left_to_h", {"h_now": 1611}, "past its end point by 1 H", {"h_now": 1609}),
    Case("minutes_left_on_profile", {"h_now": 690}, "past its end point by 10 H", {"h_now": 679}),
    Case("kappa_hatton", {"h_factor": 4200}, "lies in the residual phase", {"h_factor": 4000}),
    Case("simulate_kraft", {"effective_alkali_pct_naoh_on_wood": 9.0}, "the alkali is spent after", {}),
    Case("residual_from_use", {"used_pct_naoh_on_wood": 18.51}, "less than a cook like it uses",
         {"used_pct_naoh_on_wood": 18.5}),
    Case("minutes_left_to_s", {"now_bar_h": 225.0}, "past its end point by 0", {"now_bar_h": 224.0}),
    Case("so2_to_fortify", {"wanted_pct": 5.3}, "the acid has 5.4 % already", {"wanted_pct": 5.4}),
    Case("white_liquor_from_abc", {"b_ml": 36.0}, "usual in white liquor is"),
    Case("green_liquor_from_abc", {"a_ml": 20.0, "b_ml": 25.0}, "is this green liquor, or white?"),
    Case("predict_kappa", {"h_factor": 1400}, "a little outside the cooks"),
    # fibre in
    Case("depith_stage", {"fibre_loss_frac": 0.5, "pith_removal_frac": 0.5}, "loses fibre as readily as pith",
         {"fibre_loss_frac": 0.49, "pith_removal_frac": 0.5}),
    Case("chip_class_percent", {"sample_mass_g": 4970}, "the classes add to 98.9 %", {"sample_mass_g": 4961}),
    Case("chip_wash_load_pct", {"washer_limit_m3_per_h": 71}, "the washer is asked for 100 %",
         {"washer_limit_m3_per_h": 71.2}),
    Case("drum_residence", {"throughput_m3_solid_per_h": 700}, "residence is 13 min", {"throughput_m3_solid_per_h": 600}),
    Case("drum_residence", {"throughput_m3_solid_per_h": 150}, "residence is 61 min", {"throughput_m3_solid_per_h": 155}),
    Case("moisture_of_replicates", {"each_moisture_frac": [0.52]}, "one sample only",
         {"each_moisture_frac": [0.52, 0.525]}),
    Case("moisture_of_replicates", {"each_moisture_frac": [0.520, 0.534]}, "the replicates differ by 1.4 points",
         {"each_moisture_frac": [0.520, 0.530]}),
    Case("pile_mass_after", {"monthly_pile_temperatures_c": [20, 60.1]}, "it heats itself",
         {"monthly_pile_temperatures_c": [20, 60.0]}),
    Case("net_heat_as_fired", {"moisture_wet_frac": 0.89}, "support fuel is needed", {"moisture_wet_frac": 0.87}),
    # when it comes
    Case("chain_time", {"come_frac": 0.9991}, "the tail of a real vessel is longer", {"come_frac": 0.999}),
    # screening and cleaning
    Case("cascade_hydraulics", {"stages": stages_that_thicken(3.1)}, "a reject thickens 3.1 times",
         {"stages": stages_that_thicken(2.9)}),
    Case("stage_split", {"volumetric_reject_frac": 0.21}, "the reject is thinner than the feed",
         {"volumetric_reject_frac": 0.2}),
    Case("shaking", {"speed_rpm": 1550}, "8.1 times gravity is not usual", {"speed_rpm": 1540}),
    Case("cleaners_plugged", {"drop_kpa": 143.4}, "less pressure than when clean", {"drop_kpa": 143.5}),
    Case("counts_compared", {"accept_count": 99, "feed_count": 200}, "fewer than 100 pieces",
         {"accept_count": 100, "feed_count": 200}),
    Case("counts_scatter", {}, "the counts scatter", {"repeats_count": [16, 18, 15, 22, 19]}),
    Case("passage_of_share", {"accept_frac": 0.86}, "are the samples swapped?", {"accept_frac": 0.84}),
    Case("screen_rates", {"reject_consistency_pct": 4.1}, "the reject thickens 2.0 times", {"reject_consistency_pct": 3.9}),
    # washing
    Case("mat_on_drum", {"production_bdt_per_h": 45}, "a mat of 5.7 kg/m² is not usual", {"production_bdt_per_h": 39}),
    Case("mat_on_drum", {"production_bdt_per_h": 7}, "a mat of 0.9 kg/m² is not usual", {"production_bdt_per_h": 8}),
    Case("drop_leg_vacuum", {"friction_kpa": 76}, "the leg draws no vacuum", {"friction_kpa": 75}),
    Case("most_vacuum", {"filtrate_c": 99}, "the filtrate is too hot", {"filtrate_c": 90}),
    Case("dilution_factor_t_per_bdt", {"wash_liquor_t_per_bdt": 20}, "is not usual", {}),
    Case("best_factor", {"loss_cost_per_kg": 0.0001}, "decides, not the prices", {}),
    Case("wash_zone", {"production_bdt_per_h": 100}, "0.5 h in the zone is not usual", {"production_bdt_per_h": 96}),
    Case("wash_zone", {"production_bdt_per_h": 8}, "6.0 h in the zone is not usual", {"production_bdt_per_h": 8.1}),
    # water
    Case("permit_left", {"so_far_t": 361}, "the month is over its figure", {"so_far_t": 359}),
    Case("recovery_enrichment", {"input_kg_per_bdt": 1.7}, "far above what a recovery boiler", {"input_kg_per_bdt": 1.6}),
    Case("reconciled", {"meters": METERS_APART}, "they do not close by chance", {"meters": METERS_CLOSE}),
    Case("reconciled", {"meters": METER_BACKWARDS}, "a flow would have to run backwards", {"meters": METERS_CLOSE}),
)  # fmt: skip
ELSEWHERE = {"bleached": "test_bleaching", "through_nought": "test_ladders"}  # what warns there is tested there


def warned(method: str, changed: dict[str, Any]) -> list[str]:
    """Return what is said beside a method's example, changed."""
    entry = find_method(method)
    with recording() as record:
        entry.call(**{**entry.example.arguments, **changed})
    return record.warnings


class Warnings(SimpleTestCase):
    def test_each_is_said_past_its_limit_and_not_short_of_it(self) -> None:
        for case in CASES:
            with self.subTest(case.method, said=case.said):
                said = warned(case.method, case.said)
                self.assertTrue(any(case.words in one for one in said), said)
                quiet = [one for one in warned(case.method, case.quiet) if BY_ITSELF not in one]
                self.assertEqual(quiet, [])

    def test_none_of_the_book_is_missing_here(self) -> None:
        written: Counter[str] = Counter()
        for path in ROOT.rglob("*.py"):
            for one in ast.walk(ast.parse(path.read_text(encoding="utf-8"))):
                if isinstance(one, ast.FunctionDef):
                    written[one.name] += sum(
                        isinstance(call, ast.Call) and getattr(call.func, "id", "") == "warn" for call in ast.walk(one)
                    )
        known = {name for name, count in written.items() if count}
        self.assertEqual(known - {case.method for case in CASES} - set(ELSEWHERE), set())
        self.assertLessEqual(known - set(ELSEWHERE), set(METHODS))
