"""Charge: the sheet of the next cook worked out as it is typed, and planned."""

from collections.abc import Mapping
from dataclasses import replace
from datetime import timedelta
from typing import Any, Final

from django.core.exceptions import ValidationError
from django.http import Http404, HttpRequest, HttpResponse
from django.shortcuts import redirect, render
from django.views.decorators.http import require_POST

from desk.floor import clock
from desk.floor.state import State
from desk.floor.text import whole
from desk.frame.fields import MomentField, read_form
from desk.frame.forms import Field, key_of, maybe, number, words_of
from desk.frame.page import asks, on_line, signed_in
from desk.frame.page import page as render_page
from desk.people.roles import COOK
from desk.stations.cook.board import board_of
from desk.stations.cook.house import House, hold_min, house_of
from desk.stations.cook.known import known
from desk.stations.cook.pages.overview import cook_context
from desk.stations.cook.pages.typed import cook_number
from desk.stations.cook.planning import next_number, plan_charge, sheet_words
from stock.cooking.charge import Sheet, usual
from stock.cooking.recipe import Digester, Recipe
from stock.cooking.schedule import legs
from stock.errors import DomainError
from stock.figure import Datum, Figure, Origin

# name, label, factor from what is kept to what is typed, unit typed
Typed = tuple[str, str, float, str]
ALKALINE: Final[tuple[Typed, ...]] = (
    ("moisture_wet_frac", "Chip moisture", 100.0, "%"),
    ("packing_gain_frac", "Packing gain", 100.0, "%"),
    ("charge_pct_naoh_on_wood", "Effective alkali charge", 1.0, ""),
    ("strength_kg_per_m3_as_naoh", "Cooking liquor, effective alkali", 1.0, "g/L NaOH"),
    ("sulphidity_frac", "Its sulphidity, on active alkali", 100.0, "%"),
    ("liquor_to_wood", "Liquor to wood", 1.0, "m³/BDt"),
    ("fill_kg_per_m3_as_naoh", "Residual alkali of the fill", 1.0, "g/L NaOH"),
    ("kappa_target_kappa", "Kappa target", 1.0, ""),
)
ACID: Final[tuple[Typed, ...]] = (
    ("moisture_wet_frac", "Chip moisture", 100.0, "%"),
    ("packing_gain_frac", "Packing gain", 100.0, "%"),
    ("total_pct", "Total SO2 of the acid", 1.0, "g/100 mL"),
    ("combined_pct", "Combined SO2", 1.0, "g/100 mL"),
    ("liquor_to_wood", "Liquor to wood", 1.0, "m³/BDt"),
    ("kappa_target_kappa", "Kappa target", 1.0, ""),
)
SHOWN: Final = (
    "chips", "green", "liquor", "fill", "met", "start", "ions", "so2", "base", "fit", "heat", "steam", "aim", "pulp",
)  # fmt: skip


def offered(recipe: Recipe) -> tuple[Typed, ...]:
    """Return the fields a school's sheet is typed in."""
    rows = ACID if recipe.is_sulphite else ALKALINE
    own = {"moisture_wet_frac": (recipe.moisture_name, "%"), "charge_pct_naoh_on_wood": ("", recipe.naoh_unit)}
    found = []
    for name, label, factor, unit in rows:
        if name == "sulphidity_frac" and not recipe.practice.has_sulphide:
            continue
        label_here, unit_here = own.get(name, ("", unit))
        found.append((name, label_here or label, factor, unit_here))
    return tuple(found)


def chosen(house: House, asked: Mapping[str, Any]) -> tuple[Digester, Recipe]:
    """Return the digester and recipe asked for, else the digester that is free first."""
    text = str(asked.get("digester", ""))
    try:
        digester = house.part.digester(whole(text)) if text else free_first(house)
        name = str(asked.get("recipe", ""))
        recipe = house.part.recipe(name if name in digester.recipes else digester.recipes[0])
    except LookupError:
        raise Http404 from None
    return digester, recipe


def free_first(house: House) -> Digester:
    """Return the digester whose next fill comes first and is not planned."""
    board = board_of(house)
    planned = {bar.digester for bar in board.bars if bar.planned and not bar.projected}
    coming = sorted((bar for bar in board.bars if bar.projected), key=lambda bar: bar.legs[0].from_min)
    if coming:
        return house.part.digester(coming[0].digester)
    holding = {cook.digester for cook in house.in_digesters() if (one := house.follow(cook)) and one.running}
    free = [one for one in house.part.digesters if one.number not in holding | planned]
    return free[0] if free else house.part.digesters[0]


def fields_of(house: House, digester: Digester, recipe: Recipe, typed: Mapping[str, Any]) -> list[Field]:
    """Return the sheet's fields: what was typed, else what the floor knows, else the recipe's."""
    data = usual(recipe, digester) | known(house, recipe)
    found = []
    for name, label, factor, unit in offered(recipe):
        own = data[name]
        if name == "kappa_target_kappa" and (aimed := house.aimed(recipe)) is not None:
            own = replace(own, origin=replace(own.origin, text=f"aimed at {aimed.value:.1f}: the end point was moved"))
        text = str(typed.get(name, f"{own.value * factor:.4g}"))[:12]
        found.append(Field(name, label, text, unit, origin=own.origin.text))
    weight = str(typed.get("bd_wood_t", ""))[:12]
    return [
        Field("bd_wood_t", f"Bone-dry {recipe.raw}, where weighed", weight, "BDt", origin="empty: by packing"),
        *found,
    ]


def read_fields(recipe: Recipe, fields: list[Field], house: House, digester: Digester) -> dict[str, float]:
    """Return what was typed over what is known, as it is kept.

    Raises
    ------
    DomainError
        E_TYPE, naming the field.
    """
    data = usual(recipe, digester) | known(house, recipe)
    typed: dict[str, float] = {}
    by = {name: factor for name, _, factor, _ in offered(recipe)}
    for field in fields:
        if field.name == "bd_wood_t":
            wood = maybe(field.text, field.name, field.label)
            if wood is not None:
                typed[field.name] = wood
            continue
        own = f"{data[field.name].value * by[field.name]:.4g}"
        if field.text != own:
            typed[field.name] = number(field.text, field.name, field.label) / by[field.name]
    return typed


def worked(house: House, digester: Digester, recipe: Recipe, typed: Mapping[str, Any]) -> dict[str, Any]:
    """Return the sheet worked out, or what is wrong with it."""
    fields = fields_of(house, digester, recipe, typed)
    try:
        said = Origin("entered", "typed just now")
        values = {name: Datum(value, said) for name, value in read_fields(recipe, fields, house, digester).items()}
        sheet = house.sheet(recipe, digester, values)
    except DomainError as error:
        allowed = f" Allowed: {error.allowed}." if error.allowed else ""
        return {
            "fields": fields,
            "sheet": None,
            "rows": [],
            "fault": f"{error.message}.{allowed}",
            "fault_at": error.argument,
        }
    return {
        "fields": fields,
        "sheet": sheet,
        "rows": [(sheet_label(recipe, name, sheet), sheet.figures[name]) for name in SHOWN if name in sheet.figures],
        "schedule": schedule_words(house, recipe, values),
        "fault": "",
        "fault_at": "",
    }


def schedule_words(house: House, recipe: Recipe, values: Mapping[str, Datum]) -> str:
    """Say how a charge is cooked, leg by leg."""
    alkali = recipe.usual_charge_pct
    charge = values["charge_pct_naoh_on_wood"].value if "charge_pct_naoh_on_wood" in values else alkali
    kappa = values["kappa_target_kappa"].value if "kappa_target_kappa" in values else recipe.kappa_target
    hold = hold_min(recipe, house.relation(recipe), charge, kappa)
    parts = [f"{recipe.fill_min:.0f} min {recipe.raw}", f"{recipe.liquor_min:.0f} min liquor"]
    for leg in recipe.stages:
        pressure = f" and {leg.to_kpa_g:.0f} kPa g" if leg.to_kpa_g else ""
        parts.append(f"{leg.over_min:.0f} min to {leg.to_c:.0f} °C{pressure}")
    parts.append(f"about {hold:.0f} min there")
    parts += [f"{recipe.relief_min:.0f} min relief"] if recipe.relief_min else []
    parts.append(f"{recipe.blow_min:.0f} min blow")
    whole = legs(recipe, hold, 0.0)[-1].to_min / 60
    return f"{', '.join(parts)}; clear again after {whole:.1f} h."


def sheet_label(recipe: Recipe, name: str, sheet: Sheet) -> str:
    """Name a figure of the sheet as its school does."""
    if name == "liquor":
        words = recipe.practice.liquor
    elif name == "fill":
        words = recipe.practice.fill
    else:
        words = sheet.figures[name].label
    return f"{words[:1].upper()}{words[1:]}"


def keyed(figure: Figure, digester: Digester, recipe: Recipe, name: str) -> Figure:
    """Give a figure of the sheet a key, where the sheet is as the floor knows it."""
    return replace(figure, key=f"charge:{digester.number}:{recipe.id}:{name}")


def show(request: HttpRequest, state: State, *, refused: str = "") -> HttpResponse:
    """Show the sheet of the next cook."""
    house = house_of(state)
    if not house.part.recipes:
        raise Http404
    asked = request.POST if refused else request.GET
    digester, recipe = chosen(house, asked)
    typed = request.POST.dict() if refused else {}
    found = worked(house, digester, recipe, typed)
    board = board_of(house)
    waits = next((one for one in board.waiting if one.digester == digester.number), None)
    at = waits.until if waits and waits.until and waits.until > state.now else state.now
    found["rows"] = [
        (label, keyed(one, digester, recipe, name_of(found["sheet"], one)) if not typed else one)
        for label, one in found["rows"]
    ]
    context = cook_context(state, "cook_charge")
    context |= found
    context |= {
        "sentence": sentence(house, digester, recipe, found, waits),
        "digester": digester,
        "recipe": recipe,
        "choices": [
            (one, house.part.recipe(name), one.number == digester.number and name == recipe.id)
            for one in house.part.digesters
            for name in one.recipes
        ],
        "several": any(len(one.recipes) > 1 for one in house.part.digesters),
        "number": typed.get("number", next_number(state, recipe)),
        "planned_at": typed.get("planned_at", f"{clock.local(at):%H:%M}"),
        "waits": waits,
        "planned": sorted(
            (one for one in house.news.charges.values() if one.at > state.now - timedelta(hours=8)),
            key=lambda one: one.at,
        ),
        "begun": {cook.number for cook in state.cooks},
        "cautions": recipe.cautions,
        "may_cook": signed_in(request).may(COOK),
        "refused": refused,
    }
    return render_page(request, state, "cook/charge.html", context, here=house.station, status=422 if refused else 200)


def name_of(sheet: Sheet, figure: Figure) -> str:
    """Return the name a sheet keeps a figure under."""
    return next(name for name, one in sheet.figures.items() if one is figure)


def sentence(house: House, digester: Digester, recipe: Recipe, found: dict[str, Any], waits: Any) -> str:
    """Say what the next charge is, and what it waits for."""
    name = f"Digester {digester.number}, {recipe.name.split(',')[0].lower()}"
    if found["sheet"] is None:
        return f"{name}: {found['fault']}"
    words = f"{name}: {sheet_words(recipe, found['sheet'])}."
    holding = next((cook for cook in house.in_digesters() if cook.digester == digester.number), None)
    followed = house.follow(holding) if holding else None
    if followed is not None and followed.running:
        return f"{words} It holds cook {holding.number if holding else ''} until about {clock.local(followed.blow_at):%H:%M}."
    return f"{words} It is {waits.words}." if waits else words


@on_line
def page(request: HttpRequest, state: State) -> HttpResponse:
    """Show the sheet."""
    return show(request, state)


@on_line
@require_POST
@asks
def work_out(request: HttpRequest, state: State) -> HttpResponse:
    """Answer with the sheet worked out, as it is typed."""
    house = house_of(state)
    digester, recipe = chosen(house, request.POST)
    context = {
        "world": state.world,
        "state": state,
        "recipe": recipe,
        **worked(house, digester, recipe, request.POST.dict()),
    }
    return render(request, "cook/_charged.html", context)


@on_line
@require_POST
def plan(request: HttpRequest, state: State) -> HttpResponse:
    """Plan the charge of a cook."""
    house = house_of(state)
    digester, recipe = chosen(house, request.POST)
    try:
        fields = fields_of(house, digester, recipe, request.POST.dict())
        row = plan_charge(
            state,
            signed_in(request),
            digester=digester,
            recipe=recipe,
            **read_form(request, number=cook_number(), planned_at=MomentField(state, ahead=True)),
            typed=read_fields(recipe, fields, house, digester),
            form_key=key_of(request),
        )
    except (ValidationError, DomainError) as error:
        return show(
            request,
            state,
            refused=f"The charge was not planned: {words_of(request, error)}. What you typed is still here.",
        )
    return redirect("cook_sheet", world_slug=state.world.slug, number=row.number)


def charge_figure(state: State, rest: str) -> Figure:
    """Find a figure of the sheet as the floor knows it: `digester:recipe:name`."""
    digester_text, recipe_id, name = rest.split(":")
    house = house_of(state)
    digester, recipe = house.part.digester(int(digester_text)), house.part.recipe(recipe_id)
    return house.sheet(recipe, digester, {}).figures[name]
