"""From lot to pile to cook and back: shares by lot of what was fed in a span."""

from collections import defaultdict
from dataclasses import dataclass
from datetime import datetime, timedelta

from desk.floor.models import Cook, World
from desk.mill.selectors import line_of
from desk.stations.yard.models import Movement, Op


@dataclass(frozen=True, slots=True)
class Part:
    """What a lot gave to something."""

    lot: str
    bdt: float
    share: float


def fed(world: World, from_at: datetime, to_at: datetime, stream: str) -> list[Part]:
    """Return the lots fed to a stream in a span, by their share, the largest first.

    A draw that only overlaps the span counts in proportion to the overlap.
    """
    part = line_of(world.version).yard
    piles = {pile.id for pile in part.piles if pile.stream == stream and pile.feeds} if part else set()
    rows = Movement.objects.filter(
        op__world=world,
        op__kind=Op.Kind.DRAW,
        op__undone_by=None,
        kind="out",
        pile__in=piles,
        op__to_at__gt=from_at,
        op__from_at__lt=to_at,
    ).values_list("lot_number", "bdt", "op__from_at", "op__to_at")
    mass: dict[str, float] = defaultdict(float)
    for lot, bdt, begun, ended in rows:
        span = max((ended - begun).total_seconds(), 1.0)
        overlap = (min(ended, to_at) - max(begun, from_at)).total_seconds()
        mass[lot] += -bdt * max(overlap, 0.0) / span
    total = sum(mass.values())
    return [Part(lot, bdt, bdt / total) for lot, bdt in sorted(mass.items(), key=lambda one: -one[1]) if bdt > 0]


def lots_of_cook(cook: Cook) -> list[Part]:
    """Return the lots in a cook: what was fed while its digester took chips."""
    house = line_of(cook.world.version).cook
    recipe = house.recipe(cook.recipe or house.digester(cook.digester).recipes[0])
    return fed(
        cook.world,
        cook.started_at,
        cook.started_at + timedelta(minutes=recipe.fill_min),
        recipe.yard_stream or recipe.stream,
    )


def cooks_of_lot(world: World, lot: str) -> list[tuple[Cook, float]]:
    """Return the cooks that took wood of a lot, with its share in each, oldest first."""
    spans = list(
        Op.objects.filter(
            world=world, kind=Op.Kind.DRAW, undone_by=None, movements__lot_number=lot, movements__kind="out"
        )
        .values_list("from_at", "to_at")
        .distinct()
    )
    if not spans:
        return []
    fill = timedelta(minutes=max(one.fill_min for one in line_of(world.version).cook.recipes))
    first, last = min(span[0] for span in spans) - fill, max(span[1] for span in spans)
    cooks = Cook.objects.filter(world=world, started_at__gte=first, started_at__lte=last).select_related(
        "world__version"
    )
    found = []
    for cook in cooks.order_by("started_at")[:60]:
        share = next((part.share for part in lots_of_cook(cook) if part.lot == lot), 0.0)
        if share > 0:
            found.append((cook, share))
    return found
