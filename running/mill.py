"""A mill's own desk: made, kept running, copied, put back."""

import argparse
import getpass
import os
import socket
import sys
import time
from pathlib import Path

from running.lock import AlreadyRunningError, FolderLock
from running.place import PYTHON, ROOT, manage, run, say, stop
from running.settings import Settings, SettingsError, read_settings
from running.supervisor import Part, Supervisor
from running.web import wait_for, web_part


def _settings(arguments: argparse.Namespace) -> Settings:
    """Return the mill's settings, or leave saying what is wrong with them."""
    try:
        found = read_settings(Path(arguments.settings))
    except SettingsError as error:
        for fault in error.faults:
            print(f"fox: {fault}", file=sys.stderr)
        sys.exit(2)
    os.umask(0o077)  # what the desk keeps is the desk's alone
    found.folder.mkdir(parents=True, exist_ok=True, mode=0o700)
    return found


def serve(arguments: argparse.Namespace) -> int:
    """Run the desk until told to end: application, collectors, file pick-up, backups."""
    settings = _settings(arguments)
    try:
        with FolderLock(settings.folder):
            return _serve(settings)
    except AlreadyRunningError as error:
        stop(str(error))


def _serve(settings: Settings) -> int:
    env = settings.env()
    if not (settings.folder / "fox.sqlite3").exists():
        stop(f"there is no desk in {settings.folder} yet; make one with ./fox new")
    with socket.socket() as probe:
        probe.setsockopt(socket.SOL_SOCKET, socket.SO_REUSEADDR, 1)
        try:
            probe.bind((settings.host, settings.port))
        except OSError:
            stop(f"port {settings.port} on {settings.host} is taken")
    parts = [web_part(settings.host, settings.port, settings.workers)]
    python = str(PYTHON)
    for line in settings.lines:
        name = ["--world", line.world]
        if line.endpoint:
            where = ["--endpoint", line.endpoint, "--namespace", line.namespace]
            parts.append(
                Part(f"collector-{line.world}", "The collector", [python, "manage.py", "collect", *name, *where])
            )
        if line.drop:
            command = [python, "manage.py", "pick_up", *name, "--drop", line.drop]
            parts.append(Part(f"files-{line.world}", "The file pick-up", command))
    parts += [
        Part(f"ahead-{line.world}", "The look ahead", [python, "manage.py", "look_ahead", "--world", line.world])
        for line in settings.lines
    ]
    if settings.backup_folder is not None:
        command = [python, "manage.py", "backup", "--to", str(settings.backup_folder)]
        command += ["--every-h", str(settings.backup_every_h), *(["--encrypt"] if settings.encrypt else [])]
        parts.append(Part("backup", "The backup", command))
    supervisor = Supervisor(parts, settings.folder, env, ROOT, say)
    supervisor.listen()
    upgrade(settings, env)
    if supervisor.ending:
        return 0
    supervisor.start(needed_alone=True)
    try:
        if not wait_for(settings.host, settings.port, supervisor):
            stop(f"the application did not start; see {settings.folder / 'logs' / 'web.log'}")
        supervisor.start()
        say(f"Fox Vat answers on {settings.host}:{settings.port} for {', '.join(settings.hosts)}.")
        supervisor.watch()
        say("Ending.")
    finally:
        supervisor.stop()
    return 0


def upgrade(settings: Settings, env: dict[str, str]) -> None:
    """Bring an older database to this version, after a copy of it; refuse a newer one."""
    state = run(PYTHON, "manage.py", "schema", env=env, check=False)
    if state == 3:
        stop("the database was made by a newer version of Fox Vat; run that one, or restore a copy from before")
    if state == 5:
        stop("the database is too old for this version of Fox Vat; start the version before it once, then this one")
    if state == 4:
        before = settings.folder / "before-upgrade"
        say(f"The database is of an earlier version. Copying it to {before} first.")
        manage("backup", "--to", before, env=env)
        manage("migrate", "-v", "0", env=env)
    elif state:
        sys.exit(state)


def new(arguments: argparse.Namespace) -> int:
    """Make a line from its definition, its first engineer, and people from a list."""
    settings = _settings(arguments)
    try:
        with FolderLock(settings.folder):
            env = settings.env()
            upgrade_first = (settings.folder / "fox.sqlite3").exists()
            if upgrade_first:
                upgrade(settings, env)
            else:
                manage("migrate", "-v", "0", env=env)
            words: list[object] = ["new_line", "--mill", arguments.mill, "--world", arguments.world]
            words += ["--people", arguments.people] if arguments.people else []
            engineer = arguments.engineer or (None if upgrade_first else _asked("Username of the first engineer: "))
            words += ["--engineer", engineer] if engineer else []
            secret = {} if not engineer else {"FOX_FIRST_PASSWORD": _password()}
            manage(*words, env={**env, **secret})
    except AlreadyRunningError as error:
        stop(str(error))
    say("Made. Start it with ./fox serve")
    return 0


def _asked(words: str) -> str:
    try:
        return input(words).strip() or stop("a name is needed")
    except EOFError:
        stop("a name is needed: give --engineer")


def _password() -> str:
    if given := os.environ.get("FOX_FIRST_PASSWORD"):
        return given
    try:
        return getpass.getpass("Their first password (changed at the first sign-in): ")
    except EOFError:
        stop("a first password is needed: type it, or set FOX_FIRST_PASSWORD")


def backup(arguments: argparse.Namespace) -> int:
    """Write a verified copy while the desk runs."""
    settings = _settings(arguments)
    to = arguments.to or settings.backup_folder
    if to is None:
        stop("no folder to copy to: give --to, or backup_folder in the settings")
    words = ["backup", "--to", to, *(["--encrypt"] if arguments.encrypt or settings.encrypt else [])]
    return run(PYTHON, "manage.py", *words, env=settings.env(), check=False)


def restore(arguments: argparse.Namespace) -> int:
    """Check a copy, say what is in it, and put it in place; --drill only tries it."""
    settings = _settings(arguments)
    words: list[object] = ["restore", "--to", settings.folder]
    if arguments.file:
        words += [arguments.file]
    elif settings.backup_folder is not None:
        words += ["--from", settings.backup_folder, *(["--at", arguments.at] if arguments.at else [])]
    else:
        stop("no copy named, and the settings have no backup_folder")
    if arguments.drill:
        started = time.monotonic()
        status = run(PYTHON, "manage.py", *words, "--drill", env=settings.env(), check=False)
        if not status:
            say(f"The drill took {time.monotonic() - started:.1f} s; nothing was put in place.")
        return status
    try:
        with FolderLock(settings.folder):
            return run(PYTHON, "manage.py", *words, env=settings.env(), check=False)
    except AlreadyRunningError as error:
        stop(str(error))
