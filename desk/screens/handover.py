"""Hand-over: the sheet composed from the shift, signed, printed."""

from django.core.exceptions import ValidationError
from django.http import HttpRequest, HttpResponse
from django.shortcuts import get_object_or_404, redirect
from django.utils import timezone
from django.views.decorators.http import require_POST

from desk.floor.clock import shift_of
from desk.floor.handover import WrongSecretError, compose, sign, take_over
from desk.floor.models import HandOver, OpenPoint, Receipt
from desk.floor.points import MUST_SAY, PLURAL, point_words, points_open
from desk.floor.sheet_pdf import sheet_pdf
from desk.floor.state import State
from desk.floor.totals import lost
from desk.frame.alike import new_key
from desk.frame.fields import WordsField, read_form
from desk.frame.forms import key_of, words_of
from desk.frame.page import on_line, signed_in
from desk.frame.page import page as render_page
from desk.people.limits import address_of
from desk.people.roles import RECORD, SIGN, who_may


@on_line
def page(request: HttpRequest, state: State) -> HttpResponse:
    """Show the sheet as it would be signed now."""
    return show(request, state)


def back(state: State) -> HttpResponse:
    """Return to the page."""
    return redirect("handover", world_slug=state.world.slug)


def show(request: HttpRequest, state: State, *, fault: str = "", form: str = "", status: int = 200) -> HttpResponse:
    """Show the sheet, what is carried and the forms; `form` is the one that was refused, with what was typed."""
    last = HandOver.objects.filter(world=state.world).select_related("signed_by").first()
    receipt = Receipt.objects.filter(handover=last).select_related("by").first() if last else None
    words = "None signed yet."
    if last is not None:
        words = f"Last signed {timezone.localtime(last.signed_at):%d %b %H:%M} by {last.signed_by.short_name}, "
        words += f"taken over by {receipt.by.short_name}." if receipt else "not taken over yet."
    person = signed_in(request)
    start, _ = shift_of(state.now, state.line.shifts)
    found = points_open(state.world, state.now)
    open_kinds = {one.kind for one in found}
    context = {
        "sheet": compose(state),
        "kept": None,
        "last": last,
        "points": [
            (one, point_words(one, state.now), one.until is not None and one.until <= state.now) for one in found
        ],
        "kinds": OpenPoint.Kind.choices,
        "must": [(kind, PLURAL[kind]) for kind in MUST_SAY if kind not in open_kinds],
        "ticked": request.POST.getlist("none") if form == "sign" else [],
        "stops_at": state.line.stations,
        "lost": lost(state, start),
        "fault": fault,
        "form": form,
        "typed": request.POST.dict() if form else {},
        "form_key": new_key(),
        "may_sign": person.may(SIGN),
        "may_record": person.may(RECORD),
        "who_may": who_may(SIGN),
        "sentence": f"Hand-over of this shift, composed from what was recorded. {words}",
    }
    return render_page(request, state, "log/handover.html", context, here="handover", status=status)


@on_line
@require_POST
def sign_sheet(request: HttpRequest, state: State) -> HttpResponse:
    """Sign the sheet with the signer's own secret."""
    none = [kind for kind in request.POST.getlist("none") if kind in OpenPoint.Kind.values]
    secret = request.POST.get("secret", "")[:200]
    try:
        signed = sign(
            state.world, signed_in(request), secret, none=none, form_key=key_of(request), address=address_of(request)
        )
    except (WrongSecretError, ValidationError) as error:
        words = str(error) if isinstance(error, WrongSecretError) else words_of(request, error)
        return show(request, state, fault=words, form="sign", status=422)
    return redirect("handover_kept", world_slug=state.world.slug, pk=signed.pk)


@on_line
def kept(request: HttpRequest, state: State, pk: int) -> HttpResponse:
    """Show a signed sheet, as it was signed."""
    return _kept(request, state, pk)


def _kept(request: HttpRequest, state: State, pk: int, fault: str = "") -> HttpResponse:
    sheet = get_object_or_404(HandOver.objects.select_related("signed_by"), pk=pk, world=state.world)
    person = signed_in(request)
    receipt = Receipt.objects.filter(handover=sheet).select_related("by").first()
    context = {
        "sheet": sheet.sheet,
        "kept": sheet,
        "receipt": receipt,
        "may_take": receipt is None and person.may(SIGN) and person != sheet.signed_by,
        "fault": fault,
        "typed": request.POST.dict() if fault else {},
        "form_key": new_key(),
        "sentence": f"Signed: {sheet.sheet['signed']}.",
    }
    status = 422 if fault else 200
    return render_page(request, state, "log/handover.html", context, here="handover", status=status)


@on_line
@require_POST
def take(request: HttpRequest, state: State, pk: int) -> HttpResponse:
    """Sign that it was read and taken over."""
    sheet = get_object_or_404(HandOver.objects.select_related("signed_by"), pk=pk, world=state.world)
    secret = request.POST.get("secret", "")[:200]
    try:
        words = read_form(request, words=WordsField("What was asked or added", 300, required=False))["words"]
        person, address = signed_in(request), address_of(request)
        take_over(sheet, person, secret, words=words, form_key=key_of(request), address=address)
    except (WrongSecretError, ValidationError) as error:
        said = str(error) if isinstance(error, WrongSecretError) else words_of(request, error)
        return _kept(request, state, pk, said)
    return redirect("handover_kept", world_slug=state.world.slug, pk=pk)


def _pdf(sheet: dict[str, object], name: str) -> HttpResponse:
    response = HttpResponse(sheet_pdf(sheet), content_type="application/pdf")
    response["Content-Disposition"] = f'inline; filename="{name}.pdf"'
    return response


@on_line
def draft_pdf(request: HttpRequest, state: State) -> HttpResponse:
    """Return the unsigned sheet as PDF."""
    return _pdf(compose(state), "hand-over-draft")


@on_line
def kept_pdf(request: HttpRequest, state: State, pk: int) -> HttpResponse:
    """Return a signed sheet as PDF."""
    sheet = get_object_or_404(HandOver, pk=pk, world=state.world)
    return _pdf({**sheet.sheet, "seal": sheet.sha256}, f"hand-over-{pk}")
