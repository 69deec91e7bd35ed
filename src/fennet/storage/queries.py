"""Reads. Each takes a connection and the garden's number and gives core records back."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from dataclasses import dataclass
from datetime import UTC, datetime
from typing import Any

import numpy as np
from sqlalchemy import Connection, and_, or_, select, text

from fennet.core.records import Batch, Event, Garden, Journal, Place, Room, SeedLot, Series, Source, Tray, Want
from fennet.storage import tables as t
from fennet.storage.mapping import SECTIONS, event_from_row, from_row, table_of


@dataclass(frozen=True)
class GardenRef:
    """A garden as a person reaches it."""

    id: int
    slug: str
    garden: Garden
    role: str
    demo: bool


@dataclass(frozen=True)
class Person:
    id: int
    name: str
    password_hash: str
    temperature_unit: str
    locale: str
    session_mark: str


def person(c: Connection, *, id: int | None = None, name: str | None = None) -> Person | None:
    p = table_of(t.PersonRow)
    columns = (p.c.id, p.c.name, p.c.password_hash, p.c.temperature_unit, p.c.locale, p.c.session_mark)
    row = c.execute(select(*columns).where(p.c.id == id if id is not None else p.c.name == name)).first()
    return Person(*row) if row else None


def has_people(c: Connection) -> bool:
    return c.execute(select(table_of(t.PersonRow).c.id).limit(1)).first() is not None


def gardens(c: Connection, person_id: int | None = None, slug: str | None = None) -> list[GardenRef]:
    """Gardens a person belongs to (all of them, for the command line, without a person), by name."""
    g, m = table_of(t.GardenRow), table_of(t.MembershipRow)
    if person_id is None:
        statement = select(g, text("'owner' as role")).order_by(g.c.name)
    else:
        statement = select(g, m.c.role).join(m, m.c.garden_id == g.c.id).where(m.c.person_id == person_id).order_by(g.c.name)
    if slug is not None:
        statement = statement.where(g.c.slug == slug)
    return [
        GardenRef(r["id"], r["slug"], from_row(Garden, dict(r)), r["role"], r["demo"]) for r in c.execute(statement).mappings()
    ]


def records(c: Connection, garden_id: int, section: str, *conditions: Any) -> list[Any]:
    """The records of one journal section, in the order they came."""
    cls, model, _ = SECTIONS[section]
    table = table_of(model)
    rows = c.execute(select(table).where(table.c.garden_id == garden_id, *conditions).order_by(table.c.position)).mappings()
    return [from_row(cls, dict(row)) for row in rows]


def things(c: Connection, garden_id: int) -> dict[str, str]:
    """Every id of the namespace with its kind."""
    table = table_of(t.ThingRow)
    return {row[0]: row[1] for row in c.execute(select(table.c.id, table.c.kind).where(table.c.garden_id == garden_id))}


def cells_held(c: Connection, garden_id: int) -> dict[tuple[str, str], list[tuple[float, float, str]]]:
    """Who holds each (tray, cell), from when to when in seconds UTC; infinite where no end is known."""
    table = table_of(t.CellStayRow)
    out: dict[tuple[str, str], list[tuple[float, float, str]]] = {}
    for row in c.execute(select(table.c.tray, table.c.cell, table.c.batch, table.c.during).where(table.c.garden_id == garden_id)):
        end_s = row.during.upper.timestamp() if row.during.upper else float("inf")
        out.setdefault((row.tray, row.cell), []).append((row.during.lower.timestamp(), end_s, row.batch))
    return out


def own_crops(c: Connection, garden_id: int) -> list[dict[str, Any]]:
    table = table_of(t.OwnCropRow)
    return [r[0] for r in c.execute(select(table.c.body).where(table.c.garden_id == garden_id).order_by(table.c.position))]


def events(c: Connection, garden_id: int, *conditions: Any) -> list[Event]:
    """Events in the order they were written."""
    e = table_of(t.EventRow)
    columns = (e.c.id, e.c.kind, e.c.at, e.c.by, e.c.body)
    rows = c.execute(select(*columns).where(e.c.garden_id == garden_id, *conditions).order_by(e.c.position)).mappings()
    return [event_from_row(dict(r)) for r in rows]


def events_about(c: Connection, garden_id: int, tray_ids: Sequence[str], batch_ids: Sequence[str]) -> list[Event]:
    """Events of some trays and batches, with what withdraws or corrects them and what the mats were set to."""
    e = table_of(t.EventRow)
    mine = or_(e.c.tray.in_(tray_ids), e.c.batch.in_(batch_ids), e.c.kind == "mat")
    named = select(e.c.id).where(e.c.garden_id == garden_id, mine)
    again = select(e.c.id).where(e.c.garden_id == garden_id, e.c.target.in_(named))
    return events(c, garden_id, or_(mine, e.c.target.in_(named), e.c.target.in_(again)))


def wants(c: Connection, garden_id: int) -> list[Want]:
    w = table_of(t.WantRow)
    return [
        from_row(Want, dict(r)) for r in c.execute(select(w).where(w.c.garden_id == garden_id).order_by(w.c.position)).mappings()
    ]


def kept(c: Connection, garden_id: int) -> dict[str, list[dict[str, Any]]]:
    k, p = table_of(t.KeptEntryRow), table_of(t.PromiseRow)
    out: dict[str, list[dict[str, Any]]] = {}
    for section, body in c.execute(select(k.c.section, k.c.body).where(k.c.garden_id == garden_id).order_by(k.c.position)):
        out.setdefault(section, []).append(body)
    out["promises"] = [r[0] for r in c.execute(select(p.c.body).where(p.c.garden_id == garden_id).order_by(p.c.position))]
    return out


def whole_record(c: Connection, ref: GardenRef) -> Journal:
    """A garden's whole record but for its readings."""
    sections = {section: records(c, ref.id, section) for section in SECTIONS}
    return Journal(
        garden=ref.garden,
        crops=own_crops(c, ref.id),
        events=events(c, ref.id),
        wants=wants(c, ref.id),
        **sections,
        **kept(c, ref.id),  # type: ignore[arg-type]
    )


def hourly_series(
    c: Connection, garden_id: int, places: Iterable[str], quantities: Sequence[str], from_s: float, to_s: float
) -> list[Series]:
    """Hourly means of some quantities at some places between two moments, as series."""
    s, h = table_of(t.SeriesRow), table_of(t.ReadingHourRow)
    window = and_(h.c.hour >= datetime.fromtimestamp(from_s - 3600, UTC), h.c.hour <= datetime.fromtimestamp(to_s, UTC))
    rows = c.execute(
        select(s.c.id, s.c.place, s.c.quantity, s.c.source, h.c.at_s, h.c.mean, h.c.estimated)
        .join(h, h.c.series_id == s.c.id)
        .where(s.c.garden_id == garden_id, s.c.place.in_(list(places)), s.c.quantity.in_(quantities), window, h.c.at_s <= to_s)
        .order_by(s.c.id, h.c.hour)
    ).all()
    out = []
    start = 0
    for i in range(1, len(rows) + 1):
        if i == len(rows) or rows[i][0] != rows[start][0]:
            part = rows[start:i]
            at_s, mean, guess = (np.array([r[k] for r in part]) for k in (4, 5, 6))
            out.append(Series(part[0][1], part[0][2], part[0][3], at_s, mean, guess.astype(bool)))
            start = i
    return out


SOIL_QUANTITIES = ("soil_temperature", "air_temperature", "moisture")


def tray_record(c: Connection, ref: GardenRef, tray_ids: Sequence[str], at_s: float) -> Journal:
    """The part of the record that concerns some trays: their batches, events, seed lots, places, and hourly readings."""
    trays: list[Tray] = records(c, ref.id, "trays", table_of(t.TrayRow).c.id.in_(tray_ids))
    batches: list[Batch] = records(c, ref.id, "batches", table_of(t.BatchRow).c.tray.in_(tray_ids))
    about = events_about(c, ref.id, tray_ids, [b.id for b in batches])
    places: list[Place] = records(c, ref.id, "places")
    rooms: list[Room] = records(c, ref.id, "rooms")
    lot_ids = [b.seed_lot for b in batches if b.seed_lot]
    lots: list[SeedLot] = records(c, ref.id, "seed_lots", table_of(t.SeedLotRow).c.id.in_(lot_ids)) if lot_ids else []
    stood = {e.fields["place"] for e in about if e.kind == "placed"}
    names = {*tray_ids, *(b.id for b in batches), *stood, *(p.room for p in places if p.id in stood and p.room)}
    start_s = min((b.sown_at.timestamp() for b in batches), default=at_s) - 86_400
    series = hourly_series(c, ref.id, names, SOIL_QUANTITIES, start_s, at_s) if batches else []
    return Journal(
        garden=ref.garden,
        crops=own_crops(c, ref.id),
        seed_lots=lots,
        rooms=rooms,
        places=places,
        trays=trays,
        batches=batches,
        events=about,
        series=series,
    )


def sources(c: Connection, garden_id: int) -> list[Source]:
    return records(c, garden_id, "sources")


def promise_made(c: Connection, garden_id: int, subject: str, kind: str, since: datetime) -> bool:
    """Whether a promise of this kind about this subject was written since a moment."""
    p = table_of(t.PromiseRow)
    found = (
        select(p.c.position)
        .where(p.c.garden_id == garden_id, p.c.subject == subject, p.c.kind == kind, p.c.made_at >= since)
        .limit(1)
    )
    return c.execute(found).first() is not None


def logger_mappings(c: Connection, garden_id: int) -> dict[str, dict[str, Any]]:
    m = table_of(t.LoggerMappingRow)
    rows = c.execute(select(m.c.name, m.c.body).where(m.c.garden_id == garden_id).order_by(m.c.name))
    return {row.name: row.body for row in rows}
