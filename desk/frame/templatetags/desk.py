"""How a number, a band, a moment is written. Every screen uses these and nothing else."""

import re
from collections.abc import Mapping
from functools import cache
from typing import Any, cast
from urllib.parse import urlencode

from django import template
from django.template.context import Context
from django.template.loader import render_to_string
from django.urls import reverse
from django.utils import timezone
from django.utils.html import escape, format_html
from django.utils.safestring import SafeString, mark_safe

from desk.floor.handover import cover_text, seen_text
from desk.floor.logged import Logged, logged_since
from desk.floor.reading import Reading
from desk.floor.station import stations
from desk.frame.panels.attempt import Attempt
from desk.frame.units import as_read
from desk.frame.words import lower_first
from desk.people.roles import MOVE
from stock.figure import Datum, Figure, number_text
from stock.judge.advice import Advice
from stock.judge.limits import share_of_band
from stock.names import spoken, suffix_of, unit_of
from stock.tag import Tag
from stock.units import readable
from stock.working import Arg, Method, Step

register = template.Library()

SHAPES = {"outside": "▲", "act": "◆"}
WORDS = {"outside": "outside its band", "act": "act now"}


def _in_units(context: Context, value: float, unit: str, decimals: int) -> tuple[str, str]:
    value, unit = as_read(context.get("request"), *readable(value, unit))
    return f"{value:,.{decimals}f}".replace(",", " "), unit


def _as_shown(context: Context, figure: Figure) -> tuple[str, str]:
    """Return a figure's number and unit as people read them: covers as times, fractions in per cent."""
    if figure.key.startswith("cover:"):
        return cover_text(figure.value), ""
    if figure.result_name.endswith("_frac"):
        return _in_units(context, 100 * figure.value, "%", max(figure.decimals - 2, 0))
    return _in_units(context, figure.value, figure.unit, figure.decimals)


def working_url(world_slug: str, key: str, path: str = "") -> str:
    """Return the address of a number's working."""
    query = {"of": key, **({"path": path} if path else {})}
    return f"{reverse('working', args=[world_slug])}?{urlencode(query)}"


@register.simple_tag(takes_context=True)
def num(context: Context, figure: Figure, css: str = "") -> SafeString:
    """Write a number with its unit; pressing it opens its working."""
    text, unit = _as_shown(context, figure)
    tail = format_html(' <span class="unit">{}</span>', unit) if unit else ""
    if not figure.key:
        return format_html('<span class="num {}">{}{}</span>', css, text, tail)
    url = working_url(context["world"].slug, figure.key)
    label = f"{figure.label}: {text} {unit}".strip() + ", open the working"
    return format_html(
        '<a class="num {}" href="{}" aria-label="{}" hx-get="{}" hx-target="#float" hx-swap="innerHTML">{}{}</a>',
        css,
        url,
        label,
        url,
        text,
        tail,
    )


@register.simple_tag(takes_context=True)
def svg_num(
    context: Context,
    figure: Figure | None,
    x: float,
    y: float,
    css: str = "",
    prefix: str = "",
    none: str = "not measured",
) -> SafeString:
    """Write a number inside a drawing, or `none` where there is no number; pressing it opens its working."""
    if figure is None:
        return format_html('<text x="{}" y="{}" class="t-num soft">{}</text>', f"{x:.1f}", f"{y:.1f}", none)
    text, unit = _as_shown(context, figure)
    url = working_url(context["world"].slug, figure.key)
    said = f"{prefix.strip('▲◆ ')} {text} {unit}".strip()  # what is seen comes first where words stand before it
    label = f"{said}, {figure.label}" if prefix.strip("▲◆ ") else f"{figure.label}: {said}"
    label += ", open the working"
    tail = format_html(' <tspan class="t-unit">{}</tspan>', unit) if unit else ""
    return format_html(
        '<a href="{}" aria-label="{}" hx-get="{}" hx-target="#float" hx-swap="innerHTML" class="svg-num {}">'
        '<text x="{}" y="{}" class="t-num">{}{}{}</text></a>',
        url,
        label,
        url,
        css,
        f"{x:.1f}",
        f"{y:.1f}",
        prefix,
        text,
        tail,
    )


@register.simple_tag(takes_context=True)
def under_card(context: Context, card: Advice) -> SafeString:
    """Show what the stations put under a card of advice: what can be done about it at once."""
    state = context.get("state")
    told = [found for one in stations() if state is not None and (found := one.under_card(state, card)) is not None]
    return _rendered(context, told, {"card": card})


@register.simple_tag(takes_context=True)
def logged_at(context: Context, card: Advice) -> list[Logged]:
    """Return what was logged where a card stands since the test before its last."""
    state = context.get("state")
    return [] if state is None else logged_since(state, card.tag)


@register.simple_tag(takes_context=True)
def under_panel(context: Context, panel: Attempt) -> SafeString:
    """Show what the stations put under a set panel's answer: the press that sets it."""
    state = context.get("state")
    told = [found for one in stations() if state is not None and (found := one.under_panel(state, panel)) is not None]
    return _rendered(context, told, {"panel": panel})


def _rendered(context: Context, told: list[tuple[str, Mapping[str, Any]]], shared: dict[str, Any]) -> SafeString:
    round_it = {**cast("dict[str, Any]", context.flatten()), **shared}
    parts = [render_to_string(name, {**round_it, **own}, context.get("request")) for name, own in told]
    return mark_safe("".join(parts))  # noqa: S308  our own templates made them


@register.simple_tag
def state_mark(level: str) -> SafeString:
    """Write the shape of a state: a triangle outside the band, a diamond past the action limit."""
    if level not in SHAPES:
        return SafeString("")
    return format_html(
        '<span class="mark mark-{}" role="img" aria-label="{}">{}</span>', level, WORDS[level], SHAPES[level]
    )


@register.inclusion_tag("components/_measure.html", takes_context=True)
def measure(context: Context, reading: Reading) -> dict[str, Any]:
    """Show a reading against its band."""
    place = None
    if reading.tag.band is not None:
        low, high, value = share_of_band(reading.tag.band, reading.tag.plausible, reading.value)
        target = share_of_band(reading.tag.band, reading.tag.plausible, reading.tag.band.target)[2]
        place = {"low": 120 * low, "width": 120 * (high - low), "value": 120 * value, "target": 120 * target}
    return {
        "reading": reading,
        "figure": reading.as_figure(),
        "place": place,
        "world": context["world"],
        "request": context["request"],
        "now": context.get("now"),
    }


@register.simple_tag(takes_context=True)
def in_units(context: Context, value: float, unit: str, decimals: int = 1) -> SafeString:
    """Write a bare value in the reader's units."""
    text, unit = _in_units(context, value, unit, decimals)
    return format_html('{} <span class="unit">{}</span>', text, unit) if unit else format_html("{}", text)


@register.simple_tag(takes_context=True)
def unit_shown(context: Context, unit: str) -> str:
    """Write a unit as the reader has it."""
    return as_read(context.get("request"), 0.0, unit)[1]


@register.simple_tag(takes_context=True)
def number_shown(context: Context, value: float, unit: str, decimals: int = 0) -> str:
    """Write a number as the reader has its unit, without it: on an axis, in a table that heads it."""
    value, _ = as_read(context.get("request"), value, unit)
    return f"{value:.{decimals}f}"


TREND_H = 8  # of what an instrument sends
TRENDS_SAMPLES = 7  # of what is tested now and then, so many


@register.simple_tag
def trend_span(tag: Tag) -> dict[str, Any]:
    """Return how far back a trend shows: hours of an instrument, as long as a few samples take of what is tested."""
    hours = TREND_H if tag.live else max(TREND_H, round(TRENDS_SAMPLES * (tag.every_h or 0)))
    hours = min(hours, 14 * 24)
    return {"hours": hours, "words": f"{hours} h" if hours < 72 else f"{hours / 24:.0f} d"}


@register.filter
def may_move(user: Any) -> bool:
    """Whether somebody may make a move."""
    return bool(getattr(user, "may", None) and user.may(MOVE))


@register.filter
def short(value: float) -> str:
    """Write a value as it was typed, near enough."""
    return f"{value:.6g}"


@register.filter
def as_measured(value: float, tag: Tag) -> str:
    """Write a value to one place more than its tag is shown in: what was typed in another unit has no end."""
    return f"{round(value, tag.decimals + 1):.10g}"


@register.filter
def clock(at: Any) -> str:
    """Write a moment as 14:52."""
    return timezone.localtime(at).strftime("%H:%M") if at else ""


@register.filter
def seen(at: Any, now: Any) -> str:
    """Write a moment as its time of day, or as its day where that time has come round again since."""
    return seen_text(at, now) if at and now else clock(at)


@register.filter
def day_clock(at: Any) -> str:
    """Write a moment with its day."""
    return timezone.localtime(at).strftime("%d %b %H:%M") if at else ""


@register.filter
def hours(minutes: Any) -> str:
    """Write a duration as 2 h 10 min."""
    whole = int(minutes)
    return f"{whole // 60} h {whole % 60} min" if whole >= 60 else f"{whole} min"


@register.filter
def get(mapping: Mapping[str, Any], key: str) -> Any:
    """Read a mapping."""
    return mapping.get(key)


@register.filter
def times(value: float, factor: float) -> float:
    """Scale a number for a drawing."""
    return float(value) * float(factor)


@register.filter
def plus(value: float, other: float) -> float:
    """Add, for a place in a drawing."""
    return float(value) + float(other)


@register.filter
def minus(value: float, other: float) -> float:
    """Take away, for a place in a drawing."""
    return float(value) - float(other)


@register.filter
def fixed(value: float | None, decimals: int = 1) -> str:
    """Write a number with some decimals, nothing for none."""
    return "" if value is None else f"{float(value):.{int(decimals)}f}"


@register.filter
def signed(value: float | None, decimals: int = 1) -> str:
    """Write a difference with its sign; what rounds to nought has none."""
    if value is None:
        return ""
    text = f"{float(value):+.{int(decimals)}f}"
    return text.lstrip("+-") if float(text) == 0 else text.replace("-", "−")


@register.filter
def amount(value: float | None, unit: str) -> str:
    """Write an amount so that a workshop's litres and a mill's cubic metres both read well."""
    if value is None:
        return ""
    number, shown_unit = readable(float(value), unit)
    return f"{number:.1f} {shown_unit}".strip()


register.filter("lower_first", lower_first)


@register.filter
def equation(method: Method) -> SafeString:
    """Write an equation for people: names without their units, signs as printed."""
    return _equation(method.equation)


@cache
def _equation(text: str) -> SafeString:
    return mark_safe("<br>".join(_printed(line, {}) for line in text.splitlines()))  # noqa: S308  built from escaped parts


@register.simple_tag
def put_in(figure: Figure) -> SafeString:
    """Write the equation with the numbers put in, where it is one that can be."""
    if figure.method is None or (not figure.method.exact and len(figure.method.equation.splitlines()) > 2):
        return SafeString("")
    line = next((line for line in figure.method.equation.splitlines() if line.startswith(figure.result_name)), "")
    if not line or any(
        isinstance(datum.value, (list, tuple)) or hasattr(datum.value, "shape") for datum in figure.data.values()
    ):
        return SafeString("")
    values = {name: number_text(datum.value) for name, datum in figure.data.items()}
    values |= {name: number_text(value) for name, value in figure.results.items() if name != figure.result_name}
    right = _printed(line.partition("=")[2].strip(), values)
    return format_html("= {} = <strong>{}</strong> {}", mark_safe(right), number_text(figure.value), figure.unit)  # noqa: S308


@register.simple_tag
def step_put_in(step: Step) -> SafeString:
    """Write a step: what it works out, its equation with the numbers put in, what came out."""
    name = step.method.results[0]
    values = {key: number_text(value) for key, value in step.arguments.items()}
    line = next((one for one in step.method.equation.splitlines() if one.startswith(name)), "")
    result = format_html("<strong>{}</strong> {}", number_text(step.result[name]), unit_of(name))
    if not line or not step.method.exact:
        said = ", ".join(f"{spoken(key)} {value} {argument_unit(key)}".strip() for key, value in values.items())
        return format_html("{}: {}; gives {}", step.method.title, said, result)
    right = _printed(line.partition("=")[2].strip(), values)
    return format_html("{}: {} = {}", step.method.title, mark_safe(right), result)  # noqa: S308  escaped parts


@register.filter
def short_number(value: float) -> str:
    """Write a number short enough to read in a working."""
    return number_text(value)


def _printed(text: str, values: Mapping[str, str]) -> str:
    """Turn an expression over argument names into printed form."""

    def word(match: re.Match[str]) -> str:
        name = match.group(0)
        if name in values:
            return escape(values[name])
        if suffix_of(name) and ("_" in name or name in ("kappa", "n", "alpha", "beta")):
            return f'<span class="eq-name">{escape(spoken(name).replace(" ", "_"))}</span>'
        return escape(name)

    parts = re.split(r"([A-Za-z_][A-Za-z_0-9]*)", text)
    out = []
    for part in parts:
        if re.fullmatch(r"[A-Za-z_][A-Za-z_0-9]*", part):
            out.append(re.sub(r".*", word, part, count=1))
        else:
            out.append(escape(part).replace("**", "^").replace(" * ", " · ").replace(" - ", " − "))
    return "".join(out)


@register.filter
def argument_label(name: str) -> str:
    """Write an argument's name in words."""
    return spoken(name)


@register.filter
def argument_unit(name: str) -> str:
    """Write an argument's unit."""
    return unit_of(name) if suffix_of(name) else ""


@register.filter
def datum_text(datum: Datum) -> str:
    """Write what was put in."""
    return number_text(datum.value)


@register.simple_tag
def allowed(figure: Figure, name: str) -> str:
    """Write the valid range of an argument."""
    arg = figure.method.arguments[name] if figure.method else None
    return arg.allowed(unit_of(name)) if isinstance(arg, Arg) else ""


@register.filter
def join_path(path: str, name: str) -> str:
    """Walk one step further into a working."""
    return f"{path}/{name}".strip("/")


@register.simple_tag
def url_of_working(world: Any, key: str, path: str = "") -> str:
    """Return the address of a working."""
    return working_url(world.slug, key, path)
