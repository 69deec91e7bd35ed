"""Who acts, in which garden, when; how one garden's writes take turns; and how an operation says no."""

from __future__ import annotations

import random
import time
from collections.abc import Callable, Mapping
from dataclasses import dataclass, replace
from datetime import datetime, timedelta
from functools import wraps
from typing import Any, Concatenate, ParamSpec, TypeVar, cast

from psycopg import errors
from pydantic import ValidationError
from sqlalchemy import Connection, Engine, text
from sqlalchemy.dialects.postgresql import insert
from sqlalchemy.exc import DBAPIError, IntegrityError

from fennet.journal.accepted import accepted_by
from fennet.storage import queries
from fennet.storage import tables as t
from fennet.storage.mapping import table_of
from fennet.storage.queries import GardenRef

T = TypeVar("T")
P = ParamSpec("P")
#: First half of the advisory lock under which one garden's writes take turns; the second is the garden's number.
GARDEN_LOCK = 7_301
#: A write waits so long for its turn: an import of a large file may hold it.
LONGEST_WAIT = timedelta(seconds=15)
#: A write that the database broke off for another's sake is tried so often in all.
TRIES = 5
#: A form that waited for a signal is believed for 30 days; its key is kept longer than that.
KEYS_KEPT = timedelta(days=45)
#: As text: every write pays for it, and for what the library would make of it anew.
_MARK = text("update garden set revision = revision + 1 where id = :id")
_BROKEN_OFF = (errors.DeadlockDetected, errors.SerializationFailure)


@dataclass(frozen=True)
class Actor:
    """A person (or the command line, with no number) at work in one garden."""

    name: str
    ref: GardenRef
    person_id: int | None = None

    @property
    def may_write(self) -> bool:
        return self.ref.role in ("owner", "helper")


def for_owners(operation: Callable[Concatenate[WriteContext, P], T]) -> Callable[Concatenate[WriteContext, P], T]:
    """An operation that only an owner of the garden may do, whoever calls it."""

    @wraps(operation)
    def guarded(w: WriteContext, *args: P.args, **kwargs: P.kwargs) -> T:
        if w.actor.ref.role != "owner":
            raise Refusal("Only an owner of the garden can change that. Ask one, or have them make you an owner.")
        return operation(w, *args, **kwargs)

    guarded.for_owners = True  # type: ignore[attr-defined]
    return cast(Callable[Concatenate[WriteContext, P], T], guarded)


class Refusal(Exception):
    """What cannot be done, told to a person: which field, what was given, what is accepted."""

    def __init__(self, reason: str, field: str = "", given: str = "") -> None:
        self.reason, self.field, self.given = reason, field, given
        super().__init__(reason)


def refused(error: ValidationError, words: Mapping[str, str]) -> Refusal:
    """A record that cannot be, as a refusal that names the field, what was given and what is accepted."""
    field, given, accepted = accepted_by(error.errors()[0])
    name = field.split(".")[0]
    word = words.get(name, name.replace("_", " ").removesuffix(" mm").removesuffix(" ml").removesuffix(" w"))
    return Refusal(f"{word[:1].upper()}{word[1:]}: {given} {accepted}.".replace("  ", " "), name, given)


@dataclass(frozen=True)
class WriteContext:
    """One write under way: its transaction, in which the garden is locked, who writes, when, and the key it was sent with.

    What an operation reads through `c` is what stands: no other write to this garden comes between the reading and the writing.
    """

    c: Connection
    actor: Actor
    now: datetime
    key: str | None = None

    @property
    def garden_id(self) -> int:
        return self.actor.ref.id


@dataclass(frozen=True)
class Secret:
    """What is shown once and kept nowhere but hashed: a token that a write made."""

    token: str


def in_turn(
    engine: Engine,
    actor: Actor,
    now: datetime,
    work: Callable[[WriteContext], T],
    key: str | None = None,
    rehearsal: bool = False,
) -> T | None:
    """Do one write as one transaction, after every other write to its garden that began before it; what `work` returned.

    With a `key` that was sent before nothing is done again: what came of it then is returned where that was plain (texts,
    whole numbers and lists of them), else None. A rehearsal is rolled back. `work` may be called more than once, each time on
    a fresh transaction, and does all its writing through the context. Raises Refusal.
    """
    for attempt in range(1, TRIES + 1):
        try:
            with engine.connect() as c, c.begin() as transaction:
                lock_garden(c, actor.ref.id)
                w = WriteContext(c, _as_it_stands(c, actor), now, key)
                sent_before, outcome = _take_key(w)
                if sent_before:
                    return cast(T, outcome)
                value = work(w)
                if rehearsal:
                    transaction.rollback()
                else:
                    _keep_outcome(w, value)
                    mark_changed(c, actor.ref.id)
                return value
        except IntegrityError as e:
            # What stood when the page was made does not stand any more, or two things would have one name.
            raise Refusal("That does not fit what the record holds now. Load the page again and look before you send it.") from e
        except DBAPIError as e:
            if not isinstance(e.orig, _BROKEN_OFF) or attempt == TRIES:
                raise
            time.sleep(random.uniform(0.01, 0.05) * attempt)
    raise AssertionError("the loop returns or raises")


def _as_it_stands(c: Connection, actor: Actor) -> Actor:
    """Who acts, with the garden's settings and their role in it as they are now: it may have been taken since the page was made.
    Raises Refusal for whoever may not write."""
    ref = queries.as_it_stands(c, actor.ref, actor.person_id)
    if ref is None:
        raise Refusal("This garden is gone, or you do not belong to it any more. Nothing was changed.")
    now = replace(actor, ref=ref)
    if not now.may_write:
        raise Refusal("You may look at this garden but not write in it. An owner can make you a helper.")
    return now


def lock_garden(c: Connection, garden_id: int) -> None:
    """Wait for this garden's turn to be written to; it lasts until the transaction ends. Raises Refusal where that
    takes too long."""
    most_ms = round(LONGEST_WAIT.total_seconds() * 1000)
    wait = f"set local lock_timeout = {most_ms}; select pg_advisory_xact_lock({GARDEN_LOCK:d}, {garden_id:d})"
    try:
        # One way to the server for all three: every write pays for it.
        c.exec_driver_sql(f"{wait}; set local lock_timeout = 0", execution_options={"no_parameters": True})
    except DBAPIError as e:
        if not isinstance(e.orig, errors.LockNotAvailable):
            raise
        raise Refusal(
            "Another entry to this garden is still being written, a large file perhaps. Nothing was changed by yours: "
            "send it again in a moment."
        ) from None


def mark_changed(c: Connection, garden_id: int) -> None:
    """Count a write, so that what pages remember of this garden is looked up anew."""
    c.execute(_MARK, {"id": garden_id})


def _take_key(w: WriteContext) -> tuple[bool, Any]:
    """Take the key a form was sent with: whether it was taken before, and what came of it then. Old keys go."""
    if not w.key:
        return False, None
    sent = table_of(t.SentRow)
    old = sent.delete().where(sent.c.garden_id == w.garden_id, sent.c.at < w.now - KEYS_KEPT, sent.c.key != w.key)
    new = insert(sent).values(garden_id=w.garden_id, key=w.key, at=w.now).on_conflict_do_nothing().returning(sent.c.key)
    taken = w.c.execute(new.add_cte(old.cte("old")))
    if taken.first() is not None:
        return False, None
    found = w.c.execute(sent.select().where(sent.c.garden_id == w.garden_id, sent.c.key == w.key)).mappings().one()
    return True, (found["outcome"] or {}).get("value")


def _keep_outcome(w: WriteContext, value: Any) -> None:
    """Remember what came of a write, where it is plain enough to be told again to whoever sends it twice."""
    parts = [value] if isinstance(value, str | int) else value
    if w.key and isinstance(parts, list | tuple) and parts and all(isinstance(x, str | int) for x in parts):
        sent = table_of(t.SentRow)
        outcome = {"value": value if isinstance(value, str | int) else list(value)}
        w.c.execute(sent.update().where(sent.c.garden_id == w.garden_id, sent.c.key == w.key).values(outcome=outcome))
