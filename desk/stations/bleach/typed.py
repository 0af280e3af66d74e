"""A sequence as it is typed: its fields, each stage as it stands until something else is typed, and what is read of them."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import Any, Final

from desk.floor.state import State
from desk.frame.forms import number_within
from desk.stations.bleach.coming import charges_of, rate_of
from stock.bleaching.symbols import SYMBOLS, Symbol, middle, symbol_of
from stock.bleaching.through import OXYGEN_KPA, Run
from stock.bleaching.unit import BleachStage, Stage
from stock.errors import DomainError
from stock.figure import Origin

TYPED: Final = Origin("entered", "as typed")
MOST_STAGES: Final = 8
PRESSED: Final = frozenset({"O", "EO", "EOP", "OP", "PO"})  # run under oxygen
SAME_PCT: Final = 0.05


@dataclass(frozen=True, slots=True)
class Taken:
    """A stage as it was read: what it is, how it is run, what was typed of it."""

    stage: Stage
    symbol: Symbol
    run: Run
    given: Mapping[str, float | None]


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
    FieldOf("rate", "Pulp through it", "BDt/h", 1e-5, 300.0),
    FieldOf("cod", "Oxygen demand carried in", "kg/BDt", 0.0, 100.0),
    FieldOf("target", "Brightness wanted", "% ISO", 20.0, 95.0),
    FieldOf("viscosity", "Least viscosity", "mL/g", 100.0, 2000.0, needed=False),
    FieldOf("cod_most", "Most oxygen demand", "kg/BDt", 1.0, 300.0, needed=False),
    FieldOf("aox_most", "Most chlorinated organics", "kg/BDt", 0.01, 20.0, needed=False),
)
OF_STAGE: Final = (
    FieldOf("charge", "charge", "kg/BDt", 0.0, 100.0),
    FieldOf("strength", "solution", "g/L", 0.1, 600.0, needed=False),
    FieldOf("celsius", "warmth", "°C", 0.0, 130.0),
    FieldOf("ph", "end pH", "", 0.5, 13.9),
    FieldOf("minutes", "time", "min", 0.5, 1440.0),
    FieldOf("pressure", "oxygen", "kPa abs", 90.0, 2000.0, needed=False),
    FieldOf("washed", "washed out after", "%", 0.0, 99.0, needed=False),
)


@dataclass(frozen=True, slots=True)
class Row:
    """A stage's fields as they stand: symbol, then name, label, unit, text of each."""

    index: int
    symbol: str
    fields: Sequence[tuple[str, str, str, str]]


def text_of(typed: Mapping[str, Any], name: str, stands: float | None) -> str:
    """Return a field as it was typed, else as it stands."""
    return str(typed.get(name, "" if stands is None else f"{stands:.3g}")).strip()[:20]


def rows_typed(state: State, unit: BleachStage, typed: Mapping[str, Any]) -> list[Row]:
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
            (
                one.name,
                one.label,
                one.unit,
                text_of(typed, f"stage-{index}-{one.name}", None) or _stood(stands, one.name),
            )
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
        "pressure": _pressure(stage, symbol),
        "washed": 100 * _washed(stage, symbol),
    }


def _pressure(stage: Stage | None, symbol: Symbol) -> float | None:
    if symbol.symbol not in PRESSED:
        return None
    return OXYGEN_KPA if stage is None or stage.pressure_kpa_abs is None else stage.pressure_kpa_abs


def _washed(stage: Stage | None, symbol: Symbol) -> float:
    told = None if stage is None else stage.wash_removal_frac
    return symbol.wash_removal if told is None else told


def _as_usual(symbol: Symbol) -> dict[str, float | None]:
    return {
        "charge": middle(symbol.charge), "celsius": middle(symbol.temperature_c), "ph": middle(symbol.ph),
        "minutes": middle(symbol.minutes), "strength": None, "pressure": _pressure(None, symbol),
        "washed": 100 * _washed(None, symbol),
    }  # fmt: skip


def read_field(text: str, one: FieldOf, name: str, label: str) -> float | None:
    """Return a field's number, None where it may be left empty and is; refused by its name."""
    if not text and not one.needed:
        return None
    return number_within(text, name, label, one.low, one.high, one.unit)


def stage_typed(unit: BleachStage, row: Row) -> Taken:
    """Return a typed stage: of the bleach where its symbol stands there, else of its kind."""
    if row.symbol not in SYMBOLS:
        raise DomainError("E_UNIT", f"stage-{row.index}-symbol", f"{row.symbol[:6]} is no stage", ", ".join(SYMBOLS))
    symbol = symbol_of(row.symbol, unit.furnish)
    own = unit.stages[row.index] if row.index < len(unit.stages) else None
    stage = own if own is not None and own.symbol == row.symbol else Stage(symbol=row.symbol)  # type: ignore[arg-type]
    given = {
        one.name: read_field(text, one, f"stage-{row.index}-{one.name}", f"{label} of {row.symbol}")
        for one, (_, label, _, text) in zip(OF_STAGE, row.fields, strict=True)
    }
    run = Run(given["charge"], given["celsius"], given["minutes"], given["ph"], given["pressure"])
    washed = given["washed"]
    if washed is not None and abs(washed - 100 * _washed(stage, symbol)) > SAME_PCT:
        stage = stage.model_copy(update={"wash_removal_frac": washed / 100})
    return Taken(stage, symbol, run, given)


def as_stands(stage: Stage, symbol: Symbol, run: Run, rate: float) -> Run:
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
        run.charge_kg_per_bdt,
        None
        if run.temperature_c is None or abs(run.temperature_c - usual["temperature_c"]) < 0.05
        else run.temperature_c,
        minutes,
        None if run.end_ph is None or abs(run.end_ph - usual["end_ph"]) < 0.005 else run.end_ph,
        run.pressure_kpa_abs,
    )


def refuse_alike(rows: Sequence[Row]) -> None:
    """Refuse a dioxide stage that is numbered like one before it: its place tells it."""
    seen: dict[str, int] = {}
    for row in rows:
        if row.symbol in {"D0", "D1", "D2"} and row.symbol in seen:
            message = f"{row.symbol} stands at {seen[row.symbol] + 1} and at {row.index + 1}"
            raise DomainError("E_ORDER", f"stage-{row.index}-symbol", message, "each number once: D0, D1, D2")
        seen[row.symbol] = row.index
