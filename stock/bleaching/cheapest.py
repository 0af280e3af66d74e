"""The charges that reach a brightness for the least money, what binds them, and how flat the least is."""

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from typing import NamedTuple

import numpy as np

from stock.bleaching.colour import KS, REFLECTANCE
from stock.bleaching.scission import LENGTH, VISCOSITY
from stock.bleaching.sequence import STAGES, Pulp, stage_end
from stock.errors import DomainError
from stock.working import Arg, Example, method, note

Charges = Sequence[float] | np.ndarray
FLAT_FRAC = 0.01
HALVINGS = 60
LOOKS = 4  # for the edge of what costs no more than one per cent above the least


class Least(NamedTuple):
    """The cheapest charges, and what the last of the way costs."""

    charge_each_kg_per_bdt: list[float]
    cost_per_bdt: float
    shadow_cost_per_bdt: float


@method(
    "minimise sum(price * charge) where prod(1 + response * charge) = (ks_in_ks - ks_floor_ks) / (target_ks - ks_floor_ks)\n"
    "charge = clip(shadow / price - 1 / response, least, most)",
    title="Cheapest charges on one floor",
    station="bleaching",
    source="Lagrange, the saturating form in every stage and one floor; the shadow by bisection",
    notes="The shadow is what one more unit of the logarithm of the whole way costs.",
    aliases=("min_cost_charges",),
    exact=False,
    results=Least._fields,
    example=Example(
        {
            "ks_in_ks": 0.32,
            "target_ks": 0.0142160,
            "ks_floor_ks": 0.006,
            "response_each_per_kg": [0.4734, 0.27, 0.25],
            "price_each_cost_per_kg": [1.40, 0.85, 0.85],
            "least_each_kg_per_bdt": [2, 1, 2],
            "most_each_kg_per_bdt": [14, 8, 16],
        },
        {"charge_each_kg_per_bdt": [5.764, 8.000, 8.974], "cost_per_bdt": 22.498, "shadow_cost_per_bdt": 11.028},
        1e-3,
    ),
    ks_in_ks=Arg("k/s that comes in", 0, 100, above=True),
    target_ks=Arg("k/s wanted", 0, 100, above=True),
    ks_floor_ks=Arg("k/s no charge goes below", 0, 1),
    response_each_per_kg=Arg("response of each stage", 0, 10, above=True, series=True),
    price_each_cost_per_kg=Arg("price of each", 0, 1e4, above=True, series=True),
    least_each_kg_per_bdt=Arg("least of each", 0, 200, series=True),
    most_each_kg_per_bdt=Arg("most of each", 0, 200, series=True),
)
def cheapest_on_one_floor(
    *,
    ks_in_ks: float,
    target_ks: float,
    ks_floor_ks: float,
    response_each_per_kg: np.ndarray,
    price_each_cost_per_kg: np.ndarray,
    least_each_kg_per_bdt: np.ndarray,
    most_each_kg_per_bdt: np.ndarray,
) -> Least:
    """Return the cheapest charges where every stage has the same floor."""
    response, price = np.asarray(response_each_per_kg, float), np.asarray(price_each_cost_per_kg, float)
    least, most = np.asarray(least_each_kg_per_bdt, float), np.asarray(most_each_kg_per_bdt, float)
    for name, one in (
        ("price_each_cost_per_kg", price),
        ("least_each_kg_per_bdt", least),
        ("most_each_kg_per_bdt", most),
    ):
        if len(one) != len(response):
            raise DomainError("E_COUNT", name, "one for each stage", f"{len(response)} numbers")
    if (least > most).any():
        raise DomainError("E_ORDER", "least_each_kg_per_bdt", "a least charge is above its most", "least below most")
    if ks_in_ks <= ks_floor_ks:
        raise DomainError("E_RANGE", "ks_in_ks", "the pulp is at the floor already", f"more than {ks_floor_ks:g}")

    def way(charges: np.ndarray) -> float:
        return float(np.log1p(response * charges).sum())

    most_way = way(most)
    wanted = np.log((ks_in_ks - ks_floor_ks) / (target_ks - ks_floor_ks)) if target_ks > ks_floor_ks else np.inf
    if wanted > most_way + 1e-12:
        best = ks_floor_ks + (ks_in_ks - ks_floor_ks) * np.exp(-most_way)
        message = f"k/s {target_ks:g} is out of reach: with all at their most it ends at {best:.4f}, {100 * float(REFLECTANCE(ks=best)):.1f} % ISO"
        raise DomainError("E_INFEASIBLE", "target_ks", message, f"{best:.4f} or more")

    def at(shadow: float) -> np.ndarray:
        return np.clip(shadow / price - 1 / response, least, most)

    low, high = 0.0, float((price * (most + 1 / response)).max())
    for _ in range(HALVINGS):
        middle = (low + high) / 2
        low, high = (middle, high) if way(at(middle)) < wanted else (low, middle)
    charges = at(high)
    note("what the cheapest charges reach, against what is asked", way(charges) / wanted if wanted > 0 else 1.0)
    return Least([float(one) for one in charges], float(np.dot(price, charges)), high)


# ---- with kappa, yield and carry-over in it


@dataclass(frozen=True, slots=True)
class Lever:
    """A charge that may be moved: at which stage, between what, at what price, each kg of chemical counting so much."""

    stage: int
    least: float
    most: float
    cost_per_kg: float
    per_kg: float = 1.0
    most_why: str = "its window"


@dataclass(frozen=True, slots=True)
class Limits:
    """What the bleached pulp must keep to; None where nothing is asked."""

    brightness_pct: float
    viscosity_ml_per_g: float | None = None
    cod_kg_per_bdt: float | None = None
    aox_kg_per_bdt: float | None = None


@dataclass(frozen=True, slots=True)
class Cheapest:
    """The answer: charges of chemical by lever, their cost, what holds them, and how flat it is around them."""

    charges: tuple[float, ...]
    cost_per_bdt: float
    brightness_pct: float
    viscosity_ml_per_g: float
    binds: tuple[str, ...]
    next_point: float | None
    flat: tuple[tuple[float, float], ...]


class _Problem:
    """One sequence, its pulp and its levers."""

    def __init__(self, stages: Sequence[dict[str, float]], pulp: Pulp, levers: Sequence[Lever], limits: Limits) -> None:
        self.rows = [{**STAGES.defaults, **one} for one in stages]
        self.pulp, self.levers, self.limits = pulp, levers, limits
        self.least = np.array([one.least for one in levers])
        self.span = np.array([one.most - one.least for one in levers])
        self._last: tuple[tuple[float, ...], tuple[Pulp, float, float, float]] | None = None

    def marched(self, charges: Charges) -> tuple[Pulp, float, float, float]:
        """Return what `march` gives; asked twice running for the same charges, it is worked out once."""
        key = tuple(charges)
        if self._last is None or self._last[0] != key:
            self._last = key, self.march(charges)
        return self._last[1]

    def march(self, charges: Charges) -> tuple[Pulp, float, float, float]:
        """Return the pulp at the end, its cost a tonne out, its oxygen demand and its chlorinated organics."""
        rows = self.rows
        for lever, charge in zip(self.levers, charges, strict=True):
            rows[lever.stage]["charge_kg_per_bdt"] = float(charge) * lever.per_kg
        at = dict.fromkeys((lever.stage for lever in self.levers), 1.0)
        pulp, cod = self.pulp, 0.0
        for index, row in enumerate(rows):
            if index in at:
                at[index] = pulp.yield_frac
            before = pulp
            _, pulp = stage_end(row, pulp)
            lost_pct = 100 * (1 - pulp.yield_frac / before.yield_frac)
            cod += (before.cod_kg_per_bdt + 10 * row["cod_per_loss_kg_per_kg"] * lost_pct) * row["wash_removal_frac"]
        cost = sum(
            float(charge) * lever.cost_per_kg * at[lever.stage]
            for lever, charge in zip(self.levers, charges, strict=True)
        )
        aox = 0.12 / 5 * sum(c * one.per_kg for one, c in zip(self.levers, charges, strict=True) if one.per_kg > 2)
        return pulp, cost / pulp.yield_frac, cod, float(aox)

    def slack(self, charges: Charges, brightness_pct: float) -> list[float]:
        """Return what is left to each limit, all scaled to about one; below nought it is passed."""
        pulp, _, cod, aox = self.marched(charges)
        found = [1 - pulp.ks / float(KS(reflectance_frac=brightness_pct / 100))]
        limits = self.limits
        if limits.viscosity_ml_per_g is not None:
            found.append(float(VISCOSITY(chain_dp=pulp.dp)) / limits.viscosity_ml_per_g - 1)
        if limits.cod_kg_per_bdt is not None:
            found.append(1 - cod / limits.cod_kg_per_bdt)
        if limits.aox_kg_per_bdt is not None:
            found.append(1 - aox / limits.aox_kg_per_bdt)
        return found

    def solve(
        self, brightness_pct: float, starts: Sequence[np.ndarray], held: tuple[int, float] | None = None
    ) -> tuple[np.ndarray, float] | None:
        """Return the cheapest charges from several starts, one of them held where asked; None where none is allowed."""
        from scipy.optimize import minimize

        free = [index for index in range(len(self.levers)) if held is None or index != held[0]]

        def charges(x: np.ndarray) -> np.ndarray:
            full = np.empty(len(self.levers))
            full[free] = self.least[free] + x * self.span[free]
            if held is not None:
                full[held[0]] = held[1]
            return full

        scale = max(self.march(self.least + self.span)[1], 1e-9)
        best: tuple[np.ndarray, float] | None = None
        for start in starts:
            if not free:
                candidate = charges(np.empty(0))
            else:
                answer = minimize(
                    lambda x: self.marched(charges(x))[1] / scale,
                    start[free],
                    method="SLSQP",
                    bounds=[(0.0, 1.0)] * len(free),
                    constraints={"type": "ineq", "fun": lambda x: self.slack(charges(x), brightness_pct)},
                    options={"maxiter": 80, "ftol": 1e-10},
                )
                candidate = charges(np.clip(answer.x, 0.0, 1.0))
            if min(self.slack(candidate, brightness_pct)) < -1e-5:
                continue
            cost = self.march(candidate)[1]
            if best is None or cost < best[1]:
                best = candidate, cost
        return best


def cheapest(
    stages: Sequence[dict[str, float]],
    kappa: float,
    brightness_pct: float,
    viscosity_ml_per_g: float,
    cod_kg_per_bdt: float,
    levers: Sequence[Lever],
    limits: Limits,
) -> Cheapest:
    """Return the cheapest charges that keep every limit.

    Raises
    ------
    DomainError
        E_INFEASIBLE, naming what can be reached and what stands in the way; E_COUNT without a lever.
    """
    if not levers:
        raise DomainError("E_COUNT", "levers", "no charge may be moved", "one or more")
    start = Pulp(
        kappa, float(KS(reflectance_frac=brightness_pct / 100)), float(LENGTH(viscosity_ml_per_g=viscosity_ml_per_g)), 1.0,
        cod_kg_per_bdt,
    )  # fmt: skip
    problem = _Problem(stages, start, levers, limits)
    count = len(levers)
    starts = [np.full(count, one) for one in (0.5, 0.15)]
    found = problem.solve(limits.brightness_pct, starts) or problem.solve(limits.brightness_pct, [np.full(count, 0.95)])
    if found is None:
        raise _out_of_reach(problem)
    charges, cost = found
    pulp = problem.march(charges)[0]
    here = (charges - problem.least) / np.where(problem.span > 0, problem.span, 1.0)
    more = problem.solve(limits.brightness_pct + 1, [here, starts[0]]) if limits.brightness_pct < 98 else None
    flat = tuple(_flat(problem, index, charges, cost, here) for index in range(count))
    return Cheapest(
        tuple(map(float, charges)), cost, 100 * float(REFLECTANCE(ks=pulp.ks)), float(VISCOSITY(chain_dp=pulp.dp)),
        tuple(_binds(problem, charges)), None if more is None else more[1] - cost, flat,
    )  # fmt: skip


def _binds(problem: _Problem, charges: np.ndarray) -> list[str]:
    """Say what holds the charges where they are."""
    words = []
    names = ["brightness"]
    if problem.limits.viscosity_ml_per_g is not None:
        names.append("viscosity")
    if problem.limits.cod_kg_per_bdt is not None:
        names.append("oxygen demand")
    if problem.limits.aox_kg_per_bdt is not None:
        names.append("chlorinated organics")
    for name, left in zip(names, problem.slack(charges, problem.limits.brightness_pct), strict=True):
        if left < 1e-3:
            words.append(name)
    for lever, charge in zip(problem.levers, charges, strict=True):
        if charge - lever.least < 1e-3 * (lever.most - lever.least):
            words.append(f"stage {lever.stage + 1} at its least, {lever.least:g}")
        elif lever.most - charge < 1e-3 * (lever.most - lever.least):
            words.append(f"stage {lever.stage + 1} at its most, {lever.most:.3g}: {lever.most_why}")
    return words


def _flat(problem: _Problem, index: int, charges: np.ndarray, cost: float, here: np.ndarray) -> tuple[float, float]:
    """Return how far one charge can go, the others set anew, before the cost is one per cent more."""
    lever = problem.levers[index]

    def dearer(charge: float) -> float | None:
        found = problem.solve(problem.limits.brightness_pct, [here], (index, charge))
        return None if found is None else max(found[1] / cost - 1, 0.0)

    return tuple(_edge(dearer, float(charges[index]), end) for end in (lever.least, lever.most))  # type: ignore[return-value]


def _edge(dearer: Callable[[float], float | None], inside: float, end: float) -> float:
    """Return where, between the least cost and an end, it is one per cent dearer: the cost rises as a square there."""
    step = 0.25 * (end - inside)
    if abs(step) < 1e-9:
        return end
    for _ in range(LOOKS):
        found = dearer(inside + step)
        if found is None:
            step *= 0.5
            continue
        if abs(step) >= abs(end - inside) * (1 - 1e-9) and found <= FLAT_FRAC:
            return end
        if abs(found / FLAT_FRAC - 1) < 0.1:
            break
        times = min(max((FLAT_FRAC / max(found, 1e-9)) ** 0.5, 0.3), 4.0)
        step = float(np.clip(step * times, -abs(end - inside), abs(end - inside)))
    return inside + step


def _out_of_reach(problem: _Problem) -> DomainError:
    """Return the refusal of a target, with the best that can be reached and what limits it."""
    most = problem.least + problem.span
    pulp = problem.march(most)[0]
    best = 100 * float(REFLECTANCE(ks=pulp.ks))
    if best < problem.limits.brightness_pct:
        message = f"{problem.limits.brightness_pct:g} % ISO is out of reach: with every charge at its most it ends at {best:.1f} % ISO"
        return DomainError("E_INFEASIBLE", "target_brightness_pct", message, f"{best:.1f} % ISO or less")
    viscosity = float(VISCOSITY(chain_dp=problem.march(problem.least)[0].dp))
    wanted = problem.limits.viscosity_ml_per_g
    if wanted is not None and viscosity < wanted:
        message = f"a viscosity of {wanted:g} mL/g is out of reach: these stages leave {viscosity:.0f} mL/g whatever is charged"
        return DomainError("E_INFEASIBLE", "least_viscosity_ml_per_g", message, f"{viscosity:.0f} mL/g or less")
    low, high = 1.0, problem.limits.brightness_pct
    starts = [np.full(len(problem.levers), one) for one in (0.5, 0.95)]
    for _ in range(12):
        middle = (low + high) / 2
        low, high = (middle, high) if problem.solve(middle, starts) is not None else (low, middle)
    set_ = [name for name, one in (
        ("viscosity", problem.limits.viscosity_ml_per_g), ("oxygen demand", problem.limits.cod_kg_per_bdt),
        ("chlorinated organics", problem.limits.aox_kg_per_bdt),
    ) if one is not None]  # fmt: skip
    reach = f"they allow {low:.1f} % ISO" if low > 1.01 else "no charge keeps them"
    message = f"{problem.limits.brightness_pct:g} % ISO cannot be had inside the limits of {', '.join(set_)}: {reach}"
    return DomainError("E_INFEASIBLE", "target_brightness_pct", message, f"{low:.1f} % ISO or less")
