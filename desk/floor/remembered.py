"""A few results kept in a process by what they follow from, the oldest dropped first."""

from collections import OrderedDict
from collections.abc import Callable, Hashable
from threading import Lock
from typing import Any, Final, TypeVar

MOST: Final = 512

T = TypeVar("T")
_kept: OrderedDict[Hashable, Any] = OrderedDict()
_lock = Lock()


def remembered(key: Hashable, make: Callable[[], T]) -> T:
    """Return what was made for a key, made now where it was not; whoever shares it does not change it."""
    with _lock:
        if key in _kept:
            _kept.move_to_end(key)
            found: T = _kept[key]
            return found
    made = make()
    with _lock:
        _kept[key] = made
        while len(_kept) > MOST:
            _kept.popitem(last=False)
    return made


def forget() -> None:
    """Drop all of it: what is rolled back takes its keys with it."""
    with _lock:
        _kept.clear()
