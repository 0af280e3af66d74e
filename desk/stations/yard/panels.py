"""What can be worked out in the yard: debarking, washing and steaming chips, depithing, storing wet, sampling."""

from collections.abc import Sequence
from typing import Final

from desk.frame.panels.attempt import Data, Panel
from desk.frame.panels.fills import Fill, assumed, feed, flow, given, percent, recipe, target
from stock.cooking.unit import BatchDigesters
from stock.errors import DomainError
from stock.figure import Datum, Figure, Origin, figure
from stock.intake.bagasse import STAGES
from stock.intake.cane_decisions import bagasse_weighed, make_up
from stock.intake.chip_decisions import bark_on_logs, bark_target
from stock.intake.place import of_recipe
from stock.judge.here import Place


def _pick(data: Data, *names: str) -> dict[str, Datum]:
    return {name: data[name] for name in names}


def _share(datum: Datum) -> Datum:
    return Datum(datum.value / 100, datum.origin, datum.figure)


# ---- debarking


def _debark(data: Data) -> Sequence[Figure]:
    """From the feed to the boiler: time in the drum, bark left, wood lost, bark's heat and steam."""
    time = figure(
        "drum_residence",
        "time in the drum",
        _pick(data, "drum_volume_m3", "fill_frac", "log_solid_frac", "throughput_m3_solid_per_h"),
        decimals=0,
    )
    rate = _pick(data, "rate_per_min", "bark_in_frac")
    needed = figure(
        "residence_for_bark_target_min",
        "time the bark target needs",
        {**rate, "bark_target_frac": _share(data["bark_pct"])},
        decimals=0,
    )
    left = figure("residual_bark_fraction", "bark left on", {**rate, "residence_min": time.as_datum()}, decimals=4)
    lost = figure("debarking_wood_loss_fraction", "wood lost", {"residence_min": time.as_datum()}, decimals=4)
    mixed = figure(
        "wood_in_bark_pct",
        "wood in the bark",
        {
            "wood_loss_frac": lost.as_datum(),
            "bark_in_frac": data["bark_in_frac"],
            "residual_bark_frac": left.as_datum(),
        },
    )
    heat = figure("net_heat_as_fired", "heat of the bark as fired", _pick(data, "moisture_wet_frac"), decimals=2)
    dry = data["bdt_per_h"]
    wet = Datum(
        dry.value / (1 - data["moisture_wet_frac"].value), Origin("computed", f"{dry.value:.2f} BDt/h of bark, wet")
    )
    steam = figure(
        "steam_from_fuel_t_per_h",
        "steam from it",
        {"fuel_t_per_h": wet, "net_heat_mj_per_kg": Datum(max(heat.value, 0.0), heat.as_datum().origin, heat)},
    )
    feed = figure(
        "drum_throughput",
        "feed at which they stay as long as needed",
        {
            **_pick(data, "drum_volume_m3", "fill_frac", "log_solid_frac"),
            "residence_min": Datum(max(needed.value, 1.0), needed.as_datum().origin, needed),
        },
    )
    return [time, needed, feed, left, lost, mixed, heat, steam]


def _tell_debark(figures: Sequence[Figure]) -> str:
    time, needed, feed, *_ = figures
    over = time.value - needed.value
    if abs(over) < 1:
        return f"Logs stay {time.text} min in the drum, as long as the bark target needs."
    if over > 0:
        return (
            f"Logs stay {time.text} min, {over:.0f} longer than the bark target needs: feed up to {feed.text} m³ solid/h,"
            " or close in the gate; wood is lost meanwhile."
        )
    return f"Logs stay {time.text} min, {-over:.0f} short of what the bark target needs: feed {feed.text} m³ solid/h at most."


def _drum_feed(place: Place) -> Datum:
    shown = figure(
        "log_rate",
        "logs to the drum",
        {
            "wood_bdt_per_h": place.flow(),
            "basic_density_kg_per_m3": of_recipe(place.at(place.down(BatchDigesters)), "basic_density_kg_per_m3"),
            "bark_of_total_frac": bark_on_logs(place),
        },
    )
    datum = shown.as_datum()
    return Datum(round(datum.value, 1), datum.origin, datum.figure)


def _bark_out(place: Place) -> Datum:
    rest = getattr(place.unit, "rest", "")
    datum = place.flow(rest)
    return Datum(round(datum.value, 3), datum.origin, datum.figure)


def _bagasse(name: str) -> Fill:
    return lambda place: make_up(place, name)[f"{name}_frac"]


def _bagasse_in(place: Place) -> Datum:
    datum = bagasse_weighed(place)
    return Datum(round(datum.value, 3), datum.origin, datum.figure)


def _has_feed(place: Place) -> bool:
    yard = place.line.yard
    return yard is not None and any(one.stream == place.stream.id for one in yard.feeds)


# ---- chips to the digester


def _chip_prep(data: Data) -> Sequence[Figure]:
    load = figure(
        "chip_wash_load_pct",
        "chip washer, of its limit",
        _pick(data, "bdt_per_h", "bulk_density_bd_kg_per_m3", "washer_limit_m3_per_h"),
        decimals=0,
    )
    need = figure(
        "chip_steaming",
        "steam the chips need",
        _pick(data, "t_in_c", "t_out_c", "moisture_wet_frac", "efficiency_frac"),
        result="steam_kg_per_bdt",
        decimals=0,
    )
    rate = figure(
        "steamed_rate",
        "chips the steam can heat",
        {
            "steam_t_per_h": data["steam_t_per_h"],
            "steam_kg_per_bdt": need.as_datum(),
        },
    )
    return [load, need, rate]


# ---- bagasse


def _depith(data: Data) -> Sequence[Figure]:
    """The stages that take something out, in order: what each passes on, what leaves, fibre to pith."""
    feed = _pick(data, "feed_bdt", "fibre_frac", "pith_frac", "solubles_frac", "dirt_frac")
    made: list[Figure] = []
    for stage in STAGES:
        if data[f"pith_removal_frac__{stage}"].value > 0:
            made.append(figure("depith_stage", f"after the {stage} stage", {**feed, **_stage(data, stage)}, decimals=2))
            feed = _accepts(made[-1], stage)
    if not made:
        message = "no stage takes out any pith; give at least one stage a share"
        raise DomainError("E_RANGE", "pith_removal_frac__moist", message, "more than 0 in one stage")
    last = made[-1]
    return [
        last.other("fibre_to_pith_ratio", "fibre to pith into the cook", 1),
        last.other("fibre_bdt", "useful fibre", 2),
        last.other("pith_bdt", "pith left", 2),
        *made,
        *(one.other("rejects_bdt", f"leaves {one.label.removeprefix('after ')}", 2) for one in made),
    ]


def _accepts(made: Figure, stage: str) -> dict[str, Datum]:
    """Return what one stage passes on as the feed of the next."""
    words, results = Origin("computed", f"accepts of the {stage} stage"), made.results
    parts = {
        f"{name}_frac": Datum(results[f"{name}_bdt"] / results["accepts_bdt"], words, made)
        for name in ("fibre", "pith", "solubles", "dirt")
    }
    return {"feed_bdt": made.as_datum(), **parts}


def _stage(data: Data, stage: str) -> dict[str, Datum]:
    fixed = zip(("fibre_loss_frac", "solubles_removal_frac", "dirt_removal_frac"), STAGES[stage][1:], strict=True)
    origin = Origin("assumed", f"{stage} stage, until the mill has its own")
    return {
        "pith_removal_frac": data[f"pith_removal_frac__{stage}"],
        **{name: Datum(value, origin) for name, value in fixed},
    }


def _say_depith(ratio: Figure) -> str:
    verdict = "enough" if ratio.value >= 6 else "short of the 6 the cook wants"
    return f"Fibre to pith {ratio.text} into the cook: {verdict}."


YARD_PANELS: Final[tuple[Panel, ...]] = (
    Panel(
        "debark",
        "Debarking, drum to boiler",
        "drum_residence",
        {
            "throughput_m3_solid_per_h": ("Logs fed, solid on bark", _drum_feed),
            "drum_volume_m3": ("Drum volume", given("drum_volume_m3")),
            "fill_frac": ("Filling", given("fill_frac")),
            "log_solid_frac": ("Solid share of the charge", given("log_solid_frac")),
            "bark_in_frac": ("Bark on the logs", bark_on_logs),
            "bark_pct": ("Bark allowed", bark_target),
            "rate_per_min": ("Debarking rate", given("rate_per_min")),
            "bdt_per_h": ("Bark to the boiler", _bark_out),
            "moisture_wet_frac": ("Its moisture", given("bark_moisture_frac")),
        },
        lambda time: f"Logs stay {time.text} min in the drum.",
        work=_debark,
        tell=_tell_debark,
        args_of={
            "bark_in_frac": "residual_bark_fraction",
            "rate_per_min": "residual_bark_fraction",
            "bark_pct": "fines_alkali",
            "bdt_per_h": "chip_wash_load_pct",
            "moisture_wet_frac": "net_heat_as_fired",
        },
        note="Rates to begin with: 0.10 a minute thawed softwood, 0.05 frozen, 0.06 stored dry. Fit yours with marked logs.",
        at=("debarking_drum",),
    ),
    Panel(
        "chip_prep",
        "Chip wash and steaming",
        "chip_steaming",
        {
            "bdt_per_h": ("Chips fed", flow()),
            "bulk_density_bd_kg_per_m3": ("Bulk density, bone-dry", feed("bulk_bd_kg_per_m3")),
            "washer_limit_m3_per_h": ("Washer's limit, loose", feed("washer_limit_m3_per_h")),
            "t_in_c": ("Chips come at", feed("comes_at_c")),
            "t_out_c": ("Chips leave at", target("temperature")),
            "moisture_wet_frac": ("Chip moisture", percent("moisture")),
            "efficiency_frac": ("Steam that stays", assumed(0.85, "vent and shell take the rest")),
            "steam_t_per_h": ("Steam there is", feed("steam_t_per_h")),
        },
        lambda load: f"The washer runs at {load.text} % of its limit.",
        work=_chip_prep,
        args_of={
            "bdt_per_h": "chip_wash_load_pct",
            "bulk_density_bd_kg_per_m3": "chip_wash_load_pct",
            "washer_limit_m3_per_h": "chip_wash_load_pct",
            "steam_t_per_h": "steamed_rate",
        },
        note="Long and atmospheric, or short and pressurised: here 15 min or more near 100 °C, since long enough drives out"
        " more air than hot enough.",
        at=("chip_screen",),
        where=_has_feed,
    ),
    Panel(
        "depith",
        "Depithing, stage by stage",
        "depith_stage",
        {
            "feed_bdt": ("Bagasse, an hour's, sugar in it", _bagasse_in),
            "fibre_frac": ("Fibre", _bagasse("fibre")),
            "pith_frac": ("Pith", _bagasse("pith")),
            "solubles_frac": ("Solubles", _bagasse("solubles")),
            "dirt_frac": ("Dirt", _bagasse("dirt")),
            "pith_removal_frac__dry": ("Pith taken out, dry stage", assumed(0.0, "not run")),
            "pith_removal_frac__moist": ("Pith taken out, moist stage", assumed(STAGES["moist"][0], "as usual")),
            "pith_removal_frac__wet": ("Pith taken out, wet stage", assumed(STAGES["wet"][0], "as usual")),
        },
        _say_depith,
        work=_depith,
        note="All at the sugar house leaves the pith there as fuel; all wet at the mill gives cleaner fibre. Here both, moist"
        " then wet, since each takes a different pith; 0 leaves a stage out, a dry one takes about 0.40.",
        at=("depither",),
    ),
    Panel(
        "pith_target",
        "Pith to take out for a ratio",
        "pith_removal_for_ratio",
        {
            "fibre_frac": ("Fibre", _bagasse("fibre")),
            "pith_frac": ("Pith", _bagasse("pith")),
            "fibre_loss_frac": ("Fibre lost with it", assumed(STAGES["moist"][1], "moist stage as usual")),
            "target_ratio": ("Fibre to pith wanted", assumed(5.0, "after a moist stage")),
        },
        lambda size: f"Take out {100 * size.value:.0f} % of the pith.",
        decimals=3,
        at=("depither",),
    ),
    Panel(
        "dirt_wash",
        "Dirt washed out of the bagasse",
        "dirt_removal",
        {
            "ash_in_frac": ("Ash in the feed", _bagasse("dirt")),
            "bd_in_t": ("Bone-dry in", _bagasse_in),
            "ash_out_frac": ("Ash after the wash", percent("ash")),
            "bd_out_t": ("Bone-dry out", flow()),
        },
        lambda size: f"The wash takes out {100 * size.value:.0f} % of the dirt.",
        decimals=3,
        at=("depither",),
    ),
    Panel(
        "cane_store",
        "Wet bulk storage",
        "wet_bulk_storage",
        {
            "bdt": ("Bagasse stored", assumed(3400, "the pile as it is")),
            "moisture_in_frac": ("Moisture as it comes", assumed(0.50, "mill-run bagasse")),
            "moisture_pile_frac": ("Moisture of the pile", assumed(0.78, "kept wet")),
            "storage_month": ("Months stored", assumed(4, "the off-season")),
        },
        lambda size: (
            f"It takes {size.value:.0f} m³ of room; {size.results['left_bdt']:.0f} BDt is left at the end and"
            f" {size.results['water_m3']:.0f} m³ of water goes in."
        ),
        note="Wet bulk or bales: wet bulk loses less, stays brighter and raises no dust, if its water can be treated.",
        at=("pile:bagasse",),
    ),
    Panel(
        "meter",
        "Chip meter put right",
        "metered_production",
        {
            "metered_bdt_per_h": ("Meter shows", flow()),
            "bulk_density_now_kg_per_m3": ("Bulk density weighed, bone-dry", feed("bulk_bd_kg_per_m3")),
            "bulk_density_set_kg_per_m3": ("Bulk density it is set for", feed("bulk_bd_kg_per_m3")),
        },
        lambda size: f"Book {size.text} BDt/h, and the alkali with it in the same minute.",
        decimals=2,
        at=("chip_screen",),
        where=_has_feed,
    ),
    Panel(
        "wet_chips",
        "Charge when chips turn wetter",
        "liquor_for_moisture",
        {
            "moisture_now_frac": ("Moisture now", percent("moisture")),
            "moisture_booked_frac": ("Moisture booked", recipe("chip_moisture_frac")),
        },
        lambda size: f"At constant chip weight multiply white liquor by {size.text}.",
        decimals=3,
        at=("chip_screen",),
    ),
)

SAMPLING: Final[tuple[Panel, ...]] = (
    Panel(
        "samples",
        "How many moisture samples",
        "samples_needed",
        {
            "std_dev_pct": ("Spread between samples, points", assumed(2.1, "a usual chip pile")),
            "allowed_error_pct": ("Error allowed, points", assumed(0.8, "a tenth of the charge")),
        },
        lambda size: f"Take {size.value:.0f} samples.",
        at=("station",),
    ),
)
