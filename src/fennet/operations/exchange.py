"""A whole journal in, a whole journal out."""

from __future__ import annotations

import json
from collections.abc import Callable, Iterator, Mapping, Sequence
from dataclasses import dataclass, field, replace
from datetime import datetime
from typing import Any

from sqlalchemy import Connection, Engine, insert, select

from fennet.core.planning.plan import MOST_SOWINGS, MOST_WANTS, beyond
from fennet.core.records import Journal, Want
from fennet.journal.links import Existing
from fennet.journal.reader import KEPT, Read, read_journal
from fennet.journal.readings import Group, GroupKey, Taken
from fennet.journal.rejected import FormatError, Rejection, shown
from fennet.journal.times import zone_of
from fennet.journal.writer import write_journal
from fennet.operations import gardens, readings
from fennet.operations.acting import Actor, Refusal, WriteContext, for_owners, lock_garden, mark_changed
from fennet.operations.logging import insert_events
from fennet.operations.projecting import project_cells
from fennet.storage import queries
from fennet.storage import tables as t
from fennet.storage.mapping import SECTIONS, table_of, to_row
from fennet.storage.queries import GardenRef
from fennet.storage.reading_store import Column, stored, thinned_hours

Say = Callable[[str], None]
#: The turn that whoever may make a garden waits for; no garden has this number.
NEW_GARDENS = 0


@dataclass
class Imported:
    """What an import did."""

    garden: GardenRef
    taken: dict[str, int] = field(default_factory=dict)
    repeated: int = 0
    rejected: list[Rejection] = field(default_factory=list)
    notes: list[str] = field(default_factory=list)

    @property
    def anything(self) -> bool:
        return bool(sum(self.taken.values()) or self.repeated)


def find_garden(c: Connection, name: str | None) -> GardenRef:
    """The garden meant by a name or address; the only one when no name is given. Raises Refusal."""
    known = queries.gardens(c)
    if name is not None:
        known = [g for g in known if name in (g.garden.name, g.slug)]
        if not known:
            raise Refusal(
                f"--garden: no garden {name!r}; accepted: {', '.join(g.slug for g in queries.gardens(c)) or 'none is there yet'}"
            )
    if not known:
        raise Refusal("no garden is there yet; accepted: import a journal, or make one with ./fennet run")
    if len(known) > 1:
        raise Refusal(f"--garden: there are {len(known)} gardens; accepted: one of {', '.join(g.slug for g in known)}")
    return known[0]


def _is_empty(c: Connection, ref: GardenRef) -> bool:
    things, events = table_of(t.ThingRow), table_of(t.EventRow)
    return not any(
        c.execute(select(table.c.id).where(table.c.garden_id == ref.id).limit(1)).first() for table in (things, events)
    )


def _garden_for(c: Connection, data: Mapping[str, Any], name: str | None, demo: bool) -> tuple[GardenRef, bool]:
    """The garden a journal goes into, and whether its settings are taken from the journal: the one of that name, else an
    empty one, else a new one."""
    known = queries.gardens(c)
    raw = data.get("garden")
    given = raw.get("name") if isinstance(raw, dict) else None
    wanted = name or (given if isinstance(given, str) else None)
    match = [g for g in known if wanted in (g.garden.name, g.slug)]
    if match:
        return match[0], _is_empty(c, match[0])
    empty = [g for g in known if _is_empty(c, g)]
    if name is None and len(empty) == 1:
        return empty[0], True
    read = read_journal({"garden": raw} if raw else {})
    garden = read.journal.garden if name is None else replace(read.journal.garden, name=name)
    ref = gardens.make_garden(c, garden, demo)
    gardens.give_to_first_owner(c, ref)
    return ref, True


def take_journal(
    engine: Engine,
    data: Mapping[str, Any],
    now: datetime,
    garden: str | None = None,
    by: str = "import",
    say: Say = lambda _: None,
    demo: bool = False,
    actor: Actor | None = None,
) -> Imported:
    """Import an opened journal as one transaction; where an `actor` asks, into their own garden alone, which they must own. What
    is there already and alike is counted as repeated; what differs is set aside. Raises FormatError when nothing at all could be
    taken from a journal that holds something, Refusal for whoever may not."""
    with engine.begin() as c:
        # Two imports that would each make the garden: the second waits and finds it.
        lock_garden(c, NEW_GARDENS)
        ref, fresh = _garden_for(c, data, garden, demo)
        lock_garden(c, ref.id)
        if actor is not None:
            stands = queries.as_it_stands(c, actor.ref, actor.person_id)
            if stands is None or stands.role != "owner" or ref.id != actor.ref.id:
                raise Refusal("Only an owner of the garden can import whole records into it.")
        existing = _existing(c, ref)
        if fresh:
            existing.timezone = None
        say("reading the journal")
        read = read_journal(data, existing)
        result = Imported(ref, rejected=list(read.rejected), notes=read.notes, repeated=read.repeated)
        if fresh and data.get("garden"):
            ref = _take_settings(c, ref, read, garden)
            result.garden = ref
        w = WriteContext(c, Actor(by, ref), now)
        _take_records(c, ref, read.journal, result)
        _take_events(w, read.journal, result)
        if read.groups:
            say(f"writing {sum(len(g.at_s) for g in read.groups):,} readings")
            outcome = readings.keep(w, Taken(read.groups, []))
            result.taken["readings"] = outcome.accepted
            result.repeated += outcome.repeated
            result.rejected += outcome.rejected
        mark_changed(c, ref.id)
        given = any(data.get(section) for section in ("crops", *SECTIONS, "readings", "events", "wants", *KEPT))
        if given and not result.anything:
            raise FormatError(f"nothing could be taken: {result.rejected[0] if result.rejected else 'the journal is empty'}")
    return result


@for_owners
def take_part(w: WriteContext, data: Mapping[str, Any]) -> Imported:
    """Take a part of a journal (things, batches, wants, events) into an actor's garden as one transaction. Raises Refusal."""
    read = read_journal(data, _existing(w.c, w.actor.ref))
    result = Imported(w.actor.ref, rejected=list(read.rejected), notes=read.notes, repeated=read.repeated)
    _take_records(w.c, w.actor.ref, read.journal, result)
    _take_events(w, read.journal, result)
    return result


def _existing(c: Connection, ref: GardenRef) -> Existing:
    def ids(section: str) -> frozenset[str]:
        table = table_of(SECTIONS[section][1])
        return frozenset(r[0] for r in c.execute(select(table.c.id).where(table.c.garden_id == ref.id)))

    lamps = {lamp.id: lamp for lamp in queries.records(c, ref.id, "lamps")}
    return Existing(
        queries.things(c, ref.id),
        lamps,
        {s.id: s for s in queries.sources(c, ref.id)},
        ids("seed_lots"),
        ids("outlets"),
        queries.own_crops(c, ref.id),
        ref.garden.timezone,
        queries.cells_held(c, ref.id),
        lambda: replace(queries.things_record(c, ref), events=queries.events(c, ref.id)),
    )


def _take_settings(c: Connection, ref: GardenRef, read: Read, name: str | None) -> GardenRef:
    g = table_of(t.GardenRow)
    garden = read.journal.garden
    if name is not None or garden.name == type(garden)().name:
        garden = replace(garden, name=ref.garden.name)
    values = {**vars(garden), "practice": garden.practice or None}
    c.execute(g.update().where(g.c.id == ref.id).values(**values))
    return GardenRef(ref.id, ref.slug, garden, ref.role, ref.demo)


def _take_records(c: Connection, ref: GardenRef, journal: Journal, result: Imported) -> None:
    for section, (_, model, kind) in SECTIONS.items():
        given = getattr(journal, section)
        if not given:
            continue
        table = table_of(model)
        there = {r.id: r for r in queries.records(c, ref.id, section, table.c.id.in_([r.id for r in given]))}
        new = [r for r in given if r.id not in there]
        for r in given:
            if r.id in there and there[r.id] != r:
                result.rejected.append(
                    Rejection(section, r.id, "", "is in the garden already with other figures; the garden's are kept")
                )
            elif r.id in there:
                result.repeated += 1
        if not new:
            continue
        if kind:
            c.execute(insert(table_of(t.ThingRow)), [{"garden_id": ref.id, "id": r.id, "kind": kind} for r in new])
        c.execute(insert(table), [to_row(r, model, ref.id) for r in new])
        result.taken[section] = len(new)
    own = {b["id"] for b in queries.own_crops(c, ref.id)}
    for body in journal.crops:
        if body["id"] not in own:
            c.execute(insert(table_of(t.OwnCropRow)).values(garden_id=ref.id, id=body["id"], body=body))
            result.taken["crops"] = result.taken.get("crops", 0) + 1
    _take_wants(c, ref, journal.wants, result)
    there_kept = {**queries.open_entries(c, ref.id), "promises": queries.promise_entries(c, ref.id)}
    for section in KEPT:
        known = {json.dumps(body, sort_keys=True) for body in there_kept.get(section, [])}
        fresh = [body for body in getattr(journal, section) if json.dumps(body, sort_keys=True) not in known]
        result.repeated += len(getattr(journal, section)) - len(fresh)
        if not fresh:
            continue
        if section == "promises":
            c.execute(insert(table_of(t.PromiseRow)), _promise_rows(c, ref, fresh))
        else:
            c.execute(
                insert(table_of(t.JournalSectionRow)), [{"garden_id": ref.id, "section": section, "body": body} for body in fresh]
            )
        result.taken[section] = len(fresh)


def _take_wants(c: Connection, ref: GardenRef, given: Sequence[Want], result: Imported) -> None:
    there = queries.wants(c, ref.id)
    held = list(there)
    ids = {w.id for w in there if w.id}
    for want in given:
        if want in there:
            result.repeated += 1
        elif len(held) >= MOST_WANTS or beyond([*held, want]):
            words = f"is one too many; accepted: up to {MOST_WANTS} wants with {MOST_SOWINGS} sowings in all"
            result.rejected.append(Rejection("wants", "", shown(want.crop), words))
        elif want.id in ids:
            result.rejected.append(
                Rejection("wants", "id", shown(want.id), "is in the garden already and says something else; the garden's is kept")
            )
        else:
            held.append(want)
            c.execute(insert(table_of(t.WantRow)).values(**to_row(want, t.WantRow, ref.id)))
            result.taken["wants"] = result.taken.get("wants", 0) + 1


def _promise_rows(c: Connection, ref: GardenRef, bodies: Sequence[Mapping[str, Any]]) -> list[dict[str, Any]]:
    """Promises as rows. The first half-up one of a batch and local day stands for that day; more of a day stand beside it."""
    zone = zone_of(ref.garden.timezone)
    p = table_of(t.PromiseRow)
    there = c.execute(select(p.c.subject, p.c.day).where(p.c.garden_id == ref.id, p.c.day.is_not(None)))
    taken = {(row.subject, row.day) for row in there}
    rows = []
    for body in bodies:
        row = promise_row(ref.id, body)
        day = row["made_at"].astimezone(zone).date() if row["made_at"] is not None and row["kind"] == "half_up" else None
        if row["subject"] is None or (row["subject"], day) in taken:
            day = None
        elif day is not None:
            taken.add((row["subject"], day))
        rows.append({**row, "day": day})
    return rows


def promise_row(garden_id: int, body: Mapping[str, Any]) -> dict[str, Any]:
    """A promise as column values; what queries need of it stands in columns beside the body."""
    try:
        made_at = datetime.fromisoformat(str(body.get("made_at")))
    except ValueError:
        made_at = None
    if made_at is not None and made_at.tzinfo is None:
        made_at = None
    kind, subject = (body.get(k) if isinstance(body.get(k), str) else None for k in ("kind", "subject"))
    return {"garden_id": garden_id, "kind": kind, "subject": subject, "made_at": made_at, "body": dict(body)}


def _take_events(w: WriteContext, journal: Journal, result: Imported) -> None:
    e = table_of(t.EventRow)
    there = (
        {x.id: x for x in queries.events(w.c, w.garden_id, e.c.id.in_([x.id for x in journal.events]))} if journal.events else {}
    )
    new = []
    for x in journal.events:
        if x.id not in there:
            new.append(x)
        elif there[x.id] == x:
            result.repeated += 1
        else:
            result.rejected.append(
                Rejection("events", x.id, shown(x.kind), "is in the garden already and says something else; the garden's is kept")
            )
    insert_events(w, new)
    if new:
        result.taken["events"] = len(new)
    if new or journal.batches:
        events = queries.events(w.c, w.garden_id)
        project_cells(w.c, w.garden_id, queries.records(w.c, w.garden_id, "batches"), events)


def _group_key(col: Column) -> GroupKey:
    place, quantity, source, x_mm, y_mm, z_mm = col.series
    return GroupKey(place, quantity, col.unit, source, x_mm, y_mm, z_mm, col.under, col.estimated)


def give_journal(c: Connection, ref: GardenRef) -> Iterator[str]:
    """The text of a garden's journal."""
    groups = [
        Group(
            _group_key(col),
            col.at_s,
            col.value,
            col.canonical,
        )
        for col in (*stored(c, ref.id), *thinned_hours(c, ref.id))
    ]
    yield from write_journal(queries.whole_record(c, ref), groups)
