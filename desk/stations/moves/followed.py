"""What became of moves: the course expected, what was read since, and the plain word on each."""

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import datetime, timedelta
from functools import cached_property
from typing import Final

from django.utils import timezone

from desk.stations.moves.models import Move
from stock.errors import DomainError
from stock.figure import Datum, Figure, Origin, figure
from stock.judge.followed import Verdict, move_course
from stock.tag import Tag

WANDERS: Final = {
    "consistency": (0.012, 6.0),
    "brightness": (0.35, 240.0),
    "freeness": (8.0, 120.0),
    "kappa": (0.6, 90.0),
}
USUAL_MIN = 60.0
LEVEL_OFF = 0.35  # of the change expected of a level, that still counts as come

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
