"""From what is weighed or metered to bone-dry tonnes."""

from typing import NamedTuple

from stock.working import Arg, Example, method


class BoneDry(NamedTuple):
    """Bone-dry and air-dry mass of the same lot."""

    bdt: float
    adt: float


@method(
    "bdt = gross_t * (1 - moisture_pct / 100)\nadt = bdt / (air_dry_basis_pct / 100)",
    title="Bone-dry and air-dry mass from moisture",
    station="consistency",
    source="ISO 638 dry matter; 90 % dry is the trade's air-dry convention",
    example=Example({"gross_t": 102.0, "moisture_pct": 12.4}, {"bdt": 89.352, "adt": 99.28}),
    gross_t=Arg("mass as received", 0),
    moisture_pct=Arg("moisture of the wet mass", 0, 100, below=True),
    air_dry_basis_pct=Arg("dryness counted as air-dry", 80, 100),
)
def bone_dry_from_moisture(*, gross_t: float, moisture_pct: float, air_dry_basis_pct: float = 90.0) -> BoneDry:
    """Return bone-dry and air-dry mass; moisture is on the wet mass."""
    bdt = gross_t * (1 - moisture_pct / 100)
    return BoneDry(bdt, bdt / (air_dry_basis_pct / 100))


@method(
    "bdt_per_d = 0.0144 * flow_l_per_min * density_kg_per_l * consistency_pct",
    title="Bone-dry production from flow and consistency",
    station="consistency",
    source="definition",
    aliases=("bd_rate_t_d",),
    example=Example({"flow_l_per_min": 5200, "consistency_pct": 3.6}, {"bdt_per_d": 269.57}),
    flow_l_per_min=Arg("stock flow", 0, 1e6),
    consistency_pct=Arg("consistency", 0, 40),
    density_kg_per_l=Arg("stock density", 0.8, 1.3),
)
def bd_rate_t_per_d(*, flow_l_per_min: float, consistency_pct: float, density_kg_per_l: float = 1.0) -> float:
    """Return the bone-dry production a stock flow carries in a day."""
    return 0.0144 * flow_l_per_min * density_kg_per_l * consistency_pct


@method(
    "bdt_per_h = 0.0006 * flow_l_per_min * density_kg_per_l * consistency_pct",
    title="Bone-dry rate from flow and consistency",
    station="consistency",
    source="definition",
    example=Example({"flow_l_per_min": 2900, "consistency_pct": 4.1}, {"bdt_per_h": 7.134}),
    flow_l_per_min=Arg("stock flow", 0, 1e6),
    consistency_pct=Arg("consistency", 0, 40),
    density_kg_per_l=Arg("stock density", 0.8, 1.3),
)
def bd_rate_t_per_h(*, flow_l_per_min: float, consistency_pct: float, density_kg_per_l: float = 1.0) -> float:
    """Return the bone-dry rate a stock flow carries."""
    return 0.0006 * flow_l_per_min * density_kg_per_l * consistency_pct


@method(
    "made_bdt = 0.0006 * flow_l_per_min * density_kg_per_l * consistency_pct * hours_h",
    title="Bone-dry stock that passed",
    station="consistency",
    source="mean flow times mean consistency; exact where the two do not swing together",
    example=Example({"flow_l_per_min": 3560, "consistency_pct": 3.5, "hours_h": 12}, {"made_bdt": 89.71}),
    flow_l_per_min=Arg("mean flow", 0, 1e6),
    consistency_pct=Arg("mean consistency", 0, 40),
    hours_h=Arg("how long", 0, 1000),
    density_kg_per_l=Arg("stock density", 0.8, 1.3),
)
def made_bdt(*, flow_l_per_min: float, consistency_pct: float, hours_h: float, density_kg_per_l: float = 1.0) -> float:
    """Return the bone-dry stock that passed a place in some hours."""
    rate = bd_rate_t_per_h(
        flow_l_per_min=flow_l_per_min, density_kg_per_l=density_kg_per_l, consistency_pct=consistency_pct
    )
    return rate * hours_h


@method(
    "flow_l_per_min = bdt_per_h / (0.0006 * density_kg_per_l * consistency_pct)",
    title="Stock flow that carries a bone-dry rate",
    station="consistency",
    source="definition",
    example=Example({"bdt_per_h": 10.5247, "consistency_pct": 3.2}, {"flow_l_per_min": 5481.6}),
    bdt_per_h=Arg("bone-dry rate", 0, 1e4),
    consistency_pct=Arg("consistency", 0, 40, above=True),
    density_kg_per_l=Arg("stock density", 0.8, 1.3),
)
def stock_flow_l_per_min(*, bdt_per_h: float, consistency_pct: float, density_kg_per_l: float = 1.0) -> float:
    """Return the stock flow that carries a bone-dry rate at a consistency."""
    return bdt_per_h / (0.0006 * density_kg_per_l * consistency_pct)


@method(
    "bd_short_t_per_d = flow_us_gal_per_min * 1440 * density_lb_per_us_gal * consistency_pct / 100 / 2000",
    title="Bone-dry production in US units",
    station="consistency",
    source="definition; the rounded trade rule is 0.06 gpm %",
    aliases=("bd_rate_short_tpd",),
    example=Example({"flow_us_gal_per_min": 1400, "consistency_pct": 3.5}, {"bd_short_t_per_d": 294.43}),
    flow_us_gal_per_min=Arg("stock flow", 0, 1e6),
    consistency_pct=Arg("consistency", 0, 40),
    density_lb_per_us_gal=Arg("stock density", 6.7, 10.9),
)
def bd_rate_short_t_per_d(
    *, flow_us_gal_per_min: float, consistency_pct: float, density_lb_per_us_gal: float = 8.3454
) -> float:
    """Return bone-dry short tons a day from US gallons a minute."""
    return flow_us_gal_per_min * 1440 * density_lb_per_us_gal * consistency_pct / 100 / 2000


@method(
    "liquor_t_per_bdt = (100 - consistency_pct) / consistency_pct",
    title="Liquor that goes with the pulp",
    station="consistency",
    source="definition",
    example=Example({"consistency_pct": 12.0}, {"liquor_t_per_bdt": 7.333}),
    consistency_pct=Arg("consistency", 0, 100, above=True, below=True),
)
def liquor_ratio_t_per_bdt(*, consistency_pct: float) -> float:
    """Return tonnes of liquor per bone-dry tonne of pulp."""
    return (100 - consistency_pct) / consistency_pct


@method(
    "bdt = adt * air_dry_frac",
    title="Bone-dry from air-dry tonnes",
    station="consistency",
    source="trade convention: 1 ADt is 0.9 BDt",
    example=Example({"adt": 10.0}, {"bdt": 9.0}),
    adt=Arg("air-dry mass", 0),
    air_dry_frac=Arg("dryness counted as air-dry", 0.8, 1.0),
)
def bdt_from_adt(*, adt: float, air_dry_frac: float = 0.9) -> float:
    """Return bone-dry tonnes from air-dry tonnes."""
    return adt * air_dry_frac
