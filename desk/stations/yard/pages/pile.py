"""One pile: its lots oldest first, drawing, chipping, surveying."""

from datetime import timedelta
from typing import Any, Final

from django.core.exceptions import ValidationError
from django.http import Http404, HttpRequest, HttpResponse
from django.shortcuts import redirect
from django.views.decorators.http import require_POST

from desk.floor.state import State
from desk.frame.fields import ChoiceField, NumberField, WholeField, WhyField, read_form
from desk.frame.forms import key_of
from desk.frame.page import on_line, signed_in
from desk.frame.page import page as render_page
from desk.people.roles import CORRECT
from desk.stations.yard.models import Op
from desk.stations.yard.pages.drawing import BAND_NAMES
from desk.stations.yard.pages.overview import acting, yard_context
from desk.stations.yard.piles import chip_logs, draw_from, over_scale, survey, take_back
from desk.stations.yard.stock import Pile, yard_of
from stock.figure import Datum, Figure, Origin, figure

MOST_BDT: Final = 1e6
MOST_PK: Final = 1e15


def show(request: HttpRequest, state: State, pile_id: str, *, refused: str = "") -> HttpResponse:
    """Show a pile."""
    yard = yard_of(state)
    if pile_id not in yard.piles:
        raise Http404
    pile = yard.piles[pile_id]
    context = yard_context(state, "yard")
    bands = pile.bands(state.now)
    context |= {
        "sentence": sentence(state, pile),
        "pile": pile,
        "stock": yard.pile_figure(pile),
        "loss": yard.loss_figure(pile),
        "months": yard.months_figure(pile) if pile.lots else None,
        "cover": yard.cover_figure(pile),
        "bands": [
            (name, mass, 100 * mass / pile.bdt if pile.bdt else 0) for name, mass in zip(BAND_NAMES, bands, strict=True)
        ],
        "lots": [(lot, lot.age_d(state.now), lot.number in yard.aside) for lot in pile.lots],
        "moisture_pct": "" if (wet := pile.moisture_pct()) is None else f"{wet:g}",
        "rate": yard.rates().get(pile_id, 0.0),
        "ops": Op.objects.filter(world=state.world, pile=pile_id, to_at__lte=state.now).select_related(
            "by", "undone_by"
        )[:8],
        "may_correct": signed_in(request).may(CORRECT),
        "onto": [one for one in yard.part.piles if one.form == "chips" and one.species == pile.part.species],
        "typed": request.POST if refused else {},
        "refused": refused,
        "materials": {one.id: one.name for one in yard.part.materials},
    }
    return render_page(request, state, "yard/pile.html", context, here=yard.station, status=422 if refused else 200)


def sentence(state: State, pile: Pile) -> str:
    """Say what lies there, how old and how warm."""
    if not pile.lots:
        return f"{pile.part.name} is empty."
    words = f"{pile.part.name} holds {pile.bdt:.0f} BDt in {len(pile.lots)} lots, {pile.mean_age_d(state.now):.0f} days old in the mean."
    reading = state.readings.get(pile.part.probe or "")
    if reading and reading.verdict.level != "ok":
        return (
            f"{words} Its hottest probe is {reading.value:.0f} °C: lay nothing more on it and reclaim that face first."
        )
    return words


@on_line
def page(request: HttpRequest, state: State, pile_id: str) -> HttpResponse:
    """Show a pile."""
    return show(request, state, pile_id)


def _drawn(typed: dict[str, Any]) -> tuple[float, str]:
    """Return the bone-dry mass typed, as such or over the scale, and how it was weighed.

    Raises
    ------
    ValidationError
        Neither or both were given, or green tonnes without their moisture.
    """
    green, bdt = typed["green_t"], typed["bdt"]
    if (green is None) == (bdt is None):
        wrong = "give one of the two" if green is not None else "give what went over the scale, or bone-dry tonnes"
        raise ValidationError({"green_t": wrong})
    if bdt is not None:
        return bdt, ""
    if typed["moisture_pct"] is None:
        raise ValidationError({"moisture_pct": "green tonnes need their moisture, in %"})
    return over_scale(green, typed["moisture_pct"])


@on_line
@require_POST
@acting("Nothing was drawn", show)
def draw(request: HttpRequest, state: State, pile_id: str) -> HttpResponse:
    """Book a draw, or a chip run where the pile is a log deck."""
    yard = yard_of(state)
    if pile_id not in yard.piles:
        raise Http404
    typed = read_form(
        request,
        green_t=NumberField("Over the scale", "t", above=0, most=MOST_BDT, required=False),
        moisture_pct=NumberField("Its moisture", "%", least=0, below=100, required=False),
        bdt=NumberField("Bone-dry", "BDt", above=0, most=MOST_BDT, required=False),
        hours=NumberField("Hours", "h", above=0, most=48),
    )
    bdt, weighed = _drawn(typed)
    booked: dict[str, Any] = {
        "from_at": state.now - timedelta(hours=typed["hours"]), "to_at": state.now, "form_key": key_of(request),
        "weighed": weighed,
    }  # fmt: skip
    if yard.piles[pile_id].part.form == "logs":
        onto = read_form(request, onto=ChoiceField("The pile", yard.piles))["onto"]
        chip_logs(state.world, signed_in(request), pile_id, onto, bdt, **booked)
    else:
        draw_from(state.world, signed_in(request), pile_id, bdt, **booked)
    return redirect("yard_pile", world_slug=state.world.slug, pile_id=pile_id)


@on_line
@require_POST
@acting("Nothing was taken back", show)
def undo(request: HttpRequest, state: State, pile_id: str) -> HttpResponse:
    """Take back a draw or a chip run."""
    typed = read_form(request, op=WholeField("The booking", most=MOST_PK), why=WhyField())
    op = Op.objects.filter(world=state.world, pile=pile_id, pk=typed["op"]).first()
    if op is None:
        raise Http404
    take_back(state.world, signed_in(request), op, why=typed["why"], form_key=key_of(request))
    return redirect("yard_pile", world_slug=state.world.slug, pile_id=pile_id)


@on_line
@require_POST
@acting("The survey was not booked", show)
def take_survey(request: HttpRequest, state: State, pile_id: str) -> HttpResponse:
    """Correct a pile to what was surveyed: a mass, or its sides."""
    if pile_id not in yard_of(state).piles:
        raise Http404
    if request.POST.get("length_m", "").strip():
        found = by_sides(state, yard_of(state).piles[pile_id], request)
        bdt, how = found.value, f"by its sides, {found.data['volume_m3'].value:.0f} m³"
    else:
        mass = NumberField("Mass surveyed", "BDt", least=0, most=MOST_BDT)
        bdt, how = read_form(request, bdt=mass)["bdt"], "by mass"
    survey(state.world, signed_in(request), pile_id, bdt, how=how, at=state.now, form_key=key_of(request))
    return redirect("yard_pile", world_slug=state.world.slug, pile_id=pile_id)


def by_sides(state: State, pile: Pile, request: HttpRequest) -> Figure:
    """Work a pile's mass out from its taped sides."""
    taped = Origin("entered", f"tape, {signed_in(request).short_name}", state.now)
    labels = {"length_m": "Length", "width_m": "Width", "height_m": "Height"}
    typed = read_form(request, **{name: NumberField.of("ridge_volume", name, label) for name, label in labels.items()})
    sides = {name: Datum(value, taped) for name, value in typed.items()}
    volume = figure("ridge_volume", "volume", sides, decimals=0)
    species = yard_of(state).part.of_species(pile.part.species)
    set_by = state.set_origin(f"pile {pile.part.name}")
    return figure(
        "surveyed",
        "bone-dry by its sides",
        {
            "volume_m3": volume.as_datum(),
            "basic_density_kg_per_m3": Datum(species.basic_density_kg_per_m3, set_by),
            "solid_volume_factor": Datum(pile.part.solid_volume_factor, set_by),
            "packing_frac": Datum(pile.part.packing_frac, set_by),
        },
    )
