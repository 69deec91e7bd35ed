"""Many people in many gardens on a real server: `./fennet crowd [SECONDS [PEOPLE [GARDENS]]]`; `./fennet test` does a few.

The people look at pages and log, each in all gardens in turn; nothing may answer otherwise than with a page, and every line that
was acknowledged must stand in its own garden.
"""

from __future__ import annotations

import random
import re
import sys
import threading
import time
from collections import Counter
from pathlib import Path

import psycopg

from tests.faults import NAME, PASSWORD, Hand, Server, Told

PAGES = ("today", "trays", "trays/A", "plan", "book", "why", "tune", "seeds")


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


def crowd(seconds: float, people: int, gardens: int) -> tuple[Told, str]:
    """So many people in so many gardens for so long; what was found, and its figures."""
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
        guests = [Guest(server, told, n) for n in range(1, people + 1)]
        seen: Counter[int] = Counter()
        took: list[float] = []
        until = time.monotonic() + seconds + 0.3 * people
        threads = [threading.Thread(target=g.visit, args=(slugs, until, seen, took), daemon=True) for g in guests]
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
        told.presses = len(sent)
        told.faults += [f"lost or astray: {words}" for words in sent if found[(words.split(" ")[0], words)] != 1]
    finally:
        server.end()
    took.sort()
    words = (
        f"{people} people in {gardens} gardens: {len(took):,} answers ({dict(sorted(seen.items()))}), {told.presses} lines kept; "
        f"half within {took[len(took) // 2] * 1000:.0f} ms, the slowest {took[-1]:.1f} s; a worker held at most {memory:.0f} MB; "
        f"{len(told.faults)} faults"
    )
    return told, words


def _held(pid: int) -> float:
    """What a process holds, MB."""
    held = re.findall(r"VmRSS:\s+(\d+)", Path(f"/proc/{pid}/status").read_text())
    return int(held[0]) / 1024


if __name__ == "__main__":
    seconds, people, gardens = (int(x) for x in [*sys.argv[1:4], *("60", "20", "50")[len(sys.argv) - 1 :]])
    told, words = crowd(seconds, people, gardens)
    print(words, *told.faults[:20], sep="\n")
    sys.exit(1 if told.faults else 0)
