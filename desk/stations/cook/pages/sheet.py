"""One charge sheet: planned against actual, on the screen and on paper; its chips logged, the cook is started."""

from typing import Any

from django.core.exceptions import ValidationError
from django.http import Http404, HttpRequest, HttpResponse
from django.shortcuts import redirect
from django.views.decorators.http import require_POST

from desk.floor import clock
from desk.floor.models import Cook
from desk.floor.state import State
from desk.frame.fields import MomentField, NumberField, read_form
from desk.frame.forms import key_of, words_of
from desk.frame.page import on_line, signed_in
from desk.frame.page import page as render_page
from desk.people.roles import COOK
from desk.stations.cook.amounts import Amounts, step_words
from desk.stations.cook.house import House, house_of, recipe_of
from desk.stations.cook.lots import lots_shown
from desk.stations.cook.models import Charge, Forecast, Result, Step
from desk.stations.cook.pages.overview import cook_context
from desk.stations.cook.resized import as_charged
from desk.stations.cook.sheet import Line, sheet_lines, sheet_pdf
from desk.stations.cook.steps import log_step
from stock.errors import DomainError


def show_sheet(request: HttpRequest, state: State, number: int, *, refused: str = "") -> HttpResponse:
    """Show a charge sheet, planned against actual."""
    house = house_of(state)
    lines, facts = _sheet(house, number)
    charge, cook, recipe = facts["charge"], facts["cook"], facts["recipe"]
    lots = lots_shown(cook) if cook else []
    context = cook_context(state, "cook_charge")
    context |= {
        "sentence": sheet_sentence(number, charge, cook, recipe.raw, lines),
        "number": number,
        "charge": charge,
        "cook": cook,
        "recipe": recipe,
        "lines": lines,
        "lots": lots,
        "steps": [(one, step_words(facts["recipe"], one.kind, one.amounts, one.text)) for one in facts["steps"]],
        "forecast": facts["forecast"],
        "result": facts["result"],
        "versions": Charge.objects.filter(world=state.world, number=number).select_related("by").order_by("id"),
        "may_cook": signed_in(request).may(COOK),
        "cautions": recipe.cautions,
        "typed": request.POST.dict() if refused else {},
        "green": charge.planned.get("green") if charge else None,
        "moisture_pct": 100 * charge.given.get("moisture_wet_frac", 0.5) if charge else None,
        "refused": refused,
    }
    return render_page(request, state, "cook/sheet.html", context, here=house.station, status=422 if refused else 200)


def _sheet(house: House, number: int) -> tuple[list[Line], dict[str, Any]]:
    world = house.state.world
    charge = Charge.objects.filter(world=world, number=number, superseded_by=None).select_related("by").first()
    cook = Cook.objects.filter(world=world, number=number).first()
    if charge is None and cook is None:
        raise Http404
    recipe = recipe_of(house.state, cook) if cook else house.part.recipe(charge.recipe if charge else "")
    steps = list(Step.objects.filter(world=world, number=number, superseded_by=None).select_related("by"))
    forecast = Forecast.standing(world).filter(number=number).first()
    result = Result.objects.filter(world=world, number=number, superseded_by=None).select_related("by").first()
    facts = {"charge": charge, "cook": cook, "recipe": recipe, "steps": steps, "forecast": forecast, "result": result}
    did = as_charged(house, cook, recipe, steps) if cook else None
    return sheet_lines(recipe, charge, cook, steps, did, forecast, result), facts


def sheet_sentence(number: int, charge: Charge | None, cook: Cook | None, raw: str, lines: list[Line]) -> str:
    """Say how far the cook is, and where it left its plan."""
    if cook is None and charge is not None:
        return f"Cook {number} is planned for digester {charge.digester}, {clock.local(charge.planned_at):%H:%M}. Log its {raw} to start it."
    off = [line for line in lines if line.off]
    words = f"Charge sheet of cook {number}, digester {cook.digester if cook else ''}."
    if charge is None:
        return f"{words} Charged without a plan; as the plant reported it."
    if not off:
        return f"{words} What was done keeps to the plan."
    return f"{words} Off plan: {', '.join(line.label.lower() for line in off)}."


@on_line
def page(request: HttpRequest, state: State, number: int) -> HttpResponse:
    """Show a charge sheet."""
    return show_sheet(request, state, number)


@on_line
def pdf(request: HttpRequest, state: State, number: int) -> HttpResponse:
    """Return a charge sheet on paper."""
    lines, facts = _sheet(house_of(state), number)
    paper = sheet_pdf(state, number, lines, facts)
    response = HttpResponse(paper, content_type="application/pdf")
    response["Content-Disposition"] = f'inline; filename="cook-{number}.pdf"'
    return response


@on_line
@require_POST
def start(request: HttpRequest, state: State, number: int) -> HttpResponse:
    """Log the chips of a planned cook: the cook is started."""
    try:
        typed = read_form(
            request,
            green_t=NumberField("What went in", "t", required=False),
            moisture_pct=NumberField("Its moisture", "%", required=False),
            at=MomentField(state),
        )
        at = typed.pop("at")
        log_step(state, signed_in(request), number, "chips", Amounts(**typed), at=at, form_key=key_of(request))
    except (ValidationError, DomainError) as error:
        return show_sheet(request, state, number, refused=f"Nothing was logged: {words_of(request, error)}.")
    return redirect("cook", world_slug=state.world.slug, number=number)
