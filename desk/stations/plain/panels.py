"""The set panels from the digesters to the machine."""

from desk.frame.panels.attempt import Panel
from desk.frame.panels.fills import constant, flow, reading, step, target
from stock.figure import Datum, Origin

PROCESS_PANELS: dict[str, Panel] = {
    "wash": Panel(
        "Shower for a dilution factor",
        "shower_flow_l_per_min",
        {
            "production_bd_t_per_h": ("Pulp over the washers", flow("washed")),
            "dilution_factor_t_per_odt": ("Dilution factor", constant("wash_dilution_factor")),
            "discharge_consistency_pct": ("Mat consistency", constant("wash_mat_consistency_pct")),
        },
        lambda size: f"Set the shower to {size.text} L/min.",
    ),
    "screen": Panel(
        "Reject rate for a removal",
        "mass_reject_for_removal",
        {
            "removal_frac": (
                "Shives to take out, as a fraction",
                lambda state: Datum(0.64, Origin("assumed", "a usual aim")),
            ),
            "quotient_ratio": ("Screening quotient", constant("screen_quotient")),
        },
        lambda size: f"Run the reject rate at {100 * size.value:.1f} % by mass.",
        decimals=3,
    ),
    "bleach": Panel(
        "Dosing flow of the third cane stage",
        "dosing_flow",
        {
            "charge_kg_per_odt": ("Peroxide charge", constant("cane_peroxide_kg_per_odt")),
            "production_bd_t_per_h": ("Cane through the stage", flow("cane_brown")),
            "solution_g_per_l": ("Solution strength", constant("cane_peroxide_g_per_l")),
        },
        lambda size: f"Set the peroxide pump to {size.text} L/min.",
        decimals=1,
    ),
    "recover": Panel(
        "Water to correct a pulper batch",
        "batch_water_correction",
        {
            "od_t": ("Bone-dry in the vat", constant("pulper_batch_odt")),
            "consistency_pct": ("Consistency measured", reading("pulper_cons")),
            "target_consistency_pct": ("Consistency wanted", target("pulper_cons")),
        },
        lambda size: step(size, "water to the batch", "t"),
        decimals=1,
    ),
    "slush": Panel(
        "Water to correct the slush chest",
        "batch_water_correction",
        {
            "od_t": (
                "Bone-dry in the chest",
                lambda state: Datum(
                    round(state.contents("slush_chest").value, 2), state.contents("slush_chest").as_datum().origin
                ),
            ),
            "consistency_pct": ("Consistency measured", reading("slush_cons")),
            "target_consistency_pct": ("Consistency wanted", target("slush_cons")),
        },
        lambda size: step(size, "water to the chest", "t"),
        decimals=1,
    ),
    "refine": Panel(
        "Power for a freeness, refiners 1 and 2",
        "power_step",
        {
            "now_csf_ml": ("Freeness now", reading("wood_freeness")),
            "target_csf_ml": ("Freeness wanted", target("wood_freeness")),
            "bd_t_per_h": ("Flow through them", flow("wood_stored")),
            "slope_ratio": ("Slope, per kWh/BDt", constant("refine_slope")),
        },
        lambda size: step(size, "net power", "kW"),
    ),
    "blend": Panel(
        "Filler for the ash",
        "filler_feed_t_per_h",
        {
            "sheet_bd_t_per_h": ("Sheet made", flow("dry_sheet")),
            "sheet_filler_frac": (
                "Filler in the sheet, as a fraction",
                lambda state: Datum(state.line.grade(state.order.grade).ash_frac, state.set_origin("grade")),
            ),
            "overall_frac": (
                "Overall retention",
                lambda state: Datum(0.955, Origin("assumed", "first pass 0.50, 0.95 returned")),
            ),
        },
        lambda size: f"Feed {size.text} t/h of filler, less what broke brings.",
        decimals=2,
    ),
    "deliver": Panel(
        "Thick stock for the machine",
        "stock_flow_l_per_min",
        {
            "bd_t_per_h": ("Thick stock", flow("thick_stock")),
            "consistency_pct": ("Machine chest consistency", reading("machine_cons")),
        },
        lambda size: f"Thick-stock flow {size.text} L/min.",
    ),
}
