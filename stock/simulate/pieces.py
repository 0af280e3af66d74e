"""What a line is laid out in: rows that hold, transfers between them, towers, digesters, what parts."""

from dataclasses import dataclass, field
from typing import Final, Literal, get_args

import numpy as np

LIP_S: Final = 20.0  # how fast an overflow answers

Way = Literal["pumped", "lip", "full", "accepts", "rest", "feed", "makeup"]
WAYS: Final[tuple[Way, ...]] = get_args(Way)


@dataclass(frozen=True, slots=True)
class Holder:
    """A row of the plant: what holds something, how much of it at rest, of what make-up."""

    id: str
    unit: str
    content_t: float
    make_up: np.ndarray = field(repr=False)


@dataclass(frozen=True, slots=True)
class Transfer:
    """A flow of its own: what leaves a holder, or comes from outside (`donor` -1), and how it runs."""

    id: str
    way: Way
    donor: int
    design_t_per_s: float
    make_up: np.ndarray = field(repr=False)
    lip_t: float = 0.0
    over_s: float = LIP_S


@dataclass(frozen=True, slots=True)
class TowerPlan:
    """A tower: stock goes in at the head, moves as parcels, leaves from a mixed foot."""

    unit: str
    head: int
    foot: int
    parcel_t: float
    foot_t: float
    yield_frac: float = 1.0


@dataclass(frozen=True, slots=True)
class GroupPlan:
    """Digesters that cook at one unit: the bin they are charged from, their liquor, where they are blown to."""

    unit: str
    stream_in: str
    bin: int
    liquor: int
    target: int
    yield_frac: float
    liquor_per_chips: float
    charge_bdt: float


@dataclass(frozen=True, slots=True)
class Parting:
    """A unit that parts what it holds: its row, the transfers of both outlets, the share of each column."""

    unit: str
    row: int
    accepts: int
    rest: int
    shares: np.ndarray = field(repr=False)
    consistency_pct: float  # nought where water goes with its share
