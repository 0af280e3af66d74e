"""What goes with a step of a cook: the numbers it has, what they may be, how they are said."""

from collections.abc import Sequence
from dataclasses import asdict, dataclass, fields
from typing import TYPE_CHECKING, Any, Final, cast

from stock.cooking.charge import refuse_overfull
from stock.cooking.recipe import Digester, Recipe
from stock.errors import DomainError
from stock.material import refuse_moisture
from stock.units import readable
from stock.working import Arg, find_method

if TYPE_CHECKING:
    from desk.stations.cook.models import Step
    from desk.stations.cook.news import Done

WORDS: Final = {
    "chips": "chips in",
    "liquor": "cooking liquor in",
    "fill": "filled to the ratio",
    "steam": "steam on",
    "sample": "liquor sampled",
    "relief": "relief begun",
    "blow": "blown",
    "empty": "found empty",
    "note": "corrected",
}
MOST_SULPHIDITY_PCT: Final = 100 * cast("Arg", find_method("simulate_kraft").arguments["sulphidity_frac"]).high
MOST_STRENGTH_KG_PER_M3: Final = 800.0
MOST_RESIDUAL_KG_PER_M3: Final = 100.0
MOST_TOTAL_SO2_PCT, MOST_COMBINED_SO2_PCT = 15.0, 6.0


@dataclass(frozen=True, slots=True)
class Amounts:
    """The numbers of a step, each under the name it has on forms, in the table and in files; most steps have none."""

    green_t: float | None = None
    moisture_pct: float | None = None
    liquor_m3: float | None = None
    strength_kg_per_m3_as_naoh: float | None = None
    sulphidity_pct: float | None = None
    total_so2_pct: float | None = None
    combined_so2_pct: float | None = None
    fill_m3: float | None = None
    residual_kg_per_m3_as_naoh: float | None = None

    @classmethod
    def of(cls, row: "Step") -> "Amounts":
        """Return the amounts of a step as kept."""
        return cls(**{name: getattr(row, name) for name in NAMES})

    @property
    def poured_m3(self) -> float:
        """What a liquor or a fill adds to a digester."""
        return (self.liquor_m3 or 0.0) + (self.fill_m3 or 0.0)

    def columns(self) -> dict[str, Any]:
        """Return the numbers by their columns."""
        return asdict(self)


NAMES: Final = tuple(field.name for field in fields(Amounts))
MEANS: Final = {
    "green_t": "green chips, t",
    "moisture_pct": "moisture of the chips, % of the green mass",
    "liquor_m3": "cooking liquor, m³",
    "strength_kg_per_m3_as_naoh": "its effective alkali, g/L NaOH",
    "sulphidity_pct": "its sulphidity, %",
    "total_so2_pct": "total SO2 of the acid, %",
    "combined_so2_pct": "combined SO2 of the acid, %",
    "fill_m3": "fill, m³",
    "residual_kg_per_m3_as_naoh": "residual alkali found, g/L NaOH",
}


def names_of(recipe: Recipe, kind: str) -> tuple[str, ...]:
    """Return which numbers a step may have; a liquor's depend on the school of cooking."""
    if kind == "liquor" and recipe.is_sulphite:
        return ("liquor_m3", "total_so2_pct", "combined_so2_pct")
    if kind == "liquor":
        own = ("liquor_m3", "strength_kg_per_m3_as_naoh")
        return (*own, "sulphidity_pct") if recipe.practice.has_sulphide else own
    return {
        "chips": ("green_t", "moisture_pct"),
        "fill": ("fill_m3",),
        "sample": ("residual_kg_per_m3_as_naoh",),
    }.get(kind, ())


def refuse_amounts(
    recipe: Recipe, digester: Digester, kind: str, amounts: Amounts, before: Sequence["Step | Done"]
) -> None:
    """Refuse a number that is missing, cannot be, does not fit, or has no place at this step.

    Raises
    ------
    DomainError
        It names the number by its column.
    """
    own = names_of(recipe, kind)
    if astray := [name for name in NAMES if getattr(amounts, name) is not None and name not in own]:
        raise DomainError("E_TYPE", astray[0], f"{MEANS[astray[0]]}: not of this step", ", ".join(own) or "no number")
    if kind == "chips":
        _refuse_volume("green_t", f"green tonnes of {recipe.raw}", amounts.green_t, digester)
        refuse_moisture("moisture_pct", recipe.moisture_name.lower(), amounts.moisture_pct)
    elif kind == "liquor":
        _refuse_volume("liquor_m3", "cubic metres", amounts.liquor_m3, digester)
        _refuse_liquor(recipe, amounts)
    elif kind == "fill":
        _refuse_volume("fill_m3", "cubic metres", amounts.fill_m3, digester, may_be_nought=True)
    elif kind == "sample":
        _refuse_outside(
            "residual_kg_per_m3_as_naoh", "residual alkali", amounts.residual_kg_per_m3_as_naoh,
            MOST_RESIDUAL_KG_PER_M3, "g/L NaOH", may_be_nought=True,
        )  # fmt: skip
    if kind in ("liquor", "fill"):
        chips = next((_amounts(one) for one in before if one.kind == "chips"), None)
        if chips is not None and chips.green_t:
            wet = recipe.chip_moisture_frac if chips.moisture_pct is None else chips.moisture_pct / 100
            inside = sum(_amounts(one).poured_m3 for one in before)
            refuse_overfull(
                digester, recipe, chips.green_t * (1 - wet), inside + amounts.poured_m3, wet, argument=own[0]
            )


def _amounts(step: "Step | Done") -> Amounts:
    found: Amounts = step.amounts
    return found


def _refuse_volume(
    name: str, noun: str, value: float | None, digester: Digester, *, may_be_nought: bool = False
) -> None:
    most = digester.volume_m3
    if value is None:
        raise DomainError("E_TYPE", name, f"{noun} are missing: give what went in", f"up to {most:g}")
    if not (0.0 if may_be_nought else 1e-6) <= value <= most:
        message = f"{noun}: {value:g} cannot be in digester {digester.number} of {most:g} m³"
        raise DomainError("E_RANGE", name, message, f"more than 0, up to {most:g}")


def _refuse_liquor(recipe: Recipe, amounts: Amounts) -> None:
    """Refuse a liquor that cannot be: its strength, its sulphidity, its sulphur dioxide."""
    if recipe.is_sulphite:
        total = amounts.total_so2_pct
        _refuse_outside("total_so2_pct", "total SO2", total, MOST_TOTAL_SO2_PCT, "%")
        most = min(recipe.acid.total_so2_pct if total is None else total, MOST_COMBINED_SO2_PCT)
        _refuse_outside("combined_so2_pct", "combined SO2", amounts.combined_so2_pct, most, "%")
        return
    strength = amounts.strength_kg_per_m3_as_naoh
    _refuse_outside(
        "strength_kg_per_m3_as_naoh", "the strength of the liquor", strength, MOST_STRENGTH_KG_PER_M3, "g/L NaOH"
    )
    if (sulphidity := amounts.sulphidity_pct) is not None and not 0 <= sulphidity <= MOST_SULPHIDITY_PCT:
        message = f"sulphidity is {sulphidity:g} %, outside 0 to {MOST_SULPHIDITY_PCT:g} %"
        raise DomainError("E_RANGE", "sulphidity_pct", message, f"0 to {MOST_SULPHIDITY_PCT:g} %")


def _refuse_outside(
    name: str, noun: str, value: float | None, most: float, unit: str, *, may_be_nought: bool = False
) -> None:
    if value is not None and not ((value >= 0 if may_be_nought else value > 0) and value <= most):
        message = f"{noun} is {value:g} {unit}, which cannot be"
        raise DomainError("E_RANGE", name, message, f"more than 0, up to {most:g} {unit}")


def step_words(recipe: Recipe, kind: str, amounts: Amounts, text: str = "") -> str:
    """Say a step in a line of the log."""
    said = text.strip()
    if kind == "chips" and amounts.green_t is not None:
        return f"{amount_text(amounts.green_t, 't')} of {recipe.raw} in, {amounts.moisture_pct or 0:.1f} % moisture"
    if kind == "liquor" and amounts.liquor_m3 is not None:
        of_it = (
            (amounts.strength_kg_per_m3_as_naoh, "g/L NaOH"), (amounts.sulphidity_pct, "% sulphidity"),
            (amounts.total_so2_pct, "% SO2"), (amounts.combined_so2_pct, "% combined"),
        )  # fmt: skip
        strength = "".join(f", {round(value, 1):g} {unit}" for value, unit in of_it if value is not None)
        return f"{amount_text(amounts.liquor_m3, 'm³')} {recipe.practice.liquor} in{strength}"
    if kind == "fill" and amounts.fill_m3 is not None:
        return f"{amount_text(amounts.fill_m3, 'm³')} {recipe.practice.fill or 'fill'} in"
    if kind == "sample" and amounts.residual_kg_per_m3_as_naoh is not None:
        return f"liquor sampled, residual {amounts.residual_kg_per_m3_as_naoh:.1f} g/L NaOH"
    if kind == "note":
        return said or WORDS[kind]
    return WORDS[kind] + (f": {said}" if said else "")


def amount_text(value: float, unit: str) -> str:
    """Write an amount so that a workshop's litres and a mill's cubic metres both read well."""
    number, shown = readable(value, unit)
    return f"{number:.1f} {shown}"
