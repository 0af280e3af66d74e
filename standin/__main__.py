"""`python -m standin history|serve`: write the past as CSV, or serve the present over OPC UA."""

import argparse
import asyncio
import csv
import logging
import time
from datetime import timedelta
from pathlib import Path

from asyncua import Server, ua

from standin.digesters import COLUMNS, COUNTED
from standin.laboratory import FIELDS, device_files, titrations
from standin.plant import Plant
from standin.workshop import write_hand_cooks
from standin.yard import YardRun, belt_files, belt_rates, gate_files
from stock.line.load import load_definition
from stock.line.story import story_beside

NAMESPACE = "urn:fox-vat:standin"
EVERY_S = 5.0
HISTORY_KEPT = 4000  # values of each node, for a collector that was away


def write_history(plant: Plant, folder: Path, hours: float, days: float = 60.0) -> None:
    """Write what instruments, laboratory, digesters and yard would have seen up to the anchor, thinned with age."""
    folder.mkdir(parents=True, exist_ok=True)
    end = plant.anchor_s
    with (folder / "instruments.csv").open("w", newline="", encoding="utf-8") as file:
        csv.writer(file).writerows([("tag", "at_s", "value"), *plant.thinned(end - days * 86_400, end, hours)])
    readings = list(plant.laboratory(end - days * 86_400, end))
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


def drop_files(plant: Plant, run: YardRun | None, folder: Path, from_s: float, to_s: float) -> None:
    """Leave what gate, belts and laboratory devices have to say of a span in the folder, each file whole at once."""
    folder.mkdir(parents=True, exist_ok=True)
    since = max(from_s, plant.anchor_s + 1)
    files = list(device_files(plant, since, to_s))
    if run is not None:
        files += gate_files(run.yard, plant.seed, plant.anchor_s, from_s, to_s)
        files += belt_files(belt_rates(run), plant.anchor_s, since, to_s)
    for name, text in files:
        if not any((folder / place / name).exists() for place in ("", "taken", "aside")):
            part = folder / f"{name}.part"
            part.write_text(text, encoding="utf-8")
            part.replace(folder / name)


async def serve(plant: Plant, endpoint: str, drop: Path | None, days: float) -> None:
    """Serve every live tag, and the cook in each digester, and drop the yard's files, until stopped."""
    run = yard_run(plant, days)
    dropped_s = plant.anchor_s + 1
    server = Server()
    await server.init()
    server.set_endpoint(endpoint)
    server.set_security_policy([ua.SecurityPolicyType.NoSecurity])
    index = await server.register_namespace(NAMESPACE)
    folder = await server.nodes.objects.add_folder(ua.NodeId("Line", index), "Line")
    nodes = {}
    for tag in plant.tags:
        nodes[tag.id] = await folder.add_variable(ua.NodeId(tag.id, index), tag.id, plant.value(tag, time.time()))
    batches = {}
    for one in plant.line.cook.digesters:
        name = f"digester_{one.number}_cook"
        node = await folder.add_variable(ua.NodeId(name, index), name, [0.0] * COUNTED)
        if one.number in plant.digesters.numbers:
            batches[one.number] = node
    async with server:
        kept = [*nodes.values(), *batches.values()]
        await server.historize_node_data_change(kept, period=timedelta(hours=6), count=HISTORY_KEPT)
        while True:
            now = time.time()
            for tag in plant.tags:
                await nodes[tag.id].write_value(plant.value(tag, now))
            for digester, node in batches.items():
                await node.write_value(plant.digesters.batch(digester, now))
            if drop is not None:
                drop_files(plant, run, drop, max(dropped_s, now - 86_400), now)
                dropped_s = max(dropped_s, now - 60)
            await asyncio.sleep(EVERY_S)


def main() -> None:
    """Parse and run."""
    parser = argparse.ArgumentParser(prog="standin", description="The simulated plant of the demonstration.")
    parser.add_argument("action", choices=("history", "serve"))
    parser.add_argument("--mill", type=Path, required=True)
    parser.add_argument("--anchor", type=float, required=True, help="moment the demonstration opened, epoch seconds")
    parser.add_argument("--seed", type=int, default=20)
    parser.add_argument("--folder", type=Path, help="where history writes its CSV")
    parser.add_argument("--hours", type=float, default=14.0, help="of the past, a value a minute")
    parser.add_argument("--days", type=float, default=60.0, help="how far the past goes back")
    parser.add_argument("--drop", type=Path, help="folder where gate and belts leave their files")
    parser.add_argument("--endpoint", default="opc.tcp://127.0.0.1:4855")
    arguments = parser.parse_args()
    line = load_definition(arguments.mill)
    plant = Plant(line, arguments.seed, arguments.anchor, story_beside(arguments.mill, line))
    if arguments.action == "history":
        write_history(plant, arguments.folder, arguments.hours, arguments.days)
        return
    logging.getLogger("asyncua").setLevel(logging.ERROR)
    try:
        asyncio.run(serve(plant, arguments.endpoint, arguments.drop, arguments.days))
    except (KeyboardInterrupt, asyncio.CancelledError):
        return


if __name__ == "__main__":
    main()
