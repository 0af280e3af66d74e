"""The month's effluent against the permit: composites day by day, what is left a day, what today makes by the balance."""

from calendar import monthrange
from collections.abc import Sequence
from dataclasses import dataclass
from datetime import date
from typing import Final

from django.core.exceptions import ValidationError
from django.utils import timezone

from desk.floor import clock
from desk.floor.keeping import keep, line_key, verb
from desk.floor.models import World
from desk.floor.services import record_event, require
from desk.floor.state import State
from desk.people.models import Person
from desk.people.roles import RECORD
from desk.stations.bleach.models import EffluentDay
from desk.stations.bleach.water import Watered, watered
from stock.figure import Datum, Figure, Origin, figure

SHOWN: Final = 10
OLD_DAYS: Final = 62
OFTEN_S: Final = 600


@dataclass(frozen=True, slots=True)
class Month:
    """The days of a month so far, what the permit leaves each that is left, and what today makes by the balance."""

    days: Sequence[EffluentDay]
    missing: int
    left: Figure
    today_t: float

    @property
    def is_over(self) -> bool:
        """Whether today makes more than each day that is left may."""
        return self.today_t > self.left.value


def days_of(state: State) -> list[EffluentDay]:
    """Return the composites of this month, the newest first."""
    return state.of_records("effluent", lambda: _read(state), OFTEN_S, [EffluentDay])


def _read(state: State) -> list[EffluentDay]:
    first = timezone.localdate(state.now).replace(day=1)
    rows = EffluentDay.objects.filter(world=state.world, superseded_by=None, day__gte=first)
    return list(rows.select_related("by").order_by("-day", "-id"))


def month_of(state: State) -> Month | None:
    """Return the month against the permit; None where the mill's file has none."""
    permit = state.line.water.permit
    if permit is None:
        return None
    today = timezone.localdate(state.now)
    days = [one for one in days_of(state) if one.day < today]
    gone = today.day - 1
    so_far = sum(one.cod_t for one in days)
    missing = gone - len(days)
    counted = so_far + missing * (so_far / len(days) if days else permit.cod_t_per_d)
    told = Origin(
        "entered",
        f"{len(days)} composites, {missing} days not entered taken like them" if missing else f"{len(days)} composites",
    )
    data = {
        "limit_t_per_d": Datum(permit.cod_t_per_d, state.set_origin("permit")),
        "days_count": Datum(monthrange(today.year, today.month)[1], Origin("set", "this month")),
        "day_count": Datum(gone, Origin("set", "days gone")),
        "so_far_t": Datum(round(counted, 3), told),
    }
    left = figure("permit_left", "left a day", data, decimals=1)
    return Month(days[:SHOWN], missing, left, _today(state).cod_t_per_d)


def _today(state: State) -> Watered:
    if "watered" not in state.kept:
        state.kept["watered"] = watered(state)
    found: Watered = state.kept["watered"]
    return found


def over_today(state: State) -> tuple[Month, str] | None:
    """Return the month and what to do where today makes more than is left; None where it does not, or nothing is known."""
    if state.line.water.permit is None or not days_of(state):
        return None
    month = month_of(state)
    if month is None or not month.is_over:
        return None
    drains = _today(state).drains
    if not drains:
        return None
    over = month.today_t - max(month.left.value, 0.0)
    worst = drains[0]
    words = (
        f"{over:.1f} t COD a day over what is left, ESTIMATE. {worst.name.capitalize()} makes {worst.share_pct:.0f} % of it:"
        " wash-ups and spill tanks wait, carry-over first; tell the effluent plant at once."
    )
    return month, words


@verb
def take_day(
    world: World, person: Person, station: str, day: date, flow_m3: float, cod_t: float, aox_kg: float | None,
    colour_t: float | None, text: str, *, form_key: str,
) -> EffluentDay:  # fmt: skip
    """Keep a day's composite; one entered before for that day is superseded.

    Raises
    ------
    NotAllowedError, ValidationError
        For a wrong role, a day to come or long gone.
    """
    require(person, RECORD)
    today = timezone.localdate(clock.now())
    if not 0 < (today - day).days <= OLD_DAYS:
        raise ValidationError({"day": f"{day:%d %b %Y}: a day that is over, at most {OLD_DAYS} ago"})
    standing = EffluentDay.objects.filter(world=world, superseded_by=None, day=day)
    before = standing.exclude(form_key=form_key).first()  # sent twice, it does not supersede itself
    row = EffluentDay(
        world=world, by=person, form_key=form_key, day=day, flow_m3=flow_m3, cod_t=cod_t, aox_kg=aox_kg,
        colour_t=colour_t, text=text, supersedes=before,
    )  # fmt: skip

    def tell(kept: EffluentDay) -> None:
        words = f"Effluent of {kept.day:%d %b}: {kept}{'. ' + kept.text if kept.text else ''}"
        record_event(
            world, person, words, station=station, at=clock.now(), form_key=line_key("e", kept), action=RECORD,
            source=kept,
        )  # fmt: skip

    return keep(row, tell)
