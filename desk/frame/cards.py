"""What an advice card shows as its number."""

from dataclasses import replace

from stock.figure import Figure
from stock.judge.advice import Advice


def size_of(card: Advice) -> Figure:
    """Return the first step of a card, else its whole size, with the key its working is found by."""
    return replace(card.step or card.size, key=f"advice:{card.tag.id}")
