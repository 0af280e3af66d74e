"""A database that is busy or full is said in words; what was typed stays in the browser."""

from collections.abc import Callable

from django.db import OperationalError
from django.http import HttpRequest, HttpResponse, HttpResponseNotAllowed

from desk.floor.faults import fault

WORDS = {
    "locked": "The database is busy with another writer. Nothing was written. Try again in a few seconds.",
    "full": "The disk is full, so nothing was written. Free some space, then try again.",
    "readonly": "The database cannot be written to. Nothing was written. Tell whoever keeps the server.",
}


METHODS = ("GET", "HEAD", "POST")  # no page of the desk is for another


def kept_to_itself(get_response: Callable[[HttpRequest], HttpResponse]) -> Callable[[HttpRequest], HttpResponse]:
    """Keep every answer out of caches it was not meant for, and the browser's devices closed to our pages."""

    def middleware(request: HttpRequest) -> HttpResponse:
        response = get_response(request) if request.method in METHODS else HttpResponseNotAllowed(METHODS)
        if "Cache-Control" not in response.headers:
            response["Cache-Control"] = "no-store"
        response.headers.setdefault("Permissions-Policy", "camera=(), microphone=(), geolocation=(), usb=()")
        response.headers.setdefault("Cross-Origin-Resource-Policy", "same-origin")
        return response

    return middleware


def busy_database(get_response: Callable[[HttpRequest], HttpResponse]) -> Callable[[HttpRequest], HttpResponse]:
    """Turn a database that cannot serve into a clear 503; the transaction has left nothing behind."""

    def middleware(request: HttpRequest) -> HttpResponse:
        return get_response(request)

    def process_exception(request: HttpRequest, exception: Exception) -> HttpResponse | None:
        if not isinstance(exception, OperationalError):
            return None
        text = str(exception)
        for word, said in WORDS.items():
            if word in text:
                return fault(request, 503, "Not written", said)
        return None

    middleware.process_exception = process_exception  # type: ignore[attr-defined]
    return middleware
