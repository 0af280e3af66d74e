"""The web server as a part, and waiting for it to answer."""

import socket
import time

from running.place import PYTHON
from running.supervisor import Part, Supervisor


def web_part(host: str, port: int, workers: int) -> Part:
    """Return the application behind its server."""
    command = [str(PYTHON), "-m", "gunicorn", "desk.wsgi", "--bind", f"{host}:{port}", "-w", str(workers)]
    command += ["-k", "gthread", "--threads", "4", "--preload", "--keep-alive", "30", "--no-control-socket"]
    return Part("web", "The application", [*command, "--log-level", "warning"], needed=True)


def wait_for(host: str, port: int, supervisor: Supervisor, seconds: float = 30.0) -> bool:
    """Wait until the application answers; False where it ended or was told to."""
    address = "127.0.0.1" if host == "0.0.0.0" else host  # noqa: S104  compared, not bound
    until = time.monotonic() + seconds
    while time.monotonic() < until and not supervisor.ending:
        web = supervisor.runs[0].process
        if web is None or web.poll() is not None:
            return False
        with socket.socket() as probe:
            if probe.connect_ex((address, port)) == 0:
                supervisor.note()
                return True
        time.sleep(0.1)
    return False
