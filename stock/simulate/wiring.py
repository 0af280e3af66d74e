"""The plant's layout and control plan as arrays: what each step works with, made once as it is built."""

from collections.abc import Sequence
from typing import Final

import numpy as np

from stock.line.balance import LineResult
from stock.line.definition import Definition
from stock.line.order import Order
from stock.primitives import Split
from stock.simulate.arrays import Ways, sparse_of
from stock.simulate.columns import COLUMNS, FILLER, MASSES, SOLIDS
from stock.simulate.control import SHARE_S, Plan
from stock.simulate.layout import Layout
from stock.simulate.riding import CARRY

REACH: Final = 2.5  # a valve's range over its flow at rest
STROKE_S: Final = 20.0
LAG_S: Final = 4.0
GRAPH: Final = np.zeros((len(COLUMNS), 3))  # bone-dry, total and filler of a row
GRAPH[SOLIDS, 0] = 1.0
GRAPH[:MASSES, 1] = 1.0
GRAPH[FILLER, 2] = 1.0


class Wired:
    """What `Running` is made of, as arrays."""

    line: Definition
    order: Order
    result: LineResult
    layout: Layout
    plan: Plan
    dt_s: float

    def _wire(self) -> None:
        """Turn the layout into arrays."""
        layout, transfers = self.layout, self.layout.transfers
        count = len(transfers)
        self.donor = np.array([one.donor for one in transfers])
        ways = np.array([one.way for one in transfers])
        self.driven = np.flatnonzero((ways == "pumped") | (ways == "feed"))
        self.pumped = np.flatnonzero(ways == "pumped")
        self.feeds = np.flatnonzero((ways == "feed") | (ways == "makeup"))
        self.lips = np.flatnonzero((ways == "lip") | (ways == "full"))
        self.makeups = np.flatnonzero(ways == "makeup")
        self.feed_made = np.array([transfers[index].make_up for index in self.feeds]).reshape(-1, len(COLUMNS))
        self.design = np.array([one.design_t_per_s for one in transfers])
        self.least_flow = float(self.design.max()) * 1e-6
        self.part_row = np.array([one.row for one in layout.partings], dtype=int)
        self.part_share = np.array([one.shares for one in layout.partings]).reshape(-1, len(COLUMNS))
        self.wetter = np.ones(len(layout.partings))  # of the water a mat keeps, of what it should
        self.richer = np.ones(len(self.feeds))
        self.feed_base = self.feed_made.copy()
        self.feed_solids = self.feed_base[:, SOLIDS]
        self.part_hold_s = max(10.0, 5 * self.dt_s)
        cons = np.array([one.consistency_pct for one in layout.partings])
        self.part_wet = np.flatnonzero(cons > 0)
        self.part_water = 100 / np.where(cons > 0, cons, 1.0) - 1
        self.leaving = layout.leaves()
        self.coming = np.zeros(count)
        self.coming[self.feeds] = 1.0
        self.range = np.where(self.design > 0, REACH * self.design, 0.0)
        for one in self.plan.shares:  # what does not run now may be asked for by another grade
            at = one.driven
            if self.range[at] <= 0:
                usual = max(grade.shares.get(one.stream, 0.0) for grade in self.line.grades)
                furnish = sum(self.result.streams[name].bdt_per_h for name in self._recipe_streams()) / 3600
                self.range[at] = REACH * usual * furnish / max(one.bd_frac, 1e-6)
        for loop in self.plan.loops:
            if loop.kind == "consistency":
                self.range[loop.driven] *= self._most_fed(loop.unit)
        self.usual = np.array([one.content_t for one in layout.holders])
        self.stroke = self.range * (self.dt_s / STROKE_S)
        towers = {tower.unit for tower in layout.towers}
        self.brims = [
            (layout.row[unit.id], float(volume), unit.id)
            for unit in self.line.units
            if (volume := getattr(unit, "volume_m3", None)) and unit.id in layout.row and unit.id not in towers
        ]
        self._wire_loops()
        self.ways = self._ways(ways)

    def _ways(self, ways: np.ndarray) -> Ways:
        """Return how the transfers lie, those of a way side by side, and what runs by a level alone."""
        layout = self.layout
        draws, accepts, rest, fed = (
            _span(np.isin(ways, of)) for of in (("pumped", "lip", "full"), "accepts", "rest", ("feed", "makeup"))
        )
        edges, edge_rows, edge_t, edge_per_s = self._edges()
        return Ways(
            balance=sparse_of(np.vstack([layout.incidence, self.coming - self.leaving])),
            coming=self.coming,
            sense=sparse_of(np.vstack([self.signals, self.ratio_pass, self.share_pass])),
            looks=np.hstack([GRAPH, CARRY * self.dt_s]),
            edges=edges, edge_rows=edge_rows, edge_t=edge_t, edge_per_s=edge_per_s,
            drawn_from=self.donor[draws],
            first_draw=draws.start, first_fed=fed.start, first_accepts=accepts.start, first_rest=rest.start,
            tower_foot=np.array([tower.foot for tower in layout.towers], dtype=int),
            tower_head=np.array([tower.head for tower in layout.towers], dtype=int),
        )  # fmt: skip

    def _edges(self) -> tuple[np.ndarray, np.ndarray, np.ndarray, np.ndarray]:
        """Return what runs by a level alone, over a lip above it, made up below it: which, where, from what, how fast."""
        layout, transfers = self.layout, self.layout.transfers
        lips, makeups = self.lips.tolist(), self.makeups.tolist()
        made_up = [layout.row[transfers[index].id.removesuffix(" made up")] for index in makeups]
        over = [1 / transfers[index].over_s for index in lips]
        under = [-1 / max(transfers[index].over_s, 5 * self.dt_s) for index in makeups]
        return (
            np.array(lips + makeups, dtype=int),
            np.array([transfers[index].donor for index in lips] + made_up, dtype=int),
            np.array([transfers[index].lip_t for index in lips + makeups], dtype=float),
            np.array(over + under, dtype=float),
        )

    def _most_fed(self, unit_id: str) -> float:
        """Return how many times its usual feed a unit may have to dilute: a broke pulper, the whole sheet in a break."""
        parting = None
        for stream in self.line.graph.into(unit_id):
            source = self.line.unit(stream.source)
            if isinstance(source, Split) and source.rest == stream.id:
                parting = source
        if not isinstance(parting, Split) or parting.by_grade or not 0 < parting.accept_frac < 1:
            return 1.0
        return max(1.0, 1.2 / (REACH * (1 - parting.accept_frac)))

    def _recipe_streams(self) -> list[str]:
        return [one.stream for one in self.plan.shares]

    def _wire_loops(self) -> None:
        layout, loops = self.layout, self.plan.loops
        self.loop_at = {loop.id: index for index, loop in enumerate(loops)}
        self.signals = np.zeros((len(loops), len(layout.transfers)))
        for index, loop in enumerate(loops):
            for name in self._measured(loop.unit, loop.kind):
                self.signals[index] += layout.passes[layout.stream_at[name]]
        kinds = [loop.kind for loop in loops]
        self.cons = np.array([index for index, kind in enumerate(kinds) if kind == "consistency"], dtype=int)
        self.levels = np.array([index for index, kind in enumerate(kinds) if kind in ("level", "total")], dtype=int)
        self.reels = np.array([index for index, kind in enumerate(kinds) if kind == "reel"], dtype=int)
        self.ashes = np.array([index for index, kind in enumerate(kinds) if kind == "ash"], dtype=int)
        self.at_rest = np.concatenate([self.reels, self.ashes])  # while the sheet is lost
        self.gain = np.array([loop.gain for loop in loops])
        self.reset = np.array([loop.reset_s for loop in loops])
        self.reset_gain = self.dt_s / self.reset
        self.set_point = np.array([loop.set_point for loop in loops])
        self.auto = np.ones(len(loops), dtype=bool)
        self.loop_driven = np.array([loop.driven for loop in loops], dtype=int)
        self.drives = np.flatnonzero(self.loop_driven >= 0)
        self.driven_by_loops = self.loop_driven[self.drives]
        self.total_loop = next((index for index, loop in enumerate(loops) if loop.driven < 0), -1)
        self.dead = np.array([max(0, round(loop.dead_s / self.dt_s)) for loop in loops], dtype=int)
        self.ring = np.zeros((int(self.dead.max(initial=0)) + 1, len(loops)))
        turns = np.arange(len(self.ring))[:, None]
        self.late_at = (turns - self.dead) % len(self.ring) * len(loops) + np.arange(len(loops))
        self.lag = np.array([1 - np.exp(-self.dt_s / LAG_S) if kind == "consistency" else 1.0 for kind in kinds])
        self.least_t, self.per_rest = np.zeros(len(loops)), np.zeros(len(loops))
        self.offset = np.zeros(len(loops))  # what an instrument reads too much, in its loop
        stream_at = layout.stream_at
        self.ratio_driven = np.array([one.driven for one in self.plan.ratios], dtype=int)
        self.ratio_pass = np.array([layout.passes[stream_at[one.stream]] for one in self.plan.ratios]).reshape(
            -1, len(layout.transfers)
        )
        self.ratio_per_bd = np.array([one.per_bd for one in self.plan.ratios])
        self.ratio_liquor = np.array([one.liquor_row for one in self.plan.ratios], dtype=int)
        self.ratio_low = np.flatnonzero(self.ratio_liquor >= 0)
        self.low_held = self.ratio_liquor[self.ratio_low]
        self.low_half = 0.5 / self.usual[self.low_held]
        self.share_driven = np.array([one.driven for one in self.plan.shares], dtype=int)
        self.share_pass = np.array([layout.passes[stream_at[one.stream]] for one in self.plan.shares]).reshape(
            -1, len(layout.transfers)
        )
        self.share_bd = np.array([max(one.bd_frac, 1e-6) for one in self.plan.shares])
        self.share_gain = self.dt_s / max(SHARE_S, 3 * self.dt_s) / self.share_bd
        self.by_hand = np.zeros(len(layout.transfers), dtype=bool)
        self.bin_groups = np.array([group for group, _ in self.plan.bins], dtype=int)
        self.bin_driven = np.array([driven for _, driven in self.plan.bins], dtype=int)
        self.bin_rows = np.array([layout.groups[group].bin for group, _ in self.plan.bins], dtype=int)
        self._wire_eyes(kinds)

    def _wire_eyes(self, kinds: Sequence[str]) -> None:
        """Say where each loop looks, among all that is measured and held: a quotient times a factor."""
        loops, holders = len(kinds), len(self.layout.holders)
        one = 3 * loops + holders  # the last of what is looked at is 1
        looks = {"consistency": (0, 1, 100.0), "ash": (2, 0, 100.0), "reel": (1, None, 1.0)}
        self.eye, self.eye_over = np.empty(loops, dtype=int), np.empty(loops, dtype=int)
        self.eye_times = np.empty(loops)
        for index, kind in enumerate(kinds):
            seen, over, times = looks.get(kind, (None, None, 1.0))
            self.eye[index] = 3 * loops + self.plan.loops[index].row if seen is None else 3 * index + seen
            self.eye_over[index] = one if over is None else 3 * index + over
            self.eye_times[index] = times

    def _measured(self, unit: str, kind: str) -> list[str]:
        """Return the streams a loop's instrument stands in: what runs into its unit."""
        return [one.id for one in self.line.graph.into(unit)] if kind in ("consistency", "reel", "ash") else []


def _span(which: np.ndarray) -> slice:
    """Return where transfers of some ways lie, side by side as the layout puts them."""
    found = np.flatnonzero(which)
    return slice(int(found[0]), int(found[-1]) + 1) if len(found) else slice(0, 0)
