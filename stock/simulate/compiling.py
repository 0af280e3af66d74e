"""How what runs a thousand times a second becomes machine code: once an installation, kept beside its source.

Loaded only by who runs a plant: the compiler takes its time and memory.
"""

from collections.abc import Callable
from typing import TypeVar, cast

from numba import njit

Compiled = TypeVar("Compiled", bound=Callable[..., object])
Given = TypeVar("Given")


def inner(function: Compiled) -> Compiled:
    """Return a function compiled to machine code, for those compiled with it."""
    made = njit(error_model="numpy", no_cpython_wrapper=True, no_cfunc_wrapper=True)  # type: ignore[call-overload]
    return cast("Compiled", made(function))


def entered(function: Callable[..., Given]) -> Callable[..., Given]:
    """Return a function compiled to machine code with all it calls, kept for the next start."""
    made = njit(cache=True, error_model="numpy", no_cfunc_wrapper=True)  # type: ignore[call-overload]
    return cast("Callable[..., Given]", made(function))
