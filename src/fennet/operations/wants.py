"""Wants: what is to be grown, by when and how many; every write one transaction."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import asdict, replace
from datetime import date
from typing import Any

from sqlalchemy import delete, insert, update

from fennet.core.bounds import MOST_PLANTS
from fennet.core.kinds import practice_fault
from fennet.core.planning.plan import MOST_SOWINGS, MOST_WANTS, beyond
from fennet.core.records import Want
from fennet.operations.acting import Refusal, WriteContext, for_owners
from fennet.operations.logging import new_id
from fennet.operations.typed_records import crop_id, parsed
from fennet.storage import queries
from fennet.storage import tables as t
from fennet.storage.mapping import table_of, to_row


@for_owners
def put_want(w: WriteContext, given: Mapping[str, Any], position: int | None = None) -> int:
    """Add a want, or change one; returns its place in the list. What is not in `given` stays. Raises Refusal."""
    table = table_of(t.WantRow)
    old = _want(w, position) if position is not None else None
    plain = {**(asdict(old) if old else {}), **given}
    plain["crop"] = crop_id(w, str(plain.get("crop") or ""))
    want: Want = parsed(Want, plain)
    _check_want(w, want)
    there = queries.wants_by_position(w.c, w.garden_id)
    check_holds([*(x for at, x in there.items() if at != position), want])
    if position is not None:
        w.c.execute(
            update(table)
            .where(table.c.garden_id == w.garden_id, table.c.position == position)
            .values(**to_row(want, t.WantRow, w.garden_id))
        )
        return position
    want = replace(want, id=want.id or new_id("want"))
    row = to_row(want, t.WantRow, w.garden_id)
    return int(w.c.execute(insert(table).values(**row).returning(table.c.position)).scalar_one())


def check_holds(wants: Sequence[Want]) -> None:
    """Raises Refusal for more wants, or more sowings of them, than one plan holds."""
    if len(wants) > MOST_WANTS:
        raise Refusal(f"A plan holds up to {MOST_WANTS} crops; remove some first.")
    if beyond(wants):
        raise Refusal(f"A plan holds up to {MOST_SOWINGS} sowings; plan fewer of them, or remove a crop.", "times")


def _want(w: WriteContext, position: int) -> Want:
    found = queries.wants_by_position(w.c, w.garden_id).get(position)
    if found is None:
        raise Refusal("That crop is no longer in the plan; load the page again.")
    return found


def _check_want(w: WriteContext, want: Want) -> None:
    if not want.plants:
        raise Refusal("Say how many plants are wanted.", "plants")
    if want.plants + (want.spares or 0) > MOST_PLANTS:
        raise Refusal(f"A want goes up to {MOST_PLANTS:,} plants.", "plants", str(want.plants))
    if want.seed_lot:
        lots = queries.records(w.c, w.garden_id, "seed_lots", table_of(t.SeedLotRow).c.id == want.seed_lot)
        if not lots:
            raise Refusal(f"There is no packet {want.seed_lot} in the seed box.", "seed_lot", want.seed_lot)
        if lots[0].crop != want.crop:
            raise Refusal(f"That packet holds {lots[0].crop.replace('_', ' ')}.", "seed_lot", want.seed_lot)
    for name, value in want.practice.items():
        if (accepted := practice_fault(name, value)) is not None:
            raise Refusal(f"{name}: {value!r} is not one of the choices; accepted: {accepted}.", name)


@for_owners
def drop_want(w: WriteContext, position: int) -> Want:
    """Take a want off the plan; what was sown for it stays in the record. Returns what it was."""
    table = table_of(t.WantRow)
    want = _want(w, position)
    w.c.execute(delete(table).where(table.c.garden_id == w.garden_id, table.c.position == position))
    return want


def move(w: WriteContext, moves: Sequence[tuple[int, str, date | None]]) -> None:
    """Give sowings days of their own: (want, which of its sowings, day); None hands one back to the plan. All or nothing."""
    change(w, moves, ())


@for_owners
def change(w: WriteContext, moves: Sequence[tuple[int, str, date | None]], plants: Sequence[tuple[int, int]]) -> None:
    """Move sowings and want other numbers of plants, 0 leaving a want out, as one write. Raises Refusal."""
    table = table_of(t.WantRow)
    for position, sowing_no, day in moves:
        want = _want(w, position)
        if day is not None and abs((day - w.now.date()).days) > 800:
            raise Refusal(f"{day.isoformat()} is too far off to plan for.", "day", day.isoformat())
        moved = {k: v for k, v in want.moved.items() if k != sowing_no} | ({sowing_no: day} if day else {})
        row = to_row(replace(want, moved=moved), t.WantRow, w.garden_id)
        w.c.execute(
            update(table).where(table.c.garden_id == w.garden_id, table.c.position == position).values(moved=row["moved"])
        )
    for position, n in plants:
        want = _want(w, position)
        if n:
            _check_want(w, replace(want, plants=n))
        mine = (table.c.garden_id == w.garden_id) & (table.c.position == position)
        w.c.execute(update(table).where(mine).values(plants=n) if n else delete(table).where(mine))


def named_want(w: WriteContext, position: int) -> Want:
    """A want with an id of its own, given now if it had none, so that a batch can say what it was sown for."""
    want = _want(w, position)
    if want.id is None:
        table = table_of(t.WantRow)
        want = replace(want, id=new_id("want"))
        w.c.execute(update(table).where(table.c.garden_id == w.garden_id, table.c.position == position).values(id=want.id))
    return want
