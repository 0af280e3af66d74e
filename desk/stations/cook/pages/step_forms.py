"""The steps that may be logged of a cook next, as forms: their fields, their cautions, what was typed."""

from dataclasses import dataclass, replace
from typing import Any, Final

from django.core.exceptions import ValidationError
from django.http import HttpRequest

from desk.floor.models import Cook
from desk.frame.fields import NumberField, read_form
from desk.frame.forms import Field
from desk.frame.page import signed_in
from desk.people.roles import RECORD
from desk.stations.cook.amounts import Amounts
from desk.stations.cook.followed import Followed
from desk.stations.cook.house import House
from desk.stations.cook.news import Done
from desk.stations.cook.resized import resized, said_of
from desk.stations.cook.steps import MINDED, USUAL_CAUTIONS, action_of, doubts_of
from stock.cooking.order import COLD
from stock.cooking.recipe import Recipe


@dataclass(frozen=True, slots=True)
class StepForm:
    """A step that may be logged now: its fields, its caution, its button."""

    kind: str
    label: str
    button: str
    fields: tuple[Field, ...]
    step: str
    caution: str
    open: bool
    doubts: tuple[str, ...] = ()
    sure: str = ""
    why: str = ""
    at: str = ""
    sized: str = ""


AGAIN: Final = {"sure": "sure", "why": "text", "at": "at"}  # what every step's form shows as it was typed


def step_forms(
    house: House, cook: Cook, recipe: Recipe, followed: Followed | None, request: HttpRequest, opened: str
) -> list[StepForm]:
    """Return the steps that may come next, the one that is due first."""
    done = {one.kind for one in house.steps(cook)}
    blown = "blow" in done or (followed is not None and not followed.running)
    planned = house.news.charges.get(cook.number)
    wanted = planned.planned if planned else {}
    if (sheet := resized(house, cook)) is not None:
        wanted = {**wanted, **{name: sheet.value(name) for name in ("liquor", "fill")}}
    given = planned.given if planned else {}
    by_hand = "chips" in done
    offered = []
    if blown:
        offered = ["empty"] if "empty" not in done and "blow" in done else []
    else:
        if by_hand and "steam" not in done:
            offered += [
                kind for kind in ("liquor", "fill") if kind not in done and (kind == "liquor" or not recipe.is_sulphite)
            ]
        if by_hand and "liquor" in done and "steam" not in done:
            offered.append("steam")
        started = "steam" in done if by_hand else followed is None or followed.state.phase not in COLD
        if started:
            ready = followed is not None and followed.state.phase in ("past its end", "relief")
            middle = [] if recipe.is_sulphite or "sample" in done else ["sample"]
            relief = ["relief"] if "relief" not in done and (by_hand or recipe.relief_min > 0) else []
            offered += [*relief, "blow", *middle] if ready else [*middle, *relief, "blow"]
            offered.append("note")
            if by_hand:
                offered.append("liquor")
    found = []
    person = signed_in(request)
    allowed = [kind for kind in dict.fromkeys(offered) if person.may(action_of(kind))]
    for index, kind in enumerate(allowed):
        typed = request.POST if opened == kind else {}
        fields = tuple(
            replace(one, text=str(typed.get(one.name, one.text))) for one in _fields(recipe, kind, wanted, given)
        )
        caution_step = MINDED.get(kind, "")
        text = recipe.cautions.get(caution_step) or house.state.line.stop("cook").cautions.get(caution_step, "")
        text = text or USUAL_CAUTIONS.get(caution_step, "")
        label, button = _labels(recipe, cook, kind)
        shown = index == 0 or opened == kind
        typed_again = {name: str(typed.get(key, "")) for name, key in AGAIN.items()}
        against = doubts_of(house, cook, kind, _typed_amounts(request, recipe, kind) if opened == kind else None)
        found.append(
            StepForm(
                kind,
                label,
                button,
                fields,
                caution_step if text else "",
                text,
                shown,
                against,
                sized=said_of(house, cook) if kind == "liquor" and "liquor" not in done else "",
                **typed_again,
            )
        )
    return found


def _labels(recipe: Recipe, cook: Cook, kind: str) -> tuple[str, str]:
    liquor = recipe.practice.liquor
    return {
        "liquor": (f"{liquor[:1].upper()}{liquor[1:]} in", f"Log {liquor}"),
        "fill": (f"Fill, {recipe.practice.fill or 'water'}", "Log the fill"),
        "steam": ("Steam on", f"Log steam on cook {cook.number}"),
        "sample": ("Liquor sample", "Log the sample"),
        "relief": ("Relief", f"Log relief of cook {cook.number}"),
        "blow": ("Blow", f"Log the blow of cook {cook.number}"),
        "empty": ("Empty check", f"Log digester {cook.digester} empty"),
        "note": ("What was corrected", "Log the correction"),
    }[kind]


def _fields(recipe: Recipe, kind: str, wanted: dict[str, Any], given: dict[str, Any]) -> tuple[Field, ...]:
    def text(value: Any, factor: float = 1.0) -> str:
        return "" if value is None else f"{float(value) * factor:.4g}"

    if kind == "liquor" and recipe.is_sulphite:
        return (
            Field("liquor_m3", "Acid, m³", text(wanted.get("liquor")), "m³"),
            Field("total_so2_pct", "Total SO2, %", text(given.get("total_pct", recipe.acid.total_so2_pct)), "%"),
            Field(
                "combined_so2_pct",
                "Combined SO2, %",
                text(given.get("combined_pct", recipe.acid.combined_so2_pct)),
                "%",
            ),
        )
    if kind == "liquor":
        strength = given.get("strength_kg_per_m3_as_naoh", recipe.alkali.liquor_kg_per_m3_as_naoh)
        fields = [
            Field("liquor_m3", f"{recipe.practice.liquor.capitalize()}, m³", text(wanted.get("liquor")), "m³"),
            Field("strength_kg_per_m3_as_naoh", "Its effective alkali, g/L NaOH", text(strength), "g/L NaOH"),
        ]
        if recipe.practice.has_sulphide:
            fields.append(Field("sulphidity_pct", "Its sulphidity, %", text(given.get("sulphidity_frac"), 100), "%"))
        return tuple(fields)
    if kind == "fill":
        return (Field("fill_m3", f"{recipe.practice.fill.capitalize()}, m³", text(wanted.get("fill")), "m³"),)
    if kind == "sample":
        return (Field("residual_kg_per_m3_as_naoh", "Residual alkali, g/L NaOH", "", "g/L NaOH"),)
    if kind == "chips":
        return (
            Field("green_t", f"{recipe.raw.capitalize()}, t", "", "t"),
            Field("moisture_pct", "Moisture, %", "", "%"),
        )
    if kind == "note":
        return (Field("text", "What was done", "", "", wide=True),)
    return ()


def fix_fields(recipe: Recipe, done: Done) -> tuple[Field, ...]:
    """Return the numbers, or the words, of a step as they were logged, to be corrected: every one it may have."""
    found = []
    for one in _fields(recipe, done.kind, {}, {}):
        value = done.text if one.name == "text" else getattr(done.amounts, one.name)
        found.append(replace(one, text=f"{value:.6g}" if isinstance(value, float) else value or ""))
    return tuple(found)


def gauge_form(
    house: House, cook: Cook, followed: Followed | None, request: HttpRequest, opened: str
) -> dict[str, Any] | None:
    """Return the form for temperature and pressure read by hand, where no instrument sends them."""
    digester = house.part.digester(cook.digester)
    live = house.state.line.tag(digester.temperature).live
    if live or followed is None or not followed.running or not signed_in(request).may(RECORD):
        return None
    typed = request.POST if opened == "gauges" else {}
    return {
        "temperature": typed.get("temperature_c", ""),
        "pressure": typed.get("pressure_kpa_g", ""),
        "at": typed.get("at", ""),
        "has_pressure": digester.pressure is not None,
    }


def _typed_amounts(request: HttpRequest, recipe: Recipe, kind: str) -> Amounts | None:
    """Return the amounts that were typed, None where they are none."""
    try:
        return amounts_of(request, recipe, kind)
    except ValidationError:
        return None


def amounts_of(request: HttpRequest, recipe: Recipe, kind: str) -> Amounts:
    """Read the amounts of a step as typed; ValidationError names the ones that are no numbers."""
    labels = {field.name: field.label for field in _fields(recipe, kind, {}, {}) if not field.wide}
    fields = {name: NumberField(label, required=False) for name, label in labels.items()}
    return Amounts(**read_form(request, **fields))
