"""Two witnesses of one value: an instrument that sends, and what the laboratory found at the same moments."""

from collections import defaultdict
from collections.abc import Mapping
from dataclasses import dataclass, replace
from datetime import datetime, timedelta
from functools import cached_property
from typing import Final

from django.core.exceptions import ValidationError
from django.db import connection
from django.utils import timezone

from desk.floor import clock
from desk.floor.keeping import need_why
from desk.floor.models import Record, World
from desk.floor.services import record_event, take_back
from desk.people.models import Person
from stock.figure import Datum, Figure, Origin, figure
from stock.judge.limits import judge
from stock.judge.witness import LEAST_PAIRS, Decision
from stock.line.definition import Definition
from stock.tag import Tag

MOST_PAIRS: Final = 12
PAIRS_BACK: Final = timedelta(days=7)
SLOPE_TELLS: Final = 0.5  # a slope known less well than over this width is not shown
MINUTE_S: Final = 60  # the instrument is averaged over this long before and after the sample
MOST_TRIM_OF_SPAN: Final = 0.25  # of what the instrument can plausibly read: more is no trim but a fault


@dataclass(frozen=True, slots=True)
class Pair:
    """One sample, and what the instrument read then."""

    at: datetime
    instrument: float
    lab: float
    by: str

    @property
    def apart(self) -> float:
        """By how much the instrument read over the laboratory."""
        return self.instrument - self.lab


@dataclass(frozen=True, slots=True)
class Trim:
    """A trim that was logged."""

    pk: int
    at: datetime
    by: str
    text: str


@dataclass(frozen=True)
class Witness:
    """An instrument with its pairs since it was last trimmed, the oldest first."""

    tag: Tag
    pairs: tuple[Pair, ...] = ()
    trim: Trim | None = None

    @cached_property
    def check(self) -> Figure | None:
        """What the pairs say, as a figure; None of too few."""
        if len(self.pairs) < LEAST_PAIRS:
            return None
        first, last = (timezone.localtime(pair.at) for pair in (self.pairs[0], self.pairs[-1]))
        taken = f"{len(self.pairs)} samples, {first:%d %b %H:%M} to {last:%d %b %H:%M}"
        data = {
            "instrument_each_read": Datum(
                [pair.instrument for pair in self.pairs],
                Origin("measured", f"{self.tag.instrument}, mean of the minute before and after each of {taken}"),
            ),
            "lab_each_read": Datum([pair.lab for pair in self.pairs], Origin("entered", taken)),
            "pair_sd_read": Datum(self.tag.pairs_sd, Origin("set", "scatter of honest pairs, by the definition")),
            "tolerance_read": Datum(
                self.tag.pairs_tolerance, Origin("set", "difference that matters, by the definition")
            ),
        }
        shown = figure("pairs_check", f"{self.tag.name} over the laboratory", data, unit=self.tag.unit)
        return replace(shown, decimals=self.decimals, key=f"witness:{self.tag.id}")

    @property
    def decimals(self) -> int:
        """How many places a difference is said to: enough to see the tolerance."""
        return self.tag.decimals if self.tag.pairs_tolerance >= 2 * 10**-self.tag.decimals else self.tag.decimals + 1

    @property
    def decision(self) -> Decision:
        """What the pairs ask for."""
        return self.check.results["decision_word"] if self.check else "more_samples"

    @property
    def bias(self) -> float:
        """By how much the instrument reads over the laboratory, in the mean of the pairs; 0 of none."""
        return sum(pair.apart for pair in self.pairs) / len(self.pairs) if self.pairs else 0.0

    @property
    def trim_by(self) -> float:
        """What to add to the instrument, where the pairs ask for a trim."""
        return float(self.check.results["trim_read"]) if self.check else 0.0

    @property
    def wanted(self) -> int:
        """How many pairs are still wanted before a word can be said."""
        needed = self.check.results["pairs_needed_count"] if self.check else LEAST_PAIRS
        return max(0, int(needed) - len(self.pairs))

    @property
    def speaks(self) -> bool:
        """Whether what the instrument reads is to be taken otherwise than it stands."""
        return self.decision in ("offset", "span", "investigate")

    @property
    def slope_known(self) -> bool:
        """Whether the instrument moved enough over the pairs for its slope to mean anything."""
        if self.check is None or self.check.results["slope_ratio"] is None:
            return False
        width = self.check.results["slope_high_ratio"] - self.check.results["slope_low_ratio"]
        return bool(width <= SLOPE_TELLS)

    def stands_for(self, read: Datum) -> Figure | None:
        """Return what a reading stands for by the evidence; None where it stands as it is, or for nothing."""
        if self.check is None or self.decision not in ("offset", "span"):
            return None
        bias = self.bias
        said = self.check.as_datum().origin
        if self.decision == "span":
            slope, intercept = self.check.results["slope_ratio"], self.check.results["intercept_read"]
            bias = read.value - (intercept + slope * read.value)
        data = {"instrument_read": read, "bias_read": Datum(bias, said, self.check)}
        return figure("less_bias", self.tag.name, data, decimals=self.tag.decimals, unit=self.tag.unit)

    def apart_matters(self, read: float) -> bool:
        """Whether the two witnesses judge the present value differently while the pairs cannot settle it."""
        if self.decision != "more_samples" or len(self.pairs) < 2 or self.tag.band is None:
            return False
        if abs(self.bias) <= 2 * self.tag.pairs_sd / len(self.pairs) ** 0.5:
            return False
        return judge(self.tag, read).level != judge(self.tag, read - self.bias).level

    def size(self, value: float) -> str:
        """Write a difference with its sign and unit."""
        return f"{value:+.{self.decimals}f} {self.tag.unit}".strip().replace("-", "−")

    @property
    def words(self) -> str:
        """What the pairs say, in a sentence."""
        count = f"{len(self.pairs)} sample{'' if len(self.pairs) == 1 else 's'}"
        if not self.pairs:
            return "No sample beside it yet"
        over = f"it reads {self.size(self.bias)} over {count}"
        return {
            "offset": f"{count} agree: it reads {self.size(self.bias)} over them",
            "span": f"{count}: it answers to {self._slope()} of a change, not to all of it",
            "investigate": f"{count} scatter about it more than honest pairs do",
            "leave": f"{count} agree with it within {self.tag.pairs_tolerance:g} {self.tag.unit}".rstrip(),
            "more_samples": f"{over}; {max(self.wanted, 1)} more before a word can be said",
        }[self.decision]

    def _slope(self) -> str:
        slope = self.check.results["slope_ratio"] if self.check else 1.0
        return f"{100 / slope:.0f} %" if slope else "no part"

    @property
    def asks(self) -> str:
        """What is to be done, with its size; '' where nothing is."""
        return {
            "offset": f"Trim it by {self.size(self.trim_by)}",
            "span": "Recalibrate its span: two samples at the low end, two at the high",
            "investigate": "Do not go by it: look at sampling, fouling and the times of the pairs",
        }.get(self.decision, "")


def witnesses(line: Definition, world: World, now: datetime) -> Mapping[str, Witness]:
    """Return every instrument the laboratory checks, or has checked, with its pairs."""
    tags = {tag.id: tag for tag in line.tags if tag.live and not tag.computed}
    pairs: dict[str, list[Pair]] = defaultdict(list)
    trims: dict[str, Trim] = {}
    for pk, kind, name, at, value, words, by, seen in _rows(world, now, tags):
        if name in trims:
            continue  # what was before its newest trim
        if kind == Record.Kind.TRIM:
            trims[name] = Trim(pk, at, by, words)
        elif seen is not None and len(pairs[name]) < MOST_PAIRS:
            pairs[name].append(Pair(at, float(seen), float(value), by))
    return {
        name: Witness(tag, tuple(reversed(pairs[name])), trims.get(name))
        for name, tag in tags.items()
        if tag.every_h is not None or pairs[name] or name in trims
    }


Row = tuple[int, str, str, datetime, float, str, str, float | None]


def _rows(world: World, now: datetime, tags: Mapping[str, Tag]) -> list[Row]:
    """Return key, kind, tag, moment, value, words, who, and the instrument's mean then, the newest first."""
    if not tags:
        return []
    marks = ", ".join(["%s"] * len(tags))
    with connection.cursor() as cursor:
        cursor.execute(
            "SELECT r.id, r.kind, r.tag, r.at, r.value, r.text, p.first_name, p.last_name,"  # noqa: S608  ids of the line
            " (SELECT avg(s.value) FROM floor_sample s WHERE s.world_id = r.world_id AND s.tag = r.tag"
            "  AND s.at_s >= CAST(strftime('%%s', r.at) AS INTEGER) - %s"
            "  AND s.at_s <= CAST(strftime('%%s', r.at) AS INTEGER) + %s)"
            " FROM floor_record r JOIN people_person p ON p.id = r.by_id"
            " LEFT JOIN floor_record later ON later.supersedes_id = r.id"
            f" WHERE r.world_id = %s AND r.kind IN ('reading', 'trim') AND r.tag IN ({marks})"
            " AND r.at <= %s AND r.at >= %s AND later.id IS NULL ORDER BY r.at DESC, r.id DESC",
            [
                MINUTE_S, MINUTE_S, world.pk, *tags, clock.as_stored(now), clock.as_stored(now - PAIRS_BACK),
            ],
        )  # fmt: skip
        rows = cursor.fetchall()
    return [
        (pk, kind, tag, clock.as_read(at), value, words, f"{first[:1]}. {last}" if last else first, seen)
        for pk, kind, tag, at, value, words, first, last, seen in rows
    ]


# ---- what is done about it


def log_trim(world: World, person: Person, tag: Tag, by: float, *, at: datetime, why: str, form_key: str) -> Record:
    """Log that an instrument was trimmed: what was added to it, and why; the pairs before it count no more.

    Raises
    ------
    NotAllowedError, ValidationError
        For a wrong role, a moment that cannot be, nothing to trim, or more than a trim can be.
    """
    most = MOST_TRIM_OF_SPAN * (tag.plausible[1] - tag.plausible[0])
    if by == 0 or abs(by) > most:
        message = f"a trim of {by:g} {tag.unit} is none; give −{most:g} to {most:g} {tag.unit}, not nought"
        raise ValidationError({"by": message})
    said = f"{by:+.{tag.decimals + 1}f} {tag.unit}".replace("-", "−")
    text = f"{tag.name} trimmed by {said}: {need_why(why)}"
    return record_event(
        world,
        person,
        text,
        station=tag.station,
        at=at,
        form_key=form_key,
        kind=Record.Kind.TRIM,
        tag=tag.id,
        value=by,
        unit=tag.unit,
    )


def take_back_trim(world: World, trim: Trim, person: Person, *, why: str, form_key: str) -> Record:
    """Say that a trim was not made after all: what was paired before it counts again."""
    row = Record.objects.get(world=world, pk=trim.pk)
    return take_back(row, person, text=f"Not done: {trim.text}", why=why, form_key=form_key)
