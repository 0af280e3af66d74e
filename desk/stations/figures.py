"""Every shown number has a key; this finds the number again, with its working."""

from collections.abc import Callable
from dataclasses import replace

from desk.floor.cooks import follow_cook
from desk.floor.models import Cook
from desk.floor.state import State
from stock.errors import DomainError
from stock.figure import Datum, Figure, Origin, figure


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
        "flow": lambda state, rest: state.flow_figure(rest, f"bone-dry flow, {rest.replace('_', ' ')}"),
        "cover": _cover,
        "advice": _advice,
        "cook": _cook,
        "machine": _machine,
    }
    if kind not in finders:
        raise LookupError(key)
    try:
        return replace(finders[kind](state, rest), key=key)
    except (KeyError, StopIteration, DomainError):
        raise LookupError(key) from None


def _reading(state: State, rest: str) -> Figure:
    return state.readings[rest].as_figure()


def _cover(state: State, rest: str) -> Figure:
    cover = state.cover(rest)
    if cover is None:
        raise LookupError(rest)
    return cover


def _advice(state: State, rest: str) -> Figure:
    return next(card.size for card in state.advice if card.rule == rest)


def _cook(state: State, rest: str) -> Figure:
    number, _, name = rest.partition(":")
    cook = Cook.objects.filter(world=state.world, number=int(number) if number.isdigit() else -1).first()
    followed = follow_cook(state, cook) if cook else None
    if followed is None:
        raise LookupError(rest)
    return followed.figures()[name]


def machine_figures(state: State) -> dict[str, Figure]:
    """Return the machine's demand: speed for the order, bone-dry reel."""
    order, grade = state.order, state.line.grade(state.order.grade)
    set_by = state.set_origin(f"grade {grade.name}")
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
        result="bd_t_per_h",
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
