"""What is in force of a stage instead of what the mill's file says: responses accepted, towers traced."""

from typing import Final

from desk.floor.state import State
from desk.stations.bleach.models import Response, Tracer
from stock.bleaching.unit import BleachStage
from stock.figure import Datum, Origin
from stock.parts import Fitted

OFTEN_S: Final = 3600
KINDS: Final = {"response": "response_per_kg", "floor": "ks_floor", "kappa_rate": "kappa_rate"}
BESIDES: Final = ("kappa_rate", "scission", "dirt_rate")


def in_force(state: State) -> dict[str, Response]:
    """Return the accepted responses by `<bleach>:<stage>`; asked with each entry, not with each reading."""
    rows: dict[str, Response] = state.of_records("responses", lambda: _read(state), OFTEN_S, [Response])
    return rows


def _read(state: State) -> dict[str, Response]:
    rows = Response.objects.filter(world=state.world, superseded_by=None).select_related("by")
    return {f"{one.unit}:{one.stage}": one for one in rows}


def traced(state: State) -> dict[str, Tracer]:
    """Return the newest tracer through each tower by `<bleach>:<stage>`."""
    rows: dict[str, Tracer] = state.of_records("tracers", lambda: _read_tracers(state), OFTEN_S, [Tracer])
    return rows


def _read_tracers(state: State) -> dict[str, Tracer]:
    rows = Tracer.objects.filter(world=state.world, superseded_by=None).order_by("at", "id")
    return {f"{one.unit}:{one.stage}": one for one in rows}


def _words(one: Response) -> str:
    who = one.by.short_name if one.by else "nobody"
    return f"{len(one.rungs)} rungs, {one.low_per_kg:.3f} to {one.high_per_kg:.3f}, accepted by {who}"


def response_stands(state: State, point: str) -> Datum | None:
    """Return what was accepted of a stage: `response:<bleach>:<stage>`, the floor it was fitted on, its `kappa_rate:…`."""
    kind, _, where = point.partition(":")
    found = in_force(state).get(where) if kind in KINDS else None
    value = None if found is None else getattr(found, KINDS[kind])
    if found is None or value is None:
        return None
    return Datum(value, Origin("set", f"fitted to {_words(found)}", found.entered_at))


def as_accepted(state: State, unit: BleachStage) -> BleachStage:
    """Return a bleach with the responses that were accepted, and towers as they were traced, in place of its file's."""
    accepted, through = in_force(state), traced(state)
    stages = list(unit.stages)
    for at in range(len(stages)):
        stage = unit.stages[at]
        if (tracer := through.get(f"{unit.id}:{at + 1}")) is not None:
            own = "active_frac" if stage.volume_m3 is not None else "retention_min"
            value = tracer.active_frac if stage.volume_m3 is not None else tracer.mean_min
            stages[at] = stages[at].model_copy(update={own: value})
        if (one := accepted.get(f"{unit.id}:{at + 1}")) is not None:
            when = one.entered_at.date()
            who = one.by.short_name if one.by else "nobody"
            told = {"fitted_from": f"{len(one.rungs)} rungs of a ladder", "fitted_on": when, "by": who}
            holds = (one.least_charge, one.most_charge)
            known = {name: value for name in BESIDES if (value := getattr(one, name)) is not None}
            stages[at] = stages[at].model_copy(
                update={
                    "response_per_kg": Fitted(value=one.response_per_kg, holds=holds, **told),
                    "ks_floor": Fitted(value=one.ks_floor, **told),
                    **{name: Fitted(value=value, **told) for name, value in known.items()},
                }
            )
    return unit if stages == unit.stages else unit.model_copy(update={"stages": stages})


def bleaches(state: State) -> list[BleachStage]:
    """Return the bleaches of a line, with what was accepted and traced; worked out once a state."""
    if "bleaches" not in state.kept:
        state.kept["bleaches"] = [as_accepted(state, one) for one in state.line.units if isinstance(one, BleachStage)]
    found: list[BleachStage] = state.kept["bleaches"]
    return found
