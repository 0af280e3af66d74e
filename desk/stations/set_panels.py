"""What can be set at each station: one method, filled from the line, live as you type."""

from collections.abc import Callable, Mapping
from dataclasses import dataclass
from typing import Any

from desk.floor.state import State
from stock.errors import DomainError
from stock.figure import Datum, Figure, Origin, figure
from stock.names import unit_of
from stock.working import Arg, find_method

Fill = Callable[[State], Datum]


@dataclass(frozen=True, slots=True)
class Panel:
    """A set panel: the method, where each argument comes from, and how the answer is said."""

    title: str
    method: str
    fields: Mapping[str, tuple[str, Fill]]
    say: Callable[[Figure], str]
    decimals: int = 0


@dataclass(frozen=True, slots=True)
class Filled:
    """One field as shown."""

    name: str
    label: str
    unit: str
    text: str
    origin: str
    allowed: str
    fault: str = ""


@dataclass(frozen=True, slots=True)
class Attempt:
    """A set panel worked out, or refused."""

    panel: Panel
    fields: list[Filled]
    figure: Figure | None
    sentence: str
    fault: str


def attempt(state: State, panel: Panel, typed: Mapping[str, Any]) -> Attempt:
    """Work the panel out for what was typed, the line's own numbers where nothing was."""
    method = find_method(panel.method)
    data: dict[str, Datum] = {}
    shown: list[Filled] = []
    faults: dict[str, str] = {}
    for name, (label, fill) in panel.fields.items():
        arg = method.arguments[name]
        unit = unit_of(name)
        try:
            own = fill(state)
        except LookupError:
            own = None
        own_text = _plain(own.value) if own else ""
        text = str(typed.get(name, own_text)).strip()[:40]
        datum = own
        if text != own_text:
            datum = _typed(text)
        allowed = arg.allowed(unit) if isinstance(arg, Arg) else ""
        if datum is None:
            faults[name] = f"{label} is {text!r}, which is not a number" if text else f"{label} is missing"
        else:
            data[name] = datum
        origin = datum.origin.text if datum else ""
        shown.append(Filled(name, label, unit, text, origin, allowed))
    answer, fault = None, ""
    if not faults:
        try:
            answer = figure(panel.method, panel.title, data, decimals=panel.decimals)
        except DomainError as error:
            faults[error.argument] = error.message
            fault = error.message
    shown = [
        Filled(one.name, one.label, one.unit, one.text, one.origin, one.allowed, faults.get(one.name, ""))
        for one in shown
    ]
    fault = fault or next(iter(faults.values()), "")
    return Attempt(panel, shown, answer, panel.say(answer) if answer else "", fault)


def _plain(value: float) -> str:
    return f"{value:.5g}"


def _typed(text: str) -> Datum | None:
    try:
        return Datum(float(text.replace(",", ".")), Origin("entered", "typed just now"))
    except ValueError:
        return None


def _reading(tag: str) -> Fill:
    return lambda state: state.reading(tag)


def _target(tag: str) -> Fill:
    return lambda state: state.target(tag)


def _constant(name: str) -> Fill:
    return lambda state: state.constant(name)


def _flow(stream: str) -> Fill:
    def fill(state: State) -> Datum:
        datum = state.flow(stream)
        return Datum(round(datum.value, 3), datum.origin, datum.figure)

    return fill


def _percent(tag: str) -> Fill:
    def fill(state: State) -> Datum:
        datum = state.reading(tag)
        return Datum(datum.value / 100, datum.origin)

    return fill


def _step(size: Figure, noun: str, unit: str) -> str:
    verb = "Raise" if size.value >= 0 else "Lower"
    return f"{verb} {noun} by {abs(size.value):.{size.decimals}f} {unit}."


PANELS: dict[str, Panel] = {
    "yard": Panel(
        "Bone-dry in a load",
        "bone_dry_mass_t",
        {
            "green_mass_t": ("Mass as weighed", lambda state: Datum(38.6, Origin("assumed", "a usual truck"))),
            "moisture_wet_frac": ("Moisture, as a fraction", _percent("chip_moisture")),
        },
        lambda size: f"Book {size.text} BDt.",
        decimals=2,
    ),
    "cook": Panel(
        "White liquor for the next charge",
        "white_liquor_volume_m3",
        {
            "bd_wood_t": (
                "Bone-dry chips",
                lambda state: figure(
                    "digester_chip_charge_bdt",
                    "chips a digester holds",
                    {
                        name: state.constant(f"cook_{name}")
                        for name in (
                            "digester_volume_m3",
                            "basic_density_kg_per_m3",
                            "solid_volume_factor",
                            "packing_gain_frac",
                        )
                    },
                ).as_datum(),
            ),
            "effective_alkali_pct_naoh_on_wood": ("Charge", _constant("cook_charge_pct_naoh_on_wood")),
            "effective_alkali_kg_per_m3_as_naoh": ("White liquor strength", _reading("white_liquor_ea")),
        },
        lambda size: f"Charge {size.text} m³ of white liquor.",
        decimals=1,
    ),
    "wash": Panel(
        "Shower for a dilution factor",
        "shower_flow_l_per_min",
        {
            "production_bd_t_per_h": ("Pulp over the washers", _flow("washed")),
            "dilution_factor_t_per_odt": ("Dilution factor", _constant("wash_dilution_factor")),
            "discharge_consistency_pct": ("Mat consistency", _constant("wash_mat_consistency_pct")),
        },
        lambda size: f"Set the shower to {size.text} L/min.",
    ),
    "screen": Panel(
        "Reject rate for a removal",
        "mass_reject_for_removal",
        {
            "removal_frac": (
                "Shives to take out, as a fraction",
                lambda state: Datum(0.64, Origin("assumed", "a usual aim")),
            ),
            "quotient_ratio": ("Screening quotient", _constant("screen_quotient")),
        },
        lambda size: f"Run the reject rate at {100 * size.value:.1f} % by mass.",
        decimals=3,
    ),
    "bleach": Panel(
        "Dosing flow of the third cane stage",
        "dosing_flow",
        {
            "charge_kg_per_odt": ("Peroxide charge", _constant("cane_peroxide_kg_per_odt")),
            "production_bd_t_per_h": ("Cane through the stage", _flow("cane_brown")),
            "solution_g_per_l": ("Solution strength", _constant("cane_peroxide_g_per_l")),
        },
        lambda size: f"Set the peroxide pump to {size.text} L/min.",
        decimals=1,
    ),
    "recover": Panel(
        "Water to correct a pulper batch",
        "batch_water_correction",
        {
            "od_t": ("Bone-dry in the vat", _constant("pulper_batch_odt")),
            "consistency_pct": ("Consistency measured", _reading("pulper_cons")),
            "target_consistency_pct": ("Consistency wanted", _target("pulper_cons")),
        },
        lambda size: _step(size, "water to the batch", "t"),
        decimals=1,
    ),
    "slush": Panel(
        "Water to correct the slush chest",
        "batch_water_correction",
        {
            "od_t": (
                "Bone-dry in the chest",
                lambda state: Datum(
                    round(state.contents("slush_chest").value, 2), state.contents("slush_chest").as_datum().origin
                ),
            ),
            "consistency_pct": ("Consistency measured", _reading("slush_cons")),
            "target_consistency_pct": ("Consistency wanted", _target("slush_cons")),
        },
        lambda size: _step(size, "water to the chest", "t"),
        decimals=1,
    ),
    "refine": Panel(
        "Power for a freeness, refiners 1 and 2",
        "power_step",
        {
            "now_csf_ml": ("Freeness now", _reading("wood_freeness")),
            "target_csf_ml": ("Freeness wanted", _target("wood_freeness")),
            "bd_t_per_h": ("Flow through them", _flow("wood_stored")),
            "slope_ratio": ("Slope, per kWh/BDt", _constant("refine_slope")),
        },
        lambda size: _step(size, "net power", "kW"),
    ),
    "blend": Panel(
        "Filler for the ash",
        "filler_feed_t_per_h",
        {
            "sheet_bd_t_per_h": ("Sheet made", _flow("dry_sheet")),
            "sheet_filler_frac": (
                "Filler in the sheet, as a fraction",
                lambda state: Datum(state.line.grade(state.order.grade).ash_frac, state.set_origin("grade")),
            ),
            "overall_frac": (
                "Overall retention",
                lambda state: Datum(0.955, Origin("assumed", "first pass 0.50, 0.95 returned")),
            ),
        },
        lambda size: f"Feed {size.text} t/h of filler, less what broke brings.",
        decimals=2,
    ),
    "deliver": Panel(
        "Thick stock for the machine",
        "stock_flow_l_per_min",
        {
            "bd_t_per_h": ("Thick stock", _flow("thick_stock")),
            "consistency_pct": ("Machine chest consistency", _reading("machine_cons")),
        },
        lambda size: f"Thick-stock flow {size.text} L/min.",
    ),
}
