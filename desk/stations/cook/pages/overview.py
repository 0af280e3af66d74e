"""Cook: the board of digesters against the clock, and one cook followed to its end point, blown and learned from."""

from dataclasses import replace
from datetime import timedelta
from typing import Any, Final

from django.core.exceptions import ValidationError
from django.http import Http404, HttpRequest, HttpResponse
from django.shortcuts import get_object_or_404, redirect
from django.urls import reverse
from django.utils import timezone
from django.views.decorators.http import require_POST

from desk.floor.faults import fault
from desk.floor.models import Cook
from desk.floor.state import State
from desk.frame.alike import alike, new_key
from desk.frame.fields import MomentField, NumberField, TickField, WhyField, read_form
from desk.frame.forms import key_of, words_of
from desk.frame.page import on_line, signed_in
from desk.frame.page import page as render_page
from desk.people.roles import COOK, who_may
from desk.stations.cook.amounts import step_words
from desk.stations.cook.board import Board, board_of
from desk.stations.cook.followed import Followed
from desk.stations.cook.house import House, house_of, recipe_of
from desk.stations.cook.judgement import cards_of, decision
from desk.stations.cook.lots import lots_shown
from desk.stations.cook.mending import correct_step, hangs_on, take_back
from desk.stations.cook.models import Result, Step
from desk.stations.cook.pages.drawing import draw_board, draw_cook
from desk.stations.cook.pages.step_forms import amounts_of, fix_fields, gauge_form, step_forms
from desk.stations.cook.pages.typed import step_text, sure_text
from desk.stations.cook.pages.what_if import what_if_context
from desk.stations.cook.steps import action_of, log_step, read_gauges
from desk.stations.plain.page import station_context
from stock.cooking.follow import target
from stock.cooking.recipe import Recipe
from stock.errors import DomainError
from stock.figure import Datum, Figure, Origin

TABS: Final = (
    ("cook_house", "Digesters"),
    ("cook_charge", "Charge"),
    ("cook_liquor", "Liquor"),
    ("cook_done", "Cooks"),
    ("cook_relation", "Relation"),
    ("cook_files", "Files"),
)


def tabs(state: State) -> list[tuple[str, str, str]]:
    """Return the cook house's pages."""
    return [(name, label, reverse(name, args=[state.world.slug])) for name, label in TABS]


def cook_context(state: State, tab: str) -> dict[str, Any]:
    """Return what every page of the cook station shows."""
    return {
        "station": state.line.stop("cook"),
        "tabs": [(address, label, name == tab) for name, label, address in tabs(state)],
        "tabs_label": "Cook",
        "form_key": new_key(),
        "typed": {},
        "refused": "",
    }


def nearest(state: State) -> int | None:
    """Return the number of the running cook nearest its end."""
    running = [one for one in house_of(state).all() if one.running]
    if running:
        return running[0].cook.number
    return state.cooks[0].number if state.cooks else None


@on_line
def house(request: HttpRequest, state: State) -> HttpResponse:
    """Open on the cook nearest its end, or on the charge sheet where nothing was ever cooked."""
    number = nearest(state)
    if number is not None:
        return redirect("cook", world_slug=state.world.slug, number=number)
    if not state.line.cook.recipes:
        raise Http404
    latest = Cook.objects.filter(world=state.world, started_at__lte=state.now).order_by("-started_at").first()
    if latest is not None and not house_of(state).news.charges:
        return redirect("cook_done", world_slug=state.world.slug)
    return redirect("cook_charge", world_slug=state.world.slug)


@on_line
@alike
def page(request: HttpRequest, state: State, number: int) -> HttpResponse:
    """Show one cook on its board."""
    return show(request, state, number)


def show(request: HttpRequest, state: State, number: int, *, refused: str = "", opened: str = "") -> HttpResponse:
    """Show one cook; `refused` says why something was not logged, `opened` which form stays as it was typed."""
    cook = get_object_or_404(Cook, world=state.world, number=number)
    house = house_of(state)
    recipe, followed = recipe_of(state, cook), house.follow(cook)
    board = board_of(house)
    second = house.second(followed) if followed else None
    result = Result.objects.filter(world=state.world, number=number, superseded_by=None).select_related("by").first()
    steps, may = house.steps(cook), signed_in(request).may
    forms = step_forms(house, cook, recipe, followed, request, opened)
    context = station_context(state, house_of(state).station)
    context |= cook_context(state, "cook_house")
    context |= {
        "cook": cook,
        "recipe": recipe,
        "cards": cards_of(house, cook, followed, result),
        "followed": followed,
        "sentence": sentence(house, cook, followed, board),
        "board": draw_board(house, board, cook.number),
        "waiting": board.waiting,
        "chart": draw_cook(state, followed) if followed else None,
        "figures": house.figures(followed) if followed else {},
        "gauges_now": _gauges_now(house, cook),
        "second": second,
        "decision": decision(house, followed) if followed else None,
        "charge_moved": charge_moved(followed),
        "steps": [(one, step_words(recipe, one.kind, one.amounts, one.text)) for one in steps],
        "fixes": {one.pk: fields for one in steps if may(action_of(one.kind)) and (fields := fix_fields(recipe, one))},
        "backs": {
            one.pk
            for one in steps
            if may(action_of(one.kind)) and hangs_on(one, steps, measured=result is not None) is None
        },
        "who_logs": "" if signed_in(request).may(COOK) else who_may(COOK),
        "forms": forms,
        "against": sum(len(one.doubts) for one in forms),
        "gauges": gauge_form(house, cook, followed, request, opened),
        "forecast": house.news.forecasts.get(number),
        "result": result,
        "planned": house.news.charges.get(number),
        "chips": lots_shown(cook),
        "cautions": recipe.cautions or state.line.stop("cook").cautions,
        "what_if": what_if_context(house, followed, {}) if followed and followed.running else None,
        "refused": refused,
        "trouble": house.trouble.get(number, ""),
        "readings": _readings(state, context["readings"], recipe),
    }
    return render_page(request, state, "cook/page.html", context, here=house.station, status=422 if refused else 200)


def _readings(state: State, readings: list[Any], recipe: Recipe) -> list[Any]:
    """Return what is measured in the cook house, what is off first, then what belongs to this recipe."""
    own = {recipe.kappa_tag, recipe.residual_tag, recipe.rejects_tag}
    for tank in state.line.cook.tanks:
        if tank.liquor in recipe.practice.tanks:
            own |= {tank.level, tank.strength}
    return sorted(
        [one for one in readings if one.verdict.level != "ok" or one.tag.id in own or one.tag.of == recipe.blow_to],
        key=lambda one: one.verdict.level == "ok",
    )[:8]


# ---- words


def sentence(house: House, cook: Cook, followed: Followed | None, board: Board | None = None) -> str:
    """Say where the cook stands, when it ends and what it will be; then who else waits."""
    name = f"Cook {cook.number} in digester {cook.digester}"
    if followed is None:
        trouble = house.trouble.get(cook.number)
        return f"{name} cannot be followed: {trouble}." if trouble else f"{name} has sent no temperatures yet."
    now, way = followed.state, followed.facts.way
    forecast = house.news.forecasts.get(cook.number)
    if now.phase == "blown":
        kappa, half = (forecast.kappa, forecast.half_kappa) if forecast else (now.kappa.value, now.kappa_half)
        found = house.news.results.get(cook.number)
        words = f"{name} is blown, at {way.letter} {now.done.text}."
        if found is not None:
            return f"{words} Kappa {found.kappa:.1f} found, {kappa:.1f} ± {half:.1f} forecast."
        return f"{words} Kappa forecast {kappa:.1f}, give or take {half:.1f}."
    end = timezone.localtime(followed.blow_at).strftime("%H:%M")
    kappa_words = followed.kappa_words
    if now.phase == "past its end":
        by = now.done.value + followed.recipe.tail - now.aim.value
        return f"{name} is past its end point by {by:.0f} {way.unit}. Blow it now. {kappa_words}"
    if now.phase == "relief":
        return f"{name} is being relieved. Blow it when the pressure allows. {kappa_words}"
    if now.phase in ("filling", "liquor"):
        words = "is filling" if now.phase == "filling" else "takes its liquor"
        if house.step(cook, "chips") and not house.step(cook, "liquor"):
            words = "is full of chips and waits for its liquor"
        return f"{name} {words}. {followed.next_step} about {end}{_blown(followed)}. {kappa_words}"
    if now.phase == "charged":
        wait = next((one.words for one in board.waiting if one.digester == cook.digester), "") if board else ""
        return f"{name} is {wait or 'charged; waits for steam'}. {kappa_words}"
    where = "is at temperature" if now.phase == "at temperature" else "is heating"
    left = max(now.aim.value - now.done.value, 0)
    return f"{name} {where}, {left:.0f} {way.unit} to go. {followed.next_step} at {end}, give or take {now.band_min:.0f} min{_blown(followed)}. {kappa_words}"


def _blown(followed: Followed) -> str:
    """Say when it is blown, where it is let down for long before."""
    if followed.recipe.relief_min <= 0:
        return ""
    blown = followed.blow_at + timedelta(minutes=followed.recipe.relief_min)
    return f", blown about {timezone.localtime(blown):%H:%M}"


def charge_moved(followed: Followed | None) -> str:
    """Say how far a charge that strayed from its plan moved the aim, where it matters."""
    if followed is None or followed.recipe.is_sulphite:
        return ""
    planned = followed.recipe.alkali.charge_pct_naoh_on_wood
    asked = replace(followed.facts, charge=Datum(planned, Origin("set", "recipe")))
    try:
        moved = followed.state.aim.value - target(asked).value
    except DomainError:
        return ""
    if abs(moved) < 3:
        return ""
    return f"planned {planned:.2f}: end point moved {'up' if moved > 0 else 'down'} {abs(moved):.0f} H"


@on_line
@require_POST
def step(request: HttpRequest, state: State, number: int, kind: str = "") -> HttpResponse:
    """Log a step of a cook."""
    cook = get_object_or_404(Cook, world=state.world, number=number)
    kind = kind or request.POST.get("kind", "")[:10]
    if kind == "blow" and any(one.kind == "blow" for one in house_of(state).steps(cook)):
        words = f"The blow of cook {number} is in the log. Correct it there if it is wrong."
        return fault(request, 409, "Logged already", words)
    try:
        amounts = amounts_of(request, recipe_of(state, cook), kind)
        typed = read_form(request, at=MomentField(state), text=step_text(), minded=TickField(), sure=sure_text())
        log_step(state, signed_in(request), number, kind, amounts, **typed, form_key=key_of(request))
    except (ValidationError, DomainError) as error:
        return show(request, state, number, refused=f"Nothing was logged: {words_of(request, error)}.", opened=kind)
    return redirect("cook", world_slug=state.world.slug, number=number)


def _gauges_now(house: House, cook: Cook) -> list[Figure]:
    """Return temperature, lower temperature and pressure of a cook's digester as they are read now."""
    digester, readings = house.part.digester(cook.digester), house.state.readings
    tags = (digester.temperature, digester.bottom, digester.pressure)
    return [readings[tag].as_figure() for tag in tags if tag and tag in readings]


@on_line
@require_POST
def gauges(request: HttpRequest, state: State, number: int) -> HttpResponse:
    """Keep temperature and pressure as somebody read them."""
    cook = get_object_or_404(Cook, world=state.world, number=number)
    try:
        read_gauges(
            state,
            signed_in(request),
            cook,
            **read_form(
                request,
                temperature_c=NumberField("Temperature", "°C", least=-30, most=300),
                pressure_kpa_g=NumberField("Pressure", "kPa g", least=-101, most=3000, required=False),
                at=MomentField(state),
            ),
            form_key=key_of(request),
        )
    except (ValidationError, DomainError) as error:
        return show(
            request, state, number, refused=f"Nothing was recorded: {words_of(request, error)}.", opened="gauges"
        )
    return redirect("cook", world_slug=state.world.slug, number=number)


@on_line
@require_POST
def correct(request: HttpRequest, state: State, number: int, pk: int) -> HttpResponse:
    """Supersede a step of a cook."""
    row = get_object_or_404(Step, pk=pk, world=state.world, number=number)
    cook = get_object_or_404(Cook, world=state.world, number=number)
    recipe = recipe_of(state, cook)
    try:
        changes: dict[str, Any] = amounts_of(request, recipe, row.kind).columns()
        if "text" in request.POST:
            changes |= read_form(request, text=step_text())
        why = read_form(request, why=WhyField())["why"]
        correct_step(state, signed_in(request), row, changes, why=why, form_key=key_of(request))
    except (ValidationError, DomainError) as error:
        return show(
            request, state, number, refused=f"Step of {recipe.name} not superseded: {words_of(request, error)}."
        )
    return redirect("cook", world_slug=state.world.slug, number=number)


@on_line
@require_POST
def take_back_step(request: HttpRequest, state: State, number: int, pk: int) -> HttpResponse:
    """Take a step back that was not done."""
    row = get_object_or_404(Step, pk=pk, world=state.world, number=number)
    try:
        why = read_form(request, why=WhyField())["why"]
        take_back(state, signed_in(request), row, why=why, form_key=key_of(request))
    except (ValidationError, DomainError) as error:
        return show(request, state, number, refused=f"Nothing was taken back: {words_of(request, error)}.")
    return redirect("cook", world_slug=state.world.slug, number=number)
