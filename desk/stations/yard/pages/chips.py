"""Logs and chips: debarking, classification against the envelope, knives, wash and steaming."""

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any, Final

from django.http import Http404, HttpRequest, HttpResponse
from django.shortcuts import redirect
from django.urls import reverse
from django.views.decorators.http import require_POST

from desk.floor.state import State
from desk.frame.cards import size_of
from desk.frame.fields import ChoiceField, NumberField, WholeField, WhyField, WordsField, read_form
from desk.frame.forms import key_of
from desk.frame.page import on_line, signed_in
from desk.frame.page import page as render_page
from desk.frame.panels.attempt import attempt, stand
from desk.frame.plot import Scale, line, round_marks
from desk.people.roles import CORRECT
from desk.stations.yard.knives import RUNNING_SHARE, STEPS, KnifeSet, knives_of
from desk.stations.yard.models import Classification
from desk.stations.yard.news import Sampled
from desk.stations.yard.pages.overview import acting, in_band, yard_context
from desk.stations.yard.panels import YARD_PANELS
from desk.stations.yard.samples import FEED, feeds, shares_of, source_name, sources
from desk.stations.yard.stock import YardNow, yard_of
from desk.stations.yard.work import LOCK_CHECKS, LOCKING, classify, correct_class, knife_step
from stock.figure import Datum, Figure, Origin, figure
from stock.intake.chip_classes import CLASSES
from stock.intake.definition import Envelope
from stock.intake.place import of_recipe
from stock.intake.unit import Logs
from stock.judge.here import Place
from stock.primitives import Unit
from stock.tag import Tag

CLASS_LABELS: Final = ("Oversize", "Overthick", "Large accepts", "Small accepts", "Pins", "Fines")
READ: Final = ("overthick", "pins", "fines", "bark", "wood_in_bark", "stones", "temperature", "meter_gap")
BAR_X, BAR_W, ROW_H, AXIS_H = 112, 262, 24, 26
TREND_W, TREND_H = 462, 96
MOST_SAMPLE_G: Final = 50_000.0


@dataclass(frozen=True, slots=True)
class Bar:
    """One class of the newest sample against its envelope."""

    label: str
    figure: Figure
    width: float
    y: float
    limit_x: float | None
    least: bool
    out: bool

    @property
    def band_x(self) -> float:
        """Where the wanted part begins."""
        return BAR_X + (self.limit_x or 0.0 if self.least else 0.0)

    @property
    def band_width(self) -> float:
        """How wide the wanted part is."""
        at = self.limit_x or 0.0
        return BAR_W - at if self.least else at


def show(request: HttpRequest, state: State, *, refused: str = "", pk: int = 0) -> HttpResponse:
    """Show logs and chips."""
    yard = yard_of(state)
    listed = sources(yard.part)
    source = request.GET.get("source", FEED)
    if source not in dict(listed):
        source = FEED
    stream = stream_of(yard, source)
    place = Place(state, state.line.stream(stream))
    newest = next(iter(yard.samples.get(source, [])), None)
    tags = read_here(place)
    readings = [state.readings[tag.id] for tag in tags if tag.id in state.readings]
    context = yard_context(state, "yard_chips")
    context |= {
        "sentence": in_band(
            state,
            opening(place),
            tags,
        ),
        "readings": readings,
        "advice": [(card, size_of(card)) for card in state.advice_for(tags)],
        "sources": [(name, label, name == source) for name, label in listed],
        "newest": newest,
        "newest_masses": list(zip(CLASS_LABELS, CLASSES, newest.masses_g, strict=True)) if newest else [],
        "may_correct": signed_in(request).may(CORRECT),
        "groups": bars(yard, newest) if newest else [],
        "effects": effects(place, yard, newest) if newest else [],
        "trends": [trend(yard, knife) for knife in knives_of(yard)],
        "knives": [(knife, due_step(knife)) for knife in knives_of(yard)],
        "steps": STEPS,
        "locking": LOCKING,
        "checks": LOCK_CHECKS,
        "labels": CLASS_LABELS,
        "panels": [attempt(one, {}) for one in stand(state, YARD_PANELS, on_the_way(place))],
        "typed": request.POST if refused else {},
        "typed_masses": [
            (label, name, request.POST.get(name, "") if refused else "")
            for label, name in zip(CLASS_LABELS, CLASSES, strict=True)
        ],
        "refused": refused,
    }
    return render_page(request, state, "yard/chips.html", context, here=yard.station, status=422 if refused else 200)


@on_line
def page(request: HttpRequest, state: State) -> HttpResponse:
    """Show logs and chips."""
    return show(request, state)


def stream_of(yard: YardNow, source: str) -> str:
    """Return the stream to the digesters that a sample speaks for: its own, else the first."""
    own = {name: stream for stream, name in feeds(yard.part).items()}
    if not own:
        raise Http404
    return own.get(source) or next(iter(own.values()))


def on_the_way(place: Place) -> list[Unit]:
    """Return the units chips pass on their way into a stream, the first first."""
    return [*reversed(list(place.line.graph.upstream(place.unit.id))), place.unit]


def read_here(place: Place) -> list[Tag]:
    """Return the tags of logs and chips on their way to a stream, in the order people look at them."""
    parts = {place.stream.id, *(unit.id for unit in on_the_way(place))}
    tags = [tag for tag in place.line.tags if tag.of in parts and tag.reads in READ]
    return sorted(tags, key=lambda tag: READ.index(tag.reads))


def opening(place: Place) -> str:
    """Say what runs to the drum and to the cook."""
    chips = place.flow().value
    logs = place.line.graph.nearest(place.unit.id, Logs, up=True)
    if logs is None:
        return f"Chips {chips:.1f} BDt/h to the cook."
    return f"Logs {place.at(logs).flow().value:.1f} BDt/h to the drum, chips {chips:.1f} to the cook."


def _limits(part: Envelope) -> tuple[float | None, ...]:
    return part.oversize_most_pct, part.overthick_most_pct, None, None, part.pins_most_pct, part.fines_most_pct


@dataclass(frozen=True, slots=True)
class Group:
    """Classes drawn on one scale, and the marks of its axis."""

    bars: list[Bar]
    marks: list[tuple[float, str]]
    axis_y: float


def bars(yard: YardNow, row: Sampled) -> list[Group]:
    """Draw each class against what is wanted of it: what is limited on one scale, the accepts on another."""
    listed = zip(CLASSES, CLASS_LABELS, _limits(yard.part.chips), strict=True)
    classes = [(yard.class_figure(row, name, label), limit) for name, label, limit in listed]
    limited = [(shown, limit, False) for shown, limit in classes if limit is not None]
    accepts: list[tuple[Figure, float | None, bool]] = [
        (shown, None, False) for shown, limit in classes if limit is None
    ]
    accepts.append((yard.class_figure(row, "accepts", "Accepts together"), yard.part.chips.accepts_least_pct, True))
    most = round_marks(0.0, max(1.3 * max(limit, shown.value) for shown, limit, _ in limited))[-1]
    first = _group(limited, most, 14.0)
    return [first, _group(accepts, 100.0, first.axis_y + AXIS_H)]


def _group(rows: Sequence[tuple[Figure, float | None, bool]], most: float, top: float) -> Group:
    """Draw classes on a scale from nothing to `most`; a limit is the most wanted, or the least."""
    along = Scale(0.0, most, 0.0, BAR_W)
    drawn = []
    for index, (shown, limit, least) in enumerate(rows):
        out = limit is not None and (shown.value < limit if least else shown.value > limit)
        limit_x = None if limit is None else along.held(limit)
        drawn.append(Bar(shown.label, shown, along.held(shown.value), top + index * ROW_H, limit_x, least, out))
    marks = [(BAR_X + along(one), f"{one:g}") for one in round_marks(0.0, most)]
    return Group(drawn, marks, top + len(rows) * ROW_H + 4)


def effects(place: Place, yard: YardNow, row: Sampled) -> list[tuple[str, Figure]]:
    """Say what the off-fractions will do to kappa, rejects and liquor."""
    shares = shares_of(row)
    origin = Origin("computed", f"classes of {source_name(yard.part, row.source)}", row.at)
    found = []
    try:
        spread = figure(
            "kappa_spread",
            "kappa spread from thickness",
            {
                "class_each_frac": Datum([getattr(shares, f"{name}_pct") / 100 for name in CLASSES], origin),
                "thin_kappa": of_recipe(place, "kappa_target"),
                "hot_frac": of_recipe(place, "hot_frac"),
            },
            result="spread_kappa",
        )
        found.append(("Kappa", spread))
    except LookupError:  # nothing is cooked of these chips
        pass
    rejects = figure(
        "coarse_rejects_pct",
        "knots from coarse chips",
        {"oversize_pct": Datum(shares.oversize_pct, origin), "overthick_pct": Datum(shares.overthick_pct, origin)},
    )
    try:
        bark = place.reading("bark")
    except LookupError:
        bark = Datum(0.5, Origin("assumed", "not measured"))
    liquor = figure(
        "fines_alkali",
        "liquor the small material takes",
        {
            "pins_pct": Datum(shares.pins_pct, origin),
            "fines_pct": Datum(shares.fines_pct, origin),
            "bark_pct": bark,
        },
        decimals=2,
    )
    return [*found, ("Knots", rejects), ("Liquor", liquor)]


def trend(yard: YardNow, knife: KnifeSet) -> dict[str, Any]:
    """Draw a chipper's overthick against the hours on its knives, with its line up to the limit."""
    since = knife.changed_at
    rows = [row for row in yard.samples.get(knife.chipper.id, []) if since and row.at >= since]
    hours = [(row.at - since).total_seconds() / 3600 * RUNNING_SHARE for row in rows if since]
    thick = [shares_of(row).overthick_pct for row in rows]
    limit = yard.part.chips.overthick_most_pct
    end = max([knife.chipper.knife_h * 1.25, *hours])
    top = max([limit * 1.4, *thick])
    x, y = Scale(0.0, end, 34, TREND_W - 24), Scale(0.0, top, TREND_H - 20, 10)
    course = ""
    if knife.trend is not None:
        made = knife.trend.results
        ends = (made["start_pct"], made["start_pct"] + made["slope_pct_per_h"] * end)
        course = line((x(0.0), x(end)), (max(8.0, y(value)) for value in ends))
    marks = [(x(h), h) for h in range(0, int(end) + 1, 4)]
    return {
        "knife": knife, "points": [(x(h), y(value)) for h, value in zip(hours, thick, strict=True)], "line": course, "limit_y": y(limit), "limit": limit,
        "marks": marks, "width": TREND_W, "height": TREND_H, "rows": list(zip(hours, thick, strict=True)),
    }  # fmt: skip


def due_step(knife: KnifeSet) -> int:
    """Return which step of a knife change comes next."""
    done = len(STEPS) - 1 if knife.last_index is None else knife.last_index
    return (done + 1) % len(STEPS)


@on_line
@require_POST
@acting("The classification was not kept", show)
def take(request: HttpRequest, state: State) -> HttpResponse:
    """Keep a classification."""
    source = read_form(request, source=ChoiceField("The place", dict(sources(yard_of(state).part))))["source"]
    sample_g, masses = _weighed(request)
    classify(state.world, signed_in(request), source, sample_g, masses, at=state.now, form_key=key_of(request))
    return redirect(f"{request.path.removesuffix('classify/')}?source={source}")


def _weighed(request: HttpRequest) -> tuple[float, list[float]]:
    """Return the sample's mass and that of each class, in grams."""
    classes = {
        name: NumberField(label, "g", least=0, most=MOST_SAMPLE_G)
        for name, label in zip(CLASSES, CLASS_LABELS, strict=True)
    }
    typed = read_form(request, sample_g=NumberField("Sample mass", "g", above=0, most=MOST_SAMPLE_G), **classes)
    return typed["sample_g"], [typed[name] for name in CLASSES]


@on_line
@require_POST
@acting("The sample was not corrected", show)
def correct(request: HttpRequest, state: State, pk: int) -> HttpResponse:
    """Supersede a classification."""
    row = Classification.objects.filter(world=state.world, pk=pk, superseded_by=None).first()
    if row is None:
        raise Http404
    sample_g, masses = _weighed(request)
    why = read_form(request, why=WhyField())["why"]
    correct_class(state.world, signed_in(request), row, sample_g, masses, why=why, form_key=key_of(request))
    return redirect(f"{reverse('yard_chips', args=[state.world.slug])}?source={row.source}")


@on_line
@require_POST
@acting("The step was not logged", show)
def knife(request: HttpRequest, state: State) -> HttpResponse:
    """Log a step of a knife change."""
    typed = read_form(request, chipper=WordsField("The chipper", 40), step=WholeField("The step", least=0, most=9))
    knife_step(
        state.world, signed_in(request), typed["chipper"], typed["step"],
        minded=request.POST.getlist("minded"), form_key=key_of(request),
    )  # fmt: skip
    return redirect("yard_chips", world_slug=state.world.slug)
