"""Order: the machine's call turned into what every station must run; accept writes it."""

import math
from dataclasses import dataclass
from datetime import datetime, timedelta
from typing import Any, Final

from django.core.exceptions import ValidationError
from django.forms import Field
from django.http import HttpRequest, HttpResponse, QueryDict
from django.shortcuts import get_object_or_404, redirect, render
from django.utils import timezone
from django.views.decorators.http import require_POST

from desk.floor import clock
from desk.floor.models import Order
from desk.floor.services import NotAllowedError, accept_order, require, withdraw_order
from desk.floor.state import State
from desk.frame.alike import new_key
from desk.frame.fields import MomentField, NumberField, WhyField, read_form
from desk.frame.forms import key_of, remember_fault, words_of
from desk.frame.page import asks, on_line, signed_in
from desk.frame.page import page as render_page
from desk.mill.selectors import solve
from desk.people.roles import ORDER, who_may
from desk.screens.furnish import furnish, tones
from desk.screens.reel_unit import ReelUnit
from desk.screens.working import blend_figure, tried_figure
from stock.blending.unit import Filler
from stock.cooking.unit import BatchDigesters, LiquorDose
from stock.delivery.unit import Effluent
from stock.errors import DomainError
from stock.figure import Figure
from stock.intake.unit import Logs
from stock.line.balance import LineResult, Load
from stock.primitives import Source, Tank
from stock.units import said

LATE: Final = timedelta(minutes=2)  # an order from now may be so late in coming


@dataclass(frozen=True, slots=True)
class Tried:
    """An order as typed, with its balance or what is wrong with it."""

    grade_id: str
    tonnes_text: str
    share_texts: dict[str, str]
    from_text: str
    faults: dict[str, str]
    result: LineResult | None
    shares: dict[str, float]
    tonnes: float
    from_at: datetime | None

    @property
    def ready(self) -> bool:
        """Whether it can be accepted."""
        return self.result is not None and self.result.feasible and not self.faults


@on_line
def page(request: HttpRequest, state: State) -> HttpResponse:
    """Show the next order accepted, or the one asked for, to be tried from there; the running one where none comes."""
    tried = _start(state, request.GET.get("of", ""))
    return render_page(request, state, "order/page.html", _context(request, state, tried), here="order")


@on_line
@require_POST
@asks
def attempt(request: HttpRequest, state: State) -> HttpResponse:
    """Recompute for what was typed; choosing another grade brings its own recipe."""
    tried = read(state, request.POST)
    return render(
        request, "order/_result.html", {**_context(request, state, tried), "world": state.world, "state": state}
    )


@on_line
@require_POST
def accept(request: HttpRequest, state: State) -> HttpResponse:
    """Accept the order, or say why not and keep what was typed."""
    tried = read(state, request.POST)
    fault = next(iter(tried.faults.values()), "")
    if not fault and tried.from_at is not None:
        try:
            require(signed_in(request), ORDER)
            accept_order(
                state.world,
                signed_in(request),
                grade=tried.grade_id,
                reel_t_per_h=tried.tonnes,
                shares=tried.shares,
                from_at=tried.from_at,
                form_key=key_of(request),
            )
            return redirect("order", world_slug=state.world.slug)
        except (DomainError, NotAllowedError) as error:
            fault = str(error)
    remember_fault(request, next(iter(tried.faults), ""))
    context = {**_context(request, state, tried), "refused": fault}
    return render_page(request, state, "order/page.html", context, here="order", status=422)


def _start(state: State, asked: str = "") -> Tried:
    """Return the form as it opens: the order asked for by its number, else the next one, else what runs."""
    order = next((one for one in state.orders if str(one.pk) == asked), state.orders[min(1, len(state.orders) - 1)])
    data = QueryDict(mutable=True)
    data["grade"] = order.grade
    data["was_grade"] = order.grade
    data["tonnes"] = ReelUnit.of(state).text(order.reel_t_per_h)
    if order.from_at > state.now:
        day = "" if clock.local(order.from_at).date() == clock.local(state.now).date() else "%d %b "
        data["from_at"] = f"{clock.local(order.from_at):{day}%H:%M}"
    for name in furnish(state):
        data[f"share_{name}"] = f"{100 * order.shares.get(name, 0):g}"
    return read(state, data)


def read(state: State, data: QueryDict) -> Tried:
    """Read the form: every fault is named by its field, and what was typed is kept."""
    faults: dict[str, str] = {}
    grades = {grade.id: grade for grade in state.line.grades}
    grade_id = data.get("grade", "")
    if grade_id not in grades:
        faults["grade"] = f"there is no grade {grade_id[:40]!r}; choose one of the list"
        grade_id = state.order.grade
    grade = grades[grade_id]
    fresh = data.get("was_grade") not in ("", None, grade_id)
    reel = ReelUnit.of(state)
    tonnes_text = reel.text(grade.tonnes_per_h) if fresh else data.get("tonnes", "").strip()[:20]
    names = furnish(state)
    texts = {name: data.get(f"share_{name}", "0").strip()[:20] for name in names}
    if fresh:
        texts = {name: f"{100 * grade.shares.get(name, 0):g}" for name in names}
    tonnes = (_clean(reel.field, "tonnes", tonnes_text, faults) or 0.0) / reel.per_t
    shares = {
        name: (_clean(NumberField(names[name], "%", least=0, most=100), f"share_{name}", text, faults) or 0.0) / 100
        for name, text in texts.items()
    }
    from_text = data.get("from_at", "").strip()[:40] or timezone.localtime(state.now).strftime("%H:%M")
    from_at = _clean(MomentField(state, ahead=True), "from_at", from_text, faults)
    if from_at is not None and from_at < state.now - LATE:
        was = f"{timezone.localtime(from_at):%d %b %H:%M}"
        faults["from_at"] = f"{was} is past. Give a time to come, with its day where it is another: tomorrow 06:00"
    result = None
    if not faults:
        try:
            result = solve(state.world.version, grade_id, tonnes, shares)
        except DomainError as error:
            faults["shares" if error.argument == "shares" else "tonnes"] = error.message
    return Tried(grade_id, tonnes_text, texts, from_text, faults, result, shares, tonnes, from_at)


def _clean(field: Field, name: str, text: str, faults: dict[str, str]) -> Any:
    """Read one field; what is wrong with it goes among the faults."""
    try:
        return field.clean(text)
    except ValidationError as error:
        faults[name] = "; ".join(error.messages)
        return None


def _context(request: HttpRequest, state: State, tried: Tried) -> dict[str, Any]:
    result, names, coloured = tried.result, furnish(state), tones(state)
    rows = []
    if result is not None:
        now = {load.unit: load for load in state.result.loads}
        rows = [
            (
                load,
                tried_figure(state, result, load.stream, load.unit),
                load.bdt_per_h - now[load.unit].bdt_per_h,
                load is result.binding,
                _side(state, load),
            )
            for load in result.loads
        ]
    running_now = blend_of(state)
    return {
        "gap": _gap(state, running_now, _measured(state)),
        "tried": tried,
        "reel": ReelUnit.of(state),
        "grades": state.line.grades,
        "shares": [
            (name, names[name], coloured[name], text, tried.faults.get(f"share_{name}", ""))
            for name, text in tried.share_texts.items()
        ],
        "rows": rows,
        "needs": _needs(state, result) if result else [],
        "forecast": _forecast(state, tried),
        "measured": _measured(state),
        "wanted": state.line.grade(tried.grade_id).brightness_pct,
        "sentence": running(state),
        "verdict": sentence(state, tried),
        "form_key": new_key(),
        "may_accept": signed_in(request).may(ORDER),
        "coming": [(order, _order_words(state, order)) for order in state.orders],
        "clash": _clash(state, tried),
        "accepted": (same := _accepted(state, tried)),
        "opened": same.pk if same else None,
        "who_may": who_may(ORDER),
        "total_share": sum(tried.shares.values()) * 100,
    }


def _side(state: State, load: Load) -> str:
    """Say on which side of a unit its load is counted."""
    source = state.line.stream(load.stream).source
    return "out" if state.line.unit(source).name == load.unit else "in"


def _accepted(state: State, tried: Tried) -> Order | None:
    """Return the accepted order that the one tried is already, whole: grade, rate, shares and time."""
    for order in state.orders:
        alike = order.grade == tried.grade_id and math.isclose(order.reel_t_per_h, tried.tonnes, rel_tol=1e-6)
        shares = all(
            math.isclose(order.shares.get(name, 0), share, abs_tol=1e-6) for name, share in tried.shares.items()
        )
        when = tried.from_at is not None and (
            abs(order.from_at - tried.from_at) < timedelta(minutes=1)
            or (order is state.order and tried.from_at <= state.now + LATE)
        )
        if alike and shares and when:
            return order
    return None


CLASH: Final = timedelta(hours=1)  # orders nearer to each other than this are asked about


def _order_words(state: State, order: Order) -> str:
    """Say an order in a line: what, from when, by whom."""
    by = f", accepted by {order.accepted_by.short_name}" if order.accepted_by_id else ""
    return (
        f"{order.rate} of {state.line.grade(order.grade).name} from {timezone.localtime(order.from_at):%d %b %H:%M}{by}"
    )


def _clash(state: State, tried: Tried) -> str:
    """Say which accepted order begins so near to the one tried that one of them is hardly meant."""
    if tried.from_at is None or _accepted(state, tried) is not None:
        return ""
    for order in state.orders:
        apart = abs(order.from_at - tried.from_at)
        if order.from_at > state.now and apart < CLASH:
            minutes = apart.total_seconds() / 60
            return (
                f"{_order_words(state, order)} stands {minutes:.0f} min"
                f" {'before' if order.from_at <= tried.from_at else 'after'} it: withdraw that one first if this replaces it"
            )
    return ""


@on_line
@require_POST
def withdraw(request: HttpRequest, state: State, pk: int) -> HttpResponse:
    """Withdraw an order that has not begun."""
    order = get_object_or_404(Order, world=state.world, pk=pk)
    try:
        withdraw_order(order, signed_in(request), **read_form(request, why=WhyField()), form_key=key_of(request))
    except ValidationError as error:
        context = {**_context(request, state, _start(state)), "not_withdrawn": words_of(request, error), "failed": pk}
        context["typed_why"] = request.POST.get("why", "")
        return render_page(request, state, "order/page.html", context, here="order", status=422)
    return redirect("order", world_slug=state.world.slug)


def running(state: State) -> str:
    """Say what runs and what comes next."""
    order = state.order
    words = (
        f"Running {order.rate} of {state.line.grade(order.grade).name} since {timezone.localtime(order.from_at):%H:%M}."
    )
    if state.orders[1:]:
        later = state.orders[1]
        words += (
            f" Next {state.line.grade(later.grade).name}, {later.rate}, at {timezone.localtime(later.from_at):%H:%M}."
        )
    return words


def sentence(state: State, tried: Tried) -> str:
    """Say what the order asks for and what binds."""
    name = state.line.grade(tried.grade_id).name
    if tried.result is None:
        return f"{name}: the order cannot be worked out as it stands. Nothing is lost."
    result = tried.result
    if result.shortages:
        return f"{said(tried.tonnes, 't/h')} of {name} cannot be met: {result.shortages[0]}."
    if not result.feasible:
        load = result.binding
        return (
            f"{said(tried.tonnes, 't/h')} of {name} cannot be met: {load.unit} would carry {said(load.bdt_per_h, 'BDt/h', 1)}"
            f" and can carry {said(load.capacity_bdt_per_h, 'BDt/h')}. {said(result.most_t_per_h, 't/h', 1)} is the most."
        )
    return f"{said(tried.tonnes, 't/h')} of {name} can be met. {result.binding.unit} would bind first, at {said(result.most_t_per_h, 't/h', 1)}."


def _needs(state: State, result: LineResult) -> list[tuple[Figure, str]]:
    """What must come in from the yard and the shops, per hour, and what leaves as effluent."""
    line = state.line
    found = []
    for unit in line.units:
        onward = line.graph.onward(unit.id)
        if onward is None:
            continue
        if isinstance(unit, Filler):
            found.append((tried_figure(state, result, onward.id, unit.name), "dry"))
        elif isinstance(unit, Logs):
            chips = line.graph.nearest(unit.id, BatchDigesters)
            fed = line.graph.fed_by(chips.id) if chips is not None else onward
            stream = fed or onward
            found.append(
                (tried_figure(state, result, stream.id, f"{stream.called[:1].upper()}{stream.called[1:]}"), "")
            )
        elif isinstance(unit, Source):
            found.append((tried_figure(state, result, onward.id, unit.name, whole=True), "as received"))
        elif isinstance(unit, LiquorDose):
            found.append((tried_figure(state, result, onward.id, unit.name, whole=True), ""))
    for unit in line.units:
        if isinstance(unit, Effluent):
            for stream in line.graph.into(unit.id):
                if isinstance(line.unit(stream.source), Tank):
                    name = f"Effluent, {line.unit(stream.source).name.lower()}"
                    found.append((tried_figure(state, result, stream.id, name, whole=True), ""))
    return found


def _measured(state: State) -> Figure | None:
    """Return the brightness found at the blend of what runs now; None where nobody tests it."""
    tag = state.line.graph.blend.tag_of("brightness")
    return state.readings[tag].as_figure() if tag is not None and tag in state.readings else None


def _gap(state: State, forecast: Figure | None, measured: Figure | None) -> str:
    """Say that what the parts should give and what is found differ by more than tests do; '' where they agree."""
    tag = state.line.graph.blend.tag_of("brightness")
    if forecast is None or measured is None or tag is None:
        return ""
    apart, known = measured.value - forecast.value, state.line.tag(tag).uncertainty
    if abs(apart) <= max(3 * known, 0.5):
        return ""
    return (
        f"{abs(apart):.1f} {'under' if apart < 0 else 'over'} what the parts should give: a part is not what it was,"
        " or a scattering is out of date"
    )


def blend_of(state: State) -> Figure | None:
    """Return the brightness the parts should give in the order that runs."""
    try:
        return blend_figure(state, state.result)
    except (DomainError, LookupError):
        return None


def _forecast(state: State, tried: Tried) -> Figure | None:
    """Brightness the blend would have, of what each line makes now."""
    if tried.result is None:
        return None
    try:
        return blend_figure(state, tried.result)
    except (DomainError, LookupError):
        return None
