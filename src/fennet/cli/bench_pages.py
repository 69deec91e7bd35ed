"""The benchmarks of pages: warm and anew, and of many gardens at two server processes."""

from __future__ import annotations

import http.client
import itertools
import os
import re
import statistics
import subprocess
import sys
import threading
import time
from collections.abc import Callable, Iterator, Sequence
from contextlib import contextmanager
from datetime import UTC, datetime
from pathlib import Path
from urllib.parse import urlencode

import numpy as np
from sqlalchemy import Engine
from werkzeug.serving import WSGIRequestHandler, make_server

from fennet.launch.cluster import Cluster
from fennet.launch.serve import DEMO_NAME, DEMO_PASSWORD, THREADS, WORKERS, build_demo
from fennet.operations import exchange
from fennet.simulated_room.season import germinating_room
from fennet.storage.database import connect, migrate
from fennet.web import record
from fennet.web.app import create_app, settle
from fennet.web.settings import Settings

Line = tuple[str, str, str, float, str, bool]
#: A page that was looked at before may take so many times what an empty one takes.
WARM_TIMES = 12.0
GARDENS, BATCHES, VIEWS, WRITE_EVERY = 30, 14, 600, 10
DEMO = "/g/canal-house"


class Visitor:
    """Somebody signed in who asks a server for pages, over a socket of their own for each."""

    def __init__(self, port: int) -> None:
        self._port, self._cookie, self._keys = port, "", itertools.count()
        token = self._token(self.ask("/sign-in")[1])
        who = {"name": DEMO_NAME, "password": DEMO_PASSWORD, "csrf_token": token}
        if self.ask("/sign-in", who)[0] != 302:
            print("fennet: nobody could sign in for the benchmark", file=sys.stderr)
        self._form = self._token(self.ask(f"{DEMO}/log")[1])

    def ask(self, path: str, body: dict[str, str] | None = None) -> tuple[int, str]:
        connection = http.client.HTTPConnection("127.0.0.1", self._port)
        headers = {"Cookie": self._cookie} | ({"Content-Type": "application/x-www-form-urlencoded"} if body else {})
        connection.request("POST" if body else "GET", path, urlencode(body) if body else None, headers)
        response = connection.getresponse()
        page = response.read().decode()
        connection.close()
        self._cookie = (response.getheader("Set-Cookie") or "").split(";")[0] or self._cookie
        return response.status, page

    def log(self, garden: str, line: str) -> None:
        given = {"csrf_token": self._form, "line": line, "key": f"bench-{os.getpid()}-{next(self._keys)}"}
        if self.ask(f"{garden}/log", given)[0] != 302:
            print(f"fennet: {line!r} was not taken in the benchmark", file=sys.stderr)

    @staticmethod
    def _token(page: str) -> str:
        found = re.search(r'name="csrf_token"[^>]*value="([^"]+)"', page)
        assert found
        return found.group(1)


def best_ms(call: Callable[[], object], n: int = 25) -> float:
    """The middle of some calls after one that warms up."""
    call()
    return statistics.median(timed_ms(call) for _ in range(n))


def timed_ms(call: Callable[[], object]) -> float:
    start = time.perf_counter()
    call()
    return (time.perf_counter() - start) * 1000


class _Quiet(WSGIRequestHandler):
    def log(self, *_: object) -> None:
        """Say nothing of each request."""


@contextmanager
def served(url: str) -> Iterator[tuple[Visitor, record.Snapshots]]:
    """A server in this process, somebody signed in, and what it holds of its gardens."""
    app = create_app(Settings(url, "bench", demo=True))
    settle()
    server = make_server("127.0.0.1", 0, app, threaded=True, request_handler=_Quiet)
    threading.Thread(target=server.serve_forever, daemon=True).start()
    try:
        yield Visitor(server.server_port), app.extensions["fennet_snapshots"]
    finally:
        server.shutdown()


def database(cluster: Cluster) -> tuple[str, Engine]:
    _, url = cluster.scratch_database()
    engine = connect(url)
    migrate(engine)
    build_demo(engine, datetime.now(UTC))
    return url, engine


def pages(cluster: Cluster) -> list[Line]:
    """Pages of the demo garden against an empty page of the same server: looked at again, and with everything worked out anew."""
    url, engine = database(cluster)
    engine.dispose()
    tray, grown = f"{DEMO}/trays/A", f"{DEMO}/trays/G"
    lines: list[Line] = []
    with served(url) as (visitor, held):

        def seen(path: str) -> Callable[[], object]:
            return lambda: visitor.ask(path)

        def anew(path: str) -> Callable[[], object]:
            def call() -> object:
                held.forget()
                return visitor.ask(path)

            return call

        def pressed(path: str) -> Callable[[], object]:
            def call() -> object:
                visitor.log(DEMO, "H watered below 100ml")
                return visitor.ask(path)

            return call

        empty = best_ms(seen("/healthy"), 60)
        for what, path, anew_ms in (
            ("Today", f"{DEMO}/today", 200.0), ("Why of a tray", f"{DEMO}/why/leek-1", 150.0), ("Tune", f"{DEMO}/tune", 150.0),
            ("Tune of lamps", f"{DEMO}/tune/lamps", 150.0), ("Feed", f"{DEMO}/feed", 150.0), ("tray page", tray, 150.0),
            ("tray page of seventy days", grown, 150.0), ("list of trays", f"{DEMO}/trays", 150.0),
            ("Plan", f"{DEMO}/plan", 150.0), ("Book of a fortnight", f"{DEMO}/book", 150.0),
        ):  # fmt: skip
            warm = best_ms(seen(path))
            held_to = f"<= {WARM_TIMES:.0f}"
            lines.append((f"{what}, against an empty page", f"{warm:.1f} ms", f"{empty:.1f} ms", warm / empty, held_to,
                          warm <= WARM_TIMES * empty))  # fmt: skip
            lines.append(within(f"{what}, everything worked out anew", best_ms(anew(path), 15), anew_ms))
        lines.append(within("a watering logged, and Today after it", best_ms(pressed(f"{DEMO}/today"), 15), 60.0))
        lines.append(within("a watering logged, and every batch argued after it", best_ms(pressed(f"{DEMO}/why"), 15), 150.0))
        full = held.memo.held()
    mb = full.bytes / 1e6
    lines.append((f"answers and steps at hand: {full.entries}", f"{mb:.1f} MB", "120 MB", mb / 120, "<= 1", mb <= 120))
    return lines


def within(what: str, measured_ms: float, most_ms: float) -> Line:
    return (what, f"{measured_ms:.1f} ms", f"{most_ms:.0f} ms", measured_ms / most_ms, "<= 1", measured_ms <= most_ms)


def many_gardens(cluster: Cluster) -> list[Line]:
    """Thirty gardens of fourteen batches asked in turn by two browsers, of two server processes; a write every tenth view."""
    url, engine = database(cluster)
    now = datetime.now(UTC)
    slugs = []
    for seed in range(1, GARDENS):
        room = germinating_room(seed, BATCHES, now)
        taken = exchange.take_journal(engine, room, now, f"Room {seed}")
        slugs.append(taken.garden.slug)
    engine.dispose()
    took: list[float] = []
    with _processes(url) as (port, pids):
        visitors = [Visitor(port) for _ in range(2)]

        def walk(visitor: Visitor, first: int) -> None:
            for n in range(VIEWS // 2):
                slug = slugs[(first + n) % len(slugs)]
                if n % WRITE_EVERY == WRITE_EVERY - 1:
                    visitor.log(f"/g/{slug}", f"T{1 + n % BATCHES} watered below 100ml")
                page = ("today", "trays", "trays/T1", "why", "tune")[n % 5]
                took.append(timed_ms(lambda: visitor.ask(f"/g/{slug}/{page}")))  # noqa: B023 — called at once

        walkers = [threading.Thread(target=walk, args=(v, i * 15)) for i, v in enumerate(visitors)]
        for w in walkers:
            w.start()
        for w in walkers:
            w.join()
        memory_mb = max(_memory_mb(pid) for pid in pids())
    # A process first reads each garden; what is held to the limits is the walk after that.
    middle, high = np.percentile(took[len(took) // 3 :], (50, 95))
    return [
        within(f"{GARDENS} gardens of {BATCHES} batches in turn, two browsers: a page", float(middle), 40.0),
        within("  of which one in twenty takes longer than", float(high), 250.0),
        ("  memory of a server process", f"{memory_mb:.0f} MB", "500 MB", memory_mb / 500, "<= 1", memory_mb <= 500),
    ]


@contextmanager
def _processes(url: str) -> Iterator[tuple[int, Callable[[], Sequence[int]]]]:
    """As many server processes as `./fennet run` starts, on a port, and how to ask for their numbers."""
    import socket

    with socket.socket() as s:
        s.bind(("127.0.0.1", 0))
        port = int(s.getsockname()[1])
    environment = {**os.environ, "FENNET_WEB_DATABASE": url, "FENNET_WEB_SECRET": "bench", "FENNET_WEB_DEMO": "1"}
    server = subprocess.Popen(
        [sys.executable, "-m", "gunicorn", "fennet.web.wsgi:app", "--bind", f"127.0.0.1:{port}", "--workers", str(WORKERS),
         "--threads", str(THREADS), "--worker-class", "gthread", "--no-control-socket", "--log-level", "error", "--preload"],
        env=environment,
    )  # fmt: skip

    def workers() -> list[int]:
        return [int(pid) for pid in Path(f"/proc/{server.pid}/task/{server.pid}/children").read_text("ascii").split()]

    try:
        for _ in range(200):
            time.sleep(0.1)
            try:
                http.client.HTTPConnection("127.0.0.1", port, timeout=2).request("GET", "/healthy")
                break
            except OSError:
                continue
        yield port, workers
    finally:
        server.terminate()
        server.wait(20)


def _memory_mb(pid: int) -> float:
    """What a process holds of its own and shared memory, as the kernel counts it (Linux)."""
    status = Path(f"/proc/{pid}/status").read_text("ascii").splitlines()
    return next(int(line.split()[1]) / 1000 for line in status if line.startswith("VmRSS"))
