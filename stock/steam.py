"""Steam and heat: what warming wood and water takes, and what burning bark gives."""

from typing import Final, NamedTuple

from stock.working import Arg, Example, method, warn

ATMOSPHERE_KPA: Final = 101.325

ZERO_K = 273.15
WATER_KJ_PER_KG_K = 4.19
ICE_KJ_PER_KG_K = 2.1
MELTING_KJ_PER_KG = 333.6
_IF97 = (
    1167.0521452767,
    -724213.16703206,
    -17.073846940092,
    12020.824702470,
    -3232555.0322333,
    14.915108613530,
    -4823.2657361591,
    405113.40542057,
    -0.23855557567849,
    650.17534844798,
)


@method(
    "theta = T + n9 / (T - n10), then the quadratic of region 4",
    title="Saturation pressure of water",
    station="steam",
    source="IAPWS-IF97, region 4",
    exact=False,
    results=("saturation_pressure_kpa_abs",),
    example=Example({"temperature_c": 165}, {"saturation_pressure_kpa_abs": 700.8}),
    temperature_c=Arg("temperature", 0, 350),
)
def saturation_pressure_kpa_abs(*, temperature_c: float) -> float:
    """Return the pressure at which water boils at a temperature."""
    n1, n2, n3, n4, n5, n6, n7, n8, n9, n10 = _IF97
    kelvin = temperature_c + ZERO_K
    theta = kelvin + n9 / (kelvin - n10)
    a = theta**2 + n1 * theta + n2
    b = n3 * theta**2 + n4 * theta + n5
    c = n6 * theta**2 + n7 * theta + n8
    root: float = (b**2 - 4 * a * c) ** 0.5
    return 1000 * (2 * c / (root - b)) ** 4


@method(
    "the temperature whose saturation pressure is the one given",
    title="Saturation temperature of water",
    station="steam",
    source="IAPWS-IF97, region 4, by root finding",
    exact=False,
    results=("saturation_temperature_c",),
    example=Example({"pressure_kpa_abs": 700.8}, {"saturation_temperature_c": 165.0}),
    pressure_kpa_abs=Arg("pressure, absolute", 0.6113, 16529),
)
def saturation_temperature_c(*, pressure_kpa_abs: float) -> float:
    """Return the temperature at which water boils under a pressure."""
    from scipy.optimize import brentq

    bare = saturation_pressure_kpa_abs.method.bare  # type: ignore[attr-defined]
    return float(brentq(lambda t: bare(temperature_c=t) - pressure_kpa_abs, 0, 350, xtol=1e-9))


@method(
    "latent_heat_kj_per_kg = 2501.34 - 2.43198 * temperature_c + 1.62024e-3 * temperature_c**2"
    " - 1.75507e-5 * temperature_c**3",
    title="Latent heat of steam",
    station="steam",
    source="cubic fitted to steam-table values, within 0.5 kJ/kg",
    example=Example({"temperature_c": 165}, {"latent_heat_kj_per_kg": 2065.3}, 1e-4),
    temperature_c=Arg("temperature", 0, 220),
)
def latent_heat_kj_per_kg(*, temperature_c: float) -> float:
    """Return the heat a kilogram of steam gives up as it condenses."""
    return 2501.34 - 2.43198 * temperature_c + 1.62024e-3 * temperature_c**2 - 1.75507e-5 * temperature_c**3


@method(
    "dry_wood_cp_kj_per_kg_k = 0.1031 + 0.003867 * ((t1_c + t2_c) / 2 + 273.15)",
    title="Heat capacity of dry wood",
    station="steam",
    source="USDA Wood Handbook, moisture and heat chapter",
    example=Example({"t1_c": 8, "t2_c": 100}, {"dry_wood_cp_kj_per_kg_k": 1.368}),
    t1_c=Arg("from", -60, 250, usual=(0, 180)),
    t2_c=Arg("to", -60, 250, usual=(0, 180)),
)
def dry_wood_cp_kj_per_kg_k(*, t1_c: float, t2_c: float) -> float:
    """Return the mean heat capacity of bone-dry wood between two temperatures."""
    return 0.1031 + 0.003867 * ((t1_c + t2_c) / 2 + ZERO_K)


class NetHeat(NamedTuple):
    """Heat of a fuel with its water, without it, and the moisture at which it gives none."""

    net_as_fired_mj_per_kg: float
    net_dry_mj_per_kg: float
    moisture_of_no_heat_frac: float


@method(
    "net_dry_mj_per_kg = gross_dry_mj_per_kg - 2.443 * 9 * hydrogen_dry_frac\n"
    "net_as_fired_mj_per_kg = (gross_dry_mj_per_kg - 2.443 * 9 * hydrogen_dry_frac) * (1 - moisture_wet_frac)"
    " - 2.443 * moisture_wet_frac\n"
    "moisture_of_no_heat_frac = (gross_dry_mj_per_kg - 2.443 * 9 * hydrogen_dry_frac)"
    " / (gross_dry_mj_per_kg - 2.443 * 9 * hydrogen_dry_frac + 2.443)",
    title="Net heat of bark as fired",
    station="steam",
    source="definition, ISO 18125",
    aliases=("net_heat_as_fired_mj_per_kg",),
    results=("net_as_fired_mj_per_kg", "net_dry_mj_per_kg", "moisture_of_no_heat_frac"),
    example=Example(
        {"gross_dry_mj_per_kg": 20.4, "moisture_wet_frac": 0.58, "hydrogen_dry_frac": 0.06},
        {"net_as_fired_mj_per_kg": 6.597, "net_dry_mj_per_kg": 19.081, "moisture_of_no_heat_frac": 0.8865},
    ),
    gross_dry_mj_per_kg=Arg("gross heat of the dry fuel", 10, 50, usual=(18, 23)),
    moisture_wet_frac=Arg("moisture as fired", 0, 1, below=True, usual=(0.0, 0.60)),
    hydrogen_dry_frac=Arg("hydrogen in the dry fuel", 0, 0.2),
)
def net_heat_as_fired(
    *, moisture_wet_frac: float, gross_dry_mj_per_kg: float = 20.4, hydrogen_dry_frac: float = 0.06
) -> NetHeat:
    """Return what burning a kilogram of wet bark gives after its own water is boiled off."""
    net_dry = gross_dry_mj_per_kg - 2.443 * 9 * hydrogen_dry_frac
    as_fired = net_dry * (1 - moisture_wet_frac) - 2.443 * moisture_wet_frac
    if as_fired < 0:
        warn("the bark takes more heat than it gives: support fuel is needed")
    return NetHeat(as_fired, net_dry, net_dry / (net_dry + 2.443))


@method(
    "steam_t_per_h = fuel_t_per_h * net_heat_mj_per_kg * boiler_efficiency_frac / steam_rise_mj_per_kg",
    title="Steam from a fuel",
    station="steam",
    source="heat balance of a boiler, efficiency on net heat",
    example=Example(
        {
            "fuel_t_per_h": 10,
            "net_heat_mj_per_kg": 6.597,
            "boiler_efficiency_frac": 0.75,
            "steam_rise_mj_per_kg": 2.5,
        },
        {"steam_t_per_h": 19.8},
    ),
    fuel_t_per_h=Arg("fuel as fired", 0, 1e4),
    net_heat_mj_per_kg=Arg("net heat as fired", 0, 50),
    boiler_efficiency_frac=Arg("boiler efficiency on net heat", 0, 1, above=True, usual=(0.6, 0.95)),
    steam_rise_mj_per_kg=Arg("heat a kilogram of steam takes", 0, 4, above=True),
)
def steam_from_fuel_t_per_h(
    *,
    fuel_t_per_h: float,
    net_heat_mj_per_kg: float,
    boiler_efficiency_frac: float = 0.75,
    steam_rise_mj_per_kg: float = 2.5,
) -> float:
    """Return the steam a boiler raises from a fuel."""
    return fuel_t_per_h * net_heat_mj_per_kg * boiler_efficiency_frac / steam_rise_mj_per_kg
