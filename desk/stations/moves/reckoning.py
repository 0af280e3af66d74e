"""What a move of one's own is expected to do: by what is set, through the unit it acts on, to what is read after it."""

from collections.abc import Callable, Mapping
from typing import Any, Final

from desk.floor.state import State
from desk.stations.moves.course import course
from desk.stations.moves.models import Setting
from stock.bleaching.colour import brightness_of, ks_of
from stock.bleaching.ph import BUFFER_ACID, BUFFER_ALKALINE, ph_dose
from stock.bleaching.solutions import titrated
from stock.bleaching.symbols import middle
from stock.bleaching.through import Run, ks_into, march, rows_of, start_of, usual_charge
from stock.bleaching.unit import BleachStage
from stock.cooking.relation import Relation
from stock.cooking.unit import BatchDigesters
from stock.cooking.ways import WAYS
from stock.errors import DomainError
from stock.figure import Datum, Origin
from stock.judge.here import Place
from stock.judge.rule import PIPE_MIN, TEST_MIN
from stock.primitives import Mix, Tank, Unit, Vessel, Water
from stock.refining.energy import freeness_after
from stock.refining.unit import Refiner
from stock.simulate.bleaching import ACID_OF_NAOH, USUAL_KAPPA
from stock.simulate.loops import averaging
from stock.simulate.reading import L_PER_MIN
from stock.tag import Tag
from stock.washing.decisions import WASHER_MIN
from stock.washing.stage import efficiency_from_loss, washing_loss_frac
from stock.washing.stairs import answer_min
from stock.washing.unit import Washer

PH_DOSE: Final = ph_dose.method.bare  # type: ignore[attr-defined]
NEUTRAL_PH: Final = 7.0
LOOP_MIN: Final = 1.5  # for a loop or a dilution to have its way
LEVEL_H: Final = 4.0  # over which a flow is reckoned to run a vessel up or down
HALF_FRAC: Final = 0.35  # of the time in which an averaging level comes to its set point, when half of it shows
LEAST: Final = 1e-9  # of an effect
LEAST_PTS: Final = 0.5  # of a level, below which it stands
NOTHING: Final[tuple[str, dict[str, Any]]] = ("", {})


def reckoned(state: State, setting: Setting, to: float) -> tuple[str, dict[str, Any]]:
    """Return the tag a move should change, and what is expected; '' and nothing where that is not known."""
    kind, _, where = setting.point.partition(":")
    make = KINDS.get(kind)
    try:
        return NOTHING if make is None or to == setting.value else make(state, where, setting.value, to)
    except (LookupError, DomainError, ZeroDivisionError, ValueError):
        return NOTHING


def _said(
    state: State, tag: Tag, effect: float, *, plug_min: float = 0.0, mixed_min: float = LOOP_MIN
) -> tuple[str, dict[str, Any]]:
    if tag.id not in state.readings or abs(effect) < LEAST:
        return NOTHING
    dead = (PIPE_MIN / 4 if tag.live else PIPE_MIN + TEST_MIN) + plug_min
    settled = dead + 0.5 * plug_min + 3 * mixed_min
    return tag.id, course(effect, first_min=dead + mixed_min, settled_min=settled, dead_min=dead, taus_min=[mixed_min])


def _tag_at(state: State, unit: Unit, point: str) -> Tag:
    """Return the tag that reads a point of a unit, or of what leaves it; LookupError where none does."""
    onward = state.line.graph.onward(unit.id)
    found = unit.tag_of(point) or (state.line.stream(onward.id).tag_of(point) if onward is not None else None)
    if found is None:
        raise LookupError(unit.id)
    return state.line.tag(found)


def _mixes_min(state: State, unit: Unit) -> float:
    volume = unit.volume_m3 if isinstance(unit, Mix) else None
    if not volume:
        return LOOP_MIN
    onward = state.line.graph.onward(unit.id)
    flow = state.result.streams[onward.id].total_t_per_h if onward is not None else 0.0
    return LOOP_MIN + (60 * volume / flow if flow > 0 else 0.0)


def _flow(state: State, stream: str, before: float, to: float) -> tuple[str, dict[str, Any]]:
    graph = state.line.graph
    target, source = graph.units[graph.streams[stream].target], graph.units[graph.streams[stream].source]
    wash = getattr(target, "wash", None)
    if wash is not None and wash.stream == stream:
        return _washed(state, target, before, to)
    if isinstance(source, (Tank, Water)) and isinstance(target, Mix):
        tag = _tag_at(state, target, "consistency")
        now, water = state.readings[tag.id].value, state.result.streams[stream].consistency_pct
        onward = graph.onward(target.id)
        total = (state.result.streams[onward.id].total_t_per_h if onward is not None else 0.0) * 1000 / 60
        return _said(
            state, tag, -(now - water) * (to - before) / (total + to - before), mixed_min=_mixes_min(state, target)
        )
    return _fed(state, stream, to)


def _fed(state: State, stream: str, to: float) -> tuple[str, dict[str, Any]]:
    """Reckon a flow of stock on the next vessel's level: it runs full by what is fed over what is drawn, hour by hour.

    What is cooked comes by the cooks, and of a furnish the other shares give way: neither level says anything of it.
    """
    graph = state.line.graph
    way = [graph.units[graph.streams[stream].target], *graph.downstream(graph.streams[stream].target)]
    vessel = next((one for one in way if isinstance(one, BatchDigesters) or _has_level(one)), None)
    if not isinstance(vessel, Vessel) or vessel.level not in state.readings or getattr(vessel, "recipe", False):
        return NOTHING
    at_rest = state.result.streams[stream]
    over = to - at_rest.total_t_per_h * 1000 / 60  # back to what is drawn it moves no more, wherever it was before
    streams = state.result.streams
    arrives = graph.arriving_frac(graph.streams[stream], vessel.id, lambda name: streams[name].bdt_per_h)
    bdt_per_h = arrives * over / L_PER_MIN * 3600 * at_rest.consistency_pct / 100
    full = float(getattr(vessel, "volume_m3", 1.0)) * (vessel.holds_pct or 4.0) / 100
    effect = 100 * bdt_per_h * LEVEL_H / full
    if abs(effect) < LEAST_PTS:
        return NOTHING
    return vessel.level or "", course(effect, first_min=30.0, settled_min=60 * LEVEL_H)


def _has_level(unit: Unit) -> bool:
    return isinstance(unit, Vessel) and bool(getattr(unit, "volume_m3", None) and unit.level)


def _set_point(state: State, unit_id: str, before: float, to: float) -> tuple[str, dict[str, Any]]:
    unit = state.line.unit(unit_id)
    return _said(state, _tag_at(state, unit, "consistency"), to - before, mixed_min=_mixes_min(state, unit))


def _level(state: State, unit_id: str, before: float, to: float) -> tuple[str, dict[str, Any]]:
    """A level's set point: by a loop that lets its vessel swing, so that what feeds it does not."""
    unit = state.line.unit(unit_id)
    tag, onward = _tag_at(state, unit, "level"), state.line.graph.onward(unit_id)
    drawn = state.result.streams[onward.id].total_t_per_h if onward is not None else 0.0
    volume = getattr(unit, "volume_m3", None)
    hours = averaging(volume, drawn).arrest_h if volume and drawn > 0 else LEVEL_H
    return tag.id, course(to - before, first_min=60 * HALF_FRAC * hours, settled_min=60 * hours)


def _charge(state: State, where: str, before: float, to: float) -> tuple[str, dict[str, Any]]:
    """A charge: undone through its own stage and those after it, and worked through them again."""
    unit_id, _, number = where.partition(":")
    unit = state.line.unit(unit_id)
    if not isinstance(unit, BleachStage):
        return NOTHING
    at = int(number) - 1 if number else len(unit.stages) - 1
    return _bleached(state, unit, {at: (before, to)})


def _strength(state: State, dose_id: str, before: float, to: float) -> tuple[str, dict[str, Any]]:
    """The strength pumps are set for: every stage that solution goes to is given more, or less."""
    graph = state.line.graph
    unit = next((graph.units[one.target] for one in graph.out(dose_id)), None)
    if not isinstance(unit, BleachStage):
        return NOTHING
    given = {
        at: (charge, charge * before / to)
        for at, dose in titrated(state.line, unit).items()
        if dose.id == dose_id
        for charge in [usual_charge(unit.stages[at], unit.symbol(at))]
    }
    return _bleached(state, unit, given) if given else NOTHING


def _beside(state: State, where: str, before: float, to: float) -> tuple[str, dict[str, Any]]:
    """Caustic or acid to the last stage: its end pH, by the buffer of its liquor."""
    unit_id, number, chemical = where.split(":")
    unit = state.line.unit(unit_id)
    per_kg = {"caustic": 1.0, "acid": -1 / ACID_OF_NAOH}.get(chemical)
    if not isinstance(unit, BleachStage) or per_kg is None or int(number) != len(unit.stages):
        return NOTHING
    symbol = unit.symbol(len(unit.stages) - 1)
    thick = unit.last.consistency_pct or middle(symbol.consistency_pct)
    buffer = BUFFER_ACID if middle(symbol.ph) < NEUTRAL_PH else BUFFER_ALKALINE
    kg_per_ph = PH_DOSE(now_ph=6.0, target_ph=7.0, stage_consistency_pct=thick, buffer_mmol_per_l_ph=buffer)
    tag = _tag_at(state, unit, "end_ph")
    return _said(state, tag, per_kg * (to - before) / kg_per_ph, plug_min=unit.last.minutes(_rate_to(state, unit)))


def _warmth(state: State, where: str, before: float, to: float) -> tuple[str, dict[str, Any]]:
    """The warmth of the last mixer: its controller has it there in minutes."""
    unit_id, _, number = where.partition(":")
    unit = state.line.unit(unit_id)
    if not isinstance(unit, BleachStage) or int(number) != len(unit.stages):
        return NOTHING
    return _said(state, _tag_at(state, unit, "mixed"), to - before)


def _bleached(state: State, unit: BleachStage, given: Mapping[int, tuple[float, float]]) -> tuple[str, dict[str, Any]]:
    """Return what charges moved from one to another do to the brightness of a bleach."""
    tag = _tag_at(state, unit, "brightness")
    kappa = unit.kappa or USUAL_KAPPA
    now, later = (
        rows_of(unit, kappa, {at: Run(charge_kg_per_bdt=pair[side]) for at, pair in given.items()}) for side in (0, 1)
    )
    start = start_of(unit, kappa)
    start = start._replace(ks=ks_into(now, start, ks_of(state.readings[tag.id].value)))
    effect = brightness_of(march(later, start)[-1].ks) - state.readings[tag.id].value
    rate = _rate_to(state, unit)
    minutes = sum(one.minutes(rate) for one in unit.stages[min(given) :])
    return _said(state, tag, effect, plug_min=minutes, mixed_min=12.0)


def _rate_to(state: State, unit: Unit) -> float:
    fed = state.line.graph.fed_by(unit.id)
    return state.result.streams[fed.id].bdt_per_h if fed is not None else 0.0


def _power(state: State, unit_id: str, before: float, to: float) -> tuple[str, dict[str, Any]]:
    unit = state.line.unit(unit_id)
    if not isinstance(unit, Refiner) or unit.slope is None:
        return NOTHING
    tag = _tag_at(state, unit, "freeness")
    flow = Place(state, unit).flow_in().value
    now, more = state.readings[tag.id].value, abs(to - before) / flow
    changed = freeness_after(unrefined_csf_ml=now, sre_kwh_per_t=more, slope_ratio=unit.slope.value)
    return _said(state, tag, changed - now if to > before else now * now / changed - now)


def _factor(state: State, unit_id: str, before: float, to: float) -> tuple[str, dict[str, Any]]:
    unit = state.line.unit(unit_id)
    wash = unit.wash  # type: ignore[attr-defined]
    tag = _tag_at(state, unit, "loss")
    solids = Place(state, unit).given("feed_solids_kg_per_bdt").value
    loss = state.readings[tag.id].value
    shared = {"feed_consistency_pct": wash.feed_consistency_pct}
    shows = efficiency_from_loss(
        loss_kg_per_bdt=loss, dilution_factor_t_per_bdt=before, feed_solids_kg_per_bdt=solids, **shared
    )
    after = solids * washing_loss_frac(dilution_factor_t_per_bdt=to, e_std_total_ratio=shows, **shared)
    minutes = answer_min(unit) if isinstance(unit, Washer) else WASHER_MIN
    return _said(state, tag, after - loss, mixed_min=minutes)


def _washed(state: State, unit: Unit, before: float, to: float) -> tuple[str, dict[str, Any]]:
    """Reckon a shower's flow as the dilution factor it makes."""
    pulp = Place(state, unit).flow().value * 1000 / 60
    thick = 100 / unit.consistency_pct - 1  # type: ignore[attr-defined]
    return _factor(state, unit.id, before / pulp - thick, to / pulp - thick)


def _aim(state: State, unit_id: str, before: float, to: float) -> tuple[str, dict[str, Any]]:
    """An end point: what the recipe's relation says of the two at the usual charge, from the next cooks on."""
    recipe = state.line.cook.at(unit_id)[0]
    way, relation = WAYS[recipe.school], state.fitted(recipe.id) or Relation.of(recipe)
    charge, said = Datum(recipe.usual_charge_pct, Origin("set", "recipe")), Origin("set", "the move")
    asks = way.aim(recipe, relation, charge, Datum(recipe.kappa_target, said)).value
    was, then = (way.kappa(recipe, relation, Datum(asks * one / 100, said), charge).value for one in (before, to))
    tag = state.line.tag(_tag_at(state, state.line.unit(unit_id), "kappa").id)
    digester = state.line.cook.holding(recipe)
    holds = digester.volume_m3 * recipe.basic_density_kg_per_m3 * recipe.solid_volume_factor / 1000
    every_min = 60 * holds / max(state.flow(recipe.stream).value, 1e-6)
    return _said(state, tag, then - was, plug_min=2 * every_min)


def _offset(state: State, tag_id: str, before: float, to: float) -> tuple[str, dict[str, Any]]:
    return _said(state, state.line.tag(tag_id), to - before, mixed_min=0.2)


KINDS: Final[dict[str, Callable[[State, str, float, float], tuple[str, dict[str, Any]]]]] = {
    "flow": _flow, "consistency": _set_point, "level": _level, "charge": _charge, "strength": _strength, "beside": _beside,
    "warmth": _warmth, "power": _power, "wash": _factor,
    "offset": _offset, "aim": _aim,
}  # fmt: skip
