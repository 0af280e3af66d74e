"""Pages made before they are asked for: what screens have open is made as the line changes, and shown when it is ready.

Screens ask for their page every few seconds. Whoever asked first after a change would wait for its making, and
the rest behind it. A thread of the process makes them instead: it watches the beat of every line somebody looks
at, takes the new pulse, makes the pages that are open, and only then shows it. Until then a screen keeps what it
has, which is the page of the beat before, well under a second older. A page that somebody opens, or comes to
after a form, is always made of the line as it stands.
"""

import logging
import time
from collections.abc import Callable
from dataclasses import dataclass
from threading import Event, Lock, Thread
from typing import Any, Final

from django.db import close_old_connections
from django.http import HttpRequest, HttpResponse, QueryDict

from desk.floor import pulse
from desk.frame.alike import kept_or_made, page_key

EVERY_S: Final = 0.2
OPEN_S: Final = 15.0  # a screen that has not asked for so long is closed
SHOWN_S: Final = 6.0  # a pulse is shown so long without being looked at again; then pages are made when asked for
MOST: Final = 64  # pages open of one line
log = logging.getLogger(__name__)


@dataclass(frozen=True, slots=True)
class Open:
    """A page somebody has open: how it is made, and when it was last asked for."""

    view: Callable[..., HttpResponse]
    request: HttpRequest
    kwargs: dict[str, Any]
    at_s: float


class Maker:
    """What makes the pages that are open, for one process."""

    def __init__(self) -> None:
        """Make nothing until it is begun."""
        self.begun = False
        self._open: dict[str, dict[Any, Open]] = {}
        self._shown: dict[int, tuple[pulse.Pulse, float]] = {}
        self._lock, self._stop = Lock(), Event()
        self._thread: Thread | None = None

    def begin(self) -> None:
        """Make pages from now on; the thread starts with the first that is asked for."""
        self.begun = True

    def end(self) -> None:
        """Stop, and forget what was shown."""
        self.begun = False
        self._stop.set()
        if self._thread is not None:
            self._thread.join(timeout=5)
        self._thread, self._stop = None, Event()
        self._open, self._shown = {}, {}

    def shown(self, now: pulse.Now, has: str) -> pulse.Pulse | None:
        """Return the pulse whose pages are ready; None where there is none, or who asks has a newer page."""
        found = self._shown.get(now.world_id)
        if not self.begun or found is None or time.monotonic() - found[1] > SHOWN_S:
            return None
        ready = found[0]
        return None if ready.tag != has and is_newer(has, ready.tag) else ready

    def ask(self, slug: str, view: Callable[..., HttpResponse], request: HttpRequest, kwargs: dict[str, Any]) -> None:
        """Remember that a page is open."""
        if not self.begun:
            return
        with self._lock:
            pages = self._open.setdefault(slug, {})
            key = page_key(request)
            if key in pages or len(pages) < MOST:
                pages[key] = Open(view, bare(request), kwargs, time.monotonic())
            self._start()

    def _start(self) -> None:
        if self._thread is None or not self._thread.is_alive():
            self._thread = Thread(target=self._run, name="pages", daemon=True)
            self._thread.start()

    def _run(self) -> None:
        while not self._stop.wait(EVERY_S):
            for slug in self._still_open():
                try:
                    self.make(slug)
                except Exception:
                    log.exception("the pages of %s were not made ahead", slug)
            close_old_connections()

    def _still_open(self) -> list[str]:
        since = time.monotonic() - OPEN_S
        with self._lock:
            for slug, pages in list(self._open.items()):
                self._open[slug] = {key: one for key, one in pages.items() if one.at_s >= since}
            self._open = {slug: pages for slug, pages in self._open.items() if pages}
            return list(self._open)

    def make(self, slug: str) -> None:
        """Make the pages that are open of a line, where it has changed, and show them."""
        now = pulse.now_of(slug)
        if now is None:
            return
        taken, before = pulse.take(now), self._shown.get(now.world_id)
        if before is None or before[0] is not taken:
            for key, one in list(self._open.get(slug, {}).items()):
                try:
                    kept_or_made(one.view, one.request, taken, one.kwargs)
                except Exception:  # who asks for it is told; the others are made
                    log.exception("%s was not made ahead", key[0])
                    self._open.get(slug, {}).pop(key, None)
        self._shown[now.world_id] = (taken, time.monotonic())


def is_newer(tag: str, other: str) -> bool:
    """Whether a tag is of a later beat, definition or minute than another, or no tag at all."""
    try:
        one, two = ([int(part) for part in text.split(".")] for text in (tag, other))
    except ValueError:
        return True
    return len(one) != len(two) or any(a > b for a, b in zip(one, two, strict=True))


def bare(request: HttpRequest) -> HttpRequest:
    """Return what of a request a page for many is made from: its address and who asks."""
    found = HttpRequest()
    found.method = "GET"
    found.path, found.path_info = request.path, request.path_info
    found.GET = QueryDict(request.GET.urlencode())
    found.META = {
        name: request.META[name] for name in ("SERVER_NAME", "SERVER_PORT", "HTTP_HOST") if name in request.META
    }
    found.META["QUERY_STRING"] = request.META.get("QUERY_STRING", "")
    found.resolver_match = request.resolver_match
    found.user = request.user
    found.alkali_basis = getattr(request, "alkali_basis", "naoh")  # type: ignore[attr-defined]
    return found


MAKER: Final = Maker()
