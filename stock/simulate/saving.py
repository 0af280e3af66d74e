"""A plant as plain data, and back: numbers, lists, names; no objects, nothing that runs."""

from collections.abc import Mapping
from typing import TYPE_CHECKING, Any, Final

import numpy as np

from stock.errors import DomainError
from stock.line.order import Order
from stock.simulate.faults import Fault
from stock.simulate.house import Vessel

if TYPE_CHECKING:
    from stock.simulate.plant import Plant

ARRAYS: Final = (
    "mass", "flow", "wanted", "flows", "by_hand", "auto", "set_point", "error", "filtered", "ring", "ratio_per_bd",
    "in_parcels", "offset", "wetter", "richer", "spilled",
)  # fmt: skip
NUMBERS: Final = (
    "now_s",
    "steps",
    "slow_at_s",
    "total_bd",
    "breaks_until_s",
    "breaks_per_d",
    "last_fault",
    "worst_closure",
)


def state_of(plant: "Plant") -> dict[str, Any]:
    """Return all that changes in a plant, as plain data."""
    found: dict[str, Any] = {"fingerprint": plant.fingerprint()}
    found |= {name: getattr(plant, name).tolist() for name in ARRAYS}
    found |= {name: getattr(plant, name) for name in NUMBERS}
    found["parcels"] = [[one.tolist() for one in parcels] for parcels in plant.parcels]
    found["entered"] = [list(one) for one in plant.entered]
    found["powers"], found["trims"] = dict(plant.powers), dict(plant.trims)
    found["order"] = [plant.order.grade.id, plant.order.reel_t_per_h, dict(plant.order.shares)]
    found["faults"] = [[one.id, one.kind, one.unit, one.since_s, dict(one.params)] for one in plant.faults]
    found["asked"] = plant.batches.asked.tolist()
    found["houses"] = [one.state() for one in plant.batches.houses]
    found["digesters"] = [rows.tolist() for rows in plant.batches.rows]
    found["riding"] = plant.riding.state()
    found["separating"] = plant.separating.state()
    found["bleaching"] = plant.bleaching.state()
    found["heating"] = plant.heating.state()
    found["watched"] = plant.watched.state()
    found["at_rest"] = dict(plant.readings.at_rest)
    return found


def restore(plant: "Plant", state: Mapping[str, Any]) -> None:
    """Put a saved state back into a plant built from the same definition, with the same step.

    Raises
    ------
    DomainError
        E_RANGE for a state of another definition or step, E_TYPE for one that is none.
    """
    if not isinstance(state, Mapping) or "fingerprint" not in state:
        raise DomainError("E_TYPE", "state", "this is no state of a plant", "what a plant saved")
    if state["fingerprint"] != plant.fingerprint():
        raise DomainError("E_RANGE", "fingerprint", "the state is of another definition or step", plant.fingerprint())
    try:
        _put_back(plant, state)
    except (KeyError, TypeError, ValueError, AttributeError) as error:
        raise DomainError("E_TYPE", "state", f"the state cannot be read: {error}", "what a plant saved") from error


def _put_back(plant: "Plant", state: Mapping[str, Any]) -> None:
    for name in ARRAYS:
        now = getattr(plant, name)
        setattr(plant, name, np.array(state[name], dtype=now.dtype).reshape(now.shape))
    for name in NUMBERS:
        setattr(plant, name, type(getattr(plant, name))(state[name]))
    plant.parcels = [[np.array(one) for one in parcels] for parcels in state["parcels"]]
    plant.entered = [list(map(float, one)) for one in state["entered"]]
    plant.powers, plant.trims = (dict(state[name]) for name in ("powers", "trims"))
    grade, rate, shares = state["order"]
    plant.order = Order.of(plant.line.grade(grade), rate, shares)
    plant.shares = np.array([plant.order.shares.get(one.stream, 0.0) for one in plant.plan.shares])
    plant.faults = [Fault(*one) for one in state["faults"]]
    plant.batches.asked = np.array(state["asked"])
    for house, kept in zip(plant.batches.houses, state["houses"], strict=True):
        house.restore(kept)
        assert all(isinstance(one, Vessel) for one in house.vessels)
    plant.batches.rows = [
        np.array(rows).reshape(now.shape) for rows, now in zip(state["digesters"], plant.batches.rows, strict=True)
    ]
    plant.riding.restore(state["riding"])
    plant.separating.restore(state["separating"])
    plant.bleaching.restore(state["bleaching"])
    plant.heating.restore(state.get("heating", {}))
    plant.watched.restore(state.get("watched", []))
    plant.readings.at_rest = dict(state["at_rest"])
    plant.see()
    plant.refit()
