"""What Fennet promised, kept to be marked later: half-up forecasts, one a batch and local day however many pages ask at once, the
first pick of what was planted, and what a setting that a person confirmed should bring."""

from __future__ import annotations

from collections.abc import Sequence
from datetime import date, datetime
from typing import Any

from sqlalchemy.dialects.postgresql import insert

from fennet.core.crop import Crop
from fennet.core.forecast import Forecast
from fennet.core.hardening.after import FirstExpected
from fennet.core.records import Batch, Event
from fennet.core.scoring import FIRST_PICK, HALF_UP, Promise
from fennet.core.working import Interval
from fennet.journal.promises import entry_of
from fennet.journal.times import zone_of
from fennet.operations.acting import WriteContext
from fennet.operations.exchange import promise_row
from fennet.operations.logging import new_id
from fennet.storage import queries
from fennet.storage import tables as t
from fennet.storage.mapping import table_of


def local_day(w: WriteContext) -> date:
    return w.now.astimezone(zone_of(w.actor.ref.garden.timezone)).date()


def keep(w: WriteContext, forecasts: Sequence[Forecast]) -> int:
    """Keep the half-up forecasts that are still open, one a batch and local day by the table's own rule; how many were new."""
    day, kept = local_day(w), 0
    for f in forecasts:
        if f.half_up is None or f.half_up.settled or f.verdict == "finished":
            # What has happened is no promise.
            continue
        at_s = (f.half_up.p10, f.half_up.p50, f.half_up.p90)
        kept += _write(w, Promise(new_id("p"), HALF_UP, f.batch.id, w.now.timestamp(), *at_s), day)
    return kept


def keep_firsts(w: WriteContext, found: Sequence[tuple[Batch, Crop, FirstExpected]]) -> None:
    """Keep when the first of what was planted is expected, once for each batch."""
    for batch, crop, expected in found:
        at_s = (expected.at_s.p10, expected.at_s.p50, expected.at_s.p90)
        _write(w, Promise(new_id("p"), FIRST_PICK, batch.id, w.now.timestamp(), *at_s, crop.bed.gives), None)


def keep_daily(w: WriteContext, found: Sequence[Promise]) -> None:
    """Keep promises of one a subject and local day, as half-up forecasts are kept."""
    day = local_day(w)
    for kind in dict.fromkeys(p.kind for p in found):
        made = queries.promised_on(w.c, w.garden_id, kind, day)
        for p in found:
            if p.kind == kind and p.subject not in made:
                _write(w, p, day)


def new_promise(kind: str, subject: str, made_s: float, at_s: Interval[float] | None = None, **more: Any) -> Promise:
    """A promise of a time, or that something will or will not happen."""
    low, middle, high = (at_s.p10, at_s.p50, at_s.p90) if at_s is not None else (0.0, 0.0, 0.0)
    return Promise(new_id("p"), kind, subject, made_s, low, middle, high, **more)


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
