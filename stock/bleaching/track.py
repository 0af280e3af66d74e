"""Time turned into pulp and back: rates, stops and all, for towers that pulp passes in order."""

from collections.abc import Sequence

import numpy as np

STANDS_FRAC = 0.05  # of the usual rate, below which a bleach stands
NOTHING = 1e-9  # of it, below which nothing passed: no time can be told by it


class Track:
    """Pulp that passed a bleach up to now, as hours at its present rate.

    What a tower shows goes by the pulp pushed through it since, not by the clock. An hour told of the past is
    turned into the hours the same pulp takes at the present rate; of what is to come the present rate is all
    that is known, so an hour is an hour.
    """

    def __init__(self, hours: Sequence[float] = (), shares: Sequence[float] = ()) -> None:
        """Take the record of the feed.

        Parameters
        ----------
        hours : sequence of float
            Moments before now, rising, all below nought.
        shares : sequence of float
            Feed from each moment to the next, over the present rate; the last until now. Before the first of
            them the first is taken.
        """
        begun = np.array([*hours, 0.0], dtype=float)
        shares_then = np.asarray(shares, dtype=float)
        shares_then = np.where(shares_then < NOTHING, 0.0, shares_then)
        passed = np.append(0.0, np.cumsum(shares_then * np.diff(begun)))
        self._hours, self._passed = begun, passed - passed[-1]
        self._before = float(shares_then[0]) if len(shares_then) else 1.0
        self.shares = shares_then

    def at_rate(self, hour: float) -> float:
        """Return how many hours at the present rate lie between a moment and now, below nought for the past."""
        if hour >= 0:
            return hour
        if hour < self._hours[0]:
            return float(self._passed[0]) - self._before * (float(self._hours[0]) - hour)
        return float(np.interp(hour, self._hours, self._passed))

    def by_clock(self, hour: float) -> float:
        """Return the moment so many hours at the present rate ago; the latest of them where nothing moved."""
        if hour >= 0:
            return hour
        if hour < self._passed[0]:
            if self._before <= 0:
                return float(self._hours[0])
            return float(self._hours[0]) - (float(self._passed[0]) - hour) / self._before
        at = int(np.searchsorted(self._passed, hour, side="right"))
        low, high = float(self._passed[at - 1]), float(self._passed[min(at, len(self._passed) - 1)])
        if high <= low:
            return float(self._hours[at - 1])
        return float(np.interp(hour, [low, high], [self._hours[at - 1], self._hours[at]]))

    @property
    def stands_since_h(self) -> float | None:
        """Since when nothing has moved, hours from now; None while it runs."""
        if not len(self.shares) or self.shares[-1] >= STANDS_FRAC:
            return None
        moving = np.flatnonzero(self.shares >= STANDS_FRAC)
        return float(self._hours[moving[-1] + 1] if len(moving) else self._hours[0])

    def passed(self, from_h: float, to_h: float) -> float:
        """Return the pulp that passed between two moments, hours at the present rate."""
        return self.at_rate(to_h) - self.at_rate(from_h)
