"""Stock warmed with steam: straight into it, or through a wall."""

from typing import Final, NamedTuple

from stock.errors import DomainError
from stock.working import Arg, Example, method

CP_FIBRE, CP_WATER = 1.34, 4.19  # kJ/(kg·K)
_PULP: Final = Arg("pulp", 0, 1000, above=True)
_THICK: Final = Arg("its consistency", 0, 40, above=True)
_CAME: Final = Arg("as it comes", 0, 100)
_WANTED: Final = Arg("as it is to be", 0, 100)
_STEAM: Final = Arg("enthalpy of the steam", 2400, 3400)


def _warmed_kj(production_bdt_per_h: float, stock_consistency_pct: float, in_c: float, out_c: float) -> float:
    """Return the heat that warms stock, MJ/h; refuses a steam that cools."""
    if out_c < in_c:
        message = f"steam cools nothing: {out_c:g} °C after {in_c:g} °C"
        raise DomainError("E_RANGE", "out_c", message, f"{in_c:g} to 100 °C")
    share = stock_consistency_pct / 100
    heat = share * CP_FIBRE + (1 - share) * CP_WATER
    return production_bdt_per_h / share * heat * (out_c - in_c)


class Steamed(NamedTuple):
    """Steam let into stock, and how thin it makes it."""

    steam_t_per_h: float
    consistency_pct: float


@method(
    "stock_t_per_h = 100 * production_bdt_per_h / stock_consistency_pct\n"
    "heat_kj_per_kg_k = stock_consistency_pct / 100 * 1.34 + (1 - stock_consistency_pct / 100) * 4.19\n"
    "steam_t_per_h = stock_t_per_h * heat_kj_per_kg_k * (out_c - in_c) / (steam_kj_per_kg - 4.19 * out_c)\n"
    "consistency_pct = 100 * production_bdt_per_h / (stock_t_per_h + steam_t_per_h)",
    title="Steam straight into stock",
    station="bleaching",
    source="balance of heat; 2738 kJ/kg at 0.4 MPa abs",
    results=Steamed._fields,
    example=Example(
        {"production_bdt_per_h": 18, "stock_consistency_pct": 10, "in_c": 62, "out_c": 76},
        {"steam_t_per_h": 4.067, "consistency_pct": 9.779},
    ),
    production_bdt_per_h=_PULP,
    stock_consistency_pct=_THICK,
    in_c=_CAME,
    out_c=_WANTED,
    steam_kj_per_kg=_STEAM,
)
def direct_steam(
    *,
    production_bdt_per_h: float,
    stock_consistency_pct: float,
    in_c: float,
    out_c: float,
    steam_kj_per_kg: float = 2738.0,
) -> Steamed:
    """Return the steam that warms stock, and how thin the stock is after it."""
    stock = 100 * production_bdt_per_h / stock_consistency_pct
    warmed = _warmed_kj(production_bdt_per_h, stock_consistency_pct, in_c, out_c)
    steam = warmed / (steam_kj_per_kg - CP_WATER * out_c)
    return Steamed(steam, 100 * production_bdt_per_h / (stock + steam))


@method(
    "stock_t_per_h = 100 * production_bdt_per_h / stock_consistency_pct\n"
    "heat_kj_per_kg_k = stock_consistency_pct / 100 * 1.34 + (1 - stock_consistency_pct / 100) * 4.19\n"
    "steam_t_per_h = stock_t_per_h * heat_kj_per_kg_k * (out_c - in_c) / (steam_kj_per_kg - 4.19 * condensate_c)"
    " / (1 - loss_frac)",
    title="Steam through a wall",
    station="bleaching",
    source="balance of heat; the condensate leaves hot and clean, the stock stays as thick as it came",
    results=("steam_t_per_h",),
    example=Example(
        {"production_bdt_per_h": 18, "stock_consistency_pct": 10, "in_c": 62, "out_c": 76, "condensate_c": 90},
        {"steam_t_per_h": 4.168},
    ),
    notes="Straight in is cheaper to build and thins the stock; through a wall keeps the water and the condensate.",
    production_bdt_per_h=_PULP,
    stock_consistency_pct=_THICK,
    in_c=_CAME,
    out_c=_WANTED,
    condensate_c=Arg("condensate as it leaves", 20, 180),
    steam_kj_per_kg=_STEAM,
    loss_frac=Arg("heat lost on the way", 0, 0.5),
)
def indirect_steam(
    *,
    production_bdt_per_h: float,
    stock_consistency_pct: float,
    in_c: float,
    out_c: float,
    condensate_c: float = 90.0,
    steam_kj_per_kg: float = 2738.0,
    loss_frac: float = 0.0,
) -> float:
    """Return the steam a heater with a wall takes to warm stock."""
    warmed = _warmed_kj(production_bdt_per_h, stock_consistency_pct, in_c, out_c)
    return warmed / (steam_kj_per_kg - CP_WATER * condensate_c) / (1 - loss_frac)
