"""What to do about liquor off its band, and about pulp that comes off its kappa."""

from collections.abc import Iterable

from stock.cooking.recipe import Recipe
from stock.cooking.relation import Relation
from stock.cooking.ways import WAYS
from stock.figure import Datum, Figure, Origin, figure
from stock.intake.place import is_bagasse, of_recipe, share
from stock.judge.here import Here, Place, given
from stock.judge.quiet import Quiet
from stock.judge.rule import Handle, Most, Moved, Rule, by_step

LEAST_MOVED = 0.002  # of an end point: less is the same
CAP_OF_AIM = 0.10  # of the present end point, the most a first step moves it
CAP_CHARGE_PCT = 1.0  # % NaOH on wood or bagasse, the most a first step moves a charge
FIND_CAUSE_KAPPA = 3.0  # so far off, something is wrong that no end point mends
BEFORE_SWITCH_MIN = 45.0  # at temperature: the bulk of the cook, before the kinetics' last phase

PACKING = ("basic_density_kg_per_m3", "solid_volume_factor", "packing_gain_frac")


def _charge(place: Place) -> Datum:
    recipe = place.recipe
    return given(place.facts, recipe.alkaline, "charge_pct_naoh_on_wood", f"recipe {recipe.name}")


def _chips(place: Place) -> Figure:
    """Bone-dry chips a digester of the recipe holds."""
    digester = place.line.cook.holding(place.recipe)
    data = {name: of_recipe(place, name) for name in PACKING}
    data["digester_volume_m3"] = given(place.facts, digester, "volume_m3", digester.name)
    return figure("digester_chip_charge_bdt", "bone-dry chips", data, decimals=2)


def _volume(here: Here) -> Figure:
    """Cooking liquor that carries the planned charge at the strength found."""
    return figure(
        "white_liquor_volume_m3",
        "cooking liquor",
        {
            "bd_wood_t": _chips(here).as_datum(),
            "effective_alkali_pct_naoh_on_wood": _charge(here),
            "effective_alkali_kg_per_m3_as_naoh": here.now,
        },
    )


def _aim_lower(here: Here, by: Datum) -> Figure:
    """End point of the next cook, its kappa aimed lower than now by what the last came out high."""
    recipe = here.recipe
    relation = _relation(here)
    aimed = kappa_aimed(recipe, relation, here.facts.stands(aim_point(recipe.unit)))
    wanted = Datum(aimed.value - by.value, Origin("computed", f"{aimed.origin.text} less {by.value:+.1f}"))
    charge = Datum(0.0, aimed.origin) if recipe.is_sulphite else _charge(here)
    return WAYS[recipe.school].aim(recipe, relation, charge, wanted)


def _relation(here: Here) -> Relation:
    return here.facts.fitted(here.recipe.id) or Relation.of(here.recipe)


def aim_point(unit_id: str) -> str:
    """Return the point the end point of a batch group is moved by: per cent of what its relation asks."""
    return f"aim:{unit_id}"


def kappa_aimed(recipe: Recipe, relation: Relation, stands: Datum | None) -> Datum:
    """Return the kappa a batch group is aimed at: what the end point it stands at gives at the usual charge, else its target.

    `stands` is where people moved it to, per cent of what the relation asks, so that it holds whichever relation is accepted.
    """
    target = Datum(recipe.kappa_target, Origin("set", f"target {recipe.kappa_target:g}"))
    if stands is None or recipe.is_sulphite:
        return target
    way = WAYS[recipe.school]
    charge = Datum(recipe.usual_charge_pct, Origin("set", f"recipe {recipe.name}"))
    moved = stands.value / 100
    if abs(moved - 1) < LEAST_MOVED:
        return target
    usual = way.aim(recipe, relation, charge, target)
    at = Datum(
        moved * usual.value, Origin("set", f"{stands.value:.1f} % of {way.letter} {usual.text}", stands.origin.at)
    )
    shown = way.kappa(recipe, relation, at, charge)
    words = f"kappa {shown.value:.1f}, as {at.origin.text} gives at the usual charge; target {target.value:g}"
    return Datum(shown.value, Origin("set", words, stands.origin.at), shown)


def _aim_moved(here: Here) -> Moved | None:
    """Return the end point, where it goes by H."""
    if here.recipe.is_sulphite:
        return None
    recipe, relation = here.recipe, _relation(here)
    target = Datum(recipe.kappa_target, Origin("set", "target"))
    asks = WAYS[recipe.school].aim(recipe, relation, _charge(here), target).value
    stands = here.facts.stands(aim_point(recipe.unit))
    name = here.line.unit(recipe.unit).name
    words = f"end point, {name[:1].lower()}{name[1:]}, of what the relation asks"
    return Moved(aim_point(recipe.unit), words, "%", 100 / asks, 100.0 if stands is None else stands.value)


def _kappa(here: Here) -> Figure:
    return _aim_lower(here, Datum(here.now.value - here.wanted.value, here.now.origin))


def _present_aim(here: Here) -> Datum:
    """End point that is aimed at as it is."""
    return _aim_lower(here, Datum(0.0, Origin("computed", "as it is"))).as_datum()


def _aim_limits(here: Here, size: Figure) -> Iterable[Most]:
    aim = _present_aim(here).value
    letter = WAYS[here.recipe.school].letter
    yield Most(CAP_OF_AIM * aim, f"a tenth of {letter} {aim:.{size.decimals}f} at most")


def _next_cooks(here: Here) -> str:
    return "at the kappa of the next two cooks; leave the charge alone meanwhile"


def _feeds_on(here: Here, step: Figure) -> str:
    count = here.results_count
    school = "each cook by itself" if here.tag.mean_of == 1 else f"the mean of the last {count}"
    if here.tag.mean_of > count == 1:
        school = f"one cook alone; the mill goes by {here.tag.mean_of}"
    return f"By {school}. Tell bleaching what is in the tank: kappa {here.now.value:.1f}"


def _say_kappa(size: Figure, here: Here) -> str:
    letter = WAYS[here.recipe.school].letter
    which = "cook"
    if not here.recipe.is_sulphite and not here.recipe.practice.has_sulphide:
        which = "soda cook"
    words = f"blow the next {which} at {letter} {size.text}"
    off = here.now.value - here.wanted.value
    if abs(off) > FIND_CAUSE_KAPPA:
        return f"Find the cause first: {off:+.1f} kappa is more than an end point mends; until then {words}"
    return words[:1].upper() + words[1:]


def _sulphidity(here: Here) -> Figure:
    """H-factor that makes up for what sulphidity moves kappa, by the kinetics: about a quarter of a kappa a point.

    The kinetics are asked in the bulk of the cook, where they answer; at their switch to the last
    phase they hardly do. What they say there in proportion is taken at the target.
    """
    recipe = here.recipe
    alkali = recipe.alkali

    def kappa(sulphidity: Datum) -> float:
        set_by = Origin("set", f"recipe {recipe.name}")
        rise = recipe.ramp_min
        data = {
            "times_min": Datum(
                [0.0, rise, rise + BEFORE_SWITCH_MIN],
                Origin("set", f"the recipe's rise and {BEFORE_SWITCH_MIN:g} min at temperature"),
            ),
            "temperatures_c": Datum([max(recipe.start_c, 60.0), recipe.cook_c, recipe.cook_c], set_by),
            "effective_alkali_pct_naoh_on_wood": _charge(here),
            "sulphidity_frac": Datum(sulphidity.value / 100, sulphidity.origin),
            "liquor_to_wood": of_recipe(here, "liquor_to_wood"),
            "species": Datum(recipe.wood, set_by),
            "bulk_ratio": Datum(alkali.bulk_ratio, set_by),
        }
        return figure("simulate_kraft", "kappa", data).value

    target = of_recipe(here, "kappa_target").value
    return _aim_lower(here, Datum(target * (kappa(here.now) / kappa(here.wanted) - 1), here.now.origin))


def _say_sulphidity(size: Figure, here: Here) -> str:
    mend = "add a sulphur source" if here.side == "low" else "make up with caustic"
    return f"Blow at H {size.text} meanwhile; {mend}, and titrate again before the next step"


def _causticity(here: Here) -> Figure:
    """Effective alkali the liquor would have at the causticity wanted, its sodium unchanged."""
    return figure(
        "alkali_at_causticity",
        "effective alkali at the causticity wanted",
        {
            "effective_kg_per_m3_as_naoh": here.reading("strength"),
            "sulphidity_frac": _sulphidity_of(here),
            "causticity_now_frac": share(here.now),
            "causticity_wanted_frac": share(here.wanted),
        },
    )


def _sulphidity_of(here: Here) -> Datum:
    """Return the sulphidity of a liquor as read, else as the recipe books it."""
    try:
        return share(here.reading("sulphidity"))
    except LookupError:
        recipe = here.recipe
        return given(here.facts, recipe.alkaline, "sulphidity_frac", f"recipe {recipe.name}")


def _rejects(here: Here) -> Figure:
    high = (here.now.value - here.wanted.value) / 100 * here.recipe.reference_yield_pct / 100
    data = {"bd_wood_t": _chips(here).as_datum(), "screened_yield_frac": Datum(max(high, 0.0), here.now.origin)}
    return figure("pulp_per_cook", "pulp lost a cook", data, decimals=2)


def _residual(here: Here) -> Figure:
    data = {
        "residual_kg_per_m3_as_naoh": here.now,
        "residual_wanted_kg_per_m3_as_naoh": here.wanted,
        "liquor_to_wood": of_recipe(here, "liquor_to_wood"),
    }
    return figure("alkali_correction_pct", "alkali charge", data, unit=here.recipe.naoh_unit)


def charge_limits(here: Here, size: Figure) -> Iterable[Most]:
    """Return how far a first step may move a charge."""
    yield Most(CAP_CHARGE_PCT, f"{CAP_CHARGE_PCT:g} % NaOH at most")


def with_its_h(here: Here, step: Figure) -> str:
    """Say the end point that goes with a moved charge, so that kappa stays."""
    recipe = here.recipe
    moved = Datum(_charge(here).value + step.results["step_moved"], Origin("computed", "charge and its step"))
    aim = WAYS[recipe.school].aim(recipe, Relation.of(recipe), moved, of_recipe(here, "kappa_target"))
    return f"With it blow at {WAYS[recipe.school].letter} {aim.text}, so that kappa stays"


def _level_charges(here: Here) -> Figure:
    """Charges that can still be drawn from a tank."""
    recipe = here.recipe
    data = {
        "level_pct": here.now,
        "low_pct": here.given("low_pct"),
        "volume_m3": here.given("volume_m3"),
        "charge_m3": _tank_charge(here, recipe.is_sulphite),
    }
    return figure("charges_left", "charges left", data)


def _tank_charge(here: Here, acid: bool) -> Datum:
    """Return what a cook takes of a tank: its own liquor, or the rest of its ratio."""
    chips = _chips(here)
    if here.kinds & {"liquor:black"} or acid:
        ratio = of_recipe(here, "liquor_to_wood").value
        return Datum(0.4 * ratio * chips.value, Origin("computed", "about two fifths of the liquor of a cook"), chips)
    data = {
        "bd_wood_t": chips.as_datum(),
        "effective_alkali_pct_naoh_on_wood": _charge(here),
        "effective_alkali_kg_per_m3_as_naoh": given(
            here.facts, here.recipe.alkaline, "liquor_kg_per_m3_as_naoh", f"recipe {here.recipe.name}"
        ),
    }
    return figure("white_liquor_volume_m3", "liquor of a cook", data).as_datum()


def _wood(here: Here) -> bool:
    return not is_bagasse(here)


COOKED = ("batch_digesters",)
LIQUORS = ("liquor:white", "liquor:black", "liquor:caustic", "liquor:acid")
KAPPA = Handle(_next_cooks, present=_present_aim, limits=_aim_limits, also=_feeds_on, moves=_aim_moved)
CHARGE = Handle(_next_cooks, limits=charge_limits, also=with_its_h)

ROWS: tuple[Rule, ...] = (
    Rule(
        "white_liquor_off",
        "strength",
        ("low", "high"),
        ("causticizing low", "wash water in it", "green liquor rich in carbonate"),
        "A/B/C in duplicate; causticity beside it.",
        _volume,
        lambda size, here: f"Charge {size.text} m³ a cook at this strength; tell recaust",
        at=("liquor:white",),
    ),
    Rule(
        "caustic_off",
        "strength",
        ("low", "high"),
        ("dilution water", "wrong strength bought", "meter"),
        "Titrate again from the tank's middle.",
        _volume,
        lambda size, here: f"Charge {size.text} m³ of caustic a cook at this strength",
        at=("liquor:caustic",),
    ),
    Rule(
        "sulphidity_off",
        "sulphidity",
        ("low", "high"),
        ("sulphur lost in gas and ash", "make-up all caustic", "spent acid or sulphate added"),
        "The mill's sulphur balance; the last make-up.",
        _sulphidity,
        _say_sulphidity,
        at=("liquor:white",),
        handle=Handle(_next_cooks, present=_present_aim, limits=_aim_limits),
    ),
    Rule(
        "causticity_low",
        "causticity",
        ("low",),
        ("lime short or slow to burn", "short time in the causticizers", "green liquor too strong"),
        "Lime to liquor ratio and temperature; carbonate in the white liquor.",
        _causticity,
        lambda size, here: f"Recaust to bring it up: worth {size.text} g/L of effective alkali at the target",
        at=("liquor:white",),
    ),
    Rule(
        "kappa_off",
        "kappa",
        ("low", "high"),
        ("charge off: wood drier or wetter than booked", "H short or over", "overthick chips or a cold corner"),
        "Charge sheet against the scale; residual; top and bottom of the last cook.",
        _kappa,
        _say_kappa,
        at=COOKED,
        where=_wood,
        handle=KAPPA,
    ),
    Rule(
        "kappa_cane_off",
        "kappa",
        ("low", "high"),
        ("pith or sugar in the cane", "H short or over", "weak caustic"),
        "Fibre to pith, caustic strength, the last cook's temperatures.",
        _kappa,
        _say_kappa,
        at=COOKED,
        where=is_bagasse,
        handle=KAPPA,
    ),
    Rule(
        "cook_rejects_high",
        "knots",
        ("high",),
        ("overthick chips", "steaming short, air left in", "dense knots"),
        "Chip classes; the steaming log.",
        _rejects,
        lambda size, here: f"Hold 15 min longer below 120 °C and mend the chips: {size.text} ADt are lost a cook",
        at=COOKED,
    ),
    Rule(
        "residual_off",
        "residual",
        ("low", "high"),
        ("chips drier or wetter than booked", "white liquor strength", "bark or fines"),
        "Chip moisture and white liquor before the next charge.",
        _residual,
        by_step("the next charge", "% NaOH on wood"),
        at=COOKED,
        where=_wood,
        handle=CHARGE,
    ),
    Rule(
        "residual_cane_high",
        "residual",
        ("high",),
        ("overcharged", "strength above what was booked", "little pith and sugar"),
        "Caustic strength; titrate the residual again in duplicate.",
        _residual,
        by_step("the soda charge", "% NaOH on bagasse"),
        at=COOKED,
        where=is_bagasse,
        handle=CHARGE,
    ),
    Rule(
        "liquor_low",
        "level",
        ("low",),
        ("make-up late", "charges bunched", "level false"),
        "Dip it; what is on its way, and into which tank.",
        _level_charges,
        lambda size, here: f"Make it up before the next fill: it holds {size.text} charges",
        at=LIQUORS,
    ),
    Rule(
        "liquor_high",
        "level",
        ("high",),
        ("make-up not cut after a stop", "wrong tank", "level false"),
        "Dip it; room for what is on its way.",
        _level_charges,
        lambda size, here: f"Cut the make-up: it holds {size.text} charges. Unload nothing into it",
        at=LIQUORS,
    ),
)

QUIET: tuple[Quiet, ...] = (
    Quiet(
        "temperature",
        ("high",),
        "Over the most its recipe allows: cut the steam, hold it against the lower thermometer, and count H anew; each degree makes it a twelfth faster. No hand valve on the vessel; the interlocks rule.",
        at=("digester",),
    ),
    Quiet(
        "bottom",
        ("high",),
        "Over the most its recipe allows at the bottom: steam on a screen or a dead circulation. Cut the steam, look at the pump, count H on the colder sensor.",
        at=("digester",),
    ),
    Quiet(
        "pressure",
        ("high",),
        "Over what its recipe is held under: stop the steam, relieve by its own relief, and stay clear of flanges and vents. The relief valve and the interlocks rule; a gauge that is off is found afterwards.",
        at=("digester",),
    ),
    Quiet(
        "causticity",
        ("high",),
        "High causticity asks for nothing at the digesters; at recaust it means much lime: mud that settles badly, and overliming above 84 to 86 %.",
        at=("liquor:white",),
    ),
    Quiet(
        "total_so2",
        ("low",),
        "Weak acid cooks slowly: titrate it again, then fortify it to its recipe before the next fill, the gas monitor on. A cook that has it goes by its gas pressure: its time at temperature times the normal pressure over its own.",
        at=("liquor:acid", "cooking_liquor"),
    ),
    Quiet(
        "total_so2",
        ("high",),
        "Strong acid gives off more gas: titrate it again, then bring it to its recipe with weaker acid before the next fill. A cook that has it reaches its relief sooner; the pressure rules, not the clock.",
        at=("liquor:acid", "cooking_liquor"),
    ),
    Quiet(
        "combined_so2",
        ("low",),
        "Too little base makes black and hard chips: fill nothing with it until it is back. A cook that has it soaks an hour and a half at least below its penetration limit, and is held 3 to 5 °C lower.",
        at=("liquor:acid", "cooking_liquor"),
    ),
    Quiet(
        "combined_so2",
        ("high",),
        "More base binds more of the gas: what is free is total less combined, and that is what cooks. Titrate both again, then fortify with gas rather than thin it.",
        at=("liquor:acid", "cooking_liquor"),
    ),
    Quiet(
        "knots",
        ("low",),
        "Few knots are no trouble by themselves: with a low kappa they mean overcooking, which the kappa card sizes.",
        at=COOKED,
    ),
)
