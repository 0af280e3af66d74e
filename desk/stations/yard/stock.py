"""What lies in the yard at a moment: piles by lot, aged; traps, knives, chips, what waits at the gate."""

from collections import Counter
from collections.abc import Sequence
from dataclasses import dataclass, replace
from datetime import UTC, datetime, timedelta
from functools import cached_property
from typing import Any

from django.db import connection

from desk.floor import clock
from desk.floor.models import epoch
from desk.floor.state import State
from desk.stations.yard.models import Op
from desk.stations.yard.news import SHIFTS_KEPT, News, Noted, Sampled, read_news
from desk.stations.yard.samples import source_name
from stock.figure import Datum, Figure, Origin, figure, given
from stock.intake.definition import PileDef, YardDef
from stock.intake.metal import lots_to_quarantine
from stock.intake.piles import MONTH_S, Held, age_bands, in_order, pile_loss


@dataclass(frozen=True, slots=True)
class LotHeld:
    """A lot as it lies in a pile, with what was found when it came."""

    number: str
    lot_id: int
    material: str
    held: Held
    received_at: datetime
    moisture_frac: float
    bark_pct: float
    fines_pct: float
    overthick_pct: float
    now_bdt: float

    def age_d(self, at: datetime) -> float:
        """Return the days since it came."""
        return (at - self.received_at).total_seconds() / 86_400


@dataclass(frozen=True, slots=True)
class Pile:
    """A pile at a moment, the oldest lot first."""

    part: PileDef
    lots: tuple[LotHeld, ...]
    loss_per_month: float
    temperature: Datum | None

    @property
    def bdt(self) -> float:
        """What lies there now."""
        return sum(lot.now_bdt for lot in self.lots)

    @property
    def book_bdt(self) -> float:
        """What the book held when each lot was last settled."""
        return sum(lot.held.bdt for lot in self.lots)

    def bands(self, at: datetime) -> list[float]:
        """Return the mass in each band of age, freshest first."""
        return age_bands([lot.held for lot in self.lots], epoch(at), self.loss_per_month)

    def mean_age_d(self, at: datetime) -> float:
        """Return the mean age of what lies there, days."""
        return sum(lot.now_bdt * lot.age_d(at) for lot in self.lots) / self.bdt if self.bdt > 0 else 0.0

    def mean(self, name: str) -> float:
        """Return the mean of a lot's property by mass."""
        return sum(lot.now_bdt * getattr(lot, name) for lot in self.lots) / self.bdt if self.bdt > 0 else 0.0

    def moisture_pct(self) -> float | None:
        """Return the moisture it is drawn at: as it lies where the mill says so, else as its lots came; None of an empty one."""
        if self.part.moisture_pct is not None:
            return self.part.moisture_pct
        return round(100 * self.mean("moisture_frac"), 1) if self.bdt > 0 else None


class YardNow:
    """The yard of a state; every part is read once, when first asked for."""

    def __init__(self, state: State) -> None:
        """Bind to the line's state."""
        assert state.line.yard is not None
        self.state = state
        self.part: YardDef = state.line.yard
        self.station = state.line.stop_id("yard")

    # ---- piles

    @cached_property
    def piles(self) -> dict[str, Pile]:
        """Every pile with its lots, the oldest first."""
        with connection.cursor() as cursor:
            cursor.execute(
                "SELECT h.pile, l.number, l.id, l.material, h.bdt, h.since_s, h.settled_s, l.received_at, l.moisture_frac,"
                " coalesce(l.bark_pct, 0), coalesce(l.fines_pct, 0), coalesce(l.overthick_pct, 0)"
                " FROM yard_holding h JOIN yard_lot l ON l.id = h.lot_id WHERE h.world_id = %s",
                [self.state.world.pk],
            )
            rows = cursor.fetchall()
        found: dict[str, list[tuple[Any, ...]]] = {pile.id: [] for pile in self.part.piles}
        for row in rows:
            found.setdefault(row[0], []).append(row)
        return {pile.id: self._pile(pile, found[pile.id]) for pile in self.part.piles}

    def _pile(self, part: PileDef, rows: Sequence[tuple[Any, ...]]) -> Pile:
        temperature = self._temperature(part)
        loss = self._loss_per_month(part, temperature)
        at_s = epoch(self.state.now)
        held = {row[1]: Held(row[1], row[4], row[5], row[6]) for row in rows}
        facts = {row[1]: row for row in rows}
        lots = []
        for one in in_order(held.values()):
            row = facts[one.lot]
            received = row[7] if isinstance(row[7], datetime) else datetime.fromisoformat(row[7])
            received = received if received.tzinfo else received.replace(tzinfo=UTC)
            now_bdt = one.now_bdt(at_s, loss)
            lots.append(LotHeld(one.lot, row[2], row[3], one, received, row[8], row[9], row[10], row[11], now_bdt))
        return Pile(part, tuple(lots), loss, temperature)

    def _temperature(self, part: PileDef) -> Datum | None:
        """The hottest probe, from the last round; the laboratory's list is read without the derived readings."""
        entered = self.state.lab.get(part.probe or "")
        if entered is None:
            return None
        return Datum(entered.value, Origin("entered", f"{entered.by}, probe grid", entered.at))

    def _inside(self, part: PileDef, temperature: Datum | None) -> Datum:
        """Return a pile's mean temperature: below its hottest probe by what the mill has found, 15 °C without one."""
        if temperature is None:
            return Datum(15.0, Origin("assumed", "no probe in this pile"))
        celsius = min(80.0, max(-40.0, temperature.value - part.hot_over_mean_c))
        words = f"hottest probe {temperature.value:.0f} °C less {part.hot_over_mean_c:g} °C to the pile's mean"
        return Datum(celsius, Origin("computed", words, temperature.origin.at))

    def _loss_per_month(self, part: PileDef, temperature: Datum | None) -> float:
        celsius = self._inside(part, temperature).value
        return pile_loss(temperature_c=celsius, ref_loss_per_month=self.part.of_species(part.species).loss_per_month)

    def loss_figure(self, pile: Pile) -> Figure:
        """Return a pile's loss a month with its working."""
        species = self.part.of_species(pile.part.species)
        data = {
            "temperature_c": self._inside(pile.part, pile.temperature),
            "ref_loss_per_month": Datum(species.loss_per_month, self.state.set_origin(f"species {species.name}")),
        }
        shown = figure("pile_loss", f"loss a month, {pile.part.name}", data, decimals=4)
        return replace(shown, key=f"yard:loss.{pile.part.id}")

    def feeder_figure(self, pile: Pile, wanted_bdt_per_h: Datum) -> Figure | None:
        """Return the speed a pile's feeder must run at to carry a rate; None where it has no feeder."""
        if pile.part.feeder_most_m3_per_h is None:
            return None
        species = self.part.of_species(pile.part.species)
        set_by = self.state.set_origin(f"pile {pile.part.name}")
        data = {
            "bdt_per_h": wanted_bdt_per_h,
            "basic_density_kg_per_m3": Datum(species.basic_density_kg_per_m3, set_by),
            "solid_volume_factor": Datum(pile.part.solid_volume_factor, set_by),
            "most_m3_per_h": Datum(pile.part.feeder_most_m3_per_h, set_by),
        }
        return figure("feeder_speed", f"feeder of {pile.part.name}", data, decimals=0)

    def running_feeder(self, pile: Pile) -> Figure | None:
        """Return the feeder speed of what a pile gives now."""
        rate = self.rates().get(pile.part.id, 0.0)
        if rate <= 0 or not pile.part.feeds:
            return None
        drawn = Datum(rate, Origin("measured", f"newest draw, {self.last_draws[pile.part.id].source}"))
        shown = self.feeder_figure(pile, drawn)
        return replace(shown, key=f"yard:feeder.{pile.part.id}") if shown else None

    def months_figure(self, pile: Pile, months: int = 3) -> Figure:
        """Return what would be left of a pile after months as it lies, as warm above the season as it is now."""
        month = clock.local(self.state.now).month - 1
        inside = self._inside(pile.part, pile.temperature)
        above = inside.value - self.part.monthly_c[month] if pile.temperature else 0.0
        ahead = [min(80.0, self.part.monthly_c[(month + step) % 12] + above) for step in range(months)]
        words = f"the season's means, {above:+.0f} °C as the pile is now" if above else "the season's means"
        species = self.part.of_species(pile.part.species)
        data = {
            "initial_bdt": self.pile_figure(pile).as_datum(),
            "monthly_pile_temperatures_c": Datum(ahead, Origin("computed", words)),
            "ref_loss_per_month": Datum(species.loss_per_month, self.state.set_origin(f"species {species.name}")),
        }
        shown = figure(
            "pile_mass_after", f"left of {pile.part.name} after {months} months as it lies", data, decimals=0
        )
        return replace(shown, key=f"yard:months.{pile.part.id}")

    def cover_figure(self, pile: Pile) -> Figure | None:
        """Return how many days a pile lasts at its present draw; None where nothing is drawn."""
        rate = self.rates().get(pile.part.id, 0.0)
        if rate <= 0 or not pile.lots:
            return None
        lots = Datum([lot.now_bdt for lot in pile.lots], Origin("computed", f"stock book, {len(pile.lots)} lots"))
        use = Datum(
            24 * rate, Origin("measured", f"newest draw, {rate:.2f} BDt/h, {self.last_draws[pile.part.id].source}")
        )
        shown = figure("inventory_d", f"{pile.part.name} lasts", {"lots_bdt": lots, "consumption_bdt_per_d": use})
        return replace(shown, key=f"yard:cover.{pile.part.id}")

    def pile_figure(self, pile: Pile) -> Figure:
        """Return what lies in a pile: the book, aged at its loss since each lot was last settled."""
        months = [max(0.0, epoch(self.state.now) - lot.held.settled_s) / MONTH_S for lot in pile.lots]
        weight = sum(lot.held.bdt * month for lot, month in zip(pile.lots, months, strict=True))
        mean = weight / pile.book_bdt if pile.book_bdt > 0 else 0.0
        text = (
            f"stock book, {len(pile.lots)} lots: {pile.book_bdt:.1f} BDt when last settled, {mean:.2f} months ago in the mean,"
            f" less {100 * pile.loss_per_month:.1f} % a month"
        )
        shown = given(f"bone-dry in {pile.part.name}", pile.bdt, "BDt", Origin("computed", text, self.state.now), 0)
        return replace(shown, key=f"yard:pile.{pile.part.id}")

    def ready_bdt(self, pile: Pile) -> float:
        """Return what a pile is worth as chips: logs lose bark and screenings on the way."""
        if pile.part.form != "logs":
            return pile.bdt
        return sum(lot.now_bdt * (1 - lot.bark_pct / 100) for lot in pile.lots) * self.part.chip_yield_frac

    def needs_bdt_per_h(self, stream: str) -> float:
        """Return what a stream takes of its piles, as lots are weighed and dried: what the water takes later is in it."""
        return self.state.result.streams[stream].oven_dry_t_per_h

    def need_figure(self, stream: str) -> Figure:
        """Return what the cook needs of the piles of a stream, as lots are weighed."""
        flow = self.state.flow_figure(stream, "needed by the cook")
        words = f"{flow.origin.text if flow.origin else 'whole-line balance'}; as lots are weighed and dried"
        shown = given(flow.label, self.needs_bdt_per_h(stream), "BDt/h", Origin("computed", words), flow.decimals)
        return replace(shown, data=self.state.solved_from(stream), key=f"yard:need.{stream}")

    def stock_figure(self, stream: str, name: str) -> Figure:
        """Return the days a stock lasts at the present draw."""
        piles = [pile for pile in self.piles.values() if pile.part.stream == stream]
        listed = ", ".join(f"{pile.part.name} {self.ready_bdt(pile):.0f}" for pile in piles)
        lots = Datum(
            [self.ready_bdt(pile) for pile in piles], Origin("computed", f"stock book, as chips: {listed} BDt")
        )
        rate = self.needs_bdt_per_h(stream)
        use = Datum(
            24 * rate, Origin("computed", f"24 h at {rate:.2f} BDt/h of the running order, as lots are weighed")
        )
        shown = figure("inventory_d", name, {"lots_bdt": lots, "consumption_bdt_per_d": use})
        return replace(shown, key=f"yard:stock.{stream}")

    @cached_property
    def last_draws(self) -> dict[str, Op]:
        """The newest draw of each pile in the last six hours."""
        since = self.state.now - timedelta(hours=6)
        rows = Op.objects.filter(
            world=self.state.world,
            undone_by=None,
            kind__in=(Op.Kind.DRAW, Op.Kind.CHIP),
            to_at__gt=since,
            to_at__lte=self.state.now,
        )
        found: dict[str, Op] = {}
        for row in rows:
            found.setdefault(row.pile, row)
        return found

    def rates(self) -> dict[str, float]:
        """Return what each pile gave in an hour at its newest draw, BDt/h."""
        return {
            pile: row.bdt / max((row.to_at - row.from_at).total_seconds() / 3600, 0.1)
            for pile, row in self.last_draws.items()
        }

    # ---- metal

    @cached_property
    def news(self) -> News:
        """What every page is told."""
        return read_news(self.state)

    @cached_property
    def trips(self) -> list[Noted]:
        """Trips of the last ten days, oldest first."""
        first = self._first_shift
        return [one for one in self.news.noted if one.tag == "trip" and one.at >= first]

    @property
    def _first_shift(self) -> datetime:
        return clock.shift_of(self.state.now, self.state.line.shifts)[0] - timedelta(
            hours=self.state.line.shifts.hours * SHIFTS_KEPT
        )

    @cached_property
    def trip_counts(self) -> tuple[list[int], int]:
        """Trips in each full shift before this one, and in this one."""
        first = self._first_shift
        shifts = [int((one.at - first).total_seconds() // (self.state.line.shifts.hours * 3600)) for one in self.trips]
        counts = Counter(shifts)
        begun = shifts[0] if shifts else SHIFTS_KEPT
        return [counts[shift] for shift in range(begun, SHIFTS_KEPT)], counts[SHIFTS_KEPT]

    @cached_property
    def aside(self) -> list[str]:
        """Lots set aside: two trips or more since they were last released."""
        tripped: dict[str, list[str]] = {}
        for one in self.news.noted:
            if one.tag in ("trip", "release"):
                tripped[one.subject] = [*tripped.get(one.subject, []), one.subject] if one.tag == "trip" else []
        return lots_to_quarantine(lot for lots in tripped.values() for lot in lots)

    def trips_figure(self) -> Figure | None:
        """Return the most trips still usual in a shift; None with fewer than eight shifts behind."""
        before, _ = self.trip_counts
        if len(before) < 8:
            return None
        words = f"the log, {len(before)} full shifts back from {clock.shift_of(self.state.now, self.state.line.shifts)[0]:%d %b %H:%M}"
        data = {"trips_each_count": Datum(before, Origin("entered", words))}
        shown = figure("count_chart", "most trips that are still usual in a shift", data, result="upper_count")
        return replace(shown, key="yard:trips")

    # ---- chips and knives

    @property
    def samples(self) -> dict[str, list[Sampled]]:
        """Chip samples of the last days by source, the newest first."""
        return self.news.samples

    def class_figure(self, row: Sampled, name: str, label: str) -> Figure:
        """Return one class of a sample with its working."""
        origin = Origin("entered", f"classifier, {source_name(self.part, row.source)}", row.at)
        data = {"mass_by_class_g": Datum(list(row.masses_g), origin), "sample_mass_g": Datum(row.sample_g, origin)}
        shown = figure("chip_class_percent", label, data, result=f"{name}_pct", decimals=2 if name == "fines" else 1)
        return replace(shown, key=f"yard:class.{row.pk}.{name}")


def yard_of(state: State) -> YardNow:
    """Return the yard of a state, read once; LookupError where the line has none."""
    if state.line.yard is None:
        raise LookupError("yard")
    if "yard" not in state.kept:
        state.kept["yard"] = YardNow(state)
    found: YardNow = state.kept["yard"]
    return found
