"""Pages that say no: what was wrong, what is allowed, and that nothing was lost."""

from django.http import Http404, HttpRequest, HttpResponse
from django.shortcuts import render


def fault(request: HttpRequest, status: int, title: str, words: str) -> HttpResponse:
    """Render a refusal, whole page or fragment."""
    htmx = getattr(request, "htmx", None)
    template = "components/_fault.html" if htmx else "components/fault.html"
    return render(request, template, {"title": title, "words": words, "status": status}, status=status)


def csrf_failure(request: HttpRequest, reason: str = "") -> HttpResponse:
    """Say that the page had gone stale."""
    return fault(request, 403, "This page had gone stale", "Load it again; what you typed was not sent anywhere.")


def not_found(request: HttpRequest, exception: Exception) -> HttpResponse:
    """Say that there is no such page."""
    said = (
        str(exception)
        if isinstance(exception, Http404) and exception.args and isinstance(exception.args[0], str)
        else ""
    )
    words = said if said.endswith(".") else "The address leads nowhere."
    return fault(request, 404, "No such page", f"{words} The ribbon leads to every station.")


def unreadable(request: HttpRequest, exception: Exception) -> HttpResponse:
    """Say that a request could not be read."""
    return fault(
        request, 400, "Not readable", "What was sent could not be read: too many fields, too large, or not a form."
    )


def closed(request: HttpRequest, exception: Exception) -> HttpResponse:
    """Say that a page is not for this role."""
    return fault(
        request, 403, "Not with this role", "This page is for those who keep it. The ribbon leads to every station."
    )


def broken(request: HttpRequest) -> HttpResponse:
    """Say that something went wrong on our side."""
    return fault(request, 500, "Something went wrong", "Nothing was written. It is in the server's log with the time.")
