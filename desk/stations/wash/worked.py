"""A washing line worked out for what is typed: the staircase, the water it should have, what one more tonne is worth."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from typing import Any, Final, Literal

from django.utils import timezone

from desk.floor.state import State
from desk.frame.forms import number_within
from desk.stations.wash.shown import efficiency_of, factor_of, measured_of, rate_of, shows_of, solids_of
from stock.errors import DomainError
from stock.figure import Datum, Figure, Origin, figure, small
from stock.washing.stairs import TANK_MIN, VAT_MIN, Step, machines_of, spread_over, steps_of, washed
from stock.washing.unit import Washer

TYPED: Final = Origin("entered", "as typed")
FIRST_STEP_T_PER_ODT: Final = 0.3
APART_FRAC: Final = 0.3
CURVE: Final = [0.5 + 0.125 * index for index in range(33)]  # t/BDt


@dataclass(frozen=True, slots=True)
class FieldOf:
    """A field of the form: its limits, and whether it may be left empty."""

    name: str
    label: str
    unit: str
    low: float
    high: float
    needed: bool = True


FIELDS: Final = (
    FieldOf("factor", "Dilution factor", "t/BDt", -1.0, 8.0),
    FieldOf("rate", "Pulp over the line", "BDt/h", 1e-5, 300.0),
    FieldOf("solids", "Solids that come with it", "kg/BDt", 50.0, 4000.0),
    FieldOf("efficiency", "Efficiency at 10 %", "", 0.3, 60.0),
    FieldOf("stray", "Stray water", "t/BDt", 0.0, 10.0),
    FieldOf("capacity", "Water the evaporators take", "t/h", 0.1, 5000.0, needed=False),
    FieldOf("water_cost", "Cost of a tonne evaporated", "per t", 0.0, 1000.0, needed=False),
    FieldOf("loss_cost", "Cost of a kilogram lost", "per kg", 0.0, 1000.0, needed=False),
)


@dataclass(frozen=True, slots=True)
class Curve:
    """Loss, and cost where prices are told, over the dilution factor."""

    factors: Sequence[float]
    losses: Sequence[float]
    costs: Sequence[float]
    now: float
    best: float | None
    most: float | None


@dataclass(frozen=True, slots=True)
class Worked:
    """A line worked out, or refused by name; what was typed stays."""

    unit: Washer
    values: Mapping[str, str]
    origins: Mapping[str, str]
    steps: Sequence[Step] = ()
    loss: Figure | None = None
    figures: Sequence[Figure] = ()
    curve: Curve | None = None
    says: Sequence[str] = field(default_factory=list)
    fault: str = ""
    faulty: str = ""


def told_of(unit: Washer) -> Origin:
    """Return where what the mill's file says of a line comes from."""
    return Origin("set", f"{unit.name}, by the definition")


def defaults(state: State, unit: Washer) -> dict[str, Datum]:
    """Return what a line stands at: measured where it is, else as the mill's file has it."""
    told = told_of(unit)
    found = {
        "factor": factor_of(state, unit),
        "rate": rate_of(state, unit),
        "solids": solids_of(unit),
        "efficiency": _shown_now(state, unit)[1],
        "stray": Datum(0.0, Origin("assumed", "none known")),
    }
    for name, value in (
        ("capacity", unit.evaporation_capacity_t_per_h),
        ("water_cost", unit.evaporation_cost_per_t),
        ("loss_cost", unit.loss_cost_per_kg),
    ):
        if value is not None:
            found[name] = Datum(value, told)
    return found


def _shown_now(state: State, unit: Washer) -> tuple[list[float], Datum]:
    """Return what each machine shows now, and all of them together: by their liquors, else by the loss found."""
    by_loss = efficiency_of(state, unit)
    machines, measured = machines_of(unit), measured_of(shows_of(state, unit))
    shown = spread_over(machines, by_loss.value if by_loss is not None else unit.wash.e_std, measured)
    words = "what the loss found shows" if by_loss is not None else told_of(unit).text
    if measured:
        words = f"{len(measured)} of {len(machines)} machines by their liquors" + (
            f", the rest by {words}" if len(measured) < len(machines) else ""
        )
    kind: Literal["computed", "set"] = "computed" if measured or by_loss is not None else "set"
    return shown, Datum(round(sum(shown), 2), Origin(kind, words))


def worked(state: State, unit: Washer, typed: Mapping[str, Any]) -> Worked:
    """Work a line out; a fault names its field and keeps everything typed."""
    usual = defaults(state, unit)
    values = {
        one.name: str(typed.get(one.name, f"{usual[one.name].value:.4g}" if one.name in usual else "")).strip()[:20]
        for one in FIELDS
    }
    by_file = told_of(unit).text
    origins = {
        name: datum.origin.text for name, datum in usual.items() if name not in typed and datum.origin.text != by_file
    }
    try:
        data = _data(values, usual, typed)
        as_shown = values["efficiency"] == f"{usual['efficiency'].value:.4g}"
        return _worked(state, unit, values, origins, data, as_shown=as_shown)
    except DomainError as error:
        fault = f"{error.message}. Allowed: {error.allowed}" if error.allowed else error.message
        return Worked(unit, values, origins, fault=fault, faulty=NAMED.get(error.argument, error.argument))


NAMED: Final = {"dilution_factor_t_per_bdt": "factor", "production_bdt_per_h": "rate"}  # a method's name for a field


def _data(values: Mapping[str, str], usual: Mapping[str, Datum], typed: Mapping[str, Any]) -> dict[str, Datum]:
    found = {}
    for one in FIELDS:
        if not values[one.name] and not one.needed:
            continue
        value = number_within(values[one.name], one.name, one.label, one.low, one.high, one.unit)
        found[one.name] = usual[one.name] if one.name in usual and one.name not in typed else Datum(value, TYPED)
    return found


def _worked(
    state: State, unit: Washer, values: Mapping[str, str], origins: Mapping[str, str], data: Mapping[str, Datum], *,
    as_shown: bool,
) -> Worked:  # fmt: skip
    shown = _shown_now(state, unit)[0]
    if not as_shown:  # another efficiency was typed: the machines in ratio
        ratio = float(data["efficiency"].value) / sum(shown)
        shown = [one * ratio for one in shown]
    stray = float(data["stray"].value)
    loss = washed(unit, shown, data["factor"], data["solids"], stray_t_per_bdt=stray)
    figures = _water(unit, data, loss)
    best, most = _best(unit, data, sum(shown)), _most(unit, data, loss)
    if best is not None:
        figures.append(best)
    if most is not None:
        figures.append(most)
    costs = tuple(float(data[name].value) for name in ("water_cost", "loss_cost") if name in data)
    curve = _curve(unit, data, sum(shown), costs if len(costs) == 2 else (), best, most)
    says = _says(state, unit, data, loss, best, most, curve, typed=len(origins) == 0)
    return Worked(unit, values, origins, steps_of(unit, loss), loss, figures, curve, says)


def _given(unit: Washer, data: Mapping[str, Datum]) -> dict[str, Datum]:
    return {
        "feed_consistency_pct": Datum(unit.wash.feed_consistency_pct, told_of(unit)),
        "feed_solids_kg_per_bdt": data["solids"],
    }


def _water(unit: Washer, data: Mapping[str, Datum], loss: Figure) -> list[Figure]:
    """Return the loss by species, the shower's flow, what goes to the evaporators."""
    shower = {
        "production_bdt_per_h": data["rate"], "dilution_factor_t_per_bdt": data["factor"],
        "discharge_consistency_pct": Datum(unit.consistency_pct, told_of(unit)),
    }  # fmt: skip
    weak = {
        **_given(unit, data), "dilution_factor_t_per_bdt": data["factor"], "stray_t_per_bdt": data["stray"],
        "loss_kg_per_bdt": loss.as_datum(),
    }  # fmt: skip
    species = {"solids_kg_per_bdt": loss.as_datum()}
    return [
        figure("loss_by_species", "of that, as salt cake", species, decimals=1),
        small(figure("shower_flow_l_per_min", "shower", shower, decimals=0)),
        figure("weak_liquor_made", "solids to the evaporators", weak, result="solids_pct", decimals=1),
        figure("weak_liquor_made", "water to evaporate", weak, result="evaporation_t_per_bdt", decimals=2),
    ]


def _best(unit: Washer, data: Mapping[str, Datum], total: float) -> Figure | None:
    if "water_cost" not in data or "loss_cost" not in data:
        return None
    given = {
        **_given(unit, data), "e_std_total_ratio": Datum(total, Origin("computed", "what the machines show together")),
        "evaporation_cost_per_t": data["water_cost"], "loss_cost_per_kg": data["loss_cost"],
    }  # fmt: skip
    return figure("best_factor", "dilution factor that costs least", given, decimals=2)


def _most(unit: Washer, data: Mapping[str, Datum], loss: Figure) -> Figure | None:
    if "capacity" not in data:
        return None
    given = {
        **_given(unit, data), "evaporation_capacity_t_per_h": data["capacity"], "production_bdt_per_h": data["rate"],
        "loss_kg_per_bdt": loss.as_datum(), "stray_t_per_bdt": data["stray"],
    }  # fmt: skip
    return figure("most_factor", "most the evaporators allow", given, decimals=2)


def _curve(
    unit: Washer, data: Mapping[str, Datum], total: float, prices: Sequence[float], best: Figure | None,
    most: Figure | None,
) -> Curve:  # fmt: skip
    from stock.washing.water import LOSS_SHARE

    solids, feed = float(data["solids"].value), unit.wash.feed_consistency_pct
    losses = [
        solids * float(LOSS_SHARE(dilution_factor_t_per_bdt=df, feed_consistency_pct=feed, e_std_total_ratio=total))
        for df in CURVE
    ]
    costs = [prices[0] * df + prices[1] * lost for df, lost in zip(CURVE, losses, strict=True)] if prices else []
    return Curve(
        CURVE, losses, costs, float(data["factor"].value), None if best is None else best.value,
        None if most is None else most.value,
    )  # fmt: skip


def _says(
    state: State, unit: Washer, data: Mapping[str, Datum], loss: Figure, best: Figure | None, most: Figure | None,
    curve: Curve, *, typed: bool,
) -> list[str]:  # fmt: skip
    """Say what to set and by how much first, what binds, what one more tonne is worth, when it shows."""
    now, rate = float(data["factor"].value), float(data["rate"].value)
    said = []
    bounded = most is not None and now > most.value
    if bounded and most is not None:
        fits = rate * float(data["capacity"].value) / max(_evaporates(unit, data, loss), 1e-9)
        said.append(
            f"The evaporators cannot follow at {rate:.1f} BDt/h: {most.value:.2f} t/BDt is the most,"
            f" or {fits:.1f} BDt/h at this factor."
        )
    if (doubt := _apart(state, unit, loss)) and not typed:
        said.append(doubt)
    behind = [one for one in shows_of(state, unit) if one.behind]
    if behind:
        said.append(f"{behind[0].machine.name} does less: mend it, do not buy its work with water.")
    elif best is not None:
        goal = min(best.value, most.value) if most is not None else best.value
        apart = goal - now
        step = max(-FIRST_STEP_T_PER_ODT, min(FIRST_STEP_T_PER_ODT, apart))
        if abs(apart) < 0.1:
            said.append("The water is where it costs least; leave it.")
        else:
            flow = step * rate * 1000 / 60
            binds = " The evaporators bind." if most is not None and most.value < best.value else ""
            said.append(
                f"First step {flow:+.0f} L/min of shower, {step:+.2f} t/BDt of {apart:+.2f}.{binds}".replace("-", "−")
            )
    if best is not None:
        said.append(_worth(curve, now))
    if (shows := _when(unit, loss, now)) is not None:
        said.append(shows)
    return said


def _apart(state: State, unit: Washer, loss: Figure) -> str:
    """Say where the machines' liquors and the laboratory's loss do not agree; '' where they do, or one is missing."""
    reading = state.readings.get(unit.tag_of("loss") or "")
    measured = bool(measured_of(shows_of(state, unit)))
    if reading is None or not measured or abs(loss.value - reading.value) <= APART_FRAC * reading.value:
        return ""
    at = timezone.localtime(reading.at)
    return (
        f"The laboratory found {reading.value:.1f} at {at:%H:%M}, the machines' liquors come to {loss.value:.1f}:"
        " extract again before water is moved."
    )


def _evaporates(unit: Washer, data: Mapping[str, Datum], loss: Figure) -> float:
    given = {
        **_given(unit, data), "dilution_factor_t_per_bdt": data["factor"], "stray_t_per_bdt": data["stray"],
        "loss_kg_per_bdt": loss.as_datum(),
    }  # fmt: skip
    shown = figure("weak_liquor_made", "water", given, result="evaporation_t_per_bdt")
    return float(data["rate"].value) * shown.value


def _worth(curve: Curve, now: float) -> str:
    """Say what one more and one less tonne of water is worth, by the curve at where it stands."""
    if not curve.costs:
        return ""
    step = curve.factors[1] - curve.factors[0]
    at = min(max(round((now - curve.factors[0]) / step), 0), len(curve.factors) - 1)
    tonne = round(1 / step)
    parts = []
    for words, other in (("more", at + tonne), ("less", at - tonne)):
        if 0 <= other < len(curve.costs):
            change = curve.costs[other] - curve.costs[at]
            parts.append(f"one tonne {words} {'costs' if change > 0 else 'saves'} {abs(change):.2f} per BDt")
    return ("; ".join(parts)[:1].upper() + "; ".join(parts)[1:] + ".") if parts else ""


def _when(unit: Washer, loss: Figure, now: float) -> str | None:
    """Say when a step of the shower shows: at the last mat, and in the strong liquor."""
    data = {name: loss.data[name] for name in ("stages", "feed_consistency_pct", "feed_conc_kg_per_t")}
    vats = [one.vat_consistency_pct for one in machines_of(unit)]
    if not all(vats):
        return None
    told = {
        **data, "dilution_factor_t_per_bdt": loss.data["dilution_factor_t_per_bdt"],
        "changed_word": Datum("dilution factor", TYPED), "to_read": Datum(now + FIRST_STEP_T_PER_ODT, TYPED),
        "tank_min": Datum(TANK_MIN, Origin("assumed", "each filtrate tank")),
        "vat_min": Datum(VAT_MIN, Origin("assumed", "each vat")),
    }  # fmt: skip
    drums = [
        {**row, "vat_consistency_pct": vat, "displacement_ratio": ratio}
        for row, vat, ratio in zip(data["stages"].value, vats, _displacements(unit, loss), strict=True)
    ]
    told["stages"] = Datum(drums, Origin("computed", "machines as drums, displacing what they show"))
    try:
        mat, strong = (
            figure("line_answers", "answer", {**told, "of_word": Datum(one, TYPED)}, result="t63_min")
            for one in ("mat", "strong liquor")
        )
    except DomainError:
        return None
    return f"It shows in the strong liquor in {strong.value / 60:.1f} h, in the last mat in {mat.value / 60:.1f} h."


def _displacements(unit: Washer, loss: Figure) -> list[float]:
    return [min(max(step.displacement or 0.8, 0.05), 0.99) for step in steps_of(unit, loss)]
