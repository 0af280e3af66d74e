"""What the laboratory's devices and the digesters' own counters report: titrations, kappas, batches."""

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from datetime import UTC, datetime, timedelta
from typing import Final

from django.db import transaction

from desk.exchange.models import Dropped
from desk.exchange.pick_up import BrokenFileError, Taker, at_in, number_of, text_in
from desk.floor.models import Cook, World
from desk.floor.state import State
from desk.mill.selectors import line_of
from desk.stations.cook.amounts import Amounts
from desk.stations.cook.bench import LIMITS, METHODS, titrated
from desk.stations.cook.house import House, recipe_of
from desk.stations.cook.models import LiquorTest, Result, Step
from desk.stations.cook.steps import keep_forecast
from stock.cooking.recipe import Digester
from stock.errors import DomainError
from stock.line.definition import Definition


def _titrator(world: World, dropped: Dropped, rows: list[dict[str, str]]) -> None:
    for number, row in enumerate(rows, 2):
        kind = text_in(row, "liquor", number)
        if kind not in METHODS:
            raise BrokenFileError(f"line {number}: liquor is {kind[:20]!r}; one of {', '.join(METHODS)}")
        volumes = {name: number_of(row, name, number) for name in METHODS[kind][1]}
        at = at_in(row, "at_s", number)
        try:
            titrated(kind, volumes, "the titrator", at)
        except DomainError as error:
            raise BrokenFileError(f"line {number}: {error.message}") from None
        cook = int(number_of(row, "cook", number)) if (row.get("cook") or "").strip() else None
        LiquorTest.objects.create(
            world=world, kind=kind, at=at, volumes=volumes, number=cook, form_key=dropped.key(number)
        )


def _kappa(world: World, dropped: Dropped, rows: list[dict[str, str]]) -> None:
    for number, row in enumerate(rows, 2):
        cook = int(number_of(row, "cook", number))
        if not Cook.objects.filter(world=world, number=cook).exists():
            raise BrokenFileError(f"line {number}: there is no cook {cook}")
        if Result.objects.filter(world=world, number=cook, superseded_by=None).exists():
            continue  # somebody was quicker than the device
        found = {
            name: number_of(row, name, number) for name in LIMITS if name == "kappa" or (row.get(name) or "").strip()
        }
        for name, value in found.items():
            low, high, words = LIMITS[name]
            if not low <= value <= high:
                raise BrokenFileError(f"line {number}: {words} is {value:g}, outside {low:g} to {high:g}")
        Result.objects.create(
            world=world, number=cook, at=at_in(row, "at_s", number), form_key=dropped.key(number), **found
        )


TAKERS: Final[dict[str, Taker]] = {"titrator": _titrator, "kappa": _kappa}


# ---- the digesters' own counters

LATE: Final = timedelta(minutes=10)  # a step logged of longer ago is not done again in a simulated plant

BATCH: Final = (
    "number", "started_s", "charge_pct", "chips_t", "moisture_frac", "liquor_m3", "strength_kg_per_m3_as_naoh",
    "sulphidity_frac", "fill_m3", "steam_s", "blown_s",
)  # fmt: skip


@dataclass(frozen=True, slots=True)
class Batch:
    """What a digester's counter says of the cook in it; nought for what has not happened yet."""

    number: int
    digester: int
    recipe: str
    started_s: float
    charge_pct: float
    chips_t: float
    moisture_frac: float
    liquor_m3: float
    strength_kg_per_m3_as_naoh: float
    sulphidity_frac: float
    fill_m3: float
    steam_s: float
    blown_s: float

    @property
    def moisture_pct(self) -> float:
        """Moisture of its chips in per cent."""
        return round(100 * self.moisture_frac, 4)

    @property
    def sulphidity_pct(self) -> float:
        """Sulphidity of its liquor in per cent."""
        return round(100 * self.sulphidity_frac, 4)

    @classmethod
    def of(cls, digester: int, recipe: str, values: Sequence[float]) -> "Batch":
        """Read the counter's list of numbers."""
        by = dict(zip(BATCH, values, strict=True))
        return cls(digester=digester, recipe=recipe, **{**by, "number": int(by["number"])})  # type: ignore[arg-type]


def counters(line: Definition) -> dict[str, Callable[[World, Sequence[float]], None]]:
    """Return the counters of the digesters whose thermometers send by themselves, each with who takes it."""

    def take(digester: Digester) -> Callable[[World, Sequence[float]], None]:
        def note(world: World, values: Sequence[float]) -> None:
            if values[0]:
                note_batch(world, Batch.of(digester.number, digester.recipes[0], values))

        return note

    live = [one for one in line.cook.digesters if one.temperature and line.tag(one.temperature).live]
    return {f"digester_{one.number}_cook": take(one) for one in live}


# What is logged by hand, and what a plant does then: its own program goes on from a relief to the blow.
ACTS: Final = {Step.Kind.STEAM: "steam", Step.Kind.RELIEF: "relieve", Step.Kind.BLOW: "relieve"}


def acts(world: World, since: datetime) -> list[tuple[str, int, str]]:
    """Return what was done by hand at digesters since a moment, for a simulated plant to do too: steam, relief, blow."""
    done = Step.objects.filter(
        world=world, entered_at__gt=since, at__gt=since - LATE, superseded_by=None,
        kind__in=ACTS, by__isnull=False,
    )  # fmt: skip
    digesters = dict(
        Cook.objects.filter(world=world, number__in=[one.number for one in done]).values_list("number", "digester")
    )
    return [
        (f"step-{one.pk}", digesters[one.number], ACTS[Step.Kind(one.kind)])
        for one in done.order_by("id")
        if one.number in digesters
    ]


def note_batch(world: World, batch: Batch) -> Cook | None:
    """Keep what a counter reports and is not known yet; the cook, where it is new."""
    new = None
    cook = Cook.objects.filter(world=world, number=batch.number).first()
    if cook is None:
        recipe = line_of(world.version).cook.recipe(batch.recipe)
        new = cook = Cook.objects.create(
            world=world,
            number=batch.number,
            digester=batch.digester,
            recipe=recipe.id,
            started_at=datetime.fromtimestamp(batch.started_s, UTC),
            charge_pct_naoh_on_wood=batch.charge_pct,
            kappa_target=recipe.kappa_target,
        )
    known = set(Step.objects.filter(world=world, number=batch.number).values_list("kind", flat=True))
    for kind, at_s, amounts in reported(batch, recipe_of(State(world), cook).fill_min):
        if kind not in known:
            with transaction.atomic():
                _report(world, cook, kind, datetime.fromtimestamp(at_s, UTC), amounts)
    return new


def reported(batch: Batch, fill_min: float) -> list[tuple[str, float, Amounts]]:
    """Return the steps a counter speaks of, with their moments."""
    found = []
    if batch.chips_t > 0:
        at = batch.started_s + 60 * fill_min
        found.append(("chips", at, Amounts(green_t=batch.chips_t, moisture_pct=batch.moisture_pct)))
        if batch.liquor_m3 > 0:
            liquor = Amounts(
                liquor_m3=batch.liquor_m3,
                strength_kg_per_m3_as_naoh=batch.strength_kg_per_m3_as_naoh,
                sulphidity_pct=batch.sulphidity_pct or None,
            )
            found.append(("liquor", at + 60, liquor))
        if batch.fill_m3 > 0:
            found.append(("fill", at + 120, Amounts(fill_m3=batch.fill_m3)))
    if batch.steam_s > 0:
        found.append(("steam", batch.steam_s, Amounts()))
    if batch.blown_s > 0:
        found.append(("blow", batch.blown_s, Amounts()))
    return found


def _report(world: World, cook: Cook, kind: str, at: datetime, amounts: Amounts) -> None:
    """Keep a reported step as it is: the plant did it, whatever the desk would have said."""
    row = Step.objects.create(
        world=world,
        number=cook.number,
        kind=kind,
        at=at,
        form_key=f"plant-{world.pk}-{cook.number}-{kind}",
        **amounts.columns(),
    )
    if kind == "blow" and cook.started_at > State(world).now - House.BACK:
        keep_forecast(State(world), cook, row)
