"""Every shown number has a key; this finds the number again, with its working."""

from collections.abc import Callable
from dataclasses import replace

from django.core.exceptions import ObjectDoesNotExist

from desk.floor.state import State
from desk.floor.station import stations
from desk.frame.cards import size_of
from desk.mill.selectors import solve
from stock.errors import DomainError
from stock.figure import Datum, Figure, Origin, figure, given
from stock.judge.here import Place
from stock.line.balance import LineResult
from stock.scales import scale_beside


def find(state: State, key: str) -> Figure:
    """Return the figure a key names.

    Raises
    ------
    LookupError
        If the key names nothing, or its numbers are not there.
    """
    kind, _, rest = key.partition(":")
    finders: dict[str, Callable[[State, str], Figure]] = {
        "reading": _reading,
        "flow": _flow,
        "cover": _cover,
        "advice": _advice,
        "witness": _witness,
        "drift": lambda state, rest: state.drifting[rest].figure,
        "machine": _machine,
        "tried": _tried,
    }
    for station in stations():
        finders |= station.figures
    if kind not in finders:
        raise LookupError(key)
    try:
        return replace(finders[kind](state, rest), key=key)
    except (KeyError, ValueError, StopIteration, ObjectDoesNotExist, DomainError):
        raise LookupError(key) from None


def _flow(state: State, rest: str) -> Figure:
    shown = state.flow_figure(rest, f"bone-dry flow, {state.line.stream(rest).called}")
    return replace(shown, data=state.solved_from(rest))


def _reading(state: State, rest: str) -> Figure:
    reading = state.readings[rest]
    shown, scale = reading.as_figure(), scale_beside(reading.tag.quantity)
    if scale is None or scale.out_of is None or shown.origin is None:
        return shown
    try:
        beside = f"{shown.origin.text}; about {scale.out_of(reading.value):.1f} as {scale.name}"
    except DomainError:  # beyond what the other scale reaches
        return shown
    return replace(shown, origin=replace(shown.origin, text=beside))


def _cover(state: State, rest: str) -> Figure:
    cover = state.cover(rest)
    if cover is None:
        raise LookupError(rest)
    return cover


def _advice(state: State, rest: str) -> Figure:
    return next(size_of(card) for card in state.advice if card.tag.id == rest)


def _witness(state: State, rest: str) -> Figure:
    check = state.witnesses[rest].check
    if check is None:
        raise LookupError(rest)
    return check


def tried_key(result: LineResult, stream: str) -> str:
    """Return the key of a stream's flow in an order that is only being tried."""
    order = result.order
    shares = ",".join(f"{name}={share:g}" for name, share in sorted(order.shares.items()))
    return f"tried:{stream}:{order.grade.id}:{order.reel_t_per_h:g}:{shares}"


def tried_figure(state: State, result: LineResult, stream: str, label: str, *, whole: bool = False) -> Figure:
    """Return a flow of a tried order: bone-dry, or with its water where `whole` is set."""
    flow = result.streams[stream]
    order = result.order
    recipe = ", ".join(
        f"{state.line.stream(name).called} {100 * share:g} %" for name, share in order.shares.items() if share
    )
    text = (
        f"the balance of all {len(state.line.units)} units and {len(state.line.streams)} streams solved together for"
        f" {order.reel_t_per_h:g} t/h of {order.grade.name} ({recipe}); yields, consistencies and splits from"
        f" {state.set_origin('the line definition').text}. Mass closes to {result.closure_frac:.0e} of the largest flow"
    )
    value, unit = (flow.total_t_per_h, "t/h") if whole else (flow.bdt_per_h, "BDt/h")
    decimals = 1 if whole else 2
    shown = given(label, value, unit, Origin("computed", text), decimals)
    key = tried_key(result, stream)
    return replace(shown, key=f"{key}:whole" if whole else key)


def brightness_of(state: State, stream_id: str) -> Datum:
    """Return the brightness of a furnish: the last pad on its way to the blend, else what the definition says of it.

    Raises
    ------
    LookupError
        If nobody measured it and the definition says nothing.
    """
    place = Place(state, state.line.stream(stream_id))
    for part in (place.part, place.unit, *state.line.graph.upstream(place.unit.id)):
        tag = part.tag_of("brightness")
        if tag is not None and tag in state.readings:
            return state.reading(tag)
    return place.given("brightness_pct")


def blend_figure(state: State, result: LineResult) -> Figure:
    """Return the brightness a tried recipe would give, from the last pads and the mill's own figures."""
    shares = {name: share for name, share in result.order.shares.items() if share > 0}
    each, scattering, origins = [], [], []
    for name in shares:
        datum = brightness_of(state, name)
        each.append(datum.value)
        scattering.append(Place(state, state.line.stream(name)).given("scattering_m2_per_kg").value)
        origins.append(f"{state.line.stream(name).called} {datum.value:g} ({datum.origin.kind})")
    recipe = f"order of {result.order.reel_t_per_h:g} t/h of {result.order.grade.name}: {', '.join(shares)}"
    shown = figure(
        "blend_brightness_iso",
        "brightness expected of the blend",
        {
            "shares_frac": Datum(list(shares.values()), Origin("entered", recipe)),
            "each_brightness_pct": Datum(each, Origin("measured", ", ".join(origins))),
            "scattering_m2_per_kg": Datum(scattering, state.set_origin("mill definition")),
        },
    )
    return replace(shown, key=tried_key(result, "brightness"))


def _tried(state: State, rest: str) -> Figure:
    stream, grade, tonnes, shares, *whole = rest.split(":")
    try:
        recipe = {name: float(share) for name, _, share in (part.partition("=") for part in shares.split(","))}
        result = solve(state.world.version, grade, float(tonnes), recipe)
    except ValueError:
        raise LookupError(rest) from None
    if stream == "brightness":
        return blend_figure(state, result)
    return tried_figure(state, result, stream, f"flow, {state.line.stream(stream).called}", whole=bool(whole))


def machine_figures(state: State) -> dict[str, Figure]:
    """Return the machine's demand: speed for the order, bone-dry reel."""
    order, grade = state.order, state.line.grade(state.order.grade)
    set_by = state.set_origin(f"grade {grade.name}")
    accepted = set_by
    if order.pk is not None:
        accepted = Origin("entered", f"order accepted by {order.accepted_by.short_name}", order.from_at)
    speed = figure(
        "speed_for_tonnes",
        "machine speed",
        {
            "reel_t_per_h": Datum(order.reel_t_per_h, accepted),
            "width_m": Datum(grade.width_m, set_by),
            "grammage_g_per_m2": Datum(grade.grammage_g_per_m2, set_by),
        },
        decimals=0,
    )
    reel = figure(
        "reel_production",
        "bone-dry at the reel",
        {
            "speed_m_per_min": speed.as_datum(),
            "width_m": Datum(grade.width_m, set_by),
            "grammage_g_per_m2": Datum(grade.grammage_g_per_m2, set_by),
            "moisture_pct": Datum(grade.moisture_pct, set_by),
        },
        result="bdt_per_h",
    )
    made = figure(
        "reel_production",
        "paper at the reel",
        dict(reel.data),
        result="reel_t_per_h",
    )
    found = {"speed": speed, "reel": made, "reel_bd": reel}
    return {name: replace(shown, key=f"machine:{name}") for name, shown in found.items()}


def _machine(state: State, rest: str) -> Figure:
    return machine_figures(state)[rest]
