"""What if: beside the live cook, chips, liquor and heat moved, and what end point, kappa, steam and chemicals become."""

from collections.abc import Mapping
from dataclasses import dataclass, replace
from typing import Any, Final

import numpy as np
from django.http import Http404, HttpRequest, HttpResponse
from django.shortcuts import get_object_or_404, render
from django.views.decorators.http import require_POST

from desk.floor.models import Cook
from desk.floor.state import State
from desk.frame.forms import Field, number
from desk.frame.page import asks, on_line
from desk.stations.cook.followed import Followed
from desk.stations.cook.house import House, house_of
from stock.cooking.facts import CookFacts
from stock.cooking.follow import follow, kinetic, planned_hold_min, whole_record, with_tail
from stock.cooking.kinetics import WOODS, simulate_kraft, simulate_soda
from stock.cooking.recipe import Recipe
from stock.errors import DomainError
from stock.figure import Datum, Figure, Origin

OTHER: Final = {"hardwood": "softwood", "softwood": "hardwood"}
SAID: Final = Origin("entered", "typed just now")


@dataclass(frozen=True, slots=True)
class Row:
    """One thing that moves: as it is, as it would be."""

    name: str
    unit: str
    now: float | None
    then: float | None
    decimals: int
    figure: Figure | None = None

    @property
    def by(self) -> float | None:
        """The difference."""
        return None if self.now is None or self.then is None else self.then - self.now


@dataclass(frozen=True, slots=True)
class Trial:
    """What was typed in place of what is."""

    moisture_pct: float
    charge_pct: float
    sulphidity_pct: float
    temperature_c: float
    other_pct: float
    total_pct: float


def what_if_context(house: House, followed: Followed, typed: Mapping[str, Any]) -> dict[str, Any]:
    """Return the fields and what they come to."""
    base = _base(house, followed)
    fields = _fields(followed.recipe, base, typed)
    try:
        trial = _read(fields)
        rows, notes = _rows(house, followed, base, trial)
        fault = ""
    except DomainError as error:
        rows, notes, fault = [], [], f"{error.message}. Allowed: {error.allowed}." if error.allowed else error.message
    return {"fields": fields, "rows": rows, "notes": notes, "fault": fault, "number": followed.cook.number}


def _base(house: House, followed: Followed) -> Trial:
    facts = followed.facts
    got = house.charge(followed.cook, followed.recipe)
    return Trial(
        moisture_pct=100 * got["moisture"].value,
        charge_pct=facts.charge.value,
        sulphidity_pct=100 * facts.sulphidity.value,
        temperature_c=followed.recipe.cook_c,
        other_pct=0.0,
        total_pct=got["total"].value,
    )


def _fields(recipe: Recipe, base: Trial, typed: Mapping[str, Any]) -> list[Field]:
    offered = [("moisture_pct", recipe.moisture_name, "%"), ("temperature_c", "Cooking temperature", "°C")]
    if recipe.is_sulphite:
        offered.append(("total_pct", "Total SO2 of the acid", "%"))
    else:
        offered.append(("charge_pct", "Charge", recipe.naoh_unit))
    if recipe.practice.has_sulphide:
        offered.append(("sulphidity_pct", "Sulphidity", "%"))
    if recipe.wood in OTHER and not recipe.is_sulphite:
        offered.append(("other_pct", f"{OTHER[recipe.wood].capitalize()} in the chips", "%"))
    return [
        Field(name, label, str(typed.get(name, f"{getattr(base, name):.4g}"))[:12], unit)
        for name, label, unit in offered
    ]


LIMITS: Final = {
    "moisture_pct": (5.0, 85.0),
    "charge_pct": (5.0, 30.0),
    "sulphidity_pct": (0.0, 60.0),
    "temperature_c": (100.0, 185.0),
    "other_pct": (0.0, 100.0),
    "total_pct": (0.5, 12.0),
}


def _read(fields: list[Field]) -> Trial:
    values = dict.fromkeys(LIMITS, 0.0)
    for field in fields:
        value = number(field.text, field.name, field.label)
        low, high = LIMITS[field.name]
        if not low <= value <= high:
            message = f"{field.label} is {value:g} {field.unit}, outside {low:g} to {high:g}"
            raise DomainError("E_RANGE", field.name, message, f"{low:g} to {high:g} {field.unit}")
        values[field.name] = value
    return Trial(**values)


def _rows(house: House, followed: Followed, base: Trial, trial: Trial) -> tuple[list[Row], list[str]]:
    recipe, facts, state = followed.recipe, followed.facts, followed.state
    hotter = _hotter(recipe, trial.temperature_c)
    wetter = (100 - trial.moisture_pct) / (100 - base.moisture_pct)  # bone-dry wood in the same green weight
    wood = facts.bd_wood.value * wetter
    charge = (
        trial.charge_pct
        if abs(trial.charge_pct - base.charge_pct) > 5e-4 * base.charge_pct
        else base.charge_pct / wetter
    )
    then = replace(
        facts,
        recipe=hotter,
        charge=Datum(charge, SAID),
        sulphidity=Datum(trial.sulphidity_pct / 100, SAID),
        bd_wood=Datum(wood, SAID),
        temperature=_held(facts, recipe, trial),
    )
    moved = follow(then)
    hold_now = planned_hold_min(recipe, facts.relation, facts.charge, facts.kappa_target)
    rows = [
        Row("Blow, minutes later", "min", 0.0, moved.blow_min - state.blow_min, 0),
        Row(
            "Time at temperature",
            "min",
            hold_now,
            planned_hold_min(hotter, facts.relation, then.charge, facts.kappa_target),
            0,
        ),
    ]
    notes = []
    if not recipe.is_sulphite:
        now_k, then_k = kinetic(facts, state), _kinetic_mixed(recipe, then, state.blow_min, trial)
        if now_k is not None and then_k is not None:
            rows.append(Row("Kappa if blown as planned, kinetics", "", now_k.kappa.value, then_k[0], 1))
            rows.append(Row("Yield, kinetics", "%", now_k.yield_pct.value, then_k[1], 1))
            rows.append(Row("Residual alkali, kinetics", "g/L NaOH", now_k.residual.value, then_k[2], 1))
        rows.append(
            Row(
                "Kappa if blown as planned, mill's relation",
                "",
                _kappa_at(facts, recipe, facts, state.blow_min),
                _kappa_at(then, hotter, facts, state.blow_min),
                1,
            )
        )
        rows.append(Row("Charge", recipe.naoh_unit, facts.charge.value, charge, 2))
        notes.append("The mill's relation knows heat and charge; sulphidity and species are the kinetics' alone.")
    rows += _heat(house, followed, hotter, base, trial)
    if abs(wetter - 1) > 1e-4:
        notes.append(
            "Moisture is changed at the same green weight and the same liquor: the wood in it, and so the charge on wood, move."
        )
    if trial.other_pct > 0:
        notes.append(
            "A mix is two cooks side by side in liquor of one strength; hardwood cooks past its target. Campaigns keep them apart."
        )
    return rows, notes


def _hotter(recipe: Recipe, celsius: float) -> Recipe:
    stages = [*recipe.stages[:-1], recipe.stages[-1].model_copy(update={"to_c": celsius})]
    return recipe.model_copy(update={"stages": stages, "most_c": max(recipe.most_c, celsius)})


def _held(facts: CookFacts, recipe: Recipe, trial: Trial) -> Datum:
    """What it would be held at: moved with the cooking temperature once it is there."""
    if facts.temperature.value > recipe.cook_c - 25:
        return Datum(facts.temperature.value + trial.temperature_c - recipe.cook_c, SAID)
    return facts.temperature


def _kappa_at(then: CookFacts, hotter: Recipe, facts: CookFacts, end_min: float) -> float | None:
    """Return the relation's kappa if the changed cook is blown when the live one is planned to be."""
    times, celsius = whole_record(then, end_min)
    _, gained = facts.way.curve(hotter, times, celsius, np.zeros_like(times))
    at = Datum(float(gained[-1]) + hotter.tail, SAID)
    try:
        return facts.way.kappa(hotter, facts.relation, at, then.charge).value
    except DomainError:
        return None


def _kinetic_mixed(recipe: Recipe, then: CookFacts, end_min: float, trial: Trial) -> tuple[float, float, float] | None:
    """Return (kappa, yield, residual) of the changed cook, its other species cooked beside it."""
    times, celsius = with_tail(then, *whole_record(then, end_min))
    shares = [(recipe.wood, 1 - trial.other_pct / 100)]
    if trial.other_pct > 0:
        shares.append((OTHER[recipe.wood], trial.other_pct / 100))  # type: ignore[arg-type]
    found = []
    for wood, share in shares:
        given: dict[str, Any] = {
            "times_min": times,
            "temperatures_c": celsius,
            "effective_alkali_pct_naoh_on_wood": then.met.value,
            "liquor_to_wood": then.liquor_to_wood.value,
            "species": wood,
            "bulk_ratio": then.relation.bulk_ratio if wood == recipe.wood else 1.0,
        }
        if recipe.practice.has_sulphide:
            one = simulate_kraft(sulphidity_frac=then.sulphidity.value, **given)
        else:
            one = simulate_soda(**given)
        found.append((share, one))
    pulp = sum(share * one.total_yield_pct for share, one in found)
    kappa = sum(share * one.total_yield_pct * one.kappa for share, one in found) / pulp
    return kappa, pulp, sum(share * one.residual_kg_per_m3_as_naoh for share, one in found)


def _heat(house: House, followed: Followed, hotter: Recipe, base: Trial, trial: Trial) -> list[Row]:
    """Steam and chemicals of the sheet, as it is and as it would be."""
    digester = house.part.digester(followed.cook.digester)

    def sheet(recipe: Recipe, one: Trial, wood: float) -> Any:
        data = {"bd_wood_t": Datum(wood, SAID), "moisture_wet_frac": Datum(one.moisture_pct / 100, SAID)}
        if recipe.is_sulphite:
            data["total_pct"] = Datum(one.total_pct, SAID)
        else:
            data |= {
                "charge_pct_naoh_on_wood": Datum(one.charge_pct, SAID),
                "sulphidity_frac": Datum(one.sulphidity_pct / 100, SAID),
            }
        return house.sheet(recipe, digester, data)

    wood = followed.facts.bd_wood.value
    wetter = (100 - trial.moisture_pct) / (100 - base.moisture_pct)
    try:
        now, then = sheet(followed.recipe, base, wood), sheet(hotter, trial, wood * wetter)
    except DomainError as error:
        raise DomainError(error.code, error.argument, error.message, error.allowed) from None
    rows = [Row("Steam to heat it", "t", now.value("steam"), then.value("steam"), 1)]
    if followed.recipe.is_sulphite:
        rows.append(Row("SO2 on wood", "%", now.value("so2"), then.value("so2"), 1))
    else:
        rows.append(Row("Cooking liquor for that charge", "m³", now.value("liquor"), then.value("liquor"), 1))
    rows.append(Row("Pulp", "ADt", now.value("pulp"), then.value("pulp"), 1))
    return rows


@on_line
@require_POST
@asks
def work_out(request: HttpRequest, state: State, number: int) -> HttpResponse:
    """Answer with the what-if worked out, as it is typed."""
    cook = get_object_or_404(Cook, world=state.world, number=number)
    house = house_of(state)
    followed = house.follow(cook)
    if followed is None:
        raise Http404
    context = {"what_if": what_if_context(house, followed, request.POST), "world": state.world, "state": state}
    return render(request, "cook/_what_if.html", context)


assert set(OTHER) <= set(WOODS)
