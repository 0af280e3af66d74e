"""Which moves stand, and what was read since: as far as no other on the same reading had a part in it."""

from collections.abc import Iterable
from dataclasses import dataclass
from datetime import datetime, timedelta
from typing import Final

from django.db import connection
from django.db.models import Max, Q

from desk.floor.models import epoch
from desk.floor.state import State
from desk.stations.moves.followed import Followed
from desk.stations.moves.models import Made, Move
from stock.decisions import RULES
from stock.tag import Tag

BACK: Final = timedelta(hours=48)
BEFORE_MIN: Final = 30.0
LAB_BEFORE: Final = timedelta(hours=24)
MOST_READINGS = 120
OFTEN_S: Final = 20
MOST_NEWS: Final = 8  # that every page works out


def standing(state: State) -> list[Move]:
    """Return the moves that stand, the newest first: those of two days, and the last at each point since the line was defined."""
    held = Move.objects.filter(world=state.world, at__lte=state.now, superseded_by=None, void=False)
    last = held.filter(at__gte=state.world.version.approved_at).exclude(point="").values("point")
    rows = held.filter(Q(at__gt=state.now - BACK) | Q(pk__in=last.annotate(last=Max("pk")).values("last")))
    return list(rows.select_related("by", "made").order_by("-at", "-id"))


def all_standing(state: State) -> list[Move]:
    """Return the moves that stand, the newest first; asked with each entry, not with each reading."""
    return state.of_records("moves", lambda: standing(state), OFTEN_S, [Move, Made])


def moves_of(state: State) -> list[Move]:
    """Return the moves of the last two days that stand, the newest first."""
    return [one for one in all_standing(state) if one.at > state.now - BACK]


def followed(state: State, most: int | None = None) -> list[Followed]:
    """Return the moves with what was read since, the newest first; each worked out once a state."""
    return [_followed_once(state, move) for move in moves_of(state)[:most]]


def _followed_once(state: State, move: Move) -> Followed:
    kept: dict[int, Followed] = state.kept.setdefault("followed", {})
    if move.pk not in kept:
        kept[move.pk] = follow(state, move, moves_of(state))
    return kept[move.pk]


def newest(state: State) -> list[Followed]:
    """Return the newest move on each thing that is read, while a word on it is news: what every page needs of moves."""
    seen: set[str] = set()
    found = []
    for move in moves_of(state):
        refused = (made := getattr(move, "made", None)) is not None and not made.reached
        if (move.tag and move.tag in seen) or not (move.effect or refused):
            continue
        seen.add(move.tag)
        if is_news(state, move):
            found.append(_followed_once(state, move))
    return found[:MOST_NEWS]


def is_news(state: State, move: Move) -> bool:
    """Whether a word on a move is news still: until as long again as it took to settle, four hours at least."""
    after = max(4 * 3600.0, (move.settled_at - move.at).total_seconds())
    return (state.now - move.settled_at).total_seconds() < after


@dataclass(frozen=True, slots=True)
class Window:
    """Of what was read, what a move alone can have made: after the one before it has settled, until the one after it."""

    from_at: datetime
    until_at: datetime

    @classmethod
    def of(cls, move: Move, others: Iterable[Move], now: datetime) -> "Window":
        """Return the window of a move among the others on the same reading."""
        same = [one for one in others if one.tag == move.tag and one.pk != move.pk and _counts(one)]
        before = [one.settled_at for one in same if one.at <= move.at]
        after = [one.at for one in same if one.at > move.at]
        return cls(min(max(before, default=move.at - LAB_BEFORE), move.at), min([*after, now]))


def _counts(move: Move) -> bool:
    made = getattr(move, "made", None)
    return made is None or made.reached


def follow(state: State, move: Move, others: Iterable[Move] = ()) -> Followed:
    """Return a move with what was read since, as far as no other on the same reading had a part in it."""
    tag = state.line.tag(move.tag) if move.tag and any(one.id == move.tag for one in state.line.tags) else None
    if tag is None:
        return Followed(move, None, state.now)
    others = list(others)
    window = Window.of(move, others, state.now)
    times, values = _live(state, move, tag, window) if tag.live else _laboratory(state, move, tag, window)
    moved_on = any(one.point == move.point and one.at > move.at and _counts(one) for one in others if one.point)
    stream = state.result.streams.get(move.point.removeprefix("flow:"))
    drawn = None if stream is None else stream.total_t_per_h * 1000 / 60
    return Followed(move, tag, state.now, times, values, causes_of(move.rule), moved_on, drawn)


def _live(state: State, move: Move, tag: Tag, window: Window) -> tuple[list[float], list[float]]:
    at_s = epoch(move.at)
    settled = max(float(move.expected.get("settled_min", 0.0)), 10.0)
    from_s = max(at_s - int(60 * BEFORE_MIN), epoch(window.from_at))
    until = min(epoch(window.until_at), at_s + int(60 * 2 * settled) + 600)
    bucket = max(60, int((until - at_s + 60 * BEFORE_MIN) / MOST_READINGS / 60 + 1) * 60)
    with connection.cursor() as cursor:
        cursor.execute(
            "SELECT avg(at_s), avg(value) FROM floor_sample WHERE world_id = %s AND tag = %s AND at_s > %s AND at_s <= %s"
            " AND value IS NOT NULL GROUP BY (at_s - %s + 864000) / %s ORDER BY 1",
            [state.world.pk, tag.id, from_s, until, at_s, bucket],
        )
        rows = cursor.fetchall()
    return [(float(at) - at_s) / 60 for at, _ in rows], [float(value) for _, value in rows]


def _laboratory(state: State, move: Move, tag: Tag, window: Window) -> tuple[list[float], list[float]]:
    run = [one for one in state.entered.get(tag.id, []) if window.from_at < one.at <= window.until_at]
    return [(one.at - move.at).total_seconds() / 60 for one in run], [one.value for one in run]


def causes_of(rule_id: str) -> tuple[str, ...]:
    """Return the causes the advice names in order, less the first, which was tried."""
    return next((rule.causes for rule in RULES if rule.id == rule_id), ())


def open_on(state: State, tag_id: str) -> Followed | None:
    """Return the newest move on a tag that has not had its first look yet."""
    return next((one for one in newest(state) if one.move.tag == tag_id and one.too_early and not one.not_made), None)
