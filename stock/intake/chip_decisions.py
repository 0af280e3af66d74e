"""What to do about chips off their band on the way to the cook: moisture, bark, classes, stones, steaming."""

from stock.figure import Datum, Figure, Origin, figure
from stock.intake.place import TO_COOK, of_feed, of_recipe, share
from stock.intake.unit import DebarkingDrum, Logs
from stock.judge.here import Here, Place
from stock.judge.quiet import Quiet
from stock.judge.rule import Rule
from stock.washing.unit import Washer


def _liquor(here: Here) -> Figure:
    data = {"moisture_now_frac": share(here.now), "moisture_booked_frac": of_recipe(here, "chip_moisture_frac")}
    return figure("liquor_for_moisture", "white liquor, times what was booked", data, decimals=3)


def _metered(here: Here) -> Figure:
    booked, gap = of_feed(here, "bulk_bd_kg_per_m3"), here.now
    weighed = Datum(booked.value / (1 + gap.value / 100), Origin(gap.origin.kind, f"{gap.origin.text}, from the gap"))
    return figure(
        "metered_production",
        "chips really fed",
        {
            "metered_bdt_per_h": here.flow(),
            "bulk_density_now_kg_per_m3": weighed,
            "bulk_density_set_kg_per_m3": booked,
        },
    )


def drum_of(place: Place) -> Place:
    """Stand at the debarking drum the chips came through."""
    return place.at(place.up(DebarkingDrum))


def bark_on_logs(drum: Place) -> Datum:
    """Return the bark on the logs that come to a drum, as a fraction."""
    logs = drum.up(Logs)
    return Datum(logs.solids.get("bark", 0.0), drum.facts.set_origin(logs.name))


def drum_holds(drum: Place) -> dict[str, Datum]:
    """Return what a drum holds, as its methods take it."""
    return {
        "drum_volume_m3": drum.given("drum_volume_m3"),
        "fill_frac": drum.given("fill_frac"),
        "log_solid_frac": drum.given("log_solid_frac"),
    }


def _needed(drum: Place, target: Datum) -> Figure:
    return figure(
        "residence_for_bark_target_min",
        "time in the drum needed",
        {
            "bark_in_frac": bark_on_logs(drum),
            "bark_target_frac": share(target),
            "rate_per_min": drum.given("rate_per_min"),
        },
    )


def _log_feed(here: Here) -> Figure:
    drum = drum_of(here)
    data = {**drum_holds(drum), "residence_min": _needed(drum, here.wanted).as_datum()}
    return figure("drum_throughput", "log feed", data, decimals=0)


def bark_target(drum: Place) -> Datum:
    """Return the target of bark in the chips a drum feeds; LookupError where none is set."""
    for unit in drum.line.graph.downstream(drum.unit.id):
        if (tag := unit.tag_of("bark")) is not None:
            return drum.facts.target(tag)
    raise LookupError(drum.name)


def _time_in_drum(here: Here) -> Figure:
    return _needed(here, bark_target(here))


def _rejects(here: Here) -> Figure:
    data = {"oversize_pct": Datum(0.8, Origin("assumed", "usual oversize")), "overthick_pct": here.now}
    return figure("coarse_rejects_pct", "knots to expect", data)


def _wood_per_tonne(here: Here) -> Figure:
    chips, pulp = here.flow(), here.flow(here.at(here.down(Washer)).stream.id)
    return figure(
        "wood_per_adt",
        "wood for a tonne of pulp",
        {
            "yield_frac": Datum(pulp.value / chips.value, Origin("computed", "whole-line balance, pulp over chips")),
            "basic_density_kg_per_m3": of_recipe(here, "basic_density_kg_per_m3"),
            "loss_each_frac": Datum([], Origin("assumed", "none before the chip screen")),
        },
    )


def _fines_out(here: Here) -> Figure:
    wood = _wood_per_tonne(here).as_datum()
    data = {"fines_pct": here.now, "fines_wanted_pct": here.wanted, "wood_m3_solid": wood}
    return figure("screen_out_fines", "share to reject besides", data, decimals=4)


def _pins_alkali(here: Here) -> Figure:
    data = {"pins_pct": here.now, "fines_pct": here.reading("fines"), "bark_pct": here.reading("bark")}
    return figure("fines_alkali", "alkali the small material takes", data, decimals=2)


def _washer(here: Here) -> Figure:
    return figure(
        "chip_wash_load_pct",
        "chip washer loading",
        {
            "bdt_per_h": here.flow(),
            "bulk_density_bd_kg_per_m3": of_feed(here, "bulk_bd_kg_per_m3"),
            "washer_limit_m3_per_h": of_feed(here, "washer_limit_m3_per_h"),
        },
        decimals=0,
    )


def steam_need(place: Place) -> Figure:
    """Return the steam a bone-dry tonne of chips takes to the bin's target."""
    return figure(
        "chip_steaming",
        "steam for the chips",
        {
            "t_in_c": of_feed(place, "comes_at_c"),
            "t_out_c": place.target("temperature"),
            "moisture_wet_frac": share(place.reading("moisture")),
        },
        result="steam_kg_per_bdt",
        decimals=0,
    )


def _bin_rate(here: Here) -> Figure:
    return figure(
        "steamed_rate",
        "chips the steam can heat",
        {
            "steam_t_per_h": of_feed(here, "steam_t_per_h"),
            "steam_kg_per_bdt": steam_need(here).as_datum(),
        },
    )


def _say_bin(size: Figure, here: Here) -> str:
    rate, steam = size.value, size.data["steam_kg_per_bdt"].value
    has, runs = size.data["steam_t_per_h"].value, here.flow().value
    need = steam * runs / 1000
    if need <= has:
        return (
            f"Steam is enough ({need:.1f} of {has:.1f} t/h): look for a bridge, the valve and the thermometer; take a"
            " core's temperature. Do not rod from above"
        )
    cut = f"; without it cut chips to {rate:.1f} BDt/h" if rate < runs else ""
    return f"After bridge, valve and thermometer: raise steam to {need:.1f} t/h{cut} until the core is at 95 °C"


def _say_feed_of_logs(size: Figure, here: Here) -> str:
    """Never a licence to feed more: where the time in the drum would do, something else is wrong."""
    runs = _logs_m3_per_h(here)
    if size.value >= runs:
        return (
            f"Do not feed more: at the {runs:.1f} m³ solid/h it runs the time would do, up to {size.value:.1f}."
            " Frozen or dry logs, worn staves or a drum too full first; then fit its rate again"
        )
    return f"Feed the drum {size.value:.1f} m³ solid/h, in place of {runs:.1f}; thaw frozen logs first"


def _logs_m3_per_h(here: Here) -> float:
    """Log feed the balance runs the drum at, m³ solid/h."""
    drum = drum_of(here)
    density = of_recipe(here, "basic_density_kg_per_m3").value
    logs: float = drum.flow(drum.at(drum.up(Logs)).stream.id).value
    return logs * 1000 / float(density)


CHIP_ROWS: tuple[Rule, ...] = (
    Rule(
        "chips_wetter_or_drier",
        "moisture",
        ("low", "high"),
        ("rain or snow", "another supplier", "the pile's face changed", "sensor drift"),
        "Oven samples, as many as the spread asks for.",
        _liquor,
        lambda size, here: f"At constant chip weight multiply white liquor by {size.text}; black liquor fills the rest",
        at=TO_COOK,
    ),
    Rule(
        "meter_off",
        "meter_gap",
        ("low", "high"),
        ("packing changed", "density of the mix", "pockets not full"),
        "Weigh a bucket: solid share and moisture.",
        _metered,
        lambda size, here: f"Book {size.text} BDt/h of chips, and the alkali with it in the same minute",
        at=TO_COOK,
    ),
    Rule(
        "bark_on_chips",
        "bark",
        ("high",),
        ("too short in the drum", "frozen or dry logs", "drum overfilled", "worn staves"),
        "Residence against what the bark needs.",
        _log_feed,
        _say_feed_of_logs,
        at=TO_COOK,
    ),
    Rule(
        "wood_in_bark",
        "wood_in_bark",
        ("high",),
        ("too long in the drum", "drum too full", "short, broken logs"),
        "Hand-sort a sample of bark.",
        _time_in_drum,
        lambda size, here: f"Shorten the time in the drum to {size.value:.0f} min; sort short logs out",
        at=("debarking_drum",),
    ),
    Rule(
        "chips_thick",
        "overthick",
        ("high",),
        ("slicer bypassed or its gap wide", "sawmill chips", "dull knives", "gap at the anvil, log speed"),
        "Classes before and after the slicer; bought chips by themselves; hours on the knives.",
        _rejects,
        lambda size, here: (
            f"Look at the slicer's gap and at bought chips, then the knives' hours; reroute the thick fraction:"
            f" until then expect {size.text} % knots"
        ),
        at=TO_COOK,
    ),
    Rule(
        "pins_high",
        "pins",
        ("high",),
        ("dull or wrong knives", "frozen, brittle wood", "impact in the blowing line"),
        "Screen stages, one by one.",
        _pins_alkali,
        lambda size, here: f"Meter the pins in evenly and add {size.text} % NaOH on wood for them",
        at=TO_COOK,
    ),
    Rule(
        "fines_high",
        "fines",
        ("high",),
        ("dull or wrong knives", "frozen, brittle wood", "worn pile equipment"),
        "Bottom screen and its rejects.",
        _fines_out,
        lambda size, here: (
            f"Reject {100 * size.value:.1f} % more at the bottom screen:"
            f" {size.results['wood_m3_per_adt']:.2f} m³/ADt of wood"
        ),
        at=TO_COOK,
    ),
    Rule(
        "stones",
        "stones",
        ("high",),
        ("trap full or water low", "direct feed past the bath", "reclaim from the pile floor"),
        "Trap weight and overflow.",
        _washer,
        lambda size, here: (
            f"Empty the trap, restore its overflow, hold the reclaim off the floor; the washer runs at {size.text} %"
        ),
        at=TO_COOK,
    ),
    Rule(
        "bin_cold",
        "temperature",
        ("low",),
        ("bridged column", "low level", "frozen chips", "steam valve"),
        "Level profile, then the steam.",
        _bin_rate,
        _say_bin,
        at=TO_COOK,
    ),
)

CHIP_QUIET: tuple[Quiet, ...] = (
    Quiet(
        "wood_in_bark",
        ("low",),
        "Little wood goes out with the bark: good, as long as the chips' own bark is in its band.",
        at=("debarking_drum",),
    ),
    Quiet(
        "stones",
        ("low",),
        "A trap that finds nothing may be full, dry or passed by: look at its overflow before thinking the wood clean.",
        at=TO_COOK,
    ),
    Quiet(
        "temperature",
        ("high",),
        "Hotter than steam at this pressure can make it: the thermometer, or steam blowing through a channel. Vapour at the bin's vent can burn and poison.",
        at=TO_COOK,
    ),
)
