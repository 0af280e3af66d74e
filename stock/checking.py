"""What an argument of a method may hold, and how it is refused: by its meaning, with what is allowed."""

import math
from collections.abc import Mapping
from dataclasses import dataclass, field
from typing import Any, Final

import numpy as np

from stock.errors import DomainError
from stock.names import unit_of

SCALARS: Final = (float, int)
MISSING: Final = object()
LEAST: Final = 1e-9  # of its unit: nothing that is more than nought and less than this was ever measured
GREATEST: Final = 1.7976931348623157e308


def _short(value: float) -> str:
    """Write a limit as people do: 1,000,000 rather than 1e+06."""
    return f"{value:,.0f}" if abs(value) >= 1e5 else f"{value:g}"


@dataclass(frozen=True, slots=True)
class Arg:
    """What one argument means and which values it takes.

    `low` and `high` are hard limits (`E_RANGE` outside), inclusive unless `above` or
    `below` is set; `usual` is the band outside which the result carries a warning.
    `series` marks a list of at least `count` numbers.
    """

    meaning: str
    low: float = -math.inf
    high: float = math.inf
    above: bool = False
    below: bool = False
    usual: tuple[float, float] | None = None
    series: bool = False
    count: int = 1

    def allowed(self, unit: str) -> str:
        """Say in words what is accepted."""
        low = f"more than {_short(self.low)}" if self.above else _short(self.low)
        high = f"less than {_short(self.high)}" if self.below else _short(self.high)
        if math.isinf(self.high) and math.isinf(self.low):
            text = "any finite number"
        elif math.isinf(self.high):
            text = f"{low} or more" if not self.above else low
        elif math.isinf(self.low):
            text = f"{high} or less"
        else:
            text = f"{low} to {high}"
        return f"{text} {unit}".strip()


@dataclass(frozen=True, slots=True)
class Choice:
    """An argument that takes one of a few words; anything else is `E_UNIT`."""

    meaning: str
    options: tuple[str, ...]


@dataclass(frozen=True, slots=True)
class Rows:
    """An argument that takes a list of records, each a mapping of the given numbers; some have a value where left out."""

    meaning: str
    columns: Mapping[str, Arg]
    defaults: Mapping[str, float] = field(default_factory=dict)


AnyArg = Arg | Choice | Rows


def edges(arg: Arg) -> tuple[float, float]:
    """Return the least and the greatest number an argument takes, both inclusive."""
    low = (LEAST if arg.low == 0 else math.nextafter(arg.low, math.inf)) if arg.above else max(arg.low, -GREATEST)
    high = math.nextafter(arg.high, -math.inf) if arg.below else min(arg.high, GREATEST)
    return low, high


def check_number(name: str, value: Any, arg: Any, low: float, high: float) -> Any:
    """Accept an array inside its limits; refuse anything else by name."""
    unit = unit_of(name)
    if isinstance(value, np.ndarray) and value.dtype.kind in "fiu" and value.size:
        if low <= value.min() and value.max() <= high:
            return value
        outside = value[~((value >= low) & (value <= high))].flat[0]
        raise _out_of_range(name, float(outside), unit, arg)
    if isinstance(value, np.generic) and value.dtype.kind in "fiu":
        value = value.item()
    if isinstance(value, int) and abs(value) > GREATEST:  # thousands of digits make no number of anything
        value = math.inf
    if value is MISSING or value is None:
        message = f"{arg.meaning} is missing; give {arg.allowed(unit)}"
        raise DomainError("E_TYPE", name, message, arg.allowed(unit))
    if isinstance(value, bool) or not isinstance(value, SCALARS) or not math.isfinite(value):
        shown = repr(value)[:40]
        message = f"{arg.meaning} is {shown}, which is not a number; give {arg.allowed(unit)}"
        raise DomainError("E_TYPE", name, message, arg.allowed(unit))
    if low <= value <= high:
        return value
    raise _out_of_range(name, value, unit, arg)


def _out_of_range(name: str, value: float, unit: str, arg: Arg) -> DomainError:
    if not math.isfinite(value):
        return DomainError("E_TYPE", name, f"{arg.meaning} is not a finite number", arg.allowed(unit))
    message = f"{arg.meaning} is {value:g} {unit}".rstrip() + f", outside {arg.allowed(unit)}"
    if name.endswith("_frac") and 2 <= value <= 100 and arg.high <= 1:  # 1.04 is a slip of another kind
        message += f"; if {value:g} % was meant, give {value / 100:g}"
    return DomainError("E_RANGE", name, message, arg.allowed(unit))


def check_other(name: str, value: Any, arg: Any) -> Any:
    """Check a series, a choice or a list of records."""
    if value is MISSING:
        raise DomainError("E_TYPE", name, f"{arg.meaning} is missing", "a value")
    if isinstance(arg, Choice):
        if value not in arg.options:
            allowed = ", ".join(arg.options)
            raise DomainError("E_UNIT", name, f"{arg.meaning} is {str(value)[:40]!r}; choose one of {allowed}", allowed)
        return value
    if not isinstance(value, (list, tuple, np.ndarray)):
        message = f"{arg.meaning} must be a list; it is {type(value).__name__}"
        raise DomainError("E_TYPE", name, message, "a list")
    if isinstance(arg, Rows):
        return [_check_row(name, index, row, arg) for index, row in enumerate(value)]
    return _check_series(name, value, arg)


def _is_number(value: Any) -> bool:
    """Whether a value is a number: text that reads as one is not, nor is true."""
    return isinstance(value, (float, int, np.floating, np.integer)) and not isinstance(value, bool)


def _check_series(name: str, value: Any, arg: Arg) -> np.ndarray:
    unit = unit_of(name)
    numeric = value.dtype.kind in "fiu" if isinstance(value, np.ndarray) else all(map(_is_number, value))
    if not numeric:
        message = f"{arg.meaning} holds something that is not a number"
        raise DomainError("E_TYPE", name, message, arg.allowed(unit))
    try:
        series = np.asarray(value, dtype=float)
    except OverflowError:
        message = f"{arg.meaning} holds a number with too many digits"
        raise DomainError("E_TYPE", name, message, arg.allowed(unit)) from None
    if series.ndim != 1 or series.size < arg.count:
        message = f"{arg.meaning} has {series.size} values; at least {arg.count} are needed"
        raise DomainError("E_COUNT", name, message, f"a list of {arg.count} or more")
    low, high = edges(arg)
    bad = ~((series >= low) & (series <= high) & np.isfinite(series))
    if bad.any():
        raise _out_of_range(name, float(series[bad][0]), unit, arg)
    return series


def _check_row(name: str, index: int, row: Any, arg: Rows) -> dict[str, float]:
    if not isinstance(row, Mapping):
        message = f"{arg.meaning}, row {index + 1}, must be a record of {', '.join(arg.columns)}"
        raise DomainError("E_TYPE", name, message, ", ".join(arg.columns))
    if astray := [column for column in row if column not in arg.columns]:
        known = ", ".join(arg.columns)
        message = f"{arg.meaning}, row {index + 1}: there is no column {str(astray[0])[:40]}; it takes {known}"
        raise DomainError("E_TYPE", f"{name}[{index}]", message, known)
    checked = {}
    for column, limit in arg.columns.items():
        try:
            checked[column] = check_number(column, row.get(column, arg.defaults.get(column)), limit, *edges(limit))
        except DomainError as error:
            message = f"{arg.meaning}, row {index + 1}: {error.message}"
            raise DomainError(error.code, f"{name}[{index}].{column}", message, error.allowed) from None
    return checked
