"""Units at the door: a page for a reader of US units goes out wholly in them, and what is typed comes in as the line counts.

Pages, words and forms are written in the units of the core. For a reader who has chosen US units each number
that stands with its unit, in a sentence, beside a field or in its label, is turned as the page leaves; a field
that was turned says so, and what is typed in it is turned back before a view sees it. The book of methods
stays in the units of its equations.
"""

import re
from collections.abc import Callable
from typing import Final

from django.http import HttpRequest, HttpResponse

from stock.units import US, convert, shown

STAYS: Final = ("/methods/", "/files/", "/static/")
TURNED: Final = "us-"  # what the hidden field of a turned one is called, before its name
_UNIT: Final = "|".join(re.escape(unit) for unit in sorted(US, key=len, reverse=True))
_NUMBER: Final = r"[+\-−]?\d{1,3}(?:[ \u00a0]\d{3})+(?:\.\d+)?|[+\-−]?\d+(?:\.\d+)?"
_SAID: Final = re.compile(
    rf"(?<![\w.,/])(?P<pm>± )?(?P<first>{_NUMBER})(?P<to> to (?:{_NUMBER}))?(?P<gap>[ \u00a0])(?P<unit>{_UNIT})(?![\w/·²³])"
)
_APART: Final = re.compile(r"\s*(?:apart|lower|higher|hotter|colder|warmer|a day|more|less|over|under|off)\b")
_TAG: Final = re.compile(r"(<[^>]*>)")
_BESIDE: Final = re.compile(
    rf'(?P<input><input\b[^>]*>)(?P<between>\s*<span\s+class="unit">)(?P<unit>{_UNIT})(?=</span>)'
)
_LABELLED: Final = re.compile(rf"(?P<before>, )(?P<unit>{_UNIT})(?P<between>\s*)(?P<input><input\b[^>]*>)")
_NAME: Final = re.compile(r'\bname="([^"]*)"')
_VALUE: Final = re.compile(r'\bvalue="([^"]*)"')
_SKIP: Final = ("script", "style", "textarea")


def units_at_the_door(get_response: Callable[[HttpRequest], HttpResponse]) -> Callable[[HttpRequest], HttpResponse]:
    """Turn what goes out to a reader of US units, and what comes in from one."""

    def middleware(request: HttpRequest) -> HttpResponse:
        turns = getattr(request.user, "units", "metric") == "us" and not any(one in request.path for one in STAYS)
        if turns and request.method == "POST":
            _turn_in(request)
        response = get_response(request)
        if turns and response.get("Content-Type", "").startswith("text/html") and not response.streaming:
            response.content = in_us(response.content.decode()).encode()
            if response.has_header("Content-Length"):
                response["Content-Length"] = str(len(response.content))
        return response

    return middleware


def _turn_in(request: HttpRequest) -> None:
    """Turn the fields that were shown in US units back; what is no plain number stays as it was typed."""
    flags = {name.removeprefix(TURNED): unit for name, unit in request.POST.items() if name.startswith(TURNED)}
    if not flags:
        return
    typed = request.POST.copy()
    for name, unit in flags.items():
        del typed[TURNED + name]
        text = typed.get(name, "").strip().replace(",", ".")
        if unit in US and re.fullmatch(r"[+-]?\d+(?:\.\d+)?", text):
            typed[name] = f"{convert(float(text), US[unit], unit):.5g}"
    request.POST = typed  # type: ignore[assignment]


def in_us(html: str) -> str:
    """Return a page with every number that stands with its unit in US units."""
    html = _BESIDE.sub(lambda found: _field(found) + found["between"] + US[found["unit"]], html)
    html = _LABELLED.sub(lambda found: found["before"] + US[found["unit"]] + found["between"] + _field(found), html)
    parts, skipped = _TAG.split(html), ""
    for index, part in enumerate(parts):
        if index % 2:
            name = part[1:].split(None, 1)[0].strip("/>").lower() if len(part) > 2 else ""
            if name in _SKIP:
                skipped = "" if part.startswith("</") else name
        elif part and not skipped:
            parts[index] = _SAID.sub(lambda found, text=part: _turned(found, text), part)
    return "".join(parts)


def _field(found: re.Match[str]) -> str:
    """Return an input with its value turned, and the hidden field that says so."""
    tag, unit = found["input"], found["unit"]
    name, value = _NAME.search(tag), _VALUE.search(tag)
    if name is None or name[1].startswith(TURNED):
        return tag
    if value is not None and re.fullmatch(r"[+-]?\d+(?:\.\d+)?", value[1]):
        turned, _ = shown(float(value[1]), unit, "us")
        tag = tag[: value.start(1)] + f"{turned:.5g}" + tag[value.end(1) :]
    return f'<input type="hidden" name="{TURNED}{name[1]}" value="{unit}">{tag}'


def _turned(found: re.Match[str], text: str) -> str:
    """Return one number, or a range, with its unit, turned; a difference of temperatures has no zero to shift."""
    unit = found["unit"]
    apart = unit == "°C" and bool(found["pm"] or _APART.match(text[found.end() :]))
    first = _number(found["first"], unit, apart=apart)
    to = f" to {_number(found['to'].removeprefix(' to '), unit, apart=apart)}" if found["to"] else ""
    return f"{found['pm'] or ''}{first}{to}{found['gap']}{US[unit]}"


def _number(text: str, unit: str, *, apart: bool) -> str:
    """Write a number in the other unit, to as many places as it had or to three figures."""
    plain = text.replace(" ", "").replace("\u00a0", "").replace("−", "-")
    value = float(plain)
    turned = value * 1.8 if apart else shown(value, unit, "us")[0]
    decimals = len(plain.partition(".")[2])
    if decimals == 0 and 0 < abs(turned) < 10 and turned != round(turned):
        decimals = 1
    sign = "+" if text.startswith("+") and turned >= 0 else ""
    return f"{sign}{turned:,.{decimals}f}".replace(",", " ").replace("-", "−")
