"""A pulper batch from whole bales, and the water that puts it right."""

from typing import NamedTuple

from stock.errors import DomainError
from stock.working import Arg, Example, Rows, method


class PulperBatch(NamedTuple):
    """What goes into the vat."""

    od_kg: float
    water_kg: float
    volume_m3: float
    adt: float


@method(
    "od_kg = sum over items of bales * bale mass * dryness + heel\n"
    "water_kg = 100 * od_kg / target_consistency_pct - wet mass of bales - heel - chemical water\n"
    "volume_m3 = 100 * od_kg / target_consistency_pct / density\nadt = od_kg / 900",
    title="Pulper batch from whole bales",
    station="slushing",
    source="mass balance",
    exact=False,
    results=("od_kg", "water_kg", "volume_m3", "adt"),
    example=Example(
        {
            "items": [
                {"bales_count": 8, "unit_kg": 250, "dryness_pct": 90},
                {"bales_count": 5, "unit_kg": 400, "dryness_pct": 48},
            ],
            "target_consistency_pct": 5,
            "usable_volume_m3": 60,
            "chemical_water_kg": 200,
        },
        {"od_kg": 2760, "water_kg": 51000, "volume_m3": 55.2, "adt": 3.067},
    ),
    items=Rows(
        "bales by kind",
        {
            "bales_count": Arg("bales", 0, 500),
            "unit_kg": Arg("mass of one", 0, 5000, above=True),
            "dryness_pct": Arg("dry content", 0, 100, above=True),
        },
    ),
    target_consistency_pct=Arg("consistency wanted", 0, 40, above=True),
    usable_volume_m3=Arg("room in the vat", 0, 1000, above=True),
    heel_od_kg=Arg("fibre left in the vat", 0, 1e5),
    heel_water_kg=Arg("water left in the vat", 0, 1e6),
    chemical_water_kg=Arg("water that comes with chemicals", 0, 1e5),
    density_t_per_m3=Arg("stock density", 0.8, 1.3),
)
def repulp_batch(
    *,
    items: list[dict[str, float]],
    target_consistency_pct: float,
    usable_volume_m3: float,
    heel_od_kg: float = 0.0,
    heel_water_kg: float = 0.0,
    chemical_water_kg: float = 0.0,
    density_t_per_m3: float = 1.0,
) -> PulperBatch:
    """Return fibre, water and volume of a batch; refuses one that does not fit."""
    if not items:
        raise DomainError("E_COUNT", "items", "no bales are given", "at least one kind of bale")
    wet = sum(row["bales_count"] * row["unit_kg"] for row in items)
    od = sum(row["bales_count"] * row["unit_kg"] * row["dryness_pct"] / 100 for row in items) + heel_od_kg
    total = 100 * od / target_consistency_pct
    water = total - wet - heel_od_kg - heel_water_kg - chemical_water_kg
    volume = total / 1000 / density_t_per_m3
    if water < 0:
        wettest = 100 * od / (total - water)
        message = (
            f"the bales are wetter than {target_consistency_pct:g} %; they give {wettest:.1f} % with no water added"
        )
        raise DomainError("E_INFEASIBLE", "target_consistency_pct", message, f"{wettest:.1f} % or less")
    if volume > usable_volume_m3:
        message = f"the batch needs {volume:.1f} m³ and the vat holds {usable_volume_m3:g} m³; take fewer bales"
        raise DomainError("E_INFEASIBLE", "usable_volume_m3", message, f"{volume:.1f} m³ or more")
    return PulperBatch(od, water, volume, od / 900)


@method(
    "water_t = bdt * (100 / target_consistency_pct - 100 / consistency_pct)",
    title="Water that corrects a batch",
    station="slushing",
    source="mass balance; negative means a bale is short instead",
    example=Example({"bdt": 2.76, "consistency_pct": 5.4, "target_consistency_pct": 5.0}, {"water_t": 4.089}),
    bdt=Arg("bone-dry stock in the vat", 0, 1000),
    consistency_pct=Arg("consistency measured", 0, 40, above=True),
    target_consistency_pct=Arg("consistency wanted", 0, 40, above=True),
)
def batch_water_correction(*, bdt: float, consistency_pct: float, target_consistency_pct: float) -> float:
    """Return the water to add to a batch that came out too thick."""
    return bdt * (100 / target_consistency_pct - 100 / consistency_pct)
