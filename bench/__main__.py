"""`./fox bench`: speeds as ratios within one run, so that another machine can compare."""

import os
import shutil
import sqlite3
import sys
import time
from collections.abc import Callable
from datetime import UTC, datetime
from pathlib import Path
from statistics import median
from typing import Any

import django

from bench.core import bleaching, chip_blend, kinetics, living_plant, relation, washing_and_cascade
from bench.measure import best, report

MILL = Path(__file__).resolve().parents[1] / "mills" / "hallin_reach.yaml"


def balance() -> None:
    """Whole-line balance against a bare sparse solve of the same matrix."""
    from scipy.sparse.linalg import splu

    from stock.line.balance import LineBalance, Order
    from stock.line.load import load_definition

    line = load_definition(MILL)
    solver = LineBalance(line)
    grade = line.grades[0]
    passes = solver.solve(Order.of(grade)).passes
    matrix, right = solver.matrix(Order.of(grade))
    bare = best(lambda: splu(matrix, permc_spec="NATURAL").solve(right), 40)
    tonnes = iter(range(10**9))
    ours = best(lambda: solver.solve(Order.of(grade, 8 + next(tonnes) % 50 / 10)), 40)
    report("whole-line balance, other tonnes", ours, bare, "at most 3")
    names = list(grade.shares)
    turn = iter(range(10**9))

    def other_recipe() -> None:
        shift = 0.01 * (next(turn) % 5)
        shares = {**grade.shares, names[0]: grade.shares[names[0]] - shift, names[1]: grade.shares[names[1]] + shift}
        solver.solve(Order.of(grade, 12.0, shares))

    report("whole-line balance, another recipe", best(other_recipe, 15), bare, "(tanks settle)")
    print(
        f"{'':44} {matrix.shape[0]} unknowns, {matrix.nnz} entries; the first solve of a line settles in {passes} passes"
    )


def methods() -> None:
    """A method with nobody recording against the bare function."""
    import numpy as np

    from stock.book import METHODS

    scalar = METHODS["bd_rate_t_per_h"]
    given = {"flow_l_per_min": 5200.0, "consistency_pct": 3.6}
    bare = best(lambda: scalar.bare(**given), 30, 20_000)
    ours = best(lambda: scalar.call(**given), 30, 20_000)
    report("scalar method, 3 arguments", ours, bare, f"+1.5 µs at most, is +{(ours - bare) * 1e6:.2f}", 1e6, "µs")
    for name, values in (
        ("h_rate", {"temperature_c": np.linspace(80, 170, 100_000)}),
        ("km_k_over_s", {"reflectance_frac": np.linspace(0.2, 0.9, 100_000)}),
    ):
        method = METHODS[name]
        bare = best(lambda: method.bare(**values), 40, 5)  # noqa: B023
        ours = best(lambda: method.call(**values), 40, 5)  # noqa: B023
        report(f"array method, 100 000 values, {name}", ours, bare, "at most 1.1", 1e6, "µs")


def pages() -> None:
    """Line and Cook against an empty signed-in view, with query counts."""
    from django.db import connection
    from django.http import HttpRequest, HttpResponse
    from django.test import Client
    from django.test.utils import CaptureQueriesContext
    from django.urls import path

    import desk.urls
    from desk.floor import pulse
    from desk.floor.state import State
    from desk.frame.page import on_line, page
    from desk.people.models import Person

    def empty_view(request: HttpRequest, state: State) -> HttpResponse:
        return page(request, state, "components/_empty.html", {"sentence": ""})

    desk.urls.urlpatterns[:0] = [
        path("nothing/", lambda request: HttpResponse(str(request.user.pk))),
        path("<slug:world_slug>/empty/", on_line(empty_view)),
    ]
    client = Client(headers={"host": "localhost"})
    client.force_login(Person.objects.get(username="orr"))
    addresses = (("Line", "/live/"), ("Cook, 8 digesters live", "/live/cook/9005/"), ("Yard", "/live/at/yard/"))
    for address in ("/nothing/", "/live/empty/", *(address for _, address in addresses)):
        for _ in range(10):  # what is read for the first time after the year was written is not the page's doing
            assert client.get(address).status_code == 200
    nothing = best(lambda: client.get("/nothing/"), 60)
    empty = best(lambda: client.get("/live/empty/"), 60)
    report("the frame from a warm pulse", empty, nothing, "at most 4; bare is a signed-in reply of one word")
    live = {"HX-Request": "true", "HX-Target": "div#desk"}
    tag = client.get("/live/", headers=live)["HX-PTag"]
    unchanged = {**live, "HX-PTag": tag}
    assert client.get("/live/", headers=unchanged).status_code == 304
    report(
        "a refresh that changes nothing",
        best(lambda: client.get("/live/", headers=unchanged), 60),
        nothing,
        "at most 1.5",
    )
    for name, address in addresses:
        with CaptureQueriesContext(connection) as queries:
            client.get(address)
        count = len(queries)
        ours = best(lambda: client.get(address), 40)  # noqa: B023
        report(f"page {name}, {count} queries", ours, empty, "12 queries, at most 3")

    def cold() -> None:
        pulse.forget()
        client.get("/live/")

    report("page Line with nothing remembered", best(cold, 20), empty, "(once a process)")
    kept = [after_an_entry(client, number) for number in range(20)]
    report("page Line after an entry", median(sorted(kept)[:10]), empty, "(once an entry and process)")


def after_an_entry(client: Any, number: int) -> float:
    """Keep a reading, and return how long the first page after it takes, seconds."""
    from desk.floor import clock
    from desk.floor.models import World
    from desk.floor.services import record_reading
    from desk.people.models import Person

    world, person = World.objects.get(slug="live"), Person.objects.get(username="sundby")
    at = clock.now()
    record_reading(
        world, person, "furnish_freeness", 380.0 + number, at=at, form_key=f"bench-{number}-{at.timestamp()}"
    )
    start = time.perf_counter()
    assert client.get("/live/").status_code == 200
    return time.perf_counter() - start


def eight_digesters(folder: Path) -> Path:
    """Write the demonstration mill with three more kraft digesters and their instruments."""
    import yaml

    raw = yaml.safe_load(MILL.read_text(encoding="utf-8"))
    digesters = raw["cook"]["digesters"]
    read = [tag for tag in raw["tags"] if tag["of"] == digesters[0]["id"]]
    for number in (6, 7, 8):
        named = f"digester_{number}"
        raw["tags"] += [
            {**tag, "id": f"{named}_{tag['reads']}", "of": named, "name": f"{tag['reads']} {number}"} for tag in read
        ]
        digesters.append({**digesters[0], "id": named, "number": number})
    path = folder / "eight.yaml"
    path.write_text(yaml.safe_dump(raw, allow_unicode=True, sort_keys=False), encoding="utf-8")
    shutil.copy(MILL.with_name(f"{MILL.stem}.demo.yaml"), folder / "eight.demo.yaml")
    return path


def a_cook_in_each(now: datetime) -> None:
    """Start a cook in every digester, minutes apart, with a reading a minute from each instrument."""
    from datetime import timedelta

    import numpy as np

    from desk.floor.models import Cook, World
    from desk.floor.services import store_samples
    from desk.mill.selectors import line_of
    from stock.cooking.schedule import planned_profile

    world = World.objects.get(slug="live")
    house = line_of(world.version).cook
    rows = []
    for index, digester in enumerate(house.digesters):
        recipe = house.recipe(digester.recipes[0])
        started = now - timedelta(minutes=10 + 18 * index)
        charge = recipe.alkali.charge_pct_naoh_on_wood
        Cook.objects.create(
            world=world,
            number=9001 + index,
            digester=digester.number,
            recipe=recipe.id,
            started_at=started,
            charge_pct_naoh_on_wood=charge,
            kappa_target=recipe.kappa_target,
        )
        minutes = np.arange(0.0, 10 + 18 * index + 1)
        celsius = np.interp(minutes, *planned_profile(recipe, 200.0))
        for tag, less in ((digester.temperature, 0.0), (digester.bottom, 0.4)):
            if tag:
                rows += [
                    (tag, int(started.timestamp() + 60 * at) + 1, float(value) - less)
                    for at, value in zip(minutes, celsius, strict=True)
                ]
    store_samples(world.pk, rows)


def a_year_of_lots() -> None:
    """Copy sixty days five times over: the Yard with a year of lots, draws and samples behind it."""
    from datetime import timedelta

    from desk.floor.models import World
    from desk.stations.yard.models import Classification, Lot, Movement, Op

    world = World.objects.get(slug="live")
    lots, ops = list(Lot.objects.filter(world=world)), list(Op.objects.filter(world=world))
    moves: dict[int, list[Movement]] = {}
    for move in Movement.objects.all():
        moves.setdefault(move.op_id, []).append(move)
    classes = list(Classification.objects.filter(world=world))
    for turn in range(1, 6):
        back = timedelta(days=61 * turn)
        for lot in lots:
            lot.pk, lot.number, lot.ticket = None, f"{turn}{lot.number}", f"{turn}{lot.ticket}"
            lot.received_at, lot.form_key = lot.received_at - back / turn, f"{turn}{lot.form_key}"
        Lot.objects.bulk_create(lots, batch_size=500)
        for op in ops:
            op.from_at, op.to_at = op.from_at - back / turn, op.to_at - back / turn
        copies = [
            Op(world=world, kind=op.kind, pile=op.pile, to_pile=op.to_pile, bdt=op.bdt, from_at=op.from_at, to_at=op.to_at,
               source=op.source, form_key=f"{turn}-{op.pk}")
            for op in ops
        ]  # fmt: skip
        Op.objects.bulk_create(copies, batch_size=500)
        Movement.objects.bulk_create(
            [
                Movement(op=copy, pile=move.pile, lot_number=f"{turn}{move.lot_number}", kind=move.kind, bdt=move.bdt)
                for op, copy in zip(ops, copies, strict=True)
                for move in moves.get(op.pk, [])
            ],
            batch_size=2000,
        )
        for row in classes:
            row.pk, row.at, row.form_key = None, row.at - back / turn, f"{turn}{row.form_key}"
        Classification.objects.bulk_create(classes, batch_size=500)
    print(
        f"{'':44} a year: {Lot.objects.count()} lots, {Op.objects.count()} operations, {Movement.objects.count()} movements"
    )


def ingest() -> None:
    """Readings through our path against raw executemany into the same table."""
    from django.conf import settings

    from desk.floor.models import World
    from desk.floor.services import store_samples

    world = World.objects.get(slug="live")
    rows = [(f"tag_{index % 100}", 10_000 + index // 100, 3.5) for index in range(100_000)]
    raw_path = settings.VAR / "raw.sqlite3"
    starts = iter(range(10**9))

    def shifted() -> list[tuple[str, int, float]]:
        start = next(starts) * 1000
        return [(tag, at_s + start, value) for tag, at_s, value in rows]

    raw = sqlite3.connect(raw_path)
    raw.executescript(
        "PRAGMA journal_mode=WAL;PRAGMA synchronous=NORMAL;"
        "CREATE TABLE t (world_id, tag, at_s, value, PRIMARY KEY (world_id, tag, at_s)) WITHOUT ROWID"
    )

    def timed(write: Callable[[list[tuple[str, int, float]]], object]) -> float:
        times = []
        for _ in range(7):
            batch = shifted()
            start = time.perf_counter()
            write(batch)
            times.append(time.perf_counter() - start)
        return sorted(times)[2] / len(rows)

    def write_raw(batch: list[tuple[str, int, float]]) -> None:
        values = [(1, *row) for row in batch]
        with raw:
            raw.executemany("INSERT OR IGNORE INTO t VALUES (?, ?, ?, ?)", values)

    bare = timed(write_raw)
    ours = timed(lambda batch: store_samples(world.pk, batch))
    print(
        f"{'ingest, rows a second':44} {1 / ours:9.0f}      bare {1 / bare:9.0f}      ratio {bare / ours:5.2f}  aim at least 0.5"
    )


def typed() -> None:
    """Measure what writing through to the disk costs an entry: synchronous FULL beside NORMAL."""
    from django.db import connection

    from desk.floor.models import World
    from desk.floor.services import record_reading
    from desk.people.models import Person

    world, person = World.objects.select_related("version").get(slug="live"), Person.objects.get(username="orr")
    now, count = clock_now(), iter(range(10_000))

    def enter() -> None:
        record_reading(world, person, "wash_loss", 17.5, at=now, form_key=f"bench-{next(count)}")

    took = {}
    for mode in ("NORMAL", "FULL"):
        with connection.cursor() as cursor:
            cursor.execute(f"PRAGMA synchronous={mode}")
        took[mode] = best(enter, 5, 20)
    report("an entry kept, synchronous FULL", took["FULL"], took["NORMAL"], "the cost of losing nothing with the power")


def clock_now() -> datetime:
    """Return the bench's moment."""
    from desk.floor import clock

    return clock.now()


def copying(now: datetime) -> None:
    """Measure a copy and a restore of a year of lots and cooks with a month of instrument values, one a minute."""
    from django.conf import settings

    from desk.floor.models import World
    from desk.floor.services import store_samples
    from desk.keep.copies import open_copy, take
    from desk.mill.selectors import line_of

    world = World.objects.select_related("version").get(slug="live")
    tags = [tag.id for tag in line_of(world.version).tags if tag.live]
    end = int(now.timestamp()) - 40 * 86_400
    for tag in tags:
        store_samples(world.pk, [(tag, end - 60 * index, 50.0 + index % 7) for index in range(30 * 1440)])
    database, folder = Path(settings.DATABASES["default"]["NAME"]), settings.VAR / "copies"
    started = time.perf_counter()
    path = take(database, folder, datetime.now(UTC))
    taken = time.perf_counter() - started
    open_copy(path, folder / "again.sqlite3")
    back = time.perf_counter() - started - taken
    size = database.stat().st_size / 1e6
    print(
        f"{'copy and restore, each checked':44} {taken:9.1f} s    back {back:8.1f} s"
        f"    {size:.0f} MB, {len(tags) * 30 * 1440} values; aim under 60 s"
    )


def main() -> None:
    """Load a demonstration of its own, then measure; with a word, only what needs the desk."""
    from django.conf import settings

    shutil.rmtree(settings.VAR, ignore_errors=True)
    settings.VAR.mkdir(parents=True)
    (settings.VAR / "static").mkdir()
    now = datetime(2026, 3, 10, 14, 30, tzinfo=UTC)
    os.environ["FOX_NOW"] = now.isoformat()
    mill = eight_digesters(settings.VAR)
    from django.core.management import call_command

    from bench.screens import screens

    call_command("migrate", verbosity=0)
    prepare(mill, settings.VAR / "history" / mill.stem, now)
    call_command("load_demo", f"--mill={mill}", history=settings.VAR / "history", anchor=now.timestamp())
    print()
    if len(sys.argv) < 2:
        balance()
        methods()
        chip_blend()
        kinetics()
        living_plant()
        relation()
        washing_and_cascade()
        bleaching()
    a_cook_in_each(now)
    a_year_of_lots()
    if "soak" in sys.argv:
        screens(int(now.timestamp()), int(os.environ["FOX_SCREENS"]), 60 * float(os.environ["FOX_MINUTES"]))
        return
    pages()
    ingest()
    typed()
    copying(now)
    screens(int(now.timestamp()))


def prepare(mill: Path, folder: Path, now: datetime) -> None:
    """Write the stand-in's past."""
    from standin.__main__ import write_history
    from standin.plant import Plant
    from stock.line.load import load_definition
    from stock.line.story import story_beside

    line = load_definition(mill)
    write_history(Plant(line, 20, now.timestamp(), story_beside(MILL, line)), folder, 14.0)


if __name__ == "__main__":
    os.environ.setdefault("DJANGO_SETTINGS_MODULE", "desk.settings.demo")
    django.setup()
    main()
