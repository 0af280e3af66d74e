"""What a cook was charged with: by what was logged of it, else what the plant reported, else its sheet or recipe."""

from collections.abc import Sequence

from desk.floor.models import Cook
from desk.stations.cook.models import Step
from desk.stations.cook.news import Done, Planned
from stock.cooking.charge import usual
from stock.cooking.recipe import Digester, Recipe
from stock.figure import Datum, Origin, figure


def charged(
    cook: Cook, recipe: Recipe, digester: Digester, planned: Planned | None, steps: Sequence[Done | Step]
) -> dict[str, Datum]:
    """Return wood, moisture, charge, sulphidity, strength, liquor to wood and, of an acid, its SO2."""
    found = _asked(recipe, digester, planned)
    if cook.charge_pct_naoh_on_wood is not None:
        reported = Origin("entered", f"charge reported for cook {cook.number}", cook.started_at)
        found["charge"] = Datum(cook.charge_pct_naoh_on_wood, reported)
    chips = next((one for one in reversed(steps) if one.kind == "chips"), None)
    if chips is None or not chips.amounts.green_t:
        return found
    weighed = Origin("entered", f"chips logged by {chips.by}", chips.at)
    moisture_pct = chips.amounts.moisture_pct
    moisture = Datum(recipe.chip_moisture_frac if moisture_pct is None else moisture_pct / 100, weighed)
    green = {"green_mass_t": Datum(chips.amounts.green_t, weighed), "moisture_wet_frac": moisture}
    found["wood"] = figure("bone_dry_mass_t", "bone-dry wood", green, decimals=2, unit="BDt").as_datum()
    found["moisture"] = moisture
    poured = [one for one in steps if one.amounts.poured_m3]
    if not any(one.kind == "liquor" for one in poured):
        return found
    return found | _poured(recipe, found, poured)


def _asked(recipe: Recipe, digester: Digester, planned: Planned | None) -> dict[str, Datum]:
    """Return what the sheet asked for, or the recipe where there is none."""
    data = usual(recipe, digester)
    if planned is not None:
        origin = Origin("set", f"charge sheet of cook {planned.number}, by {planned.by}")
        data |= {
            name: Datum(value, origin) for name, value in planned.given.items() if name in data or name == "bd_wood_t"
        }
    if "bd_wood_t" in data:
        wood = data["bd_wood_t"]
    else:
        names = ("digester_volume_m3", "basic_density_kg_per_m3", "solid_volume_factor", "packing_gain_frac")
        volume = {name: data[name] for name in names}
        wood = figure("digester_chip_charge_bdt", "bone-dry wood", volume, decimals=2).as_datum()
    nought = Datum(0.0, Origin("set", f"recipe {recipe.name}"))
    return {
        "wood": wood,
        "moisture": data["moisture_wet_frac"],
        "charge": data.get("charge_pct_naoh_on_wood", nought),
        "sulphidity": data.get("sulphidity_frac", nought),
        "strength": data.get("strength_kg_per_m3_as_naoh", nought),
        "ratio": data["liquor_to_wood"],
        "total": data.get("total_pct", nought),
    }


def _poured(recipe: Recipe, found: dict[str, Datum], poured: Sequence[Done | Step]) -> dict[str, Datum]:
    """Return charge, strength, sulphidity and ratio of what was pumped in."""
    liquors = [one for one in poured if one.kind == "liquor"]
    last = liquors[-1]
    said = Origin("entered", f"liquor logged by {last.by}", last.at)
    condensate = Datum(recipe.condensate_t_per_bdt, Origin("set", f"recipe {recipe.name}"))
    data = {
        "bd_wood_t": found["wood"],
        "liquor_m3": Datum(sum(one.amounts.poured_m3 for one in poured), said),
        "moisture_wet_frac": found["moisture"],
        "steam_condensate_t_per_bdt": condensate,
    }
    got = {"ratio": figure("liquor_ratio", "liquor to wood", data, decimals=2).as_datum()}
    if recipe.is_sulphite:
        return got
    volumes = [one.amounts.poured_m3 for one in liquors]
    usual_strength = found["strength"].value
    strengths = [usual_strength if (own := one.amounts.strength_kg_per_m3_as_naoh) is None else own for one in liquors]
    mixed = figure(
        "mixed_liquor",
        "strength of what was pumped",
        {"volumes_m3": Datum(volumes, said), "each_kg_per_m3_as_naoh": Datum(strengths, said)},
    ).as_datum()
    charge = {"liquor_m3": Datum(sum(volumes), said), "effective_kg_per_m3_as_naoh": mixed, "bd_wood_t": found["wood"]}
    got["charge"] = figure("charge_from_volume", "charge", charge, decimals=2).as_datum()
    got["strength"] = mixed
    if last.amounts.sulphidity_pct is not None:
        got["sulphidity"] = Datum(last.amounts.sulphidity_pct / 100, said)
    return got
