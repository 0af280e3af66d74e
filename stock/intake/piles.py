"""Piles: what lies in them by lot, how it ages, and drawing the oldest first."""

from collections.abc import Collection, Iterable, Mapping, Sequence
from dataclasses import dataclass, replace
from math import pi
from typing import Final, Literal, NamedTuple

import numpy as np

from stock.errors import DomainError
from stock.intake.chips import packed_bdt
from stock.working import Arg, Example, Rows, method, warn

MONTH_S: Final = 30.4375 * 86_400
DUST_BDT: Final = 1e-6  # less than a gram left of a lot is none
Q10: Final = Arg("how much faster ten degrees make it", 1, 5)
REF_LOSS: Final = Arg("loss a month at the reference temperature", 0, 0.5)
PILE_C: Final = Arg("temperature inside the pile", -40, 80, usual=(-40, 60))
REF_C: Final = Arg("reference temperature", -40, 80)


# ---- ageing


@method(
    "loss_per_month = ref_loss_per_month * q10_ratio**((temperature_c - ref_temperature_c) / 10)",
    title="Loss of a pile at its temperature",
    station="intake",
    source="Q10 rule; figures are defaults to be fitted",
    example=Example(
        {"temperature_c": 27, "ref_loss_per_month": 0.008, "q10_ratio": 2, "ref_temperature_c": 15},
        {"loss_per_month": 0.01838},
    ),
    temperature_c=PILE_C,
    ref_loss_per_month=REF_LOSS,
    q10_ratio=Q10,
    ref_temperature_c=REF_C,
)
def pile_loss(
    *, temperature_c: float, ref_loss_per_month: float = 0.008, q10_ratio: float = 2.0, ref_temperature_c: float = 15.0
) -> float:
    """Return the share of its wood a pile loses in a month."""
    faster: float = q10_ratio ** ((temperature_c - ref_temperature_c) / 10)
    return ref_loss_per_month * faster


@method(
    "mass_bdt = initial_bdt * exp(-sum(ref_loss_per_month * q10_ratio**((monthly_pile_temperatures_c"
    " - ref_temperature_c) / 10)))",
    title="Pile mass after months",
    station="intake",
    source="first-order loss with a Q10 of 2; figures are defaults to be fitted",
    aliases=("pile_mass_after_bdt",),
    example=Example(
        {
            "initial_bdt": 12000,
            "monthly_pile_temperatures_c": [12, 22, 27],
            "ref_loss_per_month": 0.008,
            "q10_ratio": 2,
            "ref_temperature_c": 15,
        },
        {"mass_bdt": 11554},
    ),
    initial_bdt=Arg("mass laid down", 0, 1e7),
    monthly_pile_temperatures_c=Arg("temperature inside the pile, month by month", -40, 80, series=True, count=0),
    ref_loss_per_month=REF_LOSS,
    q10_ratio=Q10,
    ref_temperature_c=REF_C,
)
def pile_mass_after(
    *,
    initial_bdt: float,
    monthly_pile_temperatures_c: np.ndarray,
    ref_loss_per_month: float = 0.008,
    q10_ratio: float = 2.0,
    ref_temperature_c: float = 15.0,
) -> float:
    """Return what is left of a pile after months at these temperatures inside it."""
    if monthly_pile_temperatures_c.size and monthly_pile_temperatures_c.max() > 60:
        warn("the pile is above 60 °C: it heats itself; reclaim it first")
    rates = ref_loss_per_month * q10_ratio ** ((monthly_pile_temperatures_c - ref_temperature_c) / 10)
    return float(initial_bdt * np.exp(-rates.sum()))


# ---- stock


@method(
    "stock_d = sum(lots_bdt) / consumption_bdt_per_d",
    title="Days of stock",
    station="intake",
    source="definition",
    aliases=("inventory_days",),
    example=Example({"lots_bdt": [4200, 5100, 3600], "consumption_bdt_per_d": 1290}, {"stock_d": 10.0}),
    lots_bdt=Arg("what lies there", 0, 1e7, series=True, count=0),
    consumption_bdt_per_d=Arg("used in a day", 0, 1e7, above=True),
)
def inventory_d(*, lots_bdt: np.ndarray, consumption_bdt_per_d: float) -> float:
    """Return how many days a stock lasts."""
    return float(lots_bdt.sum()) / consumption_bdt_per_d


@method(
    "rate_bdt_per_d = stock_bdt / (lead_d + 1)",
    title="Use that lasts until the next delivery",
    station="intake",
    source="stock to last the delivery's lead time and a day",
    example=Example({"stock_bdt": 980, "lead_d": 4}, {"rate_bdt_per_d": 196.0}),
    stock_bdt=Arg("what lies there", 0, 1e7),
    lead_d=Arg("days to the next delivery", 0, 365),
)
def rate_for_lead(*, stock_bdt: float, lead_d: float) -> float:
    """Return the daily use at which the stock outlasts the wait."""
    return stock_bdt / (lead_d + 1)


class Reclaimed(NamedTuple):
    """A draw, oldest first."""

    mean_age_d: float
    left_bdt: float
    left_lots_count: int
    left_each_bdt: list[float]


@method(
    "the oldest lot first, splitting the last; mean_age_d = sum(taken * age) / sum(taken)",
    title="First in, first out",
    station="intake",
    source="definition",
    aliases=("fifo_reclaim",),
    exact=False,
    results=Reclaimed._fields,
    example=Example(
        {
            "lots": [{"bdt": 4200, "age_d": 41}, {"bdt": 5100, "age_d": 23}, {"bdt": 3600, "age_d": 9}],
            "draw_bdt": 6000,
        },
        {"mean_age_d": 35.6, "left_bdt": 6900, "left_lots_count": 2, "left_each_bdt": [3300, 3600]},
    ),
    lots=Rows("lots in the pile", {"bdt": Arg("mass", 0, 1e7), "age_d": Arg("age", 0, 4000)}),
    draw_bdt=Arg("mass drawn", 0, 1e7, above=True),
)
def oldest_first(*, lots: list[dict[str, float]], draw_bdt: float) -> Reclaimed:
    """Return the mean age of a draw and what it leaves."""
    held = [Held(str(index), lot["bdt"], -lot["age_d"] * 86_400, 0) for index, lot in enumerate(lots)]
    taken, left = draw(held, draw_bdt, 0, 0.0)
    ages = sum(-move.bdt * lots[int(move.lot)]["age_d"] for move in taken)
    each = [float(one.bdt) for one in left]
    return Reclaimed(ages / draw_bdt, sum(each), len(each), each)


@method(
    "volume_m3 = 0.5 * width_m * height_m * (length_m - width_m) + 3.141592653589793 / 12 * width_m**2 * height_m",
    title="Volume of a ridge pile",
    station="intake",
    source="a prism with half a cone at each end",
    example=Example({"length_m": 62, "width_m": 24, "height_m": 9.5}, {"volume_m3": 5764.6}),
    length_m=Arg("length on the ground", 0, 1000, above=True),
    width_m=Arg("width on the ground", 0, 300, above=True),
    height_m=Arg("height of the ridge", 0, 60),
)
def ridge_volume(*, length_m: float, width_m: float, height_m: float) -> float:
    """Return the loose volume of a pile from its taped sides; a cone where it is as long as wide."""
    if length_m < width_m:
        message = f"length {length_m:g} m is less than width {width_m:g} m: give the longer side as length"
        raise DomainError("E_ORDER", "length_m", message, f"{width_m:g} m or more")
    return 0.5 * width_m * height_m * (length_m - width_m) + pi / 12 * width_m**2 * height_m


@method(
    "surveyed_bdt = volume_m3 * basic_density_kg_per_m3 * solid_volume_factor * (1 + packing_frac) / 1000",
    title="Bone-dry in a pile from its volume",
    station="intake",
    source="bulk density of settled chips",
    example=Example(
        {"volume_m3": 5764.6, "basic_density_kg_per_m3": 412, "solid_volume_factor": 0.38, "packing_frac": 0.10},
        {"surveyed_bdt": 992.8},
    ),
    volume_m3=Arg("volume surveyed", 0, 1e7),
    basic_density_kg_per_m3=Arg("basic density", 100, 1000),
    solid_volume_factor=Arg("solid share when loose", 0, 0.74, above=True, below=True),
    packing_frac=Arg("settling in the pile", 0, 0.4),
)
def surveyed(
    *, volume_m3: float, basic_density_kg_per_m3: float, solid_volume_factor: float, packing_frac: float = 0.10
) -> float:
    """Return what a pile of a volume holds."""
    return packed_bdt(volume_m3, basic_density_kg_per_m3, solid_volume_factor, packing_frac)


# ---- the stock book: what lies where, by lot

MoveKind = Literal["in", "out", "loss", "survey", "boiler", "correct"]


@dataclass(frozen=True, slots=True)
class Held:
    """A lot as it lies in a pile: its mass when last settled, and since when it lies there."""

    lot: str
    bdt: float
    since_s: float
    settled_s: float

    def now_bdt(self, at_s: float, loss_per_month: float) -> float:
        """Return its mass at a moment, ageing at a rate."""
        months = max(0.0, at_s - self.settled_s) / MONTH_S
        return float(self.bdt * np.exp(-loss_per_month * months)) if loss_per_month else self.bdt


@dataclass(frozen=True, slots=True)
class Move:
    """A change of what a lot holds in a pile: positive in, negative out."""

    lot: str
    kind: MoveKind
    bdt: float


def settle(held: Held, at_s: float, loss_per_month: float) -> tuple[Held, list[Move]]:
    """Book a lot's ageing up to a moment; a loss too small to book waits until it is not, so that none goes unbooked."""
    now = held.now_bdt(at_s, loss_per_month)
    if held.bdt - now <= DUST_BDT:
        return held, []
    return replace(held, bdt=now, settled_s=at_s), [Move(held.lot, "loss", now - held.bdt)]


def in_order(held: Iterable[Held]) -> list[Held]:
    """Return lots as they are reclaimed: the one that lies longest first."""
    return sorted(held, key=lambda one: (one.since_s, one.lot))


def draw(
    held: Sequence[Held], bdt: float, at_s: float, loss_per_month: float, aside: Collection[str] = ()
) -> tuple[list[Move], list[Held]]:
    """Draw from a pile, oldest first, passing over lots set aside.

    Returns
    -------
    tuple
        The moves (losses booked first, then what was taken) and what is left.

    Raises
    ------
    DomainError
        E_INFEASIBLE where less lies there than is drawn; nothing is moved.
    """
    there = sum(one.now_bdt(at_s, loss_per_month) for one in held if one.lot not in aside)
    if bdt > there + 0.005:
        message = f"{bdt:.1f} BDt is more than the {there:.1f} BDt that lies there"
        raise DomainError("E_INFEASIBLE", "draw_bdt", message, f"up to {there:.1f} BDt")
    moves: list[Move] = []
    left: list[Held] = []
    wanted = min(bdt, there)
    for one in in_order(held):
        if wanted <= DUST_BDT or one.lot in aside:
            left.append(one)
            continue
        settled, losses = settle(one, at_s, loss_per_month)
        taken = min(settled.bdt, wanted)
        wanted -= taken
        moves += [*losses, Move(one.lot, "out", -taken)]
        if settled.bdt - taken > DUST_BDT:
            left.append(replace(settled, bdt=settled.bdt - taken))
    return moves, left


def correct_to(
    held: Sequence[Held], measured_bdt: float, at_s: float, loss_per_month: float
) -> tuple[list[Move], list[Held]]:
    """Bring a pile to what a survey found, every lot by the same share.

    Raises
    ------
    DomainError
        E_INFEASIBLE where wood is found but no lot lies there to carry it.
    """
    settled, moves = [], []
    for one in held:
        now, losses = settle(one, at_s, loss_per_month)
        settled.append(now)
        moves += losses
    there = sum(one.bdt for one in settled)
    if there <= DUST_BDT:
        if measured_bdt <= DUST_BDT:
            return [], []
        message = "no lot lies in this pile by the book; receive a lot before a survey can correct it"
        raise DomainError("E_INFEASIBLE", "measured_bdt", message, "0 BDt")
    factor = measured_bdt / there
    moves += [Move(one.lot, "survey", one.bdt * (factor - 1)) for one in settled]
    return moves, [replace(one, bdt=one.bdt * factor, settled_s=at_s) for one in settled if one.bdt * factor > DUST_BDT]


AGE_BANDS_D: Final = (7, 14, 30, 60)


def age_bands(held: Iterable[Held], at_s: float, loss_per_month: float) -> list[float]:
    """Return the mass in each band of age, freshest first: under 7 days, 14, 30, 60, older."""
    bands = [0.0] * (len(AGE_BANDS_D) + 1)
    for one in held:
        age_d = (at_s - one.since_s) / 86_400
        bands[sum(age_d >= edge for edge in AGE_BANDS_D)] += one.now_bdt(at_s, loss_per_month)
    return bands


@dataclass(frozen=True, slots=True)
class Chipped:
    """A lot run through drum and chipper: what went on to the pile, what went to the boiler."""

    lot: str
    chips_bdt: float
    boiler_bdt: float


def chip(moves: Iterable[Move], bark_frac: Mapping[str, float], chip_yield_frac: float) -> list[Chipped]:
    """Turn what was drawn from a log deck into chips; bark, lost wood and fines go to the boiler."""
    made = []
    for move in moves:
        if move.kind == "out":
            chips = -move.bdt * (1 - bark_frac[move.lot]) * chip_yield_frac
            made.append(Chipped(move.lot, chips, -move.bdt - chips))
    return made


def lay(
    held: Sequence[Held], lot: str, bdt: float, at_s: float, since_s: float, loss_per_month: float
) -> tuple[list[Move], list[Held]]:
    """Lay wood of a lot on a pile; what lies there of it already is settled and keeps its place in the order.

    Returns
    -------
    tuple
        The moves, and what lies there now.
    """
    laid = Move(lot, "in", bdt)
    there = next((one for one in held if one.lot == lot), None)
    if there is None:
        return [laid], [*held, Held(lot, bdt, since_s, at_s)]
    now, losses = settle(there, at_s, loss_per_month)
    more = replace(now, bdt=now.bdt + bdt, settled_s=at_s)  # what is laid now has not aged
    return [*losses, laid], [more if one is there else one for one in held]
