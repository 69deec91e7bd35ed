"""Who acts, in which garden, when; and how an operation says no."""

from __future__ import annotations

from collections.abc import Iterator
from contextlib import contextmanager
from dataclasses import dataclass
from datetime import datetime
from typing import Any

from sqlalchemy import Connection, Engine
from sqlalchemy.dialects.postgresql import insert

from fennet.storage import tables as t
from fennet.storage.mapping import table_of
from fennet.storage.queries import GardenRef


@dataclass(frozen=True)
class Actor:
    """A person (or the command line, with no number) at work in one garden."""

    name: str
    ref: GardenRef
    person_id: int | None = None

    @property
    def may_write(self) -> bool:
        return self.ref.role in ("owner", "helper")


class Refusal(Exception):
    """What cannot be done, told to a person: which field, what was given, what is accepted."""

    def __init__(self, reason: str, field: str = "", given: str = "") -> None:
        self.reason, self.field, self.given = reason, field, given
        super().__init__(reason)


class AlreadyDone(Exception):
    """The same form was sent before; what came of it then."""

    def __init__(self, outcome: dict[str, Any]) -> None:
        self.outcome = outcome
        super().__init__("already done")


@contextmanager
def writing(engine: Engine, actor: Actor) -> Iterator[Connection]:
    """One transaction for one write. Raises Refusal where the actor may only look."""
    if not actor.may_write:
        raise Refusal("You may look at this garden but not write in it. An owner can make you a helper.")
    with engine.begin() as c:
        yield c
        mark_changed(c, actor.ref.id)


def mark_changed(c: Connection, garden_id: int) -> None:
    """Count a write, so that what pages remember of this garden is looked up anew. Last in its transaction: it locks the row."""
    garden = table_of(t.GardenRow)
    c.execute(garden.update().where(garden.c.id == garden_id).values(revision=garden.c.revision + 1))


def once(c: Connection, actor: Actor, key: str | None, now: datetime) -> None:
    """Take a form's key, so that the same form sent twice is one write. Raises AlreadyDone the second time."""
    if not key:
        return
    sent = table_of(t.SentRow)
    taken = c.execute(insert(sent).values(garden_id=actor.ref.id, key=key, at=now).on_conflict_do_nothing().returning(sent.c.key))
    if taken.first() is None:
        outcome = c.execute(sent.select().where(sent.c.garden_id == actor.ref.id, sent.c.key == key)).mappings().one()["outcome"]
        raise AlreadyDone(outcome or {})


def remember_outcome(c: Connection, actor: Actor, key: str | None, outcome: dict[str, Any]) -> None:
    if key:
        sent = table_of(t.SentRow)
        c.execute(sent.update().where(sent.c.garden_id == actor.ref.id, sent.c.key == key).values(outcome=outcome))


@contextmanager
def writing_once(engine: Engine, actor: Actor, key: str | None, now: datetime) -> Iterator[Connection | None]:
    """One transaction for one write that a form may send twice: None the second time."""
    with writing(engine, actor) as c:
        try:
            once(c, actor, key, now)
        except AlreadyDone:
            yield None
            return
        yield c
