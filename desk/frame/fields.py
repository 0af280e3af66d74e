"""The fields forms are typed in: numbers with the registry's limits, moments with their day, words kept whole, choices.

A view names the fields it wants and gets them all, or one refusal that names each field at fault:

    typed = read_form(request, at=MomentField(state), bdt=NumberField("Mass", "BDt", above=0, most=5000))
"""

from collections.abc import Iterable
from datetime import datetime
from typing import Any, Self

from django import forms
from django.core.exceptions import ValidationError
from django.http import HttpRequest

from desk.floor.keeping import WHY_WANTED
from desk.floor.state import State
from desk.floor.text import seen
from desk.frame.forms import moment, moment_ahead
from stock.errors import DomainError
from stock.names import unit_of
from stock.scales import scale_typed
from stock.typed import typed_number
from stock.working import Arg, find_method

MOST_REASON = 200


class NumberField(forms.Field):
    """A number as typed, with a point or a comma; its limits are said in its unit.

    `least` and `most` may themselves be given, `above` and `below` may not.
    """

    def __init__(
        self,
        label: str,
        unit: str = "",
        *,
        least: float | None = None,
        most: float | None = None,
        above: float | None = None,
        below: float | None = None,
        required: bool = True,
    ) -> None:
        """Take the words it is refused in, and its limits."""
        super().__init__(label=label, required=required)
        self.unit, self.least, self.most, self.above, self.below = unit, least, most, above, below

    @classmethod
    def of(cls, method: str, argument: str, label: str, *, required: bool = True) -> Self:
        """Return the field of a method's argument: its limits and its unit are the book's."""
        arg = find_method(method).arguments[argument]
        if not isinstance(arg, Arg):
            message = f"{argument} of {method} is no number"
            raise TypeError(message)
        low, high = {"above" if arg.above else "least": arg.low}, {"below" if arg.below else "most": arg.high}
        return cls(label, unit_of(argument), required=required, **low, **high)

    @property
    def allowed(self) -> str:
        """The limits in words, '' without any."""
        low = f"more than {self.above:g}" if self.above is not None else ""
        low = f"{self.least:g}" if self.least is not None else low
        high = f"less than {self.below:g}" if self.below is not None else ""
        high = f"{self.most:g}" if self.most is not None else high
        between = " to " if self.least is not None else ", up to "
        return f"{low}{between if low and high else ''}{high} {self.unit}".strip()

    def to_python(self, value: Any) -> float | None:
        """Read what was typed."""
        text = str(value or "").strip()
        if not text:
            return None
        try:
            return typed_number(text, "", str(self.label), self.unit)
        except DomainError as error:
            raise ValidationError(error.message) from None

    def validate(self, value: float | None) -> None:
        """Refuse what is missing or outside the limits."""
        if value is None:
            if self.required:
                raise ValidationError(f"{self.label} is missing")
            return
        outside = (
            (self.least is not None and value < self.least)
            or (self.most is not None and value > self.most)
            or (self.above is not None and value <= self.above)
            or (self.below is not None and value >= self.below)
        )
        if outside:
            shown = f"{value:g} {self.unit}".strip()
            raise ValidationError(f"{self.label} is {shown}. Allowed: {self.allowed}")


class ScaledField(NumberField):
    """A number that may be typed on another scale of its quantity: 43 °Bé for a density."""

    def __init__(self, quantity: str, label: str, unit: str, **limits: Any) -> None:
        """Take the quantity whose scales are understood, and a number's words and limits."""
        super().__init__(label, unit, **limits)
        self.quantity = quantity

    def to_python(self, value: Any) -> float | None:
        """Read what was typed, turned from the scale it was typed on."""
        number, _, word = str(value or "").strip().partition(" ")
        scale = scale_typed(word.strip())
        if scale is None or scale.quantity != self.quantity:
            return super().to_python(value)
        found = super().to_python(number)
        try:
            return None if found is None else scale.into(found)
        except DomainError as error:
            raise ValidationError(f"{self.label}: {error.message}") from None


class WholeField(NumberField):
    """A whole number: of a cook, of a row."""

    def to_python(self, value: Any) -> Any:
        """Read what was typed; a part of one is refused."""
        found = super().to_python(value)
        if found is not None and found != int(found):
            raise ValidationError(f"{self.label} is {found:g}, not a whole number")
        return None if found is None else int(found)


class WordsField(forms.Field):
    """Words as typed: what cannot be seen is left out, what is too long is refused whole."""

    def __init__(self, label: str, most: int, *, required: bool = False) -> None:
        """Take the words it is refused in, and how long it may be."""
        super().__init__(label=label, required=required)
        self.most = most

    def to_python(self, value: Any) -> str:
        """Read what was typed."""
        text = seen(str(value or "")).strip()
        if len(text) > self.most:
            message = (
                f"{self.label} has {len(text)} characters; up to {self.most} are kept. Nothing was cut: shorten it"
            )
            raise ValidationError(message)
        return text

    def validate(self, value: str) -> None:
        """Refuse what is missing."""
        if self.required and not value:
            raise ValidationError(f"{self.label} is missing")


class WhyField(WordsField):
    """Why something is corrected or taken back."""

    def __init__(self) -> None:
        """Every correction has the same."""
        super().__init__("Why", MOST_REASON, required=True)

    def validate(self, value: str) -> None:
        """Refuse a correction without a reason."""
        if not value:
            raise ValidationError(WHY_WANTED)


class ChoiceField(forms.Field):
    """One of some words; what is none of them is refused, never replaced."""

    def __init__(self, label: str, choices: Iterable[str], *, required: bool = True) -> None:
        """Take the words it is refused in, and what there is to choose."""
        super().__init__(label=label, required=required)
        self.choices = tuple(choices)

    def to_python(self, value: Any) -> str:
        """Read what was chosen."""
        return str(value or "").strip()

    def validate(self, value: str) -> None:
        """Refuse what is not on the list."""
        if not value and not self.required:
            return
        if value not in self.choices:
            shown = f"is {value[:40]!r}, which is none of the list" if value else "is not chosen"
            raise ValidationError(f"{self.label} {shown}")


class MomentField(forms.Field):
    """A moment: a time of day, with its day where it was another; now where it is left empty."""

    def __init__(self, state: State, *, ahead: bool = False) -> None:
        """Take the line's clock, and whether the moment is to come."""
        super().__init__(label="The time", required=False)
        self.state, self.read = state, moment_ahead if ahead else moment

    def to_python(self, value: Any) -> datetime:
        """Read what was typed."""
        try:
            return self.read(self.state, str(value or ""))
        except DomainError as error:
            raise ValidationError(f"{error.message}. Allowed: {error.allowed}") from None


class TickField(forms.BooleanField):
    """A box that is ticked or not."""

    def __init__(self) -> None:
        """No tick is an answer too."""
        super().__init__(required=False)


def read_form(request: HttpRequest, /, **fields: forms.Field) -> dict[str, Any]:
    """Return what a form was sent with, field by field.

    Raises
    ------
    ValidationError
        Every field at fault with its message, in the order of the form.
    """
    form = forms.Form(request.POST)
    form.fields = fields
    if form.is_valid():
        found: dict[str, Any] = form.cleaned_data
        return found
    raise ValidationError({name: list(messages) for name, messages in form.errors.items()})
