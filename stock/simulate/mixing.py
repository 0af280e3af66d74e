"""What rides with mass, mixed into every holder at once, compiled."""

import numpy as np

from stock.simulate.compiling import entered, inner

Array = np.ndarray
EMPTY = 1e-12


@inner
def eliminate(matrix: Array, known: Array) -> None:
    """Solve in place, the found in `known`: without exchanges, since no row holds more from others than it holds."""
    count, riders = known.shape
    for at in range(count):
        for row in range(at + 1, count):
            factor = matrix[row, at] / matrix[at, at]
            if factor != 0.0:
                for column in range(at + 1, count):
                    matrix[row, column] -= factor * matrix[at, column]
                for rider in range(riders):
                    known[row, rider] -= factor * known[at, rider]
    for at in range(count - 1, -1, -1):
        for column in range(at + 1, count):
            factor = matrix[at, column]
            if factor != 0.0:
                for rider in range(riders):
                    known[at, rider] -= factor * known[column, rider]
        for rider in range(riders):
            known[at, rider] /= matrix[at, at]


@entered
def mixed(
    moved: Array, donor: Array, into: Array, feeds: Array, held: Array, share: Array,
    brought_to: Array, brought: Array, brings: Array,
) -> Array:  # fmt: skip
    """Return the share of every holder after what moved: all of them at once, (holders, what rides).

    Parameters
    ----------
    moved : array, (transfers,)
        What carries, moved by each transfer, in the unit of `held`.
    donor, into : array of int, (transfers,)
        The holder each leaves and comes into; -1 for outside the line.
    feeds : array, (transfers, what rides)
        What rides with what comes from outside.
    held : array, (holders,)
        What carries, held before.
    share : array, (holders, what rides)
        What rode with it before; kept where a holder holds nothing and nothing comes.
    brought_to, brought, brings : array, (digesters blown,)
        The holder each was blown into, what carries of it, and what rides with that.
    """
    count, riders = share.shape
    matrix, known = np.zeros((count, count)), np.empty((count, riders))
    for row in range(count):
        matrix[row, row] = held[row]
        for rider in range(riders):
            known[row, rider] = held[row] * share[row, rider]
    for one in range(len(moved)):
        row = into[one]
        if row < 0:
            continue
        matrix[row, row] += moved[one]
        if donor[one] >= 0:
            matrix[row, donor[one]] -= moved[one]
        else:
            for rider in range(riders):
                known[row, rider] += moved[one] * feeds[one, rider]
    for one in range(len(brought)):
        row = brought_to[one]
        matrix[row, row] += brought[one]
        for rider in range(riders):
            known[row, rider] += brought[one] * brings[one, rider]
    for row in range(count):
        if matrix[row, row] < EMPTY:  # and so all of its row
            matrix[row, row] = 1.0
            for rider in range(riders):
                known[row, rider] = share[row, rider]
    eliminate(matrix, known)
    return known
