"""`./fennet bench`: the benchmarks as ratios against their limits, from one run. Nothing here is a test."""

from __future__ import annotations

import os
import platform
import sys
import time
from datetime import UTC, datetime, timedelta
from functools import partial
from zoneinfo import ZoneInfo

import numpy as np
from sqlalchemy import Engine, text

from fennet.cli.bench_pages import Line, best_ms, many_gardens, pages
from fennet.cli.bench_readings import many_readings
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
from fennet.operations import gardens, readings
from fennet.operations.acting import Actor, in_turn
from fennet.simulated_room.grown import draw_grown
from fennet.simulated_room.mats import draw_mat
from fennet.simulated_room.shelves import draw_shelf
from fennet.simulated_room.simulated_faults import tell
from fennet.storage.database import connect, migrate
from fennet.storage.queries import GardenRef

START = datetime(2025, 1, 1, tzinfo=UTC)

PROBES = 6


def bench(rows: int) -> int:
    """Print a table of what was measured, what it is held against, and the ratio."""
    cluster = Cluster("bench-db", throwaway=True, say=lambda _: None)
    cluster.destroy()
    cluster.start()
    try:
        lines = [
            _forecast(),
            *_findings(),
            _grown(),
            _settings(),
            _lamp(),
            *_plans(),
            *_import(cluster, rows),
            *pages(cluster),
            *many_gardens(cluster),
            *many_readings(cluster),
        ]
    finally:
        cluster.destroy()
    print(f"{datetime.now(UTC):%Y-%m-%d}, {os.cpu_count()} cores, Python {platform.python_version()}, {platform.machine()}")
    print(f"{'what':58} {'measured':>12} {'held against':>14} {'ratio':>7} {'limit':>9}")
    kept = True
    for what, measured, against, ratio, limit, good in lines:
        kept &= good
        print(f"{what:58} {measured:>12} {against:>14} {ratio:7.2f} {limit:>9}{'' if good else '  over'}")
    return 0 if kept else 1


def _forecast() -> Line:
    at_s = START.timestamp() + np.linspace(0, 13 * 86_400, 10_000)
    soil = Series("A", "soil_temperature", None, at_s, 10.3 + 0.5 * np.sin(at_s / 13_751), np.zeros(10_000, bool))
    batch = Batch(id="b", crop="leek", sown_at=START, tray="A", cells=12, seeds_per_cell=2)
    journal = Journal(batches=[batch], series=[soil])
    ms = best_ms(lambda: forecast(journal, shipped().get("leek"), batch, float(at_s[-1])))
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

    season_ms = best_ms(all_of, 3) * 5
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
    ms = best_ms(lambda: tune_mats(journal, crops, case.at.timestamp()))
    return ("a mat tuned", f"{ms:.1f} ms", "50 ms", ms / 50, "1.00", ms <= 50)


def _lamp() -> Line:
    case = draw_shelf(4, 4)
    read = read_journal(case.journal)
    journal = read.with_series()
    crops = {b.crop: read.crops.get(b.crop) for b in journal.batches}
    ms = best_ms(lambda: tune_lamps(journal, crops, case.at.timestamp(), ZoneInfo("UTC")))
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

    ms = best_ms(call, 9) / len(cases)
    return ("one growing batch diagnosed, all complaints", f"{ms:.1f} ms", "100 ms", ms / 100, "1.00", ms <= 100)


def _plans() -> list[Line]:
    """Sixty sowings in a room that holds them, and in one that does not: dates, search and ways out together."""
    lines = []
    for what, shelves, mats in (("that the room holds", 12, 4), ("for a room too small", 3, 1)):
        journal, crops = _sixty(shelves, mats)

        def call(journal: Journal = journal, crops: dict[str, Crop] = crops) -> None:
            clashes(plan(journal, crops, outdoors(journal.garden, None), START.date(), START.timestamp()))

        ms = best_ms(call, 3)
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
