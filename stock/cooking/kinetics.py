"""What alkali, heat and time do to wood: three-phase delignification in well-mixed liquor."""

import math
from collections.abc import Iterator
from dataclasses import dataclass, replace
from functools import cache
from typing import Final, Literal, NamedTuple

import numpy as np

from stock.cooking.alkali import NAOH_G_PER_MOL
from stock.cooking.end_point import KELVIN, h_curve, refuse_disorder
from stock.working import Arg, Choice, Example, method, warn

ACETYL_G_PER_MOL: Final = 43.04
LIGNIN_PER_KAPPA: Final = 0.15  # Klason lignin, % of pulp, for each kappa
LEASTALKALI: Final = 0.02  # mol/L of hydroxide below which nothing can be said
STEP_MIN: Final = 1.0

Phase = Literal["initial", "bulk", "residual"]


@dataclass(frozen=True, slots=True)
class Wood:
    """A raw material as the kinetics know it; multipliers and switches are defaults to be fitted."""

    lignin_pct: float
    carbohydrate_pct: float
    to_bulk_pct: float
    to_residual_pct: float
    rate: tuple[float, float, float]
    carbohydrate: tuple[float, float, float]
    acetyl_pct: float
    alkali: tuple[float, float, float]
    hexenuronic_kappa: float


WOODS: Final[dict[str, Wood]] = {
    "softwood": Wood(27, 66, 22.5, 2.2, (1, 1, 1), (2.53, 0.47, 2.19), 1.3, (0.166, 0.395, 0.039), 0),
    "hardwood": Wood(22, 72, 16.5, 1.1, (1.3, 3.0, 1), (2.53, 0.47, 2.19), 3.5, (0.166, 0.395, 0.039), 4.3),
    "bagasse": Wood(20, 70, 7.0, 1.2, (12, 25, 3), (1.15, 0.40, 2.19), 3.0, (0.166, 0.25, 0.039), 3.0),
}
_WOOD: Final = Choice("raw material", tuple(WOODS))
TIMES: Final = Arg("times of the temperatures", 0, 1e5, series=True, count=2)
TEMPERATURES: Final = Arg("temperatures, straight between", 60, 185, series=True, count=2)
ALKALI: Final = Arg("effective alkali charge", 5, 30)
SULPHIDITY: Final = Arg("sulphidity on active alkali", 0, 0.6)
_LIQUOR: Final = Arg("liquor to wood", 2, 10)
_BULK: Final = Arg("multiplier of the bulk rate, fitted", 0.2, 4)


class Rates(NamedTuple):
    """How fast lignin and carbohydrate dissolve."""

    lignin_pct_per_min: float
    carbohydrate_pct_per_min: float


@method(
    "initial: f_i * 36.2 * T^0.5 * exp(-4807.69 / T) * lignin; bulk: f_b * (exp(35.19 - 17200 / T) * oh"
    " + exp(29.23 - 14400 / T) * oh^0.5 * hs^0.4) * lignin; residual: f_r * exp(19.64 - 10804 / T) * oh^0.7 * lignin",
    title="Rates of delignification",
    station="cooking",
    source="Gustafson, Sleicher, McKean and Finlayson, Ind. Eng. Chem. Process Des. Dev. 22, 87 (1983)",
    exact=False,
    results=Rates._fields,
    example=Example(
        {
            "phase": "bulk",
            "temperature_c": 170.0,
            "lignin_pct": 1.0,
            "oh_mol_per_l": 0.6,
            "hs_mol_per_l": 0.2,
            "species": "softwood",
        },
        {"lignin_pct_per_min": -0.031569, "carbohydrate_pct_per_min": -0.014837},
    ),
    notes="Rates are negative: what is lost. Multipliers for hardwood and bagasse are calibrated, not published.",
    phase=Choice("phase", ("initial", "bulk", "residual")),
    temperature_c=Arg("temperature in the chip", 60, 185),
    lignin_pct=Arg("lignin left, on wood", 0, 40),
    oh_mol_per_l=Arg("hydroxide in the chip's liquor", 0, 5),
    hs_mol_per_l=Arg("hydrosulphide in it", 0, 3),
    species=_WOOD,
)
def kraft_rates(
    *, phase: Phase, temperature_c: float, lignin_pct: float, oh_mol_per_l: float, hs_mol_per_l: float, species: str
) -> Rates:
    """Return how fast lignin and carbohydrate go into solution."""
    number = ("initial", "bulk", "residual").index(phase)
    wood = WOODS[species]
    lignin, share = _rates(number, temperature_c + KELVIN, lignin_pct, oh_mol_per_l, hs_mol_per_l, wood)
    return Rates(lignin, lignin * share)


def _rates(phase: int, kelvin: float, lignin: float, oh: float, hs: float, wood: Wood) -> tuple[float, float]:
    """Return the lignin rate, and carbohydrate lost for each lignin lost."""
    if phase == 0:
        return -wood.rate[0] * 36.2 * math.sqrt(kelvin) * math.exp(-4807.69 / kelvin) * lignin, wood.carbohydrate[
            0
        ] * oh**0.11
    if phase == 1:
        alkali = math.exp(35.19 - 17200 / kelvin) * oh
        if hs > 0:
            alkali += math.exp(29.23 - 14400 / kelvin) * math.sqrt(oh) * hs**0.4
        return -wood.rate[1] * alkali * lignin, wood.carbohydrate[1]
    return -wood.rate[2] * math.exp(19.64 - 10804 / kelvin) * oh**0.7 * lignin, wood.carbohydrate[2]


@dataclass(frozen=True, slots=True)
class Moment:
    """Where a cook stands at a time: solids on wood in %, ions in mol/L."""

    at_min: float
    lignin_pct: float
    carbohydrate_pct: float
    oh_mol_per_l: float
    hs_mol_per_l: float


def march(
    times_min: np.ndarray,
    temperatures_c: np.ndarray,
    effective_alkali_pct: float,
    sulphidity: float,
    liquor_to_wood: float,
    wood: Wood,
    step_min: float = STEP_MIN,
) -> Iterator[Moment]:
    """Yield a cook's course, a moment at the start and after each step, ending early where the alkali is spent.

    Fourth-order Runge-Kutta; a step that crosses from one phase to the next is parted at
    the crossing, since the rate jumps there.
    """
    ions = start_ions(effective_alkali_pct, sulphidity, liquor_to_wood, wood)
    yield from march_from(times_min, temperatures_c, ions, 10 / (NAOH_G_PER_MOL * liquor_to_wood), wood, step_min)


def march_from(
    times_min: np.ndarray,
    temperatures_c: np.ndarray,
    ions: tuple[float, float],
    scale: float,
    wood: Wood,
    step_min: float = STEP_MIN,
) -> Iterator[Moment]:
    """Yield a course from ions in mol/L; scale is mol/L for each % of alkali taken up on wood, 0 where the liquor is renewed."""
    state = (wood.lignin_pct, wood.carbohydrate_pct, *ions)
    at, end = float(times_min[0]), float(times_min[-1])
    stops = [float(one) for one in times_min[1:]]
    yield Moment(at, *state)
    phase = _phase(state[0], wood)
    span = 0
    while at < end - 1e-9:
        while stops[span] <= at + 1e-9:
            span += 1
        step = min(step_min, stops[span] - at)
        k0, k1 = (float(np.interp(time, times_min, temperatures_c)) + KELVIN for time in (at, at + step))
        new = _step(state, phase, k0, k1, step, scale, wood)
        border = (wood.to_bulk_pct, wood.to_residual_pct, -1.0)[phase]
        if new[0] < border:
            part = _crossing(state, phase, k0, k1, step, scale, wood, border)
            middle = k0 + (k1 - k0) * part / step
            state = _step(state, phase, k0, middle, part, scale, wood)
            phase += 1
            new = _step(state, phase, middle, k1, step - part, scale, wood)
        state, at = new, at + step
        if state[2] < LEASTALKALI:
            yield Moment(at, state[0], state[1], max(state[2], 0.0), max(state[3], 0.0))
            return
        yield Moment(at, *state)


def start_ions(charge_pct: float, sulphidity: float, liquor_to_wood: float, wood: Wood) -> tuple[float, float]:
    """Return hydroxide and hydrosulphide once acetyl groups have had theirs, mol/L."""
    active = charge_pct / (1 - sulphidity / 2)
    oh = (10 * charge_pct / NAOH_G_PER_MOL - 10 * wood.acetyl_pct / ACETYL_G_PER_MOL) / liquor_to_wood
    return oh, 10 * (active - charge_pct) / NAOH_G_PER_MOL / liquor_to_wood


def _phase(lignin: float, wood: Wood) -> int:
    return 0 if lignin > wood.to_bulk_pct else 1 if lignin > wood.to_residual_pct else 2


State = tuple[float, float, float, float]


def _slope(state: State, phase: int, kelvin: float, scale: float, wood: Wood) -> State:
    lignin, _, oh, hs = state
    d_lignin, share = _rates(phase, kelvin, lignin, max(oh, 0.0), max(hs, 0.0), wood)
    d_carbohydrate = share * d_lignin
    b_lignin, b_carbohydrate, b_sulphide = wood.alkali
    return (
        d_lignin,
        d_carbohydrate,
        scale * (b_lignin * d_lignin + b_carbohydrate * d_carbohydrate),
        scale * b_sulphide * d_lignin,
    )


def _step(state: State, phase: int, k0: float, k1: float, step: float, scale: float, wood: Wood) -> State:
    half = (k0 + k1) / 2
    s1 = _slope(state, phase, k0, scale, wood)
    s2 = _slope(_ahead(state, s1, step / 2), phase, half, scale, wood)
    s3 = _slope(_ahead(state, s2, step / 2), phase, half, scale, wood)
    s4 = _slope(_ahead(state, s3, step), phase, k1, scale, wood)
    sixth = step / 6
    return (
        state[0] + sixth * (s1[0] + 2 * s2[0] + 2 * s3[0] + s4[0]),
        state[1] + sixth * (s1[1] + 2 * s2[1] + 2 * s3[1] + s4[1]),
        state[2] + sixth * (s1[2] + 2 * s2[2] + 2 * s3[2] + s4[2]),
        state[3] + sixth * (s1[3] + 2 * s2[3] + 2 * s3[3] + s4[3]),
    )


def _ahead(state: State, slope: State, step: float) -> State:
    return (
        state[0] + step * slope[0],
        state[1] + step * slope[1],
        state[2] + step * slope[2],
        state[3] + step * slope[3],
    )


def _crossing(
    state: State, phase: int, k0: float, k1: float, step: float, scale: float, wood: Wood, border: float
) -> float:
    """Return how far into a step the lignin meets a border, by the secant of bisected steps."""
    low, high = 0.0, step
    for _ in range(30):
        part = (low + high) / 2
        if _step(state, phase, k0, k0 + (k1 - k0) * part / step, part, scale, wood)[0] > border:
            low = part
        else:
            high = part
    return high


class Cooked(NamedTuple):
    """The end of a simulated cook."""

    kappa: float
    total_yield_pct: float
    residual_kg_per_m3_as_naoh: float
    lignin_pct: float
    carbohydrate_pct: float
    h_factor: float
    stop_min: float


@cache
def wood_of(species: str, bulk_ratio: float = 1.0) -> Wood:
    """Return a raw material, its bulk rate multiplied by what the mill's own cooks ask for."""
    wood = WOODS[species]
    first, bulk, last = wood.rate
    return replace(wood, rate=(first, bulk * bulk_ratio, last))


NEAR_SWITCH_KAPPA: Final = 3.0


def at_switch(species: str, kappa: float, total_yield_pct: float) -> bool:
    """Whether a kappa lies so near the switch to the last phase that the kinetics' slopes mean nothing there."""
    wood = WOODS[species]
    switch = kappa_of(wood.to_residual_pct, max(total_yield_pct - wood.to_residual_pct, 1.0), wood)
    return abs(kappa - switch) < NEAR_SWITCH_KAPPA


def kappa_of(lignin_pct: float, carbohydrate_pct: float, wood: Wood) -> float:
    """Return the kappa of what is left of the wood; it means nothing before the bulk phase."""
    return 100 * lignin_pct / (lignin_pct + carbohydrate_pct) / LIGNIN_PER_KAPPA + wood.hexenuronic_kappa


@method(
    "lignin, carbohydrate, hydroxide and hydrosulphide marched through three phases;"
    " kappa = 100 * lignin / (lignin + carbohydrate) / 0.15 + hexenuronic part",
    title="Kraft cook by three-phase kinetics",
    station="cooking",
    source="Gustafson et al. (1983), alkali counted by mass; defaults to be fitted",
    exact=False,
    results=Cooked._fields,
    example=Example(
        {
            "times_min": [0, 90, 190],
            "temperatures_c": [80, 170, 170],
            "effective_alkali_pct_naoh_on_wood": 18.5,
            "sulphidity_frac": 0.30,
            "liquor_to_wood": 4.0,
            "species": "softwood",
        },
        {"kappa": 29.8, "total_yield_pct": 47.1, "residual_kg_per_m3_as_naoh": 12.1, "h_factor": 1730},
        4e-3,
    ),
    notes="Within 3 kappa of the switch to the residual phase its slopes are not fit for control. Anthraquinone at 0.05 to"
    " 0.1 % on wood: a bulk ratio of 1.6 to 1.9 for soda, 1.1 to 1.2 for kraft, to be fitted.",
    times_min=TIMES,
    temperatures_c=TEMPERATURES,
    effective_alkali_pct_naoh_on_wood=ALKALI,
    sulphidity_frac=SULPHIDITY,
    liquor_to_wood=_LIQUOR,
    species=_WOOD,
    bulk_ratio=_BULK,
)
def simulate_kraft(
    *,
    times_min: np.ndarray,
    temperatures_c: np.ndarray,
    effective_alkali_pct_naoh_on_wood: float,
    sulphidity_frac: float,
    liquor_to_wood: float,
    species: str = "softwood",
    bulk_ratio: float = 1.0,
) -> Cooked:
    """Return where a cook ends; one whose alkali is spent stops there, with a warning."""
    refuse_disorder(times_min, temperatures_c)
    wood = wood_of(species, bulk_ratio)
    last = None
    for last in march(  # noqa: B007  the end is what is wanted
        times_min, temperatures_c, effective_alkali_pct_naoh_on_wood, sulphidity_frac, liquor_to_wood, wood
    ):
        pass
    assert last is not None
    if last.oh_mol_per_l < LEASTALKALI:
        warn(f"the alkali is spent after {last.at_min:.0f} min: the cook stands still from there")
    reached = np.minimum(times_min, last.at_min)
    grid, h = h_curve(times_min, temperatures_c)
    return Cooked(
        kappa_of(last.lignin_pct, last.carbohydrate_pct, wood),
        last.lignin_pct + last.carbohydrate_pct,
        last.oh_mol_per_l * NAOH_G_PER_MOL,
        last.lignin_pct,
        last.carbohydrate_pct,
        float(np.interp(reached[-1], grid, h)),
        last.at_min,
    )


@method(
    "the kraft cook without sulphide",
    title="Soda cook by three-phase kinetics",
    station="cooking",
    source="Gustafson et al. (1983) with no hydrosulphide; bagasse figures are calibrated defaults",
    exact=False,
    results=Cooked._fields,
    example=Example(
        {
            "times_min": [0, 30, 45],
            "temperatures_c": [90, 165, 165],
            "effective_alkali_pct_naoh_on_wood": 13.0,
            "liquor_to_wood": 5.0,
            "species": "bagasse",
        },
        {"kappa": 21.7, "total_yield_pct": 56.0, "residual_kg_per_m3_as_naoh": 6.5, "h_factor": 200},
        8e-3,
    ),
    times_min=TIMES,
    temperatures_c=TEMPERATURES,
    effective_alkali_pct_naoh_on_wood=ALKALI,
    liquor_to_wood=_LIQUOR,
    species=_WOOD,
    bulk_ratio=_BULK,
)
def simulate_soda(
    *,
    times_min: np.ndarray,
    temperatures_c: np.ndarray,
    effective_alkali_pct_naoh_on_wood: float,
    liquor_to_wood: float,
    species: str = "bagasse",
    bulk_ratio: float = 1.0,
) -> Cooked:
    """Return where a soda cook ends."""
    found: Cooked = simulate_kraft(
        times_min=times_min,
        temperatures_c=temperatures_c,
        effective_alkali_pct_naoh_on_wood=effective_alkali_pct_naoh_on_wood,
        sulphidity_frac=0.0,
        liquor_to_wood=liquor_to_wood,
        species=species,
        bulk_ratio=bulk_ratio,
    )
    return found
