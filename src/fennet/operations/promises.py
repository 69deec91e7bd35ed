"""Half-up forecasts are kept as promises, to be marked later: one a batch and local day, however many pages ask at once."""

from __future__ import annotations

from collections.abc import Sequence
from datetime import date, datetime

from sqlalchemy.dialects.postgresql import insert

from fennet.core.forecast import Forecast
from fennet.core.records import Promise
from fennet.journal.times import zone_of
from fennet.journal.writer import write_record
from fennet.operations.acting import WriteContext
from fennet.operations.exchange import promise_row
from fennet.operations.logging import new_id
from fennet.storage import tables as t
from fennet.storage.mapping import table_of

HALF_UP = "half_up"


def local_day(w: WriteContext) -> date:
    return w.now.astimezone(zone_of(w.actor.ref.garden.timezone)).date()


def keep(w: WriteContext, forecasts: Sequence[Forecast]) -> int:
    """Keep the half-up forecasts that are still open, one a batch and local day by the table's own rule; how many were new."""
    zone, day = zone_of(w.actor.ref.garden.timezone), local_day(w)
    p, kept = table_of(t.PromiseRow), 0
    for f in forecasts:
        if f.half_up is None or f.half_up.settled or f.verdict == "finished":
            # What has happened is no promise.
            continue
        p10, p50, p90 = (datetime.fromtimestamp(round(getattr(f.half_up, q)), zone) for q in ("p10", "p50", "p90"))
        promise = Promise(id=new_id("p"), kind=HALF_UP, subject=f.batch.id, made_at=w.now, p10=p10, p50=p50, p90=p90)
        row = {**promise_row(w.garden_id, write_record(promise, zone)), "day": day}
        kept += w.c.execute(insert(p).values(**row).on_conflict_do_nothing()).rowcount
    return kept
