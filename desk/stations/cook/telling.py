"""What the cook house adds to the floor: blows and results due, the hand-over, cooks found by number."""

from datetime import datetime, timedelta
from typing import Final

from django.urls import reverse

from desk.floor import clock
from desk.floor.due import Item
from desk.floor.models import Cook
from desk.floor.reading import Reading
from desk.floor.state import State
from desk.floor.station import Blow, Flying
from desk.stations.cook.bench import tags_of, titrated
from desk.stations.cook.board import Board, board_of
from desk.stations.cook.followed import Followed
from desk.stations.cook.house import House, house_of, recipe_of
from desk.stations.cook.models import Charge, Step
from stock.cooking.end_point import pulp_per_cook
from stock.errors import DomainError
from stock.figure import Origin
from stock.judge.here import Place
from stock.judge.limits import judge

SAMPLE_BEFORE: Final = timedelta(minutes=20)
RESULT_AFTER: Final = timedelta(minutes=45)
RESULT_LATE: Final = timedelta(hours=3)
OFTEN_S: Final = 600
IN_FOR: Final = timedelta(hours=16)  # a cook may be in so long


def due(state: State) -> list[Item]:
    """Return what the cook house needs a person for."""
    if not state.line.cook.recipes:
        return []
    house = house_of(state)
    return [*_blows(house), *_charged(house), *_results(house), *_steam(house), *_charges(house)]


def _blows(house: House) -> list[Item]:
    items = []
    now = house.state.now
    for one in house.all():
        if not one.running or one.state.phase == "charged":
            continue
        overdue = one.blow_at <= now and one.state.phase == "past its end"
        words = one.kappa_words
        if overdue:
            words = f"Past its end point. {words}"
        what = f"{one.next_step} cook {one.cook.number}, digester {one.cook.digester}"
        items.append(
            Item(max(one.blow_at, now), what, words, "act" if overdue else "ok", house.station, now=overdue, hurts=True)
        )
        sample = one.blow_at - SAMPLE_BEFORE
        by_hand = house.step(one.cook, "chips") is not None
        if (
            by_hand
            and not one.recipe.is_sulphite
            and sample <= now < one.blow_at
            and house.step(one.cook, "sample") is None
        ):
            what = f"Sample the liquor of cook {one.cook.number}"
            items.append(Item(now, what, "Residual alkali, 20 min before relief.", "ok", house.station, now=True))
    return items


def _charged(house: House) -> list[Item]:
    """Digesters that are charged and wait for steam."""
    waiting = {one.digester: one for one in board_of(house).waiting} if _any_charged(house) else {}
    items = []
    for one in house.all():
        if one.running and one.state.phase == "charged" and (wait := waiting.get(one.cook.digester)):
            what = f"Steam on cook {one.cook.number}, digester {one.cook.digester}"
            at = wait.until or house.state.now
            words = f"{wait.words[:1].upper()}{wait.words[1:]}."
            now = at <= house.state.now
            items.append(Item(max(at, house.state.now), what, words, "ok", house.station, now=now, hurts=True))
    return items


def _any_charged(house: House) -> bool:
    return any(one.state.phase == "charged" for one in house.all())


def _results(house: House) -> list[Item]:
    """Cooks blown by hand whose kappa is not in."""
    items = []
    now = house.state.now
    for number, forecast in house.news.forecasts.items():
        if number in house.news.results or forecast.at < now - timedelta(hours=12):
            continue
        at = forecast.at + RESULT_AFTER
        words = f"Forecast {forecast.kappa:.1f} ± {forecast.half_kappa:.1f}."
        late = now > forecast.at + RESULT_LATE
        items.append(
            Item(max(at, now), f"Kappa of cook {number}", words, "outside" if late else "ok", house.station, now=late)
        )
    return sorted(items, key=lambda item: item.at)[:2]


def _steam(house: House) -> list[Item]:
    """The first moment ahead at which the digesters want more steam than there is; told where somebody runs cooks by hand."""
    if not house.news.charges:
        return []
    board = board_of(house)
    if board.over is None:
        return []
    minutes, most = board.over
    words = f"{most:.1f} t/h wanted, {house.part.steam_t_per_h:g} there. {_stagger_words(house, board)}"
    return [
        Item(
            house.state.now + timedelta(minutes=minutes),
            "Steam short in the cook house",
            words,
            "outside",
            house.station,
        )
    ]


def _stagger_words(house: House, board: Board) -> str:
    """Say which heat-up has to wait, and by how long."""
    later = board.stagger()
    if later is None:
        return "The heat-ups have begun: let the last one rise slower, or take steam from elsewhere."
    bar, minutes = later
    heat = next(leg for leg in bar.legs if leg.name == "heat")
    was, at = (
        clock.local(house.state.now + timedelta(minutes=one)) for one in (heat.from_min, heat.from_min + minutes)
    )
    return f"Begin heating digester {bar.digester} at {at:%H:%M}, {minutes:.0f} min later than {was:%H:%M}."


def _charges(house: House) -> list[Item]:
    begun = {cook.number for cook in house.state.cooks}
    items = []
    for one in house.news.charges.values():
        if one.number in begun or one.at < house.state.now - timedelta(hours=3):
            continue
        late = one.at <= house.state.now
        words = f"Planned for {clock.local(one.at):%H:%M} by {one.by}."
        what = f"Charge cook {one.number}, digester {one.digester}"
        items.append(Item(max(one.at, house.state.now), what, words, "ok", house.station, now=late))
    return items


def in_flight(state: State) -> list[Flying]:
    """Return the cooks that are in, each with when its blow is due."""
    if not state.line.cook.recipes:
        return []
    running = [one for one in house_of(state).all() if one.running]
    return [Flying(one.cook.digester, one.cook.started_at, one.blow_at) for one in running]


def blows(state: State) -> list[Blow]:
    """Return the batches blown of late, and those that are in, each with its kappa, found or foretold."""
    if not state.line.cook.recipes:
        return []
    house = house_of(state)
    pulps = state.of_records("pulps", lambda: _pulps(state, house), OFTEN_S, [Cook, Charge, Step])
    found = []
    for cook in state.cooks:
        recipe, blow = recipe_of(state, cook), house.step(cook, "blow")
        forecast, result = house.news.forecasts.get(cook.number), house.news.results.get(cook.number)
        if blow is None and forecast is None:
            continue
        at = blow.at if blow is not None else forecast.at if forecast is not None else state.now
        kappa = result.kappa if result is not None else forecast.kappa if forecast is not None else cook.kappa_target
        found.append(Blow(recipe.unit, cook.number, at, pulps.get(cook.number, 0.0), kappa, result is not None))
    for one in house.all():
        if one.running and one.cook.number not in {blow.number for blow in found}:
            recipe = recipe_of(state, one.cook)
            pulp = pulps.get(one.cook.number, 0.0)
            found.append(Blow(recipe.unit, one.cook.number, one.blow_at, pulp, one.cook.kappa_target, measured=False))
    return sorted(found, key=lambda one: one.at)


def blown_since(state: State, since: datetime) -> list[Blow]:
    """Return every batch blown since a moment, also of days ago: those of old by their logged steps, at their target."""
    late = [one for one in blows(state) if since <= one.at <= state.now]
    known = {one.number for one in late}
    steps = Step.objects.filter(
        world=state.world,
        superseded_by=None,
        at__gte=since - IN_FOR,
        at__lte=state.now,
        kind__in=(Step.Kind.CHIPS, Step.Kind.BLOW),
    )
    logged: dict[int, dict[str, Step]] = {}
    for one in steps:
        logged.setdefault(one.number, {})[one.kind] = one
    old = Cook.objects.filter(world=state.world, number__in=set(logged) - known, started_at__gte=since - IN_FOR)
    found = list(late)
    for cook in old:
        recipe, (chips, blow) = recipe_of(state, cook), (logged[cook.number].get(kind) for kind in ("chips", "blow"))
        if blow is None or blow.at < since or chips is None or chips.green_t is None or chips.moisture_pct is None:
            continue
        pulp = chips.green_t * (1 - chips.moisture_pct / 100) * recipe.reference_yield_pct / 100
        found.append(Blow(recipe.unit, cook.number, blow.at, pulp, recipe.kappa_target, measured=False))
    return sorted(found, key=lambda one: one.at)


def _pulps(state: State, house: House) -> dict[int, float]:
    """Return the pulp each cook's wood gives, bone dry; 0 where its steps cannot be."""
    found = {}
    for cook in state.cooks:
        recipe = recipe_of(state, cook)
        try:
            wood = float(house.charge(cook, recipe)["wood"].value)
        except DomainError:
            wood = 0.0
        found[cook.number] = wood * recipe.reference_yield_pct / 100
    return found


def made(state: State, start: datetime) -> list[str]:
    """Return the cooks blown since a moment, by recipe, with the pulp their wood gives."""
    if not state.line.cook.recipes:
        return []
    house, found = house_of(state), dict[str, list[float]]()
    for cook in state.cooks:
        forecast = house.news.forecasts.get(cook.number)
        if forecast is None or not start <= forecast.at <= state.now:
            continue
        recipe = recipe_of(state, cook)
        try:
            wood = house.charge(cook, recipe)["wood"].value
        except DomainError:  # its steps cannot be: it is counted, its pulp is not
            wood = 0.0
        pulp = pulp_per_cook(bd_wood_t=wood, screened_yield_frac=recipe.reference_yield_pct / 100)
        found.setdefault(recipe.name.split(",")[0], []).append(pulp)
    return [
        f"{name}: {len(pulps)} cook{'' if len(pulps) == 1 else 's'} blown, {sum(pulps):.1f} ADt by the recipe's yield"
        for name, pulps in found.items()
    ]


def sheet(state: State) -> list[tuple[str, list[str]]]:
    """Return the cook house's part of the hand-over."""
    if not state.line.cook.recipes:
        return []
    house = house_of(state)
    rows = [_row(one) for one in house.all() if one.running] or ["No cook is in a digester."]
    start, _ = clock.shift_of(state.now, state.line.shifts)
    parts = [("Cooks in flight", rows)]
    found = [
        f"Cook {number}: kappa {house.news.results[number].kappa:.1f} found, {forecast.kappa:.1f} ± {forecast.half_kappa:.1f} forecast"
        for number, forecast in house.news.forecasts.items()
        if number in house.news.results and forecast.at >= start
    ]
    missing = [
        f"Cook {number}: blown {clock.local(forecast.at):%H:%M}, no kappa yet"
        for number, forecast in house.news.forecasts.items()
        if number not in house.news.results and forecast.at >= start
    ]
    if found or missing:
        parts.append(("Cooks of this shift", [*found[-6:], *missing[-4:]]))
    tanks = [
        f"{tank.name}: {reading.value:.0f} %"
        for tank in house.part.tanks
        if (reading := state.readings.get(tank.level)) is not None
    ]
    if tanks:
        parts.append(("Liquor", tanks))
    return parts


def _row(one: Followed) -> str:
    now = one.state
    return (
        f"Cook {one.cook.number}, digester {one.cook.digester}: {now.phase}, {one.facts.way.letter} {now.done.text}"
        f" of {now.aim.text}, blow about {clock.local(one.blow_at):%H:%M}"
    )


def places(state: State, text: str) -> list[tuple[str, str, str]]:
    """Find a cook by its number."""
    word = text.strip().lower().removeprefix("cook").strip()
    if len(word) >= 4 and "titration".startswith(word[:5]) and state.line.cook.recipes:
        return [("Titrate a liquor", "A/B/C, residual, acid", reverse("cook_liquor", args=[state.world.slug]))]
    if not word.isascii() or not word.isdigit() or len(word) > 7:
        return []
    cooks = Cook.objects.filter(world=state.world, number=int(word), started_at__lte=state.now)[:1]
    return [
        (
            f"Cook {cook.number}",
            f"{recipe_of(state, cook).name}, digester {cook.digester}, {clock.local(cook.started_at):%d %b %H:%M}",
            reverse("cook", args=[state.world.slug, cook.number]),
        )
        for cook in cooks
    ]


def readings(state: State) -> list[Reading]:
    """Return what titrations say of the line's tags, where they are newer than what was entered."""
    if not state.line.cook.recipes:
        return []
    found: dict[str, Reading] = {}
    for test in house_of(state).news.tests:
        try:
            worked = titrated(test.kind, test.volumes, test.by, test.at)
        except DomainError:
            continue
        origin = Origin("measured", f"{worked.method.title.lower() if worked.method else ''}, {test.by}", test.at)
        for name, value in tags_of(state, test.kind, worked, test.number):
            entered = state.lab.get(name)
            if entered is None or test.at >= entered.at:
                tag = state.line.tag(name)
                found[name] = Reading(tag, value, test.at, origin, judge(tag, value))
    return list(found.values())


def leads(state: State) -> dict[str, str]:
    """Say of each family of fibre which cook is at temperature, and what it has to go."""
    if not state.line.cook.recipes:
        return {}
    found: dict[str, str] = {}
    for one in house_of(state).all():
        if one.state.phase != "at temperature":
            continue
        family = Place(state, state.line.unit(one.recipe.unit)).source.family or ""
        left = max(one.state.aim.value - one.state.done.value, 0)
        found.setdefault(family, f"Cook {one.cook.number} is at temperature, {left:.0f} {one.facts.way.unit} to go.")
    return found


def urgent(state: State) -> str:
    """Say which cook is past its end."""
    if not state.line.cook.recipes:
        return ""
    late = next((one for one in house_of(state).all() if one.state.phase == "past its end"), None)
    return f"Cook {late.cook.number} is past its end point: blow it." if late else ""
