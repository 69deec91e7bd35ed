"""Readings in and out of the database in bulk, and their hourly roll-up."""

from __future__ import annotations

import dataclasses
from collections.abc import Iterable, Iterator, Sequence
from dataclasses import dataclass
from datetime import UTC, datetime, timedelta
from itertools import groupby
from typing import Any

import numpy as np
from sqlalchemy import Connection, text

from fennet.core.kinds import UNITS_OF
from fennet.core.records import FloatArray
from fennet.storage.database import driver

#: Instants in the database are microseconds since 2000; a column of seconds becomes one by this.
_STAGE = """create temp table stage (series_id int, at timestamptz, value float8, canonical float8, unit text, under text,
    estimated bool) on commit drop"""
#: Of these a mean over an hour says what its readings say.
MEAN_TELLS = ("soil_temperature", "air_temperature", "outdoor_temperature", "light", "moisture", "humidity")
LONG_AGO = datetime(1, 1, 2, tzinfo=UTC)
#: So many readings, as a device sends them, go in by one statement.
FEW = 5_000
#: So many readings that say something else than what is kept are told one by one.
MOST_CLASHES = 1_000
COLUMNS = "series_id, at, value, canonical, unit, under, estimated"


@dataclass
class Column:
    """Readings of one series alike in unit, lamp and certainty: seconds UTC, value as given, canonical (NaN: unknown)."""

    series: tuple[Any, ...]
    unit: str
    under: str | None
    estimated: bool | None
    at_s: FloatArray
    value: FloatArray
    canonical: FloatArray


@dataclass(frozen=True)
class Clash:
    """A reading that says something else than the one already kept for the same moment."""

    place: str
    quantity: str
    source: str | None
    at: datetime
    value: float
    kept: float


def series_numbers(c: Connection, garden_id: int, wanted: Sequence[tuple[Any, ...]]) -> dict[tuple[Any, ...], int]:
    """Numbers of series (place, quantity, source, x, y, z), made where they are new."""
    return {key: number for key, (number, _) in _series(c, garden_id, wanted).items()}


def _series(
    c: Connection, garden_id: int, wanted: Sequence[tuple[Any, ...]]
) -> dict[tuple[Any, ...], tuple[int, datetime | None]]:
    """Numbers of series, made where they are new, each with up to when it was thinned."""
    keys = list(dict.fromkeys(wanted))
    columns = [list(x) for x in zip(*keys, strict=True)]
    asked = """with asked as (select * from unnest(%s::text[], %s::text[], %s::text[], %s::float8[], %s::float8[], %s::float8[])
            with ordinality as a (place, quantity, source, x, y, z, n))"""
    find = f"""{asked} select a.n, s.id, s.thinned_before from asked a join series s on s.garden_id = %s and s.place = a.place
            and s.quantity = a.quantity and s.source is not distinct from a.source and s.x_mm is not distinct from a.x
            and s.y_mm is not distinct from a.y and s.z_mm is not distinct from a.z"""

    def asked_for() -> dict[tuple[Any, ...], tuple[int, datetime | None]]:
        rows = c.exec_driver_sql(find, (*columns, garden_id))
        return {keys[n - 1]: (int(number), thinned) for n, number, thinned in rows}

    found = asked_for()
    if len(found) < len(keys):
        make = f"""{asked} insert into series (garden_id, place, quantity, source, x_mm, y_mm, z_mm)
            select %s, place, quantity, source, x, y, z from asked on conflict on constraint series_identity do nothing"""
        c.exec_driver_sql(make, (*columns, garden_id))
        found = asked_for()
    return found


def series_number(c: Connection, garden_id: int, series: tuple[Any, ...]) -> int | None:
    """The number of a series (place, quantity, source, x, y, z), or None where there is none."""
    place, quantity, source, x, y, z = series
    find = text(
        """select id from series where garden_id = :garden and place = :place and quantity = :quantity
             and source is not distinct from :source and x_mm is not distinct from :x
             and y_mm is not distinct from :y and z_mm is not distinct from :z"""
    )
    values = {"garden": garden_id, "place": place, "quantity": quantity, "source": source, "x": x, "y": y, "z": z}
    found = c.execute(find, values).scalar()
    return None if found is None else int(found)


@dataclass(frozen=True)
class Late:
    """Readings of a time whose minutes were thinned to hours: of which series, how many, up to when."""

    place: str
    quantity: str
    n: int
    before: datetime


@dataclass(frozen=True)
class Stored:
    """What became of readings: newly kept, repeated, clashes with what is kept, and what came too late to be kept."""

    kept: int = 0
    repeated: int = 0
    clashes: Sequence[Clash] = ()
    late: Sequence[Late] = ()


def store(c: Connection, garden_id: int, columns: Sequence[Column], replace: bool = False) -> Stored:
    """Write readings. A clash is left alone, or takes the old one's place if `replace`.

    A few go in by one statement, as a device sends them. Of many, series with nothing kept in the span are copied straight in;
    the others pass through a staging table.
    """
    if not columns:
        return Stored()
    found = _series(c, garden_id, [col.series for col in columns])
    numbers = {key: number for key, (number, _) in found.items()}
    columns, late = _in_time(columns, {key: thinned for key, (_, thinned) in found.items() if thinned is not None})
    if not columns:
        return Stored(late=late)
    few = not replace and sum(len(col.at_s) for col in columns) <= FEW
    kept, repeated, clashes = (_store_few if few else _store_many)(c, garden_id, columns, numbers, replace)
    return Stored(kept, repeated, clashes, late)


def _in_time(columns: Sequence[Column], thinned: dict[tuple[Any, ...], datetime]) -> tuple[list[Column], list[Late]]:
    """Columns without what lies in a time that was thinned: there the hours are the record."""
    out, late = [], []
    for col in columns:
        before = thinned.get(col.series)
        keep = col.at_s >= before.timestamp() if before is not None else np.ones(len(col.at_s), dtype=bool)
        if before is not None and not keep.all():
            late.append(Late(col.series[0], col.series[1], int((~keep).sum()), before))
            col = dataclasses.replace(col, at_s=col.at_s[keep], value=col.value[keep], canonical=col.canonical[keep])
        if len(col.at_s):
            out.append(col)
    return out, late


def _store_many(
    c: Connection, garden_id: int, columns: Sequence[Column], numbers: dict[tuple[Any, ...], int], replace: bool
) -> tuple[int, int, list[Clash]]:
    fresh: list[Column] = []
    mixed: list[Column] = []
    for col in columns:
        (fresh if _is_empty(c, numbers[col.series], col) else mixed).append(col)
    # Two columns of one series (two units, say) may interleave; each is free of the other's times by then.
    kept = sum(_copy(c, "reading", col, numbers[col.series]) for col in sorted(fresh, key=lambda col: numbers[col.series]))
    repeated, clashes = 0, []
    if mixed:
        c.execute(text("drop table if exists stage"))
        c.execute(text(_STAGE))
        staged = sum(_copy(c, "stage", col, numbers[col.series]) for col in mixed)
        differing = "from stage n join reading r using (series_id, at) where r.value <> n.value or r.unit <> n.unit"
        found = c.execute(text(f"select series_id, at, n.value, r.value {differing} order by at limit {MOST_CLASHES}")).all()
        n_differing = c.execute(text(f"select count(*) {differing}")).scalar_one()
        names = {number: key for key, number in numbers.items()}
        clashes = [Clash(names[i][0], names[i][1], names[i][2], at, value, old) for i, at, value, old in found]
        if replace and n_differing:
            c.execute(
                text(
                    "delete from reading r using stage n where r.series_id = n.series_id and r.at = n.at "
                    "and (r.value <> n.value or r.unit <> n.unit)"
                )
            )
        done = c.execute(text(f"insert into reading ({COLUMNS}) select {COLUMNS} from stage on conflict do nothing"))
        kept += done.rowcount
        repeated = staged - done.rowcount - (0 if replace else n_differing)
        if replace:
            clashes = []
    spans: dict[int, tuple[float, float]] = {}
    for col in columns:
        first_s, last_s = spans.get(numbers[col.series], (float("inf"), float("-inf")))
        spans[numbers[col.series]] = min(first_s, float(col.at_s[0])), max(last_s, float(col.at_s[-1]))
    _roll_up(c, garden_id, spans)
    return kept, repeated, clashes


_GIVEN = """with columns as (select * from unnest(%s::int[], %s::text[], %s::text[], %s::bool[])
        with ordinality as k (series_id, unit, under, estimated, col)),
    given as (select series_id, timestamptz '2000-01-01 00:00+00' + us * interval '1 microsecond' as at, value,
        nullif(canonical, 'NaN') as canonical, unit, under, estimated
    from unnest(%s::int[], %s::int8[], %s::float8[], %s::float8[]) as g (col, us, value, canonical) join columns using (col))"""
_PUT = f"""{_GIVEN}, new as (insert into reading ({COLUMNS}) select {COLUMNS} from given on conflict do nothing
        returning series_id, at)
    select series_id, date_trunc('hour', at), count(*) from new group by 1, 2"""
# One look by the key for each: the planner cannot know how few they are.
_DIFFERING = f"""{_GIVEN} select n.series_id, n.at, n.value, r.value from given n cross join lateral
        (select value, unit from reading where series_id = n.series_id and at = n.at limit 1) r
    where r.value <> n.value or r.unit <> n.unit order by at"""
_HOURS_OF_FEW = """
    with touched as (select * from unnest(%s::int[], %s::timestamptz[]) as t (series_id, hour)),
    hours as (insert into reading_hour (series_id, hour, at_s, mean, low, high, n, estimated, daylight)
        select t.series_id, t.hour, r.* from touched t cross join lateral
            (select avg(extract(epoch from at)::float8), avg(canonical) as mean, min(canonical), max(canonical), count(*),
                bool_and(coalesce(estimated, false)), bool_and(coalesce(under = 'daylight', false))
             from reading where series_id = t.series_id and at >= t.hour and at < t.hour + interval '1 hour'
                and canonical is not null) r
        where r.mean is not null
        on conflict (series_id, hour) do update set at_s = excluded.at_s, mean = excluded.mean, low = excluded.low,
            high = excluded.high, n = excluded.n, estimated = excluded.estimated, daylight = excluded.daylight),
    months as (insert into reading_month (series_id, month, n_hours, n, at_s, mean, estimated, daylight, stale)
        select distinct series_id, date_trunc('month', hour, 'UTC'), 0, 0, ''::bytea, ''::bytea, ''::bytea, ''::bytea, true
        from touched
        on conflict (series_id, month) do update set stale = true where not reading_month.stale)
    update series set revision = revision + 1 where garden_id = %s and id = any(%s)"""


def _store_few(
    c: Connection, garden_id: int, columns: Sequence[Column], numbers: dict[tuple[Any, ...], int], _: bool
) -> tuple[int, int, list[Clash]]:
    """As `store`, in two statements: nothing is taken away, so no hour can vanish, and months are packed when it is quiet."""
    shared = [[numbers[x.series] for x in columns], [x.unit for x in columns], [x.under for x in columns]]
    which = np.repeat(np.arange(1, len(columns) + 1), [len(x.at_s) for x in columns])
    at_s, value, canonical = (np.concatenate([getattr(x, name) for x in columns]) for name in ("at_s", "value", "canonical"))
    us = np.round((at_s - _EPOCH_S) * 1e6).astype(np.int64)
    rows = [*shared, [x.estimated for x in columns], *(_array(x) for x in (which, us, value, canonical))]
    n = len(which)
    given = tuple(rows)
    touched = c.exec_driver_sql(_PUT, given).all()
    kept = sum(row[2] for row in touched)
    clashes = []
    if kept < n:
        names = {number: key for key, number in numbers.items()}
        clashes = [
            Clash(names[i][0], names[i][1], names[i][2], at, value, old)
            for i, at, value, old in c.exec_driver_sql(_DIFFERING, given)
        ]
    if touched:
        ids = [number for number, _, _ in touched]
        c.exec_driver_sql(_HOURS_OF_FEW, (ids, [hour for _, hour, _ in touched], garden_id, ids))
    return kept, n - kept - len(clashes), clashes[:MOST_CLASHES]


def _array(column: Any) -> str:
    """Figures as PostgreSQL writes an array: the driver would go through them one by one."""
    return f"{{{','.join(map(str, column.tolist()))}}}"


def pack_stale(c: Connection, before: datetime) -> int:
    """Pack the months before a moment that were written to since they were packed; how many."""
    found = c.execute(text("select series_id, month from reading_month where stale and month < :b"), {"b": before}).all()
    for number, month in found:
        _pack(c, number, month, month + timedelta(days=1))
    return len(found)


def _is_empty(c: Connection, number: int, col: Column) -> bool:
    first, last = (datetime.fromtimestamp(float(t), UTC) for t in (col.at_s[0], col.at_s[-1]))
    found = c.execute(
        text("select 1 from reading where series_id = :n and at between :a and :b limit 1"), {"n": number, "a": first, "b": last}
    )
    return found.first() is None


#: PostgreSQL's binary timestamps count microseconds from here.
_EPOCH_S = 946_684_800.0
_CHUNK = 50_000


def _copy(c: Connection, table: str, col: Column, number: int) -> int:
    """Binary COPY, rows assembled by numpy: the layout of one row is fixed within a column of readings."""
    unit, under = col.unit.encode(), col.under.encode() if col.under else None
    n = len(col.at_s)
    known = ~np.isnan(col.canonical)
    with driver(c) as cursor, cursor.copy(f"copy {table} ({COLUMNS}) from stdin (format binary)") as copy:
        copy.write(b"PGCOPY\n\xff\r\n\0" + bytes(8))
        for has_canonical in (True, False):
            rows = np.flatnonzero(known == has_canonical)
            for start in range(0, len(rows), _CHUNK):
                part = rows[start : start + _CHUNK]
                copy.write(_rows(number, col, part, has_canonical, unit, under))
        copy.write(b"\xff\xff")
    return n


def _rows(number: int, col: Column, part: Any, has_canonical: bool, unit: bytes, under: bytes | None) -> bytes:
    layout: list[tuple[str, str]] = [
        ("fields", ">i2"),
        ("l0", ">i4"),
        ("series", ">i4"),
        ("l1", ">i4"),
        ("at", ">i8"),
        ("l2", ">i4"),
        ("value", ">f8"),
        ("l3", ">i4"),
    ]
    if has_canonical:
        layout.append(("canonical", ">f8"))
    layout += [("l4", ">i4"), ("unit", f"S{len(unit)}"), ("l5", ">i4")]
    if under:
        layout.append(("under", f"S{len(under)}"))
    layout.append(("l6", ">i4"))
    if col.estimated is not None:
        layout.append(("estimated", "i1"))
    out = np.zeros(len(part), dtype=layout)
    out["fields"], out["l0"], out["series"], out["l1"], out["l2"] = 7, 4, number, 8, 8
    out["at"] = np.round((col.at_s[part] - _EPOCH_S) * 1e6).astype(np.int64)
    out["value"] = col.value[part]
    out["l3"] = 8 if has_canonical else -1
    if has_canonical:
        out["canonical"] = col.canonical[part]
    out["l4"], out["unit"] = len(unit), unit
    out["l5"] = len(under) if under else -1
    if under:
        out["under"] = under
    out["l6"] = -1 if col.estimated is None else 1
    if col.estimated is not None:
        out["estimated"] = int(col.estimated)
    return out.tobytes()


def _roll_up(c: Connection, garden_id: int, spans: dict[int, tuple[float, float]]) -> None:
    """Make the hours of some series anew from their readings, and the months that hold these."""
    statement = text(
        """insert into reading_hour (series_id, hour, at_s, mean, low, high, n, estimated, daylight)
           select series_id, date_trunc('hour', at), avg(extract(epoch from at)::float8),
                  avg(canonical), min(canonical), max(canonical),
                  count(*), bool_and(coalesce(estimated, false)), bool_and(coalesce(under = 'daylight', false))
           from reading where series_id = :n and at >= :a and at < :b and canonical is not null group by 1, 2"""
    )
    # An hour whose figures are known no longer goes: it is not merely written over.
    gone = text("delete from reading_hour where series_id = :n and hour >= :a and hour < :b")
    thinned = thinned_before(c, garden_id, list(spans))
    for number, (first_s, last_s) in spans.items():
        # Hours whose readings were thinned out are not made anew.
        first = max(datetime.fromtimestamp(first_s // 3600 * 3600, UTC), thinned.get(number, LONG_AGO))
        last = datetime.fromtimestamp(last_s // 3600 * 3600 + 3600, UTC)
        for step in (gone, statement):
            c.execute(step, {"n": number, "a": first, "b": last})
        _pack(c, number, first, last)
        c.execute(
            text("update series set revision = revision + 1 where garden_id = :g and id = :n"), {"g": garden_id, "n": number}
        )


def _pack(c: Connection, number: int, first: datetime, last: datetime) -> None:
    """Pack the months of a series anew that hold a span of hours."""
    span = {"n": number, "a": first.replace(day=1, hour=0), "b": last}
    c.execute(text("delete from reading_month where series_id = :n and month >= :a and month < :b"), span)
    c.execute(
        text(
            """insert into reading_month (series_id, month, n_hours, n, at_s, mean, estimated, daylight)
               select series_id, month, count(*), sum(n), string_agg(float8send(at_s), ''), string_agg(float8send(mean), ''),
                      string_agg(boolsend(estimated), ''), string_agg(boolsend(daylight), '')
               from (select *, date_trunc('month', hour, 'UTC') as month from reading_hour
                     where series_id = :n and hour >= :a and hour < date_trunc('month', cast(:b as timestamptz), 'UTC')
                       + interval '32 days' order by hour) as ordered
               where month >= :a and month < :b group by 1, 2"""
        ),
        span,
    )


#: Readings held at a time where a whole series is gone through.
PIECE = 50_000


def stored(c: Connection, garden_id: int, quantity: str | None = None, source: str | None = None) -> Iterator[Column]:
    """Every reading of a garden in columns, as given; of one quantity or source only, if it is named. A long column comes in
    pieces, so that no more than one piece is held at a time."""
    series = c.execute(
        text(
            "select id, place, quantity, source, x_mm, y_mm, z_mm from series where garden_id = :g "
            "and (cast(:q as text) is null or quantity = :q) and (cast(:s as text) is null or source = :s) "
            "order by place, quantity, source, id"
        ),
        {"g": garden_id, "q": quantity, "s": source},
    ).all()
    for number, *key in series:
        rows = c.execute(
            text(
                "select unit, under, estimated, extract(epoch from at)::float8, value, canonical from reading "
                "where series_id = :n order by unit, under, estimated, at"
            ),
            {"n": number},
            execution_options={"stream_results": True, "yield_per": PIECE},
        )
        for found in rows.partitions(PIECE):
            for (unit, under, estimated), run in groupby(found, key=lambda r: tuple(r[:3])):
                part = list(run)
                at_s, value, figure = (np.array([np.nan if r[k] is None else r[k] for r in part], dtype=float) for k in (3, 4, 5))
                yield Column(tuple(key), unit, under, estimated, at_s, value, figure)


def thinned_hours(c: Connection, garden_id: int) -> Iterator[Column]:
    """The hours that stand for readings which were thinned out, as readings in the canonical unit."""
    asked = """select s.place, s.quantity, s.source, s.x_mm, s.y_mm, s.z_mm, h.estimated, h.daylight,
            array_agg(h.at_s order by h.hour), array_agg(h.mean order by h.hour)
        from series s join reading_hour h on h.series_id = s.id and h.hour < s.thinned_before
        where s.garden_id = :g group by s.id, h.estimated, h.daylight order by s.id"""
    for *key, guess, sky, at_s, mean in c.execute(text(asked), {"g": garden_id}):
        figures = np.array(mean, dtype=float)
        unit, under = UNITS_OF[key[1]][0], "daylight" if sky else None
        yield Column(tuple(key), unit, under, guess or None, np.array(at_s, dtype=float), figures, figures)


def thinned_before(c: Connection, garden_id: int, numbers: Sequence[int]) -> dict[int, datetime]:
    """Up to when some series were thinned, of those that were."""
    asked = "select id, thinned_before from series where garden_id = :g and id = any(:ids) and thinned_before is not null"
    rows = c.execute(text(asked), {"g": garden_id, "ids": list(numbers)})
    return {int(number): at for number, at in rows}


def loggers_before(c: Connection, garden_id: int, before: datetime, least_an_hour: float) -> list[tuple[int, str, str, str, int]]:
    """The series of loggers that hold readings before a moment: number, place, quantity, source, how many. `least_an_hour` is
    what tells a logger from a person."""
    asked = """select s.id, s.place, s.quantity, coalesce(s.source, ''), r.n from series s cross join lateral
            (select count(*) as n, count(distinct date_trunc('hour', at)) as hours from reading
             where series_id = s.id and at < :b) r
        where s.garden_id = :g and s.quantity = any(:measured) and r.n >= :least * r.hours and r.n > r.hours
        order by s.place, s.quantity, s.source"""
    given = {"g": garden_id, "b": before, "least": least_an_hour, "measured": list(MEAN_TELLS)}
    rows = c.execute(text(asked), given)
    return [(int(n), place, quantity, source, int(count)) for n, place, quantity, source, count in rows]


def thin(c: Connection, garden_id: int, number: int, before: datetime) -> int:
    """Take the readings of a series before a whole month away; its hours stay and are the record from then on. How many went."""
    mine = """update series set thinned_before = greatest(thinned_before, :b), revision = revision + 1
        where garden_id = :g and id = :n"""
    went = "delete from reading where series_id = :n and at < :b and canonical is not null"
    asked = {"g": garden_id, "n": number, "b": before}
    return c.execute(text(went), asked).rowcount if c.execute(text(mine), asked).rowcount else 0


def take_back(c: Connection, garden_id: int, series: tuple[Any, ...], at_s: float) -> tuple[float, str] | None:
    """Remove one reading; its value and unit as given, or None when there is none at that moment."""
    number = series_number(c, garden_id, series)
    if number is None:
        return None
    at = datetime.fromtimestamp(at_s, UTC)
    gone = c.execute(
        text("delete from reading where series_id = :n and at = :at returning value, unit"), {"n": number, "at": at}
    ).first()
    if gone is None:
        return None
    _roll_up(c, garden_id, {number: (at_s, at_s)})
    return float(gone[0]), str(gone[1])


def rebuild(c: Connection, garden_id: int, columns: Iterable[Column]) -> int:
    """Write canonical figures anew (after a calibration or a lamp's factor changed) and the hours of their series; how many
    figures there were."""
    c.execute(text("create temp table if not exists redone (at timestamptz, canonical float8) on commit drop"))
    touched: set[int] = set()
    n = 0
    for col in columns:
        number = series_numbers(c, garden_id, [col.series])[col.series]
        c.execute(text("truncate redone"))
        with driver(c) as cursor, cursor.copy("copy redone (at, canonical) from stdin") as copy:
            for at_s, figure in zip(col.at_s, col.canonical, strict=True):
                copy.write_row((datetime.fromtimestamp(float(at_s), UTC), None if np.isnan(figure) else float(figure)))
        c.execute(
            text(
                "update reading r set canonical = d.canonical from redone d where r.series_id = :n and r.at = d.at "
                "and r.unit = :u and r.canonical is distinct from d.canonical"
            ),
            {"n": number, "u": col.unit},
        )
        touched.add(number)
        n += len(col.at_s)
    # The hours of a series are made of all its readings, not of those alone whose figures changed.
    spans = {}
    for number in touched:
        later = "coalesce((select thinned_before from series where id = :n), '-infinity')"
        c.execute(text(f"delete from reading_hour where series_id = :n and hour >= {later}"), {"n": number})
        c.execute(text(f"delete from reading_month where series_id = :n and month >= {later}"), {"n": number})
        first, last = c.execute(text("select min(at), max(at) from reading where series_id = :n"), {"n": number}).one()
        if first is not None:
            spans[number] = (first.timestamp(), last.timestamp())
    _roll_up(c, garden_id, spans)
    return n
