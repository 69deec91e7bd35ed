"""What is derived from events and kept as time ranges: who holds a cell.

The events are the truth; the table is made anew for what a write touched, in the same transaction, so that a correction
corrects it too. The database refuses ranges that overlap.
"""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from datetime import UTC, datetime

from psycopg.types.range import TimestamptzRange
from sqlalchemy import Connection, delete, insert
from sqlalchemy.exc import IntegrityError

from fennet.core.history import Occupancy, effective_events, occupancies
from fennet.core.records import Batch, Event
from fennet.operations.acting import Refusal
from fennet.storage import tables as t
from fennet.storage.mapping import table_of

FOREVER = float("inf")


def _during(from_s: float, to_s: float) -> TimestamptzRange:
    end = None if to_s == FOREVER else datetime.fromtimestamp(to_s, UTC)
    return TimestamptzRange(datetime.fromtimestamp(from_s, UTC), end, "[)")


def project_cells(c: Connection, garden_id: int, batches: Iterable[Batch], events: Sequence[Event]) -> None:
    """Cells held by some batches. Raises Refusal naming the cell when another batch holds it."""
    stands = effective_events(events, FOREVER)
    table = table_of(t.CellStayRow)
    batches = list(batches)
    c.execute(delete(table).where(table.c.garden_id == garden_id, table.c.batch.in_([b.id for b in batches])))
    stays: list[Occupancy] = [s for b in batches for s in occupancies(b, stands)]
    if not stays:
        return
    rows = [
        {"garden_id": garden_id, "batch": s.batch, "tray": s.tray, "cell": s.cell, "during": _during(s.from_s, s.to_s)}
        for s in stays
    ]
    try:
        with c.begin_nested():
            c.execute(insert(table), rows)
    except IntegrityError as e:
        if "one_batch_in_a_cell" not in str(e.orig):
            raise
        taken = _holders(c, garden_id, stays)
        raise Refusal(f"{taken} Choose free cells.", "cells") from None


def _holders(c: Connection, garden_id: int, stays: Sequence[Occupancy]) -> str:
    table = table_of(t.CellStayRow)
    for s in stays:
        row = (
            c.execute(
                table.select().where(
                    table.c.garden_id == garden_id,
                    table.c.tray == s.tray,
                    table.c.cell == s.cell,
                    table.c.during.op("&&")(_during(s.from_s, s.to_s)),
                )
            )
            .mappings()
            .first()
        )
        if row:
            return f"Cell {s.cell} of tray {s.tray} is held by batch {row['batch']} at that time."
    return "One cell was chosen twice."
