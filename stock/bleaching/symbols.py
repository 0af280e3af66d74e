"""Stages by their symbols: what each charges, where it is run, how pulp answers to it.

Responses, floors, rates and losses are defaults to be fitted to the mill's own results, those of O, EO, D2, Z,
Paa and Q above all; windows are what is usual. A mill's file says otherwise where the mill knows better.
"""

from collections.abc import Mapping
from dataclasses import dataclass, replace
from typing import Final, Literal

from stock.bleaching.charge import CLO2_ACTIVE_CL

Chemical = Literal[
    "dioxide", "oxygen", "peroxide", "caustic", "dithionite", "FAS", "ozone", "peracid", "chelant", "acid", "hypochlorite",
]  # fmt: skip
Furnish = Literal["chemical", "mechanical", "recovered"]
Window = tuple[float, float]

FORMULA: Final[Mapping[str, str]] = {
    "dioxide": "ClO₂", "oxygen": "O₂", "peroxide": "H₂O₂", "caustic": "NaOH", "dithionite": "Na₂S₂O₄", "FAS": "FAS",
    "ozone": "O₃", "peracid": "peracetic acid", "chelant": "DTPA", "acid": "H₂SO₄", "hypochlorite": "NaOCl",
    "silicate": "silicate", "magnesium": "Mg", "sulphur_dioxide": "SO₂",
}  # fmt: skip


@dataclass(frozen=True, slots=True)
class Symbol:
    """A kind of stage.

    Charges are kilograms of 100 % chemical a bone-dry tonne at the stage; the response counts `per_kg` of each
    (dioxide as active chlorine). Dirt and shives fade at `dirt_rate` a kilogram: a default, fitted to counts. Windows are (least, most).
    """

    symbol: str
    words: str
    chemical: Chemical
    charge: Window
    consistency_pct: Window
    temperature_c: Window
    minutes: Window
    ph: Window
    residual: str
    hold_h: float
    response: float = 0.0
    floor: float = 0.0
    kappa_rate: float = 0.0
    kappa_floor: float = 0.0
    scission: float = 0.0
    yield_per_kappa: float = 0.0
    yield_base: float = 0.0
    cod_demand: float = 0.0
    wash_removal: float = 0.0
    per_kg: float = 1.0
    alkali: Window = (0.0, 0.0)
    dirt_rate: float = 0.0


SYMBOLS: Final[Mapping[str, Symbol]] = {
    one.symbol: one
    for one in (
        Symbol(
            "O", "oxygen, under pressure", "caustic", (15, 25), (10, 12), (85, 105), (40, 80), (10.5, 11.5),
            "a trace of alkali", 4, 0.05, 0.020, 0.0, 1.0, 1.1, 0.20, 0.3, 0.0, 0.85, dirt_rate=0.03,
        ),
        Symbol(
            "A", "hot acid", "acid", (2, 10), (9, 11), (85, 95), (60, 150), (3.0, 3.5), "none", 4,
            yield_base=0.3, scission=0.3, wash_removal=0.7, dirt_rate=0.01,
        ),
        Symbol(
            "D0", "dioxide, first", "dioxide", charge=(2, 14), consistency_pct=(3, 12), temperature_c=(50, 70), minutes=(30, 60),
            ph=(2.0, 3.0), residual="none to a trace", hold_h=2, response=0.18, floor=0.006, kappa_rate=11, kappa_floor=2.0,
            scission=0.1, cod_demand=0.40, per_kg=CLO2_ACTIVE_CL, yield_per_kappa=0.20, yield_base=0.1, wash_removal=0.80, dirt_rate=0.03,
        ),
        Symbol(
            "E", "extraction", "caustic", (8, 25), (10, 12), (60, 85), (60, 90), (10.8, 11.3), "none", 4,
            scission=0.2, yield_base=0.4, wash_removal=0.85, dirt_rate=0.005,
        ),
        Symbol(
            "EO", "extraction with oxygen", "oxygen", (3, 6), (10, 12), (60, 85), (60, 90), (10.8, 11.3), "none", 4,
            0.06, 0.010, 3, 1.0, 0.3, 0.20, 0.5, 0.0, 0.85, alkali=(8, 25), dirt_rate=0.03,
        ),
        Symbol(
            "EP", "extraction with peroxide", "peroxide", (1, 8), (10, 12), (60, 85), (60, 90), (10.8, 11.3),
            "0 to 20 % of the charge", 4, 0.27, 0.006, 5, 1.0, 0.4, 0.20, 0.6, 0.05, 0.85, alkali=(8, 25), dirt_rate=0.04,
        ),
        Symbol(
            "EOP", "extraction with oxygen and peroxide", "peroxide", (1, 8), (10, 12), (60, 85), (60, 90), (10.8, 11.3),
            "0 to 20 % of the charge", 4, 0.27, 0.006, 6, 1.0, 0.5, 0.20, 0.7, 0.05, 0.85, alkali=(8, 25), dirt_rate=0.04,
        ),
        Symbol(
            "D1", "dioxide, second", "dioxide", charge=(2, 12), consistency_pct=(10, 12), temperature_c=(70, 75), minutes=(150, 180),
            ph=(3.5, 4.2), residual="0.02 to 0.10 g/L active chlorine", hold_h=4, response=0.31, floor=0.0035,
            kappa_rate=4, kappa_floor=0.5, scission=0.1, cod_demand=0.20, per_kg=CLO2_ACTIVE_CL, yield_per_kappa=0.20, yield_base=0.1, wash_removal=0.80, dirt_rate=0.03,
        ),
        Symbol(
            "D2", "dioxide, third", "dioxide", charge=(1, 6), consistency_pct=(10, 12), temperature_c=(70, 80), minutes=(150, 240),
            ph=(4.0, 4.5), residual="0.02 to 0.08 g/L active chlorine", hold_h=4, response=0.40, floor=0.0035,
            kappa_rate=4, kappa_floor=0.5, scission=0.1, cod_demand=0.20, per_kg=CLO2_ACTIVE_CL, yield_per_kappa=0.20, yield_base=0.1, wash_removal=0.80, dirt_rate=0.03,
        ),
        Symbol(
            "P", "peroxide", "peroxide", (2, 20), (10, 15), (75, 95), (60, 240), (10.5, 11.2), "10 to 30 % of the charge", 3,
            0.25, 0.006, 2, 0.5, 1.0, 0.20, 0.4, 0.05, 0.80, alkali=(4, 20), dirt_rate=0.02,
        ),
        Symbol(
            "OP", "peroxide under oxygen", "peroxide", (5, 25), (10, 15), (90, 105), (60, 180), (10.5, 11.2),
            "10 to 30 % of the charge", 3, 0.27, 0.006, 3, 0.5, 1.2, 0.20, 0.5, 0.05, 0.80, alkali=(6, 25), dirt_rate=0.02,
        ),
        Symbol(
            "PO", "peroxide under pressure", "peroxide", (5, 25), (10, 15), (95, 105), (60, 120), (10.5, 11.2),
            "10 to 30 % of the charge", 3, 0.29, 0.006, 2, 0.5, 1.3, 0.20, 0.5, 0.05, 0.80, alkali=(6, 25), dirt_rate=0.02,
        ),
        Symbol(
            "Q", "chelant", "chelant", (1, 4), (3, 10), (60, 90), (30, 60), (5.0, 7.0), "not determined", 4,
            scission=0.05, yield_base=0.1, wash_removal=0.70,
        ),
        Symbol(
            "Z", "ozone", "ozone", (3, 6), (10, 40), (40, 55), (1, 2), (2.0, 3.0), "none", 2,
            0.45, 0.010, 13, 0.5, 1.5, 0.20, 0.3, 0.05, 0.80, dirt_rate=0.03,
        ),
        Symbol(
            "Paa", "peracetic acid", "peracid", (2, 6), (10, 12), (60, 75), (60, 120), (4.5, 5.5), "5 to 20 % of the charge", 2,
            0.20, 0.006, 5, 0.5, 0.2, 0.20, 0.1, 0.10, 0.80, dirt_rate=0.03,
        ),
        Symbol(
            "Y", "dithionite", "dithionite", (5, 12), (3, 5), (50, 65), (30, 60), (5.0, 6.5), "none: it is consumed", 2,
            0.35, 0.055, yield_base=0.2, cod_demand=0.02,
        ),
        Symbol(
            "FAS", "formamidine sulphinic acid", "FAS", (2, 6), (5, 20), (60, 95), (10, 60), (8.0, 9.5), "none", 2,
            0.40, 0.050, yield_base=0.2, cod_demand=0.02, alkali=(1, 3),
        ),
        Symbol(
            "H", "hypochlorite, to be left", "hypochlorite", (5, 30), (3, 10), (30, 40), (60, 180), (9.0, 11.0),
            "0.1 to 0.5 g/L active chlorine", 1, scission=1.5, yield_base=0.5, wash_removal=0.8, dirt_rate=0.03,
        ),
    )
}  # fmt: skip

FURNISHED: Final[Mapping[tuple[str, Furnish], Symbol]] = {
    ("P", "mechanical"): replace(
        SYMBOLS["P"], words="peroxide on mechanical pulp", charge=(10, 40), consistency_pct=(10, 35), temperature_c=(60, 75),
        minutes=(60, 180), ph=(8.0, 9.5), residual="10 to 25 % of the charge", response=0.20, floor=0.020, kappa_rate=0.0,
        scission=0.0, yield_per_kappa=0.0, yield_base=2.0, wash_removal=0.5, dirt_rate=0.01,
    ),
    ("P", "recovered"): replace(
        SYMBOLS["P"], words="peroxide on recovered pulp", charge=(2, 20), consistency_pct=(5, 35), temperature_c=(50, 90),
        minutes=(10, 180), ph=(8.5, 10.5), residual="10 to 25 % of the charge", response=0.19, floor=0.045, kappa_rate=0.0,
        scission=0.0, yield_per_kappa=0.0, yield_base=1.0, wash_removal=0.5, dirt_rate=0.005,
    ),
}  # fmt: skip


def symbol_of(symbol: str, furnish: Furnish = "chemical") -> Symbol:
    """Return what a stage of a symbol is on a furnish."""
    return FURNISHED.get((symbol, furnish), SYMBOLS[symbol])


def middle(window: Window) -> float:
    """Return the middle of a window."""
    return (window[0] + window[1]) / 2


CAUTIONS: Final[Mapping[str, str]] = {
    "dioxide": "Read the gas monitor, prove fan and scrubber before the pump may run; no stock flow, no dioxide. Solution cold, dark, swept. Alarm, fumes or a thumping tank: out across the wind, isolate from the control room, call.",
    "oxygen": "Clean lines, no oil, no smoking: enriched air makes clothing burn. Reactor vents carry organics and carbon monoxide, never into strong-gas lines.",
    "ozone": "Poisonous at 0.1 ppm, in oxygen-rich gas. Destructor running and leak trip armed, or no feed.",
    "peroxide": "Never trap it between closed valves: each section has its relief. Keep it from metal, organics and caustic; flush with water, never to wood or rags.",
    "caustic": "It blinds within seconds and heats as it is diluted: face shield, proved shower, caustic into water.",
    "acid": "Acid into water. Acid filtrate never meets sulphide, sulphite or hypochlorite: gas that kills.",
    "dithionite": "It heats by itself when damp and gives off sulphur dioxide: dry, sealed, away from acid and oxidisers. A smoking drum: out, call.",
    "FAS": "Dissolve and use it; not with oxidisers. Dust mask, gloves.",
    "peracid": "An oxidiser that decomposes with metals and caustic: vented, cool, its own drain.",
    "sulphur_dioxide": "Gas from its solution: the monitor judges, never the nose; never with acid.",
    "silicate": "Alkaline and slippery; goggles, gloves; its own tank, it gels with acid.",
    "chelant": "Gloves and face shield; its own tank.",
    "hypochlorite": "Start above pH 10, end above 9, 40 °C at most, its own drain: acid filtrate frees chlorine. Leave it for peroxide or dioxide by trial.",
}
