"""Screening equipment: screens, cleaners, thickeners."""

from collections.abc import Sequence
from typing import Annotated, ClassVar, Final, Literal, Self

import numpy as np
from pydantic import Field, model_validator

from stock.parts import Consistency, Fitted, Part, Point, Points, points
from stock.primitives import Separate
from stock.screening.cascade import cascade_balance, fed
from stock.screening.stage import debris_removed

PRESSURE_DROP = Point("Pressure drop of {of}", "dP", "drop_kpa", (0, 600), 0, ("pressure", "drop", "dp"))
REJECT_RATE = Point("Reject rate by mass, {of}", "Rejects", "rate_pct", (0, 60), 1, ("reject", "rate", "mass"))


REJECT_FLOW = Point(
    "Rejects of the first stage, {of}", "Rej. flow", "flow_l_per_min", (0, 20000), 0, ("reject", "flow")
)
MOTOR = Point("Motor of the first stage, {of}", "Motor", "motor_kw", (0, 2000), 0, ("motor", "load"))

StageType = Literal[
    "knotter", "pressure screen", "vibrating screen", "shaking screen", "cleaner", "reverse cleaner",
    "through-flow cleaner",
]  # fmt: skip
OUT: Final = -1
REMOVED: Final = debris_removed.method.bare  # type: ignore[attr-defined]
CLOSE: Final = 0.0015


class Stage(Part):
    """A stage of screens or cleaners: how it rejects, how thick it is fed, where its streams go."""

    name: str = Field(max_length=40)
    type: StageType = "pressure screen"
    mass_reject_frac: Annotated[float, Field(gt=0, lt=1)]
    volumetric_reject_frac: Annotated[float, Field(gt=0, lt=1)]
    feed_consistency_pct: Consistency
    quotient: float = Field(0.8, ge=-1, lt=1, description="screening quotient of its debris")
    accept_to: int | None = Field(
        None, ge=-1, le=11, description="stage from 0, -1 the accepts; the one before where left out"
    )
    reject_to: int | None = Field(None, ge=-1, le=11, description="stage from 0, -1 out; the next where left out")
    screen_m2: float | None = Field(None, gt=0, le=100, description="area of its basket")
    open_frac: Annotated[float, Field(gt=0, lt=1)] | None = None
    clean_kpa: float | None = Field(None, gt=0, le=1000, description="pressure drop of a clean basket")
    clean_l_per_min: float | None = Field(None, gt=0, le=1e6, description="flow that was read at")
    installed: int | None = Field(None, ge=1, le=2000, description="cleaners there are")
    each_l_per_min: float | None = Field(None, gt=0, le=1e5, description="flow of one cleaner in its test")
    each_kpa: float | None = Field(None, gt=0, le=1000, description="pressure drop of that test")


class Staged(Separate):
    """Screens or cleaners in their stages."""

    stages: list[Stage] = Field(default_factory=list, max_length=8, description="from the main stream")
    debris_per_kg: float | None = Field(None, ge=0, le=1e6, description="debris that comes in, usual count")

    @model_validator(mode="after")
    def _stages_are_the_unit(self) -> Self:
        """See that the stages together lose the fibre the unit is said to lose, and let everything out."""
        if not self.stages:
            return self
        count = len(self.stages)
        for at, stage in enumerate(self.stages):
            for name, goes in (("accept_to", stage.accept_to), ("reject_to", stage.reject_to)):
                if goes is not None and goes >= count:
                    message = f"stage {at + 1}: {name} {goes}; there are {count} stages, counted from 0"
                    raise ValueError(message)
        lost = fibre_lost_frac(self.stages)
        said = 1 - self.accept_frac.get("fibre", 1.0)
        if abs(lost - said) > CLOSE:
            message = f"the stages lose {100 * lost:.2f} % of the fibre, the unit {100 * said:.2f} %"
            raise ValueError(message)
        return self


def routes_of(stages: Sequence[Stage]) -> tuple[list[int], list[int]]:
    """Return where the accepts and the rejects of each stage go."""
    count = len(stages)
    accepts = [one.accept_to if one.accept_to is not None else at - 1 for at, one in enumerate(stages)]
    rejects = [
        one.reject_to if one.reject_to is not None else (at + 1 if at + 1 < count else OUT)
        for at, one in enumerate(stages)
    ]
    return accepts, rejects


def fibre_lost_frac(stages: Sequence[Stage]) -> float:
    """Return the share of the fibre that leaves with the last rejects."""
    accepts, rejects = routes_of(stages)
    found = cascade_balance.method.bare(  # type: ignore[attr-defined]
        reject_each_frac=[one.mass_reject_frac for one in stages], feed_kg_per_h=1.0, accept_to_each_count=accepts,
        reject_to_each_count=rejects,
    )  # fmt: skip
    return float(found.overall_reject_frac)


def fibre_fed(stages: Sequence[Stage]) -> float:
    """Return the fibre fed to the first stage, with all that comes back to it, over what comes to the system."""
    accepts, rejects = routes_of(stages)
    by_mass = [one.mass_reject_frac for one in stages]
    entry = np.zeros((1, len(stages)))
    entry[0, 0] = 1.0
    return float(fed(np.array([by_mass]), np.array(accepts), np.array(rejects), entry)[0, 0])


def clean_drop_kpa(stage: Stage, flow_l_per_min: float, plugged: float = 0.0) -> float | None:
    """Return the pressure drop a stage should have at a flow, its cleaners open but for so many; None where not told."""
    if stage.each_l_per_min and stage.each_kpa and stage.installed:
        each = flow_l_per_min / max(stage.installed - plugged, 0.1)
        return stage.each_kpa * (each / stage.each_l_per_min) ** 2
    if stage.clean_kpa and stage.clean_l_per_min:
        return stage.clean_kpa * (flow_l_per_min / stage.clean_l_per_min) ** 2
    return None


def passed_of(stages: Sequence[Stage], times: float = 1.0, leak_frac: float = 0.0) -> tuple[float, float]:
    """Return the shares of fibre and of debris that go with the accepts.

    Parameters
    ----------
    stages : sequence of Stage
        From the main stream.
    times : float
        How many times its usual the first stage rejects; held between 2 and 60 % by mass.
    leak_frac : float
        Share of the first stage's accepts that was never screened.
    """
    accepts, rejects = routes_of(stages)
    by_mass = [one.mass_reject_frac for one in stages]
    by_mass[0] = min(max(by_mass[0] * times, 0.02), 0.6)
    takes = [
        float(REMOVED(mass_reject_frac=rate, quotient_ratio=one.quotient))
        for rate, one in zip(by_mass, stages, strict=True)
    ]
    takes[0] *= 1 - leak_frac
    entry = np.zeros((2, len(stages)))
    entry[:, 0] = 1.0
    shares = np.array([by_mass, takes])
    found = fed(shares, np.array(accepts), np.array(rejects), entry)
    out = np.array(rejects) < 0
    lost = (shares * found)[:, out].sum(axis=1)
    return 1 - float(lost[0]), 1 - float(lost[1])


class Screen(Staged):
    """Screens in their stages."""

    GATE: ClassVar[str] = "shives"
    POINTS: ClassVar[Points] = points(
        reject_rate=REJECT_RATE, pressure_drop=PRESSURE_DROP, reject_flow=REJECT_FLOW, motor=MOTOR
    )

    kind: Literal["screen"]
    quotient: Fitted | None = Field(None, description="screening quotient of its debris")


class Cleaner(Staged):
    """Cleaners in their stages."""

    GATE: ClassVar[str] = "yield"
    POINTS: ClassVar[Points] = points(
        **{"yield": Point("Yield of {of}", "Yield", "yield_pct", (50, 100), 1, ("yield", "cleaner"))},
        reject_rate=REJECT_RATE,
        pressure_drop=PRESSURE_DROP,
    )

    kind: Literal["cleaner"]


class Thickener(Separate):
    """A thickener: most of the water, and what is dissolved, goes back."""

    kind: Literal["thickener"]
