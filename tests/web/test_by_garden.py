"""Every statement that pages and writes send is of one garden, or of a person: what lets gardens live on many servers."""

from __future__ import annotations

import re
from typing import Any

from sqlalchemy import event

from fennet.storage.tables import metadata
from tests.web.site import SiteCase
from tests.web.test_walk import LINKED

G = "/g/canal-house"
#: Tables of people and of Fennet itself: small, and the same on every server.
SHARED = {
    "person",
    "session",
    "membership",
    "one_time_link",
    "secret_address",
    "device",
    "knock",
    "upkeep",
    "garden",
    "alembic_version",
}
#: Tables whose rows are found by their series, which belongs to one garden.
BY_SERIES = {"reading", "reading_hour", "reading_month"}


class ByGarden(SiteCase):
    def test_no_statement_reaches_over_gardens(self) -> None:
        seen: set[str] = set()

        def note(_: Any, __: Any, statement: str, *___: Any) -> None:
            seen.add(re.sub(r"\s+", " ", statement))

        engine = self.app.extensions["fennet_engine"]
        event.listen(engine, "before_cursor_execute", note)
        try:
            me = self.gardener()
            for page in LINKED:
                me.see(f"{G}/{page}")
            for line in (
                "S watered below 200ml",
                "S feel 3",
                "S soil 19.5",
                "leek-1 4 up",
                "lamp-1 at 300mm",
                "A note all is well",
            ):
                me.send(f"{G}/log", line=line)
            me.send(f"{G}/plan/wants", crop="leek", plants="4")
            me.send(f"{G}/trays/new", id="Z9", kind="cells", rows="2", columns="2")
        finally:
            event.remove(engine, "before_cursor_execute", note)
        tables = set(metadata.tables)
        found = 0
        for statement in sorted(seen):
            used = {name for name in tables if re.search(rf"(?<![\w.]){name}(?![\w(])", statement)} - SHARED
            if not used:
                continue
            found += 1
            with self.subTest(statement[:300]):
                keyed = "garden_id" in statement or (used <= BY_SERIES | {"series"} and "series_id" in statement)
                self.assertTrue(keyed, "it says neither which garden nor which series")
        self.assertGreater(found, 30)
