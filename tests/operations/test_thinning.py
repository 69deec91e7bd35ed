"""Minutes of years ago thinned to hours: what is told of them stays, and nothing else goes."""

from __future__ import annotations

import json
from datetime import UTC, date, datetime, timedelta
from typing import Any

import numpy as np
from sqlalchemy import text

from fennet.journal.reader import read_journal
from fennet.operations import derived, exchange, thinning
from fennet.operations.acting import Refusal
from fennet.operations.readings import HandReading, collector_for, log_reading, take
from fennet.storage import queries, reading_spans
from fennet.storage.reading_store import Column, store
from tests.database import NOW, DatabaseCase

FROM = datetime(2024, 1, 10, tzinfo=UTC)
BEFORE = date(2024, 6, 1)
HOURS = "select series_id, hour, at_s, mean, low, high, n from reading_hour order by 1, 2"


class Thinning(DatabaseCase):
    def setUp(self) -> None:
        self.actor = self.garden(f"Thin {self.id()[-40:]}")
        self.tray(self.actor, "A")
        self.at_s = FROM.timestamp() + 600.0 * np.arange(6 * 24 * 700)
        self.at_s = self.at_s[self.at_s < NOW.timestamp()]
        value = np.round(20 + 3 * np.sin(self.at_s / 13_751), 1)
        self.put(Column(("A", "soil_temperature", "p", None, None, None), "degC", None, None, self.at_s, value, value))
        hand = HandReading("A", "soil_temperature", 19.0, "degC", FROM + timedelta(days=3), "by-hand")
        self.write(self.actor, log_reading, hand)

    def put(self, column: Column) -> Any:
        with self.engine.begin() as c:
            return store(c, self.actor.ref.id, [column])

    def hours(self) -> list[Any]:
        with self.engine.connect() as c:
            return list(c.execute(text(HOURS)).all())

    def test_hours_months_and_views_stay_and_only_a_loggers_minutes_go(self) -> None:
        with self.engine.connect() as c:
            marks = queries.series_revisions(c, self.actor.ref.id)
            series = queries.series(c, marks, FROM.timestamp())
            spans = reading_spans.series_spans(c, self.actor.ref.id)
        hours, n_old = self.hours(), int((self.at_s < datetime(2024, 6, 1, tzinfo=UTC).timestamp()).sum())
        would = thinning.thin(self.engine, self.actor, BEFORE, NOW, rehearsal=True)
        self.assertEqual([(x.source, x.n) for x in would], [("p", n_old)])
        self.assertEqual(thinning.thin(self.engine, self.actor, BEFORE, NOW), would)
        self.assertEqual(thinning.thin(self.engine, self.actor, BEFORE, NOW), [], "told twice, it is done once")
        # A calibration made anew goes through every reading there is, and through no hour that is the record.
        self.write(self.actor, derived.renew)
        self.assertEqual(self.hours(), hours)
        with self.engine.connect() as c:
            left = c.execute(text("select count(*), min(at) from reading")).one()
            self.assertEqual(left[0], len(self.at_s) - n_old + 1)
            self.assertEqual(left[1], FROM + timedelta(days=3), "what was read by hand stays")
            marks = queries.series_revisions(c, self.actor.ref.id)
            for number, s in queries.series(c, marks, FROM.timestamp()).items():
                self.assertEqual(
                    (s.at_s.tolist(), s.value.tolist()), (series[number].at_s.tolist(), series[number].value.tolist())
                )
            again = reading_spans.series_spans(c, self.actor.ref.id)
            self.assertEqual([(s.id, s.first_at, s.last) for s in again], [(s.id, s.first_at, s.last) for s in spans])
            day = reading_spans.steps(c, spans[-1].id, FROM + timedelta(days=9), FROM + timedelta(days=10),
                                      reading_spans.FIVE_MINUTES, "UTC")  # fmt: skip
            self.assertEqual(len(day.at_s), 24, "its hours stand for its minutes")
        with self.engine.connect() as c:
            journal = read_journal(json.loads("".join(exchange.give_journal(c, self.actor.ref))))
        told = sorted(float(t) for g in journal.groups for t in g.at_s)
        self.assertEqual(len(told), len(self.at_s) - n_old + 1 + n_old // 6, "an export holds an hour's mean for its minutes")

    def test_what_comes_late_for_a_thinned_time_is_told_and_never_changes_an_hour(self) -> None:
        thinning.thin(self.engine, self.actor, BEFORE, NOW)
        hours = self.hours()
        for at_s in (self.at_s[:50] + 60, self.at_s[:6_000] + 60):
            late = Column(("A", "soil_temperature", "p", None, None, None), "degC", None, None, at_s, at_s * 0 + 9, at_s * 0 + 9)
            done = self.put(late)
            self.assertEqual((done.kept, done.late[0].n), (0, len(at_s)))
        collector = collector_for(self.engine, self.actor, NOW)
        collector.add(1, FROM.isoformat(), 20.0, "A", "soil_temperature", "degC", "p", *(None,) * 5)
        outcome = self.write(self.actor, take, collector.close())
        self.assertIn("thinned to hours", outcome.rejected[0].reason)
        self.assertEqual(self.hours(), hours)

    def test_it_is_refused_for_what_is_near_or_no_month_and_for_who_is_no_owner(self) -> None:
        for day in (date(2025, 6, 1), date(2024, 6, 2), date(2027, 1, 1)):
            with self.assertRaises(Refusal):
                thinning.thin(self.engine, self.actor, day, NOW)
        helper = self.garden("Another", role="helper")
        self.tray(helper, "A")
        with self.engine.begin() as c:
            value = self.at_s * 0 + 20
            store(
                c,
                helper.ref.id,
                [Column(("A", "soil_temperature", "p", None, None, None), "degC", None, None, self.at_s, value, value)],
            )
        with self.assertRaises(Refusal):
            thinning.thin(self.engine, helper, BEFORE, NOW)
