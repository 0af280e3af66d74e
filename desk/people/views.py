"""Signing in and out, switching user, preferences."""

from collections.abc import Callable

from django.conf import settings
from django.contrib.auth import authenticate, login, logout, update_session_auth_hash
from django.contrib.auth.decorators import login_not_required
from django.core.exceptions import PermissionDenied
from django.http import Http404, HttpRequest, HttpResponse
from django.shortcuts import get_object_or_404, redirect, render
from django.utils.http import url_has_allowed_host_and_scheme
from django.views.decorators.http import require_POST

from desk.people.clock import now
from desk.people.demo import DEMO_SECRET
from desk.people.forms import AddForm, OwnForm, PreferencesForm, SignInForm, first_password
from desk.people.limits import TooManyTriesError, address_of, note_right, note_wrong, refuse_haste
from desk.people.models import Person
from desk.people.roles import PEOPLE, ROLES


def _onward(request: HttpRequest) -> str:
    """Return where to go after signing in: only ever a page of our own."""
    to = request.POST.get("next") or request.GET.get("next") or ""
    if to.startswith("/") and url_has_allowed_host_and_scheme(
        to, allowed_hosts={request.get_host()}, require_https=request.is_secure()
    ):
        return to
    return "/"


@login_not_required
def sign_in(request: HttpRequest) -> HttpResponse:
    """Sign in with name and password; waits double with wrong ones, before anything is hashed."""
    form = SignInForm(request.POST or None)
    status = 200
    if request.method == "POST" and form.is_valid():
        name, address, moment = form.cleaned_data["username"], address_of(request), now()
        what = f"sign in {name}"
        try:
            refuse_haste(what, address, moment)
            person = authenticate(request, username=name, password=form.cleaned_data["password"])
            if person is not None:
                note_right(what, address)
                login(request, person)
                return redirect(_onward(request))
            note_wrong(what, address, moment)
            form.add_error(None, "Name and password do not belong together.")
        except TooManyTriesError as error:
            form.add_error(None, str(error))
            status = 429
    demo = list(Person.objects.filter(is_active=True).order_by("pk")) if settings.FOX_DEMO else []
    context = {"form": form, "demo": demo, "secret": DEMO_SECRET, "next": _onward(request)}
    return render(request, "people/sign_in.html", context, status=status)


@login_not_required
@require_POST
def sign_in_as(request: HttpRequest, username: str) -> HttpResponse:
    """Sign in with one press; only in the demonstration."""
    if not settings.FOX_DEMO:
        raise Http404
    person = get_object_or_404(Person, username=username, is_active=True)
    login(request, person, backend="django.contrib.auth.backends.ModelBackend")
    return redirect(_onward(request))


@require_POST
def sign_out(request: HttpRequest) -> HttpResponse:
    """Leave the desk to the next person."""
    logout(request)
    return redirect("people:sign_in")


@require_POST
def preferences(request: HttpRequest) -> HttpResponse:
    """Keep theme, units and shortcuts."""
    assert isinstance(request.user, Person)
    form = PreferencesForm(request.POST, instance=request.user)
    if form.is_valid():
        form.save()
    return redirect(_onward(request))


def own(request: HttpRequest) -> HttpResponse:
    """Set one's own password and secret."""
    person = _who(request)
    form = OwnForm(person, request.POST or None)
    if request.method == "POST" and form.is_valid():
        form.keep()
        update_session_auth_hash(request, person)
        return redirect("/")
    return render(request, "people/own.html", {"form": form}, status=422 if form.errors else 200)


def people(request: HttpRequest) -> HttpResponse:
    """Show the people of the desk, and add one."""
    _require_keeper(request)
    form = AddForm(request.POST or None)
    if request.method == "POST" and form.is_valid():
        password = first_password()
        person = form.save(commit=False)
        person.set_password(password)
        person.must_change = True
        person.save()
        return _people(request, AddForm(), told=_told(person, password))
    return _people(request, form, status=422 if form.errors else 200)


@require_POST
def change(request: HttpRequest, pk: int) -> HttpResponse:
    """Give somebody another role or a new first password, retire them, or take them back."""
    _require_keeper(request)
    person = get_object_or_404(Person, pk=pk)
    do, told = request.POST.get("do", ""), ""
    if do == "role":
        role = request.POST.get("role", "")
        if role not in ROLES:
            return _people(request, AddForm(), fault=f"there is no role {role[:20]!r}", status=422)
        if person.pk == request.user.pk and PEOPLE not in ROLES[role].actions:
            return _people(
                request, AddForm(), fault="somebody must keep the list: give another that role first", status=422
            )
        person.role, told = role, f"{person.short_name} is {ROLES[role].title} now."
    elif do == "reset":
        password = first_password()
        person.set_password(password)
        person.signing_secret, person.must_change = "", True
        told = _told(person, password)
    elif do == "retire" and person.pk != request.user.pk:
        person.is_active, told = False, f"{person.short_name} is retired: signing in is closed, every record stays."
    elif do == "return":
        person.is_active, told = True, f"{person.short_name} is back."
    else:
        return _people(request, AddForm(), fault="that cannot be done to this person", status=422)
    person.save()
    return _people(request, AddForm(), told=told)


def _told(person: Person, password: str) -> str:
    return f"{person.short_name} signs in as {person.username} with {password} once, and then sets an own password."


def _people(request: HttpRequest, form: AddForm, *, told: str = "", fault: str = "", status: int = 200) -> HttpResponse:
    context = {
        "people": list(Person.objects.order_by("-is_active", "last_name", "pk")),
        "roles": [(key, role.title) for key, role in ROLES.items()],
        "form": form,
        "told": told,
        "fault": fault,
    }
    return render(request, "people/people.html", context, status=status)


def _who(request: HttpRequest) -> Person:
    assert isinstance(request.user, Person)
    return request.user


def _require_keeper(request: HttpRequest) -> None:
    if not _who(request).may(PEOPLE):
        raise PermissionDenied


def first_things_first(get_response: Callable[[HttpRequest], HttpResponse]) -> Callable[[HttpRequest], HttpResponse]:
    """Lead who has a password somebody else knows to the page that changes it, whatever they ask for."""

    def middleware(request: HttpRequest) -> HttpResponse:
        must = isinstance(request.user, Person) and request.user.must_change
        if must and not request.path.startswith(("/own/", "/sign-out/", "/static/", "/health/")):
            return redirect("people:own")
        return get_response(request)

    return middleware
