"""The pages of the washing: the line worked out as it is typed; rounds and mats, and whether the hand agrees."""

from typing import Any

from django.core.exceptions import ValidationError
from django.http import Http404, HttpRequest, HttpResponse
from django.shortcuts import redirect, render
from django.urls import reverse
from django.views.decorators.http import require_POST

from desk.floor.state import State
from desk.frame.alike import alike, new_key
from desk.frame.fields import MomentField, NumberField, WholeField, read_form
from desk.frame.forms import key_of, words_of
from desk.frame.page import asks, on_line, signed_in
from desk.frame.page import page as render_page
from desk.stations.plain.page import station_context
from desk.stations.wash.drawing import draw_curve, draw_stairs
from desk.stations.wash.models import BEST, MARKS, WORST
from desk.stations.wash.services import take_mat, take_round
from desk.stations.wash.shown import checks_of, factor_of, hands_of, rate_of, rounds_of, shows_of, washers
from desk.stations.wash.worked import FIELDS, Worked, worked
from stock.errors import DomainError
from stock.units import said
from stock.washing.sequences import SEQUENCES
from stock.washing.stairs import machines_of
from stock.washing.unit import Washer


def tabs(state: State) -> list[tuple[str, str, str]]:
    """Return the pages: a line each, and the rounds."""
    slug = state.world.slug
    found = [
        (unit.id, unit.name, reverse("wash_line", args=[slug, unit.id])) for unit in washers(state)
    ]  # fmt: skip
    return [*found, ("rounds", "Rounds and mats", reverse("wash_rounds", args=[slug]))]


def home(request: HttpRequest, state: State, station_id: str) -> HttpResponse:
    """Show the first washing line of a station."""
    own = [unit for unit in washers(state) if unit.station == station_id]
    if not own:
        from desk.stations.plain.page import show

        return show(request, state, station_id)
    return _line(request, state, own[0])


@on_line
@alike
def line(request: HttpRequest, state: State, unit_id: str) -> HttpResponse:
    """Show a washing line."""
    return _line(request, state, unit_of(state, unit_id))


def unit_of(state: State, unit_id: str) -> Washer:
    """Return a washing line; Http404 where there is none of that name."""
    found = next((unit for unit in washers(state) if unit.id == unit_id), None)
    if found is None:
        message = f"{state.line.mill} has no washing line {unit_id[:40]}."
        raise Http404(message)
    return found


def _line(request: HttpRequest, state: State, unit: Washer) -> HttpResponse:
    context = station_context(state, unit.station)
    shown = _shown(state, worked(state, unit, {}))
    context |= {
        "unit": unit,
        "sequences": SEQUENCES,
        **shown,
        "sentence": _line_sentence(state, unit, shown),
        **line_tabs(state, unit.id),
    }
    return render_page(request, state, "wash/line.html", context, here=unit.station)


def _line_sentence(state: State, unit: Washer, shown: dict[str, Any]) -> str:
    """Say how a line washes: what goes on with the pulp, who fell behind, else what is off its band."""
    running = f"{unit.name} at {said(float(rate_of(state, unit).value), 'BDt/h', 1)}"
    if shown["behind"]:
        one = shown["behind"][0]
        return f"{running}: {one.machine.name} fell behind, efficiency {one.last.value:.1f} against {one.mean:.1f}."
    reading = state.readings.get(unit.tag_of("loss") or "")
    if reading is None:
        return f"{running}. No loss was measured yet."
    return f"{running}, loss {reading.value:.1f} kg/BDt, {reading.verdict.words}."


def line_tabs(state: State, here: str) -> dict[str, Any]:
    """Return the tabs of the washing, one of them open."""
    return {"tabs": [(address, label, name == here) for name, label, address in tabs(state)], "tabs_label": "Washing"}


def _shown(state: State, found: Worked) -> dict[str, Any]:
    shows = shows_of(state, found.unit)
    return {
        "worked": found,
        "shows": shows,
        "behind": [one for one in shows if one.behind],
        "stairs": draw_stairs(found.steps, shows),
        "plot": draw_curve(found.curve),
        "rows": [(one, found.values[one.name], found.origins.get(one.name, "")) for one in FIELDS],
    }


@require_POST
@on_line
@asks
def work_out(request: HttpRequest, state: State, unit_id: str) -> HttpResponse:
    """Work a line out for what was typed; what was typed comes back, right or wrong."""
    found = worked(state, unit_of(state, unit_id), request.POST.dict())
    return render(
        request, "wash/_worked.html", {**_shown(state, found), "world": state.world, "state": state, "typed": True}
    )


# ---- rounds and mats


@on_line
@alike
def rounds(request: HttpRequest, state: State) -> HttpResponse:
    """Show what the machines show, what the hand found, and whether the two agree."""
    return _rounds(request, state)


def _rounds(request: HttpRequest, state: State, refused: str = "") -> HttpResponse:
    units = washers(state)
    if not units:
        message = f"{state.line.mill} has no washing line."
        raise Http404(message)
    lines = [
        (unit, shows_of(state, unit), rounds_of(state, unit)[:6], checks_of(state, unit)[:3], hands_of(state, unit))
        for unit in units
    ]
    context = {
        "lines": lines,
        "machines": [(unit, number, one) for unit in units for number, one in enumerate(machines_of(unit), 1)],
        "marks": MARKS,
        "scale": range(BEST, WORST + 1),
        "typed": request.POST.dict() if refused else {},
        "refused": refused,
        "form_key": new_key(),
        "mat_key": new_key(),
        "sentence": _sentence(lines),
        **line_tabs(state, "rounds"),
    }
    status = 422 if refused else 200
    return render_page(request, state, "wash/rounds.html", context, here=units[0].station, status=status)


def _sentence(lines: list[Any]) -> str:
    behind = [(unit, one) for unit, shows, *_ in lines for one in shows if one.behind]
    if behind:
        unit, one = behind[0]
        return f"{unit.name}: {one.machine.name} fell behind, {one.last.value:.1f} against {one.mean:.1f}."
    measured = sum(1 for _, shows, *_ in lines for one in shows if one.last is not None)
    if not measured:
        return "No machine's liquors were taken yet: a round of conductivities tells which one does its work."
    return "Every machine measured washes as it did."


def _place(state: State, text: str) -> tuple[str, int]:
    """Read which machine of which line was chosen."""
    unit_id, _, number = text.rpartition(":")
    unit = next((one for one in washers(state) if one.id == unit_id), None)
    if unit is None or not number.isdigit():
        raise ValidationError({"machine": "which machine? Choose one of the list"})
    return unit_id, int(number)


@require_POST
@on_line
def take(request: HttpRequest, state: State) -> HttpResponse:
    """Keep a round of one machine."""
    try:
        unit_id, machine = _place(state, request.POST.get("machine", ""))
        unit = unit_of(state, unit_id)
        typed = read_form(
            request,
            at=MomentField(state),
            filtrate=NumberField("Filtrate", "mS/cm", above=0, most=300),
            mat=NumberField("Liquor of the mat", "mS/cm", above=0, most=300),
            wash=NumberField("Wash liquor", "mS/cm", least=0, most=300),
            celsius=NumberField("Their warmth", "°C", least=0, most=100, required=False),
            factor=NumberField("Dilution factor", "t/BDt", least=-5, most=20, required=False),
        )
        warm = _to_25(typed["celsius"])
        given = {f"{name}_ms_per_cm": typed[name] * warm for name in ("filtrate", "mat", "wash")}
        factor = typed["factor"] if typed["factor"] is not None else float(factor_of(state, unit).value)
        machines = machines_of(unit)
        at = machines[machine - 1].discharge_consistency_pct if 1 <= machine <= len(machines) else 0.0
        found = {**given, "factor_t_per_bdt": factor, "discharge_pct": at}
        take_round(state.world, signed_in(request), unit_id, machine, found, at=typed["at"], form_key=key_of(request))
    except (ValidationError, DomainError) as error:
        return _rounds(request, state, words_of(request, error))
    return redirect("wash_rounds", state.world.slug)


def _to_25(celsius: float | None) -> float:
    """Return what brings a conductivity of so warm a liquor to 25 °C; 1 where the meter does it."""
    from stock.washing.stage import conductivity_25c

    return 1.0 if celsius is None else conductivity_25c(conductivity_ms_per_cm=1.0, temperature_c=celsius)


@require_POST
@on_line
def judge_mat(request: HttpRequest, state: State) -> HttpResponse:
    """Keep a mat judged by hand."""
    try:
        unit_id, machine = _place(state, request.POST.get("machine", ""))
        typed = read_form(
            request,
            at=MomentField(state),
            **{name: WholeField(label, least=BEST, most=WORST) for name, label, *_ in MARKS},
        )
        marks = {name: typed[name] for name, *_ in MARKS}
        take_mat(state.world, signed_in(request), unit_id, machine, marks, at=typed["at"], form_key=key_of(request))
    except (ValidationError, DomainError) as error:
        return _rounds(request, state, words_of(request, error))
    return redirect("wash_rounds", state.world.slug)
