"""Two hundred screens at once: half on the Line, half on stations, each asking every five seconds while readings come in."""

import asyncio
import os
import socket
import statistics
import subprocess
import sys
import time
from collections.abc import Sequence
from pathlib import Path

SCREENS, SECONDS, EVERY_S, WORKERS = 200, 60.0, 5.0, 2
ROOT = Path(__file__).resolve().parents[1]


def screens(now_s: int, count: int = SCREENS, seconds: float = SECONDS) -> None:
    """Serve the bench's own database with two processes and let so many screens ask for so long."""
    from django.conf import settings
    from django.test import Client

    from desk.floor.models import World
    from desk.mill.selectors import line_of
    from desk.people.models import Person

    client = Client(headers={"host": "localhost"})
    client.force_login(Person.objects.get(username="orr"))
    cookie = f"{settings.SESSION_COOKIE_NAME}={client.cookies[settings.SESSION_COOKIE_NAME].value}"
    world = World.objects.select_related("version").get(slug="live")
    line = line_of(world.version)
    stops = [f"/live/at/{one.id}/" for one in line.stations if one.kind != "cook"] + ["/live/cook/9005/"]
    addresses = ["/live/" if index % 2 else stops[index // 2 % len(stops)] for index in range(count)]
    port = _free_port()
    serve = [sys.executable, "-m", "gunicorn", "desk.wsgi", "--bind", f"127.0.0.1:{port}", "-w", str(WORKERS)]
    serve += ["-k", "gthread", "--threads", "4", "--preload", "--keep-alive", "30", "--no-control-socket"]
    env = {**os.environ, "DJANGO_SETTINGS_MODULE": "desk.settings.demo", "FOX_SECRET_KEY": settings.SECRET_KEY}
    with subprocess.Popen([*serve, "--log-level", "error"], cwd=ROOT, env=env) as server:
        try:
            _wait(port)
            live = [tag.id for tag in line.tags if tag.live]
            before = _memory_mb(server.pid)
            took, statuses = asyncio.run(_ask(port, addresses, cookie, world.pk, live, now_s, seconds))
            after = _memory_mb(server.pid)
        finally:
            server.terminate()
    took.sort()
    p50, p95 = (1000 * took[int(len(took) * share)] for share in (0.50, 0.95))
    wrong = {status: count for status, count in statuses.items() if status not in (200, 304)}
    print(
        f"{f'{count} screens for {seconds:.0f} s, {len(took)} answers':44} {p95:9.1f} ms   p50 {p50:8.1f} ms"
        f"   mean {1000 * statistics.mean(took):.1f} ms  {statuses.get(304, 0)} unchanged, wrong {wrong or 'none'};"
        f" memory {before:.0f} MB, at the end {after:.0f} MB; aim p95 under 150 ms, nothing wrong"
    )


async def _ask(
    port: int, addresses: Sequence[str], cookie: str, world_id: int, tags: Sequence[str], now_s: int, seconds: float
) -> tuple[list[float], dict[int, int]]:
    took: list[float] = []
    statuses: dict[int, int] = {}
    until = time.monotonic() + seconds

    async def screen(index: int, address: str) -> None:
        await asyncio.sleep(EVERY_S * index / len(addresses))
        reader, writer = await asyncio.open_connection("127.0.0.1", port)
        tag = ""
        while (begun := time.monotonic()) < until:
            writer.write(
                f"GET {address} HTTP/1.1\r\nHost: localhost\r\nCookie: {cookie}\r\nHX-Request: true\r\n"
                f"HX-Target: div#desk\r\nHX-PTag: {tag}\r\nAccept-Encoding: gzip\r\n\r\n".encode()
            )
            status, headers = await _answer(reader)
            took.append(time.monotonic() - begun)
            statuses[status] = statuses.get(status, 0) + 1
            tag = headers.get("hx-ptag", tag)
            await asyncio.sleep(max(0.0, begun + EVERY_S - time.monotonic()))
        writer.close()

    async def instruments() -> None:
        for turn in range(int(seconds / EVERY_S)):
            await asyncio.to_thread(_store, world_id, [(tag, now_s - 900 + turn, 50.0) for tag in tags])
            await asyncio.sleep(EVERY_S)

    await asyncio.gather(instruments(), *(screen(index, address) for index, address in enumerate(addresses)))
    return took, statuses


def _memory_mb(pid: int) -> float:
    """Return what a server and its workers hold in memory."""
    children = Path(f"/proc/{pid}/task/{pid}/children").read_text(encoding="ascii").split()
    pages = sum(int(Path(f"/proc/{one}/statm").read_text(encoding="ascii").split()[1]) for one in (pid, *children))
    return pages * os.sysconf("SC_PAGE_SIZE") / 1e6


async def _answer(reader: asyncio.StreamReader) -> tuple[int, dict[str, str]]:
    status = int((await reader.readline()).split()[1])
    headers = {}
    while (line := (await reader.readline()).decode().strip()) != "":
        name, _, value = line.partition(":")
        headers[name.lower()] = value.strip()
    if headers.get("transfer-encoding") == "chunked":
        while (size := int((await reader.readline()).strip(), 16)) > 0:
            await reader.readexactly(size + 2)
        await reader.readline()
    elif status != 304:
        await reader.readexactly(int(headers.get("content-length", 0)))
    return status, headers


def _store(world_id: int, rows: Sequence[tuple[str, int, float]]) -> None:
    from desk.floor.services import store_samples

    store_samples(world_id, rows)


def _free_port() -> int:
    with socket.socket() as probe:
        probe.bind(("127.0.0.1", 0))
        port: int = probe.getsockname()[1]
        return port


def _wait(port: int) -> None:
    for _ in range(300):
        with socket.socket() as probe:
            if probe.connect_ex(("127.0.0.1", port)) == 0:
                return
        time.sleep(0.1)
    raise TimeoutError(port)
