"""What may be done to a cook when: what cannot be, and what only somebody who knows better should do."""

from typing import Final

from stock.cooking.facts import CookFacts, CookState

COLD: Final = ("filling", "liquor", "charged")
LEAST_MARGIN_MIN: Final = 5.0
OPENS: Final = frozenset({"relief", "blow"})


BOILS_C: Final = 100.0


def cannot(kind: str, facts: CookFacts, state: CookState) -> str:
    """Return why a step cannot be, '' where it can: what never boiled has nothing to relieve or to blow.

    Parameters
    ----------
    kind : str
        What is to be done: a step's kind.
    facts : CookFacts
        The cook as read and logged.
    state : CookState
        Where it stands.
    """
    hottest = float(facts.trace.temperatures_c.max())
    if kind in OPENS and (state.phase in COLD or (state.phase == "heating" and hottest < BOILS_C)):
        return "is not cooking yet: it holds no steam to relieve and no pulp to blow"
    return ""


def doubts(kind: str, facts: CookFacts, state: CookState) -> tuple[str, ...]:
    """Return what speaks against a step now; it needs a reason and the cook's number typed, none where nothing does.

    A vessel is opened before its end point only in trouble, and blown under pressure only where the relief was
    seen but not logged.

    Parameters
    ----------
    kind : str
        What is to be done: a step's kind.
    facts : CookFacts
        The cook as read and logged.
    state : CookState
        Where it stands.
    """
    if kind not in OPENS or state.phase in (*COLD, "blown"):
        return ()
    found = []
    early_min = state.blow_min - facts.now_min
    if facts.relief_min is None and early_min > max(state.band_min, LEAST_MARGIN_MIN):
        letter = facts.way.letter
        found.append(f"{letter} {state.done.text} of {state.aim.text}: {early_min:.0f} min before its end point")
    if kind == "blow" and facts.relief_min is None and facts.recipe.relief_min > 0:
        found.append("its relief is not in the log: it may stand under full pressure")
    return tuple(found)
