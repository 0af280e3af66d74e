"""The demonstration: a database of its own, a plant to read, and every part kept running."""

import argparse
import hashlib
import json
import shutil
import socket
import time
from concurrent.futures import ThreadPoolExecutor
from pathlib import Path

from running.lock import AlreadyRunningError, FolderLock
from running.place import PYTHON, ROOT, VAR, manage, run, say, stop
from running.supervisor import Part, Supervisor
from running.web import wait_for, web_part

MILLS = ("mills/hallin_reach.yaml", "mills/tidewater_bench.yaml")
FORMAT = 4  # of what a demonstration keeps; raised when an older one cannot be read any more
PLANT_NAMESPACE = "urn:fox-vat:standin"


def demo(arguments: argparse.Namespace) -> int:
    """Start application, plants, collectors and file pick-up; Ctrl-C ends them all."""
    folder = VAR / "demo"
    mills = [str(Path(mill).resolve()) for mill in arguments.mill or ()] or list(MILLS)
    if missing := [mill for mill in mills if not (ROOT / mill).is_file()]:
        stop(f"there is no file {missing[0]}")
    try:
        with FolderLock(folder):
            return _run(arguments, folder, mills)
    except AlreadyRunningError as error:
        stop(str(error))


def _run(arguments: argparse.Namespace, folder: Path, mills: list[str]) -> int:
    hosts = ",".join(dict.fromkeys(["localhost", "127.0.0.1", "[::1]", arguments.host]))
    env = {"FOX_VAR": str(folder), "DJANGO_SETTINGS_MODULE": "desk.settings.demo", "FOX_HOSTS": hosts}
    with socket.socket() as probe:
        probe.setsockopt(socket.SOL_SOCKET, socket.SO_REUSEADDR, 1)
        try:
            probe.bind((arguments.host, arguments.port))
        except OSError:
            stop(f"port {arguments.port} on {arguments.host} is taken; choose another with --port")
    if arguments.fresh and folder.exists():
        shutil.rmtree(folder)
    parts = [web_part(arguments.host, arguments.port, workers=2)]
    supervisor = Supervisor(parts, folder, env, ROOT, say)
    supervisor.listen()
    anchor = prepare(folder, env, time.time(), mills)
    for mill in mills:
        parts += parts_of(mill, folder, anchor)
    if supervisor.ending:
        return 0
    supervisor.start(needed_alone=True)
    try:
        if not wait_for(arguments.host, arguments.port, supervisor):
            stop(f"the application did not start; see {folder / 'logs' / 'web.log'}")
        supervisor.start()
        shown = "localhost" if arguments.host in ("127.0.0.1", "0.0.0.0") else arguments.host  # noqa: S104
        say(f"\nFox Vat is at http://{shown}:{arguments.port}/")
        say("Sign in with one press; the demonstration's people sign with the secret 2468.")
        say("Ctrl-C ends it; what was recorded is kept (--fresh begins again).")
        supervisor.watch()
        say("\nEnding.")
    finally:
        supervisor.stop()
    return 0


def prepare(folder: Path, env: dict[str, str], anchor: float, mills: list[str]) -> float:
    """Migrate, and load the demonstration into an empty database; return the moment it opened."""
    folder.mkdir(parents=True, exist_ok=True)
    kept = folder / "demo.json"
    known = json.loads(kept.read_text(encoding="utf-8")) if kept.exists() else {}
    wanted = made_by(mills)
    if known and known.get("format") != FORMAT:
        stop(f"the demonstration in {folder} was made by an earlier version; begin again with --fresh")
    if known and known.get("mills") != mills:
        stop(f"the demonstration in {folder} is of {', '.join(known['mills'])}; begin again with --fresh")
    if known and known.get("texts") != wanted["texts"]:
        stop(f"a mill's file has changed since the demonstration in {folder} was made; begin again with --fresh")
    history = folder / "history"
    with ThreadPoolExecutor() as beside:  # what the plants did meanwhile, where there is nothing yet
        pasts = [] if known else [beside.submit(_make_past, mill, anchor, history) for mill in mills]
        if known.get("migrations") != wanted["migrations"]:
            manage("migrate", "-v", "0", env=env)
        for past in pasts:
            past.result()
    if known:
        kept.write_text(json.dumps({**known, **wanted}), encoding="utf-8")
        return float(known["anchor"])
    named = [word for mill in mills for word in ("--mill", mill)]
    manage("load_demo", *named, "--history", history, "--anchor", anchor, env=env, quiet=True)
    kept.write_text(json.dumps({"anchor": anchor, **wanted}), encoding="utf-8")
    return anchor


def _make_past(mill: str, anchor: float, history: Path) -> None:
    """Let a mill's plant run through what lies behind."""
    name = Path(mill).stem
    say(f"Making the past of {name.replace('_', ' ')}.")
    run(PYTHON, "-m", "standin", "history", "--mill", mill, "--anchor", anchor, "--folder", history / name)


def made_by(mills: list[str]) -> dict[str, object]:
    """Return what a demonstration's folder is known by: its migrations, its mills, their format."""
    names = sorted(str(path.relative_to(ROOT)) for path in ROOT.glob("desk/**/migrations/0*.py"))
    texts = [hashlib.sha256((ROOT / mill).read_bytes()).hexdigest() for mill in mills]
    migrations = hashlib.sha256("".join(names).encode()).hexdigest()
    return {"migrations": migrations, "mills": mills, "texts": texts, "format": FORMAT}


def parts_of(mill: str, folder: Path, anchor: float) -> list[Part]:
    """Return a mill's plant, collector and file pick-up; none for a line whose instruments nobody reads."""
    name = Path(mill).stem
    if not (folder / "history" / name / "live").exists():
        return []
    slug = (folder / "history" / name / "slug").read_text(encoding="utf-8").strip()
    plant, drop = f"opc.tcp://127.0.0.1:{free_port()}", str(folder / "drop" / name)
    (folder / "history" / name / "endpoint").write_text(plant + "\n", encoding="utf-8")  # for `fox fault`
    serve = ["--mill", mill, "--anchor", str(anchor), "--endpoint", plant, "--drop", drop]
    python = str(PYTHON)
    return [
        Part(f"plant-{slug}", "The plant", [python, "-m", "standin", "serve", *serve]),
        Part(
            f"collector-{slug}",
            "The collector",
            [python, "manage.py", "collect", "--world", slug, "--endpoint", plant, "--namespace", PLANT_NAMESPACE],
        ),
        Part(f"ahead-{slug}", "The look ahead", [python, "manage.py", "look_ahead", "--world", slug]),
        Part(
            f"hands-{slug}",
            "What does in the plant what is set",
            [python, "manage.py", "hands", "--world", slug, "--endpoint", plant, "--namespace", PLANT_NAMESPACE],
        ),
        Part(f"files-{slug}", "The file pick-up", [python, "manage.py", "pick_up", "--world", slug, "--drop", drop]),
    ]


def fault(arguments: argparse.Namespace) -> int:
    """Switch a fault of the running demonstration's plant on or off, or list what there is."""
    mill = str(Path(arguments.mill or MILLS[0]).resolve()) if arguments.mill else MILLS[0]
    kept = VAR / "demo" / "history" / Path(mill).stem / "endpoint"
    words: list[object] = ["-m", "standin", "fault", *arguments.words, "--mill", mill]
    if arguments.words:
        if not kept.exists():
            stop("no demonstration of that mill is running; start one with ./fox demo")
        words += ["--endpoint", kept.read_text(encoding="utf-8").strip()]
    return run(PYTHON, *words, check=False)


def free_port() -> int:
    """Return a port nobody uses."""
    with socket.socket() as probe:
        probe.bind(("127.0.0.1", 0))
        return int(probe.getsockname()[1])
