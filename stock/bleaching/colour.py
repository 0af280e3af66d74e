"""Brightness as it adds up: light absorbed over light scattered."""

import math
from typing import TypeVar

import numpy as np

from stock.working import Arg, Example, method, warn

Number = TypeVar("Number", float, np.ndarray)


@method(
    "ks = (1 - reflectance_frac)**2 / (2 * reflectance_frac)",
    title="Absorption over scattering from reflectance",
    station="bleaching",
    source="Kubelka and Munk (1931); an opaque pad",
    example=Example({"reflectance_frac": 0.87}, {"ks": 0.009713}),
    reflectance_frac=Arg("reflectance of an opaque pad", 0, 1, above=True),
)
def km_k_over_s(*, reflectance_frac: Number) -> Number:
    """Return k/s, the quantity in which brightness adds up."""
    return (1 - reflectance_frac) ** 2 / (2 * reflectance_frac)  # type: ignore[no-any-return]


@method(
    "reflectance_frac = 1 + ks - sqrt(ks**2 + 2 * ks)",
    title="Reflectance from absorption over scattering",
    station="bleaching",
    source="Kubelka and Munk (1931)",
    example=Example({"ks": 0.030}, {"reflectance_frac": 0.7832}),
    ks=Arg("k/s", 0, 1e4),
)
def km_reflectance_frac(*, ks: Number) -> Number:
    """Return the reflectance that belongs to a k/s."""
    if isinstance(ks, np.ndarray):
        return 1 + ks - np.sqrt(ks**2 + 2 * ks)  # type: ignore[no-any-return]
    return 1 + ks - math.sqrt(ks**2 + 2 * ks)


KS = km_k_over_s.method.bare  # type: ignore[attr-defined]
REFLECTANCE = km_reflectance_frac.method.bare  # type: ignore[attr-defined]


@method(
    "fresh_ks = (1 - before_brightness_pct / 100)**2 / (2 * before_brightness_pct / 100)\n"
    "aged_ks = (1 - after_brightness_pct / 100)**2 / (2 * after_brightness_pct / 100)\n"
    "post_colour_pc = 100 * (aged_ks - fresh_ks)",
    title="Post-colour number",
    station="bleaching",
    source="Giertz (1945); state how the pad was aged, dry or humid, hours and warmth (T 260)",
    aliases=("post_colour_number",),
    results=("post_colour_pc",),
    example=Example({"before_brightness_pct": 87.0, "after_brightness_pct": 84.6}, {"post_colour_pc": 0.430}, 3e-3),
    before_brightness_pct=Arg("brightness of the fresh pad", 0, 100, above=True),
    after_brightness_pct=Arg("brightness of the aged pad", 0, 100, above=True),
)
def post_colour(*, before_brightness_pct: float, after_brightness_pct: float) -> float:
    """Return how much a pad yellowed, in hundredths of k/s."""
    found = 100 * (
        float(KS(reflectance_frac=after_brightness_pct / 100)) - float(KS(reflectance_frac=before_brightness_pct / 100))
    )
    if found < 0:
        warn("the aged pad is brighter than the fresh one: the two may have been taken for each other")
    return found


def ks_of(brightness_pct: float) -> float:
    """Return the k/s of a brightness, % ISO."""
    return float(KS(reflectance_frac=brightness_pct / 100))


def brightness_of(ks: float) -> float:
    """Return the brightness, % ISO, of a k/s."""
    return 100 * float(REFLECTANCE(ks=ks))
