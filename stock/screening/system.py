"""Screens or cleaners as the system they are: fibre, debris, flows and dilution of every stage, solved at once."""

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Final

import numpy as np

from stock.errors import DomainError
from stock.figure import Datum, Figure, Origin, figure
from stock.screening.cascade import fed
from stock.screening.passage import passage_from_thickening, slot_velocity
from stock.screening.stage import debris_removed
from stock.screening.unit import Stage, clean_drop_kpa, routes_of

MOST_THICKENING: Final = 2.0
CLEANER_THICKENING: Final = 3.0
REMOVED: Final = debris_removed.method.bare  # type: ignore[attr-defined]
PASSAGE: Final = passage_from_thickening.method.bare  # type: ignore[attr-defined]
VELOCITY: Final = slot_velocity.method.bare  # type: ignore[attr-defined]
CLEANERS: Final = frozenset({"cleaner", "reverse cleaner", "through-flow cleaner"})


@dataclass(frozen=True, slots=True)
class Running:
    """One stage as it runs."""

    number: int
    stage: Stage
    fed_bdt_per_h: float
    accept_bdt_per_h: float
    reject_bdt_per_h: float
    flow_l_per_min: float
    thickening: float
    reject_consistency_pct: float
    accept_consistency_pct: float
    dilution_t_per_h: float
    removes_frac: float
    debris_fed_frac: float
    accept_to: int
    reject_to: int

    @property
    def is_cleaner(self) -> bool:
        """Whether it is a bank of cleaners."""
        return self.stage.type in CLEANERS

    @property
    def passage(self) -> float | None:
        """Passage its thickening shows; None for cleaners."""
        if self.is_cleaner:
            return None
        return float(
            PASSAGE(volumetric_reject_frac=self.stage.volumetric_reject_frac, thickening_ratio=self.thickening)
        )

    @property
    def velocity_m_per_s(self) -> float | None:
        """Velocity in its slots; None where its basket is not told."""
        if self.stage.screen_m2 is None or self.stage.open_frac is None:
            return None
        accepts = self.flow_l_per_min * (1 - self.stage.volumetric_reject_frac)
        return float(
            VELOCITY(accept_flow_l_per_min=accepts, screen_m2=self.stage.screen_m2, open_frac=self.stage.open_frac)
        )

    @property
    def cleaners(self) -> float | None:
        """Cleaners its flow fills at the pressure of their test; None for screens."""
        return self.flow_l_per_min / self.stage.each_l_per_min if self.stage.each_l_per_min else None

    @property
    def drop_kpa(self) -> float | None:
        """Pressure drop it should have at its flow; None where that is not told."""
        return clean_drop_kpa(self.stage, self.flow_l_per_min)

    @property
    def doubts(self) -> list[str]:
        """What is beyond what a stage bears, in words."""
        found = []
        most = CLEANER_THICKENING if self.is_cleaner else MOST_THICKENING
        if self.thickening > most:
            found.append(f"rejects thicken {self.thickening:.1f} times; above {most:g} expect plugging")
        if (speed := self.velocity_m_per_s) is not None and not 0.5 <= speed <= 2.0:
            found.append(f"{speed:.1f} m/s in the slots; usual is 0.5 to 2")
        needs = self.cleaners
        if needs is not None and self.stage.installed is not None and needs > self.stage.installed + 0.5:
            found.append(f"{needs:.0f} cleaners would be filled, {self.stage.installed} are there")
        return found


@dataclass(frozen=True, slots=True)
class System:
    """All stages together."""

    stages: Sequence[Running]
    fibre: Figure
    debris: Figure
    lost_bdt_per_h: float
    accept_debris_per_kg: float

    @property
    def lost_pct(self) -> float:
        """Fibre that leaves with the last rejects, of what came."""
        return 100 * float(self.fibre.results["overall_reject_frac"])

    @property
    def removed_pct(self) -> float:
        """Debris taken out, of what came."""
        return 100 * float(self.debris.results["overall_reject_frac"])


def run(stages: Sequence[Stage], bdt_per_h: Datum, came_pct: float, debris_per_kg: float) -> System:
    """Return what a system comes to.

    Parameters
    ----------
    stages : sequence of Stage
        From the main stream.
    bdt_per_h : Datum
        Stock that comes in, above 0.
    came_pct : float
        Its consistency, above 0 to 40 %.
    debris_per_kg : float
        Its debris, 0 or more.

    Raises
    ------
    DomainError
        E_COUNT for no stage, E_SINGULAR where something has no way out, E_INFEASIBLE for a stage thicker than what
        comes to it.
    """
    if not stages:
        raise DomainError("E_COUNT", "stages", "a cascade has at least one stage", "one or more")
    accepts, rejects = routes_of(stages)
    by_mass = [one.mass_reject_frac for one in stages]
    takes = [
        float(REMOVED(mass_reject_frac=one.mass_reject_frac, quotient_ratio=one.quotient)) for one in stages
    ]  # fmt: skip
    rate = float(bdt_per_h.value)
    fibre = _balance("fibre lost", by_mass, bdt_per_h, accepts, rejects)
    debris = _balance("debris taken out", takes, bdt_per_h, accepts, rejects)
    entry = np.zeros((2, len(stages)))
    entry[:, 0] = 1.0
    shares = fed(np.array([by_mass, takes]), np.array(accepts), np.array(rejects), entry)
    stock = rate * shares[0]
    total = 100 * stock / np.array([one.feed_consistency_pct for one in stages])
    makeup = total - _comes(stages, total, accepts, rejects, 100 * rate / came_pct)
    _refuse_thick(stages, stock, total, makeup)
    lost = rate * float(fibre.results["overall_reject_frac"])
    dirty = debris_per_kg * (1 - float(debris.results["overall_reject_frac"])) / max(1 - lost / rate, 1e-9)
    running = []
    for at, stage in enumerate(stages):
        ratio = stage.mass_reject_frac / stage.volumetric_reject_frac
        accepted = stage.feed_consistency_pct * (1 - stage.mass_reject_frac) / (1 - stage.volumetric_reject_frac)
        running.append(
            Running(
                at + 1, stage, float(stock[at]), float(stock[at]) * (1 - by_mass[at]), float(stock[at]) * by_mass[at],
                float(total[at]) * 1000 / 60, ratio, stage.feed_consistency_pct * ratio, accepted, float(makeup[at]),
                takes[at], float(shares[1, at]), accepts[at], rejects[at],
            )
        )  # fmt: skip
    return System(running, fibre, debris, lost, dirty)


def _balance(
    label: str, shares: Sequence[float], rate: Datum, accepts: Sequence[int], rejects: Sequence[int]
) -> Figure:
    routes = Origin("set", "where accepts and rejects of each stage go, -1 for out")
    data = {
        "reject_each_frac": Datum(list(shares), Origin("set", "what each stage rejects")),
        "feed_kg_per_h": Datum(1000 * float(rate.value), rate.origin),
        "accept_to_each_count": Datum(list(map(float, accepts)), routes),
        "reject_to_each_count": Datum(list(map(float, rejects)), routes),
    }
    return figure("cascade_balance", label, data, result="overall_reject_frac", decimals=4)


def _comes(
    stages: Sequence[Stage], total: np.ndarray, accepts: Sequence[int], rejects: Sequence[int], main: float
) -> np.ndarray:
    """Return what comes to each stage of itself, t/h: the main stream, and what other stages send."""
    came = np.zeros(len(stages))
    came[0] = main
    for at, stage in enumerate(stages):
        for goes, share in (
            (accepts[at], 1 - stage.volumetric_reject_frac),
            (rejects[at], stage.volumetric_reject_frac),
        ):
            if goes >= 0:
                came[goes] += share * total[at]
    return came


def _refuse_thick(stages: Sequence[Stage], stock: np.ndarray, total: np.ndarray, makeup: np.ndarray) -> None:
    thick = np.flatnonzero(makeup < -1e-6 * total)
    if thick.size:
        at = int(thick[0])
        most = 100 * float(stock[at] / (total[at] - makeup[at]))
        message = f"{stages[at].name} at {stages[at].feed_consistency_pct:g} % is thicker than what comes to it"
        raise DomainError("E_INFEASIBLE", f"stage-{at}-feed", message, f"{most:.2f} % or less")


def tail_first(stages: Sequence[Stage], rate: Datum, came_pct: float, points: float = 3.0) -> tuple[str, float] | None:
    """Return what fibre a lower reject rate of the tail would save, by solving anew; None where it has no room.

    Returns
    -------
    tuple
        Words of the first step, and BDt/d saved.
    """
    tail = stages[-1]
    now = tail.mass_reject_frac
    to = max(now - points / 100, 0.05)
    if now - to < 0.005:
        return None
    scale = to / now
    other = tail.model_copy(
        update={"mass_reject_frac": to, "volumetric_reject_frac": min(tail.volumetric_reject_frac * scale, 0.95)}
    )
    before = run(stages, rate, came_pct, 1.0)
    try:
        after = run([*stages[:-1], other], rate, came_pct, 1.0)
    except DomainError:
        return None
    saved = 24 * (before.lost_bdt_per_h - after.lost_bdt_per_h)
    dirtier = after.accept_debris_per_kg / before.accept_debris_per_kg - 1
    in_accepts = f"{100 * dirtier:+.0f} %" if abs(dirtier) >= 0.005 else "as it is"
    words = f"{tail.name} {100 * now:.0f} to {100 * to:.0f} % by mass saves {saved:.2f} BDt/d, debris in accepts {in_accepts}"
    return words.replace("-", "−"), saved
