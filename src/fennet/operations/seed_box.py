"""The seed box: packets, what is left in them and how they tested."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import asdict, fields, replace
from typing import Any

from sqlalchemy import delete, insert, select, update

from fennet.core.records import Journal, SeedLot, SeedTest
from fennet.core.stock import seeds_left
from fennet.operations.acting import Refusal, WriteContext
from fennet.operations.logging import new_id
from fennet.operations.typed_records import crop_id, parsed
from fennet.storage import queries
from fennet.storage import tables as t
from fennet.storage.mapping import table_of, to_row


def put_lot(w: WriteContext, given: Mapping[str, Any], lot_id: str | None = None) -> str:
    """Add a packet, or change one; returns its id. A count of seeds holds from today. Raises Refusal."""
    table = table_of(t.SeedLotRow)
    old = _lot(w, lot_id) if lot_id else None
    plain = {**({f.name: getattr(old, f.name) for f in fields(old)} if old else {}), **given}
    plain["id"] = lot_id or new_id("lot")
    plain["crop"] = crop_id(w, str(plain.get("crop") or ""))
    plain["tests"] = [asdict(x) if isinstance(x, SeedTest) else x for x in plain.get("tests") or []]
    lot: SeedLot = parsed(SeedLot, plain)
    if old is not None and "counted_at" not in given:
        lot = _counted(w, old, lot)
    if lot.packed is not None and lot.packed > w.now.year:
        raise Refusal(f"A packet of {lot.packed} is not there yet; this year is {w.now.year}.", "packed", str(lot.packed))
    if old is not None:
        row = to_row(lot, t.SeedLotRow, w.garden_id)
        w.c.execute(update(table).where(table.c.garden_id == w.garden_id, table.c.id == lot.id).values(**row))
    else:
        w.c.execute(insert(table).values(**to_row(lot, t.SeedLotRow, w.garden_id)))
    return lot.id


def _counted(w: WriteContext, old: SeedLot, lot: SeedLot) -> SeedLot:
    """A count that is not what is left now is a fresh one; one that is leaves the old count as it was."""
    batches = queries.records(w.c, w.garden_id, "batches", table_of(t.BatchRow).c.seed_lot == lot.id)
    left = seeds_left(Journal(seed_lots=[old], batches=batches), w.now.timestamp()).get(lot.id)
    if lot.seeds == left:
        return replace(lot, seeds=old.seeds, counted_at=old.counted_at)
    return replace(lot, counted_at=None if lot.seeds is None else w.now)


def _lot(w: WriteContext, lot_id: str) -> SeedLot:
    found = queries.records(w.c, w.garden_id, "seed_lots", table_of(t.SeedLotRow).c.id == lot_id)
    if not found:
        raise Refusal(f"There is no packet {lot_id} in the seed box.", "lot", lot_id)
    lot: SeedLot = found[0]
    return lot


def enter_test(w: WriteContext, lot_id: str, given: Mapping[str, Any]) -> SeedTest | None:
    """Enter a home test of a packet: x of n on a day. Raises Refusal."""
    test: SeedTest = parsed(SeedTest, given)
    if test.germinated > test.sown:
        raise Refusal(f"{test.germinated} of {test.sown} cannot have come up.", "germinated", str(test.germinated))
    if test.on > w.now.date():
        raise Refusal(f"{test.on.isoformat()} is still to come.", "on", test.on.isoformat())
    table = table_of(t.SeedLotRow)
    lot = _lot(w, lot_id)
    lot = replace(lot, tests=sorted([*lot.tests, test], key=lambda x: x.on))
    row = to_row(lot, t.SeedLotRow, w.garden_id)
    w.c.execute(update(table).where(table.c.garden_id == w.garden_id, table.c.id == lot_id).values(tests=row["tests"]))
    return test


def drop_lot(w: WriteContext, lot_id: str) -> None:
    """Take a packet out of the box. One that was sown from stays: its batches name it. Raises Refusal."""
    table, batch = table_of(t.SeedLotRow), table_of(t.BatchRow)
    _lot(w, lot_id)
    sown = w.c.execute(select(batch.c.id).where(batch.c.garden_id == w.garden_id, batch.c.seed_lot == lot_id).limit(1)).first()
    if sown:
        raise Refusal(f"Batch {sown[0]} was sown from that packet, so it stays in the record; set its seeds left to 0 instead.")
    w.c.execute(delete(table).where(table.c.garden_id == w.garden_id, table.c.id == lot_id))
