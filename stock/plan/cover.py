"""When a vessel empties or overflows, and the level it should be kept at."""

from typing import NamedTuple

from stock.errors import DomainError
from stock.working import Arg, Example, Rows, method


class Event(NamedTuple):
    """The first limit a vessel meets: +1 overflow, -1 empty, 0 none in the span looked at, and then no time."""

    event_count: int
    time_h: float | None
    level_bdt: float


@method(
    "level = level_bdt + sum of (in - out) * hours, until a limit is crossed",
    title="Time to empty or overflow",
    station="plan",
    source="mass balance with piecewise rates",
    aliases=("time_to_event",),
    exact=False,
    results=("event_count", "time_h", "level_bdt"),
    example=Example(
        {
            "level_bdt": 42,
            "min_bdt": 8,
            "max_bdt": 60,
            "segments": [
                {"span_h": 2, "in_bdt_per_h": 9, "out_bdt_per_h": 11},
                {"span_h": 6, "in_bdt_per_h": 4, "out_bdt_per_h": 11},
                {"span_h": 5, "in_bdt_per_h": 12, "out_bdt_per_h": 11},
            ],
        },
        {"event_count": -1, "time_h": 6.286, "level_bdt": 8},
    ),
    level_bdt=Arg("stock there now", 0, 1e6),
    min_bdt=Arg("least it may hold", 0, 1e6),
    max_bdt=Arg("most it may hold", 0, 1e6),
    segments=Rows(
        "rates ahead",
        {
            "span_h": Arg("how long", 0, 1000),
            "in_bdt_per_h": Arg("fed", 0, 1e5),
            "out_bdt_per_h": Arg("drawn", 0, 1e5),
        },
    ),
)
def vessel_event(*, level_bdt: float, min_bdt: float, max_bdt: float, segments: list[dict[str, float]]) -> Event:
    """Return the first limit met, when, and the level there."""
    if not min_bdt <= level_bdt <= max_bdt:
        message = f"the level {level_bdt:g} BDt is outside its limits {min_bdt:g} to {max_bdt:g} BDt already"
        raise DomainError("E_RANGE", "level_bdt", message, f"{min_bdt:g} to {max_bdt:g} BDt")
    level, elapsed = level_bdt, 0.0
    for segment in segments:
        net = segment["in_bdt_per_h"] - segment["out_bdt_per_h"]
        after = level + net * segment["span_h"]
        if after < min_bdt:
            return Event(-1, elapsed + (min_bdt - level) / net, min_bdt)
        if after > max_bdt:
            return Event(1, elapsed + (max_bdt - level) / net, max_bdt)
        level, elapsed = after, elapsed + segment["span_h"]
    return Event(0, None, level)


class LevelBand(NamedTuple):
    """Where a chest should be kept."""

    low_bdt: float
    high_bdt: float
    target_bdt: float


@method(
    "low_bdt = min_bdt + use_bdt_per_h * upstream_stop_h\n"
    "high_bdt = max_bdt - make_bdt_per_h * downstream_stop_h\n"
    "target_bdt = (low_bdt + high_bdt) / 2",
    title="Level between two stop risks",
    station="plan",
    source="mass balance",
    exact=False,
    example=Example(
        {
            "min_bdt": 8,
            "max_bdt": 60,
            "use_bdt_per_h": 10,
            "make_bdt_per_h": 11,
            "upstream_stop_h": 2.0,
            "downstream_stop_h": 1.5,
        },
        {"low_bdt": 28.0, "high_bdt": 43.5, "target_bdt": 35.75},
    ),
    min_bdt=Arg("least it may hold", 0, 1e6),
    max_bdt=Arg("most it may hold", 0, 1e6),
    use_bdt_per_h=Arg("draw", 0, 1e5, above=True),
    make_bdt_per_h=Arg("feed", 0, 1e5),
    upstream_stop_h=Arg("upstream stop to be covered", 0, 1000),
    downstream_stop_h=Arg("downstream stop to be covered", 0, 1000),
)
def level_band(
    *,
    min_bdt: float,
    max_bdt: float,
    use_bdt_per_h: float,
    make_bdt_per_h: float,
    upstream_stop_h: float,
    downstream_stop_h: float,
) -> LevelBand:
    """Return the band that covers a stop on either side."""
    low = min_bdt + use_bdt_per_h * upstream_stop_h
    high = max_bdt - make_bdt_per_h * downstream_stop_h
    if low > high:
        hours = (max_bdt - min_bdt - make_bdt_per_h * downstream_stop_h) / use_bdt_per_h
        message = f"the chest cannot cover both stops; beside the downstream one it covers {hours:.1f} h upstream"
        raise DomainError("E_INFEASIBLE", "upstream_stop_h", message, f"{max(hours, 0):.1f} h or less")
    return LevelBand(low, high, (low + high) / 2)
