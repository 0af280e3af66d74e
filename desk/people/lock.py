"""A shared desk left alone locks itself: what is open stays, and its person's secret opens it again."""

from collections.abc import Callable
from typing import Any, Final

from django.conf import settings
from django.contrib.auth.decorators import login_not_required
from django.http import HttpRequest, HttpResponse, JsonResponse
from django.shortcuts import redirect, render
from django.views.decorators.http import require_POST

from desk.people.clock import now
from desk.people.limits import TooManyTriesError, address_of, note_right, note_wrong, refuse_haste
from desk.people.models import Person

SEEN: Final = "seen_s"
LOCKED: Final = "locked"
OPEN_PATHS: Final = ("/sign-in/", "/sign-out/", "/unlock/", "/health/", "/static/")


def idle_lock(get_response: Callable[[HttpRequest], HttpResponse]) -> Callable[[HttpRequest], HttpResponse]:
    """Answer 423 to a desk nobody has touched for long; a page's own refresh is not a touch."""

    def middleware(request: HttpRequest) -> HttpResponse:
        user: Any = request.user
        if not settings.FOX_IDLE_MIN or not user.is_authenticated or request.path.startswith(OPEN_PATHS):
            return get_response(request)
        moment = now().timestamp()
        seen = float(request.session.get(SEEN, moment))
        if moment - seen > 60 * settings.FOX_IDLE_MIN:
            request.session[LOCKED] = True
        if request.session.get(LOCKED):
            return _locked(request)
        if not _by_itself(request) and (SEEN not in request.session or moment - seen > 20):
            request.session[SEEN] = moment
        return get_response(request)

    return middleware


def _by_itself(request: HttpRequest) -> bool:
    """Whether a page asks for itself, with nobody touching it."""
    return request.method in ("GET", "HEAD") and (
        request.headers.get("HX-Target", "").endswith("#desk") or "/trend/" in request.path
    )


def _locked(request: HttpRequest) -> HttpResponse:
    if request.headers.get("HX-Request"):
        return HttpResponse(status=423)
    sent = [(name, value) for name, values in request.POST.lists() for value in values if name not in HIDDEN]
    context = {"sent": sent, "action": request.get_full_path(), "is_post": request.method == "POST", "fault": ""}
    return render(request, "people/locked.html", context, status=423)


HIDDEN: Final = frozenset({"csrfmiddlewaretoken", "secret", "password"})


@login_not_required
@require_POST
def unlock(request: HttpRequest) -> HttpResponse:
    """Open a locked desk with the secret of who is signed in."""
    person = request.user
    if not isinstance(person, Person):
        return JsonResponse({"fault": "Nobody is signed in any more. Sign in again."}, status=401)
    what, address, moment = f"unlock {person.username}", address_of(request), now()
    fault = ""
    try:
        refuse_haste(what, address, moment)
        if person.check_signing_secret(request.POST.get("secret", "")[:200]):
            note_right(what, address)
            request.session.pop(LOCKED, None)
            request.session[SEEN] = moment.timestamp()
        else:
            note_wrong(what, address, moment)
            fault = "That is not your secret."
    except TooManyTriesError as error:
        fault = str(error)
    if request.headers.get("Accept") == "application/json":
        return JsonResponse({"fault": fault}, status=423 if fault else 200)
    sent = [(name, value) for name, values in request.POST.lists() for value in values if name not in {*HIDDEN, "to"}]
    context: dict[str, Any] = {"sent": sent, "action": _own(request.POST.get("to", "/")), "fault": fault}
    if fault:
        return render(request, "people/locked.html", {**context, "is_post": bool(sent)}, status=423)
    if not sent:
        return redirect(context["action"])
    return render(request, "people/unlocked.html", context)


def _own(path: str) -> str:
    """Return an address of the desk, its front page for anything else."""
    return path if path.startswith("/") and not path.startswith("//") and "\\" not in path else "/"
