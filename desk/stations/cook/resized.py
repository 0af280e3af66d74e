"""Liquor for the chips that really went in: the sheet worked out again, and a charge far from what was planned."""

from collections.abc import Sequence
from dataclasses import replace

from desk.floor.models import Cook
from desk.stations.cook.amounts import Amounts
from desk.stations.cook.charged import charged
from desk.stations.cook.house import House, recipe_of
from desk.stations.cook.models import Step
from stock.cooking.charge import Sheet
from stock.cooking.recipe import Recipe
from stock.errors import DomainError
from stock.figure import Datum, Origin
from stock.units import convert

CHARGE_APART_PCT = 1.0  # % NaOH on wood: so far from the plan a charge is asked about
AS_NA2O = 0.06  # so near to the usual strength once turned into NaOH, it was meant so
WOOD_APART_FRAC = 0.01  # so little more or less wood is the scale's error


def resized(house: House, cook: Cook) -> Sheet | None:
    """Return the sheet of a cook worked out for the chips that were weighed in; None where nothing was planned or weighed."""
    planned, recipe = house.news.charges.get(cook.number), recipe_of(house.state, cook)
    chips = house.step(cook, "chips")
    if planned is None or chips is None or not chips.amounts.green_t:
        return None
    sheet = Origin("set", f"charge sheet of cook {cook.number}, by {planned.by}")
    digester = house.part.digester(planned.digester)
    got = charged(cook, recipe, digester, planned, [chips])
    given = {name: Datum(value, sheet) for name, value in planned.given.items()}
    given |= {"bd_wood_t": got["wood"], "moisture_wet_frac": got["moisture"]}
    try:
        return house.sheet(recipe, digester, given)
    except DomainError:
        return None


def as_charged(house: House, cook: Cook, recipe: Recipe, steps: Sequence[Step]) -> Sheet | None:
    """Return the sheet of what went in, by the steps logged of it; None before its liquor, and where it cannot be worked out."""
    if not any(one.kind == "liquor" for one in steps):
        return None
    digester = house.part.digester(cook.digester)
    try:
        got = charged(cook, recipe, digester, house.news.charges.get(cook.number), steps)
    except DomainError:  # what was logged of it cannot be
        return None
    data = {
        "bd_wood_t": got["wood"],
        "moisture_wet_frac": got["moisture"],
        "liquor_to_wood": got["ratio"],
        "kappa_target_kappa": Datum(cook.kappa_target, Origin("set", f"cook {cook.number}")),
    }
    if not recipe.is_sulphite:
        data |= {"charge_pct_naoh_on_wood": got["charge"], "strength_kg_per_m3_as_naoh": got["strength"]}
    try:
        return house.sheet(recipe, digester, data)
    except DomainError:
        return None


def said_of(house: House, cook: Cook) -> str:
    """Say what the chips weighed changed of the sheet; '' where it holds."""
    planned, sheet = house.news.charges.get(cook.number), resized(house, cook)
    if planned is None or sheet is None:
        return ""
    wood = sheet.figures["green"].data["bd_wood_t"].value
    meant = planned.planned.get("chips") or planned.given.get("bd_wood_t")
    was, now = planned.planned.get("liquor"), sheet.value("liquor")
    if not meant or was is None or now is None or abs(wood / meant - 1) < WOOD_APART_FRAC:
        return ""
    return f"{wood:.2f} BDt of {recipe_of(house.state, cook).raw} went in, {meant:.2f} were planned: {now:.1f} m³ in place of {was:.1f}"


def charge_doubts(house: House, cook: Cook, kind: str, amounts: Amounts | None) -> tuple[str, ...]:
    """Return what speaks against an amount of liquor: a charge far from what was planned."""
    recipe, planned = recipe_of(house.state, cook), house.news.charges.get(cook.number)
    chips = house.step(cook, "chips")
    if kind != "liquor" or recipe.is_sulphite or planned is None or chips is None:
        return ()
    if amounts is None or not amounts.liquor_m3 or house.step(cook, "liquor") is not None:
        return ()
    poured = replace(chips, kind="liquor", amounts=amounts)
    digester = house.part.digester(planned.digester)
    try:
        got = charged(cook, recipe, digester, planned, [*house.steps(cook), poured])["charge"].value
    except DomainError:  # no amount that could be: refused by its own limits
        return ()
    meant = planned.given.get("charge_pct_naoh_on_wood", recipe.usual_charge_pct)
    if abs(got - meant) <= CHARGE_APART_PCT:
        return ()
    usual = recipe.alkali.liquor_kg_per_m3_as_naoh
    strength = amounts.strength_kg_per_m3_as_naoh
    if strength is not None:
        as_naoh = convert(strength, "g/L Na2O", "g/L NaOH")
        if abs(as_naoh / usual - 1) < AS_NA2O:
            return (f"{strength:g} g/L looks like Na2O: as NaOH it is {as_naoh:.1f}",)
    return (f"that is {got:.1f} {recipe.naoh_unit}, planned {meant:.1f}",)
