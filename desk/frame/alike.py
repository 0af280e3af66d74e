"""Pages that are alike: rendered once a pulse for everybody of one role and one system of units.

What differs from answer to answer, the forgery token and the keys that make a form count once, is
marked while such a page is rendered, and put in as it is sent.
"""

import re
import secrets
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from contextvars import ContextVar
from dataclasses import dataclass
from itertools import count
from typing import Any, Final

from django.http import HttpRequest, HttpResponse
from django.middleware.csrf import get_token

from desk.floor.pulse import Pulse

MARK: Final = secrets.token_hex(8)  # nobody can have typed it
TOKEN: Final = f"{MARK}token"
MOST: Final = 256  # pages kept of one pulse
_KEYS: Final = re.compile(f"{MARK}key[0-9]+k")
_marks: ContextVar[Iterator[int] | None] = ContextVar("marks", default=None)


@dataclass(frozen=True, slots=True)
class Rendered:
    """The live part of a page, and the sentence it opens with."""

    html: str
    sentence: str
    here: str

    def for_one(self, request: HttpRequest) -> str:
        """Return it with the forgery token of a request, and keys of its own."""
        keys: dict[str, str] = {}
        fresh = _KEYS.sub(lambda found: keys.setdefault(found.group(0), secrets.token_urlsafe(18)), self.html)
        return fresh.replace(TOKEN, get_token(request)) if TOKEN in fresh else fresh


class Carrier(HttpResponse):
    """A page on its way to be kept: never sent."""

    rendered: Rendered


def alike(view: Callable[..., HttpResponse]) -> Callable[..., HttpResponse]:
    """Say of a view that shows a page: it goes by the line, its address, role and units alone."""
    view.alike = True  # type: ignore[attr-defined]
    return view


def new_key() -> str:
    """Return a key that makes a form count once, however often it is sent; its mark while a page is made for many."""
    marks = _marks.get()
    return f"{MARK}key{next(marks)}k" if marks is not None else secrets.token_urlsafe(18)


def is_marking() -> bool:
    """Whether a page is being made for many."""
    return _marks.get() is not None


@contextmanager
def _marking() -> Iterator[None]:
    before = _marks.set(count())
    try:
        yield
    finally:
        _marks.reset(before)


def page_key(request: HttpRequest) -> tuple[str, str, str]:
    """Return what an alike page goes by: its address, and the role and units of who asks."""
    person: Any = request.user
    return request.get_full_path(), person.role, person.units


def kept_or_made(
    view: Callable[..., HttpResponse], request: HttpRequest, taken: Pulse, kwargs: dict[str, Any]
) -> Rendered | HttpResponse:
    """Return an alike page as it was rendered for this pulse; or what its view answers instead of a page."""
    key = page_key(request)
    found: Rendered | None = taken.pages.get(key)
    if found is None:
        with taken.lock:  # one renders, the others wait for it
            found = taken.pages.get(key)
            if found is None:
                with _marking():
                    answer = view(request, taken.state, **kwargs)
                if not isinstance(answer, Carrier):
                    return answer
                if len(taken.pages) >= MOST:
                    taken.pages.clear()
                found = taken.pages[key] = answer.rendered
    return found
