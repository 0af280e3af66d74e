"""Hand-over: the sheet composed from the shift, signed, printed."""

from django.http import HttpRequest, HttpResponse
from django.shortcuts import get_object_or_404, redirect
from django.utils import timezone
from django.views.decorators.http import require_POST

from desk.floor.handover import WrongSecretError, compose, sign
from desk.floor.models import HandOver
from desk.floor.sheet_pdf import sheet_pdf
from desk.floor.state import State
from desk.frame.alike import new_key
from desk.frame.forms import key_of
from desk.frame.page import on_line, signed_in
from desk.frame.page import page as render_page
from desk.people.limits import address_of
from desk.people.roles import SIGN, who_may


@on_line
def page(request: HttpRequest, state: State) -> HttpResponse:
    """Show the sheet as it would be signed now."""
    return _page(request, state, "")


def _page(request: HttpRequest, state: State, fault: str, status: int = 200) -> HttpResponse:
    last = HandOver.objects.filter(world=state.world).select_related("signed_by").first()
    words = (
        f"Last signed {timezone.localtime(last.signed_at):%d %b %H:%M} by {last.signed_by.short_name}."
        if last
        else "None signed yet."
    )
    context = {
        "sheet": compose(state),
        "kept": None,
        "last": last,
        "fault": fault,
        "form_key": new_key(),
        "may_sign": signed_in(request).may(SIGN),
        "who_may": who_may(SIGN),
        "sentence": f"Hand-over of this shift, composed from what was recorded. {words}",
    }
    return render_page(request, state, "log/handover.html", context, here="handover", status=status)


@on_line
@require_POST
def sign_sheet(request: HttpRequest, state: State) -> HttpResponse:
    """Sign the sheet with the signer's own secret."""
    try:
        secret = request.POST.get("secret", "")[:200]
        signed = sign(state.world, signed_in(request), secret, form_key=key_of(request), address=address_of(request))
    except WrongSecretError as error:
        return _page(request, state, str(error), status=422)
    return redirect("handover_kept", world_slug=state.world.slug, pk=signed.pk)


@on_line
def kept(request: HttpRequest, state: State, pk: int) -> HttpResponse:
    """Show a signed sheet, as it was signed."""
    sheet = get_object_or_404(HandOver.objects.select_related("signed_by"), pk=pk, world=state.world)
    context = {"sheet": sheet.sheet, "kept": sheet, "sentence": f"Signed: {sheet.sheet['signed']}."}
    return render_page(request, state, "log/handover.html", context, here="handover")


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
