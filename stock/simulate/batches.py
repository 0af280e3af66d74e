"""The batch groups of a plant that runs: mass from bins and liquor into digesters, and out of them in blows."""

from typing import TYPE_CHECKING, Any, Final

import numpy as np

from stock.errors import DomainError
from stock.simulate.columns import COLUMNS, FIBRE, MARKED, MASSES, SOLIDS
from stock.simulate.house import BLOWN_C, House, Phase, Vessel

if TYPE_CHECKING:
    from stock.simulate.running import Running

PACE_S: Final = 7200.0  # over how long what is drawn sets the pace of the cooks
SHIVES_PER_KAPPA: Final = 0.06  # of the usual shives, for each kappa a cook ends above its target
PULL: Final = 0.3  # how far the level of what they are blown into hastens or slows them


class Batches:
    """All batch groups of a plant."""

    def __init__(self, plant: "Running") -> None:
        """Begin with every digester empty."""
        self.plant = plant
        self.groups = plant.layout.groups
        self.houses = [self._house(index) for index in range(len(self.groups))]
        self.rows = [np.zeros((len(house.vessels), len(COLUMNS))) for house in self.houses]
        self.targets = [plant.layout.target_of(group) for group in self.groups]
        self.asked = np.ones(len(self.groups))
        self.steam_frac = 1.0
        self.heated_by = {one.number: one.temperature for one in plant.line.cook.digesters if one.temperature}
        self.chips_t_per_h = [plant.result.streams[group.stream_in].bdt_per_h for group in self.groups]  # at rest
        for index, house in enumerate(self.houses):
            house.every_s = 3600 * house.charge_bdt / max(self.chips_t_per_h[index], 1e-9)

    def _house(self, index: int) -> House:
        group, line = self.groups[index], self.plant.line
        recipe = line.cook.at(group.unit)[0]
        digesters = [one for one in line.cook.digesters if recipe.id in one.recipes]
        return House(recipe, digesters, group.charge_bdt, self.plant.seed + 500 * index)

    def stagger(self) -> None:
        """Put the digesters where they would be after a day of cooking in turn."""
        for index, house in enumerate(self.houses):
            count = len(house.vessels)
            every = house.every_s
            whole = 60 * (house.heat_from_min + house.recipe.ramp_min + 60)
            for back in range(count, 0, -1):
                age = (back - 0.5) * every
                if age < whole + 60 * house.recipe.blow_min + 60 * house.recipe.clear_min:
                    self.put(index, count - back, age)
            house.next_start_s = self.plant.now_s + 0.5 * every

    def put(self, index: int, at: int, age_s: float, **known: Any) -> Vessel:
        """Put a cook that began so long ago into a digester, as its program would have run it, with what is known of it."""
        house, plant = self.houses[index], self.plant
        vessel = house.vessels[at]
        house.begin(vessel, plant.now_s - age_s)
        for name, value in known.items():
            setattr(vessel, name, value)
        if house.recipe.alkaline is not None:
            vessel.wanted_h = house.wanted_h(vessel.charge_pct)
        self._load(
            index,
            at,
            plant.layout.holders[self.groups[index].bin].make_up,
            plant.layout.holders[self.groups[index].liquor].make_up,
        )
        passed = 0.0
        while passed < age_s:
            passed += 10.0
            house.program(vessel, 10.0)
            if vessel.phase in ("blow", "waits"):
                house.step_past(vessel)
                self.rows[index][at] = 0.0
            elif (following := house.due(vessel)) is not None:
                self._follow(index, at, following, plant.now_s - age_s + passed)
        return vessel

    def _load(self, index: int, at: int, chips: np.ndarray, liquor: np.ndarray) -> None:
        group, vessel = self.groups[index], self.houses[index].vessels[at]
        wood_t = vessel.chips_t * (1 - vessel.moisture_frac)
        chips_t = wood_t / float(chips[SOLIDS].sum())
        self.rows[index][at] = chips * chips_t + liquor * chips_t * group.liquor_per_chips

    # ---- the clock

    def run(self, passed_s: float) -> None:
        """Run every group on."""
        for index in range(len(self.groups)):
            self._run(index, passed_s)

    def _run(self, index: int, passed_s: float) -> None:
        house = self.houses[index]
        self._pace(index, passed_s)
        for at, vessel in enumerate(house.vessels):
            if (tag := self.heated_by.get(vessel.number)) is not None:
                vessel.reads_off_c = self.plant.readings.error(tag)
            house.program(vessel, passed_s, self.steam_frac)
            if vessel.phase == "empty":
                if house.turn() == at and self.plant.now_s >= house.next_start_s and self.has_chips(index):
                    self.charge(index, at)
            elif vessel.phase == "waits":
                if house.turn_to_blow() == at:
                    self.blow(index, at)
            elif vessel.phase == "blow":
                self._blown(index, at, passed_s)
            elif (following := house.due(vessel)) is not None:
                self._follow(index, at, following, self.plant.now_s)

    def _pace(self, index: int, passed_s: float) -> None:
        """Let what is drawn from where it is blown to, and the level there, set the interval of the cooks."""
        house, plant = self.houses[index], self.plant
        drawn = next((driven for one, driven in plant.plan.drawn_by if one == index), -1)
        if drawn < 0 or plant.design[drawn] <= 0:
            return
        asked = plant.flow[drawn] / plant.design[drawn]
        self.asked[index] += min(1.0, passed_s / PACE_S) * (asked - self.asked[index])
        usual = plant.layout.holders[self.targets[index]].content_t
        high = min(max(plant.content(self.targets[index]) / max(usual, 1e-9) - 1, -0.5), 0.5)
        rate = max(self.chips_t_per_h[index] * max(self.asked[index], 0.05), 1e-9)
        house.every_s = 3600 * house.charge_bdt / rate * (1 + PULL * high)

    def has_chips(self, index: int) -> bool:
        """Whether the bin holds a charge."""
        return float(self.plant.mass[self.groups[index].bin, SOLIDS].sum()) >= 0.98 * self.houses[index].charge_bdt

    def charge(self, index: int, at: int) -> None:
        """Fill an empty digester from the bin, with its liquor."""
        house, group, plant = self.houses[index], self.groups[index], self.plant
        vessel = house.vessels[at]
        house.begin(vessel, plant.now_s)
        house.next_start_s = plant.now_s + house.every_s
        chips_row, liquor_row = plant.mass[group.bin], plant.mass[group.liquor]
        wood_t = vessel.chips_t * (1 - vessel.moisture_frac)
        chips = chips_row * min(1.0, wood_t / max(float(chips_row[SOLIDS].sum()), 1e-9))
        chips_row -= chips
        wanted = float(chips[:MASSES].sum()) * group.liquor_per_chips
        liquor = liquor_row * min(0.98, wanted / max(float(liquor_row[:MASSES].sum()), 1e-9))
        liquor_row -= liquor
        self.rows[index][at] = chips + liquor
        plant.tell(group.unit, f"cook {vessel.cook} begun in digester {vessel.number}")

    def _follow(self, index: int, at: int, phase: Phase, now_s: float) -> None:
        """Go on to the next phase of a cook."""
        house, rows = self.houses[index], self.rows[index]
        vessel = house.vessels[at]
        vessel.phase, vessel.in_phase_s = phase, 0.0
        if phase == "heat":
            vessel.charged_s = now_s
        elif phase == "relief":
            vessel.relief_s = now_s
        elif phase == "waits":
            rows[at] = self.plant.reacted(rows[at], self.groups[index].yield_frac)
            vessel.kappa = round(house.kappa_of(vessel), 2)
            rows[at, MARKED["kappa"]] = vessel.kappa * rows[at, FIBRE]
            out = self.plant.line.graph.out(self.groups[index].unit)[0]
            darker = vessel.kappa / house.recipe.kappa_target  # what is left of the lignin is what absorbs
            for name, times in (("light_absorbed", darker), ("light_scattered", 1.0), ("log_csf", 1.0)):
                rows[at, MARKED[name]] = times * self.plant.quality.marks[out.id][name] * rows[at, FIBRE]
            raw = max(0.3, 1 + SHIVES_PER_KAPPA * (vessel.kappa - house.recipe.kappa_target))
            rows[at, MARKED["shives"]] = raw * self.plant.quality.marks[out.id]["shives"] * rows[at, FIBRE]

    def blow(self, index: int, at: int) -> bool:
        """Blow a digester where there is room and no other is blown; say whether it could be."""
        house = self.houses[index]
        if any(one.phase == "blow" for one in house.vessels) or self.lacks_t(index, at) > 0:
            return False
        vessel = house.vessels[at]
        vessel.phase, vessel.in_phase_s = "blow", 0.0
        self.plant.tell(self.plant.layout.holders[self.targets[index]].unit, f"cook {vessel.cook} blown")
        return True

    def _blown(self, index: int, at: int, passed_s: float) -> None:
        house, rows, plant = self.houses[index], self.rows[index], self.plant
        vessel = house.vessels[at]
        left_s = 60 * house.recipe.blow_min - vessel.in_phase_s + passed_s
        part = 1.0 if left_s <= passed_s else passed_s / left_s
        moved = rows[at] * part
        plant.mass[self.targets[index]] += moved
        plant.riding.blown(self.targets[index], moved, min(vessel.celsius, BLOWN_C), f"{house.recipe.id} {vessel.cook}")
        rows[at] -= moved
        if part >= 1:
            rows[at] = 0.0
            vessel.phase, vessel.in_phase_s = "clear", 0.0

    def _dump(self, index: int, at: int) -> None:
        """Empty a digester to the sewer: the cook is lost."""
        vessel, rows = self.houses[index].vessels[at], self.rows[index]
        lost = float(rows[at, SOLIDS].sum())
        self.plant.spilled += rows[at, :MASSES]
        rows[at] = 0.0
        vessel.phase, vessel.in_phase_s, vessel.held = "clear", 0.0, False
        self.plant.tell(self.groups[index].unit, f"cook {vessel.cook} dumped, {lost:.1f} BDt lost")

    def lacks_t(self, index: int, at: int) -> float:
        """Return the room a blow lacks in what it goes to, t; nought or less where there is room."""
        plant, row = self.plant, self.targets[index]
        unit = plant.line.unit(plant.layout.holders[row].unit)
        volume = getattr(unit, "volume_m3", None) or 2 * plant.layout.holders[row].content_t
        most = volume * getattr(unit, "high_pct", 95.0) / 100
        return float(self.rows[index][at, :MASSES].sum() - (most - plant.content(row)))

    # ---- by hand

    @property
    def numbers(self) -> frozenset[int]:
        """Numbers of the digesters there are."""
        return frozenset(one.number for house in self.houses for one in house.vessels)

    def find(self, number: int) -> tuple[int, int]:
        """Return the group and place of a digester.

        Raises
        ------
        DomainError
            E_RANGE where there is none of that number, with those there are.
        """
        for index, house in enumerate(self.houses):
            for at, vessel in enumerate(house.vessels):
                if vessel.number == number:
                    return index, at
        known = ", ".join(str(one.number) for house in self.houses for one in house.vessels) or "none"
        raise DomainError("E_RANGE", "unit", f"there is no digester {number} that cooks here", known)

    def act(self, number: int, action: str) -> str:
        """Do something at a digester: charge, steam, relieve, blow, dump, hold, release; return where it is then, in words.

        Held once it has its liquor, a digester waits for steam; what is dumped is lost, and counted.

        Raises
        ------
        DomainError
            E_RANGE for no such digester or action, E_ORDER where it does not follow, E_LIMIT where there is no room.
        """
        index, at = self.find(number)
        house = self.houses[index]
        vessel = house.vessels[at]
        house.refuse(vessel, action)
        if action == "charge":
            if not self.has_chips(index):
                raise DomainError("E_LIMIT", "action", "the bin does not hold a charge of chips", "wait for the bin")
            self.charge(index, at)
        elif action == "steam":
            vessel.held = False
            self._follow(index, at, "heat", self.plant.now_s)
        elif action == "dump":
            self._dump(index, at)
        elif action == "relieve":
            self._follow(index, at, "relief", self.plant.now_s)
        elif action == "blow":
            if vessel.phase == "relief":
                raise DomainError("E_ORDER", "action", f"digester {number} is let down still", "after relief")
            if (lacks := self.lacks_t(index, at)) > 0:
                raise DomainError("E_LIMIT", "action", f"the blow lacks {lacks:.0f} m³ of room", "draw it down first")
            vessel.held = False
            if not self.blow(index, at):
                raise DomainError("E_ORDER", "action", "another digester is being blown on this line", "after it")
        else:
            vessel.held = action == "hold"
        return vessel.said
