"""Forecasts that were shown are kept, to be marked later: one a batch and local day."""

from __future__ import annotations

from collections.abc import Sequence
from datetime import datetime

from sqlalchemy import Engine, insert

from fennet.core.forecast import Forecast
from fennet.core.records import Promise
from fennet.journal.times import local_day_bounds, zone_of
from fennet.journal.writer import write_record
from fennet.operations.acting import Actor
from fennet.operations.exchange import promise_row
from fennet.operations.logging import new_id
from fennet.storage import queries
from fennet.storage import tables as t
from fennet.storage.mapping import table_of

HALF_UP = "half_up"
#: What this process knows to be kept already, so that a page shown again asks nothing. The table itself decides.
_kept_today: dict[tuple[str, int, str, float], None] = {}
MOST_REMEMBERED = 2_000


def keep(engine: Engine, actor: Actor, forecasts: Sequence[Forecast], now: datetime) -> None:
    """Keep the half-up forecasts just shown that are not kept today yet; what has happened is no promise."""
    zone = zone_of(actor.ref.garden.timezone)
    today, _ = local_day_bounds(now, zone)
    open_ones = [f for f in forecasts if f.half_up is not None and not f.half_up.settled and f.verdict != "finished"]
    if not open_ones:
        return
    p = table_of(t.PromiseRow)
    keys = {f.batch.id: (str(engine.url), actor.ref.id, f.batch.id, today.timestamp()) for f in open_ones}
    new = [f for f in open_ones if keys[f.batch.id] not in _kept_today]
    if not new:
        return
    with engine.begin() as c:
        for f in new:
            if queries.promise_made(c, actor.ref.id, f.batch.id, HALF_UP, today):
                continue
            assert f.half_up is not None
            p10, p50, p90 = (datetime.fromtimestamp(round(getattr(f.half_up, q)), zone) for q in ("p10", "p50", "p90"))
            promise = Promise(id=new_id("p"), kind=HALF_UP, subject=f.batch.id, made_at=now, p10=p10, p50=p50, p90=p90)
            body = write_record(promise, zone)
            c.execute(insert(p).values(**promise_row(actor.ref.id, body)))
    for f in new:
        _kept_today[keys[f.batch.id]] = None
    while len(_kept_today) > MOST_REMEMBERED:
        _kept_today.pop(next(iter(_kept_today)))
