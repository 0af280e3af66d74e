"""A sequence worked out for what is typed: stage by stage, what each pump gives, what it costs, the cheapest charges."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from itertools import pairwise
from typing import Any, Final

from django.utils import timezone

from desk.floor.state import State
from desk.stations.bleach.cheap import Move, cheapest_of, moves_of
from desk.stations.bleach.coming import brightness_tag, coming_to, rate_of, runs_of
from desk.stations.bleach.responses import traced
from desk.stations.bleach.tanks import at_hand
from desk.stations.bleach.typed import (
    SHARED,
    TYPED,
    Row,
    Taken,
    as_stands,
    read_field,
    refuse_alike,
    rows_typed,
    stage_typed,
    text_of,
)  # fmt: skip
from stock.bleaching.cheapest import Cheapest
from stock.bleaching.colour import brightness_of, ks_of
from stock.bleaching.sequence import Bleached
from stock.bleaching.symbols import CAUTIONS, FORMULA, Symbol
from stock.bleaching.through import Run, ks_into, rows_for, rows_of, start_of
from stock.bleaching.unit import Beside, BleachStage, Stage
from stock.errors import DomainError
from stock.figure import Datum, Figure, Origin, figure

AOX_OF: Final = {"dioxide": "clo2_active_kg_per_bdt", "hypochlorite": "hypo_active_kg_per_bdt"}
SHORT_PTS: Final = 0.5  # of brightness, below which a test does not tell


@dataclass(frozen=True, slots=True)
class Ended:
    """What a stage is given and makes of the pulp."""

    index: int
    symbol: Symbol
    name: str
    charge: float
    formula: str
    celsius: float
    minutes: float
    kappa: float
    brightness: float
    viscosity: float
    yield_frac: float
    dirt_frac: float
    cod: float
    beside: Sequence[tuple[float, str]]
    stage: Stage
    pump: Figure | None
    most_l_per_min: float | None
    doubts: Sequence[str]


@dataclass(frozen=True, slots=True)
class Worked:
    """A sequence worked out, or refused by name; what was typed stays."""

    unit: BleachStage
    values: Mapping[str, str]
    rows: Sequence[Row]
    ends: Sequence[Ended] = ()
    through: Figure | None = None
    figures: Sequence[Figure] = ()
    best: Cheapest | None = None
    moves: Sequence[Move] = ()
    best_fault: str = ""
    best_cost: float | None = None
    saved: float | None = None
    says: Sequence[str] = field(default_factory=list)
    cautions: Sequence[tuple[str, str]] = ()
    fault: str = ""
    faulty: str = ""


def worked(state: State, unit: BleachStage, typed: Mapping[str, Any]) -> Worked:
    """Work a sequence out; a fault names its field and keeps everything typed."""
    usual = _defaults(state, unit)
    values = {one.name: text_of(typed, one.name, usual.get(one.name)) for one in SHARED}
    rows = rows_typed(state, unit, typed)
    try:
        return _worked(state, unit, typed, values, rows)
    except DomainError as error:
        fault = f"{error.message}. Allowed: {error.allowed}" if error.allowed else error.message
        return Worked(unit, values, rows, fault=fault, faulty=error.argument)


def _defaults(state: State, unit: BleachStage) -> dict[str, float]:
    """Return what the shared fields stand at."""
    came = coming_to(state, unit)
    tag = brightness_tag(state, unit)
    found = {
        "kappa": came.kappa_now,
        "came": brightness_of(_ks_in(state, unit, came.kappa_now)),
        "rate": float(rate_of(state, unit).value),
        "cod": unit.carryover_cod_kg_per_bdt,
    }
    if tag is not None and tag.band is not None:
        found["target"] = tag.band.target
    if unit.least_viscosity_ml_per_g is not None:
        found["viscosity"] = unit.least_viscosity_ml_per_g
    return found


def _ks_in(state: State, unit: BleachStage, kappa: float) -> float:
    """Return the k/s of what comes in: what is read at the exit, undone through the charges, at the kappa that comes."""
    tag = brightness_tag(state, unit)
    reading = state.readings.get(tag.id) if tag is not None else None
    target = tag.band.target if tag is not None and tag.band is not None else 80.0
    ends = reading.value if reading is not None else target
    came = coming_to(state, unit)
    past = came.at_exit.kappa if came.at_exit is not None else came.base_kappa
    rows = rows_of(unit, past, runs_of(state, unit))
    return ks_into(rows, start_of(unit, past), ks_of(ends)) * kappa / past


def _worked(
    state: State, unit: BleachStage, typed: Mapping[str, Any], values: Mapping[str, str], rows: Sequence[Row]
) -> Worked:
    shared = {one.name: read_field(values[one.name], one, one.name, one.label) for one in SHARED}
    kappa, rate, cod = (float(shared[name] or 0.0) for name in ("kappa", "rate", "cod"))
    taken = [row for row in rows if row.symbol]
    if not taken:
        raise DomainError("E_COUNT", "stage-0-symbol", "There is no stage", "one stage or more")
    found = [stage_typed(unit, row) for row in taken]
    refuse_alike(taken)
    stages, symbols = [one.stage for one in found], [one.symbol for one in found]
    runs = {at: as_stands(one.stage, one.symbol, one.run, rate) for at, one in enumerate(found)}
    lines = rows_for(stages, symbols, kappa, cod, runs)
    said = Origin("computed", "the stages as they stand") if not typed else TYPED
    data = {
        "stages": Datum(lines, said),
        "kappa_in_kappa": _datum(kappa, "kappa", typed, "what the cooks bring"),
        "in_brightness_pct": _datum(
            float(shared["came"] or 0), "came", typed, "the exit's reading, undone through the charges"
        ),
        "viscosity_ml_per_g": Datum(unit.viscosity_ml_per_g, state.set_origin(unit.name)),
        "carryover_cod_kg_per_bdt": _datum(cod, "cod", typed, "usual, by the mill's file"),
    }
    through = figure("bleached", "brightness at the end", data, decimals=1)
    bleached = Bleached(**through.results)
    besides = _besides(state, unit, found)
    ends = [
        _ended(unit, at, one, lines[at], bleached, rate, state, besides) for at, one in enumerate(found)
    ]  # fmt: skip
    figures = _figures(found, bleached, kappa, cod, state, unit)
    hand = at_hand(state, unit)
    best, fault = cheapest_of(unit, found, lines, shared, rate, hand)
    beside_cost = _beside_cost(state, unit, found, bleached)
    saved = _saved(figures, best, beside_cost)
    says = _says(ends, shared, bleached)
    chemicals = dict.fromkeys(one.symbol.chemical for one in ends)
    cautions = [(FORMULA[name], CAUTIONS[name]) for name in chemicals if name in CAUTIONS]
    return Worked(
        unit,
        values,
        rows,
        ends,
        through,
        figures,
        best,
        moves_of(unit, found, best, rate, kappa, hand),
        fault,
        None if best is None else best.cost_per_bdt + beside_cost,
        saved,
        says,
        cautions,
    )


def _datum(value: float, name: str, typed: Mapping[str, Any], words: str) -> Datum:
    return Datum(value, TYPED if name in typed else Origin("computed", words))


def _ended(
    unit: BleachStage, at: int, one: Taken, line: Mapping[str, float],
    bleached: Bleached, rate: float, state: State, besides: Sequence[tuple[int, Beside, float]],
) -> Ended:  # fmt: skip
    stage, symbol, run, given = one.stage, one.symbol, one.run, one.given
    charge, strength = float(run.charge_kg_per_bdt or 0.0), given["strength"]
    pump = None
    if strength is not None:
        pump = figure(
            "dosing_flow", f"pump of {symbol.symbol}",
            {
                "charge_kg_per_bdt": Datum(charge, TYPED),
                "production_bdt_per_h": Datum(rate, Origin("computed", "whole-line balance")),
                "solution_g_per_l": Datum(strength, state.set_origin(unit.name)),
            },
        )  # fmt: skip
    beside = [(charge, FORMULA[given.chemical]) for own, given, charge in besides if own == at and charge > 0]
    minutes, celsius = float(run.minutes or 0.0), float(run.temperature_c or 0.0)
    doubts = list(_doubts(stage, symbol, run, pump, rate))
    tracer = traced(state).get(f"{unit.id}:{at + 1}")
    if tracer is not None and tracer.is_channelled:
        doubts.append(
            f"channelled by the tracer of {timezone.localtime(tracer.at):%d %b %H:%M} ({tracer}): level up, consistency and"
            " warmth steady, nozzles at the next stop; conditions, not charge"
        )
    return Ended(
        at, symbol, stage.name or symbol.symbol, charge, FORMULA[symbol.chemical], celsius, minutes, bleached.each_kappa[at],
        bleached.each_brightness_pct[at], bleached.viscosity_each_ml_per_g[at], bleached.yield_each_frac[at],
        bleached.dirt_each_frac[at], bleached.cod_each_kg_per_bdt[at], beside, stage, pump, stage.most_l_per_min, doubts,
    )  # fmt: skip


def _besides(state: State, unit: BleachStage, found: Sequence[Taken]) -> list[tuple[int, Beside, float]]:
    """Return what each stage is given besides its own chemical, and how much of it stands."""
    rows = []
    for at, taken in enumerate(found):
        for beside in taken.stage.beside:
            stands = state.stands(f"beside:{unit.id}:{at + 1}:{beside.chemical}")
            rows.append((at, beside, beside.charge_kg_per_bdt if stands is None else float(stands.value)))
    return rows


def _doubts(stage: Stage, symbol: Symbol, run: Run, pump: Figure | None, rate: float) -> Sequence[str]:
    """Yield what is not usual of a stage as typed, its own settings taken as usual."""
    found = []
    if pump is not None and stage.most_l_per_min is not None and pump.value > stage.most_l_per_min:
        found.append(f"{pump.text} L/min is more than its pump gives, {stage.most_l_per_min:g}")
    for label, value, window, own, unit in (
        ("charge", run.charge_kg_per_bdt, symbol.charge, stage.charge_kg_per_bdt, "kg/BDt"),
        ("warmth", run.temperature_c, symbol.temperature_c, stage.temperature_c, "°C"),
        ("end pH", run.end_ph, symbol.ph, stage.end_ph, ""),
        ("time", run.minutes, symbol.minutes, stage.minutes(rate), "min"),
    ):
        low, high = min(window[0], own or window[0]), max(window[1], own or window[1])
        if value is not None and not low * 0.95 <= value <= high * 1.05:
            found.append(
                f"{label} {value:g} {unit} is not usual: {low:g} to {high:g} {unit}".replace("  ", " ").strip()
            )
    if symbol.chemical == "dioxide" and stage.filtrate_to in {"recovery", "the washers"}:
        found.append(
            "its filtrate goes back: chloride builds up in the recovery, and acid may meet sulphide on the way"
        )
    if symbol.chemical == "hypochlorite":
        found.append("a stage to be left: its answer is not worked out here")
    return found


def _figures(
    found: Sequence[Taken], bleached: Bleached, kappa: float, cod: float,
    state: State, unit: BleachStage,
) -> list[Figure]:  # fmt: skip
    charges = [float(one.run.charge_kg_per_bdt or 0.0) for one in found]
    told = state.set_origin(unit.name)
    figures = []
    prices = [one.stage.cost_per_kg for one in found]
    if all(one is not None for one in prices):
        passed = [1.0, *bleached.yield_each_frac[:-1]]
        for at, beside, charge in _besides(state, unit, found):
            if beside.cost_per_kg is not None:
                charges.append(charge)
                prices.append(beside.cost_per_kg)
                passed.append(passed[at])
        figures.append(
            figure(
                "bleach_cost", "chemicals",
                {
                    "charge_each_kg_per_bdt": Datum(charges, TYPED),
                    "price_each_cost_per_kg": Datum([float(one or 0.0) for one in prices], told),
                    "yield_to_each_frac": Datum(passed, Origin("computed", "the stages")),
                    "yield_total_frac": Datum(bleached.yield_each_frac[-1], Origin("computed", "the stages")),
                    **{name: Datum(0.0, Origin("assumed", "not counted here")) for name in NOT_COUNTED},
                },
                decimals=2,
            )
        )  # fmt: skip
    active: dict[str, float] = {}
    for one, charge in zip(found, charges, strict=False):  # what stands beside comes after
        symbol = one.symbol
        if name := AOX_OF.get(symbol.chemical):
            active[name] = active.get(name, 0.0) + charge * (symbol.per_kg if symbol.chemical == "dioxide" else 0.9525)
    if active:
        data = {name: Datum(one, Origin("computed", "charges as active chlorine")) for name, one in active.items()}
        figures.append(figure("aox_estimate", "chlorinated organics, ESTIMATE", data, decimals=2))
    ends = min(bleached.each_kappa[-1], kappa)
    said = Origin("computed", "the stages")
    load = {
        "kappa_in_kappa": Datum(kappa, TYPED), "kappa_out_kappa": Datum(ends, said),
        "carryover_cod_kg_per_bdt": Datum(cod, TYPED),
    }  # fmt: skip
    if unit.furnish == "chemical":
        figures.append(figure("bleach_cod", "oxygen demand, ESTIMATE", load, decimals=0))
    return figures


NOT_COUNTED: Final = ("steam_t_per_bdt", "steam_cost_per_t", "power_kwh_per_t", "power_cost_per_kwh")


def _beside_cost(state: State, unit: BleachStage, found: Sequence[Taken], bleached: Bleached) -> float:
    """Return what all that is given besides costs a tonne of bleached pulp."""
    reaches = [1.0, *bleached.yield_each_frac[:-1]]
    spent = (charge * (one.cost_per_kg or 0.0) * reaches[at] for at, one, charge in _besides(state, unit, found))
    return sum(spent) / bleached.yield_each_frac[-1]


def _saved(figures: Sequence[Figure], best: Cheapest | None, beside_cost: float) -> float | None:
    """Return what the cheapest charges save a tonne against those typed; what is given besides stays."""
    cost = next((one.value for one in figures if one.method is not None and one.method.name == "bleach_cost"), None)
    return None if cost is None or best is None else cost - best.cost_per_bdt - beside_cost


def _says(ends: Sequence[Ended], shared: Mapping[str, float | None], bleached: Bleached) -> list[str]:
    found = []
    target = shared["target"]
    if target is not None:
        short = float(target) - bleached.each_brightness_pct[-1]
        if short > SHORT_PTS:
            found.append(f"That is {short:.1f} points short of {target:g}.")
        elif short < -SHORT_PTS:
            found.append(f"That is {-short:.1f} points above {target:g}, which costs chemicals.")
    least = shared["viscosity"]
    if least is not None and ends and ends[0].symbol.scission and bleached.viscosity_each_ml_per_g[-1] < least:
        found.append(f"Viscosity ends at {bleached.viscosity_each_ml_per_g[-1]:.0f} mL/g, below {least:g}.")
    for before, after in pairwise(ends):
        if after.symbol.chemical in {"dithionite", "FAS"} and before.symbol.chemical in {
            "peroxide",
            "dioxide",
            "peracid",
        }:
            found.append(f"No residual of {before.name} may reach {after.name}: kill it with sulphur dioxide first.")
    return found
