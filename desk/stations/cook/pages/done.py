"""Cooks: those done, what was forecast and what was found, results entered and corrected."""

from typing import Any, Final

import numpy as np
from django.core.exceptions import ValidationError
from django.http import Http404, HttpRequest, HttpResponse
from django.shortcuts import get_object_or_404, redirect
from django.views.decorators.http import require_POST

from desk.floor import clock
from desk.floor.models import Cook
from desk.floor.state import State
from desk.frame.fields import MomentField, NumberField, WhyField, read_form
from desk.frame.forms import key_of, words_of
from desk.frame.page import on_line, signed_in
from desk.frame.page import page as render_page
from desk.people.roles import CORRECT, RECORD
from desk.stations.cook.bench import LIMITS, correct_result, take_result
from desk.stations.cook.house import House, house_of, recipe_of
from desk.stations.cook.learn import Past, past_cooks
from desk.stations.cook.models import Forecast, Result
from desk.stations.cook.pages.drawing import draw_scatter
from desk.stations.cook.pages.overview import cook_context
from desk.stations.cook.pages.typed import cook_number, flag_field
from stock.cooking.recipe import Recipe
from stock.errors import DomainError

LISTED: Final = 40
DRAWN: Final = 120
FOUND: Final = (
    ("kappa", "Kappa", ""),
    ("rejects_pct", "Knots and rejects", "% on pulp"),
    ("yield_pct", "Total yield", "% on wood"),
    ("residual_kg_per_m3_as_naoh", "Residual alkali", "g/L NaOH"),
)


def chosen_recipe(house: House, asked: Any) -> Recipe:
    """Return the recipe asked for, else the main one."""
    if not house.part.recipes:
        raise Http404
    name = str(asked or "")
    return next((one for one in house.part.recipes if one.id == name), house.part.main)


def show(request: HttpRequest, state: State, *, refused: str = "") -> HttpResponse:
    """Show the cooks done."""
    house = house_of(state)
    recipe = chosen_recipe(house, request.GET.get("recipe") or request.POST.get("recipe"))
    past = past_cooks(state, recipe)
    waiting = unmeasured(state, recipe)
    context = cook_context(state, "cook_done")
    context |= {
        "sentence": sentence(recipe, past, waiting),
        "recipe": recipe,
        "recipes": [(one, one.id == recipe.id) for one in house.part.recipes],
        "past": past[:LISTED],
        "more": max(0, len(past) - LISTED),
        "waiting": waiting,
        "stats": stats(past),
        "chart": _chart(past),
        "fields": [
            (name, label, unit)
            for name, label, unit in FOUND
            if not (recipe.is_sulphite and name.startswith("residual"))
        ],
        "typed": request.POST.dict() if refused else {},
        "may_record": signed_in(request).may(RECORD),
        "may_correct": signed_in(request).may(CORRECT),
        "refused": refused,
        "letter": recipe.practice.letter,
    }
    return render_page(request, state, "cook/done.html", context, here=house.station, status=422 if refused else 200)


def unmeasured(state: State, recipe: Recipe) -> list[Forecast]:
    """Return the newest blown cooks of a recipe without a result."""
    numbers = {cook.number for cook in state.cooks if recipe_of(state, cook).id == recipe.id}
    if not numbers:
        numbers = set(
            Cook.objects.filter(world=state.world, recipe=recipe.id)
            .order_by("-number")
            .values_list("number", flat=True)[:10]
        )
    known = set(
        Result.objects.filter(world=state.world, number__in=numbers, superseded_by=None).values_list(
            "number", flat=True
        )
    )
    return list(Forecast.standing(state.world).filter(number__in=numbers - known, at__lte=state.now).order_by("at"))


def stats(past: list[Past]) -> dict[str, Any] | None:
    """Return how good the forecasts of the newest cooks were, by either way."""
    rows = past[:DRAWN]
    if len(rows) < 3:
        return None
    errors = np.array([one.error for one in rows])
    kinetic = np.array([one.kappa - one.kinetic for one in rows if one.kinetic is not None])
    return {
        "count": len(rows),
        "bias": float(errors.mean()),
        "spread": float(errors.std()),
        "inside": 100 * float(np.mean([one.inside for one in rows])),
        "kinetic_count": len(kinetic),
        "kinetic_bias": float(kinetic.mean()) if len(kinetic) else None,
        "kinetic_spread": float(kinetic.std()) if len(kinetic) else None,
    }


def sentence(recipe: Recipe, past: list[Past], waiting: list[Forecast]) -> str:
    """Say how the forecasts do, and what waits for its kappa."""
    name = recipe.name.split(",")[0]
    found = stats(past)
    words = f"{name}: no cook was measured yet."
    if found is not None:
        side = "above" if found["bias"] > 0 else "below"
        lean = (
            "on average as forecast"
            if abs(found["bias"]) < 0.05
            else f"{abs(found['bias']):.1f} {side} forecast on average"
        )
        words = (
            f"{name}: the last {found['count']} cooks came out {lean}, {found['inside']:.0f} % of them inside the band."
        )
    if waiting:
        words += f" Cook {waiting[0].number}, blown {clock.local(waiting[0].at):%H:%M}, waits for its kappa."
    return words


def _chart(past: list[Past]) -> dict[str, Any] | None:
    rows = list(reversed(past[:DRAWN]))
    points = [(float(index), one.error, "far" if not one.inside else "used") for index, one in enumerate(rows)]
    return draw_scatter(points, [], "cooks, oldest first", "kappa found less forecast", level=0.0)


@on_line
def page(request: HttpRequest, state: State) -> HttpResponse:
    """Show the cooks done."""
    return show(request, state)


def _found(request: HttpRequest) -> dict[str, float | None]:
    fields = {
        name: NumberField(label, unit, least=LIMITS[name][0], most=LIMITS[name][1], required=name == "kappa")
        for name, label, unit in FOUND
    }
    return read_form(request, **fields)


@on_line
@require_POST
def take(request: HttpRequest, state: State) -> HttpResponse:
    """Keep the result of a cook."""
    try:
        typed = read_form(request, number=cook_number(), at=MomentField(state), flag=flag_field())
        cook = typed.pop("number")
        take_result(state, signed_in(request), cook, _found(request), **typed, form_key=key_of(request))
    except (ValidationError, DomainError) as error:
        return show(
            request,
            state,
            refused=f"The result was not kept: {words_of(request, error)}. What you typed is still here.",
        )
    return redirect("cook", world_slug=state.world.slug, number=cook)


@on_line
@require_POST
def correct(request: HttpRequest, state: State, number: int) -> HttpResponse:
    """Supersede the result of a cook."""
    row = get_object_or_404(Result, world=state.world, number=number, superseded_by=None)
    try:
        correct_result(
            state,
            signed_in(request),
            row,
            _found(request),
            **read_form(request, flag=flag_field(), why=WhyField()),
            form_key=key_of(request),
        )
    except (ValidationError, DomainError) as error:
        return show(request, state, refused=f"The result was not superseded: {words_of(request, error)}.")
    return redirect("cook", world_slug=state.world.slug, number=number)
