"""The page of moves: what was moved, what was expected, what came; a form for another; what moves teach."""

from dataclasses import dataclass
from datetime import timedelta
from typing import Any, Final

from django.core.exceptions import ValidationError
from django.http import Http404, HttpRequest, HttpResponse
from django.shortcuts import redirect
from django.utils import timezone
from django.views.decorators.http import require_POST

from desk.floor.arrival import arrival_from
from desk.floor.state import State
from desk.frame.alike import alike, new_key
from desk.frame.fields import ChoiceField, MomentField, NumberField, WhyField, WordsField, read_form
from desk.frame.forms import key_of, words_of
from desk.frame.page import on_line, signed_in
from desk.frame.page import page as render_page
from desk.frame.plot import Scale, line, round_marks
from desk.people.roles import MODEL, MOVE, who_may
from desk.stations.moves.course import said
from desk.stations.moves.expecting import wish_of_card
from desk.stations.moves.followed import Followed
from desk.stations.moves.learned import kinds
from desk.stations.moves.models import Move, Setting
from desk.stations.moves.reckoning import reckoned
from desk.stations.moves.services import Wish, accept_gain, make_move, take_back_move
from desk.stations.moves.since import followed, moves_of
from stock.errors import DomainError

WIDTH: Final = 470.0
HEIGHT: Final = 118.0
LEFT: Final = 52.0
SHOWN: Final = 12
HOURS_FROM_MIN: Final = 150.0
REFUSED = (ValidationError, DomainError)


@dataclass(frozen=True, slots=True)
class Drawn:
    """A move drawn: what was read, the course expected with its band, where it was made, marks on both axes."""

    dots: list[tuple[float, float]]
    course: str
    band: str
    made_x: float
    look_x: float
    across: list[tuple[float, str]]
    up: list[tuple[float, str]]


def draw(one: Followed) -> Drawn | None:
    """Draw what was read over the course expected; None where nothing is to be drawn."""
    if one.tag is None or not one.judged or one.before is None:
        return None
    settled = max(float(one.move.expected.get("settled_min", 10.0)), 4.0)
    first = min([*one.times_min, -0.4 * settled])
    first = max(first, -2.5 * settled)
    last = max([*one.times_min, 1.25 * settled])
    x = Scale(first, last, LEFT, WIDTH - 8)
    grid = [first + (last - first) * part / 60 for part in range(61)]
    course = one.course(grid)
    reach = [abs(value - one.before) * 0.3 for value in course]
    seen = [(at, value) for at, value in zip(one.times_min, one.values, strict=True) if at >= first]
    every = [*course, *(value + by for value, by in zip(course, reach, strict=True)), *(value for _, value in seen)]
    low, high = min(every), max(every)
    pad = 0.12 * max(high - low, 2 * 10.0**-one.tag.decimals)
    y = Scale(low - pad, high + pad, HEIGHT - 20, 6)
    xs = [float(x(at)) for at in grid]
    upper = [float(y(value + by)) for value, by in zip(course, reach, strict=True)]
    lower = [float(y(value - by)) for value, by in zip(course, reach, strict=True)]
    return Drawn(
        [(float(x(at)), float(y(value))) for at, value in seen],
        line(xs, [float(y(value)) for value in course]),
        line([*xs, *reversed(xs)], [*upper, *reversed(lower)]),
        float(x(0)),
        float(x(min(last, float(one.move.expected.get("first_min", 0.0))))),
        _across(first, last, x),
        [(float(y(mark)) + 4, f"{mark:.{one.tag.decimals}f}") for mark in round_marks(low, high)],
    )


def _across(first: float, last: float, x: Scale) -> list[tuple[float, str]]:
    """Return the marks of the clock: minutes from the move, hours where they are many; none that would be cut."""
    by, unit = (60.0, "h") if last > HOURS_FROM_MIN else (1.0, "min")
    marks = [
        (float(x(mark * by)), f"{mark:+.0f} {unit}" if mark else "made") for mark in round_marks(first / by, last / by)
    ]
    return [(place, words) for place, words in marks if LEFT <= place <= WIDTH - 26]


@on_line
@alike
def page(request: HttpRequest, state: State) -> HttpResponse:
    """Show the moves of late, each with what it did."""
    return _page(request, state)


def _page(request: HttpRequest, state: State, refused: str = "") -> HttpResponse:
    person = signed_in(request)
    moves = followed(state, SHOWN)
    context = {
        "moves": [(one, draw(one), _arrives(state, one.move)) for one in moves],
        "more": max(0, len(moves_of(state)) - SHOWN),
        "settings": Setting.objects.filter(world=state.world).order_by("station", "words"),
        "stations": state.line.stations,
        "kinds": kinds(state),
        "may_move": person.may(MOVE),
        "who_moves": who_may(MOVE),
        "may_model": person.may(MODEL),
        "typed": request.POST.dict() if refused else {},
        "refused": refused,
        "form_key": new_key(),
        "undo_key": new_key(),
        "gain_key": new_key(),
        "readable": [tag for tag in state.line.tags if tag.band is not None and not tag.computed],
        "sentence": _sentence(moves, len(moves_of(state))),
    }
    return render_page(request, state, "moves/page.html", context, here="moves", status=422 if refused else 200)


def _arrives(state: State, move: Move) -> str:
    """Say when a move shows at the machine chest; '' where no way there is known."""
    kind, _, where = move.point.partition(":")
    graph = state.line.graph
    unit = graph.streams[where].target if kind == "flow" and where in graph.streams else where
    found = arrival_from(state, unit) if kind != "offset" and unit in graph.units else None
    if found is None:
        return ""
    at = [move.at + timedelta(hours=float(found.results[name])) for name in ("start_h", "half_h", "nearly_h")]
    shown = [f"{timezone.localtime(one):%H:%M}" for one in at]
    return f"At the machine chest it begins {shown[0]}, half of it {shown[1]}, nearly all {shown[2]}"


def _sentence(moves: list[Followed], count: int) -> str:
    if not moves:
        return "No move was made in the last two days. Make one from a card, a set panel, or below."
    waiting = sum(1 for one in moves if one.judged and one.too_early)
    off = [one for one in moves if one.level != "ok"]
    words = f"{count} move{'' if count == 1 else 's'} in two days"
    words += f", {waiting} not looked at yet" if waiting else ""
    if off:
        return f"{words}. {off[0].move.words[:1].upper()}{off[0].move.words[1:]}: {off[0].sentence}."
    return f"{words}. None stands against what was expected of it."


def _points(state: State) -> dict[str, Setting]:
    return {one.point: one for one in Setting.objects.filter(world=state.world)}


@on_line
@require_POST
def make(request: HttpRequest, state: State) -> HttpResponse:
    """Keep a move of one's own, or of a panel."""
    known = _points(state)
    tags = [tag.id for tag in state.line.tags]
    try:
        named = bool(known) and bool(request.POST.get("point"))
        typed = read_form(
            request,
            point=ChoiceField("What is set", ["", *known], required=False),
            words=WordsField("What is set", 120, required=not named),
            unit=WordsField("Its unit", 20),
            station=ChoiceField("The station", [one.id for one in state.line.stations], required=not named),
            to=NumberField("Set to"),
            tag=ChoiceField("What it is to change", ["", *tags], required=False),
            effect=NumberField("What it is to change by", required=False),
            minutes=NumberField("How soon", "min", least=1, most=2880, required=False),
            at=MomentField(state),
            text=WordsField("Why", 200),
            because=ChoiceField("What for", Move.Because.values, required=False),
        )
        tag, expected = typed["tag"] if typed["effect"] is not None else "", _expected(typed)
        if not expected and typed["point"] in known:
            tag, expected = reckoned(state, known[typed["point"]], typed["to"])
        wish = Wish(
            to=typed["to"], words=typed["words"], unit=typed["unit"], station="" if named else typed["station"], point=typed["point"],
            tag=tag, text=typed["text"],
            because=typed["because"] or Move.Because.OWN, expected=expected,
        )  # fmt: skip
        make_move(state.world, signed_in(request), wish, at=typed["at"] or state.now, form_key=key_of(request))
    except REFUSED as error:
        return _page(request, state, words_of(request, error))
    return redirect("moves", world_slug=state.world.slug)


def _expected(typed: dict[str, Any]) -> dict[str, Any]:
    """Return what a person expects of a move of their own."""
    if typed["effect"] is None or not typed["tag"]:
        return {}
    return said(typed["effect"], typed["minutes"])


@on_line
@require_POST
def by_card(request: HttpRequest, state: State, tag_id: str) -> HttpResponse:
    """Keep the move a card advises, of the size that was typed, by one press."""
    card = next((one for one in state.advice if one.tag.id == tag_id), None)
    try:
        typed = read_form(request, to=NumberField("Set to"), text=WordsField("Why", 200), side=WordsField("Side", 10))
        if card is None or card.step is None:
            raise ValidationError(
                {
                    "to": "the card is gone meanwhile: what it was about is back in its band, or was moved. Nothing was kept"
                }
            )
        if typed["side"] and typed["side"] != card.verdict.side:
            raise ValidationError({"to": "the card says the other way meanwhile. Nothing was kept: look again"})
        wish = wish_of_card(state, card, typed["to"], typed["text"])
        make_move(state.world, signed_in(request), wish, at=state.now, form_key=key_of(request))
    except REFUSED as error:
        return _page(request, state, words_of(request, error))
    return redirect("moves", world_slug=state.world.slug)


@on_line
@require_POST
def take_back(request: HttpRequest, state: State, pk: int) -> HttpResponse:
    """Say that a move was not made after all."""
    move = Move.objects.filter(world=state.world, pk=pk, superseded_by=None, void=False).first()
    if move is None:
        message = f"There is no move {pk} that stands."
        raise Http404(message)
    try:
        typed = read_form(request, why=WhyField())
        take_back_move(move, signed_in(request), why=typed["why"], form_key=key_of(request))
    except ValidationError as error:
        return _page(request, state, words_of(request, error))
    return redirect("moves", world_slug=state.world.slug)


@on_line
@require_POST
def learn(request: HttpRequest, state: State) -> HttpResponse:
    """Accept what the mill's own moves teach of a kind of move."""
    known = {f"{one.point} {one.tag.id}": one for one in kinds(state)}
    try:
        typed = read_form(request, kind=ChoiceField("The kind of move", list(known)))
        one = known[typed["kind"]]
        accept_gain(
            state.world, signed_in(request), point=one.point, tag=one.tag.id, learned=one.learned, moves=list(one.moves),
            form_key=key_of(request),
        )  # fmt: skip
    except ValidationError as error:
        return _page(request, state, words_of(request, error))
    return redirect("moves", world_slug=state.world.slug)
