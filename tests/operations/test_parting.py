"""Pricking out: cells pass from one batch to the next at the move, in the record, the database and a journal alike."""

from __future__ import annotations

import json
from datetime import timedelta

from fennet.operations import care, logging
from fennet.operations.acting import Refusal
from fennet.operations.exchange import find_garden, give_journal, take_journal
from fennet.storage import queries
from tests.database import NOW, DatabaseCase

Held = dict[tuple[str, str], list[tuple[float, float, str]]]


class Parting(DatabaseCase):
    def setUp(self) -> None:
        self.actor = self.garden(self.id())
        self.tray(self.actor)
        self.tray(self.actor, "B")
        (self.old,) = self.sow(self.actor)
        (self.other,) = self.sow(self.actor, "leek", ("r1c1", "r1c2"), "B")
        self.fmt("count", {"batch": self.old, "cells_up": 2, "cell_list": ["r1c1", "r1c2"]})

    def fmt(self, kind: str, fields: dict[str, object]) -> str:
        return self.write(self.actor, logging.write_events, [(kind, fields, NOW - timedelta(days=2))])[0].id

    def held(self) -> Held:
        with self.engine.connect() as c:
            return queries.cells_held(c, self.actor.ref.id)

    def test_cells_are_taken_and_left_at_the_move(self) -> None:
        part = self.write(self.actor, care.prick_out, self.old, "B", 1, False)
        held = self.held()
        self.assertEqual(held["B", "r1c3"], [(NOW.timestamp(), float("inf"), part)])
        self.assertEqual(held["A", "r1c1"][0][1:], (NOW.timestamp(), self.old))
        self.assertEqual(held["A", "r1c2"][0][1], float("inf"), "its plant is left")
        rest = self.write(self.actor, care.prick_out, self.old, "B", 1, False, now=NOW + timedelta(hours=1))
        self.assertEqual(self.held()["A", "r1c2"][0][1], (NOW + timedelta(hours=1)).timestamp())
        self.assertEqual(self.held()["B", "r2c1"][0][2], rest)
        with self.assertRaisesRegex(Refusal, f"0 of {self.old} are left"):
            self.write(self.actor, care.prick_out, self.old, "B", 1, False, now=NOW + timedelta(hours=2))

    def test_cells_of_a_batch_that_was_given_up_are_held_by_each_in_its_time(self) -> None:
        self.fmt("gave_up", {"batch": self.other})
        part = self.write(self.actor, care.prick_out, self.old, "B", 2, False)
        for cell in ("r1c1", "r1c2"):
            before, after = sorted(self.held()["B", cell])
            self.assertEqual((before[2], after[2]), (self.other, part))
            self.assertLessEqual(before[1], after[0])

    def test_a_journal_carries_who_held_what_when(self) -> None:
        self.fmt("gave_up", {"batch": self.other})
        self.write(self.actor, care.prick_out, self.old, "B", 2, False)
        with self.engine.connect() as c:
            out = "".join(give_journal(c, find_garden(c, self.actor.ref.garden.name)))
        taken = take_journal(self.engine, json.loads(out), NOW, garden="Another house " + self.id())
        self.assertEqual(taken.rejected, [])
        assert taken.garden is not None
        with self.engine.connect() as c:
            self.assertEqual(queries.cells_held(c, taken.garden.id), self.held())
