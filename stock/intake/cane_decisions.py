"""What to do about bagasse off its band: pith, dirt, the wet pile, the feed plug, what the cook makes of it."""

from stock.cooking.liquor_decisions import charge_limits
from stock.cooking.unit import BatchDigesters
from stock.figure import Datum, Figure, Origin, figure
from stock.intake.bagasse import STAGES
from stock.intake.pile_decisions import say_stretch, stretch
from stock.intake.place import is_bagasse, of_recipe, share
from stock.intake.unit import Bagasse, Depither
from stock.judge.here import Here, Place
from stock.judge.quiet import Quiet
from stock.judge.rule import Handle, Rule, by_step

PARTS = {"fibre": "fibre", "pith": "fines", "solubles": "organics", "dirt": "grit"}


def make_up(place: Place, *names: str) -> dict[str, Datum]:
    """Return what the bagasse is made of, as the methods take it."""
    source = place.up(Bagasse)
    origin = place.facts.set_origin(source.name)
    return {f"{name}_frac": Datum(source.share(PARTS[name]), origin) for name in names}


def _pith(here: Here) -> Figure:
    """Pith the moist stage must take out so that the wet stage, as it runs, lands on the target."""
    wet_pith, wet_fibre = STAGES["wet"][:2]
    target = here.at(here.up(Depither)).target("fibre_to_pith")
    between = Datum(
        target.value * (1 - wet_pith) / (1 - wet_fibre), Origin("computed", "target after the wet stage, before it")
    )
    return figure(
        "pith_removal_for_ratio",
        "pith to take out in the moist stage",
        {
            **make_up(here, "fibre", "pith"),
            "fibre_loss_frac": Datum(STAGES["moist"][1], Origin("assumed", "moist stage as usual")),
            "target_ratio": between,
        },
        decimals=3,
    )


def _say_pith(size: Figure, here: Here) -> str:
    usual = STAGES["moist"][0]
    if size.value <= usual + 0.01:
        return (
            f"The moist stage's usual {100 * usual:.0f} % of the pith would do: see that it takes it, and the wet stage"
            f" its {100 * STAGES['wet'][0]:.0f} %, before anything is set higher"
        )
    if size.value > MOST_PITH_FRAC:
        return (
            f"It would take {100 * size.value:.0f} % of the pith in the moist stage, which no plate does:"
            f" cut the feed, and mend the wet stage first"
        )
    return f"Take out {100 * size.value:.0f} % of the pith in the moist stage, in place of {100 * usual:.0f} %"


MOST_PITH_FRAC = 0.70  # of the pith, the most a moist stage takes out


def _charge(here: Here) -> Figure:
    data = {
        "residual_kg_per_m3_as_naoh": here.now,
        "residual_wanted_kg_per_m3_as_naoh": here.wanted,
        "liquor_to_wood": of_recipe(here, "liquor_to_wood"),
    }
    return figure("alkali_correction_pct", "soda charge", data, decimals=1, unit=here.recipe.naoh_unit)


def bagasse_in(place: Place) -> Datum:
    """Return the flow of bagasse as it comes, bone-dry."""
    return place.flow(place.at(place.up(Bagasse)).stream.id)


def bagasse_weighed(place: Place) -> Datum:
    """Return the flow of bagasse as lots are weighed and dried: its sugar, which the water takes, is in it."""
    stream = place.at(place.up(Bagasse)).stream.id
    flow = place.flow(stream)
    weighed = place.facts.result.streams[stream].oven_dry_t_per_h
    return Datum(weighed, Origin("computed", f"{flow.origin.text}, its sugar in it"), flow.figure)


def _lost_pulp(here: Here) -> Figure:
    flow, cooked = bagasse_in(here), here.at(here.down(BatchDigesters))
    return figure(
        "pulp_lost_in_pith",
        "pulp that goes to the boiler",
        {
            "fibre_loss_now_frac": share(here.now),
            "fibre_loss_usual_frac": share(here.wanted),
            "bdt_per_d": Datum(24 * flow.value, flow.origin, flow.figure),
            **make_up(here, "fibre"),
            "yield_frac": cooked.given("yield_frac"),
        },
    )


def _wash_water(here: Here) -> Figure:
    data = {
        "water_m3_per_t": here.at(here.up(Depither)).given("wash_water_m3_per_t"),
        "bdt_per_h": bagasse_in(here),
    }
    return figure("bagasse_wash_water", "wash water", data, decimals=0)


def _wetting(here: Here) -> Figure:
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


def _say_wetting(size: Figure, here: Here) -> str:
    return f"Restart the pile liquor: {size.text} m³ for each BDt of the block, compact it, reclaim it first"


def _press(here: Here) -> Figure:
    data = {"solids_now_pct": here.now, "solids_wanted_pct": here.wanted}
    return figure("water_to_press", "water to press out", data, decimals=2)


def _say_press(size: Figure, here: Here) -> str:
    verb = "Press out" if size.value > 0 else "Add back"
    return f"{verb} {abs(size.value):.2f} t of water a BDt; the interlock, not you, closes the feed valve"


CANE_ROWS: tuple[Rule, ...] = (
    Rule(
        "cane_short",
        "stock",
        ("low",),
        ("barge late", "season at its end"),
        "What lies in the pile, by survey.",
        stretch,
        lambda size, here: say_stretch(size, here, "barge"),
        at=("bagasse",),
    ),
    Rule(
        "pith_high",
        "fibre_to_pith",
        ("low",),
        ("beater speed or plate holes", "wet stage short of power", "old, brittle bagasse"),
        "Screen the feed and both accepts.",
        _pith,
        _say_pith,
        at=("depither",),
    ),
    Rule(
        "cane_alkali",
        "residual",
        ("low",),
        ("pith or sugar high", "dirt", "rot in the pile"),
        "Fibre to pith by screening; pH of the pile.",
        _charge,
        by_step("the soda charge", "% NaOH on bagasse until depithing is cured"),
        at=("batch_digesters",),
        where=is_bagasse,
        handle=Handle(lambda here: "at the residual of the next two cooks", limits=charge_limits),
    ),
    Rule(
        "cane_slow",
        "freeness",
        ("low",),
        ("pith carried over", "overcooked"),
        "Fibre to pith and fines; cut H by 10 to 15 % where kappa is under target.",
        _pith,
        _say_pith,
        at=("washer",),
        where=is_bagasse,
    ),
    Rule(
        "fibre_in_pith",
        "fibre_in_pith",
        ("high",),
        ("beater speed", "screen plate worn"),
        "Fibre loss stage by stage.",
        _lost_pulp,
        lambda size, here: f"Change the screen plate: {size.text} ADt/d of pulp goes to the boiler",
        at=("depither",),
    ),
    Rule(
        "cane_dirty",
        "ash",
        ("high",),
        ("wash water low", "trap full", "mud from the yard"),
        "Ash in and out of the wash.",
        _wash_water,
        lambda size, here: f"Restore the wash to {size.text} m³/h, empty the trap",
        at=("depither",),
    ),
    Rule(
        "cane_pile_hot",
        "temperature",
        ("high",),
        ("dry pockets", "circulation stopped", "air let in"),
        "Probe and pH; look for brown.",
        _wetting,
        _say_wetting,
        at=("pile:bagasse",),
    ),
    Rule(
        "cane_pile_rot",
        "ph",
        ("high",),
        ("rot: dry pockets", "circulation stopped", "air let in"),
        "Probe and colour of the block.",
        _wetting,
        _say_wetting,
        at=("pile:bagasse",),
    ),
    Rule(
        "plug_off",
        "plug",
        ("low", "high"),
        ("feed too wet", "too little fibre", "pith"),
        "Plug power and moisture.",
        _press,
        _say_press,
        at=("batch_digesters",),
    ),
)

CANE_QUIET: tuple[Quiet, ...] = (
    Quiet(
        "fibre_to_pith",
        ("high",),
        "Cleaner fibre than asked: good for the cook, dear in fibre. Look at the fibre in the pith before the beater is slowed.",
        at=("depither",),
    ),
    Quiet(
        "fibre_in_pith",
        ("low",),
        "Little fibre is lost, which is well; see that the pith really goes: the fibre-to-pith ratio says.",
        at=("depither",),
    ),
    Quiet(
        "stock",
        ("high",),
        "More lies there than the season needs: take no more barges in before the pile's age and pH allow it.",
        at=("bagasse",),
    ),
    Quiet(
        "temperature",
        ("low",),
        "A cool pile keeps. If the probe stands in the open face it reads the air: set it deeper.",
        at=("pile:bagasse",),
    ),
    Quiet(
        "ph",
        ("low",),
        "Sour is how wet bulk storage keeps; below its band watch corrosion of the wash and the alkali it takes.",
        at=("pile:bagasse",),
    ),
)
