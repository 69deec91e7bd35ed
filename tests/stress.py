"""Many hands on one garden at once: `./fennet stress [SECONDS [HANDS]]`; `./fennet test` does it for a few seconds.

Each hand is a browser of its own. It counts, marks, covers, moves, sows, tests a packet, notes and takes back, some presses sent
twice. What was acknowledged is held against what stands in the end; meanwhile a watcher sees that no total falls and that the
pages answer.
"""

from __future__ import annotations

import random
import sys
import threading
import time
from collections import Counter, defaultdict
from collections.abc import Callable
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass, field

from flask.testing import FlaskClient

from fennet.core.history import counts_of, effective_events, occupancies
from fennet.core.records import Batch, Event, Mix, Tray
from fennet.launch.serve import DEMO_NAME
from fennet.operations import gardens, logging, seed_box, sowing
from fennet.operations.acting import Actor, WriteContext, in_turn
from fennet.storage import queries
from tests.database import NOW, cluster
from tests.web.site import SiteCase, Visitor

G = "/g/canal-house"
PAGES = ("today", "trays", "trays/S1", "trays/S2", "why", "seeds", "book", "log")
CELLS = tuple(f"r{r}c{c}" for r in range(1, 21) for c in range(1, 21))


@dataclass
class Told:
    """What was pressed and acknowledged, and what was found wrong."""

    presses: Counter[str] = field(default_factory=Counter)
    kept: Counter[str] = field(default_factory=Counter)
    pages: int = 0
    totals: int = 0
    slowest_s: float = 0.0
    faults: list[str] = field(default_factory=list)

    def line(self) -> str:
        said = ", ".join(f"{self.kept[kind]:,} of {n:,} {kind}" for kind, n in sorted(self.presses.items()))
        return (
            f"{sum(self.presses.values()):,} presses (acknowledged: {said}); {self.pages:,} pages and {self.totals:,} totals "
            f"seen meanwhile; slowest answer {self.slowest_s:.2f} s; {len(self.faults)} faults"
        )


class Hands(SiteCase):
    """The demo's garden, with trays of 400 cells, two batches and a packet for the hands to work on."""

    def runTest(self) -> None:  # noqa: N802
        """A case is made to have its database."""

    @classmethod
    def begin(cls) -> Hands:
        cls.setUpClass()
        here = cls()
        here.told, here.lock = Told(), threading.Lock()
        # What was acknowledged: the entries by kind, the notes taken back, the cells marked and sown, the tests entered.
        here.entries, here.undone, here.marked, here.sown, here.tested = defaultdict(set), set(), set(), set(), Counter()
        with here.engine.connect() as c:
            (ref,) = queries.gardens(c, slug="canal-house")
        here.actor = Actor("the hands", ref)
        for tray in ("S1", "S2", "S3"):
            here.write(here.actor, gardens.add_tray, Tray(id=tray, kind="cells", rows=20, columns=20), None)
        for tray in ("S1", "S2"):
            template = Batch(id="new", crop="new", sown_at=NOW, cells=1, mix=Mix(kind="seed_mix"))
            (batch_id,) = here.write(here.actor, sowing.sow, tray, [sowing.Sowing("leek", CELLS, 1)], template, NOW)
            here.batches[tray] = batch_id
        here.lot = here.write(here.actor, seed_box.put_lot, {"crop": "leek"})
        return here

    def __init__(self) -> None:
        super().__init__()
        self.batches: dict[str, str] = {}

    told: Told
    lock: threading.Lock
    actor: Actor
    lot: str
    entries: dict[str, set[str]]
    undone: set[str]
    marked: set[str]
    sown: set[str]
    tested: Counter[int]


class Hand:
    """One person's browser."""

    def __init__(self, here: Hands, number: int) -> None:
        self.here, self.rng, self.number = here, random.Random(number), number
        self.client: FlaskClient = here.app.test_client()
        with self.client.session_transaction() as session:
            session.update(SIGNED_IN[0])
        self.token = Visitor(self.client).token()
        self.notes: list[str] = []
        self.n = 0

    def press(self, kind: str, address: str, **fields: str) -> tuple[list[str], str]:
        """Send one form, now and then twice as a browser does that had no answer; the entries acknowledged, and what was said."""
        self.n += 1
        sent = fields | {"csrf_token": self.token, "key": f"hand-{self.number}-{self.n}"}
        tokens: list[str] = []
        words = ""
        for _ in range(2 if self.n % 7 == 0 else 1):
            began = time.monotonic()
            response = self.client.post(f"{G}/{address}", data=sent)
            took = time.monotonic() - began
            with self.client.session_transaction() as session:
                for category, message in session.pop("_flashes", []):
                    tokens += category.removeprefix("undo:").split(",") if category.startswith("undo:") else []
                    words += message if category != "error" else ""
            with self.here.lock:
                told = self.here.told
                told.slowest_s = max(told.slowest_s, took)
                if response.status_code >= 500 or (response.status_code not in (302, 400)):
                    told.faults.append(f"{kind} {address}: {response.status_code}")
        with self.here.lock:
            self.here.told.presses[kind] += 1
            self.here.told.kept[kind] += bool(words)
        return tokens, words

    def log(self, kind: str, line: str) -> list[str]:
        tokens, _ = self.press(kind, "log", line=line)
        with self.here.lock:
            self.here.entries[kind] |= set(tokens)
        return tokens

    def one(self) -> None:
        """One press of something."""
        rng = self.rng
        tray = rng.choice(("S1", "S2"))
        actions: tuple[Callable[[], object], ...] = (
            lambda: self.log("counts", "S1 +1 up"),
            self.mark,
            lambda: self.log("covers", f"{tray} cover {rng.choice(('on', 'off'))}"),
            lambda: self.log("moves", f"{tray} to {rng.choice(('box-mid', 'landing'))}"),
            self.sow,
            self.test,
            self.note,
            self.undo,
        )
        rng.choice(actions)()

    def mark(self) -> None:
        cells = self.rng.sample(CELLS, 3)
        _, words = self.press("marks", "trays/S2/mark", batch=self.here.batches["S2"], cell=cells)  # type: ignore[arg-type]
        if words:
            with self.here.lock:
                self.here.marked |= set(cells)

    def sow(self) -> None:
        cell = self.rng.choice(CELLS)
        _, words = self.press("sowings", "sow", **{"tray": "S3", "kinds": "1", "crop-0": "leek", "cells-0": cell, "seeds-0": "1"})
        if words:
            with self.here.lock:
                if cell in self.here.sown:
                    self.here.told.faults.append(f"{cell} was sown twice")
                self.here.sown.add(cell)

    def test(self) -> None:
        n = self.rng.randrange(0, 4_000)
        fields = {"on": "2026-02-01", "sown": "4000", "germinated": str(n)}
        _, words = self.press("tests", f"seeds/packet/{self.here.lot}/test", **fields)
        if words:
            with self.here.lock:
                self.here.tested[n] += 1

    def note(self) -> None:
        self.notes += self.log("notes", f"S1 note hand {self.number} press {self.n}")

    def undo(self) -> None:
        # Half of these press a note that is undone already: that is refused, and changes nothing.
        if self.notes:
            token = self.rng.choice(self.notes)
            _, words = self.press("undos", "log/undo", event=token)
            if words:
                with self.here.lock:
                    self.here.undone.add(token)


SIGNED_IN: list[dict[str, object]] = []


def watch(here: Hands, until: float) -> None:
    """Look at the pages and at the totals while the hands work: no page fails, no total falls."""
    visitor = here.gardener()
    last: Counter[str] = Counter()
    n = 0
    while n == 0 or time.monotonic() < until:
        page = PAGES[n % len(PAGES)]
        n += 1
        status = visitor.client.get(f"{G}/{page}", follow_redirects=True).status_code
        totals = {tray: _up(here, batch_id) for tray, batch_id in here.batches.items()}
        with here.lock:
            here.told.pages += 1
            here.told.totals += len(totals)
            if status != 200:
                here.told.faults.append(f"{page}: {status}")
            for tray, up in totals.items():
                if up < last[tray]:
                    here.told.faults.append(f"the total of {tray} fell from {last[tray]} to {up}")
                last[tray] = up


def _batch(here: Hands, batch_id: str) -> tuple[Batch, list[Event]]:
    def work(w: WriteContext) -> tuple[Batch, list[Event]]:
        batch, events = logging.batch_and_events(w, batch_id)
        return batch, effective_events(events, float("inf"))

    done = in_turn(here.engine, here.actor, NOW, work, rehearsal=True)
    assert done is not None
    return done


def _up(here: Hands, batch_id: str) -> int:
    return counts_of(*_batch(here, batch_id)).up or 0


def held(here: Hands) -> None:
    """Hold what was acknowledged against what stands."""
    told, faults = here.told, here.told.faults

    def same(what: str, acknowledged: object, stands: object) -> None:
        if acknowledged != stands:
            faults.append(f"{what}: acknowledged {acknowledged!r:.300}, stands {stands!r:.300}")

    same("presses of +1", told.kept["counts"], _up(here, here.batches["S1"]))
    same("cells marked", here.marked, set(logging.cells_up(*_batch(here, here.batches["S2"]))))
    with here.engine.connect() as c:
        batches = queries.records(c, here.actor.ref.id, "batches")
        events = queries.events_since(c, here.actor.ref.id, -1)[0]
        (lot,) = (x for x in queries.records(c, here.actor.ref.id, "seed_lots") if x.id == here.lot)
    stand = effective_events(events, float("inf"))
    same("tests", here.tested, Counter(t.germinated for t in lot.tests))
    cells = [s.cell for b in batches for s in occupancies(b, stand) if s.tray == "S3"]
    same("cells sown", sorted(here.sown), sorted(cells))
    by_id = Counter(e.id for e in events)
    standing_ids = {e.id for e in stand}
    for kind, ids in here.entries.items():
        same(f"{kind} entered once", dict.fromkeys(ids, 1), {i: by_id[i] for i in ids})
        if kind != "counts":
            same(f"{kind} that stand", ids - here.undone, ids & standing_ids)
    words = Counter(str(e.fields.get("text")) for e in events if e.kind == "note" and "hand" in str(e.fields.get("text")))
    same("notes", told.kept["notes"], sum(words.values()))
    for kind, action in (("covers", "cover"), ("moves", "placed")):
        theirs = {e.id for e in events if e.kind == action and e.by == DEMO_NAME and e.fields.get("tray") in here.batches}
        same(f"{kind}, and none more", here.entries[kind], theirs)


def run(seconds: float, hands: int = 30) -> Told:
    """So many hands for so long; what came of it."""
    here = Hands.begin()
    try:
        visitor = here.gardener()
        with visitor.client.session_transaction() as session:
            SIGNED_IN[:] = [dict(session)]
        people = [Hand(here, n) for n in range(hands)]
        until = time.monotonic() + seconds

        def work(hand: Hand) -> None:
            while time.monotonic() < until:
                hand.one()

        with ThreadPoolExecutor(hands + 1) as pool:
            for done in [pool.submit(watch, here, until), *(pool.submit(work, hand) for hand in people)]:
                done.result()
        held(here)
        return here.told
    finally:
        here.doClassCleanups()


def main() -> int:
    seconds = float(sys.argv[1]) if len(sys.argv) > 1 else 60.0
    hands = int(sys.argv[2]) if len(sys.argv) > 2 else 30
    cluster()
    told = run(seconds, hands)
    for fault in told.faults:
        print(fault)
    print(told.line())
    return 1 if told.faults else 0


if __name__ == "__main__":
    sys.exit(main())
