"""What to do about stock off its consistency, and a vessel off its level."""

from collections.abc import Iterable
from typing import TYPE_CHECKING

from stock.figure import Datum, Figure, Origin, figure
from stock.judge.here import Here
from stock.judge.quiet import Quiet
from stock.judge.rule import Handle, Most, Rule, dilution_flow, feed_flow, look_at, look_soon
from stock.primitives import Mix, Vessel

if TYPE_CHECKING:
    from stock.line.balance import Load


def _water(here: Here) -> Figure:
    """Dilution to let in: from what it is to the target."""
    return _dilution(here, here.now, here.wanted, "dilution water")


def _thin(here: Here) -> Figure:
    """How much dilution to take off: the water that would thin target stock to what it is now."""
    return _dilution(here, here.wanted, here.now, "dilution water to take off")


def _dilution(here: Here, before: Datum, after: Datum, label: str) -> Figure:
    return figure(
        "dilution_water_l_per_min",
        label,
        {
            "flow_l_per_min": here.flow_l_per_min(),
            "consistency_in_pct": before,
            "consistency_out_pct": after,
            "water_consistency_pct": here.dilution_pct(),
        },
        decimals=0,
    )


def _runs_in(here: Here, size: Figure) -> Iterable[Most]:
    """No more can be closed than runs in."""
    water = here.line.graph.dilution(here.unit.id)
    if here.side == "low" and water is not None:
        runs = here.facts.result.streams[water.id].total_t_per_h * 1000 / 60
        yield Most(runs, f"{runs:.0f} L/min is all that runs in")


def _look_mixed(here: Here) -> Figure:
    """A chest shows a change slowly: its volume over its flow."""
    unit = here.unit
    volume = unit.volume_m3 if isinstance(unit, Mix) else None
    if volume is None:
        return look_at(here)
    flow = here.flow_l_per_min()
    minutes = Datum(
        1000 * volume / flow.value, Origin("computed", f"{volume:g} m³ of {unit.name} over {flow.value:.0f} L/min")
    )
    return look_at(here, mixed_min=minutes)


def _feed(here: Here) -> Figure:
    return _to_level(here, here.wanted, here.now, "feed above the draw")


def _draw(here: Here) -> Figure:
    return _to_level(here, here.now, here.wanted, "draw above the feed")


def _to_level(here: Here, more: Datum, less: Datum, label: str) -> Figure:
    unit = here.unit
    hours = unit.back_in_h if isinstance(unit, Vessel) else 1.0
    return figure(
        "feed_change",
        label,
        {
            "wanted_bdt": here.contents(more, f"stock at {more.value:.0f} %").as_datum(),
            "level_bdt": here.contents(less, f"stock at {less.value:.0f} %").as_datum(),
            "horizon_h": Datum(hours, here.facts.set_origin(here.unit.name)),
        },
        decimals=2,
    )


def _span(hours: float) -> str:
    return "for an hour" if hours == 1 else f"for {hours:.0f} h" if hours >= 3 else f"for {hours:.2g} h"


def _hours(figure_: Figure) -> float:
    """Return over how long a level is brought back."""
    full = figure_.data.get("full_correction_moved")
    data = full.figure.data if full is not None and full.figure is not None else figure_.data
    return float(data["horizon_h"].value)


def _takes_h(here: Here, step: Figure) -> float:
    """Return how long a level takes to come back: longer than is usual where most of the draw would have to help."""
    full, fed = float(step.data["full_correction_moved"].value), float(step.results["step_moved"])
    too_much = full - fed > MOST_OFF_DRAW * here.drawn_bdt_per_h()
    return _hours(step) * full / fed if too_much and fed > 0 else _hours(step)


def _say_feed(step: Figure, here: Here) -> str:
    return f"Feed {step.text} BDt/h more than is drawn, {_span(_takes_h(here, step))}"


def _say_less(step: Figure, here: Here) -> str:
    return f"Feed {step.text} BDt/h less than is drawn, {_span(_hours(step))}"


def _what_is_carried(here: Here, size: Figure) -> Iterable[Most]:
    """What the units before it can still pass on."""
    yield from _room(here.room_up())


def _what_is_taken(here: Here, size: Figure) -> Iterable[Most]:
    """What the units after it can still take on."""
    yield from _room(here.room_down())


def _room(room: "tuple[float, Load] | None") -> Iterable[Most]:
    if room is not None:
        most, load = room
        name, can = load.unit[:1].lower() + load.unit[1:], load.capacity_bdt_per_h
        yield Most(max(0.0, most), f"{name} can pass {can:g} BDt/h, of which the order takes {load.bdt_per_h:.2f}")


def _all_that_comes(here: Here, size: Figure) -> Iterable[Most]:
    """No more can be held back than comes."""
    fed = here.fed_bdt_per_h()
    yield Most(fed, f"{fed:.2f} BDt/h is all that comes")


def _other_side(here: Here, step: Figure) -> str:
    """Say what to take off the draw for what cannot be fed, in points of the furnish where it goes straight there."""
    full, fed = float(step.data["full_correction_moved"].value), float(step.results["step_moved"])
    rest = full - fed
    if here.side != "low" or rest < 0.01:
        return ""
    if _takes_h(here, step) > _hours(step):
        return f"That is longer than the usual {_hours(step):g} h; sooner by drawing less"
    words = f"The rest, {rest:.2f} BDt/h, from the draw"
    points = _points(here, rest)
    if not points:
        return words
    return f"{words}: cut the {here.family} share by {points:.0f} point{'' if round(points) == 1 else 's'}"


def _rest_and_branch(here: Here, step: Figure) -> str:
    """Say what to take off the draw, and what else the feed fills."""
    return ". ".join(words for words in (_other_side(here, step), _other_branch(here, step)) if words)


def _other_branch(here: Here, step: Figure) -> str:
    """Say where the rest of what is moved goes, where the feed is parted on its way."""
    graph = here.line.graph
    stream = graph.flow_into(here.unit.id)
    branch = None if stream is None else graph.parted_to(stream, here.unit.id)
    arrives = 0.0 if stream is None else here.arriving_frac(stream)
    if stream is None or branch is None or arrives <= 0:
        return ""
    moved = float(step.results["step_moved"]) / arrives
    verb = "more" if here.side == "low" else "less"
    return (
        f"That is {moved:.2f} BDt/h {verb} of {stream.called}: {100 * arrives:.0f} % of it comes here,"
        f" {moved * (1 - arrives):.2f} BDt/h {verb} runs in {branch.called}"
    )


def _points(here: Here, bdt_per_h: float) -> float:
    """Return points of the furnish that a flow is, where this vessel's stock is a share of it; 0 elsewhere."""
    order, graph = here.facts.result.order, here.line.graph
    streams = here.facts.result.streams
    total = sum(streams[name].bdt_per_h for name, share in order.shares.items() if share)
    passes = {stream.id for unit in (here.unit, *graph.downstream(here.unit.id)) for stream in graph.out(unit.id)}
    belongs = any(share and name in passes for name, share in order.shares.items())
    return 100 * bdt_per_h / total if belongs and total else 0.0


def _more_share(here: Here, step: Figure) -> str:
    points = _points(here, step.results["step_moved"])
    return f"That is {points:.1f} points more of the furnish, where grade and colour allow" if points else ""


def _look_level(here: Here) -> str:
    return "in half an hour: the level's trend shows it at once"


def _broke_comes(here: Here) -> bool:
    return here.fed_bdt_per_h() > LEAST_BDT_PER_H


def _is_diluted(here: Here) -> bool:
    return here.line.graph.dilution(here.unit.id) is not None


DILUTED = ("dilution", "refiner")
CHESTS = ("chest", "blend_chest", "machine_chest")
LEAST_BDT_PER_H = 0.005  # less is nothing
MOST_OFF_DRAW = 0.5  # of what is drawn: to take more of it off is to stop what is after
STEADY = 1.0  # a level is seen as it is: the whole of a correction, over its hours

ROWS: tuple[Rule, ...] = (
    Rule(
        "thick",
        "consistency",
        ("high",),
        ("transmitter drift", "thicker mat after a rate change", "dilution valve stuck"),
        "Is the transmitter right? Take a pad; trim only on five pairs.",
        _water,
        lambda size, here: f"Open the dilution {size.text} L/min",
        at=DILUTED,
        handle=Handle(look_soon, moves=dilution_flow),
    ),
    Rule(
        "thin",
        "consistency",
        ("low",),
        ("transmitter drift", "wet mat, low vacuum", "dilution valve stuck open"),
        "Is the transmitter right? Take a pad; look at the mat.",
        _thin,
        lambda size, here: f"Close the dilution {size.text} L/min",
        at=DILUTED,
        handle=Handle(look_soon, limits=_runs_in, moves=dilution_flow),
    ),
    Rule(
        "chest_thick",
        "consistency",
        ("high",),
        ("transmitter drift", "dilution valve stuck", "a thick component"),
        "Is the transmitter right? Take a pad; look at what runs in.",
        _water,
        lambda size, here: f"Open the dilution {size.text} L/min",
        at=CHESTS,
        where=_is_diluted,
        handle=Handle(_look_mixed, moves=dilution_flow),
    ),
    Rule(
        "chest_thin",
        "consistency",
        ("low",),
        ("transmitter drift", "dilution valve stuck open", "a thin component, wash-up water"),
        "Is the transmitter right? Take a pad; look at what runs in.",
        _thin,
        lambda size, here: f"Close the dilution {size.text} L/min",
        at=CHESTS,
        where=_is_diluted,
        handle=Handle(_look_mixed, limits=_runs_in, moves=dilution_flow),
    ),
    Rule(
        "chest_low",
        "level",
        ("low",),
        ("demand up", "feed limited", "broke cut"),
        "What is fed against what is drawn.",
        _feed,
        _say_feed,
        at=CHESTS,
        handle=Handle(_look_level, limits=_what_is_carried, also=_rest_and_branch, gain_frac=STEADY, moves=feed_flow),
    ),
    Rule(
        "tower_low",
        "level",
        ("low",),
        ("what feeds it runs late", "draw above plan", "washer slow"),
        "The next cook, and this share of the blend.",
        _feed,
        _say_feed,
        at=("tower", "blow_tank"),
        handle=Handle(_look_level, limits=_what_is_carried, also=_rest_and_branch, gain_frac=STEADY, moves=feed_flow),
    ),
    Rule(
        "vessel_high",
        "level",
        ("high",),
        ("draw cut after a break", "feed not cut with it", "level tap plugged"),
        "Is the level true? Dip it or look in; then what is fed against what is drawn.",
        _draw,
        _say_less,
        at=(*CHESTS, "tower"),
        handle=Handle(_look_level, limits=_all_that_comes, also=_other_branch, gain_frac=STEADY, moves=feed_flow),
    ),
    Rule(
        "blow_tank_high",
        "level",
        ("high",),
        ("washers slow", "cooks bunched", "level false"),
        "Room for the next blow, before it is relieved; is the level true?",
        _draw,
        lambda size, here: f"Wash {size.text} BDt/h more than is blown, {_span(_hours(size))}, or hold the next blow",
        at=("blow_tank",),
        handle=Handle(_look_level, limits=_what_is_taken, gain_frac=STEADY),
    ),
    Rule(
        "broke_high",
        "level",
        ("high",),
        ("breaks", "share cut for the grade", "trim wide"),
        "Minutes to full at the rate of a break, not of a run.",
        _draw,
        lambda size, here: f"Draw {size.text} BDt/h more broke than comes, {_span(_hours(size))}",
        at=("broke_chest",),
        handle=Handle(_look_level, limits=_what_is_taken, also=_more_share, gain_frac=STEADY),
    ),
    Rule(
        "broke_low",
        "level",
        ("low",),
        ("share above what comes", "few breaks", "chest drawn down for a grade"),
        "Whether it is drawn down on purpose for a change of grade.",
        _feed,
        lambda size, here: f"Draw {size.text} BDt/h less broke than comes, {_span(_hours(size))}",
        at=("broke_chest",),
        where=_broke_comes,
        handle=Handle(_look_level, limits=_all_that_comes, gain_frac=STEADY),
    ),
)

QUIET: tuple[Quiet, ...] = (
    Quiet(
        "level",
        ("low",),
        "No broke comes by the balance, so none can be held back: it fills at the next break. The draw off till then.",
        at=("broke_chest",),
    ),
    Quiet(
        "consistency",
        ("low", "high"),
        "No water is let in here: it is set where the stock is made down, one step back. Correct it there, and wait for the chest to mix.",
        at=(*CHESTS, "chest"),
    ),
    Quiet(
        "level",
        ("low", "high"),
        "No volume of this vessel is given, so nothing can be sized: look at what runs in and out.",
        at=(*CHESTS, "tower", "blow_tank", "broke_chest"),
    ),
)
