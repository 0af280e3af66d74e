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

from stock.checking import MISSING, SCALARS, AnyArg, Arg, Choice, Rows, check_number, check_other, edges
from stock.errors import DomainError
from stock.names import alike, present, spoken, unit_of

__all__ = [
    "ALIASES", "METHODS", "AnyArg", "Arg", "Choice", "Example", "Method", "Noted", "Recording", "Rows", "Step",
    "find_method", "method", "note", "recording", "warn",
]  # fmt: skip

P = ParamSpec("P")
R = TypeVar("R")


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


@dataclass(frozen=True, slots=True)
class Noted:
    """A number met on the way through an algorithm: what it is, and in which unit."""

    words: str
    value: float
    unit: str


@dataclass(slots=True)
class Recording:
    """What happened while somebody looked: steps in order of completion, numbers met on the way, and warnings."""

    steps: list[Step] = field(default_factory=list)
    warnings: list[str] = field(default_factory=list)
    notes: list[Noted] = field(default_factory=list)


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


def note(words: str, value: float, unit: str = "") -> None:
    """Note a number met on the way through an algorithm, if anybody is recording."""
    if (record := _recording.get()) is not None:
        record.notes.append(Noted(words, float(value), unit))


def find_method(name: str) -> Method:
    """Return the method called `name`, by its own name or an alias.

    Raises
    ------
    LookupError
        If the book has no such method; the message offers the nearest names.
    """
    if (found := METHODS.get(name) or METHODS.get(ALIASES.get(name) or present(name))) is not None:
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
        if entry.name in METHODS or entry.name in aliases:
            message = f"there are two methods called {entry.name}"
            raise ValueError(message)
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
            limits.append((name, *edges(arg), defaults.get(name, MISSING)))
        else:
            others.append(name)

    names = arguments.keys()

    @wraps(function)
    def call(**kwargs: Any) -> Any:
        if not kwargs.keys() <= names:
            kwargs = _under_own_names(function.__name__, kwargs, arguments)
        get = kwargs.get
        for name, low, high, default in limits:
            value = get(name, default)
            if value.__class__ in SCALARS and low <= value <= high:
                continue
            if value is default and value is None:
                continue
            kwargs[name] = check_number(name, value, arguments[name], low, high)
        for name in others:
            value = get(name, defaults.get(name, MISSING))
            if value is not None or defaults.get(name, MISSING) is not None:
                kwargs[name] = check_other(name, value, arguments[name])
        try:
            result = function(**kwargs)
        except DomainError:
            raise
        except (ArithmeticError, ValueError) as error:
            raise _no_result(function.__name__, kwargs) from error
        if not _is_finite(result):
            raise _no_result(function.__name__, kwargs)
        if (record := _recording.get()) is not None:
            _note(record, call.method, defaults, kwargs, result)  # type: ignore[attr-defined]
        return result

    return call


def _under_own_names(method: str, given: Mapping[str, Any], arguments: Mapping[str, AnyArg]) -> dict[str, Any]:
    """Return arguments under the names a method has for them: another spelling of bone-dry, a list without its `each`.

    Raises
    ------
    DomainError
        E_TYPE, for a name that means none of them.
    """
    own = {alike(name): name for name in arguments}
    found: dict[str, Any] = {}
    for name, value in given.items():
        known = name if name in arguments else own.get(alike(name))
        if known is None or known in found or (known != name and known in given):
            allowed = ", ".join(arguments)
            message = f"{method} takes no argument {name}; it takes {allowed}"
            raise DomainError("E_TYPE", name, message, allowed)
        found[known] = value
    return found


def _is_finite(result: Any) -> bool:
    """Whether every number of a result is one; an array stands for itself, since its arguments were checked."""
    if result.__class__ is float:
        return math.isfinite(result)
    if isinstance(result, tuple):
        return all(np.isfinite(one).all() for one in result if isinstance(one, (float, np.ndarray, np.floating)))
    return True


def _no_result(method: str, given: Mapping[str, Any]) -> DomainError:
    """Return the refusal of values that are each allowed and together give no number."""
    first = next(iter(given), "")
    title = METHODS[method].title.lower()
    message = f"{title}: these values together give no finite result; one of them is far from anything real"
    return DomainError("E_RANGE", first, message, "values of the same mill, of the same moment")


def _note(
    record: Recording, entry: Method, defaults: Mapping[str, Any], kwargs: Mapping[str, Any], result: Any
) -> None:
    """Write one step, and a warning for each argument outside its usual band."""
    given = {name: kwargs.get(name, defaults.get(name)) for name in entry.arguments}
    for name, value in given.items():
        arg = entry.arguments[name]
        if isinstance(arg, Arg) and arg.usual and isinstance(value, SCALARS):
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
