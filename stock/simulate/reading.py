"""What is read in the plant that runs: what its tags stand at in truth, and what their instruments say.

A tag is known where its part is: levels, consistencies, flows, ash, kappa, brightness, freeness, power,
a digester's own. Brightness, freeness and ink are told as a change from what they begin with, since a
pad holds more than fibre alone. What the plant does not carry is not read here.
"""

import math
from collections.abc import Callable
from dataclasses import dataclass
from typing import TYPE_CHECKING, Any, Final
from zlib import crc32

import numpy as np

from stock.bleaching.colour import brightness_of
from stock.bleaching.sequence import Pulp
from stock.bleaching.unit import BleachDose
from stock.cooking.recipe import Digester
from stock.material import INDEX
from stock.primitives import Sink, Tank, Unit
from stock.simulate.chance import normal_of
from stock.simulate.columns import DISSOLVED, FIBRE, FILLER, MARKED, MASSES, SOLIDS
from stock.simulate.quality import brightness_pct
from stock.simulate.watched import TAUS_S
from stock.steam import saturation_pressure_kpa_abs
from stock.tag import Tag

if TYPE_CHECKING:
    from stock.simulate.running import Running

L_PER_MIN: Final = 60_000.0  # of a tonne a second, at 1 kg/L
KPA_ABS: Final = 101.325
NOISE_S = 5  # how long a reading's noise stands
AFTER_A_BLEACH: Final = frozenset({"post_colour", "dissolved"})  # told as a change in ratio
OF_A_BLEACH: Final = AFTER_A_BLEACH | {
    "residual", "end_ph", "extracted_kappa", "extracted_brightness", "mixed", "viscosity", "oxidant",
}  # fmt: skip
GOOD, SENSOR_FAILED, OUT_OF_RANGE = 0, 0x808C0000, 0x40940000

Truth = Callable[[], float | None]


@dataclass(slots=True)
class Sick:
    """What is wrong with an instrument."""

    bias: float = 0.0
    drift_per_h: float = 0.0
    drift_from_s: float = 0.0
    most: float = math.inf
    stuck: float | None = None
    dead: bool = False

    def error(self, now_s: float) -> float:
        """Return how far it reads off now."""
        drifted = self.drift_per_h * max(0.0, now_s - self.drift_from_s) / 3600
        return self.bias + math.copysign(min(abs(drifted), self.most), drifted)


class Readings:
    """The instruments of a plant."""

    def __init__(self, plant: "Running") -> None:
        """Find what each tag stands at."""
        self.plant = plant
        self.truths: dict[str, Truth] = {}
        for tag in plant.line.tags:
            found = self._truth(tag)
            if found is not None:
                self.truths[tag.id] = found
        self.sick: dict[str, Sick] = {}
        self.at_rest: dict[str, float] = {}
        self.rest()

    def rest(self) -> None:
        """Take what quality is told as a change from as it is now."""
        for tag in self.plant.line.tags:
            if tag.id in self.truths and tag.reads in ANCHORED and (value := self.truths[tag.id]()) is not None:
                self.at_rest[tag.id] = value

    def truth(self, tag_id: str) -> float | None:
        """Return what a tag stands at; None where the plant does not know."""
        found = self.truths.get(tag_id)
        value = None if found is None else found()
        if value is None or tag_id not in self.at_rest:
            return value
        tag, begun = self.plant.line.tag(tag_id), self.at_rest[tag_id]
        started = self.plant.quality.starts(tag_id)
        if tag.reads in IN_RATIO:
            return started * value / begun if begun > 0 else started
        return started + value - begun

    def read(self, tag_id: str) -> tuple[float | None, int]:
        """Return what a tag's instrument says, with its status; no value where it has failed."""
        plant, sick = self.plant, self.sick.get(tag_id)
        tag = plant.line.tag(tag_id)
        if sick is not None and sick.dead:
            return None, SENSOR_FAILED
        if sick is not None and sick.stuck is not None:
            return sick.stuck, GOOD
        true = self.truth(tag_id)
        if true is None:
            return None, SENSOR_FAILED
        value = true + tag.noise * self._noise(tag_id) + self.error(tag_id)
        low, high = tag.plausible
        held = min(max(value, low), high)
        return round(held, 4), GOOD if held == value else OUT_OF_RANGE

    def error(self, tag_id: str) -> float:
        """Return how far an instrument reads off now, trim and all."""
        sick = self.sick.get(tag_id)
        return self.plant.offset_of(tag_id) + (sick.error(self.plant.now_s) if sick is not None else 0.0)

    def _noise(self, tag_id: str) -> float:
        """Return noise of unit size, the same for the same moment: a slow part, and one that changes with every reading."""
        now, seed, name = int(self.plant.now_s), self.plant.seed, crc32(tag_id.encode())
        block, part = divmod(now, 60)
        before, after = normal_of(seed, name, 60, block), normal_of(seed, name, 60, block + 1)
        slow = before * (1 - part / 60) + after * part / 60
        return 0.45 * slow + 0.8 * normal_of(seed, name, NOISE_S, now // NOISE_S)

    # ---- where a tag is

    def _truth(self, tag: Tag) -> Truth | None:
        plant = self.plant
        part = plant.line.part(tag.of)
        if isinstance(part, Digester):
            return self._digester(part, tag.reads)
        own = self._of_equipment(part, tag)
        if own is not None:
            return own[0]
        make = OF_A_ROW.get(tag.reads)
        row = self._row_of(part.id) if make is not None else None
        if make is None or row is None:
            return None
        if tag.reads == "ash" and not row()[FILLER]:  # what a cane's dirt is, say, is not carried
            return None
        if tag.reads == "freeness" and (refiner := self._refined_at(part.id)) is not None:
            return lambda: _refined(row(), plant.falls_by(refiner, row()))
        return lambda: make(row())

    def _of_equipment(self, part: Any, tag: Tag) -> tuple[Truth | None] | None:
        """Return what is read of a piece of equipment itself; none where it is read of the stock."""
        plant, reads = self.plant, tag.reads
        if part.id in plant.bleaching.usual and reads in OF_A_BLEACH:
            return (self._bleach(part.id, tag),)
        if reads == "strength" and isinstance(part, BleachDose):
            target = _usual(tag)
            return (lambda: target * plant.bleaching.strength.get(part.id, 1.0),)
        if reads in OF_A_SCREEN:
            return (self._screened(part.id, tag) if part.id in plant.separating.screens else None,)
        if isinstance(part, Tank) and reads not in ("level", "temperature"):
            return (self._dissolved(part.id, tag),)
        makers: dict[str, Callable[[], Truth | None]] = {
            "level": lambda: self._level(part.id),
            "temperature": lambda: self._temperature(part.id),
            "recovery": lambda: self._recovered(part.id),
            **dict.fromkeys(TAUS_S, lambda: self._watched(part.id, tag)),
            "net_power": lambda: (lambda: plant.powers[part.id]) if part.id in plant.powers else None,
            **dict.fromkeys(OF_A_WASHER, lambda: self._washer(part.id, tag)),
        }
        return (makers[reads](),) if reads in makers else None

    def _screened(self, unit_id: str, tag: Tag) -> Truth:
        """Return what is read of a system of screens or cleaners; motor and rejects about what they usually are."""
        separating, usual = self.plant.separating, _usual(tag)
        return {
            "reject_rate": lambda: 100 * separating.reject_frac(unit_id),
            "pressure_drop": lambda: separating.drop_kpa(unit_id),
            "reject_flow": lambda: usual * separating.reject_flow_ratio(unit_id),
            "motor": lambda: usual * separating.motor_ratio(unit_id),
        }[tag.reads]

    def _washer(self, unit_id: str, tag: Tag) -> Truth | None:
        """Return vacuum, vat and strong liquor of a washer, the first two about what they usually are."""
        separating = self.plant.separating
        if not any(one.unit.id == unit_id for one in separating.washers):
            return None
        usual = _usual(tag)
        if tag.reads == "vacuum":
            return lambda: usual * separating.vacuum_ratio(unit_id)
        if tag.reads == "vat":
            return lambda: min(max(usual + separating.vat_over(unit_id), 0.0), VAT_FULL_PCT)
        return lambda: separating.strong_solids_pct(unit_id)

    def _watched(self, unit_id: str, tag: Tag) -> Truth:
        """Return what is watched beside the stock, about what it usually is."""
        usual, watched = _usual(tag), self.plant.watched
        return lambda: max(0.0, usual + watched.over(unit_id, tag.reads))

    def _refined_at(self, part_id: str) -> str | None:
        """Return the refiner whose outlet a part is; None elsewhere: in a vessel what it took is in already."""
        graph = self.plant.line.graph
        unit = graph.streams[part_id].source if part_id in graph.streams else part_id
        return unit if unit in self.plant.quality.beating else None

    def _level(self, unit_id: str) -> Truth | None:
        plant = self.plant
        if unit_id not in plant.layout.row or unit_id not in plant.line.graph.units:
            return None
        row, volume = plant.layout.row[unit_id], getattr(plant.line.unit(unit_id), "volume_m3", None)
        return None if not volume else (lambda: 100 * plant.content(row) / volume)

    def _recovered(self, unit_id: str) -> Truth | None:
        """Return the share of the solids a save-all is fed that it wins back, %; none where nothing runs."""
        parting = next((one for one in self.plant.layout.partings if one.unit == unit_id), None)
        if parting is None:
            return None

        def share() -> float | None:
            kept, rest = (float(self.plant.rows[at, 0]) for at in (parting.accepts, parting.rest))
            return 100 * kept / (kept + rest) if kept + rest > 1e-9 else None

        return share

    def _dissolved(self, tank_id: str, tag: Tag) -> Truth | None:
        """Return what the water of a tank holds of something that builds up, about what it usually is."""
        riding, name = self.plant.riding, tag.reads.replace("_", " ")
        if name not in riding.salts or tank_id not in self.plant.layout.row:
            return None
        row = self.plant.layout.row[tank_id]
        rest = riding.salt_at(row, name)
        scale = _usual(tag) / rest if rest > 0 and tag.band is not None else 1.0
        return lambda: scale * riding.salt_at(row, name)

    def _temperature(self, part_id: str) -> Truth | None:
        """Return how warm a part is; none where it is warmed on its way into a cook, which is not carried."""
        plant = self.plant
        if part_id in plant.layout.row:
            row = plant.layout.row[part_id]
            return lambda: plant.riding.celsius_at(row)
        at = plant.layout.stream_at.get(part_id)
        if at is None or any(group.unit == plant.line.stream(part_id).target for group in plant.layout.groups):
            return None
        passes = plant.layout.passes[at]
        return (lambda: plant.riding.celsius_in(passes)) if passes.any() else None

    def _row_of(self, part_id: str) -> Callable[[], np.ndarray] | None:
        """Return how to see what a part holds, or what runs in it, as a row of the plant."""
        plant = self.plant
        units = plant.line.graph.units
        if part_id in units:
            unit: Unit = units[part_id]
            if getattr(unit, "volume_m3", None) and part_id in plant.layout.row:
                row = plant.layout.row[part_id]
                return lambda: plant.mass[row]
            if isinstance(unit, Sink):
                (stream, *_) = [one.id for one in plant.line.graph.into(part_id)]
            else:
                onward = plant.line.graph.onward(part_id)
                if onward is None:
                    return None
                stream = onward.id
        elif part_id in plant.layout.stream_at:
            stream = part_id
        else:
            return None
        passes = plant.layout.passes[plant.layout.stream_at[stream]]
        return (lambda: passes @ plant.flows) if passes.any() else None

    def _bleach(self, unit_id: str, tag: Tag) -> Truth | None:
        """Return what is read of a bleach besides its brightness; none where its stages never show it."""
        plant, point = self.plant, tag.reads
        if point in AFTER_A_BLEACH:
            scale = _usual(tag) / plant.bleaching.rested[unit_id][point]
            return lambda: scale * plant.bleaching.ended(unit_id)[point]
        if point.startswith("extracted_"):
            return lambda: _extracted(plant.bleaching.extracted(unit_id), point)
        if point == "mixed":
            return lambda: plant.bleaching.mixed_c(unit_id)
        return lambda: plant.bleaching.ended(unit_id).get(point)

    def _digester(self, part: Digester, point: str) -> Truth | None:
        batches = self.plant.batches
        if part.number not in batches.numbers:
            return None
        index, at = batches.find(part.number)

        def celsius() -> float:
            return batches.houses[index].vessels[at].celsius

        def bottom() -> float:
            vessel = batches.houses[index].vessels[at]
            return vessel.celsius - (vessel.apart_c if vessel.phase == "heat" else 0.0)

        def kpa() -> float:
            warm = celsius()
            return (
                max(6.0, float(saturation_pressure_kpa_abs(temperature_c=max(warm, 20.0))) - KPA_ABS + 14)
                if warm > 99
                else 6.0
            )

        return {"temperature": celsius, "bottom": bottom, "pressure": kpa}.get(point)


def _extracted(pulp: Pulp | None, point: str) -> float | None:
    if pulp is None:
        return None
    return pulp.kappa if point == "extracted_kappa" else brightness_of(pulp.ks)


def _consistency(row: np.ndarray) -> float | None:
    total = float(row[:MASSES].sum())
    return 100 * float(row[SOLIDS].sum()) / total if total > 1e-9 else None


def _flow(row: np.ndarray) -> float:
    return L_PER_MIN * float(row[:MASSES].sum())


def _ash(row: np.ndarray) -> float | None:
    solids = float(row[SOLIDS].sum())
    return 100 * float(row[FILLER]) / solids if solids > 1e-9 else None


def _kappa(row: np.ndarray) -> float | None:
    return float(row[MARKED["kappa"]] / row[FIBRE]) if row[FIBRE] > 1e-9 else None


def _brightness(row: np.ndarray) -> float | None:
    absorbed, scattered = float(row[MARKED["light_absorbed"]]), float(row[MARKED["light_scattered"]])
    return brightness_pct(absorbed, scattered) if scattered > 1e-9 else None


def _freeness(row: np.ndarray) -> float | None:
    return math.exp(float(row[MARKED["log_csf"]] / row[FIBRE])) if row[FIBRE] > 1e-9 else None


def _refined(row: np.ndarray, fall: float) -> float | None:
    csf = _freeness(row)
    return None if csf is None else csf * math.exp(-fall)


def _ink(row: np.ndarray) -> float | None:
    return float(row[INDEX["ink"]] / row[FIBRE]) if row[FIBRE] > 1e-9 else None


def _usual(tag: Tag) -> float:
    """Return what a tag usually reads: its target, else the middle of what it can."""
    return tag.band.target if tag.band is not None else sum(tag.plausible) / 2


def _loss(row: np.ndarray) -> float | None:
    solids = float(row[SOLIDS].sum())
    return 1000 * float(row[DISSOLVED].sum()) / solids if solids > 1e-9 else None


def _shives(row: np.ndarray) -> float | None:
    return float(row[MARKED["shives"]] / row[FIBRE]) if row[FIBRE] > 1e-9 else None


OF_A_SCREEN: Final = frozenset({"reject_rate", "pressure_drop", "reject_flow", "motor"})
OF_A_WASHER: Final = frozenset({"vacuum", "vat", "strong_solids"})
VAT_FULL_PCT: Final = 105.0
IN_RATIO: Final = frozenset({"ink", "loss", "shives"})  # told as a change in ratio, the others as a difference
ANCHORED: Final = frozenset({"brightness", "freeness", "kappa"}) | IN_RATIO
OF_A_ROW: Final = {
    "consistency": _consistency, "flow": _flow, "ash": _ash, "kappa": _kappa, "brightness": _brightness,
    "freeness": _freeness, "ink": _ink, "loss": _loss, "shives": _shives,
}  # fmt: skip
