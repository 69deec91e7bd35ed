"""One throw-away PostgreSQL cluster for the whole test run, a fresh migrated database for each test class."""

from __future__ import annotations

import atexit
import unittest
from collections.abc import Callable
from datetime import UTC, datetime
from functools import cache
from typing import Any, ClassVar

from sqlalchemy import Engine

from fennet.core.records import Batch, Garden, Mix, Tray
from fennet.launch.cluster import Cluster
from fennet.launch.serve import build_demo
from fennet.operations import gardens, sowing
from fennet.operations.acting import Actor, in_turn
from fennet.storage.database import connect, migrate
from fennet.storage.queries import GardenRef

NOW = datetime(2026, 2, 20, 9, 30, tzinfo=UTC)
_cluster: list[Cluster] = []


def cluster() -> Cluster:
    if not _cluster:
        made = Cluster("test-db", throwaway=True)
        made.destroy()
        made.start()
        atexit.register(made.destroy)
        _cluster.append(made)
    return _cluster[0]


@cache
def demo_database() -> str:
    """A database with the demo season ending at the frozen clock, made once a run, to be copied."""
    name, url = cluster().scratch_database()
    engine = connect(url)
    migrate(engine)
    build_demo(engine, NOW)
    engine.dispose()
    return name


class DatabaseCase(unittest.TestCase):
    """Tests with a database of their own."""

    engine: ClassVar[Engine]
    url: ClassVar[str]
    like: ClassVar[str | None] = None

    @classmethod
    def setUpClass(cls) -> None:
        _, cls.url = cluster().scratch_database(cls.like)
        cls.engine = connect(cls.url)
        migrate(cls.engine)
        cls.addClassCleanup(cls.engine.dispose)

    def garden(self, name: str, person: str | None = None, role: str = "owner") -> Actor:
        """A new garden and someone in it."""
        with self.engine.begin() as c:
            ref = gardens.make_garden(c, Garden(name=name, timezone="Europe/Tallinn"))
            person_id = gardens.make_person(c, person or f"owner of {name}", "x", NOW)
            gardens.join(c, ref, person_id, role)
        return Actor(person or name, GardenRef(ref.id, ref.slug, ref.garden, role, False), person_id)

    def write(
        self, actor: Actor, work: Callable[..., Any], *args: Any, key: str | None = None, now: datetime = NOW, **options: Any
    ) -> Any:
        """One write in the garden's turn, as a page does it: `work` with a context and what else it takes."""
        return in_turn(self.engine, actor, now, lambda w: work(w, *args, **options), key)

    def tray(self, actor: Actor, id: str = "A", rows: int = 2, columns: int = 3) -> None:
        self.write(actor, gardens.add_tray, Tray(id=id, kind="cells", rows=rows, columns=columns), None)

    def sow(
        self, actor: Actor, crop: str = "onion", cells: tuple[str, ...] = ("r1c1", "r1c2"), tray: str = "A", **options: Any
    ) -> list[str]:
        template = Batch(id="new", crop="new", sown_at=NOW, cells=1, mix=Mix(kind="seed_mix"))
        at = options.pop("at", datetime(2026, 2, 10, 8, tzinfo=UTC))
        return self.write(actor, sowing.sow, tray, [sowing.Sowing(crop, cells, 2)], template, at, **options)
