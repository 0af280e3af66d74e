"""What to do about ash off its band, and why the blend itself is not moved for what its parts make."""

from collections.abc import Iterable

from stock.blending.place import filler_kept
from stock.blending.unit import Filler
from stock.delivery.unit import Dryer
from stock.figure import Datum, Figure, Origin, figure
from stock.judge.here import Here
from stock.judge.quiet import Quiet
from stock.judge.rule import Handle, Most, Rule, look_at

LOOP_MIN = 10.0  # the wire loop's turn
CAP_FRAC = 0.20


def _filler_of(here: Here) -> Filler:
    found = next((unit for unit in here.line.units if isinstance(unit, Filler)), None)
    if found is None:
        raise LookupError(here.name)
    return found


def _feed(here: Here, ash: Datum) -> Figure:
    dryer = here.up(Dryer)
    data = {
        "sheet_bdt_per_h": here.flow(here.at(dryer).stream.id),
        "sheet_filler_frac": Datum(ash.value / 100, ash.origin, ash.figure),
        "overall_frac": filler_kept(here, dryer),
    }
    return figure("filler_feed_t_per_h", "filler", data, decimals=2)


def _change(here: Here) -> Figure:
    """Filler to add: what ash there should be takes, less what ash there is takes."""
    data = {
        "filler_wanted_t_per_h": _feed(here, here.wanted).as_datum(),
        "filler_now_t_per_h": _feed(here, here.now).as_datum(),
    }
    return figure("filler_change", "filler", data, decimals=2)


def _limits(here: Here, size: Figure) -> Iterable[Most]:
    source = _filler_of(here)
    runs = here.facts.result.streams[here.at(source).stream.id].bdt_per_h
    yield Most(CAP_FRAC * runs, f"a fifth of the {runs:.2f} t/h that run")
    if source.capacity_bdt_per_h is not None and size.value > 0:
        yield Most(max(0.0, source.capacity_bdt_per_h - runs), f"it can give {source.capacity_bdt_per_h:g} t/h")


def _look(here: Here) -> Figure:
    return look_at(here, mixed_min=Datum(LOOP_MIN, Origin("assumed", "the wire loop's turn")))


def _say(step: Figure, here: Here) -> str:
    return f"{'Add' if step.value > 0 else 'Take off'} {abs(step.value):.2f} t/h of filler"


ROWS: tuple[Rule, ...] = (
    Rule(
        "ash_off",
        "ash",
        ("low", "high"),
        ("retention", "ash of the broke", "filler strength or meter"),
        "Retention aid and the tray's consistency; the broke that is drawn.",
        _change,
        _say,
        at=("reel",),
        handle=Handle(_look, limits=_limits),
    ),
)

QUIET: tuple[Quiet, ...] = (
    Quiet(
        "brightness",
        ("low", "high"),
        "It is made by its parts: look which pulp or broke is off its own brightness, correct it there, and wait for the chest to mix. Shares move only with the order.",
        at=("blend_chest", "machine_chest", "chest"),
    ),
    Quiet(
        "consistency",
        ("low", "high"),
        "It follows thick-stock flow, fan-pump flow and retention: look at the basis weight and the tray first; the machine tender moves the slice.",
        at=("head_box",),
    ),
    Quiet(
        "consistency",
        ("low", "high"),
        "It answers to retention: aid, charge and furnish before anything is diluted; high costs fibre at the save-all, low often means too much aid.",
        at=("to:water_tank",),
    ),
)
