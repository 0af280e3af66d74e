"""What passes a screen: passage, slot velocity, pressure, the reject rate for clean accepts, a leak past the basket."""

import math
from typing import Final

from stock.errors import DomainError
from stock.working import Arg, Example, method, warn

BY_VOLUME: Final = Arg("reject rate by volume", 0, 1, above=True, below=True)
PASSAGE: Final = Arg("what is in the apertures over what stands before them", 0, 20, usual=(0, 1))


@method(
    "passage_ratio = 1 + log(thickening_ratio) / log(volumetric_reject_frac)",
    title="Passage of pulp, from thickening",
    station="screening",
    source="Gooding and Kerekes (1989), plug flow along the screen",
    aliases=("passage_ratio_from_thickening",),
    example=Example({"volumetric_reject_frac": 0.20, "thickening_ratio": 1.30}, {"passage_ratio": 0.8370}),
    volumetric_reject_frac=BY_VOLUME,
    thickening_ratio=Arg("consistency of the reject over that of the feed", 0, 20, above=True, usual=(1, 2)),
)
def passage_from_thickening(*, volumetric_reject_frac: float, thickening_ratio: float) -> float:
    """Return the passage of pulp that a screen's thickening shows."""
    return 1 + math.log(thickening_ratio) / math.log(volumetric_reject_frac)


@method(
    "rejected_frac = volumetric_reject_frac**passage_ratio",
    title="What a screen rejects, in plug flow",
    station="screening",
    source="Gooding and Kerekes (1989)",
    aliases=("plug_flow_reject_frac",),
    example=Example({"volumetric_reject_frac": 0.20, "passage_ratio": 0.25}, {"rejected_frac": 0.6687}),
    volumetric_reject_frac=BY_VOLUME,
    passage_ratio=PASSAGE,
)
def rejected_in_plug_flow(*, volumetric_reject_frac: float, passage_ratio: float) -> float:
    """Return the share of something that a long basket rejects."""
    return float(volumetric_reject_frac**passage_ratio)


@method(
    "rejected_frac = volumetric_reject_frac / (volumetric_reject_frac + passage_ratio * (1 - volumetric_reject_frac))",
    title="What a screen rejects, fully mixed",
    station="screening",
    source="Kubát and Steenberg (1955)",
    aliases=("mixed_flow_reject_frac",),
    example=Example({"volumetric_reject_frac": 0.20, "passage_ratio": 0.25}, {"rejected_frac": 0.5}),
    volumetric_reject_frac=BY_VOLUME,
    passage_ratio=PASSAGE,
)
def rejected_when_mixed(*, volumetric_reject_frac: float, passage_ratio: float) -> float:
    """Return the share of something that a short or strongly stirred basket rejects."""
    return volumetric_reject_frac / (volumetric_reject_frac + passage_ratio * (1 - volumetric_reject_frac))


@method(
    "passage_ratio = log(1 - accept_frac) / log(volumetric_reject_frac)",
    title="Passage behind a known accept",
    station="screening",
    source="plug flow, solved for the passage",
    aliases=("passage_from_share",),
    example=Example({"accept_frac": 0.80, "volumetric_reject_frac": 0.15}, {"passage_ratio": 0.8484}),
    accept_frac=Arg("share that is accepted", 0, 1, above=True, below=True),
    volumetric_reject_frac=BY_VOLUME,
)
def passage_of_share(*, accept_frac: float, volumetric_reject_frac: float) -> float:
    """Return the passage that gives a share of accepts."""
    found = math.log(1 - accept_frac) / math.log(volumetric_reject_frac)
    if found > 1:
        warn(f"a passage of {found:.2f}: more passes than plain water would; are the samples swapped?")
    return found


@method(
    "accept_frac = 1 - volumetric_reject_frac**passage_ratio",
    title="Accept at another reject rate",
    station="screening",
    source="plug flow",
    aliases=("share_from_passage",),
    example=Example({"passage_ratio": 0.8484, "volumetric_reject_frac": 0.12}, {"accept_frac": 0.8345}),
    passage_ratio=PASSAGE,
    volumetric_reject_frac=BY_VOLUME,
)
def share_of_passage(*, passage_ratio: float, volumetric_reject_frac: float) -> float:
    """Return the share accepted at a reject rate by volume."""
    return 1 - float(volumetric_reject_frac**passage_ratio)


@method(
    "velocity_m_per_s = accept_flow_l_per_min / (60000 * screen_m2 * open_frac)",
    title="Velocity in the slots",
    station="screening",
    source="geometry",
    aliases=("slot_velocity_m_per_s",),
    example=Example({"accept_flow_l_per_min": 9000, "screen_m2": 1.2, "open_frac": 0.07}, {"velocity_m_per_s": 1.786}),
    accept_flow_l_per_min=Arg("accepts", 0, 1e6),
    screen_m2=Arg("area of the basket", 0, 100, above=True),
    open_frac=Arg("open share of it", 0, 1, above=True, below=True),
)
def slot_velocity(*, accept_flow_l_per_min: float, screen_m2: float, open_frac: float) -> float:
    """Return how fast accepts run through the apertures; usual is 0.5 to 2 m/s, low for fine slots."""
    return accept_flow_l_per_min / (60_000 * screen_m2 * open_frac)


@method(
    "passage_ratio = exp(-(fibre_mm / length_mm)**power_ratio)",
    title="Passage by fibre length",
    station="screening",
    source="law after Olson and co-workers (late 1990s); the length is fitted, and grows with slot width",
    aliases=("fibre_passage_ratio",),
    example=Example({"fibre_mm": 2.4, "length_mm": 9}, {"passage_ratio": 0.7659}),
    fibre_mm=Arg("length of the fibre", 0, 20),
    length_mm=Arg("length of the law", 0, 1000, above=True),
    power_ratio=Arg("about 1 for slots, 0.5 for smooth holes", 0.1, 3),
)
def passage_by_length(*, fibre_mm: float, length_mm: float, power_ratio: float = 1.0) -> float:
    """Return the passage of a fibre by its length."""
    return math.exp(-((fibre_mm / length_mm) ** power_ratio))


@method(
    "pressure_kpa = drop_kpa * (reference_flow_l_per_min / flow_l_per_min)**power_ratio",
    title="Pressure drop at one flow",
    station="screening",
    source="loss of an orifice; the power is fitted, 1.6 to 2",
    aliases=("dp_normalised_kPa",),
    example=Example(
        {"drop_kpa": 38, "flow_l_per_min": 7200, "reference_flow_l_per_min": 6000}, {"pressure_kpa": 26.39}
    ),
    drop_kpa=Arg("pressure drop as read", 0, 1000),
    flow_l_per_min=Arg("flow it was read at", 0, 1e6, above=True),
    reference_flow_l_per_min=Arg("flow it is compared at", 0, 1e6, above=True),
    power_ratio=Arg("how it grows with flow", 1, 2.5),
)
def drop_at_one_flow(
    *, drop_kpa: float, flow_l_per_min: float, reference_flow_l_per_min: float, power_ratio: float = 2.0
) -> float:
    """Return a pressure drop as it would be at the reference flow, so that two can be compared."""
    return drop_kpa * float((reference_flow_l_per_min / flow_l_per_min) ** power_ratio)


@method(
    "open_frac = sqrt(clean_kpa / drop_kpa), 1 at the most",
    title="Open share of a basket",
    station="screening",
    source="loss of an orifice; both drops at one flow",
    exact=False,
    results=("open_frac",),
    example=Example({"clean_kpa": 18, "drop_kpa": 32}, {"open_frac": 0.75}),
    clean_kpa=Arg("pressure drop when clean", 0, 1000, above=True),
    drop_kpa=Arg("pressure drop now, at the same flow", 0, 1000, above=True),
)
def open_share(*, clean_kpa: float, drop_kpa: float) -> float:
    """Return what of a basket is open still; below 0.75 it is changed."""
    return min(1.0, math.sqrt(clean_kpa / drop_kpa))


@method(
    "reject_frac = ((1 - quotient_ratio + quotient_ratio * reject_now_frac) * accept_now_per_kg / accept_target_per_kg"
    " - (1 - quotient_ratio)) / quotient_ratio",
    title="Reject rate for clean accepts, from the screen as it runs",
    station="screening",
    source="Nelson (1981), at the same quotient",
    aliases=("mass_reject_for_accept_frac",),
    exact=False,
    results=("reject_frac",),
    example=Example(
        {"reject_now_frac": 0.22, "quotient_ratio": 0.875, "accept_now_per_kg": 40, "accept_target_per_kg": 32},
        {"reject_frac": 0.311},
        2e-3,
    ),
    reject_now_frac=Arg("mass reject rate now", 0, 1, above=True, below=True),
    quotient_ratio=Arg("screening quotient", 0.1, 1),
    accept_now_per_kg=Arg("debris in the accepts now", 0, 1e6, above=True),
    accept_target_per_kg=Arg("debris wanted", 0, 1e6, above=True),
    limit_frac=Arg("most the unit can reject", 0, 1, above=True),
)
def reject_for_accepts(
    *,
    reject_now_frac: float,
    quotient_ratio: float,
    accept_now_per_kg: float,
    accept_target_per_kg: float,
    limit_frac: float = 1.0,
) -> float:
    """Return the mass reject rate at which accepts would be as clean as wanted.

    Raises
    ------
    DomainError
        E_INFEASIBLE beyond the unit's limit, with the best it reaches there.
    """
    q, keeps = quotient_ratio, 1 - quotient_ratio
    at_now = keeps + q * reject_now_frac
    found = (at_now * accept_now_per_kg / accept_target_per_kg - keeps) / q
    if not 0 < found < 1 or found > limit_frac:
        best = at_now * accept_now_per_kg / (keeps + q * min(limit_frac, 1.0))
        message = f"a reject rate of {found:.0%} would be needed; at {min(limit_frac, 1.0):.0%} the accepts reach {best:.1f} per kg"
        raise DomainError("E_INFEASIBLE", "accept_target_per_kg", message, f"{best:.1f} per kg or more")
    return found


@method(
    "leak_frac = max(0, (accept_to_feed_ratio - sound_ratio) / (1 - sound_ratio))",
    title="Leak past a basket",
    station="screening",
    source="balance of two streams",
    notes="The quotient hardly moves with a leak: do not test on it. Pieces wider than the aperture in accepts are proof.",
    aliases=("screen_leak_frac",),
    exact=False,
    results=("leak_frac",),
    example=Example({"accept_to_feed_ratio": 0.454, "sound_ratio": 0.394}, {"leak_frac": 0.10}, 0.02),
    accept_to_feed_ratio=Arg("debris in accepts over that in feed", 0, 10),
    sound_ratio=Arg("the same of a sound basket at this reject rate", 0, 1, below=True),
)
def leak_past_basket(*, accept_to_feed_ratio: float, sound_ratio: float) -> float:
    """Return the share of accepts that was never screened."""
    return max(0.0, (accept_to_feed_ratio - sound_ratio) / (1 - sound_ratio))
