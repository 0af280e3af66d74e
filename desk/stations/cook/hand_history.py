"""Bring the past of a cook house run by hand: its cooks, what was read off their dials, the acid titrated."""

from collections.abc import Iterable
from pathlib import Path

from desk.floor.models import Cook, Record, World
from desk.floor.services import stop_of
from desk.mill.selectors import line_of
from desk.people.models import Person
from desk.stations.cook.amounts import Amounts
from desk.stations.cook.models import Forecast, Result, Step
from desk.stations.cook.past_files import at_of, load_titrations, maybe_of, rows_of
from stock.cooking.recipe import Recipe
from stock.cooking.relation import Relation
from stock.cooking.ways import WAYS
from stock.figure import Datum


def load_by_hand(world: World, folder: Path, hand: Person) -> list[Record]:
    """Load the cooks run by hand; return their gauges as records, not yet sealed."""
    house = line_of(world.version).cook
    rows = list(rows_of(folder / "hand_cooks.csv"))
    for row in rows:
        recipe = house.recipe(row["recipe"])
        Cook.objects.create(
            world=world,
            number=int(row["number"]),
            digester=int(row["digester"]),
            recipe=recipe.id,
            started_at=at_of(row["started_s"]),
            charge_pct_naoh_on_wood=None,
            kappa_target=recipe.kappa_target,
        )
        _hand_steps(world, recipe, row, hand)
        if row["blown_s"]:
            _hand_result(world, recipe, row, hand)
    load_titrations(world, folder / "hand_titrations.csv", hand)
    return list(_gauges(world, folder / "hand_gauges.csv", hand))


def _hand_steps(world: World, recipe: Recipe, row: dict[str, str], hand: Person) -> None:
    started = float(row["started_s"])
    filled = started + 60 * recipe.fill_min
    charged = filled + 60 * recipe.liquor_min
    chips = Amounts(green_t=float(row["chips_t"]), moisture_pct=round(100 * float(row["moisture_frac"]), 4))
    acid = Amounts(
        liquor_m3=float(row["liquor_m3"]),
        total_so2_pct=float(row["total_pct"]),
        combined_so2_pct=float(row["combined_pct"]),
    )
    steps = [("chips", filled, chips), ("liquor", charged - 60, acid), ("steam", charged, Amounts())]
    if row["blown_s"]:
        blown = float(row["blown_s"])
        steps += [("relief", blown - 60 * recipe.relief_min, Amounts()), ("blow", blown, Amounts())]
    Step.objects.bulk_create(
        [
            Step(
                world=world,
                by=hand,
                number=int(row["number"]),
                kind=kind,
                at=at_of(at),
                entered_at=at_of(at),
                form_key=f"demo-{world.pk}-{row['number']}-{kind}",
                **amounts.columns(),
            )
            for kind, at, amounts in steps
        ]
    )


def _hand_result(world: World, recipe: Recipe, row: dict[str, str], hand: Person) -> None:
    relation, number = Relation.of(recipe), int(row["number"])
    said = relation.origin
    factor = Datum(float(row["factor"]), said)
    way = WAYS[recipe.school]
    kappa = way.kappa(recipe, relation, factor, Datum(0.0, said)).value
    Forecast.objects.create(
        world=world,
        number=number,
        at=at_of(row["blown_s"]),
        blow=Step.objects.get(world=world, number=number, kind="blow"),
        relation_version=relation.version,
        relation_words=relation.words,
        factor=factor.value,
        kappa=kappa,
        half_kappa=way.band(recipe, relation, factor, Datum(0.0, said)).value,
        yield_pct=relation.reference_yield_pct + relation.slope_pct * (kappa - relation.reference_kappa),
        liquor_to_wood=recipe.liquor_to_wood,
    )
    Result.objects.create(
        world=world,
        by=hand,
        number=number,
        at=at_of(row["tested_s"]),
        kappa=float(row["kappa"]),
        rejects_pct=maybe_of(row["rejects_pct"]),
        yield_pct=maybe_of(row["yield_pct"]),
        entered_at=at_of(row["tested_s"]),
        form_key=f"demo-result-{world.pk}-{number}",
    )


def _gauges(world: World, path: Path, hand: Person) -> Iterable[Record]:
    line = line_of(world.version)
    acid = next(one for one in line.cook.recipes if one.is_sulphite)
    digester = line.cook.holding(acid)
    for index, row in enumerate(rows_of(path)):
        for name, tag_id in (("temperature_c", digester.temperature), ("pressure_kpa_g", digester.pressure)):
            if not tag_id:
                continue
            tag = line.tag(tag_id)
            yield Record(
                world=world,
                by=hand,
                at=at_of(row["at_s"]),
                entered_at=at_of(row["at_s"]),
                kind=Record.Kind.READING,
                station=stop_of(world, "cook"),
                tag=tag.id,
                value=float(row[name]),
                unit=tag.unit,
                level="ok",
                form_key=f"gauge-{world.pk}-{index}-{name[:4]}",
            )
