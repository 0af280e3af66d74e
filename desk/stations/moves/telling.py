"""What moves add to the rail, to a card, to the hand-over, to quick entry."""

import re
from collections.abc import Iterable, Mapping
from datetime import datetime
from typing import Any, Final

from django.utils import timezone

from desk.floor.due import Item
from desk.floor.state import State
from desk.floor.station import Spoken
from desk.frame.alike import new_key
from desk.frame.panels.attempt import Attempt
from desk.people.models import Person
from desk.stations.moves.expecting import present_of, setting_at, wanted_by
from desk.stations.moves.followed import Followed
from desk.stations.moves.models import Gain, Setting, number
from desk.stations.moves.reckoning import reckoned
from desk.stations.moves.services import Wish, make_move
from desk.stations.moves.since import all_standing, followed, moves_of, newest, open_on
from stock.figure import Datum, Origin
from stock.judge.advice import Advice

MOVES: Final = "moves"
GAINS_S: Final = 600


def due(state: State) -> Iterable[Item]:
    """Yield what moves ask for: a first look that is due, a plain word that stands against what was expected."""
    for one in newest(state):
        what, words, station = f"Move: {one.move.words}", f"{one.sentence}.", one.move.station
        if one.not_made:
            yield Item(state.now, what, words, "outside", station, now=True, page=MOVES)
        elif one.too_early:
            said = f"{one.move.words}, {one.move.said}."
            yield Item(one.move.look_at, f"Look at {_name(one)}", said, "ok", station, page=MOVES)
        elif one.level != "ok":
            yield Item(state.now, what, words, one.level, station, now=True, page=MOVES)


def _name(one: Followed) -> str:
    return one.tag.name[:1].lower() + one.tag.name[1:] if one.tag is not None else one.move.words


def learned(state: State) -> Mapping[tuple[str, str], Datum]:
    """Return the gains that were accepted, by point and tag."""
    rows = state.of_records("gains", lambda: _gains(state), GAINS_S, [Gain])
    return {
        (one.point, one.tag): Datum(
            one.gain_ratio,
            Origin(
                "set",
                f"learned from {len(one.moves)} moves, accepted by {one.by.short_name if one.by else 'nobody'}",
                one.entered_at,
            ),
        )
        for one in rows
    }


def stands(state: State, point: str) -> Datum | None:
    """Return where a point stands: as the plant says, where it is simulated, else as the last move left it."""
    if (known := setting_at(state, point)) is not None:
        return Datum(known.value, Origin("set", "as the plant says", known.at))
    last = next((one for one in all_standing(state) if one.point == point and not one.void), None)
    return None if last is None else Datum(last.to_value, Origin("set", "the last move", last.at))


def moved(state: State, point: str) -> list[tuple[datetime, float]]:
    """Return when a point was moved of late and what it stood at before, the newest first."""
    return [(one.at, one.from_value) for one in moves_of(state) if one.point == point and one.from_value is not None]


def _gains(state: State) -> list[Gain]:
    return list(Gain.objects.filter(world=state.world, superseded_by=None).select_related("by"))


def held(state: State) -> Mapping[str, str]:
    """Return what is waited for after a move, by tag: no more of it is advised before its first look."""
    found = {}
    for one in newest(state):
        if one.judged and one.too_early and not one.not_made:
            moved, look = (f"{timezone.localtime(at):%H:%M}" for at in (one.move.at, one.move.look_at))
            found[one.move.tag] = (
                f"{one.move.words[:1].upper()}{one.move.words[1:]} moved {moved}; look again at {look}"
            )
    return found


def made(state: State, since: datetime) -> Iterable[str]:
    """Yield what was moved since a moment, a line each, with what came of it."""
    for one in followed(state):
        if one.move.at >= since:
            at = f"{timezone.localtime(one.move.at):%H:%M}"
            yield f"{at} {one.move.words}: {one.move.said}. {one.sentence}"


def under_card(state: State, card: Advice) -> tuple[str, Mapping[str, Any]] | None:
    """Return what stands under a card of advice: the press that does it, or the move that is waited for."""
    if card.step is None or card.leave:
        return None
    waiting = open_on(state, card.tag.id)
    wanted = wanted_by(state, card)
    present = present_of(state, card)
    context = {
        "waiting": waiting,
        "wanted": wanted,
        "wanted_text": "" if wanted is None else _plain(wanted, present),
        "present": present,
        "moved": card.moved,
        "done_key": new_key(),
        "side": card.verdict.side,
    }
    return "moves/_done.html", context


def under_panel(state: State, panel: Attempt) -> tuple[str, Mapping[str, Any]] | None:
    """Return the press that sets what a panel's answer says, where a simulated plant has it."""
    if panel.sets is None or not state.world.simulated:
        return None
    point, value, by_step = panel.sets
    present = setting_at(state, point)
    if present is None:
        return None
    to = min(max(present.value + value if by_step else value, present.low), present.high)
    if _plain(to, present) == _plain(present.value, present):
        return None  # it stands there
    return "moves/_set_it.html", {"present": present, "to": _plain(to, present), "set_key": new_key()}


def _plain(value: float, present: Setting | None) -> str:
    decimals = present.decimals if present is not None else (0 if abs(value) >= 100 else 2)
    return f"{value:.{decimals}f}"


_LINE: Final = re.compile(
    r"(?P<words>[a-z][a-z0-9 -]{2,60}?)\s+(?P<sign>to|[+−-])\s*(?P<value>\d+(?:[.,]\d+)?)\s*(?P<unit>[a-z/%]*)",
    re.IGNORECASE,
)


def spoken(state: State, text: str) -> Spoken | None:
    """Read `brown dilution +146`, `refiner 3 power to 90`; None where the line is something else."""
    typed = _LINE.fullmatch(text.strip())
    if typed is None or not state.world.simulated:
        return None
    words = typed["words"].lower().split()
    known = list(Setting.objects.filter(world=state.world))
    found = [one for one in known if all(_in(word, one) for word in words)]
    if not found:
        return None
    if len(found) > 1:
        exact = (
            [one for one in found if one.point.startswith("flow:")] if "dilution" in words or "flow" in words else found
        )
        if len(exact) != 1:
            shown = ", ".join(one.words for one in found[:4])
            return Spoken("", fault=f"that could be {shown}: say more of it")
        found = exact
    (one,) = found
    value = float(typed["value"].replace(",", "."))
    to = value if typed["sign"].lower() == "to" else one.value + (value if typed["sign"] == "+" else -value)
    to = round(to, one.decimals)  # what is said is what is made
    if not one.low <= to <= one.high:
        return Spoken(
            "", fault=f"{one.words} can be {number(one.low)} to {number(one.high)} {one.unit}, not {number(to)}"
        )
    said = f"{one.words}: {number(one.value)} to {number(to, one.decimals)} {one.unit}".rstrip()

    def do(person: Person, at: datetime, form_key: str) -> str:
        tag, expected = reckoned(state, one, to)
        wish = Wish(to=to, point=one.point, tag=tag, expected=expected)
        move = make_move(state.world, person, wish, at=at, form_key=form_key)
        return f"{move.words}, {move.said}"

    return Spoken(f"A move. {said}", do)


def _in(word: str, one: Setting) -> bool:
    """Whether a word names a setting: in its words, its point or its station; a dilution is the water let in."""
    text = f"{one.words} {one.point} {one.station}".lower().replace("_", " ").replace(":", " ")
    return word.rstrip("s") in text or (word in ("dilution", "water") and ("water" in text or "dilution" in text))


def sheet(state: State) -> Iterable[tuple[str, list[str]]]:
    """Yield the moves that are not looked at yet, for the hand-over."""
    rows = [
        f"{one.move.words}, {one.move.said}: {one.sentence}." for one in newest(state) if one.judged and one.too_early
    ]
    if rows:
        yield "Moves not looked at yet", rows
