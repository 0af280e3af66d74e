"""From a charge to a pump: strengths, mixing, deliveries, what a solution brings along."""

from typing import NamedTuple

from stock.bleaching.heating import CP_FIBRE, CP_WATER
from stock.errors import DomainError
from stock.working import Arg, Choice, Example, method, warn

TITRATE_AGAIN_FRAC = 0.15


@method(
    "flow_l_per_min = charge_kg_per_bdt * production_bdt_per_h / solution_g_per_l * 1000 / 60",
    title="Charge to dosing flow",
    station="bleaching",
    source="definition; charge and strength both as 100 % chemical",
    aliases=("dosing_flow_l_per_min",),
    example=Example(
        {"charge_kg_per_bdt": 7.5, "production_bdt_per_h": 20, "solution_g_per_l": 8.8}, {"flow_l_per_min": 284.1}
    ),
    charge_kg_per_bdt=Arg("charge on pulp", 0, 200),
    production_bdt_per_h=Arg("pulp through the stage", 0, 1000),
    solution_g_per_l=Arg("strength of the solution", 0, 1600, above=True),
)
def dosing_flow(*, charge_kg_per_bdt: float, production_bdt_per_h: float, solution_g_per_l: float) -> float:
    """Return the pump flow that gives a charge."""
    return charge_kg_per_bdt * production_bdt_per_h / solution_g_per_l * 1000 / 60


@method(
    "pump_ratio = strength_set_g_per_l / strength_now_g_per_l",
    title="Pump for another strength",
    station="bleaching",
    source="the same charge: flow goes with one over the strength",
    example=Example({"strength_now_g_per_l": 8.0, "strength_set_g_per_l": 8.8}, {"pump_ratio": 1.1}),
    strength_now_g_per_l=Arg("strength found", 0, 1600, above=True),
    strength_set_g_per_l=Arg("strength the pump is set for", 0, 1600, above=True),
)
def pump_for_strength(*, strength_now_g_per_l: float, strength_set_g_per_l: float) -> float:
    """Return what to multiply a pump by so that the charge stays as it is."""
    return strength_set_g_per_l / strength_now_g_per_l


class Pumped(NamedTuple):
    """Where a pump goes for another strength; beyond its stop, what charge or what rate is left."""

    flow_l_per_min: float
    charge_frac: float
    rate_frac: float


@method(
    "wanted = flow_l_per_min * old_g_per_l / new_g_per_l\n"
    "flow_l_per_min = the lesser of wanted and most_l_per_min\n"
    "charge_frac = flow_l_per_min / wanted, at the same rate\n"
    "rate_frac = flow_l_per_min / wanted, at the same charge",
    title="Pump at another strength, and its stop",
    station="bleaching",
    source="the same charge: flow goes with one over the strength; the minute the titration is signed",
    aliases=("pump_for_strength_L_per_min",),
    exact=False,
    results=Pumped._fields,
    example=Example(
        {"flow_l_per_min": 284.1, "old_g_per_l": 8.8, "new_g_per_l": 7.4, "most_l_per_min": 320},
        {"flow_l_per_min": 320, "charge_frac": 0.9472, "rate_frac": 0.9472},
    ),
    flow_l_per_min=Arg("flow of the pump now", 0, 1e5),
    old_g_per_l=Arg("strength it was set for", 0, 1600, above=True),
    new_g_per_l=Arg("strength found", 0, 1600, above=True),
    most_l_per_min=Arg("most the pump gives", 0, 1e6, above=True),
)
def pump_at_strength(
    *, flow_l_per_min: float, old_g_per_l: float, new_g_per_l: float, most_l_per_min: float = 1e6
) -> Pumped:
    """Return the flow that keeps a charge; at the pump's stop, what share of the charge or of the rate it keeps."""
    if abs(new_g_per_l / old_g_per_l - 1) > TITRATE_AGAIN_FRAC:
        warn(f"the strength moved by {100 * (new_g_per_l / old_g_per_l - 1):+.0f} %: titrate again first")
    wanted = flow_l_per_min * old_g_per_l / new_g_per_l
    if wanted <= most_l_per_min:
        return Pumped(wanted, 1.0, 1.0)
    share = most_l_per_min / wanted
    warn(f"the pump stops at {most_l_per_min:g} L/min: {100 * share:.1f} % of the charge, or of the rate")
    return Pumped(most_l_per_min, share, share)


class Brought(NamedTuple):
    """What a solution does to the stock it goes into."""

    added_m3_per_bdt: float
    consistency_pct: float
    temperature_c: float


@method(
    "added_m3_per_bdt = charge_kg_per_bdt / solution_g_per_l\n"
    "consistency_pct = 100 / (100 / stock_consistency_pct + charge_kg_per_bdt / solution_g_per_l)\n"
    "temperature_c = (stock_temperature_c * (1.34 + 4.19 * (100 / stock_consistency_pct - 1))"
    " + 4.19 * charge_kg_per_bdt / solution_g_per_l * solution_temperature_c)"
    " / (1.34 + 4.19 * (100 / stock_consistency_pct - 1 + charge_kg_per_bdt / solution_g_per_l))",
    title="Stock after a solution went in",
    station="bleaching",
    source="balances of water and heat; the solution as water",
    aliases=("stock_after_solution",),
    results=Brought._fields,
    example=Example(
        {
            "charge_kg_per_bdt": 12.24,
            "solution_g_per_l": 8.8,
            "stock_consistency_pct": 11,
            "stock_temperature_c": 68,
            "solution_temperature_c": 8,
        },
        {"added_m3_per_bdt": 1.39, "consistency_pct": 9.54, "temperature_c": 59.5},
        2e-3,
    ),
    charge_kg_per_bdt=Arg("charge on pulp", 0, 200),
    solution_g_per_l=Arg("strength of the solution", 0, 1600, above=True),
    stock_consistency_pct=Arg("consistency of the stock", 0, 40, above=True),
    stock_temperature_c=Arg("its warmth", 0, 130),
    solution_temperature_c=Arg("warmth of the solution", 0, 130),
)
def after_solution(
    *,
    charge_kg_per_bdt: float,
    solution_g_per_l: float,
    stock_consistency_pct: float,
    stock_temperature_c: float,
    solution_temperature_c: float,
) -> Brought:
    """Return how thin and how cold a solution makes the stock."""
    added, liquor = charge_kg_per_bdt / solution_g_per_l, 100 / stock_consistency_pct - 1
    stock_heat = CP_FIBRE + CP_WATER * liquor
    warmth = (stock_temperature_c * stock_heat + CP_WATER * added * solution_temperature_c) / (
        stock_heat + CP_WATER * added
    )
    return Brought(added, 100 / (1 + liquor + added), warmth)


class Parts(NamedTuple):
    """How much of each of two strengths makes a third."""

    strong_m3: float
    weak_m3: float


@method(
    "strong_m3 = target_m3 * (target_g_per_l - weak_g_per_l) / (strong_g_per_l - weak_g_per_l)\n"
    "weak_m3 = target_m3 - strong_m3",
    title="Two strengths mixed by volume",
    station="bleaching",
    source="mixture balance; for concentrated acid, caustic and peroxide go by mass, since their volumes do not add",
    aliases=("mix_two_strengths",),
    results=Parts._fields,
    example=Example(
        {"target_m3": 40, "target_g_per_l": 9.0, "strong_g_per_l": 10.2, "weak_g_per_l": 6.5},
        {"strong_m3": 27.03, "weak_m3": 12.97},
    ),
    target_m3=Arg("volume wanted", 0, 1e5),
    target_g_per_l=Arg("strength wanted", 0, 1600),
    strong_g_per_l=Arg("the stronger", 0, 1600, above=True),
    weak_g_per_l=Arg("the weaker, 0 for water", 0, 1600),
)
def mix_strengths(
    *, target_m3: float, target_g_per_l: float, strong_g_per_l: float, weak_g_per_l: float = 0.0
) -> Parts:
    """Return how much of each goes together."""
    share = _share(target_g_per_l, strong_g_per_l, weak_g_per_l, ("strong_g_per_l", "target_g_per_l"), "g/L")
    return Parts(target_m3 * share, target_m3 * (1 - share))


class MassParts(NamedTuple):
    """How much of each of two strengths makes a third, by mass."""

    strong_kg: float
    weak_kg: float


@method(
    "strong_kg = target_kg * (target_mass_pct - weak_mass_pct) / (strong_mass_pct - weak_mass_pct)\n"
    "weak_kg = target_kg - strong_kg",
    title="Two strengths mixed by mass",
    station="bleaching",
    source="mixture balance; caustic and acid into water, never the reverse",
    aliases=("mix_two_strengths_mass",),
    results=MassParts._fields,
    example=Example(
        {"target_kg": 2000, "target_mass_pct": 10, "strong_mass_pct": 48}, {"strong_kg": 416.7, "weak_kg": 1583.3}
    ),
    target_kg=Arg("mass wanted", 0, 1e7),
    target_mass_pct=Arg("strength wanted", 0, 100),
    strong_mass_pct=Arg("the stronger", 0, 100, above=True),
    weak_mass_pct=Arg("the weaker, 0 for water", 0, 100),
)
def mix_strengths_by_mass(
    *, target_kg: float, target_mass_pct: float, strong_mass_pct: float, weak_mass_pct: float = 0.0
) -> MassParts:
    """Return how much of each goes together, by mass."""
    share = _share(target_mass_pct, strong_mass_pct, weak_mass_pct, ("strong_mass_pct", "target_mass_pct"), "%")
    return MassParts(target_kg * share, target_kg * (1 - share))


def _share(target: float, strong: float, weak: float, names: tuple[str, str], unit: str) -> float:
    """Return the share of the stronger in a mixture."""
    if strong == weak:
        message = f"both are {strong:g} {unit}: mixing them changes nothing"
        raise DomainError("E_SINGULAR", names[0], message, "two different strengths")
    low, high = sorted((strong, weak))
    if not low <= target <= high:
        message = f"{target:g} {unit} cannot be mixed from {low:g} and {high:g} {unit}"
        raise DomainError("E_INFEASIBLE", names[1], message, f"{low:g} to {high:g} {unit}")
    return (target - weak) / (strong - weak)


@method(
    "strength_g_per_l = (heel_m3 * heel_g_per_l + load_m3 * load_g_per_l) / (heel_m3 + load_m3)",
    title="Tank after a delivery",
    station="bleaching",
    source="mixture balance; nothing is pumped on paper strength: titrate, then set the pump",
    results=("strength_g_per_l",),
    example=Example(
        {"heel_m3": 18, "heel_g_per_l": 92, "load_m3": 22, "load_g_per_l": 100, "capacity_m3": 60},
        {"strength_g_per_l": 96.4},
    ),
    heel_m3=Arg("what is in the tank", 0, 1e4),
    heel_g_per_l=Arg("its strength", 0, 1600),
    load_m3=Arg("the load", 0, 1e4, above=True),
    load_g_per_l=Arg("strength of the load", 0, 1600),
    capacity_m3=Arg("what the tank takes", 0, 1e4, above=True),
)
def tank_after_delivery(
    *, heel_m3: float, heel_g_per_l: float, load_m3: float, load_g_per_l: float, capacity_m3: float
) -> float:
    """Return the strength of a tank after a load."""
    if load_m3 > capacity_m3 - heel_m3:
        room = max(0.0, capacity_m3 - heel_m3)
        message = f"the tank has room for {room:g} m³; the load is {load_m3:g} m³"
        raise DomainError("E_INFEASIBLE", "load_m3", message, f"{room:g} m³ or less")
    return (heel_m3 * heel_g_per_l + load_m3 * load_g_per_l) / (heel_m3 + load_m3)


PRODUCTS = {  # density at 20 °C, t/m³, and pH by strip
    "caustic": ((1.525, 1.525), (13.0, 14.0)),
    "peroxide": ((1.195, 1.195), (1.0, 3.0)),
    "sulphuric_acid": ((1.84, 1.84), (0.0, 1.0)),
    "silicate": ((1.39, 1.39), (11.0, 12.5)),
    "bisulphite": ((1.33, 1.37), (4.0, 5.0)),
    "dtpa": ((1.28, 1.30), (11.0, 14.0)),
}
DENSITY_WITHIN = 0.02


class Checked(NamedTuple):
    """Whether a sample is what the papers say; how many products it could be."""

    fits_count: int
    could_be_count: int


@method(
    "fits_count = 1 where density and pH are those of the product\n"
    "could_be_count = products whose density and pH they are",
    title="Is the load what its papers say",
    station="bleaching",
    source="usual densities at 20 °C and pH by strip, recalled; the supplier's sheet rules",
    aliases=("delivery_check",),
    exact=False,
    results=Checked._fields,
    example=Example(
        {"product": "peroxide", "density_t_per_m3": 1.20, "ph": 2.0}, {"fits_count": 1, "could_be_count": 1}
    ),
    product=Choice("what the papers say", tuple(PRODUCTS)),
    density_t_per_m3=Arg("density of the sample at 20 °C", 0.7, 2.2),
    ph=Arg("pH of the sample", 0, 14),
)
def delivery_checked(*, product: str, density_t_per_m3: float, ph: float) -> Checked:
    """Return whether a sample fits its papers; never a leave to unload by itself."""
    could = [name for name in PRODUCTS if _is_like(name, density_t_per_m3, ph)]
    if product not in could:
        others = " or ".join(name.replace("_", " ") for name in could) or "none of the products known here"
        warn(
            f"not {product.replace('_', ' ')} by this sample: it is like {others}. No hose; papers, sign, coupling again"
        )
    return Checked(int(product in could), len(could))


def _is_like(product: str, density: float, ph: float) -> bool:
    (thin, thick), (low, high) = PRODUCTS[product]
    return thin - DENSITY_WITHIN <= density <= thick + DENSITY_WITHIN and low <= ph <= high
