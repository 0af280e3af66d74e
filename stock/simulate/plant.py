"""The plant of a line as others use it: run, read, set, made sick and mended, saved and put back."""

from collections.abc import Mapping
from dataclasses import replace
from functools import cached_property
from typing import Any

import numpy as np

from stock.errors import DomainError
from stock.line.order import Order
from stock.primitives import Split
from stock.simulate.columns import COLUMNS, MASSES, SOLIDS
from stock.simulate.faults import apply_faults, new_fault
from stock.simulate.handles import Handle, find_handle, handles_of, refuse_beyond
from stock.simulate.running import Running
from stock.simulate.saving import restore, state_of
from stock.simulate.wiring import STROKE_S


class Plant(Running):
    """The plant of a line; see `Running` for what it is built from."""

    @cached_property
    def handles(self) -> Mapping[str, Handle]:
        """All that can be moved, by point."""
        return handles_of(self)

    def read(self, tag_id: str) -> tuple[float | None, int]:
        """Return what a tag's instrument says, with its status; no value where it has failed or the plant does not know."""
        return self.readings.read(tag_id)

    def truth(self, tag_id: str) -> float | None:
        """Return what a tag stands at in truth; for tests and for scoring, never for a screen that is worked by."""
        return self.readings.truth(tag_id)

    def origins(self, unit: str) -> dict[str, float]:
        """Return the share of the fibre in a unit that comes from each cook and feed.

        Raises
        ------
        DomainError
            E_RANGE where the unit holds nothing here.
        """
        return self.riding.of(unit)

    def act(self, digester: int, action: str) -> str:
        """Do something at a digester; return where it is then, in words.

        Raises
        ------
        DomainError
            E_RANGE for no such digester or action, E_ORDER where it does not follow, E_LIMIT where there is no room.
        """
        return self.batches.act(digester, action)

    def state(self) -> dict[str, Any]:
        """Return all that changes, as plain data."""
        return state_of(self)

    def restore(self, state: Mapping[str, Any]) -> None:
        """Put a saved state back.

        Raises
        ------
        DomainError
            E_RANGE for a state of another definition or step, E_TYPE for one that is none.
        """
        restore(self, state)

    def refit(self) -> None:
        """Make the plant what its order and the faults that are on make of it, from its healthy self."""
        healthy = self.layout
        self.part_share = np.array([one.shares for one in healthy.partings]).reshape(-1, len(COLUMNS))
        self.feed_made = np.array([healthy.transfers[index].make_up for index in self.feeds]).reshape(-1, len(COLUMNS))
        self.most = self.range.copy()
        self.stuck[:] = False
        self.headers.clear()
        self.separating.healthy()
        self.sticks[:] = 0.0
        self.swings.clear()
        self.strays.clear()
        self.channels.clear()
        self.worn.clear()
        self.slips.clear()
        self.bleaching.healthy()
        self.heating.healthy()
        self.riding.spilled[:] = 0.0
        self.watched.healthy()
        self.readings.sick = {tag: replace(sick) for tag, sick in self.born_sick.items()}
        self.batches.steam_frac, self.breaks_times = 1.0, 1.0
        for house in self.batches.houses:
            house.wave_kappa = house.wet_over = house.apart_over_c = 0.0
        apply_faults(self, self.faults)
        self.separating.screen()
        self.has_sticking = bool(self.sticks.any())
        self.feed_base, self.feed_solids = self.feed_made, self.feed_made[:, SOLIDS]
        self.enrich()
        self.stroke = np.where(self.stuck, 0.0, self.range * (self.dt_s / STROKE_S))
        self.broken = self.now_s < self.breaks_until_s
        for index, parting in enumerate(healthy.partings):
            unit = self.line.unit(parting.unit)
            if isinstance(unit, Split) and unit.by_grade:
                branch = self.order.grade.branches.get(unit.id, unit.accept)
                self.part_share[index] = float(branch == unit.accept)
            elif self.broken and self._to_reel(parting.accepts):
                self.part_share[index] = 0.0
        self.part_base = self.part_share.copy()
        self.separating.run(0.0)

    def _to_reel(self, transfer: int) -> bool:
        target = self.line.stream(self.layout.transfers[transfer].id).target
        return bool(getattr(self.line.unit(target), "order", False))

    def fault(self, kind: str, unit: str, **params: float) -> int:
        """Switch a fault on; return its number.

        Raises
        ------
        DomainError
            E_RANGE for a kind, a place or a parameter that cannot be.
        """
        found = new_fault(self, self.last_fault + 1, kind, unit, params)
        self.last_fault = found.id
        self.faults.append(found)
        self.refit()
        return found.id

    def mend(self, number: int) -> None:
        """Switch a fault off.

        Raises
        ------
        DomainError
            E_RANGE where none of that number is on.
        """
        if all(one.id != number for one in self.faults):
            on = ", ".join(str(one.id) for one in self.faults) or "none"
            raise DomainError("E_RANGE", "id", f"no fault {number} is on", on)
        gone = next(one for one in self.faults if one.id == number)
        if gone.kind == "sheet_break":
            self.breaks_until_s = self.now_s
        self.faults = [one for one in self.faults if one.id != number]
        self.refit()

    def set_order(self, order: Order) -> None:
        """Ask for another order: what its loops are set to, and the branches of its grade."""
        scale = order.reel_t_per_h / max(self.order.reel_t_per_h, 1e-9)
        self.order = order
        self.set_point[self.reels] = order.reel_t_per_h / 3600
        self.set_point[self.ashes] = 100 * order.grade.ash_frac
        self.shares = np.array([order.shares.get(one.stream, 0.0) for one in self.plan.shares])
        self.total_bd *= scale
        self.refit()

    def write(self, point: str, value: float) -> float:
        """Set something; return what it is then.

        Raises
        ------
        DomainError
            E_RANGE where there is nothing of that name, or the value is beyond its limits.
        """
        handle = find_handle(self.handles, point)
        refuse_beyond(handle.setting, value)
        handle.write(float(value))
        return handle.read()

    def take_by_hand(self, driven: int, t_per_s: float) -> None:
        """Set a flow by hand; whatever controlled it waits until it is given a set point again."""
        self.by_hand[driven] = True
        self.wanted[driven] = t_per_s
        self.auto[self.loop_driven == driven] = False

    def give_back(self, loop: int, set_point: float) -> None:
        """Give a flow back to its controller, at a set point."""
        self.set_point[loop] = set_point
        self.auto[loop] = True
        if (driven := int(self.loop_driven[loop])) >= 0:
            self.by_hand[driven] = False

    def set_offset(self, tag_id: str, value: float) -> None:
        """Add so much to what an instrument reads."""
        self.trims[tag_id] = value

    def set_level(self, unit: str, level_pct: float) -> None:
        """Fill or empty a vessel to a level, with what it holds already, and let its loop hold it there.

        Raises
        ------
        DomainError
            E_RANGE where the unit has no level here, or the level is none.
        """
        volume = getattr(self.line.graph.units.get(unit), "volume_m3", None)
        if not volume or unit not in self.layout.row:
            raise DomainError("E_RANGE", "unit", f"{unit[:40]} has no level here", "a vessel with a volume")
        if not 1 <= level_pct <= 99:
            raise DomainError("E_RANGE", "level_pct", f"a level of {level_pct:g} %", "1 to 99 %")
        row, wanted = self.layout.row[unit], volume * level_pct / 100
        tower = next((index for index, one in enumerate(self.layout.towers) if one.unit == unit), None)
        if tower is None:
            self.mass[row] *= wanted / self.content(row)
        else:
            self._fill_tower(tower, wanted)
        self.riding.recount()
        loop = self.loop_at.get(f"level:{unit}")
        if loop is not None:
            self.set_point[loop] = self.filtered[loop] = self.content(row)
            self.ring[:, loop] = self.filtered[loop]
            self.error[loop] = 0.0

    def _fill_tower(self, index: int, wanted_t: float) -> None:
        tower, parcels = self.layout.towers[index], self.parcels[index]
        made = parcels[0] / float(parcels[0][:MASSES].sum()) if parcels else self.layout.holders[tower.foot].make_up
        way = wanted_t - float((self.mass[tower.foot] + self.mass[tower.head])[:MASSES].sum())
        count = max(0, round(way / tower.parcel_t))
        self.parcels[index] = [made * (way / count) for _ in range(count)]
        self.entered[index] = self._spread(index)
        self.weigh_parcels()
