"""The fields the cook's forms share."""

from typing import Final

from desk.frame.fields import WholeField, WordsField

MOST_STEP_WORDS: Final = 300
MOST_FLAG: Final = 120


def cook_number(*, required: bool = True) -> WholeField:
    """Return the field a cook is named in."""
    return WholeField("Cook number", above=0, below=10_000_000, required=required)


def flag_field() -> WordsField:
    """Return the field that says why a cook is not to be learned from."""
    return WordsField("The reason it is not to be learned from", MOST_FLAG)


def sure_text() -> WordsField:
    """Return the field a cook's number is typed in again, where something speaks against a step."""
    return WordsField("The cook number typed again", 12)


def step_text() -> WordsField:
    """Return the field for the words of a step."""
    return WordsField("What was done", MOST_STEP_WORDS)
