"""Lots: what waits at the gate, the receiving sheet worked out as it is typed, and a lot's own page."""

from collections.abc import Mapping
from dataclasses import replace
from typing import Any

from django.http import Http404, HttpRequest, HttpResponse
from django.shortcuts import redirect, render
from django.views.decorators.http import require_POST

from desk.floor.state import State
from desk.frame.fields import ChoiceField, WhyField, WordsField, read_form
from desk.frame.forms import key_of, number
from desk.frame.page import asks, on_line, signed_in
from desk.frame.page import page as render_page
from desk.frame.panels.attempt import attempt, stand
from desk.people.roles import CORRECT
from desk.stations.yard.lots import TESTED, Load, Weighed, correct_lot, receive, weigh
from desk.stations.yard.models import Lot, Movement, Op
from desk.stations.yard.pages.overview import acting, yard_context
from desk.stations.yard.panels import SAMPLING
from desk.stations.yard.readings import lot_figure
from desk.stations.yard.stock import yard_of
from desk.stations.yard.trace import cooks_of_lot
from stock.errors import DomainError
from stock.intake.definition import YardDef

LABELS = {
    "bark_pct": "Bark",
    "fines_pct": "Fines",
    "overthick_pct": "Overthick",
    "pith_pct": "Pith",
    "grit_pct": "Grit or dirt",
}
LISTED = 40
MOVED = {
    "in": "laid on",
    "out": "drawn from",
    "loss": "aged in",
    "survey": "surveyed in",
    "boiler": "to",
    "correct": "corrected in",
}


def show(request: HttpRequest, state: State, *, refused: str = "") -> HttpResponse:
    """Show the gate, the receiving sheet and the newest lots."""
    yard = yard_of(state)
    find = request.GET.get("find", "").strip()[:20].upper()
    lots = Lot.objects.filter(world=state.world, superseded_by=None, received_at__lte=state.now).select_related("by")
    if find:
        lots = lots.filter(number__contains=find)
    context = yard_context(state, "yard_lots")
    typed = request.POST.dict() if refused else _from_gate(state, request.GET.get("ticket", ""))
    context |= {
        "sentence": sentence(state),
        "lots": lots.order_by("-received_at", "-id")[:LISTED],
        "names": {material.id: material.name for material in yard.part.materials},
        "find": find,
        "materials": yard.part.materials,
        "fields": fields_of(yard.part, typed),
        "typed": typed,
        "refused": refused,
        "samples": next((attempt(one, {}) for one in stand(state, SAMPLING, [state.line.stop("yard")])), None),
        **_worked(state, typed),
    }
    return render_page(request, state, "yard/lots.html", context, here=yard.station, status=422 if refused else 200)


@on_line
def page(request: HttpRequest, state: State) -> HttpResponse:
    """Show the lots."""
    return show(request, state)


def sentence(state: State) -> str:
    """Say what waits at the gate."""
    gate = yard_of(state).news.gate
    if not gate:
        return "Nothing waits at the gate."
    first = gate[0]
    minutes = int((state.now - first.at).total_seconds() // 60)
    name = yard_of(state).part.material(first.material).name.lower()
    more = f" {len(gate) - 1} more behind it." if len(gate) > 1 else ""
    return f"Ticket {first.ticket}, {name}, has waited {minutes} min at the gate.{more}"


def _from_gate(state: State, ticket: str) -> dict[str, Any]:
    """Fill the sheet from the weighbridge and the probe: the ticket asked for, else the one that waits longest."""
    gate = yard_of(state).news.gate
    one = next((one for one in gate if one.ticket == ticket), gate[0] if gate else None)
    if one is None:
        return {}
    material = yard_of(state).part.material(one.material)
    return {
        "number": f"{material.letter}-{one.ticket}",
        "ticket": one.ticket,
        "material": material.id,
        "gross_t": f"{one.gross_t:g}",
        "tare_t": f"{one.tare_t:g}",
        "moistures_pct": " ".join(f"{value:g}" for value in one.moistures_pct),
    }


def load_of(state: State, typed: Any) -> Load:
    """Read a load from what was typed.

    Raises
    ------
    DomainError
        E_TYPE for the first field that is not a number; E_COUNT without a moisture.
    """
    moistures = [number(part, "moistures_pct", "A moisture") for part in _samples(typed.get("moistures_pct", ""))]
    found = {
        name: number(typed[name], name, LABELS[name]) if str(typed.get(name, "")).strip() else None for name in TESTED
    }
    return Load(
        number=str(typed.get("number", "")).strip()[:20],
        material=str(typed.get("material", ""))[:40],
        received_at=state.now,
        gross_t=number(typed.get("gross_t", ""), "gross_t", "Gross", "t"),
        tare_t=number(typed.get("tare_t", ""), "tare_t", "Tare", "t"),
        moistures_pct=moistures,
        found=found,
        ticket=str(typed.get("ticket", "")).strip()[:20],
    )


def _samples(text: str) -> list[str]:
    """Part a list of samples: spaces or semicolons between them, a comma inside a number and per cents allowed."""
    return str(text).replace(";", " ").replace("%", " ").split()[:12]


def _worked(state: State, typed: dict[str, Any]) -> dict[str, Any]:
    """Work the sheet out; a field that is wrong is named, one that is still empty is not."""
    if not any(str(typed.get(name, "")).strip() for name in ("gross_t", "tare_t", "moistures_pct")):
        return {"weighed": None, "fault": ""}
    try:
        weighed = weigh(yard_of(state).part, load_of(state, typed))
    except DomainError as error:
        return {"weighed": None, "fault": f"{error.message}. Allowed: {error.allowed}."}
    return {"weighed": weighed, "fault": "", "figures": _figures(state, weighed)}


def _figures(state: State, weighed: Weighed) -> Any:
    load = weighed.load
    unsaved = Lot(
        number=load.number or "?",
        gross_t=load.gross_t,
        tare_t=load.tare_t,
        moistures_pct=list(load.moistures_pct),
        received_at=state.now,
        by=None,
    )
    return lot_figure(unsaved)


@on_line
@require_POST
@asks
def work_out(request: HttpRequest, state: State) -> HttpResponse:
    """Answer with the sheet worked out, as it is typed."""
    context = {"world": state.world, "state": state, **_worked(state, request.POST.dict())}
    return render(request, "yard/_weighed.html", context)


def fields_of(part: YardDef, typed: Mapping[str, Any]) -> list[tuple[str, str, str]]:
    """Return the fields of what is tested of a material, with what was typed; of the first one where none is chosen."""
    named = str(typed.get("material", ""))
    material = next((one for one in part.materials if one.id == named), next(iter(part.materials), None))
    tested = {test.name for test in material.tests} if material else set()
    return [
        (name, label, str(typed.get(name, ""))) for name, label in LABELS.items() if name.removesuffix("_pct") in tested
    ]


@on_line
@require_POST
@asks
def tests_of(request: HttpRequest, state: State) -> HttpResponse:
    """Answer with the fields of what is tested of the material chosen."""
    return render(request, "yard/_tests.html", {"fields": fields_of(yard_of(state).part, request.POST.dict())})


@on_line
@require_POST
@acting("The lot was not received", show)
def take(request: HttpRequest, state: State) -> HttpResponse:
    """Receive a lot, or refuse it."""
    lot = receive(
        state.world,
        signed_in(request),
        load_of(state, request.POST),
        **read_form(
            request,
            answer=ChoiceField("The answer", ("", "accept", "refuse"), required=False),
            pile=WordsField("The pile", 40),
        ),
        form_key=key_of(request),
    )
    return redirect("yard_lot", world_slug=state.world.slug, number=lot.number)


def show_lot(request: HttpRequest, state: State, number: str, *, refused: str = "") -> HttpResponse:
    """Show one lot: what was found, where it went, what it became."""
    versions = list(
        Lot.objects.filter(world=state.world, number=number).select_related("by", "world__version").order_by("-version")
    )
    if not versions:
        raise Http404
    lot, yard = versions[0], yard_of(state)
    lying = [
        (pile.part, one, one.age_d(state.now))
        for pile in yard.piles.values()
        for one in pile.lots
        if one.number == number
    ]
    context = yard_context(state, "yard_lots")
    context |= {
        "sentence": lot_sentence(lot, yard.part.material(lot.material).name, lying),
        "lot": lot,
        "versions": versions,
        "material": yard.part.material(lot.material),
        "figure": lot_figure(lot),
        "lying": lying,
        "moves": _moves(state, number),
        "sums": _sums(state, number),
        "cooks": cooks_of_lot(state.world, number) if yard.part.material(lot.material).form != "bagasse" else [],
        "aside": number in yard.aside,
        "tests": [(label, getattr(lot, name)) for name, label in LABELS.items() if getattr(lot, name) is not None],
        "fields": _fields_again(yard.part, lot, request, refused),
        "typed": request.POST.dict() if refused else _as_typed(lot),
        "may_correct": signed_in(request).may(CORRECT),
        "refused": refused,
    }
    return render_page(request, state, "yard/lot.html", context, here=yard.station, status=422 if refused else 200)


def _fields_again(part: YardDef, lot: Lot, request: HttpRequest, refused: str) -> list[tuple[str, str, str]]:
    """Return the fields of a lot's tests, and of whatever else was found of it, as kept or as typed again."""
    held = {name: "" if (value := getattr(lot, name)) is None else f"{value:g}" for name in LABELS}
    typed = {name: request.POST.get(name, "") for name in LABELS} if refused else held
    tested = {name for name, _, _ in fields_of(part, {"material": lot.material})}
    return [(name, label, typed[name]) for name, label in LABELS.items() if name in tested or held[name]]


def _as_typed(lot: Lot) -> dict[str, str]:
    return {
        "gross_t": f"{lot.gross_t:g}",
        "tare_t": f"{lot.tare_t:g}",
        "moistures_pct": " ".join(f"{value:g}" for value in lot.moistures_pct),
    }


def lot_sentence(lot: Lot, name: str, lying: list[Any]) -> str:
    """Say what a lot is and where it is."""
    what = f"Lot {lot.number}, {name.lower()}, {lot.bdt:.1f} BDt, {lot.get_answer_display()}."
    if lot.answer == Lot.Answer.REFUSE:
        return f"{what} {lot.reason[:1].upper()}{lot.reason[1:]}."
    if not lying:
        return f"{what} All of it has been used."
    left = sum(one.now_bdt for _, one, _ in lying)
    places = " and ".join(part.name for part, _, _ in lying)
    return f"{what} {left:.1f} BDt of it lies in {places}."


def _moves(state: State, number: str) -> list[dict[str, Any]]:
    """Every operation that moved some of a lot, newest first, its movements summed by pile and kind."""
    rows = (
        Movement.objects.filter(op__world=state.world, lot_number=number)
        .select_related("op")
        .order_by("-op__to_at", "-id")[:60]
    )
    names = {pile.id: pile.name for pile in yard_of(state).part.piles} | {"boiler": "the boiler"}
    return [
        {
            "at": row.op.to_at,
            "what": f"{MOVED.get(row.kind, row.kind)} {names.get(row.pile, row.pile)}",
            "bdt": row.bdt,
            "source": row.op.source,
        }
        for row in rows
        if abs(row.bdt) >= 0.005
    ]


def _sums(state: State, number: str) -> dict[str, float]:
    """The lot's balance: what came is what was fed, burnt, lost, and still lies there."""
    sums: dict[str, float] = {"in": 0.0, "fed": 0.0, "boiler": 0.0, "lost": 0.0, "survey": 0.0}
    rows = Movement.objects.filter(op__world=state.world, lot_number=number)
    for kind, bdt, done, undone in rows.values_list("kind", "bdt", "op__kind", "op__undoes__kind"):
        if undone is not None and kind == "correct":
            sums["fed"] -= bdt if undone == Op.Kind.DRAW else 0.0
        elif (kind == "in" and done == Op.Kind.RECEIVE) or kind == "correct":
            sums["in"] += bdt
        elif kind == "out" and done == Op.Kind.DRAW:
            sums["fed"] -= bdt
        elif kind == "boiler":
            sums["boiler"] += bdt
        elif kind == "loss":
            sums["lost"] -= bdt
        elif kind == "survey":
            sums["survey"] -= bdt
    return sums


@on_line
def lot_page(request: HttpRequest, state: State, number: str) -> HttpResponse:
    """Show a lot."""
    return show_lot(request, state, number)


@on_line
@require_POST
@acting("The lot was not corrected", show_lot)
def correct(request: HttpRequest, state: State, number: str) -> HttpResponse:
    """Supersede a lot."""
    lot = Lot.objects.filter(world=state.world, number=number, superseded_by=None).first()
    if lot is None:
        raise Http404
    typed = request.POST.dict() | {"material": lot.material, "number": lot.number, "ticket": lot.ticket}
    load = load_of(state, typed)
    again = replace(load, received_at=lot.received_at)
    why = read_form(request, why=WhyField())["why"]
    correct_lot(state.world, signed_in(request), lot, again, why=why, form_key=key_of(request))
    return redirect("yard_lot", world_slug=state.world.slug, number=number)
