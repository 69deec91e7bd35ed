"""Minutes of years ago thinned to hours: only when told to, whole months, at least a year back."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import UTC, date, datetime, timedelta

from sqlalchemy import Engine

from fennet.operations.acting import Actor, Refusal, WriteContext, for_owners, in_turn
from fennet.storage import queries, reading_store

#: What lies nearer is never thinned: this season and the last are looked at by the minute.
LEAST_BACK = timedelta(days=365)


@dataclass(frozen=True)
class Thinned:
    """One series of a logger: how many readings went, or would go."""

    place: str
    quantity: str
    source: str
    n: int


def thin(engine: Engine, actor: Actor, before: date, now: datetime, rehearsal: bool = False) -> list[Thinned]:
    """Take away what loggers read before a month, of a whole garden; the hours stay. What people read by hand stays too. Each
    series is a write of its own. Raises Refusal."""
    if before.day != 1:
        raise Refusal(f"{before} is no first of a month; accepted: a day like {before:%Y-%m}-01.", "before")
    at = datetime(before.year, before.month, 1, tzinfo=UTC)
    if at > now - LEAST_BACK:
        raise Refusal(f"{before} is too near; accepted: a month that began over a year ago.", "before")
    with engine.connect() as c:
        found = reading_store.loggers_before(c, actor.ref.id, at, queries.BY_THE_HOUR)
    out = []
    for number, place, quantity, source, n in found:
        gone = n if rehearsal else in_turn(engine, actor, now, lambda w, number=number: _thin(w, number, at))  # type: ignore[misc]
        out.append(Thinned(place, quantity, source, gone or 0))
    return out


@for_owners
def _thin(w: WriteContext, number: int, before: datetime) -> int:
    return reading_store.thin(w.c, w.garden_id, number, before)
