"""Many people and devices in many gardens on a real server: `./fennet crowd [SECONDS [PEOPLE [GARDENS [DEVICES]]]]`; `./fennet
test` does a few.

The people look at pages and log, each in all gardens in turn, while devices post what their probes read; nothing may answer
otherwise than with a page, and every line and reading that was acknowledged must stand in its own garden, once.
"""

from __future__ import annotations

import random
import re
import sys
import threading
import time
from collections import Counter
from datetime import UTC, datetime, timedelta
from pathlib import Path

import psycopg

from fennet.simulated_room.feed import poster
from tests.faults import NAME, PASSWORD, Hand, Server, Told

PAGES = ("today", "trays", "trays/A", "plan", "book", "why", "tune", "seeds")
#: A device posts so many readings, so often, seconds.
BODY, POSTS_EVERY_S = 10, 8.0


class Guest(Hand):
    """One person who goes from garden to garden."""

    def visit(self, gardens: list[str], until: float, seen: Counter[int], slow: list[float]) -> None:
        rng = random.Random(self.number)
        self.sign_in()
        token, n = self.token("/me"), 0
        while time.monotonic() < until:
            garden, n = rng.choice(gardens), n + 1
            began = time.monotonic()
            if n % 4:
                status, _ = self.ask(f"/g/{garden}/{rng.choice(PAGES)}")
            else:
                words = f"{garden} guest {self.number} line {n}"
                fields = {"csrf_token": token, "key": f"crowd-{self.number}-{n}", "line": f"A note {words}"}
                status, page = self.ask(f"/g/{garden}/log", fields)
                if status == 200 and "Logged. " in page:
                    self.sent.append(words)
            slow.append(time.monotonic() - began)
            seen[status] += 1
            if status != 200:
                self.told.faults.append(f"{garden}: {status}")


class Logger:
    """A device that posts a few minutes of one probe at a time."""

    def __init__(self, server: Server, told: Told, garden: str, name: str, token: str) -> None:
        self.told, self.garden, self.name = told, garden, name
        self._post = poster(f"{server.base}/api/readings", token)
        self.accepted = 0
        self.took: list[float] = []

    def run(self, until: float) -> None:
        at, rng = datetime.now(UTC).replace(microsecond=0) - timedelta(days=2), random.Random(self.name)
        time.sleep(rng.uniform(0, POSTS_EVERY_S))
        while time.monotonic() < until:
            body = []
            for _ in range(BODY):
                at += timedelta(minutes=1)
                body.append({"at": at.isoformat(), "quantity": "soil_temperature", "value": 18 + rng.random(), "unit": "degC"})
            began = time.monotonic()
            try:
                said = self._post(body)
            except OSError as e:
                self.told.faults.append(f"{self.garden} {self.name}: {e}")
            else:
                self.accepted += said["accepted"]
                if said["accepted"] != BODY:
                    self.told.faults.append(f"{self.garden} {self.name}: {said}")
            self.took.append(time.monotonic() - began)
            time.sleep(POSTS_EVERY_S)


def _loggers(server: Server, told: Told, keeper: Hand, form: str, slugs: list[str], devices: int) -> list[Logger]:
    out = []
    for n in range(devices):
        garden, name = slugs[n % len(slugs)], f"logger-{n}"
        page = keeper.ask(f"/g/{garden}/devices", {"csrf_token": form, "name": name, "place": "A"})[1]
        found = re.search(r'class="token">([^<]+)<', page)
        assert found, page[-2_000:]
        out.append(Logger(server, told, garden, name, found[1]))
    return out


def crowd(seconds: float, people: int, gardens: int, devices: int) -> tuple[Told, str]:
    """So many people and devices in so many gardens for so long; what was found, and its figures."""
    told, server = Told(), Server()
    try:
        server.wait()
        keeper = Hand(server, told, 0)
        fields = {"name": NAME, "password": PASSWORD, "garden": "Garden 1", "timezone": "Europe/Amsterdam"}
        keeper.ask("/welcome", fields | {"csrf_token": keeper.token("/welcome")})
        token = keeper.token("/me")
        slugs = ["garden-1"]
        for n in range(2, gardens + 1):
            keeper.ask("/gardens", {"csrf_token": token, "name": f"Garden {n}", "timezone": "Europe/Amsterdam"})
            slugs.append(f"garden-{n}")
        for n, slug in enumerate(slugs):
            tray = {"id": "A", "kind": "cells", "rows": "4", "columns": "6"}
            keeper.ask(f"/g/{slug}/trays/new", {"csrf_token": token, **tray})
            kind = ("leek", "tomato", "basil")[n % 3]
            sown = {
                "csrf_token": token,
                "tray": "A",
                "kinds": "1",
                "crop-0": kind,
                "cells-0": "all",
                "seeds-0": "1",
                "warm_c": "19",
            }
            keeper.ask(f"/g/{slug}/sow?tray=A", sown)
        loggers = _loggers(server, told, keeper, token, slugs, devices)
        guests = [Guest(server, told, n) for n in range(1, people + 1)]
        seen: Counter[int] = Counter()
        took: list[float] = []
        until = time.monotonic() + seconds + 0.3 * people
        threads = [threading.Thread(target=g.visit, args=(slugs, until, seen, took), daemon=True) for g in guests]
        threads += [threading.Thread(target=x.run, args=(until,), daemon=True) for x in loggers]
        for thread in threads:
            thread.start()
        for thread in threads:
            thread.join(seconds + 120)
        memory = max((_held(pid) for pid in server.children()["worker"]), default=0.0)
        sent = [words for g in guests for words in g.sent]
        with psycopg.connect(server.database()) as c:
            rows = c.execute(
                "select g.slug, e.body->>'text' from event e join garden g on g.id = e.garden_id where e.kind = 'note'"
            )
            found = Counter((slug, words) for slug, words in rows.fetchall())
            read = dict(
                c.execute("select s.source, count(*) from reading r join series s on s.id = r.series_id group by 1").fetchall()
            )
        told.presses = len(sent)
        told.faults += [f"lost or astray: {words}" for words in sent if found[(words.split(" ")[0], words)] != 1]
        told.faults += [f"{x.name}: {x.accepted} acknowledged, {read.get(x.name)} kept" for x in loggers
                        if read.get(x.name, 0) != x.accepted]  # fmt: skip
    finally:
        server.end()
    took.sort()
    posts = sorted(t for x in loggers for t in x.took)
    of_devices = (
        f"{devices} devices: {sum(x.accepted for x in loggers):,} readings in {len(posts):,} bodies, half within "
        f"{posts[len(posts) // 2] * 1000:.0f} ms, the slowest {posts[-1]:.1f} s; "
        if posts
        else ""
    )
    words = (
        f"{people} people in {gardens} gardens: {len(took):,} answers ({dict(sorted(seen.items()))}), {told.presses} lines kept; "
        f"half within {took[len(took) // 2] * 1000:.0f} ms, the slowest {took[-1]:.1f} s; a worker held at most {memory:.0f} MB; "
        f"{of_devices}{len(told.faults)} faults"
    )
    return told, words


def _held(pid: int) -> float:
    """What a process holds, MB."""
    held = re.findall(r"VmRSS:\s+(\d+)", Path(f"/proc/{pid}/status").read_text())
    return int(held[0]) / 1024


if __name__ == "__main__":
    seconds, people, gardens, devices = (int(x) for x in [*sys.argv[1:5], *("60", "20", "50", "200")[len(sys.argv) - 1 :]])
    told, words = crowd(seconds, people, gardens, devices)
    print(words, *told.faults[:20], sep="\n")
    sys.exit(1 if told.faults else 0)
