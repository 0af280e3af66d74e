"""The decision table of the yard: wood, chips, piles, metal, bagasse."""

from collections.abc import Callable

from stock.figure import Datum, Figure, Origin, figure
from stock.intake.bagasse import STAGES
from stock.judge.rule import Facts, Rule, by_step


def _share(datum: Datum) -> Datum:
    """Turn a value in per cent into a fraction, origin kept."""
    return Datum(datum.value / 100, datum.origin, datum.figure)


def _liquor(facts: Facts) -> Figure:
    return figure(
        "liquor_for_moisture",
        "white liquor, times what was booked",
        {
            "moisture_now_frac": _share(facts.reading("chip_moisture")),
            "moisture_booked_frac": facts.constant("cook_chip_moisture_frac"),
        },
        decimals=3,
    )


def _metered(facts: Facts) -> Figure:
    booked = facts.constant("chip_bulk_set_kg_per_m3")
    gap = facts.reading("chip_meter_gap")
    weighed = Datum(booked.value / (1 + gap.value / 100), Origin(gap.origin.kind, f"{gap.origin.text}, from the gap"))
    return figure(
        "metered_production",
        "chips really fed",
        {
            "metered_bdt_per_h": facts.flow("chips_in"),
            "bulk_density_now_kg_per_m3": weighed,
            "bulk_density_set_kg_per_m3": booked,
        },
    )


def _needed_min(facts: Facts) -> Figure:
    return figure(
        "residence_for_bark_target_min",
        "time in the drum needed",
        {
            "bark_in_frac": facts.constant("drum_bark_in_frac"),
            "bark_target_frac": _share(facts.target("bark_in_chips")),
            "rate_per_min": facts.constant("drum_rate_per_min"),
        },
    )


def _drum(facts: Facts) -> dict[str, Datum]:
    return {
        "drum_volume_m3": facts.constant("drum_volume_m3"),
        "fill_frac": facts.constant("drum_fill_frac"),
        "log_solid_frac": facts.constant("drum_log_solid_frac"),
    }


def _log_feed(facts: Facts) -> Figure:
    needed = _needed_min(facts)
    return figure("drum_throughput", "log feed", {**_drum(facts), "residence_min": needed.as_datum()}, decimals=0)


def _rejects(facts: Facts) -> Figure:
    return figure(
        "coarse_rejects_pct",
        "knots to expect",
        {
            "oversize_pct": Datum(0.8, Origin("assumed", "usual oversize")),
            "overthick_pct": facts.reading("overthick"),
        },
    )


def _wood_per_tonne(facts: Facts) -> Figure:
    chips, pulp = facts.flow("chips_in"), facts.flow("washed")
    return figure(
        "wood_per_adt",
        "wood for a tonne of pulp",
        {
            "yield_frac": Datum(pulp.value / chips.value, Origin("computed", "whole-line balance, pulp over chips")),
            "basic_density_kg_per_m3": facts.constant("cook_basic_density_kg_per_m3"),
            "loss_each_frac": Datum([], Origin("assumed", "none before the chip screen")),
        },
    )


def _fines_out(facts: Facts) -> Figure:
    return figure(
        "screen_out_fines",
        "share to reject besides",
        {
            "fines_pct": facts.reading("chip_fines"),
            "fines_wanted_pct": facts.target("chip_fines"),
            "wood_m3_solid": _wood_per_tonne(facts).as_datum(),
        },
        decimals=4,
    )


def _pins_alkali(facts: Facts) -> Figure:
    return figure(
        "fines_alkali",
        "alkali the small material takes",
        {
            "pins_pct": facts.reading("chip_pins"),
            "fines_pct": facts.reading("chip_fines"),
            "bark_pct": facts.reading("bark_in_chips"),
        },
        decimals=2,
    )


def _pile_loss(tag: str) -> Callable[[Facts], Figure]:
    def size(facts: Facts) -> Figure:
        return figure("pile_loss", "loss a month", {"temperature_c": facts.reading(tag)}, decimals=4)

    return size


def _hot_pile(tag: str, name: str) -> Rule:
    return Rule(
        f"{tag}_hot",
        tag,
        ("high",),
        ("too old", "compacted", "a layer of fines", "wet on dry"),
        "Probe grid and smell: smoke or acid at any temperature counts.",
        _pile_loss(tag),
        lambda size, side: (
            f"Lay nothing more on {name}, reclaim the hot spot first: it loses {100 * size.value:.0f} % a month."
            " Fire duty stands by, never dig alone"
        ),
    )


def _usual_trips(facts: Facts) -> Figure:
    return figure("count_chart", "most trips that are still usual", {"trips_each_count": facts.series("metal_trips")},
                  result="upper_count")  # fmt: skip


def _washer(facts: Facts) -> Figure:
    return figure(
        "chip_wash_load_pct",
        "chip washer loading",
        {
            "bd_t_per_h": facts.flow("chips_in"),
            "bulk_density_bd_kg_per_m3": facts.constant("chip_bulk_set_kg_per_m3"),
            "washer_limit_m3_per_h": facts.constant("yard_washer_limit_m3_per_h"),
        },
        decimals=0,
    )


def steam_need(facts: Facts) -> Figure:
    """Return the steam a bone-dry tonne of chips takes to the bin's target."""
    return figure(
        "chip_steaming",
        "steam for the chips",
        {
            "t_in_c": facts.constant("chip_in_c"),
            "t_out_c": facts.target("chip_bin_temp"),
            "moisture_wet_frac": _share(facts.reading("chip_moisture")),
        },
        result="steam_kg_per_bdt",
        decimals=0,
    )


def _bin_rate(facts: Facts) -> Figure:
    return figure(
        "steamed_rate",
        "chips the steam can heat",
        {
            "bdt_per_h": facts.flow("chips_in"),
            "steam_t_per_h": facts.constant("steam_to_chips_t_per_h"),
            "steam_kg_per_bdt": steam_need(facts).as_datum(),
        },
    )


def _say_bin(size: Figure, side: str) -> str:
    rate, steam = size.value, size.data["steam_kg_per_bdt"].value
    need = steam * size.data["bdt_per_h"].value / 1000
    return f"Raise steam to {need:.1f} t/h; without it cut chips to {rate:.1f} BDt/h until the core is at 95 °C"


def _stretch(tag: str, stream: str) -> Callable[[Facts], Figure]:
    def size(facts: Facts) -> Figure:
        days, use = facts.reading(tag), facts.flow(stream)
        stock = Datum(days.value * use.value * 24, Origin("computed", "days of stock at the present use"), days.figure)
        return figure(
            "rate_for_lead", "daily use that lasts", {"stock_bdt": stock, "lead_d": facts.constant("yard_lead_d")},
            decimals=0,
        )  # fmt: skip

    return size


def _bagasse(facts: Facts, *names: str) -> dict[str, Datum]:
    return {f"{name}_frac": facts.constant(f"bagasse_{name}_frac") for name in names}


def _pith(facts: Facts) -> Figure:
    """Pith the moist stage must take out so that the wet stage, as it runs, lands on the target."""
    wet_pith, wet_fibre = STAGES["wet"][:2]
    target = facts.target("fibre_to_pith")
    between = Datum(
        target.value * (1 - wet_pith) / (1 - wet_fibre), Origin("computed", "target after the wet stage, before it")
    )
    return figure(
        "pith_removal_for_ratio",
        "pith to take out in the moist stage",
        {
            **_bagasse(facts, "fibre", "pith"),
            "fibre_loss_frac": Datum(STAGES["moist"][1], Origin("assumed", "moist stage as usual")),
            "target_ratio": between,
        },
        decimals=3,
    )


def _say_pith(size: Figure, side: str) -> str:
    return f"Take out {100 * size.value:.0f} % of the pith in the moist stage"


def _cane_charge(facts: Facts) -> Figure:
    return figure(
        "alkali_correction_pct",
        "soda charge",
        {
            "residual_kg_per_m3_as_naoh": facts.reading("cane_residual"),
            "residual_wanted_kg_per_m3_as_naoh": facts.target("cane_residual"),
            "liquor_to_wood": facts.constant("cane_liquor_to_wood"),
        },
        decimals=1,
    )


def _lost_pulp(facts: Facts) -> Figure:
    flow = facts.flow("bagasse_in")
    pulp = Datum(facts.constant("yield_cane_frac").value, facts.constant("yield_cane_frac").origin)
    return figure(
        "pulp_lost_in_pith",
        "pulp that goes to the boiler",
        {
            "fibre_loss_now_frac": _share(facts.reading("pith_fibre")),
            "fibre_loss_usual_frac": _share(facts.target("pith_fibre")),
            "bdt_per_d": Datum(24 * flow.value, flow.origin, flow.figure),
            "fibre_frac": facts.constant("bagasse_fibre_frac"),
            "yield_frac": pulp,
        },
    )


def _cane_water(facts: Facts) -> Figure:
    return figure(
        "bagasse_wash_water",
        "wash water",
        {"water_m3_per_t": facts.constant("cane_wash_water_m3_per_t"), "bd_t_per_h": facts.flow("bagasse_in")},
        decimals=0,
    )


def _wetting(facts: Facts) -> Figure:
    return figure(
        "wet_bulk_storage",
        "water for each tonne of the block",
        {
            "bdt": Datum(1.0, Origin("assumed", "one bone-dry tonne")),
            "moisture_in_frac": Datum(0.60, Origin("assumed", "a dry pocket")),
            "moisture_pile_frac": Datum(0.75, Origin("assumed", "wet enough")),
            "storage_month": Datum(0.0, Origin("assumed", "now")),
        },
        result="water_m3",
    )


def _say_wetting(size: Figure, side: str) -> str:
    return f"Restart the pile liquor: {size.text} m³ for each BDt of the block, compact it, reclaim it first"


def _press(facts: Facts) -> Figure:
    return figure(
        "water_to_press",
        "water to press out",
        {"solids_now_pct": facts.reading("cane_plug"), "solids_wanted_pct": facts.target("cane_plug")},
        decimals=2,
    )


def _say_press(size: Figure, side: str) -> str:
    verb = "Press out" if size.value > 0 else "Add back"
    return f"{verb} {abs(size.value):.2f} t of water a BDt; the interlock, not you, closes the feed valve"


YARD_ROWS: tuple[Rule, ...] = (
    Rule(
        "chips_wetter_or_drier",
        "chip_moisture",
        ("low", "high"),
        ("rain or snow", "another supplier", "the pile's face changed", "sensor drift"),
        "Oven samples, as many as the spread asks for.",
        _liquor,
        lambda size, side: f"At constant chip weight multiply white liquor by {size.text}; black liquor fills the rest",
    ),
    Rule(
        "meter_off",
        "chip_meter_gap",
        ("low", "high"),
        ("packing changed", "density of the mix", "pockets not full"),
        "Weigh a bucket: solid share and moisture.",
        _metered,
        lambda size, side: f"Book {size.text} BDt/h of chips, and the alkali with it in the same minute",
    ),
    Rule(
        "bark_on_chips",
        "bark_in_chips",
        ("high",),
        ("too short in the drum", "frozen or dry logs", "drum overfilled", "worn staves"),
        "Residence against what the bark needs.",
        _log_feed,
        lambda size, side: f"Feed the drum no more than {size.text} m³ solid/h; thaw frozen logs first",
    ),
    Rule(
        "wood_in_bark",
        "bark_wood",
        ("high",),
        ("too long in the drum", "drum too full", "short, broken logs"),
        "Hand-sort a sample of bark.",
        _needed_min,
        lambda size, side: f"Shorten the time in the drum to {size.value:.0f} min; sort short logs out",
    ),
    Rule(
        "chips_thick",
        "overthick",
        ("high",),
        ("dull knives", "gap at the anvil", "log speed", "slicer bypassed"),
        "Hours on the knives, chip gauge.",
        _rejects,
        lambda size, side: f"Change knives and reroute the thick fraction; until then expect {size.text} % knots",
    ),
    Rule(
        "pins_high",
        "chip_pins",
        ("high",),
        ("dull or wrong knives", "frozen, brittle wood", "impact in the blowing line"),
        "Screen stages, one by one.",
        _pins_alkali,
        lambda size, side: f"Meter the pins in evenly and add {size.text} % NaOH on wood for them",
    ),
    Rule(
        "fines_high",
        "chip_fines",
        ("high",),
        ("dull or wrong knives", "frozen, brittle wood", "worn pile equipment"),
        "Bottom screen and its rejects.",
        _fines_out,
        lambda size, side: (
            f"Reject {100 * size.value:.1f} % more at the bottom screen: {size.results['wood_m3_per_adt']:.2f} m³/ADt of wood"
        ),
    ),
    _hot_pile("pile_a_temp", "pile A"),
    _hot_pile("pile_b_temp", "pile B"),
    _hot_pile("pile_c_temp", "pile C"),
    _hot_pile("pile_d_temp", "pile D"),
    Rule(
        "trips_run",
        "metal_trips",
        ("high",),
        ("one supplier", "a broken chain, tooth or bolt", "detector gain"),
        "The last pieces, kept and tagged.",
        _usual_trips,
        lambda size, side: (
            f"Quarantine the lot and find the broken part before restart: up to {size.value:.0f} in a shift is usual."
            " Do not lower the gain"
        ),
    ),
    Rule(
        "stones",
        "stone_trap",
        ("high",),
        ("trap full or water low", "direct feed past the bath", "reclaim from the pile floor"),
        "Trap weight and overflow.",
        _washer,
        lambda size, side: (
            f"Empty the trap, restore its overflow, hold the reclaim off the floor; the washer runs at {size.text} %"
        ),
    ),
    Rule(
        "bin_cold",
        "chip_bin_temp",
        ("low",),
        ("bridged column", "low level", "frozen chips", "steam valve"),
        "Level profile, then the steam.",
        _bin_rate,
        _say_bin,
    ),
    Rule(
        "wood_short",
        "wood_stock",
        ("low",),
        ("late delivery", "chipper down"),
        "What lies in the piles, by survey.",
        _stretch("wood_stock", "chips_in"),
        lambda size, side: f"Plan for {size.text} BDt/d until the next delivery is sure",
    ),
    Rule(
        "cane_short",
        "cane_stock",
        ("low",),
        ("barge late", "season at its end"),
        "What lies in the pile, by survey.",
        _stretch("cane_stock", "bagasse_in"),
        lambda size, side: f"Plan for {size.text} BDt/d until the next barge is sure",
    ),
    Rule(
        "pith_high",
        "fibre_to_pith",
        ("low",),
        ("beater speed or plate holes", "wet stage short of power", "old, brittle bagasse"),
        "Screen the feed and both accepts.",
        _pith,
        _say_pith,
    ),
    Rule(
        "cane_alkali",
        "cane_residual",
        ("low",),
        ("pith or sugar high", "dirt", "rot in the pile"),
        "Fibre to pith by screening; pH of the pile.",
        _cane_charge,
        by_step("the soda charge", "% NaOH on bagasse until depithing is cured"),
    ),
    Rule(
        "cane_slow",
        "cane_freeness",
        ("low",),
        ("pith carried over", "overcooked"),
        "Fibre to pith and fines; cut H by 10 to 15 % where kappa is under target.",
        _pith,
        _say_pith,
    ),
    Rule(
        "fibre_in_pith",
        "pith_fibre",
        ("high",),
        ("beater speed", "screen plate worn"),
        "Fibre loss stage by stage.",
        _lost_pulp,
        lambda size, side: f"Change the screen plate: {size.text} ADt/d of pulp goes to the boiler",
    ),
    Rule(
        "cane_dirty",
        "cane_dirt",
        ("high",),
        ("wash water low", "trap full", "mud from the yard"),
        "Ash in and out of the wash.",
        _cane_water,
        lambda size, side: f"Restore the wash to {size.text} m³/h, empty the trap",
    ),
    Rule(
        "cane_pile_hot",
        "cane_pile_temp",
        ("high",),
        ("dry pockets", "circulation stopped", "air let in"),
        "Probe and pH; look for brown.",
        _wetting,
        _say_wetting,
    ),
    Rule(
        "cane_pile_rot",
        "cane_pile_ph",
        ("high",),
        ("rot: dry pockets", "circulation stopped", "air let in"),
        "Probe and colour of the block.",
        _wetting,
        _say_wetting,
    ),
    Rule(
        "cane_plug_off",
        "cane_plug",
        ("low", "high"),
        ("feed too wet", "too little fibre", "pith"),
        "Plug power and moisture.",
        _press,
        _say_press,
    ),
)
