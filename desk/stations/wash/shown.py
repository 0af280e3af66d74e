"""What a washing line shows: the dilution factor it has, its efficiency by the loss found, each machine's by its liquors, hand against laboratory."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from datetime import timedelta
from functools import lru_cache
from typing import Final

from desk.floor.state import State
from desk.stations.wash.models import MatCheck, Round
from stock.consistency.basis import liquor_ratio_t_per_bdt
from stock.errors import DomainError
from stock.figure import Datum, Figure, Origin, figure
from stock.judge.here import Place
from stock.washing.signs import Side
from stock.washing.stairs import USUAL_SOLIDS, machines_of
from stock.washing.unit import Machine, Washer

L: Final = liquor_ratio_t_per_bdt.method.bare  # type: ignore[attr-defined]
BACK: Final = timedelta(days=45)
EVERY_S: Final = 60
ROUNDS_KEPT: Final = 2048  # worked out
NEAR: Final = timedelta(minutes=90)
READ: Final = ("loss", "vacuum", "vat", "strong_solids")  # of a line, that speak for one cause or another
CAUSES: Final = "vacuum, mat, shower and its lanes, wire, air, foam, temperature"


def washers(state: State) -> list[Washer]:
    """Return the washing lines there are."""
    return [unit for unit in state.line.units if isinstance(unit, Washer)]


def rate_of(state: State, unit: Washer) -> Datum:
    """Return the pulp over a line."""
    return Place(state, unit).flow()


def factor_of(state: State, unit: Washer) -> Datum:
    """Return the dilution factor a line has: by its shower's flow where that is read, else as set."""
    stream = state.line.stream(unit.wash.stream)
    tag = stream.tag_of("flow")
    reading = state.readings.get(tag or "")
    rate = float(rate_of(state, unit).value)
    if reading is not None and not reading.trouble and rate > 0:
        liquor = reading.value * 60 / 1000 / rate
        return Datum(
            round(liquor - L(consistency_pct=unit.consistency_pct), 3),
            Origin("measured", f"{reading.tag.name} {reading.value:.0f} L/min over {rate:.2f} BDt/h"),
        )
    return Datum(unit.wash.dilution_factor_t_per_bdt, Origin("set", f"{unit.name}, by the definition"))


def solids_of(unit: Washer) -> Datum:
    """Return the solids that come with the pulp."""
    if unit.feed_solids_kg_per_bdt is None:
        return Datum(USUAL_SOLIDS, Origin("assumed", "not told by the mill's file"))
    fitted = unit.feed_solids_kg_per_bdt
    return Datum(fitted.value, Origin("set", f"fitted from {fitted.fitted_from}, {fitted.by}"))


def efficiency_of(state: State, unit: Washer) -> Figure | None:
    """Return the efficiency a line shows by the loss found last; None where none was found."""
    reading = state.readings.get(unit.tag_of("loss") or "")
    if reading is None:
        return None
    data = {
        "loss_kg_per_bdt": Datum(reading.value, Origin("measured", f"{reading.tag.name}")),
        "dilution_factor_t_per_bdt": factor_of(state, unit),
        "feed_consistency_pct": Datum(unit.wash.feed_consistency_pct, Origin("set", unit.name)),
        "feed_solids_kg_per_bdt": solids_of(unit),
    }
    try:
        return figure("efficiency_from_loss", "efficiency by the loss found", data, decimals=1)
    except DomainError:
        return None


@dataclass(frozen=True, slots=True)
class Shows:
    """What one machine shows by its liquors: the last figure, the mean of those before, whether it fell behind."""

    number: int
    machine: Machine
    last: Figure | None
    row: Round | None
    mean: float
    count: int
    behind: bool

    @property
    def words(self) -> str:
        """The plain word on it."""
        if self.last is None:
            return "not measured yet"
        doubt = self.last.results["u_e_std_ratio"]
        against = f"{self.mean:.1f} {'on mean before' if self.count else 'by the file'}"
        if self.behind:
            return f"behind: {against}. Look in order at {CAUSES}"
        if abs(self.last.value - self.mean) <= 2 * doubt:
            return f"as it was: {against}"
        return f"apart from {against}; take a second round before anything is moved"


def figure_of(row: Round) -> Figure | None:
    """Return the efficiency a round shows; None for one that cannot be."""
    by = row.by.short_name if row.by else "nobody"
    liquors = (row.filtrate_ms_per_cm, row.mat_ms_per_cm, row.wash_ms_per_cm)
    return _worked_out(row.machine, by, row.factor_t_per_bdt, row.discharge_pct, *liquors)


@lru_cache(maxsize=ROUNDS_KEPT)
def _worked_out(
    machine: int, by: str, factor: float, discharge_pct: float, filtrate: float, mat: float, wash: float
) -> Figure | None:
    """Work a round out once: it is written once, and asked for by every page."""
    said, read = Origin("entered", f"round of {by}"), Origin("entered", "as conductivity at 25 °C, mS/cm")
    data = {
        "dilution_factor_t_per_bdt": Datum(factor, said),
        "discharge_consistency_pct": Datum(discharge_pct, said),
        "filtrate_conc_kg_per_t": Datum(filtrate, read),
        "discharge_conc_kg_per_t": Datum(mat, read),
        "wash_conc_kg_per_t": Datum(wash, read),
    }
    try:
        return figure("stage_efficiency", f"efficiency of machine {machine}", data, decimals=2)
    except DomainError:
        return None


def rounds_of(state: State, unit: Washer) -> list[Round]:
    """Return a line's rounds that stand, the newest first; those of all lines are asked for at once."""
    rows = Round.objects.filter(
        world=state.world, superseded_by=None, at__gt=state.now - BACK, at__lte=state.now + timedelta(seconds=EVERY_S)
    )
    found = state.of_records("wash-rounds", lambda: list(rows.select_related("by")), EVERY_S, [Round])
    return [one for one in found if one.unit == unit.id and one.at <= state.now]


def shows_of(state: State, unit: Washer) -> list[Shows]:
    """Return what every machine shows: behind where it is below its mean by twice its doubt, twice running."""
    by_machine: dict[int, list[tuple[Round, Figure]]] = {}
    for row in rounds_of(state, unit):
        if (shown := figure_of(row)) is not None:
            by_machine.setdefault(row.machine, []).append((row, shown))
    found = []
    for number, machine in enumerate(machines_of(unit), 1):
        told = by_machine.get(number, [])
        before = [shown.value for _, shown in told[2:]] or [shown.value for _, shown in told[1:]]
        mean = sum(before) / len(before) if before else machine.e_std
        behind = bool(told) and all(
            shown.value < mean - 2 * shown.results["u_e_std_ratio"] for _, shown in told[:2]
        ) and (len(told) > 1 or not before)  # fmt: skip
        last = told[0][1] if told else None
        newest = told[0][0] if told else None
        found.append(Shows(number, machine, last, newest, mean, len(before), behind))
    return found


def measured_of(shows: Sequence[Shows]) -> dict[int, float]:
    """Return the efficiencies found by liquors, by machine counted from nought."""
    return {one.number - 1: one.last.value for one in shows if one.last is not None}


def seen_of(state: State, unit: Washer, shows: Shows) -> dict[str, Side]:
    """Return what is read at the line, and of the machine by its liquors, as sides of their bands."""
    seen: dict[str, Side] = {}
    for point in READ:
        reading = state.readings.get(unit.tag_of(point) or "")
        if reading is not None and reading.tag.band is not None and not reading.trouble:
            side = reading.verdict.side
            seen[point] = "low" if side == "low" else "high" if side == "high" else "steady"
    if shows.last is not None:
        doubt = 2 * shows.last.results["u_e_std_ratio"]
        over = shows.last.value - shows.mean
        seen["efficiency"] = "low" if over < -doubt else "high" if over > doubt else "steady"
    return seen


# ---- hand and laboratory


@dataclass(frozen=True, slots=True)
class Hand:
    """How one person's marks, or all of them, go with the loss the laboratory found."""

    who: str
    figure: Figure | None
    pairs: int

    @property
    def words(self) -> str:
        """The plain word on it."""
        if self.figure is None:
            return f"{self.pairs} of 5 pairs"
        ratio, low = self.figure.results["rank_ratio"], self.figure.results["low_ratio"]
        if low > 0:
            return f"goes with the laboratory, {ratio:.2f}"
        return f"cannot be told apart from chance, {ratio:.2f}"


def checks_of(state: State, unit: Washer) -> list[MatCheck]:
    """Return a line's mats judged by hand, the newest first."""
    rows = MatCheck.objects.filter(
        world=state.world, unit=unit.id, superseded_by=None, at__gt=state.now - BACK, at__lte=state.now
    )
    return state.of_records(f"wash-mats-{unit.id}", lambda: list(rows.select_related("by")), EVERY_S, [MatCheck])


def hands_of(state: State, unit: Washer) -> list[Hand]:
    """Return whether the hand agrees with the laboratory: all of it, then each person."""
    last = len(machines_of(unit))
    results = state.entered.get(unit.tag_of("loss") or "", [])
    pairs: dict[str, list[tuple[float, float]]] = {"all": []}
    for check in checks_of(state, unit):
        near = [one for one in results if abs(one.at - check.at) <= NEAR]
        if check.machine != last or not near:
            continue
        found = min(near, key=lambda one: abs(one.at - check.at))
        who = check.by.short_name if check.by else ""
        for name in ("all", who):
            pairs.setdefault(name, []).append((check.score, found.value))
    return [Hand(name, _agreement(told), len(told)) for name, told in pairs.items()]


def _agreement(pairs: Sequence[tuple[float, float]]) -> Figure | None:
    origin = Origin("entered", "marks of the last machine's mat, and the loss found within an hour and a half")
    data: Mapping[str, Datum] = {
        "judged_each_count": Datum([one for one, _ in pairs], origin),
        "found_each_read": Datum([one for _, one in pairs], origin),
    }
    try:
        return figure("hand_agrees", "hand against laboratory", data, result="rank_ratio", decimals=2)
    except DomainError:
        return None
