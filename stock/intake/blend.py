"""The blend of piles for the next hours: which lots, how much of each, how fast the feeders run."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import Any, Final, Literal, NamedTuple

import numpy as np

from stock.errors import DomainError
from stock.intake.chips import same_length
from stock.intake.lot import moisture_ratio_kg_per_kg, shares_add_up
from stock.working import Arg, Example, method

Aim = Literal["oldest", "steady"]


# ---- set points


class Feeds(NamedTuple):
    """Green rate of each component, their sum, and the moisture of the blend."""

    green_each_t_per_h: np.ndarray
    green_t_per_h: float
    moisture_wet_frac: float


@method(
    "green_each_t_per_h = total_bdt_per_h * bd_share_each_frac / (1 - moisture_each_frac);"
    " moisture_wet_frac = sum(green_each * moisture_each_frac) / sum(green_each)",
    title="Green feeds of a chip blend",
    station="intake",
    source="mass balance; shares hold bone-dry, not on the green scale",
    aliases=("blend_green_feeds_t_per_h",),
    exact=False,
    results=Feeds._fields,
    example=Example(
        {"total_bdt_per_h": 100, "bd_share_each_frac": [0.35, 0.65], "moisture_each_frac": [0.46, 0.54]},
        {"green_each_t_per_h": [64.81, 141.30], "green_t_per_h": 206.1, "moisture_wet_frac": 0.5148},
    ),
    total_bdt_per_h=Arg("blend, bone-dry", 0, 1e4),
    bd_share_each_frac=Arg("bone-dry share of each component", 0, 1, series=True),
    moisture_each_frac=Arg("its moisture", 0, 1, below=True, series=True),
)
def blend_green_feeds(
    *, total_bdt_per_h: float, bd_share_each_frac: np.ndarray, moisture_each_frac: np.ndarray
) -> Feeds:
    """Return what each scale must show for the shares to hold bone-dry."""
    same_length(bd_share_each_frac=bd_share_each_frac, moisture_each_frac=moisture_each_frac)
    shares_add_up("bd_share_each_frac", bd_share_each_frac, 0.005)
    green = total_bdt_per_h * bd_share_each_frac / (1 - moisture_each_frac)
    per_bdt = bd_share_each_frac / (1 - moisture_each_frac)
    moisture = float(per_bdt @ moisture_each_frac / per_bdt.sum())
    return Feeds(green, float(green.sum()), moisture)


class Feeder(NamedTuple):
    """A reclaim feeder's setting."""

    speed_pct: float
    loose_m3_per_h: float


@method(
    "loose_m3_per_h = 1000 * bdt_per_h / (basic_density_kg_per_m3 * solid_volume_factor)\n"
    "speed_pct = 100 * loose_m3_per_h / most_m3_per_h",
    title="Feeder speed for a bone-dry rate",
    station="intake",
    source="a feeder passes a volume; bulk density turns it to mass",
    results=("speed_pct", "loose_m3_per_h"),
    example=Example(
        {
            "bdt_per_h": 6.2,
            "basic_density_kg_per_m3": 412,
            "solid_volume_factor": 0.38,
            "most_m3_per_h": 90,
        },
        {"speed_pct": 44.0, "loose_m3_per_h": 39.6},
    ),
    bdt_per_h=Arg("bone-dry rate wanted", 0, 1e4),
    basic_density_kg_per_m3=Arg("basic density", 100, 1000),
    solid_volume_factor=Arg("solid share of the loose volume", 0, 0.74, above=True, below=True),
    most_m3_per_h=Arg("loose volume at full speed", 0, 1e4, above=True),
)
def feeder_speed(
    *, bdt_per_h: float, basic_density_kg_per_m3: float, solid_volume_factor: float, most_m3_per_h: float
) -> Feeder:
    """Return the speed that carries a rate; above 100 the feeder cannot."""
    loose = 1000 * bdt_per_h / (basic_density_kg_per_m3 * solid_volume_factor)
    return Feeder(100 * loose / most_m3_per_h, loose)


@method(
    "mean_pct = sum(bd_share_each_frac * value_each_pct)",
    title="A property of the blend by mass",
    station="intake",
    source="additive by bone-dry mass",
    example=Example({"bd_share_each_frac": [0.7, 0.3], "value_each_pct": [17.4, 19.5]}, {"mean_pct": 18.03}),
    bd_share_each_frac=Arg("bone-dry share of each component", 0, 1, series=True),
    value_each_pct=Arg("its value", 0, 1000, series=True),
)
def blend_mean(*, bd_share_each_frac: np.ndarray, value_each_pct: np.ndarray) -> float:
    """Return the mass-weighted mean of what adds by mass: alkali demand, yield, class shares."""
    same_length(bd_share_each_frac=bd_share_each_frac, value_each_pct=value_each_pct)
    shares_add_up("bd_share_each_frac", bd_share_each_frac, 0.005)
    return float(np.sum(bd_share_each_frac * value_each_pct))


@method(
    "fibre_length_mm = sum(bd_share_each_frac * yield_each_pct * length_each_mm)"
    " / sum(bd_share_each_frac * yield_each_pct)",
    title="Fibre length of the pulp from a blend",
    station="intake",
    source="length-weighted lengths, by the pulp each component gives",
    example=Example(
        {"bd_share_each_frac": [0.9, 0.1], "yield_each_pct": [52, 47], "length_each_mm": [0.95, 2.6]},
        {"fibre_length_mm": 1.1006},
    ),
    bd_share_each_frac=Arg("bone-dry share of each component", 0, 1, series=True),
    yield_each_pct=Arg("its pulp yield", 0, 100, series=True),
    length_each_mm=Arg("its length-weighted fibre length", 0, 10, series=True),
)
def blend_fibre_length(
    *, bd_share_each_frac: np.ndarray, yield_each_pct: np.ndarray, length_each_mm: np.ndarray
) -> float:
    """Return the fibre length to expect."""
    same_length(bd_share_each_frac=bd_share_each_frac, yield_each_pct=yield_each_pct, length_each_mm=length_each_mm)
    pulp = bd_share_each_frac * yield_each_pct
    if pulp.sum() <= 0:
        raise DomainError("E_SUM", "bd_share_each_frac", "no component gives pulp", "a share above nil")
    return float(np.sum(pulp * length_each_mm) / pulp.sum())


# ---- choosing the proportions


@dataclass(frozen=True, slots=True)
class Candidate:
    """A lot that could be drawn now, with what the limits ask about it."""

    lot: str
    pile: str
    bdt: float
    age_d: float
    moisture_frac: float
    fines_pct: float
    bark_pct: float
    species: str


@dataclass(frozen=True, slots=True)
class Limits:
    """What the blend must keep to; species without a limit may make up all of it."""

    moisture_least_frac: float = 0.0
    moisture_most_frac: float = 0.75
    fines_most_pct: float = 100.0
    bark_most_pct: float = 100.0
    mean_age_most_d: float = 1e4
    species_most_frac: Mapping[str, float] | None = None
    pile_most_bdt_per_h: Mapping[str, float] | None = None
    pile_least_frac: Mapping[str, float] | None = None


@dataclass(frozen=True, slots=True)
class Binding:
    """A limit the blend runs against, and what a little more room would be worth."""

    name: str
    limit: str
    worth: str


@dataclass(frozen=True, slots=True)
class Blend:
    """The proportions chosen, by lot in the order given, with what binds."""

    share_frac: tuple[float, ...]
    mean_age_d: float
    moisture_frac: float
    binding: tuple[Binding, ...]
    aim: Aim


@dataclass(frozen=True, slots=True)
class _Row:
    """One linear limit: coefficients over the lots, its bound, its name, how it is said."""

    name: str
    limit: str
    coefficients: np.ndarray
    bound: float
    unit: str


def choose_blend(
    candidates: Sequence[Candidate], total_bdt_per_h: float, hours: float, limits: Limits, aim: Aim = "oldest"
) -> Blend:
    """Choose the share of each lot for the next hours.

    Within a pile an older lot is emptied before a younger one is touched. The aim is the
    oldest wood the limits allow, or the moisture nearest the middle of its limits. Solved
    as a mixed-integer programme (one switch a lot), then once more as a linear one with the
    switches held, whose multipliers say what binds.

    Parameters
    ----------
    candidates : sequence of Candidate
        Lots that may be drawn, at most 200.
    total_bdt_per_h, hours : float
        How much is fed, BDt/h, and for how long, h; both above 0.
    limits : Limits
        What the blend must keep to.

    Raises
    ------
    DomainError
        E_COUNT without candidates or with too many, E_RANGE for a rate or a time not above
        0, E_INFEASIBLE where no blend keeps to the limits; names the limits in conflict.
    """
    from scipy.optimize import Bounds, LinearConstraint, linprog, milp

    lots = sorted(candidates, key=lambda one: (one.pile, -one.age_d, one.lot))
    _refuse(lots, total_bdt_per_h, hours)
    count = len(lots)
    need_bdt = total_bdt_per_h * hours
    cap = np.minimum(np.array([lot.bdt for lot in lots]) / need_bdt, 1.0)
    if cap.sum() < 1 - 1e-9:
        there = sum(lot.bdt for lot in lots)
        message = f"{need_bdt:.0f} BDt is wanted and {there:.0f} BDt lies ready"
        raise DomainError("E_INFEASIBLE", "hours_h", message, f"up to {there / total_bdt_per_h:.1f} h")
    rows = _limit_rows(lots, total_bdt_per_h, limits)
    cost, deviation = _aim(lots, limits, aim)
    # Unknowns: the shares, a switch for each lot, and how far moisture is from its middle.
    size = 2 * count + 1
    matrix, low, high = [], [], []

    def add(coefficients: np.ndarray, least: float, most: float) -> None:
        matrix.append(coefficients)
        low.append(least)
        high.append(most)

    total = np.zeros(size)
    total[:count] = 1
    add(total, 1, 1)
    for row in rows:
        add(np.concatenate((row.coefficients, np.zeros(count + 1))), -np.inf, row.bound)
    for sign in (1, -1):
        add(np.concatenate((sign * deviation[0], np.zeros(count), [-1])), -np.inf, sign * deviation[1])
    for index, lot in enumerate(lots):
        switch = np.zeros(size)
        switch[index], switch[count + index] = 1, -cap[index]
        add(switch, -np.inf, 0)  # no share without its switch
        if index and lots[index - 1].pile == lot.pile:
            order = np.zeros(size)
            order[index - 1], order[count + index] = -1, cap[index - 1]
            add(order, -np.inf, 0)  # the older lot is emptied first
    bounds_high = np.concatenate((cap, np.ones(count), [np.inf]))
    costs = np.concatenate((cost, np.full(count, 1e-7), [1.0 if aim == "steady" else 0.0]))
    found = milp(
        costs,
        constraints=LinearConstraint(np.array(matrix), low, high),
        integrality=np.concatenate((np.zeros(count), np.ones(count), [0])),
        bounds=Bounds(np.zeros(size), bounds_high),
        options={"time_limit": 5.0, "mip_rel_gap": 1e-6},
    )
    if found.x is None:
        raise _infeasible(lots, rows, cap)
    switches = np.round(found.x[count:-1])
    held = LinearConstraint(np.array(matrix), low, high)
    result = linprog(
        costs,
        A_ub=held.A[1:],
        b_ub=np.array(high)[1:],
        A_eq=held.A[:1],
        b_eq=[1.0],
        bounds=[(0, top) for top in cap] + [(on, on) for on in switches] + [(0, None)],
        method="highs",
    )
    chosen = result if result.status == 0 else found
    shares = np.where(chosen.x[:count] > 1e-6, chosen.x[:count], 0.0)
    shares /= shares.sum()
    multipliers = result.ineqlin.marginals[: len(rows)] if result.status == 0 else np.zeros(len(rows))
    said = [_said(row, float(worth), aim) for row, worth in zip(rows, multipliers, strict=True) if worth < -1e-7]
    binding = [one for one in said if one is not None]
    binding += _emptied(lots, shares, cap)
    place = {lot.lot: index for index, lot in enumerate(lots)}
    given = np.array([shares[place[one.lot]] for one in candidates])
    u = float(given @ [moisture_ratio_kg_per_kg(moisture_wet_frac=one.moisture_frac) for one in candidates])
    age = float(given @ [one.age_d for one in candidates])
    return Blend(tuple(float(share) for share in given), age, u / (1 + u), tuple(binding), aim)


MOST_LOTS: Final = 200


def _refuse(lots: Sequence[Candidate], total_bdt_per_h: float, hours: float) -> None:
    if not lots:
        raise DomainError("E_COUNT", "candidates", "no lot lies ready to be drawn", "1 lot or more")
    if len(lots) > MOST_LOTS:
        raise DomainError("E_COUNT", "candidates", f"{len(lots)} lots are too many to weigh up", f"{MOST_LOTS} lots")
    for name, value in (("total_bdt_per_h", total_bdt_per_h), ("hours_h", hours)):
        if not value > 0:
            raise DomainError("E_RANGE", name, f"{name} is {value:g}; it must be more than 0", "more than 0")


def _limit_rows(lots: Sequence[Candidate], total_bdt_per_h: float, limits: Limits) -> list[_Row]:
    """Write every limit as a row over the shares; moisture is linear in the moisture ratio."""
    u = np.array([lot.moisture_frac / (1 - lot.moisture_frac) for lot in lots])
    most, least = limits.moisture_most_frac, limits.moisture_least_frac

    def each(field: str) -> np.ndarray:
        return np.array([getattr(lot, field) for lot in lots])

    rows = [
        _Row("moisture, most", f"{100 * most:.0f} %", u, most / (1 - most), "u"),
        _Row("moisture, least", f"{100 * least:.0f} %", -u, -least / (1 - least), "u"),
        _Row("fines", f"{limits.fines_most_pct:g} %", each("fines_pct"), limits.fines_most_pct, "%"),
        _Row("bark", f"{limits.bark_most_pct:g} %", each("bark_pct"), limits.bark_most_pct, "%"),
        _Row("mean age", f"{limits.mean_age_most_d:g} d", each("age_d"), limits.mean_age_most_d, "d"),
    ]
    for species, most_frac in (limits.species_most_frac or {}).items():
        mask = np.array([float(lot.species == species) for lot in lots])
        rows.append(_Row(f"{species} share", f"{100 * most_frac:.0f} %", mask, most_frac, "share"))
    for pile, share in (limits.pile_least_frac or {}).items():
        mask = np.array([float(lot.pile == pile) for lot in lots])
        rows.append(_Row(f"least of {pile}", f"{100 * share:.0f} %", -mask, -share, "less"))
    for pile, rate in (limits.pile_most_bdt_per_h or {}).items():
        mask = np.array([float(lot.pile == pile) for lot in lots])
        rows.append(_Row(f"feeder of {pile}", f"{rate:.1f} BDt/h", mask, rate / total_bdt_per_h, "share"))
    return rows


def _aim(lots: Sequence[Candidate], limits: Limits, aim: Aim) -> tuple[np.ndarray, tuple[np.ndarray, float]]:
    """Return the cost of each share, and the moisture row whose distance from its middle may be the cost."""
    u = np.array([lot.moisture_frac / (1 - lot.moisture_frac) for lot in lots])
    middle = (limits.moisture_least_frac + limits.moisture_most_frac) / 2
    ages = np.array([lot.age_d for lot in lots])
    cost = -ages / 1000 if aim == "oldest" else -ages / 1e6
    return cost, (u, middle / (1 - middle))


def _said(row: _Row, multiplier: float, aim: Aim) -> Binding | None:
    """Say what one step more room would bring, days of age or points of moisture; None where it hardly matters."""
    step = STEPS[row.unit]
    gain = -multiplier * step[0] * (1000 if aim == "oldest" else 25)
    if gain < LEAST_GAIN:
        return None
    if aim == "oldest":
        return Binding(row.name, row.limit, f"{step[1]} would draw wood {gain:.2g} d older")
    return Binding(row.name, row.limit, f"{step[1]} would bring the moisture {gain:.2g} points nearer")


LEAST_GAIN: Final = 0.005
STEPS: Final = {
    "%": (0.1, "0.1 point more"),
    "share": (0.01, "1 % more"),
    "less": (0.01, "1 % less"),
    "d": (1.0, "1 day more"),
    "u": (0.02, "half a point more"),
}


def _emptied(lots: Sequence[Candidate], shares: np.ndarray, cap: np.ndarray) -> list[Binding]:
    """Name the lots that run out within the span, pile by pile."""
    gone: dict[str, list[str]] = {}
    for lot, share, top in zip(lots, shares, cap, strict=True):
        if top < 1 and share > top - 1e-6:
            gone.setdefault(lot.pile, []).append(lot.lot)
    return [
        Binding(f"stock of {pile}", f"{len(names)} lot{'s' * (len(names) > 1)}", f"used up: {', '.join(names)}")
        for pile, names in gone.items()
    ]


def _infeasible(lots: Sequence[Candidate], rows: Sequence[_Row], cap: np.ndarray) -> DomainError:
    """Find the limits in conflict: those that no blend can keep, else those that cannot be kept together."""
    from scipy.optimize import linprog

    slack = np.array([max(abs(row.bound), 0.01) for row in rows])
    matrix = np.hstack((np.array([row.coefficients for row in rows]), -np.diag(slack)))
    count = len(lots)
    result: Any = linprog(
        np.concatenate((np.zeros(count), np.ones(len(rows)))),
        A_ub=matrix,
        b_ub=[row.bound for row in rows],
        A_eq=[np.concatenate((np.ones(count), np.zeros(len(rows))))],
        b_eq=[1.0],
        bounds=[(0, top) for top in cap] + [(0, None)] * len(rows),
        method="highs",
    )
    broken = (
        [row for row, over in zip(rows, result.x[count:], strict=True) if over > 1e-7] if result.x is not None else []
    )
    if not broken:
        message = "no blend keeps to every limit while an older lot is emptied before a younger one in its pile"
        return DomainError("E_INFEASIBLE", "limits", message, "wider limits, or fewer hours")
    names = " and ".join(f"{row.name} {row.limit}" for row in broken)
    message = f"no blend of these lots keeps to {names}"
    return DomainError("E_INFEASIBLE", "limits", message, "a wider limit, or another lot")
