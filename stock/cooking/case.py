"""The decision table of one cook, by what is known of it: followed, sampled, measured."""

from collections.abc import Callable
from dataclasses import dataclass
from typing import Final

from stock.cooking.facts import CookFacts, CookState
from stock.cooking.liquor_decisions import CAP_CHARGE_PCT
from stock.cooking.steer import GAS_OF_NORMAL, REDEPOSIT_G_PER_L, liquor_still_helps, longer
from stock.figure import Datum, Figure, Origin, figure
from stock.judge.move import GAIN


@dataclass(frozen=True, slots=True)
class CookCase:
    """A cook as the table sees it: followed, sampled, measured.

    `next_size` and `next_words` are what the last cooks together ask of the next: one answer for all of them.
    """

    facts: CookFacts
    state: CookState
    apart_c: float | None = None
    over_kpa: Figure | None = None
    sampled_residual: Datum | None = None
    penetrated: Figure | None = None
    partial: Figure | None = None
    normal_bar: float | None = None
    kappa: Datum | None = None
    residual: Datum | None = None
    rejects: Datum | None = None
    blown_min_ago: float | None = None
    next_size: Figure | None = None
    next_words: str = ""


@dataclass(frozen=True, slots=True)
class CookRule:
    """A row of the table: when it fires, what it may be, what to look at, what to do and how much."""

    id: str
    when: Callable[[CookCase], bool]
    symptom: str
    causes: tuple[str, ...]
    check: str
    size: Callable[[CookCase], Figure]
    say: Callable[[CookCase, Figure], str]


@dataclass(frozen=True, slots=True)
class CookAdvice:
    """A card about one cook."""

    rule: str
    symptom: str
    causes: tuple[str, ...]
    check: str
    correction: str
    size: Figure


def _recipe_datum(case: CookCase, value: float) -> Datum:
    return Datum(value, Origin("set", f"recipe {case.facts.recipe.name}"))


def _extra(case: CookCase) -> Figure:
    data = {
        "h_deficit": Datum(case.state.behind, Origin("computed", "H planned by now less H so far")),
        "set_c": _recipe_datum(case, case.facts.recipe.cook_c),
    }
    return figure("extra_min", "hold longer by", data, decimals=0)


def _cold_part(case: CookCase) -> Figure:
    left = max(case.state.blow_min - case.facts.now_min, 1.0)
    cold = case.facts.temperature.value - (case.apart_c or 0.0)
    data = {
        "set_c": Datum(max(case.facts.temperature.value, 100.0), case.facts.temperature.origin),
        "actual_c": Datum(cold, Origin("computed", "the lower circulation")),
        "duration_min": Datum(min(left, 1440.0), Origin("computed", "minutes to relief")),
    }
    return figure("h_missed", "H the cold part will lack", data, decimals=0)


def _short_charge(case: CookCase) -> Figure:
    residual = case.residual or case.sampled_residual
    assert residual is not None
    low, high = case.facts.recipe.alkali.residual_kg_per_m3_as_naoh
    data = {
        "residual_kg_per_m3_as_naoh": residual,
        "residual_wanted_kg_per_m3_as_naoh": _recipe_datum(case, (low + high) / 2),
        "liquor_to_wood": case.facts.liquor_to_wood,
    }
    return figure("alkali_correction_pct", "charge to add", data, unit=case.facts.recipe.naoh_unit)


def _liquor_now(case: CookCase) -> Figure:
    short = _short_charge(case)
    data = {
        "bd_wood_t": case.facts.bd_wood,
        "effective_alkali_pct_naoh_on_wood": Datum(max(short.value, 0.0), short.as_datum().origin, short),
        "effective_alkali_kg_per_m3_as_naoh": case.facts.liquor_strength,
    }
    return figure("white_liquor_volume_m3", "liquor to add", data)


def _next_h(case: CookCase) -> Figure:
    """End point of the next cook: what the last cooks together ask for, else the aim as it is."""
    if case.next_size is not None:
        return case.next_size
    facts = case.facts
    return facts.way.aim(facts.recipe, facts.relation, facts.charge, facts.kappa_target)


def _next(case: CookCase, size: Figure) -> str:
    """Say what the next cook is blown at: one cook by itself moves nothing."""
    if case.next_words:
        return f"The next goes by the last ones together: {case.next_words[:1].lower()}{case.next_words[1:]}"
    return f"One cook by itself moves nothing: blow the next at {case.facts.way.letter} {size.text} still"


def _yield_cost(case: CookCase) -> Figure:
    assert case.kappa is not None
    data = case.facts.relation.data("reference_yield_pct", "reference_kappa", "slope_pct")
    return figure("yield_from_kappa", "yield at the kappa found", {"kappa": case.kappa, **data})


def _rejects_lost(case: CookCase) -> Figure:
    assert case.rejects is not None
    high = case.facts.recipe.rejects_pct[1]
    share = (case.rejects.value - high) / 100 * case.state.yield_pct.value / 100
    data = {"bd_wood_t": case.facts.bd_wood, "screened_yield_frac": Datum(share, case.rejects.origin)}
    return figure("pulp_per_cook", "pulp lost", data, decimals=2)


def _left_inside(case: CookCase) -> Figure:
    share = Datum(case.state.yield_pct.value / 100, Origin("computed", "yield forecast"))
    return figure(
        "pulp_per_cook", "pulp that may be inside", {"bd_wood_t": case.facts.bd_wood, "screened_yield_frac": share}
    )


def _stretch(case: CookCase) -> Figure:
    assert case.partial is not None
    assert case.normal_bar is not None
    data = {"normal_bar": _recipe_datum(case, case.normal_bar), "actual_bar": case.partial.as_datum()}
    return figure("time_for_pressure", "time at temperature, times", data, decimals=2)


def _part(size: Figure) -> float:
    """Return what one result moves a charge by: half, a per cent at most."""
    return max(-CAP_CHARGE_PCT, min(CAP_CHARGE_PCT, GAIN[1] * size.value))


def _sample_low(case: CookCase) -> bool:
    sample = case.sampled_residual
    return (
        _cooking(case)
        and _alkaline(case)
        and sample is not None
        and sample.value < case.facts.recipe.alkali.residual_kg_per_m3_as_naoh[0]
    )


def _say_late(case: CookCase, size: Figure) -> str:
    """Say why no liquor goes in any more, and what is done instead."""
    assert case.sampled_residual is not None
    at = f"{case.facts.temperature.value:.0f} °C"
    if case.facts.pressure is not None:
        at += f" and {case.facts.pressure.value:.0f} kPa"
    words = f"Add none: it would meet {at}, and the cores stay raw. End it when planned, do not lengthen"
    if case.sampled_residual.value < REDEPOSIT_G_PER_L:
        words += f"; below {REDEPOSIT_G_PER_L:g} g/L NaOH lignin goes back on the fibre: wash hot, and at once"
    return f"{words}. Raise the next charge by {_part(size):.1f} {case.facts.recipe.naoh_unit}"


def _cooking(case: CookCase) -> bool:
    return case.state.phase in ("heating", "at temperature")


def _high(case: CookCase) -> bool:
    return case.kappa is not None and case.kappa.value > case.facts.kappa_target.value + case.facts.recipe.kappa_half


def _low(case: CookCase) -> bool:
    return case.kappa is not None and case.kappa.value < case.facts.kappa_target.value - case.facts.recipe.kappa_half


def _alkaline(case: CookCase) -> bool:
    return not case.facts.recipe.is_sulphite


def _residual_low(case: CookCase) -> bool:
    residual = case.residual
    return (
        _alkaline(case)
        and residual is not None
        and residual.value < case.facts.recipe.alkali.residual_kg_per_m3_as_naoh[0]
    )


def _residual_high(case: CookCase) -> bool:
    residual = case.residual
    return (
        _alkaline(case)
        and residual is not None
        and residual.value > case.facts.recipe.alkali.residual_kg_per_m3_as_naoh[1]
    )


def _right_kappa(case: CookCase) -> bool:
    return case.kappa is not None and not _high(case) and not _low(case)


COOK_CASES: Final[tuple[CookRule, ...]] = (
    CookRule(
        "ramp_late",
        lambda case: case.state.phase == "heating" and _alkaline(case) and case.state.behind_min >= 3,
        "The rise is late",
        ("steam pressure", "heater scale", "other digesters heating", "wet chips"),
        "Steam flow; temperature over the heater.",
        lambda case: longer(case.facts, case.state),
        lambda case, size: f"Hold {size.text} min longer than planned; stay under {case.facts.recipe.most_c:g} °C; stagger the next heat-up",
    ),
    CookRule(
        "below_set",
        lambda case: case.state.phase == "at temperature"
        and _alkaline(case)
        and case.facts.temperature.value < case.facts.recipe.cook_c - 1.5
        and case.state.behind > 0,
        "Below its temperature",
        ("sensor", "steam swing"),
        "Two sensors.",
        _extra,
        lambda case, size: f"Restore {case.facts.recipe.cook_c:g} °C; what is missed so far wants {size.text} min more",
    ),
    CookRule(
        "parted",
        lambda case: _cooking(case) and case.apart_c is not None and case.apart_c > 5,
        "Top and bottom part",
        ("screens plugged by pins", "channels", "low liquor", "pump"),
        "Circulation flow; pressure over the screens.",
        _cold_part,
        lambda case, size: f"Reverse or back-flush; the cold part will lack {size.text} H: count on the colder sensor, expect uneven kappa",
    ),
    CookRule(
        "gas_left",
        lambda case: _cooking(case)
        and _alkaline(case)
        and case.over_kpa is not None
        and case.over_kpa.value > case.facts.recipe.over_kpa,
        "Pressure high for its temperature",
        ("air or gas not relieved", "a gauge off"),
        "Pressure less the steam's own.",
        lambda case: case.over_kpa or case.state.done,
        lambda case, size: f"Relieve {size.value - case.facts.recipe.over_kpa / 2:.0f} kPa more; count H by temperature, never by pressure",
    ),
    CookRule(
        "charge_short",
        lambda case: _sample_low(case) and liquor_still_helps(case.state),
        "Alkali low while it heats",
        ("bone-dry wood more than booked", "white liquor short or weak", "bark or rot"),
        "Charge sheet, titration, chip moisture.",
        _liquor_now,
        lambda case, size: f"Add {size.text} m³ of cooking liquor if the head has room; else blow by the H of the real charge",
    ),
    CookRule(
        "spent_late",
        lambda case: _sample_low(case) and not liquor_still_helps(case.state),
        "Alkali low, too late for liquor",
        ("bone-dry wood more than booked", "white liquor short or weak", "bark or rot"),
        "Titrate again in duplicate; charge sheet, chip moisture.",
        _short_charge,
        _say_late,
    ),
    CookRule(
        "high_and_spent",
        lambda case: _high(case) and _residual_low(case),
        "Kappa high, residual low",
        ("dry weight wrong", "weak white liquor", "bark"),
        "Moisture, titration, the scale.",
        _short_charge,
        lambda case, size: f"Raise the next charge by {_part(size):.1f} {case.facts.recipe.naoh_unit}, half of what is missing, and blow by its own H",
    ),
    CookRule(
        "high_and_rich",
        lambda case: _high(case) and _residual_high(case),
        "Kappa high, residual high",
        ("H short", "temperature", "penetration"),
        "H, thermometers, steaming.",
        _next_h,
        lambda case, size: f"Lengthen, do not add alkali. {_next(case, size)}",
    ),
    CookRule(
        "high",
        lambda case: _high(case) and not _residual_low(case) and not _residual_high(case),
        "Kappa high",
        ("H short", "overthick chips", "a cold corner"),
        "Chip classes, rejects, top and bottom.",
        _next_h,
        _next,
    ),
    CookRule(
        "low",
        _low,
        "Kappa low",
        ("H over", "alkali over", "thermometer low"),
        "H, the charge sheet, calibrate.",
        _yield_cost,
        lambda case, size: f"Shorten: yield {size.text} %, {case.facts.relation.slope_pct * (case.facts.kappa_target.value - (case.kappa.value if case.kappa else 0)):.1f} lost against the target",
    ),
    CookRule(
        "overcharged",
        lambda case: _right_kappa(case) and _residual_high(case),
        "Residual high, kappa on target",
        ("overcharge",),
        "Residual again in duplicate.",
        _short_charge,
        lambda case, size: f"Cut the next charge by {abs(_part(size)):.1f} {case.facts.recipe.naoh_unit}, half of what is over: saves {10 * abs(_part(size)):.0f} kg NaOH a bone-dry tonne; blow by its own H",
    ),
    CookRule(
        "rejects_high",
        lambda case: _right_kappa(case) and case.rejects is not None and case.rejects.value > case.facts.recipe.rejects_pct[1],
        "Rejects high, kappa right",
        ("thickness", "steaming short, air", "dense knots"),
        "Chip classes, steaming log.",
        _rejects_lost,
        lambda case, size: f"Hold 15 min longer below 120 °C and mend the chips; {1000 * size.value:.0f} kg of pulp were lost",
    ),
    CookRule(
        "not_penetrated",
        lambda case: case.facts.recipe.is_sulphite
        and _cooking(case)
        and case.penetrated is not None
        and case.facts.temperature.value > case.facts.recipe.acid.penetrate_below_c
        and case.penetrated.value < case.facts.recipe.acid.penetrate_min,
        "Hot before the acid was in",
        ("heated too early", "combined SO2 low", "dry or damaged chips"),
        "Schedule; titrate the acid.",
        lambda case: case.penetrated or case.state.done,
        lambda case, size: f"Only {size.value:.0f} of {case.facts.recipe.acid.penetrate_min:g} min below {case.facts.recipe.acid.penetrate_below_c:g} °C: hold 3 to 5 °C lower, expect hard chips",
    ),
    CookRule(
        "acid_slow",
        lambda case: case.facts.recipe.practice.counts_gas
        and case.state.phase == "at temperature"
        and case.partial is not None
        and case.normal_bar is not None
        and 0 < case.partial.value < GAS_OF_NORMAL * case.normal_bar,
        "Sulphur dioxide pressure low",
        ("free SO2 low", "relief leaking", "air vented with gas"),
        "Titrate the acid; relief valve; vent.",
        _stretch,
        lambda case, size: f"Time at temperature times {size.text}, or restore the pressure",
    ),
    CookRule(
        "hung_blow",
        lambda case: case.state.phase == "blown" and case.blown_min_ago is not None and case.blown_min_ago > 25,
        "Not proved empty",
        ("low liquor", "plugged neck", "false level"),
        "Weight, sound, the tank's rise.",
        _left_inside,
        lambda case, size: f"Prove it empty; up to {size.text} ADt may hang. Stop, isolate, licensed procedure; no rodding on pressure",
    ),
)  # fmt: skip


def advise_cook(case: CookCase) -> list[CookAdvice]:
    """Return the cards whose row fires, in the order of the table; a size that cannot be worked out drops its card."""
    found = []
    for rule in COOK_CASES:
        if not rule.when(case):
            continue
        try:
            size = rule.size(case)
        except ValueError:
            continue
        found.append(CookAdvice(rule.id, rule.symptom, rule.causes, rule.check, rule.say(case, size), size))
    return found
