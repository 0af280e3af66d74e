"""How an end point is reckoned: by H-factor, by sulphite factor, by heat alone. One shape for the three."""

from collections.abc import Callable
from dataclasses import dataclass, field
from typing import Final

import numpy as np

from stock.cooking.end_point import Curve, h_curve, h_rate
from stock.cooking.recipe import Recipe
from stock.cooking.relation import Relation
from stock.cooking.school import PRACTICES, Practice, School
from stock.cooking.sulphite import heat_curve, s_curve, so2_pressure, speed
from stock.figure import Datum, Figure, Origin, figure


@dataclass(frozen=True, slots=True)
class Trace:
    """What was read of a cook: minutes since its start, °C, kPa gauge, with where they came from."""

    times_min: np.ndarray
    temperatures_c: np.ndarray
    readings: Origin
    pressures_kpa_g: np.ndarray | None = field(default=None)

    def data(self, *, pressure: bool = False) -> dict[str, Datum]:
        """Return the record as sourced arguments."""
        found = {
            "times_min": Datum(self.times_min, self.readings),
            "temperatures_c": Datum(self.temperatures_c, self.readings),
        }
        if pressure:
            found["pressures_kpa_g"] = Datum(self.pressures_kpa_g, self.readings)
        return found


@dataclass(frozen=True, slots=True)
class Held:
    """What a cook stands at, to reckon its time left with."""

    temperature: Datum
    pressure: Datum


def _alkali(charge: Datum) -> Datum:
    return figure("charge_as_na2o", "charge as Na2O", {"charge_pct_naoh_on_wood": charge}, decimals=2).as_datum()


@dataclass(frozen=True, slots=True)
class Way:
    """A way to reckon an end point; every function gives a figure with its working."""

    practice: Practice
    curve: Callable[[Recipe, np.ndarray, np.ndarray, np.ndarray], Curve]
    done: Callable[[Recipe, Trace], Figure]
    aim: Callable[[Recipe, Relation, Datum, Datum], Figure]
    left: Callable[[Recipe, Figure, Figure, Datum, Held], Figure]
    rate: Callable[[Recipe, float, float], float]
    kappa: Callable[[Recipe, Relation, Datum, Datum], Figure]
    band: Callable[[Recipe, Relation, Datum, Datum], Figure]

    @property
    def letter(self) -> str:
        """The sign of its integral."""
        return self.practice.letter

    @property
    def name(self) -> str:
        """What its integral is called."""
        return self.practice.factor

    @property
    def unit(self) -> str:
        """The unit of its integral."""
        return self.practice.unit

    @property
    def decimals(self) -> int:
        """How its integral is shown."""
        return self.practice.decimals


# ---- alkaline: the H-factor


def _h_done(recipe: Recipe, trace: Trace) -> Figure:
    return figure("h_factor", "H so far", trace.data(), decimals=0)


def _h_aim(recipe: Recipe, relation: Relation, charge: Datum, target: Datum) -> Figure:
    return figure(
        "h_for_kappa",
        "H at the blow",
        {"kappa_target_kappa": target, "effective_alkali_pct_na2o": _alkali(charge), **relation.fitted()},
        decimals=0,
    )


def _h_left(recipe: Recipe, done: Figure, aim: Figure, tail: Datum, held: Held) -> Figure:
    data = {"h_now": done.as_datum(), "h_target": aim.as_datum(), "tail_h": tail, "temperature_c": held.temperature}
    return figure("minutes_left_to_h", "to relief", data, decimals=0)


def _h_kappa(recipe: Recipe, relation: Relation, at: Datum, charge: Datum) -> Figure:
    data = {"h_factor": at, "effective_alkali_pct_na2o": _alkali(charge), **relation.fitted()}
    return figure("kappa_hatton", "kappa at the blow", data)


def _h_band(recipe: Recipe, relation: Relation, at: Datum, charge: Datum) -> Figure:
    return relation.band(at, _alkali(charge))


# ---- sulphite: gas pressure and heat, or heat alone


def _activation(recipe: Recipe) -> Datum:
    return Datum(recipe.acid.activation_kj_per_mol, Origin("set", f"recipe {recipe.name}"))


def _s_done(recipe: Recipe, trace: Trace) -> Figure:
    data = {**trace.data(pressure=True), "activation_kj_per_mol": _activation(recipe)}
    return figure("sulphite_factor", "S so far", data, decimals=0)


def _heat_done(recipe: Recipe, trace: Trace) -> Figure:
    data = {**trace.data(), "activation_kj_per_mol": _activation(recipe)}
    return figure("heat_factor", "heat factor so far", data, unit="h at 100 °C")


def _acid_aim(label: str, unit: str, decimals: int) -> Callable[[Recipe, Relation, Datum, Datum], Figure]:
    def aim(recipe: Recipe, relation: Relation, charge: Datum, target: Datum) -> Figure:
        data = {
            "s_reference_bar_h": Datum(relation.reference_factor, relation.origin),
            "reference_kappa": Datum(relation.reference_cook_kappa, relation.origin),
            "target_kappa": target,
            "zero_kappa": Datum(relation.zero_kappa, relation.origin),
        }
        return figure("sulphite_factor_for_kappa", label, data, decimals=decimals, unit=unit)

    return aim


def _acid_left(partial: Callable[[Held], Datum]) -> Callable[[Recipe, Figure, Figure, Datum, Held], Figure]:
    def left(recipe: Recipe, done: Figure, aim: Figure, tail: Datum, held: Held) -> Figure:
        data = {
            "now_bar_h": done.as_datum(),
            "target_bar_h": aim.as_datum(),
            "tail_bar_h": tail,
            "temperature_c": held.temperature,
            "partial_bar": partial(held),
            "activation_kj_per_mol": _activation(recipe),
        }
        return figure("minutes_left_to_s", "to relief", data, decimals=0)

    return left


def _partial(held: Held) -> Datum:
    data = {"pressure_kpa_g": held.pressure, "temperature_c": held.temperature}
    return figure("so2_pressure", "SO2 pressure", data, decimals=2).as_datum()


def _no_pressure(held: Held) -> Datum:
    return Datum(1.0, Origin("set", "heat alone is counted in a bisulphite cook"))


def _acid_kappa(recipe: Recipe, relation: Relation, at: Datum, charge: Datum) -> Figure:
    data = {
        "factor_bar_h": at,
        "reference_bar_h": Datum(relation.reference_factor, relation.origin),
        "reference_kappa": Datum(relation.reference_cook_kappa, relation.origin),
        "zero_kappa": Datum(relation.zero_kappa, relation.origin),
    }
    return figure("sulphite_kappa", "kappa at the blow", data)


def _acid_band(recipe: Recipe, relation: Relation, at: Datum, charge: Datum) -> Figure:
    return figure("default_band", "band, give or take", {"spread_kappa": Datum(relation.spread_kappa, relation.origin)})


H_WAY: Final = Way(
    PRACTICES["kraft"],
    lambda recipe, times, celsius, kpa: h_curve(times, celsius),
    _h_done, _h_aim, _h_left,
    lambda recipe, celsius, kpa: h_rate(temperature_c=celsius),
    _h_kappa, _h_band,
)  # fmt: skip
S_WAY: Final = Way(
    PRACTICES["acid"],
    lambda recipe, times, celsius, kpa: s_curve(times, celsius, kpa, recipe.acid.activation_kj_per_mol),
    _s_done, _acid_aim("S at the blow", "bar·h", 0), _acid_left(_partial),
    lambda recipe, celsius, kpa: so2_pressure(pressure_kpa_g=kpa, temperature_c=celsius)
    * float(speed(celsius, recipe.acid.activation_kj_per_mol)),
    _acid_kappa, _acid_band,
)  # fmt: skip
HEAT_WAY: Final = Way(
    PRACTICES["bisulphite"],
    lambda recipe, times, celsius, kpa: heat_curve(times, celsius, recipe.acid.activation_kj_per_mol),
    _heat_done, _acid_aim("heat factor at the blow", "h at 100 °C", 1), _acid_left(_no_pressure),
    lambda recipe, celsius, kpa: float(speed(celsius, recipe.acid.activation_kj_per_mol)),
    _acid_kappa, _acid_band,
)  # fmt: skip
WAYS: Final[dict[School, Way]] = {"kraft": H_WAY, "soda": H_WAY, "acid": S_WAY, "bisulphite": HEAT_WAY}
