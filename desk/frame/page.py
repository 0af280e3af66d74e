"""What every page shares: the line it is on, the ribbon, the rail, and how it is answered."""

from collections.abc import Callable, Iterable
from dataclasses import dataclass
from functools import wraps
from typing import Any, Final
from urllib.parse import urlencode

from django.http import Http404, HttpRequest, HttpResponse
from django.shortcuts import render
from django.template.loader import render_to_string
from django.urls import URLPattern, reverse
from django.utils import timezone
from django.utils.safestring import SafeString, mark_safe

from desk.floor import clock, pulse
from desk.floor.faults import fault
from desk.floor.models import Record, World
from desk.floor.next_up import SHOWN, folded, next_up
from desk.floor.parts import Trouble, troubles
from desk.floor.services import NotAllowedError
from desk.floor.state import State
from desk.floor.station import Station
from desk.frame.alike import TOKEN, Carrier, Rendered, is_marking, kept_or_made, new_key
from desk.frame.made_ahead import MAKER
from desk.people.models import Person
from desk.people.roles import PEOPLE, RECORD, who_may
from stock.line.drawing import draw_ribbon, ribbon_columns

RIBBON_W, RIBBON_H = 962, 78
REFUSED: Final = 422


@dataclass(frozen=True, slots=True)
class Stop:
    """One press-place on the ribbon."""

    id: str
    name: str
    x: float
    level: str
    open: bool
    left: float
    width: float
    marked: bool = False


def on_line(view: Callable[..., HttpResponse]) -> Callable[..., HttpResponse]:
    """Give a view the line's state in place of its slug; a wrong role is answered in words."""

    @wraps(view)
    def wrapped(request: HttpRequest, world_slug: str, **kwargs: Any) -> HttpResponse:
        now = now_at(request, world_slug)
        if refreshes(request) and request.headers.get("HX-PTag") == now.tag:
            return HttpResponse(status=304)
        try:
            if not (shows(request) or getattr(view, "asks", False)):
                fresh = State(World.objects.select_related("version").get(pk=now.world_id))
                request.alkali_basis = fresh.line.alkali_basis  # type: ignore[attr-defined]
                return view(request, fresh, **kwargs)
            alike = getattr(view, "alike", False)
            has = request.headers.get("HX-PTag", "")
            taken = (MAKER.shown(now, has) if alike and refreshes(request) else None) or pulse.take(now)
            request.alkali_basis = taken.state.line.alkali_basis  # type: ignore[attr-defined]
            if not alike:
                return view(request, taken.state, **kwargs)
            if refreshes(request):
                MAKER.ask(world_slug, view, request, kwargs)
                if taken.tag == has:
                    return HttpResponse(status=304)
            found = kept_or_made(view, request, taken, kwargs)
            return whole(request, taken.state, found) if isinstance(found, Rendered) else found
        except NotAllowedError as error:
            return fault(request, 403, "Not with this role", str(error))

    return wrapped


def asks(view: Callable[..., HttpResponse]) -> Callable[..., HttpResponse]:
    """Say of a view that it only asks, though a form is sent to it: it works on the shared state and writes nothing."""
    view.asks = True  # type: ignore[attr-defined]
    return view


def shows(request: HttpRequest) -> bool:
    """Whether a request only looks."""
    return request.method in ("GET", "HEAD")


def refreshes(request: HttpRequest) -> bool:
    """Whether a page that is open asks for its live part again."""
    asks = bool(getattr(request, "htmx", False)) and request.headers.get("HX-Target", "").endswith("#desk")
    return asks and shows(request)


def now_at(request: HttpRequest, slug: str) -> pulse.Now:
    """Return how the line of an address stands, asked once a request; 404 where there is none."""
    found: pulse.Now | None = getattr(request, "fox_now", None)
    if found is None:
        found = pulse.now_of(slug)
        if found is None:
            message = f"There is no line called {slug[:40]}."
            raise Http404(message)
        request.fox_now = found  # type: ignore[attr-defined]
    return found


def only_where(station: Station, address: URLPattern) -> URLPattern:
    """Open a station's address only on lines it serves; elsewhere say that there is none."""
    inner = address.callback

    @wraps(inner)
    def wrapped(request: HttpRequest, world_slug: str, **kwargs: Any) -> HttpResponse:
        line = pulse.take(now_at(request, world_slug)).state.line
        if not station.serves(line):
            message = f"{line.mill} has no {station.title.lower()}."
            raise Http404(message)
        answer: HttpResponse = inner(request, world_slug=world_slug, **kwargs)
        return answer

    address.callback = wrapped
    return address


def signed_in(request: HttpRequest) -> Person:
    """Return who is at the desk."""
    assert isinstance(request.user, Person)
    return request.user


def named(state: State, records: Iterable[Record]) -> list[Record]:
    """Give each entry the name of what it measured, as shown."""
    rows = list(records)
    for row in rows:
        reading = row.kind == Record.Kind.READING
        tag = state.line.tag(row.tag) if reading else None
        row.tag_name = tag.name if tag else row.text  # type: ignore[attr-defined]
        row.decimals = tag.decimals if tag else 0  # type: ignore[attr-defined]
    return rows


def tabs_of(state: State, station: Station, here: str) -> list[tuple[str, str, bool]]:
    """Return (address, label, open) of a station's pages."""
    return [(address, label, name == here) for name, label, address in station.tabs(state)]


def page(
    request: HttpRequest,
    state: State,
    template: str,
    context: dict[str, Any] | None = None,
    *,
    here: str = "",
    status: int = 200,
) -> HttpResponse:
    """Answer with a whole page round a body template, or its live part alone where the page refreshes itself.

    A refused form changed nothing: what is round it is what every page of the line shows.
    """
    marked = is_marking()
    shared = {
        "body": template,
        "state": state,
        "line": state.line,
        "world": state.world,
        "here": here,
        "now": state.now,
        "troubles": troubles_of(state),
        **rights_of(request),
        **framed(pulse.take(now_at(request, state.world.slug)).state if status == REFUSED else state, here),
        **({"csrf_token": TOKEN} if marked else {}),
        **(context or {}),
    }
    html = render_to_string("components/_desk.html", shared, request)
    rendered = Rendered(html, str(shared.get("sentence", "")), here)
    if marked:
        carrier = Carrier()
        carrier.rendered = rendered
        return carrier
    return whole(request, state, rendered, status)


def rights_of(request: HttpRequest) -> dict[str, Any]:
    """Return whether who looks may record, and who may: what a form's button goes by."""
    return {"may_record": signed_in(request).may(RECORD), "who_records": who_may(RECORD)}


def whole(request: HttpRequest, state: State, rendered: Rendered, status: int = 200) -> HttpResponse:
    """Answer with a rendered page and what is round it, or with its live part alone where it refreshes itself."""
    tag = tag_of(state)
    desk = rendered.for_one(request)
    if refreshes(request):
        response = HttpResponse(desk, status=status)
    else:
        start, end = clock.shift_of(state.now, state.line.shifts)
        round_it = {
            "desk": mark_safe(desk),  # noqa: S308  our own templates made it
            "sentence": rendered.sentence,
            "line": state.line,
            "world": state.world,
            "here": rendered.here,
            "now": state.now,
            "shift_left_min": int((end - timezone.localtime(state.now)).total_seconds() // 60),
            "shift_start": start,
            "ptag": tag,
            "entry_key": new_key(),
            "keeps_people": signed_in(request).may(PEOPLE),
            "own": own_address(request, state, rendered.here),
            "sent": sent(request) if status == REFUSED else None,
        }
        response = render(request, "components/page.html", round_it, status=status)
    response["HX-PTag"] = tag
    response["Cache-Control"] = "no-store"
    return response


def troubles_of(state: State) -> list[Trouble]:
    """Return what does not run, asked once a state."""
    if "troubles" not in state.kept:
        state.kept["troubles"] = troubles(state)
    found: list[Trouble] = state.kept["troubles"]
    return found


def own_address(request: HttpRequest, state: State, here: str) -> str:
    """Return what a page refreshes itself from: where it was got; after a form, ribbon and rail alone."""
    if request.method == "GET":
        return request.get_full_path()
    return f"{reverse('frame', args=[state.world.slug])}?{urlencode({'here': here})}"


def tag_of(state: State) -> str:
    """Return what a page of a state is known by: of the line as it stood when the state was made, or stands now."""
    now = pulse.now_of(state.world.slug) if "tag" not in state.kept else None
    return now.tag if now is not None else state.kept.get("tag", "")


def framed(state: State, here: str) -> dict[str, SafeString]:
    """Return ribbon and rail as they stand on a page: the same for everybody, made once a state."""
    key = f"framed:{here}"
    if key not in state.kept:
        context = {"world": state.world, "here": here, "next_up_html": next_up_of(state), **ribbon(state, here)}
        state.kept[key] = {
            f"{part}_html": render_to_string(f"components/_{part}.html", context) for part in ("ribbon", "rail")
        }
    found: dict[str, SafeString] = state.kept[key]
    return found


def next_up_of(state: State) -> SafeString:
    """Return the rail's list, made once a state for every page."""
    if "next_up_html" not in state.kept:
        context = {"world": state.world, **rail(state)}
        state.kept["next_up_html"] = render_to_string("components/_next_up.html", context)
    found: SafeString = state.kept["next_up_html"]
    return found


SECRET_FIELDS: Final = frozenset({"csrfmiddlewaretoken", "secret"})


def sent(request: HttpRequest) -> dict[str, Any]:
    """Return a refused form as it was typed, for its fields to be filled again."""
    fields = {name: values for name, values in request.POST.lists() if name not in SECRET_FIELDS}
    return {"action": request.path, "fields": fields, "fault": getattr(request, "fox_fault", "")}


@on_line
def frame(request: HttpRequest, state: State) -> HttpResponse:
    """Answer with ribbon and rail alone: the refresh of a page that holds what somebody typed."""
    here = request.GET.get("here", "")
    tag = tag_of(state)
    context = {"here": here, "troubles": troubles_of(state), **framed(state, here)}
    response = render(request, "components/frame.html", context)
    response["HX-PTag"] = tag
    response["Cache-Control"] = "no-store"
    return response


def rail(state: State) -> dict[str, Any]:
    """Return the lines of the rail: those shown, and the rest one press away."""
    lines = folded(next_up(state))
    return {"lines": lines[:SHOWN], "rest": lines[SHOWN:], "count": len(lines)}


def ribbon(state: State, here: str) -> dict[str, Any]:
    """Return the ribbon's drawing and its stops."""
    if "ribbon" not in state.kept:
        state.kept["ribbon"] = draw_ribbon(state.line, state.flows, width=RIBBON_W, height=RIBBON_H)
    drawing = state.kept["ribbon"]
    columns = ribbon_columns(state.line, RIBBON_W)
    step = RIBBON_W / len(columns)
    worst: dict[str, str] = {}
    for reading in state.off:
        station = reading.tag.station
        worst[station] = "act" if "act" in (worst.get(station), reading.verdict.level) else "outside"
    marks = [
        (node, state.readings[node.tag].verdict.level)
        for node in drawing.nodes
        if node.tag in state.readings and state.readings[node.tag].verdict.level != "ok"
    ]
    drawn = {node.station for node, _ in marks}
    stops = [
        Stop(
            station.id,
            station.name,
            columns[station.id],
            worst.get(station.id, "ok"),
            station.id == here,
            columns[station.id] - step / 2 + 4,
            step - 8,
            station.id in drawn,
        )
        for station in state.line.stations
    ]
    return {"ribbon": drawing, "stops": stops, "marks": marks}
