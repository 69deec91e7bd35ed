"""Tables, migrations and bulk readings on a real PostgreSQL."""

# ruff: noqa: E501 — tables of cases read best a case a line.

from __future__ import annotations

import threading
from dataclasses import replace
from datetime import UTC, datetime
from unittest import mock

import numpy as np
from alembic.autogenerate import compare_metadata
from alembic.migration import MigrationContext
from sqlalchemy import text
from sqlalchemy.exc import DBAPIError, IntegrityError

from fennet.storage import queries
from fennet.storage.database import migrate
from fennet.storage.reading_store import Column, rebuild, store, stored, take_back
from fennet.storage.tables import metadata
from tests.database import DatabaseCase

T0 = datetime(2026, 2, 3, tzinfo=UTC).timestamp()


def column(
    values: list[float], start_s: float = T0, step_s: float = 300.0, unit: str = "degC", place: str = "A", **options: object
) -> Column:
    at_s = start_s + step_s * np.arange(len(values))
    figures = np.array(values, dtype=float)
    return Column(
        (place, "soil_temperature", "p", None, None, None),
        unit,
        options.get("under"),
        options.get("estimated"),
        at_s,
        figures,
        figures,
    )  # type: ignore[arg-type]


class Schema(DatabaseCase):
    def test_the_migrations_make_just_what_the_models_say(self) -> None:
        with self.engine.connect() as c:
            found = compare_metadata(MigrationContext.configure(c, opts={"compare_type": True}), metadata)
        self.assertEqual(found, [])

    def test_two_servers_may_migrate_at_once(self) -> None:
        threads = [threading.Thread(target=migrate, args=(self.engine,)) for _ in range(3)]
        for t in threads:
            t.start()
        for t in threads:
            t.join(20)
        with self.engine.connect() as c:
            self.assertEqual(c.execute(text("select count(*) from alembic_version")).scalar_one(), 1)

    def test_the_database_itself_refuses_two_batches_in_one_cell(self) -> None:
        actor = self.garden("cells")
        self.tray(actor)
        first, second = self.sow(actor)[0], self.sow(actor, cells=("r2c1",))[0]
        row = text(
            "insert into cell_stay (garden_id, batch, tray, cell, during) values (:g, :b, 'A', 'r1c1', tstzrange('2026-02-15', null))"
        )
        with self.assertRaisesRegex(IntegrityError, "one_batch_in_a_cell"), self.engine.begin() as c:
            c.execute(row, {"g": actor.ref.id, "b": second})
        with self.engine.connect() as c:
            held = c.execute(text("select count(*) from cell_stay where batch = :b"), {"b": first}).scalar_one()
        self.assertEqual(held, 2)

    def test_events_can_be_neither_changed_nor_taken_away(self) -> None:
        actor = self.garden("append only")
        self.tray(actor)
        self.sow(actor, covered=True)
        for statement in ("update event set kind = 'note'", "delete from event"):
            with self.assertRaisesRegex(DBAPIError, "append-only"), self.engine.begin() as c:
                c.execute(text(statement))
        with self.engine.begin() as c:
            c.execute(text("delete from garden where id = :g"), {"g": actor.ref.id})


class Readings(DatabaseCase):
    def setUp(self) -> None:
        self.actor = self.garden(self.id())
        for tray in ("A", "B"):
            self.tray(self.actor, tray)

    def kept(self) -> list[Column]:
        with self.engine.connect() as c:
            return list(stored(c, self.actor.ref.id))

    def put(self, *columns: Column, replace: bool = False) -> tuple[int, int, int]:
        with self.engine.begin() as c:
            done = store(c, self.actor.ref.id, columns, replace)
            kept, repeated, clashes = done.kept, done.repeated, done.clashes
        return kept, repeated, len(clashes)

    def test_what_goes_in_comes_out(self) -> None:
        odd = Column(
            ("B", "light", None, 10.0, None, 2.5),
            "klux",
            "daylight",
            True,
            np.array([T0 + 0.25]),
            np.array([6.5]),
            np.array([np.nan]),
        )
        self.assertEqual(self.put(column([18.0, 18.5, -3.25]), odd), (3 + 1, 0, 0))
        a, b = self.kept()
        self.assertEqual((a.value.tolist(), a.at_s.tolist()), ([18.0, 18.5, -3.25], [T0, T0 + 300, T0 + 600]))
        self.assertEqual(
            (b.series, b.unit, b.under, b.estimated, b.at_s.tolist()), (odd.series, "klux", "daylight", True, [T0 + 0.25])
        )
        self.assertTrue(np.isnan(b.canonical[0]))

    def test_sent_again_is_repeated_and_another_value_is_a_clash(self) -> None:
        self.put(column([18.0, 18.5, 19.0]))
        self.assertEqual(self.put(column([18.0, 18.5, 19.0])), (0, 3, 0))
        self.assertEqual(self.put(column([18.0, 99.0, 19.0, 20.0])), (1, 2, 1))
        self.assertEqual(self.kept()[0].value.tolist(), [18.0, 18.5, 19.0, 20.0])
        self.assertEqual(self.put(column([18.0, 30.0]), replace=True), (1, 1, 0))
        self.assertEqual(self.kept()[0].value.tolist(), [18.0, 30.0, 19.0, 20.0])

    def test_figures_made_anew_of_one_unit_leave_the_hours_of_all_and_long_columns_come_in_pieces(self) -> None:
        klux = Column(
            ("B", "light", None, None, None, None), "klux", "lamp-1", None, T0 + np.arange(5) * 3600.0, np.arange(5.0), np.ones(5)
        )
        sky = Column(
            klux.series, "umol/m2/s", None, None, T0 + 86_400 + np.arange(3) * 3600.0, np.full(3, 80.0), np.full(3, 80.0)
        )
        self.put(klux, sky)
        with mock.patch("fennet.storage.reading_store.PIECE", 2), self.engine.begin() as c:
            pieces = [col for col in stored(c, self.actor.ref.id, "light") if col.unit == "klux"]
            self.assertEqual([len(col.at_s) for col in pieces], [2, 2, 1])
            self.assertEqual(rebuild(c, self.actor.ref.id, (replace(col, canonical=col.value * 15.0) for col in pieces)), 5)
            marks = queries.series_revisions(c, self.actor.ref.id)
            of = {"n": marks[0].id}
            hours = c.execute(text("select mean from reading_hour where series_id = :n order by hour"), of).scalars().all()
        self.assertEqual(hours, [0.0, 15.0, 30.0, 45.0, 60.0, 80.0, 80.0, 80.0], "no day of the chart is lost")
        self.assertEqual(marks[0].revision, 2, "what was read of it before does not hold")
        self.assertEqual([col.unit for col in self.kept()], ["klux", "umol/m2/s"])

    def test_hours_are_rolled_up_as_readings_come_in_any_order(self) -> None:
        n = 25
        values = list(np.arange(n * 12, dtype=float))
        whole = column(values)
        self.put(column(values[24:], T0 + 24 * 300))
        self.put(column(values[:24]))
        with self.engine.connect() as c:
            mark = queries.series_revisions(c, self.actor.ref.id)[0]
            hours = [queries.series(c, [mark], T0)[mark.id]]
            cut = [queries.series(c, [mark], T0 + (n - 10) * 3600)[mark.id]]
        np.testing.assert_allclose(hours[0].value, whole.value.reshape(n, 12).mean(axis=1))
        np.testing.assert_allclose(hours[0].at_s, whole.at_s.reshape(n, 12).mean(axis=1))
        self.assertEqual(len(cut[0].at_s), 10, "earlier hours are left out")

    def test_few_readings_are_given_as_they_are(self) -> None:
        self.put(column(list(np.arange(10 * 12, dtype=float)), place="A"))
        with self.engine.connect() as c:
            (mark,) = queries.series_revisions(c, self.actor.ref.id)
            self.assertEqual(len(queries.series(c, [mark], T0)[mark.id].at_s), 120)

    def test_packed_months_hold_the_hours_over_their_edges_and_after_what_was_taken_back(self) -> None:
        edge_s = datetime(2026, 3, 1, tzinfo=UTC).timestamp()
        values = list(np.arange(40 * 12, dtype=float))
        self.put(column(values[240:], edge_s, place="A"))
        self.put(column(values[:240], edge_s - 240 * 300, place="A"))
        self.check_months(40)
        key = ("A", "soil_temperature", "p", None, None, None)
        with self.engine.begin() as c:
            for i in range(12):
                take_back(c, self.actor.ref.id, key, edge_s + 300.0 * i)
        self.check_months(39)
        self.put(column([5.0], edge_s + 40 * 86_400, place="A"))
        self.check_months(40)

    def check_months(self, n: int) -> None:
        """Hours read out of their months are those that the readings make, in order."""
        with self.engine.connect() as c:
            (mark,) = queries.series_revisions(c, self.actor.ref.id)
            read = queries.series(c, [mark], 0.0)[mark.id]
            made = c.execute(text("select at_s, mean from reading_hour where series_id = :n order by hour"), {"n": mark.id}).all()
        self.assertEqual(len(made), n)
        np.testing.assert_allclose(read.at_s, [at for at, _ in made])
        np.testing.assert_allclose(read.value, [mean for _, mean in made])

    def test_rebuilt_figures_correct_the_past(self) -> None:
        col = column([10.0] * 12)
        self.put(col)
        with self.engine.begin() as c:
            rebuild(c, self.actor.ref.id, [Column(col.series, "degC", None, None, col.at_s, col.value, col.value + 2)])
        with self.engine.connect() as c:
            hours = list(queries.series(c, queries.series_revisions(c, self.actor.ref.id), T0).values())
        self.assertEqual((hours[0].value.tolist(), self.kept()[0].value.tolist()), ([12.0] * 12, [10.0] * 12))
