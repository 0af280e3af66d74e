"""What the rows of the cook ask of where they stand: the charge of the recipe, and the chips a digester takes."""

from stock.figure import Datum, Figure, figure
from stock.intake.place import of_recipe
from stock.judge.here import Place, given

PACKING = ("basic_density_kg_per_m3", "solid_volume_factor", "packing_gain_frac")


def charge_of(place: Place) -> Datum:
    """Return the alkali charge of the recipe cooked there."""
    recipe = place.recipe
    return given(place.facts, recipe.alkaline, "charge_pct_naoh_on_wood", f"recipe {recipe.name}")


def chips_of(place: Place) -> Figure:
    """Bone-dry chips a digester of the recipe holds."""
    digester = place.line.cook.holding(place.recipe)
    data = {name: of_recipe(place, name) for name in PACKING}
    data["digester_volume_m3"] = given(place.facts, digester, "volume_m3", digester.name)
    return figure("digester_chip_charge_bdt", "bone-dry chips", data, decimals=2)
