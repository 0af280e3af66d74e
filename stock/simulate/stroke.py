"""One stroke of a plant, compiled: so many steps, each from what was measured through every flow to mass that closes.

What it works with are the arrays of `arrays`, changed in place, each handed on by itself: that is what compiles
fast.
"""

from math import pi, sin
from typing import Final

import numpy as np

from stock.simulate.arrays import DRY, MEASURED, TOTAL
from stock.simulate.columns import DISSOLVED, FIBRE, MARKED, MASSES, SOLIDS, WATER
from stock.simulate.compiling import entered, inner

Array = np.ndarray

SWING_S: Final = 300.0  # of what leaves a vessel that is not stirred
LEAST_T: Final = 1e-12
THINNEST: Final = 0.1  # of a set point, below which a controller asks no more for being further off
LEAST_TIMES: Final = 0.03  # of what runs at rest, below which it asks no less
MOST_SWING: Final = 0.9  # of the water there is, that makes up for a swing
LOG_CSF: Final = MARKED["log_csf"]
OF_SOLIDS: Final = np.array(SOLIDS)
OF_DISSOLVED: Final = np.array(DISSOLVED)


@inner
def weigh(mass: Array, tower_foot: Array, tower_head: Array, in_parcels: Array, held: Array, contents: Array) -> None:
    """Weigh what every row holds, t, and every holder: a tower's foot stands for the whole of it."""
    for row in range(len(held)):
        total = 0.0
        for column in range(MASSES):
            total += mass[row, column]
        held[row] = contents[row] = total
    for tower in range(len(tower_foot)):
        contents[tower_foot[tower]] += held[tower_head[tower]] + in_parcels[tower]


@inner
def measure(starts: Array, at: Array, times: Array, rows: Array, sensed: Array) -> None:
    """Sum what runs past every instrument: bone-dry, total and filler, t/s."""
    for one in range(len(sensed)):
        for kind in range(MEASURED):
            total = 0.0
            for index in range(starts[one], starts[one + 1]):
                total += times[index] * rows[at[index], kind]
            sensed[one, kind] = total


@inner
def seen_at(at: int, loops: int, sensed: Array, contents: Array) -> float:
    """Return what stands at a place of all that is measured and held; 1 past the last."""
    if at < MEASURED * loops:
        return float(sensed[at // MEASURED, at % MEASURED])
    if at < MEASURED * loops + len(contents):
        return float(contents[at - MEASURED * loops])
    return 1.0


@inner
def signals(eye: Array, over: Array, times: Array, sensed: Array, contents: Array, found: Array) -> None:
    """Say what each loop's instrument stands in, from bone-dry, total and filler there, and from what is held."""
    loops = len(eye)
    for loop in range(loops):
        below = max(seen_at(over[loop], loops, sensed, contents), LEAST_T)
        found[loop] = seen_at(eye[loop], loops, sensed, contents) * times[loop] / below


@entered
def true_signals(
    eye: Array, over: Array, times: Array, starts: Array, at: Array, values: Array, rows: Array, contents: Array
) -> Array:
    """Return what every loop's instrument stands in."""
    sensed, found = np.empty((len(starts) - 1, MEASURED)), np.empty(len(eye))
    measure(starts, at, values, rows, sensed)
    signals(eye, over, times, sensed, contents, found)
    return found


@inner
def filter_late(ring: Array, at: int, late_at: Array, lag: Array, is_seen: Array, filtered: Array) -> None:
    """Let each loop's transmitter come nearer to what stood there its dead time ago."""
    count = len(filtered)
    for loop in range(count):
        if is_seen[loop]:
            late = late_at[at, loop]
            filtered[loop] += (ring[late // count, late % count] - filtered[loop]) * lag[loop]


@inner
def answer(
    set_point: Array, filtered: Array, reset_gain: Array, gain: Array, per_rest: Array, sensed: Array, acts: Array,
    error: Array, asked: Array,
) -> None:  # fmt: skip
    """Say by how much each loop's controller asks its flow to be moved.

    Water thins less the more it is, and more the less runs. So a consistency's controller goes by what is wanting
    of water, which both are straight lines in: the set point over what is measured, times the bone-dry that runs.
    """
    for loop in range(len(asked)):
        wanted, times = set_point[loop], 1.0
        off = wanted - filtered[loop]
        if per_rest[loop] > 0:
            off = wanted * (wanted / max(filtered[loop], THINNEST * wanted) - 1)
            times = max(sensed[loop, DRY] * per_rest[loop], LEAST_TIMES)  # so that water ends where stock does
        asked[loop] = (off * reset_gain[loop] + off - error[loop]) * gain[loop] * times if acts[loop] else 0.0
        error[loop] = off


@inner
def follow_ratios(
    driven: Array, per_bd: Array, low: Array, low_held: Array, low_half: Array, by_hand: Array,
    sensed: Array, contents: Array, wanted: Array,
) -> None:  # fmt: skip
    """Let what runs in ratio follow its stream, less where its liquor stands high; not what is by hand."""
    times = np.ones(len(driven))
    for index in range(len(low)):
        times[low[index]] = 1.5 - contents[low_held[index]] * low_half[index]
    for index in range(len(driven)):
        if not by_hand[driven[index]]:
            wanted[driven[index]] = per_bd[index] * sensed[index, DRY] * times[index]


@inner
def follow_shares(
    driven: Array, shares: Array, gain: Array, total_bd: float, by_hand: Array, sensed: Array, wanted: Array
) -> None:
    """Let the furnish follow its shares of the whole; not what is by hand."""
    for index in range(len(driven)):
        if not by_hand[driven[index]]:
            wanted[driven[index]] += (shares[index] * total_bd - sensed[index, DRY]) * gain[index]


@inner
def follow_digesters(
    driven: Array, rows: Array, asked: Array, design: Array, usual: Array, by_hand: Array, contents: Array,
    wanted: Array,
) -> None:  # fmt: skip
    """Let bins be filled by what their digesters ask for, and by how full they are; not what is by hand."""
    for index in range(len(driven)):
        if not by_hand[driven[index]]:
            fuller = contents[rows[index]] / usual[rows[index]]
            wanted[driven[index]] = design[driven[index]] * asked[index] * (1.5 - 0.5 * fuller)


@inner
def move_valves(range_: Array, most: Array, stroke: Array, sticks: Array, wanted: Array, flow: Array) -> None:
    """Move every valve towards what is wanted of it, as far as it goes in a step."""
    for at in range(len(flow)):
        wanted[at] = min(max(wanted[at], 0.0), range_[at])
        by = min(wanted[at], most[at]) - flow[at]  # what a fault takes is not forgotten by who asks for it
        if len(sticks) == 0 or abs(by) > sticks[at]:
            flow[at] += min(max(by, -stroke[at]), stroke[at])


@inner
def cap_headers(starts: Array, at: Array, caps: Array, flow: Array) -> None:
    """Let flows that share a pump have no more together than it gives."""
    for header in range(len(caps)):
        drawn = 0.0
        for index in range(starts[header], starts[header + 1]):
            drawn += flow[at[index]]
        if drawn > caps[header]:
            for index in range(starts[header], starts[header + 1]):
                flow[at[index]] *= caps[header] / drawn


@inner
def run_over(edges: Array, rows: Array, edge_t: Array, per_s: Array, contents: Array, flow: Array) -> None:
    """Let run what runs by a level alone: over a lip above it, made up below it."""
    for index in range(len(edges)):
        flow[edges[index]] = max((contents[rows[index]] - edge_t[index]) * per_s[index], 0.0)


@inner
def unmix(made: Array, swing: float, now_s: float) -> None:
    """Let what leaves a vessel that is not stirred be thicker and thinner than what it holds; water makes up."""
    solids = 0.0
    for column in OF_SOLIDS:
        solids += made[column]
    more = min(solids * swing * sin(2 * pi * now_s / SWING_S), MOST_SWING * made[WATER])
    ratio = 1 + more / max(solids, LEAST_T)
    for column in OF_SOLIDS:
        made[column] *= ratio
    for column in range(MASSES, len(made)):
        made[column] *= ratio
    made[WATER] -= more


@inner
def draw(
    drawn_from: Array, first: int, swing_rows: Array, swings: Array, now_s: float, dt_s: float,
    mass: Array, held: Array, flow: Array, flows: Array,
) -> None:  # fmt: skip
    """Draw what is pumped or runs over, each as what it is drawn from is made of; nothing gives more than it holds."""
    columns = mass.shape[1]
    out = np.zeros(len(held))
    for index in range(len(drawn_from)):
        out[drawn_from[index]] += dt_s * flow[first + index]
    for index in range(len(drawn_from)):
        row = drawn_from[index]
        part = flow[first + index] / max(held[row], LEAST_T)
        if out[row] > held[row]:
            part *= held[row] / max(out[row], LEAST_T)
        for column in range(columns):
            flows[first + index, column] = mass[row, column] * part
        for swing in range(len(swings)):
            if swing_rows[swing] == row:
                unmix(flows[first + index], swings[swing], now_s)


@inner
def feed(feed_made: Array, first: int, flow: Array, flows: Array) -> None:
    """Feed what comes from outside, as it is made."""
    for index in range(len(feed_made)):
        for column in range(feed_made.shape[1]):
            flows[first + index, column] = feed_made[index, column] * flow[first + index]


@inner
def part(
    rows: Array, share: Array, hold_s: float, wet: Array, keeps: Array, accepts: int, rest: int,
    mass: Array, flows: Array,
) -> None:  # fmt: skip
    """Part what separations hold: each column by its share, the water of a mat by its consistency."""
    for index in range(len(rows)):
        for column in range(mass.shape[1]):
            flows[rest + index, column] = mass[rows[index], column] / hold_s
            flows[accepts + index, column] = share[index, column] * flows[rest + index, column]
    for index in range(len(wet)):
        mat = flows[accepts + wet[index]]
        takes = 0.0
        for column in OF_SOLIDS:
            takes += mat[column]
        takes *= keeps[index]
        for column in OF_DISSOLVED:
            takes -= mat[column]
        mat[WATER] = min(max(takes, 0.0), flows[rest + wet[index], WATER])
    for index in range(len(rows)):
        for column in range(mass.shape[1]):
            flows[rest + index, column] -= flows[accepts + index, column]


@inner
def move(starts: Array, at: Array, times: Array, dt_s: float, flows: Array, mass: Array) -> float:
    """Move mass for a step; return the most of any component that came from nowhere or went there, t.

    The last row of the balance is the line itself.
    """
    columns, last = mass.shape[1], len(starts) - 2
    gap, change = np.zeros(MASSES), np.empty(columns)
    for row in range(last + 1):
        for column in range(columns):
            change[column] = 0.0
        for index in range(starts[row], starts[row + 1]):
            value = times[index] * dt_s
            for column in range(columns):
                change[column] += value * flows[at[index], column]
        if row < last:
            for column in range(columns):
                mass[row, column] += change[column]
        for column in range(MASSES):
            gap[column] += change[column] if row < last else -change[column]
    worst = 0.0
    for column in range(MASSES):
        if not abs(gap[column]) <= worst:
            worst = abs(gap[column])
    return worst


@inner
def look(looks: Array, coming: Array, rides: bool, flows: Array, rows: Array, moved: Array) -> float:
    """Sum what every flow is now, for what is measured and what rides; return what is fed, or a little of all, t/s."""
    kinds = looks.shape[1]
    looked = np.empty(kinds)
    fed = total = 0.0
    for one in range(len(flows)):
        for kind in range(kinds):
            looked[kind] = 0.0
        for column in range(len(looks)):
            for kind in range(kinds):
                looked[kind] += flows[one, column] * looks[column, kind]
        for kind in range(MEASURED):
            rows[one, kind] = looked[kind]
        if rides:
            for kind in range(MEASURED, kinds):
                moved[one, kind - MEASURED] += looked[kind]
        fed += coming[one] * looked[TOTAL]
        total += looked[TOTAL]
    return max(fed, total / 1000, LEAST_T)


@inner
def beat(
    starts: Array, at: Array, times: Array, into: Array, falls: Array, least_bdt_per_s: float, dt_s: float,
    flows: Array, rows: Array, mass: Array,
) -> None:  # fmt: skip
    """Take from the logarithm of freeness what each refiner takes of what runs through it."""
    for one in range(len(into)):
        bd = fibre = 0.0
        for index in range(starts[one], starts[one + 1]):
            bd += times[index] * rows[at[index], DRY]
            fibre += times[index] * flows[at[index], FIBRE]
        if bd > least_bdt_per_s:
            mass[into[one], LOG_CSF] -= falls[one] / bd * fibre * dt_s


@entered
def run_steps(
    count: int, step: int, closes: float, now_s: float, dt_s: float, broken: bool, rides: bool,
    # what moves
    mass: Array, flow: Array, flows: Array, rows: Array, wanted: Array, filtered: Array, error: Array, ring: Array,
    in_parcels: Array, total_bd: Array, moved: Array,
    # loops
    eye: Array, eye_over: Array, eye_times: Array, offset: Array, late_at: Array, lag: Array, least_t: Array,
    set_point: Array, reset_gain: Array, gain: Array, per_rest: Array, auto: Array, at_rest: Array, drives: Array,
    loop_driven: Array, total_loop: int,
    # what follows
    ratio_driven: Array, ratio_per_bd: Array, low: Array, low_held: Array, low_half: Array,
    share_driven: Array, shares: Array, share_gain: Array,
    bin_driven: Array, bin_rows: Array, bin_asked: Array, by_hand: Array, design: Array, usual: Array,
    # valves
    range_: Array, most: Array, stroke: Array, sticks: Array, header_starts: Array, header_at: Array, caps: Array,
    # ways
    balance_starts: Array, balance_at: Array, balance_times: Array, coming: Array,
    sense_starts: Array, sense_at: Array, sense_times: Array, looks: Array,
    edges: Array, edge_rows: Array, edge_t: Array, edge_per_s: Array, drawn_from: Array,
    first_draw: int, first_fed: int, first_accepts: int, first_rest: int, tower_foot: Array, tower_head: Array,
    # parts
    part_row: Array, part_share: Array, part_hold_s: float, part_wet: Array, keeps: Array, feed_made: Array,
    swing_rows: Array, swings: Array, stray_at: Array, strays: Array,
    # refiners
    beat_starts: Array, beat_at: Array, beat_times: Array, beaten: Array, falls: Array, least_bdt_per_s: float,
) -> tuple[int, float]:  # fmt: skip
    """Run so many steps; return how many were run, and the worst by which mass did not close in one of them.

    It ends with the first step of which mass does not close to `closes`, a share of what is fed.
    """
    loops, ratios = len(gain), len(ratio_driven)
    held, contents = np.empty(len(mass)), np.empty(len(mass))
    sensed, asked = np.empty((len(sense_starts) - 1, MEASURED)), np.empty(loops)
    is_seen, acts = np.empty(loops, dtype=np.bool_), np.empty(loops, dtype=np.bool_)
    worst = 0.0
    for done in range(count):
        weigh(mass, tower_foot, tower_head, in_parcels, held, contents)
        # every driven flow, by what was measured a step before
        measure(sense_starts, sense_at, sense_times, rows, sensed)
        at = (step + done) % len(ring)
        signals(eye, eye_over, eye_times, sensed, contents, ring[at])
        for loop in range(loops):
            ring[at, loop] += offset[loop]
            is_seen[loop] = sensed[loop, TOTAL] >= least_t[loop]
            acts[loop] = is_seen[loop] and auto[loop]
        filter_late(ring, at, late_at, lag, is_seen, filtered)
        answer(set_point, filtered, reset_gain, gain, per_rest, sensed, acts, error, asked)
        if broken:
            for loop in at_rest:
                asked[loop] = 0.0
        for index in range(len(drives)):
            wanted[loop_driven[index]] += asked[drives[index]]
        if total_loop >= 0:
            total_bd[0] = max(0.0, total_bd[0] + asked[total_loop])
        follow_ratios(
            ratio_driven, ratio_per_bd, low, low_held, low_half, by_hand, sensed[loops:], contents, wanted
        )  # fmt: skip
        follow_shares(share_driven, shares, share_gain, total_bd[0], by_hand, sensed[loops + ratios :], wanted)
        follow_digesters(bin_driven, bin_rows, bin_asked, design, usual, by_hand, contents, wanted)
        move_valves(range_, most, stroke, sticks, wanted, flow)
        cap_headers(header_starts, header_at, caps, flow)
        run_over(edges, edge_rows, edge_t, edge_per_s, contents, flow)
        for index in range(len(strays)):
            flow[stray_at[index]] += strays[index]
        # and what they move
        draw(drawn_from, first_draw, swing_rows, swings, now_s + done * dt_s, dt_s, mass, held, flow, flows)
        feed(feed_made, first_fed, flow, flows)
        part(part_row, part_share, part_hold_s, part_wet, keeps, first_accepts, first_rest, mass, flows)
        gap_t = move(balance_starts, balance_at, balance_times, dt_s, flows, mass)
        closure = gap_t / (dt_s * look(looks, coming, rides, flows, rows, moved))
        if not closure <= closes:
            return done + 1, closure
        beat(beat_starts, beat_at, beat_times, beaten, falls, least_bdt_per_s, dt_s, flows, rows, mass)
        worst = max(worst, closure)
    return count, worst
