"""The decision table of the line from the washers on: what to do about a value off its band."""

from collections.abc import Callable

from stock.figure import Datum, Figure, figure
from stock.judge.rule import Facts, Rule, by_step


def _brown_water(facts: Facts) -> Figure:
    return figure(
        "dilution_water_l_per_min",
        "dilution water",
        {
            "flow_l_per_min": facts.reading("brown_flow"),
            "consistency_in_pct": facts.reading("brown_cons"),
            "consistency_out_pct": facts.target("brown_cons"),
            "water_consistency_pct": facts.constant("white_water_pct"),
        },
        decimals=0,
    )


def _brown_thin(facts: Facts) -> Figure:
    """How much dilution to take off: the water that would thin target stock to what it is now."""
    return figure(
        "dilution_water_l_per_min",
        "dilution water to take off",
        {
            "flow_l_per_min": facts.reading("brown_flow"),
            "consistency_in_pct": facts.target("brown_cons"),
            "consistency_out_pct": facts.reading("brown_cons"),
            "water_consistency_pct": facts.constant("white_water_pct"),
        },
        decimals=0,
    )


def _wash_shower(facts: Facts) -> Figure:
    wanted = figure(
        "dilution_factor_for_loss",
        "dilution factor wanted",
        {
            "target_loss_kg_per_odt": facts.target("wash_loss"),
            "feed_consistency_pct": facts.constant("wash_feed_consistency_pct"),
            "feed_solids_kg_per_odt": facts.constant("wash_feed_solids_kg_per_odt"),
            "e_std_total_ratio": facts.constant("wash_e_std"),
        },
        decimals=2,
    )
    return figure(
        "shower_flow_l_per_min",
        "shower flow",
        {
            "production_bd_t_per_h": facts.flow("washed"),
            "dilution_factor_t_per_odt": wanted.as_datum(),
            "discharge_consistency_pct": facts.constant("wash_mat_consistency_pct"),
        },
        decimals=0,
    )


def _screen_reject(facts: Facts) -> Figure:
    """Reject rate that removes the share of shives the target asks for, feed unchanged."""
    now, target = facts.reading("shives"), facts.target("shives")
    rate = facts.reading("screen_reject")
    quotient = facts.constant("screen_quotient")
    removed = figure(
        "debris_removed",
        "removal now",
        {
            "mass_reject_frac": Datum(rate.value / 100, rate.origin),
            "quotient_ratio": quotient,
        },
        decimals=3,
    )
    wanted = 1 - (1 - removed.value) * target.value / now.value
    return figure(
        "mass_reject_for_removal",
        "mass reject rate",
        {
            "removal_frac": Datum(wanted, removed.as_datum().origin, removed),
            "quotient_ratio": quotient,
        },
        decimals=2,
    )


def _cane_peroxide(facts: Facts) -> Figure:
    return figure(
        "charge_for_brightness",
        "peroxide to add",
        {
            "start_brightness_pct": facts.reading("cane_brightness"),
            "target_brightness_pct": facts.target("cane_brightness"),
            "response_per_kg": facts.constant("cane_response_per_kg"),
            "ks_floor_ks": facts.constant("cane_ks_floor"),
        },
        decimals=1,
    )


def _freeness_power(tag: str, stream: str) -> Callable[[Facts], Figure]:
    def size(facts: Facts) -> Figure:
        return figure(
            "power_step",
            "net power",
            {
                "now_csf_ml": facts.reading(tag),
                "target_csf_ml": facts.target(tag),
                "bd_t_per_h": facts.flow(stream),
                "slope_ratio": facts.constant("refine_slope"),
            },
            decimals=0,
        )

    return size


def _pulper_water(facts: Facts) -> Figure:
    return figure(
        "batch_water_correction",
        "water in the next batch",
        {
            "od_t": facts.constant("pulper_batch_odt"),
            "consistency_pct": facts.reading("pulper_cons"),
            "target_consistency_pct": facts.target("pulper_cons"),
        },
        decimals=1,
    )


def _chest_feed(facts: Facts) -> Figure:
    volume, consistency = facts.constant("machine_chest_volume_m3"), facts.reading("machine_cons")
    contents = {
        name: figure(
            "chest_bd_t",
            label,
            {"volume_m3": volume, "level_pct": level, "consistency_pct": consistency},
        )
        for name, label, level in (
            ("now", "stock in the chest", facts.reading("machine_level")),
            ("wanted", "stock at target level", facts.target("machine_level")),
        )
    }
    return figure(
        "feed_change",
        "blend feed",
        {
            "wanted_bd_t": contents["wanted"].as_datum(),
            "level_bd_t": contents["now"].as_datum(),
            "horizon_h": facts.constant("level_horizon_h"),
        },
    )


def _cane_tower_feed(facts: Facts) -> Figure:
    volume, consistency = facts.constant("cane_tower_volume_m3"), facts.constant("cane_tower_consistency_pct")
    now = figure(
        "chest_bd_t",
        "stock in the tower",
        {"volume_m3": volume, "level_pct": facts.reading("cane_tower_level"), "consistency_pct": consistency},
    )
    wanted = figure(
        "chest_bd_t",
        "stock at target level",
        {"volume_m3": volume, "level_pct": facts.target("cane_tower_level"), "consistency_pct": consistency},
    )
    return figure(
        "feed_change",
        "cane feed above the draw",
        {
            "wanted_bd_t": wanted.as_datum(),
            "level_bd_t": now.as_datum(),
            "horizon_h": facts.constant("tower_horizon_h"),
        },
        decimals=2,
    )


PROCESS_ROWS: tuple[Rule, ...] = (
    Rule(
        "brown_thick",
        "brown_cons",
        ("high",),
        ("transmitter drift", "thicker mat after a rate change", "dilution valve stuck"),
        "Is the transmitter right? Take a pad; trim only on five pairs.",
        _brown_water,
        lambda size, side: f"Open the dilution {size.text} L/min",
    ),
    Rule(
        "brown_thin",
        "brown_cons",
        ("low",),
        ("transmitter drift", "wet mat, low vacuum", "dilution valve stuck open"),
        "Is the transmitter right? Take a pad; look at the mat.",
        _brown_thin,
        lambda size, side: f"Close the dilution {size.text} L/min",
    ),
    Rule(
        "wash_loss_high",
        "wash_loss",
        ("high",),
        ("dilution factor low after a rate rise", "plugged showers", "air in the mat"),
        "Shower flow and curtain; three pads across the face.",
        _wash_shower,
        lambda size, side: f"Set the shower to {size.text} L/min, in steps of 0.3 t/BDt",
    ),
    Rule(
        "shives_high",
        "shives",
        ("high",),
        ("reject rate low", "basket damaged", "cook uneven"),
        "Reject flow and consistency; feed count before moving a valve.",
        _screen_reject,
        lambda size, side: f"Set the reject rate to {100 * size.value:.0f} % by mass",
    ),
    Rule(
        "cane_dull",
        "cane_brightness",
        ("low",),
        ("short of peroxide", "carry-over from the washer", "cold or short tower"),
        "End pH 10.8 to 11.2, residual, solution strength.",
        _cane_peroxide,
        lambda size, side: f"Add {size.text} kg/BDt peroxide",
    ),
    Rule(
        "wood_freeness",
        "wood_freeness",
        ("low", "high"),
        ("flow changed at constant power", "plates", "incoming freeness"),
        "kWh per tonne first, then plate hours.",
        _freeness_power("wood_freeness", "wood_stored"),
        by_step("refiners 1 and 2", "kW net"),
    ),
    Rule(
        "bale_freeness",
        "bale_freeness",
        ("low", "high"),
        ("flow changed at constant power", "plates", "slushing time"),
        "kWh per tonne first, then flakes in the slush chest.",
        _freeness_power("bale_freeness", "slush_out"),
        by_step("refiner 3", "kW net"),
    ),
    Rule(
        "pulper_off",
        "pulper_cons",
        ("low", "high"),
        ("bale dryness wrong", "water meter", "heel left in the vat"),
        "Re-weigh three bales and dry a core.",
        _pulper_water,
        by_step("water to the next batch", "t"),
    ),
    Rule(
        "machine_chest_low",
        "machine_level",
        ("low",),
        ("demand up", "blend limited", "broke cut"),
        "Blend flow against thick-stock flow.",
        _chest_feed,
        lambda size, side: f"Feed {size.text} BDt/h more than is drawn, for an hour",
    ),
    Rule(
        "cane_tower_low",
        "cane_tower_level",
        ("low",),
        ("cane cook late", "draw above plan", "washer slow"),
        "Next soda cook and the cane share of the blend.",
        _cane_tower_feed,
        lambda size, side: f"Feed {size.text} BDt/h more than is drawn, or cut the cane share",
    ),
)
