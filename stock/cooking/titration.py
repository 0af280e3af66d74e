"""Liquor on the bench: white, green and black, from burette readings to strengths and ratios."""

from typing import Final, NamedTuple

from stock.cooking.alkali import NAOH_G_PER_MOL
from stock.errors import DomainError
from stock.working import Arg, Example, method, warn

_A: Final = Arg("acid to the hydroxide end point", 0, 200)
_B: Final = Arg("acid to the hydrosulphide end point", 0, 200, above=True)
_C: Final = Arg("acid to the carbonate end point", 0, 200, above=True)
_ACID: Final = Arg("strength of the acid", 0, 12, above=True)
_SAMPLE: Final = Arg("sample", 0, 200, above=True)
_EQUATION: Final = (
    "effective_kg_per_m3_as_naoh = a_ml * acid_normality * 39.997 / sample_ml\n"
    "active_kg_per_m3_as_naoh = b_ml * acid_normality * 39.997 / sample_ml\n"
    "titratable_kg_per_m3_as_naoh = c_ml * acid_normality * 39.997 / sample_ml\n"
    "sulphidity_frac = 2 * (b_ml - a_ml) / b_ml\n"
    "causticity_frac = (2 * a_ml - b_ml) / (2 * a_ml - b_ml + c_ml - b_ml)\n"
    "activity_frac = b_ml / c_ml\n"
    "naoh_kg_per_m3_as_naoh = (2 * a_ml - b_ml) * acid_normality * 39.997 / sample_ml\n"
    "na2s_kg_per_m3_as_naoh = 2 * (b_ml - a_ml) * acid_normality * 39.997 / sample_ml\n"
    "na2co3_kg_per_m3_as_naoh = (c_ml - b_ml) * acid_normality * 39.997 / sample_ml\n"
    "sulphidity_on_titratable_frac = 2 * (b_ml - a_ml) / c_ml"
)


class Titrated(NamedTuple):
    """What an A/B/C titration says about a liquor; every alkali counted as NaOH."""

    effective_kg_per_m3_as_naoh: float
    active_kg_per_m3_as_naoh: float
    titratable_kg_per_m3_as_naoh: float
    sulphidity_frac: float
    causticity_frac: float
    activity_frac: float
    naoh_kg_per_m3_as_naoh: float
    na2s_kg_per_m3_as_naoh: float
    na2co3_kg_per_m3_as_naoh: float
    sulphidity_on_titratable_frac: float


def _titrated(a_ml: float, b_ml: float, c_ml: float, acid_normality: float, sample_ml: float) -> Titrated:
    """Work out strengths and ratios from cumulative burette readings, or refuse them."""
    if not a_ml <= b_ml <= c_ml:
        message = f"A, B, C are {a_ml:g}, {b_ml:g}, {c_ml:g} mL; they are cumulative and must not fall"
        raise DomainError("E_ORDER", "b_ml", message, "A ≤ B ≤ C")
    if 2 * a_ml < b_ml:
        message = f"A {a_ml:g} mL with B {b_ml:g} mL means less than no NaOH"
        raise DomainError("E_RANGE", "a_ml", message, "2A at least B")
    g = acid_normality * NAOH_G_PER_MOL / sample_ml
    naoh, carbonate = 2 * a_ml - b_ml, c_ml - b_ml
    if naoh + carbonate <= 0:
        message = "neither NaOH nor carbonate was found: causticity means nothing"
        raise DomainError("E_SINGULAR", "c_ml", message, "C above B, or 2A above B")
    return Titrated(
        a_ml * g,
        b_ml * g,
        c_ml * g,
        2 * (b_ml - a_ml) / b_ml,
        naoh / (naoh + carbonate),
        b_ml / c_ml,
        naoh * g,
        2 * (b_ml - a_ml) * g,
        carbonate * g,
        2 * (b_ml - a_ml) / c_ml,
    )


@method(
    "active = effective_kg_per_m3_as_naoh / (1 - sulphidity_frac / 2)\n"
    "naoh = active * (1 - sulphidity_frac)\n"
    "alkali_kg_per_m3_as_naoh = effective_kg_per_m3_as_naoh + naoh * (causticity_wanted_frac / causticity_now_frac - 1)",
    title="Effective alkali at another causticity",
    station="cooking",
    source="a balance of sodium: hydroxide and carbonate together stay, and sulphide",
    results=("alkali_kg_per_m3_as_naoh",),
    example=Example(
        {
            "effective_kg_per_m3_as_naoh": 105.8,
            "sulphidity_frac": 0.2907,
            "causticity_now_frac": 0.81,
            "causticity_wanted_frac": 0.77,
        },
        {"alkali_kg_per_m3_as_naoh": 101.47},
    ),
    effective_kg_per_m3_as_naoh=Arg("effective alkali now, as NaOH", 0, 400, above=True),
    sulphidity_frac=Arg("sulphidity on active alkali", 0, 1),
    causticity_now_frac=Arg("causticity now", 0, 1, above=True),
    causticity_wanted_frac=Arg("causticity it would have", 0, 1),
)
def alkali_at_causticity(
    *,
    effective_kg_per_m3_as_naoh: float,
    sulphidity_frac: float,
    causticity_now_frac: float,
    causticity_wanted_frac: float,
) -> float:
    """Return the effective alkali a white liquor would have if more or less of its soda were causticized."""
    naoh = effective_kg_per_m3_as_naoh / (1 - sulphidity_frac / 2) * (1 - sulphidity_frac)
    return effective_kg_per_m3_as_naoh + naoh * (causticity_wanted_frac / causticity_now_frac - 1)


@method(
    _EQUATION,
    title="White liquor from an A/B/C titration",
    station="cooking",
    source="TAPPI T 624, SCAN-N 30; volumes are cumulative",
    exact=False,
    results=Titrated._fields,
    example=Example(
        {"a_ml": 26.40, "b_ml": 30.90, "c_ml": 36.10, "acid_normality": 0.5, "sample_ml": 5.0},
        {
            "effective_kg_per_m3_as_naoh": 105.59,
            "active_kg_per_m3_as_naoh": 123.59,
            "titratable_kg_per_m3_as_naoh": 144.39,
            "sulphidity_frac": 0.2913,
            "causticity_frac": 0.8081,
            "activity_frac": 0.8560,
        },
    ),
    notes="A after barium chloride, B after formaldehyde, C to methyl orange. Sulphidity is on active alkali, and beside"
    " it on titratable, since both are in use.",
    a_ml=_A,
    b_ml=_B,
    c_ml=_C,
    acid_normality=_ACID,
    sample_ml=_SAMPLE,
)
def white_liquor_from_abc(
    *, a_ml: float, b_ml: float, c_ml: float, acid_normality: float, sample_ml: float
) -> Titrated:
    """Return alkali strengths and ratios of white liquor; unusual ones carry a warning."""
    found = _titrated(a_ml, b_ml, c_ml, acid_normality, sample_ml)
    for words, value, low, high, unit in (
        ("effective alkali", found.effective_kg_per_m3_as_naoh, 70, 140, " g/L NaOH"),
        ("sulphidity", 100 * found.sulphidity_frac, 0, 45, " %"),
        ("causticity", 100 * found.causticity_frac, 72, 90, " %"),
    ):
        if not low <= value <= high:
            warn(f"{words} is {value:.1f}{unit}; usual in white liquor is {low} to {high}{unit}")
    return found


@method(
    _EQUATION,
    title="Green liquor from an A/B/C titration",
    station="cooking",
    source="TAPPI T 624, SCAN-N 30; volumes are cumulative",
    exact=False,
    results=Titrated._fields,
    example=Example(
        {"a_ml": 8.2, "b_ml": 14.6, "c_ml": 37.0, "acid_normality": 0.5, "sample_ml": 5.0},
        {"titratable_kg_per_m3_as_naoh": 147.99, "na2co3_kg_per_m3_as_naoh": 89.59, "naoh_kg_per_m3_as_naoh": 7.199},
    ),
    notes="Mostly carbonate: what causticizing has still to turn into hydroxide.",
    a_ml=_A,
    b_ml=_B,
    c_ml=_C,
    acid_normality=_ACID,
    sample_ml=_SAMPLE,
)
def green_liquor_from_abc(
    *, a_ml: float, b_ml: float, c_ml: float, acid_normality: float, sample_ml: float
) -> Titrated:
    """Return alkali strengths and ratios of green liquor."""
    found = _titrated(a_ml, b_ml, c_ml, acid_normality, sample_ml)
    if found.causticity_frac > 0.4:
        warn(f"causticity is {100 * found.causticity_frac:.0f} %: is this green liquor, or white?")
    return found


@method(
    "efficiency_frac = (white_naoh_kg_per_m3_as_naoh - green_naoh_kg_per_m3_as_naoh)"
    " / (white_naoh_kg_per_m3_as_naoh - green_naoh_kg_per_m3_as_naoh + white_na2co3_kg_per_m3_as_naoh)",
    title="Causticizing efficiency",
    station="cooking",
    source="usual definition, the NaOH that came with the green liquor taken off; default band 0.78 to 0.84",
    exact=False,
    example=Example(
        {
            "white_naoh_kg_per_m3_as_naoh": 87.59,
            "white_na2co3_kg_per_m3_as_naoh": 20.80,
            "green_naoh_kg_per_m3_as_naoh": 7.2,
        },
        {"efficiency_frac": 0.7944},
    ),
    white_naoh_kg_per_m3_as_naoh=Arg("NaOH of the white liquor", 0, 300),
    white_na2co3_kg_per_m3_as_naoh=Arg("carbonate left in it", 0, 300),
    green_naoh_kg_per_m3_as_naoh=Arg("NaOH of the green liquor", 0, 300),
)
def causticizing_efficiency(
    *,
    white_naoh_kg_per_m3_as_naoh: float,
    white_na2co3_kg_per_m3_as_naoh: float,
    green_naoh_kg_per_m3_as_naoh: float,
) -> float:
    """Return the share of the carbonate that was turned into hydroxide."""
    made = white_naoh_kg_per_m3_as_naoh - green_naoh_kg_per_m3_as_naoh
    if made <= 0:
        message = (
            f"white liquor holds {white_naoh_kg_per_m3_as_naoh:g} g/L NaOH, no more than the green: swapped samples?"
        )
        raise DomainError("E_ORDER", "white_naoh_kg_per_m3_as_naoh", message, "more than the green liquor's")
    return made / (made + white_na2co3_kg_per_m3_as_naoh)


@method(
    "reduction_frac = na2s_kg_per_m3_as_naoh / (na2s_kg_per_m3_as_naoh + na2so4_kg_per_m3_as_naoh)",
    title="Reduction of the smelt",
    station="cooking",
    source="definition; usual 0.90 to 0.96",
    exact=False,
    example=Example({"na2s_kg_per_m3_as_naoh": 36.0, "na2so4_kg_per_m3_as_naoh": 2.6}, {"reduction_frac": 0.9326}),
    na2s_kg_per_m3_as_naoh=Arg("sulphide", 0, 300),
    na2so4_kg_per_m3_as_naoh=Arg("sulphate, as the same equivalent", 0, 300),
)
def reduction_efficiency(*, na2s_kg_per_m3_as_naoh: float, na2so4_kg_per_m3_as_naoh: float) -> float:
    """Return the share of the sulphur that came back as sulphide."""
    whole = na2s_kg_per_m3_as_naoh + na2so4_kg_per_m3_as_naoh
    if whole <= 0:
        raise DomainError(
            "E_SINGULAR", "na2s_kg_per_m3_as_naoh", "there is neither sulphide nor sulphate", "more than 0"
        )
    return na2s_kg_per_m3_as_naoh / whole


@method(
    "residual_kg_per_m3_as_naoh = acid_ml * acid_normality * 39.997 / sample_ml",
    title="Residual alkali of black liquor",
    station="cooking",
    source="TAPPI T 625, SCAN-N 33: back to the hydroxide end point after carbonate is precipitated",
    example=Example({"acid_ml": 4.8, "acid_normality": 0.1, "sample_ml": 2.0}, {"residual_kg_per_m3_as_naoh": 9.599}),
    notes="Sample into ice: liquor that flashes while it is taken reads high.",
    acid_ml=Arg("acid used", 0, 200),
    acid_normality=_ACID,
    sample_ml=_SAMPLE,
)
def residual_alkali(*, acid_ml: float, acid_normality: float, sample_ml: float) -> float:
    """Return the effective alkali left in a spent liquor."""
    return acid_ml * acid_normality * 39.997 / sample_ml


@method(
    "effective_kg_per_m3_as_naoh = acid_ml * acid_normality * 39.997 / sample_ml",
    title="Strength of caustic by acid",
    station="cooking",
    source="neutralisation; carbonate is counted where the end point is methyl orange",
    example=Example(
        {"acid_ml": 29.85, "acid_normality": 0.5, "sample_ml": 5.0}, {"effective_kg_per_m3_as_naoh": 119.39}
    ),
    acid_ml=Arg("acid used", 0, 200),
    acid_normality=_ACID,
    sample_ml=_SAMPLE,
)
def caustic_by_acid(*, acid_ml: float, acid_normality: float, sample_ml: float) -> float:
    """Return the effective alkali of caustic soda."""
    return residual_alkali(acid_ml=acid_ml, acid_normality=acid_normality, sample_ml=sample_ml)
