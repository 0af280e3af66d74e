"""Units at the door: a page goes out wholly in its reader's units and its mill's basis of alkali; what is typed comes in as the core counts.

Pages, words and forms are written in the units of the core. For a reader who has chosen US units, and on a line
that counts alkali as Na2O, each number that stands with its unit, in a sentence, beside a field or in its label,
is turned as the page leaves; a field that was turned says so, and what is typed in it is turned back before a
view sees it. A working and a charge sheet give alkali on both bases. The book of methods stays in the units of
its equations.
"""

import re
from collections.abc import Callable, Mapping
from dataclasses import dataclass, field
from functools import cache
from typing import Final

from django.http import HttpRequest, HttpResponse

from stock.units import NA2O, US, convert, shown, turned

STAYS: Final = ("/methods/", "/files/", "/static/")
BOTH: Final = ("/working/", "/sheet/")  # pages that give alkali on both bases
TURNED: Final = "turned-"  # what the hidden field of a turned one is called, before its name
ANY: Final = US | NA2O
_NUMBER: Final = r"[+\-−]?\d{1,3}(?:[ \u00a0]\d{3})+(?:\.\d+)?|[+\-−]?\d+(?:\.\d+)?"
_APART: Final = re.compile(r"\s*(?:apart|lower|higher|hotter|colder|warmer|a day|more|less|over|under|off)\b")
_TAG: Final = re.compile(r"(<[^>]*>)")
_NAME: Final = re.compile(r'\bname="([^"]*)"')
_VALUE: Final = re.compile(r'\bvalue="([^"]*)"')
_SKIP: Final = ("script", "style", "textarea")


@dataclass(frozen=True)
class Turns:
    """Which units a page is turned into, and which are said a second time beside the first."""

    into: Mapping[str, str]
    beside: Mapping[str, str] = field(default_factory=dict)
    said: re.Pattern[str] = field(init=False)
    next_to: re.Pattern[str] = field(init=False)
    labelled: re.Pattern[str] = field(init=False)
    spanned: re.Pattern[str] = field(init=False)

    def __post_init__(self) -> None:
        """Write down how a number with one of the units looks."""
        words = {
            name: self._any_of(units) for name, units in (("all", {**self.into, **self.beside}), ("own", self.into))
        }
        number = rf"(?<![\w.,/])(?P<pm>± )?(?P<first>{_NUMBER})(?P<to> (?:to|of) (?:{_NUMBER}))?(?P<gap>[ \u00a0])"
        object.__setattr__(self, "said", re.compile(rf"{number}(?P<unit>{words['all']})(?![\w/·²³])"))
        spanned = (
            rf'(?P<first>{_NUMBER})(?P<to>)(?P<pm>)\s*<span class="unit">(?P<unit>{self._any_of(self.beside)})</span>'
        )
        object.__setattr__(self, "spanned", re.compile(spanned))
        beside = rf'(?P<input><input\b[^>]*>)(?P<between>\s*<span\s+class="unit">)(?P<unit>{words["own"]})(?=</span>)'
        object.__setattr__(self, "next_to", re.compile(beside))
        label = rf"(?P<before>, )(?P<unit>{words['own']})(?P<between>\s*)(?P<input><input\b[^>]*>)"
        object.__setattr__(self, "labelled", re.compile(label))

    @staticmethod
    def _any_of(units: Mapping[str, str]) -> str:
        return "|".join(re.escape(unit) for unit in sorted(units, key=len, reverse=True)) or "(?!)"

    def page(self, html: str) -> str:
        """Return a page with every number that stands with its unit turned."""
        html = self.next_to.sub(lambda one: self._field(one) + one["between"] + self.into[one["unit"]], html)
        html = self.labelled.sub(
            lambda one: one["before"] + self.into[one["unit"]] + one["between"] + self._field(one), html
        )
        if self.beside:
            html = self.spanned.sub(self._second, html)
        parts, skipped = _TAG.split(html), ""
        for index, part in enumerate(parts):
            if index % 2:
                name = part[1:].split(None, 1)[0].strip("/>").lower() if len(part) > 2 else ""
                if name in _SKIP:
                    skipped = "" if part.startswith("</") else name
            elif part and not skipped:
                parts[index] = self.said.sub(lambda found, text=part: self._sentence(found, text), part)
        return "".join(parts)

    def _field(self, found: re.Match[str]) -> str:
        """Return an input with its value turned, and the hidden field that says so."""
        tag, unit = found["input"], found["unit"]
        name, value = _NAME.search(tag), _VALUE.search(tag)
        if name is None or name[1].startswith(TURNED):
            return tag
        if value is not None and re.fullmatch(r"[+-]?\d+(?:\.\d+)?", value[1]):
            other = turned(float(value[1]), unit, self.into[unit])
            tag = tag[: value.start(1)] + f"{other:.5g}" + tag[value.end(1) :]
        return f'<input type="hidden" name="{TURNED}{name[1]}" value="{unit}">{tag}'

    def _sentence(self, found: re.Match[str], text: str) -> str:
        """Return one number, or two that share a unit, turned; a difference of temperatures has no zero to shift."""
        unit = found["unit"]
        apart = unit == "°C" and bool(found["pm"] or _APART.match(text[found.end() :]))
        own, other = self.into.get(unit, unit), self.beside.get(unit, "")
        words = self._numbers(found, unit, own, apart=apart) + found["gap"] + own
        return (
            f"{words} ({self._numbers(found, unit, other, apart=apart)} {other.partition(' on ')[0]})"
            if other
            else words
        )

    def _second(self, found: re.Match[str]) -> str:
        """Return a number whose unit stands in a mark of its own, said a second time after it."""
        unit = found["unit"]
        other = NA2O[unit]
        text = self._numbers(found, unit, other, apart=False)
        return f'{found[0]} <span class="soft">{text} <span class="unit">{other}</span></span>'

    def _numbers(self, found: re.Match[str], unit: str, other: str, *, apart: bool) -> str:
        first = _number(found["first"], unit, other, apart=apart)
        if not found["to"]:
            return f"{found['pm'] or ''}{first}"
        _, word, second = found["to"].split(" ", 2)
        return f"{found['pm'] or ''}{first} {word} {_number(second, unit, other, apart=apart)}"


@cache
def turns_for(*, us: bool, na2o: bool, both: bool) -> Turns:
    """Return how a page goes out to a reader, on a mill's basis of alkali, with the other beside where `both`."""
    other = {unit: unit for unit in NA2O} if na2o else NA2O  # where Na2O is shown, NaOH is the other
    return Turns((US if us else {}) | (NA2O if na2o else {}), other if both else {})


def units_at_the_door(get_response: Callable[[HttpRequest], HttpResponse]) -> Callable[[HttpRequest], HttpResponse]:
    """Turn what goes out into the reader's units and the line's basis, and what comes in back."""

    def middleware(request: HttpRequest) -> HttpResponse:
        if request.method == "POST":
            _turn_in(request)
        response = get_response(request)
        if any(one in request.path for one in STAYS):
            return response
        us = getattr(request.user, "units", "metric") == "us"
        na2o = getattr(request, "alkali_basis", "naoh") == "na2o"
        both = hasattr(request, "alkali_basis") and any(one in request.path for one in BOTH)
        is_page = response.get("Content-Type", "").startswith("text/html") and not response.streaming
        if (us or na2o or both) and is_page:
            response.content = turns_for(us=us, na2o=na2o, both=both).page(response.content.decode()).encode()
            if response.has_header("Content-Length"):
                response["Content-Length"] = str(len(response.content))
        return response

    return middleware


def _turn_in(request: HttpRequest) -> None:
    """Turn the fields that went out turned back; what is no plain number stays as it was typed."""
    flags = {name.removeprefix(TURNED): unit for name, unit in request.POST.items() if name.startswith(TURNED)}
    if not flags:
        return
    typed = request.POST.copy()
    for name, unit in flags.items():
        del typed[TURNED + name]
        text = typed.get(name, "").strip().replace(",", ".")
        if unit in ANY and re.fullmatch(r"[+-]?\d+(?:\.\d+)?", text):
            typed[name] = f"{convert(float(text), ANY[unit], unit):.5g}"
    request.POST = typed  # type: ignore[assignment]


def as_read(request: HttpRequest | None, value: float, unit: str) -> tuple[float, str]:
    """Return a value and its unit as a request's reader has them: US units, and the alkali of its line."""
    if unit in NA2O and getattr(request, "alkali_basis", "naoh") == "na2o":
        return turned(value, unit, NA2O[unit]), NA2O[unit]
    return shown(value, unit, getattr(getattr(request, "user", None), "units", "metric"))


def _number(text: str, unit: str, other: str, *, apart: bool) -> str:
    """Write a number in another unit, to as many places as it had or to three figures; as it stands in its own."""
    if other == unit:
        return text
    plain = text.replace(" ", "").replace("\u00a0", "").replace("−", "-")
    value = float(plain)
    there = value * 1.8 if apart else turned(value, unit, other)
    decimals = len(plain.partition(".")[2])
    if decimals == 0 and 0 < abs(there) < 10 and there != round(there):
        decimals = 1
    sign = "+" if text.startswith("+") and there >= 0 else ""
    return f"{sign}{there:,.{decimals}f}".replace(",", " ").replace("-", "−")
