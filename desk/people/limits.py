"""How often somebody may try a name, a password, a secret: waits that double, by person and by address, before any hashing."""

import logging
from datetime import datetime, timedelta
from typing import Final

from django.conf import settings
from django.http import HttpRequest

from desk.people.models import FailedTry

log = logging.getLogger("desk.people")

FREE: Final = 3  # wrong tries that cost no wait
FIRST_WAIT: Final = timedelta(seconds=5)
LONGEST_WAIT: Final = timedelta(minutes=15)
OF_ADDRESS: Final = 30  # wrong tries of one address in its window, whatever names it tries
WINDOW: Final = timedelta(minutes=10)
KEPT: Final = timedelta(days=1)
TOLD_EVERY: Final = 5


class TooManyTriesError(Exception):
    """Tried too often; `wait` says how long to leave it alone."""

    def __init__(self, wait: timedelta) -> None:
        """Keep the wait, and say it."""
        seconds = int(wait.total_seconds()) + 1
        said = f"{seconds} s" if seconds < 120 else f"{seconds // 60 + 1} min"
        super().__init__(f"Too many wrong tries. Wait {said}, then try again; or ask the shift lead.")
        self.wait = wait


def address_of(request: HttpRequest) -> str:
    """Return where a request comes from: what the proxy before the desk saw, where there is one of ours."""
    if settings.FOX_BEHIND_PROXY:
        return request.headers.get("X-Forwarded-For", "").rpartition(",")[2].strip()[:60]
    return str(request.META.get("REMOTE_ADDR", ""))[:60]


def refuse_haste(what: str, address: str, now: datetime) -> None:
    """Refuse a try that comes too soon after wrong ones.

    `what` names the person and the door; strangers at other addresses do not shut it: only tries
    from the same address double its wait.

    Raises
    ------
    TooManyTriesError
        Before anything is hashed.
    """
    own = FailedTry.objects.filter(name=what, address=address, at__gte=now - LONGEST_WAIT)
    count = own.count()
    if count > FREE:
        wait = min(FIRST_WAIT * 2 ** (count - FREE - 1), LONGEST_WAIT)
        last = own.latest("at").at
        if now < last + wait:
            raise TooManyTriesError(last + wait - now)
    of_address = FailedTry.objects.filter(address=address, at__gte=now - WINDOW)
    if of_address.count() >= OF_ADDRESS:
        raise TooManyTriesError(of_address.earliest("at").at + WINDOW - now)


def note_wrong(what: str, address: str, now: datetime) -> int:
    """Keep a wrong try, and forget those of more than a day ago; return how many there are of late."""
    FailedTry.objects.create(name=what[:180], address=address, at=now)
    FailedTry.objects.filter(at__lt=now - KEPT).delete()
    count = FailedTry.objects.filter(name=what[:180], at__gte=now - LONGEST_WAIT).count()
    if count % TOLD_EVERY == 0:
        log.warning("%s wrong tries at %s within a quarter of an hour, the last from %s", count, what, address)
    return count


def note_right(what: str, address: str) -> None:
    """Forget the wrong tries of who came in."""
    FailedTry.objects.filter(name=what, address=address).delete()
