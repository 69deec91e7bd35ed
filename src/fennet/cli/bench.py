"""`./fennet bench`: the benchmarks as ratios against their limits, from one run. Nothing here is a test."""

from __future__ import annotations

import itertools
import os
import platform
import statistics
import sys
import threading
import time
from collections.abc import Callable
from datetime import UTC, datetime, timedelta
from functools import partial
from zoneinfo import ZoneInfo

import numpy as np
from sqlalchemy import Engine, text

from fennet.core.crop import Crop
from fennet.core.diagnosis.findings import findings
from fennet.core.forecast import forecast
from fennet.core.planning.clashes import clashes
from fennet.core.planning.plan import outdoors, plan
from fennet.core.records import Batch, Garden, Journal, Lamp, Mat, Place, Series, Tray, Want
from fennet.core.tuning.lamps import tune_lamps
from fennet.core.tuning.mats import tune_mats
from fennet.crops import shipped
from fennet.crops.complaints import shipped_complaints
from fennet.journal.reader import read_journal
from fennet.journal.readings import Collector, Known
from fennet.journal.readings_csv import open_table, read_own
from fennet.journal.times import zone_of
from fennet.launch.cluster import Cluster
from fennet.launch.serve import DEMO_NAME, DEMO_PASSWORD, build_demo
from fennet.operations import gardens, readings
from fennet.operations.acting import Actor, in_turn
from fennet.simulated_room.grown import draw_grown
from fennet.simulated_room.mats import draw_mat
from fennet.simulated_room.shelves import draw_shelf
from fennet.simulated_room.simulated_faults import tell
from fennet.storage.database import connect, migrate
from fennet.storage.queries import GardenRef

START = datetime(2025, 1, 1, tzinfo=UTC)

#: A page that was looked at before may take so many times what an empty one takes.
WARM_TIMES = 12.0
PROBES = 6


def bench(rows: int) -> int:
    """Print a table of what was measured, what it is held against, and the ratio."""
    cluster = Cluster("bench-db", throwaway=True, say=lambda _: None)
    cluster.destroy()
    cluster.start()
    try:
        lines = [_forecast(), *_findings(), _grown(), _settings(), _lamp(), *_plans(), *_import(cluster, rows), *_pages(cluster)]
    finally:
        cluster.destroy()
    print(f"{datetime.now(UTC):%Y-%m-%d}, {os.cpu_count()} cores, Python {platform.python_version()}, {platform.machine()}")
    print(f"{'what':58} {'measured':>12} {'held against':>14} {'ratio':>7} {'limit':>9}")
    kept = True
    for what, measured, against, ratio, limit, good in lines:
        kept &= good
        print(f"{what:58} {measured:>12} {against:>14} {ratio:7.2f} {limit:>9}{'' if good else '  over'}")
    return 0 if kept else 1


Line = tuple[str, str, str, float, str, bool]


def _best_ms(call: Callable[[], object], n: int = 25) -> float:
    call()
    times = []
    for _ in range(n):
        start = time.perf_counter()
        call()
        times.append((time.perf_counter() - start) * 1000)
    return statistics.median(times)


def _forecast() -> Line:
    at_s = START.timestamp() + np.linspace(0, 13 * 86_400, 10_000)
    soil = Series("A", "soil_temperature", None, at_s, 10.3 + 0.5 * np.sin(at_s / 13_751), np.zeros(10_000, bool))
    batch = Batch(id="b", crop="leek", sown_at=START, tray="A", cells=12, seeds_per_cell=2)
    journal = Journal(batches=[batch], series=[soil])
    ms = _best_ms(lambda: forecast(journal, shipped().get("leek"), batch, float(at_s[-1])))
    return ("forecast of one batch with 10,000 readings", f"{ms:.1f} ms", "20 ms", ms / 20, "1.00", ms <= 20)


def _findings() -> list[Line]:
    """One batch diagnosed, and a season of three hundred drawn trays, each in a record with its neighbours."""
    told = [tell(seed) for seed in range(1, 61)]
    cases = []
    for one in told:
        read = read_journal(one.journal)
        journal = read.with_series()
        cases.append((journal, {b.crop: read.crops.get(b.crop) for b in journal.batches}, one.at.timestamp()))

    def all_of() -> None:
        for journal, crops, at_s in cases:
            findings(journal, crops, shipped_complaints(), next(b for b in journal.batches if b.id == "b1"), at_s)

    season_ms = _best_ms(all_of, 3) * 5
    one_ms = season_ms / 300
    return [
        ("one batch diagnosed", f"{one_ms:.1f} ms", "50 ms", one_ms / 50, "1.00", one_ms <= 50),
        (
            "a season of 300 batches, every complaint",
            f"{season_ms:.0f} ms",
            "10000 ms",
            season_ms / 10000,
            "1.00",
            season_ms <= 10000,
        ),
    ]


def _settings() -> Line:
    case = draw_mat(4)
    read = read_journal(case.journal)
    journal = read.with_series()
    crops = {b.crop: read.crops.get(b.crop) for b in journal.batches}
    ms = _best_ms(lambda: tune_mats(journal, crops, case.at.timestamp()))
    return ("a mat tuned", f"{ms:.1f} ms", "50 ms", ms / 50, "1.00", ms <= 50)


def _lamp() -> Line:
    case = draw_shelf(4, 4)
    read = read_journal(case.journal)
    journal = read.with_series()
    crops = {b.crop: read.crops.get(b.crop) for b in journal.batches}
    ms = _best_ms(lambda: tune_lamps(journal, crops, case.at.timestamp(), ZoneInfo("UTC")))
    return ("a lamp tuned", f"{ms:.1f} ms", "50 ms", ms / 50, "1.00", ms <= 50)


def _grown() -> Line:
    """A stretched, a falling and an odd tray, argued whole: four complaints each."""
    cases = []
    for what in ("leggy", "damping_off", "other"):
        drawn = draw_grown(4, what)
        read = read_journal(drawn.journal)
        journal = read.with_series()
        cases.append((journal, {b.crop: read.crops.get(b.crop) for b in journal.batches}, drawn.at.timestamp()))

    def call() -> None:
        for journal, crops, at_s in cases:
            findings(journal, crops, shipped_complaints(), journal.batches[0], at_s)

    ms = _best_ms(call, 9) / len(cases)
    return ("one growing batch diagnosed, all complaints", f"{ms:.1f} ms", "100 ms", ms / 100, "1.00", ms <= 100)


def _plans() -> list[Line]:
    """Sixty sowings in a room that holds them, and in one that does not: dates, search and ways out together."""
    lines = []
    for what, shelves, mats in (("that the room holds", 12, 4), ("for a room too small", 3, 1)):
        journal, crops = _sixty(shelves, mats)

        def call(journal: Journal = journal, crops: dict[str, Crop] = crops) -> None:
            clashes(plan(journal, crops, outdoors(journal.garden, None), START.date(), START.timestamp()))

        ms = _best_ms(call, 3)
        lines.append((f"plan of 60 sowings {what}", f"{ms:.0f} ms", "2000 ms", ms / 2000, "1.00", ms <= 2000))
    return lines


def _sixty(shelves: int, mats: int) -> tuple[Journal, dict[str, Crop]]:
    """Sixty wants of thirty kinds, a dozen plants each, and a room of lit shelves."""
    kinds = [c for c in shipped() if c.planting.hardiness == "tender" or c.group in ("cool_leaves", "tender_flowers")][:30]
    rng = np.random.default_rng(60)
    wants = [Want(crop=kinds[i % 30].id, variety=str(i), plants=int(rng.integers(6, 20))) for i in range(60)]
    places = [Place(id=f"s{i}", kind="shelf", width_mm=1200, depth_mm=450) for i in range(shelves)]
    lamps = [Lamp(id=f"l{i}", place=f"s{i}", kind="white_led") for i in range(shelves)]
    trays = [Tray(id="A", kind="cells", rows=4, columns=6, width_mm=280, depth_mm=400)]
    garden = Garden(latitude=52.0, longitude=4.5, last_frost="05-05")
    record = Journal(
        garden=garden, places=places, lamps=lamps, mats=[Mat(id=f"m{i}") for i in range(mats)], trays=trays, wants=wants
    )  # fmt: skip
    return record, {c.id: c for c in kinds}


def _import(cluster: Cluster, rows: int) -> list[Line]:
    """A CSV of readings through the whole import, against the same rows already parsed, staged and inserted bare."""
    each = rows // PROBES
    step = timedelta(seconds=60)
    parts = ["at,place,quantity,value,unit,source\n"]
    stamps = [(START + i * step).isoformat() for i in range(each)]
    values = np.round(18 + 3 * np.sin(np.arange(each) / 230), 1)
    for probe in range(PROBES):
        parts += [f"{t},T{probe},soil_temperature,{v},degC,p{probe}\n" for t, v in zip(stamps, values, strict=True)]
    csv_text = "".join(parts)
    _, url = cluster.scratch_database()
    engine = connect(url)
    migrate(engine)
    with engine.begin() as c:
        ref = gardens.make_garden(c, Garden(name="bench", timezone="UTC"))
    actor = Actor("bench", GardenRef(ref.id, ref.slug, ref.garden, "owner", False))
    for probe in range(PROBES):
        tray = Tray(id=f"T{probe}", rows=1, columns=1)
        in_turn(engine, actor, START, partial(gardens.add_tray, tray=tray, place=None))
    bare_s = _bare_insert(engine, stamps, values)
    start = time.perf_counter()
    collector = Collector(Known({f"T{p}": "tray" for p in range(PROBES)}), zone_of("UTC"))
    read_own(open_table(csv_text), collector)
    taken = collector.close()
    parsed_s = time.perf_counter() - start
    later = START + timedelta(days=4000)
    outcome = in_turn(engine, actor, later, lambda w: readings.take(w, taken))
    whole_s = time.perf_counter() - start
    start = time.perf_counter()
    again = in_turn(engine, actor, later, lambda w: readings.take(w, taken))
    again_s = time.perf_counter() - start
    assert outcome is not None and again is not None
    if outcome.accepted != each * PROBES or again.repeated != each * PROBES:
        print(f"fennet: import kept {outcome.accepted} and repeated {again.repeated} of {each * PROBES}", file=sys.stderr)
    engine.dispose()
    n = each * PROBES
    ratio = bare_s / whole_s
    return [
        (
            f"import of {n:,} readings: speed against a bare staged insert",
            f"{whole_s:.1f} s",
            f"{bare_s:.1f} s",
            ratio,
            ">= 0.90",
            ratio >= 0.9,
        ),
        ("  of which reading and checking the CSV", f"{parsed_s:.1f} s", f"{whole_s:.1f} s", parsed_s / whole_s, "", True),
        ("  the same import sent again, against the first", f"{again_s:.1f} s", f"{whole_s:.1f} s", again_s / whole_s, "", True),
    ]


def _bare_insert(engine: Engine, stamps: list[str], values: np.ndarray) -> float:
    """The least that could be done with the same rows: COPY into a staging table, then insert into one with the same key."""
    moments = [datetime.fromisoformat(t) for t in stamps]
    plain = [float(v) for v in values]
    with engine.begin() as c:
        c.execute(text("create table bare (like reading including all)"))
        c.execute(text("create temp table bare_stage (like reading) on commit drop"))
        start = time.perf_counter()
        with c.connection.cursor().copy("copy bare_stage from stdin (format binary)") as copy:
            copy.set_types(["int4", "timestamptz", "float8", "float8", "varchar", "varchar", "bool"])
            for probe in range(PROBES):
                for at, value in zip(moments, plain, strict=True):
                    copy.write_row((probe, at, value, value, "degC", None, None))
        c.execute(text("insert into bare select * from bare_stage on conflict do nothing"))
    took = time.perf_counter() - start
    with engine.begin() as c:
        c.execute(text("drop table bare"))
    return took


def _pages(cluster: Cluster) -> list[Line]:
    """Pages of the demo garden against an empty page of the same server, asked over a real socket."""
    import http.client
    import re
    from urllib.parse import urlencode

    from werkzeug.serving import WSGIRequestHandler, make_server

    from fennet.web import record
    from fennet.web.app import create_app
    from fennet.web.settings import Settings

    _, url = cluster.scratch_database()
    engine = connect(url)
    migrate(engine)
    build_demo(engine, datetime.now(UTC))
    engine.dispose()
    app = create_app(Settings(url, "bench", demo=True))
    snapshots: record.Snapshots = app.extensions["fennet_snapshots"]

    class Quiet(WSGIRequestHandler):
        def log(self, *_: object) -> None:
            """Say nothing of each request."""

    server = make_server("127.0.0.1", 0, app, threaded=True, request_handler=Quiet)
    threading.Thread(target=server.serve_forever, daemon=True).start()
    cookie = ""

    def ask(path: str, body: str | None = None) -> tuple[int, str, str]:
        connection = http.client.HTTPConnection("127.0.0.1", server.server_port)
        headers = {"Cookie": cookie} | ({"Content-Type": "application/x-www-form-urlencoded"} if body else {})
        connection.request("POST" if body else "GET", path, body, headers)
        response = connection.getresponse()
        got = response.read().decode()
        connection.close()
        return response.status, got, (response.getheader("Set-Cookie") or "").split(";")[0]

    _, page, cookie = ask("/sign-in")
    token = re.search(r'name="csrf_token"[^>]*value="([^"]+)"', page)
    assert token
    status, _, cookie = ask("/sign-in", urlencode({"name": DEMO_NAME, "password": DEMO_PASSWORD, "csrf_token": token.group(1)}))
    tray, grown, trays = "/g/canal-house/trays/A", "/g/canal-house/trays/G", "/g/canal-house/trays"
    why, tune = "/g/canal-house/why/leek-1", "/g/canal-house/tune"
    today, book, season = "/g/canal-house/today", "/g/canal-house/book", "/g/canal-house/plan"
    if status != 302 or ask(tray)[0] != 200:
        print("fennet: the demo could not be opened for the benchmark", file=sys.stderr)

    def cold(path: str) -> Callable[[], object]:
        def call() -> object:
            snapshots.forget()
            return ask(path)

        return call

    _, page, renewed = ask("/g/canal-house/log")
    form = re.search(r'name="csrf_token"[^>]*value="([^"]+)"', page)
    assert form
    cookie = renewed or cookie
    keys = itertools.count()

    def pressed(path: str) -> Callable[[], object]:
        def call() -> object:
            fields = {"csrf_token": form.group(1), "line": "H watered below 100ml", "key": f"bench-{next(keys)}"}
            if ask("/g/canal-house/log", urlencode(fields))[0] != 302:
                print("fennet: a line was not taken in the benchmark", file=sys.stderr)
            return ask(path)

        return call

    empty = _best_ms(lambda: ask("/healthy"), 60)
    lines: list[Line] = []
    for what, call, times, most_ms in (
        ("Today", lambda: ask(today), WARM_TIMES, None),
        ("Today, everything read and worked out anew", cold(today), None, 200.0),
        ("a watering logged, and Today after it", pressed(today), None, 60.0),
        ("a watering logged, and every batch argued after it", pressed("/g/canal-house/why"), None, 150.0),
        ("Why of a tray", lambda: ask(why), WARM_TIMES, None),
        ("Why, everything read and argued anew", cold(why), None, 150.0),
        ("Tune", lambda: ask(tune), WARM_TIMES, None),
        ("Tune, everything read and worked out anew", cold(tune), None, 150.0),
        ("Tune of lamps", lambda: ask(f"{tune}/lamps"), WARM_TIMES, None),
        ("Tune of lamps, everything read and worked out anew", cold(f"{tune}/lamps"), None, 150.0),
        ("Feed", lambda: ask("/g/canal-house/feed"), WARM_TIMES, None),
        ("tray page", lambda: ask(tray), WARM_TIMES, None),
        ("tray page of seventy days", lambda: ask(grown), WARM_TIMES, None),
        ("tray page, everything read and worked out anew", cold(tray), None, 150.0),
        ("list of trays", lambda: ask(trays), WARM_TIMES, None),
        ("list of trays, everything read and worked out anew", cold(trays), None, 150.0),
        ("Plan", lambda: ask(season), WARM_TIMES, None),
        ("Plan, everything read and worked out anew", cold(season), None, 150.0),
        ("Book of a fortnight", lambda: ask(book), WARM_TIMES, None),
    ):
        ms = _best_ms(call, 30)
        good = ms / empty <= times if times is not None else ms <= (most_ms or 0.0)
        held = f"<= {times:.0f}" if times is not None else f"<= {most_ms:.0f} ms"
        lines.append((f"{what} against an empty page", f"{ms:.1f} ms", f"{empty:.1f} ms", ms / empty, held, good))
    server.shutdown()
    full = snapshots.memo.held()
    asked, mb = full.hits + full.misses, full.bytes / 1e6
    lines.append((f"answers at hand: {full.entries}, asked {asked} times", f"{mb:.0f} MB", "120 MB", mb / 120, "<= 1", mb <= 120))
    lines.append(("of which were at hand", f"{full.hits}", f"{asked}", full.hits / max(asked, 1), "", True))
    return lines
