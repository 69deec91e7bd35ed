"""What is derived from events and kept as time ranges: who holds a cell, where a tray stands, what is set to what.

The events are the truth; these tables are made anew for what a write touched, in the same transaction, so that a correction
corrects them too. The database refuses ranges that overlap.
"""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from datetime import UTC, datetime
from typing import Any

from psycopg.types.range import TimestamptzRange
from sqlalchemy import Connection, delete, insert
from sqlalchemy.exc import IntegrityError

from fennet.core.history import Occupancy, occupancies, place_stays, standing
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
    stands = standing(events, FOREVER)
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
    return "A cell is given twice."


def project_placements(c: Connection, garden_id: int, trays: Iterable[str], events: Sequence[Event]) -> None:
    """Where some trays stood."""
    stands = standing(events, FOREVER)
    table = table_of(t.PlacementRow)
    for tray in set(trays):
        c.execute(delete(table).where(table.c.garden_id == garden_id, table.c.tray == tray))
        for stay in place_stays(tray, stands):
            c.execute(
                insert(table).values(garden_id=garden_id, tray=tray, place=stay.where, during=_during(stay.from_s, stay.to_s))
            )


#: Kind of event → the field that names the thing set, and the fields that are settings of it.
SETTING_FIELDS: dict[str, tuple[str, tuple[str, ...]]] = {
    "mat": ("mat", ("setpoint_c", "periods", "insulated", "probe")),
    "lamp": ("lamp", ("place", "height_mm", "on", "off", "periods", "dim_pct")),
    "fan": ("fan", ("place", "hours_per_day")),
    "cover": ("tray", ("on",)),
}


def project_settings(c: Connection, garden_id: int, events: Sequence[Event]) -> None:
    """What was set to what, for every thing that some events set; give all events of those things."""
    marks: dict[tuple[str, str], list[tuple[float, Any]]] = {}
    for e in standing(events, FOREVER):
        if e.kind not in SETTING_FIELDS:
            continue
        names, settings = SETTING_FIELDS[e.kind]
        thing = e.fields.get(names)
        for what in settings:
            if thing and what in e.fields:
                marks.setdefault((thing, "cover" if e.kind == "cover" else what), []).append((e.at.timestamp(), e.fields[what]))
        if e.kind == "mat" and e.fields.get("tray"):
            # A mat lies under several trays, each its own setting; one that leaves says so with on false.
            marks.setdefault((e.fields["tray"], "mat"), []).append(
                (e.at.timestamp(), e.fields["mat"] if e.fields.get("on") is not False else None)
            )
    table = table_of(t.SettingRow)
    for (thing, what), changes in marks.items():
        c.execute(delete(table).where(table.c.garden_id == garden_id, table.c.thing == thing, table.c.what == what))
        ends = [*(at for at, _ in changes), FOREVER][1:]
        for (start, value), end in zip(changes, ends, strict=True):
            if end > start and value is not None:
                c.execute(
                    insert(table).values(garden_id=garden_id, thing=thing, what=what, value=value, during=_during(start, end))
                )
