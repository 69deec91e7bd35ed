"""Logging what was done and seen: events, counts from the cell plan, undo and correction."""

from __future__ import annotations

import secrets
from collections.abc import Mapping, Sequence
from dataclasses import replace
from datetime import datetime, timedelta
from typing import Any

from sqlalchemy import Connection, insert

from fennet.core.history import counts_of, effective_events, most_up
from fennet.core.records import Batch, Event
from fennet.operations.acting import Refusal, WriteContext
from fennet.operations.derived import renew_unnamed_light
from fennet.operations.projecting import project_cells
from fennet.storage import queries
from fennet.storage import tables as t
from fennet.storage.mapping import event_row, table_of

#: A clock on a phone may run a little ahead of the server's.
CLOCK_SLACK = timedelta(minutes=5)
#: What is typed is of these years: an older notebook comes in as a journal or a CSV.
TYPED_BACK = timedelta(days=5 * 366)
#: What a count may carry: cells, seedlings, or roots in a towel.
COUNTED = ("cells_up", "seedlings_up", "rooted")


def new_id(kind: str) -> str:
    return f"{kind}-{secrets.token_hex(6)}"


def write_events(w: WriteContext, entries: Sequence[tuple[str, Mapping[str, Any], datetime]]) -> list[Event]:
    """Append events (kind, fields, at) and bring the time ranges they touch up to date."""
    events = [Event(kind=kind, at=at, id=new_id("e"), by=w.actor.name, fields=dict(fields)) for kind, fields, at in entries]
    insert_events(w, events)
    touched = project(w.c, w.garden_id, events)
    renew_unnamed_light(w, touched)
    return events


def insert_events(w: WriteContext, events: Sequence[Event]) -> None:
    if events:
        extra = {"author_id": w.actor.person_id, "recorded_at": w.now}
        w.c.execute(insert(table_of(t.EventRow)), [event_row(e, w.garden_id) | extra for e in events])


def project(c: Connection, garden_id: int, events: Sequence[Event]) -> list[Event]:
    """Bring the time ranges up to date for what these events touch (withdrawals and corrections through what they name); the
    events touched."""
    e = table_of(t.EventRow)
    targets = {x.fields["target"] for x in events if "target" in x.fields}
    touched = list(events)
    while targets:
        found = queries.events(c, garden_id, e.c.id.in_(targets))
        touched += found
        targets = {x.fields["target"] for x in found if "target" in x.fields}
    batch_ids = {x.fields["batch"] for x in touched if x.kind in ("gave_up", "planted", "potted_up", "lost", "moved")}
    # A move parts a batch: the new one holds its cells from then.
    batch_ids |= {x.fields["to_batch"] for x in touched if x.kind == "moved" and x.fields.get("to_batch")}
    if batch_ids:
        batches = queries.records(c, garden_id, "batches", table_of(t.BatchRow).c.id.in_(batch_ids))
        project_cells(c, garden_id, batches, queries.events_about(c, garden_id, [], list(batch_ids)))
    return touched


def checked_time(at: datetime, now: datetime) -> datetime:
    """A time at which something typed can have happened. Raises Refusal for one to come and for one too long ago to be meant."""
    if at > now + CLOCK_SLACK:
        raise Refusal("That time is in the future. Log it when it has happened.", "at", at.isoformat())
    if at < now - TYPED_BACK:
        accepted = f"{(now - TYPED_BACK).year + 1}"
        raise Refusal(
            f"{at.year:04} is too long ago to be typed here; accepted: {accepted} or later. An older notebook comes in as a "
            "journal or a CSV.",
            "at",
            at.isoformat(),
        )
    return at


def batch_and_events(w: WriteContext, batch_id: str) -> tuple[Batch, list[Event]]:
    """A batch of this garden and its events. Raises Refusal when there is none."""
    found = queries.records(w.c, w.garden_id, "batches", table_of(t.BatchRow).c.id == batch_id)
    if not found:
        raise Refusal(f"There is no batch {batch_id} in this garden.", "batch", batch_id)
    return found[0], queries.events_about(w.c, w.garden_id, [], [batch_id])


# -- counts ---------------------------------------------------------------------------------------------------------------


def cells_up(batch: Batch, events: Sequence[Event]) -> dict[str, datetime]:
    """Located cells that are up, with the time each was first marked. What is taken back by a later list is gone."""
    up: dict[str, datetime] = {}
    for e in events:
        if e.kind == "count" and e.fields["batch"] == batch.id and "cell_list" in e.fields:
            up = {cell: up.get(cell, e.at) for cell in e.fields["cell_list"]}
    return up


def mark_more(w: WriteContext, batch_id: str, cells: Sequence[str], at: datetime) -> list[Event]:
    """Say that some more cells of a batch are up: the count written, whose list holds what was marked before too, and the later
    counts it corrected, since these cells were up by then as well. Nothing when none of them is new.

    Raises Refusal for cells that are not the batch's or for a time before it was sown.
    """
    checked_time(at, w.now)
    batch, events = batch_and_events(w, batch_id)
    mine = batch.cell_list or []
    foreign = [cell for cell in cells if cell not in mine]
    if foreign or not cells:
        raise Refusal(f"Cell {foreign[0]} does not belong to batch {batch.id}." if foreign else "Choose a cell.", "cells")
    _not_before_sowing(batch, at)
    stood = _counts(batch, events)
    marked = set(cells_up(batch, [e for e in stood if e.at <= at]))
    later = [e for e in stood if e.at > at and "cell_list" in e.fields]
    if all(set(cells) <= set(e.fields["cell_list"]) for e in later) and set(cells) <= marked:
        return []
    made = write_events(w, [("count", _with_cells(batch, stood, at, marked | set(cells)), at)])
    for e in later:
        if not set(cells) <= set(e.fields["cell_list"]):
            made.append(_correct_cells(w, e, batch, stood, set(e.fields["cell_list"]) | set(cells)))
    return made


def unmark(w: WriteContext, batch_id: str, cell: str) -> Event | None:
    """Take back one cell marked by mistake: every count that held it is corrected. None when it was not marked."""
    batch, events = batch_and_events(w, batch_id)
    made = None
    stood = _counts(batch, events)
    for e in stood:
        if cell in e.fields.get("cell_list", []):
            made = _correct_cells(w, e, batch, stood, set(e.fields["cell_list"]) - {cell})
    return made


def _counts(batch: Batch, events: Sequence[Event]) -> list[Event]:
    """The counts of a batch that stand, in order of time."""
    return [e for e in effective_events(events, float("inf")) if e.kind == "count" and e.fields["batch"] == batch.id]


def _with_cells(batch: Batch, stood: Sequence[Event], at: datetime, up: set[str]) -> dict[str, Any]:
    """A count by its cells; its total is no less than one that was counted before without saying which cells."""
    unlocated = [
        int(e.fields["cells_up"]) for e in stood if e.at <= at and "cells_up" in e.fields and "cell_list" not in e.fields
    ]
    total = max([len(up), *unlocated])
    return {"batch": batch.id, "cells_up": total, "cell_list": sorted(up, key=(batch.cell_list or []).index)}


def _correct_cells(w: WriteContext, e: Event, batch: Batch, stood: Sequence[Event], up: set[str]) -> Event:
    corrected = replace(e, fields={**e.fields, **_with_cells(batch, stood, e.at, up)})
    return write_events(w, [("corrects", {"target": e.id, "event": corrected}, w.now)])[0]


def log_count(w: WriteContext, batch_id: str, field: str, total: int, at: datetime) -> Event:
    """Log a running total of cells, seedlings or rooted seed (`cells_up`, `seedlings_up`, `rooted`).

    Raises Refusal for more than was sown, less than before, or more than was counted after that time.
    """
    checked_time(at, w.now)
    batch, events = batch_and_events(w, batch_id)
    _not_before_sowing(batch, at)
    _holds(batch, _counts(batch, events), field, total, at)
    return write_events(w, [("count", {"batch": batch.id, field: total}, at)])[0]


def count_more(w: WriteContext, batch_id: str, field: str | None, more: int, at: datetime) -> list[Event]:
    """Log that `more` came up since the count that stood at that time: the total is worked out from what stands now, inside the
    transaction, so that two people's presses add up. Later counts that were made in the same way move up with it; one that was
    a look at the whole holds.

    `field` None counts what the batch is counted by. Returns the count and the later ones it corrected. Raises Refusal.
    """
    checked_time(at, w.now)
    batch, events = batch_and_events(w, batch_id)
    _not_before_sowing(batch, at)
    stood = _counts(batch, events)
    if field is None:
        unit = counts_of(batch, stood).unit
        field = unit if unit == "rooted" else f"{unit}_up"
    before = max((int(e.fields[field]) for e in stood if field in e.fields and e.at <= at), default=0)
    # Presses that follow until somebody looked at the whole: they were presses of more, and are more by these.
    after = [e for e in stood if field in e.fields and e.at > at]
    looked = next((i for i, e in enumerate(after) if not e.fields.get("more")), len(after))
    presses, looks = after[:looked], after[looked:]
    _within(batch, field, max([before, *(int(e.fields[field]) for e in presses)]) + more)
    _holds(batch, [e for e in stood if e.at <= at] + looks, field, before + more, at)
    if presses and looks and int(presses[-1].fields[field]) + more > int(looks[0].fields[field]):
        raise _over_later(looks[0], field, int(presses[-1].fields[field]) + more)
    made = write_events(w, [("count", {"batch": batch.id, field: before + more, "more": more}, at)])
    for e in presses:
        corrected = replace(e, fields={**e.fields, field: int(e.fields[field]) + more})
        made += write_events(w, [("corrects", {"target": e.id, "event": corrected}, w.now)])
    return made


def _not_before_sowing(batch: Batch, at: datetime) -> None:
    if at < batch.sown_at:
        raise Refusal(f"Batch {batch.id} was sown later than that.", "at", at.isoformat())


def _within(batch: Batch, field: str, total: int) -> None:
    """Raises Refusal for a total that passes what was sown."""
    most = most_up(batch, field)
    if most is not None and not 0 <= total <= most:
        raise Refusal(f"{total} are more than were sown; 0 to {most} can be up.", "total", str(total))


def _holds(batch: Batch, stood: Sequence[Event], field: str, total: int, at: datetime) -> None:
    """Raises Refusal where a total at a time passes what was sown, falls under one before it, or passes one after it."""
    _within(batch, field, total)
    earlier = max((int(e.fields[field]) for e in stood if e.at <= at and field in e.fields), default=0)
    if total < earlier:
        raise Refusal(
            f"{earlier} were up before. A count cannot go down: undo the earlier one, or log losses.", "total", str(total)
        )
    after = [e for e in stood if e.at > at and field in e.fields]
    least = min(after, key=lambda e: int(e.fields[field]), default=None)
    if least is not None and total > int(least.fields[field]):
        raise _over_later(least, field, total)


def _over_later(later: Event, field: str, total: int) -> Refusal:
    n = int(later.fields[field])
    return Refusal(
        f"{n} were up after that, so {total} were not up before it. Correct the later count first.", "total", str(total)
    )


def check_count(w: WriteContext, event_id: str, fields: Mapping[str, Any], at: datetime) -> None:
    """Raises Refusal where a corrected count would pass what was sown, fall under one before it, or pass one after it."""
    batch, events = batch_and_events(w, str(fields["batch"]))
    others = [e for e in _counts(batch, events) if e.id != event_id]
    for field in COUNTED:
        if field in fields:
            _not_before_sowing(batch, at)
            _holds(batch, others, field, int(fields[field]), at)


# -- undo -----------------------------------------------------------------------------------------------------------------


def withdraw(w: WriteContext, event_id: str) -> Event:
    """Undo: say that an event does not hold. Withdrawing a withdrawal brings the event back. Raises Refusal."""
    e = table_of(t.EventRow)
    found = queries.events(w.c, w.garden_id, e.c.id == event_id)
    if not found:
        raise Refusal("There is no such entry in this garden.", "event", event_id)
    withdrawals = queries.events(w.c, w.garden_id, e.c.target == event_id, e.c.kind == "withdrawn")
    if any(not _is_withdrawn(w, x.id) for x in withdrawals):
        raise Refusal("That entry is undone already.", "event", event_id)
    _check_again(w, found[0])
    return write_events(w, [("withdrawn", {"target": event_id}, w.now)])[0]


def _is_withdrawn(w: WriteContext, event_id: str) -> bool:
    """Whether a withdrawal was itself withdrawn, and that one not."""
    e = table_of(t.EventRow)
    found = queries.events(w.c, w.garden_id, e.c.target == event_id, e.c.kind == "withdrawn")
    return any(not _is_withdrawn(w, x.id) for x in found)


def _check_again(w: WriteContext, gone: Event) -> None:
    """What an undone undo or correction brings back must fit what was counted in the meantime. Raises Refusal."""
    target = gone.fields.get("target")
    if gone.kind not in ("withdrawn", "corrects") or target is None:
        return
    e = table_of(t.EventRow)
    back = queries.events(w.c, w.garden_id, e.c.id == target)
    if back and back[0].kind == "count":
        check_count(w, back[0].id, back[0].fields, back[0].at)
