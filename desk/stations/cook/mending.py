"""A step mended: its numbers corrected, or the whole of it taken back where it was not done."""

from collections.abc import Mapping, Sequence
from dataclasses import replace
from typing import Any

from desk.floor import clock
from desk.floor.keeping import keep, need_why, sent_before, verb
from desk.floor.models import Cook
from desk.floor.services import require
from desk.floor.state import State
from desk.people.models import Person
from desk.stations.cook.amounts import WORDS, refuse_amounts, step_words
from desk.stations.cook.house import house_of, recipe_of
from desk.stations.cook.models import Result, Step
from desk.stations.cook.news import Done
from desk.stations.cook.steps import FREE, action_of, tell
from stock.errors import DomainError


@verb
def correct_step(
    state: State, person: Person, step: Step, changes: Mapping[str, Any], *, why: str, form_key: str
) -> Step:
    """Supersede a step; the old one stays readable. What follows from it is worked out anew.

    Raises
    ------
    NotAllowedError, ValidationError, DomainError
        Nothing is written.
    """
    require(person, action_of(step.kind))
    why = need_why(why)
    cook = Cook.objects.get(world=state.world, number=step.number)
    recipe, digester = recipe_of(state, cook), house_of(state).part.digester(cook.digester)
    others = list(
        Step.objects.filter(world=state.world, number=step.number, superseded_by=None)
        .exclude(pk=step.pk)
        .order_by("at")
    )
    amounts = replace(step.amounts, **{name: value for name, value in changes.items() if name != "text"})
    text = str(changes.get("text", step.text)).strip()[:300]
    refuse_amounts(recipe, digester, step.kind, amounts, others)
    row = Step(
        world=state.world, by=person, number=step.number, kind=step.kind, at=step.at, supersedes=step,
        text=text, why=why, form_key=form_key, **amounts.columns(),
    )  # fmt: skip
    words = f"Cook {step.number}: {step_words(recipe, step.kind, amounts, text)}, corrected: {why}"
    return keep(row, lambda kept: tell(kept, person, step.number, words, state.now, "c"))


@verb
def take_back(state: State, person: Person, step: Step, *, why: str, form_key: str) -> Step:
    """Take a step back that was not done: it stays readable, and a note that says so stands in its place.

    Raises
    ------
    NotAllowedError, ValidationError, DomainError
        Nothing is written: no reason, another step or a result hangs on it, the chips that began the cook.
    """
    require(person, action_of(step.kind))
    if (sent := sent_before(Step, state.world, form_key)) is not None:
        return sent
    why = need_why(why)
    standing = Step.objects.filter(world=state.world, number=step.number, superseded_by=None)
    measured = Result.objects.filter(world=state.world, number=step.number).exists()
    if (held := hangs_on(step, list(standing), measured=measured)) is not None:
        raise DomainError("E_ORDER", "kind", *held)
    words = f"not {WORDS[step.kind]}: {why}"
    row = Step(
        world=state.world, by=person, number=step.number, kind="note", at=step.at, supersedes=step,
        text=words[:300], why=why, form_key=form_key,
    )  # fmt: skip
    line = f"Cook {step.number} was {words}. The step of {clock.local(step.at):%H:%M} is taken back"
    return keep(row, lambda kept: tell(kept, person, step.number, line, state.now, "t"))


def hangs_on(step: Step | Done, steps: Sequence[Step | Done], *, measured: bool) -> tuple[str, str] | None:
    """Return what hangs on a step and what goes first, None where it may be taken back."""
    if step.kind == "chips":
        return "chips began the cook and cannot be taken back", "correct their tonnes or moisture"
    if step.kind == "blow" and measured:
        return f"cook {step.number} has a kappa: it was blown", "a cook not tested yet"
    if step.kind in FREE:
        return None
    place = (step.at, step.pk)
    later = next((one for one in steps if one.kind not in FREE and (one.at, one.pk) > place), None)
    if later is None:
        return None
    return f"{WORDS[later.kind]} at {clock.local(later.at):%H:%M} came after it", "take that one back first"
