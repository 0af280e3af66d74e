"""The page of the look ahead: all vessels against the clock, what if beside it, when a change arrives."""

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import timedelta
from typing import Final

from django.core.exceptions import ValidationError
from django.db import connection
from django.http import HttpRequest, HttpResponse
from django.utils import timezone

from desk.floor.arrival import arrival_from
from desk.floor.models import epoch
from desk.floor.state import State
from desk.frame.alike import alike
from desk.frame.fields import ChoiceField, NumberField, read_form
from desk.frame.forms import words_of
from desk.frame.page import on_line
from desk.frame.page import page as render_page
from desk.frame.plot import Scale, line
from desk.stations.ahead.looking import HOURS, Ahead, ahead_of, judged, make
from desk.stations.ahead.whence import whence
from stock.delivery.broke import break_fills_min
from stock.errors import DomainError
from stock.figure import Figure
from stock.primitives import Vessel
from stock.simulate.outlook import Change, Course, Outlook

PAST_H: Final = 4.0
WIDTH, HEIGHT = 640.0, 58.0
LEFT: Final = 4.0
WHATS: Final = {
    "rate": "Machine at another rate", "share": "Another share", "stop": "A station stopped", "hold": "A cook held",
    "break": "Sheet lost",
}  # fmt: skip


@dataclass(frozen=True, slots=True)
class Lane:
    """A vessel drawn against the clock: what was read, what is expected with its band, what if."""

    unit: Vessel
    past: str
    course: str
    band: str
    what_if: str
    low: float
    high: float
    now_pct: float
    end_pct: float
    words: str
    level: str
    score: Figure | None


@on_line
@alike
def page(request: HttpRequest, state: State) -> HttpResponse:
    """Show the hours ahead."""
    return _page(request, state)


@on_line
def what_if(request: HttpRequest, state: State) -> HttpResponse:
    """Show the hours ahead beside what they would be with something changed; nothing is written."""
    if request.method != "POST":
        return _page(request, state)
    try:
        change = _change(request, state)
        if change is None:
            return _page(request, state)
        return _page(request, state, make(state, [change]), change)
    except (ValidationError, DomainError) as error:
        return _page(request, state, refused=words_of(request, error))


def _change(request: HttpRequest, state: State) -> Change | None:
    """Read what might be done."""
    line_ = state.line
    typed = read_form(
        request,
        what=ChoiceField("What if", list(WHATS)),
        rate=NumberField("The rate", "t/h", above=0, most=200, required=False),
        share_of=ChoiceField("The share of", ["", *state.order.shares], required=False),
        share=NumberField("The share", "%", least=0, most=100, required=False),
        station=ChoiceField("The station", ["", *(one.id for one in line_.stations)], required=False),
        digester=ChoiceField("The digester", ["", *(str(one.number) for one in line_.cook.digesters)], required=False),
        from_h=NumberField("From, hours on", "h", least=0, most=HOURS, required=False),
        hours=NumberField("For", "h", above=0, most=HOURS, required=False),
    )
    what = typed["what"]
    where = {"share": typed["share_of"], "stop": typed["station"], "hold": typed["digester"]}.get(what, "")
    value = {"rate": typed["rate"], "share": typed["share"]}.get(what, 0.0)
    needed = {"rate": "the rate", "share": "the share and of what", "stop": "which station", "hold": "which digester"}
    if what in needed and (value is None or (what != "rate" and not where)):
        raise ValidationError({what: f"{WHATS[what]}: say {needed[what]}"})
    usual = 0.4 if what == "break" else 1.0
    return Change(what, where, float(value or 0.0), typed["from_h"] or 0.0, typed["hours"] or usual)


def _page(
    request: HttpRequest, state: State, other: Outlook | None = None, change: Change | None = None, refused: str = ""
) -> HttpResponse:
    ahead = ahead_of(state)
    scores = judged(state)
    lanes = [] if ahead is None else _lanes(state, ahead, other, scores)
    context = {
        "ahead": ahead,
        "lanes": lanes,
        "marks": [] if ahead is None else _marks(state, ahead),
        "clock_marks": _clock_marks(state),
        "now_x": float(_x(0.0)),
        "arrivals": _arrivals(state),
        "houses": whence(state),
        "whats": WHATS,
        "shares": [name for name, share in state.order.shares.items() if share],
        "digesters": state.line.cook.digesters,
        "typed": request.POST.dict() if request.method == "POST" else {},
        "change": change,
        "differences": [] if other is None or ahead is None else _differences(state, ahead, other),
        "refused": refused,
        "sentence": _sentence(state, ahead, lanes),
    }
    return render_page(request, state, "ahead/page.html", context, here="ahead", status=422 if refused else 200)


_x = Scale(-PAST_H, HOURS, LEFT, WIDTH - 6)
_y = Scale(0.0, 100.0, HEIGHT - 3, 3)


def _lanes(state: State, ahead: Ahead, other: Outlook | None, scores: dict[str, Figure]) -> list[Lane]:
    past = _past(state)
    gone = (state.now - ahead.made_at).total_seconds() / 3600
    times = [at - gone for at in ahead.outlook.times_h]
    found = []
    for unit_id, course in ahead.outlook.courses.items():
        unit = state.line.unit(unit_id)
        if not isinstance(unit, Vessel):
            continue
        xs = [float(_x(at)) for at in times]
        band = [
            *(float(_y.held(one)) for one in course.high_pct),
            *(float(_y.held(one)) for one in reversed(course.low_pct)),
        ]
        also = other.courses.get(unit_id) if other is not None else None
        read = past.get(unit.level or "", [])
        words, level = _words(state, ahead, course)
        found.append(
            Lane(
                unit,
                line([float(_x(at)) for at, _ in read], [float(_y.held(value)) for _, value in read]),
                line(xs, [float(_y.held(one)) for one in course.expected_pct]),
                line([*xs, *reversed(xs)], band),
                ""
                if also is None
                else line(xs[: len(also.expected_pct)], [float(_y.held(one)) for one in also.expected_pct[: len(xs)]]),
                float(_y(unit.low_pct)),
                float(_y(unit.high_pct)),
                course.expected_pct[0],
                course.expected_pct[-1],
                words,
                level,
                scores.get(unit_id),
            )
        )
    return found


def _words(state: State, ahead: Ahead, course: Course) -> tuple[str, str]:
    minutes = break_fills_min(state.line, state.result, course.unit, course.expected_pct[0])
    words, level = _meets(ahead, course)
    return (words if minutes is None else f"{words}; full after {minutes:.0f} min of a break"), level


def _meets(ahead: Ahead, course: Course) -> tuple[str, str]:
    met = course.first(ahead.outlook.times_h, 0.5) or course.first(ahead.outlook.times_h)
    if met is None:
        return "stays in its span", "ok"
    which, hour, chance = met
    at = f"{timezone.localtime(ahead.at(hour)):%H:%M}"
    said = "likely" if chance > 0.5 else f"one in {round(1 / chance)}"
    words = f"{'low' if which == 'low' else 'full'} {at}, {said}{ahead.then(course)}"
    return words, "outside" if chance > 0.5 else "ok"


def _past(state: State) -> dict[str, list[tuple[float, float]]]:
    tags = [unit.level for unit in state.vessels.values() if unit.level]
    if not tags:
        return {}
    marks = ", ".join(["%s"] * len(tags))
    since = epoch(state.now - timedelta(hours=PAST_H))
    found: dict[str, list[tuple[float, float]]] = {}
    with connection.cursor() as cursor:
        cursor.execute(
            f"SELECT tag, avg(at_s), avg(value) FROM floor_sample WHERE world_id = %s AND tag IN ({marks}) AND at_s > %s"  # noqa: S608  ids of the line
            " AND at_s <= %s AND value IS NOT NULL GROUP BY tag, at_s / 300 ORDER BY 2",
            [state.world.pk, *tags, since, epoch(state.now)],
        )
        for tag, at_s, value in cursor.fetchall():
            found.setdefault(tag, []).append(((float(at_s) - epoch(state.now)) / 3600, float(value)))
    return found


def _marks(state: State, ahead: Ahead) -> list[tuple[float, str, str]]:
    """Return what stands on the clock: changes of the order, and the blows that are due soon."""
    gone = (state.now - ahead.made_at).total_seconds() / 3600
    found = [(float(_x(at - gone)), f"to {name}", "order") for at, name in ahead.outlook.orders if at >= gone]
    found += [(float(_x(one.at_h - gone)), "", "blow") for one in ahead.outlook.blows if one.at_h >= gone]
    return found


def _clock_marks(state: State) -> list[tuple[float, str]]:
    first = timezone.localtime(state.now).replace(minute=0, second=0, microsecond=0)
    found = []
    for hour in range(-int(PAST_H), int(HOURS) + 2, 2):
        at = first + timedelta(hours=hour)
        place = float(_x((at - state.now).total_seconds() / 3600))
        if LEFT + 14 <= place <= WIDTH - 20:
            found.append((place, f"{at:%H:%M}"))
    return found


def _differences(state: State, ahead: Ahead, other: Outlook) -> list[tuple[str, str]]:
    """Return what would be otherwise, the largest first, by vessel."""
    found = []
    for unit_id, course in other.courses.items():
        base = ahead.outlook.courses.get(unit_id)
        if base is None:
            continue
        apart = [one - two for one, two in zip(course.expected_pct, base.expected_pct, strict=False)]
        worst = max(range(len(apart)), key=lambda index: abs(apart[index]))
        if abs(apart[worst]) < 1.0:
            continue
        at = f"{timezone.localtime(ahead.at(other.times_h[worst])):%H:%M}"
        met = course.first(other.times_h, 0.5)
        ending = f"; {'low' if met[0] == 'low' else 'full'} {timezone.localtime(ahead.at(met[1])):%H:%M}" if met else ""
        found.append(
            (
                abs(apart[worst]),
                state.line.unit(unit_id).name,
                f"{apart[worst]:+.0f} points at {at}{ending}".replace("-", "−"),
            )
        )
    return [(name, words) for _, name, words in sorted(found, reverse=True)]


def _arrivals(state: State) -> list[tuple[str, Figure, str]]:
    """Return when a change at each station's units shows at the machine chest: the last unit of each that lies on a way."""
    found = []
    for station in state.line.stations:
        for unit in (one for one in state.line.units if one.station == station.id):
            shown = arrival_from(state, unit.id) if unit.capacity_bdt_per_h is not None else None
            if shown is not None:
                found.append((unit.name, shown, station.name))
    return [one for index, one in enumerate(found) if not _as_next(found, index)]


def _as_next(rows: Sequence[tuple[str, Figure, str]], index: int) -> bool:
    """Whether the next unit of the same station says the same: nothing lies between the two."""
    if index + 1 >= len(rows) or rows[index][2] != rows[index + 1][2]:
        return False
    one, two = (rows[at][1].results for at in (index, index + 1))
    return all(abs(one[name] - two[name]) < 0.05 for name in one)


def _sentence(state: State, ahead: Ahead | None, lanes: Sequence[Lane]) -> str:
    if ahead is None:
        return "Nothing is known to look ahead from: no vessel's level is read."
    made = f"{timezone.localtime(ahead.made_at):%H:%M}"
    off = [lane for lane in lanes if lane.level != "ok"]
    drawn = {lane.unit.id for lane in lanes}
    unread = [one.name for one in state.vessels.values() if getattr(one, "volume_m3", None) and one.id not in drawn]
    which = "every vessel" if not unread else "every vessel that is read"
    said = f"{which} stays in its span" if not off else f"{off[0].unit.name} {off[0].words}"
    more = f" {len(off) - 1} more." if len(off) > 1 else ""
    rest = (
        f" Not read: {', '.join(unread[:3])}{f' and {len(unread) - 3} more' if len(unread) > 3 else ''}."
        if unread
        else ""
    )
    return f"The next {HOURS:g} h, looked at {made}: {said}.{more}{rest}"
