"""Relation: the mill's own kappa and yield model fitted to its cooks, residuals drawn, the far ones flagged, accepted by an engineer."""

from dataclasses import dataclass
from typing import Any, Final

import numpy as np
from django.core.exceptions import ValidationError
from django.http import HttpRequest, HttpResponse
from django.shortcuts import redirect
from django.views.decorators.http import require_POST

from desk.floor.state import State
from desk.floor.text import whole
from desk.frame.fields import WhyField, WordsField, read_form
from desk.frame.forms import key_of, words_of
from desk.frame.page import on_line, signed_in
from desk.frame.page import page as render_page
from desk.people.roles import MODEL, who_may
from desk.stations.cook.house import house_of
from desk.stations.cook.learn import Lesson, accept_relation, forecast_of, place_of, study
from desk.stations.cook.models import RelationVersion
from desk.stations.cook.pages.done import chosen_recipe
from desk.stations.cook.pages.drawing import draw_scatter
from desk.stations.cook.pages.overview import cook_context
from desk.stations.cook.pages.typed import cook_number
from stock.cooking.recipe import Recipe
from stock.errors import DomainError

LISTED: Final = 12


@dataclass(frozen=True, slots=True)
class Compared:
    """A figure of the relation: in force, and as it would be."""

    name: str
    unit: str
    decimals: int
    now: float | None
    then: float | None


def show(request: HttpRequest, state: State, *, refused: str = "") -> HttpResponse:
    """Show the fit of a recipe."""
    house = house_of(state)
    recipe = chosen_recipe(house, request.GET.get("recipe") or request.POST.get("recipe"))
    source = request.POST if refused else request.GET
    left_out = None
    if refused or source.get("chosen"):
        left_out = {whole(text) for text in source.getlist("out")} - {-1}
    lesson = study(state, recipe, left_out)
    out = {one.number for one in lesson.cooks} - {one.number for one in lesson.used}
    context = cook_context(state, "cook_relation")
    context |= {
        "sentence": sentence(lesson),
        "recipe": recipe,
        "recipes": [(one, one.id == recipe.id) for one in house.part.recipes],
        "lesson": lesson,
        "compared": compared(recipe, lesson),
        "fit_chart": _fit_chart(recipe, lesson),
        "rest_chart": _rest_chart(lesson),
        "doubtful": [
            (one, one.number in out, one.kappa - (forecast_of(lesson.relation or lesson.in_force, one) or one.kappa))
            for one in lesson.cooks
            if one.number in lesson.suspect or one.flag or one.number in out
        ][:LISTED],
        "out": sorted(out),
        "uncaused": [
            (one.number, request.POST.get(f"cause-{one.number}", ""))
            for one in lesson.cooks
            if one.number in out and not one.flag
        ],
        "versions": RelationVersion.objects.filter(world=state.world, recipe=recipe.id).select_related("by")[:6],
        "may_accept": signed_in(request).may(MODEL),
        "who_may": who_may(MODEL),
        "refused": refused,
        "why": request.POST.get("why", "") if refused else "",
    }
    return render_page(
        request, state, "cook/relation.html", context, here=house.station, status=422 if refused else 200
    )


def sentence(lesson: Lesson) -> str:
    """Say how the relation in force does, and whether a new one would do better."""
    name = lesson.recipe.name.split(",")[0]
    force = f"{name} goes by relation {lesson.in_force.version}, {lesson.in_force.words}."
    bias = lesson.bias(lesson.in_force)
    if lesson.relation is None or bias is None:
        return f"{force} {lesson.fault[:1].upper()}{lesson.fault[1:]}." if lesson.fault else force
    before, after = lesson.spread(lesson.in_force), lesson.spread(lesson.relation)
    if before is not None and after is not None and before - after > 0.05:
        return f"{force} It misses by {before:.2f} kappa, a fit of {len(lesson.used)} cooks by {after:.2f}: worth accepting."
    return f"{force} A fit of {len(lesson.used)} cooks would do no better: nothing to accept."


def compared(recipe: Recipe, lesson: Lesson) -> list[Compared]:
    """Return the figures side by side."""
    now, then = lesson.in_force, lesson.relation

    def both(name: str, unit: str, decimals: int, label: str) -> Compared:
        return Compared(label, unit, decimals, getattr(now, name), getattr(then, name) if then else None)

    rows = [Compared("Misses by", "kappa", 2, lesson.spread(now), lesson.spread(then))]
    if recipe.is_sulphite:
        rows.append(
            both("reference_factor", recipe.practice.unit, 1, f"Factor for kappa {recipe.acid.reference_cook_kappa:g}")
        )
    else:
        rows += [
            both("alpha", "", 1, "Intercept α"),
            both("beta", "", 3, "Slope β"),
            both("n", "", 2, "Exponent n of alkali"),
        ]
        rows.append(both("used_pct", recipe.naoh_unit, 2, "Alkali a cook uses"))
    rows += [
        both("reference_yield_pct", "%", 2, f"Yield at kappa {recipe.reference_kappa:g}"),
        both("slope_pct", "% a kappa", 3, "Yield for each kappa"),
    ]
    return rows


def _fit_chart(recipe: Recipe, lesson: Lesson) -> dict[str, Any] | None:
    relation = lesson.relation or lesson.in_force
    used = {one.number for one in lesson.used}
    points = []
    for one in lesson.cooks:
        place = place_of(relation, one)
        if place is not None:
            points.append((place, one.kappa, "used" if one.number in used else "out"))
    if len(points) < 3:
        return None
    xs = np.linspace(min(p[0] for p in points), max(p[0] for p in points), 24)
    line, half = relation.kappa_at(xs), relation.half_at(xs)
    practice = recipe.practice
    name = f"{practice.factor}, {practice.unit}" if practice.is_acid else f"log H × alkali^{relation.n:g}"
    lines = [
        ("fit", list(zip(xs, line, strict=True))),
        ("band", list(zip(xs, line + half, strict=True))),
        ("band", list(zip(xs, line - half, strict=True))),
    ]
    return draw_scatter(points, lines, name, "kappa found")


def _rest_chart(lesson: Lesson) -> dict[str, Any] | None:
    relation = lesson.relation or lesson.in_force
    used = {one.number for one in lesson.used}
    rows = list(reversed(lesson.rest(relation)))
    points = [
        (float(index), error, "used" if one.number in used else "out") for index, (one, _, error) in enumerate(rows)
    ]
    return draw_scatter(points, [], "cooks, oldest first", "kappa found less fitted", level=0.0)


@on_line
def page(request: HttpRequest, state: State) -> HttpResponse:
    """Show the fit."""
    return show(request, state)


@on_line
@require_POST
def accept(request: HttpRequest, state: State) -> HttpResponse:
    """Accept the fit as the next version."""
    recipe = chosen_recipe(house_of(state), request.POST.get("recipe"))
    try:
        out = {cook_number().clean(text) for text in request.POST.getlist("out")}
        causes = {number: WordsField("The cause", 100).clean(request.POST.get(f"cause-{number}", "")) for number in out}
        accept_relation(
            state,
            signed_in(request),
            recipe,
            out,
            causes=causes,
            **read_form(request, why=WhyField()),
            form_key=key_of(request),
        )
    except (ValidationError, DomainError) as error:
        return show(request, state, refused=f"Nothing was accepted: {words_of(request, error)}.")
    response = redirect("cook_relation", world_slug=state.world.slug)
    response["Location"] += f"?recipe={recipe.id}"
    return response
