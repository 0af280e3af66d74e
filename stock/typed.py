"""A number as people type it: with a point or a comma, and its unit behind it where one is written."""

import re
from typing import Final

from stock.errors import DomainError
from stock.units import convert

MOST: Final = 1e12
_TYPED: Final = re.compile(
    r"(?P<number>[+\-−]?(?:\d+(?:[.,]\d*)?|[.,]\d+)(?:[eE][+-]?\d{1,3})?)\s*(?P<unit>[^\W\d_].*|[%°].*)?"
)
_GROUPED: Final = re.compile(r"(?P<grouped>[+\-−]?[1-9]\d{0,2}(?:,\d{3})+)(?P<rest>\.\d+)?\s*(?:[^\W\d_].*|[%°].*)?")


def typed_number(text: str, name: str, label: str, unit: str | None = None) -> float:
    """Return a typed number in a field's unit; one typed with another unit of the kind is turned into it.

    Parameters
    ----------
    text
        As typed. `1,234` is asked about: it could be either of two numbers a thousand apart.
    name, label
        What the field is called by the program and by people.
    unit
        The field's own; '' for a bare number; None where no unit may be written at all, as in a file's column.

    Raises
    ------
    DomainError
        E_TYPE for what is missing, no number, or beyond 1e12; E_UNIT for a unit that is not of the field's kind.
    """
    text = text.strip()
    if not text:
        raise DomainError("E_TYPE", name, f"{label} is missing", "a number")
    if (thousands := _GROUPED.fullmatch(text)) is not None:
        plain = thousands["grouped"].replace(",", "") + (thousands["rest"] or "")
        either = (
            plain
            if thousands["rest"] or text.count(",") > 1
            else f"{thousands['grouped'].replace(',', '.')} or {plain}"
        )
        message = f"{label} is {text[:20]!r}, which could be {either}: write it with a point, or without"
        raise DomainError("E_TYPE", name, message, "a number")
    found = _TYPED.fullmatch(text)
    if found is None or (found["unit"] and unit is None):
        raise DomainError("E_TYPE", name, f"{label} is {text[:20]!r}, which is not a number", "a number")
    value = float(found["number"].replace(",", ".").replace("−", "-"))
    if abs(value) > MOST:
        raise DomainError("E_TYPE", name, f"{label} is {value:g}, which is not a number anybody measures", "a number")
    return value if not found["unit"] else _turned(value, found["unit"].strip(), name, label, unit or "")


def _turned(value: float, written: str, name: str, label: str, unit: str) -> float:
    if unit and written == unit.partition(" ")[0]:  # % where it is % ISO, mL where it is mL CSF
        return value
    try:
        return convert(value, written, unit)
    except DomainError:
        kind = f"a number in {unit}" if unit else "a bare number"
        message = f"{label} is {f'{value:g} {written}'[:30]!r}, which is not {kind}"
        raise DomainError("E_UNIT", name, message, kind) from None
