"""`python -m standin history|serve`: write the past as CSV, or serve the present over OPC UA."""

import argparse
import asyncio
import csv
import logging
import sys
from pathlib import Path

from standin.digesters import COLUMNS
from standin.laboratory import FIELDS, device_files, titrations
from standin.living import Living
from standin.past import MOVES, Past
from standin.plant import Plant
from standin.served import serve, state_file
from standin.sick import listed, switch
from standin.washing import MATS, ROUNDS, TRAPS, mats, rounds, traps
from standin.workshop import write_hand_cooks
from standin.yard import YardRun, belt_files, belt_rates, gate_files
from stock.errors import DomainError
from stock.line.definition import DefinitionError
from stock.line.load import load_definition
from stock.line.story import story_beside


def write_history(plant: Plant, folder: Path, hours: float, days: float = 60.0) -> None:
    """Write what instruments, laboratory, digesters and yard would have seen up to the anchor, thinned with age."""
    folder.mkdir(parents=True, exist_ok=True)
    end = plant.anchor_s
    past = Past(plant, 24 * days, hours) if plant.tags else None
    with (folder / "instruments.csv").open("w", newline="", encoding="utf-8") as file:
        csv.writer(file).writerows([("tag", "at_s", "value"), *plant.thinned(end - days * 86_400, end, hours, past)])
    readings = list(plant.laboratory(end - days * 86_400, end, past))
    with (folder / "laboratory.csv").open("w", newline="", encoding="utf-8") as file:
        csv.writer(file).writerows([("tag", "at_s", "value"), *readings])
    with (folder / "titrations.csv").open("w", newline="", encoding="utf-8") as file:
        titrated = csv.DictWriter(file, FIELDS)
        titrated.writeheader()
        titrated.writerows(titrations(plant.line, readings, plant.seed))
    with (folder / "cooks.csv").open("w", newline="", encoding="utf-8") as file:
        cooks = csv.DictWriter(file, COLUMNS)
        cooks.writeheader()
        cooks.writerows(plant.digesters.history(end - days * 86_400, end))
    if past is not None:
        with (folder / "moves.csv").open("w", newline="", encoding="utf-8") as file:
            moves = csv.DictWriter(file, MOVES)
            moves.writeheader()
            moves.writerows(past.moves())
    for name, columns, rows in (
        ("wash_rounds", ROUNDS, rounds(plant.line, plant.story, plant.seed, end)),
        ("wash_mats", MATS, mats(plant.line, plant.story, plant.seed, end)),
        ("traps", TRAPS, traps(plant.line, plant.flows, plant.seed, end)),
    ):
        with (folder / f"{name}.csv").open("w", newline="", encoding="utf-8") as file:
            table = csv.DictWriter(file, columns)
            table.writeheader()
            table.writerows(rows)
    write_hand_cooks(plant.line, plant.story, folder, plant.seed, end, days)
    run = yard_run(plant, days)
    if run is not None:
        run.told.write(folder)
    if plant.tags:
        (folder / "live").touch()
    drop_files(plant, run, folder / "drop", end - 40 * 60, end)


def yard_run(plant: Plant, days: float) -> YardRun | None:
    """March the yard of a line up to the anchor; None where it has none."""
    if plant.line.yard is None:
        return None
    run = YardRun(plant.line, plant.seed, plant.anchor_s, days, plant.story)
    run.run()
    return run


def drop_files(
    plant: Plant, run: YardRun | None, folder: Path, from_s: float, to_s: float, living: Living | None = None
) -> None:
    """Leave what gate, belts and laboratory devices have to say of a span in the folder, each file whole at once."""
    folder.mkdir(parents=True, exist_ok=True)
    since = max(from_s, plant.anchor_s + 1)
    files = list(device_files(plant, since, to_s, None if living is None else living.known_between(since, to_s)))
    if living is not None:
        files += living.bench.files(since, to_s)
    if run is not None:
        files += gate_files(run.yard, plant.seed, plant.anchor_s, from_s, to_s)
        files += belt_files(belt_rates(run), plant.anchor_s, since, to_s)
    for name, text in files:
        if not any((folder / place / name).exists() for place in ("", "taken", "aside")):
            part = folder / f"{name}.part"
            part.write_text(text, encoding="utf-8")
            part.replace(folder / name)


def main() -> None:
    """Parse and run."""
    parser = argparse.ArgumentParser(prog="standin", description="The simulated plant of the demonstration.")
    parser.add_argument("action", choices=("history", "serve", "fault"))
    parser.add_argument(
        "words", nargs="*", help="of a fault: KIND PLACE [name=value ...], or mend NUMBER; none to list"
    )
    parser.add_argument("--mill", type=Path, required=True)
    parser.add_argument("--anchor", type=float, default=0.0, help="moment the demonstration opened, epoch seconds")
    parser.add_argument("--seed", type=int, default=20)
    parser.add_argument("--folder", type=Path, help="where history writes its CSV")
    parser.add_argument("--hours", type=float, default=14.0, help="of the past, a value a minute")
    parser.add_argument("--days", type=float, default=60.0, help="how far the past goes back")
    parser.add_argument("--drop", type=Path, help="folder where gate and belts leave their files")
    parser.add_argument("--endpoint", default="opc.tcp://127.0.0.1:4855")
    arguments = parser.parse_args()
    logging.getLogger("asyncua").setLevel(logging.ERROR)
    try:
        _run(arguments)
    except DefinitionError as error:
        sys.exit("\n  ".join([f"{arguments.mill}: {len(error.faults)} fault(s)", *error.faults]))
    except DomainError as error:  # it reads well and cannot run
        sys.exit(f"{arguments.mill}: {error.message}")


def _run(arguments: argparse.Namespace) -> None:
    line = load_definition(arguments.mill)
    if arguments.action == "fault":
        status, said = switch(arguments.endpoint, arguments.words) if arguments.words else (0, listed(line))
        print(said)
        sys.exit(status)
    plant = Plant(line, arguments.seed, arguments.anchor, story_beside(arguments.mill, line))
    if arguments.action == "history":
        write_history(plant, arguments.folder, arguments.hours, arguments.days)
        return
    try:
        run = yard_run(plant, arguments.days)
        living = Living(plant, state_file(arguments.drop))

        def drop(from_s: float, to_s: float) -> None:
            drop_files(plant, run, arguments.drop, from_s, to_s, living)

        asyncio.run(serve(living, arguments.endpoint, None if arguments.drop is None else drop))
    except (KeyboardInterrupt, asyncio.CancelledError):
        return


if __name__ == "__main__":
    main()
