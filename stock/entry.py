"""The one-line entry: a tag, a value and a unit in any order, understood or refused by name."""

import re
from collections.abc import Collection, Sequence
from dataclasses import dataclass, field, replace
from difflib import get_close_matches
from typing import Final

from stock.errors import DomainError
from stock.judge.limits import Verdict, judge, refuse_impossible
from stock.scales import SCALES, scale_typed
from stock.tag import Tag
from stock.units import convert, known_unit, of_a_kind, same_quantity

LONGEST: Final = 200
_NUMBER = re.compile(r"^[+-]?(\d+([.,]\d+)?|[.,]\d+)$")
_GLUED = re.compile(r"^([+-]?(?:\d+(?:[.,]\d+)?|[.,]\d+))([^\d.,].*)$")
_DAY = r"(?:yesterday|today|\d{4}-\d{2}-\d{2}|\d{1,2} (?:jan|feb|mar|apr|may|jun|jul|aug|sep|oct|nov|dec)[a-z]*)"
_AT = re.compile(rf"(?:^|\s)(?:at\s+)?((?:{_DAY}[ ,]+)?\d{{1,2}}:\d{{2}})(?=\s|$)", re.IGNORECASE)
MOST_AT_ONCE: Final = 8
_UNIT_WORDS: Final = {"csf": "mL CSF", "degc": "°C", "pct": "%", "percent": "%", "l": "L/min"}


@dataclass(frozen=True, slots=True)
class Understood:
    """What was made of the typed line.

    `at` is the time of day typed, where one was. `choices` holds the tags it could mean when it is not sure; `fault` says what is
    wrong in a sentence; a complete entry has a tag, a value and no fault.
    """

    text: str
    tag: Tag | None = None
    value: float | None = None
    typed_unit: str = ""
    verdict: Verdict | None = None
    choices: tuple[Tag, ...] = field(default=())
    fault: str = ""
    code: str = ""
    at: str = ""

    @property
    def complete(self) -> bool:
        """Whether it can be recorded."""
        return self.tag is not None and self.value is not None and not self.fault


def typed_in(tag: Tag) -> tuple[str, ...]:
    """Return the units and scales a tag's value may be typed in, its own first."""
    scales = tuple(one.name for one in SCALES if one.reads(tag.quantity))
    return (*of_a_kind(tag.unit), *scales) if tag.unit else scales


def parted(text: str) -> list[str]:
    """Return the readings of a line, parted by semicolons; what is empty between them is none."""
    return [part.strip() for part in text.split(";") if part.strip()][: MOST_AT_ONCE + 1]


def without_time(text: str) -> tuple[str, str]:
    """Return a line without the moment typed in it, and that moment, '' where there is none."""
    at = _AT.search(text[: LONGEST + 1])
    if at is None or len(text) > LONGEST:
        return text, ""
    return f"{text[: at.start()]} {text[at.end() :]}".strip(), at.group(1)


def understand(text: str, tags: Sequence[Tag], chosen: str = "", near: Collection[str] = ()) -> Understood:
    """Read one line.

    Parameters
    ----------
    text : str
        As typed, at most 200 characters.
    tags : sequence of Tag
        What the line can measure.
    chosen : str
        Id of the tag picked from the choices, where the words alone left doubt.
    near : collection of str
        Ids of the tags in view: where words fit several, those are meant.
    """
    text = text.strip()
    without, at = without_time(text)
    if at:
        return replace(understand(without, tags, chosen, near), text=text, at=at)
    if len(text) > LONGEST:
        return Understood(
            text[:LONGEST], fault=f"the line is {len(text)} characters long; {LONGEST} is the most", code="E_RANGE"
        )
    tokens = _tokens(text)
    words, numbers, unit = _sort_tokens(tokens)
    if not words and not chosen:
        return Understood(
            text, fault="" if not text else "name what was measured, such as 'brown cons 3.4'", code="E_TYPE"
        )
    found = [tag for tag in tags if tag.id == chosen] if chosen else _matches(words, tags, numbers, unit, near)
    if not found:
        return Understood(
            text, fault=f"nothing on this line is called '{' '.join(words)}'{_near(words, tags)}", code="E_UNIT"
        )
    if len(found) > 1:
        return Understood(text, choices=tuple(found[:6]), typed_unit=unit)
    return _valued(text, found[0], numbers, unit)


def _near(words: Sequence[str], tags: Sequence[Tag]) -> str:
    """Say which known words are near to what was typed; '' where none is."""
    known = sorted({word for tag in tags for word in tag.words})
    near = [found for word in words if word not in known for found in get_close_matches(word, known, n=3, cutoff=0.7)]
    return f"; near to it: {', '.join(dict.fromkeys(near))}" if near else ""


def _tokens(text: str) -> list[str]:
    tokens: list[str] = []
    for part in text.split():
        if tokens and known_unit(f"{tokens[-1]} {part}"):  # a unit of two words, such as g/L Na2O
            tokens[-1] = f"{tokens[-1]} {part}"
            continue
        glued = _GLUED.match(part)
        tokens += [glued.group(1), glued.group(2)] if glued else [part]
    return tokens


def _sort_tokens(tokens: list[str]) -> tuple[list[str], list[str], str]:
    """Part words, numbers and the unit; a unit is only taken as one next to a number or at the end."""
    words: list[str] = []
    numbers: list[str] = []
    unit = ""
    for index, token in enumerate(tokens):
        spelled = _UNIT_WORDS.get(token.lower(), token)
        after_number = index > 0 and _NUMBER.match(tokens[index - 1])
        before_number = index + 1 < len(tokens) and _NUMBER.match(tokens[index + 1])
        if _NUMBER.match(token):
            numbers.append(token.replace(",", "."))
        elif (scale_typed(token) and (after_number or before_number)) or (
            known_unit(spelled) and (after_number or not token.isalpha())
        ):
            unit = spelled
        else:
            words.append(token.lower())
    return words, numbers, unit


def _matches(
    words: list[str], tags: Sequence[Tag], numbers: list[str], unit: str, near: Collection[str] = ()
) -> list[Tag]:
    """Tags for which every typed word begins one of their words.

    A number may be part of the name; a unit tells apart, then what the value can be, then what is in view.
    """
    found = [tag for tag in tags if all(any(own.startswith(word) for own in tag.words) for word in words)]
    called = [tag for tag in found if tag.short.lower() == " ".join(words)]
    if len(called) == 1:
        return called
    if (scale := scale_typed(unit)) is not None:
        found = [tag for tag in found if scale.reads(tag.quantity)] or found
    elif unit and len(found) > 1:
        found = [tag for tag in found if same_quantity(unit, tag.unit)] or found
    if len(found) > 1 and len(numbers) > 1:
        narrowed = [tag for tag in found if any(number in tag.words for number in numbers)]
        found = narrowed or found
    exact = [tag for tag in found if all(word in tag.words for word in words)]
    if len(exact) == 1:
        return exact
    if len(found) > 1 and len(numbers) == 1:
        found = [tag for tag in found if _can_be(tag, numbers[0], unit)] or found
    if len(found) > 1:
        found = [tag for tag in found if tag.id in near] or found
    return found


def _can_be(tag: Tag, number: str, unit: str) -> bool:
    """Whether a value is one the tag can have."""
    try:
        value = float(number)
        refuse_impossible(tag, convert(value, unit, tag.unit) if unit and unit != tag.unit and tag.unit else value)
    except DomainError:
        return False
    return True


def _valued(text: str, tag: Tag, numbers: list[str], unit: str) -> Understood:
    named = next((number for number in numbers if number in tag.words), None)
    if len(numbers) > 1 and named is not None:
        numbers.remove(named)  # the 3 of 'digester 3', not a value
    if not numbers:
        return Understood(text, tag, typed_unit=unit)
    if len(numbers) > 1:
        return Understood(text, tag, fault=f"there are {len(numbers)} numbers; give one value", code="E_COUNT")
    value = float(numbers[0])
    try:
        if (scale := scale_typed(unit)) is not None and scale.reads(tag.quantity):
            value, unit = scale.into(value), tag.unit
        if unit and unit != tag.unit:
            value = convert(value, unit, tag.unit) if tag.unit else _refuse_unit(tag, unit)
        refuse_impossible(tag, value)
    except DomainError as error:
        return Understood(text, tag, fault=error.message, code=error.code)
    return Understood(text, tag, value, unit or tag.unit, judge(tag, value))


def _refuse_unit(tag: Tag, unit: str) -> float:
    raise DomainError("E_UNIT", tag.id, f"{tag.name} has no unit; {unit} does not belong to it", "a bare number")
