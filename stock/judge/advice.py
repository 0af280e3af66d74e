"""What to do about a value outside its band: causes in order, the check, the sized correction, its first step.

The rows are data of their chapters; the size of each correction is computed by a method of the
book, from figures whose origin is known. How much of it to do first, and when to look again,
is worked out here for all of them alike.
"""

from collections.abc import Sequence
from dataclasses import dataclass, replace

from stock.errors import DomainError
from stock.figure import Datum, Figure, Origin, figure
from stock.judge.here import Facts, Here
from stock.judge.limits import Verdict
from stock.judge.rule import Handle, Most, Moved, Rule
from stock.tag import Tag


@dataclass(frozen=True, slots=True)
class Advice:
    """A card: what is wrong, why it may be, what to look at, how much to move what.

    `size` is the correction in full; `step` what to do of it first, None where the whole is done at once;
    `carrying` says in sentences how much that is, what cut it, when to look again and what else moves.
    """

    rule: str
    tag: Tag
    verdict: Verdict
    causes: tuple[str, ...]
    check: str
    correction: str
    size: Figure
    step: Figure | None = None
    look: Figure | None = None
    carrying: tuple[str, ...] = ()
    leave: bool = False
    moved: Moved | None = None
    comes: float = 1.0  # of what the correction was sized by, the part that is known to come of it

    @property
    def change(self) -> float:
        """How far the first step moves what is moved, in its unit; 0 where that has no name."""
        if self.moved is None or self.step is None:
            return 0.0
        return float(self.step.results["step_moved"]) * self.moved.per_step

    @property
    def effect(self) -> float:
        """What the first step should change in what is read, in the end; 0 where there is no step."""
        if self.step is None:
            return 0.0
        data = self.step.data
        full = float(data["full_correction_moved"].value)
        away = float(data["target_read"].value) - float(data["value_read"].value)
        learned = float(data["learned_ratio"].value) if "learned_ratio" in data else 1.0
        return away * self.comes * learned * float(self.step.results["step_moved"]) / full if full else 0.0


def advise(rules: Sequence[Rule], tag: Tag, verdict: Verdict, facts: Facts) -> Advice | None:
    """Return the advice for a value outside its band, or None where no row can be sized.

    A row whose figures are missing, or whose target is out of reach, gives no advice
    rather than an unsized one; the next row that fits is asked.
    """
    if verdict.level == "ok":
        return None
    here = Here(facts, tag, verdict.side)
    for rule in rules:
        if verdict.side not in rule.sides or not _fits(rule, here):
            continue
        try:
            return _card(rule, here, verdict)
        except (DomainError, LookupError, ZeroDivisionError):  # nothing runs there, say
            continue
    return None


def _fits(rule: Rule, here: Here) -> bool:
    try:
        return rule.fits(here)
    except (LookupError, ZeroDivisionError):
        return False


def _card(rule: Rule, here: Here, verdict: Verdict) -> Advice:
    size = rule.size(here)
    card = Advice(rule.id, here.tag, verdict, rule.causes, rule.check, "", size)
    if rule.handle is None:
        mind = rule.mind(here, size)
        return replace(card, correction=rule.say(size, here), carrying=(mind,) if mind else ())
    limit = min(rule.handle.limits(here, size), key=lambda most: most.size, default=None)
    step = first_step_of(here, rule.handle, size, limit)
    bound = step.results["bound_word"]
    if bound in ("band", "test"):
        return replace(card, step=step, correction=_leave(here, step), leave=True)
    if step.results["step_moved"] == 0:
        words = f"Nothing more can be moved there: {limit.words}" if limit else "Nothing needs to be moved"
        return replace(card, step=step, correction=words)
    look = rule.handle.look(here)
    said = [_share(size, step, rule.handle), f"Cut to what can be done: {limit.words}" if bound and limit else ""]
    said += [_looking(look), rule.handle.also(here, step), rule.mind(here, step)]
    return replace(
        card,
        correction=rule.say(step, here),
        step=step,
        look=look if isinstance(look, Figure) else None,
        moved=rule.handle.moves(here),
        comes=rule.handle.comes(here),
        carrying=tuple(words for words in said if words),
    )


def first_step_of(here: Here, handle: Handle, size: Figure, limit: Most | None) -> Figure:
    """Return the first step of a correction as a figure: the change, or the setting it comes to."""
    present = handle.present(here) if handle.present is not None else None
    full = size.as_datum()
    if present is not None:
        full = Datum(size.value - present.value, Origin("computed", f"{size.label} in full less the present"), size)
    tag, now = here.tag, here.now
    data = {
        "value_read": now,
        "target_read": here.wanted,
        "full_correction_moved": full,
        "test_sd_read": Datum(tag.uncertainty, Origin("set", f"standard uncertainty of {tag.name.lower()}")),
        "process_sd_read": Datum(tag.noise, Origin("set", "what it varies by from test to test")),
        "results_count": Datum(here.results_count, Origin("set", "results a correction goes by, of this tag")),
    }
    if tag.mean_of > 1 and tag.band is not None:
        limits = here.facts.set_origin("limits")
        data["control_low_read"] = Datum(tag.band.control[0], limits)
        data["control_high_read"] = Datum(tag.band.control[1], limits)
    if limit is not None:
        data["cap_moved"] = Datum(max(0.0, limit.size), Origin("computed", limit.words))
    if present is not None:
        data["present_moved"] = present
    moved = handle.moves(here)
    learned = here.facts.learned(moved.point, tag.id) if moved is not None else None
    if learned is not None:
        data["learned_ratio"] = learned
    if handle.gain_frac is not None:
        data["gain0_frac"] = Datum(handle.gain_frac, Origin("set", "share of this row's first step"))
    return figure(
        "first_step",
        f"{size.label}, first step",
        data,
        result="setting_moved" if present is not None else "step_moved",
        decimals=size.decimals,
        unit=size.unit,
    )


def _leave(here: Here, step: Figure) -> str:
    """Say that it is to be left, and why."""
    tag, now, wanted = here.tag, here.now, here.wanted
    value = f"{now.value:.{tag.decimals}f}"
    if here.results_count > 1:
        value = f"the mean of the last {here.results_count}, {value},"
    if step.results["bound_word"] == "band":
        return f"Leave it: {value} is in its band"
    reach = 2 * step.results["uncertainty_read"]
    off = f"{abs(now.value - wanted.value):.{tag.decimals}f} {tag.unit}".strip()
    return f"Leave it: {value} is {off} from target, and the test alone can be {reach:.{tag.decimals}f} off"


def _share(size: Figure, step: Figure, handle: Handle) -> str:
    """Say how much of the whole the first step is."""
    full = step.data["full_correction_moved"].value
    share = step.results["step_moved"] / full if full else 1.0
    if share > 0.995:
        return ""
    whole = f"{size.text} {size.unit}".strip()
    if size.result_name.endswith("_frac"):
        whole = f"{100 * size.value:.0f} %"
    what = f"{100 * share:.0f} % of the change"
    return f"First {what}; in full {'it would be ' if handle.present is not None else ''}{whole}"


def _looking(look: Figure | str) -> str:
    """Say when to look again."""
    if isinstance(look, str):
        return f"Look again {look}"
    first, settled = look.results["first_min"], look.results["settled_min"]
    if settled - first < 1:
        return f"Look again in {_span(first)}; then half of it shows, or another cause is at work"
    return f"Look again in {_span(first)}, when half of it shows; settled in {_span(settled)}"


def _span(minutes: float) -> str:
    """Write a time to wait: to five minutes where it is hours."""
    if minutes < 90:
        return f"{minutes:.0f} min"
    rounded = 5 * round(minutes / 5)
    return f"{rounded // 60} h {rounded % 60} min" if rounded % 60 else f"{rounded // 60} h"
