"""What is expected of a move a card advises: its size now, its effect, when it begins to show, when it is there."""

from collections.abc import Mapping
from typing import Any

from desk.floor.state import State
from desk.stations.moves.course import course
from desk.stations.moves.models import Move, Setting
from desk.stations.moves.reckoning import reckoned
from desk.stations.moves.services import Wish
from stock.judge.advice import Advice
from stock.primitives import Vessel

LEVEL_LOOK_MIN = 30.0


def present_of(state: State, card: Advice) -> Setting | None:
    """Return where what a card moves stands, where a simulated plant says so; asked once a state."""
    return None if card.moved is None else setting_at(state, card.moved.point)


def setting_at(state: State, point: str) -> Setting | None:
    """Return what can be set at a point of a simulated plant; None where there is no such plant or point."""
    if not state.world.simulated:
        return None
    if "settings" not in state.kept:
        state.kept["settings"] = {one.point: one for one in Setting.objects.filter(world=state.world)}
    found: Setting | None = state.kept["settings"].get(point)
    return found


def wanted_by(state: State, card: Advice) -> float | None:
    """Return the setting a card's first step comes to; None where it is not known what it stands at."""
    if card.moved is None or card.step is None:
        return None
    present = present_of(state, card)
    if card.moved.base is not None:
        to = card.moved.base + card.change
    elif present is not None:
        to = present.value + card.change
    elif card.step.result_name == "setting_moved":
        to = float(card.step.value)
    else:
        return None
    return min(max(to, present.low), present.high) if present is not None else max(to, 0.0)


def expected_of(state: State, card: Advice) -> dict[str, Any]:
    """Return what a card's first step is expected to do."""
    if card.step is None:
        return {}
    if card.tag.reads == "level":
        unit = state.line.part(card.tag.of)
        hours = unit.back_in_h if isinstance(unit, Vessel) else 1.0
        return course(card.effect, first_min=LEVEL_LOOK_MIN, settled_min=60 * hours)
    if card.look is None:
        return course(card.effect, first_min=20.0, settled_min=60.0, taus_min=[20.0])
    data = card.look.data
    dead = float(data["dead_min"].value)
    plug = float(data["plug_min"].value) if "plug_min" in data else 0.0
    mixed = [float(one) for one in data["mixed_each_min"].value] if "mixed_each_min" in data else []
    results: Mapping[str, Any] = card.look.results
    settled = float(results.get("settled_min", dead + 1.5 * plug + 3 * sum(mixed)))
    taus = mixed or [max(0.5, 0.25 * dead)]
    return course(
        card.effect, first_min=float(card.look.value), settled_min=max(settled, dead + plug + 3 * sum(taus)),
        dead_min=(dead if not card.tag.live else 0.25 * dead) + plug, taus_min=taus,
    )  # fmt: skip


def wish_of_card(state: State, card: Advice, to: float, text: str) -> Wish:
    """Return the move a card advises, of another size where one was typed: what is expected goes in ratio."""
    expected = expected_of(state, card)
    wanted, present = wanted_by(state, card), present_of(state, card)
    moved = card.moved
    start = present.value if present is not None else moved.base if moved is not None else None
    if wanted is not None and start is not None and abs(wanted - start) > 1e-9:
        expected["effect"] = expected["effect"] * (to - start) / (wanted - start)
    told = card.look is not None or card.tag.reads == "level"  # a level's card says over how many hours it is
    if not told and moved is not None and start is not None:  # what is moved says itself when it shows
        tag, own = reckoned(state, Setting(point=moved.point, value=start), to)
        expected = own if tag == card.tag.id else expected
    known = moved is not None and (present is not None or not state.world.simulated)
    return Wish(
        to=to,
        words=moved.words if moved is not None else card.correction[:120],
        unit=moved.unit if moved is not None else (card.step.unit if card.step else ""),
        station=card.tag.station,
        point=moved.point if moved is not None and known else "",
        tag=card.tag.id,
        from_value=start,
        because=Move.Because.CARD,
        rule=card.rule,
        text=text,
        expected=expected,
    )
