"""A counter-current line of washers as one linear system: what every mat and filtrate holds, what is lost.

Each machine is a drum (vat, displacement) or a machine of known efficiency. Machines are numbered from
the dirty end. Wash liquor of each is the filtrate of the next; the last takes clean liquor. Liquor may
be added to, or bled from, a machine's filtrate tank.
"""

from collections.abc import Mapping, Sequence
from typing import Final, NamedTuple

import numpy as np

from stock.errors import DomainError
from stock.working import Arg, Example, Rows, method

SINGULAR: Final = 1e-12
STAGE_COLUMNS: Final = {
    "discharge_consistency_pct": Arg("consistency of its mat", 0, 100, above=True, below=True),
    "vat_consistency_pct": Arg("consistency in its vat; 0 for a machine told by its efficiency", 0, 99),
    "displacement_ratio": Arg("displacement of a drum", 0, 1),
    "e_std_ratio": Arg("efficiency of a machine that is no drum", 0, 60),
    "std_consistency_pct": Arg("consistency that is stated at", 0, 100, above=True, below=True),
    "added_t_per_bdt": Arg("liquor that runs into its filtrate tank", 0, 100),
    "added_conc_kg_per_t": Arg("strength of that", 0, 1000),
    "bleed_t_per_bdt": Arg("filtrate bled off", 0, 100),
}
STAGES: Final = Rows(
    "machines, from the dirty end",
    STAGE_COLUMNS,
    {
        "vat_consistency_pct": 0.0, "displacement_ratio": 0.0, "e_std_ratio": 0.0, "std_consistency_pct": 10.0,
        "added_t_per_bdt": 0.0, "added_conc_kg_per_t": 0.0, "bleed_t_per_bdt": 0.0,
    },
)  # fmt: skip
FEED: Final = Arg("consistency of the stock fed", 0, 100, above=True, below=True)
CONC: Final = Arg("solids in its liquor", 0, 1000)
FACTOR: Final = Arg("dilution factor of the last machine", -20, 100, usual=(-1, 5))
CLEAN: Final = Arg("solids in the clean wash liquor", 0, 1000)
DRUMS: Final = [
    {"vat_consistency_pct": 1.2, "discharge_consistency_pct": 12, "displacement_ratio": one}
    for one in (0.78, 0.80, 0.82)
]


class Washed(NamedTuple):
    """What a line of washers comes to: strengths machine by machine, what is lost, what goes to the evaporators."""

    vat_each_kg_per_t: list[float]
    discharge_each_kg_per_t: list[float]
    filtrate_each_kg_per_t: list[float]
    loss_kg_per_bdt: float
    wash_yield_frac: float
    strong_liquor_t_per_bdt: float
    strong_liquor_conc_kg_per_t: float
    closure_frac: float


class Row(NamedTuple):
    """A machine as its equations: liquor in and out, and mat = a feed + b filtrate + c wash."""

    l_in: float
    l_out: float
    l_vat: float
    factor: float
    added: float
    added_conc: float
    bleed: float
    of_feed: float
    of_filtrate: float
    of_wash: float


class Coefficients(NamedTuple):
    """The same of a whole line, an array each."""

    l_in: np.ndarray
    l_out: np.ndarray
    l_vat: np.ndarray
    factor: np.ndarray
    added: np.ndarray
    added_conc: np.ndarray
    bleed: np.ndarray
    of_feed: np.ndarray
    of_filtrate: np.ndarray
    of_wash: np.ndarray


def equations(
    stages: Sequence[Mapping[str, float]], feed_consistency_pct: float, dilution_factor_t_per_bdt: float
) -> list[Row]:
    """Return the equations of a line, from the dirty end.

    Raises
    ------
    DomainError
        E_COUNT for no machine, E_RANGE for a vat thicker than its feed, a machine that is neither drum nor told by
        its efficiency, or a dilution factor that leaves no liquor somewhere.
    """
    if not stages:
        raise DomainError("E_COUNT", "stages", "a line of washers has at least one machine", "one or more")
    factors = [dilution_factor_t_per_bdt]
    for stage in reversed(stages[1:]):
        factors.append(factors[-1] + stage["added_t_per_bdt"] - stage["bleed_t_per_bdt"])
    factors.reverse()
    rows = []
    l_in = (100 - feed_consistency_pct) / feed_consistency_pct
    for at, (stage, factor) in enumerate(zip(stages, factors, strict=True)):
        mat, vat = stage["discharge_consistency_pct"], stage["vat_consistency_pct"]
        l_out = (100 - mat) / mat
        if l_in + factor <= 0 or l_out + factor <= 0:
            message = f"machine {at + 1}: a dilution factor of {factor:g} t/BDt leaves no liquor to wash with"
            allowed = f"more than {-min(l_in, l_out):.2f} t/BDt"
            raise DomainError("E_RANGE", "dilution_factor_t_per_bdt", message, allowed)
        added, added_conc, bleed = stage["added_t_per_bdt"], stage["added_conc_kg_per_t"], stage["bleed_t_per_bdt"]
        if vat > 0:
            l_vat, missed = (100 - vat) / vat, 1 - stage["displacement_ratio"]
            if l_vat < l_in - 1e-9:
                message = f"machine {at + 1}: the vat, {vat:g} %, is thicker than its feed"
                allowed = f"{100 / (1 + l_in):.2f} % or less"
                raise DomainError("E_RANGE", f"stages[{at}].vat_consistency_pct", message, allowed)
            of_feed = missed * l_in / l_vat
            of_filtrate, of_wash = missed - of_feed, 1 - missed
        else:
            if stage["e_std_ratio"] <= 0:
                message = f"machine {at + 1} has neither a vat with a displacement nor an efficiency"
                raise DomainError("E_RANGE", f"stages[{at}].e_std_ratio", message, "more than 0")
            l_vat, std = l_in, stage["std_consistency_pct"]
            of_feed = l_in / (l_out * (1 + factor * std / (100 - std)) ** stage["e_std_ratio"])
            of_filtrate, of_wash = -of_feed, 1.0
        rows.append(Row(l_in, l_out, l_vat, factor, added, added_conc, bleed, of_feed, of_filtrate, of_wash))
        l_in = l_out
    return rows


def coefficients(
    stages: Sequence[Mapping[str, float]], feed_consistency_pct: float, dilution_factor_t_per_bdt: float
) -> Coefficients:
    """Return the equations of a line as arrays; refuses as `equations`."""
    rows = equations(stages, feed_consistency_pct, dilution_factor_t_per_bdt)
    return Coefficients(*(np.array(column) for column in zip(*rows, strict=True)))


def steady(rows: Sequence[Row], feed_conc: float, wash_conc: float) -> tuple[list[float], list[float]]:
    """Return what every mat and filtrate holds: eliminated from the dirty end, put back from the clean one.

    Each mat is p + q y and each filtrate r + s y, y the filtrate of the next machine.
    """
    p, q, found = feed_conc, 0.0, []
    for l_in, l_out, _, factor, added, added_conc, _, of_feed, of_filtrate, of_wash in rows:
        by_tank = of_feed * q + of_filtrate
        under = l_out * by_tank + l_in + factor + added - l_in * q
        if abs(under) < SINGULAR:
            message = "these machines wash in a ring that has no one answer"
            raise DomainError("E_SINGULAR", "stages", message, "machines that let liquor out")
        r = ((l_in - l_out * of_feed) * p + added * added_conc) / under
        s = (l_out + factor - l_out * of_wash) / under
        p, q = of_feed * p + by_tank * r, by_tank * s + of_wash
        found.append((p, q, r, s))
    after, mats, tanks = wash_conc, [], []
    for p, q, r, s in reversed(found):
        mats.append(p + q * after)
        after = r + s * after
        tanks.append(after)
    return mats[::-1], tanks[::-1]


@method(
    "for each machine: L_in * x_in + (L_out + DF) * y_wash + added * x_added = L_out * x_out + (L_in + DF + added) * y\n"
    "a drum: L_vat * x_vat = L_in * x_in + (L_vat - L_in) * y and x_out = x_vat - displacement_ratio * (x_vat - y_wash)\n"
    "another: L_in * (x_in - y) = (1 + DF / L_std)**e_std_ratio * L_out * (x_out - y_wash)",
    title="A counter-current line of washers",
    station="washing",
    source="linear mass balance; Norden (1966) for machines told by their efficiency",
    aliases=("washing_line",),
    exact=False,
    results=Washed._fields,
    example=Example(
        {
            "stages": DRUMS, "feed_consistency_pct": 10, "feed_conc_kg_per_t": 150, "dilution_factor_t_per_bdt": 2.5,
            "wash_conc_kg_per_t": 0,
        },
        {
            "discharge_each_kg_per_t": [59.74, 18.60, 2.292], "loss_kg_per_bdt": 16.81, "wash_yield_frac": 0.9875,
            "strong_liquor_t_per_bdt": 11.5, "strong_liquor_conc_kg_per_t": 115.93,
        },
    ),
    stages=STAGES,
    feed_consistency_pct=FEED,
    feed_conc_kg_per_t=CONC,
    dilution_factor_t_per_bdt=FACTOR,
    wash_conc_kg_per_t=CLEAN,
)  # fmt: skip
def washed_line(
    *,
    stages: Sequence[Mapping[str, float]],
    feed_consistency_pct: float,
    feed_conc_kg_per_t: float,
    dilution_factor_t_per_bdt: float,
    wash_conc_kg_per_t: float = 0.0,
) -> Washed:
    """Return what a line of washers comes to.

    Raises
    ------
    DomainError
        As `equations`; E_SINGULAR where the equations have no one answer.
    """
    rows = equations(stages, feed_consistency_pct, dilution_factor_t_per_bdt)
    mats, tanks = steady(rows, feed_conc_kg_per_t, wash_conc_kg_per_t)
    first, last = rows[0], rows[-1]
    vats, came, bled, fed = [], (last.l_out + last.factor) * wash_conc_kg_per_t, 0.0, feed_conc_kg_per_t
    for (l_in, _, l_vat, _, added, added_conc, bleed, *_), mat, tank in zip(rows, mats, tanks, strict=True):
        vats.append((l_in * fed + (l_vat - l_in) * tank) / l_vat)
        came += added * added_conc
        bled += bleed * tank
        fed = mat
    loss = last.l_out * mats[-1]
    strong = first.l_in + first.factor + first.added - first.bleed
    fed_kg = first.l_in * feed_conc_kg_per_t
    came += fed_kg
    closure = abs(came - loss - strong * tanks[0] - bled) / came if came > 0 else 0.0
    return Washed(vats, mats, tanks, loss, 1 - loss / fed_kg if fed_kg > 0 else 0.0, strong, tanks[0], closure)


def rates_of(line: Coefficients, feed: float, wash: float) -> tuple[np.ndarray, np.ndarray]:
    """Return d(vat, tank)/dt times what they hold, as matrix and constant; mats are worked out from both."""
    count = len(line.l_out)
    vat, tank = np.arange(0, 2 * count, 2), np.arange(1, 2 * count, 2)
    mats, constants = mats_of(line, feed, wash)
    rates = np.zeros((2 * count, 2 * count))
    fed = np.zeros(2 * count)
    before = np.vstack([np.zeros(2 * count), mats[:-1]])
    before_of = np.concatenate([[feed], constants[:-1]])
    rates[vat] = line.l_in[:, None] * before
    fed[vat] = line.l_in * before_of
    rates[vat, tank] += line.l_vat - line.l_in
    rates[vat, vat] -= line.l_vat
    through = line.l_out + line.factor
    rates[tank] = -line.l_out[:, None] * mats
    fed[tank] = -line.l_out * constants + line.added * line.added_conc
    rates[tank, vat] += line.l_vat
    rates[tank[:-1], tank[1:]] += through[:-1]
    fed[tank[-1]] += through[-1] * wash
    rates[tank, tank] -= line.l_vat + line.factor + line.added
    return rates, fed


def mats_of(line: Coefficients, feed: float, wash: float) -> tuple[np.ndarray, np.ndarray]:
    """Return each mat as a sum of vats and tanks, and a constant."""
    count = len(line.l_out)
    vat, tank = np.arange(0, 2 * count, 2), np.arange(1, 2 * count, 2)
    rows, constant = np.zeros((count, 2 * count)), np.zeros(count)
    for at in range(count):
        washes = np.zeros(2 * count)
        with_wash = 0.0
        if at + 1 < count:
            washes[tank[at + 1]] = 1.0
        else:
            with_wash = wash
        if line.l_vat[at] > line.l_in[at] + 1e-12:  # a drum: displaced out of its vat
            rows[at, vat[at]] = 1 - line.of_wash[at]
        else:
            fed = rows[at - 1] if at else np.zeros(2 * count)
            rows[at] = line.of_feed[at] * fed
            rows[at, tank[at]] += line.of_filtrate[at]
            constant[at] = line.of_feed[at] * (constant[at - 1] if at else feed)
        rows[at] += line.of_wash[at] * washes
        constant[at] += line.of_wash[at] * with_wash
    return rows, constant


def rest_of(line: Coefficients, feed: float, wash: float) -> np.ndarray:
    """Return what vats and tanks come to, vat and tank of each machine in turn."""
    rates, fed = rates_of(line, feed, wash)
    return -np.linalg.solve(rates, fed)
