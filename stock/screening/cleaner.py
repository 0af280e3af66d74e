"""Centrifugal cleaners: how many run at a pressure, how they split, what they cut, when their traps are full."""

import math
from collections.abc import Sequence
from typing import Final, NamedTuple

import numpy as np

from stock.errors import DomainError
from stock.working import Arg, Example, method, warn

POWER: Final = Arg("how flow grows with pressure", 0.45, 0.5)
DROP: Final = Arg("pressure drop", 0, 1000, above=True)
GRAVITY: Final = 9.80665


@method(
    "flow_l_per_min = reference_l_per_min * (drop_kpa / reference_kpa)**power_ratio",
    title="Flow of one cleaner",
    station="screening",
    source="turbulent loss; the reference is the cleaner's own test",
    aliases=("cleaner_flow_L_per_min",),
    example=Example({"drop_kpa": 140, "reference_l_per_min": 400, "reference_kpa": 150}, {"flow_l_per_min": 386.4}),
    drop_kpa=DROP,
    reference_l_per_min=Arg("flow in its test", 0, 1e5, above=True),
    reference_kpa=Arg("pressure drop in its test", 0, 1000, above=True),
    power_ratio=POWER,
)
def cleaner_flow(
    *, drop_kpa: float, reference_l_per_min: float, reference_kpa: float, power_ratio: float = 0.5
) -> float:
    """Return what runs through one cleaner at a pressure drop."""
    return reference_l_per_min * float((drop_kpa / reference_kpa) ** power_ratio)


class InService(NamedTuple):
    """How many cleaners are open, the pressure drop that gives, and the flow of each."""

    open_count: float
    drop_kpa: float
    each_l_per_min: float


@method(
    "open_count = floor(bank_l_per_min / flow of one at target_kpa)\n"
    "each_l_per_min = bank_l_per_min / open_count\n"
    "drop_kpa = reference_kpa * (each_l_per_min / reference_l_per_min)**(1 / power_ratio)",
    title="Cleaners in service",
    station="screening",
    source="turbulent loss: so many that the pressure drop is at or above the target",
    exact=False,
    results=InService._fields,
    example=Example(
        {
            "bank_l_per_min": 9000, "target_kpa": 140, "reference_l_per_min": 400, "reference_kpa": 150,
            "installed_count": 30,
        },
        {"open_count": 23, "drop_kpa": 143.5, "each_l_per_min": 391.3},
    ),
    bank_l_per_min=Arg("flow of the bank", 0, 1e6, above=True),
    target_kpa=Arg("least pressure drop", 0, 1000, above=True),
    reference_l_per_min=Arg("flow of one in its test", 0, 1e5, above=True),
    reference_kpa=Arg("pressure drop in its test", 0, 1000, above=True),
    installed_count=Arg("cleaners there are", 1, 2000),
    power_ratio=POWER,
)  # fmt: skip
def cleaners_in_service(
    *,
    bank_l_per_min: float,
    target_kpa: float,
    reference_l_per_min: float,
    reference_kpa: float,
    installed_count: float,
    power_ratio: float = 0.5,
) -> InService:
    """Return how many cleaners are to be open.

    Raises
    ------
    DomainError
        E_INFEASIBLE where more would be needed than there are, or the flow is short for one.
    """
    one = reference_l_per_min * (target_kpa / reference_kpa) ** power_ratio
    count = math.floor(bank_l_per_min / one + 1e-9)
    if count < 1:
        message = f"{bank_l_per_min:g} L/min does not fill one cleaner at {target_kpa:g} kPa"
        raise DomainError("E_INFEASIBLE", "bank_l_per_min", message, f"{one:.0f} L/min or more")
    if count > installed_count:
        message = f"{count} cleaners are needed, {installed_count:g} are there"
        raise DomainError("E_INFEASIBLE", "installed_count", message, f"{count} or more, or less flow")
    each = bank_l_per_min / count
    return InService(float(count), reference_kpa * (each / reference_l_per_min) ** (1 / power_ratio), each)


class Split(NamedTuple):
    """Consistencies of a stage's rejects and accepts, and how it thickens."""

    reject_consistency_pct: float
    accept_consistency_pct: float
    thickening_ratio: float


@method(
    "thickening_ratio = mass_reject_frac / volumetric_reject_frac\n"
    "reject_consistency_pct = feed_consistency_pct * thickening_ratio\n"
    "accept_consistency_pct = feed_consistency_pct * (1 - mass_reject_frac) / (1 - volumetric_reject_frac)",
    title="Split of a stage",
    station="screening",
    source="mass balance",
    exact=False,
    results=Split._fields,
    example=Example(
        {"feed_consistency_pct": 0.70, "mass_reject_frac": 0.20, "volumetric_reject_frac": 0.09},
        {"reject_consistency_pct": 1.556, "accept_consistency_pct": 0.6154, "thickening_ratio": 2.222},
    ),
    feed_consistency_pct=Arg("consistency of the feed", 0, 20, above=True),
    mass_reject_frac=Arg("mass reject rate", 0, 1, above=True, below=True),
    volumetric_reject_frac=Arg("reject rate by volume", 0, 1, above=True, below=True),
)
def stage_split(*, feed_consistency_pct: float, mass_reject_frac: float, volumetric_reject_frac: float) -> Split:
    """Return the consistencies a stage splits its feed into."""
    ratio = mass_reject_frac / volumetric_reject_frac
    if ratio < 1:
        warn("the reject is thinner than the feed: so only where light dirt is taken out")
    accept = feed_consistency_pct * (1 - mass_reject_frac) / (1 - volumetric_reject_frac)
    return Split(feed_consistency_pct * ratio, accept, ratio)


@method(
    "times_gravity_ratio = velocity_m_per_s**2 / (radius_mm / 1000 * 9.80665)",
    title="Centrifugal acceleration",
    station="screening",
    source="mechanics",
    aliases=("centrifugal_acceleration_g",),
    example=Example({"velocity_m_per_s": 8, "radius_mm": 35}, {"times_gravity_ratio": 186.5}),
    velocity_m_per_s=Arg("tangential velocity", 0, 100),
    radius_mm=Arg("radius", 0, 2000, above=True),
)
def centrifugal_acceleration(*, velocity_m_per_s: float, radius_mm: float) -> float:
    """Return the acceleration in a cleaner, in times gravity."""
    return velocity_m_per_s**2 / (radius_mm / 1000 * GRAVITY)


@method(
    "cut_um = reference_um * sqrt(diameter_ratio**3 * viscosity_ratio / (flow_ratio * density_ratio))",
    title="Cut size, scaled",
    station="screening",
    source="scaling after Stokes; relative use only, and not above 0.8 % consistency",
    aliases=("cut_size_scaled_um",),
    example=Example({"reference_um": 60, "diameter_ratio": 0.75, "viscosity_ratio": 0.8}, {"cut_um": 34.86}),
    reference_um=Arg("cut size known", 0, 5000, above=True),
    diameter_ratio=Arg("diameter against that cleaner's", 0.05, 20),
    viscosity_ratio=Arg("viscosity against that of then", 0.05, 20),
    flow_ratio=Arg("flow of one against that of then", 0.05, 20),
    density_ratio=Arg("difference of density against that of then", 0.05, 20),
)
def cut_size(
    *,
    reference_um: float,
    diameter_ratio: float = 1.0,
    viscosity_ratio: float = 1.0,
    flow_ratio: float = 1.0,
    density_ratio: float = 1.0,
) -> float:
    """Return the size of grit of which half is taken out, against a known cleaner."""
    return reference_um * math.sqrt(diameter_ratio**3 * viscosity_ratio / (flow_ratio * density_ratio))


@method(
    "interval_min = 60 * trap_l * usable_frac * bulk_kg_per_l / heavy_kg_per_h",
    title="When a trap is full",
    station="screening",
    source="definition; wet sand 1.5 kg/L",
    aliases=("reject_trap_interval_min",),
    example=Example({"trap_l": 60, "usable_frac": 0.6, "heavy_kg_per_h": 4.5}, {"interval_min": 720}),
    trap_l=Arg("volume of the trap", 0, 1e5, above=True),
    usable_frac=Arg("share of it that may fill", 0, 1, above=True),
    heavy_kg_per_h=Arg("heavy dirt that comes", 0, 1e4, above=True),
    bulk_kg_per_l=Arg("how densely it lies", 0.2, 5),
)
def trap_interval(*, trap_l: float, usable_frac: float, heavy_kg_per_h: float, bulk_kg_per_l: float = 1.5) -> float:
    """Return how long a trap lasts between dumps."""
    return 60 * trap_l * usable_frac * bulk_kg_per_l / heavy_kg_per_h


@method(
    "left_per_t = came_per_t * product of (1 - captured) over the stations",
    title="Clips left after capture",
    station="screening",
    source="captures that do not know of each other; each fitted with tagged clips",
    aliases=("metal_remaining_per_t",),
    exact=False,
    results=("left_per_t",),
    example=Example({"came_per_t": 180, "captured_each_frac": [0.80, 0.70, 0.90]}, {"left_per_t": 1.08}),
    came_per_t=Arg("pieces that come", 0, 1e6),
    captured_each_frac=Arg("share each station takes out", 0, 1, series=True, count=0),
)
def clips_left(*, came_per_t: float, captured_each_frac: Sequence[float]) -> float:
    """Return the pieces left in a tonne after magnet, shaker, heavy cleaner and what else there is."""
    return came_per_t * float(np.prod(1 - np.asarray(captured_each_frac, dtype=float)))


@method(
    "times_gravity_ratio = half_stroke_mm / 1000 * (2 * 3.14159265359 * speed_rpm / 60)**2 / 9.80665",
    title="How hard a screen shakes",
    station="screening",
    source="mechanics",
    aliases=("vibration_intensity_g",),
    example=Example({"half_stroke_mm": 3, "speed_rpm": 1200}, {"times_gravity_ratio": 4.83}),
    half_stroke_mm=Arg("half of the stroke", 0, 50),
    speed_rpm=Arg("speed", 0, 6000),
)
def shaking(*, half_stroke_mm: float, speed_rpm: float) -> float:
    """Return how hard a shaking screen works; 2 to 6 is usual."""
    found = half_stroke_mm / 1000 * (2 * math.pi * speed_rpm / 60) ** 2 / GRAVITY
    if found > 8:
        warn(f"{found:.1f} times gravity is not usual: 2 to 6; look at the drive and its springs")
    return found


class Plugged(NamedTuple):
    """How many cleaners of a bank are plugged by its pressure, and how well that is known."""

    plugged_count: float
    u_plugged_count: float


@method(
    "plugged_count = open_count * (1 - sqrt(clean_kpa / drop_kpa)), not below nought",
    title="Cleaners plugged, by pressure",
    station="screening",
    source="turbulent loss; one in many hides in a gauge's error: feel every tip",
    exact=False,
    results=Plugged._fields,
    example=Example({"open_count": 23, "drop_kpa": 160, "clean_kpa": 143.5}, {"plugged_count": 1.22}, 0.01),
    open_count=Arg("cleaners open", 1, 2000),
    drop_kpa=DROP,
    clean_kpa=Arg("what it should be at this flow", 0, 1000, above=True),
    gauge_sd_kpa=Arg("spread of the gauge", 0, 50),
)
def cleaners_plugged(*, open_count: float, drop_kpa: float, clean_kpa: float, gauge_sd_kpa: float = 2.0) -> Plugged:
    """Return how many cleaners are plugged."""
    if drop_kpa < clean_kpa:
        warn("less pressure than when clean: cones worn, or a cleaner open to drain")
        return Plugged(0.0, 0.5 * open_count * gauge_sd_kpa / clean_kpa)
    root = math.sqrt(clean_kpa / drop_kpa)
    return Plugged(open_count * (1 - root), 0.5 * open_count * root * gauge_sd_kpa / drop_kpa)
