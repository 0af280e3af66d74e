"""What to do about a water tank whose liquor is off its band."""

from stock.delivery.unit import Effluent
from stock.figure import Datum, Figure, Origin, figure
from stock.judge.here import Here
from stock.judge.quiet import Quiet
from stock.judge.rule import Rule

MOST_MORE_FRAC = 0.25  # of what leaves, the most a first step of bleed


def _leaves(here: Here) -> Datum:
    """Return what leaves the line's water for the sewer, m3/h."""
    streams, line = here.facts.result.streams, here.line
    drains = [unit.id for unit in line.units if isinstance(unit, Effluent)]
    found = sum(streams[one.id].total_t_per_h for drain in drains for one in line.graph.into(drain))
    if found <= 0:
        raise LookupError(here.unit.id)
    return Datum(round(found, 2), Origin("computed", "whole-line balance, all that goes to the sewer"))


def _makeup(here: Here) -> Datum:
    named = {one.name: one for one in here.line.water.loop}
    found = named.get(here.tag.reads.replace("_", " "))
    return Datum(0.0 if found is None else found.makeup_kg_per_m3, here.facts.set_origin("water"))


def _more(here: Here) -> Figure:
    return figure(
        "more_bleed", "more bleed",
        {
            "leaves_m3_per_h": _leaves(here), "now_kg_per_m3": here.now, "target_kg_per_m3": here.wanted,
            "makeup_conc_kg_per_m3": _makeup(here),
        },
        decimals=1,
    )  # fmt: skip


def _say(size: Figure, here: Here) -> str:
    leaves = float(_leaves(here).value)
    first = min(abs(size.value), MOST_MORE_FRAC * leaves)
    volume = here.line.water.loop_volume_m3
    when = f"look again after {volume / leaves:.0f} h" if volume else "look again when the loop has turned over once"
    if size.value > 0:
        return f"Open the bleed {first:.1f} m³/h first, of {size.value:.1f}; {when}"
    return f"The bleed could close by {first:.1f} m³/h, as fresh water saved; {when}"


def _has_drain(here: Here) -> bool:
    try:
        return float(_leaves(here).value) > 0
    except LookupError:
        return False


def _goes_on(here: Here) -> Figure:
    """Fibre that goes on over what should, by what the save-all is fed."""
    streams = here.facts.result.streams
    fed = sum(streams[one.id].bdt_per_h for one in here.line.graph.into(here.unit.id))
    said = Origin("computed", "whole-line balance, all that runs to it")
    data = {"fed_bdt_per_h": Datum(round(fed, 4), said), "recovery_pct": here.now, "wanted_pct": here.wanted}
    return figure("saveall_lost", "fibre that goes on", data, decimals=0)


def _say_goes_on(size: Figure, here: Here) -> str:
    day = 24 * size.value / 1000
    return (
        f"{size.text} kg/h more fibre goes on than should, {day:.1f} t a day: the mat first, its sweetener and speed; then"
        " retention on the wire, which cuts what comes and what goes"
    )


def _bled(point: str, causes: tuple[str, ...], check: str) -> Rule:
    """Return the row of something that builds up: too much of it is bled off, too little is water wasted."""
    sides = ("high", "low")
    return Rule(f"{point}_builds_up", point, sides, causes, check, _more, _say, at=("water_tank",), where=_has_drain)


ROWS: tuple[Rule, ...] = (
    Rule(
        "fibre_to_drain",
        "recovery",
        ("low",),
        (
            "mat broken or too thin",
            "sweetener fibre short",
            "white water that goes round it",
            "retention on the wire lost",
        ),
        "The filtrate by eye and by a pad; the mat round the disc or drum; what overflows ahead of it.",
        _goes_on,
        _say_goes_on,
        at=("save_all",),
    ),
    _bled(
        "chloride",
        (
            "filtrate of a dioxide stage taken back",
            "salt in the wood, in lots or in fresh water",
            "bleed closed too far",
        ),
        "What binds on the Water page. Acid dioxide filtrate stays out of the recovery; steel and evaporators feel chloride first.",
    ),
    _bled(
        "potassium",
        ("bagasse or bark", "ash of the recovery not purged", "bleed closed too far"),
        "What binds on the Water page; a purge of recovery ash takes more of it than any bleed.",
    ),
    _bled(
        "calcium",
        ("acid and alkaline water meet", "filler of recovered lots dissolves at a low pH", "hard fresh water"),
        "Hardness and pH each side of the mixing point: oxalate scale from pH 3 to 8, carbonate above 8. Keep acid and alkaline loops apart first.",
    ),
    Rule(
        "loop_dirty",
        "oxygen_demand",
        ("high", "low"),
        ("poor washing upstream", "dirtier furnish or more load", "bleed shut or closed too far"),
        "Predicted against measured: what the loop settles at on the Water page. Cause upstream first; the permit's figure before any bleed.",
        _more,
        _say,
        at=("water_tank",),
        where=_has_drain,
    ),
)

QUIET: tuple[Quiet, ...] = (
    *(
        Quiet(
            point,
            ("high", "low"),
            "Nothing leaves this line for a sewer, so no bleed to size: what comes in with pulp, lots and fresh water.",
            at=("water_tank",),
        )
        for point in ("chloride", "potassium", "calcium")
    ),
    Quiet("recovery", ("high",), "It wins back more than it is asked: nothing to move for it.", at=("save_all",)),
    Quiet(
        "gas",
        ("high",),
        "Air: returns that fall free, soap, fermentation, a low level, in this order. Submerge each return 0.3 to 0.5 m below the lowest level; downward in the tank slower than 0.03 m/s; defoamer last.",
        at=("water_tank",),
    ),
    Quiet("gas", ("low",), "Less air than usual: nothing to move for it.", at=("water_tank",)),
    Quiet(
        "redox",
        ("low",),
        "No oxygen left, and slime makes gas that kills: gas monitor, never the nose; no acid into it, no hot work, nobody in. Dead legs and a stay above 2 to 4 h first; boil-out and purge; biocide under licence.",
        at=("water_tank",),
    ),
    Quiet(
        "redox",
        ("high",),
        "An oxidant is left in: dioxide, peroxide or biocide. Which stream brings it; none before a reducing stage.",
        at=("water_tank",),
    ),
    Quiet(
        "conductivity",
        ("high",),
        "Salt builds up: less bleed, more load or poor washing upstream, in this order; what binds is worked out on the Water page. Keep acid and alkaline loops apart.",
        at=("water_tank",),
    ),
    Quiet(
        "conductivity",
        ("low",),
        "Thinner than it was: a make-up valve that passes, seal water or a hose left on. Look for fresh water and an overflow at the same time, at night.",
        at=("water_tank",),
    ),
    Quiet(
        "ph",
        ("high", "low"),
        "A swing drops calcium and stickies: which stream changed, each side of the mixing point. No acid into a tank that holds sulphide; the gas monitor judges.",
        at=("water_tank",),
    ),
    Quiet(
        "oxygen_demand",
        ("high", "low"),
        "Nothing leaves this line for a sewer, so no bleed to size: washing upstream, and what the loop is given.",
        at=("water_tank",),
    ),
)
