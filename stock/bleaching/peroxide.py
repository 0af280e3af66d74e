"""Peroxide: its alkali, the metals that waste it, its liquor pressed out and used again."""

from typing import Final, NamedTuple

import numpy as np

from stock.errors import DomainError
from stock.working import Arg, Example, method, warn

MOST_RETURNED: Final = 0.95


@method(
    "alkali_kg_per_bdt = naoh_kg_per_bdt + silicate_alkali_frac * silicate_kg_per_bdt",
    title="Total alkali of a peroxide charge",
    station="bleaching",
    source="stoichiometry; keep it at 0.6 to 1.2 of the peroxide, falling as the charge rises",
    aliases=("total_alkali_kg_per_bdt",),
    example=Example({"naoh_kg_per_bdt": 12, "silicate_kg_per_bdt": 20}, {"alkali_kg_per_bdt": 14.30}),
    naoh_kg_per_bdt=Arg("caustic", 0, 100),
    silicate_kg_per_bdt=Arg("silicate solution, 41 °Bé class", 0, 100),
    silicate_alkali_frac=Arg("alkali it brings", 0, 0.5),
)
def total_alkali(*, naoh_kg_per_bdt: float, silicate_kg_per_bdt: float, silicate_alkali_frac: float = 0.115) -> float:
    """Return the alkali of a charge, silicate counted in."""
    return naoh_kg_per_bdt + silicate_alkali_frac * silicate_kg_per_bdt


@method(
    "chelant_kg_per_bdt = sum(metal_each_mg_per_kg / metal_each_g_per_mol) * chelant_ratio * chelant_g_per_mol / 1000",
    title="Chelant for the metals",
    station="bleaching",
    source="stoichiometry; one and a half moles for each of manganese, iron and copper is a default",
    aliases=("chelant_kg_per_bdt",),
    example=Example(
        {"metal_each_mg_per_kg": [60, 10], "metal_each_g_per_mol": [54.938, 55.845]}, {"chelant_kg_per_bdt": 0.960}
    ),
    metal_each_mg_per_kg=Arg("metals in the pulp", 0, 1e4, series=True),
    metal_each_g_per_mol=Arg("their molar masses", 20, 250, series=True),
    chelant_g_per_mol=Arg("molar mass of the chelant", 100, 1000),
    chelant_ratio=Arg("moles for each of metal", 0, 10),
)
def chelant_for_metals(
    *,
    metal_each_mg_per_kg: np.ndarray,
    metal_each_g_per_mol: np.ndarray,
    chelant_g_per_mol: float = 503.26,
    chelant_ratio: float = 1.5,
) -> float:
    """Return the chelant, as pentasodium DTPA unless said otherwise."""
    if len(metal_each_mg_per_kg) != len(metal_each_g_per_mol):
        message = f"{len(metal_each_mg_per_kg)} metals, {len(metal_each_g_per_mol)} molar masses"
        raise DomainError("E_COUNT", "metal_each_g_per_mol", message, f"{len(metal_each_mg_per_kg)} of them")
    moles = float(np.sum(np.asarray(metal_each_mg_per_kg) / np.asarray(metal_each_g_per_mol)))
    return moles * chelant_ratio * chelant_g_per_mol / 1000


@method(
    "pressed_frac = 1 - (100 / press_consistency_pct - 1) / (100 / mixed_consistency_pct - 1)\n"
    "fresh_kg_per_bdt = charge_kg_per_bdt * (1 - residual_frac * pressed_frac * survival_frac)",
    title="Fresh peroxide where liquor is used again",
    station="bleaching",
    source="balance; metals and oxygen demand climb with what comes back",
    aliases=("fresh_peroxide_kg_per_bdt",),
    results=("fresh_kg_per_bdt",),
    example=Example(
        {"charge_kg_per_bdt": 24, "residual_frac": 0.20, "mixed_consistency_pct": 12, "press_consistency_pct": 30},
        {"fresh_kg_per_bdt": 21.2},
        2e-3,
    ),
    charge_kg_per_bdt=Arg("charge the stage is to have", 0, 200),
    residual_frac=Arg("share of it left at the press", 0, 1),
    mixed_consistency_pct=Arg("consistency before the press", 0, 60, above=True),
    press_consistency_pct=Arg("consistency after it", 0, 60, above=True),
    survival_frac=Arg("share that lives on the way back", 0, 1),
)
def fresh_peroxide(
    *,
    charge_kg_per_bdt: float,
    residual_frac: float,
    mixed_consistency_pct: float,
    press_consistency_pct: float,
    survival_frac: float = 0.85,
) -> float:
    """Return what must be bought where the pressed-out liquor goes back to the mixer."""
    if press_consistency_pct < mixed_consistency_pct:
        message = f"a press does not thin: {press_consistency_pct:g} % after {mixed_consistency_pct:g} %"
        raise DomainError("E_RANGE", "press_consistency_pct", message, f"{mixed_consistency_pct:g} % or more")
    pressed = 1 - (100 / press_consistency_pct - 1) / (100 / mixed_consistency_pct - 1)
    back = residual_frac * pressed * survival_frac
    if back > 0.5:
        warn("more than half comes back: metals and oxygen demand climb with it (filtrate build-up)")
    return charge_kg_per_bdt * (1 - back)


class Loop(NamedTuple):
    """A peroxide stage whose pressed-out liquor goes back: what is bought, what comes back, what builds up."""

    fresh_kg_per_bdt: float
    back_kg_per_bdt: float
    returned_frac: float
    built_up_ratio: float
    cod_kg_per_bdt: float
    over_m3_per_bdt: float


@method(
    "liquor = 100 / consistency_pct - 1, m3/BDt, at each place\n"
    "pressed = liquor diluted - liquor pressed; returned_frac = return_frac * pressed / liquor diluted\n"
    "back_kg_per_bdt = residual_frac * charge_kg_per_bdt * returned_frac * survival_frac\n"
    "fresh_kg_per_bdt = charge_kg_per_bdt - back_kg_per_bdt\n"
    "built_up_ratio = 1 / (1 - returned_frac); cod_kg_per_bdt = new_cod_kg_per_bdt * built_up_ratio\n"
    "over_m3_per_bdt = pressed * (1 - return_frac)",
    title="Peroxide loop: press before, mixer, tower, dilution, press, liquor back",
    station="bleaching",
    source="balance of liquor round the stage at rest; what the stage makes leaves only with what is not sent back",
    exact=False,
    results=Loop._fields,
    example=Example(
        {
            "charge_kg_per_bdt": 30,
            "residual_frac": 0.20,
            "diluted_consistency_pct": 5,
            "press_consistency_pct": 30,
            "return_frac": 0.6,
            "new_cod_kg_per_bdt": 35,
        },
        {
            "fresh_kg_per_bdt": 27.316,
            "back_kg_per_bdt": 2.684,
            "returned_frac": 0.5263,
            "built_up_ratio": 2.1111,
            "cod_kg_per_bdt": 73.89,
            "over_m3_per_bdt": 6.6667,
        },
        2e-3,
    ),
    notes="Where stock is diluted after the tower with this same liquor, give the tower's consistency as that before the"
    " press: what goes round by the dilution stays inside. Metals build up as oxygen demand does.",
    charge_kg_per_bdt=Arg("charge the stage is to have", 0, 200),
    residual_frac=Arg("share of it left after the tower", 0, 1),
    diluted_consistency_pct=Arg("consistency before the press", 0, 40, above=True),
    press_consistency_pct=Arg("consistency after the press", 0, 60, above=True),
    return_frac=Arg("share of the pressed-out liquor sent back to the mixer", 0, 1),
    new_cod_kg_per_bdt=Arg("oxygen demand the stage dissolves and brings in", 0, 300),
    survival_frac=Arg("share of the residual that lives on the way back", 0, 1),
)
def peroxide_loop(
    *,
    charge_kg_per_bdt: float,
    residual_frac: float,
    diluted_consistency_pct: float,
    press_consistency_pct: float,
    return_frac: float,
    new_cod_kg_per_bdt: float,
    survival_frac: float = 0.85,
) -> Loop:
    """Return what a peroxide stage buys and builds up where its liquor is used again."""
    diluted, pressed_to = 100 / diluted_consistency_pct - 1, 100 / press_consistency_pct - 1
    if pressed_to > diluted:
        message = f"a press does not thin: {press_consistency_pct:g} % after {diluted_consistency_pct:g} %"
        raise DomainError("E_RANGE", "press_consistency_pct", message, f"{diluted_consistency_pct:g} % or more")
    pressed = diluted - pressed_to
    returned = return_frac * pressed / diluted if diluted > 0 else 0.0
    if returned > MOST_RETURNED:
        message = f"{100 * returned:.0f} % of the liquor comes back: oxygen demand and metals find no way out"
        raise DomainError("E_SINGULAR", "return_frac", message, f"{MOST_RETURNED * diluted / pressed:.2f} or less")
    back = residual_frac * charge_kg_per_bdt * returned * survival_frac
    times = 1 / (1 - returned)
    if times > 3:
        warn("what is dissolved builds up more than three times: chelant and bleed before more is sent back")
    return Loop(
        charge_kg_per_bdt - back, back, returned, times, new_cod_kg_per_bdt * times, pressed * (1 - return_frac)
    )
