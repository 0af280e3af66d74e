"""Methods: the book, searchable, every worked example to be tried live."""

import json
from dataclasses import dataclass
from typing import Any

from django.http import Http404, HttpRequest, HttpResponse, QueryDict
from django.shortcuts import render

from desk.floor.state import State
from desk.frame.page import on_line
from desk.frame.page import page as render_page
from stock.book import CHAPTERS, chapters
from stock.cli import calculate, plain
from stock.names import spoken, unit_of
from stock.typed import typed_number
from stock.working import Arg, Choice, Method, Rows, find_method


@dataclass(frozen=True, slots=True)
class Field:
    """One argument of a method as a field to fill."""

    name: str
    label: str
    meaning: str
    unit: str
    allowed: str
    text: str
    options: tuple[str, ...]
    fault: str


@on_line
def page(request: HttpRequest, state: State) -> HttpResponse:
    """Show the book, or what matches."""
    words = request.GET.get("find", "")[:60].lower().split()
    found = {
        title: [method for method in methods if all(word in _text(method) for word in words)]
        for title, methods in chapters().items()
    }
    found = {title: methods for title, methods in found.items() if methods}
    count = sum(len(methods) for methods in found.values())
    sentence = f"{count} methods{' match' if words else ', in the order of the work'}. Each opens with its equation, range, source and an example."
    context = {"chapters": found, "find": request.GET.get("find", "")[:60], "sentence": sentence}
    return render_page(request, state, "methods/page.html", context, here="methods")


def _text(method: Method) -> str:
    names = " ".join([*method.arguments, *method.results, *method.aliases])
    return f"{method.name} {method.title} {method.equation} {names} {method.source}".lower()


@on_line
def entry(request: HttpRequest, state: State, name: str) -> HttpResponse:
    """Show one method; what is typed is worked out as it is typed."""
    try:
        method = find_method(name)
    except LookupError:
        raise Http404 from None
    context = {
        "method": method,
        "chapter": CHAPTERS[method.station],
        "sentence": f"{method.title}. From the chapter on {CHAPTERS[method.station].lower()}.",
        **_tried(method, request.POST),
    }
    context |= {"world": state.world, "state": state}
    if request.method == "POST" and getattr(request, "htmx", False):
        return render(request, "methods/_answer.html", context)
    return render_page(request, state, "methods/method.html", context, here="methods")


def _tried(method: Method, typed: QueryDict) -> dict[str, Any]:
    texts = {name: typed.get(name, _example_text(method, name))[:4000] for name in method.arguments}
    given = {name: _parsed(text, method.arguments[name], name) for name, text in texts.items() if text.strip()}
    answer = calculate(method.name, given)
    error = answer.get("error")
    fields = []
    for name, arg in method.arguments.items():
        allowed = arg.allowed(unit_of(name)) if isinstance(arg, Arg) else ""
        options = arg.options if isinstance(arg, Choice) else ()
        unit = unit_of(name) if isinstance(arg, Arg) else ""
        fault = error["message"] if error and error["argument"].split("[")[0] == name else ""
        fields.append(Field(name, spoken(name), arg.meaning, unit, allowed, texts[name], options, fault))
    results = [(spoken(key), value["value"], value["unit"]) for key, value in answer.get("result", {}).items()]
    return {"fields": fields, "results": results, "error": error, "warnings": answer.get("warnings", [])}


def _example_text(method: Method, name: str) -> str:
    value = plain(method.example.arguments.get(name, method.defaults.get(name)))
    if isinstance(value, list):
        return json.dumps(value)
    return "" if value is None else f"{value}"


def _parsed(text: str, arg: Any, name: str) -> Any:
    """Read a field: a number, a word, or a list; what cannot be read goes on as text and is refused by name."""
    if isinstance(arg, Choice):
        return text.strip()
    try:
        if isinstance(arg, Rows) or arg.series:
            written = text.strip()
            return json.loads(written if written.startswith("[") else f"[{written}]")
        return typed_number(text, name, name, unit_of(name))
    except ValueError:  # a DomainError is one too
        return text.strip()
