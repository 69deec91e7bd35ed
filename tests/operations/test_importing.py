"""Large files read in the background: broken off anywhere, what is kept is what one reading of the file would keep."""

from __future__ import annotations

import unittest
from datetime import UTC, datetime, timedelta
from typing import Any
from unittest import mock
from zoneinfo import ZoneInfo

from hypothesis import given
from hypothesis import strategies as st
from sqlalchemy import text

from fennet.journal.logger_csv import LoggerMapping, Use, open_any
from fennet.journal.readings_csv import open_table
from fennet.operations import gardens, importing, uploads
from fennet.operations.acting import Refusal, in_turn
from tests.database import NOW, DatabaseCase
from tests.web.site import SiteCase

CELL = st.sampled_from(("1", "", '"a\nb"', '"x,""y"""', "19.5", " "))
MAPPING = LoggerMapping("Time", "iso", (Use("Soil", "A", "soil_temperature", "degC"),))
ZONE = ZoneInfo("Europe/Tallinn")


class Parts(unittest.TestCase):
    @given(st.lists(st.lists(CELL, min_size=3, max_size=3), max_size=30), st.integers(1, 7))
    def test_parts_hold_every_row_at_its_line(self, rows: list[list[str]], most: int) -> None:
        table = open_table("a,b,c\n" + "".join(",".join(row) + "\n" for row in rows))
        parts = [(line + before, row) for before, part in table.parts(most) for line, row in part.rows()]
        self.assertEqual(parts, list(table.rows()))


def autumn_file(n: int) -> bytes:
    """A logger that goes by the garden's clock through the night it goes back: an hour stands in the file twice."""
    start = datetime(2025, 10, 25, 22, tzinfo=UTC)
    lines = [f"{(start + timedelta(minutes=i)).astimezone(ZONE):%Y-%m-%d %H:%M},{18 + i % 50 / 10}" for i in range(n)]
    lines[5] = lines[5].split(",")[0] + ",LO"
    return ("Time,Soil\n" + "\n".join([*lines, "Mean,19.2", ""])).encode()


class Background(DatabaseCase):
    def setUp(self) -> None:
        self.actor = self.garden("Autumn " + self.id().rsplit("_", 1)[-1])
        self.tray(self.actor, "A")

    def enqueue(self, data: bytes, key: str = "k") -> None:
        def both(w: Any) -> None:
            uploads.put(w, key, "logger.csv", data)
            importing.enqueue(w, key, "logger.csv", "A", open_any(data), MAPPING, False)

        in_turn(self.engine, self.actor, NOW, both)

    def job(self, key: str = "k") -> importing.ImportJob:
        with self.engine.connect() as c:
            found = importing.job(c, self.actor.ref.id, key)
        assert found is not None
        return found

    def kept(self) -> list[datetime]:
        asked = "select at from reading r join series s on s.id = r.series_id where s.garden_id = :g order by at"
        with self.engine.connect() as c:
            return list(c.execute(text(asked), {"g": self.actor.ref.id}).scalars())

    def run_jobs(self, stop: Any = lambda: False) -> bool:
        return importing.run_oldest(self.engine, lambda: NOW, stop)

    def test_broken_off_at_every_part_it_ends_with_every_minute_once(self) -> None:
        n = 400
        self.enqueue(autumn_file(n))
        real, fails = importing._keep, iter([False, True, False, False, True, *[False] * 90])

        def keep(*args: Any, **given: Any) -> None:
            real(*args, **given)
            if next(fails):
                raise KeyboardInterrupt

        with mock.patch.object(importing, "PART", 37), mock.patch.object(importing, "_keep", keep):
            broken = 0
            while self.job().state == importing.WAITING:
                stops = iter([False, False, True])
                try:
                    self.assertTrue(self.run_jobs(lambda stops=stops: next(stops, True)))
                except KeyboardInterrupt:
                    broken += 1
        self.assertEqual(broken, 2)
        start = datetime(2025, 10, 25, 22, tzinfo=UTC)
        self.assertEqual(self.kept(), [start + timedelta(minutes=i) for i in range(n) if i != 5])
        job = self.job()
        self.assertEqual((job.accepted, job.repeated, job.n_rejected, job.share), (n - 1, 0, 1, 1.0))
        self.assertEqual([r.where for r in importing.rejections(job)], ["line 7"])
        self.assertIsNone(uploads.get(self.engine, self.actor, "k"))
        self.assertFalse(self.run_jobs())

    def test_what_cannot_be_read_fails_in_words_and_the_next_goes_on(self) -> None:
        self.enqueue(b"Time,Soil\n2026-02-01 10:00,20\n", "gone")
        in_turn(self.engine, self.actor, NOW, lambda w: uploads.drop(w, "gone"))
        in_turn(self.engine, self.actor, NOW, lambda w: gardens.add_tray(w, _tray("B"), None))
        self.enqueue(b"Time,Soil\n2026-02-01 10:00,20\n", "good")
        while self.run_jobs():
            pass
        self.assertEqual((self.job("gone").state, self.job("good").state), (importing.FAILED, importing.DONE))
        self.assertIn("once more", self.job("gone").words)

    def test_a_file_that_waits_outlives_the_day_of_uploads(self) -> None:
        self.enqueue(b"Time,Soil\n2026-02-01 10:00,20\n")
        late = NOW + timedelta(days=3)
        in_turn(self.engine, self.actor, late, lambda w: uploads.put(w, "other", "x", b"x"))
        self.assertTrue(self.run_jobs())
        self.assertEqual(self.job().state, importing.DONE)

    def test_so_many_files_are_kept_and_wait_and_no_more(self) -> None:
        for n in range(uploads.MOST_KEPT + 4):
            in_turn(self.engine, self.actor, NOW + timedelta(seconds=n), lambda w, n=n: uploads.put(w, f"f{n}", "x", b"x"))
        with self.engine.connect() as c:
            kept = c.execute(text("select count(*) from upload where garden_id = :g"), {"g": self.actor.ref.id}).scalar_one()
        self.assertEqual(kept, uploads.MOST_KEPT)
        self.assertIsNotNone(uploads.get(self.engine, self.actor, f"f{uploads.MOST_KEPT + 3}"))
        with mock.patch.object(importing, "MOST_WAITING", 2):
            for key in ("one", "two"):
                self.enqueue(b"Time,Soil\n2026-02-01 10:00,20\n", key)
            with self.assertRaisesRegex(Refusal, "wait to be read already"):
                self.enqueue(b"Time,Soil\n2026-02-01 10:00,20\n", "three")
        while self.run_jobs():
            pass
        self.assertEqual((self.job("one").state, self.job("two").state), (importing.DONE, importing.DONE))


def _tray(id: str) -> Any:
    from fennet.core.records import Tray

    return Tray(id=id, rows=1, columns=1)


class Page(SiteCase):
    def test_a_large_file_is_looked_at_by_its_head_and_read_in_the_background(self) -> None:
        me, start = self.gardener(), datetime(2025, 10, 20, tzinfo=UTC)
        lines = [f"{start + timedelta(minutes=i):%Y-%m-%dT%H:%M:%SZ},{18 + i % 50 / 10:.6f}" for i in range(30_000)]
        data = ("Time,Soil\n" + "\n".join(lines)).encode()
        with mock.patch.object(importing, "LARGE_BYTES", 100_000):
            fields = {"csrf_token": me.token("/g/canal-house/trays/A"), "pasted": data.decode()}
            said = me.client.post("/g/canal-house/trays/A/upload", data=fields)
            self.assertEqual(said.status_code, 302)
            address = said.headers["Location"]
            page = me.see(address)
            self.assertIn("From its first 20,000 lines", page)
            self.assertIn("<b>20,000</b> new readings", page)
            mapping = {
                "time_column": "Time",
                "time_form": "iso",
                "clock": "garden",
                "use-1": "soil_temperature degC",
                "place-1": "A",
            }
            page = me.send(address, save="1", **mapping).get_data(as_text=True)
            self.assertIn("Reading it in the background", page)
        here = f"/g/canal-house/imports/{address.rsplit('/', 1)[-1]}"
        said = me.client.get(here, headers={"Accept": "application/json"}).get_json()
        self.assertEqual(said, {"state": "waiting", "share": 0.0, "lines": 0})
        importing.run_oldest(self.engine, lambda: self.now, lambda: False)
        self.assertIn("<b>30,000</b> readings kept", me.see(here))
        self.assertEqual(me.client.get("/g/canal-house/imports/none").status_code, 404)
