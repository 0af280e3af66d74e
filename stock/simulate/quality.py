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
from stock.bleaching.unit import BleachStage
from stock.cooking.recipe import Recipe
from stock.line.balance import LineResult
from stock.line.definition import Definition
from stock.material import INDEX
from stock.parts import Fitted
from stock.primitives import React, Source, Store, Unit
from stock.refining.unit import Refiner
from stock.screening.unit import Staged, passed_of
from stock.simulate.bleaching import USUAL_KAPPA, Usual, usual_of
from stock.simulate.columns import MARKERS

Starts = Callable[[str], float]
FIBRE = INDEX["fibre"]
ROUNDS: Final = 80
STILL: Final = 1e-12  # what moves less from round to round has come to rest
USUAL_SCATTERING, USUAL_BRIGHTNESS, BROWN_BRIGHTNESS, USUAL_CSF = 32.0, 62.0, 32.0, 500.0
USUAL_SHIVES: Final = 0.2  # %


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
        self._cleaned: dict[str, float] = {}
        self.bleaches = {unit.id: self._bleach(unit) for unit in line.units if isinstance(unit, BleachStage)}
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

    def _bleach(self, unit: BleachStage) -> Usual:
        onward = self.line.graph.onward(unit.id)
        bd = self.result.streams[onward.id].bdt_per_h if onward is not None else None
        return usual_of(unit, self._kappa_to(unit), self._read_at(unit, "brightness") or USUAL_BRIGHTNESS + 20, bd)

    def _kappa_to(self, unit: BleachStage) -> float:
        """Return the kappa that comes to a bleach at rest: its cook's, or what its file says."""
        for one in self.line.graph.upstream(unit.id):
            if recipes := self.line.cook.at(one.id):
                return self._kappa_of(recipes[0])
        return unit.kappa or USUAL_KAPPA

    def _kappa_of(self, recipe: Recipe) -> float:
        return self.starts(recipe.kappa_tag) if recipe.kappa_tag else recipe.kappa_target

    def _refiner(self, unit: Refiner) -> Beating | None:
        onward = self.line.graph.onward(unit.id)
        if unit.slope is None or onward is None:
            return None
        bd = self.result.streams[onward.id].bdt_per_h
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
                ks = self.bleaches[one.id].start.ks
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
            kappa = self._kappa_of(recipes[0])
        return np.array([kappa, ks * s, s, math.log(csf or USUAL_CSF), USUAL_SHIVES if shives is None else shives])

    def _cleans(self, unit: Unit) -> float:
        """Return what of the shives of a kilogram of feed a kilogram of accepts still holds."""
        if not isinstance(unit, Staged) or not unit.stages:
            return 1.0
        if unit.id not in self._cleaned:
            fibre, debris = passed_of(unit.stages)
            self._cleaned[unit.id] = debris / fibre
        return self._cleaned[unit.id]

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
            before = np.array([*value.values()])
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
            if np.allclose([*value.values()], before, rtol=STILL, atol=STILL):
                break
        return {name: dict(zip(MARKERS, map(float, one), strict=True)) for name, one in value.items()}

    def changed(self, unit_id: str, value: np.ndarray) -> np.ndarray:
        """Return what a unit makes of a quality at its usual settings."""
        found = value.copy()
        found[4] *= self._cleans(self.line.unit(unit_id))
        if (bleach := self.bleaches.get(unit_id)) is not None and found[2] > 0:
            kappa = found[0] if found[0] > 0 else bleach.start.kappa
            end = bleach.after(bleach.start._replace(kappa=kappa, ks=found[1] / found[2]))[-1][1]
            found[0], found[1] = (end.kappa if found[0] > 0 else 0.0), end.ks * found[2]
        if (refiner := self.beating.get(unit_id)) is not None:
            bd = self.result.streams[refiner.stream].bdt_per_h
            found[3] -= refiner.slope * refiner.net_kw / bd if bd > 0 else 0.0
        return found


def brightness_pct(absorbed: float, scattered: float) -> float:
    """Return the brightness of an opaque pad of what absorbs and scatters so much."""
    return 100 * float(km_reflectance_frac(ks=absorbed / scattered)) if scattered > 0 else 0.0
