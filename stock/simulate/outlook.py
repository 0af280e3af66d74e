"""Looking ahead: the same plant run on with longer steps, from where a line stands; and what if something were changed.

What is measured sets where it begins: levels, how fast they run, the cooks that are in. From there the plant
runs by its order and those accepted, with its cooks at their pace. What is not sure is told as a band: the
level itself, meters that are a little off, flows that wander; near a blow not a bell but one of two levels.
"""

import math
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field, replace
from typing import Final, Literal

import numpy as np

from stock.errors import DomainError
from stock.line.definition import Definition
from stock.line.order import Order
from stock.plan.ahead import band_reach, held_level_sd, level_ahead_sd, normal_below
from stock.primitives import Vessel
from stock.simulate.columns import SOLIDS
from stock.simulate.plant import Plant

STEP_S: Final = 60.0
SHOWN_MIN: Final = 10
COVER: Final = 0.80
LEVEL_SD_PCT: Final = 1.5  # of a vessel, what its level and consistency are known to
METER_FRAC: Final = 0.015  # of a flow, that feed less draw may be off for good
WANDER_FRAC, WANDER_H = 0.05, 0.5
BLOW_SD_MIN, LATER_SD_MIN = 6.0, 15.0  # of a cook that is in, and for each one after it
DRAWS: Final = 200
RUNS_PCT_PER_H: Final = 0.5  # of a vessel, slower than which a level is taken as held
RUNS_OF_FLOW: Final = 0.02  # of what is drawn, less than which too
ALERT, WARN = 0.10, 0.50
DRY_PCT, SPILLS_PCT = 0.5, 99.5

What = Literal["rate", "share", "stop", "hold", "break"]


@dataclass(frozen=True, slots=True)
class InFlight:
    """A cook that is in: its digester, how long it has been, when it is relieved."""

    digester: int
    age_min: float
    to_relief_min: float


@dataclass(frozen=True, slots=True)
class Stands:
    """Where a line stands: levels and how fast they run, its order and those to come, the cooks that are in."""

    levels_pct: Mapping[str, float]
    slopes_pct_per_h: Mapping[str, float]
    order: Order
    to_come: Sequence[tuple[float, Order]] = ()  # hours from now
    cooks: Sequence[InFlight] = ()


@dataclass(frozen=True, slots=True)
class Change:
    """What might be done: the machine at another rate, another share, a station stopped, a blow held, the sheet lost."""

    what: What
    where: str = ""  # stream of the furnish, unit, or number of a digester
    value: float = 0.0  # t/h, or points of the furnish
    from_h: float = 0.0
    hours: float = 1.0


@dataclass(frozen=True, slots=True)
class Blow:
    """A blow ahead: when, into what, how much, how far off it may be, how long it takes."""

    at_h: float
    unit: str
    bdt: float
    sd_h: float
    long_h: float


@dataclass(frozen=True, slots=True)
class Course:
    """A vessel's level ahead, per cent: what is expected, the band, the chance to run low or over, by time."""

    unit: str
    expected_pct: list[float]
    low_pct: list[float]
    high_pct: list[float]
    chance_low: list[float]
    chance_over: list[float]

    def first(self, times_h: Sequence[float], chance: float = ALERT) -> tuple[str, float, float] | None:
        """Return what it meets first with more than a chance: `low` or `over`, the hour, the chance then; None where neither."""
        for at, low, over in zip(times_h, self.chance_low, self.chance_over, strict=True):
            if max(low, over) > chance:
                return ("low", at, low) if low >= over else ("over", at, over)
        return None

    def ends(self, times_h: Sequence[float]) -> tuple[str, float] | None:
        """Return where its expected level leads in the end: `dry` or `spills`, and the hour; None where to neither."""
        for at, level in zip(times_h, self.expected_pct, strict=True):
            if not DRY_PCT < level < SPILLS_PCT:
                return ("dry" if level <= DRY_PCT else "spills"), at
        return None


@dataclass(frozen=True, slots=True)
class Outlook:
    """All of it."""

    times_h: list[float]
    courses: Mapping[str, Course]
    blows: list["Blow"]
    orders: list[tuple[float, str]]
    events: list[tuple[float, str, str]] = field(default_factory=list)


def look_ahead(
    line: Definition, stands: Stands, *, hours: float = 12.0, changes: Sequence[Change] = (), seed: int = 1
) -> Outlook:
    """Return a line's next hours.

    Raises
    ------
    DomainError
        E_RANGE for hours beyond 0 to 48 or a change of what is not there, E_OBSERV where no level is known.
    """
    if not 0 < hours <= 48:
        raise DomainError("E_RANGE", "hours", f"{hours:g} h ahead", "more than 0, to 48 h")
    if not stands.levels_pct:
        raise DomainError(
            "E_OBSERV", "levels_pct", "no level is known, so nothing can be looked ahead from", "one level"
        )
    for change in changes:
        refuse(line, stands, change)
    plant = Plant(line, stands.order, seed=seed, dt_s=STEP_S, rides=False)
    _begin(plant, stands)
    wanted = _timetable(plant, stands, changes)
    times, levels = _run(plant, wanted, hours, stands)
    blows = _blows(plant, stands)
    courses = {unit: _course(plant, unit, times, values, blows, seed) for unit, values in levels.items()}
    orders = [(at, order.grade.name) for at, order in stands.to_come if at <= hours]
    events = [(one.at_s / 3600, one.unit, one.words) for one in plant.events if one.at_s > 0]
    return Outlook(times, courses, blows, orders, events)


def refuse(line: Definition, stands: Stands, change: Change) -> None:
    """Refuse a change of what is not there, or one that cannot be.

    Raises
    ------
    DomainError
        E_RANGE, naming what and what is allowed.
    """
    if not (0 <= change.from_h <= 48 and 0 < change.hours <= 24):
        raise DomainError(
            "E_RANGE", "hours", f"from {change.from_h:g} h, for {change.hours:g} h", "from 0 to 48 h, up to 24 h long"
        )
    if change.what == "rate" and not 0 < change.value <= 200:
        raise DomainError("E_RANGE", "value", f"the machine at {change.value:g} t/h", "more than 0, to 200 t/h")
    if change.what == "share" and change.where not in stands.order.shares:
        raise DomainError(
            "E_RANGE", "where", f"{change.where[:40]} is no part of the furnish", ", ".join(stands.order.shares)
        )
    if change.what == "share" and not 0 <= change.value <= 100:
        raise DomainError("E_RANGE", "value", f"a share of {change.value:g} %", "0 to 100 %")
    if change.what == "stop" and all(one.id != change.where for one in line.stations):
        raise DomainError(
            "E_RANGE", "where", f"there is no station {change.where[:40]}", ", ".join(one.id for one in line.stations)
        )
    numbers = [str(one.number) for one in line.cook.digesters]
    if change.what == "hold" and change.where not in numbers:
        raise DomainError(
            "E_RANGE", "where", f"there is no digester {change.where[:10]}", ", ".join(numbers) or "none here"
        )


# ---- where it begins


def _begin(plant: Plant, stands: Stands) -> None:
    for unit, level in stands.levels_pct.items():
        if unit in plant.layout.row and unit in plant.line.graph.units:
            plant.set_level(unit, min(max(level, 1.0), 99.0))
    for unit, slope in stands.slopes_pct_per_h.items():
        if abs(slope) >= RUNS_PCT_PER_H and unit in stands.levels_pct:
            _runs(plant, unit, slope)
    _cooks(plant, stands)


def _runs(plant: Plant, unit: str, slope_pct_per_h: float) -> None:
    """Let a level run as it does: what feeds it is left by hand where that leads."""
    loop = plant.loop_at.get(f"level:{unit}")
    volume = getattr(plant.line.unit(unit), "volume_m3", None)
    if loop is None or not volume or (driven := int(plant.loop_driven[loop])) < 0:
        return
    onward = plant.line.graph.onward(unit)
    out = plant.result.streams[onward.id].total_t_per_h / 3600 if onward is not None else 0.0
    surplus = slope_pct_per_h / 100 * volume / 3600
    if abs(surplus) < RUNS_OF_FLOW * out:
        return
    over = 1 + surplus / out if out > 0 else 1.0
    plant.take_by_hand(driven, float(plant.design[driven]) * min(max(over, 0.0), 2.0))


def _cooks(plant: Plant, stands: Stands) -> None:
    known = {one.digester: one for one in stands.cooks}
    for index, house in enumerate(plant.batches.houses):
        newest = math.inf
        for at, vessel in enumerate(house.vessels):
            one = known.get(vessel.number)
            if one is None:
                continue
            heat_s = 60 * (one.age_min + one.to_relief_min - house.heat_from_min)
            plant.batches.put(index, at, 60 * one.age_min, late_s=0.0, heat_s=max(60.0, heat_s))
            newest = min(newest, 60 * one.age_min)
        started = 0.0 if math.isinf(newest) else newest
        house.next_start_s = max(0.0, house.every_s - started)
    plant.events.clear()


def _timetable(plant: Plant, stands: Stands, changes: Sequence[Change]) -> list[tuple[float, str, object]]:
    """Return what happens when, in order: (second, verb, what)."""
    found: list[tuple[float, str, object]] = [(3600 * at, "order", order) for at, order in stands.to_come]
    base = stands.order
    for change in changes:
        start, end = 3600 * change.from_h, 3600 * (change.from_h + change.hours)
        if change.what == "rate":
            then = [order for at, order in stands.to_come if 3600 * at <= end]
            found += [(start, "rate", change.value), (end, "rate", (then[-1] if then else base).reel_t_per_h)]
        elif change.what == "share":
            found.append((start, "order", with_share(base, change.where, change.value / 100)))
        elif change.what == "stop":
            for name in _flows_at(plant, change.where):
                found += [(start, "fault", name), (end, "mend", name)]
        elif change.what == "break":
            found.append((start, "break", 60 * change.hours))
        else:
            found += [(start, "hold", int(change.where)), (end, "release", int(change.where))]
    return sorted(found, key=lambda one: one[0])


def with_share(order: Order, stream: str, share: float) -> Order:
    """Return an order with one share of the furnish set, the others in their own ratio."""
    rest = sum(value for name, value in order.shares.items() if name != stream)
    if rest <= 0:
        return replace(order, shares={stream: 1.0})
    shares = {name: share if name == stream else value / rest * (1 - share) for name, value in order.shares.items()}
    return replace(order, shares=shares)


def _flows_at(plant: Plant, station: str) -> list[str]:
    """Return the flows of stock that stand still when a station does: those that feed its units."""
    found = []
    for index in plant.driven:
        stream = plant.line.stream(plant.layout.transfers[index].id)
        way = [plant.line.unit(stream.target), *plant.line.graph.downstream(stream.target)]
        thick = float(plant.layout.transfers[index].make_up[SOLIDS].sum()) > 0.005
        until = next((one for one in way if getattr(one, "volume_m3", None)), None)
        passed = way[: way.index(until)] if until is not None else way
        if thick and any(one.station == station for one in passed):
            found.append(stream.id)
    return found


def _run(
    plant: Plant, wanted: list[tuple[float, str, object]], hours: float, stands: Stands
) -> tuple[list[float], dict[str, list[float]]]:
    units = [unit for unit in stands.levels_pct if f"level:{unit}" in plant.loop_at or unit in plant.layout.row]
    units = [unit for unit in units if getattr(plant.line.graph.units.get(unit), "volume_m3", None)]
    times: list[float] = []
    levels: dict[str, list[float]] = {unit: [] for unit in units}
    faults: dict[str, int] = {}
    every = int(60 * SHOWN_MIN / STEP_S)
    for step in range(int(hours * 3600 / STEP_S) + 1):
        while wanted and wanted[0][0] <= plant.now_s + 1e-6:
            _, verb, what = wanted.pop(0)
            _happens(plant, verb, what, faults)
        if step % every == 0:
            times.append(plant.now_s / 3600)
            for unit in units:
                volume = plant.line.unit(unit).volume_m3  # type: ignore[attr-defined]
                levels[unit].append(100 * plant.content(plant.layout.row[unit]) / volume)
        plant.step()
    return times, levels


def _happens(plant: Plant, verb: str, what: object, faults: dict[str, int]) -> None:
    if verb == "order":
        assert isinstance(what, Order)
        plant.set_order(what)
    elif verb == "rate":
        plant.set_order(replace(plant.order, reel_t_per_h=float(what)))  # type: ignore[arg-type]
    elif verb == "fault":
        faults[str(what)] = plant.fault("flow_limited", str(what), frac=0.0)
    elif verb == "mend":
        plant.mend(faults.pop(str(what)))
    elif verb == "break":
        reel = next(one.id for one in plant.line.units if getattr(one, "order", False))
        plant.fault("sheet_break", reel, minutes=min(float(what), 180.0))  # type: ignore[arg-type]
    else:
        index, at = plant.batches.find(int(what))  # type: ignore[call-overload]
        plant.batches.houses[index].vessels[at].held = verb == "hold"


# ---- what is not sure


def _blows(plant: Plant, stands: Stands) -> list[Blow]:
    """Return the blows of the run."""
    found, seen = [], 0
    for event in plant.events:
        if event.at_s <= 0 or not event.words.endswith("blown"):
            continue
        index = next(
            (i for i, row in enumerate(plant.batches.targets) if plant.layout.holders[row].unit == event.unit), None
        )
        if index is None:
            continue
        group = plant.layout.groups[index]
        seen += 1
        first = seen <= len(stands.cooks)
        sd = BLOW_SD_MIN if first else math.hypot(BLOW_SD_MIN, LATER_SD_MIN)
        long_h = plant.batches.houses[index].recipe.blow_min / 60
        found.append(Blow(event.at_s / 3600, event.unit, group.charge_bdt * group.yield_frac, sd / 60, long_h))
    return found


def _course(
    plant: Plant,
    unit_id: str,
    times: Sequence[float],
    levels: Sequence[float],
    blows: Sequence[Blow],
    seed: int,
) -> Course:
    """Return a level's course with its band: a bell, or one of two levels near a blow."""
    unit = plant.line.unit(unit_id)
    assert isinstance(unit, Vessel) or hasattr(unit, "volume_m3")
    volume = float(getattr(unit, "volume_m3", 1.0))
    thick = (getattr(unit, "holds_pct", 0.0) or 4.0) / 100
    onward = plant.line.graph.onward(unit_id)
    flow = plant.result.streams[onward.id].bdt_per_h if onward is not None else 0.0
    full = volume * thick
    low, high = float(getattr(unit, "low_pct", 10.0)), float(getattr(unit, "high_pct", 95.0))
    sds = [100 / full * _sd_bdt(plant, unit_id, at, full, flow) for at in times]
    own = [one for one in blows if one.unit == unit_id]
    if own:
        return _two_levels(unit_id, times, levels, sds, own, full, (low, high), seed)
    reach = band_reach(COVER)
    return Course(
        unit_id,
        [float(one) for one in levels],
        [one - reach * sd for one, sd in zip(levels, sds, strict=True)],
        [one + reach * sd for one, sd in zip(levels, sds, strict=True)],
        [normal_below((low - one) / max(sd, 1e-9)) for one, sd in zip(levels, sds, strict=True)],
        [1 - normal_below((high - one) / max(sd, 1e-9)) for one, sd in zip(levels, sds, strict=True)],
    )


def _sd_bdt(plant: Plant, unit_id: str, at_h: float, full_bdt: float, flow_bdt_per_h: float) -> float:
    """Return how far a content may be off: a level under control is brought back, one by hand is not."""
    known, wanders = LEVEL_SD_PCT / 100 * full_bdt, WANDER_FRAC * flow_bdt_per_h
    free = level_ahead_sd(
        time_h=at_h, level_sd_bdt=known, rate_bias_sd_bdt_per_h=METER_FRAC * flow_bdt_per_h, flow_sd_bdt_per_h=wanders,
        flow_correlation_h=WANDER_H,
    ).sd_bdt  # fmt: skip
    loop = plant.loop_at.get(f"level:{unit_id}")
    if loop is None or not plant.auto[loop]:
        return free
    arrest_h = float(plant.reset[loop]) / 2 / 3600
    held = held_level_sd(flow_sd_bdt_per_h=wanders, flow_correlation_h=WANDER_H, arrest_h=arrest_h)
    return min(free, math.hypot(known, held))


def _two_levels(
    unit: str, times: Sequence[float], levels: Sequence[float], sds: Sequence[float],
    blows: Sequence[Blow], full_bdt: float, span: tuple[float, float], seed: int,
) -> Course:  # fmt: skip
    """Return a course whose band is that of many runs with the blows a little earlier or later."""
    rng = np.random.default_rng([seed, 71])
    at = np.asarray(times)
    base = np.asarray(levels, dtype=float)
    draws = np.tile(base, (DRAWS, 1))
    for one in blows:
        rise = 100 * one.bdt / full_bdt
        draws -= rise * np.clip((at - one.at_h) / one.long_h, 0, 1)
        moved = one.at_h + one.sd_h * rng.standard_normal(DRAWS)
        draws += rise * np.clip((at[None, :] - moved[:, None]) / one.long_h, 0, 1)
    draws += np.asarray(sds)[None, :] * rng.standard_normal(DRAWS)[:, None]
    tail = 50 * (1 - COVER)
    low, high = (np.percentile(draws, edge, axis=0) for edge in (tail, 100 - tail))
    return Course(
        unit, [float(one) for one in levels], low.tolist(), high.tolist(),
        (draws < span[0]).mean(axis=0).tolist(), (draws > span[1]).mean(axis=0).tolist(),
    )  # fmt: skip
