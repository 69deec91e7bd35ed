"""Readings: one by hand, or many from a file or a device."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, field
from datetime import datetime

from sqlalchemy import Connection, Engine

from fennet.journal.aside import SetAside, shown
from fennet.journal.readings import Collector, Group, Known, Taken
from fennet.journal.times import format_instant, zone_of
from fennet.operations.acting import Actor, Refusal, writing_once
from fennet.operations.logging import CLOCK_SLACK, checked_time
from fennet.storage import queries
from fennet.storage.reading_store import Column, store


@dataclass
class Outcome:
    """What became of a lot of readings."""

    accepted: int = 0
    repeated: int = 0
    aside: list[SetAside] = field(default_factory=list)


def known_of(c: Connection, actor: Actor) -> Known:
    """What readings of this garden may refer to."""
    lamps = {lamp.id: lamp for lamp in queries.records(c, actor.ref.id, "lamps")}
    return Known(queries.things(c, actor.ref.id), lamps, {s.id: s for s in queries.sources(c, actor.ref.id)})


def collector_for(engine: Engine, actor: Actor, now: datetime) -> Collector:
    """A collector that knows this garden and its zone; what lies in the future is set aside."""
    with engine.connect() as c:
        return Collector(known_of(c, actor), zone_of(actor.ref.garden.timezone), (now + CLOCK_SLACK).timestamp())


def as_columns(groups: Sequence[Group]) -> list[Column]:
    return [Column(g.key.series, g.key.unit, g.key.under, g.key.estimated, g.at_s, g.value, g.canonical) for g in groups]


def keep(c: Connection, actor: Actor, taken: Taken, replace: bool = False) -> Outcome:
    """Write what a collector took, inside a transaction."""
    zone = zone_of(actor.ref.garden.timezone)
    kept, repeated, clashes = store(c, actor.ref.id, as_columns(taken.groups), replace) if taken.groups else (0, 0, [])
    aside = [
        SetAside(
            f"{x.place} {format_instant(x.at, zone)}",
            "value",
            f"{x.value:g}",
            f"differs from {x.kept:g}, kept for the same {x.quantity}, source and time; "
            "accepted when you say that it replaces it",
        )
        for x in clashes
    ]
    return Outcome(kept, taken.repeated + repeated, [*taken.aside, *aside])


def take(engine: Engine, actor: Actor, taken: Taken, now: datetime, replace: bool = False, key: str | None = None) -> Outcome:
    """Keep what a collector took: one transaction, safe to send again."""
    with writing_once(engine, actor, key, now) as c:
        if c is None:
            return Outcome(repeated=taken.n)
        return keep(c, actor, taken, replace)


def log_reading(
    engine: Engine,
    actor: Actor,
    place: str,
    quantity: str,
    value: str,
    unit: str,
    at: datetime,
    now: datetime,
    estimated: bool = False,
    key: str | None = None,
) -> Outcome:
    """One reading by hand. Raises Refusal when it cannot be one."""
    checked_time(at, now)
    collector = collector_for(engine, actor, now)
    number: float | str = value.strip().replace(",", ".")
    collector.add(1, at.isoformat(), number, place, quantity, unit, "by-hand", None, None, None, None, estimated or None)
    taken = collector.close()
    if taken.aside:
        fault = taken.aside[0]
        raise Refusal(f"{shown(value)} {unit} {fault.reason}".replace("degC", "°C").replace("degF", "°F"), fault.field, value)
    outcome = take(engine, actor, taken, now, key=key)
    if outcome.aside:
        raise Refusal(f"Another reading by hand stands at that very minute: {outcome.aside[0].reason}", "value", value)
    return outcome


def rehearse(engine: Engine, actor: Actor, taken: Taken, replace: bool = False) -> Outcome:
    """What `take` would do, without doing it: the same steps, rolled back."""
    with engine.connect() as c:
        outcome = keep(c, actor, taken, replace)
        c.rollback()
    return outcome
