"""Writes: each whole or not at all, once however often it is sent, refused with a reason where it makes no sense."""

from __future__ import annotations

import json
from datetime import UTC, datetime, timedelta

from sqlalchemy import text

from fennet.core.records import Batch, SeedLot, Tray
from fennet.journal.cells import parse_cells
from fennet.journal.rejected import FormatError
from fennet.operations import actions, gardens, logging, people, readings, sowing, uploads
from fennet.operations.acting import Actor, Refusal
from fennet.operations.exchange import find_garden, give_journal, take_journal
from fennet.operations.people import NewPerson
from fennet.storage import queries
from tests.database import NOW, DatabaseCase
from tests.journal.whole import whole_journal


class Cells(DatabaseCase):
    def test_cells_as_typed(self) -> None:
        tray = Tray(id="A", rows=2, columns=3)
        for typed, cells in (
            ("r1c1-r2c2", ["r1c1", "r1c2", "r2c1", "r2c2"]),
            ("r2c3, R1C1;r1c1", ["r1c1", "r2c3"]),
            ("all", tray.cell_names()),
            ("", []),
        ):
            self.assertEqual(parse_cells(typed, tray), cells)
        for typed in ("r3c1", "c1", "r1c1-r1c2-r1c3", "r1c1-", "1"):
            with self.assertRaises(ValueError):
                parse_cells(typed, tray)


class Sowing(DatabaseCase):
    def setUp(self) -> None:
        self.actor = self.garden(self.id())
        self.tray(self.actor)

    def count(self, table: str) -> int:
        with self.engine.connect() as c:
            return int(
                c.execute(text(f"select count(*) from {table} where garden_id = :g"), {"g": self.actor.ref.id}).scalar_one()
            )

    def test_several_kinds_in_one_go_or_none(self) -> None:
        template = Batch(id="new", crop="new", sown_at=NOW, cells=1)
        kinds = [
            sowing.Sowing("leek", ("r1c1",), 2, lot=SeedLot(id="new", crop="leek", packed=2024)),
            sowing.Sowing("Eggplant", ("r1c2",), 1),
        ]
        ids = self.write(self.actor, sowing.sow, "A", kinds, template, NOW)
        self.assertEqual(ids, ["leek-1", "aubergine-1"])
        before = (self.count("batch"), self.count("seed_lot"), self.count("thing"))
        peas = [sowing.Sowing("pea", ("r2c1",), 1, lot=SeedLot(id="new", crop="pea")), sowing.Sowing("pea", ("r1c2",), 1)]
        with self.assertRaisesRegex(Refusal, "r1c2 of tray A is held by batch aubergine-1"):
            self.write(
                self.actor,
                sowing.sow,
                "A",
                peas,
                template,
                NOW,
            )
        self.assertEqual((self.count("batch"), self.count("seed_lot"), self.count("thing")), before)

    def test_what_makes_no_sense_is_refused_with_a_way_out(self) -> None:
        for options, said in (
            ({"crop": "tomatto"}, "Nearest: tomato"), ({"cells": ("r9c1",)}, "no cell r9c1"), ({"cells": ()}, "Choose the cells"),
            ({"at": NOW + timedelta(days=1)}, "future"), ({"tray": "Z"}, "no tray Z"),
        ):  # fmt: skip
            with self.assertRaisesRegex(Refusal, said):
                self.sow(self.actor, **options)  # type: ignore[arg-type]

    def test_a_packet_of_another_crop_is_refused(self) -> None:
        template = Batch(id="new", crop="new", sown_at=NOW, cells=1)
        leek = sowing.Sowing("leek", ("r1c1",), 2, lot=SeedLot(id="new", crop="leek"))
        self.write(self.actor, sowing.sow, "A", [leek], template, NOW)
        with self.engine.connect() as c:
            (lot,) = queries.records(c, self.actor.ref.id, "seed_lots")
        with self.assertRaisesRegex(Refusal, "holds leek, not pea"):
            self.write(self.actor, sowing.sow, "A", [sowing.Sowing("pea", ("r1c2",), 1, lot=lot.id)], template, NOW)
        self.write(self.actor, sowing.sow, "A", [sowing.Sowing("leeks", ("r1c3",), 1, lot=lot.id)], template, NOW)

    def test_a_form_sent_twice_sows_once(self) -> None:
        first, again = (self.sow(self.actor, key="k1") for _ in range(2))
        self.assertEqual((first, self.count("batch")), (again, 1))

    def test_cells_given_up_can_be_sown_again(self) -> None:
        (first,) = self.sow(self.actor)
        self.write(self.actor, actions.log_event, "gave_up", {"batch": first}, NOW - timedelta(days=1))
        self.assertEqual(self.sow(self.actor, at=NOW), ["onion-2"])
        gave_up = self.events("gave_up")[0]
        with self.assertRaisesRegex(Refusal, "is held by"):
            self.write(self.actor, logging.withdraw, gave_up.id)

    def events(self, kind: str) -> list[logging.Event]:
        with self.engine.connect() as c:
            return [e for e in queries.events(c, self.actor.ref.id) if e.kind == kind]

    def test_a_viewer_may_only_look(self) -> None:
        viewer = Actor("Vi", queries.GardenRef(self.actor.ref.id, self.actor.ref.slug, self.actor.ref.garden, "viewer", False))
        with self.assertRaisesRegex(Refusal, "may look"):
            self.sow(viewer)


class Counting(DatabaseCase):
    def setUp(self) -> None:
        self.actor = self.garden(self.id())
        self.tray(self.actor)
        (self.batch,) = self.sow(self.actor, cells=("r1c1", "r1c2", "r1c3"))

    def up(self, at: datetime = NOW) -> dict[str, datetime]:
        from fennet.core.history import effective_events

        batch, events = self.write(self.actor, logging.batch_and_events, self.batch)
        return logging.cells_up(batch, effective_events(events, at.timestamp()))

    def mark(self, *cells: str, hours_ago: float = 0, **options: str) -> logging.Event | None:
        """The count that a mark wrote, if it wrote one."""
        made = self.write(self.actor, logging.mark_more, self.batch, cells, NOW - timedelta(hours=hours_ago), **options)
        return made[0] if made else None

    def test_marks_add_up_and_can_be_undone_and_brought_back(self) -> None:
        self.mark("r1c1", hours_ago=3)
        second = self.mark("r1c2", hours_ago=1)
        assert second is not None
        self.assertEqual((second.fields["cells_up"], set(self.up())), (2, {"r1c1", "r1c2"}))
        undo = self.write(self.actor, logging.withdraw, second.id)
        self.assertEqual(set(self.up()), {"r1c1"})
        with self.assertRaisesRegex(Refusal, "undone already"):
            self.write(self.actor, logging.withdraw, second.id)
        self.write(self.actor, logging.withdraw, undo.id)
        self.assertEqual(set(self.up()), {"r1c1", "r1c2"})
        self.write(self.actor, logging.withdraw, second.id)
        self.assertEqual(set(self.up()), {"r1c1"}, "what was brought back can be undone again")

    def test_a_mark_for_an_earlier_time_stands_in_later_counts_too(self) -> None:
        self.mark("r1c1")
        self.mark("r1c3", hours_ago=24)
        self.assertEqual(self.up(), {"r1c1": NOW, "r1c3": NOW - timedelta(hours=24)})

    def test_a_mark_taken_back_leaves_every_count(self) -> None:
        self.mark("r1c1", hours_ago=5)
        self.mark("r1c2")
        self.write(self.actor, logging.unmark, self.batch, "r1c1")
        self.assertEqual(set(self.up()), {"r1c2"})

    def test_pressed_twice_is_one_entry(self) -> None:
        self.assertIsNotNone(self.mark("r1c1", key="press"))
        self.assertIsNone(self.mark("r1c1", key="press"))
        self.assertIsNone(self.mark("r1c1", key="another press"))

    def test_counts_that_cannot_be(self) -> None:
        self.write(self.actor, logging.log_count, self.batch, "cells_up", 2, NOW)
        for total, at, said in (
            (1, NOW, "cannot go down"),
            (4, NOW, "more than were sown"),
            (2, NOW + timedelta(hours=1), "future"),
            (2, datetime(2026, 1, 1, tzinfo=UTC), "sown later"),
        ):
            with self.assertRaisesRegex(Refusal, said):
                self.write(self.actor, logging.log_count, self.batch, "cells_up", total, at)
        with self.assertRaisesRegex(Refusal, "does not belong"):
            self.mark("r2c1")


class Correcting(DatabaseCase):
    def test_a_correction_holds_and_the_first_entry_stays(self) -> None:
        from fennet.core.history import counts_of, effective_events

        actor = self.garden("corrections")
        self.tray(actor)
        (batch_id,) = self.sow(actor)
        wrong = self.write(actor, logging.log_count, batch_id, "cells_up", 2, NOW - timedelta(days=2))
        assert wrong is not None
        self.write(actor, actions.correct, wrong.id, {"batch": batch_id, "cells_up": 1}, NOW - timedelta(days=1))
        batch, events = self.write(actor, logging.batch_and_events, batch_id)
        self.assertEqual(counts_of(batch, effective_events(events, NOW.timestamp())).total, (1,))
        self.assertEqual([e.fields["cells_up"] for e in events if e.id == wrong.id], [2])
        with self.assertRaisesRegex(Refusal, "no such entry"):
            self.write(actor, actions.correct, "nothing", {}, NOW)

    def test_nobody_reaches_into_another_garden(self) -> None:
        mine, theirs = self.garden("one"), self.garden("two")
        self.tray(mine)
        (batch_id,) = self.sow(mine)
        made = self.write(mine, logging.log_count, batch_id, "cells_up", 1, NOW)
        assert made is not None
        for attempt in (
            lambda: self.write(theirs, logging.log_count, batch_id, "cells_up", 1, NOW),
            lambda: self.write(theirs, logging.withdraw, made.id),
            lambda: self.write(theirs, actions.correct, made.id, {}, NOW),
            lambda: self.write(theirs, actions.log_event, "gave_up", {"batch": batch_id}, NOW),
            lambda: self.sow(theirs),
        ):
            with self.assertRaises(Refusal):
                attempt()


class ByHand(DatabaseCase):
    def test_a_reading_and_what_is_none(self) -> None:
        actor = self.garden("hand")
        self.tray(actor)

        def by_hand(quantity: str, value: float, unit: str, at: datetime = NOW, under: str | None = None) -> None:
            self.write(actor, readings.log_reading, readings.HandReading("A", quantity, value, unit, at, under=under))

        by_hand("soil_temperature", 18.5, "degC")
        for quantity, value, unit, said in (
            ("soil_temperature", 900, "degC", "cannot be soil temperature"),
            ("light", -5, "umol/m2/s", "accepted: 0 to 4000"),
            ("light", 3e6, "lux", "accepted: 0 to 4000"),
            ("moisture", 140, "percent", "accepted: -10 to 135"),
        ):
            with self.assertRaisesRegex(Refusal, said):
                by_hand(quantity, value, unit, NOW - timedelta(hours=1), "daylight" if quantity == "light" else None)
        with self.assertRaisesRegex(Refusal, "for that minute"):
            by_hand("soil_temperature", 19, "degC")

    def test_uploads_belong_to_their_garden_and_go_after_a_day(self) -> None:
        mine, theirs = self.garden("mine"), self.garden("theirs")
        self.write(mine, uploads.put, "k", "a.csv", b"x")
        self.assertIsNone(uploads.get(self.engine, theirs, "k"))
        self.assertEqual(uploads.get(self.engine, mine, "k"), ("a.csv", b"x"))
        self.write(theirs, uploads.put, "k2", "b.csv", b"y", now=NOW + timedelta(days=2))
        self.assertIsNone(uploads.get(self.engine, mine, "k"))


class Exchange(DatabaseCase):
    def export(self, name: str) -> str:
        with self.engine.connect() as c:
            return "".join(give_journal(c, find_garden(c, name)))

    def test_out_in_and_out_again_is_identical(self) -> None:
        first = take_journal(self.engine, whole_journal(), NOW)
        self.assertEqual([str(a) for a in first.rejected], [])
        out = self.export("Canal house")
        again = take_journal(self.engine, json.loads(out), NOW, garden="A second home")
        self.assertEqual(again.rejected, [])
        self.assertEqual(self.export("A second home"), out.replace("Canal house", "A second home"))
        given = whole_journal()
        for section in ("seed_lots", "batches", "events", "crops", "wants", "promises", "minima", "garden"):
            self.assertEqual(json.loads(out)[section], given[section], section)

    def test_the_same_journal_twice_changes_nothing_and_a_differing_one_is_told(self) -> None:
        data = whole_journal() | {"garden": {"name": "Twice", "timezone": "UTC"}}
        take_journal(self.engine, data, NOW)
        before = self.export("Twice")
        again = take_journal(self.engine, data, NOW)
        self.assertEqual((sum(again.taken.values()), again.rejected, self.export("Twice")), (0, [], before))
        changed = json.loads(before)
        changed["trays"][0]["rows"] = 5
        changed["readings"][0]["value"] = 11
        changed["events"][2]["on"] = True
        told = take_journal(self.engine, changed, NOW)
        self.assertEqual((len(told.rejected), self.export("Twice")), (3, before))

    def test_a_journal_of_nothing_good_is_refused_and_leaves_nothing(self) -> None:
        with self.assertRaises(FormatError):
            take_journal(self.engine, {"garden": {"name": "Bad"}, "batches": [{"id": "b"}]}, NOW)
        with self.engine.connect() as c, self.assertRaises(Refusal):
            find_garden(c, "Bad")

    def test_a_batch_in_a_held_cell_is_set_aside_and_the_rest_taken(self) -> None:
        name = {"name": "Shared", "timezone": "UTC"}
        trays = [{"id": "A", "kind": "cells", "rows": 1, "columns": 3}]

        def batch(id: str, cell: str) -> dict[str, object]:
            return {"id": id, "crop": "leek", "tray": "A", "cell_list": [cell], "sown_at": "2026-02-03T10:00:00Z"}

        take_journal(
            self.engine,
            whole_journal() | {"garden": name, "trays": trays, "batches": [batch("old", "r1c1")], "events": [], "readings": []},
            NOW,
        )
        second = {
            "garden": name,
            "trays": trays,
            "batches": [batch("clash", "r1c1"), batch("fine", "r1c2"), batch("old", "r1c1")],
            "events": [{"kind": "count", "at": "2026-02-09T10:00:00Z", "batch": b, "cells_up": 1} for b in ("clash", "fine")],
        }
        told = take_journal(self.engine, second, NOW)
        self.assertEqual((told.taken.get("batches"), told.taken.get("events")), (1, 1))
        self.assertIn("is held by batch old", " ".join(map(str, told.rejected)))


class FirstVisit(DatabaseCase):
    def test_the_first_is_the_owner_and_takes_over_what_was_imported(self) -> None:
        take_journal(self.engine, whole_journal(), NOW)
        garden = gardens.Garden(name="unused", timezone="UTC")
        with self.assertRaisesRegex(Refusal, "10 to 500"):
            people.first_owner(self.engine, NewPerson("Ottilie", "short"), garden, NOW)
        person = people.first_owner(self.engine, NewPerson("Ottilie", "a long sentence"), garden, NOW)
        with self.engine.connect() as c:
            self.assertEqual([(g.garden.name, g.role) for g in queries.gardens(c, person)], [("Canal house", "owner")])
        with self.assertRaisesRegex(Refusal, "owner already"):
            people.first_owner(self.engine, NewPerson("Bram", "another sentence"), garden, NOW)
