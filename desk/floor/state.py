"""The line as it stands at a moment: last readings, the order, its balance, what is off."""

from collections.abc import Callable, Iterable, Mapping
from dataclasses import dataclass, replace
from datetime import UTC, datetime, timedelta
from functools import cached_property
from typing import Any, TypeVar

from django.db import connection
from django.db.models import Q, Subquery
from django.utils import timezone

from desk.floor import clock
from desk.floor.drifting import Drifting, drifting
from desk.floor.models import Cook, Order, World, epoch
from desk.floor.quality import quality_words
from desk.floor.reading import Reading
from desk.floor.remembered import remembered
from desk.floor.station import stations
from desk.floor.witness import Witness, witnesses
from desk.mill.selectors import line_of, solve
from stock.decisions import REASONS, RULES
from stock.figure import Datum, Figure, Origin, figure, given
from stock.judge.advice import Advice, advise
from stock.judge.instrument import Signal, signal_health
from stock.judge.limits import judge, judge_course
from stock.judge.quiet import why_quiet
from stock.line.balance import LineResult
from stock.line.definition import Definition
from stock.primitives import Mix, Store
from stock.tag import Tag

STALE_S = 90
SET_BACK = timedelta(days=2)  # a clock may be so far behind what was entered; further, it is the entry that is wrong
LAB_BACK = timedelta(hours=36)
RUN_BACK = timedelta(days=3)  # results that make a run
RUN_MOST = 12
ENTRIES_S = 600  # what follows from entries is worked out anew so often where none comes: they grow old
PAIRS_S = 60  # and pairs, whose instrument is read for a minute after the sample
DEEPEST = 2  # streams a flow is opened back through, step by step
LAB_STANDS = 1.5  # of its rounds: so long a sample stands for an instrument nobody can go by
COOKS_BACK = timedelta(hours=16)  # an acid cook may take half a day

T = TypeVar("T")


@dataclass(frozen=True, slots=True)
class Entered:
    """The newest entry of a tag."""

    pk: int
    value: float
    at: datetime
    by: str


class State:
    """Everything a page needs, read once."""

    def __init__(self, world: World, now: datetime | None = None) -> None:
        """Bind to a world and a moment; nothing is read before it is asked for."""
        self.world = world
        self._last_id: int | None = None  # of the newest entry, where the state is of the present
        self.clock = now or clock.now()
        self.now = now or max(self.clock, self._last_entered())
        self.line: Definition = line_of(world.version)
        self.kept: dict[str, Any] = {}  # what the apps above the floor have worked out already

    def of_records(self, name: str, make: Callable[[], T], every_s: int) -> T:
        """Return what follows from entries alone: worked out anew with each entry and so often, not with each sample."""
        if self._last_id is None:
            return make()
        key = (name, self.world.pk, self.world.version_id, self._last_id, epoch(self.now) // every_s)
        return remembered(key, make)

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

    # ---- readings

    @cached_property
    def readings(self) -> dict[str, Reading]:
        """The current value of each tag: as measured, then what the stations work out from that."""
        found = dict(self.measured)
        for station in stations():
            found |= {reading.tag.id: reading for reading in station.readings(self)}
        return found

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

    @cached_property
    def drifting(self) -> Mapping[str, Drifting]:
        """What runs off its target by more than chance, still inside its band."""
        runs = {tag: [(one.at, one.value) for one in run] for tag, run in self.entered.items()}
        return self.of_records("drifting", lambda: drifting(self.line, runs), ENTRIES_S)

    @cached_property
    def witnesses(self) -> Mapping[str, Witness]:
        """Every instrument the laboratory checks, with its pairs."""
        return self.of_records("witnesses", lambda: witnesses(self.line, self.world, self.now), PAIRS_S)

    @cached_property
    def bad(self) -> dict[str, str]:
        """Why the newest sample of a tag is no value, of each tag where it is none."""
        return {
            tag: f"{quality_words(newest[2])} since {timezone.localtime(datetime.fromtimestamp(newest[0], UTC)):%H:%M}"
            for tag, samples in self._samples.items()
            if (newest := samples[0])[1] is None
        }

    @cached_property
    def signals(self) -> dict[str, list[tuple[int, float]]]:
        """Seconds and values of the last good samples of each tag, the newest first."""
        good = {
            tag: [(at_s, value) for at_s, value, _ in samples if value is not None]
            for tag, samples in self._samples.items()
        }
        return {tag: samples for tag, samples in good.items() if samples}

    @cached_property
    def newest(self) -> datetime | None:
        """The moment of the newest sample of any tag, good or bad; None where none ever came."""
        seconds = [samples[0][0] for samples in self._samples.values()]
        return datetime.fromtimestamp(max(seconds), UTC) if seconds else None

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
    def entered(self) -> dict[str, list[Entered]]:
        """The last valid entries of each tag, the oldest first."""
        return self.of_records("entered", self._entered, ENTRIES_S)

    def _entered(self) -> dict[str, list[Entered]]:
        """Read them, in SQL."""
        with connection.cursor() as cursor:
            cursor.execute(
                "SELECT id, tag, value, at, first_name, last_name FROM ("
                " SELECT r.id, r.tag, r.value, r.at, p.first_name, p.last_name,"
                " row_number() OVER (PARTITION BY r.tag ORDER BY r.at DESC, r.id DESC) AS place"
                " FROM floor_record r JOIN people_person p ON p.id = r.by_id"
                " LEFT JOIN floor_record later ON later.supersedes_id = r.id"
                " WHERE r.world_id = %s AND r.kind = 'reading' AND r.at <= %s AND r.at >= %s AND later.id IS NULL"
                ") WHERE place <= %s ORDER BY at, id",
                [self.world.pk, clock.as_stored(self.now), clock.as_stored(self.now - RUN_BACK), RUN_MOST],
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

    def reading(self, tag_id: str) -> Datum:
        """Return a tag's value with its origin; LookupError where there is none."""
        return self.readings[tag_id].as_datum()

    def target(self, tag_id: str) -> Datum:
        """Return a tag's target, from the approved limits."""
        tag = self.line.tag(tag_id)
        if tag.band is None:
            raise LookupError(tag_id)
        return Datum(tag.band.target, self.set_origin(f"limit set {tag.limits_version}"))

    def series(self, name: str) -> Datum:
        """Return a list an app keeps; LookupError where none keeps it."""
        for station in stations():
            if (datum := station.series(self, name)) is not None:
                return datum
        raise LookupError(name)

    def flow(self, stream_id: str) -> Datum:
        """Return the bone-dry flow of a stream in the running balance."""
        return self.flow_figure(stream_id, self.line.stream(stream_id).called).as_datum()

    def thickness(self, stream_id: str) -> Datum:
        """Return the consistency of a stream in the running balance."""
        words = f"whole-line balance, {self.line.stream(stream_id).called}"
        return Datum(self.result.streams[stream_id].consistency_pct, Origin("computed", words, self.order.from_at))

    def set_origin(self, what: str) -> Origin:
        """Say in which approved version something was set."""
        version = self.world.version
        approved = timezone.localtime(version.approved_at)
        text = f"{what}, version {version.number}, approved {approved:%d %b} by {version.approved_by}"
        return Origin("set", text)

    # ---- the order and its balance

    @cached_property
    def orders(self) -> list[Order]:
        """The order in force, then those to come."""
        stand = Order.objects.filter(world=self.world, withdrawal=None)
        begun = stand.filter(from_at__lte=self.now).order_by("-from_at", "-id")
        rows = stand.filter(Q(from_at__gt=self.now) | Q(pk=Subquery(begun.values("pk")[:1]))).order_by("from_at", "id")
        found = list(rows.select_related("accepted_by")[:5])
        return found if found and found[0].from_at <= self.now else [self._commissioned(), *found]

    @property
    def order(self) -> Order:
        """The order in force; where none was ever accepted, the line's first grade as it is commissioned."""
        return self.orders[0]

    def _commissioned(self) -> Order:
        grade = self.line.grades[0]
        since = self.world.version.approved_at
        return Order(
            world=self.world, grade=grade.id, reel_t_per_h=grade.tonnes_per_h, shares=grade.shares, from_at=since
        )

    @cached_property
    def result(self) -> LineResult:
        """The balance of the order in force."""
        return solve(self.world.version, self.order.grade, self.order.reel_t_per_h, self.order.shares)

    def flow_figure(self, stream_id: str, label: str) -> Figure:
        """Return a stream's bone-dry flow as a figure."""
        order = self.order
        text = f"whole-line balance for {order.reel_t_per_h:g} t/h of {self.line.grade(order.grade).name}"
        value = self.result.streams[stream_id].bd_t_per_h
        shown = given(label, value, "BDt/h", Origin("computed", text, order.from_at), 1)
        return replace(shown, key=f"flow:{stream_id}")

    def solved_from(self, stream_id: str, deep: int = 0) -> dict[str, Datum]:
        """Return what a stream was solved from: what runs into its unit, what that unit does, and the order."""
        line, order = self.line, self.order
        stream = line.stream(stream_id)
        unit = line.unit(stream.source)
        accepted = Origin("entered", f"order accepted for {line.grade(order.grade).name}", order.from_at)
        data = {"order_at_the_reel_t_per_h": Datum(order.reel_t_per_h, accepted)}
        if (share := order.shares.get(stream_id)) is not None:
            data["share_of_the_furnish_frac"] = Datum(share, accepted)
        for name in ("yield_frac", "consistency_pct", "kg_per_t", "water_t_per_t"):
            value = getattr(unit, name, None)
            if isinstance(value, (int, float)) and value:
                data[name] = Datum(float(value), self.set_origin(unit.name))
        words = f"whole-line balance, into {unit.name[:1].lower()}{unit.name[1:]}"
        for into in line.graph.into(unit.id):
            flow = self.result.streams[into.id].bd_t_per_h
            figure_ = None
            if deep < DEEPEST:
                own = given(into.called, flow, "BDt/h", Origin("computed", words), 2)
                figure_ = replace(own, data=self.solved_from(into.id, deep + 1))
            data[f"{into.id}_bd_t_per_h"] = Datum(flow, Origin("computed", words), figure_)
        return data

    @cached_property
    def flows(self) -> dict[str, float]:
        """Bone-dry flow of every stream."""
        return {name: stream.bd_t_per_h for name, stream in self.result.streams.items()}

    # ---- vessels

    @cached_property
    def vessels(self) -> dict[str, Mix | Store]:
        """Every chest, tower and store with a level."""
        return {
            unit.id: unit
            for unit in self.line.units
            if isinstance(unit, (Mix, Store)) and unit.volume_m3 and unit.level
        }

    def contents(self, unit_id: str) -> Figure:
        """Return the bone-dry stock in a vessel."""
        unit = self.vessels[unit_id]
        level = self.readings[unit.level or ""]
        return figure(
            "chest_bd_t",
            f"stock in {unit.name}",
            {
                "volume_m3": Datum(unit.volume_m3, self.set_origin("vessel")),
                "level_pct": level.as_datum(),
                "consistency_pct": Datum(unit.holds_pct, self.set_origin("vessel")),
            },
        )

    def cover(self, unit_id: str) -> Figure | None:
        """Return how long a vessel lasts at the present draw, None where nothing is drawn."""
        unit = self.vessels[unit_id]
        onward = self.line.graph.onward(unit_id)
        if onward is None or (unit.level or "") not in self.readings or self.flows[onward.id] < 1e-6:
            return None
        contents = self.contents(unit_id)
        least = figure(
            "chest_bd_t",
            "stock that cannot be used",
            {**contents.data, "level_pct": Datum(unit.low_pct, self.set_origin("vessel"))},
        )
        shown = figure(
            "chest_cover",
            f"cover in {unit.name}",
            {
                "level_bd_t": contents.as_datum(),
                "min_bd_t": least.as_datum(),
                "demand_bd_t_per_h": self.flow(onward.id),
            },
            decimals=0,
        )
        return replace(shown, key=f"cover:{unit_id}")

    # ---- what is off

    @cached_property
    def off(self) -> list[Reading]:
        """Readings outside their band, the gravest first."""
        found = [reading for reading in self.readings.values() if reading.verdict.level != "ok"]
        return sorted(found, key=lambda reading: reading.verdict.level != "act")

    @cached_property
    def advice(self) -> list[Advice]:
        """The cards for what is off."""
        cards = (advise(RULES, reading.tag, reading.verdict, self) for reading in self.off if not self._open(reading))
        return [card for card in cards if card is not None]

    def _open(self, reading: Reading) -> bool:
        """Say whether two witnesses judge a value differently: then a sample comes first, and nothing is moved."""
        witness, live = self.witnesses.get(reading.tag.id), self.live.get(reading.tag.id)
        return witness is not None and live is not None and witness.apart_matters(live[1])

    def quiet_for(self, tags: Iterable[Tag]) -> list[tuple[Reading, str]]:
        """Return what is off at some tags with nothing to move, each with the reason."""
        wanted, said = {tag.id for tag in tags}, {card.tag.id for card in self.advice}
        off = [one for one in self.off if one.tag.id in wanted and one.tag.id not in said and not self._open(one)]
        return [(one, words) for one in off if (words := why_quiet(REASONS, one.tag, one.verdict, self))]

    def recent(self, tag_id: str, count: int) -> list[float]:
        """Return the last results of a tag, the newest last, as many as there are up to a count."""
        return [one.value for one in self.entered.get(tag_id, [])[-count:]]

    def advice_for(self, tags: Iterable[Tag]) -> list[Advice]:
        """Return the cards that concern some tags."""
        wanted = {tag.id for tag in tags}
        return [card for card in self.advice if card.tag.id in wanted]

    def tags_of(self, station_id: str) -> list[Tag]:
        """Return a station's tags."""
        return [tag for tag in self.line.tags if tag.station == station_id]

    # ---- cooks

    @cached_property
    def cooks(self) -> list[Cook]:
        """Cooks started in the last hours, the newest first."""
        since = self.now - COOKS_BACK
        return list(
            Cook.objects.filter(world=self.world, started_at__lte=self.now, started_at__gte=since).order_by(
                "-started_at"
            )
        )
