"""What comes to a bleach by cook: through the blow tank, the washers, into each stage; the brightness it will end at."""

from collections.abc import Callable, Sequence
from dataclasses import dataclass, replace
from datetime import datetime, timedelta
from typing import Final

from desk.floor.state import State
from desk.floor.station import Blow, stations
from desk.stations.bleach.tracking import track_of
from stock.bleaching.charge import FORWARD_GAIN
from stock.bleaching.forward import Ahead, Blown, Coming, Within, coming, exit_ahead, kappa_at, within
from stock.bleaching.through import Run, usual_charge
from stock.bleaching.track import Track
from stock.bleaching.unit import BleachStage
from stock.cooking.recipe import Recipe
from stock.errors import DomainError
from stock.figure import Datum, Figure, Origin, figure
from stock.primitives import Vessel
from stock.tag import Tag
from stock.washing.stairs import answer_min
from stock.washing.unit import Washer

UNIT_MIN: Final = 4.0  # pipes, screens and thickeners on the way, each
USUAL_KAPPA: Final = 18.0
SAME_KAPPA: Final = 0.15
OFTEN_S: Final = 3600  # what a washing line answers in hangs on its definition alone
KF_SPAN: Final = (0.02, 0.6)


@dataclass(frozen=True, slots=True)
class Part:
    """Pulp that is on its way to the first mixer, or past it: when, its kappa, what the first stage should have for it."""

    label: str
    enters: datetime
    leaves: datetime
    kappa: float
    measured: bool
    figure: Figure | None


@dataclass(frozen=True, slots=True)
class Standing:
    """A bleach that does not move: since when, and the stage whose pulp must be out first, until when."""

    since: datetime
    stage: str
    until: datetime


@dataclass(frozen=True, slots=True)
class Outlook:
    """What comes to a bleach, what lies in it, what its exit will show; hours at the present rate."""

    parts: Sequence[Coming]
    stages: Sequence[Sequence[Within]]
    told: Sequence[Part]
    base_kappa: float
    kappa_now: float
    hold_h: float
    ahead: Ahead | None
    at_exit: Coming | None
    track: Track
    exit_entered: datetime
    standing: Standing | None


def recipe_before(state: State, unit: BleachStage) -> tuple[str, Recipe] | None:
    """Return the cook's unit and the recipe a bleach's pulp comes from; None where none is cooked before it."""
    for one in state.line.graph.upstream(unit.id):
        if recipes := state.line.cook.at(one.id):
            return one.id, recipes[0]
    return None


def base_kappa_of(state: State, unit: BleachStage) -> float:
    """Return the kappa the charges of a bleach are set for."""
    found = recipe_before(state, unit)
    return unit.kappa or USUAL_KAPPA if found is None else found[1].kappa_target


def rate_of(state: State, unit: BleachStage) -> Datum:
    """Return the pulp that comes to a bleach, BDt/h."""
    fed = state.line.graph.fed_by(unit.id)
    if fed is None:
        return Datum(0.0, Origin("assumed", "nothing feeds it"))
    return state.flow(fed.id)


def brightness_tag(state: State, unit: BleachStage) -> Tag | None:
    """Return the tag of the brightness a bleach ends at."""
    onward = state.line.graph.onward(unit.id)
    tag_id = unit.tag_of("brightness") or (
        state.line.stream(onward.id).tag_of("brightness") if onward is not None else None
    )
    return state.line.tag(tag_id) if tag_id else None


def charges_of(state: State, unit: BleachStage) -> list[Datum]:
    """Return the charge each stage has now: by what was set last, else as the mill's file has it."""
    found = []
    for at, stage in enumerate(unit.stages):
        usual = Datum(usual_charge(stage, unit.symbol(at)), state.set_origin(unit.name))
        found.append(state.stands(unit.charge_point(at)) or usual)
    return found


def runs_of(state: State, unit: BleachStage) -> dict[int, Run]:
    """Return how the stages run now."""
    return {at: Run(charge_kg_per_bdt=float(one.value)) for at, one in enumerate(charges_of(state, unit))}


def _lag_h(state: State, unit: BleachStage, cook_unit: str) -> float:
    """Return how long pulp takes from the blow tank to the first mixer, without the tank."""
    minutes = 0.0
    for one in state.line.graph.upstream(unit.id):  # the nearest first
        if one.id == cook_unit:
            break
        if isinstance(one, Washer):
            minutes += answer_min(one)
        elif not isinstance(one, Vessel) or not getattr(one, "volume_m3", None):
            minutes += UNIT_MIN
    return minutes / 60


def _tank(state: State, recipe: Recipe) -> float:
    """Return what the blow tank holds, BDt; 0 where there is none, or it is not read."""
    if recipe.blow_to is None or recipe.blow_to not in state.vessels:
        return 0.0
    try:
        return float(state.contents(recipe.blow_to).value)
    except LookupError:
        return 0.0


def coming_to(state: State, unit: BleachStage) -> Outlook:
    """Return what comes to a bleach; worked out once a state, and again where its responses turn out to be others."""
    kept: dict[str, tuple[BleachStage, Outlook]] = state.kept.setdefault("coming", {})
    if unit.id not in kept or kept[unit.id][0] != unit:
        kept[unit.id] = unit, _coming_to(state, unit)
    return kept[unit.id][1]


def _coming_to(state: State, unit: BleachStage) -> Outlook:
    rate = float(rate_of(state, unit).value)
    minutes = [one.minutes(rate) for one in unit.stages]
    hold_h, base = sum(minutes) / 60, base_kappa_of(state, unit)
    before = recipe_before(state, unit)
    parts: list[Coming] = []
    if before is not None:
        blows = [one for one in _blows(state) if one.unit == before[0]]
        held = [_blown(one, state.now) for one in blows]
        lag = state.of_records(f"lag:{unit.id}", lambda: _lag_h(state, unit, before[0]), OFTEN_S, [])
        parts = coming(held, _tank(state, before[1]), lag, base, rate)
    track = track_of(state, unit)
    parts = [replace(one, from_h=track.at_rate(one.from_h), to_h=track.at_rate(one.to_h)) for one in parts]
    lies, gone = [], 0.0
    for one in minutes:
        lies.append(within(parts, gone / 60, one / 60))
        gone += one
    tag = brightness_tag(state, unit)
    ahead = None
    if tag is not None and tag.id in state.readings and parts and unit.furnish == "chemical":
        ahead = exit_ahead(unit, _charges_then(state, unit, track), parts, state.readings[tag.id].value, base, minutes)
    at_exit = next((one for one in parts if one.from_h <= -hold_h < one.to_h), None)
    told = [_part(state, unit, one, base, track) for one in parts if one.to_h > 0]
    entered = state.now + timedelta(hours=track.by_clock(-hold_h))
    return Outlook(
        parts, lies, told, base, kappa_at(parts, 0.0, base), hold_h, ahead, at_exit, track, entered,
        _standing(state, unit, track),
    )  # fmt: skip


def _standing(state: State, unit: BleachStage, track: Track) -> Standing | None:
    """Return since when a bleach stands, and which stage holds its pulp the shortest."""
    since_h = track.stands_since_h
    if since_h is None:
        return None
    at = min(range(len(unit.stages)), key=lambda one: unit.symbol(one).hold_h)
    since = state.now + timedelta(hours=since_h)
    return Standing(since, unit.called(at), since + timedelta(hours=unit.symbol(at).hold_h))


def _charges_then(state: State, unit: BleachStage, track: Track) -> Callable[[int, float], float]:
    """Return what says which charge a stage had, or has, at an hour from now: moves undone back to it."""
    then = [
        charge_then(state, unit.charge_point(at), float(one.value)) for at, one in enumerate(charges_of(state, unit))
    ]
    return lambda at, hour: then[at](state.now + timedelta(hours=track.by_clock(hour)))


def charge_then(state: State, point: str, now_value: float) -> Callable[[datetime], float]:
    """Return what says which charge a point had at a moment: moves undone back to it."""
    moves = state.moved(point)

    def charge(when: datetime) -> float:
        found = now_value
        for moved_at, before in moves:  # the newest first
            if moved_at > when:
                found = before
        return found

    return charge


def _blows(state: State) -> list[Blow]:
    if "blows" not in state.kept:
        state.kept["blows"] = [one for station in stations() for one in station.blows(state)]
    found: list[Blow] = state.kept["blows"]
    return found


def _blown(one: Blow, now: datetime) -> Blown:
    return Blown(str(one.number), (one.at - now).total_seconds() / 3600, one.bdt, one.kappa, one.measured)


def _part(state: State, unit: BleachStage, one: Coming, base: float, track: Track) -> Part:
    enters = state.now + timedelta(hours=track.by_clock(one.from_h))
    leaves = state.now + timedelta(hours=track.by_clock(one.to_h))
    return Part(one.label, enters, leaves, one.kappa, one.measured, _forward(state, unit, one, base))


def _forward(state: State, unit: BleachStage, one: Coming, base: float) -> Figure | None:
    """Return the first stage's dioxide for a part, by its kappa; None where the first stage is no dioxide."""
    symbol = unit.symbol(0)
    if symbol.chemical != "dioxide":
        return None
    factor = usual_charge(unit.stages[0], symbol) * symbol.per_kg / (10 * base)  # not as moved for a cook before
    if not KF_SPAN[0] <= factor <= KF_SPAN[1]:
        return None
    told = "found" if one.measured else "foretold"
    data = {
        "shares_frac": Datum([1.0], Origin("computed", "what the blow tank holds, mixed")),
        "kappa_each_kappa": Datum([one.kappa], Origin("computed", f"cook {one.label}, {told}, in the blow tank")),
        "base_kappa": Datum(base, state.set_origin("target of the cook")),
        "kappa_factor": Datum(round(factor, 4), Origin("computed", "usual charge over the kappa it is set for")),
        "gain_frac": Datum(FORWARD_GAIN, Origin("assumed", "a part of the change, since the kappa is an estimate")),
    }
    try:
        return figure("kappa_forward", f"dioxide for cook {one.label}", data, result="clo2_kg_per_bdt", decimals=1)
    except DomainError:
        return None


def warning(state: State, unit: BleachStage, found: Outlook) -> tuple[datetime, float, float] | None:
    """Return when the exit passes its control band unless something is changed, to what, and the kappa that does it."""
    tag = brightness_tag(state, unit)
    if tag is None or tag.band is None or found.ahead is None:
        return None
    low, high = tag.band.control
    for hour, value in zip(found.ahead.hours, found.ahead.brightness_pct, strict=True):
        if hour > 0 and not low <= value <= high:
            kappa = kappa_at(found.parts, hour - found.hold_h, found.base_kappa)
            if abs(kappa - kappa_at(found.parts, -found.hold_h, found.base_kappa)) < SAME_KAPPA:
                return None  # it is off already, and nothing that comes is the reason
            return state.now + timedelta(hours=hour), value, kappa
    return None
