"""A washing line as it runs, machine by machine: what every vat and filtrate tank holds, each on its own flow.

Strengths are shares of what comes in with the pulp, so that they hold at any load; what a line leaves with the
pulp is told against what it leaves at rest. The equations are the line's own. A machine told by its efficiency
whose vat is known is run as the drum that comes to the same: its vat takes hours to clear, not one turn.
"""

from collections.abc import Mapping
from typing import Any, Final

import numpy as np

from stock.consistency.basis import liquor_ratio_t_per_bdt
from stock.primitives import Separate, Wash
from stock.washing.line import STAGES, Coefficients, coefficients, equations, mats_of, rates_of, rest_of, steady
from stock.washing.stairs import MACHINE_MIN, TANK_MIN, VAT_MIN, rows_of
from stock.washing.unit import Machine, Washer

L: Final = liquor_ratio_t_per_bdt.method.bare  # type: ignore[attr-defined]
SPAN: Final = (-0.5, 8.0)  # t/BDt, beyond which the relation says nothing
LEAST_BY_E: Final = 0.5  # t/BDt, of a line told by its efficiency alone: nearer to nought it rests in days, then never
TANK_FULL: Final = 0.6
LEAST_HEALTH: Final = 0.02
DISPLACES: Final = (0.0, 0.995)
NOUGHT: Final = 1e-3  # t/BDt, for a dilution so near nought that efficiency tells nothing
NEAR: Final = 0.01  # t/BDt and share of the rate: a smaller change is not worked out anew
NEAR_OF_OLD, OF_OLD_S = 0.05, 120.0  # the same, where it is followed by longer steps than that


class Machines:
    """The machines of one line."""

    def __init__(self, unit: Separate, wash: Wash, usual_bdt_per_h: float) -> None:
        """Begin at rest, as the definition runs them."""
        self.unit, self.wash = unit, wash
        self.machines = _machines(unit, wash)
        self.usual_bdt_per_h = max(usual_bdt_per_h, 1e-6)
        self._built: tuple[float, float, dict[int, float]] | None = None
        self.least = SPAN[0] if all(one.vat_consistency_pct for one in self.machines) else LEAST_BY_E
        self.short = 0.0  # of the wash liquor, what is lacking of the least its relation speaks of
        line = self._line(wash.dilution_factor_t_per_bdt, {})
        self.held = self._held(line)
        self.holds = rest_of(line, 1.0, 0.0)  # vat and tank of each machine, over what the feed's liquor holds
        self._mats, self._constants = mats_of(line, 1.0, 0.0)
        self._out = line.l_out[-1] / line.l_in[0]
        self.usual_share = self.share

    def settle(self, health: Mapping[int, float]) -> float:
        """Come to rest at the usual dilution with machines so far off, and return as `run` does."""
        line = self._line(self.wash.dilution_factor_t_per_bdt, health)
        self.holds, self._built, self.short = rest_of(line, 1.0, 0.0), None, 0.0
        self._mats, self._constants = mats_of(line, 1.0, 0.0)
        return self.share / self.usual_share

    @property
    def share(self) -> float:
        """Share of the solids that goes on with the pulp: all of its liquor, where nothing is let on to it."""
        washed = max(float(self._out * (self._mats[-1] @ self.holds + self._constants[-1])), 0.0)
        return washed + self.short * max(float(self._out) - washed, 0.0)

    def _line(self, factor: float, health: Mapping[int, float]) -> Coefficients:
        """Return the line's equations at a dilution factor, each machine at what is left of its efficiency."""
        feed, bounded = self.wash.feed_consistency_pct, min(max(factor, self.least), SPAN[1])
        bounded = bounded if abs(bounded) > NOUGHT else NOUGHT
        shown = [
            one.e_std * max(health.get(0, 1.0) * health.get(number, 1.0), LEAST_HEALTH)
            for number, one in enumerate(self.machines, 1)
        ]
        stages = [{**STAGES.defaults, **one} for one in rows_of(self.machines, shown)]
        rows = equations(stages, feed, bounded)
        mats, tanks = steady(rows, 1.0, 0.0)
        for at, (machine, row) in enumerate(zip(self.machines, rows, strict=True)):
            vat_pct = machine.vat_consistency_pct
            if not vat_pct or float(L(consistency_pct=vat_pct)) < row.l_in:
                continue
            came, after = mats[at - 1] if at else 1.0, tanks[at + 1] if at + 1 < len(tanks) else 0.0
            l_vat = float(L(consistency_pct=vat_pct))
            vat = (row.l_in * came + (l_vat - row.l_in) * tanks[at]) / l_vat
            displaced = (vat - mats[at]) / (vat - after) if vat - after > 1e-9 else DISPLACES[1]
            stages[at] |= {
                "vat_consistency_pct": vat_pct,
                "displacement_ratio": min(max(displaced, DISPLACES[0]), DISPLACES[1]),
            }
        return coefficients(stages, feed, bounded)

    def _held(self, line: Coefficients) -> np.ndarray:
        """Return what vats and tanks hold, t a tonne an hour of pulp takes in so many minutes: their time on its flow."""
        held = np.empty(2 * len(self.machines))
        for at, machine in enumerate(self.machines):
            l_vat, factor = float(line.l_vat[at]), float(line.factor[at])
            tank_min = TANK_MIN if machine.vat_consistency_pct else MACHINE_MIN
            tank = (l_vat + factor) * tank_min
            if machine.tank_m3 is not None and machine.vat_consistency_pct:
                tank = TANK_FULL * machine.tank_m3 * 60 / self.usual_bdt_per_h
            held[2 * at], held[2 * at + 1] = l_vat * VAT_MIN, tank
        return held

    def run(self, passed_s: float, factor: float, bdt_per_h: float, health: Mapping[int, float]) -> float:
        """Run on, and return what it leaves with the pulp over what it leaves at rest.

        Parameters
        ----------
        passed_s : float
            Time that passed.
        factor : float
            Dilution factor now, t/BDt.
        bdt_per_h : float
            Pulp over the line.
        health : mapping of int to float
            What is left of the efficiency of each machine, counted from 1; 0 for all of them.
        """
        carried = float(L(consistency_pct=self.unit.consistency_pct))
        self.short = min(max((self.least - factor) / (self.least + carried), 0.0), 1.0)
        minutes = passed_s / 60 * bdt_per_h / self.usual_bdt_per_h
        if minutes > 0:
            self._build(factor, minutes, dict(health), NEAR if passed_s <= OF_OLD_S else NEAR_OF_OLD)
            self.holds = self._step @ self.holds + self._fed
        return self.share / self.usual_share

    def _build(self, factor: float, minutes: float, health: dict[int, float], near: float = NEAR) -> None:
        """Work the step out anew where it is another than it was."""
        if self._built is not None:
            was_factor, was_minutes, was_health = self._built
            alike = abs(factor - was_factor) < near and abs(minutes / was_minutes - 1) < near
            if alike and health == was_health:
                return
        line = self._line(factor, health)
        rates, fed = rates_of(line, 1.0, 0.0)
        holds = self.held / minutes
        inverse = np.linalg.inv(np.diag(holds) - rates)
        self._step, self._fed = inverse * holds, inverse @ fed
        self._mats, self._constants = mats_of(line, 1.0, 0.0)
        self._built = (factor, minutes, health)

    def strengths(self, solids_kg_per_bdt: float) -> list[tuple[float, float, float]]:
        """Return filtrate, mat and wash liquor of every machine, kg/t, for pulp that brings so many solids."""
        fed = solids_kg_per_bdt / float(L(consistency_pct=self.wash.feed_consistency_pct))
        tanks, mats = self.holds[1::2], self._mats @ self.holds + self._constants
        after = np.append(tanks[1:], 0.0)
        return [
            (fed * float(tank), fed * float(mat), fed * float(wash))
            for tank, mat, wash in zip(tanks, mats, after, strict=True)
        ]

    def state(self) -> dict[str, Any]:
        """Return what changes, as plain data."""
        built = (
            None
            if self._built is None
            else [self._built[0], self._built[1], [list(one) for one in self._built[2].items()]]
        )
        return {"holds": self.holds.tolist(), "built": built}

    def restore(self, state: Any) -> None:
        """Put it back; what was kept before machines were followed begins at rest."""
        holds = state.get("holds") if isinstance(state, dict) else None
        if not isinstance(holds, list) or len(holds) != len(self.holds):
            return
        self.holds, self._built = np.array([float(one) for one in holds]), None
        if state.get("built"):
            factor, minutes, health = state["built"]
            self._build(float(factor), float(minutes), {int(number): float(one) for number, one in health})


def _machines(unit: Separate, wash: Wash) -> list[Machine]:
    if isinstance(unit, Washer) and unit.machines:
        return list(unit.machines)
    thick = float(unit.consistency_pct or 10.0)
    return [Machine(name=unit.name[:40], type="line", e_std=wash.e_std, discharge_consistency_pct=thick)]
