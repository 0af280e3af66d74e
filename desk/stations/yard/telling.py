"""What the yard tells every page: things due, the hand-over, the trips of past shifts, lots by number."""

from datetime import timedelta
from typing import Final

from django.urls import reverse
from django.utils import timezone

from desk.floor.due import Item
from desk.floor.state import State
from desk.floor.station import Told
from desk.stations.yard.knives import RUNNING_SHARE, STEPS, KnifeSet, knives_of
from desk.stations.yard.models import Lot
from desk.stations.yard.stock import YardNow, yard_of
from stock.figure import Datum, Origin


def due(state: State) -> list[Item]:
    """Return what the yard needs a person for."""
    if state.line.yard is None:
        return []
    yard = yard_of(state)
    return [*_gate(yard), *_knives(yard), *_blend(yard), *_aside(yard), *_files(yard)]


def _gate(yard: YardNow) -> list[Item]:
    if not yard.news.gate:
        return []
    first = yard.news.gate[0]
    name = yard.part.material(first.material).name.lower()
    waiting = len(yard.news.gate)
    what = f"Receive {'the load' if waiting == 1 else f'{waiting} loads'} at the gate"
    words = f"First: ticket {first.ticket}, {name}, weighed {timezone.localtime(first.at):%H:%M}."
    level = "outside" if yard.state.now - first.at > timedelta(hours=1) else "ok"
    return [Item(first.at, what, words, level, yard.station, now=True)]


def _knives(yard: YardNow) -> list[Item]:
    return [item for knife in knives_of(yard) if (item := _knife(yard, knife)) is not None]


def _knife(yard: YardNow, knife: KnifeSet) -> Item | None:
    """A change that was begun is to be finished; one that is coming is told by its clock."""
    now, name = yard.state.now, knife.chipper.name
    if knife.last_step not in ("", STEPS[-1]):
        words = f"Last step: {knife.last_step}."
        return Item(now, f"{name}: finish the knife change", words, "outside", yard.station, now=True)
    if knife.trend is None:
        return None
    # Hours on the knives are hours run; the clock goes on while a chipper stands.
    at = yard.samples[knife.chipper.id][0].at + timedelta(hours=knife.trend.value / RUNNING_SHARE)
    limit = yard.part.chips.overthick_most_pct
    words = f"Overthick reaches {limit:g} % after {knife.trend.value:.1f} h more running."
    late = at <= now
    return Item(
        max(at, now), f"Change knives, {name.lower()}", words, "outside" if late else "ok", yard.station, now=late
    )


def _blend(yard: YardNow) -> list[Item]:
    plan, now = yard.news.plan, yard.state.now
    if plan is None:
        return []
    until = plan.from_at + timedelta(hours=plan.hours)
    if until < now - timedelta(hours=12):
        return []
    words = f"The one of {timezone.localtime(plan.from_at):%H:%M} ends."
    return [Item(max(until, now), "Choose the next chip blend", words, "ok", yard.station, now=until <= now)]


def _aside(yard: YardNow) -> list[Item]:
    lying = {one.number for pile in yard.piles.values() for one in pile.lots}
    words = "Two metal trips in it: find the broken part, then release it."
    return [
        Item(yard.state.now, f"Lot {lot} set aside", words, "outside", yard.station, now=True)
        for lot in yard.aside
        if lot in lying
    ][:2]


def _files(yard: YardNow) -> list[Item]:
    if not yard.news.broken:
        return []
    first = yard.news.broken[0]
    return [
        Item(
            first.at,
            "A device's file was set aside",
            f"{first.name}: {first.reason}.",
            "outside",
            yard.station,
            now=True,
        )
    ]


def sheet(state: State) -> list[tuple[str, list[str]]]:
    """Return the yard's part of the hand-over."""
    if state.line.yard is None:
        return []
    yard = yard_of(state)
    rows = [
        f"{pile.part.name}: {pile.bdt:.0f} BDt, {len(pile.lots)} lots, mean age {pile.mean_age_d(state.now):.0f} d"
        + (f", hottest {pile.temperature.value:.0f} °C" if pile.temperature else "")
        for pile in yard.piles.values()
        if pile.lots
    ]
    before, now = yard.trip_counts
    if before or now:
        rows.append(f"Metal trips this shift: {now}")
    rows += [f"Set aside: lot {lot}" for lot in yard.aside]
    rows += [
        f"{knife.chipper.name}: {knife.hours:.0f} h on the knives"
        for knife in knives_of(yard)
        if knife.changed_at is not None
    ]
    if yard.news.gate:
        rows.append(f"At the gate: {len(yard.news.gate)} loads weighed, not received")
    return [("Yard", rows)] if rows else []


def series(state: State, name: str) -> Datum | None:
    """Return the trips of past shifts."""
    if name != "trips" or state.line.yard is None:
        return None
    before, _ = yard_of(state).trip_counts
    return Datum(before, Origin("entered", f"the log, {len(before)} full shifts back"))


def places(state: State, text: str) -> list[tuple[str, str, str]]:
    """Find a lot by its number."""
    word = text.strip().upper().removeprefix("LOT").strip()
    if word in ("RECEIVE", "GATE", "LOAD", "LOADS") and state.line.yard is not None:
        return [("Receive a load", "what is at the gate", reverse("yard_lots", args=[state.world.slug]))]
    if len(word) < 3 or not any(letter.isdigit() for letter in word):
        return []
    slug = state.world.slug
    lots = Lot.objects.filter(world=state.world, number__contains=word, superseded_by=None).order_by("-received_at")[:5]
    return [
        (
            f"Lot {lot.number}",
            f"{lot.bdt:.1f} BDt, {lot.get_answer_display()}",
            reverse("yard_lot", args=[slug, lot.number]),
        )
        for lot in lots
    ]


STORY: Final = ("stock", "moisture", "overthick", "trips")


def story(state: State) -> Told | None:
    """Tell the yard in a line: stock, moisture, thickness, trips; its piles only where one is off."""
    if state.line.yard is None:
        return None
    yard = yard_of(state)
    own = [state.readings[tag.id] for tag in state.tags_of(yard.station) if tag.id in state.readings]
    shown = [one for one in own if one.tag.reads in STORY]
    off = [one for one in own if one.verdict.level != "ok"]
    quiet = sorted((one for one in shown if one not in off), key=lambda one: STORY.index(one.tag.reads))
    return Told(state.line.station(yard.station).name, "", quiet, off)
