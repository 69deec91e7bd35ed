"""Hours and months of readings stay what bare SQL makes of the readings: back-filled, corrected, taken back, rebuilt."""

from __future__ import annotations

from datetime import UTC, datetime
from typing import Any
from unittest import mock

import numpy as np
from hypothesis import HealthCheck, settings
from hypothesis import strategies as st
from hypothesis.stateful import RuleBasedStateMachine, initialize, invariant, rule, run_state_machine_as_test
from sqlalchemy import text

from fennet.storage import queries, reading_store
from fennet.storage.reading_store import Column, pack_stale, rebuild, store, stored, take_back
from tests.database import DatabaseCase

T0 = 1_769_904_000.0
SERIES = (("A", "soil_temperature", "p", None, None, None), ("B", "light", None, 10.0, None, None))
#: Minutes since the first: few enough to meet again, and some a month on.
MOMENTS = st.one_of(st.integers(0, 12).map(lambda n: n * 25), st.integers(0, 4).map(lambda n: 60 * 24 * 31 + n * 25))
MINUTES = st.lists(MOMENTS, min_size=1, max_size=12, unique=True).map(sorted)
FIGURE = st.one_of(st.just(float("nan")), st.integers(0, 40).map(float))
BARE = text(
    """select series_id, date_trunc('hour', at) as hour, avg(canonical), min(canonical), max(canonical), count(*)
       from reading where canonical is not null group by 1, 2 order by 1, 2"""
)
KEPT = text("select series_id, hour, mean, low, high, n from reading_hour order by 1, 2")
MONTHS = text(
    """select m.series_id, m.month, m.n_hours, m.n, (select count(*) from reading_hour h where h.series_id = m.series_id
         and date_trunc('month', h.hour, 'UTC') = m.month), (select sum(n) from reading_hour h where h.series_id = m.series_id
         and date_trunc('month', h.hour, 'UTC') = m.month), (select string_agg(float8send(h.mean), '' order by hour) = m.mean
         from reading_hour h where h.series_id = m.series_id and date_trunc('month', h.hour, 'UTC') = m.month)
       from reading_month m where not stale"""
)
UNTOLD = text(
    """select count(*) from reading_hour h where not exists (select from reading_month m where m.series_id = h.series_id
         and m.month = date_trunc('month', h.hour, 'UTC'))"""
)


class Machine(RuleBasedStateMachine):
    case: DatabaseCase

    @initialize()
    def begin(self) -> None:
        # Each example has a garden of its own; the last one's goes.
        with self.case.engine.begin() as c:
            c.execute(text("delete from garden"))
        self.actor = self.case.garden(f"Rolled {np.random.default_rng().integers(2**60)}")
        for tray in ("A", "B"):
            self.case.tray(self.actor, tray)

    def column(self, which: int, minutes: list[int], figures: list[float]) -> Column:
        at = T0 + 60.0 * np.array(minutes, dtype=float)
        values = np.array([figures[i % len(figures)] for i in range(len(at))])
        return Column(SERIES[which], "degC" if which == 0 else "lux", None, None, at, np.nan_to_num(values, nan=7.0), values)

    @rule(which=st.integers(0, 1), minutes=MINUTES, figures=st.lists(FIGURE, min_size=1, max_size=5), replace=st.booleans(),
          few=st.sampled_from((0, 100)))  # fmt: skip
    def put(self, which: int, minutes: list[int], figures: list[float], replace: bool, few: int) -> None:
        # By the way of a few and by the way of many: what comes of them is one.
        with self.case.engine.begin() as c, mock.patch.object(reading_store, "FEW", few):
            store(c, self.actor.ref.id, [self.column(which, minutes, figures)], replace)

    @rule(which=st.integers(0, 1), n=st.integers(0, 30))
    def take_one_back(self, which: int, n: int) -> None:
        with self.case.engine.begin() as c:
            found = [float(t) for col in stored(c, self.actor.ref.id) if col.series == SERIES[which] for t in col.at_s]
            if found:
                self.case.assertIsNotNone(take_back(c, self.actor.ref.id, SERIES[which], found[n % len(found)]))

    @rule(factor=st.sampled_from((0.5, 2.0)), lost=st.booleans())
    def calibrate(self, factor: float, lost: bool) -> None:
        with self.case.engine.begin() as c:
            found = list(stored(c, self.actor.ref.id))
            for col in found:
                figures = np.full(len(col.at_s), np.nan) if lost else col.value * factor
                rebuild(c, self.actor.ref.id, [_with(col, figures)])

    @invariant()
    def hours_and_months_are_those_of_bare_sql(self) -> None:
        if not hasattr(self, "actor"):
            return
        with self.case.engine.connect() as c:
            bare, kept = c.execute(BARE).all(), c.execute(KEPT).all()
            self.case.assertEqual([(r[0], r[1], r[5]) for r in kept], [(r[0], r[1], r[5]) for r in bare])
            for mine, theirs in zip(kept, bare, strict=True):
                np.testing.assert_allclose([float(x) for x in mine[2:5]], [float(x) for x in theirs[2:5]], rtol=1e-12)
            for month in c.execute(MONTHS):
                self.case.assertEqual((month[2], month[3], month[6]), (month[4], month[5], True))
            self.case.assertEqual(c.execute(UNTOLD).scalar_one(), 0, "a month that a reader would not find")

    @rule()
    def pack(self) -> None:
        with self.case.engine.begin() as c:
            pack_stale(c, datetime.fromtimestamp(T0 + 400 * 86_400, UTC))
            self.case.assertEqual(c.execute(text("select count(*) from reading_month where stale")).scalar_one(), 0)
            self.case.assertEqual(pack_stale(c, datetime.fromtimestamp(T0 + 400 * 86_400, UTC)), 0)

    @invariant()
    def series_read_by_months_are_those_read_by_hours(self) -> None:
        if not hasattr(self, "actor"):
            return
        with self.case.engine.connect() as c, mock.patch.multiple(queries, BY_THE_HOUR=0.0, LEAST_LOGGED=0):
            marks = queries.series_revisions(c, self.actor.ref.id)
            for number, series in queries.series(c, marks, T0 - 86_400).items():
                hours = c.execute(
                    text("select mean from reading_hour where series_id = :n order by hour"), {"n": number}
                ).scalars()
                self.case.assertEqual(series.value.tolist(), list(hours))


def _with(col: Any, figures: Any) -> Column:
    return Column(col.series, col.unit, col.under, col.estimated, col.at_s, col.value, figures)


class RollUps(DatabaseCase):
    def test_through_any_writes(self) -> None:
        Machine.case = self
        run_state_machine_as_test(  # type: ignore[no-untyped-call]
            Machine,
            settings=settings(max_examples=25, stateful_step_count=12, deadline=None, suppress_health_check=list(HealthCheck)),
        )
