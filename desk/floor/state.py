"""The line as it stands at a moment: last readings, the order, its balance, what is off."""

from collections.abc import Iterable
from dataclasses import replace
from datetime import datetime, timedelta
from functools import cached_property

from django.db.models import Q, Subquery
from django.utils import timezone

from desk.floor.measured import Measured
from desk.floor.models import Cook, Order
from desk.floor.reading import Reading
from desk.floor.station import stations
from desk.mill.selectors import solve
from stock.cooking.relation import Relation
from stock.decisions import REASONS, RULES
from stock.figure import Datum, Figure, Origin, figure, given
from stock.judge.advice import Advice, advise
from stock.judge.quiet import why_quiet
from stock.line.balance import LineResult
from stock.primitives import Mix, Store
from stock.tag import Tag

DEEPEST = 2  # streams a flow is opened back through, step by step
COOKS_BACK = timedelta(hours=16)  # an acid cook may take half a day


class State(Measured):
    """Everything a page needs, read once."""

    # ---- readings

    @cached_property
    def readings(self) -> dict[str, Reading]:
        """The current value of each tag: as measured, then what the stations work out from that."""
        found = dict(self.measured)
        for station in stations():
            found |= {reading.tag.id: reading for reading in station.readings(self)}
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

    def learned(self, point: str, tag_id: str) -> Datum | None:
        """Return what the mill's own moves taught of one, as an engineer accepted it."""
        if "learned" not in self.kept:
            told = [station.learned(self) for station in stations()]
            self.kept["learned"] = {key: datum for one in told for key, datum in one.items()}
        found: dict[tuple[str, str], Datum] = self.kept["learned"]
        return found.get((point, tag_id))

    def fitted(self, recipe_id: str) -> Relation | None:
        """Return the relation the mill fitted on its own cooks of a recipe."""
        told = (station.fitted(self, recipe_id) for station in stations())
        return next((found for found in told if found is not None), None)

    def stands(self, point: str) -> Datum | None:
        """Return where something people move stands, by what was set last."""
        for station in stations():
            if (datum := station.stands(self, point)) is not None:
                return datum
        return None

    def moved(self, point: str) -> list[tuple[datetime, float]]:
        """Return when a point was moved of late and what it stood at before, the newest first."""
        return [one for station in stations() for one in station.moved(self, point)]

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
        value = self.result.streams[stream_id].bdt_per_h
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
            flow = self.result.streams[into.id].bdt_per_h
            figure_ = None
            if deep < DEEPEST:
                own = given(into.called, flow, "BDt/h", Origin("computed", words), 2)
                figure_ = replace(own, data=self.solved_from(into.id, deep + 1))
            data[f"{into.id}_bdt_per_h"] = Datum(flow, Origin("computed", words), figure_)
        return data

    @cached_property
    def flows(self) -> dict[str, float]:
        """Bone-dry flow of every stream."""
        return {name: stream.bdt_per_h for name, stream in self.result.streams.items()}

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
            "chest_bdt",
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
            "chest_bdt",
            "stock that cannot be used",
            {**contents.data, "level_pct": Datum(unit.low_pct, self.set_origin("vessel"))},
        )
        shown = figure(
            "chest_cover",
            f"cover in {unit.name}",
            {
                "level_bdt": contents.as_datum(),
                "min_bdt": least.as_datum(),
                "demand_bdt_per_h": self.flow(onward.id),
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
