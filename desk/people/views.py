"""Signing in and out, switching user, preferences."""

from django.conf import settings
from django.contrib.auth import authenticate, login, logout
from django.contrib.auth.decorators import login_not_required
from django.http import Http404, HttpRequest, HttpResponse
from django.shortcuts import get_object_or_404, redirect, render
from django.utils.http import url_has_allowed_host_and_scheme
from django.views.decorators.http import require_POST

from desk.people.demo import DEMO_SECRET
from desk.people.forms import PreferencesForm, SignInForm
from desk.people.models import FailedTry, Person


def _onward(request: HttpRequest) -> str:
    """Return where to go after signing in: only ever a page of our own."""
    to = request.POST.get("next") or request.GET.get("next") or ""
    if url_has_allowed_host_and_scheme(to, allowed_hosts={request.get_host()}, require_https=request.is_secure()):
        return to
    return "/"


@login_not_required
def sign_in(request: HttpRequest) -> HttpResponse:
    """Sign in with name and password; five wrong ones close the name for ten minutes."""
    form = SignInForm(request.POST or None)
    status = 200
    if request.method == "POST" and form.is_valid():
        name = form.cleaned_data["username"]
        if FailedTry.shut(name):
            form.add_error(None, "Five wrong passwords in ten minutes. Wait a while, or ask the shift lead.")
            status = 429
        elif (person := authenticate(request, username=name, password=form.cleaned_data["password"])) is not None:
            login(request, person)
            return redirect(_onward(request))
        else:
            FailedTry.objects.create(name=name)
            form.add_error(None, "Name and password do not belong together.")
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
