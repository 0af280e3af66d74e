"""Pumps and tanks: what each pump is to give, what each tank holds, how long it lasts, what it shows was really dosed."""

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import datetime, timedelta
from typing import Final, NamedTuple

from django.db.models import F, Value

from desk.floor.state import State
from desk.stations.bleach.coming import charge_then, rate_of
from desk.stations.bleach.models import Delivery, Dip
from desk.stations.bleach.responses import bleaches
from desk.stations.bleach.tracking import track_of
from stock.bleaching.solutions import Tank, tanks, titrated
from stock.bleaching.symbols import FORMULA
from stock.bleaching.unit import BleachStage, Dosed
from stock.errors import DomainError
from stock.figure import Datum, Figure, Origin, figure

LOW_H: Final = 8.0  # of cover, below which a load is ordered
SOON_H: Final = 4.0  # below which it is said on every page
DAY_H: Final = 24.0
MOMENTS: Final = 12  # at which a charge between two dips is looked up
BACK: Final = timedelta(days=30)
OFTEN_S: Final = 300


@dataclass(frozen=True, slots=True)
class Pump:
    """A pump: what it is to give, of what strength, and how far it is from its stop."""

    unit: BleachStage
    dose: Dosed
    stage: str
    formula: str
    charge: Datum
    strength: Datum | None
    figure: Figure | None
    stroke_pct: float | None

    @property
    def is_short(self) -> bool:
        """Whether it cannot give the charge."""
        return self.stroke_pct is not None and self.stroke_pct > 100


@dataclass(frozen=True, slots=True)
class Held:
    """A tank: what it holds by its last dip or load, how long that lasts, what its last two dips prove."""

    tank: Tank
    key: str
    words: str
    formula: str
    holds: Datum | None
    at: datetime | None
    cover: Figure | None
    empty_at: datetime | None
    proof: Figure | None
    proof_fault: str
    drawn_l_per_min: float

    @property
    def is_low(self) -> bool:
        """Whether a load should be ordered."""
        return self.cover is not None and self.cover.value < LOW_H


def key_of_tank(unit: BleachStage, dose: Dosed) -> str:
    """Return what a form calls the tank of a dose: its bleach, stage and chemical, none for the stage's own."""
    return f"{unit.id}:{dose.at + 1}:{'' if dose.is_own else dose.chemical}"


def _formula(dose: Dosed) -> str:
    return FORMULA[dose.chemical]


def pumps(state: State) -> list[Pump]:
    """Return every pump of the line's bleaches; worked out once a state."""
    if "pumps" not in state.kept:
        units = bleaches(state)
        state.kept["pumps"] = [
            _pump(state, unit, one) for unit in units for at in range(len(unit.stages)) for one in unit.doses(at)
        ]
    found: list[Pump] = state.kept["pumps"]
    return found


def _pump(state: State, unit: BleachStage, dose: Dosed) -> Pump:
    charge = state.stands(dose.point) or Datum(dose.charge_kg_per_bdt, state.set_origin(unit.name))
    strength = _strength(state, unit, dose)
    flow, stroke = None, None
    if strength is not None:
        data = {
            "charge_kg_per_bdt": charge,
            "production_bdt_per_h": rate_of(state, unit),
            "solution_g_per_l": strength,
        }
        flow = figure("dosing_flow", f"pump of {_formula(dose)} to {unit.called(dose.at)}", data)
        stroke = 100 * flow.value / dose.most_l_per_min if dose.most_l_per_min else None
    return Pump(unit, dose, unit.called(dose.at), _formula(dose), charge, strength, flow, stroke)


def _strength(state: State, unit: BleachStage, dose: Dosed) -> Datum | None:
    """Return the strength of a solution: titrated, else found in its tank, else as the file has it."""
    told = titrated(state.line, unit).get(dose.at) if dose.is_own else None
    tag_id = told.tag_of("strength") if told is not None else None
    if tag_id and tag_id in state.readings:
        return state.reading(tag_id)
    kept = _noted(state)
    tank = next((one for one in _tanks(state) if any(drawn.point == dose.point for _, drawn in one.draws)), None)
    rows = kept.get(key_of_tank(tank.unit, tank.dose), []) if tank is not None else []
    found = next((one for one in rows if one.strength_g_per_l), None)
    if found is not None:
        words = "titrated in the tank" if found.is_dip else "tank after the load"
        return Datum(found.strength_g_per_l or 0.0, Origin("entered", words, found.at))
    return None if dose.solution_g_per_l is None else Datum(dose.solution_g_per_l, state.set_origin(unit.name))


def _tanks(state: State) -> list[Tank]:
    if "tanks" not in state.kept:
        state.kept["tanks"] = tanks(bleaches(state))
    found: list[Tank] = state.kept["tanks"]
    return found


class Noted(NamedTuple):
    """What a tank held at a moment: dipped, or after a load of so much."""

    at: datetime
    held_m3: float
    load_m3: float
    strength_g_per_l: float | None

    @property
    def is_dip(self) -> bool:
        """Whether it was dipped rather than filled."""
        return not self.load_m3


def _noted(state: State) -> dict[str, list[Noted]]:
    """Return what was noted of each tank, the newest first."""
    return state.of_records("bleach tanks", lambda: _read(state), OFTEN_S, [Dip, Delivery])


def _read(state: State) -> dict[str, list[Noted]]:
    """Read dips and loads together."""
    since = {"world": state.world, "superseded_by": None, "at__gte": state.now - BACK, "at__lte": state.now}
    place = ("unit", "stage", "chemical", "at", "entered_at")
    dips = Dip.objects.filter(**since).order_by()
    loads = Delivery.objects.filter(**since).order_by().annotate(held=F("heel_m3") + F("load_m3"))
    rows = (
        dips.annotate(load=Value(0.0))
        .values_list(*place, "holds_m3", "load", "strength_g_per_l")
        .union(loads.values_list(*place, "held", "load_m3", "strength_g_per_l"), all=True)
    )
    found: dict[str, list[Noted]] = {}
    for unit, stage, chemical, at, _, *rest in sorted(rows, key=lambda one: (one[3], one[4]), reverse=True):
        found.setdefault(f"{unit}:{stage}:{chemical}", []).append(Noted(at, *rest))
    return found


def held(state: State) -> list[Held]:
    """Return every tank of the line's bleaches; worked out once a state."""
    if "bleach held" not in state.kept:
        state.kept["bleach held"] = [_held(state, one) for one in _tanks(state)]
    found: list[Held] = state.kept["bleach held"]
    return found


def _held(state: State, tank: Tank) -> Held:
    key = key_of_tank(tank.unit, tank.dose)
    flows = {one.dose.point: one.figure.value for one in pumps(state) if one.figure is not None}
    drawn = sum(flows.get(dose.point, 0.0) for _, dose in tank.draws)
    rows = _noted(state).get(key, [])
    words = f"{tank.unit.name}, {tank.unit.called(tank.dose.at)}"
    holds, cover, empty_at = None, None, None
    at = rows[0].at if rows else None
    if rows:
        holds = _holds_now(state, tank, rows[0], drawn)
        if drawn > 0:
            data = {"holds_m3": holds, "flow_l_per_min": Datum(drawn, Origin("computed", "its pumps together"))}
            cover = figure("tank_cover_h", f"cover of {_formula(tank.dose)}", data, decimals=0)
            empty_at = state.now + timedelta(hours=cover.value)
    proof, fault = _proof(state, tank, rows)
    return Held(tank, key, words, _formula(tank.dose), holds, at, cover, empty_at, proof, fault, drawn)


def _hours(state: State, when: datetime) -> float:
    return (when - state.now).total_seconds() / 3600


def _holds_now(state: State, tank: Tank, row: Noted, drawn_l_per_min: float) -> Datum:
    """Return what a tank holds: its last dip or load, less what its pumps drew with the pulp that passed since."""
    passed_h = track_of(state, tank.unit).passed(_hours(state, row.at), 0.0)
    left = max(0.0, row.held_m3 - drawn_l_per_min * 60 / 1000 * passed_h)
    told = "dipped" if row.is_dip else "after a load"
    return Datum(round(left, 2), Origin("computed", f"{row.held_m3:g} m³ {told}, less its pumps since", row.at))


def _proof(state: State, tank: Tank, rows: Sequence[Noted]) -> tuple[Figure | None, str]:
    """Return what the last two dips of a tank say was dosed, loads between them counted; or why they cannot."""
    dips = [one for one in rows if one.is_dip]
    if len(dips) < 2:
        return None, ""
    last, first = dips[0], dips[1]
    loads = sum(one.load_m3 for one in rows if first.at < one.at <= last.at)
    pulp = _pulp(state, tank.unit, first.at, last.at)
    strength = _strength(state, tank.unit, tank.dose)
    if pulp <= 0 or strength is None:
        return None, "no pulp passed between its last two dips"
    meant = sum(
        _meant(state, unit, dose, first.at, last.at) * _pulp(state, unit, first.at, last.at) for unit, dose in tank.draws
    )  # fmt: skip
    passed = Origin("computed", "pulp that passed between the dips")
    data = {
        "held_m3": Datum(first.held_m3, Origin("entered", "dipped", first.at)),
        "loads_m3": Datum(loads, Origin("entered", "loads between")),
        "holds_m3": Datum(last.held_m3, Origin("entered", "dipped", last.at)),
        "solution_g_per_l": strength,
        "pulp_bdt": Datum(round(pulp, 2), passed),
        "meant_kg_per_bdt": Datum(max(meant / pulp, 1e-6), Origin("computed", "charges that stood, all its pumps")),
    }
    try:
        return figure("tank_charge", "charge by the tank", data, result="charge_kg_per_bdt", decimals=1), ""
    except DomainError as error:
        return None, error.message


def _pulp(state: State, unit: BleachStage, start: datetime, end: datetime) -> float:
    passed_h = track_of(state, unit).passed(_hours(state, start), _hours(state, end))
    return passed_h * float(rate_of(state, unit).value)


def _meant(state: State, unit: BleachStage, dose: Dosed, start: datetime, end: datetime) -> float:
    """Return the charge a dose had between two moments, on average."""
    now = state.stands(dose.point)
    then = charge_then(state, dose.point, dose.charge_kg_per_bdt if now is None else float(now.value))
    step = (end - start) / MOMENTS
    return sum(then(start + (index + 0.5) * step) for index in range(MOMENTS)) / MOMENTS


def at_hand(state: State, unit: BleachStage) -> dict[int, float]:
    """Return by stage the most of its own chemical its tank gives for a day at this rate, kg/BDt, where it was noted."""
    if not _noted(state):
        return {}
    rate = float(rate_of(state, unit).value)
    found = {}
    for one in held(state):
        if one.holds is None or rate <= 0 or one.drawn_l_per_min <= 0:
            continue
        for own, dose in one.tank.draws:
            strength = _strength(state, own, dose)
            flow = next(
                (pump.figure.value for pump in pumps(state) if pump.dose.point == dose.point and pump.figure), 0.0
            )
            if own.id == unit.id and dose.is_own and strength is not None:
                share = flow / one.drawn_l_per_min  # of the tank, as its pumps draw now
                found[dose.at] = share * float(one.holds.value) * float(strength.value) / (DAY_H * rate)
    return found


def runs_out(state: State) -> list[Held]:
    """Return the tanks that run out within hours; none where none was ever dipped or filled."""
    if not _noted(state):
        return []
    return [one for one in held(state) if one.cover is not None and one.cover.value < SOON_H]
