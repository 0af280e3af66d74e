"""A row of a decision table, and what it may ask for.

A row goes by what is measured at what kind of part, never by an id: `reads` names the point,
`at` the kinds it is known at. What else it needs it finds from where it stands (`Here`).
"""

from collections.abc import Callable, Iterable
from dataclasses import dataclass, field

from stock.figure import Datum, Figure, Origin, figure
from stock.judge.here import Here


def _anywhere(here: Here) -> bool:
    return True


def _unlimited(here: Here, size: Figure) -> Iterable["Most"]:
    return ()


def _all_of_it(_: Here) -> float:
    return 1.0


def _nothing_named(here: Here) -> None:
    return None


def _nothing_else(here: Here, step: Figure) -> str:
    return ""


@dataclass(frozen=True, slots=True)
class Moved:
    """What a correction moves: its point in a plant, how it is called, its unit, what one of the step is there.

    `base` is what the step is counted from, where that is not where it stands: a feed from what is drawn.
    """

    point: str
    words: str
    unit: str
    per_step: float = 1.0
    base: float | None = None


@dataclass(frozen=True, slots=True)
class Most:
    """The most a first step may be, in the unit of what is moved, and what says so."""

    size: float
    words: str


@dataclass(frozen=True, slots=True)
class Handle:
    """How a correction is carried out, where the result of it can be looked at.

    Its size is a change of what is moved, or, with `present`, the setting wanted instead of the
    present one. `moves` says what is moved, where that can be named; `limits` are what a step may not pass; `look` says when to look again, as a figure
    of `look_again` or in words; `also` what else moves with it. `gain_frac` stands in for the usual
    share of a first step; `comes` says which part of what it was sized by a correction is known to bring.
    """

    look: Callable[[Here], "Figure | str"]
    present: Callable[[Here], Datum] | None = None
    limits: Callable[[Here, Figure], Iterable[Most]] = _unlimited
    also: Callable[[Here, Figure], str] = _nothing_else
    gain_frac: float | None = None
    moves: Callable[[Here], "Moved | None"] = _nothing_named
    comes: Callable[[Here], float] = _all_of_it


@dataclass(frozen=True, slots=True)
class Rule:
    """One row of a decision table. `say` turns the sized figure, and where it stands, into an instruction.

    With a `handle` the figure said is the first step, or the setting it comes to; without one it is the
    whole size: an amount that is worked out and not felt for, or what the trouble costs. `mind` says what
    else to mind while it is done.
    """

    id: str
    reads: str
    sides: tuple[str, ...]
    causes: tuple[str, ...]
    check: str
    size: Callable[[Here], Figure]
    say: Callable[[Figure, Here], str]
    at: tuple[str, ...] = ()
    where: Callable[[Here], bool] = field(default=_anywhere)
    handle: Handle | None = None
    mind: Callable[[Here, Figure], str] = _nothing_else

    def fits(self, here: Here) -> bool:
        """Whether the row is about what is measured there."""
        return self.reads == here.tag.reads and not here.kinds.isdisjoint(self.at) and self.where(here)


def by_step(noun: str | Callable[[Here], str], unit: str) -> Callable[[Figure, Here], str]:
    """Return a wording that raises or lowers something by the size."""

    def say(size: Figure, here: Here) -> str:
        verb = "Raise" if size.value >= 0 else "Lower"
        what = noun if isinstance(noun, str) else noun(here)
        return f"{verb} {what} by {abs(size.value):.{size.decimals}f} {unit}"

    return say


PIPE_MIN = 2.0  # valve, pipe and mixing
TEST_MIN = 20.0  # sampling and a test at the bench


def look_at(here: Here, *, plug_min: Datum | None = None, mixed_min: Datum | None = None) -> Figure:
    """Return when a move shows in what is read there: pipe and test, then what the stock passes."""
    live = here.tag.live
    dead = PIPE_MIN + (0.0 if live else TEST_MIN)
    words = "pipe and valve" if live else "pipe, valve, sampling and the test"
    data = {"dead_min": Datum(dead, Origin("assumed", words))}
    if plug_min is not None:
        data["plug_min"] = plug_min
    if mixed_min is not None:
        data["mixed_each_min"] = Datum([mixed_min.value], mixed_min.origin, mixed_min.figure)
    return figure("look_again", "look again", data, decimals=0)


def look_soon(here: Here) -> Figure:
    """Return when a move shows that nothing lies in the way of."""
    return look_at(here)


# ---- what is moved, by name


def dilution_flow(here: Here) -> Moved | None:
    """Return the water let in where something is read: more of it where it reads high, less where it reads low."""
    water = here.line.graph.dilution(here.unit.id)
    if water is None:
        return None
    sign = -1.0 if here.side == "low" else 1.0
    return Moved(f"flow:{water.id}", f"dilution, {_lower(here.unit.name)}", "L/min", sign)


def feed_flow(here: Here) -> Moved | None:
    """Return the flow a vessel is fed from: more of it where it runs low, less where it fills up, for all that arrives.

    None where a furnish is made up: of its shares no one is moved alone.
    """
    stream = here.line.graph.flow_into(here.unit.id)
    if stream is None or getattr(here.unit, "recipe", False):
        return None
    thick, arrives = here.facts.result.streams[stream.id].consistency_pct, here.arriving_frac(stream)
    if thick <= 0 or arrives <= 0:
        return None
    sign = -1.0 if here.side == "high" else 1.0
    per_bdt = 1000 / 60 / (thick / 100)
    drawn = here.facts.result.streams[stream.id].bdt_per_h  # at rest, as much is fed as is drawn
    per_step = sign * per_bdt / arrives
    return Moved(f"flow:{stream.id}", f"flow of {stream.called}", "L/min", per_step, drawn * per_bdt)


def net_power(here: Here) -> Moved:
    """Return the net power of the refiner something is read at."""
    return Moved(f"power:{here.unit.id}", f"net power, {_lower(here.unit.name)}", "kW")


def stage_charge(here: Here) -> Moved:
    """Return the charge of the bleach stage something is read at."""
    return Moved(f"charge:{here.unit.id}", f"charge, {_lower(here.unit.name)}", "kg/BDt")


def wash_flow(here: Here) -> Moved | None:
    """Return the wash liquor of the washer something is read at."""
    wash = getattr(here.unit, "wash", None)
    return None if wash is None else Moved(f"flow:{wash.stream}", f"shower, {_lower(here.unit.name)}", "L/min")


def reject_rate(here: Here) -> Moved | None:
    """Return the reject rate of the screens something is read at, %; a step is a fraction."""
    return Moved(f"reject:{here.unit.id}", f"reject rate by mass, {_lower(here.unit.name)}", "%", per_step=100.0)


def _lower(name: str) -> str:
    return name[:1].lower() + name[1:]
