"""Outings as pages: put out and brought in with one press each, refused in words, and told on the day's list."""

from __future__ import annotations

import io
import re
from datetime import timedelta

from sqlalchemy import text

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
        self.assertIn("outside, 3", self.me.see(f"{G}/today?room=yard"))
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


class Doubted(Pages):
    def test_picked_before_it_was_planted_is_doubted(self) -> None:
        said = self.me.client.get(f"{G}/log/echo", query_string={"line": "parsley-1 harvest 100g"}).get_json()
        self.assertIn("never planted", said["doubt"])

    def test_going_out_too_soon_is_doubted_before_it_is_saved_and_never_refused(self) -> None:
        self.me.see(f"{G}/today")
        for line, words in (
            (f"{LEEK} planted", "Plant out: not yet"), (f"{LEEK} out sun", "should stay in"),
            (f"{LEEK} in limp", ""), ("B 3 up", ""),
        ):  # fmt: skip
            with self.subTest(line):
                told = self.me.client.get(f"{G}/log/echo", query_string={"line": line}).get_json()
                self.assertIn(words, told.get("doubt", ""))
                self.assertEqual(bool(words), bool(told.get("doubt")))
        self.assertEqual(self.me.send(f"{G}/log", line=f"{LEEK} planted", key="p").status_code, 200)
        self.assertIn("planted out", self.me.see(f"{G}/book"))


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


class FromOutside(Pages):
    def hours(self, temperature_c: float, days: int = 3) -> list[dict[str, object]]:
        start = type(self).now.replace(minute=0, second=0, microsecond=0)
        return [{"at": (start + timedelta(hours=i)).isoformat(), "temperature_c": temperature_c, "wind_m_s": 2.0}
                for i in range(-10, days * 24)]  # fmt: skip

    def say(self, token: str, **said: object) -> tuple[int, dict[str, object]]:
        answer = self.me.client.post("/api/weather", json=said, headers={"Authorization": f"Bearer {token}"})
        return answer.status_code, answer.get_json()

    def revisions(self) -> tuple[int, int, int]:
        with self.engine.connect() as c:
            return queries.revision(c, queries.gardens(c, slug="canal-house")[0].id)

    def test_a_station_with_a_token_is_heard_and_nothing_else_is_made_anew(self) -> None:
        page = self.me.send(f"{G}/harden/station", f"{G}/harden", name="roof").get_data(as_text=True)
        found = re.search(r'class="token">([^<]+)<', page)
        assert found
        before = self.revisions()
        self.assertEqual(self.say(found[1], kind="forecast", hours=self.hours(16.0))[0], 200)
        after = self.revisions()
        self.assertEqual((after[1], after[2] > before[2]), (before[1], True), "the set-up stands")
        shown = self.me.see(f"{G}/harden")
        self.assertIn("roof, last heard", shown)
        self.assertIn("<b>6</b>", shown, "two disagree: the colder is gone by")
        self.say(found[1], kind="forecast", hours=self.hours(15.0))
        with self.engine.connect() as c:
            kept = queries.weather_entries(c, queries.gardens(c, slug="canal-house")[0].id)
        self.assertEqual([e["source"] for e in kept].count("roof"), 1, "of a day the newest stands")
        for token, said, status in (
            ("wrong", {}, 401), (found[1], {"kind": "forecast"}, 400),
            (found[1], {"kind": "hail", "hours": self.hours(9.0)}, 400),
            (found[1], {"issued_at": (NOW + timedelta(days=1)).isoformat(), "hours": self.hours(9.0)}, 400),
        ):  # fmt: skip
            self.assertEqual(self.say(token, **said)[0], status)
        soon = (type(self).now + timedelta(minutes=5)).isoformat()
        self.say(found[1], issued_at=soon, hours=self.hours(1.0))
        self.assertNotIn("<b>1</b>", self.me.see(f"{G}/harden"), "not yet issued")
        self.later(minutes=6)
        self.assertIn("<b>1</b>", self.me.see(f"{G}/harden"), "heard as soon as it is issued, within the half hour too")
        self.say(found[1], hours=self.hours(-14.0))
        self.assertIn("pak choi ‘Towpath’: cover it tonight", self.me.see(f"{G}/today"))
        fahrenheit = self.say(found[1], hours=[*self.hours(9.0), {"at": NOW.isoformat(), "temperature_c": 72}])
        self.assertIn("as °F that is 22 °C", str(fahrenheit[1]["set_aside"]))

    def test_a_file_too_and_what_is_none_is_told(self) -> None:
        rows = "\n".join(f"{h['at']};{h['temperature_c']};18;75" for h in self.hours(14.0))
        sent = {"file": (io.BytesIO(f"time;temp_c;wind_km_h;cloud_pct\n{rows}\n".encode()), "yard.csv"), "kind": "forecast"}
        page = self.me.send(f"{G}/harden/weather", f"{G}/harden", **sent).get_data(as_text=True)
        self.assertIn("Weather from yard.csv saved.", page)
        with self.engine.connect() as c:
            entry = queries.weather_entries(c, queries.gardens(c, slug="canal-house")[0].id)[-1]
        first = entry["hours"][0]
        self.assertEqual((first["wind_m_s"], first["cloud_share"]), (5.0, 0.75))
        for raw in (b"", b"a,b\n1,2\n", b"[1, 2]", b"{", b"\x00\x01", b'{"weather": 3}', b"[" * 5000):
            with self.subTest(raw[:20]):
                bad = {"file": (io.BytesIO(raw), "bad.csv")}
                self.assertEqual(self.me.send(f"{G}/harden/weather", f"{G}/harden", **bad).status_code, 400)


class Afterwards(Pages):
    PAK = "pak-choi-0"

    def told(self, deed: str, batch: str = PAK, **fields: str) -> tuple[int, str]:
        return self.press("told", batch=batch, deed=deed, **fields)

    def test_from_the_bed_to_the_kitchen_in_a_press_each(self) -> None:
        page = self.me.see(f"{G}/harden")
        self.assertIn("First pick expected", page)
        self.assertIn("2 lost since to slugs", page)
        self.assertIn("450 g in all", self.told("picked", grams="450", pieces="6")[1])
        for line in ("taste 4", "taste 5", "harvest 1lb first", "health poor", "flowers"):
            self.me.send(f"{G}/log", line=f"{self.PAK} {line}", key=line)
        shown = self.me.see(f"{G}/harden").replace("\N{NARROW NO-BREAK SPACE}", " ").replace("\N{NO-BREAK SPACE}", " ")
        for words in ("904 g in all", "taste 4.5 of 5", "does poorly", "in flower since"):
            self.assertIn(words, shown)
        wrong = self.me.client.get(f"{G}/log/echo", query_string={"line": f"{self.PAK} taste 9"}).get_json()
        self.assertIn("9 is not a mark", str(wrong))

    def test_what_cannot_be_told_is_refused_in_words(self) -> None:
        for deed, fields, words in (
            ("picked", {"grams": "-3"}, "Grams"), ("picked", {"pieces": "1.5"}, "Pieces"), ("taste 9", {}, "mark"),
            ("lost", {}, "how many"), ("lost", {"lost": "2", "why": "ghosts"}, "not one of the choices"), ("word", {}, "a word"),
            ("", {}, "Press what"), ("picked", {"batch": "parsley-1"}, "parsley-1 is not planted"),
            ("well", {"batch": "no"}, "no batch no"),
        ):  # fmt: skip
            with self.subTest(words):
                self.later(seconds=1)
                status, page = self.told(deed, **fields)
                self.assertEqual(status, 400)
                self.assertIn(words, page)

    def test_planted_before_its_gate_is_doubted_once_and_never_refused_and_may_be_a_part(self) -> None:
        status, page = self.press(f"plant/{LEEK}", count="9", spares="2")
        self.assertEqual(status, 200)
        self.assertIn("Plant out: not yet", page)
        self.assertIn("Plant anyway", page)
        self.assertNotIn("9 plants", page)
        self.later(minutes=1)
        page = self.press(f"plant/{LEEK}", count="9", spares="2", sure="yes")[1]
        self.assertIn("9 plants", page)
        self.assertIn("Two still in their pots", page)
        self.later(days=15)
        self.assertNotIn("still in their pots", self.me.see(f"{G}/harden"))
        for fields in ({"count": "0"}, {"count": "-1"}, {"spares": "x"}, {"place": "moon"}):
            self.assertEqual(self.press(f"plant/{LEEK}", sure="yes", **fields)[0], 400)


class Otherwise(Pages):
    def test_as_told_each_stands_as_its_own_day_says(self) -> None:
        page = self.me.see(f"{G}/harden")
        sun = re.search(r'value="leek-0".*?Out for .*?(in shade|in half shade|in the sun)', page, re.S)
        assert sun
        self.press("out", batch=LEEK, as_told="yes", sun="full")
        self.assertEqual(self.outing().fields["shade_share"], {"in shade": 1.0, "in half shade": 0.5, "in the sun": 0.0}[sun[1]])


class MoreThanTold(Pages):
    def test_more_sun_than_told_is_doubted_and_kept(self) -> None:
        page = self.press("out", batch=LEEK, sun="full")[1]
        self.assertIn("should stay in: The day reaches", page)
        self.assertIn("Out since", page)


class InThePorch(Pages):
    def test_into_the_porch_by_day_its_tray_goes_with_it_and_comes_back(self) -> None:
        self.me.send(f"{G}/log", line="P to box-low x 800", key="a")
        self.later(minutes=5)
        status, page = self.press("out", batch=LEEK, sun="in porch")
        self.assertEqual(status, 200, re.findall('class="wrong"[^<]*<?', page))
        self.assertEqual((self.outing().fields["place"], self.outing().fields["shade_share"]), ("porch", 1.0))
        self.assertIn("in porch", self.me.see(f"{G}/book"))
        self.assertEqual(self.place(), "porch")
        self.later(hours=4)
        self.me.send(f"{G}/log", line=f"{LEEK} in fine", key="b")
        self.assertEqual(self.place(), "box-low")
        self.assertEqual(self.press("out", batch=LEEK, sun="in cellar")[0], 400)

    def place(self) -> str:
        with self.engine.connect() as c:
            ref = queries.gardens(c, slug="canal-house")[0]
            stood = effective_events(queries.events(c, ref.id), type(self).now.timestamp() + 60)
        return str([e for e in stood if e.kind == "placed" and e.fields["tray"] == "P"][-1].fields["place"])


class Unknown(Pages):
    def test_a_garden_that_knows_no_frost_is_asked_for_it(self) -> None:
        with self.engine.begin() as c:
            c.execute(text("update garden set last_frost = null, latitude = null, longitude = null, revision = revision + 1"))
            c.execute(text("delete from journal_section where section in ('minima', 'weather')"))
        page = self.me.see(f"{G}/harden")
        self.assertIn("may go out hangs on the last frost here", page)
        self.assertIn("by rule", page, "what has begun goes on by rule")
        today = re.sub(
            "(leek ‘grey sluice’|celeriac)( and (leek ‘grey sluice’|celeriac))?: out for", "", self.me.see(f"{G}/today").lower()
        )
        self.assertNotIn("out for", today)
