"""The blend of piles for the next hours: chosen by optimisation, with what binds, the feeders' settings, the mix to expect."""

import re
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field, replace
from typing import Any, Final

from django.http import Http404, HttpRequest, HttpResponse
from django.shortcuts import redirect, render
from django.views.decorators.http import require_POST

from desk.floor.services import require
from desk.floor.state import State
from desk.frame.forms import key_of, number
from desk.frame.page import asks, on_line, rights_of, signed_in
from desk.frame.page import page as render_page
from desk.people.roles import RECORD
from desk.stations.yard.models import BlendPlan
from desk.stations.yard.pages.overview import acting, yard_context
from desk.stations.yard.samples import feeds
from desk.stations.yard.stock import LotHeld, Pile, YardNow, yard_of
from desk.stations.yard.work import accept_blend
from stock.errors import DomainError
from stock.figure import Datum, Figure, Origin, figure
from stock.intake.blend import Aim, Binding, Blend, Candidate, Limits, choose_blend
from stock.intake.chips import packed_bdt

FIELDS: Final = (
    ("hours", "For the next", "h", 1.0, 72.0),
    ("total_bdt_per_h", "Chips wanted", "BDt/h", 0.1, 500.0),
    ("moisture_least_pct", "Moisture, least", "%", 5.0, 80.0),
    ("moisture_most_pct", "Moisture, most", "%", 5.0, 80.0),
    ("fines_most_pct", "Fines, most", "%", 0.0, 100.0),
    ("bark_most_pct", "Bark, most", "%", 0.0, 100.0),
    ("mean_age_most_d", "Mean age, most", "d", 0.1, 3650.0),
)
AIMS: Final = (
    ("oldest", "Oldest wood first: small fresh piles, little loss"),
    ("steady", "Steadiest moisture: kappa noise comes from changes, not from the mean"),
)
# Chips made here are screened; what the lot's own test found at the gate is the logs'.
SCREENED: Final = {"bark_pct": 0.6, "fines_pct": 1.0}
HOT_SHARE: Final = 50.0  # % of the feed a hot pile gives unless somebody says otherwise
CANDIDATES: Final = 14  # lots of one pile that may matter within the span


@dataclass(frozen=True, slots=True)
class Feeding:
    """A pile's part in the blend: its share, its lots, how fast its feeder runs."""

    pile: Pile
    share: float
    lots: tuple[tuple[str, float], ...]
    green: float
    speed: Figure | None


@dataclass(frozen=True, slots=True)
class Tried:
    """A blend worked out, or refused."""

    stream: str
    values: dict[str, str]
    aim: str
    blend: Blend | None
    feeding: tuple[Feeding, ...]
    expected: tuple[Figure, ...]
    lots: tuple[tuple[str, str], ...]
    fault: str = ""
    faulty: str = ""
    numbers: Mapping[str, float] = field(default_factory=dict)


def chosen_stream(state: State, typed: Any) -> str:
    """Return the stream to the digesters the blend is for: the one asked for, else the first."""
    own = list(feeds(yard_of(state).part))
    if not own:
        raise Http404
    asked = str(typed.get("stream", ""))
    return asked if asked in own else own[0]


def defaults(state: State, stream: str) -> dict[str, str]:
    """Return the limits as the mill set them, and the rate of the running order."""
    limits = yard_of(state).part.blend
    values = {name: f"{getattr(limits, name):g}" for name, *_ in FIELDS if hasattr(limits, name)}
    values["total_bdt_per_h"] = f"{state.flows[stream]:.2f}"
    values |= {f"most_{name}": f"{100 * share:g}" for name, share in limits.species_most_frac.items()}
    values |= {f"least_{pile.part.id}": f"{HOT_SHARE:g}" for pile in hot_piles(state, stream)}
    return values


def hot_piles(state: State, stream: str) -> list[Pile]:
    """Return the piles that feed a stream and stand outside their temperature band: they go first."""
    piles = [one for one in yard_of(state).piles.values() if one.part.stream == stream and one.part.feeds and one.lots]
    readings = ((pile, state.readings.get(pile.part.probe or "")) for pile in piles)
    return [pile for pile, reading in readings if reading and reading.verdict.side == "high"]


def attempt(state: State, typed: Any) -> Tried:
    """Work a blend out for what was typed; a fault names its field and keeps everything."""
    stream = chosen_stream(state, typed)
    values = {name: str(typed.get(name, value)).strip()[:20] for name, value in defaults(state, stream).items()}
    aim: Aim = "steady" if typed.get("aim") == "steady" else "oldest"
    try:
        numbers = _numbers(values)
        return _worked(state, stream, values, numbers, aim)
    except DomainError as error:
        return Tried(stream, values, aim, None, (), (), (), error.message, error.argument)


def _numbers(values: dict[str, str]) -> dict[str, float]:
    said = {name: (label, unit) for name, label, unit, *_ in FIELDS}
    found = {
        name: number(text, name, *said.get(name, (f"{name.partition('_')[2]} share", "%")))
        for name, text in values.items()
    }
    for name, label, unit, low, high in FIELDS:
        if not low <= found[name] <= high:
            allowed = f"{low:g} to {high:g} {unit}"
            raise DomainError("E_RANGE", name, f"{label} is {found[name]:g} {unit}, outside {allowed}", allowed)
    if found["moisture_least_pct"] >= found["moisture_most_pct"]:
        message = (
            f"least moisture {found['moisture_least_pct']:g} % is not below the most, {found['moisture_most_pct']:g} %"
        )
        raise DomainError("E_ORDER", "moisture_least_pct", message, f"less than {found['moisture_most_pct']:g} %")
    for name, value in found.items():
        if name.startswith(("most_", "least_")) and not 0 <= value <= 100:
            raise DomainError("E_RANGE", name, f"{name.partition('_')[2]} share is {value:g} %", "0 to 100 %")
    return found


def candidates(yard: YardNow, stream: str) -> list[tuple[Candidate, LotHeld, Pile]]:
    """Return the lots that could be drawn in the next hours: the oldest of each pile, none set aside."""
    found = []
    for pile in yard.piles.values():
        if pile.part.stream != stream or not pile.part.feeds:
            continue
        for lot in [one for one in pile.lots if one.number not in yard.aside][:CANDIDATES]:
            home = yard.part.material(lot.material).form == "logs"
            facts = SCREENED if home else {"bark_pct": lot.bark_pct, "fines_pct": lot.fines_pct}
            candidate = Candidate(
                f"{lot.number}@{pile.part.id}", pile.part.id, lot.now_bdt, lot.age_d(yard.state.now), lot.moisture_frac,
                facts["fines_pct"], facts["bark_pct"], pile.part.species,
            )  # fmt: skip
            found.append((candidate, lot, pile))
    return found


def _worked(state: State, stream: str, values: dict[str, str], numbers: dict[str, float], aim: Aim) -> Tried:
    yard = yard_of(state)
    listed = candidates(yard, stream)
    limits = Limits(
        moisture_least_frac=numbers["moisture_least_pct"] / 100,
        moisture_most_frac=numbers["moisture_most_pct"] / 100,
        fines_most_pct=numbers["fines_most_pct"],
        bark_most_pct=numbers["bark_most_pct"],
        mean_age_most_d=numbers["mean_age_most_d"],
        species_most_frac={name[5:]: value / 100 for name, value in numbers.items() if name.startswith("most_")},
        pile_least_frac={name[6:]: value / 100 for name, value in numbers.items() if name.startswith("least_")},
        pile_most_bdt_per_h={
            pile.part.id: _most(yard, pile)
            for pile in yard.piles.values()
            if pile.part.feeder_most_m3_per_h and pile.part.feeds
        },
    )
    total = numbers["total_bdt_per_h"]
    blend = choose_blend([one for one, _, _ in listed], total, numbers["hours"], limits, aim)
    blend = replace(blend, binding=tuple(_named(yard, one) for one in blend.binding))
    feeding = _feeding(state, yard, listed, blend, total)
    lots = tuple((lot.number, pile.part.id) for _, lot, pile in listed)
    return Tried(stream, values, aim, blend, feeding, expected(state, yard, listed, blend), lots, numbers=numbers)


def _named(yard: YardNow, binding: Binding) -> Binding:
    """Write a limit with the pile's own name, and its lots by number."""
    for opening in ("feeder of ", "stock of ", "least of "):
        if binding.name.startswith(opening):
            name = opening + yard.part.pile(binding.name.removeprefix(opening)).name
            return replace(binding, name=name, worth=re.sub(r"@\w+", "", binding.worth))
    return binding


def _most(yard: YardNow, pile: Pile) -> float:
    """Return the most a pile's feeder carries, BDt/h."""
    species = yard.part.of_species(pile.part.species)
    return packed_bdt(
        pile.part.feeder_most_m3_per_h or 0, species.basic_density_kg_per_m3, pile.part.solid_volume_factor
    )


def _feeding(
    state: State, yard: YardNow, listed: Sequence[tuple[Candidate, LotHeld, Pile]], blend: Blend, total: float
) -> tuple[Feeding, ...]:
    found = []
    for pile in yard.piles.values():
        mine = [
            (lot, share)
            for (_, lot, home), share in zip(listed, blend.share_frac, strict=True)
            if home.part.id == pile.part.id and share > 0
        ]
        share = sum(part for _, part in mine)
        if share <= 0:
            continue
        wanted = Datum(share * total, Origin("computed", f"{100 * share:.1f} % of {total:.2f} BDt/h"))
        speed = yard.feeder_figure(pile, wanted)
        green = sum(total * part / (1 - lot.moisture_frac) for lot, part in mine)
        lots = tuple((lot.number, part) for lot, part in mine)
        found.append(Feeding(pile, share, lots, green, speed))
    return tuple(found)


def expected(
    state: State, yard: YardNow, listed: Sequence[tuple[Candidate, LotHeld, Pile]], blend: Blend
) -> tuple[Figure, ...]:
    """Return the mix to expect: basic density, alkali demand, yield, fibre length, moisture."""
    species = [yard.part.of_species(one.species) for one, _, _ in listed]
    shares = Datum(list(blend.share_frac), Origin("computed", "the blend chosen"))
    set_by = state.set_origin("species of the yard")

    def each(name: str) -> Datum:
        return Datum([getattr(one, name) for one in species], set_by)

    moistures = Datum([one.moisture_frac for one, _, _ in listed], Origin("entered", "samples at the gate, lot by lot"))
    return (
        figure(
            "blend_green_feeds",
            "moisture",
            {
                "total_bdt_per_h": Datum(1.0, Origin("assumed", "for each tonne")),
                "bd_share_each_frac": shares,
                "moisture_each_frac": moistures,
            },
            result="moisture_wet_frac",
            decimals=3,
        ),
        figure(
            "mix_basic_density_kg_per_m3",
            "basic density",
            {"bd_mass_each_frac": shares, "basic_density_each_kg_per_m3": each("basic_density_kg_per_m3")},
            decimals=0,
        ),
        figure(
            "blend_mean",
            "alkali demand, NaOH on wood",
            {"bd_share_each_frac": shares, "value_each_pct": each("charge_pct_naoh_on_wood")},
            decimals=2,
        ),
        figure("blend_mean", "yield", {"bd_share_each_frac": shares, "value_each_pct": each("yield_pct")}, decimals=1),
        figure(
            "blend_fibre_length",
            "fibre length",
            {
                "bd_share_each_frac": shares,
                "yield_each_pct": each("yield_pct"),
                "length_each_mm": each("fibre_length_mm"),
            },
            decimals=2,
        ),
    )


def show(request: HttpRequest, state: State, *, refused: str = "") -> HttpResponse:
    """Show the blend."""
    yard = yard_of(state)
    tried = attempt(state, request.POST if refused else request.GET)
    context = yard_context(state, "yard_blend")
    plan = BlendPlan.objects.filter(pk=yard.news.plan.pk).select_related("by").first() if yard.news.plan else None
    context |= {
        "sentence": sentence(yard, tried.stream),
        "streams": [(name, state.line.stream(name).called, name == tried.stream) for name in feeds(yard.part)],
        "tried": tried,
        "fields": _rows(yard, tried),
        "aims": AIMS,
        "plan": plan,
        "refused": refused,
    }
    return render_page(request, state, "yard/blend.html", context, here=yard.station, status=422 if refused else 200)


def _rows(yard: YardNow, tried: Tried) -> list[tuple[str, str, str, str]]:
    rows = [(name, label, unit, tried.values[name]) for name, label, unit, _, _ in FIELDS]
    for name, text in tried.values.items():
        side, _, of = name.partition("_")
        if side == "most":
            rows.append((name, f"{yard.part.of_species(of).name}, most", "%", text))
        elif side == "least":
            rows.append((name, f"{yard.part.pile(of).name} is hot: at least", "%", text))
    return rows


def sentence(yard: YardNow, stream: str) -> str:
    """Say what the digesters are fed now."""
    rates = {
        pile: rate
        for pile, rate in yard.rates().items()
        if yard.part.pile(pile).stream == stream and yard.part.pile(pile).feeds
    }
    total = sum(rates.values())
    if not total:
        return "No draw is booked in the last hours."
    parts = ", ".join(
        f"{yard.part.pile(pile).name} {100 * rate / total:.0f} %"
        for pile, rate in sorted(rates.items(), key=lambda one: -one[1])
    )
    return f"The digesters are fed {total:.1f} BDt/h: {parts}."


@on_line
def page(request: HttpRequest, state: State) -> HttpResponse:
    """Show the blend."""
    return show(request, state)


@on_line
@require_POST
@asks
def work_out(request: HttpRequest, state: State) -> HttpResponse:
    """Answer with the blend worked out, as the limits are typed."""
    context = {"world": state.world, "state": state, "tried": attempt(state, request.POST)}
    context |= rights_of(request)
    return render(request, "yard/_blended.html", context)


@on_line
@require_POST
@acting("The blend was not accepted", show)
def accept(request: HttpRequest, state: State) -> HttpResponse:
    """Keep the blend as the plan of the next hours."""
    person = signed_in(request)
    require(person, RECORD)
    tried = attempt(state, request.POST)
    if tried.blend is None:
        raise DomainError("E_INFEASIBLE", tried.faulty or "limits", tried.fault, "limits a blend can keep")
    accept_blend(
        state.world,
        person,
        tried.blend,
        tried.lots,
        hours=tried.numbers["hours"],
        total_bdt_per_h=tried.numbers["total_bdt_per_h"],
        form_key=key_of(request),
    )
    return redirect("yard_blend", world_slug=state.world.slug)
