"""What instruments and laboratory say of a line at a moment, and what their readings stand for."""

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass
from datetime import UTC, datetime, timedelta
from functools import cached_property
from typing import Any, Final, TypeVar, cast

from django.db import connection, models
from django.utils import timezone

from desk.floor import clock
from desk.floor.drifting import Drifting, drifting
from desk.floor.guard import of_lines
from desk.floor.models import World, epoch
from desk.floor.quality import quality_words
from desk.floor.reading import Reading
from desk.floor.remembered import remembered
from desk.floor.witness import Witness, witnesses
from desk.mill.selectors import line_of
from stock.figure import Datum, Origin
from stock.judge.instrument import Signal, signal_health
from stock.judge.limits import judge, judge_course
from stock.line.definition import Definition
from stock.tag import Tag

STALE_S: Final = 90
SET_BACK: Final = timedelta(days=2)  # so far a clock may be behind what was entered; further, the entry is wrong
LAB_BACK: Final = timedelta(hours=36)
RUN_BACK: Final = timedelta(days=3)  # results that make a run
RUN_MOST: Final = 12
ENTRIES_S: Final = 600  # what follows from entries is worked out anew so often where none comes: they grow old
PAIRS_S: Final = 60  # and pairs, whose instrument is read for a minute after the sample
LAB_STANDS: Final = 1.5  # of its rounds: so long a sample stands for an instrument nobody can go by

T = TypeVar("T")


@dataclass(frozen=True, slots=True)
class Entered:
    """The newest entry of a tag."""

    pk: int
    value: float
    at: datetime
    by: str


class Measured:
    """A line at a moment, as far as it is measured; read once."""

    def __init__(self, world: World, now: datetime | None = None) -> None:
        """Bind to a world and a moment; nothing is read before it is asked for."""
        self.world = world
        self._last_id: int | None = None  # of the newest entry, where the state is of the present
        self.clock = now or clock.now()
        self.now = now or max(self.clock, self._last_entered())
        self.line: Definition = line_of(world.version)
        self._records: dict[str, Any] = {}
        self.kept: dict[str, Any] = {}  # what the apps above the floor have worked out already

    def of_records(
        self, name: str, make: Callable[[], T], every_s: int, kept_in: Sequence[type[models.Model]] | None = None
    ) -> T:
        """Return what follows from entries alone: worked out anew with each entry and so often, not with each sample.

        `kept_in` are the tables it is read from, where it follows from no others: then an entry in one of
        these alone makes it anew; from none, where it follows from the definition.
        """
        if self._last_id is None:  # of a moment that is told, not of the present: kept with it
            if name not in self._records:
                self._records[name] = make()
            return cast("T", self._records[name])
        since = self._last_id if kept_in is None else tuple(self._rows[model._meta.db_table] for model in kept_in)
        key = (name, self.world.pk, self.world.version_id, since, epoch(self.now) // every_s)
        return remembered(key, make)

    @cached_property
    def _rows(self) -> dict[str, int]:
        """The newest row of the line in every table whose rows are written once; 0 where there is none."""
        tables = of_lines()
        asked = " UNION ALL ".join(
            f"SELECT '{table}', coalesce(max(id), 0) FROM {table} WHERE world_id = %s"  # noqa: S608  names of our tables
            for table in tables
        )
        with connection.cursor() as cursor:
            cursor.execute(asked, [self.world.pk] * len(tables))
            return dict(cursor.fetchall())

    @property
    def behind(self) -> timedelta:
        """By how much the server's clock is behind what was entered: more than nought after it was set back."""
        return self.now - self.clock

    def _last_entered(self) -> datetime:
        """Return when the newest entry was made: a clock set back must not hide it."""
        with connection.cursor() as cursor:
            cursor.execute(
                "SELECT entered_at, id FROM floor_record WHERE world_id = %s ORDER BY id DESC LIMIT 1", [self.world.pk]
            )
            row = cursor.fetchone()
        self._last_id = row[1] if row else 0
        last = clock.as_read(row[0]) if row else self.clock
        return last if last - self.clock < SET_BACK else self.clock

    # ---- what instruments send

    @cached_property
    def _samples(self) -> dict[str, list[tuple[int, float | None, int]]]:
        """Second, value and quality of the last dozen samples of each tag, the newest first."""
        tags = [tag.id for tag in self.line.tags if tag.live]
        if not tags:
            return {}
        parts = " UNION ALL ".join(
            "SELECT * FROM (SELECT tag, at_s, value, quality FROM floor_sample WHERE world_id = %s AND tag = %s AND at_s <= %s"
            " ORDER BY at_s DESC LIMIT 12)"
            for _ in tags
        )
        until = epoch(self.now)
        values = [part for tag in tags for part in (self.world.pk, tag, until)]
        found: dict[str, list[tuple[int, float | None, int]]] = {}
        with connection.cursor() as cursor:
            cursor.execute(parts, values)
            for tag, at_s, value, quality in cursor.fetchall():
                found.setdefault(tag, []).append((at_s, value, quality))
        return found

    @cached_property
    def signals(self) -> dict[str, list[tuple[int, float]]]:
        """Seconds and values of the last good samples of each tag, the newest first."""
        good = {
            tag: [(at_s, value) for at_s, value, _ in samples if value is not None]
            for tag, samples in self._samples.items()
        }
        return {tag: samples for tag, samples in good.items() if samples}

    @cached_property
    def bad(self) -> dict[str, str]:
        """Why the newest sample of a tag is no value, of each tag where it is none."""
        return {
            tag: f"{quality_words(newest[2])} since {timezone.localtime(datetime.fromtimestamp(newest[0], UTC)):%H:%M}"
            for tag, samples in self._samples.items()
            if (newest := samples[0])[1] is None
        }

    @cached_property
    def newest(self) -> datetime | None:
        """The moment of the newest sample of any tag, good or bad; None where none ever came."""
        seconds = [samples[0][0] for samples in self._samples.values()]
        return datetime.fromtimestamp(max(seconds), UTC) if seconds else None

    @cached_property
    def live(self) -> dict[str, tuple[int, float]]:
        """Second and value of the last sample of each tag."""
        return {tag: samples[0] for tag, samples in self.signals.items()}

    def health(self, tag: Tag) -> Signal:
        """Judge a live tag's signal by its last samples."""
        samples = list(reversed(self.signals[tag.id]))
        return signal_health(
            times_s=[at_s for at_s, _ in samples],
            values=[value for _, value in samples],
            now_s=epoch(self.now),
            span=tag.plausible,
            expected_s=STALE_S / 3,
            resolution=1e-4,
            noise=tag.noise,
        )

    @cached_property
    def slopes(self) -> dict[str, float]:
        """Change an hour of each live level, a straight line through the last half hour."""
        since = epoch(self.now) - 1800
        tags = [tag.id for tag in self.line.tags if tag.live and tag.reads == "level"]
        marks = ", ".join(["%s"] * len(tags))
        with connection.cursor() as cursor:
            cursor.execute(
                "SELECT tag, count(*), avg(at_s - %s), avg(value), avg((at_s - %s) * value), avg((at_s - %s) * (at_s - %s))"  # noqa: S608
                f" FROM floor_sample WHERE world_id = %s AND tag IN ({marks}) AND at_s > %s AND at_s <= %s"
                " AND value IS NOT NULL GROUP BY tag",
                [since, since, since, since, self.world.pk, *tags, since, epoch(self.now)],
            )
            rows = cursor.fetchall()
        found = {}
        for tag, count, mean_t, mean_v, mean_tv, mean_tt in rows:
            spread = mean_tt - mean_t * mean_t
            if count >= 8 and spread > 0:
                found[tag] = 3600 * (mean_tv - mean_t * mean_v) / spread
        return found

    # ---- what people enter

    @cached_property
    def entered(self) -> dict[str, list[Entered]]:
        """The last valid entries of each tag, the oldest first."""
        found = self.of_records("entered", self._entered, ENTRIES_S)
        runs = {tag: [one for one in run if one.at <= self.now] for tag, run in found.items()}
        return {tag: run for tag, run in runs.items() if run}

    def _entered(self) -> dict[str, list[Entered]]:
        """Read them, in SQL; where they are remembered, those too whose moment comes while they are."""
        until = self.now if self._last_id is None else self.now + timedelta(seconds=ENTRIES_S)
        with connection.cursor() as cursor:
            cursor.execute(
                "SELECT id, tag, value, at, first_name, last_name FROM ("
                " SELECT r.id, r.tag, r.value, r.at, p.first_name, p.last_name,"
                " row_number() OVER (PARTITION BY r.tag ORDER BY r.at DESC, r.id DESC) AS place"
                " FROM floor_record r JOIN people_person p ON p.id = r.by_id"
                " LEFT JOIN floor_record later ON later.supersedes_id = r.id"
                " WHERE r.world_id = %s AND r.kind = 'reading' AND r.at <= %s AND r.at >= %s AND later.id IS NULL"
                ") WHERE place <= %s ORDER BY at, id",
                [self.world.pk, clock.as_stored(until), clock.as_stored(self.now - RUN_BACK), RUN_MOST],
            )
            rows = cursor.fetchall()
        found: dict[str, list[Entered]] = {}
        for pk, tag, value, at, first, last in rows:
            by = f"{first[:1]}. {last}" if last else first
            found.setdefault(tag, []).append(Entered(pk, value, clock.as_read(at), by))
        return found

    @cached_property
    def lab(self) -> dict[str, Entered]:
        """The newest valid entry of each tag, of late."""
        newest = {tag: run[-1] for tag, run in self.entered.items()}
        return {tag: one for tag, one in newest.items() if one.at >= self.now - LAB_BACK}

    # ---- what it stands for

    @cached_property
    def witnesses(self) -> Mapping[str, Witness]:
        """Every instrument the laboratory checks, with its pairs."""
        return self.of_records("witnesses", lambda: witnesses(self.line, self.world, self.now), PAIRS_S)

    @cached_property
    def drifting(self) -> Mapping[str, Drifting]:
        """What runs off its target by more than chance, still inside its band."""
        runs = {tag: [(one.at, one.value) for one in run] for tag, run in self.entered.items()}
        return self.of_records("drifting", lambda: drifting(self.line, self.world.version_id, runs), ENTRIES_S)

    @cached_property
    def measured(self) -> dict[str, Reading]:
        """The last value of each tag that is read: the instrument's while it lives, else the laboratory's."""
        found: dict[str, Reading] = {}
        for tag in self.line.tags:
            lab, live = self.lab.get(tag.id), self.live.get(tag.id)
            if live is not None:
                at = datetime.fromtimestamp(live[0], UTC)
                health, bad = self.health(tag), self.bad.get(tag.id, "")
                silent = health.state == "stale" or bool(bad)
                if lab is None or not silent or at >= lab.at:
                    trouble = bad or ("" if health.state in ("ok", "spike") else health.reason)
                    found[tag.id] = self._live_reading(tag, live[1], at, trouble)
                    continue
            if lab is not None:
                found[tag.id] = self._lab_reading(tag, lab)
        return found

    def _lab_reading(self, tag: Tag, lab: Entered, note: str = "") -> Reading:
        origin = Origin("entered", f"{lab.by}, {tag.instrument}", lab.at)
        return Reading(tag, lab.value, lab.at, origin, judge(tag, lab.value), note=note)

    def _live_reading(self, tag: Tag, value: float, at: datetime, trouble: str) -> Reading:
        """Return what an instrument says, or what it stands for where the laboratory's pairs say otherwise."""
        words = f"{tag.instrument}, ± {tag.uncertainty:g} {tag.unit}".strip()
        read = Datum(value, Origin("measured", words, at))
        witness = self.witnesses.get(tag.id)
        if witness is None or not witness.speaks:
            verdict = judge_course(tag, self._course(tag, 0.0))
            return Reading(tag, value, at, read.origin, verdict, trouble)
        note = f"reads {value:.{tag.decimals}f}; {witness.words}"
        if (stands := witness.stands_for(read)) is not None:
            verdict = judge_course(tag, self._course(tag, value - stands.value))
            return Reading(tag, stands.value, at, read.origin, verdict, trouble, stands, note)
        lab = self.lab.get(tag.id)
        if lab is not None and self.now - lab.at <= timedelta(hours=LAB_STANDS * (tag.every_h or 1.0)):
            return self._lab_reading(tag, lab, note)
        return Reading(tag, value, at, read.origin, judge_course(tag, self._course(tag, 0.0)), trouble, note=note)

    def _course(self, tag: Tag, bias: float) -> list[float]:
        """Return the last values of an instrument less its bias, the oldest first."""
        return [value - bias for _, value in reversed(self.signals[tag.id])]
