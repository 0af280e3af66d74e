"""A number with its working: the equation, the numbers put in, and where each came from."""

import math
from collections.abc import Mapping
from dataclasses import dataclass, field, replace
from datetime import datetime
from typing import Any, Final, Literal

import numpy as np

import stock.book  # noqa: F401  the registry must be full before a name is looked up
from stock.errors import DomainError
from stock.names import spoken, unit_of
from stock.working import Method, Noted, Step, find_method, recording

OriginKind = Literal["measured", "entered", "set", "computed", "assumed"]


@dataclass(frozen=True, slots=True)
class Origin:
    """Where a number came from, in words a person can check."""

    kind: OriginKind
    text: str
    at: datetime | None = None


@dataclass(frozen=True, slots=True)
class Datum:
    """A value that goes into a calculation, with its origin."""

    value: Any
    origin: Origin
    figure: "Figure | None" = None


@dataclass(frozen=True, slots=True)
class Figure:
    """A shown number. `method` is None for one that was measured or set, not computed."""

    label: str
    value: float
    unit: str
    decimals: int = 1
    origin: Origin | None = None
    method: Method | None = None
    result_name: str = ""
    data: Mapping[str, Datum] = field(default_factory=dict)
    results: Mapping[str, Any] = field(default_factory=dict)
    warnings: tuple[str, ...] = ()
    key: str = ""
    trail: tuple[Step, ...] = ()
    notes: tuple[Noted, ...] = ()

    @property
    def steps(self) -> tuple[Step, ...]:
        """The calculations its method went through, each once."""
        found: list[Step] = []
        for step in self.trail:
            if not any(step.method is one.method and _same(step.arguments, one.arguments) for one in found):
                found.append(step)
        return tuple(found[:MOST_STEPS])

    @property
    def text(self) -> str:
        """The number as shown, without its unit."""
        return f"{self.value:.{self.decimals}f}"

    def as_datum(self) -> Datum:
        """Use this figure in another calculation; its own working stays reachable."""
        if self.method is None and self.origin is not None:
            return Datum(self.value, self.origin)
        title = self.method.title.lower() if self.method else self.label
        return Datum(self.value, Origin("computed", title), self)

    def other(self, result_name: str, label: str, decimals: int = 1) -> "Figure":
        """Return another result of the same calculation as a figure."""
        value = self.results[result_name]
        return Figure(
            label,
            value,
            unit_of(result_name),
            decimals,
            None,
            self.method,
            result_name,
            self.data,
            self.results,
            self.warnings,
            trail=self.trail,
            notes=self.notes,
        )


LEAST: Final = 1e-6  # less is nothing


def small(found: Figure) -> Figure:
    """Return a figure with two of its digits shown, where its decimals would show one or none of what is not nothing."""
    if not isinstance(found.value, int | float) or not LEAST < abs(found.value) < 10.0**-found.decimals:
        return found
    return replace(found, decimals=1 - math.floor(math.log10(abs(found.value))))


def figure(
    name: str, label: str, data: Mapping[str, Datum], *, result: str = "", decimals: int = 1, unit: str | None = None
) -> Figure:
    """Compute a method with sourced arguments and keep everything needed to explain it.

    Parameters
    ----------
    name : str
        Method name in the book.
    label : str
        What the number is, in an operator's words.
    data : mapping
        Argument name to `Datum`; arguments left out take the method's default.
    result : str
        Which result to show; the first by default.

    Raises
    ------
    DomainError
        As the method does.
    """
    method = find_method(name)
    with recording() as record:
        results = method.as_mapping(method.call(**{key: datum.value for key, datum in data.items()}))
    shown = result or method.results[0]
    if results[shown] is None:  # no time, say, where nothing is drawn: no number to show
        message = record.warnings[0] if record.warnings else f"{method.title.lower()}: it has no value here"
        raise DomainError("E_SINGULAR", shown, message)
    full = dict(data)
    for argument, default in method.defaults.items():
        full.setdefault(argument, Datum(default, Origin("assumed", "the method's default")))
    label_unit = unit_of(shown) if unit is None else unit
    return Figure(
        label,
        results[shown],
        label_unit,
        decimals,
        None,
        method,
        shown,
        full,
        results,
        tuple(dict.fromkeys(record.warnings)),
        trail=tuple(record.steps[:-1]) if len(record.steps) <= MOST_TRAIL else (),
        notes=tuple(record.notes[:MOST_NOTES]),
    )


MOST_STEPS: Final = 8
MOST_TRAIL: Final = 32  # of a march that takes hundreds none is kept
MOST_NOTES: Final = 12


def _same(one: Mapping[str, Any], other: Mapping[str, Any]) -> bool:
    return all(number_text(one[name]) == number_text(other[name]) for name in one)


def given(label: str, value: float, unit: str, origin: Origin, decimals: int = 1) -> Figure:
    """Return a measured, entered or set number as a figure."""
    return Figure(label, value, unit, decimals, origin)


def number_text(value: Any, digits: int = 5) -> str:
    """Return a number short enough to read in a working, lists by their ends."""
    if value is None:
        return "not given"
    if isinstance(value, (list, tuple, np.ndarray)):
        items = list(value)
        if items and isinstance(items[0], Mapping):
            return "; ".join(", ".join(f"{spoken(k)} {number_text(v)}" for k, v in row.items()) for row in items)
        if len(items) > 6:
            return f"{len(items)} values, {number_text(items[0])} to {number_text(items[-1])}"
        return "(" + ", ".join(number_text(item) for item in items) + ")"
    if isinstance(value, str):
        return value
    return f"{float(value):.{digits}g}"
