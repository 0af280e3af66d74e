"""What the floor knows of liquors and chips better than the recipe does."""

from collections.abc import Mapping
from dataclasses import replace
from typing import TYPE_CHECKING

from desk.floor.models import Cook
from stock.cooking.recipe import Recipe, Tank
from stock.figure import Datum, Figure, Origin, figure
from stock.washing.unit import Washer

if TYPE_CHECKING:
    from desk.stations.cook.house import House


def known(house: "House", recipe: Recipe) -> dict[str, Datum]:
    """Return what the floor knows better than the recipe: chip moisture, liquor strength, residual of the fill."""
    found: dict[str, Datum] = {}
    readings = house.state.readings
    if recipe.is_sulphite:
        return found
    moisture = house.state.line.stream(recipe.stream).tag_of("moisture")
    if moisture is not None and moisture in readings:
        datum = house.state.reading(moisture)
        found["moisture_wet_frac"] = Datum(datum.value / 100, datum.origin)
    if recipe.practice.has_sulphide:
        found |= house.white
    tank = house.part.tank(recipe.practice.tank)
    if tank is not None and tank.strength in readings and "strength_kg_per_m3_as_naoh" not in found:
        found["strength_kg_per_m3_as_naoh"] = house.state.reading(tank.strength)
    filled = house.part.tank(recipe.practice.fill_tank) if recipe.practice.fill_tank else None
    if filled is not None and (strength := strength_of(house, filled)) is not None:
        found["fill_kg_per_m3_as_naoh"] = strength.as_datum()
    return found


def strength_of(house: "House", tank: Tank) -> Figure | None:
    """Return the strength of a tank: as titrated; of spent liquor known by the cooks' residual, what washing leaves of it."""
    reading = house.state.readings.get(tank.strength or "")
    if reading is None:
        return None
    recipe = next((one for one in house.part.recipes if one.residual_tag == reading.tag.id), None)
    graph = house.state.line.graph
    washer = graph.nearest(recipe.unit, Washer) if recipe is not None and recipe.unit in graph.units else None
    if tank.liquor != "black" or recipe is None or washer is None:
        return reading.as_figure()
    set_by = house.state.set_origin(f"recipe {recipe.name}")
    data = {
        "residual_kg_per_m3_as_naoh": reading.as_datum(),
        "liquor_to_wood": Datum(recipe.liquor_to_wood, set_by),
        "yield_frac": Datum(recipe.reference_yield_pct / 100, set_by),
        "dilution_factor_t_per_bdt": Datum(
            washer.wash.dilution_factor_t_per_bdt, house.state.set_origin(f"{washer.name}")
        ),
    }
    return replace(figure("weak_black", f"alkali of {tank.name.lower()}", data), key=f"strength:{tank.id}")


def fill_pct(house: "House", cook: Cook, recipe: Recipe, charged: Mapping[str, Datum]) -> Datum | None:
    """Return the alkali the fill of a cook brought, % NaOH on wood; None where it was not logged, or its strength is not known."""
    filled = house.step(cook, "fill")
    tank = house.part.tank(recipe.practice.fill_tank) if recipe.practice.fill_tank else None
    strength = strength_of(house, tank) if tank is not None else None
    if filled is None or not filled.amounts.fill_m3 or strength is None or charged["charge"].value <= 0:
        return None
    data = {
        "charge_pct_naoh_on_wood": charged["charge"],
        "black_liquor_m3": Datum(filled.amounts.fill_m3, Origin("entered", f"fill logged by {filled.by}", filled.at)),
        "black_liquor_kg_per_m3_as_naoh": strength.as_datum(),
        "bd_wood_t": charged["wood"],
    }
    met = figure("charge_with_black_liquor", f"charge the {recipe.fibre} meets", data, decimals=2)
    return Datum(met.value - charged["charge"].value, Origin("computed", "what the fill brings"), met)
