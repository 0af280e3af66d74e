"""What to do about a value outside its band: causes in order, the check, the sized correction.

The rows are data of their chapters; the size of each correction is computed by a method of the
book, from figures whose origin is known.
"""

from collections.abc import Sequence
from dataclasses import dataclass

from stock.errors import DomainError
from stock.figure import Figure
from stock.judge.here import Facts, Here
from stock.judge.limits import Verdict
from stock.judge.rule import Rule
from stock.tag import Tag


@dataclass(frozen=True, slots=True)
class Advice:
    """A card: what is wrong, why it may be, what to look at, how much to move what."""

    rule: str
    tag: Tag
    verdict: Verdict
    causes: tuple[str, ...]
    check: str
    correction: str
    size: Figure


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
            size = rule.size(here)
            correction = rule.say(size, here)
        except (DomainError, LookupError):
            continue
        return Advice(rule.id, tag, verdict, rule.causes, rule.check, correction, size)
    return None


def _fits(rule: Rule, here: Here) -> bool:
    try:
        return rule.fits(here)
    except LookupError:
        return False
