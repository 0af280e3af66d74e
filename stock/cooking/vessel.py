"""A batch digester as a vessel: does the liquor fit, what heat it takes, what the blow gives back, the rhythm of the line."""

from typing import NamedTuple

from stock.errors import DomainError
from stock.steam import WATER_KJ_PER_KG_K, dry_wood_cp_kj_per_kg_k, latent_heat_kj_per_kg
from stock.working import Arg, Example, method

WOOD_SUBSTANCE_T_PER_M3 = 1.53
_WOOD_T = Arg("bone-dry wood", 0, 1e4, above=True)
_START = Arg("its temperature before", -30, 180)


class Fit(NamedTuple):
    """Room in a charged digester."""

    free_m3: float
    most_liquor_to_wood: float


@method(
    "free_m3 = digester_volume_m3 - bd_wood_t / 1.53 - liquor_to_wood * bd_wood_t\n"
    "most_liquor_to_wood = (digester_volume_m3 - bd_wood_t / 1.53) / bd_wood_t",
    title="Does the liquor fit",
    station="cooking",
    source="volume balance; wood substance at 1.53 t/m³",
    aliases=("digester_liquor_fit",),
    exact=False,
    example=Example(
        {"digester_volume_m3": 200, "bd_wood_t": 34.67, "liquor_to_wood": 4.0, "basic_density_kg_per_m3": 402},
        {"free_m3": 38.66, "most_liquor_to_wood": 5.115},
    ),
    digester_volume_m3=Arg("volume of the digester", 0, 5000, above=True),
    bd_wood_t=_WOOD_T,
    liquor_to_wood=Arg("liquor to wood", 2, 10),
    basic_density_kg_per_m3=Arg("basic density", 200, 1000, usual=(300, 750)),
)
def liquor_fit(
    *, digester_volume_m3: float, bd_wood_t: float, liquor_to_wood: float, basic_density_kg_per_m3: float
) -> Fit:
    """Return the head left over a charge, and the most liquor the digester takes."""
    envelope = 1000 * bd_wood_t / basic_density_kg_per_m3
    if envelope >= digester_volume_m3:
        message = f"the chips alone take {envelope:.0f} m³ of {digester_volume_m3:g} m³"
        raise DomainError(
            "E_RANGE", "bd_wood_t", message, f"less than {digester_volume_m3 * basic_density_kg_per_m3 / 1000:.1f} BDt"
        )
    room = digester_volume_m3 - bd_wood_t / WOOD_SUBSTANCE_T_PER_M3
    free = room - liquor_to_wood * bd_wood_t
    if free < 0:
        most = room / bd_wood_t
        message = f"liquor to wood {liquor_to_wood:g} overfills it by {-free:.1f} m³: hydraulic, relief carries over"
        raise DomainError("E_INFEASIBLE", "liquor_to_wood", message, f"up to {most:.2f} m³/BDt")
    return Fit(free, room / bd_wood_t)


class Heat(NamedTuple):
    """Heat and steam of a cook."""

    heat_gj: float
    steam_t: float
    steam_t_per_adt: float


@method(
    "heat = (wood and its water + white liquor + black liquor + steel, each to cooking temperature, less the heat"
    " of reaction) * (1 + loss); steam = heat / latent heat",
    title="Heat and steam to bring a cook up",
    station="cooking",
    source="heat balance; heats of liquors and reaction are defaults",
    aliases=("cook_heat",),
    exact=False,
    results=Heat._fields,
    example=Example(
        {
            "bd_wood_t": 20,
            "moisture_kg_per_kg": 1.0,
            "chip_c": 60,
            "white_liquor_t": 42.18,
            "white_c": 85,
            "black_liquor_t": 24.38,
            "black_c": 80,
            "steel_t": 60,
            "shell_c": 120,
            "cook_c": 170,
            "yield_frac": 0.47,
        },
        {"heat_gj": 33.44, "steam_t": 16.33, "steam_t_per_adt": 1.56},
        2e-3,
    ),
    bd_wood_t=_WOOD_T,
    moisture_kg_per_kg=Arg("water with the wood", 0, 5),
    chip_c=_START,
    white_liquor_t=Arg("white liquor", 0, 1e4),
    white_c=_START,
    black_liquor_t=Arg("black liquor", 0, 1e4),
    black_c=_START,
    steel_t=Arg("steel that warms with it", 0, 1e4),
    shell_c=_START,
    cook_c=Arg("cooking temperature", 100, 200),
    yield_frac=Arg("pulp on wood", 0, 1, above=True),
    reaction_kj_per_kg=Arg("heat the reactions give", 0, 600),
    loss_frac=Arg("heat lost besides", 0, 0.5),
)
def cook_heat_balance(
    *,
    bd_wood_t: float,
    moisture_kg_per_kg: float,
    chip_c: float,
    white_liquor_t: float,
    white_c: float,
    black_liquor_t: float,
    black_c: float,
    steel_t: float,
    shell_c: float,
    cook_c: float,
    yield_frac: float,
    reaction_kj_per_kg: float = 200.0,
    loss_frac: float = 0.05,
) -> Heat:
    """Return heat, steam, and steam for an air-dry tonne."""
    for name, start in (("chip_c", chip_c), ("white_c", white_c), ("black_c", black_c), ("shell_c", shell_c)):
        if start >= cook_c:
            message = f"{name.removesuffix('_c')} starts at {start:g} °C, not below cooking temperature {cook_c:g} °C"
            raise DomainError("E_ORDER", name, message, f"less than {cook_c:g} °C")
    wood_cp = dry_wood_cp_kj_per_kg_k(t1_c=chip_c, t2_c=cook_c) + WATER_KJ_PER_KG_K * moisture_kg_per_kg
    mega = bd_wood_t * (wood_cp * (cook_c - chip_c) - reaction_kj_per_kg)
    mega += white_liquor_t * 3.7 * (cook_c - white_c) + black_liquor_t * 3.8 * (cook_c - black_c)
    mega += steel_t * 0.5 * (cook_c - shell_c)
    heat_gj = mega * (1 + loss_frac) / 1000
    steam = 1000 * heat_gj / latent_heat_kj_per_kg(temperature_c=cook_c)
    return Heat(heat_gj, steam, steam * 0.9 / (bd_wood_t * yield_frac))


@method(
    "flash_t = mass_t * cp_kj_per_kg_k * (before_c - after_c) / latent_heat(after_c)",
    title="Steam from a blow",
    station="cooking",
    source="heat balance of flashing",
    aliases=("flash_steam_t",),
    exact=False,
    example=Example({"mass_t": 90, "cp_kj_per_kg_k": 3.8, "before_c": 165, "after_c": 100}, {"flash_t": 9.85}),
    mass_t=Arg("mass that flashes", 0, 1e5),
    cp_kj_per_kg_k=Arg("its heat capacity", 1, 5),
    before_c=Arg("temperature before", 0, 220),
    after_c=Arg("temperature after", 0, 220),
)
def flash_steam(*, mass_t: float, cp_kj_per_kg_k: float, before_c: float, after_c: float) -> float:
    """Return the steam that flashes off as pressure falls."""
    if before_c <= after_c:
        message = f"it would flash from {before_c:g} to {after_c:g} °C; it must fall"
        raise DomainError("E_ORDER", "after_c", message, f"less than {before_c:g} °C")
    return mass_t * cp_kj_per_kg_k * (before_c - after_c) / latent_heat_kj_per_kg(temperature_c=after_c)


@method(
    "capacity_adt_per_d = digesters_count * 1440 / cycle_min * cook_adt",
    title="Pulp a line of digesters makes",
    station="cooking",
    source="definition",
    aliases=("line_capacity_adt_per_day",),
    example=Example({"digesters_count": 8, "cycle_min": 270, "cook_adt": 10.15}, {"capacity_adt_per_d": 433.1}),
    digesters_count=Arg("digesters", 1, 100),
    cycle_min=Arg("from fill to fill", 0, 5000, above=True),
    cook_adt=Arg("pulp of a cook", 0, 1e4),
)
def digester_line_capacity(*, digesters_count: float, cycle_min: float, cook_adt: float) -> float:
    """Return a day's pulp."""
    return digesters_count * 1440 / cycle_min * cook_adt


@method(
    "interval_min = cycle_min / digesters_count",
    title="Time between blows",
    station="cooking",
    source="definition; heat-ups at least this far apart keep the steam level",
    aliases=("blow_interval_min",),
    example=Example({"cycle_min": 270, "digesters_count": 8}, {"interval_min": 33.75}),
    cycle_min=Arg("from fill to fill", 0, 5000, above=True),
    digesters_count=Arg("digesters", 1, 100),
)
def blow_interval(*, cycle_min: float, digesters_count: float) -> float:
    """Return the even spacing of the blows."""
    return cycle_min / digesters_count


@method(
    "kappa = (first_t * first_kappa + second_t * second_kappa) / (first_t + second_t)",
    title="Kappa of two cooks in a tank",
    station="cooking",
    source="mass-weighted mean, well mixed",
    aliases=("blend_kappa",),
    example=Example({"first_t": 62, "first_kappa": 31.5, "second_t": 9.3, "second_kappa": 37.0}, {"kappa": 32.22}),
    first_t=Arg("pulp there; 0 for an empty tank", 0, 1e5),
    first_kappa=Arg("its kappa", 0, 200),
    second_t=Arg("pulp added", 0, 1e5),
    second_kappa=Arg("its kappa", 0, 200),
)
def tank_kappa(*, first_t: float, first_kappa: float, second_t: float, second_kappa: float) -> float:
    """Return the kappa of a blow tank after a cook has come in."""
    if first_t + second_t <= 0:
        raise DomainError("E_RANGE", "second_t", "there is no pulp in the tank", "more than 0 t there or added")
    return (first_t * first_kappa + second_t * second_kappa) / (first_t + second_t)
