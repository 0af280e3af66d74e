"""What a charge ladder shows: how light absorbed and kappa answer to each kilogram, how many chains a stage cuts."""

import math
from typing import NamedTuple

import numpy as np

from stock.bleaching.scission import LENGTH
from stock.errors import DomainError
from stock.working import Arg, Example, method, warn

TOLD_BY = 6  # results, fewer only hint


class Slope(NamedTuple):
    """A line through nought with its limits at 95 % and what of the scatter it leaves."""

    value: float
    low: float
    high: float
    scatter: float


def through_nought(given: np.ndarray, shown: np.ndarray, field: str) -> Slope:
    """Return the least-squares line through nought of what was shown on what was given.

    Raises
    ------
    DomainError
        E_SINGULAR, naming the field, where nothing was given in any of them.
    """
    from scipy.special import stdtrit

    count, squares = len(given), float(np.dot(given, given))
    if squares <= 0:
        raise DomainError("E_SINGULAR", field, "nothing was charged in any of them", "charges above 0")
    slope = float(np.dot(given, shown)) / squares
    scatter = math.sqrt(max(0.0, float(((shown - slope * given) ** 2).sum())) / (count - 1))
    half = float(stdtrit(count - 1, 0.975)) * scatter / math.sqrt(squares)
    if count < TOLD_BY:
        warn(f"{count} results only hint: {TOLD_BY} or more, on one pulp")
    return Slope(slope, slope - half, slope + half, scatter)


def _one_for_each(count: int, **series: np.ndarray) -> None:
    for name, one in series.items():
        if len(one) != count:
            raise DomainError("E_COUNT", name, "one for each charge", f"{count} numbers")


class Fit(NamedTuple):
    """A response from results, with what of the scatter it leaves."""

    response_per_kg: float
    low_response_per_kg: float
    high_response_per_kg: float
    scatter_ratio: float


@method(
    "y = (ks_in_each_ks - ks_floor_ks) / (ks_out_each_ks - ks_floor_ks) - 1\n"
    "response_per_kg = sum(charge_each_kg_per_bdt * y) / sum(charge_each_kg_per_bdt**2)",
    title="Response of a stage from results",
    station="bleaching",
    source="least squares through nought; limits at 95 % from the scatter of y",
    aliases=("fit_response_per_kg",),
    exact=False,
    results=Fit._fields,
    example=Example(
        {
            "charge_each_kg_per_bdt": [6, 10, 14, 18],
            "ks_in_each_ks": [0.06, 0.06, 0.06, 0.06],
            "ks_out_each_ks": [0.0276, 0.02142857, 0.018, 0.01581818],
            "ks_floor_ks": 0.006,
        },
        {"response_per_kg": 0.25, "low_response_per_kg": 0.25, "high_response_per_kg": 0.25},
    ),
    charge_each_kg_per_bdt=Arg("charges", 0, 200, series=True, count=3),
    ks_in_each_ks=Arg("k/s before each", 0, 100, above=True, series=True, count=3),
    ks_out_each_ks=Arg("k/s after each", 0, 100, above=True, series=True, count=3),
    ks_floor_ks=Arg("k/s no charge goes below", 0, 1),
)
def response_fit(
    *, charge_each_kg_per_bdt: np.ndarray, ks_in_each_ks: np.ndarray, ks_out_each_ks: np.ndarray, ks_floor_ks: float
) -> Fit:
    """Return the response that results show, with its limits; fewer than six results only hint."""
    _one_for_each(len(charge_each_kg_per_bdt), ks_in_each_ks=ks_in_each_ks, ks_out_each_ks=ks_out_each_ks)
    if (ks_out_each_ks <= ks_floor_ks).any():
        message = "a result is beyond the floor this stage is said to have: the floor is too high"
        raise DomainError("E_RANGE", "ks_floor_ks", message, f"less than {float(ks_out_each_ks.min()):.4f}")
    shown = (ks_in_each_ks - ks_floor_ks) / (ks_out_each_ks - ks_floor_ks) - 1
    return Fit(*through_nought(charge_each_kg_per_bdt, shown, "charge_each_kg_per_bdt"))


class KappaRateFit(NamedTuple):
    """The rate at which kappa falls, from results."""

    rate_factor: float
    low_rate_factor: float
    high_rate_factor: float
    scatter_ratio: float


@method(
    "x = charge_each_kg_per_bdt / (10 * in_each_kappa)\n"
    "y = log((in_each_kappa - floor_kappa) / (out_each_kappa - floor_kappa))\n"
    "rate_factor = sum(x * y) / sum(x**2)",
    title="Rate of the kappa from results",
    station="bleaching",
    source="the kappa law of a sequence turned round; least squares through nought, limits at 95 %",
    exact=False,
    results=KappaRateFit._fields,
    example=Example(
        {
            "charge_each_kg_per_bdt": [13.2, 26.4, 39.6],
            "in_each_kappa": [12, 12, 12],
            "out_each_kappa": [4.981973, 2.889216, 2.265162],
            "floor_kappa": 2.0,
        },
        {"rate_factor": 11.0, "low_rate_factor": 11.0, "high_rate_factor": 11.0},
        1e-3,
    ),
    charge_each_kg_per_bdt=Arg("charges that worked", 0, 200, series=True, count=3),
    in_each_kappa=Arg("kappa before each", 0, 150, above=True, series=True, count=3),
    out_each_kappa=Arg("kappa after each", 0, 150, above=True, series=True, count=3),
    floor_kappa=Arg("kappa no charge goes below", 0, 50),
)
def kappa_rate_fit(
    *, charge_each_kg_per_bdt: np.ndarray, in_each_kappa: np.ndarray, out_each_kappa: np.ndarray, floor_kappa: float
) -> KappaRateFit:
    """Return the rate of the kappa that results show; oxygen goes by its own law instead."""
    _one_for_each(len(charge_each_kg_per_bdt), in_each_kappa=in_each_kappa, out_each_kappa=out_each_kappa)
    least = float(min(in_each_kappa.min(), out_each_kappa.min()))
    if least <= floor_kappa:
        message = "a kappa is beyond the floor this stage is said to have: the floor is too high"
        raise DomainError("E_RANGE", "floor_kappa", message, f"less than {least:.2f}")
    shown = np.log((in_each_kappa - floor_kappa) / (out_each_kappa - floor_kappa))
    return KappaRateFit(*through_nought(charge_each_kg_per_bdt / (10 * in_each_kappa), shown, "charge_each_kg_per_bdt"))


class CutFit(NamedTuple):
    """Chains a stage cuts, from results."""

    cut_scission: float
    low_scission: float
    high_scission: float
    scatter_scission: float


@method(
    "cut = 10000 * (1 / (0.75 * after_each_ml_per_g)**(1 / 0.905) - 1 / (0.75 * before_each_ml_per_g)**(1 / 0.905))\n"
    "cut_scission = mean(cut)",
    title="Chains a stage cuts, from results",
    station="bleaching",
    source="mean of the scission of each; limits at 95 % of the mean",
    exact=False,
    results=CutFit._fields,
    example=Example(
        {"before_each_ml_per_g": [950, 950, 950], "after_each_ml_per_g": [820, 820, 820]},
        {"cut_scission": 1.244, "low_scission": 1.244, "high_scission": 1.244},
        1e-3,
    ),
    before_each_ml_per_g=Arg("viscosity before each", 0, 3000, above=True, series=True, count=3),
    after_each_ml_per_g=Arg("viscosity after each", 0, 3000, above=True, series=True, count=3),
)
def cut_fit(*, before_each_ml_per_g: np.ndarray, after_each_ml_per_g: np.ndarray) -> CutFit:
    """Return how many chains results say a stage cuts, in ten-thousandths."""
    _one_for_each(len(before_each_ml_per_g), after_each_ml_per_g=after_each_ml_per_g)
    cuts = np.array(
        [
            1e4 * (1 / LENGTH(viscosity_ml_per_g=after) - 1 / LENGTH(viscosity_ml_per_g=before))
            for before, after in zip(before_each_ml_per_g, after_each_ml_per_g, strict=True)
        ]
    )
    return CutFit(*through_nought(np.ones(len(cuts)), cuts, "before_each_ml_per_g"))


class DirtFit(NamedTuple):
    """The rate at which dirt fades, from counts."""

    dirt_factor: float
    low_dirt_factor: float
    high_dirt_factor: float
    scatter_ratio: float


@method(
    "y = log(in_each_per_kg / out_each_per_kg)\n"
    "dirt_factor = sum(charge_each_kg_per_bdt * y) / sum(charge_each_kg_per_bdt**2)",
    title="Rate at which dirt and shives fade, from counts",
    station="bleaching",
    source="default form, what is left falls by the same share for each kilogram; least squares, limits at 95 %",
    exact=False,
    results=DirtFit._fields,
    example=Example(
        {
            "charge_each_kg_per_bdt": [10, 20, 30],
            "in_each_per_kg": [400, 400, 400],
            "out_each_per_kg": [296.3273, 219.5247, 162.6279],
        },
        {"dirt_factor": 0.03, "low_dirt_factor": 0.03, "high_dirt_factor": 0.03},
        1e-3,
    ),
    charge_each_kg_per_bdt=Arg("charges that worked", 0, 200, series=True, count=3),
    in_each_per_kg=Arg("specks a kilogram before each", 0, 1e7, above=True, series=True, count=3),
    out_each_per_kg=Arg("specks a kilogram after each", 0, 1e7, above=True, series=True, count=3),
)
def dirt_fit(*, charge_each_kg_per_bdt: np.ndarray, in_each_per_kg: np.ndarray, out_each_per_kg: np.ndarray) -> DirtFit:
    """Return the rate at which counts say that dirt fades."""
    _one_for_each(len(charge_each_kg_per_bdt), in_each_per_kg=in_each_per_kg, out_each_per_kg=out_each_per_kg)
    shown = np.log(in_each_per_kg / out_each_per_kg)
    return DirtFit(*through_nought(charge_each_kg_per_bdt, shown, "charge_each_kg_per_bdt"))
