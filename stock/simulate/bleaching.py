"""Bleaches in the plant that runs: each parcel by the charges that stood as it passed each mixer.

A parcel that leaves has a time it went in; what it met at each stage's mixer on its way is read from the
record of the charges, so a move at the last stage shows after the last stage's time and one at the first
after all of them. Anchored: at its usual settings a bleach ends where it is read.
"""

import math
from bisect import bisect_right
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass
from itertools import accumulate
from typing import TYPE_CHECKING, Any, Final, NamedTuple

from stock.bleaching.aftermath import REDUCING
from stock.bleaching.colour import ks_of
from stock.bleaching.ph import BUFFER_ACID, BUFFER_ALKALINE
from stock.bleaching.residual import INSTANT_FRAC, SO2_KG_PER_KG, residual_left
from stock.bleaching.scission import VISCOSITY
from stock.bleaching.sequence import COD_PER_LOSS, STAGES, Pulp, stage_end
from stock.bleaching.solutions import titrated
from stock.bleaching.symbols import middle
from stock.bleaching.through import extracted, ks_into, march, rows_of, start_of, usual_charge
from stock.bleaching.unit import BleachStage, Stage
from stock.simulate.columns import FIBRE, MARKED
from stock.simulate.disturbing import SLOW_S

if TYPE_CHECKING:
    from stock.simulate.running import Running

RESIDUAL: Final = residual_left.method.bare  # type: ignore[attr-defined]
USUAL_KAPPA: Final = 18.0
ACID_PER_ACTIVE_CL: Final = 0.5  # kg as NaOH, freed by each kg of active chlorine used
NAOH_MOLAR: Final = 39.997
ACID_OF_NAOH: Final = 1.226  # kg of sulphuric acid for each kg of caustic it takes up
LONG_AGO_S: Final = -1e9
KEEPS: Final = 3.0  # times its whole time, that the record of the charges reaches back
THETA: Final = 1.3  # times faster for ten degrees
ALKALI_POWER: Final = 0.5  # of a stage's caustic over its usual, by which what it does falls off
ALKALI_MOST: Final = 1.1  # more than that a surplus of caustic does not do
CHELANT_KG: Final = 0.8  # of chelant over the usual that leaves e times less of the metals at work
SO2_PER_RESIDUAL: Final = {"dioxide": SO2_KG_PER_KG["cl2"], "peroxide": SO2_KG_PER_KG["h2o2"]}  # as residuals are told
OXIDANT_LEFT_FRAC: Final = 0.15  # of a charge, where the file does not say what is left
REDUCER_PER_OXIDANT: Final = 1.7  # kg of dithionite each kg of peroxide eats
YELLOWS, YELLOWS_BY_KAPPA, YELLOWS_BY_RESIDUAL = 0.25, 0.06, 1.5  # post-colour number, each kappa left, each g/L left
COD_PER_ALKALI: Final = 1.5  # kg of oxygen demand a kilogram of caustic over the usual dissolves


@dataclass(frozen=True, slots=True)
class Usual:
    """A bleach as it usually runs."""

    unit: BleachStage
    rows: tuple[dict[str, float], ...]
    charges: tuple[float, ...]
    starts: tuple[float, ...]  # share of its whole time gone as each mixer is passed
    start: Pulp
    ends: tuple[Pulp, ...]
    residual_kg: tuple[float | None, ...]

    @property
    def extracted_at(self) -> int | None:
        """The stage after which the pulp is first extracted."""
        return extracted([one.symbol for one in self.unit.stages])

    def after(self, pulp: Pulp, works: tuple[float, ...] | None = None) -> list[tuple[float, Pulp]]:
        """Return the charge that works and the pulp after each stage, each charge worth so much of its usual."""
        found = []
        for at, row in enumerate(self.rows):
            share = 1.0 if works is None else works[at]
            found.append(stage_end(row | {"charge_kg_per_bdt": row["charge_kg_per_bdt"] * share}, pulp))
            pulp = found[-1][1]
        return found


class Given(NamedTuple):
    """What pulp is given in a stage: its charge and its caustic over the usual, and by how much it is colder, °C."""

    charge_ratio: float = 1.0
    alkali_ratio: float = 1.0
    colder_c: float = 0.0

    @property
    def warm_ratio(self) -> float:
        """How fast it works for its warmth, over its usual."""
        return float(THETA ** (-self.colder_c / 10))


def _rested(count: int) -> tuple[float, ...]:
    """Return a row of the record with everything as it usually is: charges, caustic, then what it is colder."""
    return (1.0,) * (2 * count) + (0.0,) * count


def usual_of(unit: BleachStage, kappa: float, brightness_pct: float, bdt_per_h: float | None) -> Usual:
    """Return a bleach as it runs at rest: what comes in is what its usual charges bring to a brightness."""
    rows = [{**STAGES.defaults, **one} for one in rows_of(unit, kappa)]
    start = start_of(unit, kappa)
    start = start._replace(ks=ks_into(rows, start, ks_of(brightness_pct)))
    minutes = [one.minutes(bdt_per_h) for one in unit.stages]
    before = list(accumulate([0.0, *minutes]))
    charges = tuple(usual_charge(one, unit.symbol(at)) for at, one in enumerate(unit.stages))
    return Usual(
        unit, tuple(rows), charges, tuple(one / before[-1] for one in before[:-1]), start, tuple(march(rows, start)),
        tuple(_residual_kg(one) for one in unit.stages),
    )  # fmt: skip


def _residual_kg(stage: Stage) -> float | None:
    """Return the residual a stage usually ends with, kg a tonne; None where the file does not say."""
    if not stage.residual_g_per_l or stage.consistency_pct is None:
        return None
    return stage.residual_g_per_l * (100 / stage.consistency_pct - 1)


class Bleaching:
    """The bleaches of a plant: their charges, their solutions, what is wrong with them."""

    def __init__(self, plant: "Running") -> None:
        """Begin with every charge as it usually is."""
        self.plant = plant
        self.usual: Mapping[str, Usual] = plant.quality.bleaches
        self.charges = {unit: list(one.charges) for unit, one in self.usual.items()}
        self.beside = {
            one.point: one.charge_kg_per_bdt
            for usual in self.usual.values()
            for at in range(len(usual.charges))
            for one in usual.unit.doses(at)[1:]
        }
        self.caustic_lost: dict[str, float] = {}  # share of its caustic a bleach still gets
        self.set_for: dict[str, float] = {}  # strength the pumps of a solution are set for, over the usual
        self.strength: dict[str, float] = {}  # what it is, over the usual
        self.metals: dict[str, float] = {}  # loss to metals over what bleaches
        self.record: dict[str, list[tuple[float, tuple[float, ...]]]] = {
            unit: [(LONG_AGO_S, _rested(len(one.charges)))] for unit, one in self.usual.items()
        }
        self.rested = {unit: self._at_rest(one) for unit, one in self.usual.items()}
        self._ended = dict(self.rested)
        self._unread: dict[str, Callable[[], dict[str, float]]] = {}  # what left last, where nobody has looked yet
        self.doses = {
            unit: {at: dose.id for at, dose in titrated(plant.line, one.unit).items()}
            for unit, one in self.usual.items()
        }

    def healthy(self) -> None:
        """Forget what faults made of it."""
        for one in (self.strength, self.metals, self.caustic_lost):
            one.clear()

    # ---- charges

    def charge(self, unit_id: str, at: int | None = None) -> float:
        """Return the charge a stage is set to, the last where no other is named."""
        return self.charges[unit_id][-1 if at is None else at]

    def set_charge(self, unit_id: str, value: float, at: int | None = None) -> None:
        """Set the charge of a stage."""
        self.charges[unit_id][-1 if at is None else at] = value

    def worth(self, unit_id: str) -> tuple[float, ...]:
        """Return what each stage is given now: its charge over its usual, then its caustic, then by how much it is colder, °C."""
        usual = self.usual[unit_id].charges
        slip = self.plant.slips.get(unit_id, 1.0)
        found = []
        for at, charge in enumerate(self.charges[unit_id]):
            share = charge / usual[at] if usual[at] > 0 else 1.0
            dose = self.doses[unit_id].get(at)
            if dose is not None:
                share *= self.strength.get(dose, 1.0) / self.set_for.get(dose, 1.0)
            found.append(share * slip if at == len(usual) - 1 else share)
        stages = range(len(usual))
        alkalis, heating = (self._alkali_share(unit_id, at) for at in stages), self.plant.heating
        return (*found, *alkalis, *(heating.colder_c(unit_id, at) for at in stages))

    def _alkali_share(self, unit_id: str, at: int) -> float:
        """Return the caustic a stage gets now over its usual, 1 where it gets none."""
        unit = self.usual[unit_id].unit
        usual = unit.stages[at].alkali_kg_per_bdt
        if not usual:
            return 1.0
        return self.beside[f"beside:{unit_id}:{at + 1}:caustic"] / usual * self.caustic_lost.get(unit_id, 1.0)

    def _over_usual(self, unit: BleachStage, at: int, chemical: str) -> float:
        """Return what a stage is given of a chemical beside its own over the usual, kg a tonne."""
        usual = unit.stages[at].given_beside(chemical)
        return 0.0 if usual is None else self.beside[f"beside:{unit.id}:{at + 1}:{chemical}"] - usual.charge_kg_per_bdt

    def note(self, unit_id: str) -> None:
        """Put what is given now on record, where a unit is a bleach."""
        if unit_id not in self.usual:
            return
        now, worth = self.plant.now_s, self.worth(unit_id)
        record = self.record[unit_id]
        if record[-1][1] != worth:
            record.append((now, worth))
            back = now - KEEPS * 60 * self.usual[unit_id].unit.hold_min()
            while len(record) > 1 and record[1][0] < back:
                record.pop(0)

    def _worth_at(self, unit_id: str, when_s: float) -> tuple[float, ...]:
        record = self.record[unit_id]
        found = bisect_right(record, when_s, key=lambda one: one[0]) - 1
        return record[max(found, 0)][1]

    # ---- what leaves

    def leaves(self, unit_id: str, entered_s: float, kappa: float, ks: float) -> tuple[float, float]:
        """Return kappa and k/s of a parcel that leaves a bleach now."""
        usual = self.usual[unit_id]
        whole_s = max(self.plant.now_s - entered_s, 0.0)
        given = self._given(usual, entered_s, whole_s)
        works = self._works(usual, given)
        came = usual.start._replace(kappa=kappa if kappa > 0 else usual.start.kappa, ks=ks)
        found = usual.after(came, works)
        self._unread[unit_id] = lambda: self._shown(usual, came, found, works, given)
        if self.plant.slow_s <= SLOW_S:  # where hours are asked for, most of it is read by nobody
            self.ended(unit_id)
        return float(found[-1][1].kappa), float(found[-1][1].ks)

    def _given(self, usual: Usual, entered_s: float, whole_s: float) -> list[Given]:
        """Return what pulp was given in each stage that went in then and takes so long for all of it."""
        count, unit_id = len(usual.starts), usual.unit.id
        at_mixers = [self._worth_at(unit_id, entered_s + share * whole_s) for share in usual.starts]
        return [Given(row[at], row[count + at], row[2 * count + at]) for at, row in enumerate(at_mixers)]

    def _works(self, usual: Usual, given: Sequence[Given]) -> tuple[float, ...]:
        """Return what each stage's charge is worth to pulp that was given so much in it."""
        metals = self._metals_at_work(usual.unit)
        works: list[float] = []
        for at, row in enumerate(given):
            one = row.charge_ratio * row.warm_ratio
            if usual.unit.symbol(at).chemical != "dioxide":  # caustic to dioxide moves its pH alone
                one *= min(row.alkali_ratio**ALKALI_POWER, ALKALI_MOST)
            if metals and usual.unit.symbol(at).chemical == "peroxide":
                at_once = INSTANT_FRAC["peroxide"]
                one *= at_once + (1 - at_once) / (1 + metals)
            works.append(max(one - self._eaten(usual, at, works, given), 0.0))
        return tuple(works)

    def _eaten(self, usual: Usual, at: int, works: Sequence[float], given: Sequence[Given]) -> float:
        """Return the share of a reducing stage's charge that oxidant left before it eats, over what it usually eats."""
        symbol = usual.unit.symbol(at)
        if at == 0 or symbol.chemical not in REDUCING:
            return 0.0
        left = self._oxidant_kg(usual, at, works[at - 1], given[at - 1].warm_ratio, self._killed_kg(usual, at))
        more = left - self._oxidant_kg(usual, at)
        return REDUCER_PER_OXIDANT * more / max(usual.rows[at]["charge_kg_per_bdt"], 1e-6)

    def _oxidant_kg(
        self, usual: Usual, at: int, worked: float = 1.0, warm: float = 1.0, killed_kg: float = 0.0
    ) -> float:
        """Return the oxidant a stage meets from the one before, kg a tonne: what is not used, washed out or killed."""
        if at == 0 or usual.unit.symbol(at - 1).chemical not in INSTANT_FRAC:
            return 0.0
        row, told = usual.rows[at - 1], usual.residual_kg[at - 1]
        charged = row["charge_kg_per_bdt"]
        uses = charged - (charged * OXIDANT_LEFT_FRAC if told is None else told)
        left = charged * worked / warm - uses * warm  # what is given, less what is used: a cold stage uses less of it
        return max(max(left, 0.0) * (1 - row["wash_removal_frac"]) - killed_kg, 0.0)

    def _killed_kg(self, usual: Usual, at: int) -> float:
        """Return the oxidant that sulphur dioxide over the usual kills, at a stage or the one before it."""
        given = self._over_usual(usual.unit, at - 1, "sulphur_dioxide") + self._over_usual(
            usual.unit, at, "sulphur_dioxide"
        )
        return given / SO2_PER_RESIDUAL.get(usual.unit.symbol(at - 1).chemical, 1.0)

    def mixed_c(self, unit_id: str) -> float | None:
        """Return how warm the pulp is after the last mixer; None where the file does not say how it usually is."""
        unit = self.usual[unit_id].unit
        return None if unit.last.temperature_c is None else self.plant.heating.mixed_c(unit_id, len(unit.stages) - 1)

    def _metals_at_work(self, unit: BleachStage) -> float:
        """Return the loss to metals over what bleaches, what chelant over the usual takes off it taken off."""
        more = sum(self._over_usual(unit, at, "chelant") for at in range(len(unit.stages)))
        return self.metals.get(unit.id, 0.0) * math.exp(-max(more, 0.0) / CHELANT_KG)

    def extracted(self, unit_id: str) -> Pulp | None:
        """Return the pulp that leaves the extraction now, hours before it leaves the last stage; None where there is none."""
        usual = self.usual[unit_id]
        at = usual.extracted_at
        if at is None:
            return None
        share = usual.starts[at + 1] if at + 1 < len(usual.starts) else 1.0
        index = next(one for one, tower in enumerate(self.plant.layout.towers) if tower.unit == unit_id)
        parcels, entered = self.plant.parcels[index], self.plant.entered[index]
        if not parcels:
            return usual.ends[at]
        place = min(int((1 - share) * len(parcels)), len(parcels) - 1)  # the first of them leaves next
        parcel, went = parcels[place], entered[place]
        fibre, scattered = float(parcel[FIBRE]), float(parcel[MARKED["light_scattered"]])
        if fibre <= 0 or scattered <= 0:
            return usual.ends[at]
        kappa, ks = float(parcel[MARKED["kappa"]]) / fibre, float(parcel[MARKED["light_absorbed"]]) / scattered
        came = usual.start._replace(kappa=kappa if kappa > 0 else usual.start.kappa, ks=ks)
        given = self._given(usual, went, (self.plant.now_s - went) / share)
        return usual.after(came, self._works(usual, given))[at][1]

    def _at_rest(self, usual: Usual) -> dict[str, float]:
        rest = (1.0,) * len(usual.rows)
        return self._shown(usual, usual.start, usual.after(usual.start), rest, [Given() for _ in rest])

    def _shown(
        self,
        usual: Usual,
        came: Pulp,
        found: list[tuple[float, Pulp]],
        works: tuple[float, ...],
        given: Sequence[Given],
    ) -> dict[str, float]:
        """Return what is read at the end of a bleach, its stages given so much."""
        unit, last = usual.unit, len(usual.rows) - 1
        said: dict[str, float] = {}
        stage, symbol = unit.stages[last], unit.symbol(last)
        into = found[last - 1][1] if last else came
        before = usual.ends[last - 1] if last else usual.start
        used_usual = usual.rows[last]["charge_kg_per_bdt"]
        warm = given[last].warm_ratio  # what is colder eats less at once, too
        charged = used_usual * works[last] / max(warm, 1e-6)
        demand = into.kappa / before.kappa if unit.symbol(last).kappa_rate > 0 else into.ks / max(before.ks, 1e-9)
        left, left_usual = 0.0, usual.residual_kg[last]
        instant = INSTANT_FRAC.get(symbol.chemical, 0.5)
        if left_usual is not None and left_usual < (1 - instant) * used_usual:
            left = float(
                RESIDUAL(
                    charge_kg_per_bdt=charged, time_min=stage.minutes(), temperature_c=60 - given[last].colder_c,
                    reference_charge_kg_per_bdt=used_usual, reference_residual_kg_per_bdt=left_usual,
                    reference_min=stage.minutes(), reference_c=60.0, instant_frac=instant,
                    demand_ratio=warm * demand, metals_ratio=self._metals_at_work(unit),
                )
            )  # fmt: skip
        liquor = 100 / (stage.consistency_pct or middle(symbol.consistency_pct)) - 1
        killed = self._over_usual(unit, last, "sulphur_dioxide") / SO2_PER_RESIDUAL.get(symbol.chemical, 1.0)
        said["viscosity"] = float(VISCOSITY(chain_dp=found[last][1].dp))
        said["residual"] = max(left - max(killed, 0.0), 0.0) / liquor
        ph = stage.end_ph if stage.end_ph is not None else middle(symbol.ph)
        more_used = (charged - left) - (used_usual - (left_usual or 0.0))
        acid = ACID_PER_ACTIVE_CL * more_used if symbol.chemical == "dioxide" else 0.0
        buffer = BUFFER_ACID if ph < 7 else BUFFER_ALKALINE
        acid -= (given[last].alkali_ratio - 1) * (stage.alkali_kg_per_bdt or 0.0) - self._over_usual(
            unit, last, "acid"
        ) / ACID_OF_NAOH
        said["end_ph"] = min(max(ph - 1000 * acid / NAOH_MOLAR / liquor / buffer, 1.0), 13.5)
        said |= self._aftermath(usual, found[last][1], works, given, said["residual"])
        return said

    def _aftermath(
        self, usual: Usual, end: Pulp, works: tuple[float, ...], given: Sequence[Given], residual: float
    ) -> dict[str, float]:
        """Return what bleaching leaves behind: oxidant before the last stage, yellowing, what was dissolved."""
        last = len(usual.rows) - 1
        oxidant, before = 0.0, last - 1
        if last:
            killed = self._killed_kg(usual, last)
            oxidant = self._oxidant_kg(usual, last, works[before], given[before].warm_ratio, killed)
        thick = usual.unit.stages[last].consistency_pct or middle(usual.unit.symbol(last).consistency_pct)
        caustic = [one.alkali_kg_per_bdt or 0.0 for one in usual.unit.stages]
        over = sum((row.alkali_ratio - 1) * kg for row, kg in zip(given, caustic, strict=True))
        return {
            "oxidant": oxidant / (100 / thick - 1),
            "post_colour": YELLOWS + YELLOWS_BY_KAPPA * end.kappa + YELLOWS_BY_RESIDUAL * residual,
            "dissolved": max(1000 * COD_PER_LOSS * (1 - end.yield_frac) + COD_PER_ALKALI * over, 0.0),
        }

    def ended(self, unit_id: str) -> dict[str, float]:
        """Return what is read of the pulp that left a bleach last."""
        if (shown := self._unread.pop(unit_id, None)) is not None:
            self._ended[unit_id] = shown()
        return self._ended[unit_id]

    # ---- kept

    def state(self) -> dict[str, Any]:
        """Return what changes in it, as plain data."""
        return {
            "charges": {unit: list(one) for unit, one in self.charges.items()},
            "beside": dict(self.beside),
            "set_for": dict(self.set_for),
            "record": {unit: [[at, list(worth)] for at, worth in one] for unit, one in self.record.items()},
            "ended": {unit: dict(self.ended(unit)) for unit in self._ended},
        }

    def restore(self, state: Mapping[str, Any]) -> None:
        """Put it back."""
        self.charges = {unit: list(map(float, one)) for unit, one in state["charges"].items()}
        self.beside |= state.get("beside", {})
        self.set_for = dict(state["set_for"])
        self.record = {unit: [self._entry(unit, *row) for row in one] for unit, one in state["record"].items()}
        self._ended, self._unread = {unit: dict(one) for unit, one in state["ended"].items()}, {}

    def _entry(self, unit_id: str, at_s: float, worth: Sequence[float]) -> tuple[float, tuple[float, ...]]:
        """Return a row of the record; one kept before caustic or warmth was told has them as usual."""
        rested = _rested(len(self.usual[unit_id].charges))
        return float(at_s), (*map(float, worth), *rested[len(worth) :])

    def since(self, less_s: float) -> None:
        """Count time from another moment."""
        self.record = {unit: [(at - less_s, worth) for at, worth in one] for unit, one in self.record.items()}
