"""Counted debris: what a count says, what two counts say of each other, whether they scatter more than chance."""

from collections.abc import Sequence
from typing import Final, NamedTuple

import numpy as np

from stock.errors import DomainError
from stock.working import Arg, Example, method, warn

CONFIDENCE: Final = Arg("confidence of the limits", 0.5, 0.999)


class Counted(NamedTuple):
    """Debris per kilogram, with its limits by chance."""

    debris_per_kg: float
    low_per_kg: float
    high_per_kg: float


@method(
    "debris_per_kg = found_count * 1000 / sample_g; limits by chi-squared, exact for counts",
    title="Debris from a count",
    station="screening",
    source="Poisson statistics",
    aliases=("count_per_kg",),
    exact=False,
    results=Counted._fields,
    example=Example(
        {"found_count": 18, "sample_g": 100}, {"debris_per_kg": 180, "low_per_kg": 106.7, "high_per_kg": 284.5}
    ),
    found_count=Arg("pieces counted", 0, 1e6),
    sample_g=Arg("bone-dry sample", 0, 1e5, above=True),
    confidence_frac=CONFIDENCE,
)
def debris_counted(*, found_count: float, sample_g: float, confidence_frac: float = 0.95) -> Counted:
    """Return debris per kilogram with the limits that chance alone sets.

    Raises
    ------
    DomainError
        E_RANGE for a count that is no whole number.
    """
    from scipy.special import chdtri

    count = _whole("found_count", found_count)
    half = (1 - confidence_frac) / 2
    low = float(chdtri(2 * count, 1 - half)) / 2 if count else 0.0
    high = float(chdtri(2 * count + 2, half)) / 2
    return Counted(*(1000 * one / sample_g for one in (count, low, high)))


def _whole(name: str, value: float) -> int:
    if value != int(value):
        raise DomainError("E_RANGE", name, f"{value:g} pieces cannot be counted", "a whole number")
    return int(value)


LEAST_QUOTIENT = -1.0  # accepts twice as dirty as rejects; below that samples were exchanged


class Compared(NamedTuple):
    """Debris in accepts over that in feed, with its limits, and what a screen removed by it."""

    accept_to_feed_ratio: float
    low_ratio: float
    high_ratio: float
    removal_frac: float
    removal_low_frac: float
    removal_high_frac: float


@method(
    "accept_to_feed_ratio = (accept_count / accept_g) / (feed_count / feed_g); limits by Clopper and Pearson\n"
    "removal_frac = 1 - (1 - mass_reject_frac) * accept_to_feed_ratio",
    title="Two counts against each other",
    station="screening",
    source="conditional binomial; Clopper and Pearson (1934)",
    aliases=("count_ratio",),
    exact=False,
    results=Compared._fields,
    example=Example(
        {"accept_count": 18, "accept_g": 100, "feed_count": 46, "feed_g": 100, "mass_reject_frac": 0.22},
        {
            "accept_to_feed_ratio": 0.391, "low_ratio": 0.214, "high_ratio": 0.688, "removal_frac": 0.695,
            "removal_low_frac": 0.463, "removal_high_frac": 0.833,
        },
        4e-3,
    ),
    accept_count=Arg("pieces in the accepts", 0, 1e6),
    accept_g=Arg("bone-dry sample of accepts", 0, 1e5, above=True),
    feed_count=Arg("pieces in the feed", 0, 1e6),
    feed_g=Arg("bone-dry sample of feed", 0, 1e5, above=True),
    mass_reject_frac=Arg("mass reject rate", 0, 1, below=True),
    confidence_frac=CONFIDENCE,
)  # fmt: skip
def counts_compared(
    *,
    accept_count: float,
    accept_g: float,
    feed_count: float,
    feed_g: float,
    mass_reject_frac: float = 0.0,
    confidence_frac: float = 0.95,
) -> Compared:
    """Return what two counts say of a screen.

    Raises
    ------
    DomainError
        E_SINGULAR for a feed in which nothing was counted, E_RANGE for no whole number.
    """
    from scipy.special import betaincinv

    accepts, feed = _whole("accept_count", accept_count), _whole("feed_count", feed_count)
    if not feed:
        raise DomainError("E_SINGULAR", "feed_count", "nothing was counted in the feed", "one piece or more")
    half, both, scale = (1 - confidence_frac) / 2, accepts + feed, feed_g / accept_g
    low = float(betaincinv(accepts, feed + 1, half)) if accepts else 0.0
    high = float(betaincinv(accepts + 1, feed, 1 - half))
    ratios = [share / (1 - share) * scale for share in (accepts / both, low, high)]
    if accepts < 100:
        warn("fewer than 100 pieces: the figure is not good to a tenth; count more before a valve is moved")
    removed = [1 - (1 - mass_reject_frac) * one for one in (ratios[0], ratios[2], ratios[1])]
    return Compared(*ratios, *removed)


class Quotient(NamedTuple):
    """A stage's quotient by counts before and after it, with its limits."""

    quotient_ratio: float
    low_ratio: float
    high_ratio: float
    removal_frac: float


@method(
    "removal_frac = 1 - (1 - mass_reject_frac) * accepts over feed, each a gram\n"
    "quotient_ratio = (1 - mass_reject_frac / removal_frac) / (1 - mass_reject_frac); limits from those of the counts",
    title="Quotient by counts",
    station="screening",
    source="Nelson (1981) turned about; Clopper and Pearson for the counts, all tests of a stage together",
    exact=False,
    results=Quotient._fields,
    example=Example(
        {"accept_count": 180, "accept_g": 1000, "feed_count": 460, "feed_g": 1000, "mass_reject_frac": 0.22},
        {"quotient_ratio": 0.8762, "low_ratio": 0.8393, "high_ratio": 0.9024, "removal_frac": 0.6948},
        4e-3,
    ),
    accept_count=Arg("pieces in the accepts", 0, 1e6),
    accept_g=Arg("bone-dry sample of accepts", 0, 1e5, above=True),
    feed_count=Arg("pieces in the feed", 0, 1e6),
    feed_g=Arg("bone-dry sample of feed", 0, 1e5, above=True),
    mass_reject_frac=Arg("mass reject rate", 0, 1, above=True, below=True),
    confidence_frac=CONFIDENCE,
)
def quotient_by_counts(
    *,
    accept_count: float,
    accept_g: float,
    feed_count: float,
    feed_g: float,
    mass_reject_frac: float,
    confidence_frac: float = 0.95,
) -> Quotient:
    """Return the quotient counts say a stage has.

    Raises
    ------
    DomainError
        E_RANGE where the accepts are as dirty as would be without a screen, as `counts_compared` for the rest.
    """
    found = counts_compared(
        accept_count=accept_count, accept_g=accept_g, feed_count=feed_count, feed_g=feed_g,
        mass_reject_frac=mass_reject_frac, confidence_frac=confidence_frac,
    )  # fmt: skip
    if found.removal_frac <= 0:
        message = "more pieces a gram left with the accepts than came: the samples may have been exchanged"
        raise DomainError("E_RANGE", "accept_count", message, "accepts cleaner than the feed")

    def quotient(removal: float) -> float:
        return max((1 - mass_reject_frac / max(removal, 1e-6)) / (1 - mass_reject_frac), LEAST_QUOTIENT)

    limits = (quotient(found.removal_low_frac), quotient(found.removal_high_frac))
    return Quotient(quotient(found.removal_frac), *limits, found.removal_frac)


class Scatter(NamedTuple):
    """How repeats scatter against chance: 1 is chance; beyond the limit they clump, or were badly sampled."""

    dispersion_ratio: float
    chi_ratio: float
    limit_ratio: float


@method(
    "dispersion_ratio = variance / mean of the counts\n"
    "chi_ratio = dispersion_ratio * (number of counts - 1)\n"
    "limit_ratio = 95 % point of chi-squared with as many degrees of freedom",
    title="Whether counts scatter more than chance",
    station="screening",
    source="Fisher's test of dispersion",
    aliases=("count_dispersion",),
    exact=False,
    results=Scatter._fields,
    example=Example(
        {"repeats_count": [12, 31, 9, 22, 16]}, {"dispersion_ratio": 4.25, "chi_ratio": 17.0, "limit_ratio": 9.488}
    ),
    repeats_count=Arg("repeats of one count", 0, 1e6, series=True, count=2),
)
def counts_scatter(*, repeats_count: Sequence[float]) -> Scatter:
    """Return how repeats of a count scatter.

    Raises
    ------
    DomainError
        E_SINGULAR where nothing was counted at all.
    """
    from scipy.special import chdtri

    values = np.asarray(repeats_count, dtype=float)
    if values.sum() == 0:
        raise DomainError("E_SINGULAR", "repeats_count", "nothing was counted in any repeat", "one piece or more")
    ratio, free = float(values.var(ddof=1) / values.mean()), len(values) - 1
    found = Scatter(ratio, ratio * free, float(chdtri(free, 0.05)))
    if found.chi_ratio > found.limit_ratio:
        warn(f"the counts scatter {ratio:.1f} times as chance would: limits are {ratio**0.5:.1f} times as wide")
    return found
