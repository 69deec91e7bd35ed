"""One throw-away PostgreSQL cluster for the whole test run, a fresh migrated database for each test class.

The run's processes share the cluster: the one that starts them makes it and takes it down. What several classes copy is made by
the first that asks for it.
"""

from __future__ import annotations

import atexit
import fcntl
import os
import unittest
from collections.abc import Callable
from datetime import UTC, datetime
from functools import cache
from typing import Any, ClassVar

import psycopg
from psycopg import sql
from sqlalchemy import Connection, Engine

from fennet.core.records import Batch, Garden, Mix, Tray
from fennet.launch.cluster import Cluster
from fennet.launch.serve import build_demo
from fennet.launch.state import ensure_state
from fennet.operations import gardens, people, sowing
from fennet.operations.acting import Actor, in_turn
from fennet.storage.database import connect, migrate
from fennet.storage.queries import GardenRef

NOW = datetime(2026, 2, 20, 9, 30, tzinfo=UTC)
#: Set in the processes of a run whose cluster another one made.
RUNNING = "FENNET_TEST_CLUSTER_RUNS"


@cache
def cluster() -> Cluster:
    made = Cluster("test-db", throwaway=True)
    if RUNNING not in os.environ:
        made.destroy()
        made.start()
        atexit.register(made.destroy)
    return made


@cache
def empty_database() -> str:
    """A migrated database with nothing in it, made once a run, to be copied."""
    return template("empty", lambda engine: None)


@cache
def demo_database() -> str:
    """A database with the demo season ending at the frozen clock, made once a run, to be copied."""
    return template("demo", lambda engine: build_demo(engine, NOW))


def template(name: str, fill: Callable[[Engine], object]) -> str:
    """A migrated and filled database of the run by name, made by the first process that needs it."""
    with (ensure_state() / f"test-{name}.lock").open("w") as lock:
        fcntl.flock(lock, fcntl.LOCK_EX)
        with psycopg.connect(cluster().url("postgres"), autocommit=True) as c:
            if c.execute("select 1 from pg_database where datname = %s", (name,)).fetchone():
                return name
            half, url = cluster().scratch_database()
            engine = connect(url)
            migrate(engine)
            fill(engine)
            engine.dispose()
            c.execute(sql.SQL("alter database {} rename to {}").format(sql.Identifier(half), sql.Identifier(name)))
    return name


def new_person(c: Connection, name: str, password: str = "a sentence to sign in with", keeper: bool = False) -> int:
    """Somebody who may sign in."""
    return people.make_person(c, people.NewPerson(name, password), NOW, keeper)


class DatabaseCase(unittest.TestCase):
    """Tests with a database of their own."""

    engine: ClassVar[Engine]
    url: ClassVar[str]
    like: ClassVar[str | None] = None

    @classmethod
    def setUpClass(cls) -> None:
        _, cls.url = cluster().scratch_database(cls.like or empty_database())
        cls.engine = connect(cls.url)
        cls.addClassCleanup(cls.engine.dispose)

    def garden(self, name: str, person: str | None = None, role: str = "owner") -> Actor:
        """A new garden and someone in it."""
        with self.engine.begin() as c:
            ref = gardens.make_garden(c, Garden(name=name, timezone="Europe/Tallinn"))
            person_id = new_person(c, (person or f"owner of {name}")[-60:])
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
