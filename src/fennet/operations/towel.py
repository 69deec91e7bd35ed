"""From the towel: live seed gets a cell each, and its history goes with it."""

from __future__ import annotations

from dataclasses import replace
from datetime import datetime

from sqlalchemy import Engine, insert

from fennet.core.history import counts_of, moved_on, standing
from fennet.operations.acting import Actor, AlreadyDone, Refusal, once, remember_outcome, writing
from fennet.operations.gardens import insert_thing
from fennet.operations.logging import batch_and_events, write_events
from fennet.operations.sowing import free_cells, new_batch_id
from fennet.storage import queries
from fennet.storage import tables as t
from fennet.storage.mapping import table_of, to_row


def move_live(
    engine: Engine,
    actor: Actor,
    batch_id: str,
    tray_id: str,
    n: int,
    now: datetime,
    depth_mm: float | None,
    key: str | None = None,
) -> str:
    """Give `n` rooted seeds of a towel a cell each in the first free cells of a tray: a new batch that names the towel. Raises
    Refusal for more than are rooted and still there, or more than the tray has free. Returns the new batch's id."""
    with writing(engine, actor) as c:
        try:
            once(c, actor, key, now)
        except AlreadyDone as done:
            return str(done.outcome.get("batches", [""])[0])
        towel, events = batch_and_events(c, actor, batch_id)
        if towel.set_up != "towel":
            raise Refusal(f"{batch_id} lies in no towel.", "batch", batch_id)
        stood = standing(events, float("inf"))
        left = counts_of(towel, stood).up - moved_on(batch_id, stood)
        if not 1 <= n <= left:
            has = f"{left} rooted seeds are" if left != 1 else "one rooted seed is"
            raise Refusal(f"{n} cannot be moved: {has} in the towel. Count roots first.", "n", str(n))
        cells = free_cells(c, actor, tray_id, n, now)
        known = set(queries.things(c, actor.ref.id))
        batch = replace(
            towel,
            id=new_batch_id(towel.crop, known),
            tray=tray_id,
            cell_list=cells,
            cells=None,
            seeds=None,
            seeds_per_cell=1,
            set_up="in_mix",
            sown_at=now,
            depth_mm=depth_mm,
            from_batch=towel.id,
        )
        insert_thing(c, actor.ref.id, batch.id, "batch")
        c.execute(insert(table_of(t.BatchRow)).values(**to_row(batch, t.BatchRow, actor.ref.id)))
        write_events(c, actor, [("moved", {"batch": towel.id, "to_batch": batch.id, "count": n}, now)], now)
        remember_outcome(c, actor, key, {"batches": [batch.id]})
        return batch.id
