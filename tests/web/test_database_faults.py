"""A disk that fills, a database that may only be read, one that goes in the middle of a write, a clock that jumps: what a person
is told, that nothing is kept by half, and that the next press works without hands."""

from __future__ import annotations

from collections.abc import Iterator
from contextlib import contextmanager
from datetime import timedelta

from sqlalchemy import text

from fennet.storage import queries
from tests.database import NOW
from tests.web.site import SiteCase, Visitor

G = "/g/canal-house"
#: What the server itself does at the next entry.
TROUBLES = {
    "full": "raise exception 'could not extend file: No space left on device' using errcode = '53100'",
    "gone": "perform pg_terminate_backend(pg_backend_pid())",
    "twice": "raise exception 'doubled' using errcode = '23505'",
}


class Faults(SiteCase):
    def setUp(self) -> None:
        self.me = self.gardener()
        self.n = 0

    @contextmanager
    def trouble(self, what: str) -> Iterator[None]:
        with self.engine.begin() as c:
            c.execute(
                text(
                    f"create function trouble() returns trigger language plpgsql as $$ begin {TROUBLES[what]}; return new; end $$"
                )
            )
            c.execute(text("create trigger trouble before insert on event for each row execute function trouble()"))
        try:
            yield
        finally:
            with self.engine.begin() as c:
                c.execute(text("drop trigger trouble on event; drop function trouble()"))

    def press(self, key: str, words: str) -> tuple[int, str]:
        answer = self.me.client.post(
            f"{G}/log", data={"csrf_token": self.token, "line": f"A note {words}", "key": key}, follow_redirects=True
        )
        return answer.status_code, answer.get_data(as_text=True)

    @property
    def token(self) -> str:
        return self.me.token("/me")

    def kept(self, words: str) -> int:
        with self.engine.connect() as c:
            ref = queries.gardens(c, slug="canal-house")[0]
            return sum(e.fields.get("text") == words for e in queries.events(c, ref.id))

    def test_each_is_told_in_words_and_the_same_press_works_afterwards(self) -> None:
        for what, status, said in (
            ("full", 507, "The disk is full"), ("gone", 503, "may or may not be kept"), ("twice", 400, "does not fit"),
        ):  # fmt: skip
            with self.subTest(what):
                with self.trouble(what):
                    for _ in range(2):
                        got, page = self.press(f"key {what}", f"in trouble {what}")
                        self.assertEqual(got, status)
                        self.assertIn(said, page)
                        self.assertIn("<h1>", page)
                        self.assertNotIn("Traceback", page)
                        self.assertEqual(self.kept(f"in trouble {what}"), 0)
                    self.assertEqual(self.me.client.get(f"{G}/today").status_code, 200, "what only reads goes on")
                for _ in range(2):
                    self.assertEqual(self.press(f"key {what}", f"in trouble {what}")[0], 200)
                self.assertEqual(self.kept(f"in trouble {what}"), 1)

    def test_a_database_that_may_only_be_read_is_read(self) -> None:
        with self.engine.begin() as c:
            name = c.execute(text("select current_database()")).scalar_one()
            c.execute(text(f'alter database "{name}" set default_transaction_read_only = on'))
        engine = self.app.extensions["fennet_engine"]
        engine.dispose()
        try:
            self.assertEqual(self.me.client.get(f"{G}/trays/A").status_code, 200)
            status, page = self.press("k-read", "only read")
            self.assertEqual(status, 503)
            self.assertIn("cannot be written", page)
        finally:
            with self.engine.begin() as c:
                c.execute(text("set transaction read write"))
                c.execute(text(f'alter database "{name}" reset default_transaction_read_only'))
            engine.dispose()
        self.assertEqual(self.press("k-read", "only read")[0], 200)

    def test_a_clock_that_jumps_takes_no_page_down(self) -> None:
        for jump in (timedelta(days=-400), timedelta(days=-1), timedelta(days=50), timedelta(days=4_000)):
            try:
                type(self).now = NOW + jump
                me = Visitor(self.me.client) if abs(jump) < timedelta(days=60) else self.gardener()
                for page in ("today", "trays", "trays/A", "plan", "harden", "book", "score", "why/leek-1", "away"):
                    with self.subTest(page, jump=jump):
                        # What is not sown yet has no page.
                        early = jump.days < -300 and page == "why/leek-1"
                        self.assertEqual(me.client.get(f"{G}/{page}").status_code, 404 if early else 200)
                me.send(f"{G}/log", line="A note at another time")
            finally:
                type(self).now = NOW
