"""The page of pumps and tanks: what each is to give, what each holds, loads checked in, dips kept."""

from typing import Any

from django.core.exceptions import ValidationError
from django.http import HttpRequest, HttpResponse
from django.shortcuts import redirect
from django.views.decorators.http import require_POST

from desk.floor.state import State
from desk.frame.alike import alike, new_key
from desk.frame.fields import ChoiceField, MomentField, NumberField, ScaledField, WordsField, read_form
from desk.frame.forms import key_of, words_of
from desk.frame.page import on_line, signed_in
from desk.frame.page import page as render_page
from desk.stations.bleach.loads import PRODUCT_OF, take_delivery, take_dip
from desk.stations.bleach.models import Delivery
from desk.stations.bleach.pages import tabs_context
from desk.stations.bleach.responses import bleaches
from desk.stations.bleach.tanks import Held, held, pumps
from stock.errors import DomainError


@on_line
@alike
def page(request: HttpRequest, state: State) -> HttpResponse:
    """Show pumps and tanks."""
    return _page(request, state)


def _page(request: HttpRequest, state: State, refused: str = "") -> HttpResponse:
    tanks = held(state)
    here = bleaches(state)
    context: dict[str, Any] = {
        "pumps": pumps(state),
        "tanks": tanks,
        "fillable": [one for one in tanks if one.tank.dose.chemical in PRODUCT_OF],
        "loads": Delivery.objects.filter(world=state.world, superseded_by=None).select_related("by")[:12],
        "products": sorted(set(PRODUCT_OF.values())),
        "load_key": new_key(),
        "dip_key": new_key(),
        "typed": request.POST.dict() if refused else {},
        "refused": refused,
        "sentence": _sentence(tanks, [f"{one.unit.name}, {one.stage}" for one in pumps(state) if one.is_short]),
        **tabs_context(state, "tanks"),
    }
    station = here[0].station if here else state.line.stations[0].id
    return render_page(request, state, "bleach/tanks.html", context, here=station, status=422 if refused else 200)


def _sentence(tanks: list[Held], short: list[str]) -> str:
    if short:
        return f"{short[0]}: the pump cannot give the charge."
    low = sorted((one for one in tanks if one.is_low and one.cover is not None), key=lambda one: one.cover.value)  # type: ignore[union-attr]
    if low and low[0].cover is not None:
        return f"{low[0].words}: {low[0].formula} lasts {low[0].cover.value:.0f} h."
    if not any(one.holds for one in tanks):
        return "No tank was dipped or filled yet: a dip says how long it lasts, two what was really dosed."
    return "Every pump can give its charge, every tank that was dipped lasts."


def _tank(state: State, text: str) -> Held:
    found = next((one for one in held(state) if one.key == text), None)
    if found is None:
        raise ValidationError({"place": "which tank? Choose one of the list"})
    return found


def _named(one: Held) -> tuple[str, int, str]:
    dose = one.tank.dose
    return one.tank.unit.id, dose.at + 1, "" if dose.is_own else dose.chemical


@require_POST
@on_line
def load(request: HttpRequest, state: State) -> HttpResponse:
    """Keep a load."""
    try:
        unit_id, number, chemical = _named(_tank(state, request.POST.get("place", "")))
        typed = read_form(
            request,
            at=MomentField(state),
            product=ChoiceField("What the papers say", sorted(set(PRODUCT_OF.values()))),
            density_t_per_m3=ScaledField("density_t_per_m3", "Density of the sample", "t/m³", least=0.7, most=2.2),
            ph=NumberField("pH of the sample", least=0, most=14),
            load_m3=NumberField("The load", "m³", above=0, most=200),
            load_g_per_l=NumberField("Its strength, titrated", "g/L", least=0, most=1600),
            heel_m3=NumberField("In the tank before", "m³", least=0, most=5000),
            heel_g_per_l=NumberField("Its strength before", "g/L", least=0, most=1600),
            second=WordsField("Who stood by", 80),
        )
        numbers = {
            name: typed[name]
            for name in ("density_t_per_m3", "ph", "load_m3", "load_g_per_l", "heel_m3", "heel_g_per_l")
        }
        take_delivery(
            state.world, signed_in(request), unit_id, number, typed["product"], numbers, second=typed["second"],
            at=typed["at"], form_key=key_of(request), chemical=chemical,
        )  # fmt: skip
    except (ValidationError, DomainError) as error:
        return _page(request, state, words_of(request, error))
    return redirect("bleach_tanks", state.world.slug)


@require_POST
@on_line
def dip(request: HttpRequest, state: State) -> HttpResponse:
    """Keep a dip."""
    try:
        unit_id, number, chemical = _named(_tank(state, request.POST.get("place", "")))
        typed = read_form(
            request,
            at=MomentField(state),
            holds_m3=NumberField("What it holds", "m³", least=0, most=5000),
            strength_g_per_l=NumberField("Its strength, titrated", "g/L", above=0, most=1600, required=False),
        )
        take_dip(
            state.world, signed_in(request), unit_id, number, chemical, typed["holds_m3"], typed["strength_g_per_l"],
            at=typed["at"], form_key=key_of(request),
        )  # fmt: skip
    except (ValidationError, DomainError) as error:
        return _page(request, state, words_of(request, error))
    return redirect("bleach_tanks", state.world.slug)
