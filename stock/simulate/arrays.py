"""What a step of a plant works with, as plain arrays: what is wired once, what faults and people make of it, what moves.

Each group stands in the order in which the compiled stroke takes it.
"""

from typing import Final, NamedTuple

import numpy as np

DRY, TOTAL, ASH = range(3)
MEASURED: Final = 3  # of a flow: these


class Sparse(NamedTuple):
    """A matrix of which most is nothing: what stands in each row, and where."""

    starts: np.ndarray
    at: np.ndarray
    values: np.ndarray


def sparse_of(matrix: np.ndarray) -> Sparse:
    """Return a matrix as what is not nothing in its rows, all of it laid out alike: a layout more is compiled for."""
    rows, at = np.nonzero(matrix)
    starts = np.searchsorted(rows, np.arange(len(matrix) + 1))
    return Sparse(starts, np.ascontiguousarray(at), np.ascontiguousarray(matrix[rows, at], dtype=float))


class Eyes(NamedTuple):
    """Where each loop looks, among all that is measured and held: a quotient times a factor."""

    at: np.ndarray
    over: np.ndarray
    times: np.ndarray


class Loops(NamedTuple):
    """The controllers: what each reads, how it answers, what it drives."""

    offset: np.ndarray
    late_at: np.ndarray
    lag: np.ndarray
    least_t: np.ndarray
    set_point: np.ndarray
    reset_gain: np.ndarray
    gain: np.ndarray
    per_rest: np.ndarray  # of a consistency's loop: one over the bone-dry that runs there at rest; 0 for others
    auto: np.ndarray
    at_rest: np.ndarray  # loops that wait while the sheet is lost
    drives: np.ndarray
    driven: np.ndarray
    total: int  # the loop that asks for the whole furnish; -1 for none


class Followers(NamedTuple):
    """What runs in ratio to a stream, the furnish by its shares, bins by their digesters."""

    ratio_driven: np.ndarray
    ratio_per_bd: np.ndarray
    low: np.ndarray  # ratios that give more as their liquor stands low
    low_held: np.ndarray
    low_half: np.ndarray
    share_driven: np.ndarray
    shares: np.ndarray
    share_gain: np.ndarray
    bin_driven: np.ndarray
    bin_rows: np.ndarray
    bin_asked: np.ndarray
    by_hand: np.ndarray
    design: np.ndarray
    usual: np.ndarray


class Valves(NamedTuple):
    """How far and how fast each flow can be moved."""

    range: np.ndarray
    most: np.ndarray
    stroke: np.ndarray
    sticks: np.ndarray  # nothing where none sticks
    header_starts: np.ndarray  # flows that share a pump
    header_at: np.ndarray
    caps: np.ndarray  # what each such pump can give


class Ways(NamedTuple):
    """How transfers lie, and what holds what."""

    balance: Sparse  # what each holder gains of each transfer; the line in the last row
    coming: np.ndarray
    sense: Sparse
    looks: np.ndarray  # what is summed of every flow: what is measured, what rides
    edges: np.ndarray
    edge_rows: np.ndarray
    edge_t: np.ndarray
    edge_per_s: np.ndarray
    drawn_from: np.ndarray
    first_draw: int
    first_fed: int
    first_accepts: int
    first_rest: int
    tower_foot: np.ndarray
    tower_head: np.ndarray


class Parts(NamedTuple):
    """How what comes to a separation is parted, what is fed made, what leaves unmixed or runs in unasked."""

    row: np.ndarray
    share: np.ndarray
    hold_s: float
    wet: np.ndarray
    keeps: np.ndarray  # water a mat keeps for its solids, as it wanders
    feed_made: np.ndarray
    swing_rows: np.ndarray
    swings: np.ndarray
    stray_at: np.ndarray
    strays: np.ndarray


class Beating(NamedTuple):
    """What runs through each refiner, into which holder, and what it takes of the logarithm of freeness."""

    starts: np.ndarray
    at: np.ndarray
    times: np.ndarray
    into: np.ndarray
    falls: np.ndarray  # for each t/s of bone-dry, as its power and its plates are now
    least_bdt_per_s: float


class Moving(NamedTuple):
    """What changes in a step, in place."""

    mass: np.ndarray
    flow: np.ndarray
    flows: np.ndarray
    rows: np.ndarray  # bone-dry, total and filler of each flow, as it is now
    wanted: np.ndarray
    filtered: np.ndarray
    error: np.ndarray
    ring: np.ndarray
    in_parcels: np.ndarray
    total_bd: np.ndarray
    moved: np.ndarray  # what rides, carried since it was settled last
