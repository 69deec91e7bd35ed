"""Reads. Each takes a connection and the garden's number and gives core records back."""

from __future__ import annotations

import math
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass, field, replace
from datetime import UTC, date, datetime
from typing import Any

import numpy as np
from numpy.typing import NDArray
from psycopg import Cursor
from sqlalchemy import Connection, Select, Table, and_, func, literal, literal_column, or_, select, text, union_all
from sqlalchemy.dialects.postgresql import JSONB

from fennet.core.records import Event, Garden, Journal, RecordFault, Series, Source, Want
from fennet.core.units import IN_LUX
from fennet.storage import tables as t
from fennet.storage.database import driver
from fennet.storage.mapping import SECTIONS, event_from_row, from_row, table_of


@dataclass(frozen=True)
class GardenRef:
    """A garden as a person or a device reaches it; of what was read for one message alone, the revision of its things too."""

    id: int
    slug: str
    garden: Garden
    role: str
    demo: bool
    setup_revision: int | None = field(default=None, compare=False)


def gardens(c: Connection, person_id: int | None = None, slug: str | None = None) -> list[GardenRef]:
    """Gardens a person belongs to (all of them, for the command line, without a person), by name."""
    g, m = table_of(t.GardenRow), table_of(t.MembershipRow)
    if person_id is None:
        statement = select(g, text("'owner' as role")).order_by(g.c.name)
    else:
        statement = select(g, m.c.role).join(m, m.c.garden_id == g.c.id).where(m.c.person_id == person_id).order_by(g.c.name)
    if slug is not None:
        statement = statement.where(g.c.slug == slug)
    return [GardenRef(r["id"], r["slug"], _garden(r), r["role"], r["demo"]) for r in c.execute(statement).mappings()]


def as_it_stands(c: Connection, ref: GardenRef, person_id: int | None = None) -> GardenRef | None:
    """A garden with its settings, and a person's role in it, as they are now; None where it is gone or they left it."""
    g, m = table_of(t.GardenRow), table_of(t.MembershipRow)
    if person_id is None:
        statement = select(g, literal(ref.role).label("role")).where(g.c.id == ref.id)
    else:
        mine = (m.c.garden_id == g.c.id) & (m.c.person_id == person_id)
        statement = select(g, m.c.role).join(m, mine).where(g.c.id == ref.id)
    row = c.execute(statement).mappings().first()
    return None if row is None else replace(ref, garden=_garden(row), role=row["role"])


def _garden(row: Mapping[Any, Any]) -> Garden:
    """A garden's settings; one that cannot be takes its default."""
    found, _ = from_row(Garden, row)
    return found or Garden(name=str(row["slug"]), timezone=str(row["timezone"]))


def records(c: Connection, garden_id: int, section: str, *conditions: Any) -> list[Any]:
    """The records of one journal section that can be, in the order they came."""
    return _read(c, garden_id, section, *conditions)[0]


def _read(c: Connection, garden_id: int, section: str, *conditions: Any) -> tuple[list[Any], list[RecordFault]]:
    """The records of one section, and what of it cannot be read."""
    table = table_of(SECTIONS[section][1])
    rows = c.execute(select(table).where(table.c.garden_id == garden_id, *conditions).order_by(table.c.position)).mappings()
    return _records_in(section, rows)


def _records_in(section: str, rows: Iterable[Mapping[Any, Any]]) -> tuple[list[Any], list[RecordFault]]:
    """Rows of a section as records, and what of them cannot be read."""
    cls = SECTIONS[section][0]
    out, faults = [], []
    for row in rows:
        record, wrong = from_row(cls, row)
        if record is not None:
            out.append(record)
        faults += _faults_in(section, str(row["id"]), record, wrong)
    return out, faults


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
    """Events of some trays and batches, the moves that made these batches, what corrects or withdraws any, and mats' settings."""
    e = table_of(t.EventRow)
    came = and_(e.c.kind == "moved", e.c.body["to_batch"].astext.in_(batch_ids))
    mine = or_(e.c.tray.in_(tray_ids), e.c.batch.in_(batch_ids), came, e.c.kind == "mat")
    named = select(e.c.id).where(e.c.garden_id == garden_id, mine)
    again = select(e.c.id).where(e.c.garden_id == garden_id, e.c.target.in_(named))
    return events(c, garden_id, or_(mine, e.c.target.in_(named), e.c.target.in_(again)))


def wants_by_position(c: Connection, garden_id: int) -> dict[int, Want]:
    """Wants in their order, by the number that addresses them."""
    return _read_wants(c, garden_id)[0]


def _read_wants(c: Connection, garden_id: int) -> tuple[dict[int, Want], list[RecordFault]]:
    """The wants that can be, by position, and what of them cannot be read."""
    w = table_of(t.WantRow)
    return _wants_in(c.execute(select(w).where(w.c.garden_id == garden_id).order_by(w.c.position)).mappings())


def _wants_in(rows: Iterable[Mapping[Any, Any]]) -> tuple[dict[int, Want], list[RecordFault]]:
    """Rows as wants by position, and what of them cannot be read; a want's id in a fault is its position."""
    found = {int(r["position"]): from_row(Want, r) for r in rows}
    faults = [f for position, read in found.items() for f in _faults_in("wants", str(position), *read)]
    return {position: want for position, (want, _) in found.items() if want is not None}, faults


def faults(c: Connection, garden_id: int) -> list[RecordFault]:
    """What of a garden's stored record cannot be read."""
    of_things = [fault for section in SECTIONS for fault in _read(c, garden_id, section)[1]]
    return of_things + _garden_faults(c, garden_id) + _read_wants(c, garden_id)[1]


def _garden_faults(c: Connection, garden_id: int) -> list[RecordFault]:
    """What of the garden's settings cannot be read."""
    g = table_of(t.GardenRow)
    rows = c.execute(select(g).where(g.c.id == garden_id)).mappings()
    return [f for r in rows for f in _faults_of_garden(r)]


def _faults_of_garden(row: Mapping[Any, Any]) -> list[RecordFault]:
    return _faults_in("garden", row["slug"], *from_row(Garden, row))


def _faults_in(section: str, id: str, record: Any, wrong: Mapping[str, Any]) -> list[RecordFault]:
    return [RecordFault(section, id, name, str(value)[:200], record is None) for name, value in wrong.items()]


def wants(c: Connection, garden_id: int) -> list[Want]:
    return list(wants_by_position(c, garden_id).values())


def secret_addresses(c: Connection, garden_id: int, opens: str) -> list[tuple[str, datetime, str]]:
    """(hash, made at, by whom) of every address that still holds and opens a garden's calendar, or its page for readers."""
    a = table_of(t.SecretAddressRow)
    mine = select(a.c.token_hash, a.c.made_at, a.c.by).where(a.c.garden_id == garden_id, a.c.opens == opens)
    rows = c.execute(mine.order_by(a.c.made_at))
    return [(r[0], r[1], r[2] or "") for r in rows]


@dataclass(frozen=True)
class Device:
    """A device that holds a token: its kind (thermostat, timer, station, reader), its mat or lamp or own name, who gave it,
    what it last said of itself; of a reader also where it lies, and by how many seconds its times are moved; `topic` where it is
    reached through the garden's broker."""

    token_hash: str
    kind: str
    thing: str
    made_at: datetime
    by: str
    last_at: datetime | None
    report: dict[str, Any]
    place: str | None = None
    shift_s: float = 0.0
    topic: str | None = None


def devices(c: Connection, garden_id: int, kind: str | None = None) -> list[Device]:
    """The devices of a kind, or all, whose tokens still hold."""
    x = table_of(t.DeviceRow)
    mine = select(x).where(x.c.garden_id == garden_id, *([x.c.kind == kind] if kind else [])).order_by(x.c.kind, x.c.made_at)
    return [_device(r) for r in c.execute(mine).mappings()]


def _device(r: Mapping[Any, Any]) -> Device:
    said = (r["by"] or "", r["last_at"], r["report"] or {}, r["place"], r["shift_s"], r["topic"])
    return Device(r["token_hash"], r["kind"], r["thing"], r["made_at"], *said)


def device_of(c: Connection, token_hash: str, kind: str) -> tuple[GardenRef, Device] | None:
    """The garden and the device that a token stands for; None where it was never given or was taken back."""
    x = table_of(t.DeviceRow)
    found = c.execute(select(x).where(x.c.token_hash == token_hash, x.c.kind == kind)).mappings().first()
    ref = garden_by_id(c, found["garden_id"], "helper") if found is not None else None
    return (ref, _device(found)) if ref is not None and found is not None else None


def garden_of_address(c: Connection, token_hash: str, opens: str) -> GardenRef | None:
    """The garden that a secret address opens, to look at; None where it was never given or was taken back."""
    a = table_of(t.SecretAddressRow)
    found = c.execute(select(a.c.garden_id).where(a.c.token_hash == token_hash, a.c.opens == opens)).first()
    return garden_by_id(c, found[0], "viewer") if found else None


def garden_by_id(c: Connection, garden_id: int, role: str) -> GardenRef | None:
    """One garden, for whoever reaches it other than by belonging to it."""
    g = table_of(t.GardenRow)
    r = c.execute(select(g).where(g.c.id == garden_id)).mappings().first()
    return None if r is None else GardenRef(r["id"], r["slug"], _garden(r), role, r["demo"], r["setup_revision"])


def open_entries(c: Connection, garden_id: int) -> dict[str, list[dict[str, Any]]]:
    """The entries of the sections that are kept as they came, but for promises."""
    k = table_of(t.JournalSectionRow)
    out: dict[str, list[dict[str, Any]]] = {}
    for section, body in c.execute(select(k.c.section, k.c.body).where(k.c.garden_id == garden_id).order_by(k.c.position)):
        out.setdefault(section, []).append(body)
    return out


def promise_entries(c: Connection, garden_id: int) -> list[dict[str, Any]]:
    """Promises as the journal keeps them, in the order they were made."""
    p = table_of(t.PromiseRow)
    return [r[0] for r in c.execute(select(p.c.body).where(p.c.garden_id == garden_id).order_by(p.c.position))]


@dataclass(frozen=True)
class Things:
    """A garden's things, batches, packets and targets: its record without events, readings and promises; and the numbers that
    address its wants, in their order."""

    record: Journal = field(default_factory=Journal)
    want_positions: list[int] = field(default_factory=list)


def things_of(c: Connection, ref: GardenRef) -> Things:
    """A garden's things as they stand, its settings too. One statement for all of its tables: a page read anew waits for the
    database once."""
    rows = _rows_by_table(c, ref.id)
    read = {section: _records_in(section, rows[table_of(model).name]) for section, (_, model, _) in SECTIONS.items()}
    wanted, of_wants = _wants_in(rows[table_of(t.WantRow).name])
    gardens_row = rows[table_of(t.GardenRow).name]
    wrong = [fault for _, found in read.values() for fault in found]
    wrong += [fault for row in gardens_row for fault in _faults_of_garden(row)] + of_wants
    kept: dict[str, list[Any]] = {}
    for row in rows[table_of(t.JournalSectionRow).name]:
        kept.setdefault(row["section"], []).append(row["body"])
    came: dict[str, Any] = {**{section: found for section, (found, _) in read.items()}, **kept}
    record = Journal(
        garden=_garden(gardens_row[0]) if gardens_row else ref.garden,
        crops=[row["body"] for row in rows[table_of(t.OwnCropRow).name]],
        wants=list(wanted.values()), faults=wrong, **came,
    )  # fmt: skip
    return Things(record, list(wanted))


def _rows_by_table(c: Connection, garden_id: int) -> dict[str, list[dict[str, Any]]]:
    """What the tables of a garden's things hold, each in its order, as columns and their values."""
    models = [model for _, model, _ in SECTIONS.values()] + [t.WantRow, t.JournalSectionRow, t.OwnCropRow]
    garden = table_of(t.GardenRow)
    parts = [_as_json(garden, literal(0), garden.c.id == garden_id)]
    parts += [_as_json(x, x.c.position, x.c.garden_id == garden_id) for x in map(table_of, models)]
    out: dict[str, list[dict[str, Any]]] = {table.name: [] for table in [garden, *map(table_of, models)]}
    for name, _, row in c.execute(union_all(*parts).order_by("position")).all():
        out[name].append(row)
    return out


def _as_json(table: Table, position: Any, where: Any) -> Select[Any]:
    row = func.to_jsonb(literal_column(f'"{table.name}"'), type_=JSONB)
    return select(literal(table.name).label("name"), position.label("position"), row.label("row")).select_from(table).where(where)


def things_record(c: Connection, ref: GardenRef) -> Journal:
    """A garden's record without events, readings and promises."""
    return things_of(c, ref).record


def whole_record(c: Connection, ref: GardenRef) -> Journal:
    """A garden's whole record but for its readings."""
    return replace(things_record(c, ref), events=events(c, ref.id), promises=promise_entries(c, ref.id))


@dataclass(frozen=True)
class SeriesRevision:
    """One series of readings and the state of its last write: what was read at the same revision still holds."""

    id: int
    place: str
    quantity: str
    source: str | None
    revision: int
    x_mm: float | None = None
    y_mm: float | None = None
    z_mm: float | None = None


def revision(c: Connection, garden_id: int) -> tuple[int, int, int]:
    """How many writes a garden has seen, how many to its things, and how many to its weather: while one stands still, so does
    what it counts."""
    g = table_of(t.GardenRow)
    row = c.execute(select(g.c.revision, g.c.setup_revision, g.c.weather_revision).where(g.c.id == garden_id)).one()
    return int(row.revision), int(row.setup_revision), int(row.weather_revision)


def weather_entries(c: Connection, garden_id: int) -> list[dict[str, Any]]:
    """What stations and forecasts said, in the order it came."""
    k = table_of(t.JournalSectionRow)
    mine = select(k.c.body).where(k.c.garden_id == garden_id, k.c.section == "weather")
    return [row[0] for row in c.execute(mine.order_by(k.c.position))]


def events_since(c: Connection, garden_id: int, position: int) -> tuple[list[Event], int, int]:
    """Events written after a position, the last position now, and how many there are in all. Positions are handed out before a
    write is done, so one may turn up late: then the count does not fit, and the caller reads them all."""
    e = table_of(t.EventRow)
    count = select(func.count()).where(e.c.garden_id == garden_id)
    columns = (e.c.id, e.c.kind, e.c.at, e.c.by, e.c.body, e.c.position, count.scalar_subquery().label("total"))
    found = c.execute(select(*columns).where(e.c.garden_id == garden_id, e.c.position > position).order_by(e.c.position)).all()
    total = int(found[-1].total if found else c.execute(count).scalar_one())
    return [event_from_row(r._asdict()) for r in found], found[-1].position if found else position, total


def series_revisions(c: Connection, garden_id: int) -> list[SeriesRevision]:
    s = table_of(t.SeriesRow)
    columns = (s.c.id, s.c.place, s.c.quantity, s.c.source, s.c.revision, s.c.x_mm, s.c.y_mm, s.c.z_mm)
    return [SeriesRevision(*row) for row in c.execute(select(*columns).where(s.c.garden_id == garden_id).order_by(s.c.id))]


#: A series with fewer readings than this an hour is a person's and is read as it stands; a logger's by the hour.
BY_THE_HOUR = 3.0
#: Fewer readings in all are read as they stand, however dense.
LEAST_LOGGED = 200


def series(c: Connection, marks: Sequence[SeriesRevision], from_s: float, older: Sequence[datetime] = ()) -> dict[int, Series]:
    """Some series from a moment on, by number: each reading where they are few, hourly means where they are many; and by the
    hour those of some `older` months, by the first moment of each (UTC)."""
    if not marks:
        return {}
    numbers = [m.id for m in marks]
    at = datetime.fromtimestamp(from_s, UTC)
    # In binary: figures need not become text on their way.
    with driver(c, binary=True) as cursor:
        of_logger, by_hand = _columns_of(cursor, numbers, at, from_s)
        before = _older_of(cursor, numbers, older, from_s) if older else {}
    out = {}
    for m in marks:
        late = of_logger.get(m.id) or by_hand.get(m.id, ([], [], [], []))
        early = before.get(m.id)
        out[m.id] = _as_series(
            m, *(late if early is None else (np.concatenate([a, b]) for a, b in zip(early, late, strict=True)))
        )
    return out


#: The hours of some months, packed; one that was written to since it was packed is packed on the way.
_MONTHS = """select series_id, n_hours, n, at_s, mean, estimated, daylight, month from reading_month m
    where series_id = any(%(ids)s) and {which} and not stale
    union all select series_id, count(*), sum(n), string_agg(float8send(at_s), ''), string_agg(float8send(mean), ''),
        string_agg(boolsend(estimated), ''), string_agg(boolsend(daylight), ''), month
    from (select h.*, m.month from reading_month m join reading_hour h on h.series_id = m.series_id and h.hour >= m.month
            and h.hour < m.month + interval '1 month'
          where m.series_id = any(%(ids)s) and m.{which} and m.stale order by h.series_id, h.hour) as ordered
    group by series_id, month
    order by series_id, month"""


def _older_of(
    cursor: Cursor[Any], numbers: Sequence[int], months: Sequence[datetime], before_s: float
) -> dict[int, tuple[NDArray[Any], ...]]:
    """The hours of some months before a moment, of each series that has any."""
    asked = {"ids": numbers, "months": list(months)}
    packed: dict[int, list[tuple[bytes, ...]]] = {}
    for row in cursor.execute(_MONTHS.format(which="month = any(%(months)s)"), asked):
        packed.setdefault(row[0], []).append(row[3:7])
    out = {}
    for number, rows in packed.items():
        columns = _unpacked(rows, -math.inf)
        keep = columns[0] < before_s
        out[number] = tuple(x[keep] for x in columns)
    return out


def _columns_of(
    cursor: Cursor[Any], numbers: Sequence[int], at: datetime, from_s: float
) -> tuple[dict[int, Any], dict[int, Any]]:
    """Times and figures of some series by number: of loggers by the hour, of people as they stand."""
    packed: dict[int, list[tuple[Any, ...]]] = {}
    for row in cursor.execute(_MONTHS.format(which="month >= %(from)s"), {"ids": numbers, "from": at.replace(day=1, hour=0)}):
        packed.setdefault(row[0], []).append(row[1:7])
    of_logger = {}
    for number, rows in packed.items():
        hours, n = sum(r[0] for r in rows), sum(r[1] for r in rows)
        if n >= BY_THE_HOUR * hours and n >= LEAST_LOGGED:
            of_logger[number] = _unpacked([r[2:] for r in rows], from_s)
    # Ordered once below the aggregates: an order in each of them would be a sort for each.
    by_reading = """select series_id, array_agg(at_s), array_agg(canonical), array_agg(estimated), array_agg(daylight)
        from (select series_id, extract(epoch from at)::float8 as at_s, canonical, coalesce(estimated, false) as estimated,
            coalesce(under = 'daylight', false) as daylight from reading
            where series_id = any(%s) and at >= %s and canonical is not null order by series_id, at) as ordered
        group by series_id"""
    by_hand = {r[0]: r[1:] for r in cursor.execute(by_reading, ([n for n in numbers if n not in of_logger], at))}
    return of_logger, by_hand


def _unpacked(months: Sequence[tuple[bytes, ...]], from_s: float) -> tuple[NDArray[Any], ...]:
    """The hours of packed months from a moment on: seconds UTC, means, whether guessed, whether of the sky."""
    columns = [
        np.frombuffer(b"".join(rows), kind)
        for rows, kind in zip(zip(*months, strict=True), (">f8", ">f8", "?", "?"), strict=True)
    ]
    kept = columns[0] >= from_s
    return tuple(x[kept] for x in columns)


def _as_series(mark: SeriesRevision, at: Any, value: Any, guess: Any, sky: Any) -> Series:
    daylight = np.array(sky, dtype=bool)
    spot = (mark.x_mm, mark.y_mm, mark.z_mm)
    return Series(
        mark.place, mark.quantity, mark.source, np.array(at, dtype=float), np.array(value, dtype=float),
        np.array(guess, dtype=bool), daylight if daylight.any() else None, spot if any(v is not None for v in spot) else None,
    )  # fmt: skip


def has_unnamed_lux(c: Connection, garden_id: int, from_s: float) -> bool:
    """Whether light was read in lux under no named lamp since a moment."""
    s, r = table_of(t.SeriesRow), table_of(t.ReadingRow)
    found = (
        select(r.c.at)
        .join(s, s.c.id == r.c.series_id)
        .where(
            s.c.garden_id == garden_id, s.c.quantity == "light", r.c.at >= datetime.fromtimestamp(from_s, UTC),
            r.c.unit.in_(IN_LUX), r.c.under.is_(None),
        )
        .limit(1)
    )  # fmt: skip
    return c.execute(found).first() is not None


def sources(c: Connection, garden_id: int) -> list[Source]:
    return records(c, garden_id, "sources")


def promised_on(c: Connection, garden_id: int, kind: str, day: date) -> set[str]:
    """The subjects of which a promise of this kind was made on a local day."""
    p = table_of(t.PromiseRow)
    return {r[0] for r in c.execute(select(p.c.subject).where(p.c.garden_id == garden_id, p.c.kind == kind, p.c.day == day))}


def promised(c: Connection, garden_id: int, kind: str) -> set[str]:
    """The subjects of which a promise of this kind was ever made."""
    p = table_of(t.PromiseRow)
    return {r[0] for r in c.execute(select(p.c.subject).distinct().where(p.c.garden_id == garden_id, p.c.kind == kind))}


def logger_mappings(c: Connection, garden_id: int) -> dict[str, dict[str, Any]]:
    m = table_of(t.LoggerMappingRow)
    rows = c.execute(select(m.c.name, m.c.body).where(m.c.garden_id == garden_id).order_by(m.c.name))
    return {row.name: row.body for row in rows}


@dataclass(frozen=True)
class GivenReading:
    """One reading as it was given."""

    at: datetime
    place: str
    quantity: str
    value: float
    unit: str
    source: str | None
    under: str | None
    estimated: bool | None


def readings_given(
    c: Connection,
    garden_id: int,
    from_at: datetime,
    to_at: datetime,
    places: Sequence[str] | None,
    sources: Sequence[str] | None,
    most: int,
    newest: bool = False,
) -> list[GivenReading]:
    """Readings between two moments as given, in order of time; of some places and sources only, if they are named. Of more than
    `most` the first stand, or the `newest`."""
    s, r = table_of(t.SeriesRow), table_of(t.ReadingRow)
    columns = (r.c.at, s.c.place, s.c.quantity, r.c.value, r.c.unit, s.c.source, r.c.under, r.c.estimated)
    statement = (
        select(*columns).join(s, s.c.id == r.c.series_id).where(s.c.garden_id == garden_id, r.c.at >= from_at, r.c.at < to_at)
    )
    if places is not None:
        statement = statement.where(s.c.place.in_(places))
    if sources is not None:
        statement = statement.where(or_(s.c.source.in_(sources), s.c.source.is_(None)))
    order = (r.c.at.desc() if newest else r.c.at, s.c.place, s.c.quantity)
    found = [GivenReading(*row) for row in c.execute(statement.order_by(*order).limit(most))]
    return found[::-1] if newest else found


def reading_days(
    c: Connection,
    garden_id: int,
    zone: str,
    from_at: datetime,
    to_at: datetime,
    places: Sequence[str] | None,
    sources: Sequence[str],
) -> list[tuple[Any, str, str, str, int, float, float]]:
    """What loggers wrote, by local day: (day, place, quantity, source, how many, lowest, highest), canonical."""
    s, h = table_of(t.SeriesRow), table_of(t.ReadingHourRow)
    day = func.date(func.timezone(zone, h.c.hour))
    columns = (day, s.c.place, s.c.quantity, s.c.source, func.sum(h.c.n), func.min(h.c.low), func.max(h.c.high))
    statement = (
        select(*columns)
        .join(s, s.c.id == h.c.series_id)
        .where(s.c.garden_id == garden_id, s.c.source.in_(sources), h.c.hour >= from_at, h.c.hour < to_at)
        .group_by(day, s.c.place, s.c.quantity, s.c.source)
    )
    if places is not None:
        statement = statement.where(s.c.place.in_(places))
    return [tuple(row) for row in c.execute(statement)]
