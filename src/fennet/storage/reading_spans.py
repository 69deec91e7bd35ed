"""Readings over a day or over years: only as many figures as a screen can show are asked of the database."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import datetime

import numpy as np
from sqlalchemy import Connection, text

from fennet.core.records import FloatArray
from fennet.storage.database import driver

#: Below an hour the readings themselves are asked; from an hour on their roll-up.
FIVE_MINUTES, HOUR, DAY, WEEK = "5 minutes", "hour", "day", "week"


@dataclass(frozen=True)
class SeriesSpan:
    """One series: its number, what it is, its first and last moment, its last figure and whether that is known."""

    id: int
    place: str
    quantity: str
    source: str | None
    first_at: datetime
    last_at: datetime
    last: float | None


@dataclass(frozen=True)
class Steps:
    """Figures by step: its beginning in seconds UTC, the lowest, the mean, the highest, of how many readings."""

    at_s: FloatArray
    low: FloatArray
    mean: FloatArray
    high: FloatArray
    n: FloatArray


def series_spans(c: Connection, garden_id: int, number: int | None = None) -> list[SeriesSpan]:
    """The series of a garden that hold a reading, or one of them."""
    # Of what was thinned the hours are all there is.
    asked = """select s.id, s.place, s.quantity, s.source, least(f.at, h.hour), coalesce(l.at, k.hour),
            coalesce(l.canonical, k.mean) from series s
        left join lateral (select at from reading where series_id = s.id order by at limit 1) f on true
        left join lateral (select at, canonical from reading where series_id = s.id order by at desc limit 1) l on true
        left join lateral (select hour from reading_hour where series_id = s.id order by hour limit 1) h on true
        left join lateral (select hour, mean from reading_hour where series_id = s.id order by hour desc limit 1) k
            on l.at is null
        where s.garden_id = :g and (cast(:n as int) is null or s.id = :n) and coalesce(f.at, h.hour) is not null
        order by s.place, s.quantity, s.source"""
    return [SeriesSpan(*row) for row in c.execute(text(asked), {"g": garden_id, "n": number})]


def steps(c: Connection, number: int, from_at: datetime, to_at: datetime, step: str, zone: str) -> Steps:
    """One series between two moments by steps of the local clock; by the hour where its minutes were thinned out."""
    thinned = text("select coalesce(:a < thinned_before, false) from series where id = :n")
    if step == FIVE_MINUTES and c.execute(thinned, {"a": from_at, "n": number}).scalar():
        step = HOUR
    if step == FIVE_MINUTES:
        asked = """select extract(epoch from date_bin('5 minutes', at, timestamptz '2000-01-01 00:00+00'))::float8,
                min(canonical), avg(canonical), max(canonical), count(*)::float8 from reading
            where series_id = %s and at >= %s and at < %s and canonical is not null group by 1 order by 1"""
        given = (number, from_at, to_at)
    else:
        asked = """select extract(epoch from date_trunc(%s, hour, %s))::float8, min(low), sum(mean * n) / sum(n), max(high),
                sum(n)::float8 from reading_hour where series_id = %s and hour >= %s and hour < %s group by 1 order by 1"""
        given = (step, zone, number, from_at, to_at)  # type: ignore[assignment]
    with driver(c, binary=True) as cursor:
        rows = cursor.execute(asked, given).fetchall()
    columns = np.array(rows, dtype=float).reshape(-1, 5).T
    return Steps(*columns)
