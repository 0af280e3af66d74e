"""The parts of a running desk, each in a process of its own: started, watched, started again with growing waits.

One part's end ends no other. What each part says goes to its own log, which turns over before it
grows large. How the parts stand is kept in one small file that the desk reads for its pages and for
whoever watches from outside.
"""

import contextlib
import json
import logging
import os
import signal
import subprocess
import sys
import time
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, field
from logging.handlers import RotatingFileHandler
from pathlib import Path
from threading import Thread
from typing import IO, Final

FIRST_WAIT_S: Final = 1.0
LONGEST_WAIT_S: Final = 60.0
STEADY_S: Final = 120.0  # a part that ran so long begins with short waits again
GRACE_S: Final = 8.0
LOG_BYTES, LOGS_KEPT = 1_000_000, 5


@dataclass(frozen=True, slots=True)
class Part:
    """What is started: its name, its words on pages, its command; `needed` ones must come up for the desk to start."""

    name: str
    title: str
    command: Sequence[str]
    needed: bool = False


@dataclass(slots=True)
class Run:
    """A part as it runs: its process, how often it was started again, when it may be next."""

    part: Part
    log: logging.Logger
    process: subprocess.Popen[bytes] | None = None
    started_s: float = 0.0
    restarts: int = 0
    wait_s: float = FIRST_WAIT_S
    again_s: float = 0.0
    last_words: str = ""
    reader: Thread | None = None

    def state(self) -> dict[str, object]:
        """Return how it stands, as the desk reads it."""
        running = self.process is not None
        return {
            "name": self.part.name,
            "title": self.part.title,
            "running": running,
            "pid": self.process.pid if self.process is not None else None,
            "since_s": self.started_s if running else self.again_s - self.wait_s,
            "restarts": self.restarts,
            "again_s": None if running else self.again_s,
            "said": self.last_words[:300],
        }


@dataclass(slots=True)
class Supervisor:
    """Keeps parts running until it is told to end."""

    parts: Sequence[Part]
    folder: Path
    env: Mapping[str, str]
    cwd: Path
    say: Callable[[str], None] = print
    runs: list[Run] = field(default_factory=list)
    ending: bool = False

    @property
    def state_file(self) -> Path:
        """Where how the parts stand is kept."""
        return self.folder / "parts" / "parts.json"

    def listen(self) -> None:
        """End in order at Ctrl-C, a stop, a closed terminal; set before anything is started."""

        def end(_number: int, _frame: object) -> None:
            self.ending = True

        for number in (signal.SIGTERM, signal.SIGINT, signal.SIGHUP):
            signal.signal(number, end)

    def start(self, *, needed_alone: bool = False) -> None:
        """Start every part that does not run yet; or what the desk cannot start without alone, for it to be there sooner."""
        logs = self.folder / "logs"
        logs.mkdir(parents=True, exist_ok=True)
        self.state_file.parent.mkdir(parents=True, exist_ok=True)
        if not self.runs:
            self.runs = [Run(part, _logger(logs, part.name)) for part in self.parts]
        for run in self.runs:
            if run.process is None and (run.part.needed or not needed_alone):
                self._start(run)

    def watch(self, every_s: float = 0.3) -> None:
        """Watch until told to end; start again what has ended, each after its own wait."""
        noted_s = 0.0
        try:
            while not self.ending:
                changed = [self._look(run) for run in self.runs]
                if any(changed) or time.time() - noted_s > 5:
                    self.note()
                    noted_s = time.time()
                time.sleep(every_s)
        finally:
            self.stop()

    def stop(self) -> None:
        """End every part and leave no process behind."""
        self.ending = True
        alive = [run for run in self.runs if run.process is not None]
        for run in alive:
            _signal(run, signal.SIGTERM)
        until = time.monotonic() + GRACE_S
        for run in alive:
            assert run.process is not None
            with contextlib.suppress(subprocess.TimeoutExpired):
                run.process.wait(timeout=max(0.1, until - time.monotonic()))
            _signal(run, signal.SIGKILL)  # whatever of its group is left
            run.process.wait()
            run.process = None
        self.state_file.unlink(missing_ok=True)

    def note(self) -> None:
        """Keep how the parts stand; the file is whole at any moment."""
        text = json.dumps({"at_s": time.time(), "pid": os.getpid(), "parts": [run.state() for run in self.runs]})
        try:
            beside = self.state_file.with_suffix(".part")
            beside.write_text(text, encoding="utf-8")
            beside.replace(self.state_file)
        except OSError:  # a full disk must not end the watching
            pass

    def _start(self, run: Run) -> None:
        try:
            run.process = subprocess.Popen(  # noqa: S603  our own commands
                [sys.executable, "-m", "running.tied", *run.part.command],
                cwd=self.cwd,
                env={**os.environ, **self.env},
                stdin=subprocess.DEVNULL,
                stdout=subprocess.PIPE,
                stderr=subprocess.STDOUT,
                start_new_session=True,
            )
        except OSError as error:
            run.process, run.last_words = None, str(error)
            self._wait(run)
            return
        run.started_s = time.time()
        assert run.process.stdout is not None
        run.reader = Thread(target=_keep_words, args=(run, run.process.stdout), daemon=True)
        run.reader.start()

    def _look(self, run: Run) -> bool:
        """Look at one part; True where something changed."""
        if run.process is not None:
            if (status := run.process.poll()) is None:
                if run.wait_s > FIRST_WAIT_S and time.time() - run.started_s > STEADY_S:
                    run.wait_s = FIRST_WAIT_S
                return False
            _signal(run, signal.SIGKILL)  # its own children, if any are left
            run.process = None
            self._wait(run)
            how = f"by signal {-status}" if status < 0 else f"with status {status}"
            words = f"{run.part.title} ended {how}; it is started again in {run.wait_s:.0f} s"
            run.log.error(words)
            self.say(f"fox: {words}. See {self.folder / 'logs' / run.part.name}.log")
            run.wait_s = min(2 * run.wait_s, LONGEST_WAIT_S)
            return True
        if time.time() >= run.again_s:
            run.restarts += 1
            self._start(run)
            return True
        return False

    def _wait(self, run: Run) -> None:
        run.again_s = time.time() + run.wait_s


def _signal(run: Run, number: int) -> None:
    if run.process is None:
        return
    with contextlib.suppress(ProcessLookupError, PermissionError):
        os.killpg(run.process.pid, number)


def _keep_words(run: Run, stream: IO[bytes]) -> None:
    """Keep what a part says in its log, and its last words for the page."""
    for line in stream:
        text = line.decode("utf-8", "replace").rstrip()
        if text:
            run.last_words = text
            run.log.info(text)


def _logger(folder: Path, name: str) -> logging.Logger:
    log = logging.getLogger(f"fox.part.{folder}.{name}")
    log.propagate = False
    log.setLevel(logging.INFO)
    for old in list(log.handlers):
        log.removeHandler(old)
        old.close()
    handler = RotatingFileHandler(
        folder / f"{name}.log", maxBytes=LOG_BYTES, backupCount=LOGS_KEPT, encoding="utf-8", delay=True
    )
    handler.setFormatter(logging.Formatter("%(asctime)s %(message)s"))
    log.addHandler(handler)
    return log
