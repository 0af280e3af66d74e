"""The method registry, and the recorder that makes every number explainable.

A method is a plain function of unit-suffixed keyword arguments. `@method` registers
it with its equation, limits, source and worked example, checks its arguments on each
call, and, while somebody is recording, notes the call as a `Step`.
"""

import math
from collections.abc import Callable, Iterator, Mapping
from contextlib import contextmanager
from contextvars import ContextVar
from dataclasses import dataclass, field
from functools import wraps
from typing import Any, Final, ParamSpec, TypeVar, cast

import numpy as np

from stock.errors import DomainError
from stock.names import spoken, unit_of

P = ParamSpec("P")
R = TypeVar("R")
_SCALARS: Final = (float, int)
_MISSING: Final = object()


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
    """An argument that takes a list of records, each a mapping of the given numbers."""

    meaning: str
    columns: Mapping[str, Arg]


AnyArg = Arg | Choice | Rows


@dataclass(frozen=True, slots=True)
class Example:
    """A worked example from the literature or the domain reference; run as a test."""

    arguments: Mapping[str, Any]
    result: Mapping[str, Any]
    tolerance: float = 1e-3


@dataclass(frozen=True, slots=True)
class Step:
    """One recorded call: which method, what went in, what came out."""

    method: "Method"
    arguments: Mapping[str, Any]
    result: Mapping[str, Any]


@dataclass(slots=True)
class Recording:
    """What happened while somebody looked: steps in order of completion, and warnings."""

    steps: list[Step] = field(default_factory=list)
    warnings: list[str] = field(default_factory=list)


@dataclass(frozen=True, slots=True)
class Method:
    """One entry of the book."""

    name: str
    title: str
    station: str
    equation: str
    arguments: Mapping[str, AnyArg]
    defaults: Mapping[str, Any]
    results: tuple[str, ...]
    source: str
    example: Example
    notes: str
    aliases: tuple[str, ...]
    exact: bool
    call: Callable[..., Any]
    bare: Callable[..., Any]

    def as_mapping(self, result: Any) -> dict[str, Any]:
        """Return a result as {result name: value}, whatever shape the function gives it."""
        if hasattr(result, "_asdict"):
            return dict(result._asdict())
        return {self.results[0]: result}


METHODS: Final[dict[str, Method]] = {}
ALIASES: Final[dict[str, str]] = {}
_recording: ContextVar[Recording | None] = ContextVar("stock_recording", default=None)


@contextmanager
def recording() -> Iterator[Recording]:
    """Note every method call made inside the block, in this context alone."""
    record = Recording()
    token = _recording.set(record)
    try:
        yield record
    finally:
        _recording.reset(token)


def warn(text: str) -> None:
    """Attach a warning to the result being computed, if anybody is recording."""
    if (record := _recording.get()) is not None:
        record.warnings.append(text)


def find_method(name: str) -> Method:
    """Return the method called `name`, by its own name or an alias.

    Raises
    ------
    LookupError
        If the book has no such method; the message offers the nearest names.
    """
    if (found := METHODS.get(ALIASES.get(name, name))) is not None:
        return found
    from difflib import get_close_matches

    near = get_close_matches(name, [*METHODS, *ALIASES], n=3, cutoff=0.5)
    hint = f"; near to it: {', '.join(near)}" if near else ""
    message = f"no method is called {name}{hint}"
    raise LookupError(message)


def method(
    equation: str,
    *,
    title: str,
    station: str,
    source: str,
    example: Example,
    aliases: tuple[str, ...] = (),
    notes: str = "",
    exact: bool = True,
    results: tuple[str, ...] = (),
    **arguments: AnyArg,
) -> Callable[[Callable[P, R]], Callable[P, R]]:
    """Register a calculation in the book and guard its arguments.

    Parameters
    ----------
    equation : str
        One assignment a line, over the argument names: the text people read and, when
        `exact`, the text a test evaluates against the code.
    exact : bool
        False for algorithms (integrals, searches) whose text states the relation only.
    results : tuple of str
        Result names; read from the equation's left-hand sides when not given.
    """

    def register(function: Callable[P, R]) -> Callable[P, R]:
        defaults: dict[str, Any] = dict(getattr(function, "__kwdefaults__", None) or {})
        names = results or tuple(line.partition("=")[0].strip() for line in equation.strip().splitlines())
        for name, arg in arguments.items():
            if isinstance(arg, Arg):
                unit_of(name)  # a name without a unit fails at import, not on a screen
        for name in names:
            unit_of(name)
        guarded = _guard(function, arguments, defaults)
        entry = Method(
            name=function.__name__,
            title=title,
            station=station,
            equation=equation.strip(),
            arguments=arguments,
            defaults=defaults,
            results=names,
            source=source,
            example=example,
            notes=notes,
            aliases=aliases,
            exact=exact,
            call=guarded,
            bare=function,
        )
        guarded.method = entry  # type: ignore[attr-defined]
        guarded.__doc__ = _docstring(entry, function.__doc__ or "")
        METHODS[entry.name] = entry
        ALIASES.update(dict.fromkeys(aliases, entry.name))
        return cast("Callable[P, R]", guarded)

    return register


def _guard(
    function: Callable[..., Any], arguments: Mapping[str, AnyArg], defaults: Mapping[str, Any]
) -> Callable[..., Any]:
    """Wrap `function` with its checks; scalars take the short way through."""
    limits = []
    others = []
    for name, arg in arguments.items():
        if isinstance(arg, Arg) and not arg.series:
            low = math.nextafter(arg.low, math.inf) if arg.above else max(arg.low, -1.7976931348623157e308)
            high = math.nextafter(arg.high, -math.inf) if arg.below else min(arg.high, 1.7976931348623157e308)
            limits.append((name, low, high, defaults.get(name, _MISSING)))
        else:
            others.append(name)

    @wraps(function)
    def call(**kwargs: Any) -> Any:
        get = kwargs.get
        for name, low, high, default in limits:
            value = get(name, default)
            if value.__class__ in _SCALARS and low <= value <= high:
                continue
            if value is default and value is None:
                continue
            kwargs[name] = _check_number(name, value, arguments[name], low, high)
        for name in others:
            value = get(name, defaults.get(name, _MISSING))
            if value is not None or defaults.get(name, _MISSING) is not None:
                kwargs[name] = _check_other(name, value, arguments[name])
        result = function(**kwargs)
        if (record := _recording.get()) is not None:
            _note(record, call.method, defaults, kwargs, result)  # type: ignore[attr-defined]
        return result

    return call


def _check_number(name: str, value: Any, arg: Any, low: float, high: float) -> Any:
    """Accept an array inside its limits; refuse anything else by name."""
    unit = unit_of(name)
    if isinstance(value, np.ndarray) and value.dtype.kind in "fiu" and value.size:
        if low <= value.min() and value.max() <= high:
            return value
        outside = value[~((value >= low) & (value <= high))].flat[0]
        raise _out_of_range(name, float(outside), unit, arg)
    if isinstance(value, np.generic) and value.dtype.kind in "fiu":
        value = value.item()
    if value is _MISSING or value is None:
        message = f"{spoken(name)} is missing; give {arg.allowed(unit)}"
        raise DomainError("E_TYPE", name, message, arg.allowed(unit))
    if isinstance(value, bool) or not isinstance(value, _SCALARS) or not math.isfinite(value):
        shown = repr(value)[:40]
        message = f"{spoken(name)} is {shown}, which is not a number; give {arg.allowed(unit)}"
        raise DomainError("E_TYPE", name, message, arg.allowed(unit))
    if low <= value <= high:
        return value
    raise _out_of_range(name, value, unit, arg)


def _out_of_range(name: str, value: float, unit: str, arg: Arg) -> DomainError:
    if not math.isfinite(value):
        return DomainError("E_TYPE", name, f"{spoken(name)} is not a finite number", arg.allowed(unit))
    message = f"{spoken(name)} is {value:g} {unit}".rstrip() + f", outside {arg.allowed(unit)}"
    if name.endswith("_frac") and 1 < value <= 100 and arg.high <= 1:
        message += f"; if {value:g} % was meant, give {value / 100:g}"
    return DomainError("E_RANGE", name, message, arg.allowed(unit))


def _check_other(name: str, value: Any, arg: Any) -> Any:
    """Check a series, a choice or a list of records."""
    if value is _MISSING:
        raise DomainError("E_TYPE", name, f"{spoken(name)} is missing", "a value")
    if isinstance(arg, Choice):
        if value not in arg.options:
            allowed = ", ".join(arg.options)
            raise DomainError(
                "E_UNIT", name, f"{spoken(name)} is {str(value)[:40]!r}; choose one of {allowed}", allowed
            )
        return value
    if not isinstance(value, (list, tuple, np.ndarray)):
        message = f"{spoken(name)} must be a list; it is {type(value).__name__}"
        raise DomainError("E_TYPE", name, message, "a list")
    if isinstance(arg, Rows):
        return [_check_row(name, index, row, arg) for index, row in enumerate(value)]
    return _check_series(name, value, arg)


def _check_series(name: str, value: Any, arg: Arg) -> np.ndarray:
    unit = unit_of(name)
    try:
        series = np.asarray(value, dtype=float)
    except (TypeError, ValueError):
        message = f"{spoken(name)} holds something that is not a number"
        raise DomainError("E_TYPE", name, message, arg.allowed(unit)) from None
    if series.ndim != 1 or series.size < arg.count:
        message = f"{spoken(name)} has {series.size} values; at least {arg.count} are needed"
        raise DomainError("E_COUNT", name, message, f"a list of {arg.count} or more")
    low = math.nextafter(arg.low, math.inf) if arg.above else arg.low
    high = math.nextafter(arg.high, -math.inf) if arg.below else arg.high
    bad = ~((series >= low) & (series <= high) & np.isfinite(series))
    if bad.any():
        raise _out_of_range(name, float(series[bad][0]), unit, arg)
    return series


def _check_row(name: str, index: int, row: Any, arg: Rows) -> dict[str, float]:
    if not isinstance(row, Mapping):
        message = f"{spoken(name)}, row {index + 1}, must be a record of {', '.join(arg.columns)}"
        raise DomainError("E_TYPE", name, message, ", ".join(arg.columns))
    checked = {}
    for column, limit in arg.columns.items():
        try:
            low = math.nextafter(limit.low, math.inf) if limit.above else limit.low
            checked[column] = _check_number(column, row.get(column), limit, low, limit.high)
        except DomainError as error:
            message = f"{spoken(name)}, row {index + 1}: {error.message}"
            raise DomainError(error.code, f"{name}[{index}].{column}", message, error.allowed) from None
    return checked


def _note(
    record: Recording, entry: Method, defaults: Mapping[str, Any], kwargs: Mapping[str, Any], result: Any
) -> None:
    """Write one step, and a warning for each argument outside its usual band."""
    given = {name: kwargs.get(name, defaults.get(name)) for name in entry.arguments}
    for name, value in given.items():
        arg = entry.arguments[name]
        if isinstance(arg, Arg) and arg.usual and isinstance(value, _SCALARS):
            low, high = arg.usual
            if not low <= value <= high:
                unit = unit_of(name)
                record.warnings.append(
                    f"{spoken(name)} is {value:g} {unit}; usual is {low:g} to {high:g} {unit}".strip()
                )
    record.steps.append(Step(entry, given, entry.as_mapping(result)))


def _docstring(entry: Method, summary: str) -> str:
    """Write the numpydoc sections from the registered facts, so that they cannot drift."""
    lines = [summary.strip(), "", "Parameters", "----------"]
    for name, arg in entry.arguments.items():
        if isinstance(arg, Arg):
            kind = "array_like" if arg.series else "float or ndarray"
            lines += [f"{name} : {kind}", f"    {arg.meaning} [{unit_of(name) or '-'}], {arg.allowed('')}."]
        elif isinstance(arg, Choice):
            lines += [f"{name} : str", f"    {arg.meaning}: {', '.join(arg.options)}."]
        else:
            lines += [f"{name} : list of dict", f"    {arg.meaning}; each with {', '.join(arg.columns)}."]
    lines += ["", "Returns", "-------"]
    for name in entry.results:
        lines += [f"{name} : float", f"    [{unit_of(name) or '-'}]"]
    lines += [
        "",
        "Raises",
        "------",
        "DomainError",
        "    If an argument is missing, not a number, or outside its limits.",
    ]
    lines += ["", "Notes", "-----", entry.equation, entry.notes, "", "References", "----------", entry.source]
    return "\n".join(lines)
