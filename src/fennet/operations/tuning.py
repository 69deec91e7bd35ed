"""Setting a device: what a person confirmed is logged, guarded, and kept as a promise to be marked."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from datetime import datetime, timedelta
from typing import Any

from sqlalchemy import Engine, insert

from fennet.core.records import Event, Journal
from fennet.core.tuning.guards import forbidden
from fennet.core.tuning.mats import CAP_C, CEILING_C, LEAST_SETPOINT_C
from fennet.core.working import Interval
from fennet.journal.times import format_instant, zone_of
from fennet.operations.acting import Actor, Refusal, writing_once
from fennet.operations.deeds import check_deed
from fennet.operations.exchange import promise_row
from fennet.operations.logging import new_id, write_events
from fennet.storage import tables as t
from fennet.storage.mapping import table_of

MAT_SOIL = "mat_soil"
#: A set mat is looked at over the second day after it was set.
MARK_FROM, MARK_TO = timedelta(days=1), timedelta(days=2)
REASONS = {
    "over_cap": f"{CAP_C:g} °C is the cap: no seed wants more.",
    "over_ceiling": "Nothing on this mat stands more than {ceiling}.",
    "under_least": f"A set-point is {LEAST_SETPOINT_C:g} °C or more.",
    "silent": "Nothing has read the soil of {tray} for over half a day: heat is not raised while its probe is silent.",
    "stuck": "The probe in {tray} has not moved for hours: heat is not raised while it may be stuck.",
    "reads_air": "The probe in {tray} reads like the air: see that it lies in the mix and the mat is plugged in.",
}


def set_mat(
    engine: Engine,
    actor: Actor,
    journal: Journal,
    events: Sequence[Event],
    mat: str,
    setpoint_c: float,
    promised: Mapping[str, Interval[float]],
    now: datetime,
    key: str | None = None,
    ceiling_c: float = CEILING_C,
) -> Event | None:
    """Log a mat's new set-point and, for each tray, promise the soil it should bring over the second day. One transaction.

    `journal` and `events` are the record as it stands, `promised` tray → mean soil in °C. Raises Refusal where a guard forbids
    it.
    """
    why_not = (
        forbidden(journal, mat, setpoint_c, events, now.timestamp(), ceiling_c) if any(m.id == mat for m in journal.mats) else []
    )
    if why_not:
        reason, tray = why_not[0]
        raise Refusal(REASONS[reason].format(tray=tray, ceiling=f"{ceiling_c:g} °C"), "setpoint_c", f"{setpoint_c:g}")
    fields: dict[str, Any] = {"mat": mat, "setpoint_c": setpoint_c}
    zone = zone_of(actor.ref.garden.timezone)
    with writing_once(engine, actor, key, now) as c:
        if c is None:
            return None
        check_deed(c, actor, "mat", fields, now)
        made = write_events(c, actor, [("mat", fields, now)], now)[0]
        for tray, soil in promised.items():
            body = {
                "id": new_id("p"),
                "kind": MAT_SOIL,
                "subject": tray,
                "thing": mat,
                "event": made.id,
                "made_at": format_instant(now, zone),
                "due_from": format_instant(now + MARK_FROM, zone),
                "due_at": format_instant(now + MARK_TO, zone),
                "low": round(soil.p10, 2),
                "middle": round(soil.p50, 2),
                "high": round(soil.p90, 2),
                "unit": "degC",
                "setpoint_c": setpoint_c,
            }
            c.execute(insert(table_of(t.PromiseRow)).values(**promise_row(actor.ref.id, body)))
        return made
