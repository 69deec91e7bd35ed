"""Outings as pages: put out and brought in with one press each, refused in words, and told on the day's list."""

from __future__ import annotations

from datetime import timedelta

from fennet.core.history import effective_events
from fennet.core.records import Event
from fennet.storage import queries
from tests.database import NOW
from tests.web.site import SiteCase

G = "/g/canal-house"
LEEK = "leek-0"


class Pages(SiteCase):
    def setUp(self) -> None:
        super().setUp()
        type(self).now = NOW
        self.me = self.gardener()

    def later(self, **time: float) -> None:
        type(self).now = type(self).now + timedelta(**time)

    def tomorrow(self) -> str:
        self.later(hours=21)
        return self.me.see(f"{G}/harden").lower()

    def outing(self) -> Event:
        with self.engine.connect() as c:
            ref = queries.gardens(c, slug="canal-house")[0]
            stood = effective_events(queries.events(c, ref.id), type(self).now.timestamp() + 60)
        return [e for e in stood if e.kind == "outing" and e.fields["batch"] == LEEK][-1]

    def press(self, way: str, **fields: str) -> tuple[int, str]:
        said = self.me.send(f"{G}/harden/{way}", f"{G}/harden", key=f"{way}{type(self).now}", **fields)
        return said.status_code, said.get_data(as_text=True)


class OutAndIn(Pages):
    def test_out_and_in_with_what_was_seen_and_back_by_undo(self) -> None:
        page = self.me.see(f"{G}/harden")
        self.assertIn("Grey Sluice", page)
        self.assertIn("by the forecast of", page)
        self.assertIn("Plant out: not yet", page)
        status, page = self.press("out", batch=LEEK, sun="half", sheltered="yes")
        self.assertEqual(status, 200)
        self.assertIn("Out since", page)
        self.later(hours=3)
        self.assertIn("bring in", self.me.see(f"{G}/today"))
        self.assertEqual(self.press("out", batch=LEEK, sun="half")[0], 400)
        status, page = self.press("in", batch=LEEK, seen="limp")
        self.assertEqual(status, 200)
        self.assertNotIn("Out since", page)
        f = self.outing().fields
        self.assertEqual((f["seen"], f["shade_share"], f["sheltered"]), ("limp", 0.5, True))
        self.assertRegex(self.me.see(f"{G}/book"), "3.h outside in 50.% shade, sheltered, limp")
        self.assertIn("the last outing once more, after limp leaves", self.tomorrow())
        status, page = self.press("in", batch=LEEK, seen="none")
        self.assertEqual((status, "is not out: log its outing whole" in page), (400, True))


class ByLine(Pages):
    def test_by_the_log_line_too(self) -> None:
        self.me.send(f"{G}/log", line=f"{LEEK} out shade", key="a")
        self.later(hours=2)
        self.me.send(f"{G}/log", line=f"{LEEK} in bleached", key="b")
        f = self.outing().fields
        self.assertEqual((f["shade_share"], f["seen"]), (1.0, "bleached"))
        self.assertIn("in_at", f)
        self.assertIn("two outings back and shade, after bleached leaves", self.tomorrow())


class Refused(Pages):
    def test_what_cannot_be_is_refused_in_words(self) -> None:
        for way, fields, words in (
            ("out", {}, "No batch is ticked."), ("out", {"batch": "nobody"}, "There is no batch nobody"),
            ("in", {"batch": LEEK, "seen": "none"}, "is not out"), ("in", {"batch": LEEK, "seen": "blue"}, "accepted"),
        ):  # fmt: skip
            with self.subTest(words):
                status, page = self.press(way, **fields)
                self.assertEqual(status, 400)
                self.assertIn(words, page)


class OneAnswer(Pages):
    def test_the_days_list_and_the_page_agree(self) -> None:
        page, today = self.me.see(f"{G}/harden"), self.me.see(f"{G}/today")
        goes = 'of-several">Out for' in page
        self.assertEqual(goes, ": out for" in today)
