"""Chip classes: what a sample comes to, what the off-fractions do, when the knives must go."""

from typing import Final, NamedTuple

import numpy as np

from stock.errors import DomainError
from stock.intake.chips import same_length
from stock.intake.lot import shares_add_up
from stock.working import Arg, Example, method, warn

# Mean thickness of each class, and mean kappa of a chip of that thickness where thin chips
# come out at 29.8: what simulate_chip_slab gives for softwood, 170 °C for 100 min or 155 °C for 360.
CLASS_MM: Final = (11.5, 9.5, 6.0, 4.5, 2.5, 1.5)
_SLAB_MM: Final = (2, 4, 6, 8, 10, 12)
_SLAB_KAPPA: Final = {"hot": (29.8, 29.9, 30.0, 30.4, 32.9, 37.2), "cool": (29.8, 29.8, 29.8, 29.8, 30.1, 31.2)}
CLASSES: Final = ("oversize", "overthick", "large_accepts", "small_accepts", "pins", "fines")


class Shares(NamedTuple):
    """Chip classes as shares of what was caught."""

    oversize_pct: float
    overthick_pct: float
    large_accepts_pct: float
    small_accepts_pct: float
    pins_pct: float
    fines_pct: float
    accepts_pct: float
    closure_loss_frac: float


@method(
    "each_pct = 100 * mass_by_class_g / sum(mass_by_class_g);"
    " closure_loss_frac = (sample_mass_g - sum(mass_by_class_g)) / sample_mass_g",
    title="Chip classes",
    station="intake",
    source="SCAN-CM 40: 45 mm holes, 8 mm bars, 13, 7 and 3 mm holes, pan",
    exact=False,
    results=Shares._fields,
    example=Example(
        {"mass_by_class_g": [31, 402, 2986, 1105, 318, 71], "sample_mass_g": 4960},
        {"oversize_pct": 0.631, "overthick_pct": 8.183, "accepts_pct": 83.27, "pins_pct": 6.473, "fines_pct": 1.445},
    ),
    mass_by_class_g=Arg(
        "oversize, overthick, large accepts, small accepts, pins, fines", 0, 1e5, series=True, count=len(CLASSES)
    ),
    sample_mass_g=Arg("mass before classifying", 0, 1e6, above=True),
)
def chip_class_percent(*, mass_by_class_g: np.ndarray, sample_mass_g: float) -> Shares:
    """Return the share of each class; masses that do not add up to the sample are refused."""
    total = float(mass_by_class_g.sum())
    if mass_by_class_g.size != len(CLASSES):
        message = f"there are {mass_by_class_g.size} masses; give one for each of {', '.join(CLASSES)}"
        raise DomainError("E_COUNT", "mass_by_class_g", message, f"{len(CLASSES)} masses")
    loss = (sample_mass_g - total) / sample_mass_g
    if abs(loss) > 0.02 or total <= 0:
        message = f"the classes add to {total:.0f} g of a {sample_mass_g:.0f} g sample, {100 * abs(loss):.1f} % apart"
        raise DomainError("E_SUM", "mass_by_class_g", message, "within 2 % of the sample")
    if abs(loss) > 0.01:
        warn(f"the classes add to {100 * (1 - loss):.1f} % of the sample: something was spilt or counted twice")
    shares = 100 * mass_by_class_g / total
    accepts = float(shares[2] + shares[3])
    coarse, thick, large, small, pins, fines = shares.tolist()
    return Shares(coarse, thick, large, small, pins, fines, accepts, float(loss))


class Uneven(NamedTuple):
    """What the thick chips do to a cook."""

    kappa_rise_kappa: float
    spread_kappa: float


@method(
    "each class cooks to the kappa of its thickness; mean and standard deviation over the classes",
    title="Kappa spread from thick chips",
    station="intake",
    source="alkali diffusion into a slab with bulk kinetics, tabulated; real beds are worse",
    exact=False,
    results=("kappa_rise_kappa", "spread_kappa"),
    example=Example(
        {"class_each_frac": [0.0063, 0.0818, 0.6080, 0.2247, 0.0647, 0.0145], "thin_kappa": 29.8, "hot_frac": 1.0},
        {"kappa_rise_kappa": 0.3936, "spread_kappa": 0.7912},
    ),
    notes="Scaled from thin chips at kappa 29.8; hot_frac 1 is 170 °C for 100 min, 0 is 155 °C for 360 min.",
    class_each_frac=Arg("share of each class, coarse to fine", 0, 1, series=True, count=len(CLASSES)),
    thin_kappa=Arg("kappa of thin chips", 5, 120),
    hot_frac=Arg("how hot and short the cook is", 0, 1),
)
def kappa_spread(*, class_each_frac: np.ndarray, thin_kappa: float, hot_frac: float = 1.0) -> Uneven:
    """Return how far thick chips lift the mean kappa, and the spread they bring."""
    shares_add_up("class_each_frac", class_each_frac, 0.02)
    slab = hot_frac * np.array(_SLAB_KAPPA["hot"]) + (1 - hot_frac) * np.array(_SLAB_KAPPA["cool"])
    each = thin_kappa * np.interp(CLASS_MM, _SLAB_MM, slab) / slab[0]
    share = class_each_frac / class_each_frac.sum()
    mean = float(share @ each)
    return Uneven(mean - thin_kappa, float(np.sqrt(share @ (each - mean) ** 2)))


@method(
    "rejects_pct = oversize_pct * oversize_rejects_frac + overthick_pct * overthick_rejects_frac",
    title="Knots to expect from coarse chips",
    station="intake",
    source="shares that stay uncooked; defaults to be fitted on the knotter's tonnes",
    example=Example({"oversize_pct": 0.63, "overthick_pct": 8.18}, {"rejects_pct": 1.202}),
    oversize_pct=Arg("oversize", 0, 100),
    overthick_pct=Arg("overthick", 0, 100),
    oversize_rejects_frac=Arg("share of oversize that stays uncooked", 0, 1),
    overthick_rejects_frac=Arg("share of overthick that stays uncooked", 0, 1),
)
def coarse_rejects_pct(
    *,
    oversize_pct: float,
    overthick_pct: float,
    oversize_rejects_frac: float = 0.35,
    overthick_rejects_frac: float = 0.12,
) -> float:
    """Return the rejects that oversize and overthick chips bring, % on chips."""
    return oversize_pct * oversize_rejects_frac + overthick_pct * overthick_rejects_frac


@method(
    "extra_pct_naoh_on_wood = pins_pct * pins_frac + fines_pct * fines_frac + bark_pct * bark_frac",
    title="Alkali taken by fines and bark",
    station="intake",
    source="extra consumption for each point; defaults to be fitted on residuals",
    example=Example({"pins_pct": 6.47, "fines_pct": 1.45, "bark_pct": 0.5}, {"extra_pct_naoh_on_wood": 0.2326}),
    pins_pct=Arg("pins", 0, 100),
    fines_pct=Arg("fines", 0, 100),
    bark_pct=Arg("bark", 0, 100),
    pins_frac=Arg("for each point of pins", 0, 1),
    fines_frac=Arg("for each point of fines", 0, 1),
    bark_frac=Arg("for each point of bark", 0, 1),
)
def fines_alkali(
    *,
    pins_pct: float,
    fines_pct: float,
    bark_pct: float,
    pins_frac: float = 0.015,
    fines_frac: float = 0.059,
    bark_frac: float = 0.10,
) -> float:
    """Return the alkali charge that small and barky material takes before the accepts get theirs."""
    return pins_pct * pins_frac + fines_pct * fines_frac + bark_pct * bark_frac


class ScreenedOut(NamedTuple):
    """Share rejected besides, and wood lost by it."""

    extra_reject_frac: float
    wood_m3_per_adt: float


@method(
    "extra_reject_frac = (fines_pct - fines_wanted_pct) / 100\nwood_m3_per_adt = wood_m3_solid * extra_reject_frac",
    title="Screening the fines out, and what it costs",
    station="intake",
    source="mass balance of the bottom screen",
    example=Example(
        {"fines_pct": 2.3, "fines_wanted_pct": 1.5, "wood_m3_solid": 4.2},
        {"extra_reject_frac": 0.008, "wood_m3_per_adt": 0.0336},
    ),
    fines_pct=Arg("fines now", 0, 100),
    fines_wanted_pct=Arg("fines wanted", 0, 100),
    wood_m3_solid=Arg("solid wood per air-dry tonne", 0, 20),
)
def screen_out_fines(*, fines_pct: float, fines_wanted_pct: float, wood_m3_solid: float) -> ScreenedOut:
    """Return the share to reject besides, and the wood it takes from a tonne of pulp."""
    if fines_wanted_pct > fines_pct:
        message = f"{fines_wanted_pct:g} % of fines are more than the {fines_pct:g} % there are"
        raise DomainError("E_ORDER", "fines_wanted_pct", message, f"{fines_pct:g} % or less")
    extra = (fines_pct - fines_wanted_pct) / 100
    return ScreenedOut(extra, wood_m3_solid * extra)


class Wear(NamedTuple):
    """How chips coarsen with the hours on the knives."""

    slope_pct_per_h: float
    start_pct: float
    limit_h: float
    left_h: float


@method(
    "straight line of overthick over hours since the knives were changed; limit_h is where it meets the limit",
    title="When to change knives",
    station="intake",
    source="least squares",
    exact=False,
    results=("left_h", "slope_pct_per_h", "start_pct", "limit_h"),
    example=Example(
        {"since_change_h": [1, 5, 9, 13], "overthick_each_pct": [3.0, 3.5, 3.9, 4.5], "limit_pct": 5.0},
        {"slope_pct_per_h": 0.1225, "start_pct": 2.8675, "limit_h": 17.41, "left_h": 4.41},
        2e-3,
    ),
    since_change_h=Arg("hours on the knives at each sample", 0, 1000, series=True, count=3),
    overthick_each_pct=Arg("overthick in each sample", 0, 100, series=True, count=3),
    limit_pct=Arg("most overthick allowed", 0, 100, above=True),
)
def knife_hours_left(*, since_change_h: np.ndarray, overthick_each_pct: np.ndarray, limit_pct: float) -> Wear:
    """Return how many hours the knives still have, from the last sample on; nil when they are past it."""
    same_length(since_change_h=since_change_h, overthick_each_pct=overthick_each_pct)
    if float(np.ptp(since_change_h)) <= 0:
        message = "every sample has the same hours on the knives: no trend can be drawn"
        raise DomainError("E_OBSERV", "since_change_h", message, "samples at different hours")
    slope, start = (float(value) for value in np.polyfit(since_change_h, overthick_each_pct, 1))
    if slope <= 0:
        message = f"overthick does not rise with the hours ({slope:+.3f} %/h): the knives are not the cause yet"
        raise DomainError("E_OBSERV", "overthick_each_pct", message, "a share that rises")
    limit = (limit_pct - start) / slope
    return Wear(slope, start, limit, max(0.0, limit - float(since_change_h.max())))
