"""What each role may do, by place and verb. Looking is open to all who are signed in; acting is not."""

from dataclasses import dataclass
from typing import Final


@dataclass(frozen=True, slots=True)
class Role:
    """A role and its actions."""

    title: str
    actions: frozenset[str]


RECORD, CORRECT = "floor.record", "floor.correct"
COOK, SAMPLE, MODEL = "cook.step", "cook.sample", "cook.relation"
MOVE = "moves.make"
ORDER, SIGN = "order.accept", "handover.sign"
PEOPLE = "people.keep"

ACTIONS: Final[dict[str, str]] = {
    RECORD: "enter readings and notes",
    CORRECT: "correct an entry",
    COOK: "plan a charge or log steps of a cook",
    SAMPLE: "log a liquor sample",
    MODEL: "accept a fitted relation",
    MOVE: "make a move",
    ORDER: "accept an order",
    SIGN: "sign a hand-over",
    PEOPLE: "keep the list of people",
}

ROLES: Final[dict[str, Role]] = {
    "operator": Role("stock operator", frozenset({RECORD, CORRECT, MOVE, SIGN})),
    "cook": Role("cook", frozenset({RECORD, CORRECT, COOK, SAMPLE, MOVE, SIGN})),
    "tester": Role("tester", frozenset({RECORD, CORRECT, SAMPLE})),
    "lead": Role("shift lead", frozenset({RECORD, CORRECT, COOK, SAMPLE, MOVE, ORDER, SIGN})),
    "engineer": Role("process engineer", frozenset({RECORD, CORRECT, MOVE, ORDER, MODEL, PEOPLE})),
    "trainee": Role("trainee", frozenset()),
}


def who_may(action: str) -> str:
    """Return the roles that carry an action, in words."""
    titles = [role.title for role in ROLES.values() if action in role.actions]
    return ", ".join(titles[:-1]) + " or " + titles[-1] if len(titles) > 1 else titles[0]
