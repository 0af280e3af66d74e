"""The charge sheet of a cook: wood, alkali or acid, fill, room, heat and steam, end point; every number with its working."""

from collections.abc import Mapping
from dataclasses import dataclass
from typing import Final

from stock.cooking.alkali import charge_as_na2o
from stock.cooking.recipe import Digester, Recipe
from stock.cooking.relation import Relation
from stock.cooking.ways import WAYS
from stock.errors import DomainError
from stock.figure import Datum, Figure, Origin, figure

Data = Mapping[str, Datum]
STRENGTH: Final = {"kraft": "White liquor strength", "soda": "Caustic strength"}


@dataclass(frozen=True, slots=True)
class Sheet:
    """A charge sheet worked out: figures in the order they are needed, and what was warned of."""

    figures: Mapping[str, Figure]
    warnings: tuple[str, ...]

    def value(self, name: str) -> float | None:
        """Return a figure's number, None where the school has none."""
        found = self.figures.get(name)
        return None if found is None else found.value


def usual(recipe: Recipe, digester: Digester) -> dict[str, Datum]:
    """Return what the definition puts in where nobody says otherwise."""
    by_recipe = Origin("set", f"recipe {recipe.name}")
    found = {
        "basic_density_kg_per_m3": recipe.basic_density_kg_per_m3,
        "solid_volume_factor": recipe.solid_volume_factor,
        "packing_gain_frac": recipe.packing_gain_frac,
        "moisture_wet_frac": recipe.chip_moisture_frac,
        "liquor_to_wood": recipe.liquor_to_wood,
        "kappa_target_kappa": recipe.kappa_target,
    }
    if recipe.is_sulphite:
        found |= {"total_pct": recipe.acid.total_so2_pct, "combined_pct": recipe.acid.combined_so2_pct}
    else:
        found |= {
            "charge_pct_naoh_on_wood": recipe.alkali.charge_pct_naoh_on_wood,
            "sulphidity_frac": recipe.alkali.sulphidity_frac,
            "strength_kg_per_m3_as_naoh": recipe.alkali.liquor_kg_per_m3_as_naoh,
            "fill_kg_per_m3_as_naoh": 0.0,
        }
    data = {name: Datum(value, by_recipe) for name, value in found.items()}
    vessel = Origin("set", f"digester {digester.number}")
    data["digester_volume_m3"] = Datum(digester.volume_m3, vessel)
    data["steel_t"] = Datum(digester.steel_t, vessel)
    return data


def charge_sheet(recipe: Recipe, relation: Relation, data: Data) -> Sheet:
    """Work a charge out; `bd_wood_t` among the data stands for what packing would give.

    Raises
    ------
    DomainError
        Naming the figure at fault: chips that do not fit, a ratio that leaves no room, an end
        point that cannot be reached.
    """
    set_by = Origin("set", f"recipe {recipe.name}")
    condensate = Datum(recipe.condensate_t_per_bdt, set_by)
    found: dict[str, Figure] = {}
    if "bd_wood_t" in data:
        wood = data["bd_wood_t"]
    else:
        names = ("digester_volume_m3", "basic_density_kg_per_m3", "solid_volume_factor", "packing_gain_frac")
        found["chips"] = figure(
            "digester_chip_charge_bdt", f"bone-dry {recipe.raw}", {name: data[name] for name in names}, decimals=2
        )
        wood = found["chips"].as_datum()
    moisture = data["moisture_wet_frac"]
    found["green"] = figure(
        "green_for_bone_dry",
        f"{recipe.raw} over the scale",
        {"bd_wood_t": wood, "moisture_wet_frac": moisture},
        decimals=1,
    )
    found |= _acid(recipe, data, wood, condensate) if recipe.is_sulphite else _alkali(recipe, data, wood, condensate)
    found["fit"] = figure(
        "liquor_fit",
        "head left over the liquor",
        {
            "digester_volume_m3": data["digester_volume_m3"],
            "bd_wood_t": wood,
            "liquor_to_wood": data["liquor_to_wood"],
            "basic_density_kg_per_m3": data["basic_density_kg_per_m3"],
        },
    )
    found |= _heat(recipe, data, wood, found)
    way = WAYS[recipe.school]
    charge = found["met"].as_datum() if "met" in found else Datum(0.0, set_by)
    asked = data.get("charge_pct_naoh_on_wood", charge)
    found["aim"] = way.aim(recipe, relation, asked, data["kappa_target_kappa"])
    found["pulp"] = figure(
        "pulp_per_cook",
        "pulp it gives",
        {
            "bd_wood_t": wood,
            "screened_yield_frac": Datum(relation.reference_yield_pct / 100, relation.origin),
        },
    )
    warnings = [text for one in found.values() for text in one.warnings]
    if not recipe.is_sulphite:
        alkali = charge_as_na2o(charge_pct_naoh_on_wood=asked.value)
        warnings += relation.beyond(found["aim"].value, alkali)
    return Sheet(found, tuple(dict.fromkeys(warnings)))


def _alkali(recipe: Recipe, data: Data, wood: Datum, condensate: Datum) -> dict[str, Figure]:
    liquor = figure(
        "white_liquor_volume_m3",
        "cooking liquor",
        {
            "bd_wood_t": wood,
            "effective_alkali_pct_naoh_on_wood": data["charge_pct_naoh_on_wood"],
            "effective_alkali_kg_per_m3_as_naoh": data["strength_kg_per_m3_as_naoh"],
        },
    )
    fill = figure(
        "black_liquor_fill_m3",
        "fill to the ratio",
        {
            "bd_wood_t": wood,
            "liquor_to_wood": data["liquor_to_wood"],
            "white_liquor_m3": liquor.as_datum(),
            "moisture_wet_frac": data["moisture_wet_frac"],
            "steam_condensate_t_per_bdt": condensate,
        },
    )
    met = figure(
        "charge_with_black_liquor",
        f"charge the {recipe.fibre} meets",
        {
            "charge_pct_naoh_on_wood": data["charge_pct_naoh_on_wood"],
            "black_liquor_m3": fill.as_datum(),
            "black_liquor_kg_per_m3_as_naoh": data["fill_kg_per_m3_as_naoh"],
            "bd_wood_t": wood,
        },
        decimals=2,
        unit=recipe.naoh_unit,
    )
    start = figure(
        "alkali_at_start",
        "alkali in the digester",
        {"charge_pct_naoh_on_wood": met.as_datum(), "liquor_to_wood": data["liquor_to_wood"]},
    )
    ions = figure("hydroxide", "hydroxide at the start", {"effective_kg_per_m3_as_naoh": start.as_datum()}, decimals=2)
    return {"liquor": liquor, "fill": fill, "met": met, "start": start, "ions": ions}


def _acid(recipe: Recipe, data: Data, wood: Datum, condensate: Datum) -> dict[str, Figure]:
    acid = figure(
        "liquor_fill",
        "acid",
        {
            "bd_wood_t": wood,
            "liquor_to_wood": data["liquor_to_wood"],
            "moisture_wet_frac": data["moisture_wet_frac"],
            "steam_condensate_t_per_bdt": condensate,
        },
    )
    brought = figure(
        "so2_charge",
        "total SO2 on wood",
        {
            "acid_m3": acid.as_datum(),
            "bd_wood_t": wood,
            "total_pct": data["total_pct"],
            "combined_pct": data["combined_pct"],
            "base": Datum(recipe.acid.base, Origin("set", f"recipe {recipe.name}")),
        },
    )
    return {"liquor": acid, "so2": brought, "base": brought.other("base_kg_per_t", f"{recipe.acid.base} oxide on wood")}


def _heat(recipe: Recipe, data: Data, wood: Datum, found: Mapping[str, Figure]) -> dict[str, Figure]:
    set_by = Origin("set", f"recipe {recipe.name}")

    def mass(name: str) -> Datum:
        """A cubic metre of liquor is taken as a tonne and a tenth of white liquor, a tonne of anything else."""
        dense = 1.12 if name == "liquor" and not recipe.is_sulphite else 1.02
        if name not in found:
            return Datum(0.0, set_by)
        one = found[name]
        return Datum(one.value * dense, Origin("computed", f"{one.label} at {dense:g} t/m³"), one)

    ratio = figure("moisture_ratio_kg_per_kg", "water with the chips", {"moisture_wet_frac": data["moisture_wet_frac"]})
    heat = figure(
        "cook_heat_balance",
        "heat",
        {
            "bd_wood_t": wood,
            "moisture_kg_per_kg": ratio.as_datum(),
            "chip_c": Datum(recipe.chip_c, set_by),
            "white_liquor_t": mass("liquor"),
            "white_c": Datum(recipe.liquor_c, set_by),
            "black_liquor_t": mass("fill"),
            "black_c": Datum(recipe.fill_c, set_by),
            "steel_t": data["steel_t"],
            "shell_c": Datum(recipe.shell_c, set_by),
            "cook_c": Datum(recipe.cook_c, set_by),
            "yield_frac": Datum(recipe.reference_yield_pct / 100, set_by),
        },
        decimals=1,
    )
    return {"heat": heat, "steam": heat.other("steam_t", "steam to heat it")}


def refuse_overfull(
    digester: Digester,
    recipe: Recipe,
    bd_wood_t: float,
    liquor_m3: float,
    moisture_frac: float,
    *,
    argument: str = "liquor_m3",
) -> None:
    """Refuse liquor that a charged digester has no room for.

    Raises
    ------
    DomainError
        E_LIMIT, with the room there is; it names the argument the volume was given as.
    """
    water = bd_wood_t * (moisture_frac / (1 - moisture_frac) + recipe.condensate_t_per_bdt)
    room = digester.volume_m3 - bd_wood_t / 1.53 - water
    if liquor_m3 > room:
        message = (
            f"digester {digester.number} is full: it takes {max(room, 0):.3g} m³ of liquor in all, not {liquor_m3:.3g}"
        )
        raise DomainError("E_LIMIT", argument, message, f"up to {max(room, 0):.3g} m³ in all")
