"""Where the water goes: fresh and used again, by station, what builds up, what leaves and with what in it."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from datetime import datetime
from typing import Any, Final

from desk.floor.state import State
from desk.frame.forms import number_within
from stock.delivery.unit import Effluent
from stock.errors import DomainError
from stock.figure import Datum, Figure, Origin, figure
from stock.material import INDEX
from stock.primitives import Sink, Tank, Water
from stock.water.plan import WaterPlan

COD_PER_ORGANICS: Final = 1.4  # kg oxygen demand a kg of what is dissolved of wood, an estimate
LEAST_T_PER_H: Final = 0.05
FIELDS: Final = (
    ("load", "load, kg/t", 0.0, 1000.0),
    ("limit", "limit, kg/m³", 0.0001, 100.0),
    ("makeup", "in make-up, kg/m³", 0.0, 50.0),
)
SHARED: Final = (("product", "Water with the product, m³/t", 0.0, 100.0), ("vapour", "Evaporated, m³/t", 0.0, 50.0))


@dataclass(frozen=True, slots=True)
class Use:
    """Water that is let in, or drawn again, at a station."""

    station: str
    fresh_m3_per_h: float
    reused_m3_per_h: float


@dataclass(frozen=True, slots=True)
class Drain:
    """A stream to the drain: how much, what is in it by the balance."""

    name: str
    where: str
    flow_m3_per_h: float
    cod_kg_per_m3: float
    fibre_kg_per_h: float
    share_pct: float


@dataclass(frozen=True, slots=True)
class Held:
    """What a loop settles at of a substance, as it runs now, beside what it bears."""

    name: str
    figure: Figure
    limit_kg_per_m3: float
    read: Sequence[tuple[str, float, datetime]]  # the tank, what its water held, when

    @property
    def is_over(self) -> bool:
        """Whether the loop settles above what it bears."""
        return self.figure.value > self.limit_kg_per_m3


@dataclass(frozen=True, slots=True)
class Watered:
    """The water of a line."""

    uses: Sequence[Use]
    drains: Sequence[Drain]
    figures: Sequence[Figure]
    tanks: Sequence[tuple[str, float, float]]
    saving: float
    loop: Sequence[Held]
    settles_h: float | None
    cod_t_per_d: float


@dataclass(frozen=True, slots=True)
class Bound:
    """What binds the closing of a loop, worked out for what is typed."""

    rows: Sequence[tuple[str, Sequence[tuple[str, str, str]]]]
    shared: Sequence[tuple[str, str, str]]
    figure: Figure | None = None
    words: Sequence[str] = field(default_factory=list)
    fault: str = ""


def watered(state: State) -> Watered:
    """Return the water of a line, by its balance at the running order."""
    streams = state.result.streams
    uses: dict[str, list[float]] = {}
    for unit in state.line.units:
        kind = 0 if isinstance(unit, Water) else 1 if isinstance(unit, Tank) else None
        if kind is None:
            continue
        for one in state.line.graph.out(unit.id):
            target = state.line.unit(one.target)
            if not isinstance(target, (Sink, Tank)):
                use = uses.setdefault(target.station, [0.0, 0.0])
                use[kind] += streams[one.id].total_t_per_h
            elif isinstance(target, Tank) and kind == 0:
                uses.setdefault(target.station, [0.0, 0.0])[0] += streams[one.id].total_t_per_h
    drains = _drains(state)
    names = {one.id: one.name for one in state.line.stations}
    found = [Use(names.get(station, station), *amounts) for station, amounts in uses.items()]
    fresh, again = sum(one.fresh_m3_per_h for one in found), sum(one.reused_m3_per_h for one in found)
    tanks = _tanks(state)
    effluent = sum(one.flow_m3_per_h for one in drains)
    figures = _figures(state, fresh, again, drains)
    loop, volume = _loop(state, fresh, effluent), state.line.water.loop_volume_m3
    leaves = effluent + state.line.water.product_water_m3_per_t * state.order.reel_t_per_h
    settles = 3 * volume / leaves if volume is not None and leaves > 0 else None
    cod = sum(24 * one.flow_m3_per_h * one.cod_kg_per_m3 / 1000 for one in drains)
    return Watered(found, drains, figures, tanks, min(fresh, effluent), loop, settles, cod)


def _loop(state: State, fresh: float, effluent: float) -> list[Held]:
    """Return what the loop settles at, by what is let in and out at the running order."""
    rate = state.order.reel_t_per_h
    if rate <= 0 or effluent <= 0:
        return []
    plan, told, said = state.line.water, state.set_origin("water"), Origin("computed", "whole-line balance")
    found = []
    for one in plan.loop:
        data = {
            "load_kg_per_t": Datum(one.load_kg_per_t, told), "fresh_m3_per_t": Datum(fresh / rate, said),
            "fresh_conc_kg_per_m3": Datum(one.makeup_kg_per_m3, told),
            "effluent_m3_per_t": Datum(effluent / rate, said),
            "product_water_m3_per_t": Datum(plan.product_water_m3_per_t, told),
        }  # fmt: skip
        settles = figure("loop_conc", one.name, data, decimals=3)
        found.append(Held(one.name, settles, one.limit_kg_per_m3, _read_of(state, one.name)))
    return found


def _read_of(state: State, substance: str) -> list[tuple[str, float, datetime]]:
    """Return where a substance was read last, tank by tank."""
    point = substance.replace(" ", "_")
    found = []
    for unit in state.line.units:
        tag_id = unit.tag_of(point) if isinstance(unit, Tank) else None
        reading = state.readings.get(tag_id) if tag_id is not None else None
        if reading is not None:
            found.append((unit.name, reading.value, reading.at))
    return found


def _drains(state: State) -> list[Drain]:
    streams, found = state.result.streams, []
    for unit in state.line.units:
        if not isinstance(unit, Effluent):
            continue
        for one in state.line.graph.into(unit.id):
            flow = streams[one.id]
            if flow.total_t_per_h < LEAST_T_PER_H:
                continue
            organics = float(flow.flows_t_per_h[INDEX["organics"]])
            fibre = float(flow.flows_t_per_h[INDEX["fibre"]] + flow.flows_t_per_h[INDEX["fines"]])
            found.append((one.called, unit.name, flow.total_t_per_h, COD_PER_ORGANICS * 1000 * organics, 1000 * fibre))
    total = sum(one[3] for one in found) or 1.0
    rows = [
        Drain(name, where, flow, cod / flow, fibre, 100 * cod / total) for name, where, flow, cod, fibre in found
    ]  # fmt: skip
    return sorted(rows, key=lambda one: -one.share_pct)


def _tanks(state: State) -> list[tuple[str, float, float]]:
    """Return each water tank with what is drawn from it and what runs over, m³/h."""
    found = []
    for unit in state.line.units:
        if isinstance(unit, Tank):
            drawn = sum(
                state.result.streams[one.id].total_t_per_h
                for one in state.line.graph.out(unit.id)
                if one.id != unit.overflow
            )
            found.append((unit.name, drawn, state.result.streams[unit.overflow].total_t_per_h))
    return found


def _figures(state: State, fresh: float, again: float, drains: Sequence[Drain]) -> list[Figure]:
    said = Origin("computed", "whole-line balance at the running order")
    rate = state.order.reel_t_per_h
    figures = []
    if rate > 0 and fresh > 0:
        data = {
            "fresh_m3_per_h": Datum(fresh, said),
            "production_bdt_per_h": Datum(rate, Origin("set", "the order, at the reel")),
        }
        figures.append(figure("fresh_water", "fresh water", data, decimals=1))
    if fresh + again > 0:
        data = {"fresh_m3_per_h": Datum(fresh, said), "reused_m3_per_h": Datum(again, said)}
        figures.append(figure("reuse_share", "used again", data, decimals=0))
    if drains:
        data = {
            "flow_each_m3_per_h": Datum([one.flow_m3_per_h for one in drains], said),
            "conc_each_kg_per_m3": Datum(
                [one.cod_kg_per_m3 for one in drains],
                Origin("computed", "what is dissolved of wood, 1.4 kg oxygen a kg: an ESTIMATE"),
            ),
        }
        figures.append(figure("effluent_day", "to the drains", data, decimals=0))
        figures.append(figure("effluent_day", "oxygen demand, ESTIMATE", data, result="load_kg_per_d", decimals=0))
    return figures


# ---- what binds


def bound(plan: WaterPlan, typed: Mapping[str, Any]) -> Bound:
    """Work out what binds the closing of a loop; a fault names its field and keeps everything typed."""
    rows = []
    for one in plan.loop:
        name, stands = one.name, (one.load_kg_per_t, one.limit_kg_per_m3, one.makeup_kg_per_m3)
        fields = [
            (f"{_key(name)}-{field_}", label, str(typed.get(f"{_key(name)}-{field_}", f"{value:g}")).strip()[:12])
            for (field_, label, _, _), value in zip(FIELDS, stands, strict=True)
        ]
        rows.append((name, fields))
    shared = [
        (name, label, str(typed.get(name, f"{value:g}")).strip()[:12])
        for (name, label, _, _), value in zip(
            SHARED, (plan.product_water_m3_per_t, plan.evaporated_m3_per_t), strict=True
        )
    ]
    try:
        substances = [
            {
                "load_kg_per_t": _read(fields[0][0], fields[0], FIELDS[0]),
                "limit_kg_per_m3": _read(fields[1][0], fields[1], FIELDS[1]),
                "makeup_conc_kg_per_m3": _read(fields[2][0], fields[2], FIELDS[2]),
            }
            for _, fields in rows
        ]
        data = {
            "substances": Datum(substances, Origin("entered", "as typed: " + ", ".join(name for name, _ in rows))),
            "product_water_m3_per_t": Datum(_read("product", shared[0], SHARED[0]), Origin("entered", "as typed")),
            "evaporation_m3_per_t": Datum(_read("vapour", shared[1], SHARED[1]), Origin("entered", "as typed")),
        }
        found = figure("binding_bleed", "bleed", data, result="bleed_m3_per_t", decimals=2)
    except DomainError as error:
        fault = f"{error.message}. Allowed: {error.allowed}" if error.allowed else error.message
        return Bound(rows, shared, fault=fault)
    return Bound(rows, shared, found, _words(found, [name for name, _ in rows]))


def _key(name: str) -> str:
    return name.replace(" ", "-")


def _read(name: str, typed: tuple[str, str, str], limits: tuple[str, str, float, float]) -> float:
    return number_within(typed[2], name, typed[1], limits[2], limits[3])


def _words(found: Figure, names: Sequence[str]) -> list[str]:
    binds = names[int(found.results["binding_count"]) - 1]
    after = float(found.results["next_m3_per_t"])
    each = ", ".join(f"{name} {one:.2f}" for name, one in zip(names, found.results["bleed_each_m3_per_t"], strict=True))
    return [
        f"{binds.capitalize()} binds: {found.value:.2f} m³/t must leave the loop.",
        f"Were it taken out, {after:.2f} m³/t would do, {found.value - after:.2f} less. By substance, m³/t: {each}.",
        "Heat, the quality of showers or the evaporators may bind before any of them.",
    ]
