"""What wanders of itself in the plant that runs: the water of mats, the solids of feeds, now and then a lost sheet.

All of it goes by the seed and the moment alone, so that the same plant has the same day.
"""

from typing import TYPE_CHECKING, Final
from zlib import crc32

import numpy as np

from stock.simulate.loops import break_chance

if TYPE_CHECKING:
    from stock.simulate.running import Running

SLOW_S: Final = 10.0  # how often it is looked at
MAT_FRAC, MAT_S = 0.015, 300.0  # how far the water of a mat wanders, and how long it stays off
CHANCE: Final = break_chance.method.bare  # type: ignore[attr-defined]
BREAK_MIN, BREAK_SPREAD, LONGEST_BREAK_MIN = 12.0, 0.7, 120.0
FEED_FRAC, FEED_S = 0.006, 7200.0  # the solids of a feed: moisture inside a lot


def may_break(plant: "Running", passed_s: float) -> None:
    """Lose the sheet now and then: of the seed and the moment alone."""
    rng = np.random.default_rng([plant.seed, crc32(b"break"), round(plant.now_s / SLOW_S)])
    if rng.random() < CHANCE(breaks_per_d=plant.breaks_per_d, dt_s=passed_s, times_ratio=plant.breaks_times):
        minutes = min(float(rng.lognormal(np.log(BREAK_MIN), BREAK_SPREAD)), LONGEST_BREAK_MIN)
        plant.breaks_until_s = plant.now_s + 60 * minutes
        plant.tell("", f"the sheet is lost, for {minutes:.0f} min")


def wander(plant: "Running", passed_s: float) -> None:
    """Let the mats of separations and the solids of feeds wander: first-order, of the seed and the moment alone."""
    rng = np.random.default_rng([plant.seed, crc32(b"wander"), round(plant.now_s / SLOW_S)])
    draws = rng.standard_normal(len(plant.wetter) + len(plant.feeds))
    keep = float(np.exp(-passed_s / MAT_S))
    plant.wetter += (1 - keep) * (1 - plant.wetter) + MAT_FRAC * float(np.sqrt(1 - keep**2)) * draws[
        : len(plant.wetter)
    ]
    keep = float(np.exp(-passed_s / FEED_S))
    plant.richer += (1 - keep) * (1 - plant.richer) + FEED_FRAC * float(np.sqrt(1 - keep**2)) * draws[
        len(plant.wetter) :
    ]
    plant.wet()
    plant.enrich()
