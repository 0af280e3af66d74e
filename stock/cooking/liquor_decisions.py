"""What to do about liquor off its band: strength, sulphidity, causticity, what is left of it after a cook, its tanks."""

from collections.abc import Iterable

from stock.cooking.kappa_decisions import COOKED, aim_limits, aim_lower, next_cooks, present_aim
from stock.cooking.place import charge_of, chips_of
from stock.cooking.relation import Relation
from stock.cooking.ways import WAYS
from stock.figure import Datum, Figure, Origin, figure
from stock.intake.place import is_bagasse, is_wood, of_recipe, share
from stock.judge.here import Here, given
from stock.judge.quiet import Quiet
from stock.judge.rule import Handle, Most, Rule, by_step

CAP_CHARGE_PCT = 1.0  # % NaOH on wood or bagasse, the most a first step moves a charge
BEFORE_SWITCH_MIN = 45.0  # at temperature: the bulk of the cook, before the kinetics' last phase


def _volume(here: Here) -> Figure:
    """Cooking liquor that carries the planned charge at the strength found."""
    return figure(
        "white_liquor_volume_m3",
        "cooking liquor",
        {
            "bd_wood_t": chips_of(here).as_datum(),
            "effective_alkali_pct_naoh_on_wood": charge_of(here),
            "effective_alkali_kg_per_m3_as_naoh": here.now,
        },
    )


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
            "effective_alkali_pct_naoh_on_wood": charge_of(here),
            "sulphidity_frac": Datum(sulphidity.value / 100, sulphidity.origin),
            "liquor_to_wood": of_recipe(here, "liquor_to_wood"),
            "species": Datum(recipe.wood, set_by),
            "bulk_ratio": Datum(alkali.bulk_ratio, set_by),
        }
        return figure("simulate_kraft", "kappa", data).value

    target = of_recipe(here, "kappa_target").value
    return aim_lower(here, Datum(target * (kappa(here.now) / kappa(here.wanted) - 1), here.now.origin))


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
    moved = Datum(charge_of(here).value + step.results["step_moved"], Origin("computed", "charge and its step"))
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
    chips = chips_of(here)
    if here.kinds & {"liquor:black"} or acid:
        ratio = of_recipe(here, "liquor_to_wood").value
        return Datum(0.4 * ratio * chips.value, Origin("computed", "about two fifths of the liquor of a cook"), chips)
    data = {
        "bd_wood_t": chips.as_datum(),
        "effective_alkali_pct_naoh_on_wood": charge_of(here),
        "effective_alkali_kg_per_m3_as_naoh": given(
            here.facts, here.recipe.alkaline, "liquor_kg_per_m3_as_naoh", f"recipe {here.recipe.name}"
        ),
    }
    return figure("white_liquor_volume_m3", "liquor of a cook", data).as_datum()


LIQUORS = ("liquor:white", "liquor:black", "liquor:caustic", "liquor:acid")
CHARGE = Handle(next_cooks, limits=charge_limits, also=with_its_h)

LIQUOR_ROWS: tuple[Rule, ...] = (
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
        handle=Handle(next_cooks, present=present_aim, limits=aim_limits),
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
        "residual_off",
        "residual",
        ("low", "high"),
        ("chips drier or wetter than booked", "white liquor strength", "bark or fines"),
        "Chip moisture and white liquor before the next charge.",
        _residual,
        by_step("the next charge", "% NaOH on wood"),
        at=COOKED,
        where=is_wood,
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

LIQUOR_QUIET: tuple[Quiet, ...] = (
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
)
