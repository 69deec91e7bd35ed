"""What pages keep at hand is never older than the database."""

from __future__ import annotations

from typing import Any
from unittest.mock import patch

from sqlalchemy import text

from fennet.storage import queries
from tests.web.site import SiteCase

G = "/g/canal-house"


class Shelf(SiteCase):
    def setUp(self) -> None:
        self.me = self.gardener()

    def test_another_process_writes_and_this_one_shows_it(self) -> None:
        self.assertNotIn("written elsewhere", self.me.see(f"{G}/book"))
        with self.engine.begin() as c:
            c.execute(
                text(
                    "insert into event (garden_id, id, kind, at, recorded_at, body) values "
                    "(1, 'x1', 'note', :at, :at, '{\"text\": \"written elsewhere\"}')"
                ),
                {"at": self.now},
            )
            c.execute(text("update garden set revision = revision + 1"))
        self.assertIn("written elsewhere", self.me.see(f"{G}/book"))
        with self.engine.begin() as c:
            c.execute(text("update place set name = 'The high shelf' where id = 'box-top'"))
            c.execute(text("update garden set revision = revision + 1"))
        self.assertIn("The high shelf", self.me.see(f"{G}/trays"), "a trigger counts what became of things")

    def test_an_entry_that_turns_up_late_is_not_lost(self) -> None:
        self.me.see(f"{G}/book")
        with self.engine.begin() as c:
            # Positions are handed out before a write is done: this one took an early place and shows after later ones.
            c.execute(
                text(
                    "insert into event (position, garden_id, id, kind, at, recorded_at, body) overriding system value "
                    "values (0, 1, 'late', 'note', :at, :at, '{\"text\": \"turned up late\"}')"
                ),
                {"at": self.now},
            )
            c.execute(text("update garden set revision = revision + 1"))
        self.assertIn("turned up late", self.me.see(f"{G}/book"))

    def test_a_deed_reads_no_readings_again(self) -> None:
        self.me.see(f"{G}/today")
        with (
            patch.object(queries, "series", side_effect=queries.series) as read,
            patch.object(queries, "things_of", side_effect=queries.things_of) as things,
        ):
            self.me.send(f"{G}/log", line="S note nothing new", back=f"{G}/today")
            self.assertEqual((self.again(read), things.call_count), (0, 0))
            self.me.send(f"{G}/log", line="S feel 3", back=f"{G}/today")
            self.assertEqual((self.again(read), things.call_count), (1, 0))

    @staticmethod
    def again(read: Any) -> int:
        """How many series were read."""
        return sum(len(call.args[1]) for call in read.call_args_list)
