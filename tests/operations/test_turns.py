"""Writes take turns: what a write is worked out from is what stands, and nothing that was acknowledged is lost in a race."""

from __future__ import annotations

import json
from concurrent.futures import ThreadPoolExecutor
from datetime import UTC, date, datetime, timedelta
from typing import Any

from psycopg.errors import DeadlockDetected, SerializationFailure
from sqlalchemy import text
from sqlalchemy.exc import OperationalError

from fennet.core.history import counts_of, effective_events
from fennet.core.records import Batch, Event
from fennet.journal.reader import read_journal
from fennet.operations import acting, actions, logging, seed_box, sowing, tokens
from fennet.operations.acting import Refusal, WriteContext, in_turn
from fennet.operations.exchange import give_journal, take_journal
from fennet.storage import queries
from tests.database import NOW, DatabaseCase

HOUR = timedelta(hours=1)


class Turns(DatabaseCase):
    def setUp(self) -> None:
        self.actor = self.garden(self.id())
        self.tray(self.actor, rows=5, columns=8)
        self.cells = tuple(f"r{r}c{c}" for r in range(1, 6) for c in range(1, 9))

    def at_once(self, works: list[Any]) -> list[Any]:
        """Writes begun together; what came of each, a Refusal among them."""

        def one(work: Any) -> Any:
            try:
                return in_turn(self.engine, self.actor, NOW, work)
            except Refusal as e:
                return e

        with ThreadPoolExecutor(10) as pool:
            return list(pool.map(one, works))

    def batch(self, batch_id: str) -> tuple[Batch, list[Event]]:
        batch, events = self.write(self.actor, logging.batch_and_events, batch_id)
        return batch, effective_events(events, float("inf"))

    def test_marks_of_many_people_all_stand(self) -> None:
        (batch_id,) = self.sow(self.actor, cells=self.cells)
        made = self.at_once([lambda w, c=c: logging.mark_more(w, batch_id, [c], NOW - HOUR) for c in self.cells[:12]])
        self.assertTrue(all(made))
        batch, events = self.batch(batch_id)
        self.assertEqual(set(logging.cells_up(batch, events)), set(self.cells[:12]))
        self.assertEqual(counts_of(batch, events).up, 12)

    def test_presses_of_plus_one_add_up(self) -> None:
        (batch_id,) = self.sow(self.actor, cells=self.cells)
        self.at_once([lambda w: logging.count_more(w, batch_id, None, 1, NOW - HOUR)] * 15)
        self.assertEqual(counts_of(*self.batch(batch_id)).up, 15)

    def test_a_queued_press_lands_before_later_presses_and_under_a_later_look(self) -> None:
        (batch_id,) = self.sow(self.actor, cells=self.cells)
        for hours_ago in (5, 3):
            self.write(self.actor, logging.count_more, batch_id, None, 1, NOW - hours_ago * HOUR)
        self.write(self.actor, logging.count_more, batch_id, None, 1, NOW - 4 * HOUR)
        self.assertEqual(counts_of(*self.batch(batch_id)).total, (1, 2, 3), "the later press was one more by the queued one")
        self.write(self.actor, logging.log_count, batch_id, "cells_up", 4, NOW - 2 * HOUR)
        self.write(self.actor, logging.count_more, batch_id, None, 1, NOW - 2.5 * HOUR)
        with self.assertRaisesRegex(Refusal, "4 were up after that"):
            self.write(self.actor, logging.count_more, batch_id, None, 1, NOW - 2.4 * HOUR)
        self.assertEqual(counts_of(*self.batch(batch_id)).total, (1, 2, 3, 4, 4))

    def test_a_count_fits_what_was_counted_before_and_after(self) -> None:
        (batch_id,) = self.sow(self.actor, cells=self.cells)
        self.write(self.actor, logging.log_count, batch_id, "cells_up", 5, NOW)
        with self.assertRaisesRegex(Refusal, "5 were up after that, so 8 were not up before it"):
            self.write(self.actor, logging.log_count, batch_id, "cells_up", 8, NOW - 24 * HOUR)
        early = self.write(self.actor, logging.log_count, batch_id, "cells_up", 4, NOW - 24 * HOUR)
        undone = self.write(self.actor, logging.withdraw, early.id)
        self.write(self.actor, logging.log_count, batch_id, "cells_up", 2, NOW - 20 * HOUR)
        with self.assertRaisesRegex(Refusal, "2 were up after that"):
            self.write(self.actor, logging.withdraw, undone.id)

    def test_marks_after_a_count_without_cells_come_back_from_an_export_whole(self) -> None:
        (batch_id,) = self.sow(self.actor, cells=self.cells)
        self.write(self.actor, logging.log_count, batch_id, "cells_up", 5, NOW - 3 * HOUR)
        self.write(self.actor, logging.mark_more, batch_id, ["r1c1"], NOW - 2 * HOUR)
        self.write(self.actor, logging.count_more, batch_id, None, 2, NOW - HOUR)
        with self.engine.connect() as c:
            given = "".join(give_journal(c, self.actor.ref))
        read = read_journal(json.loads(given))
        self.assertEqual(read.rejected, [])
        self.assertEqual([e.fields["cells_up"] for e in read.journal.events if e.kind == "count"], [5, 5, 7])

    def test_home_tests_undo_and_practice_at_once(self) -> None:
        lot = self.write(self.actor, seed_box.put_lot, {"crop": "leek"})
        given = [{"on": date(2026, 2, 1), "sown": 20, "germinated": n} for n in range(10)]
        self.at_once([lambda w, g=g: seed_box.enter_test(w, lot, g) for g in given])
        with self.engine.connect() as c:
            (kept,) = queries.records(c, self.actor.ref.id, "seed_lots")
        self.assertEqual(sorted(t.germinated for t in kept.tests), list(range(10)))
        note = self.write(self.actor, actions.log_event, "note", {"text": "dry", "place": "A"}, NOW)
        done = self.at_once([lambda w: logging.withdraw(w, note.id)] * 20)
        self.assertEqual(sum(isinstance(x, Event) for x in done), 1)
        self.assertTrue(all("undone already" in x.reason for x in done if isinstance(x, Refusal)))

    def test_ordinary_writes_at_once(self) -> None:
        self.tray(self.actor, "B")
        template = Batch(id="new", crop="new", sown_at=NOW, cells=1)
        covers = [lambda w, t=t: actions.log_event(w, "cover", {"tray": t, "on": True}, NOW) for t in "AB" * 3]
        sown = [
            lambda w, c=c: sowing.sow(w, "A", [sowing.Sowing("leek", (c,), 1)], template, NOW - HOUR) for c in self.cells[:20]
        ]
        self.assertFalse([x for x in self.at_once([*covers, *sown]) if isinstance(x, Refusal)])
        same = [lambda w: sowing.sow(w, "A", [sowing.Sowing("leek", ("r5c8",), 1)], template, NOW)] * 4
        refused = [x for x in self.at_once(same) if isinstance(x, Refusal)]
        self.assertEqual(len(refused), 3)
        self.assertIn("Cell r5c8 of tray A is held by batch leek-21", refused[0].reason)

    def test_what_the_database_broke_off_is_tried_again_and_only_that(self) -> None:
        tried: list[int] = []

        def work(w: WriteContext) -> str:
            tried.append(len(tried))
            if len(tried) < 3:
                raise OperationalError("", {}, DeadlockDetected() if len(tried) == 1 else SerializationFailure())
            return "done"

        self.assertEqual(in_turn(self.engine, self.actor, NOW, work), "done")
        self.assertEqual(len(tried), 3)
        with self.assertRaises(OperationalError):
            in_turn(self.engine, self.actor, NOW, lambda w: w.c.execute(text("select pg_terminate_backend(pg_backend_pid())")))

    def test_a_turn_that_does_not_come_is_told(self) -> None:
        before = acting.LONGEST_WAIT
        acting.LONGEST_WAIT = timedelta(milliseconds=50)
        try:
            with self.engine.begin() as c:
                acting.lock_garden(c, self.actor.ref.id)
                with self.assertRaisesRegex(Refusal, "still being written"):
                    self.write(self.actor, actions.log_event, "note", {"text": "x", "place": "A"}, NOW)
        finally:
            acting.LONGEST_WAIT = before

    def test_keys_are_told_again_and_go_by_age_and_secrets_are_not_kept(self) -> None:
        again = [self.write(self.actor, seed_box.put_lot, {"crop": "leek"}, key="lot") for _ in range(2)]
        self.assertEqual(again[0], again[1])
        self.write(self.actor, tokens.make_address, key="secret")
        self.assertIsNone(self.write(self.actor, tokens.make_address, key="secret"))
        later = NOW + acting.KEYS_KEPT + timedelta(days=1)
        self.write(self.actor, seed_box.put_lot, {"crop": "leek"}, key="much later", now=later)
        with self.engine.connect() as c:
            rows = c.execute(text("select key, outcome from sent where garden_id = :g"), {"g": self.actor.ref.id}).all()
        self.assertEqual([r.key for r in rows], ["much later"])

    def test_a_rehearsal_leaves_nothing(self) -> None:
        made = in_turn(self.engine, self.actor, NOW, lambda w: seed_box.put_lot(w, {"crop": "leek"}), rehearsal=True)
        self.assertTrue(made)
        with self.engine.connect() as c:
            self.assertEqual(queries.records(c, self.actor.ref.id, "seed_lots"), [])


class Gardens(DatabaseCase):
    def test_a_journal_that_comes_after_the_owner_is_the_owners(self) -> None:
        self.tray(self.garden("mine"))
        made = take_journal(self.engine, {"garden": {"name": "from elsewhere"}, "trays": [{"id": "A"}]}, NOW)
        with self.engine.connect() as c:
            first = c.execute(text("select min(id) from person")).scalar_one()
            self.assertIn(made.garden.id, [g.id for g in queries.gardens(c, first)])

    def test_two_imports_at_once_make_one_garden(self) -> None:
        data = {"garden": {"name": "twice", "timezone": "UTC"}, "trays": [{"id": "A"}]}
        with ThreadPoolExecutor(4) as pool:
            made = list(pool.map(lambda _: take_journal(self.engine, data, NOW), range(4)))
        self.assertEqual(len({m.garden.id for m in made}), 1)

    def test_a_clock_that_is_typed_is_of_these_years(self) -> None:
        for year in (1, 202, 1926, 2019):
            with self.assertRaisesRegex(Refusal, "too long ago"):
                logging.checked_time(datetime(year, 3, 1, tzinfo=UTC), NOW)
        self.assertEqual(logging.checked_time(NOW - timedelta(days=700), NOW), NOW - timedelta(days=700))
