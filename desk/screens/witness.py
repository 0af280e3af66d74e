"""Two witnesses: an instrument beside the laboratory, what the pairs ask for, the trim that was made."""

from dataclasses import dataclass
from typing import Any, Final

from django.core.exceptions import ValidationError
from django.http import Http404, HttpRequest, HttpResponse
from django.shortcuts import redirect
from django.views.decorators.http import require_POST

from desk.floor.services import AlreadyCorrectedError
from desk.floor.state import State
from desk.floor.witness import Witness, log_trim, take_back_trim
from desk.frame.alike import new_key
from desk.frame.fields import MomentField, NumberField, WhyField, read_form
from desk.frame.forms import key_of, words_of
from desk.frame.page import on_line, signed_in
from desk.frame.page import page as render_page
from desk.frame.plot import Scale
from desk.people.roles import RECORD

WIDTH: Final = 460.0
HEIGHT: Final = 150.0
EDGE: Final = 58.0


def _witness(state: State, tag_id: str) -> Witness:
    found = state.witnesses.get(tag_id)
    if found is None:
        message = f"{state.line.mill} has no instrument {tag_id[:40]} that the laboratory checks."
        raise Http404(message)
    return found


@on_line
def page(request: HttpRequest, state: State, tag_id: str) -> HttpResponse:
    """Show an instrument beside the laboratory."""
    return _page(request, state, _witness(state, tag_id))


def _page(request: HttpRequest, state: State, witness: Witness, refused: str = "") -> HttpResponse:
    context = {
        "witness": witness,
        "reading": state.readings.get(witness.tag.id),
        "pairs": list(reversed(witness.pairs)),
        "drawn": _drawn(witness),
        "typed": request.POST.dict() if refused else _usual(witness),
        "refused": refused,
        "may_record": signed_in(request).may(RECORD),
        "form_key": new_key(),
        "sentence": _sentence(witness),
    }
    here = witness.tag.station
    return render_page(request, state, "witness/page.html", context, here=here, status=422 if refused else 200)


def _usual(witness: Witness) -> dict[str, str]:
    """Return what the form of a trim is filled with: the size and the reason the pairs give."""
    if witness.decision != "offset":
        return {}
    return {"by": f"{witness.trim_by:.{witness.decimals}f}", "why": witness.words}


def _sentence(witness: Witness) -> str:
    asks = f" {witness.asks}." if witness.asks else ""
    since = " since it was trimmed" if witness.trim is not None else ""
    return f"{witness.tag.name} beside the laboratory{since}: {witness.words[:1].lower()}{witness.words[1:]}.{asks}"


@dataclass(frozen=True, slots=True)
class Drawn:
    """The differences in order of time, with what does not matter and the mean."""

    dots: list[tuple[float, float]]
    nought: float
    top: float
    depth: float
    mean: float
    marks: list[tuple[float, str]]


def _drawn(witness: Witness) -> Drawn | None:
    if not witness.pairs:
        return None
    tolerance = witness.tag.pairs_tolerance
    reach = 1.15 * max(tolerance, *(abs(pair.apart) for pair in witness.pairs))
    y, x = Scale(-reach, reach, HEIGHT - 10, 10), Scale(-0.5, len(witness.pairs) - 0.5, EDGE, WIDTH - 10)
    dots = [(float(x(index)), float(y(pair.apart))) for index, pair in enumerate(witness.pairs)]
    marks = [(float(y(value)) + 4, witness.size(value)) for value in (tolerance, -tolerance)]
    top, depth = float(y(tolerance)), float(y(-tolerance) - y(tolerance))
    return Drawn(dots, float(y(0)), top, depth, float(y(witness.bias)), marks)


@on_line
@require_POST
def trim(request: HttpRequest, state: State, tag_id: str) -> HttpResponse:
    """Log that it was trimmed."""
    witness, person = _witness(state, tag_id), signed_in(request)
    try:
        typed = read_form(request, by=NumberField("The trim"), at=MomentField(state), why=WhyField())
        at = typed["at"] or state.now
        given: dict[str, Any] = {"at": at, "why": typed["why"], "form_key": key_of(request)}
        log_trim(state.world, person, witness.tag, typed["by"], **given)
    except ValidationError as error:
        return _page(request, state, witness, words_of(request, error))
    return redirect("witness", world_slug=state.world.slug, tag_id=tag_id)


@on_line
@require_POST
def take_back(request: HttpRequest, state: State, tag_id: str) -> HttpResponse:
    """Say that the last trim was not made after all."""
    witness, person = _witness(state, tag_id), signed_in(request)
    if witness.trim is None:
        return _page(request, state, witness, "There is no trim to take back.")
    try:
        typed = read_form(request, why=WhyField())
        take_back_trim(state.world, witness.trim, person, why=typed["why"], form_key=key_of(request))
    except ValidationError as error:
        return _page(request, state, witness, words_of(request, error))
    except AlreadyCorrectedError as error:
        return _page(request, state, witness, f"{error}.")
    return redirect("witness", world_slug=state.world.slug, tag_id=tag_id)
