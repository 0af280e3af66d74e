"""What is wrong with a washer, by what shows first, what comes after and what stays: each cause held against what is read."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import Final, Literal

Side = Literal["low", "high", "steady"]
Seen = Mapping[str, Side]
TELLS: Final = 2  # signs over those against it, that name a cause
POINTS: Final = {
    "loss": "loss",
    "vacuum": "vacuum",
    "vat": "level in the vat",
    "strong_solids": "solids of the strong liquor",
    "efficiency": "efficiency by the liquors",
}


@dataclass(frozen=True, slots=True)
class Cause:
    """A cause: what it does to what is read, what to look at, what to do and how much of it first."""

    words: str
    shows: Seen
    look: str
    do: str


@dataclass(frozen=True, slots=True)
class Weighed:
    """A cause held against what is read: what speaks for it, what against."""

    cause: Cause
    speaks_for: Sequence[str]
    against: Sequence[str]

    @property
    def weight(self) -> int:
        """What speaks for it less what speaks against."""
        return len(self.speaks_for) - len(self.against)


CAUSES: Final[tuple[Cause, ...]] = (
    Cause(
        "shower lanes blocked, or the shower off the mat",
        {"efficiency": "low", "loss": "high", "vacuum": "steady", "vat": "steady"},
        "Pads across the drum: do they differ? Dry lanes, the header's pressure, the strainer.",
        "Clear nozzles and strainer, one lane at a time under lock-out; water does not make up for it.",
    ),
    Cause(
        "air or foam in the liquor",
        {"vacuum": "low", "efficiency": "low", "loss": "high", "vat": "high"},
        "Gas by the jar; returns that fall free, soap, a low tank; the leg's pump hunts.",
        "Returns below the level first, then level of the tank up; defoamer last, in the dose its maker says.",
    ),
    Cause(
        "wire blinded by pitch, scale or fines",
        {"vacuum": "high", "vat": "high", "efficiency": "low"},
        "The wire after the doctor: bald, shining or brown; drainage of a sample.",
        "Wash the wire at the next gap; until then the rate down by a twentieth.",
    ),
    Cause(
        "rate up, the shower as it was",
        {"loss": "high", "vat": "high", "efficiency": "steady", "vacuum": "steady"},
        "Dilution factor now against the one set.",
        "Shower up in ratio with the rate, its set panel says how far.",
    ),
    Cause(
        "stray water",
        {"strong_solids": "low", "efficiency": "steady", "loss": "steady"},
        "Tank that creeps up; seal water, hoses, a make-up valve that passes.",
        "Shut one user at a time and watch the tank for ten minutes.",
    ),
    Cause(
        "stronger liquor with the pulp",
        {"strong_solids": "high", "loss": "high", "efficiency": "steady"},
        "The cook and its liquor-to-wood; the blow tank's extract.",
        "Dilution factor up by a fifth of a tonne, look again when the line has answered.",
    ),
    Cause(
        "colder liquor",
        {"efficiency": "low", "vacuum": "high", "loss": "high"},
        "Warmth of shower and vat: thick liquor drains and displaces badly.",
        "Warm the shower water to its usual first.",
    ),
)


def weighed(seen: Seen) -> list[Weighed]:
    """Return the causes, the likeliest first, held against what is read; what is not read says nothing.

    Parameters
    ----------
    seen : mapping of str to {"low", "high", "steady"}
        What is read at the line, by point; `efficiency` of the machine by its liquors.
    """
    found = []
    for cause in CAUSES:
        speaks: list[str] = []
        against: list[str] = []
        for point, side in cause.shows.items():
            now = seen.get(point)
            if now is None:
                continue
            words = f"{POINTS[point]} {now}"
            (speaks if now == side else against).append(words)
        found.append(Weighed(cause, tuple(speaks), tuple(against)))
    return sorted(found, key=lambda one: -one.weight)


def likeliest(found: Sequence[Weighed]) -> Cause | None:
    """Return the cause that what is read names; None where one sign alone would, or two causes are alike."""
    first, second = found[0], found[1]
    return first.cause if first.weight >= TELLS and first.weight > second.weight else None
