"""Liquor: titrations worked out as they are typed, strength over the days, what is in the tanks and how long it lasts."""

from dataclasses import dataclass
from datetime import datetime, timedelta
from typing import Any, Final

from django.core.exceptions import ValidationError
from django.http import Http404, HttpRequest, HttpResponse
from django.shortcuts import get_object_or_404, redirect, render
from django.views.decorators.http import require_POST

from desk.floor.models import Record
from desk.floor.state import State
from desk.frame.fields import MomentField, NumberField, WhyField, read_form
from desk.frame.forms import Field, key_of, number, words_of
from desk.frame.page import asks, on_line, signed_in
from desk.frame.page import page as render_page
from desk.people.roles import CORRECT, RECORD
from desk.stations.cook.bench import METHODS, correct_test, record_test, titrated
from desk.stations.cook.house import House, house_of
from desk.stations.cook.known import strength_of
from desk.stations.cook.models import LiquorTest
from desk.stations.cook.pages.drawing import draw_trend
from desk.stations.cook.pages.overview import cook_context
from desk.stations.cook.pages.typed import cook_number
from desk.stations.cook.tanks import causticizing, cover_of, draw_of
from desk.stations.plain.page import station_context
from stock.cooking.alkali import alkali_as_na2o
from stock.cooking.recipe import Tank
from stock.errors import DomainError
from stock.figure import Figure
from stock.names import unit_of

LABELS: Final = {
    "a_ml": "A, to hydroxide",
    "b_ml": "B, to hydrosulphide",
    "c_ml": "C, to carbonate",
    "acid_ml": "Acid used",
    "acid_normality": "Acid strength",
    "sample_ml": "Sample",
    "iodate_ml": "Iodate used",
    "iodate_normality": "Iodate strength",
    "naoh_ml": "Caustic used",
    "naoh_normality": "Caustic strength",
}
STARTS: Final = {"acid_normality": "0.5", "sample_ml": "5", "iodate_normality": "0.1", "naoh_normality": "0.1"}
TREND: Final = timedelta(days=30)
LISTED: Final = 14
HOW: Final = {
    "white": "A after barium chloride, B after formaldehyde, C to methyl orange; read the burette on, never from nought again.",
    "green": "As white liquor; A is small, most of it is carbonate.",
    "black": "Sample into ice, barium chloride, to the hydroxide end point.",
    "caustic": "Straight to the hydroxide end point.",
    "acid": "Iodate counts all sulphur dioxide, caustic the acid half of it.",
}


@dataclass(frozen=True, slots=True)
class Shown:
    """One result of a titration: as NaOH, as Na2O where it is alkali."""

    label: str
    figure: Figure
    as_na2o: float | None = None


def kinds(house: House) -> list[str]:
    """Return the liquors this house titrates."""
    return list(dict.fromkeys(kind for recipe in house.part.recipes for kind in recipe.practice.titrated))


def show(request: HttpRequest, state: State, *, refused: str = "") -> HttpResponse:
    """Show the liquor page."""
    house = house_of(state)
    if not house.part.recipes:
        raise Http404
    offered = kinds(house)
    asked = request.POST.get("liquor") if refused else request.GET.get("liquor")
    kind = asked if asked in offered else offered[0]
    typed = request.POST.dict() if refused else {}
    context = station_context(state, house_of(state).station)
    context |= cook_context(state, "cook_liquor")
    context |= {
        "sentence": sentence(state, house),
        "kind": kind,
        "how": HOW[kind],
        "kinds": [(name, LiquorTest.Kind(name).label, name == kind) for name in offered],
        "fields": fields_of(kind, typed),
        **_worked(kind, typed, signed_in(request).short_name),
        "cooks": [cook.number for cook in state.cooks][:8],
        "typed": typed,
        "tests": _listed(state),
        "tanks": [_tank(house, tank) for tank in house.part.tanks],
        "causticizing": causticizing(house),
        "trends": _trends(state, house),
        "may_record": signed_in(request).may(RECORD),
        "may_correct": signed_in(request).may(CORRECT),
        "refused": refused,
    }
    return render_page(request, state, "cook/liquor.html", context, here=house.station, status=422 if refused else 200)


def fields_of(kind: str, typed: dict[str, Any]) -> list[Field]:
    """Return the burette readings a liquor is typed in."""
    starts = STARTS if kind in ("white", "green", "caustic") else {**STARTS, "acid_normality": "0.1", "sample_ml": "2"}
    if kind == "acid":
        starts = {**starts, "sample_ml": "1"}
    return [
        Field(
            name,
            LABELS[name],
            str(typed.get(name, starts.get(name, "")))[:12],
            unit_of(name),
        )
        for name in METHODS[kind][1]
    ]


def sentence(state: State, house: House) -> str:
    """Say how strong the white liquor is and how long it lasts, or what the acid is."""
    words = []
    for tank in house.part.tanks[:1]:
        strength = state.readings.get(tank.strength or "")
        if strength is not None:
            words.append(
                f"{tank.name.removesuffix(' tank')} {strength.value:.1f} {strength.tag.unit}, {strength.verdict.words}"
            )
        cover = cover_of(house, tank)
        if cover is not None:
            words.append(f"{cover.value:.1f} h of it in the tank")
    return (
        ". ".join(f"{one[:1].upper()}{one[1:]}" for one in words) + "."
        if words
        else "No liquor is stored here; acid is made for each cook."
    )


def _tank(house: House, tank: Tank) -> dict[str, Any]:
    reading = house.state.readings.get(tank.level)
    strength = strength_of(house, tank)
    cover = cover_of(house, tank)
    held = tank.volume_m3 * reading.value / 100 if reading else None
    draw = draw_of(house, tank)
    return {
        "tank": tank,
        "reading": reading,
        "strength": strength,
        "cover": cover,
        "held_m3": held,
        "draw": draw,
        "fill_y": 44 - 40 * (reading.value if reading else 0) / 100,
        "fill_h": 40 * (reading.value if reading else 0) / 100,
        "low_y": 44 - 40 * tank.low_pct / 100,
    }


def _trends(state: State, house: House) -> list[dict[str, Any]]:
    """Draw strength, sulphidity and causticity over the last days."""
    tags = [tank.strength for tank in house.part.tanks if tank.strength and tank.liquor in ("white", "caustic")]
    for point in ("sulphidity", "causticity", "total_so2", "combined_so2"):
        tags += [tag.id for tag in state.line.tags_reading(point)]
    since = state.now - TREND
    rows = (
        Record.objects.filter(
            world=state.world, kind="reading", tag__in=tags, superseded_by=None, at__gte=since, at__lte=state.now
        )
        .order_by("at")
        .values_list("tag", "at", "value")
    )
    values: dict[str, list[tuple[datetime, float]]] = {name: [] for name in tags}
    for name, at, value in rows:
        if value is not None:
            values[name].append((at, value))
    found = []
    for name in tags:
        tag = state.line.tag(name)
        drawn = draw_trend(values[name], tag.band.control if tag.band else None, tag.unit, state.now)
        if drawn is not None:
            found.append(
                {"tag": tag, "drawn": drawn, "rows": [(at, value) for at, value in reversed(values[name][-20:])]}
            )
    return found[:3]


def _worked(kind: str, typed: dict[str, Any], by: str) -> dict[str, Any]:
    """Work a titration out; a field that is still empty is not a fault."""
    names = METHODS[kind][1]
    empty = [name for name in names if not str(typed.get(name, "")).strip() and name not in STARTS]
    if empty:
        return {"worked": None, "results": [], "fault": ""}
    try:
        volumes = {name: number(typed.get(name, ""), name, LABELS[name]) for name in names}
        worked = titrated(kind, volumes, by, None)
    except DomainError as error:
        allowed = f" Allowed: {error.allowed}." if error.allowed else ""
        return {"worked": None, "results": [], "fault": f"{error.message}.{allowed}"}
    return {"worked": worked, "results": results_of(kind, worked), "fault": ""}


def results_of(kind: str, worked: Figure) -> list[Shown]:
    """Return what a titration says, in the order people read it."""

    def alkali(name: str, label: str) -> Shown:
        one = worked.other(name, label)
        return Shown(label, one, alkali_as_na2o(value_kg_per_m3=one.value, basis="naoh"))

    if kind in ("white", "green"):
        return [
            alkali("effective_kg_per_m3_as_naoh", "Effective alkali, EA"),
            alkali("active_kg_per_m3_as_naoh", "Active alkali, AA"),
            alkali("titratable_kg_per_m3_as_naoh", "Titratable alkali, TTA"),
            Shown("Sulphidity on active", worked.other("sulphidity_frac", "sulphidity", 3)),
            Shown("Sulphidity on titratable", worked.other("sulphidity_on_titratable_frac", "sulphidity", 3)),
            Shown("Causticity", worked.other("causticity_frac", "causticity", 3)),
            Shown("Activity", worked.other("activity_frac", "activity", 3)),
        ]
    if kind == "acid":
        return [
            Shown(label, worked.other(name, label, 2))
            for name, label in (
                ("total_pct", "Total SO2"),
                ("free_pct", "Free SO2"),
                ("combined_pct", "Combined SO2"),
                ("true_free_pct", "True free SO2"),
            )
        ]
    if kind == "black":
        return [alkali("residual_kg_per_m3_as_naoh", "Residual alkali")]
    return [alkali("effective_kg_per_m3_as_naoh", "Effective alkali")]


def _listed(state: State) -> list[dict[str, Any]]:
    rows = LiquorTest.objects.filter(world=state.world, superseded_by=None, at__lte=state.now).select_related("by")[
        :LISTED
    ]
    found = []
    for row in rows:
        by = row.by.short_name if row.by else "the titrator"
        try:
            results = results_of(row.kind, titrated(row.kind, row.volumes, by, row.at))
        except (DomainError, ValidationError):
            results = []
        found.append(
            {
                "row": row,
                "by": by,
                "results": results,
                "fields": [(name, LABELS[name], row.volumes[name]) for name in METHODS[row.kind][1]],
            }
        )
    return found


@on_line
def page(request: HttpRequest, state: State) -> HttpResponse:
    """Show the liquor page."""
    return show(request, state)


@on_line
@require_POST
@asks
def work_out(request: HttpRequest, state: State) -> HttpResponse:
    """Answer with a titration worked out, as it is typed."""
    kind = request.POST.get("liquor", "")
    if kind not in METHODS:
        raise Http404
    context = {
        "world": state.world,
        "state": state,
        **_worked(kind, request.POST.dict(), signed_in(request).short_name),
    }
    return render(request, "cook/_titrated.html", context)


@on_line
@require_POST
def take(request: HttpRequest, state: State) -> HttpResponse:
    """Keep a titration."""
    kind = request.POST.get("liquor", "")
    if kind not in METHODS:
        raise Http404
    try:
        volumes = _volumes(request, kind)
        typed = read_form(request, cook=cook_number(required=False), at=MomentField(state))
        record_test(
            state, signed_in(request), kind, volumes,
            at=typed["at"], number=typed["cook"] if kind == "black" else None, form_key=key_of(request),
        )  # fmt: skip
    except (ValidationError, DomainError) as error:
        return show(
            request,
            state,
            refused=f"The titration was not kept: {words_of(request, error)}. What you typed is still here.",
        )
    response = redirect("cook_liquor", world_slug=state.world.slug)
    response["Location"] += f"?liquor={kind}"
    return response


def _volumes(request: HttpRequest, kind: str) -> dict[str, float]:
    """Return what was read at the bench: every field of a titration, within its method's limits."""
    method, names = METHODS[kind]
    return read_form(request, **{name: NumberField.of(method, name, LABELS[name]) for name in names})


@on_line
@require_POST
def correct(request: HttpRequest, state: State, pk: int) -> HttpResponse:
    """Supersede a titration."""
    row = get_object_or_404(LiquorTest, pk=pk, world=state.world, superseded_by=None)
    try:
        volumes, why = _volumes(request, row.kind), read_form(request, why=WhyField())["why"]
        correct_test(state, signed_in(request), row, volumes, why=why, form_key=key_of(request))
    except (ValidationError, DomainError) as error:
        return show(request, state, refused=f"The titration was not superseded: {words_of(request, error)}.")
    return redirect("cook_liquor", world_slug=state.world.slug)
