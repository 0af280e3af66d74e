"""What is to be thought of a cook: whether to blow it and why, and the decision table's cards about it."""

from collections.abc import Sequence
from dataclasses import dataclass, replace
from typing import Final

import numpy as np

from desk.floor.models import Cook
from desk.floor.state import State
from desk.stations.cook.board import room_for
from desk.stations.cook.followed import Followed
from desk.stations.cook.house import House, house_of
from desk.stations.cook.learn import Past, past_cooks
from desk.stations.cook.models import Result
from desk.stations.cook.news import Done
from stock.cooking.case import CookAdvice, CookCase, advise_cook
from stock.cooking.facts import CookFacts
from stock.cooking.recipe import Recipe
from stock.cooking.steer import Decision, Surroundings, decide
from stock.cooking.sulphite import so2_pressure
from stock.errors import DomainError
from stock.figure import Datum, Figure, Origin, figure, given

THE_PLANT: Final = "the plant"


def decision(house: House, followed: Followed) -> Decision | None:
    """Say whether to blow, and why; None where what is known of the cook cannot be, with the reason in its trouble."""
    try:
        return _decision(house, followed)
    except DomainError as error:
        house.trouble[followed.cook.number] = error.message
        return None


def _decision(house: House, followed: Followed) -> Decision:
    room, needs = room_for(house, followed)
    sample = house.step(followed.cook, "sample")
    facts = followed.facts
    gas = _gas_of(facts)
    around = Surroundings(
        room_frac=room,
        needs_frac=needs,
        apart_c=house.apart_c(followed.cook),
        over_kpa=gas.over.value if gas.over else None,
        sampled=sample is not None,
        sampled_residual=sample.amounts.residual_kg_per_m3_as_naoh if sample else None,
        so2_bar=gas.partial.value if gas.partial else None,
        normal_so2_bar=gas.normal_bar,
        penetrated_min=gas.penetrated.value if gas.penetrated else None,
        usual_miss=usual_miss(house.state, facts.recipe, facts.relation.version),
    )
    return decide(facts, followed.state, house.second(followed), around)


MISS_COOKS: Final = 40
LEAST_MISSES: Final = 8
LEAST_MISS: Final = 0.3
MISSES_S: Final = 3600


def usual_miss(state: State, recipe: Recipe, version: int) -> Figure | None:
    """Return by how much the last cooks came off their forecast of a relation, where that is no chance."""
    name = f"misses {recipe.id} {version}"
    return state.of_records(name, lambda: _usual_miss(past_cooks(state, recipe), version), MISSES_S)


def _usual_miss(cooks: Sequence[Past], version: int) -> Figure | None:
    errors = [one.error for one in cooks if one.version == version and not one.flag][:MISS_COOKS]
    if len(errors) < LEAST_MISSES:
        return None
    mean, sd = float(np.mean(errors)), float(np.std(errors, ddof=1))
    if abs(mean) < LEAST_MISS or abs(mean) <= 2 * sd / len(errors) ** 0.5:
        return None
    words = f"kappa found less forecast, mean of {len(errors)} cooks by relation {version}, spread {sd:.2f}"
    return given(f"the last {len(errors)} cooks", mean, "", Origin("computed", words))


@dataclass(frozen=True, slots=True)
class Gas:
    """What a digester holds over its steam, and how an acid cook was penetrated."""

    over: Figure | None = None
    partial: Figure | None = None
    normal_bar: float | None = None
    penetrated: Figure | None = None


def _gas_of(facts: CookFacts) -> Gas:
    """Return the gas of a cook; the acid's figures only where the recipe is an acid one."""
    recipe = facts.recipe
    over = partial = None
    if facts.pressure is not None and facts.temperature.value > 100:
        data = {"pressure_kpa_g": facts.pressure, "temperature_c": facts.temperature}
        over = figure("gas_over_steam", "gas over steam", data, decimals=0)
        if recipe.is_sulphite:
            partial = figure("so2_pressure", "SO2 pressure", data, decimals=2)
    if not recipe.is_sulphite:
        return Gas(over)
    limit = Datum(recipe.acid.penetrate_below_c, Origin("set", f"recipe {recipe.name}"))
    penetrated = figure("penetration_min", "time of penetration", {**facts.trace.data(), "limit_c": limit}, decimals=0)
    kpa = recipe.stages[-1].to_kpa_g or recipe.start_kpa_g
    return Gas(over, partial, so2_pressure(pressure_kpa_g=kpa, temperature_c=recipe.cook_c), penetrated)


def _sampled(sample: Done | None) -> Datum | None:
    """Return the residual a sample was found to have; None of a sample not titrated yet."""
    if sample is None or sample.amounts.residual_kg_per_m3_as_naoh is None:
        return None
    said = Origin("entered", f"sampled by {sample.by}", sample.at)
    return Datum(sample.amounts.residual_kg_per_m3_as_naoh, said)


def case_of(house: House, cook: Cook, followed: Followed, result: Result | None) -> CookCase:
    """Return a cook as the decision table sees it."""
    facts = followed.facts
    sample, blow = house.step(cook, "sample"), house.step(cook, "blow")
    by_hand = next((one for one in house.steps(cook) if one.kind == "chips" and one.by != THE_PLANT), None)
    found = (
        Origin("measured", f"result by {result.by.short_name if result.by else 'the laboratory'}", result.at)
        if result
        else None
    )
    gas = _gas_of(facts)
    card = next((one for one in house.state.advice if one.tag.id == facts.recipe.kappa_tag), None)
    waits = blow is not None and by_hand is not None and house.step(cook, "empty") is None
    return CookCase(
        facts=facts,
        state=followed.state,
        apart_c=house.apart_c(cook),
        over_kpa=gas.over,
        sampled_residual=_sampled(sample),
        penetrated=gas.penetrated,
        partial=gas.partial,
        normal_bar=gas.normal_bar,
        kappa=Datum(result.kappa, found) if result and found else None,
        residual=Datum(result.residual_kg_per_m3_as_naoh, found)
        if result and found and result.residual_kg_per_m3_as_naoh is not None
        else None,
        rejects=Datum(result.rejects_pct, found) if result and found and result.rejects_pct is not None else None,
        next_size=card.step if card is not None else None,
        next_words=card.correction if card is not None else "",
        blown_min_ago=(house.state.now - blow.at).total_seconds() / 60 if waits and blow else None,
    )


def cards_of(
    house: House, cook: Cook, followed: Followed | None, result: Result | None
) -> list[tuple[CookAdvice, Figure]]:
    """Return the decision table's cards about a cook, each with the key of its size."""
    if followed is None:
        return []
    try:
        cards = advise_cook(case_of(house, cook, followed, result))
    except DomainError as error:
        house.trouble[cook.number] = error.message
        return []
    return [(card, replace(card.size, key=f"card:{cook.number}:{card.rule}")) for card in cards]


def card_figure(state: State, rest: str) -> Figure:
    """Find the size of a card: `cook:rule`."""
    number, _, rule = rest.partition(":")
    cook = Cook.objects.get(world=state.world, number=int(number))
    house = house_of(state)
    result = (
        Result.objects.filter(world=state.world, number=cook.number, superseded_by=None).select_related("by").first()
    )
    return next(card.size for card, _ in cards_of(house, cook, house.follow(cook), result) if card.rule == rule)
