"""The mill's own model of a recipe, as one accepted version of it: what every forecast is made with."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import Any, Self

import numpy as np

from stock.cooking.end_point import severity
from stock.cooking.kinetics import simulate_kraft
from stock.cooking.recipe import Recipe
from stock.errors import DomainError
from stock.figure import Datum, Figure, Origin, figure
from stock.fit.kappa import (
    LEAST_COOKS,
    choose_exponent,
    fit_kappa_model,
    fit_sulphite_model,
    fit_yield_model,
    half_band,
)


@dataclass(frozen=True, slots=True)
class Relation:
    """A version of a recipe's relation. `cooks` is 0 for the figures a recipe starts from."""

    version: int
    words: str
    spread_kappa: float
    reference_yield_pct: float
    reference_kappa: float
    slope_pct: float
    used_pct: float = 0.0
    alpha: float = 0.0
    beta: float = 0.0
    n: float = 0.0
    bulk_ratio: float = 1.0
    reference_factor: float = 0.0
    reference_cook_kappa: float = 0.0
    zero_kappa: float = 180.0
    cooks: int = 0
    mean_x: float = 0.0
    sum_squares: float = 0.0
    low_x: float = 0.0
    high_x: float = 0.0
    h_from: float = 0.0
    h_to: float = 0.0
    alkali_from_pct_na2o: float = 0.0
    alkali_to_pct_na2o: float = 0.0

    @classmethod
    def of(cls, recipe: Recipe) -> Self:
        """Return what a recipe starts from, until eight good cooks of its own."""
        shared: dict[str, Any] = {
            "version": 1,
            "words": f"default of {recipe.name}",
            "spread_kappa": recipe.kappa_sd,
            "reference_yield_pct": recipe.reference_yield_pct,
            "reference_kappa": recipe.reference_kappa,
            "slope_pct": recipe.slope_pct,
        }
        if recipe.is_sulphite:
            acid = recipe.acid
            return cls(
                **shared,
                reference_factor=acid.reference_factor,
                reference_cook_kappa=acid.reference_cook_kappa,
                zero_kappa=acid.zero_kappa,
            )
        alkali = recipe.alkali
        residual = sum(alkali.residual_kg_per_m3_as_naoh) / 2
        used = alkali.charge_pct_naoh_on_wood - 0.1 * residual * recipe.liquor_to_wood
        fitted = {name: getattr(alkali, name) for name in ("alpha", "beta", "n", "bulk_ratio")}
        return cls(**shared, **fitted, used_pct=used)

    @property
    def origin(self) -> Origin:
        """Where its figures come from."""
        return Origin("set", f"relation {self.version}, {self.words}")

    def data(self, *names: str) -> dict[str, Datum]:
        """Return some of its figures as sourced arguments."""
        return {name: Datum(getattr(self, name), self.origin) for name in names}

    def fitted(self) -> dict[str, Datum]:
        """Return the alkaline relation as sourced arguments."""
        return self.data("alpha", "beta", "n")

    def band(self, h_factor: Datum, alkali: Datum) -> Figure:
        """Return the half-width around a kappa forecast, 95 %; twice the spread while it is a default."""
        if self.cooks < LEAST_COOKS:
            spread = Datum(self.spread_kappa, self.origin)
            return figure("default_band", "band, give or take", {"spread_kappa": spread})
        kept = {
            "n": self.n,
            "spread_kappa": self.spread_kappa,
            "cooks_count": float(self.cooks),
            "mean_x_ratio": self.mean_x,
            "sum_squares_ratio": self.sum_squares,
        }
        given = {name: Datum(value, self.origin) for name, value in kept.items()}
        return figure(
            "kappa_band",
            "band, give or take",
            {"h_factor": h_factor, "effective_alkali_pct_na2o": alkali, **given},
        )

    def place(self, factor: float, alkali_pct_na2o: float | None) -> float:
        """Return where a cook lies along the axis its kappa is read from: the factor of acid, severity of alkali."""
        if self.reference_factor or alkali_pct_na2o is None:
            return factor
        return float(severity(factor, alkali_pct_na2o, self.n))

    def kappa_at(self, place: Any) -> Any:
        """Return the kappa at a place along that axis, without a working; takes numbers and arrays."""
        if self.reference_factor:
            decay = np.log(self.reference_cook_kappa / self.zero_kappa) / self.reference_factor
            return self.zero_kappa * np.exp(decay * place)
        return self.alpha - self.beta * place

    def half_at(self, place: Any) -> Any:
        """Return the half-width of the band along that axis, as `band` gives it for one cook."""
        if self.reference_factor or self.cooks < LEAST_COOKS:
            return np.full_like(place, 2 * self.spread_kappa)
        return half_band(place, self.spread_kappa, self.cooks, self.mean_x, self.sum_squares)

    def beyond(self, h_factor: float, alkali_pct_na2o: float) -> tuple[str, ...]:
        """Return what of a cook lies more than a tenth past what the relation was fitted on, each by itself."""
        asked = (
            ("H", h_factor, self.h_from, self.h_to, 0),
            ("a charge of", alkali_pct_na2o, self.alkali_from_pct_na2o, self.alkali_to_pct_na2o, 1),
        )
        found = []
        for name, value, low, high, decimals in asked:
            reach = 0.1 * (high - low)
            if self.cooks >= LEAST_COOKS and high > low and not low - reach <= value <= high + reach:
                unit = " % Na2O" if decimals else ""
                found.append(
                    f"{name} {value:.{decimals}f}{unit} is beyond the {low:.{decimals}f} to {high:.{decimals}f}{unit}"
                    f" relation {self.version} was fitted on: it guesses there"
                )
        return tuple(found)


Cook = Mapping[str, float]


def fit_relation(recipe: Recipe, cooks: Sequence[Cook], version: int, words: str) -> Relation:
    """Fit a recipe's relation to good cooks.

    Each cook gives `factor` (H, bar·h or hours at 100 °C) and `kappa`; of alkaline cooks also
    `alkali_pct_na2o`, and where known `yield_pct`, `used_pct`.

    Raises
    ------
    DomainError
        E_COUNT or E_OBSERV: too few, or too alike.
    """
    start = Relation.of(recipe)
    yields = [{"kappa": one["kappa"], "yield_pct": one["yield_pct"]} for one in cooks if "yield_pct" in one]
    shared: dict[str, Any] = {"version": version, "words": words, "cooks": len(cooks)}
    try:
        line = fit_yield_model(cooks=yields, reference_kappa=recipe.reference_kappa)
        shared |= {"reference_yield_pct": line.at_reference_pct, "slope_pct": max(line.slope_pct, 0.0)}
    except DomainError:  # too few yields: the recipe's line stays
        shared |= {"reference_yield_pct": start.reference_yield_pct, "slope_pct": start.slope_pct}
    shared["reference_kappa"] = recipe.reference_kappa
    if recipe.is_sulphite:
        rows = [{"factor_bar_h": one["factor"], "kappa": one["kappa"]} for one in cooks]
        acid = recipe.acid
        fit = fit_sulphite_model(cooks=rows, reference_kappa=acid.reference_cook_kappa, zero_kappa=acid.zero_kappa)
        return Relation(
            **shared,
            spread_kappa=fit.spread_kappa,
            reference_factor=fit.reference_bar_h,
            reference_cook_kappa=acid.reference_cook_kappa,
            zero_kappa=acid.zero_kappa,
        )
    table = hatton_rows(cooks)
    n = choose_exponent(cooks=table).n
    fitted = fit_kappa_model(cooks=table, n=n)
    x = np.array([severity(one["h_factor"], one["effective_alkali_pct_na2o"], n) for one in table])
    used = [one["used_pct"] for one in cooks if "used_pct" in one]
    return Relation(
        **shared,
        spread_kappa=fitted.spread_kappa,
        alpha=fitted.alpha,
        beta=fitted.beta,
        n=n,
        bulk_ratio=recipe.alkali.bulk_ratio,
        used_pct=float(np.mean(used)) if len(used) >= LEAST_COOKS else start.used_pct,
        mean_x=float(x.mean()),
        sum_squares=float(np.sum((x - x.mean()) ** 2)),
        low_x=float(x.min()),
        high_x=float(x.max()),
        h_from=min(one["h_factor"] for one in table),
        h_to=max(one["h_factor"] for one in table),
        alkali_from_pct_na2o=min(one["effective_alkali_pct_na2o"] for one in table),
        alkali_to_pct_na2o=max(one["effective_alkali_pct_na2o"] for one in table),
    )


def hatton_rows(cooks: Sequence[Cook]) -> list[dict[str, float]]:
    """Return cooks as the fit of the alkaline relation takes them."""
    return [
        {"h_factor": one["factor"], "effective_alkali_pct_na2o": one["alkali_pct_na2o"], "kappa": one["kappa"]}
        for one in cooks
    ]


def calibrate_bulk(recipe: Recipe, cooks: Sequence[Cook], liquor_to_wood: float | None = None) -> float:
    """Return the multiplier of the bulk rate that makes the kinetics right on average over some cooks.

    Each cook gives `factor` (H), `charge_pct`, `sulphidity` and `kappa`; its temperatures are taken
    as the recipe's, held until that H was reached.
    """
    from scipy.optimize import brentq

    from stock.cooking.schedule import planned_profile, profile_to_h

    alkali = recipe.alkali
    profiles = [profile_to_h(planned_profile(recipe, 900.0), one["factor"]) for one in cooks]

    def bias(ratio: float) -> float:
        rest = [
            simulate_kraft(
                times_min=times,
                temperatures_c=np.clip(temperatures, 60, 185),
                effective_alkali_pct_naoh_on_wood=one["charge_pct"],
                sulphidity_frac=one.get("sulphidity", alkali.sulphidity_frac),
                liquor_to_wood=liquor_to_wood or recipe.liquor_to_wood,
                species=recipe.wood,
                bulk_ratio=ratio,
            ).kappa
            - one["kappa"]
            for (times, temperatures), one in zip(profiles, cooks, strict=True)
        ]
        return float(np.mean(rest))

    low, high = 0.5, 2.5
    if bias(low) * bias(high) > 0:
        message = "no bulk rate between half and two and a half times the published makes the kinetics right"
        raise DomainError("E_INFEASIBLE", "bulk_ratio", message, "cooks nearer to what the kinetics describe")
    return round(float(brentq(bias, low, high, xtol=0.004)), 3)
