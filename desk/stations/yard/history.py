"""Bring a past into an empty yard: everything received, chipped and drawn, booked as it would have been."""

import csv
from collections.abc import Iterator
from datetime import UTC, datetime
from pathlib import Path
from typing import Any

from desk.floor.keeping import line_key, source_of
from desk.floor.models import Record, World
from desk.floor.services import stop_of
from desk.floor.station import Past
from desk.people.models import Person
from desk.stations.yard.book import yard_part
from desk.stations.yard.knives import STEPS
from desk.stations.yard.lots import TESTED, Load, lot_row, weigh
from desk.stations.yard.models import Classification, Holding, KnifeStep, Lot, Movement, Op, Trip
from desk.stations.yard.work import trip_words
from stock.intake.piles import Held, chip, draw, lay, pile_loss

REF_C = 15.0


def load_yard(world: World, past: Past) -> list[Record]:
    """Book the files of a folder; return the records of trips and knives, not yet sealed."""
    folder, hand, tester = past.folder, past.people["orr"], past.people["vale"]
    if not (folder / "yard_lots.csv").exists():
        return []
    booked = _Book(world, hand)
    booked.run(folder)
    rows = [
        Classification(
            world=world,
            source=row["source"],
            at=_at(row["at_s"]),
            sample_g=float(row["sample_g"]),
            masses_g=[float(one) for one in row["masses_g"].split(";")],
            by=tester,
            entered_at=_at(row["at_s"]),
            form_key=f"demo-{world.pk}-class-{index}",
        )
        for index, row in enumerate(_rows(folder / "yard_classes.csv"))
    ]
    Classification.objects.bulk_create(rows)
    return [*_trips(world, folder, hand), *_knives(world, folder, hand)]


class _Book:
    """The stock book kept in memory while the past goes by, then written at once."""

    def __init__(self, world: World, hand: Person) -> None:
        self.world, self.hand, self.part = world, hand, yard_part(world)
        self.held: dict[str, list[Held]] = {pile.id: [] for pile in self.part.piles}
        self.lots: dict[str, Lot] = {}
        self.ops: list[Op] = []
        self.moves: list[tuple[Op, str, str, str, float]] = []
        self.loss = {
            pile.id: pile_loss(
                temperature_c=REF_C, ref_loss_per_month=self.part.of_species(pile.species).loss_per_month
            )
            for pile in self.part.piles
        }

    def run(self, folder: Path) -> None:
        """Take lots and operations in order of time."""
        lots = [(int(row["at_s"]), 0, row) for row in _rows(folder / "yard_lots.csv")]
        ops = [(int(row["to_s"]), 1, row) for row in _rows(folder / "yard_ops.csv")]
        for at_s, kind, row in sorted(lots + ops, key=lambda one: one[:2]):
            if kind == 0:
                self._receive(at_s, row)
            else:
                self._operate(at_s, row)
        self._write()

    def _receive(self, at_s: int, row: dict[str, str]) -> None:
        load = load_from(row)
        weighed = weigh(self.part, load)
        answer = weighed.decision.answer
        key = f"demo-{self.world.pk}-{load.number}"
        pile = row["pile"] if answer != "refuse" else ""
        lot = lot_row(self.world, self.hand, weighed, answer, pile, key, entered_at=load.received_at)
        self.lots[load.number] = lot
        if pile:
            op = self._op("receive", pile, "", weighed.bdt, at_s, at_s)
            self._lay(op, pile, lot.number, weighed.bdt, at_s)

    def _operate(self, at_s: int, row: dict[str, str]) -> None:
        pile, to_pile = row["pile"], row["to_pile"]
        there = sum(one.now_bdt(at_s, self.loss[pile]) for one in self.held[pile])
        bdt = min(float(row["bdt"]), there)
        if bdt < 0.01:
            return
        moves, self.held[pile] = draw(self.held[pile], bdt, at_s, self.loss[pile])
        op = self._op(row["kind"], pile, to_pile, bdt, int(row["from_s"]), at_s)
        self.moves += [(op, pile, move.lot, move.kind, move.bdt) for move in moves]
        if row["kind"] == "chip":
            bark = {move.lot: (self.lots[move.lot].bark_pct or 0) / 100 for move in moves}
            for one in chip(moves, bark, self.part.chip_yield_frac):
                self._lay(op, to_pile, one.lot, one.chips_bdt, at_s)
                self.moves.append((op, "boiler", one.lot, "boiler", one.boiler_bdt))

    def _lay(self, op: Op, pile: str, lot: str, bdt: float, at_s: int) -> None:
        moves, self.held[pile] = lay(self.held[pile], lot, bdt, at_s, at_s, self.loss[pile])
        self.moves += [(op, pile, move.lot, move.kind, move.bdt) for move in moves]

    def _op(self, kind: str, pile: str, to_pile: str, bdt: float, from_s: int, to_s: int) -> Op:
        op = Op(
            world=self.world,
            kind=kind,
            pile=pile,
            to_pile=to_pile,
            bdt=bdt,
            from_at=_at(from_s),
            to_at=_at(to_s),
            source="belt scale" if kind == "draw" else "yard book",
            by=None if kind == "draw" else self.hand,
            entered_at=_at(to_s),
            form_key=f"demo-{self.world.pk}-op-{len(self.ops)}",
        )
        self.ops.append(op)
        return op

    def _write(self) -> None:
        Lot.objects.bulk_create(self.lots.values(), batch_size=500)
        Op.objects.bulk_create(self.ops, batch_size=500)
        Movement.objects.bulk_create(
            [Movement(op=op, pile=pile, lot_number=lot, kind=kind, bdt=bdt) for op, pile, lot, kind, bdt in self.moves],
            batch_size=2000,
        )
        Holding.objects.bulk_create(
            [
                Holding(
                    world=self.world,
                    pile=pile,
                    lot=self.lots[one.lot],
                    bdt=one.bdt,
                    since_s=one.since_s,
                    settled_s=one.settled_s,
                )
                for pile, held in self.held.items()
                for one in held
            ]
        )


def load_from(row: dict[str, str]) -> Load:
    """Read a load from a row of text."""
    found = {name: float(row[name]) if row.get(name) else None for name in TESTED}
    moistures = [float(one) for one in row["moistures_pct"].split(";")]
    return Load(
        number=row["number"],
        material=row["material"],
        received_at=_at(row["at_s"]),
        gross_t=float(row["gross_t"]),
        tare_t=float(row["tare_t"]),
        moistures_pct=moistures,
        found=found,
        ticket=row["ticket"],
    )


def _trips(world: World, folder: Path, hand: Person) -> Iterator[Record]:
    rows = [
        Trip(
            world=world, by=hand, at=_at(row["at_s"]), entered_at=_at(row["at_s"]), detector=row["detector"],
            find=row["find"], lot=row["lot"], stopped_min=float(row["stopped_min"]), form_key=f"demo-trip-{index}",
        )
        for index, row in enumerate(_rows(folder / "yard_trips.csv"))
    ]  # fmt: skip
    for row in Trip.objects.bulk_create(rows):
        yield _line(row, hand, trip_words(row), "trip", row.lot)


def _knives(world: World, folder: Path, hand: Person) -> Iterator[Record]:
    part, last = yard_part(world), len(STEPS) - 1
    rows = [
        KnifeStep(
            world=world, by=hand, at=_at(row["at_s"]), entered_at=_at(row["at_s"]), chipper=row["chipper"], step=last,
            form_key=f"demo-knife-{index}",
        )
        for index, row in enumerate(_rows(folder / "yard_knives.csv"))
    ]  # fmt: skip
    for row in KnifeStep.objects.bulk_create(rows):
        yield _line(row, hand, f"{part.chipper(row.chipper).name}: {STEPS[last]}", "knife", row.chipper)


def _line(row: Trip | KnifeStep, hand: Person, words: str, tag: str, subject: str) -> Record:
    return Record(
        world=row.world,
        kind=Record.Kind.EVENT,
        station=stop_of(row.world, "yard"),
        tag=tag,
        subject=subject,
        text=words,
        at=row.at,
        entered_at=row.at,
        by=hand,
        source=source_of(row),
        form_key=line_key("l", row),
    )


def _rows(path: Path) -> list[dict[str, Any]]:
    with path.open(encoding="utf-8") as file:
        return list(csv.DictReader(file))


def _at(at_s: Any) -> datetime:
    return datetime.fromtimestamp(int(at_s), UTC)
