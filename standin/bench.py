"""The simulated laboratory after the demonstration opens: it takes the samples that are due, errs a little, and is late.

It waits a while beyond what a test takes, so that whoever works as tester comes first.
"""

from collections.abc import Iterator
from dataclasses import asdict, dataclass
from typing import TYPE_CHECKING, Any, Final
from zlib import crc32

import numpy as np

from standin.washing import NEWEST_AGO_S, metered, washers_of
from stock.cooking.recipe import Tank
from stock.tag import Tag

if TYPE_CHECKING:
    from standin.living import Living

WAITS_MIN: Final = 30.0  # for a person to be quicker
ROUND_EVERY_S: Final = 4 * 3600  # of the washers, with a meter
WALK_S: Final = 1200
METERED: Final = (
    "unit", "machine", "at_s", "filtrate_ms_per_cm", "mat_ms_per_cm", "wash_ms_per_cm", "factor_t_per_bdt", "discharge_pct",
)  # fmt: skip
TAKES_MIN: Final = {"consistency": 40.0, "freeness": 20.0, "brightness": 30.0, "ash": 120.0, "ink": 45.0}
USUAL_MIN: Final = 45.0


@dataclass(frozen=True, slots=True)
class Sampled:
    """A sample that was taken, what will be found of it, and when that is known."""

    tag: str
    at_s: float
    value: float
    known_s: float


class Bench:
    """The laboratory of a plant that runs."""

    def __init__(self, living: "Living") -> None:
        """Know the round: every routine test the plant can answer for."""
        self.living = living
        told = living.told
        of_cooks = told.digesters.tested
        self.round: list[tuple[Tag, float]] = []
        for tag in told.line.tags:
            part = told.line.part(tag.of)
            own = tag.every_h is not None and not tag.computed and tag.id not in of_cooks and not isinstance(part, Tank)
            if own and tag.id in living.plant.readings.truths and tag.every_h is not None:
                self.round.append((tag, told.last_sampled_s(tag, told.anchor_s)))
        self.taken: list[Sampled] = []
        self.walked: list[tuple[float, str, str]] = []  # when a round was over, its file's name, its text
        self.looked_s = living.now_s

    def look(self) -> None:
        """Take the samples that came due since it was last looked."""
        since, self.looked_s = self.looked_s, self.living.now_s
        for tag, first_s in self.round:
            every_s = 3600 * (tag.every_h or 1.0)
            if int((self.looked_s - first_s) // every_s) > int((since - first_s) // every_s):
                self._take(tag)
        first_s = self.living.told.anchor_s - NEWEST_AGO_S
        if int((self.looked_s - first_s) // ROUND_EVERY_S) > int((since - first_s) // ROUND_EVERY_S):
            self._walk()
        del self.taken[:-200]
        del self.walked[:-20]

    def _walk(self) -> None:
        """Go round the washers with a meter."""
        plant, now = self.living.plant, self.looked_s
        for unit in washers_of(self.living.told.line):
            washer = next((one for one in plant.separating.washers if one.unit.id == unit.id), None)
            if washer is None:
                continue
            rng = np.random.default_rng([self.living.told.seed, 19, crc32(unit.id.encode()), int(now)])
            rows = metered(unit, plant.separating.liquors(unit.id), washer.factor, now, rng)
            lines = [",".join(str(row[name]) for name in METERED) for row in rows]
            text = "\n".join([",".join(METERED), *lines, ""])
            self.walked.append((now + WALK_S, f"round_{int(now)}_{unit.id}.csv", text))

    def _take(self, tag: Tag) -> None:
        true = self.living.plant.truth(tag.id)
        if true is None:
            return
        now = self.looked_s
        rng = np.random.default_rng([self.living.told.seed, 17, crc32(tag.id.encode()), int(now)])
        low, high = tag.plausible
        value = min(max(true + tag.uncertainty * float(rng.standard_normal()), low), high)
        takes = TAKES_MIN.get(tag.reads, USUAL_MIN) * float(rng.lognormal(0, 0.3))
        self.taken.append(Sampled(tag.id, now, round(value, tag.decimals) + 0.0, now + 60 * (takes + WAITS_MIN)))

    def files(self, from_s: float, to_s: float) -> Iterator[tuple[str, str]]:
        """Yield (name, text) of the results, and of rounds of the washers, that came to be known in a span."""
        for one in self.taken:
            if from_s < one.known_s <= to_s:
                yield f"lab_{int(one.at_s)}_{one.tag}.csv", f"at_s,tag,value\n{int(one.at_s)},{one.tag},{one.value}\n"

        for known_s, name, text in self.walked:
            if from_s < known_s <= to_s:
                yield name, text

    def state(self) -> dict[str, Any]:
        """Return what it has taken, as plain data."""
        return {"looked_s": self.looked_s, "taken": [asdict(one) for one in self.taken], "walked": self.walked}

    def restore(self, state: dict[str, Any]) -> None:
        """Put that back."""
        self.looked_s = float(state["looked_s"])
        self.taken = [Sampled(**one) for one in state["taken"]]
        self.walked = [(float(known_s), str(name), str(text)) for known_s, name, text in state.get("walked", [])]
