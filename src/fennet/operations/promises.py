"""What Fennet promised, kept to be marked later, once however many pages ask at once; and what a setting that a person confirmed
should bring."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace
from datetime import date, datetime
from typing import Any

from sqlalchemy import Connection
from sqlalchemy.dialects.postgresql import insert

from fennet.answering.promising import DAILY, ONCE, AlreadyMade
from fennet.core.records import Event
from fennet.core.scoring import Promise
from fennet.core.working import Interval
from fennet.journal.promises import entry_of
from fennet.journal.times import zone_of
from fennet.operations.acting import WriteContext
from fennet.operations.exchange import promise_row
from fennet.operations.logging import new_id
from fennet.storage import queries
from fennet.storage import tables as t
from fennet.storage.mapping import table_of


def already_made(c: Connection, garden_id: int, day: date) -> AlreadyMade:
    """What was promised of a garden, as far as it is not promised again on a local day."""
    ever = {kind: queries.promised(c, garden_id, kind) for kind in ONCE}
    return AlreadyMade({**ever, **{kind: queries.promised_on(c, garden_id, kind, day) for kind in DAILY}})


def keep(w: WriteContext, found: Sequence[Promise]) -> int:
    """Keep promises, but for those that somebody else kept meanwhile; how many were new. Of one kind, subject and local day there
    is one, by the table's own rule."""
    day = w.now.astimezone(zone_of(w.actor.ref.garden.timezone)).date()
    made = already_made(w.c, w.garden_id, day)
    return sum(_write(w, replace(p, id=new_id("p")), day) for p in found if not made.holds(p.kind, p.subject))


def keep_setting(
    w: WriteContext, kind: str, made: Event, tray: str, thing: str, due: tuple[datetime, datetime],
    range_: Interval[float], digits: int, **more: Any,
) -> None:  # fmt: skip
    """Keep what a setting should bring to a tray, to be marked between two moments."""
    from_s, to_s = (at.timestamp() for at in due)
    promised = Promise(new_id("p"), kind, tray, made.at_s, range_.p10, range_.p50, range_.p90, thing, made.id, from_s, to_s)
    _write(w, promised, None, digits, **more)


def _write(w: WriteContext, promise: Promise, day: date | None, digits: int = 0, **more: Any) -> int:
    entry = entry_of(promise, zone_of(w.actor.ref.garden.timezone), digits, **more)
    row = {**promise_row(w.garden_id, entry), "day": day}
    return w.c.execute(insert(table_of(t.PromiseRow)).values(**row).on_conflict_do_nothing()).rowcount
