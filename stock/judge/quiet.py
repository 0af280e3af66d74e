"""Why nothing is moved for some of what reads off: a sentence for a side that has no sized correction."""

from collections.abc import Sequence
from dataclasses import dataclass

from stock.judge.here import Facts, Here
from stock.judge.limits import Verdict
from stock.tag import Tag


@dataclass(frozen=True, slots=True)
class Quiet:
    """What to think of a point off on a side at some kinds of part, where no one handle mends it."""

    reads: str
    sides: tuple[str, ...]
    words: str
    at: tuple[str, ...] = ()


def why_quiet(rows: Sequence[Quiet], tag: Tag, verdict: Verdict, facts: Facts) -> str:
    """Return the sentence for a value outside its band that no sized row speaks of; '' where none is written."""
    here = Here(facts, tag, verdict.side)
    for row in rows:
        if row.reads == tag.reads and verdict.side in row.sides and not here.kinds.isdisjoint(row.at):
            return row.words
    return ""
