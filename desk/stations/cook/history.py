"""Bring a past into an empty cook house: cooks as they were charged, forecast by the relation of their day, blown and measured."""

from collections.abc import Iterable
from dataclasses import asdict, replace
from datetime import datetime, timedelta
from pathlib import Path
from typing import Any, Final

from desk.floor.keeping import source_of
from desk.floor.models import Cook, Record, World
from desk.floor.sealing import digest_of
from desk.floor.station import Past
from desk.mill.selectors import line_of
from desk.people.models import Person
from desk.stations.cook.devices import Batch, reported
from desk.stations.cook.hand_history import load_by_hand
from desk.stations.cook.learn import CALIBRATED
from desk.stations.cook.models import Forecast, RelationVersion, Result, Step
from desk.stations.cook.past_files import at_of, load_titrations, maybe_of, rows_of
from stock.cooking.alkali import charge_as_na2o
from stock.cooking.kinetics import simulate_kraft, simulate_soda
from stock.cooking.liquor import alkali_consumed_pct
from stock.cooking.recipe import Recipe
from stock.cooking.relation import Relation, calibrate_bulk, fit_relation
from stock.cooking.schedule import planned_profile, profile_to_h
from stock.errors import DomainError
from stock.figure import Datum
from stock.judge.limits import judge

STEPS_KEPT: Final = timedelta(days=3)
FITTED_AGO: Final = timedelta(days=40)  # when the relation in force was accepted
KINETIC: Final = 60  # of the newest cooks, what the kinetics said is worked out too
WHY: Final = "Three weeks of good cooks since the start; the recipe's figures lay half a kappa low."


def load_past(world: World, past: Past) -> list[Record]:
    """Load the files of a folder into a world; return what was read of its cooks as records, not yet sealed."""
    people, records = past.people, []
    if (past.folder / "cooks.csv").exists():
        records += _load_counted(world, past.folder, people["vale"], people["achterberg"], past.opened)
    if (past.folder / "hand_cooks.csv").exists():
        records += load_by_hand(world, past.folder, people[past.story.hand])
    return records


def _load_counted(world: World, folder: Path, tester: Person, engineer: Person, opened: datetime) -> list[Record]:
    """Load the cooks the digesters' counters reported; return the readings their results made, of the last days."""
    records: list[Record] = []
    rows = list(rows_of(folder / "cooks.csv"))
    house = line_of(world.version).cook
    Cook.objects.bulk_create(
        [
            Cook(
                world=world,
                number=int(row["number"]),
                digester=int(row["digester"]),
                recipe=row["recipe"],
                started_at=at_of(row["started_s"]),
                charge_pct_naoh_on_wood=maybe_of(row["charge_pct_naoh_on_wood"]),
                kappa_target=house.recipe(row["recipe"]).kappa_target,
            )
            for row in rows
        ],
        batch_size=500,
    )
    _steps(world, rows, house.recipes, opened)
    for recipe in house.recipes:
        own = [row for row in rows if row["recipe"] == recipe.id]
        if recipe.is_sulphite or not own:
            continue
        results = _past(world, recipe, own, tester, engineer, opened)
        records += [
            record for one in results if opened - one.at < STEPS_KEPT for record in _readings(world, recipe, one)
        ]
    if (folder / "titrations.csv").exists():
        load_titrations(world, folder / "titrations.csv", tester)
    return records


def _readings(world: World, recipe: Recipe, result: Result) -> Iterable[Record]:
    """Yield the readings a result stands for: one fact, kept under the line's tags as well."""
    line = line_of(world.version)
    found = {
        recipe.kappa_tag: result.kappa,
        recipe.residual_tag: result.residual_kg_per_m3_as_naoh,
        recipe.rejects_tag: result.rejects_pct,
    }
    for name, value in found.items():
        if name is None or value is None:
            continue
        tag = line.tag(name)
        yield Record(
            world=world, by=result.by, at=result.at, entered_at=result.at, kind=Record.Kind.READING,
            station=tag.station, tag=tag.id, value=value, unit=tag.unit, level=judge(tag, value).level,
            source=source_of(result), source_digest=digest_of(result), form_key=f"demo-{world.pk}-{name}-{result.number}",
        )  # fmt: skip


def _steps(world: World, rows: Iterable[dict[str, str]], recipes: Iterable[Recipe], opened: datetime) -> None:
    fills = {recipe.id: recipe for recipe in recipes}
    since = (opened - STEPS_KEPT).timestamp()
    now = opened.timestamp()
    found = []
    for row in rows:
        if float(row["started_s"]) < since:
            continue
        recipe = fills[row["recipe"]]
        minutes = (now - float(row["started_s"])) / 60
        charged = minutes >= recipe.fill_min + recipe.liquor_min
        batch = Batch(
            number=int(row["number"]),
            digester=int(row["digester"]),
            recipe=recipe.id,
            started_s=float(row["started_s"]),
            charge_pct=float(row["charge_pct_naoh_on_wood"]),
            chips_t=float(row["chips_t"]) if minutes >= recipe.fill_min else 0.0,
            moisture_frac=float(row["moisture_frac"]),
            liquor_m3=float(row["liquor_m3"]) if charged else 0.0,
            strength_kg_per_m3_as_naoh=float(row["strength"]),
            sulphidity_frac=float(row["sulphidity"]),
            fill_m3=float(row["fill_m3"]) if charged else 0.0,
            steam_s=float(row["started_s"]) + 60 * (recipe.fill_min + recipe.liquor_min) if charged else 0.0,
            blown_s=float(row["blown_s"] or 0),
        )
        for kind, at_s, amounts in reported(batch, recipe.fill_min):
            found.append(
                Step(
                    world=world,
                    number=batch.number,
                    kind=kind,
                    at=at_of(at_s),
                    entered_at=at_of(at_s),
                    form_key=f"plant-{world.pk}-{batch.number}-{kind}",
                    **amounts.columns(),
                )
            )
    Step.objects.bulk_create(found, batch_size=500)


def _past(
    world: World, recipe: Recipe, rows: list[dict[str, str]], tester: Person, engineer: Person, opened: datetime
) -> list[Result]:
    """Forecast each blown cook by the relation of its day, keep what was found, and return it."""
    blown = [row for row in rows if row["blown_s"]]
    relation = Relation.of(recipe)
    accepted_at = opened - FITTED_AGO
    before = [row for row in blown if row["tested_s"] and at_of(row["tested_s"]) < accepted_at]
    fitted = _fit(recipe, before, engineer, accepted_at)
    if fitted is not None:
        RelationVersion.objects.create(
            world=world,
            recipe=recipe.id,
            version=fitted.version,
            figures=asdict(fitted),
            left_out=[int(row["number"]) for row in before if row["flag"]],
            first_cook=int(before[0]["number"]),
            last_cook=int(before[-1]["number"]),
            accepted_at=accepted_at,
            by=engineer,
            why=WHY,
            form_key=f"demo-relation-{world.pk}-{recipe.id}",
        )
    kinetic = {row["number"] for row in blown[-KINETIC:]}
    forecasts, results = [], []
    for row in blown:
        at = at_of(row["blown_s"])
        used = fitted if fitted is not None and at >= accepted_at else relation
        forecasts.append(_forecast(world, recipe, used, row, at, with_kinetics=row["number"] in kinetic))
        if row["tested_s"]:
            results.append(
                Result(
                    world=world,
                    by=tester,
                    number=int(row["number"]),
                    at=at_of(row["tested_s"]),
                    kappa=float(row["kappa"]),
                    rejects_pct=maybe_of(row["rejects_pct"]),
                    yield_pct=maybe_of(row["yield_pct"]),
                    residual_kg_per_m3_as_naoh=maybe_of(row["residual"]),
                    flag=row["flag"],
                    entered_at=at_of(row["tested_s"]),
                    form_key=f"demo-result-{world.pk}-{row['number']}",
                )
            )
    Forecast.objects.bulk_create(forecasts, batch_size=500)
    return Result.objects.bulk_create(results, batch_size=500)


def _fit(recipe: Recipe, rows: list[dict[str, str]], engineer: Person, at: datetime) -> Relation | None:
    cooks = [_as_cook(recipe, row) for row in rows if not row["flag"]]
    try:
        fitted = fit_relation(recipe, cooks, 2, "")
    except DomainError:
        return None
    words = f"{len(cooks)} cooks, accepted {at:%d %b} by {engineer.short_name}"
    try:
        ratio = calibrate_bulk(recipe, cooks[-CALIBRATED:])
    except DomainError:
        ratio = fitted.bulk_ratio
    return replace(fitted, words=words, bulk_ratio=ratio)


def _as_cook(recipe: Recipe, row: dict[str, str]) -> dict[str, float]:
    charge = float(row["charge_pct_naoh_on_wood"])
    used = alkali_consumed_pct(
        charge_pct_naoh_on_wood=charge,
        residual_kg_per_m3_as_naoh=float(row["residual"]),
        liquor_to_wood=recipe.liquor_to_wood,
    )
    return {
        "factor": float(row["factor"]),
        "kappa": float(row["kappa"]),
        "alkali_pct_na2o": charge_as_na2o(charge_pct_naoh_on_wood=charge),
        "charge_pct": charge,
        "sulphidity": float(row["sulphidity"]),
        "yield_pct": float(row["yield_pct"]),
        "used_pct": used,
    }


def _forecast(
    world: World, recipe: Recipe, relation: Relation, row: dict[str, str], at: datetime, *, with_kinetics: bool
) -> Forecast:
    charge, factor = float(row["charge_pct_naoh_on_wood"]), float(row["factor"])
    na2o = charge_as_na2o(charge_pct_naoh_on_wood=charge)
    kappa = float(relation.kappa_at(relation.place(max(factor, 2.0), na2o)))
    said = relation.origin
    band = relation.band(Datum(factor, said), Datum(na2o, said)).value
    wet = float(row["moisture_frac"])
    wood = float(row["chips_t"]) * (1 - wet)
    liquor = float(row["liquor_m3"]) + float(row["fill_m3"])
    ratio = liquor / wood + wet / (1 - wet) + recipe.condensate_t_per_bdt
    cooked = _cooked(recipe, relation, row, factor, ratio) if with_kinetics else None
    return Forecast(
        world=world,
        number=int(row["number"]),
        at=at,
        relation_version=relation.version,
        relation_words=relation.words,
        factor=factor,
        charge_pct_naoh_on_wood=charge,
        sulphidity_frac=float(row["sulphidity"]) if recipe.practice.has_sulphide else None,
        liquor_to_wood=ratio,
        kappa=kappa,
        half_kappa=band,
        yield_pct=relation.reference_yield_pct + relation.slope_pct * (kappa - relation.reference_kappa),
        residual_kg_per_m3_as_naoh=10 * (charge - relation.used_pct) / ratio,
        kinetic_kappa=cooked.kappa if cooked else None,
        kinetic_yield_pct=cooked.total_yield_pct if cooked else None,
        kinetic_residual_kg_per_m3_as_naoh=cooked.residual_kg_per_m3_as_naoh if cooked else None,
        apart_c=float(row["apart_c"]),
    )


def _cooked(recipe: Recipe, relation: Relation, row: dict[str, str], factor: float, ratio: float) -> Any:
    times, celsius = profile_to_h(planned_profile(recipe, 900.0), factor)
    given: dict[str, Any] = {
        "times_min": times,
        "temperatures_c": celsius.clip(60, 185),
        "effective_alkali_pct_naoh_on_wood": float(row["charge_pct_naoh_on_wood"]),
        "liquor_to_wood": ratio,
        "species": recipe.wood,
        "bulk_ratio": relation.bulk_ratio,
    }
    if recipe.practice.has_sulphide:
        return simulate_kraft(sulphidity_frac=float(row["sulphidity"]), **given)
    return simulate_soda(**given)
