"""What to do about a value outside its band: causes in order, the check, the sized correction.

The rules are data; the size of each correction is computed by a method of the book,
from figures whose origin is known.
"""

from dataclasses import dataclass

from stock.errors import DomainError
from stock.figure import Figure
from stock.judge.cook_rows import COOK_ROWS
from stock.judge.limits import Verdict
from stock.judge.process_rows import PROCESS_ROWS
from stock.judge.rule import Facts, Rule
from stock.judge.yard_rows import YARD_ROWS
from stock.line.definition import Tag

RULES: tuple[Rule, ...] = (*YARD_ROWS, *COOK_ROWS, *PROCESS_ROWS)


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


def advise(tag: Tag, verdict: Verdict, facts: Facts) -> Advice | None:
    """Return the advice for a value outside its band, or None where the table has no row.

    A row whose figures are missing, or whose target is out of reach, gives no advice
    rather than an unsized one.
    """
    for rule in RULES:
        if rule.tag == tag.id and verdict.side in rule.sides and verdict.level != "ok":
            try:
                size = rule.size(facts)
            except (DomainError, LookupError):
                return None
            return Advice(rule.id, tag, verdict, rule.causes, rule.check, rule.say(size, verdict.side), size)
    return None
