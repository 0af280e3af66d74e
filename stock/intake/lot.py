"""A lot at the gate: weighed, dried, tested, accepted or refused."""

from dataclasses import dataclass
from math import ceil, sqrt
from typing import Final, Literal, NamedTuple

import numpy as np

from stock.errors import DomainError
from stock.working import Arg, Example, method, warn

MOISTURE: Final = Arg("moisture of the wet mass", 0, 1, below=True, usual=(0.15, 0.70))


def shares_add_up(argument: str, shares: np.ndarray, tolerance: float) -> None:
    """Refuse shares that do not add to one."""
    total = float(np.sum(shares))
    if abs(total - 1) > tolerance:
        message = f"the shares add to {total:.4g}; they must add to 1 within {tolerance:g}"
        raise DomainError("E_SUM", argument, message, f"a sum of 1 ± {tolerance:g}")


@method(
    "net_t = gross_t - tare_t",
    title="Net mass of a load",
    station="intake",
    source="weighbridge, full less empty",
    example=Example({"gross_t": 54.8, "tare_t": 16.2}, {"net_t": 38.6}),
    gross_t=Arg("full", 0, 5000, above=True),
    tare_t=Arg("empty", 0, 5000),
)
def net_mass_t(*, gross_t: float, tare_t: float) -> float:
    """Return what a truck or barge brought."""
    if tare_t >= gross_t:
        message = f"tare {tare_t:g} t is not below gross {gross_t:g} t: the two are swapped, or one is another truck's"
        raise DomainError("E_ORDER", "tare_t", message, f"less than {gross_t:g} t")
    return gross_t - tare_t


class Replicates(NamedTuple):
    """Moisture from several samples of one lot."""

    moisture_wet_frac: float
    spread_frac: float
    range_frac: float
    critical_frac: float


# Critical range factors for n results under repeatability conditions, 95 %.
RANGE_FACTOR: Final = (2.8, 3.3, 3.6, 3.9, 4.0, 4.2, 4.3, 4.4, 4.5)


@method(
    "moisture_wet_frac = mean of the replicates; spread_frac = their standard deviation;"
    " critical_frac = factor(n) * repeatability_sd_frac",
    title="Moisture from replicates",
    station="intake",
    source="mean and standard deviation; critical range after ISO 5725-6",
    exact=False,
    results=("moisture_wet_frac", "spread_frac", "range_frac", "critical_frac"),
    example=Example(
        {"each_moisture_frac": [0.521, 0.529, 0.525], "repeatability_sd_frac": 0.004},
        {"moisture_wet_frac": 0.525, "spread_frac": 0.004, "range_frac": 0.008, "critical_frac": 0.0132},
    ),
    each_moisture_frac=Arg("moisture of each sample", 0, 1, below=True, series=True, count=1),
    repeatability_sd_frac=Arg("repeatability of the test, standard deviation", 0, 0.05, above=True),
)
def moisture_of_replicates(*, each_moisture_frac: np.ndarray, repeatability_sd_frac: float = 0.005) -> Replicates:
    """Return the mean moisture; a range beyond the critical one is kept, with a warning."""
    count = each_moisture_frac.size
    mean = float(each_moisture_frac.mean())
    if count == 1:
        warn("one sample only: its spread is not known")
        return Replicates(mean, 0.0, 0.0, 0.0)
    spread = float(each_moisture_frac.std(ddof=1))
    span = float(np.ptp(each_moisture_frac))
    critical = RANGE_FACTOR[min(count, 10) - 2] * repeatability_sd_frac
    if span > critical + 1e-12:
        warn(
            f"the replicates differ by {100 * span:.1f} points, more than the {100 * critical:.1f} the test allows:"
            " take another sample"
        )
    return Replicates(mean, spread, span, critical)


@method(
    "bone_dry_mass_t = green_mass_t * (1 - moisture_wet_frac)",
    title="Bone-dry mass from green mass",
    station="intake",
    source="definition; moisture by oven drying at 105 °C (ISO 18134)",
    example=Example({"green_mass_t": 38.6, "moisture_wet_frac": 0.525}, {"bone_dry_mass_t": 18.335}),
    green_mass_t=Arg("mass as weighed", 0, 1e6),
    moisture_wet_frac=MOISTURE,
)
def bone_dry_mass_t(*, green_mass_t: float, moisture_wet_frac: float) -> float:
    """Return the bone-dry mass of a green lot."""
    return green_mass_t * (1 - moisture_wet_frac)


@method(
    "green_t = bd_wood_t / (1 - moisture_wet_frac)",
    title="Green mass that holds a bone-dry mass",
    station="intake",
    source="definition",
    example=Example({"bd_wood_t": 18.335, "moisture_wet_frac": 0.525}, {"green_t": 38.6}),
    bd_wood_t=Arg("bone-dry wood wanted", 0, 1e6),
    moisture_wet_frac=Arg("moisture, wet basis", 0, 1, below=True, usual=(0.15, 0.85)),
)
def green_for_bone_dry(*, bd_wood_t: float, moisture_wet_frac: float) -> float:
    """Return what the scale must show."""
    return bd_wood_t / (1 - moisture_wet_frac)


@method(
    "moisture_ratio_kg_per_kg = moisture_wet_frac / (1 - moisture_wet_frac)",
    title="Moisture ratio",
    station="intake",
    source="definition",
    example=Example({"moisture_wet_frac": 0.525}, {"moisture_ratio_kg_per_kg": 1.1053}),
    moisture_wet_frac=MOISTURE,
)
def moisture_ratio_kg_per_kg(*, moisture_wet_frac: float) -> float:
    """Return kilograms of water per bone-dry kilogram."""
    return moisture_wet_frac / (1 - moisture_wet_frac)


@method(
    "samples_count = ceil((z_ratio * std_dev_pct / allowed_error_pct)**2)",
    title="How many moisture samples",
    station="intake",
    source="confidence interval of a mean",
    exact=False,
    example=Example({"std_dev_pct": 2.1, "allowed_error_pct": 0.8}, {"samples_count": 27}),
    std_dev_pct=Arg("standard deviation between samples, points", 0, 100, above=True),
    allowed_error_pct=Arg("error allowed, points", 0, 100, above=True),
    z_ratio=Arg("normal deviate of the confidence wanted", 0, 6, above=True),
)
def samples_needed(*, std_dev_pct: float, allowed_error_pct: float, z_ratio: float = 1.96) -> int:
    """Return how many samples bring the error of the mean down to what is allowed."""
    return ceil((z_ratio * std_dev_pct / allowed_error_pct) ** 2 - 1e-9)


@method(
    "difference_ratio = abs(mean_a_pct - mean_b_pct)"
    " / sqrt(spread_a_pct**2 / count_a_count + spread_b_pct**2 / count_b_count)",
    title="Has the moisture moved",
    station="intake",
    source="two means against their standard error",
    example=Example(
        {
            "mean_a_pct": 48.0,
            "spread_a_pct": 1.2,
            "count_a_count": 6,
            "mean_b_pct": 50.2,
            "spread_b_pct": 1.0,
            "count_b_count": 4,
        },
        {"difference_ratio": 3.143},
    ),
    mean_a_pct=Arg("mean before", 0, 100),
    spread_a_pct=Arg("its standard deviation", 0, 50, above=True),
    count_a_count=Arg("its samples", 1, 10_000),
    mean_b_pct=Arg("mean now", 0, 100),
    spread_b_pct=Arg("its standard deviation", 0, 50, above=True),
    count_b_count=Arg("its samples", 1, 10_000),
)
def moisture_moved(
    *,
    mean_a_pct: float,
    spread_a_pct: float,
    count_a_count: float,
    mean_b_pct: float,
    spread_b_pct: float,
    count_b_count: float,
) -> float:
    """Return a change of moisture in standard errors; above 2 it is hardly chance."""
    return abs(mean_a_pct - mean_b_pct) / sqrt(spread_a_pct**2 / count_a_count + spread_b_pct**2 / count_b_count)


# ---- what a lot is worth

Answer = Literal["accept", "deduct", "refuse"]


@dataclass(frozen=True, slots=True)
class Test:
    """One receiving test: its limits, and what a point over the first one costs."""

    name: str
    accept_pct: float
    refuse_pct: float
    deduct_pct_per_pct: float


@dataclass(frozen=True, slots=True)
class Judged:
    """One test of one lot."""

    test: Test
    value_pct: float
    answer: Answer
    deduction_pct: float

    @property
    def words(self) -> str:
        """Say what was found and what it means."""
        found = (
            f"{self.test.name} {self.value_pct:.2g} %"
            if self.value_pct < 10
            else f"{self.test.name} {self.value_pct:.1f} %"
        )
        if self.answer == "refuse":
            return f"{found}, above the {self.test.refuse_pct:g} % at which a lot is refused"
        if self.answer == "deduct":
            return f"{found}, above {self.test.accept_pct:g} %: {self.deduction_pct:.1f} % off"
        return f"{found}, within {self.test.accept_pct:g} %"


@dataclass(frozen=True, slots=True)
class Decision:
    """What to do with a lot, and why."""

    answer: Answer
    deduction_pct: float
    judged: tuple[Judged, ...]
    missing: tuple[str, ...] = ()

    @property
    def reason(self) -> str:
        """Say why, naming what spoke against the lot and what was not tested."""
        said = [one.words for one in self.judged if one.answer != "accept"]
        if not said:
            said = ["every test made is within its limit" if self.missing else "every test within its limit"]
        if self.missing:
            said.append(f"not tested: {', '.join(self.missing)}")
        return "; ".join(said if self.judged else said[-1:])


@method(
    "deduction_pct = max(0, value_pct - accept_pct) * deduct_pct_per_pct",
    title="Deduction for a receiving test",
    station="intake",
    source="terms of purchase: a rate for each point over the limit",
    exact=False,
    example=Example(
        {"value_pct": 1.9, "accept_pct": 1.2, "refuse_pct": 3.0, "deduct_pct_per_pct": 2.0}, {"deduction_pct": 1.4}
    ),
    value_pct=Arg("what the test found", 0, 100),
    accept_pct=Arg("limit up to which nothing is taken off", 0, 100),
    refuse_pct=Arg("limit above which the lot is refused", 0, 100),
    deduct_pct_per_pct=Arg("taken off for each point over", 0, 20),
)
def receiving_deduction_pct(
    *, value_pct: float, accept_pct: float, refuse_pct: float, deduct_pct_per_pct: float
) -> float:
    """Return what is taken off the paid mass for one test; a lot past the refusing limit has no price."""
    if refuse_pct < accept_pct:
        message = f"the refusing limit {refuse_pct:g} % lies below the accepting one {accept_pct:g} %"
        raise DomainError("E_ORDER", "refuse_pct", message, f"{accept_pct:g} % or more")
    if value_pct > refuse_pct:
        message = f"{value_pct:g} % is above {refuse_pct:g} %: the lot is refused, not reduced"
        raise DomainError("E_INFEASIBLE", "value_pct", message, f"up to {refuse_pct:g} %")
    return max(0.0, value_pct - accept_pct) * deduct_pct_per_pct


def decide(found: dict[str, float], tests: tuple[Test, ...]) -> Decision:
    """Judge a lot by every test that was made; one refusal refuses it, deductions add up."""
    judged = []
    for test in tests:
        if test.name not in found:
            continue
        value = found[test.name]
        try:
            off = receiving_deduction_pct(
                value_pct=value,
                accept_pct=test.accept_pct,
                refuse_pct=test.refuse_pct,
                deduct_pct_per_pct=test.deduct_pct_per_pct,
            )
        except DomainError as error:
            if error.code != "E_INFEASIBLE":
                raise
            judged.append(Judged(test, value, "refuse", 0.0))
        else:
            judged.append(Judged(test, value, "deduct" if off > 0 else "accept", off))
    answers = {one.answer for one in judged}
    total = sum(one.deduction_pct for one in judged)
    answer: Answer = "refuse" if "refuse" in answers else "deduct" if "deduct" in answers else "accept"
    missing = tuple(test.name for test in tests if test.name not in found)
    return Decision(answer, min(total, 100.0), tuple(judged), missing)
