"""What a mill's controllers, actuators and instruments do in a step, and how they are tuned."""

import math
from collections.abc import Sequence
from typing import NamedTuple

from stock.errors import DomainError
from stock.working import Arg, Example, method


class Controlled(NamedTuple):
    """What a controller puts out, what it was off by, whether a limit held it (1) or not (0)."""

    output_pct: float
    error_read: float
    limited_count: float


@method(
    "error_read = setpoint_read - measured_read\n"
    "output_pct = output_before_pct + gain_ratio * (error_read - error_before_read + dt_s / reset_s * error_read),"
    " held between low_pct and high_pct",
    title="A controller's step",
    station="simulate",
    source="PI in velocity form; that it goes on from where the limits left it is the anti-windup",
    aliases=("pi_step",),
    exact=False,
    results=Controlled._fields,
    example=Example(
        {
            "setpoint_read": 3.50,
            "measured_read": 3.56,
            "error_before_read": -0.05,
            "output_before_pct": 40,
            "gain_ratio": -23.49,
            "reset_s": 8,
            "dt_s": 1,
        },
        {"output_pct": 40.411, "error_read": -0.06, "limited_count": 0},
        1e-4,
    ),
    setpoint_read=Arg("what is wanted"),
    measured_read=Arg("what is measured"),
    error_before_read=Arg("what it was off by a step before"),
    output_before_pct=Arg("its output a step before, as the limits left it", 0, 100),
    gain_ratio=Arg("output for each unit it is off, with the sign of the process"),
    reset_s=Arg("reset time", 0, 1e6, above=True),
    dt_s=Arg("step", 0, 3600, above=True),
    low_pct=Arg("least output", 0, 100),
    high_pct=Arg("greatest output", 0, 100),
)
def controller_step(
    *,
    setpoint_read: float,
    measured_read: float,
    error_before_read: float,
    output_before_pct: float,
    gain_ratio: float,
    reset_s: float,
    dt_s: float,
    low_pct: float = 0.0,
    high_pct: float = 100.0,
) -> Controlled:
    """Return a controller's next output.

    Raises
    ------
    DomainError
        E_RANGE for a gain of nought or a step above a quarter of the reset time, E_ORDER for limits the wrong way round.
    """
    if gain_ratio == 0:
        raise DomainError("E_RANGE", "gain_ratio", "the gain is 0: the controller would do nothing", "any other")
    if dt_s > reset_s / 4:
        message = f"the step of {dt_s:g} s is above a quarter of the reset time, {reset_s:g} s"
        raise DomainError("E_RANGE", "dt_s", message, f"{reset_s / 4:g} s or less")
    if low_pct >= high_pct:
        message = f"the least output, {low_pct:g} %, is not below the greatest, {high_pct:g} %"
        raise DomainError("E_ORDER", "low_pct", message, f"less than {high_pct:g} %")
    error = setpoint_read - measured_read
    wanted = output_before_pct + gain_ratio * (error - error_before_read + dt_s / reset_s * error)
    given = min(max(wanted, low_pct), high_pct)
    return Controlled(given, error, float(given != wanted))


class LevelTuning(NamedTuple):
    """How slowly a level is brought back, and what that makes of its controller."""

    arrest_h: float
    gain_per_h: float
    reset_h: float
    peak_at_h: float


@method(
    "arrest_h = e * allowed_bdt / step_bdt_per_h\n"
    "gain_per_h = 2 / arrest_h\n"
    "reset_h = 2 * arrest_h\n"
    "peak_at_h = arrest_h",
    title="Tuning of an averaging level",
    station="simulate",
    source="integrator with a double pole: a step of the flow is met with a peak of exactly what is allowed; derived",
    exact=False,
    results=LevelTuning._fields,
    example=Example(
        {"allowed_bdt": 0.768, "step_bdt_per_h": 1.5},
        {"arrest_h": 1.3918, "gain_per_h": 1.4370, "reset_h": 2.7835, "peak_at_h": 1.3918},
        1e-4,
    ),
    allowed_bdt=Arg("how far the content may swing", 0, 1e5, above=True),
    step_bdt_per_h=Arg("a step of the flow it is to meet", 0, 1e5, above=True),
)
def level_tuning(*, allowed_bdt: float, step_bdt_per_h: float) -> LevelTuning:
    """Return the tuning of a level that may swing, so that what is drawn does not."""
    arrest = math.e * allowed_bdt / step_bdt_per_h
    return LevelTuning(arrest, 2 / arrest, 2 * arrest, arrest)


ALLOWED_FRAC, STEP_FRAC = 0.10, 0.15  # a level swings a tenth of the vessel at a step of so much of its flow


def averaging(volume_m3: float, out_t_per_h: float) -> LevelTuning:
    """Return the usual tuning of a vessel's level, by what it holds full, m³ or t, and what runs out of it, t/h."""
    return level_tuning(allowed_bdt=ALLOWED_FRAC * volume_m3, step_bdt_per_h=STEP_FRAC * out_t_per_h)


@method(
    "c_per_t_per_h = (steam_enthalpy_kj_per_kg - 4.19 * temperature_c) / (stock_t_per_h * cp)\n"
    "cp = (4.19 * (100 - consistency_pct) + 1.34 * consistency_pct) / 100",
    title="What a tonne of steam warms stock by",
    station="simulate",
    source="heat balance of direct steam; heat capacity of fibre 1.34, of water 4.19 kJ/(kg K)",
    exact=False,
    results=("c_per_t_per_h",),
    example=Example({"stock_t_per_h": 180, "consistency_pct": 10, "temperature_c": 76}, {"c_per_t_per_h": 3.442}, 2e-3),
    stock_t_per_h=Arg("stock, all of it", 0, 1e5, above=True),
    consistency_pct=Arg("its consistency", 0, 60),
    temperature_c=Arg("its temperature", 0, 150),
    steam_enthalpy_kj_per_kg=Arg("heat of the steam", 2500, 3000),
)
def steam_temperature_gain(
    *, stock_t_per_h: float, consistency_pct: float, temperature_c: float, steam_enthalpy_kj_per_kg: float = 2738.0
) -> float:
    """Return the degrees a tonne of steam an hour warms stock by."""
    cp = (4.19 * (100 - consistency_pct) + 1.34 * consistency_pct) / 100
    return (steam_enthalpy_kj_per_kg - 4.19 * temperature_c) / (stock_t_per_h * cp)


@method(
    "position_pct stays while abs(command_pct - position_before_pct) <= stick_pct;"
    " else it moves towards command_pct by at most 100 * dt_s / stroke_s",
    title="A valve's step",
    station="simulate",
    source="stick-slip with a jump as wide as its band",
    aliases=("actuator_step",),
    exact=False,
    results=("position_pct",),
    example=Example(
        {"position_before_pct": 40, "command_pct": 47, "dt_s": 1, "stroke_s": 20, "stick_pct": 0.5},
        {"position_pct": 45},
    ),
    position_before_pct=Arg("where it stands", 0, 100),
    command_pct=Arg("where it is sent", 0, 100),
    dt_s=Arg("step", 0, 3600, above=True),
    stroke_s=Arg("time for its whole stroke", 0, 3600, above=True),
    stick_pct=Arg("how far it must be sent before it moves", 0, 20),
)
def valve_step(
    *, position_before_pct: float, command_pct: float, dt_s: float, stroke_s: float, stick_pct: float = 0.0
) -> float:
    """Return where a valve stands a step later."""
    wanted = command_pct - position_before_pct
    if abs(wanted) <= stick_pct:
        return position_before_pct
    most = 100 * dt_s / stroke_s
    return position_before_pct + min(max(wanted, -most), most)


class Shown(NamedTuple):
    """What an instrument shows, and whether it is at the end of its range (1) or inside it (0)."""

    shown_read: float
    at_end_count: float


@method(
    "shown_read = true_read * (1 + gain_error_frac) + bias_read + noise_read, rounded to resolution_read,"
    " held between range_low_read and range_high_read",
    title="What an instrument shows",
    station="simulate",
    source="order of what happens to a value on its way: gain and bias, noise, steps of the display, range",
    aliases=("instrument_reading",),
    exact=False,
    results=Shown._fields,
    example=Example(
        {"true_read": 3.50, "gain_error_frac": 0.01, "bias_read": 0.03, "noise_read": -0.006, "resolution_read": 0.01,
         "range_low_read": 0, "range_high_read": 6},
        {"shown_read": 3.56, "at_end_count": 0},
    ),
    true_read=Arg("what is there"),
    gain_error_frac=Arg("by how much it reads high in ratio", -0.5, 0.5),
    bias_read=Arg("what it reads too much"),
    noise_read=Arg("its noise just now"),
    resolution_read=Arg("the step it shows", 0, 1e6, above=True),
    range_low_read=Arg("least it can show"),
    range_high_read=Arg("most it can show"),
)  # fmt: skip
def instrument_shows(
    *,
    true_read: float,
    range_low_read: float,
    range_high_read: float,
    resolution_read: float,
    gain_error_frac: float = 0.0,
    bias_read: float = 0.0,
    noise_read: float = 0.0,
) -> Shown:
    """Return what an instrument shows of a true value.

    Raises
    ------
    DomainError
        E_ORDER for a range that ends before it begins.
    """
    if range_low_read >= range_high_read:
        message = f"the range begins at {range_low_read:g} and ends at {range_high_read:g}"
        raise DomainError("E_ORDER", "range_low_read", message, f"less than {range_high_read:g}")
    value = true_read * (1 + gain_error_frac) + bias_read + noise_read
    stepped = round(value / resolution_read) * resolution_read
    held = min(max(stepped, range_low_read), range_high_read)
    return Shown(held, float(held != stepped))


@method(
    "break_frac = 1 - exp(-breaks_per_d * times_ratio * dt_s / 86400)",
    title="Chance of losing the sheet in a step",
    station="simulate",
    source="events that come at a mean rate, each on its own",
    aliases=("break_probability",),
    exact=False,
    results=("break_frac",),
    example=Example({"breaks_per_d": 2, "dt_s": 10, "times_ratio": 3}, {"break_frac": 0.0006942}, 1e-3),
    breaks_per_d=Arg("how often it is lost", 0, 500),
    dt_s=Arg("step", 0, 86_400, above=True),
    times_ratio=Arg("how many times as often just now", 0, 100),
)
def break_chance(*, breaks_per_d: float, dt_s: float, times_ratio: float = 1.0) -> float:
    """Return the chance that the sheet is lost within a step."""
    return 1 - math.exp(-breaks_per_d * times_ratio * dt_s / 86_400)


class MeanSd(NamedTuple):
    """Uncertainty of a mean of readings that go together, and how many independent ones it is worth."""

    sd_mean_read: float
    effective_count: float


@method(
    "phi = exp(-sample_s / correlation_s)\n"
    "sd_mean_read = sqrt(sd_read**2 / readings_count**2 * (readings_count + 2 * sum((readings_count - k) * phi**k)))\n"
    "effective_count = (sd_read / sd_mean_read)**2",
    title="Mean of readings that go together",
    station="simulate",
    source="variance of the mean of a first-order autoregressive series",
    aliases=("mean_sd_correlated",),
    exact=False,
    results=MeanSd._fields,
    example=Example(
        {"sd_read": 0.02, "correlation_s": 60, "sample_s": 10, "readings_count": 30},
        {"sd_mean_read": 0.01134, "effective_count": 3.11},
        2e-3,
    ),
    sd_read=Arg("spread of one", 0, above=True),
    correlation_s=Arg("how long they go together", 0, 1e6, above=True),
    sample_s=Arg("time between two", 0, 1e6, above=True),
    readings_count=Arg("how many", 1, 100_000),
)
def mean_of_correlated(*, sd_read: float, correlation_s: float, sample_s: float, readings_count: float) -> MeanSd:
    """Return how well a mean is known when its readings are no strangers to each other."""
    count = int(readings_count)
    phi = math.exp(-sample_s / correlation_s)
    together = count + 2 * sum((count - k) * phi**k for k in range(1, count))
    sd = sd_read / count * math.sqrt(together)
    return MeanSd(sd, (sd_read / sd) ** 2)


class Granted(NamedTuple):
    """Steam each gets, and what all of them together go short of."""

    granted_each_t_per_h: list[float]
    short_t_per_h: float


@method(
    "served in the order given, the lowest first, or without one all in ratio, while their sum is above cap_t_per_h",
    title="Steam shared out",
    station="simulate",
    source="balance of a header",
    aliases=("steam_grant",),
    exact=False,
    results=Granted._fields,
    example=Example(
        {"demands_t_per_h": [9, 7, 5], "cap_t_per_h": 16},
        {"granted_each_t_per_h": [6.857, 5.333, 3.810], "short_t_per_h": 5},
        1e-3,
    ),
    demands_t_per_h=Arg("what each asks for", 0, 1e4, series=True, count=0),
    cap_t_per_h=Arg("what there is", 0, 1e4),
    rank_each_count=Arg("who is served first, a number for each", 0, 1000, series=True, count=0),
)
def steam_shared(
    *, demands_t_per_h: Sequence[float], cap_t_per_h: float, rank_each_count: Sequence[float] | None = None
) -> Granted:
    """Return how steam is shared out.

    Raises
    ------
    DomainError
        E_COUNT where there are not as many ranks as demands.
    """
    demands = [float(one) for one in demands_t_per_h]
    asked = sum(demands)
    if rank_each_count is not None and len(rank_each_count) != len(demands):
        message = f"{len(rank_each_count)} ranks for {len(demands)} demands"
        raise DomainError("E_COUNT", "rank_each_count", message, f"{len(demands)}")
    if rank_each_count is None:
        share = min(1.0, cap_t_per_h / asked) if asked > 0 else 1.0
        return Granted([one * share for one in demands], max(0.0, asked - cap_t_per_h))
    left, granted = cap_t_per_h, [0.0] * len(demands)
    for index in sorted(range(len(demands)), key=lambda one: rank_each_count[one]):
        granted[index] = min(demands[index], left)
        left -= granted[index]
    return Granted(granted, max(0.0, asked - cap_t_per_h))


@method(
    "closure_frac = abs(in_t - out_t - change_t - reacted_t) / in_t",
    title="How far a mass balance is open",
    station="simulate",
    source="conservation of mass",
    example=Example({"in_t": 12.80, "out_t": 12.79, "change_t": 0.0100000001}, {"closure_frac": 7.8125e-12}, 1e-2),
    exact=False,
    results=("closure_frac",),
    in_t=Arg("what came", 0, 1e9, above=True),
    out_t=Arg("what left", 0, 1e9),
    change_t=Arg("what lies there more than before"),
    reacted_t=Arg("what became something else"),
)
def mass_closure(*, in_t: float, out_t: float, change_t: float, reacted_t: float = 0.0) -> float:
    """Return the share of what came that is not accounted for."""
    return abs(in_t - out_t - change_t - reacted_t) / in_t


class Merged(NamedTuple):
    """What is left of each origin, the small ones nought, and what those come to."""

    kept_each_bdt: list[float]
    minor_bdt: float


@method(
    "origins below least_frac of the whole become one, minor_bdt; what is kept and minor_bdt add to what was given",
    title="Origins too small to tell apart",
    station="simulate",
    source="conservation of mass",
    aliases=("merge_tags",),
    exact=False,
    results=Merged._fields,
    example=Example(
        {"origins_each_bdt": [5.0, 0.0004, 2.0, 0.0002]},
        {"kept_each_bdt": [5.0, 0.0, 2.0, 0.0], "minor_bdt": 0.0006},
        1e-6,
    ),
    origins_each_bdt=Arg("fibre of each origin", 0, 1e6, series=True, count=1),
    least_frac=Arg("share of the whole below which it is minor", 0, 0.1),
)
def merge_origins(*, origins_each_bdt: Sequence[float], least_frac: float = 1e-4) -> Merged:
    """Return what is kept of each origin, and what all the small ones come to."""
    least = least_frac * sum(origins_each_bdt)
    kept = [one if one >= least else 0.0 for one in origins_each_bdt]
    return Merged(kept, sum(origins_each_bdt) - sum(kept))
