"""Next up: what will need a person, in time order, computed from the line, the cooks, the samples, the orders."""

from collections import defaultdict
from collections.abc import Sequence
from datetime import datetime, timedelta

from django.utils import timezone

from desk.floor.due import Folded, Item
from desk.floor.models import HandOver, OpenPoint, Receipt
from desk.floor.points import points_open, waiting
from desk.floor.reading import Reading
from desk.floor.state import State
from desk.floor.station import stations
from stock.cooking.recipe import Digester
from stock.intake.definition import PileDef
from stock.judge.advice import Advice
from stock.tag import Tag

AHEAD = timedelta(hours=8)
SOON = timedelta(minutes=30)  # what has a clock and comes so soon goes before what is only off
HURTS_SOON = timedelta(minutes=60)  # what can hurt, or is lost by waiting, does so longer ahead
SHOWN = 9
CARRIED_S = 60
HAND_OVER = "hand-over"  # the page an item belongs to, where it is no station
FOLD_FROM = 3
GRAVITY = {"act": 0, "outside": 1, "ok": 2}


def next_up(state: State) -> list[Item]:
    """Return all that is due, in the order a person needs it: what can hurt now, what has a clock and comes soon, the gravest that is off, the rest by time. Worked out once a state."""
    if "next_up" not in state.kept:
        state.kept["next_up"] = _worked_out(state)
    found: list[Item] = state.kept["next_up"]
    return found


def _worked_out(state: State) -> list[Item]:
    items = [
        *_off(state),
        *_witnesses(state),
        *_drifting(state),
        *_points(state),
        *_orders(state),
        *_samples(state),
    ]
    items += [item for station in stations() for item in station.due(state)]
    horizon = state.now + AHEAD
    return sorted((item for item in items if item.at <= horizon), key=lambda item: _place(item, state.now))


def _place(item: Item, now: datetime) -> tuple[int, int, datetime]:
    """Return where an item stands among the others."""
    if item.hurts and item.now:
        return 0, 0, item.at
    if not item.now and not item.repeats and item.at <= now + (HURTS_SOON if item.hurts else SOON):
        return 1, 0, item.at
    return (2, GRAVITY[item.level], item.at) if item.now else (3, 0, item.at)


def folded(items: Sequence[Item]) -> list[Folded]:
    """Return the lines of the rail: what repeats three times or more is one line, where its first stands."""
    by_word: dict[str, list[Item]] = defaultdict(list)
    for item in items:
        if item.repeats:
            by_word[item.repeats].append(item)
    lines = []
    for item in items:
        alike = by_word[item.repeats] if item.repeats else [item]
        if len(alike) < FOLD_FROM:
            lines.append(Folded(item, (item,)))
        elif item is alike[0]:
            lines.append(Folded(item, tuple(alike)))
    return lines


def pressing(state: State) -> list[tuple[Reading, Advice | None]]:
    """Return what is off and pressed on a person, each with its card: what can hurt first, then the gravest."""
    cards = {card.tag.id: card for card in state.advice}
    found = []
    for reading in state.off:
        card = cards.get(reading.tag.id)
        if card is None and reading.verdict.level != "act":
            continue  # outside its band with nothing to move: shown on the station, not pressed on anybody
        if card is not None and card.leave:
            continue  # inside the test's error: said on the station
        found.append((reading, card))
    return sorted(found, key=lambda one: (not _hurts(state, one[0]), GRAVITY[one[0].verdict.level]))


def _off(state: State) -> list[Item]:
    held = {tag: words for station in stations() for tag, words in station.held(state).items()}
    items = []
    for reading, card in pressing(state):
        value = f"{reading.value:.{reading.tag.decimals}f} {reading.tag.unit}".strip()
        size = f"{value}, {reading.verdict.words}."
        if card is not None:
            size = f"{value}. {held.get(reading.tag.id, card.correction)}."
        level, station, hurts = reading.verdict.level, reading.tag.station, _hurts(state, reading)
        items.append(Item(state.now, reading.tag.name, size, level, station, now=True, hurts=hurts))
    return items


def _witnesses(state: State) -> list[Item]:
    """Return the instruments whose pairs ask for something, or that leave open what to do about a value."""
    items = []
    for name, witness in state.witnesses.items():
        read = state.live.get(name)
        words = f"{witness.asks}: {witness.words[:1].lower()}{witness.words[1:]}." if witness.asks else ""
        if not words and read is not None and witness.apart_matters(read[1]):
            words = f"Take {max(witness.wanted, 1)} more samples before anything is moved: {witness.words}."
        if words:
            level, station = "outside", witness.tag.station
            items.append(Item(state.now, witness.tag.name, words, level, station, now=True, witness=name))
    return items


def _drifting(state: State) -> list[Item]:
    """Return what runs off its target before it passes a limit."""
    return [
        Item(state.now, one.tag.name, one.words, "ok", one.tag.station, now=True) for one in state.drifting.values()
    ]


def _points(state: State) -> list[Item]:
    """Return what is carried and expires, and the hand-over nobody has taken over."""
    items = []
    carried = state.of_records("carried", lambda: points_open(state.world, state.now), CARRIED_S, [OpenPoint])
    for one in carried:
        if one.until is None:
            continue
        gone = one.until <= state.now
        what = f"{one.get_kind_display()} {'expired' if gone else 'expires'}"
        words = f"{one.text}. Close it or say it anew."
        items.append(Item(one.until, what, words, "act" if gone else "outside", HAND_OVER, now=gone, hurts=True))
    sheet = state.of_records("waiting", lambda: waiting(state), CARRIED_S, [HandOver, Receipt])
    if sheet is not None:
        words = f"Signed {timezone.localtime(sheet.signed_at):%H:%M} by {sheet.signed_by.short_name}; read it and sign."
        items.append(Item(sheet.signed_at, "Take over the shift", words, "outside", HAND_OVER, now=True))
    return items


def _hurts(state: State, reading: Reading) -> bool:
    """Say whether more is read than is safe of something that can hurt."""
    return reading.verdict.side == "high" and _can_hurt(state, reading.tag)


def _can_hurt(state: State, tag: Tag) -> bool:
    """Say whether a tag reads gas, the heat of a pile, which can end in fire, or what a digester stands under."""
    part = state.line.part(tag.of)
    return (
        tag.reads == "gas" or isinstance(part, Digester) or (tag.reads == "temperature" and isinstance(part, PileDef))
    )


def _samples(state: State) -> list[Item]:
    items = []
    for tag in state.line.tags:
        if tag.every_h is None:
            continue
        last = state.lab.get(tag.id)
        due = last.at + timedelta(hours=tag.every_h) if last else state.now
        what = f"Sample: {tag.name[:1].lower()}{tag.name[1:]}"
        words = f"Every {tag.every_h:g} h, none yet."
        if last is not None:
            value = f"{last.value:.{tag.decimals}f} {tag.unit}".rstrip()
            words = f"Last {value} at {timezone.localtime(last.at):%H:%M}."
        if due < state.now - timedelta(minutes=15):
            words = f"Overdue since {timezone.localtime(due):%H:%M}. {words}"
        items.append(Item(due, what, words, "ok", tag.station, repeats="samples"))
    return items


def _orders(state: State) -> list[Item]:
    items = []
    for order in state.orders[1:]:
        grade = state.line.grade(order.grade)
        words = f"{order.rate} from {timezone.localtime(order.from_at):%H:%M}."
        items.append(Item(order.from_at, f"Change to {grade.name}", words, "ok", "order"))
    return items
