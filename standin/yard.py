"""The yard of the simulated mill: trucks, barges, chip runs, draws, trips, knives, repeatable from a seed.

The past is marched through day by day, so that what lies in the piles at the end is what
came less what was drawn and lost. Devices at the gate and on the belts drop their files
as a function of the moment alone.
"""

import csv
from collections.abc import Iterator
from dataclasses import dataclass, field
from pathlib import Path
from typing import Any, Final

import numpy as np

from stock.intake.definition import Material, PileDef, YardDef
from stock.intake.piles import Held, chip, draw, lay
from stock.intake.unit import Logs
from stock.line.balance import LineBalance, Order
from stock.line.definition import Definition
from stock.line.story import Story, YardStory

DAY_S: Final = 86_400.0
EARLIEST_TRIP_H: Final = 0.2  # after a shift has begun
FIRST_TICKET: Final = 48_000
GATE_TICKET: Final = 51_000
DRAW_H: Final = 4.0
FULL_FRAC: Final = 0.55  # of a pile nothing is told of
EVERY_TICKET_S: Final = 35 * 60
EVERY_BELT_S: Final = 30 * 60


@dataclass(slots=True)
class Yard:
    """What the yard did, as rows ready for a file each."""

    lots: list[dict[str, Any]] = field(default_factory=list)
    ops: list[dict[str, Any]] = field(default_factory=list)
    classes: list[dict[str, Any]] = field(default_factory=list)
    trips: list[dict[str, Any]] = field(default_factory=list)
    knives: list[dict[str, Any]] = field(default_factory=list)

    def write(self, folder: Path) -> None:
        """Write one CSV for each list."""
        for name in ("lots", "ops", "classes", "trips", "knives"):
            rows = getattr(self, name)
            with (folder / f"yard_{name}.csv").open("w", newline="", encoding="utf-8") as file:
                writer = csv.DictWriter(file, list(rows[0]) if rows else ["at_s"])
                writer.writeheader()
                writer.writerows(rows)


@dataclass(slots=True)
class Feed:
    """Piles that give to one stream: those with a fixed share, and those drawn in turn while another is filled."""

    stream: str
    bdt_per_h: float
    logs_bdt_per_h: float
    shares: dict[str, float]
    turned: list[str]
    decks: list[str]

    @property
    def drawn(self) -> str | None:
        """The pile that is drawn now."""
        return self.turned[0] if self.turned else None

    @property
    def filled(self) -> str | None:
        """The pile that is filled now."""
        return self.turned[-1] if self.turned else None

    @property
    def turned_frac(self) -> float:
        """What the piles drawn in turn give together."""
        return max(0.0, 1 - sum(self.shares.values()))


def feeds_of(line: Definition, yard: YardDef, told: YardStory) -> list[Feed]:
    """Return the streams piles feed, with what the balance asks of them."""
    streams = LineBalance(line).solve(Order.of(line.grades[0])).streams
    found = []
    for name in dict.fromkeys(pile.stream for pile in yard.piles):
        own = [pile for pile in yard.piles if pile.stream == name]
        feeding = [pile.id for pile in own if pile.feeds]
        shares = {pile: told.gives_frac[pile] for pile in feeding if pile in told.gives_frac}
        turned = [pile for pile in feeding if pile not in shares]
        if not turned and shares:  # shares that leave nothing to be turned must make the whole
            total = sum(shares.values())
            shares = {pile: share / total for pile, share in shares.items()}
        logs = line.graph.nearest(line.stream(name).source, Logs, up=True)
        onward = line.graph.onward(logs.id) if logs is not None else None
        rate = streams[name].oven_dry_t_per_h  # as lots are weighed
        logs_rate = streams[onward.id].oven_dry_t_per_h if onward is not None else rate
        decks = [pile.id for pile in own if not pile.feeds]
        found.append(Feed(name, rate, logs_rate, shares, turned, decks))
    return found


class YardRun:
    """Marches the yard from some days back up to the moment the demonstration opens."""

    def __init__(self, line: Definition, seed: int, anchor_s: float, days: float, story: Story | None = None) -> None:
        """Take the rates from the line's balance."""
        assert line.yard is not None
        self.line, self.yard, self.seed, self.anchor_s, self.days = line, line.yard, seed, anchor_s, int(days)
        self.story = (story or Story()).yard
        self.first_s = anchor_s - anchor_s % DAY_S - self.days * DAY_S
        self.rng = np.random.default_rng([seed, 31])
        self.feeds = feeds_of(line, line.yard, self.story)
        self.held: dict[str, list[Held]] = {pile.id: [] for pile in self.yard.piles}
        self.bark: dict[str, float] = {}
        self.told = Yard()
        self.ticket = FIRST_TICKET
        self.tripped: list[str] = []
        self.changed = {chipper.id: self.first_s for chipper in self.yard.chippers}

    def run(self) -> Yard:
        """Return everything that happened."""
        self._opening_stock(self.first_s)
        for day in range(self.days + 1):
            start = self.first_s + day * DAY_S
            self._deliveries(start, resting=day % 7 == 5 and day < self.days)
            for part in range(int(24 / DRAW_H)):
                begun = start + part * DRAW_H * 3600
                ended = min(begun + DRAW_H * 3600, self.anchor_s)
                if ended <= begun:
                    break
                if part in (1, 3, 4):
                    self._chip_runs(begun, ended)
                self._draws(begun, ended)
            self._samples(start)
            self._trips(start, today=day == self.days)
        self.told.lots.sort(key=lambda row: row["at_s"])
        self.told.ops.sort(key=lambda row: row["to_s"])
        return self.told

    def _lies(self, pile_id: str) -> float:
        return sum(one.bdt for one in self.held[pile_id])

    def _aimed(self, pile_id: str) -> float:
        """Return what should lie in a pile as the demonstration opens, BDt."""
        return self.story.lies_bdt.get(pile_id, FULL_FRAC * self.yard.pile(pile_id).capacity_bdt)

    # ---- what comes

    def _brought(self, pile: PileDef) -> Material | None:
        """Return what a pile is made of as it is bought: its own material, or chips of its species."""
        own = [one for one in self.yard.materials if one.pile == pile.id]
        like = [one for one in self.yard.materials if one.form == pile.form and one.species == pile.species]
        return next(iter([*own, *like]), None)

    def _opening_stock(self, first: float) -> None:
        """Lay down what the piles held before the first day, a fortnight of loads."""
        for pile in self.yard.piles:
            material = self._brought(pile)
            if material is None:
                continue
            while self._lies(pile.id) < self._aimed(pile.id):
                self._receive(material, first - DAY_S * (1 + 13 * self.rng.random()), pile.id)

    def _wanted(self, material: Material) -> float:
        """Return what is bought of a material in a day, BDt: what its pile gives, shared with what else is laid there."""
        pile = self.yard.pile(material.pile)
        feed = next(one for one in self.feeds if one.stream == pile.stream)
        if not pile.feeds:
            rate = feed.logs_bdt_per_h
        else:
            rate = feed.bdt_per_h * feed.shares.get(pile.id, feed.turned_frac / max(len(feed.turned), 1))
        beside = [one for one in self.yard.materials if one.pile == pile.id]
        if {one.load for one in beside} == {"barge", "truck"}:
            share = self.story.barge_share_frac if material.load == "barge" else 1 - self.story.barge_share_frac
            beside = [one for one in beside if one.load == material.load]
            return 24 * rate * share / len(beside)
        return 24 * rate / len(beside)

    def _deliveries(self, start: float, *, resting: bool) -> None:
        for material in self.yard.materials:
            pile_id = material.pile
            load = material.net_t * (1 - material.moisture_pct / 100)
            short = 0.2 * (self._aimed(pile_id) - self._lies(pile_id))
            loads = 0 if resting else (self._wanted(material) * 7 / 6 + short) / load
            count = int(max(0.0, loads) + self.rng.random())
            for hour in np.sort(self.rng.uniform(6.5, 19.5, count)):
                at_s = start + hour * 3600
                if at_s < self.anchor_s:
                    self._receive(material, at_s, pile_id)

    def _receive(self, material: Material, at_s: float, pile_id: str) -> None:
        self.ticket += 1
        rng = self.rng
        row = load_of(material, f"{self.ticket}", rng)
        row |= {"number": f"{material.letter}-{self.ticket}", "at_s": int(at_s), "pile": pile_id}
        self.told.lots.append(row)
        moisture = np.mean([float(one) for one in row["moistures_pct"].split(";")]) / 100
        bdt = (row["gross_t"] - row["tare_t"]) * (1 - moisture)
        self.bark[row["number"]] = (row["bark_pct"] or 0) / 100
        _, self.held[pile_id] = lay(self.held[pile_id], row["number"], float(bdt), at_s, at_s, 0.0)

    # ---- what is used

    def _chip_runs(self, from_s: float, to_s: float) -> None:
        """Run logs to chips on the pile that is being built."""
        for feed in self.feeds:
            for deck in feed.decks:
                if feed.filled is None:
                    continue
                hours = (to_s - from_s) / 3600
                rate = feed.logs_bdt_per_h / len(feed.decks)
                wanted = min(rate * 2 * hours * float(self.rng.uniform(0.93, 1.07)), 0.95 * self._lies(deck))
                if wanted < 10:
                    continue
                moves, self.held[deck] = draw(self.held[deck], wanted, to_s, 0.0)
                for one in chip(moves, self.bark, self.yard.chip_yield_frac):
                    onto = self.held[feed.filled]
                    _, self.held[feed.filled] = lay(onto, one.lot, one.chips_bdt, to_s, to_s, 0.0)
                self._op("chip", deck, feed.filled, wanted, from_s, to_s)

    def _draws(self, from_s: float, to_s: float) -> None:
        hours = (to_s - from_s) / 3600
        for feed in self.feeds:
            for pile, share in feed.shares.items():
                self._draw(pile, feed.bdt_per_h * hours * share, from_s, to_s)
            if feed.drawn is None:
                continue
            if len(feed.turned) > 1 and self._lies(feed.drawn) < 8 * feed.bdt_per_h:
                feed.turned = [*feed.turned[1:], feed.turned[0]]
            self._draw(feed.drawn, feed.bdt_per_h * hours * feed.turned_frac, from_s, to_s)

    def _draw(self, pile_id: str, bdt: float, from_s: float, to_s: float) -> None:
        taken = round(min(bdt, 0.9 * self._lies(pile_id)), 2)
        if taken > 0.5:
            _, self.held[pile_id] = draw(self.held[pile_id], taken, to_s, 0.0)
            self._op("draw", pile_id, "", taken, from_s, to_s)

    def _op(self, kind: str, pile: str, to_pile: str, bdt: float, from_s: float, to_s: float) -> None:
        row = {"kind": kind, "pile": pile, "to_pile": to_pile, "bdt": round(bdt, 3)}
        self.told.ops.append({**row, "from_s": int(from_s), "to_s": int(to_s)})

    # ---- what is sampled and found

    def _samples(self, start: float) -> None:
        for index, chipper in enumerate(self.yard.chippers):
            for hour in (7.0, 13.0, 21.0):
                at = start + (hour + 0.4 * index) * 3600
                if at > self.anchor_s:
                    continue
                worn = (at - self.changed[chipper.id]) / 3600 * 0.55  # it runs a little over half the day
                if worn > chipper.knife_h:
                    self.changed[chipper.id], worn = at - 1800, 0.3
                    self.told.knives.append({"at_s": int(at - 1800), "chipper": chipper.id})
                self._classify(chipper.id, at, 2.6 + 0.13 * worn)
        chips = next((one for one in self.yard.materials if one.form == "chips"), None)
        if chips is not None:
            self._classify(chips.id, start + 10 * 3600, 3.2)
        for hour in (8.5, 13.5):
            self._classify("feed", start + hour * 3600, 3.6)

    def _classify(self, source: str, at_s: float, overthick_pct: float) -> None:
        rng = self.rng
        thick = max(0.4, overthick_pct + rng.normal(0, 0.25))
        pins, fines = max(1.0, rng.normal(4.6, 0.5)), max(0.2, rng.normal(1.05, 0.14))
        over = max(0.05, rng.normal(0.55, 0.12))
        small = rng.normal(23, 1.2)
        shares = [over, thick, 100 - over - thick - small - pins - fines, small, pins, fines]
        sample = rng.normal(4950, 120)
        masses = [round(share / 100 * sample * 0.994, 0) for share in shares]
        if at_s > self.anchor_s:
            return
        row = {"at_s": int(at_s), "source": source, "sample_g": round(sample), "masses_g": ";".join(map(str, masses))}
        self.told.classes.append(row)

    def _trips(self, start: float, *, today: bool) -> None:
        """Trips of the day's two shifts; today as many as are told so far, two of them in one lot."""
        rng = self.rng
        if not self.yard.detectors or not self.yard.finds:
            return
        piles = [deck for feed in self.feeds for deck in feed.decks] or [pile.id for pile in self.yard.piles]
        for begin in (6.0,) if today else (6.0, 18.0):
            span = (self.anchor_s - start) / 3600 - begin - 0.4 if today else 11.6
            if span <= EARLIEST_TRIP_H:  # the shift has hardly begun
                continue
            for index in range(self.story.trips_today if today else min(5, int(rng.poisson(1.9)))):
                at = start + 3600 * (begin + rng.uniform(EARLIEST_TRIP_H, span))
                if at >= self.anchor_s:  # the night shift of yesterday may still run
                    continue
                lots = [one.lot for pile in piles for one in self.held[pile] if one.lot not in self.tripped][:3] or [""]
                lot = self.tripped[-1] if today and index == 1 and self.tripped else str(rng.choice(lots))
                self.tripped.append(lot)
                detector, find = str(rng.choice(self.yard.detectors[:2])), str(rng.choice(self.yard.finds))
                row = {"at_s": int(at), "detector": detector, "find": find, "lot": lot}
                self.told.trips.append({**row, "stopped_min": int(rng.integers(2, 14))})


def load_of(material: Material, ticket: str, rng: np.random.Generator) -> dict[str, Any]:
    """Return one load as weighed and tested."""
    net = material.net_t * rng.uniform(0.93, 1.04)
    tare = 16.2 + rng.normal(0, 0.25) if material.load == "truck" else 0.0
    moisture = material.moisture_pct + rng.normal(0, 1.5)
    moistures = [round(float(moisture + rng.normal(0, 0.45)), 1) for _ in range(3)]
    chips, logs, cane = (material.form == form for form in ("chips", "logs", "bagasse"))

    def around(mean: float, spread: float, decimals: int = 1) -> float:
        return round(float(max(0.0, rng.normal(mean, spread))), decimals)

    return {
        "ticket": ticket,
        "material": material.id,
        "gross_t": round(float(tare + net), 2),
        "tare_t": round(float(tare), 2),
        "moistures_pct": ";".join(map(str, moistures)),
        "bark_pct": around(material.bark_pct, 0.9 if logs else 0.12, 1 if logs else 2) if not cane else "",
        "fines_pct": around(material.fines_pct, 0.25, 2) if chips else "",
        "overthick_pct": around(3.4, 0.8) if chips else "",
        "pith_pct": around(28.0, 1.2) if cane else "",
        "grit_pct": around(3.6, 0.5, 2) if cane else around(0.25, 0.09, 2) if logs else around(0.12, 0.05, 2),
    }


# ---- devices that drop files


def gate_files(yard: YardDef, seed: int, anchor_s: float, from_s: float, to_s: float) -> Iterator[tuple[str, str]]:
    """Yield (name, text) of the weighbridge's and the moisture probe's files of a span."""
    order = _gate_order(yard)
    for index in _beats(anchor_s, EVERY_TICKET_S, from_s, to_s) if order else ():
        at_s = int(anchor_s + index * EVERY_TICKET_S)
        rng = np.random.default_rng([seed, 41, index + 10_000])
        material = order[index % len(order)]
        ticket = str(GATE_TICKET + index)
        load = load_of(material, ticket, rng)
        weighed = (
            f"ticket,at_s,material,gross_t,tare_t\n{ticket},{at_s},{material.id},{load['gross_t']},{load['tare_t']}\n"
        )
        yield f"scale_{ticket}.csv", weighed
        each = "".join(f"{ticket},{at_s + 240},{value}\n" for value in load["moistures_pct"].split(";"))
        yield f"probe_{ticket}.csv", f"ticket,at_s,moisture_pct\n{each}"


def _gate_order(yard: YardDef) -> list[Material]:
    """Return the order loads come in: logs before each load of chips or cane that comes by truck, barges last."""
    logs = [one for one in yard.materials if one.form == "logs"]
    trucks = [one for one in yard.materials if one.form != "logs" and one.load == "truck"]
    barges = [one for one in yard.materials if one.form != "logs" and one.load == "barge"]
    return [load for one in trucks for load in (*logs, one)] + barges or logs


def belt_files(
    plant_bdt_per_h: dict[str, float], anchor_s: float, from_s: float, to_s: float
) -> Iterator[tuple[str, str]]:
    """Yield (name, text) of the belt scales' files of a span: what each pile gave, half-hour by half-hour."""
    for index in _beats(anchor_s, EVERY_BELT_S, from_s, to_s):
        start = int(anchor_s + (index - 1) * EVERY_BELT_S)
        rows = "".join(
            f"{pile},{start},{start + EVERY_BELT_S},{rate * EVERY_BELT_S / 3600:.3f}\n"
            for pile, rate in plant_bdt_per_h.items()
        )
        yield f"belt_{index:05d}.csv", f"pile,from_s,to_s,bdt\n{rows}"


def _beats(anchor_s: float, every_s: float, from_s: float, to_s: float) -> range:
    """Return the whole beats of a period inside a span."""
    return range(int(np.ceil((from_s - anchor_s) / every_s)), int(np.floor((to_s - anchor_s) / every_s)) + 1)


def belt_rates(run: YardRun) -> dict[str, float]:
    """Return what each pile gives in an hour as the demonstration goes on."""
    rates: dict[str, float] = {}
    for feed in run.feeds:
        if feed.drawn is not None:
            rates[feed.drawn] = feed.bdt_per_h * feed.turned_frac
        rates |= {pile: feed.bdt_per_h * share for pile, share in feed.shares.items()}
    return rates
