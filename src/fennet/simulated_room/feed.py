"""A simulated logger that posts what the simulated room reads to a running server, as a bought one would: in real time,
quickened over the days that went, and with the faults that real ones have, on request. Each reading's source says that it is
simulated.
"""

from __future__ import annotations

import json
import random
import time
import urllib.error
import urllib.request
from collections.abc import Callable, Iterator, Sequence
from contextlib import suppress
from dataclasses import dataclass, field
from datetime import datetime, timedelta
from typing import Any

from fennet.simulated_room.season import drawn_room

#: What can be asked to go wrong: bodies sent twice, hours that come late, figures that are none, calls that break off.
FAULTS = ("repeats", "late", "garbage", "breaks")
#: What a logger reads, and by how many a body.
READS = ("soil_temperature", "air_temperature", "moisture")
BODY = 24
TRIES = 8


@dataclass
class Fed:
    """What was sent, and what the server said of it."""

    sent: int = 0
    bodies: int = 0
    accepted: int = 0
    repeated: int = 0
    set_aside: int = 0
    refused: list[str] = field(default_factory=list)


def readings_of(seed: int, days: int, ends: datetime, name: str) -> list[dict[str, Any]]:
    """What one simulated tray's probes read over some days, in order, without place: the server knows where the logger lies."""
    drawn = drawn_room(seed, 3, max(days, 8), ends)["readings"]
    first = ends - timedelta(days=days)
    placed: dict[str, str] = {}
    out = []
    for r in drawn:
        if r["quantity"] not in READS or not first <= datetime.fromisoformat(r["at"]) <= ends:
            continue
        # One probe of each kind: the first place of the drawn room that has one.
        if placed.setdefault(r["quantity"], r["place"]) == r["place"] and not r.get("estimated"):
            source = f"{name}-simulated-{r['quantity'].split('_')[0]}"
            out.append({"at": r["at"], "quantity": r["quantity"], "value": r["value"], "unit": r["unit"], "source": source})
    seen: dict[tuple[str, str], dict[str, Any]] = {(r["at"], r["quantity"]): r for r in out}
    return sorted(seen.values(), key=lambda r: (r["at"], r["quantity"]))


def bodies(rows: Sequence[dict[str, Any]], faults: Sequence[str], rng: random.Random) -> Iterator[list[Any]]:
    """Rows as a logger sends them, a few at a time, with the faults asked for."""
    parts = [list(rows[i : i + BODY]) for i in range(0, len(rows), BODY)]
    held: list[list[Any]] = []
    for part in parts:
        if "garbage" in faults and rng.random() < 0.2:
            odd = {"value": rng.choice(["LO", "--", None, "NaN"]), "at": part[-1]["at"], "quantity": "humidity"}
            part = [*part, {**part[0], **odd}]
        if "late" in faults and rng.random() < 0.3:
            held.append(part)
            continue
        yield part
        if "repeats" in faults and rng.random() < 0.3:
            yield part
    yield from held


def feed(
    post: Callable[[list[Any]], dict[str, Any]], rows: Sequence[dict[str, Any]], faults: Sequence[str], seed: int,
    wait_s: float = 0.0, sleep: Callable[[float], None] = time.sleep,
) -> Fed:  # fmt: skip
    """Send rows by `post`, which raises OSError where nothing answers; what broke off is sent again, as a logger does."""
    rng, fed = random.Random(seed), Fed(sent=len(rows))
    for body in bodies(rows, faults, rng):
        for attempt in range(TRIES):
            if "breaks" in faults and rng.random() < 0.2:
                # The answer is lost on its way: whether it was kept is not known, so it is sent once more.
                with suppress(OSError):
                    post(body)
            try:
                said = post(body)
            except urllib.error.HTTPError as e:
                if e.code in (401, 413, 415):
                    fed.refused.append(f"{e.code}: {e.read().decode(errors='replace')[:200]}")
                    return fed
                sleep(min(60.0, 0.5 * 2**attempt))
                continue
            except OSError:
                sleep(min(60.0, 0.5 * 2**attempt))
                continue
            fed.bodies += 1
            fed.accepted += int(said["accepted"])
            fed.repeated += int(said["repeated"])
            fed.set_aside += len(said["set_aside"])
            break
        else:
            fed.refused.append("no answer")
            return fed
        sleep(wait_s)
    return fed


def poster(address: str, token: str) -> Callable[[list[Any]], dict[str, Any]]:
    """How a body is sent to a server's door for readings."""

    def post(body: list[Any]) -> dict[str, Any]:
        request = urllib.request.Request(
            address, json.dumps(body).encode(), {"Authorization": f"Bearer {token}", "Content-Type": "application/json"}
        )
        with urllib.request.urlopen(request, timeout=30) as answer:
            found: dict[str, Any] = json.loads(answer.read())
            return found

    return post
