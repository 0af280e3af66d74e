"""The chippers' knives: what was logged of them, how worn they are by the chips they cut."""

from collections.abc import Sequence
from dataclasses import dataclass, replace
from datetime import datetime
from typing import Final

from desk.stations.yard.news import Sampled
from desk.stations.yard.samples import shares_of
from desk.stations.yard.stock import YardNow
from stock.errors import DomainError
from stock.figure import Datum, Figure, Origin, figure
from stock.intake.definition import Chipper

STEPS: Final = (
    "stopped",
    "stand-still seen, locked out, try-start proved dead",
    "opened",
    "knives changed, back in service",
)
# A chipper runs a little over half of the clock; its knives wear with the hours it runs.
RUNNING_SHARE: Final = 0.55


@dataclass(frozen=True, slots=True)
class KnifeSet:
    """Where a chipper stands: hours on its knives, what was logged last, when to change."""

    chipper: Chipper
    changed_at: datetime | None
    last_index: int | None
    last_at: datetime | None
    hours: float
    trend: Figure | None
    why_not: str

    @property
    def last_step(self) -> str:
        """What was done last, in words; '' where nothing was."""
        return "" if self.last_index is None else STEPS[self.last_index]


def knives_of(yard: YardNow) -> list[KnifeSet]:
    """Return each chipper's knives: hours, last step, how long they have."""
    return [_knife(yard, chipper) for chipper in yard.part.chippers]


def _knife(yard: YardNow, chipper: Chipper) -> KnifeSet:
    logged = [one for one in yard.news.noted if one.tag == "knife" and one.subject == chipper.id]
    steps = [(int(one.value), one.at) for one in logged if one.value < len(STEPS)]
    changed = next((at for step, at in reversed(steps) if step == len(STEPS) - 1), None)
    step, at = steps[-1] if steps else (None, None)
    hours = (yard.state.now - changed).total_seconds() / 3600 * RUNNING_SHARE if changed else 0.0
    samples = [row for row in yard.samples.get(chipper.id, []) if changed and row.at >= changed]
    trend, why_not = None, "fewer than 3 samples since the change"
    if changed and len(samples) >= 3:
        try:
            trend = _wear(yard, chipper, changed, samples)
        except DomainError as error:
            why_not = error.message
    return KnifeSet(chipper, changed, step, at, hours, trend, why_not)


def _wear(yard: YardNow, chipper: Chipper, changed: datetime, samples: Sequence[Sampled]) -> Figure:
    origin = Origin("entered", f"classifier, {chipper.name}, since the change of {changed:%d %b %H:%M}")
    hours = [(row.at - changed).total_seconds() / 3600 * RUNNING_SHARE for row in samples]
    thick = [shares_of(row).overthick_pct for row in samples]
    data = {
        "since_change_h": Datum(hours, origin),
        "overthick_each_pct": Datum(thick, origin),
        "limit_pct": Datum(yard.part.chips.overthick_most_pct, yard.state.set_origin("chip envelope")),
    }
    shown = figure("knife_hours_left", f"hours left on the knives of {chipper.name}", data)
    return replace(shown, key=f"yard:knife.{chipper.id}")
