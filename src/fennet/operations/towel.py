"""From the towel: live seed gets a cell each, and its history goes with it."""

from __future__ import annotations

from dataclasses import replace

from sqlalchemy import insert

from fennet.core.history import counts_of, effective_events, moved_on
from fennet.operations.acting import Refusal, WriteContext
from fennet.operations.gardens import insert_thing
from fennet.operations.logging import batch_and_events, write_events
from fennet.operations.sowing import free_cells, new_batch_id
from fennet.storage import queries
from fennet.storage import tables as t
from fennet.storage.mapping import table_of, to_row


def move_live(w: WriteContext, batch_id: str, tray_id: str, n: int, depth_mm: float | None) -> str:
    """Give `n` rooted seeds of a towel a cell each in the first free cells of a tray: a new batch that names the towel. Raises
    Refusal for more than are rooted and still there, or more than the tray has free. Returns the new batch's id."""
    towel, events = batch_and_events(w, batch_id)
    if towel.set_up != "towel":
        raise Refusal(f"{batch_id} is not in a towel.", "batch", batch_id)
    stood = effective_events(events, float("inf"))
    left = counts_of(towel, stood).up - moved_on(batch_id, stood)
    if not 1 <= n <= left:
        has = f"{left} rooted seeds are" if left != 1 else "one rooted seed is"
        raise Refusal(f"{n} cannot be moved: {has} in the towel. Count roots first.", "n", str(n))
    cells = free_cells(w, tray_id, n)
    known = set(queries.things(w.c, w.garden_id))
    batch = replace(
        towel,
        id=new_batch_id(towel.crop, known),
        tray=tray_id,
        cell_list=cells,
        cells=None,
        seeds=None,
        seeds_per_cell=1,
        set_up="in_mix",
        sown_at=w.now,
        depth_mm=depth_mm,
        from_batch=towel.id,
    )
    insert_thing(w.c, w.garden_id, batch.id, "batch")
    w.c.execute(insert(table_of(t.BatchRow)).values(**to_row(batch, t.BatchRow, w.garden_id)))
    write_events(w, [("moved", {"batch": towel.id, "to_batch": batch.id, "count": n}, w.now)])
    return batch.id
