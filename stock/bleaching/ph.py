"""pH of a stage: the dose that moves it, and what a hot alkaline reading means."""

import numpy as np

from stock.errors import DomainError
from stock.working import Arg, Example, Rows, method, note

BUFFER_ACID, BUFFER_ALKALINE = 4.0, 12.0  # mmol/(L·pH), dioxide stages; extraction and peroxide


def _pkw(kelvin: float) -> float:
    return 4470.99 / kelvin - 6.0875 + 0.01706 * kelvin


@method(
    "dose_kg_per_bdt = (m(target_ph) - m(now_ph)) * (100 / stage_consistency_pct - 1) * equivalent_g_per_mol / 1000;"
    " m from the titration of the stage's own liquor, or buffer_mmol_per_l_ph * pH",
    title="Dose for a pH",
    station="bleaching",
    source="balance, through a titration curve or a buffer slope (dioxide stages 4, extraction and peroxide 12 mmol/(L·pH))",
    aliases=("ph_dose_kg_per_bdt",),
    exact=False,
    results=("dose_kg_per_bdt",),
    example=Example(
        {"now_ph": 3.5, "target_ph": 4.0, "stage_consistency_pct": 10, "buffer_mmol_per_l_ph": 4},
        {"dose_kg_per_bdt": 0.72},
    ),
    now_ph=Arg("pH of the stage", 0, 14),
    target_ph=Arg("pH wanted", 0, 14),
    stage_consistency_pct=Arg("consistency of the stage", 0, 40, above=True),
    equivalent_g_per_mol=Arg("mass of an equivalent", 1, 500),
    buffer_mmol_per_l_ph=Arg("buffer slope", 0, 500, above=True),
    curve=Rows(
        "titration of the liquor", {"curve_ph": Arg("pH", 0, 14), "added_mmol_per_l": Arg("alkali added", -1e3, 1e3)}
    ),
)
def ph_dose(
    *,
    now_ph: float,
    target_ph: float,
    stage_consistency_pct: float,
    equivalent_g_per_mol: float = 39.997,
    buffer_mmol_per_l_ph: float | None = None,
    curve: list[dict[str, float]] | None = None,
) -> float:
    """Return the alkali that moves a stage to a pH; below nought it is acid."""
    if curve is None and buffer_mmol_per_l_ph is None:
        message = "neither a titration of the liquor nor a buffer slope is given"
        raise DomainError("E_TYPE", "buffer_mmol_per_l_ph", message, "one of the two")
    if curve is not None:
        added = _along(curve, target_ph, "target_ph") - _along(curve, now_ph, "now_ph")
    else:
        added = float(buffer_mmol_per_l_ph or 0.0) * (target_ph - now_ph)
    note("alkali to add to the liquor", added, "mmol/L")
    return added * (100 / stage_consistency_pct - 1) * equivalent_g_per_mol / 1000


def _along(curve: list[dict[str, float]], ph: float, argument: str) -> float:
    """Return the alkali a curve shows at a pH."""
    points = sorted((one["curve_ph"], one["added_mmol_per_l"]) for one in curve)
    phs, added = np.array([one[0] for one in points]), np.array([one[1] for one in points])
    if len(points) < 2 or (np.diff(phs) <= 0).any() or (np.diff(added) <= 0).any():
        message = "the curve must rise: more alkali, higher pH, two points or more"
        raise DomainError("E_ORDER", "curve", message, "pH and alkali rising together")
    if not phs[0] <= ph <= phs[-1]:
        message = f"the titration runs from pH {phs[0]:g} to {phs[-1]:g}; pH {ph:g} is outside it"
        raise DomainError("E_EXTRAP", argument, message, f"pH {phs[0]:g} to {phs[-1]:g}")
    return float(np.interp(ph, phs, added))


@method(
    "cold_ph = hot_ph + pkw(25) - pkw(temperature_c); pkw = 4470.99 / T - 6.0875 + 0.01706 * T, T in K",
    title="Alkaline pH at 25 °C",
    station="bleaching",
    source="ionic product of water (recalled); an electrode's own compensation does not do this",
    aliases=("alkaline_ph_25C",),
    exact=False,
    results=("cold_ph",),
    example=Example({"hot_ph": 10.0, "temperature_c": 70}, {"cold_ph": 11.20}),
    hot_ph=Arg("pH read hot", 0, 14),
    temperature_c=Arg("at what warmth", 0, 100),
)
def alkaline_ph(*, hot_ph: float, temperature_c: float) -> float:
    """Return what a hot alkaline pH would read at 25 °C; below 7 it stays as it is."""
    if hot_ph < 7:
        return hot_ph
    return hot_ph + _pkw(298.15) - _pkw(temperature_c + 273.15)
