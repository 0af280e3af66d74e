"""The readings the yard works out, and the working of a lot."""

from dataclasses import replace
from datetime import datetime
from typing import Final

import numpy as np

from desk.floor.reading import Reading
from desk.floor.state import State
from desk.stations.yard.models import Lot
from desk.stations.yard.samples import feeds
from desk.stations.yard.stock import YardNow, yard_of
from stock.figure import Datum, Figure, Origin, figure
from stock.intake.metal import count_chart
from stock.judge.here import Place
from stock.judge.limits import Verdict, judge
from stock.tag import Tag


def derived(state: State) -> list[Reading]:
    """Return the readings the yard works out: days of stock, trips, the newest chip sample of the feed."""
    if state.line.yard is None:
        return []
    yard = yard_of(state)
    lies = any(pile.lots for pile in yard.piles.values())
    sampled = feeds(yard.part)
    found = []
    for tag in state.line.tags:
        if not tag.computed:
            continue
        if tag.reads == "trips":
            if yard.trips or yard.trip_counts[0]:
                found.append(_trip_reading(yard, tag))
            continue
        stream = Place(state, state.line.part(tag.of)).stream.id
        if tag.reads == "stock" and lies:
            found.append(_reading(tag, yard.stock_figure(stream, tag.name), state.now))
        newest = next(iter(yard.samples.get(sampled.get(stream, ""), [])), None)
        if tag.reads in CLASSED and newest is not None:
            found.append(_reading(tag, yard.class_figure(newest, tag.reads, tag.name), newest.at))
    return found


CLASSED: Final = frozenset({"overthick", "pins", "fines"})


def _reading(tag: Tag, shown: Figure, at: datetime) -> Reading:
    origin = Origin("computed", shown.method.title.lower() if shown.method else tag.instrument, at)
    return Reading(tag, shown.value, at, origin, judge(tag, shown.value), "", shown)


def _trip_reading(yard: YardNow, tag: Tag) -> Reading:
    """Judge the shift's trips by the count chart where there is history enough, else by the fixed band."""
    before, count = yard.trip_counts
    origin = Origin(
        "entered", f"the log of the shift; {sum(before)} trips in the {len(before)} shifts before", yard.state.now
    )
    verdict = judge(tag, count)
    if len(before) >= 8:
        upper = count_chart(trips_each_count=np.array(before)).upper_count
        over = count - upper
        verdict = (
            Verdict("act", "high", over, f"over the {int(upper)} that are still usual in a shift")
            if over > 0
            else Verdict("ok", "", 0.0, "usual")
        )
    return Reading(tag, float(count), yard.state.now, origin, verdict)


def lot_figure(lot: Lot) -> Figure:
    """Return a lot's bone-dry mass with its working, down to the samples."""
    who = f", booked by {lot.by.short_name}" if lot.by_id else ", just now"
    weighed = Origin("entered", f"weighbridge{who}", lot.received_at)
    net = figure(
        "net_mass_t",
        "net mass",
        {"gross_t": Datum(lot.gross_t, weighed), "tare_t": Datum(lot.tare_t, weighed)},
        decimals=2,
    )
    each = Datum(
        [value / 100 for value in lot.moistures_pct],
        Origin("entered", f"{len(lot.moistures_pct)} samples", lot.received_at),
    )
    moisture = figure("moisture_of_replicates", "moisture", {"each_moisture_frac": each}, decimals=4)
    data = {"green_mass_t": net.as_datum(), "moisture_wet_frac": moisture.as_datum()}
    shown = figure("bone_dry_mass_t", f"bone-dry in lot {lot.number}", data, decimals=2, unit="BDt")
    return replace(shown, key=f"yard:lot.{lot.pk}") if lot.pk else shown
