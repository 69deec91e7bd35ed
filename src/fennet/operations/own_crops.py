"""A garden's own kinds: kept, changed, and let go while nothing names them."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from sqlalchemy import delete, insert, select, update

from fennet.crops import CropTable, shipped
from fennet.crops.own import own_kind
from fennet.operations.acting import Refusal, WriteContext, for_owners
from fennet.storage import queries
from fennet.storage import tables as t
from fennet.storage.mapping import table_of

#: Own kinds of one garden.
MOST_OWN = 300


@for_owners
def put_own(w: WriteContext, name: str, like: str, answers: Mapping[str, Any], old_id: str | None = None) -> str:
    """Keep a kind of one's own, or change one; its id. It counts at once in forecasts, bands and plan. Raises Refusal."""
    there = queries.own_crops(w.c, w.garden_id)
    if old_id is not None and all(e["id"] != old_id for e in there):
        raise Refusal("There is no such kind of your own in this garden.")
    if old_id is None and len(there) >= MOST_OWN:
        raise Refusal(f"A garden keeps up to {MOST_OWN} kinds of its own; remove one first.")
    try:
        # A kind that is like another own kind stands behind it, as in a journal.
        table = _before(there, old_id)
        entry = own_kind(table, name, like, answers, old_id)
    except ValueError as e:
        field, _, words = str(e).partition(": ")
        raise Refusal(words[:1].upper() + words[1:] + ".", field) from None
    own = table_of(t.OwnCropRow)
    if old_id is None:
        w.c.execute(insert(own).values(garden_id=w.garden_id, id=entry["id"], body=entry))
    else:
        w.c.execute(update(own).where(own.c.garden_id == w.garden_id, own.c.id == old_id).values(body=entry))
    return str(entry["id"])


def _before(there: list[dict[str, Any]], old_id: str | None) -> CropTable:
    end = next((i for i, e in enumerate(there) if e["id"] == old_id), len(there))
    return shipped().with_own(there[:end])


@for_owners
def drop_own(w: WriteContext, crop_id: str) -> None:
    """Let an own kind go. Raises Refusal while a batch, a planned crop, a packet or another kind is of it."""
    own = table_of(t.OwnCropRow)
    for row, what in ((t.BatchRow, "a batch"), (t.SeedLotRow, "a packet"), (t.WantRow, "the plan")):
        table = table_of(row)
        if w.c.execute(select(table.c.crop).where(table.c.garden_id == w.garden_id, table.c.crop == crop_id).limit(1)).first():
            raise Refusal(f"{crop_id.replace('_', ' ')} is in use by {what}, so it stays in the record.")
    kin = [e["id"] for e in queries.own_crops(w.c, w.garden_id) if e.get("like") == crop_id]
    if kin:
        raise Refusal(f"{kin[0].replace('_', ' ')} is like it: change that one first.")
    w.c.execute(delete(own).where(own.c.garden_id == w.garden_id, own.c.id == crop_id))
