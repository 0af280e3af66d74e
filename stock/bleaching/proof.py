"""What was really dosed: by the pump, by the tank; how long a tank lasts."""

from typing import Final, NamedTuple

from stock.errors import DomainError
from stock.working import Arg, Example, method, warn

SLIP_FRAC: Final = 0.08  # by which tank and pump may part before one of them is doubted
_STRENGTH: Final = Arg("strength of the solution", 0, 1600, above=True)


@method(
    "charge_kg_per_bdt = flow_l_per_min * solution_g_per_l * 60 / (1000 * production_bdt_per_h)",
    title="Charge a pump gives",
    station="bleaching",
    source="definition; the flow by a drawdown cylinder, the strength by titration",
    aliases=("real_charge_kg_per_bdt",),
    example=Example(
        {"flow_l_per_min": 320, "solution_g_per_l": 7.4, "production_bdt_per_h": 20}, {"charge_kg_per_bdt": 7.104}
    ),
    flow_l_per_min=Arg("flow of the pump", 0, 1e5),
    solution_g_per_l=_STRENGTH,
    production_bdt_per_h=Arg("pulp through the stage", 0, 1000, above=True),
)
def pumped_charge(*, flow_l_per_min: float, solution_g_per_l: float, production_bdt_per_h: float) -> float:
    """Return the charge a pump gives as 100 % chemical."""
    return flow_l_per_min * solution_g_per_l * 60 / (1000 * production_bdt_per_h)


class Proved(NamedTuple):
    """What a tank gave to the pulp that passed, beside what was meant."""

    used_m3: float
    charge_kg_per_bdt: float
    over_frac: float


@method(
    "used_m3 = held_m3 + loads_m3 - holds_m3\n"
    "charge_kg_per_bdt = used_m3 * solution_g_per_l / pulp_bdt\n"
    "over_frac = charge_kg_per_bdt / meant_kg_per_bdt - 1",
    title="Charge by the tank",
    station="bleaching",
    source="balance of the tank between two dips; what left it went into the pulp",
    results=Proved._fields,
    example=Example(
        {
            "held_m3": 17.2,
            "loads_m3": 0,
            "holds_m3": 9.1,
            "solution_g_per_l": 60,
            "pulp_bdt": 121.0,
            "meant_kg_per_bdt": 4.0,
        },
        {"used_m3": 8.1, "charge_kg_per_bdt": 4.0165, "over_frac": 0.0041},
        2e-2,
    ),
    held_m3=Arg("in the tank at the first dip", 0, 5000),
    loads_m3=Arg("loads taken in between", 0, 5000),
    holds_m3=Arg("in the tank at the second dip", 0, 5000),
    solution_g_per_l=_STRENGTH,
    pulp_bdt=Arg("pulp that passed in between", 0, 1e5, above=True),
    meant_kg_per_bdt=Arg("charge that was meant", 0, 200, above=True),
)
def tank_charge(
    *,
    held_m3: float,
    loads_m3: float,
    holds_m3: float,
    solution_g_per_l: float,
    pulp_bdt: float,
    meant_kg_per_bdt: float,
) -> Proved:
    """Return the charge a tank shows was given; refuses one that filled by itself."""
    used = held_m3 + loads_m3 - holds_m3
    if used < 0:
        message = f"the tank gained {-used:.1f} m³ that no load explains"
        raise DomainError("E_BALANCE", "holds_m3", message, f"{held_m3 + loads_m3:.1f} m³ or less")
    found = used * solution_g_per_l / pulp_bdt
    over = found / meant_kg_per_bdt - 1
    if abs(over) > SLIP_FRAC:
        verb = "less" if over < 0 else "more"
        warn(
            f"{abs(100 * over):.0f} % {verb} than meant: the pump by a drawdown, the strength titrated, the rate by a pad"
        )
    return Proved(used, found, over)


@method(
    "cover_h = max(0, holds_m3 - least_m3) * 1000 / (60 * flow_l_per_min)",
    title="Hours a tank lasts",
    station="bleaching",
    source="what can be drawn over what is drawn",
    exact=False,
    results=("cover_h",),
    example=Example({"holds_m3": 17.2, "least_m3": 1.0, "flow_l_per_min": 9.2}, {"cover_h": 29.35}),
    holds_m3=Arg("in the tank", 0, 5000),
    least_m3=Arg("what the pump cannot reach", 0, 5000),
    flow_l_per_min=Arg("drawn, by all its pumps", 0, 1e5, above=True),
)
def tank_cover_h(*, holds_m3: float, least_m3: float = 0.0, flow_l_per_min: float) -> float:
    """Return how long a tank lasts at a draw."""
    return max(0.0, holds_m3 - least_m3) * 1000 / (60 * flow_l_per_min)
