"""What became of moves: the course expected, what was read since, and the plain word on each."""

from collections.abc import Iterable, Sequence
from dataclasses import dataclass
from datetime import datetime, timedelta
from functools import cached_property
from typing import Any, Final

from django.db import connection
from django.db.models import Max, Q
from django.utils import timezone

from desk.floor.models import epoch
from desk.floor.state import State
from desk.stations.moves.models import Gain, Made, Move
from stock.decisions import RULES
from stock.errors import DomainError
from stock.figure import Datum, Figure, Origin, figure
from stock.judge.followed import Learned, Verdict, learned_gain, move_course
from stock.tag import Tag

BACK: Final = timedelta(hours=48)
BEFORE_MIN: Final = 30.0
LAB_BEFORE: Final = timedelta(hours=24)
WANDERS: Final = {
    "consistency": (0.012, 6.0),
    "brightness": (0.35, 240.0),
    "freeness": (8.0, 120.0),
    "kappa": (0.6, 90.0),
}
USUAL_MIN = 60.0
MOST_READINGS = 120
LEVEL_OFF = 0.35  # of the change expected of a level, that still counts as come
OFTEN_S: Final = 20
LEARNED_S: Final = 600
MOST_NEWS: Final = 8  # that every page works out

SAID: Final[dict[str, str]] = {
    "worked": "It worked", "less": "It did less than it should", "more": "It did more than it should",
    "no_effect": "It did nothing to be seen", "wrong_way": "It went the other way", "unclear": "It cannot be told yet",
}  # fmt: skip
NEXT: Final[dict[str, str]] = {
    "less": "Take the rest as the next step, no more",
    "more": "Take part of it back",
    "no_effect": "Not the same again: look at the next cause",
    "wrong_way": "Set it back, and look at the next cause",
}


@dataclass(frozen=True)
class Followed:
    """A move with what was read since."""

    move: Move
    tag: Tag | None
    now: datetime
    times_min: Sequence[float] = ()
    values: Sequence[float] = ()
    causes: Sequence[str] = ()
    moved_on: bool = False  # whether its point was moved again since
    drawn_l_per_min: float | None = None  # of a flow, what is drawn of it by the balance

    @property
    def made_words(self) -> str:
        """What came of sending it."""
        made = getattr(self.move, "made", None)
        if not self.move.to_plant:
            return ""
        if made is None:
            late = self.now - self.move.at > timedelta(minutes=1)
            return "the plant has not answered" if late else "on its way to the plant"
        return (
            f"made in the simulated plant, {timezone.localtime(made.at):%H:%M}"
            if made.reached
            else f"not made: {made.words}"
        )

    @property
    def not_made(self) -> bool:
        """Whether the plant refused it."""
        made = getattr(self.move, "made", None)
        return made is not None and not made.reached

    @property
    def judged(self) -> bool:
        """Whether an effect was said, of something that is read."""
        return self.tag is not None and self.move.effect != 0

    @property
    def runs_on(self) -> bool:
        """Whether it is a flow set for a level, and on still: the level goes on moving once it is where it should be."""
        at_level = self.tag is not None and self.tag.reads == "level" and self.move.point.startswith("flow:")
        return at_level and self.judged and not self.not_made and not self.moved_on

    @property
    def to_set_back(self) -> bool:
        """Whether its hours are over and it is on still."""
        return self.runs_on and self.now >= self.move.settled_at

    @property
    def too_early(self) -> bool:
        """Whether it is before its first look."""
        return self.now < self.move.look_at

    @cached_property
    def estimate(self) -> Figure | None:
        """What it did, as a figure; None where the readings cannot say."""
        if not self.judged or self.tag is None or self.not_made or self.tag.reads == "level":
            return None
        expected = self.move.expected
        sd, correlation = WANDERS.get(self.tag.reads, (max(self.tag.noise, 10.0**-self.tag.decimals), USUAL_MIN))
        data = {
            "times_each_min": Datum(list(self.times_min), Origin("measured", "minutes from the move")),
            "values_each_read": Datum(list(self.values), Origin("measured", self._read_words())),
            "value_sd_read": Datum(self._one_sd(), Origin("set", "spread of one reading, by the definition")),
            "move_min": Datum(0.0, Origin("entered", f"made {timezone.localtime(self.move.at):%H:%M}")),
            "effect_expected_read": Datum(self.move.effect, Origin("computed", "expected as the move was made")),
            "dead_min": Datum(float(expected.get("dead_min", 0.0)), Origin("assumed", "until it begins to show")),
            "taus_each_min": Datum(
                list(expected.get("taus_min", [])), Origin("computed", "mean time in each mixed vessel")
            ),
            "process_sd_read": Datum(sd, Origin("assumed", "what it wanders by of itself")),
            "process_correlation_min": Datum(correlation, Origin("assumed", "how long it stays off")),
        }
        try:
            return figure(
                "move_estimate",
                f"what it did to {self.tag.name.lower()}",
                data,
                result="effect_read",
                decimals=self.tag.decimals + 1,
                unit=self.tag.unit,
            )
        except DomainError:
            return None

    def _read_words(self) -> str:
        assert self.tag is not None
        return f"{self.tag.name}, {len(self.values)} readings" + (", means of a minute" if self.tag.live else "")

    def _one_sd(self) -> float:
        assert self.tag is not None
        usual = self.tag.noise if self.tag.live else self.tag.uncertainty
        return max(usual, 0.3 * 10.0**-self.tag.decimals, 1e-6)

    @cached_property
    def word(self) -> Figure | None:
        """The verdict with its band, as a figure."""
        if self.estimate is None:
            return None
        data = {
            name: Datum(
                self.estimate.results[name], Origin("computed", "what it did, of what was expected"), self.estimate
            )
            for name in ("did_ratio", "did_sd_ratio")
        }
        try:
            return figure("move_verdict", "word on the move", data, result="low_ratio", decimals=2)
        except DomainError:
            return None

    @property
    def verdict(self) -> Verdict | str:
        """The word on it; '' before it can be judged, `not_made` where the plant refused it."""
        if self.not_made:
            return "not_made"
        if not self.judged or self.too_early:
            return ""
        if self.tag is not None and self.tag.reads == "level":
            return self._level_word()
        return str(self.word.results["verdict_word"]) if self.word is not None else "cannot"

    def _level_word(self) -> str:
        """Judge a level by what it came to at the end of its hours."""
        settled = float(self.move.expected.get("settled_min", 0.0))
        if not self.times_min or self.times_min[-1] < 0.5 * settled:
            return ""
        before = [value for at, value in zip(self.times_min, self.values, strict=True) if at <= 0]
        if not before:
            return "cannot"
        come = min(1.0, self.times_min[-1] / settled) if settled else 1.0
        did = (self.values[-1] - before[-1]) / (self.move.effect * come)
        if did < 0:
            return "wrong_way"
        return "worked" if did >= 1 - LEVEL_OFF and did <= 1 + LEVEL_OFF else "less" if did < 1 else "more"

    @property
    def level(self) -> str:
        """How grave it is that it stands so."""
        if self.to_set_back:
            return "outside"
        return {
            "wrong_way": "act",
            "no_effect": "outside",
            "less": "outside",
            "more": "outside",
            "not_made": "outside",
        }.get(self.verdict, "ok")

    @property
    def before(self) -> float | None:
        """What was read before it."""
        if self.estimate is not None:
            return float(self.estimate.results["before_read"])
        known = [value for at, value in zip(self.times_min, self.values, strict=True) if at <= 0]
        return sum(known[-5:]) / len(known[-5:]) if known else None

    @property
    def sentence(self) -> str:
        """The plain word on it: what it came to, against what was expected, and what next."""
        move = self.move
        if self.not_made:
            return f"The plant did not make it: {move.made.words}. Nothing has changed"
        if not self.judged or self.tag is None:
            return "Nothing was expected of it in figures"
        back = f". {self._back()}" if self.runs_on else ""
        if self.too_early or not self.verdict:
            return f"Look first at {timezone.localtime(move.look_at):%H:%M}: {self._expected()}{back}"
        if self.verdict == "cannot":
            return f"It cannot be judged yet: {self._expected()}; it takes two readings before it and two after it begins to show"
        ending = f". {NEXT[self.verdict]}" if self.verdict in NEXT and not self.to_set_back else ""
        if self.verdict in ("no_effect", "wrong_way") and self.causes:
            ending += f": {'; '.join(self.causes)}"
        return f"{SAID[self.verdict]}: {self._found()}; {self._expected()}{ending}{back}"

    def _back(self) -> str:
        """Say to what the flow is set back, and when: to what is drawn, which is not what it stood at where that was short."""
        drawn = self.drawn_l_per_min
        to = "what is drawn" + ("" if drawn is None else f", {drawn:.0f} L/min")
        if self.to_set_back:
            return f"Set it back to {to}: the level goes on moving"
        return f"By {timezone.localtime(self.move.settled_at):%H:%M} the flow goes back to {to}"

    def _expected(self) -> str:
        assert self.tag is not None
        before = self.before
        by = f"{timezone.localtime(self.move.settled_at):%H:%M}"
        if before is None:
            return f"{self._size(self.move.effect)} expected by {by}"
        goal, band = before + self.move.effect, abs(self.move.effect) * 0.3
        return f"{self._number(goal)} ± {self._number(band, 1)} {self.tag.unit} expected by {by}".replace("  ", " ")

    def _found(self) -> str:
        assert self.tag is not None
        before = self.before
        last = self.values[-1] if self.values else 0.0
        at = timezone.localtime(self.move.at + timedelta(minutes=self.times_min[-1])) if self.times_min else self.now
        came = (
            before + float(self.estimate.results["effect_read"])
            if self.estimate is not None and before is not None
            else last
        )
        return f"{self._number(before or 0.0)} to {self._number(came)} {self.tag.unit}".rstrip() + f" by {at:%H:%M}"

    def _number(self, value: float, more: int = 0) -> str:
        assert self.tag is not None
        return f"{value:.{self.tag.decimals + more}f}"

    def _size(self, value: float) -> str:
        assert self.tag is not None
        return f"{value:+.{self.tag.decimals}f} {self.tag.unit}".strip().replace("-", "−")

    def course(self, minutes: Sequence[float]) -> list[float]:
        """Return the course expected at some minutes from the move; none where none was said."""
        before = self.before
        if before is None or not self.judged:
            return []
        expected = self.move.expected
        if self.tag is not None and self.tag.reads == "level":
            settled = float(expected.get("settled_min", 60.0)) or 60.0
            return [before + self.move.effect * min(max(at / settled, 0.0), 1.0) for at in minutes]
        return move_course(
            before_read=before, effect_read=self.move.effect, dead_min=float(expected.get("dead_min", 0.0)),
            taus_each_min=list(expected.get("taus_min", [])), times_each_min=[max(0.0, at) for at in minutes],
        )  # fmt: skip


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


@dataclass(frozen=True, slots=True)
class Kind:
    """A kind of move, what the mill's own moves of it teach."""

    point: str
    tag: Tag
    words: str
    learned: Learned
    moves: Sequence[int]
    accepted: Any = None


def kinds(state: State) -> list[Kind]:
    """Return what moves teach, by point and what is read: judged ones alone, and all of those."""
    return state.of_records("kinds", lambda: _kinds(state), LEARNED_S)


def _kinds(state: State, most: int = 40) -> list[Kind]:
    rows = Move.objects.filter(world=state.world, superseded_by=None, void=False).exclude(point="").exclude(tag="")
    groups: dict[tuple[str, str], list[Followed]] = {}
    moves = list(rows.select_related("made").order_by("-at")[: 5 * most])
    for move in moves:
        groups.setdefault((move.point, move.tag), []).append(follow(state, move, moves))
    accepted = {(one.point, one.tag): one for one in Gain.objects.filter(world=state.world, superseded_by=None)}
    found = []
    for (point, _), members in groups.items():
        told = [one for one in members if one.word is not None and not one.too_early and one.estimate is not None]
        if not told or told[0].tag is None:
            continue
        learned = learned_gain(
            did_each_ratio=[float(one.estimate.results["did_ratio"]) for one in told if one.estimate],
            did_sd_each_ratio=[float(one.estimate.results["did_sd_ratio"]) for one in told if one.estimate],
        )
        tag = told[0].tag
        keys = [one.move.pk for one in told]
        found.append(Kind(point, tag, told[0].move.words, learned, keys, accepted.get((point, tag.id))))
    return found
