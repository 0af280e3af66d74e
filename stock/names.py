"""The one list of unit suffixes: what the tail of a name says about its number.

Every number in the core is named with its unit (`flow_l_per_min`). Screens, error
messages, the method book and the command line all read the unit from here.
"""

import re
from functools import lru_cache
from typing import Final

UNITS: Final[dict[str, str]] = {
    # Mass and mass flow, with the basis first: bd bone dry, ad air dry (90 % dry).
    "bdt_per_h": "BDt/h",
    "bdt_per_d": "BDt/d",
    "bd_short_t_per_d": "BD short ton/d",
    "adt_per_d": "ADt/d",
    "bdt": "BDt",
    "adt": "ADt",
    "t_per_h": "t/h",
    "kg_per_h": "kg/h",
    "t": "t",
    "kg": "kg",
    "g": "g",
    "bdt_per_m2_d": "BDt/(m²·d)",
    "kg_per_min": "kg/min",
    # Flow, volume, density.
    "l_per_min": "L/min",
    "us_gal_per_min": "US gal/min",
    "m3_per_h": "m³/h",
    "m3_per_t": "m³/BDt",
    "m3_per_adt": "m³/ADt",
    "m3_per_bdt": "m³/BDt",
    "m3_per_d": "m³/d",
    "m3": "m³",
    "nm3": "m³ at 0 °C, 101.3 kPa",
    "l_per_kg": "L/kg",
    "ml": "mL",
    "l": "L",
    "t_per_m3": "t/m³",
    "kg_per_m3": "kg/m³",
    "kg_per_l": "kg/L",
    "g_per_l": "g/L",
    "kg_per_t": "kg/t",
    "normality": "eq/L",
    "lb_per_us_gal": "lb/US gal",
    "mol_per_l": "mol/L",
    "mol_per_bdt": "mol e/BDt",
    "g_per_mol": "g/mol",
    "mmol_per_l": "mmol/L",
    "mmol_per_l_ph": "mmol/(L·pH)",
    # Per tonne of bone-dry pulp.
    "t_per_bdt": "t/BDt",
    "kg_per_bdt": "kg/BDt",
    "kwh_per_t": "kWh/BDt",
    "hp_day_per_short_ton": "hp·d/short ton",
    # Quality.
    "csf_ml": "mL CSF",
    "sr": "°SR",
    "kappa": "",
    "baume": "°Bé",
    "bd_wood_t": "BDt",
    "brightness_pct": "% ISO",
    "pct": "%",
    "frac": "",
    "ratio": "",
    "factor": "",
    "m2_per_kg": "m²/kg",
    "per_kg": "per kg",
    "kg_per_kg": "kg/kg",
    "mg_per_kg": "mg/kg",
    "ml_per_g": "mL/g",
    "dp": "",
    "scission": "·10⁻⁴",
    "pc": "",
    # Machine and motor.
    "m_per_min": "m/min",
    "g_per_m2": "g/m²",
    "gas_ppm": "ppm",
    "shade_ks": "",
    "vibration_mm_per_s": "mm/s",
    "rpm": "rpm",
    "kw": "kW",
    "j_per_m": "J/m",
    "km_per_rev": "km/rev",
    "v": "V",
    "mv": "mV",
    "a": "A",
    "mm": "mm",
    "m": "m",
    # State.
    "c": "°C",
    "kpa": "kPa",
    "kpa_abs": "kPa abs",
    "min": "min",
    "h": "h",
    "d": "d",
    "h_factor": "H",
    "h_now": "H",
    "h_target": "H",
    "h_deficit": "H",
    "tail_h": "H",
    # Alkali and cooking, where the basis is part of the unit.
    "kg_per_m3_as_naoh": "g/L NaOH",
    "pct_naoh_on_wood": "% NaOH on wood",
    "pct_na2o": "% Na2O on wood",
    "liquor_to_wood": "m³/BDt",
    "m3_solid": "m³ solid",
    "kg_bd_per_m3": "kg BD/m³",
    "alpha": "",
    "beta": "",
    "n": "",
    "ms_per_cm": "mS/cm",
    "ks": "",
    "w_per_m_k": "W/(m·K)",
    "h_per_h": "H/h",
    "per_min": "1/min",
    "per_h": "1/h",
    "c_per_t_per_h": "°C per t/h",
    "count": "",
    "kj_per_kg": "kJ/kg",
    # Wood in the yard, and heat.
    "m3_solid_per_h": "m³ solid/h",
    "kj_per_kg_k": "kJ/(kg·K)",
    "mj_per_kg": "MJ/kg",
    "per_month": "1/month",
    "month": "months",
    "bdt_per_m3": "BDt/m³",
    "gj": "GJ",
    "kpa_g": "kPa g",
    "bar": "bar",
    "bar_h": "bar·h",
    "kj_per_mol": "kJ/mol",
    "g_per_h": "G/h",
    "t_per_adt": "t/ADt",
    "bdt_per_m2": "BDt/m²",
    "kg_per_d": "kg/d",
    "t_per_d": "t/d",
    "pct_per_h": "%/h",
    "pct_per_min": "%/min",
    "cost_per_bdt": "per BDt",
    "deg": "°",
    "s": "s",
    "m2": "m²",
    "kg_per_m2": "kg/m²",
    "um": "µm",
    "m_per_s": "m/s",
    "per_t": "per t",
    "cost_per_t": "per t",
    "cost_per_kg": "per kg",
    "cost_per_kwh": "per kWh",
    "per_day": "per day",
    "ph": "",
    "per_c": "1/°C",
    "kappa_per_pct": "kappa per %",
    "kappa_per_c": "kappa per °C",
    "g_factor": "G",
    # In the unit of whatever is judged: of what is read, of what is moved; and a word among a few.
    "read": "",
    "moved": "",
    "word": "",
}

# Other spellings of the same tonne, in files and commands written before there was one.
FORMER: Final = {
    re.compile(rf"(?<![A-Za-z0-9]){former}(?![A-Za-z0-9])"): now
    for former, now in (("odt", "bdt"), ("od_t", "bdt"), ("bd_t", "bdt"), ("ad_t", "adt"))
}
LABELS: Final[dict[str, str]] = {"bd": "bone-dry", "ad": "air-dry", "csf": "freeness", "sre": "refining energy"}


@lru_cache(maxsize=4096)
def suffix_of(name: str) -> str:
    """Return the longest known unit suffix of `name`, or '' if it has none."""
    parts = name.split("_")
    for start in range(len(parts)):
        tail = "_".join(parts[start:])
        if tail in UNITS:
            return tail
    return ""


def unit_of(name: str) -> str:
    """Return the unit label that the tail of `name` stands for, '' for a bare number.

    Raises
    ------
    LookupError
        If the name carries no known suffix: every number must say its unit.
    """
    suffix = suffix_of(name)
    if not suffix:
        message = f"{name} ends in no known unit; add the unit to stock/names.py or rename it"
        raise LookupError(message)
    return UNITS[suffix]


def spoken(name: str) -> str:
    """Return `name` in words, without its unit: 'flow_l_per_min' gives 'flow'."""
    suffix = suffix_of(name)
    stem = name.removesuffix(suffix).strip("_") if suffix else name
    if not stem:
        return {
            "bdt_per_h": "bone-dry rate",
            "bdt": "bone-dry mass",
            "adt": "air-dry mass",
            "csf_ml": "freeness",
        }.get(name, name.replace("_", " "))
    return " ".join(LABELS.get(word, word) for word in stem.split("_"))


def present(name: str) -> str:
    """Return a name with bone-dry and air-dry tonnes in their one spelling: what was named before answers still."""
    for former, now in FORMER.items():
        name = former.sub(now, name)
    return name


def alike(name: str) -> str:
    """Return what a name is known by whichever way it is written: one spelling of bone-dry, no `each` of a list."""
    return "_".join(part for part in present(name).split("_") if part != "each")
