"""What to do about a cook off its plan, each way with its size; and whether to blow it, with the reasons."""

from dataclasses import dataclass
from typing import Literal

from stock.cooking.facts import ON_PLAN_MIN, CookFacts, CookState, Correction, Kinetic
from stock.errors import DomainError
from stock.figure import Datum, Figure, Origin, figure


def corrections(facts: CookFacts, state: CookState) -> tuple[Correction, ...]:
    """Return time first, then temperature, then liquor: those that would do, with their size."""
    found = []
    if abs(state.behind_min) >= ON_PLAN_MIN:
        found.append(_by_time(facts, state))
        if (hotter := _by_temperature(facts, state)) is not None:
            found.append(hotter)
    if (more := _by_liquor(facts, state)) is not None:
        found.append(more)
    return tuple(found)


def longer(facts: CookFacts, state: CookState) -> Figure:
    """Return how much longer than planned a cook is to be held as it goes now."""
    left = Datum(
        state.blow_min - facts.now_min,
        Origin("computed", f"the planned rise marched from {state.done.text} to {state.aim.text} {facts.way.unit}"),
    )
    planned = Origin("computed", "the plan as it was meant, from when heating began")
    data = {
        "now_min": Datum(facts.now_min, Origin("measured", "clock, since its start")),
        "left_min": left if state.minutes_left is None else state.minutes_left.as_datum(),
        "planned_end_min": Datum(state.planned_end_min, planned),
    }
    return figure("longer_than_planned", "longer than planned", data, decimals=0)


def _by_time(facts: CookFacts, state: CookState) -> Correction:
    size = longer(facts, state)
    by = abs(size.value)
    words = f"Hold {by:.0f} min longer than planned" if size.value > 0 else f"Relieve {by:.0f} min earlier than planned"
    return Correction("time", words, size)


def _by_temperature(facts: CookFacts, state: CookState) -> Correction | None:
    """Return the temperature that would end it when it was planned to end, if the recipe allows one."""
    time = state.planned_end_min - facts.now_min
    want = state.aim.value - facts.recipe.tail - state.done.value
    if facts.way.letter != "H" or time < 10 or want <= 0 or state.phase != "at temperature":
        return None
    data = {
        "h_wanted_h_factor": Datum(want, Origin("computed", "H at the blow less the tail and what it has")),
        "duration_min": Datum(time, Origin("computed", "minutes to the planned end")),
    }
    try:
        size = figure("temperature_for_time", "or hold at", data)
    except DomainError:
        return None
    if not facts.recipe.cook_c - 8 <= size.value <= facts.recipe.most_c:
        return None
    return Correction("temperature", f"or hold {size.value:.1f} °C and keep the planned end", size)


def _by_liquor(facts: CookFacts, state: CookState) -> Correction | None:
    """Return the liquor that would bring a short charge up, while adding alkali still does good."""
    recipe = facts.recipe
    if recipe.is_sulphite or not liquor_still_helps(state):
        return None
    short = recipe.alkali.charge_pct_naoh_on_wood - facts.charge.value
    if short < 0.2:
        return None
    data = {
        "bd_wood_t": facts.bd_wood,
        "effective_alkali_pct_naoh_on_wood": Datum(short, Origin("computed", "charge planned less charge got")),
        "effective_alkali_kg_per_m3_as_naoh": facts.liquor_strength,
    }
    size = figure("white_liquor_volume_m3", "or add liquor", data)
    return Correction("liquor", f"or add {size.text} m³ of cooking liquor now, if the head has room", size)


def liquor_still_helps(state: CookState) -> bool:
    """Whether liquor may still be added: while it heats; at temperature it cuts yield while cores stay raw."""
    return state.phase == "heating"


REDEPOSIT_G_PER_L = 4.0  # residual alkali as NaOH below which lignin goes back on the fibre
Answer = Literal["hold", "soon", "blow", "over"]


@dataclass(frozen=True, slots=True)
class Reason:
    """One thing that speaks for the blow, or against it; `holds` where it must be put right first."""

    good: bool
    words: str
    holds: bool = False


@dataclass(frozen=True, slots=True)
class Decision:
    """Whether to relieve and blow, and why."""

    answer: Answer
    words: str
    reasons: tuple[Reason, ...]


@dataclass(frozen=True, slots=True)
class Surroundings:
    """What else the blow hangs on."""

    room_frac: float | None = None
    needs_frac: float = 0.0
    apart_c: float | None = None
    over_kpa: float | None = None
    sampled_residual: float | None = None
    sampled: bool = False
    so2_bar: float | None = None
    normal_so2_bar: float | None = None
    penetrated_min: float | None = None
    usual_miss: Figure | None = None


SOON_MIN = 20.0
GAS_OF_NORMAL = 0.88  # below this part of the normal cook's SO2 pressure, S counts for less
APART_C = 5.0


def decide(facts: CookFacts, state: CookState, second: Kinetic | None, around: Surroundings) -> Decision:
    """Return the answer with every reason, those against it first."""
    recipe, way = facts.recipe, facts.way
    left = max(state.blow_min - facts.now_min, 0.0)
    short = state.aim.value - recipe.tail - state.done.value
    ready = short <= 0
    reasons = [Reason(True, f"{way.letter} {state.done.text} of {state.aim.text}, tail counted")] if ready else []
    off = state.kappa.value - facts.kappa_target.value
    reasons.append(
        Reason(
            abs(off) <= recipe.kappa_half,
            f"kappa forecast {state.kappa.value:.1f} ± {state.kappa_half:.1f}, target {facts.kappa_target.value:.3g} ± {recipe.kappa_half:g}",
        )
    )
    reasons += [Reason(False, words) for words in state.beyond]
    if second is not None and not second.deaf and abs(second.apart) > state.kappa_half:
        reasons.append(Reason(False, f"the kinetics say {second.kappa.value:.1f}"))
    if around.usual_miss is not None:
        expect = state.kappa.value + around.usual_miss.value
        side = "above" if around.usual_miss.value > 0 else "below"
        words = (
            f"expect {expect:.1f}: {around.usual_miss.label} came {abs(around.usual_miss.value):.1f} {side} forecast"
        )
        reasons.append(Reason(abs(expect - facts.kappa_target.value) <= recipe.kappa_half, words))
    if not recipe.is_sulphite:
        residual = around.sampled_residual
        least = recipe.alkali.residual_kg_per_m3_as_naoh[0]
        value = residual if residual is not None else (state.residual.value if state.residual else least)
        how = "titrated" if residual is not None else "forecast"
        low = (
            f"; below {REDEPOSIT_G_PER_L:g} g/L NaOH lignin goes back on the fibre" if value < REDEPOSIT_G_PER_L else ""
        )
        words = f"residual alkali {value:.1f} g/L NaOH, {how}{low}"
        reasons.append(Reason(value >= min(REDEPOSIT_G_PER_L, least), words))
    if around.room_frac is not None:
        enough = around.room_frac >= around.needs_frac
        words = f"tank takes {100 * around.room_frac:.0f} % more, the cook needs {100 * around.needs_frac:.0f} %"
        reasons.append(Reason(enough, words, holds=not enough))
    if around.apart_c is not None:
        reasons.append(Reason(around.apart_c <= APART_C, f"top and bottom {around.apart_c:.1f} °C apart"))
    if around.over_kpa is not None and not recipe.is_sulphite:
        relieved = around.over_kpa <= recipe.over_kpa
        reasons.append(Reason(relieved, f"{around.over_kpa:.0f} kPa of gas over steam", holds=not relieved))
    if around.so2_bar is not None and around.normal_so2_bar is not None:
        kept = around.so2_bar >= GAS_OF_NORMAL * around.normal_so2_bar
        reasons.append(
            Reason(kept, f"SO2 {around.so2_bar:.1f} bar over steam, {around.normal_so2_bar:.1f} in the normal cook")
        )
    if around.penetrated_min is not None:
        soaked, least_min = around.penetrated_min, recipe.acid.penetrate_min
        words = f"{soaked:.0f} min under {recipe.acid.penetrate_below_c:g} °C to penetrate, least {least_min:g}"
        reasons.append(Reason(soaked >= least_min or facts.temperature.value <= recipe.acid.penetrate_below_c, words))
    if (words := _sulphidity_words(facts)) != "":
        reasons.append(Reason(False, words))
    return Decision(*_answer(state, ready, left, reasons, around), tuple(sorted(reasons, key=lambda one: one.good)))


SULPHIDITY_TELLS = 0.03  # so far off the recipe's, its liquor cooks otherwise than the relation knows
KAPPA_PER_SULPHIDITY = 25.0  # kappa for the whole of it: a quarter of a kappa a point


def _sulphidity_words(facts: CookFacts) -> str:
    """Say that the liquor's sulphidity is one the relation does not know; '' where it is usual."""
    recipe = facts.recipe
    if recipe.is_sulphite or not recipe.practice.has_sulphide:
        return ""
    off = facts.sulphidity.value - recipe.alkali.sulphidity_frac
    if abs(off) <= SULPHIDITY_TELLS:
        return ""
    more = "under" if off > 0 else "over"
    return (
        f"sulphidity {100 * facts.sulphidity.value:.0f} %, usual {100 * recipe.alkali.sulphidity_frac:.0f}: the relation"
        f" does not know it; expect about {abs(KAPPA_PER_SULPHIDITY * off):.1f} kappa {more} its forecast"
    )


def _answer(
    state: CookState, ready: bool, left: float, reasons: list[Reason], around: Surroundings
) -> tuple[Answer, str]:
    against = [one.words for one in reasons if one.holds]
    if state.phase == "blown":
        return "over", "It is blown."
    if state.phase in ("filling", "liquor", "charged"):
        return "hold", "It is not cooking yet."
    if not ready and left > SOON_MIN:
        return "hold", f"Hold: {left:.0f} min to relief."
    if not ready:
        sample = "" if around.sampled or around.penetrated_min is not None else " Take the liquor sample now."
        return "soon", f"Soon: relieve in {left:.0f} min.{sample}"
    if against:
        return "blow", f"Its end point is reached, but first: {against[0]}."
    return "blow", "Relieve and blow."
