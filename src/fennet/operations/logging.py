"""Logging what was done and seen: events, counts from the cell plan, undo and correction."""

from __future__ import annotations

import secrets
from collections.abc import Mapping, Sequence
from dataclasses import replace
from datetime import datetime, timedelta
from typing import Any

from sqlalchemy import Connection, Engine, insert

from fennet.core.history import counts_of, standing
from fennet.core.records import Batch, Event
from fennet.operations.acting import Actor, Refusal, writing, writing_once
from fennet.operations.projecting import SETTING_FIELDS, project_cells, project_placements, project_settings
from fennet.storage import queries
from fennet.storage import tables as t
from fennet.storage.mapping import event_row, table_of

#: A clock on a phone may run a little ahead of the server's.
CLOCK_SLACK = timedelta(minutes=5)


def new_id(kind: str) -> str:
    return f"{kind}-{secrets.token_hex(6)}"


def write_events(
    c: Connection, actor: Actor, entries: Sequence[tuple[str, Mapping[str, Any], datetime]], now: datetime
) -> list[Event]:
    """Append events (kind, fields, at) and bring the time ranges they touch up to date. Inside a transaction."""
    events = [Event(kind=kind, at=at, id=new_id("e"), by=actor.name, fields=dict(fields)) for kind, fields, at in entries]
    insert_events(c, actor, events, now)
    project(c, actor.ref.id, events)
    return events


def insert_events(c: Connection, actor: Actor, events: Sequence[Event], now: datetime) -> None:
    if events:
        extra = {"author_id": actor.person_id, "recorded_at": now}
        c.execute(insert(table_of(t.EventRow)), [event_row(e, actor.ref.id) | extra for e in events])


def project(c: Connection, garden_id: int, events: Sequence[Event]) -> None:
    """Bring the time ranges up to date for what these events touch (withdrawals and corrections through what they name)."""
    e = table_of(t.EventRow)
    targets = {x.fields["target"] for x in events if "target" in x.fields}
    touched = list(events)
    while targets:
        found = queries.events(c, garden_id, e.c.id.in_(targets))
        touched += found
        targets = {x.fields["target"] for x in found if "target" in x.fields}
    kinds = {x.kind for x in touched}
    batch_ids = {x.fields["batch"] for x in touched if x.kind in ("gave_up", "planted", "potted_up", "lost", "moved")}
    # A move parts a batch: the new one holds its cells from then.
    batch_ids |= {x.fields["to_batch"] for x in touched if x.kind == "moved" and x.fields.get("to_batch")}
    trays = {x.fields["tray"] for x in touched if x.kind == "placed"}
    if batch_ids:
        batches = queries.records(c, garden_id, "batches", table_of(t.BatchRow).c.id.in_(batch_ids))
        project_cells(c, garden_id, batches, queries.events_about(c, garden_id, [], list(batch_ids)))
    if trays:
        project_placements(c, garden_id, trays, queries.events_about(c, garden_id, list(trays), []))
    if kinds & SETTING_FIELDS.keys():
        project_settings(c, garden_id, queries.events(c, garden_id))


def checked_time(at: datetime, now: datetime) -> datetime:
    if at > now + CLOCK_SLACK:
        raise Refusal("That time lies in the future. Log it when it has happened.", "at", at.isoformat())
    return at


def batch_and_events(c: Connection, actor: Actor, batch_id: str) -> tuple[Batch, list[Event]]:
    """A batch of this garden and its events. Raises Refusal when there is none."""
    found = queries.records(c, actor.ref.id, "batches", table_of(t.BatchRow).c.id == batch_id)
    if not found:
        raise Refusal(f"There is no batch {batch_id} in this garden.", "batch", batch_id)
    return found[0], queries.events_about(c, actor.ref.id, [], [batch_id])


def cells_up(batch: Batch, events: Sequence[Event]) -> dict[str, datetime]:
    """Located cells that are up, with the time each was first marked. What is taken back by a later list is gone."""
    up: dict[str, datetime] = {}
    for e in events:
        if e.kind == "count" and e.fields["batch"] == batch.id and "cell_list" in e.fields:
            up = {cell: up.get(cell, e.at) for cell in e.fields["cell_list"]}
    return up


def mark_more(
    engine: Engine, actor: Actor, batch_id: str, cells: Sequence[str], at: datetime, now: datetime, key: str | None = None
) -> Event | None:
    """Say that some more cells of a batch are up; the event carries the running total. None when none of them is new.

    Raises Refusal for cells that are not the batch's or for a time before it was sown.
    """
    checked_time(at, now)
    with writing_once(engine, actor, key, now) as c:
        made = mark_within(c, actor, batch_id, cells, at, now) if c is not None else []
        return made[0] if made else None


def mark_within(c: Connection, actor: Actor, batch_id: str, cells: Sequence[str], at: datetime, now: datetime) -> list[Event]:
    """`mark_more` inside a transaction: the count written and the later counts it corrected."""
    batch, events = batch_and_events(c, actor, batch_id)
    mine = batch.cell_list or []
    foreign = [cell for cell in cells if cell not in mine]
    if foreign or not cells:
        raise Refusal(f"Cell {foreign[0]} does not belong to batch {batch.id}." if foreign else "Choose a cell.", "cells")
    _not_before_sowing(batch, at)
    marked = set(cells_up(batch, standing(events, at.timestamp())))
    # Counts logged for later times hold these cells too, or they would fall back.
    later = [
        e
        for e in standing(events, float("inf"))
        if e.kind == "count" and e.fields["batch"] == batch.id and e.at > at and "cell_list" in e.fields
    ]
    if all(set(cells) <= set(e.fields["cell_list"]) for e in later) and set(cells) <= marked:
        return []
    made = write_events(c, actor, [("count", _count_fields(batch, marked | set(cells)), at)], now)
    for e in later:
        if not set(cells) <= set(e.fields["cell_list"]):
            made.append(_correct_cells(c, actor, e, batch, set(e.fields["cell_list"]) | set(cells), now))
    return made


def unmark(engine: Engine, actor: Actor, batch_id: str, cell: str, now: datetime) -> Event | None:
    """Take back one cell marked by mistake: every count that held it is corrected. None when it was not marked."""
    with writing(engine, actor) as c:
        batch, events = batch_and_events(c, actor, batch_id)
        made = None
        for e in standing(events, float("inf")):
            if e.kind == "count" and e.fields["batch"] == batch.id and cell in e.fields.get("cell_list", []):
                made = _correct_cells(c, actor, e, batch, set(e.fields["cell_list"]) - {cell}, now)
        return made


def _count_fields(batch: Batch, up: set[str]) -> dict[str, Any]:
    return {"batch": batch.id, "cells_up": len(up), "cell_list": sorted(up, key=(batch.cell_list or []).index)}


def _correct_cells(c: Connection, actor: Actor, e: Event, batch: Batch, up: set[str], now: datetime) -> Event:
    return write_events(
        c, actor, [("corrects", {"target": e.id, "event": replace(e, fields={**e.fields, **_count_fields(batch, up)})}, now)], now
    )[0]


def log_count(
    engine: Engine, actor: Actor, batch_id: str, unit: str, total: int, at: datetime, now: datetime, key: str | None = None
) -> Event | None:
    """Log a running total of cells, seedlings or rooted seed. Raises Refusal for more than was sown or less than before."""
    checked_time(at, now)
    with writing_once(engine, actor, key, now) as c:
        return count_within(c, actor, batch_id, unit, total, at, now) if c is not None else None


def count_within(c: Connection, actor: Actor, batch_id: str, unit: str, total: int, at: datetime, now: datetime) -> Event:
    """`log_count` inside a transaction."""
    batch, events = batch_and_events(c, actor, batch_id)
    field = unit if unit == "rooted" else f"{unit}_up"
    most = batch.n_cells if unit == "cells" else (batch.seeds or batch.n_cells * batch.n_seeds_per_cell)
    if not 0 <= total <= most:
        raise Refusal(f"{total} are more than were sown; 0 to {most} can be up.", "total", str(total))
    _not_below(batch, events, field, total, at)
    return write_events(c, actor, [("count", {"batch": batch.id, field: total}, at)], now)[0]


def _not_before_sowing(batch: Batch, at: datetime) -> None:
    if at < batch.sown_at:
        raise Refusal(f"Batch {batch.id} was sown later than that.", "at", at.isoformat())


def _not_below(batch: Batch, events: Sequence[Event], field: str, total: int, at: datetime) -> None:
    _not_before_sowing(batch, at)
    earlier = counts_of(batch, standing(events, at.timestamp())).up if any(field in e.fields for e in events) else 0
    if total < earlier:
        raise Refusal(
            f"{earlier} were up before. A count cannot go down: undo the earlier one, or log losses.", "total", str(total)
        )


def withdraw(engine: Engine, actor: Actor, event_id: str, now: datetime) -> Event:
    """Undo: say that an event does not hold. Withdrawing a withdrawal brings the event back. Raises Refusal."""
    with writing(engine, actor) as c:
        return withdraw_within(c, actor, event_id, now)


def withdraw_within(c: Connection, actor: Actor, event_id: str, now: datetime) -> Event:
    """`withdraw` inside a transaction."""
    e = table_of(t.EventRow)
    found = queries.events(c, actor.ref.id, e.c.id == event_id)
    if not found:
        raise Refusal("There is no such entry in this garden.", "event", event_id)
    withdrawals = queries.events(c, actor.ref.id, e.c.target == event_id, e.c.kind == "withdrawn")
    if any(w.id not in _withdrawn(c, actor, w.id) for w in withdrawals):
        raise Refusal("That entry is undone already.", "event", event_id)
    return write_events(c, actor, [("withdrawn", {"target": event_id}, now)], now)[0]


def _withdrawn(c: Connection, actor: Actor, event_id: str) -> set[str]:
    """The event's own id if a withdrawal names it."""
    e = table_of(t.EventRow)
    return {w.fields["target"] for w in queries.events(c, actor.ref.id, e.c.target == event_id, e.c.kind == "withdrawn")}


def check_count(c: Connection, actor: Actor, event_id: str, fields: Mapping[str, Any], at: datetime) -> None:
    """Raises Refusal where a corrected count would pass what was sown, fall under one before it, or pass one after it."""
    batch, events = batch_and_events(c, actor, str(fields["batch"]))
    others = [e for e in standing(events, float("inf")) if e.id != event_id]
    for name in ("cells_up", "seedlings_up", "rooted"):
        if name not in fields:
            continue
        total = int(fields[name])
        most = batch.n_cells if name == "cells_up" else (batch.seeds or batch.n_cells * batch.n_seeds_per_cell)
        if total > most:
            raise Refusal(f"{total} are more than were sown; 0 to {most} can be up.", name, str(total))
        _not_below(batch, [e for e in others if e.at <= at], name, total, at)
        after = [int(e.fields[name]) for e in others if e.kind == "count" and e.at > at and name in e.fields]
        if after and total > min(after):
            raise Refusal(
                f"{min(after)} were up after that; a count cannot go down. Correct the later one first.", name, str(total)
            )
