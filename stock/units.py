"""Conversions at the edges: what people type and read, against what the core counts in.

The core knows one unit for each quantity. A units library does the arithmetic here,
and only here; drainage (CSF and SR) is not a unit but a method, and stays one.
"""

from functools import cache
from typing import TYPE_CHECKING, Final, Literal

from stock.errors import DomainError

if TYPE_CHECKING:
    from pint import UnitRegistry

System = Literal["metric", "us"]

# Spelling on screens and keyboards -> what the units library calls it.
SPELLINGS: Final[dict[str, str]] = {
    "%": "percent",
    "t/h": "tonne/hour",
    "BDt/h": "tonne/hour",
    "BDt": "tonne",
    "t": "tonne",
    "kg": "kilogram",
    "short ton": "short_ton",
    "short ton/h": "short_ton/hour",
    "BDT/h": "short_ton/hour",
    "BD short ton/h": "short_ton/hour",
    "L/min": "liter/minute",
    "l/min": "liter/minute",
    "gpm": "gallon/minute",
    "US gpm": "gallon/minute",
    "m³/h": "meter**3/hour",
    "m3/h": "meter**3/hour",
    "°C": "degC",
    "C": "degC",
    "c": "degC",
    "°F": "degF",
    "F": "degF",
    "f": "degF",
    "K": "kelvin",
    "kW": "kilowatt",
    "kw": "kilowatt",
    "hp": "horsepower",
    "kWh/t": "kilowatt_hour/tonne",
    "kWh/BDt": "kilowatt_hour/tonne",
    "hp·d/short ton": "horsepower*day/short_ton",
    "hpd/t": "horsepower*day/short_ton",
    "g/L": "gram/liter",
    "g/l": "gram/liter",
    "kg/m³": "kilogram/meter**3",
    "lb/gal": "pound/gallon",
    "lb/ft³": "pound/foot**3",
    "lb/ft3": "pound/foot**3",
    "kg/BDt": "kilogram/tonne",
    "kg/t": "kilogram/tonne",
    "lb/short ton": "pound/short_ton",
    "mL CSF": "milliliter",
    "mL": "milliliter",
    "ml": "milliliter",
    "g/m²": "gram/meter**2",
    "gsm": "gram/meter**2",
    "min": "minute",
    "h": "hour",
    "d": "day",
    "kPa": "kilopascal",
    "psi": "psi",
    "bar": "bar",
    "kPa g": "kilopascal",  # over the atmosphere, as every gauge of a mill reads
    "psi g": "psi",
    "psig": "psi",
    "bar g": "bar",
    "m/min": "meter/minute",
    "ft/min": "foot/minute",
    "g/L NaOH": "g_naoh/liter",
    "g/L Na2O": "g_na2o/liter",
    "% NaOH": "g_naoh/hectogram",
    "% Na2O": "g_na2o/hectogram",
    "% NaOH on wood": "g_naoh/hectogram",
    "% Na2O on wood": "g_na2o/hectogram",
    "% NaOH on bagasse": "g_naoh/hectogram",
    "% Na2O on bagasse": "g_na2o/hectogram",
    "% ISO": "percent",
    "iso": "percent",
    "ppm": "ppm",
}

# What the US system shows in place of a metric unit.
US: Final[dict[str, str]] = {
    "t/h": "short ton/h",
    "BDt/h": "BD short ton/h",
    "L/min": "US gpm",
    "°C": "°F",
    "kWh/BDt": "hp·d/short ton",
    "kg/BDt": "lb/short ton",
    "m/min": "ft/min",
}

# What a mill that counts alkali as Na2O shows in place of NaOH; the core counts NaOH.
NA2O: Final[dict[str, str]] = {unit: unit.replace("NaOH", "Na2O") for unit in SPELLINGS if "NaOH" in unit}


@cache
def _registry() -> "UnitRegistry":
    from pint import UnitRegistry

    registry: UnitRegistry = UnitRegistry()
    # 2 NaOH (79.994 g) stand for 1 Na2O (61.979 g): one amount, two bases.
    registry.define("g_naoh = [alkali]")
    registry.define("g_na2o = 1.290663 * g_naoh")
    return registry


def known_unit(spelling: str) -> bool:
    """Return whether a unit's spelling is known here."""
    return spelling in SPELLINGS


def same_quantity(one_unit: str, other_unit: str) -> bool:
    """Return whether two spellings measure the same quantity."""
    try:
        convert(1.0, one_unit, other_unit)
    except DomainError:
        return False
    return True


@cache
def of_a_kind(unit: str) -> tuple[str, ...]:
    """Return the spellings a quantity may be typed in, its own unit first, one for each unit."""
    found = {SPELLINGS.get(unit, unit): unit}
    for spelling, name in SPELLINGS.items():
        if name not in found and unit in SPELLINGS and same_quantity(spelling, unit):
            found[name] = spelling
    return tuple(found.values())


def convert(value: float, from_unit: str, to_unit: str) -> float:
    """Return `value` in another unit.

    Raises
    ------
    DomainError
        E_UNIT for a spelling that is not known, or units of different kinds.
    """
    if from_unit == to_unit:
        return value
    for spelling in (from_unit, to_unit):
        if spelling not in SPELLINGS:
            raise DomainError("E_UNIT", "unit", f"the unit {spelling!r} is not known", ", ".join(sorted(SPELLINGS)))
    from pint.errors import DimensionalityError, UndefinedUnitError

    registry = _registry()
    try:
        source = registry.Quantity(value, SPELLINGS[from_unit])
        return float(source.to(SPELLINGS[to_unit]).magnitude)
    except (DimensionalityError, UndefinedUnitError):
        raise DomainError(
            "E_UNIT", "unit", f"{from_unit} cannot be turned into {to_unit}", f"a unit like {to_unit}"
        ) from None


@cache
def _line_of(unit: str, other: str) -> tuple[float, float]:
    """Return (factor, offset): conversions at the edges are straight lines."""
    offset = convert(0.0, unit, other)
    return convert(1.0, unit, other) - offset, offset


def turned(value: float, unit: str, other: str) -> float:
    """Return a value in another unit, as `convert`, from what is remembered of the two."""
    factor, offset = _line_of(unit, other)
    return value * factor + offset


def shown(value: float, unit: str, system: System) -> tuple[float, str]:
    """Return a value and its unit in the reader's system."""
    if system == "metric" or unit not in US:
        return value, unit
    return turned(value, unit, US[unit]), US[unit]


# What a workshop's amounts are read in, where a mill's unit would show little but noughts.
SMALL: Final[dict[str, str]] = {
    "BDt": "kg BD",
    "t": "kg",
    "ADt": "kg AD",
    "m³": "L",
    "GJ": "MJ",
    "t/h": "kg/h",
    "BDt/h": "kg BD/h",
    "m³/h": "L/h",
}


def readable(value: float, unit: str) -> tuple[float, str]:
    """Return an amount in a unit a thousand times smaller where it is less than a tenth of its own."""
    if unit in SMALL and 0 < abs(value) < 0.1:
        return 1000 * value, SMALL[unit]
    return value, unit


def said(value: float, unit: str, decimals: int | None = None) -> str:
    """Return an amount and its unit as it is said in a sentence; without decimals, as many as it has."""
    value, unit = readable(value, unit)
    return f"{value:.6g} {unit}" if decimals is None else f"{value:.{decimals}f} {unit}"
