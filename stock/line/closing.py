"""How closely a solution of a line closes: over every unit, each component of it, and over the whole."""

import numpy as np

from stock.line.assembly import Assembly
from stock.line.definition import Definition
from stock.material import INDEX
from stock.primitives import Dose, React, Sink, Source, Store, Water

_TURNED = [INDEX[name] for name in ("fibre", "fines", "organics")]  # into one another, where pulp reacts


class Closing:
    """What comes to and leaves each unit of a line, as one matrix over its streams."""

    def __init__(self, line: Definition, system: Assembly) -> None:
        """Lay it out."""
        row = {name: index for index, name in enumerate(system.streams)}
        self._through = np.zeros((len(line.units), len(row)))  # +1 where a stream comes to a unit, -1 where it leaves
        for at, unit in enumerate(line.units):
            for name in system.ins[unit.id]:
                self._through[at, row[name]] += 1.0
            for name in system.outs[unit.id]:
                self._through[at, row[name]] -= 1.0
        self._is_end = np.array([isinstance(unit, (Source, Store, Dose, Water, Sink)) for unit in line.units])
        reacts = np.flatnonzero([isinstance(unit, React) for unit in line.units])
        self._turned = reacts[:, None], np.array(_TURNED)

    def worst(self, flows_t_per_h: np.ndarray) -> float:
        """Return the worst imbalance over the largest flow; `flows_t_per_h` is (streams, components).

        A reaction turns fibre into dissolved organics, so its fibre, fines and organics are counted together.
        """
        scale = max(float(np.abs(flows_t_per_h).max()), 1e-12)
        kept = self._through @ flows_t_per_h
        whole = float(kept[self._is_end].sum())
        kept[self._is_end] = 0.0
        turned = kept[self._turned].sum(axis=1)
        kept[self._turned] = 0.0
        apart = max(np.abs(kept).max(initial=0.0), np.abs(turned).max(initial=0.0), abs(whole))
        return float(apart) / scale
