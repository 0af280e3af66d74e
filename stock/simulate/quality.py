"""Quality that travels with fibre: what it is at rest in every stream, and where it changes.

Carried as value times fibre, so that mixing is addition: kappa, light absorbed and scattered (never
brightness), the logarithm of freeness, shives. Cooks give kappa and colour, bleach stages take colour away,
refiners take freeness. Where the definition does not say what a fibre begins with, the next thing
measured down its way does.
"""

import math
from collections.abc import Callable
from dataclasses import dataclass
from typing import Final

import numpy as np

from stock.bleaching.colour import km_k_over_s, km_reflectance_frac
from stock.bleaching.response import ks_after
from stock.bleaching.unit import BleachStage
from stock.line.balance import LineResult
from stock.line.definition import Definition
from stock.material import INDEX
from stock.parts import Fitted
from stock.primitives import React, Source, Store, Unit
from stock.refining.unit import Refiner
from stock.screening.unit import Staged, passed_of
from stock.simulate.layout import MARKERS

Starts = Callable[[str], float]
FIBRE = INDEX["fibre"]
ROUNDS: Final = 80
USUAL_SCATTERING, USUAL_BRIGHTNESS, BROWN_BRIGHTNESS, USUAL_CSF = 32.0, 62.0, 32.0, 500.0
USUAL_SHIVES: Final = 0.2  # %
BLEACHED_KAPPA = 0.06  # of the kappa that goes into a bleach, what its end still shows


@dataclass(frozen=True, slots=True)
class Bleaching:
    """How a stage answers to its charge: light absorbed over light scattered after it."""

    unit: str
    charge_kg_per_odt: float
    response_per_kg: float
    floor_ks: float
    fixed_ks: float

    def after(self, ks_in: float, charge_kg_per_odt: float) -> float:
        """Return k/s after the stage; a stage whose response nobody fitted gives what it gave."""
        if self.response_per_kg <= 0:
            return self.fixed_ks
        return float(
            ks_after(
                ks_in_ks=max(ks_in, 0.0), charge_kg_per_odt=max(charge_kg_per_odt, 0.0),
                response_per_kg=self.response_per_kg, ks_floor_ks=self.floor_ks,
            )
        )  # fmt: skip


@dataclass(frozen=True, slots=True)
class Beating:
    """How a refiner answers to its net power: fall of the logarithm of freeness for each kWh a tonne."""

    unit: str
    stream: str
    slope: float
    net_kw: float
    unrefined_csf_ml: float


class Quality:
    """The quality of every stream at rest, and what changes it.

    Parameters
    ----------
    line : Definition
        The line.
    result : LineResult
        Its balance.
    starts : callable, optional
        What a tag reads to begin with; its target where left out.
    """

    def __init__(self, line: Definition, result: LineResult, starts: Starts | None = None) -> None:
        """Work it out, round after round until the loops stand."""
        self.line, self.result = line, result
        self.starts = starts or self._target
        self.bleaching = {unit.id: self._stage(unit) for unit in line.units if isinstance(unit, BleachStage)}
        self.beating = {
            unit.id: found
            for unit in line.units
            if isinstance(unit, Refiner) and (found := self._refiner(unit)) is not None
        }
        self.marks = self._at_rest()

    def _target(self, tag_id: str) -> float:
        tag = self.line.tag(tag_id)
        return tag.band.target if tag.band is not None else sum(tag.plausible) / 2

    def _reads(self, part_id: str, point: str) -> float | None:
        tag = self.line.parts[part_id].tag_of(point) if part_id in self.line.parts else None
        return None if tag is None else self.starts(tag)

    def _read_at(self, unit: Unit, point: str) -> float | None:
        found = self._reads(unit.id, point)
        onward = self.line.graph.onward(unit.id)
        return found if found is not None or onward is None else self._reads(onward.id, point)

    # ---- what changes it

    def _stage(self, unit: BleachStage) -> Bleaching:
        told = self._read_at(unit, "brightness") or USUAL_BRIGHTNESS + 20
        ks = float(km_k_over_s(reflectance_frac=told / 100))
        known = unit.response_per_kg is not None and unit.ks_floor is not None and unit.charge_kg_per_odt
        if not known or unit.response_per_kg is None or unit.ks_floor is None or ks <= unit.ks_floor.value:
            return Bleaching(unit.id, unit.charge_kg_per_odt or 0.0, 0.0, 0.0, ks)
        return Bleaching(unit.id, unit.charge_kg_per_odt or 0.0, unit.response_per_kg.value, unit.ks_floor.value, ks)

    def _ks_in(self, stage: Bleaching) -> float:
        """Return the k/s that goes into a stage, for it to give what is read after it at its usual charge."""
        if stage.response_per_kg <= 0:
            return float(km_k_over_s(reflectance_frac=BROWN_BRIGHTNESS / 100))
        return stage.floor_ks + (stage.fixed_ks - stage.floor_ks) * (
            1 + stage.response_per_kg * stage.charge_kg_per_odt
        )

    def _refiner(self, unit: Refiner) -> Beating | None:
        onward = self.line.graph.onward(unit.id)
        if unit.slope is None or onward is None:
            return None
        bd = self.result.streams[onward.id].bd_t_per_h
        goal = self._read_at(unit, "freeness")
        begun = unit.unrefined_csf_ml.value if unit.unrefined_csf_ml is not None else USUAL_CSF
        power = self._reads(unit.id, "net_power")
        if power is None:
            power = bd * math.log(begun / goal) / unit.slope.value if goal and goal < begun else 0.0
        elif goal and bd > 0:
            begun = goal * math.exp(unit.slope.value * power / bd)  # what it must be for both to be read
        return Beating(unit.id, onward.id, unit.slope.value, power, begun)

    # ---- at rest

    def _given(self, unit: Unit) -> np.ndarray:
        """Return what fibre begins with: what the next thing measured or fitted down its way asks for."""
        kappa, brightness, scattering, csf = 0.0, None, None, None
        shives, cleaner = None, 1.0
        way = [unit, *self.line.graph.downstream(unit.id)]
        ks = None
        for one in way:
            onward = self.line.graph.onward(one.id)
            if isinstance(one, BleachStage) and ks is None and brightness is None:
                ks = self._ks_in(self.bleaching[one.id])
            if one.id in self.beating and csf is None:
                csf = self.beating[one.id].unrefined_csf_ml
            elif csf is None and one is not unit:
                csf = self._read_at(one, "freeness")
            if onward is None:
                break
            if one is not unit and shives is None:
                cleaner *= self._cleans(one)
                found = self._read_at(one, "shives")
                shives = None if found is None else found / cleaner
            stream = self.line.stream(onward.id)
            if brightness is None and ks is None and isinstance(stream.brightness_pct, Fitted):
                brightness = stream.brightness_pct.value
            if scattering is None and isinstance(stream.scattering_m2_per_kg, Fitted):
                scattering = stream.scattering_m2_per_kg.value
        s = scattering or USUAL_SCATTERING
        if ks is None:
            ks = float(km_k_over_s(reflectance_frac=(brightness or USUAL_BRIGHTNESS) / 100))
        recipes = self.line.cook.at(unit.id)
        if recipes:
            tag = recipes[0].kappa_tag
            kappa = self.starts(tag) if tag else recipes[0].kappa_target
        return np.array([kappa, ks * s, s, math.log(csf or USUAL_CSF), USUAL_SHIVES if shives is None else shives])

    @staticmethod
    def _cleans(unit: Unit) -> float:
        """Return what of the shives of a kilogram of feed a kilogram of accepts still holds."""
        if not isinstance(unit, Staged) or not unit.stages:
            return 1.0
        fibre, debris = passed_of(unit.stages)
        return debris / fibre

    def _at_rest(self) -> dict[str, dict[str, float]]:
        line, streams = self.line, self.result.streams
        fibre = {name: float(stream.flows_t_per_h[FIBRE]) for name, stream in streams.items()}
        begins = {
            unit.id: self._given(unit)
            for unit in line.units
            if isinstance(unit, (Source, Store)) or (isinstance(unit, React) and line.cook.at(unit.id))
        }
        value = {name: np.zeros(len(MARKERS)) for name in streams}
        for _ in range(ROUNDS):
            for unit in line.units:
                if unit.id in begins:
                    out = begins[unit.id]
                else:
                    into = line.graph.into(unit.id)
                    carried = sum((fibre[one.id] * value[one.id] for one in into), np.zeros(len(MARKERS)))
                    brought = sum(fibre[one.id] for one in into)
                    out = self.changed(unit.id, carried / brought) if brought > 1e-12 else np.zeros(len(MARKERS))
                for one in line.graph.out(unit.id):
                    value[one.id] = out
        return {name: dict(zip(MARKERS, map(float, one), strict=True)) for name, one in value.items()}

    def changed(self, unit_id: str, value: np.ndarray) -> np.ndarray:
        """Return what a unit makes of a quality at its usual settings."""
        found = value.copy()
        found[4] *= self._cleans(self.line.unit(unit_id))
        if (stage := self.bleaching.get(unit_id)) is not None and found[2] > 0:
            found[0] *= BLEACHED_KAPPA
            found[1] = stage.after(found[1] / found[2], stage.charge_kg_per_odt) * found[2]
        if (refiner := self.beating.get(unit_id)) is not None:
            bd = self.result.streams[refiner.stream].bd_t_per_h
            found[3] -= refiner.slope * refiner.net_kw / bd if bd > 0 else 0.0
        return found


def brightness_pct(absorbed: float, scattered: float) -> float:
    """Return the brightness of an opaque pad of what absorbs and scatters so much."""
    return 100 * float(km_reflectance_frac(ks=absorbed / scattered)) if scattered > 0 else 0.0
