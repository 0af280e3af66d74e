"""What to do about liquor off its band, and about pulp that comes off its kappa."""

from stock.cooking.relation import Relation
from stock.cooking.ways import WAYS
from stock.figure import Datum, Figure, Origin, figure
from stock.intake.decisions import is_bagasse, of_recipe
from stock.judge.here import Here, Place, given
from stock.judge.rule import Rule, by_step

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
    """End point of the next cook, its kappa aimed lower by what the last came out high."""
    recipe = here.recipe
    target = of_recipe(here, "kappa_target")
    wanted = Datum(target.value - by.value, Origin("computed", f"target {target.value:g} less {by.value:+.1f}"))
    charge = Datum(0.0, target.origin) if recipe.is_sulphite else _charge(here)
    return WAYS[recipe.school].aim(recipe, Relation.of(recipe), charge, wanted)


def _kappa(here: Here) -> Figure:
    return _aim_lower(here, Datum(here.now.value - here.wanted.value, here.now.origin))


def _say_kappa(size: Figure, here: Here) -> str:
    letter = WAYS[here.recipe.school].letter
    if not here.recipe.is_sulphite and not here.recipe.practice.has_sulphide:
        return f"Blow the next soda cook at {letter} {size.text}"
    return f"Blow the next at {letter} {size.text}, one change at a time"


def _sulphidity(here: Here) -> Figure:
    """H-factor that makes up for what sulphidity moves kappa, by the kinetics: about a quarter of a kappa a point."""
    recipe = here.recipe
    alkali = recipe.alkali

    def kappa(sulphidity: Datum) -> float:
        set_by = Origin("set", f"recipe {recipe.name}")
        rise = recipe.ramp_min
        data = {
            "times_min": Datum([0.0, rise, rise + 75.0], Origin("set", "the recipe's rise and 75 min at temperature")),
            "temperatures_c": Datum([max(recipe.start_c, 60.0), recipe.cook_c, recipe.cook_c], set_by),
            "effective_alkali_pct_naoh_on_wood": _charge(here),
            "sulphidity_frac": Datum(sulphidity.value / 100, sulphidity.origin),
            "liquor_to_wood": of_recipe(here, "liquor_to_wood"),
            "species": Datum(recipe.wood, set_by),
            "bulk_ratio": Datum(alkali.bulk_ratio, set_by),
        }
        return figure("simulate_kraft", "kappa", data).value

    return _aim_lower(here, Datum(kappa(here.now) - kappa(here.wanted), here.now.origin))


def _say_sulphidity(size: Figure, here: Here) -> str:
    mend = "add a sulphur source" if here.side == "low" else "make up with caustic"
    return f"Blow at H {size.text} meanwhile; {mend}"


def _causticity(here: Here) -> Figure:
    """Effective alkali the liquor would have at the causticity wanted, the total unchanged."""
    strength = here.reading("strength")
    worth = strength.value * here.wanted.value / here.now.value
    return figure(
        "mixed_liquor",
        "effective alkali at the causticity wanted",
        {
            "volumes_m3": Datum([1.0], Origin("assumed", "a cubic metre")),
            "each_kg_per_m3_as_naoh": Datum([worth], strength.origin),
        },
    )


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
    return figure("alkali_correction_pct", "alkali charge", data)


def _wood(here: Here) -> bool:
    return not is_bagasse(here)


COOKED = ("batch_digesters",)

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
    ),
)
