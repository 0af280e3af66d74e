"""A sequence worked out for what is typed: stage by stage, what each pump gives, what it costs, the cheapest charges."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from functools import lru_cache
from itertools import pairwise
from typing import Any, Final

from desk.floor.state import State
from desk.frame.forms import number
from desk.stations.bleach.coming import brightness_tag, charges_of, coming_to, rate_of, runs_of
from desk.stations.bleach.responses import as_accepted
from stock.bleaching.cheapest import Cheapest, Lever, Limits, cheapest
from stock.bleaching.colour import brightness_of, ks_of
from stock.bleaching.sequence import Bleached
from stock.bleaching.symbols import CAUTIONS, FORMULA, SYMBOLS, Symbol, middle, symbol_of
from stock.bleaching.through import Run, ks_into, rows_for, rows_of, start_of, usual_charge
from stock.bleaching.unit import BleachStage, Stage
from stock.errors import DomainError
from stock.figure import Datum, Figure, Origin, figure

TYPED: Final = Origin("entered", "as typed")
MOST_STAGES: Final = 8
KAPPA_FACTORS: Final = (0.15, 0.28)
AOX_OF: Final = {"dioxide": "clo2_active_kg_per_odt", "hypochlorite": "hypo_active_kg_per_odt"}
CHEAPEST_KEPT: Final = 64
SHORT_PTS: Final = 0.5  # of brightness, below which a test does not tell


@dataclass(frozen=True, slots=True)
class FieldOf:
    """A field of the form: its limits, and whether it may be left empty."""

    name: str
    label: str
    unit: str
    low: float
    high: float
    needed: bool = True


SHARED: Final = (
    FieldOf("kappa", "Kappa that comes in", "", 1.0, 150.0),
    FieldOf("came", "Brightness that comes in", "% ISO", 5.0, 95.0),
    FieldOf("rate", "Pulp through it", "BDt/h", 0.05, 300.0),
    FieldOf("cod", "Oxygen demand carried in", "kg/BDt", 0.0, 100.0),
    FieldOf("target", "Brightness wanted", "% ISO", 20.0, 95.0),
    FieldOf("viscosity", "Least viscosity", "mL/g", 100.0, 2000.0, needed=False),
)
OF_STAGE: Final = (
    FieldOf("charge", "charge", "kg/BDt", 0.0, 100.0),
    FieldOf("strength", "solution", "g/L", 0.1, 600.0, needed=False),
    FieldOf("celsius", "warmth", "°C", 0.0, 130.0),
    FieldOf("ph", "end pH", "", 0.5, 13.9),
    FieldOf("minutes", "time", "min", 0.5, 1440.0),
)


@dataclass(frozen=True, slots=True)
class Row:
    """A stage's fields as they stand: symbol, then name, label, unit, text of each."""

    index: int
    symbol: str
    fields: Sequence[tuple[str, str, str, str]]


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
    cod: float
    pump: Figure | None
    most_l_per_min: float | None
    doubts: Sequence[str]


@dataclass(frozen=True, slots=True)
class Move:
    """A charge of the cheapest set: now, then, at which pump, between what it is as cheap, what holds it."""

    name: str
    formula: str
    now: float
    to: float
    pump: float | None
    flat: tuple[float, float]
    point: str
    bound: str


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
    saved: float | None = None
    says: Sequence[str] = field(default_factory=list)
    cautions: Sequence[tuple[str, str]] = ()
    fault: str = ""
    faulty: str = ""


def bleaches(state: State) -> list[BleachStage]:
    """Return the bleaches of a line, with the responses that were accepted; worked out once a state."""
    if "bleaches" not in state.kept:
        state.kept["bleaches"] = [as_accepted(state, one) for one in state.line.units if isinstance(one, BleachStage)]
    found: list[BleachStage] = state.kept["bleaches"]
    return found


def worked(state: State, unit: BleachStage, typed: Mapping[str, Any]) -> Worked:
    """Work a sequence out; a fault names its field and keeps everything typed."""
    usual = _defaults(state, unit)
    values = {one.name: _text(typed, one.name, usual.get(one.name)) for one in SHARED}
    rows = _rows(state, unit, typed)
    try:
        return _worked(state, unit, typed, values, rows)
    except DomainError as error:
        fault = f"{error.message}. Allowed: {error.allowed}" if error.allowed else error.message
        return Worked(unit, values, rows, fault=fault, faulty=error.argument)


def _text(typed: Mapping[str, Any], name: str, stands: float | None) -> str:
    return str(typed.get(name, "" if stands is None else f"{stands:.3g}")).strip()[:20]


def _defaults(state: State, unit: BleachStage) -> dict[str, float]:
    """Return what the shared fields stand at."""
    came = coming_to(state, unit)
    tag = brightness_tag(state, unit)
    found = {
        "kappa": came.kappa_now,
        "came": brightness_of(_ks_in(state, unit, came.kappa_now)),
        "rate": float(rate_of(state, unit).value),
        "cod": unit.carryover_cod_kg_per_odt,
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


def _rows(state: State, unit: BleachStage, typed: Mapping[str, Any]) -> list[Row]:
    """Return the stages of the form: those of the bleach, what was added, and an empty one to add another."""
    charges = charges_of(state, unit)
    rate = float(rate_of(state, unit).value)
    found = []
    for index in range(MOST_STAGES):
        own = unit.stages[index] if index < len(unit.stages) else None
        text = str(typed.get(f"stage-{index}-symbol", own.symbol if own is not None and not typed else "")).strip()[:6]
        stands: dict[str, float | None] = {}
        if own is not None and text == own.symbol:
            stands = _as_run(unit, index, float(charges[index].value), rate)
        elif text in SYMBOLS:
            stands = _as_usual(symbol_of(text, unit.furnish))  # type: ignore[arg-type]
        fields = [
            (one.name, one.label, one.unit, _text(typed, f"stage-{index}-{one.name}", None) or _stood(stands, one.name))
            for one in OF_STAGE
        ]
        found.append(Row(index, text, fields))
        if not text:
            break
    return found


def _stood(stands: Mapping[str, float | None], name: str) -> str:
    value = stands.get(name)
    return "" if value is None else f"{value:.4g}"


def _as_run(unit: BleachStage, at: int, charge: float, rate: float) -> dict[str, float | None]:
    stage, symbol = unit.stages[at], unit.symbol(at)
    return {
        "charge": charge,
        "strength": stage.solution_g_per_l,
        "celsius": middle(symbol.temperature_c) if stage.temperature_c is None else stage.temperature_c,
        "ph": middle(symbol.ph) if stage.end_ph is None else stage.end_ph,
        "minutes": round(stage.minutes(rate), 1),
    }


def _as_usual(symbol: Symbol) -> dict[str, float | None]:
    return {
        "charge": middle(symbol.charge), "celsius": middle(symbol.temperature_c), "ph": middle(symbol.ph),
        "minutes": middle(symbol.minutes), "strength": None,
    }  # fmt: skip


def _read(text: str, one: FieldOf, name: str, label: str) -> float | None:
    if not text and not one.needed:
        return None
    value = number(text, name, label)
    if not one.low <= value <= one.high:
        said = f"{label} is {value:g} {one.unit}".strip()
        raise DomainError("E_RANGE", name, said, f"{one.low:g} to {one.high:g} {one.unit}".strip())
    return value


def _stage(unit: BleachStage, row: Row) -> tuple[Stage, Symbol, Run, dict[str, float | None]]:
    """Return a typed stage: of the bleach where its symbol stands there, else of its kind."""
    if row.symbol not in SYMBOLS:
        raise DomainError("E_UNIT", f"stage-{row.index}-symbol", f"{row.symbol[:6]} is no stage", ", ".join(SYMBOLS))
    symbol = symbol_of(row.symbol, unit.furnish)
    own = unit.stages[row.index] if row.index < len(unit.stages) else None
    stage = own if own is not None and own.symbol == row.symbol else Stage(symbol=row.symbol)  # type: ignore[arg-type]
    given = {
        one.name: _read(text, one, f"stage-{row.index}-{one.name}", f"{label} of {row.symbol}")
        for one, (_, label, _, text) in zip(OF_STAGE, row.fields, strict=True)
    }
    run = Run(given["charge"], given["celsius"], given["minutes"], given["ph"])
    return stage, symbol, run, given


def _as_stands(stage: Stage, symbol: Symbol, run: Run, rate: float) -> Run:
    """Return a run without what stands as it usually does, so that its conditions count for nothing."""
    usual = {
        "temperature_c": middle(symbol.temperature_c) if stage.temperature_c is None else stage.temperature_c,
        "end_ph": middle(symbol.ph) if stage.end_ph is None else stage.end_ph,
    }
    minutes = run.minutes
    if minutes is not None and abs(minutes - round(stage.minutes(rate), 1)) < 0.006 * minutes:
        minutes = None
    elif minutes is not None:
        minutes *= stage.minutes() / stage.minutes(rate)  # told at its own rate
    return Run(
        run.charge_kg_per_odt,
        None
        if run.temperature_c is None or abs(run.temperature_c - usual["temperature_c"]) < 0.05
        else run.temperature_c,
        minutes,
        None if run.end_ph is None or abs(run.end_ph - usual["end_ph"]) < 0.005 else run.end_ph,
    )


def _worked(
    state: State, unit: BleachStage, typed: Mapping[str, Any], values: Mapping[str, str], rows: Sequence[Row]
) -> Worked:
    shared = {one.name: _read(values[one.name], one, one.name, one.label) for one in SHARED}
    kappa, rate, cod = (float(shared[name] or 0.0) for name in ("kappa", "rate", "cod"))
    taken = [row for row in rows if row.symbol]
    if not taken:
        raise DomainError("E_COUNT", "stage-0-symbol", "There is no stage", "one stage or more")
    found = [_stage(unit, row) for row in taken]
    _refuse_alike(taken)
    stages, symbols = [one[0] for one in found], [one[1] for one in found]
    runs = {at: _as_stands(stage, symbol, run, rate) for at, (stage, symbol, run, _) in enumerate(found)}
    lines = rows_for(stages, symbols, kappa, cod, runs)
    said = Origin("computed", "the stages as they stand") if not typed else TYPED
    data = {
        "stages": Datum(lines, said),
        "kappa_in_kappa": _datum(kappa, "kappa", typed, "what the cooks bring"),
        "in_brightness_pct": _datum(
            float(shared["came"] or 0), "came", typed, "the exit's reading, undone through the charges"
        ),
        "viscosity_ml_per_g": Datum(unit.viscosity_ml_per_g, state.set_origin(unit.name)),
        "carryover_cod_kg_per_odt": _datum(cod, "cod", typed, "usual, by the mill's file"),
    }
    through = figure("bleached", "brightness at the end", data, decimals=1)
    bleached = Bleached(**through.results)
    ends = [
        _ended(unit, at, one, lines[at], bleached, rate, state) for at, one in enumerate(found)
    ]  # fmt: skip
    figures = _figures(found, bleached, kappa, cod, state, unit)
    best, fault = _best(unit, found, lines, shared, rate)
    saved = _saved(figures, best)
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
        _moves(unit, found, best, rate, kappa),
        fault,
        saved,
        says,
        cautions,
    )


def _refuse_alike(rows: Sequence[Row]) -> None:
    """Refuse a dioxide stage that is numbered like one before it: its place tells it."""
    seen: dict[str, int] = {}
    for row in rows:
        if row.symbol in {"D0", "D1", "D2"} and row.symbol in seen:
            message = f"{row.symbol} stands at {seen[row.symbol] + 1} and at {row.index + 1}"
            raise DomainError("E_ORDER", f"stage-{row.index}-symbol", message, "each number once: D0, D1, D2")
        seen[row.symbol] = row.index


def _datum(value: float, name: str, typed: Mapping[str, Any], words: str) -> Datum:
    return Datum(value, TYPED if name in typed else Origin("computed", words))


def _ended(
    unit: BleachStage, at: int, one: tuple[Stage, Symbol, Run, dict[str, float | None]], line: Mapping[str, float],
    bleached: Bleached, rate: float, state: State,
) -> Ended:  # fmt: skip
    stage, symbol, run, given = one
    charge, strength = float(run.charge_kg_per_odt or 0.0), given["strength"]
    pump = None
    if strength is not None:
        pump = figure(
            "dosing_flow", f"pump of {symbol.symbol}",
            {
                "charge_kg_per_odt": Datum(charge, TYPED),
                "production_bd_t_per_h": Datum(rate, Origin("computed", "whole-line balance")),
                "solution_g_per_l": Datum(strength, state.set_origin(unit.name)),
            },
        )  # fmt: skip
    minutes, celsius = float(run.minutes or 0.0), float(run.temperature_c or 0.0)
    doubts = list(_doubts(stage, symbol, run, pump, rate))
    return Ended(
        at, symbol, stage.name or symbol.symbol, charge, FORMULA[symbol.chemical], celsius, minutes, bleached.each_kappa[at],
        bleached.each_brightness_pct[at], bleached.viscosity_each_ml_per_g[at], bleached.yield_each_frac[at],
        bleached.cod_each_kg_per_odt[at], pump, stage.most_l_per_min, doubts,
    )  # fmt: skip


def _doubts(stage: Stage, symbol: Symbol, run: Run, pump: Figure | None, rate: float) -> Sequence[str]:
    """Yield what is not usual of a stage as typed, its own settings taken as usual."""
    found = []
    if pump is not None and stage.most_l_per_min is not None and pump.value > stage.most_l_per_min:
        found.append(f"{pump.text} L/min is more than its pump gives, {stage.most_l_per_min:g}")
    for label, value, window, own, unit in (
        ("charge", run.charge_kg_per_odt, symbol.charge, stage.charge_kg_per_odt, "kg/BDt"),
        ("warmth", run.temperature_c, symbol.temperature_c, stage.temperature_c, "°C"),
        ("end pH", run.end_ph, symbol.ph, stage.end_ph, ""),
        ("time", run.minutes, symbol.minutes, stage.minutes(rate), "min"),
    ):
        low, high = min(window[0], own or window[0]), max(window[1], own or window[1])
        if value is not None and not low * 0.95 <= value <= high * 1.05:
            found.append(
                f"{label} {value:g} {unit} is not usual: {low:g} to {high:g} {unit}".replace("  ", " ").strip()
            )
    if symbol.chemical == "hypochlorite":
        found.append("a stage to be left: its answer is not worked out here")
    return found


def _figures(
    found: Sequence[tuple[Stage, Symbol, Run, dict[str, float | None]]], bleached: Bleached, kappa: float, cod: float,
    state: State, unit: BleachStage,
) -> list[Figure]:  # fmt: skip
    charges = [float(run.charge_kg_per_odt or 0.0) for _, _, run, _ in found]
    told = state.set_origin(unit.name)
    figures = []
    prices = [stage.cost_per_kg for stage, _, _, _ in found]
    if all(one is not None for one in prices):
        figures.append(
            figure(
                "bleach_cost", "chemicals",
                {
                    "charge_each_kg_per_odt": Datum(charges, TYPED),
                    "price_each_cost_per_kg": Datum([float(one or 0.0) for one in prices], told),
                    "yield_to_each_frac": Datum([1.0, *bleached.yield_each_frac[:-1]], Origin("computed", "the stages")),
                    "yield_total_frac": Datum(bleached.yield_each_frac[-1], Origin("computed", "the stages")),
                    **{name: Datum(0.0, Origin("assumed", "not counted here")) for name in NOT_COUNTED},
                },
                decimals=2,
            )
        )  # fmt: skip
    active: dict[str, float] = {}
    for (_, symbol, _, _), charge in zip(found, charges, strict=True):
        if name := AOX_OF.get(symbol.chemical):
            active[name] = active.get(name, 0.0) + charge * (symbol.per_kg if symbol.chemical == "dioxide" else 0.9525)
    if active:
        data = {name: Datum(one, Origin("computed", "charges as active chlorine")) for name, one in active.items()}
        figures.append(figure("aox_estimate", "chlorinated organics, ESTIMATE", data, decimals=2))
    ends = min(bleached.each_kappa[-1], kappa)
    said = Origin("computed", "the stages")
    load = {
        "kappa_in_kappa": Datum(kappa, TYPED), "kappa_out_kappa": Datum(ends, said),
        "carryover_cod_kg_per_odt": Datum(cod, TYPED),
    }  # fmt: skip
    if unit.furnish == "chemical":
        figures.append(figure("bleach_cod", "oxygen demand, ESTIMATE", load, decimals=0))
    return figures


NOT_COUNTED: Final = ("steam_t_per_odt", "steam_cost_per_t", "power_kwh_per_t", "power_cost_per_kwh")


# ---- the cheapest charges


def _best(
    unit: BleachStage, found: Sequence[tuple[Stage, Symbol, Run, dict[str, float | None]]],
    lines: Sequence[dict[str, float]], shared: Mapping[str, float | None], rate: float,
) -> tuple[Cheapest | None, str]:  # fmt: skip
    levers = tuple(_levers(found, rate, float(shared["kappa"] or 0.0)))
    if not levers:
        return None, ""
    frozen = tuple(tuple(sorted(one.items())) for one in lines)
    limits = Limits(float(shared["target"] or 0.0), shared["viscosity"] if unit.furnish == "chemical" else None)
    kappa, came, cod = (round(float(shared[name] or 0.0), 3) for name in ("kappa", "came", "cod"))
    try:
        return _kept_best(frozen, kappa, came, unit.viscosity_ml_per_g, cod, levers, limits), ""
    except DomainError as error:
        return None, error.message


@lru_cache(maxsize=CHEAPEST_KEPT)
def _kept_best(
    lines: tuple[tuple[tuple[str, float], ...], ...], kappa: float, came: float, viscosity: float, cod: float,
    levers: tuple[Lever, ...], limits: Limits,
) -> Cheapest:  # fmt: skip
    return cheapest([dict(one) for one in lines], kappa, came, viscosity, cod, levers, limits)


def _levers(
    found: Sequence[tuple[Stage, Symbol, Run, dict[str, float | None]]], rate: float, kappa: float
) -> Sequence[Lever]:
    """Yield the charges that have a price and an effect, each between its window, what its fit holds for and its pump."""
    levers = []
    for at, (stage, symbol, _, given) in enumerate(found):
        if stage.cost_per_kg is None or symbol.response <= 0:
            continue
        low, high, why = *symbol.charge, "its window"
        usual = usual_charge(stage, symbol)
        if symbol.symbol == "D0":  # by kappa: less leaves to later stages what they cannot take, more is lost
            low, high = (10 * one * kappa / symbol.per_kg for one in KAPPA_FACTORS)
            why = f"kappa factor {KAPPA_FACTORS[0]:g} to {KAPPA_FACTORS[1]:g}"
        low, high = min(low, usual), max(high, usual)
        if stage.response_per_kg is not None and stage.response_per_kg.holds is not None:
            low, high, why = *stage.response_per_kg.holds, "what its fit holds for"
        strength = given["strength"]
        if stage.most_l_per_min is not None and strength is not None and rate > 0:
            most = stage.most_l_per_min * strength * 60 / (1000 * rate)
            if most < high:
                high, why = max(most, low), "its pump"
        levers.append(Lever(at, low, round(high, 3), stage.cost_per_kg, symbol.per_kg, why))
    return levers


def _saved(figures: Sequence[Figure], best: Cheapest | None) -> float | None:
    """Return what the cheapest charges save a tonne against those typed."""
    cost = next((one.value for one in figures if one.method is not None and one.method.name == "bleach_cost"), None)
    return None if cost is None or best is None else cost - best.cost_per_bdt


def _moves(
    unit: BleachStage, found: Sequence[tuple[Stage, Symbol, Run, dict[str, float | None]]], best: Cheapest | None, rate: float,
    kappa: float,
) -> list[Move]:  # fmt: skip
    if best is None:
        return []
    last = len(unit.stages) - 1
    moves = []
    for lever, to, flat in zip(_levers(found, rate, kappa), best.charges, best.flat, strict=True):
        stage, symbol, run, given = found[lever.stage]
        own = lever.stage <= last and unit.stages[lever.stage] is stage
        point = (f"charge:{unit.id}" if lever.stage == last else f"charge:{unit.id}:{lever.stage + 1}") if own else ""
        strength = given["strength"]
        pump = to * rate * 1000 / 60 / strength if strength else None
        bound = lever.most_why if not 1.001 * lever.least < to < 0.999 * lever.most else ""
        moves.append(
            Move(stage.name or symbol.symbol, FORMULA[symbol.chemical], float(run.charge_kg_per_odt or 0.0), to, pump, flat,
                 point, bound)
        )  # fmt: skip
    return moves


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
