"""What to do about a pH or a warmth off its band, and about chains that are cut: conditions before charge.

An alkali is sized by the buffer of the stage's liquor, warmth by the steam it is short of.
"""

from collections.abc import Iterable

from stock.bleaching.last_stage import bleach_at, dose_moved, look_after_last, pump_room, told_of
from stock.bleaching.ph import BUFFER_ACID, BUFFER_ALKALINE
from stock.bleaching.symbols import middle
from stock.bleaching.unit import Dosed
from stock.figure import Datum, Figure, Origin, figure
from stock.judge.here import Here
from stock.judge.quiet import Quiet
from stock.judge.rule import Handle, Most, Moved, Rule, look_at

WARMER_C = 3.0  # the most a first step warms a stage
COLD_CHECK = "Steam header, valve and trap; the pulp before the mixer; a second thermometer. A cold stage looks over-charged: residual up, brightness down."
MIXER_MIN = 3.0  # until what the steam is set to shows
ASKED_C = 0.5  # a set point so near to what is wanted asks for it
ALKALI_STEP = 1.0  # kg/BDt, the most a first step of alkali


# ---- pH, by the alkali of the last stage


def _alkali(here: Here) -> Figure:
    unit = bleach_at(here)
    symbol = unit.symbol(len(unit.stages) - 1)
    thick = unit.last.consistency_pct or middle(symbol.consistency_pct)
    buffer = BUFFER_ACID if middle(symbol.ph) < 7 else BUFFER_ALKALINE
    return figure(
        "ph_dose",
        "caustic",
        {
            "now_ph": here.now,
            "target_ph": here.wanted,
            "stage_consistency_pct": told_of(here, thick),
            "buffer_mmol_per_l_ph": Datum(
                buffer, Origin("assumed", "usual buffer of such a stage; titrate its own liquor")
            ),
        },
        decimals=2,
    )


def _alkali_limits(here: Here, size: Figure) -> Iterable[Most]:
    yield Most(ALKALI_STEP, f"a first step of {ALKALI_STEP:g} kg/BDt at most")
    caustic = _caustic(here)
    if caustic is None:
        return
    if size.value > 0:
        yield from pump_room(here, caustic)
        return
    given = float(here.stands(caustic.point, told_of(here, caustic.charge_kg_per_bdt)).value)
    if size.value < 0:
        yield Most(given, f"it is given {given:g} kg/BDt; below that it would take acid")


def _caustic(here: Here) -> Dosed | None:
    """Return the caustic of the last stage; None where it is given none."""
    unit = bleach_at(here)
    return next((one for one in unit.doses(len(unit.stages) - 1) if one.chemical == "caustic"), None)


def _caustic_moved(here: Here) -> Moved | None:
    caustic = _caustic(here)
    return None if caustic is None else dose_moved(here, caustic, "caustic")


def _say_alkali(step: Figure, here: Here) -> str:
    verb = "Add" if step.value > 0 else "Cut"
    return f"{verb} {abs(step.value):.2f} kg/BDt caustic to the last stage"


# ---- warmth after the last mixer, by its steam


def _steam(here: Here) -> Figure:
    """The steam that is short: from what is read to what is wanted."""
    unit = bleach_at(here)
    thick = unit.last.consistency_pct or middle(unit.symbol(len(unit.stages) - 1).consistency_pct)
    data = {
        "production_bdt_per_h": here.flow_in(), "stock_consistency_pct": told_of(here, thick),
        "in_c": here.now, "out_c": here.wanted,
    }  # fmt: skip
    return figure("direct_steam", "steam that is short", data, result="steam_t_per_h", decimals=2)


def _short_c(here: Here) -> float:
    return max(float(here.wanted.value) - float(here.now.value), 1e-9)


def _steam_limits(here: Here, size: Figure) -> Iterable[Most]:
    yield Most(size.value * min(WARMER_C / _short_c(here), 1.0), f"a first step of {WARMER_C:g} °C at most")


def _look_when_mixed(here: Here) -> Figure:
    return look_at(here, mixed_min=Datum(MIXER_MIN, Origin("assumed", "mixer, well and the loop of the steam")))


def _say_steam(step: Figure, here: Here) -> str:
    warmer = step.value * _c_per_t(here)
    return f"Let in {step.value:.2f} t/h more steam first, {warmer:.0f} °C"


def _c_per_t(here: Here) -> float:
    return _short_c(here) / max(_steam(here).value, 1e-9)


def _set_for(here: Here) -> Datum | None:
    """Return what the controller of the last mixer's warmth is set for; None where nobody has set it."""
    return here.facts.stands(_warmth_point(here))


def _is_asked(here: Here) -> bool:
    """Whether its controller is set for what is wanted, or more."""
    asked = _set_for(here)
    return asked is not None and asked.value >= here.wanted.value - ASKED_C


def _warmth_point(here: Here) -> str:
    unit = bleach_at(here)
    return f"warmth:{unit.id}:{len(unit.stages)}"


def _warmth_moved(here: Here) -> Moved | None:
    """Return the set point; None where nobody is known to have set one."""
    unit = bleach_at(here)
    if _set_for(here) is None:
        return None
    where = f"{unit.called(len(unit.stages) - 1)}, {unit.name[:1].lower() + unit.name[1:]}"
    return Moved(_warmth_point(here), f"warmth of {where}", "°C", per_step=_c_per_t(here))


def _say_lost(size: Figure, here: Here) -> str:
    return f"Find the {size.text} t/h of steam that do not come"


def _valve_at_its_end(here: Here, size: Figure) -> str:
    asked = _set_for(here)
    assert asked is not None  # the row is for a set point that asks for it
    return f"It is set for {asked.value:.0f} °C already: the valve is at its end, by hand or stuck, or the header is low; asking for more brings none"


CONDITION_ROWS: tuple[Rule, ...] = (
    Rule(
        "end_ph_off",
        "end_ph",
        ("low", "high"),
        ("charge moved without its alkali", "washing before the stage", "caustic off its strength"),
        "The wash before it and the caustic's strength first; the reading with its temperature: a hot alkaline pH reads low.",
        _alkali,
        _say_alkali,
        at=("bleach_stage",),
        handle=Handle(look_after_last, limits=_alkali_limits, moves=_caustic_moved),
    ),
    Rule(
        "steam_lost",
        "mixed",
        ("low",),
        ("steam header or trap", "valve stuck, or by hand", "colder pulp than its steam can warm"),
        COLD_CHECK,
        _steam,
        _say_lost,
        at=("bleach_stage",),
        where=_is_asked,
        mind=_valve_at_its_end,
    ),
    Rule(
        "stage_cold",
        "mixed",
        ("low",),
        ("steam valve or header", "colder pulp or solution than usual", "rate up at the same steam"),
        COLD_CHECK,
        _steam,
        _say_steam,
        at=("bleach_stage",),
        handle=Handle(_look_when_mixed, limits=_steam_limits, moves=_warmth_moved),
    ),
)

CONDITION_QUIET: tuple[Quiet, ...] = (
    Quiet(
        "mixed",
        ("high",),
        "Hotter than set: a steam valve that passes, the rate cut at the same steam. At a peroxide stage that warms by itself: peroxide off, vents open, people away, the site's procedure; never shut in.",
        at=("bleach_stage",),
    ),
    Quiet(
        "viscosity",
        ("low",),
        "Chains are cut: by the stage with the largest cut in the working, first oxygen too long or alkaline, then hot or metal-laden peroxide, hypochlorite near neutral. Its time or alkali a tenth down a step; magnesium beside.",
        at=("bleach_stage",),
    ),
    Quiet(
        "viscosity",
        ("high",),
        "Stronger than usual: nothing to move for it. Look whether kappa or brightness stay behind.",
        at=("bleach_stage",),
    ),
)
