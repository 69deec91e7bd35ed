"""The first hour: four questions, each of which may be left, and from each way on a first true answer."""

from __future__ import annotations

import io
import json
import re

from fennet.storage import queries
from tests.journal.whole import whole_journal
from tests.web.site import SiteCase, Visitor

G = "/g/loft"


class Fresh(SiteCase):
    demo = False

    def newcomer(self, **headers: str) -> tuple[Visitor, str]:
        me = self.visitor()
        fields = {"name": "Bram", "password": "a long enough sentence", "garden": "Loft", "timezone": "Europe/Amsterdam"}
        fields["csrf_token"] = me.token("/welcome")
        page = me.client.post("/welcome", data=fields, follow_redirects=True, headers=headers).get_data(as_text=True)
        return me, page


class NothingAtAll(Fresh):
    def test_from_an_empty_page_to_dates_without_a_thermometer(self) -> None:
        me, page = self.newcomer()
        self.assertIn("Four questions to get started", page)
        page = me.see(f"{G}/today")
        for words in ("I have just sown something", "they look wrong", "plan the season", "I have records"):
            self.assertIn(words, page)
        said = me.send(f"{G}/begin/sown", crop="leek", cells="6", where="+sill", warmth="living_room", key="a")
        page = said.get_data(as_text=True)
        self.assertRegex(page, "half should be up")
        self.assertIn("6 cells, one seed each", page)
        for address in ("today", "trays", "why"):
            self.assertNotIn("I have records", me.see(f"{G}/{address}"))
        # Where nobody says how warm it is, a house is taken, and told.
        page = me.send(f"{G}/begin/sown", crop="leek", cells="6", where="sill-1", key="b").get_data(as_text=True)
        self.assertRegex(page, r"Half should be up .* in a house at about 1[78].*look from .*worry after .*give up on")
        page = me.send(f"{G}/begin/sown", crop="pepper", cells="6", where="sill-1", key="c").get_data(as_text=True)
        self.assertRegex(page, r"One soil reading would narrow this from \S+ days to \S+ days")
        # A box of scattered seed is counted by the seed.
        page = me.send(f"{G}/begin/sown", crop="leek", sown_in="open", cells="300", where="sill-1", key="d").get_data(
            as_text=True
        )
        self.assertIn("300 seeds", page)
        with self.engine.connect() as c:
            ref = queries.gardens(c, slug="loft")[0]
            self.assertEqual([p.id for p in queries.records(c, ref.id, "places")], ["sill-1"])


class Seedlings(Fresh):
    def test_seedlings_that_came_from_nowhere_are_looked_at_at_once(self) -> None:
        me, _ = self.newcomer()
        page = me.send(f"{G}/begin/seedlings", crop="tomato", cells="8", since="weeks", where="+sill", key="a").get_data(
            as_text=True
        )
        self.assertIn("long_thin", page)
        me.send(f"{G}/why/tomato-1/look", f"{G}/why/tomato-1/look", sign="long_thin", key="s")
        self.assertIn("The most likely cause is weak light", me.see(f"{G}/why/tomato-1"), "a window in February")
        self.assertIn("8 of 8", me.see(f"{G}/trays"))
        page = me.send(f"{G}/begin/seedlings", crop="pepper", cells="3", since="days", start="bought", key="b").get_data(
            as_text=True
        )
        self.assertIn("pepper", page)
        self.assertIn("bought", me.see(f"{G}/trays/B"))


class FourQuestions(Fresh):
    def test_they_make_the_room_and_each_may_be_left(self) -> None:
        me, _ = self.newcomer()
        me.send(
            f"{G}/begin",
            town="tallinn",
            last_frost="18 May",
            day_c="21",
            night_c="16",
            sills="1",
            facing="90",
            lamps="2",
            mats="1",
            key="a",
        )
        with self.engine.connect() as c:
            ref = queries.gardens(c, slug="loft")[0]
            made = queries.records(c, ref.id, "places")
        self.assertEqual([p.facing_deg for p in made if p.kind == "sill"], [90.0])
        places = {p.id: p.kind for p in made}
        self.assertEqual(
            (ref.garden.timezone, ref.garden.last_frost, round(ref.garden.latitude or 0)), ("Europe/Tallinn", "05-18", 59)
        )
        self.assertEqual(places, {"sill-1": "sill", "shelf-1": "shelf", "shelf-2": "shelf"})
        page = me.send(f"{G}/begin/sown", crop="leek", where="shelf-1", key="b").get_data(as_text=True)
        self.assertIn("judged from the air", page, "the room's own warmth is gone by")
        self.assertEqual(me.send(f"{G}/begin", key="c").status_code, 200, "nothing said, nothing asked twice")


class WhatCannotBe(Fresh):
    def test_what_cannot_be_is_told_with_a_way_on(self) -> None:
        me, _ = self.newcomer()
        for fields, words in (
            ({"town": "Atlantis"}, "is not listed"), ({"town": "talin"}, "Tallinn"), ({"town": "Kingston"}, "two of that name"),
            ({"latitude": "95"}, "is out of range"), ({"last_frost": "13-40"}, "13-40"),
            ({"last_frost": "5/12"}, "not a day of the year"), ({"day_c": "95"}, "is out of range"),
            ({"day_c": "warm"}, "day"), ({"lamps": "-1"}, "is out of range"),
        ):  # fmt: skip
            with self.subTest(str(fields)):
                said = me.send(f"{G}/begin", **fields)
                self.assertEqual(said.status_code, 400)
                self.assertIn(words, said.get_data(as_text=True))
        for fields, words in (
            ({"crop": ""}, "Say what it is"), ({"crop": "Poireau"}, "No crop is called"),
            ({"crop": "leek", "cells": "0"}, "is out of range"), ({"crop": "leek", "cells": "900"}, "into an open box"),
            ({"crop": "leek", "sown_at": "2030-01-01T10:00"}, "future"),
            ({"crop": "leek", "where": "moon"}, "not one of the choices"),
        ):  # fmt: skip
            with self.subTest(str(fields)):
                said = me.send(f"{G}/begin/sown", **fields)
                self.assertEqual(said.status_code, 400)
                self.assertIn(words, said.get_data(as_text=True))
        with self.engine.connect() as c:
            self.assertEqual(queries.things(c, queries.gardens(c, slug="loft")[0].id), {}, "nothing is half kept")


class American(Fresh):
    def test_degrees_and_lengths_go_by_the_browsers_language(self) -> None:
        me, _ = self.newcomer(**{"Accept-Language": "en-US,en;q=0.8"})
        page = me.send(f"{G}/begin/sown", crop="leek", cells="6", warm_c="66", key="a").get_data(as_text=True)
        self.assertRegex(re.sub(r"\s+", " ", page), "66(.0)? °F")


class Records(Fresh):
    def send(self, me: Visitor, raw: bytes, name: str = "r.json") -> tuple[int, str]:
        said = me.send(f"{G}/begin/records", file=(io.BytesIO(raw), name))
        return said.status_code, said.get_data(as_text=True)

    def test_a_journal_or_a_table_goes_in_and_what_is_none_is_told(self) -> None:
        me, _ = self.newcomer()
        for raw in (b"", b"{", b'{"format": "other"}', b"\x00\x01", b"a,b\n1,2\n", b"[1]", b'{"a":' * 3000):
            with self.subTest(raw[:12]):
                self.assertEqual(self.send(me, raw)[0], 400)
        journal = json.dumps(whole_journal()).encode()
        status, page = self.send(me, journal)
        self.assertEqual(status, 200)
        self.assertIn("4 batches", page)
        self.assertIn("Loft", page, "the garden keeps its name")
        self.assertIn("were there already", self.send(me, journal)[1])
        status, page = self.send(me, b"crop,variety,plants\nleek,Grey Sluice,20\nmoonflower,,3\n", "wants.csv")
        self.assertEqual(status, 200)
        self.assertIn("Set aside", page)
        self.assertIn("moonflower", page)


class EveryEmptyPage(Fresh):
    def test_each_leads_on(self) -> None:
        me, _ = self.newcomer()
        for page in ("today", "trays", "why", "tune", "tune/lamps", "feed", "plan", "harden", "book", "score"):
            with self.subTest(page):
                self.assertIn("I have just sown something", me.see(f"{G}/{page}"))
