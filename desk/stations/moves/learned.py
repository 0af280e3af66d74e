"""What a mill's own moves teach: how much of what was expected came, by what is moved and what is read."""

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any, Final

from desk.floor.state import State
from desk.stations.moves.followed import Followed
from desk.stations.moves.models import Gain, Move
from desk.stations.moves.since import follow
from stock.judge.followed import Learned, learned_gain
from stock.tag import Tag

LEARNED_S: Final = 600


@dataclass(frozen=True, slots=True)
class Kind:
    """A kind of move, what the mill's own moves of it teach."""

    point: str
    tag: Tag
    words: str
    learned: Learned
    moves: Sequence[int]
    accepted: Any = None


def kinds(state: State) -> list[Kind]:
    """Return what moves teach, by point and what is read: judged ones alone, and all of those."""
    return state.of_records("kinds", lambda: _kinds(state), LEARNED_S)


def _kinds(state: State, most: int = 40) -> list[Kind]:
    rows = Move.objects.filter(world=state.world, superseded_by=None, void=False).exclude(point="").exclude(tag="")
    groups: dict[tuple[str, str], list[Followed]] = {}
    moves = list(rows.select_related("made").order_by("-at")[: 5 * most])
    for move in moves:
        groups.setdefault((move.point, move.tag), []).append(follow(state, move, moves))
    accepted = {(one.point, one.tag): one for one in Gain.objects.filter(world=state.world, superseded_by=None)}
    found = []
    for (point, _), members in groups.items():
        told = [one for one in members if one.word is not None and not one.too_early and one.estimate is not None]
        if not told or told[0].tag is None:
            continue
        learned = learned_gain(
            did_each_ratio=[float(one.estimate.results["did_ratio"]) for one in told if one.estimate],
            did_sd_each_ratio=[float(one.estimate.results["did_sd_ratio"]) for one in told if one.estimate],
        )
        tag = told[0].tag
        keys = [one.move.pk for one in told]
        found.append(Kind(point, tag, told[0].move.words, learned, keys, accepted.get((point, tag.id))))
    return found
