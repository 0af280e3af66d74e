"""A washing line machine by machine: pulp going one way, liquor the other, what each step takes out and leaves behind."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import Any

from stock.consistency.basis import liquor_ratio_t_per_bdt
from stock.figure import Datum, Figure, Origin, figure
from stock.washing.answering import line_answers
from stock.washing.unit import Machine, Washer

MACHINE_MIN = 12.0  # mean time of liquor in a machine and its filtrate tank, where they are not told
TANK_MIN, VAT_MIN = 5.0, 1.0  # each filtrate tank and vat on its own flow
USUAL_SOLIDS = 1400.0
L = liquor_ratio_t_per_bdt.method.bare  # type: ignore[attr-defined]


@dataclass(frozen=True, slots=True)
class Step:
    """One machine as it washes: strengths of its liquors, flows of them, what it leaves with the pulp."""

    number: int
    machine: Machine
    e_std: float
    fed_kg_per_t: float
    vat_kg_per_t: float
    mat_kg_per_t: float
    filtrate_kg_per_t: float
    wash_kg_per_t: float
    fed_t_per_bdt: float
    mat_t_per_bdt: float
    wash_t_per_bdt: float
    filtrate_t_per_bdt: float

    @property
    def leaves_kg_per_bdt(self) -> float:
        """Solids that go on with the pulp."""
        return self.mat_kg_per_t * self.mat_t_per_bdt

    @property
    def takes_frac(self) -> float:
        """Of the solids that come with the pulp, what this machine takes out."""
        came = self.fed_kg_per_t * self.fed_t_per_bdt
        return 1 - self.leaves_kg_per_bdt / came if came > 0 else 0.0

    @property
    def displacement(self) -> float | None:
        """Displacement out of its vat; None for a machine that has none, or where nothing is to be displaced."""
        if self.machine.vat_consistency_pct is None or self.vat_kg_per_t - self.wash_kg_per_t < 1e-9:
            return None
        return (self.vat_kg_per_t - self.mat_kg_per_t) / (self.vat_kg_per_t - self.wash_kg_per_t)


def machines_of(unit: Washer) -> tuple[Machine, ...]:
    """Return the machines of a line; all of it as one where the mill's file names none."""
    if unit.machines:
        return tuple(unit.machines)
    return (
        Machine(name=unit.name, type="line", e_std=unit.wash.e_std, discharge_consistency_pct=unit.consistency_pct),
    )


def rows_of(
    machines: Sequence[Machine], shown: Sequence[float], stray_t_per_bdt: float = 0.0
) -> list[dict[str, float]]:
    """Return machines as the method takes them, each at the efficiency it shows; stray water runs into the first tank."""
    return [
        {
            "discharge_consistency_pct": one.discharge_consistency_pct, "e_std_ratio": e_std,
            "added_t_per_bdt": stray_t_per_bdt if index == 0 else 0.0,
        }
        for index, (one, e_std) in enumerate(zip(machines, shown, strict=True))
    ]  # fmt: skip


def washed(
    unit: Washer, shown: Sequence[float], factor: Datum, solids: Datum, *, stray_t_per_bdt: float = 0.0,
    wash_conc_kg_per_t: float = 0.0,
) -> Figure:  # fmt: skip
    """Return what a line comes to, with its working.

    Raises
    ------
    DomainError
        As `washed_line`.
    """
    machines = machines_of(unit)
    feed = unit.wash.feed_consistency_pct
    conc = float(solids.value) / L(consistency_pct=feed)
    said = ", ".join(f"{one.name} {e_std:.1f}" for one, e_std in zip(machines, shown, strict=True))
    data: Mapping[str, Datum] = {
        "stages": Datum(rows_of(machines, shown, stray_t_per_bdt), Origin("set", f"machines at the efficiency they show: {said}")),
        "feed_consistency_pct": Datum(feed, Origin("set", f"{unit.name}, by the definition")),
        "feed_conc_kg_per_t": Datum(conc, Origin("computed", f"{float(solids.value):g} kg/BDt in the liquor of the feed")),
        "dilution_factor_t_per_bdt": factor,
        "wash_conc_kg_per_t": Datum(wash_conc_kg_per_t, Origin("assumed", "clean wash liquor")),
    }  # fmt: skip
    return figure("washed_line", "loss with the washed pulp", data, result="loss_kg_per_bdt", decimals=1)


def steps_of(unit: Washer, found: Figure) -> list[Step]:
    """Return a line's machines as they wash, from the dirty end."""
    machines, results = machines_of(unit), found.results
    stages: Any = found.data["stages"].value
    mats = [float(one) for one in results["discharge_each_kg_per_t"]]
    tanks = [float(one) for one in results["filtrate_each_kg_per_t"]]
    factor = float(found.data["dilution_factor_t_per_bdt"].value)
    wash = float(found.data["wash_conc_kg_per_t"].value)
    fed, fed_t = float(found.data["feed_conc_kg_per_t"].value), L(consistency_pct=unit.wash.feed_consistency_pct)
    steps = []
    for index, machine in enumerate(machines):
        mat_t = L(consistency_pct=machine.discharge_consistency_pct)
        after = tanks[index + 1] if index + 1 < len(tanks) else wash
        vat_t = L(consistency_pct=machine.vat_consistency_pct) if machine.vat_consistency_pct else fed_t
        vat = (fed_t * fed + (vat_t - fed_t) * tanks[index]) / vat_t
        added = float(stages[index].get("added_t_per_bdt", 0.0))
        steps.append(
            Step(
                index + 1, machine, float(stages[index]["e_std_ratio"]), fed, vat, mats[index], tanks[index], after,
                fed_t, mat_t, mat_t + factor, fed_t + factor + added,
            )
        )  # fmt: skip
        fed, fed_t = mats[index], mat_t
    return steps


def answer_min(unit: Washer) -> float:
    """Return how long the last mat takes to answer a change of water, 63 % of it, by what vats and tanks hold; minutes."""
    machines = machines_of(unit)
    if not all(one.vat_consistency_pct for one in machines):
        return MACHINE_MIN * len(machines)
    usual = unit.feed_solids_kg_per_bdt.value if unit.feed_solids_kg_per_bdt is not None else USUAL_SOLIDS
    factor = unit.wash.dilution_factor_t_per_bdt
    origin = Origin("set", unit.name)
    shown = washed(unit, [one.e_std for one in machines], Datum(factor, origin), Datum(usual, origin))
    drums = [
        {
            "discharge_consistency_pct": step.machine.discharge_consistency_pct,
            "vat_consistency_pct": float(step.machine.vat_consistency_pct or 1.0),
            "displacement_ratio": min(max(step.displacement or 0.8, 0.05), 0.99),
        }
        for step in steps_of(unit, shown)
    ]
    found = line_answers(
        stages=drums, feed_consistency_pct=unit.wash.feed_consistency_pct,
        feed_conc_kg_per_t=usual / L(consistency_pct=unit.wash.feed_consistency_pct),
        dilution_factor_t_per_bdt=factor, changed_word="dilution factor", to_read=factor + 0.3, tank_min=TANK_MIN,
        vat_min=VAT_MIN,
    )  # fmt: skip
    return found.t63_min


def spread_over(machines: Sequence[Machine], total: float, measured: Mapping[int, float]) -> list[float]:
    """Return what each machine shows where the line shows so much in all: measured ones as found, the others in ratio."""
    usual = [one.e_std for one in machines]
    known = {index: value for index, value in measured.items() if 0 <= index < len(machines)}
    left = total - sum(known.values())
    open_ = sum(value for index, value in enumerate(usual) if index not in known)
    if open_ <= 0:
        return [known.get(index, value) for index, value in enumerate(usual)]
    ratio = max(left, 0.1 * open_) / open_
    return [known.get(index, value * ratio) for index, value in enumerate(usual)]
