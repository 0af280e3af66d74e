"""A system of screens or cleaners worked out for what is typed, with what its counts say."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from typing import Any, Final

from desk.floor.state import State
from desk.frame.forms import number_within
from desk.stations.screening.fitting import as_accepted
from stock.errors import DomainError
from stock.figure import Datum, Figure, Origin, figure
from stock.screening.system import System, run, tail_first
from stock.screening.unit import Staged

TYPED: Final = Origin("entered", "as typed")
STAGE_FIELDS: Final = (
    ("mass", "rejects by mass", "%", 0.1, 95.0),
    ("volume", "by volume", "%", 0.1, 95.0),
    ("feed", "fed at", "%", 0.05, 15.0),
    ("quotient", "quotient", "", -1.0, 0.99),
    ("open", "open", "", 1.0, 2000.0),
)
COUNT_FIELDS: Final = (
    ("feed_count", "Pieces in the feed", 0.0, 1e5),
    ("feed_g", "of so many grams", 0.01, 1e5),
    ("accept_count", "Pieces in the accepts", 0.0, 1e5),
    ("accept_g", "of so many grams", 0.01, 1e5),
)
LESS_FRAC: Final = 0.05  # below clean, before it is more than a gauge's error
USUAL_DEBRIS: Final = 1000.0


@dataclass(frozen=True, slots=True)
class Row:
    """A stage's fields as they stand: name, label, unit, text."""

    index: int
    name: str
    fields: Sequence[tuple[str, str, str, str]]


@dataclass(frozen=True, slots=True)
class Screened:
    """A system worked out, or refused by name; what was typed stays."""

    unit: Staged
    rows: Sequence[Row]
    shared: Mapping[str, str]
    counts: Sequence[tuple[str, str, str]]
    system: System | None = None
    counted: Figure | None = None
    says: Sequence[str] = field(default_factory=list)
    doubts: Sequence[tuple[str, str]] = field(default_factory=list)
    fault: str = ""
    faulty: str = ""


def systems(state: State) -> list[Staged]:
    """Return the systems of screens and cleaners whose stages are told, with the quotients that were accepted."""
    return [as_accepted(state, unit) for unit in state.line.units if isinstance(unit, Staged) and unit.stages]


def came_of(state: State, unit: Staged) -> tuple[Datum, float]:
    """Return the stock that comes to a system, BDt/h, and its consistency, %."""
    inlets = [state.result.streams[one.id] for one in state.line.graph.into(unit.id)]
    rate, total = sum(one.bdt_per_h for one in inlets), sum(one.total_t_per_h for one in inlets)
    said = Origin("computed", f"whole-line balance, what comes to {unit.name.lower()}")
    return Datum(round(rate, 4), said), 100 * rate / total if total > 0 else 0.0


def screened(state: State, unit: Staged, typed: Mapping[str, Any]) -> Screened:
    """Work a system out; a fault names its field and keeps everything typed."""
    rate, came = came_of(state, unit)
    shared = {
        "rate": str(typed.get("rate", f"{float(rate.value):.4g}")).strip()[:20],
        "debris": str(typed.get("debris", f"{_debris(state, unit):.4g}")).strip()[:20],
    }
    rows = _rows(unit, typed)
    counts = [(name, label, str(typed.get(name, "")).strip()[:12]) for name, label, *_ in COUNT_FIELDS]
    try:
        stages = [_stage(unit, row) for row in rows]
        flow = number_within(shared["rate"], "rate", "Stock that comes", 0.01, 300.0, "BDt/h")
        debris = number_within(shared["debris"], "debris", "Debris that comes", 0.0, 1e6, "per kg")
        data = rate if "rate" not in typed else Datum(flow, TYPED)
        system = run(stages, data, came, debris)
        counted = _counted(counts, system)
        doubts = [(one.stage.name, words) for one in system.stages for words in one.doubts]
        says = [*_pressure(state, unit, system), *_says(system, stages, data, came, counted)]
        return Screened(unit, rows, shared, counts, system, counted, says, doubts)
    except DomainError as error:
        fault = f"{error.message}. Allowed: {error.allowed}" if error.allowed else error.message
        return Screened(unit, rows, shared, counts, fault=fault, faulty=error.argument)


def _debris(state: State, unit: Staged) -> float:
    return unit.debris_per_kg if unit.debris_per_kg is not None else USUAL_DEBRIS


def _rows(unit: Staged, typed: Mapping[str, Any]) -> list[Row]:
    rows = []
    for index, stage in enumerate(unit.stages):
        stands = {
            "mass": 100 * stage.mass_reject_frac, "volume": 100 * stage.volumetric_reject_frac,
            "feed": stage.feed_consistency_pct, "quotient": stage.quotient, "open": stage.installed,
        }  # fmt: skip
        fields = [
            (name, label, sign, str(typed.get(f"stage-{index}-{name}", f"{stands[name]:.4g}")).strip()[:12])
            for name, label, sign, *_ in STAGE_FIELDS
            if stands[name] is not None
        ]
        rows.append(Row(index, stage.name, fields))
    return rows


def _stage(unit: Staged, row: Row) -> Any:
    limits = {name: (label, sign, low, high) for name, label, sign, low, high in STAGE_FIELDS}
    given = {}
    for name, _, _, text in row.fields:
        label, sign, low, high = limits[name]
        given[name] = number_within(text, f"stage-{row.index}-{name}", f"{row.name}, {label}", low, high, sign)
    changed = {
        "mass_reject_frac": given["mass"] / 100, "volumetric_reject_frac": given["volume"] / 100,
        "feed_consistency_pct": given["feed"], "quotient": given["quotient"],
    }  # fmt: skip
    if "open" in given:
        if given["open"] != int(given["open"]):
            raise DomainError(
                "E_RANGE", f"stage-{row.index}-open", f"{row.name}: {given['open']:g} cleaners", "a whole number"
            )
        there = unit.stages[row.index].installed or 0
        if given["open"] > there:
            name = f"stage-{row.index}-open"
            raise DomainError(
                "E_INFEASIBLE", name, f"{row.name}: {given['open']:g} open, {there} are there", f"1 to {there}"
            )
        changed["installed"] = int(given["open"])
    return unit.stages[row.index].model_copy(update=changed)


def _counted(counts: Sequence[tuple[str, str, str]], system: System) -> Figure | None:
    """Return what two counts say; None where none are typed."""
    typed = {name: text for name, _, text in counts}
    if not any(typed.values()):
        return None
    data = {}
    for name, label, low, high in COUNT_FIELDS:
        data[name] = Datum(number_within(typed[name], name, label, low, high, ""), TYPED)
    lost = float(system.fibre.results["overall_reject_frac"])
    data["mass_reject_frac"] = Datum(lost, Origin("computed", "fibre lost by the whole system"))
    return figure("counts_compared", "debris taken out, by the counts", data, result="removal_frac", decimals=2)


def _pressure(state: State, unit: Staged, system: System) -> list[str]:
    """Say what the pressure drop that is read says of the first stage."""
    reading = state.readings.get(unit.tag_of("pressure_drop") or "")
    clean = system.stages[0].drop_kpa
    if reading is None or reading.trouble or clean is None:
        return []
    stage, read = system.stages[0].stage, Datum(reading.value, Origin("measured", reading.tag.name))
    should = Datum(clean, Origin("computed", f"{stage.name}, clean, at its flow"))
    if reading.value < (1 - LESS_FRAC) * clean:
        words = "less comes than the balance says, or cones are worn, a basket or a seal is off"
        return [f"{stage.name}: {reading.value:.0f} kPa, clean {clean:.0f}: {words}."]
    if system.stages[0].is_cleaner and stage.installed:
        data = {
            "open_count": Datum(float(stage.installed), Origin("set", stage.name)),
            "drop_kpa": read,
            "clean_kpa": should,
        }
        found = figure("cleaners_plugged", "cleaners plugged", data, decimals=1)
        words = f"{found.value:.1f} ± {found.results['u_plugged_count']:.1f} of {stage.installed} plugged by that"
        return [f"{stage.name}: {reading.value:.0f} kPa, clean {clean:.0f}: {words}."]
    found = figure("open_share", "open share", {"clean_kpa": should, "drop_kpa": read}, decimals=2)
    return [
        f"{stage.name}: {reading.value:.0f} kPa, clean {clean:.0f}: the basket is {100 * found.value:.0f} % open by that."
    ]


def _says(system: System, stages: Sequence[Any], rate: Datum, came: float, counted: Figure | None) -> list[str]:
    """Say what a first step would do, what the counts are worth, what stands in the way."""
    said = []
    step = tail_first(stages, rate, came)
    if step is not None:
        said.append(f"To save fibre, the tail first: {step[0]}; look after 30 min with more than 100 pieces counted.")
    if counted is not None:
        low, high = counted.results["removal_low_frac"], counted.results["removal_high_frac"]
        found = system.removed_pct / 100
        inside = low <= found <= high
        said.append(
            f"By the counts {100 * counted.value:.0f} % is taken out, {100 * low:.0f} to {100 * high:.0f} by chance alone;"
            f" {'the computed' if inside else 'computed'} {100 * found:.0f} % {'lies in it' if inside else 'does not: look at a basket, or a seal'}."
        )
    return said
