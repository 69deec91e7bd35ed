"""The benchmarks of years of readings: pages beside ten million of them, a year drawn, and what devices send."""

from __future__ import annotations

import json
import statistics
from collections.abc import Callable
from datetime import UTC, datetime, timedelta
from functools import partial

import numpy as np
from sqlalchemy import Engine, text

from fennet.cli.bench_pages import DEMO, Line, database, served, timed_ms
from fennet.core.records import Tray
from fennet.launch.cluster import Cluster
from fennet.operations import device_api, gardens, posted
from fennet.operations.acting import Actor, in_turn
from fennet.storage import queries, reading_spans
from fennet.storage.database import connect
from fennet.storage.queries import GardenRef
from fennet.storage.reading_store import Column, store
from fennet.web.app import settle

#: Readings of so many series, every four minutes: nearly two years of them, against as many series with next to none.
MANY, FEW, SERIES, EVERY = 10_000_000, 10_000, 40, timedelta(minutes=4)
#: A hub of ten probes posts twenty moments of each.
HUB, MOMENTS, BODIES = 10, 20, 40


def many_readings(cluster: Cluster) -> list[Line]:
    """Today and a tray's page of the demo garden with ten thousand readings more and with ten million; then the year and what
    comes in, beside those."""
    lines: list[Line] = []
    few, many = _with_readings(cluster, FEW), _with_readings(cluster, MANY)
    with served(few) as (one, few_held), served(many) as (other, many_held):
        # A tray's page is made anew within some fifty milliseconds: reading forty series weighs more on it.
        for what, path, most in (("Today", f"{DEMO}/today", 1.2), ("tray page", f"{DEMO}/trays/A", 1.5)):
            for how, n in (("warm", 25), ("anew", 11)):
                # In turn, so that a busy moment of the machine meets both.
                times: tuple[list[float], list[float]] = ([], [])
                for i in range(n + 1):
                    for visitor, held, out in ((one, few_held, times[0]), (other, many_held, times[1])):
                        if how == "anew":
                            held.forget()
                        ms = timed_ms(partial(visitor.ask, path))
                        if i:
                            out.append(ms)
                a, b = (statistics.median(t) for t in times)
                told = f"{what} {how}, with {MANY:,} readings of {SERIES} series"
                lines.append((told, f"{b:.1f} ms", f"{a:.1f} ms", b / a, f"<= {most:.2f}", b <= most * a))
        engine = connect(many)
        lines += _year(engine, lambda number: other.ask(f"{DEMO}/readings/{number}?span=year"))
    # As in a server process, what is there is not looked through at every message.
    settle()
    lines.append(_ingest(engine))
    engine.dispose()
    return lines


def _year(engine: Engine, page: Callable[[int], object]) -> list[Line]:
    """A year of one series: the page against the same days rolled up from the readings, its figures against the roll-up's own."""
    to_at = datetime.now(UTC)
    from_at, zone = to_at - timedelta(days=366), "Europe/Amsterdam"
    bare = """select date_trunc('day', {0}, :zone), min({1}), {2}, max({3}), sum({4}) from {5}
        where series_id = :n and {0} >= :a and {0} < :b group by 1 order by 1"""
    of_readings = text(bare.format("at", "canonical", "avg(canonical)", "canonical", "1", "reading"))
    of_hours = text(bare.format("hour", "low", "sum(mean * n) / sum(n)", "high", "n", "reading_hour"))
    with engine.connect() as c:
        number = c.execute(text("select id from series where source = 'far-0'")).scalar_one()
        asked = {"zone": zone, "n": number, "a": from_at, "b": to_at}
        calls: dict[str, Callable[[], object]] = {
            "page": lambda: page(number),
            "readings": lambda: c.execute(of_readings, asked).all(),
            "steps": lambda: reading_spans.steps(c, number, from_at, to_at, reading_spans.DAY, zone),
            "hours": lambda: c.execute(of_hours, asked).all(),
        }
        times: dict[str, list[float]] = {name: [] for name in calls}
        for _ in range(12):
            for name, call in calls.items():
                times[name].append(timed_ms(call))
    ms = {name: statistics.median(t[1:]) for name, t in times.items()}
    return [
        _at_most("a year of one series: its page, against bare SQL over readings", ms["page"], ms["readings"]),
        _at_most("  its figures, against bare SQL over the hours", ms["steps"], ms["hours"]),
    ]


def _at_most(what: str, measured_ms: float, bare_ms: float) -> Line:
    return (what, f"{measured_ms:.1f} ms", f"{bare_ms:.1f} ms", measured_ms / bare_ms, "<= 2", measured_ms <= 2 * bare_ms)


def _ingest(engine: Engine) -> Line:
    """Two hundred readings as a device posts them, read, checked, kept and rolled up, against the same rows staged and inserted
    bare."""
    now = datetime.now(UTC).replace(microsecond=0)
    start = now - timedelta(hours=20)
    with engine.connect() as c:
        ref = next(g for g in queries.gardens(c) if DEMO.endswith(g.slug))
    in_turn(engine, Actor("bench", ref), now, partial(device_api.issue_token, kind=device_api.READER, thing="hub"))
    with engine.connect() as c:
        device = queries.devices(c, ref.id, device_api.READER)[0]
        by_token = queries.garden_by_id(c, ref.id, "helper")
    assert by_token is not None
    ours, bare = [], []
    for k in range(BODIES):
        rows = [
            (start + timedelta(minutes=k * MOMENTS + i), p, 18 + (i + p) / 10) for i in range(MOMENTS) for p in range(HUB)
        ]  # fmt: skip
        body = json.dumps([
            {"at": at.isoformat(), "place": f"far-{p}", "quantity": "air_temperature", "value": value, "unit": "degC",
             "source": f"hub-{p}"} for at, p, value in rows
        ]).encode()  # fmt: skip
        ours.append(timed_ms(partial(_post, engine, by_token, device, body, now)))
        bare.append(timed_ms(partial(_insert_bare, engine, rows)))
    with engine.begin() as c:
        c.execute(text("delete from reading where series_id > 1000000"))
    mine, theirs = statistics.median(ours[5:]), statistics.median(bare[5:])
    told = f"{HUB * MOMENTS} readings of a device: speed against a bare staged insert"
    return (told, f"{mine:.1f} ms", f"{theirs:.1f} ms", theirs / mine, ">= 0.50", theirs >= 0.5 * mine)


def _post(engine: Engine, ref: GardenRef, device: queries.Device, body: bytes, now: datetime) -> None:
    done = posted.take_posted(engine, Actor("hub", ref), device, posted.rows_of(body, False), now)
    if done.accepted != HUB * MOMENTS:
        raise AssertionError(f"only {done.accepted} were kept")


def _insert_bare(engine: Engine, rows: list[tuple[datetime, int, float]]) -> None:
    with engine.begin() as c:
        columns = "series_id int, at timestamptz, value float8, canonical float8, unit text"
        c.execute(text(f"create temp table staged ({columns}) on commit drop"))
        with c.connection.cursor().copy("copy staged from stdin") as copy:
            for at, p, value in rows:
                copy.write_row((1_000_001 + p, at, value, value, "degC"))
        c.execute(text("insert into reading (series_id, at, value, canonical, unit) select * from staged on conflict do nothing"))


def _with_readings(cluster: Cluster, n: int) -> str:
    """A database with the demo garden and so many readings more, up to now, of probes in trays of their own."""
    url, engine = database(cluster)
    each = n // SERIES
    with engine.begin() as c:
        ref = next(g for g in queries.gardens(c) if DEMO.endswith(g.slug))
    actor, now = Actor("bench", ref), datetime.now(UTC).replace(microsecond=0)
    at_s = np.asarray(now.timestamp() - EVERY.total_seconds() * np.arange(each, 0, -1), dtype=np.float64)
    value = np.round(18 + 3 * np.sin(np.arange(each) / 230), 1).astype(np.float64)
    for probe in range(SERIES):
        tray = Tray(id=f"far-{probe}", rows=1, columns=1)
        in_turn(engine, actor, now, partial(gardens.add_tray, tray=tray, place=None))
        column = Column((tray.id, "soil_temperature", f"far-{probe}", None, None, None), "degC", None, None, at_s, value, value)
        in_turn(engine, actor, now, lambda w, column=column: store(w.c, w.garden_id, [column]))  # type: ignore[misc]
    with engine.connect().execution_options(isolation_level="AUTOCOMMIT") as c:
        c.execute(text("vacuum analyze reading, reading_hour, reading_month"))
    engine.dispose()
    return url
