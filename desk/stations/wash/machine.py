"""The page of one machine of a washing line: what its liquors showed round by round, its mat, what speaks for which cause."""

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Final

from django.http import Http404, HttpRequest, HttpResponse
from django.utils import timezone

from desk.floor.state import State
from desk.frame.alike import alike
from desk.frame.page import on_line
from desk.frame.page import page as render_page
from desk.frame.plot import Scale, line, padded, round_marks
from desk.stations.wash.models import Round
from desk.stations.wash.pages import line_tabs, unit_of
from desk.stations.wash.shown import Shows, checks_of, figure_of, rate_of, rounds_of, seen_of, shows_of
from desk.stations.wash.worked import worked
from stock.errors import DomainError
from stock.figure import Datum, Figure, figure
from stock.washing.signs import Weighed, likeliest, weighed
from stock.washing.unit import Machine, Washer

WIDTH, HEIGHT = 462.0, 170.0
LEFT, FOOT, HEAD = 40.0, 24.0, 8.0
LEAST_SHOWN: Final = 2


@dataclass(frozen=True, slots=True)
class Trend:
    """Efficiency round by round, drawn: marks of both scales, the points with their doubt, the mean before."""

    points: Sequence[tuple[float, float, float, float]]  # x, y, top and foot of its doubt
    line: str
    mean_y: float
    marks: Sequence[tuple[float, str]]
    ends: tuple[str, str]
    left: float = LEFT
    width: float = WIDTH
    height: float = HEIGHT
    foot: float = HEIGHT - FOOT


@on_line
@alike
def machine(request: HttpRequest, state: State, unit_id: str, number: int) -> HttpResponse:
    """Show a machine."""
    unit = unit_of(state, unit_id)
    shows = next((one for one in shows_of(state, unit) if one.number == number), None)
    if shows is None:
        message = f"{unit.name} has no machine {number}."
        raise Http404(message)
    told = [one for one in rounds_of(state, unit) if one.machine == number]
    rounds = [(one, shown) for one in told if (shown := figure_of(one)) is not None]
    found, causes = worked(state, unit, {}), weighed(seen_of(state, unit, shows))
    context = {
        "unit": unit,
        "shows": shows,
        "machine": shows.machine,
        "rounds": rounds[:12],
        "trend": _trend(rounds, shows.mean),
        "step": next((one for one in found.steps if one.number == number), None),
        "mat": _mat(state, unit, shows.machine),
        "checks": [one for one in checks_of(state, unit) if one.machine == number][:6],
        "causes": causes,
        "sentence": _sentence(shows, causes),
        **line_tabs(state, unit.id),
    }
    return render_page(request, state, "wash/machine.html", context, here=unit.station)


def _sentence(shows: Shows, causes: Sequence[Weighed]) -> str:
    if shows.last is None:
        return f"{shows.machine.name}: its liquors were not taken yet; {shows.machine.e_std:g} by the mill's file."
    if shows.behind and (likely := likeliest(causes)) is not None:
        begun = f"{shows.machine.name} shows {shows.last.value:.1f}, {shows.mean:.1f} before."
        return f"{begun} Likeliest by what is read: {likely.words}."
    return f"{shows.machine.name}: efficiency {shows.last.value:.1f}, {shows.words}."


def _mat(state: State, unit: Washer, machine: Machine) -> Figure | None:
    """Return the mat on its drum; None where the file does not tell its size, or nothing runs."""
    told = state.set_origin(machine.name)
    sizes = (machine.drum_diameter_m, machine.drum_face_m, machine.drum_speed_rpm)
    if any(one is None for one in sizes):
        return None
    data = {
        "production_bdt_per_h": rate_of(state, unit),
        "drum_diameter_m": Datum(machine.drum_diameter_m, told),
        "drum_face_m": Datum(machine.drum_face_m, told),
        "drum_speed_rpm": Datum(machine.drum_speed_rpm, told),
        "mat_consistency_pct": Datum(machine.discharge_consistency_pct, told),
    }
    try:
        return figure("mat_on_drum", "mat on its wire", data, decimals=2)
    except DomainError:
        return None


def _trend(rounds: Sequence[tuple[Round, Figure]], mean: float) -> Trend | None:
    """Draw efficiency over time; None where too few rounds were taken."""
    if len(rounds) < LEAST_SHOWN:
        return None
    told = [(row.at, shown.value, shown.results["u_e_std_ratio"]) for row, shown in reversed(rounds)]
    begun, ended = told[0][0].timestamp(), told[-1][0].timestamp()
    across = Scale(begun, max(ended, begun + 1), LEFT + 6, WIDTH - 10)
    up = padded(
        [mean, *(value + sign * doubt for _, value, doubt in told for sign in (-1, 1))], 0.1, HEIGHT - FOOT, HEAD
    )
    points = [(across(at.timestamp()), up(value), up(value + doubt), up(value - doubt)) for at, value, doubt in told]
    marks = [(up(value), f"{value:g}") for value in round_marks(up.low, up.high)]
    ends = (f"{timezone.localtime(told[0][0]):%d %b}", f"{timezone.localtime(told[-1][0]):%d %b %H:%M}")
    path = line([x for x, *_ in points], [y for _, y, *_ in points])
    return Trend(points, path, up(mean), marks, ends)
