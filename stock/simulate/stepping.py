"""One step of a plant: what was measured sets every flow, flows move mass, mass closes or it stops.

Written for speed where it is read a thousand times a second: ways lie side by side in the layout, so that each
is one slice, and all that is summed of flows is summed at one stroke.
"""

from typing import Final

import numpy as np

from stock.errors import DomainError
from stock.simulate.batches import Batches
from stock.simulate.layout import COLUMNS, DISSOLVED, MASSES, SOLIDS, WATER
from stock.simulate.riding import Riding
from stock.simulate.wiring import GRAPH, Wired

CLOSES: Final = 1e-9
SWING_S: Final = 300.0  # of what leaves a vessel that is not stirred
LEAST_T: Final = 1e-12
SENSED: Final = GRAPH.shape[1]
DRY, TOTAL, ASH = range(3)
WEIGHS: Final = GRAPH[:, TOTAL].copy()
ONE: Final = np.ones(1)
OF_SOLIDS: Final = GRAPH[:, DRY].copy()
OF_DISSOLVED: Final = np.isin(np.arange(len(COLUMNS)), DISSOLVED).astype(float)


class Stepping(Wired):
    """What a plant does in a step."""

    mass: np.ndarray
    flow: np.ndarray
    flows: np.ndarray
    rows: np.ndarray  # bone-dry, total and filler of each flow, as it is now
    wanted: np.ndarray
    filtered: np.ndarray
    error: np.ndarray
    shares: np.ndarray
    most: np.ndarray
    stuck: np.ndarray
    sticks: np.ndarray
    looks: np.ndarray  # what is summed of every flow: what is measured, what rides
    keeps: np.ndarray  # water a mat keeps for its solids, as it wanders
    in_parcels: np.ndarray
    tower_foot: np.ndarray
    tower_head: np.ndarray
    headers: list[tuple[np.ndarray, float]]
    swings: list[tuple[int, float]]
    strays: dict[int, float]
    batches: Batches
    riding: Riding
    total_bd: float
    now_s: float
    steps: int
    worst_closure: float
    broken: bool
    has_sticking: bool
    rides: bool

    def held_in(self) -> np.ndarray:
        """Return what every row holds, t."""
        held: np.ndarray = self.mass @ WEIGHS
        return held

    def with_parcels(self, held: np.ndarray) -> np.ndarray:
        """Return what every holder holds, t; a tower's foot stands for the whole of it."""
        if not len(self.tower_foot):
            return held
        found = held.copy()
        found[self.tower_foot] += held[self.tower_head] + self.in_parcels
        return found

    def _true_signals(self, measured: np.ndarray, contents: np.ndarray) -> np.ndarray:
        """Return what each loop's instrument stands in, from bone-dry, total and filler there, and from what is held."""
        seen = np.concatenate((measured.ravel(), contents, ONE))
        found: np.ndarray = seen[self.eye]
        found *= self.eye_times
        found /= np.maximum(seen[self.eye_over], LEAST_T)
        return found

    def _control(self, contents: np.ndarray) -> None:
        """Set every driven flow from what was measured a step before."""
        sensed, loops = self.sense @ self.rows, len(self.signals)
        measured = sensed[:loops]
        at = self.steps % len(self.ring)
        np.add(self._true_signals(measured, contents), self.offset, out=self.ring[at])
        late = self.ring.ravel()[self.late_at[at]]
        seen = measured[:, TOTAL] >= self.least_t
        late -= self.filtered
        late *= self.lag
        late *= seen
        self.filtered += late
        error = self.set_point - self.filtered
        moved = error * self.reset_gain
        moved += error
        moved -= self.error
        moved *= self.gain
        moved *= self.auto & seen
        self.error = error
        wanted = self.wanted
        if self.broken:
            moved[self.reels] = moved[self.ashes] = 0.0
        wanted[self.driven_by_loops] += moved[self.drives]
        if self.total_loop >= 0:
            self.total_bd = max(0.0, self.total_bd + float(moved[self.total_loop]))
        self._follow(sensed[loops:, DRY], contents)
        np.maximum(wanted, 0.0, out=wanted)
        np.minimum(wanted, self.range, out=wanted)
        stroke = np.minimum(wanted, self.most)  # what a fault takes is not forgotten by who asks for it
        stroke -= self.flow
        if self.has_sticking:
            stroke[np.abs(stroke) <= self.sticks] = 0.0
        np.maximum(stroke, -self.stroke, out=stroke)
        np.minimum(stroke, self.stroke, out=stroke)
        self.flow += stroke
        for draws, cap in self.headers:
            drawn = float(self.flow[draws].sum())
            if drawn > cap:
                self.flow[draws] *= cap / drawn

    def _follow(self, bd: np.ndarray, contents: np.ndarray) -> None:
        """Let what runs in ratio follow its stream, the furnish its shares, the bins their digesters."""
        wanted, ratios = self.wanted, len(self.ratio_per_bd)
        kept = wanted[self.by_hand] if self.by_hand.any() else None
        follow = self.ratio_per_bd * bd[:ratios]
        low = self.ratio_low
        if len(low):
            follow[low] *= 1.5 - contents[self.low_held] * self.low_half
        wanted[self.ratio_driven] = follow
        if len(self.share_driven):
            short = self.shares * self.total_bd
            short -= bd[ratios:]
            short *= self.share_gain
            wanted[self.share_driven] += short
        for group, driven in self.plan.bins:
            row = self.layout.groups[group].bin
            fuller = float(contents[row]) / float(self.usual[row])
            wanted[driven] = float(self.design[driven]) * self.batches.asked[group] * (1.5 - 0.5 * fuller)
        if kept is not None:
            wanted[self.by_hand] = kept

    def _move(self, held: np.ndarray, contents: np.ndarray) -> None:
        """Move mass for a step, and see that it closes."""
        mass, flow, flows, dt = self.mass, self.flow, self.flows, self.dt_s
        flow[self.edges] = np.maximum((contents[self.edge_rows] - self.edge_t) * self.edge_per_s, 0.0)
        for makeup, stray in self.strays.items():
            flow[makeup] += stray
        given = flow[self.draws]
        out = self.out_of @ given
        if (out > held).any():
            left_frac = np.where(out > held, held / np.maximum(out, LEAST_T), 1.0)
            given = given * left_frac[self.drawn_from]
        made = mass / np.maximum(held, LEAST_T)[:, None]
        for row, swing in self.swings:
            self._unmix(made[row], swing)
        drawn = flows[self.draws]
        np.take(made, self.drawn_from, axis=0, out=drawn, mode="clip")
        drawn *= given[:, None]
        np.multiply(self.feed_made, flow[self.fed, None], out=flows[self.fed])
        self._part()
        change = self.balance @ flows
        change *= dt
        mass += change[:-1]
        looked = flows @ self.looks
        self.rows = looked[:, :SENSED]
        if self.rides:
            self.riding.moved += looked[:, SENSED:]
        self._closes(change)

    def _part(self) -> None:
        """Part what separations hold: each column by its share, the water of a mat by its consistency."""
        left = self.mass[self.part_row]
        left /= self.part_hold_s
        accepts = np.multiply(self.part_share, left, out=self.flows[self.acc])
        wet = self.part_wet
        mats = accepts[wet]
        takes = mats @ OF_SOLIDS
        takes *= self.keeps
        takes -= mats @ OF_DISSOLVED
        np.maximum(takes, 0.0, out=takes)
        accepts[:, WATER][wet] = np.minimum(takes, left[:, WATER][wet])
        np.subtract(left, accepts, out=self.flows[self.rest])

    def _closes(self, change: np.ndarray) -> None:
        """Stop where what the holders gained is not what came in less what left."""
        gap = (self.all_but_line @ change)[:MASSES].tolist()
        fed, total = (self.fed_and_all @ self.rows[:, TOTAL]).tolist()
        closure = max(map(abs, gap)) / (self.dt_s * max(fed, total / 1000, LEAST_T))
        self.worst_closure = max(self.worst_closure, closure)
        if not closure <= CLOSES:
            raise DomainError(
                "E_BALANCE", "plant", f"mass closes to {closure:.1e} only, {self.now_s:.0f} s after it began"
            )

    def _unmix(self, made: np.ndarray, swing: float) -> None:
        """Let what leaves a vessel that is not stirred be thicker and thinner than what it holds; water makes up."""
        wave = 1 + swing * np.sin(2 * np.pi * self.now_s / SWING_S)
        solids = float(made[SOLIDS].sum())
        more = min(solids * (wave - 1), 0.9 * float(made[WATER]))
        ratio = 1 + more / max(solids, LEAST_T)
        made[SOLIDS] *= ratio
        made[MASSES:] *= ratio
        made[WATER] -= more
