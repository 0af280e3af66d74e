"""Chlorine dioxide over its solution: what strength and warmth may stand in a tank.

The generator is made, run and mended by licensed crews; nothing here touches it.
"""

import math

from stock.working import Arg, Example, method, warn

WATCH_KPA, STOP_KPA = 8.0, 10.0
MOLAR = 67.452


def _henry(temperature_c: float) -> float:
    """Return the solubility, mol/(L·kPa)."""
    return 0.01 * math.exp(3300 * (1 / (temperature_c + 273.15) - 1 / 298.15))


@method(
    "dioxide_kpa = (strength_g_per_l / 67.452) / (0.01 * exp(3300 * (1 / (temperature_c + 273.15) - 1 / 298.15)))",
    title="Gas above dioxide solution",
    station="bleaching",
    source="Henry's law, constants recalled; the site's own limit rules",
    aliases=("clo2_gas_kPa",),
    notes="Watch at 8 kPa: chill, make it weaker, prove the sweep. Stop at 10 kPa: no transfer, no make-down, people out.",
    example=Example({"strength_g_per_l": 9, "temperature_c": 15}, {"dioxide_kpa": 9.1}, 4e-3),
    strength_g_per_l=Arg("dioxide in the solution", 0, 20),
    temperature_c=Arg("its warmth", 0, 40),
)
def dioxide_gas(*, strength_g_per_l: float, temperature_c: float) -> float:
    """Return the pressure of dioxide gas over its solution."""
    found = strength_g_per_l / MOLAR / _henry(temperature_c)
    if found >= STOP_KPA:
        warn(
            f"{found:.1f} kPa of dioxide: stop. No transfer, no make-down, cold water by the site's procedure, people out"
        )
    elif found >= WATCH_KPA:
        warn(f"{found:.1f} kPa of dioxide: chill it, make it weaker, prove the sweep")
    return found


@method(
    "strength_g_per_l = 67.452 * limit_kpa * 0.01 * exp(3300 * (1 / (temperature_c + 273.15) - 1 / 298.15))",
    title="Strongest dioxide solution at a warmth",
    station="bleaching",
    source="Henry's law, constants recalled; the site's own limit rules",
    aliases=("clo2_max_strength_g_per_L",),
    example=Example({"temperature_c": 20}, {"strength_g_per_l": 8.1}, 8e-3),
    temperature_c=Arg("warmth of the solution", 0, 40),
    limit_kpa=Arg("most gas over it", 0, 20, above=True),
)
def strongest_dioxide(*, temperature_c: float, limit_kpa: float = STOP_KPA) -> float:
    """Return the strongest solution that keeps under a limit of gas."""
    return MOLAR * limit_kpa * _henry(temperature_c)
