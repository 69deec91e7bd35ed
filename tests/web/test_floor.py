"""The floor: what is typed with a slip is refused, what is stored cannot take a page down, nothing waits in vain."""

# ruff: noqa: E501 — tables of slips read best as they are.

from __future__ import annotations

import io
import re
from datetime import timedelta
from typing import Any
from unittest import mock

from sqlalchemy import text

from tests.database import NOW
from tests.web.site import SiteCase, Visitor

G = "/g/canal-house"
PAGES = ("today", "trays", "trays/A", "trays/B", "why", "why/leek-1", "tune", "tune/lamps", "plan", "feed", "book", "score", "seeds",
         "sow", "room", "practice", "practice/targets", "towels", "harden", "log", "away", "plan/frost", "plan/mix", "plan/versions", "plan/season",
         "plan/labels", "plan/compare", "plan/calendar", "more", "crops", "book/readings.csv", "book.csv", "plan.csv", "plan.ics")  # fmt: skip


def said(page: str) -> str:
    """What a page says in its messages and refusals."""
    parts = r'(?s)<p[^>]*class="(?:wrong|invalid-feedback|caution missing).*?</p>|<div class="(?:toast-body|wrong).*?</div>'
    return " ".join(re.sub("<[^>]+>", " ", x) for x in re.findall(parts, page))


def whole(page: str) -> str:
    """All that a page's middle says, the names of its drawn things among it."""
    middle = page[page.index("<main") : page.index("</main>")]
    return " ".join(re.sub(r"<[^>]*?aria-label=\"([^\"]*)\"[^>]*>|<[^>]+>", r" \1 ", middle).split())


class Floor(SiteCase):
    def setUp(self) -> None:
        self.me: Visitor = self.gardener()

    def change(self, statement: str) -> None:
        with self.engine.begin() as c:
            c.execute(text(statement))
            c.execute(text("update garden set setup_revision = setup_revision + 1, revision = revision + 1"))

    def all_stand(self) -> None:
        for page in PAGES:
            response = self.me.client.get(f"{G}/{page}", follow_redirects=True)
            # To the end: an export is made while it is sent.
            response.get_data()
            self.assertEqual(response.status_code, 200, page)

    def log(self, line: str, **fields: Any) -> str:
        return str(self.me.send(f"{G}/log", line=line, **fields).get_data(as_text=True))


class Stored(Floor):
    def test_what_an_earlier_version_stored_is_told_mended_and_takes_nothing_down(self) -> None:
        for statement in (
            "update lamp set until = '0001-01-01 00:00:00+00' where id = 'lamp-1'",
            "update place set since = '0001-01-01 00:00:00+00' where id = 'box-mid'",
            "update garden set last_frost = '13-45'",
            "update want set out_by = '9999-12-30' where position = (select min(position) from want)",
            "update batch set sown_at = '0202-01-01 00:00:00+00' where id = 'celeriac-1'",
            "update batch set sown_at = '1926-01-01 00:00:00+00' where id = 'parsley-1'",
            "insert into journal_section (garden_id, section, body) select id, 'targets', "
            '\'{"quantity": "moisture", "low": 1, "high": 2, "stage": "adrift"}\' from garden',
        ):
            self.change(statement)
        self.all_stand()
        page = self.me.see(f"{G}/trays")
        self.assertIn("5 stored values cannot be read", said(page))
        with self.engine.connect() as c:
            position = c.execute(text("select min(position) from want")).scalar_one()
        mends: tuple[dict[str, str], ...] = (
            {"section": "lamps", "id": "lamp-1", "field": "until", "none": "1"},
            {"section": "places", "id": "box-mid", "field": "since", "value": "2025-01-01T00:00"},
            {"section": "wants", "id": str(position), "field": "out_by", "value": "2026-05-20"},
            {"section": "batches", "id": "celeriac-1", "field": "sown_at", "value": "2026-02-02T10:00"},
        )
        for value, told in (("May", "accepted: a day of the year, 05-18 for 18 May"), ("05-18", "mended")):
            sent = self.me.send(f"{G}/mend", section="garden", id="canal-house", field="last_frost", value=value)
            self.assertIn(told, said(sent.get_data(as_text=True)))
        bad = self.me.send(f"{G}/mend", **mends[3] | {"value": "0202-02-02T10:00"})
        self.assertEqual(bad.status_code, 400)
        self.assertIn("accepted: 1900 to 2199", said(bad.get_data(as_text=True)))
        for mend in mends:
            self.assertIn("mended", said(self.me.send(f"{G}/mend", **mend).get_data(as_text=True)))
        self.assertNotIn("cannot be read", said(self.me.see(f"{G}/trays")))
        self.assertIn("celeriac", self.me.see(f"{G}/trays/B"))

    def test_a_part_that_fails_is_told_at_its_place_and_never_as_nothing(self) -> None:
        """What breaks, on which page, what stands in its place, and what would be false there."""
        for target, page, words, false in (
            ("answering.answers.forecast", "trays", "could not be worked out. Entries of leek-1", "A empty"),
            ("web.trays.view._line", "trays", "Tray A could not be worked out. Entries of A", "A empty"),
            ("answering.answers.forecast", "trays/A", "could not be worked out. Entries of leek-1", "Nothing is sown|r1c1, free"),
            ("answering.answers.conditions", "trays/A", "Entries of leek-1", "Nothing is sown"),
            ("web.tray.view.ribbons", "trays/A", "The ribbons could not be worked out", "Nothing is sown"),
            ("answering.answers.forecast", "today", "could not be worked out. Entries of leek-1", "Nothing needs doing"),
            ("answering.answers.findings", "why", "Could not be worked out", "Nothing is waited for|as it should be"),
            ("answering.answers.findings", "why/leek-1", "could not be worked out. Entries of leek-1", "Nothing on record"),
            ("web.why.view._finding", "why/leek-1", "could not be worked out. Entries of leek-1", "Nothing on record"),
            ("web.today.view.bench", "today", "The drawing of the room could not be worked out", "No room is set up"),
            ("answering.answers.worklist", "today", "Today’s list of tasks could not be worked out", "Nothing needs doing"),
            ("answering.answers.conditions", "today", "Leek.{0,30} could not be worked out", "Nothing needs doing| empty"),
            ("answering.answers.conditions", "away?days=3", "Check these trays before you go", "Nothing that is measured fails"),
            ("web.today.view.away_view", "away?days=3", "What an absence means could not be worked out", "Nothing that is measured"),
            ("answering.answers.tune_mats", "tune", "What the mats should be set to could not be", "No tray lies|Nothing lies|No exchange"),
            ("web.tune.view._mat", "tune", "Entries of mat-1", "No tray lies"),
            ("answering.answers.tune_lamps", "tune/lamps", "What the lamps should be set to could not be", "No lamp hangs|Nothing stands"),
            ("web.tune.lamp_view._lamp", "tune/lamps", "Entries of lamp-1", "No lamp hangs"),
            ("answering.answers.care_day", "feed", "could not be worked out. Entries of leek-1", "Nothing is up"),
            ("answering.answers.score_promises", "today", "What came of the promises could not be worked out", "Nothing needs doing"),
        ):  # fmt: skip
            self.forget()
            with self.subTest(target, page=page):
                mocked = mock.patch(f"fennet.{target}", side_effect=ZeroDivisionError)
                with mocked, self.assertLogs("fennet.web.app", "ERROR"):
                    shown = whole(self.me.see(f"{G}/{page}"))
                self.assertRegex(shown, words)
                self.assertNotRegex(shown, false)
                self.forget()
                self.assertNotIn("could not be worked out", self.me.see(f"{G}/{page}"), "and is there again")

    def test_one_want_that_cannot_be_planned_leaves_the_others(self) -> None:
        from fennet.core.planning import plan as module

        real = module.drafts

        def drafts(want: Any, *rest: Any) -> Any:
            if want.crop == "cosmos":
                raise ZeroDivisionError
            return real(want, *rest)

        self.forget()
        with mock.patch.object(module, "drafts", drafts), self.assertLogs("fennet.web.app", "ERROR"):
            page = self.me.see(f"{G}/plan")
        self.assertIn("The sowing of cosmos could not be worked out", said(page))
        self.assertIn("/plan/days/", page, "the others are planned")
        self.forget()

    def test_a_page_past_its_time_says_so_and_has_it_at_the_next_look(self) -> None:
        self.forget()
        with mock.patch("fennet.web.parts.PAGE_BUDGET_S", -1.0):
            self.assertIn("too long to work out at once", said(self.me.see(f"{G}/trays")))
        self.assertNotIn("too long", said(self.me.see(f"{G}/trays")))

    def forget(self) -> None:
        self.app.extensions["fennet_snapshots"].forget()


class Slips(Floor):
    def test_figures_and_texts_that_cannot_be(self) -> None:
        kept = self.me.send(f"{G}/trays/A/reading", "/me", what="", value="21")
        self.assertIn("Reading kept", said(kept.get_data(as_text=True)), "nothing chosen is the first choice")
        figures = ("inf", "nan", "1e29", "²", "9" * 5000, "12345678901", "\x00", "1.2.3")
        for name in figures:
            for address, fields in (
                ("trays/A/reading", {"what": "soil", "value": name}), ("trays/A/count", {"batch": "leek-1", "total": name}),
                ("plan/wants", {"crop": "leek", "plants": name}), ("room/lamps", {"id": "x", "watts": name}),
                ("tune/mat-1/set", {"setpoint": name}), ("tune/lamps/lamp-1/set", {"height": name, "on": "06:00", "hours": "14"}),
                ("feed", {"tray": "A", "mg": name}), ("plan/move", {"want": "1", "day": name}),
                ("practice/targets", {"quantity": "moisture", "low": name, "high": "60"}),
            ):  # fmt: skip
                with self.subTest(address, value=name[:12]):
                    response = self.me.send(f"{G}/{address}", "/me", **fields)
                    self.assertLess(response.status_code, 500)
                    self.assertRegex(
                        said(response.get_data(as_text=True)), "accepted|not a number|cannot be kept|digits|is out of range"
                    )
        for address in ("away?days=²", "sow?kinds=²", "plan?try=²:1:2026-04-01", "today?at=0001-01-01T00:00", "today?at=9999-12-31T23:59",
                        "book?from=0001-01-01", "book?to=9999-12-31", "photos/4294967296", "plan/wants/99999999999999", "log?line=%00",
                        "crops?q=%00", "plan/labels?skip=²&sheet=own&w=nan"):  # fmt: skip
            self.assertLess(self.me.client.get(f"{G}/{address}").status_code, 500, address)
        self.assertLess(self.me.send("/sign-in", name="a\x00b", password="x").status_code, 500)
        back = self.me.send(f"{G}/log", line="A note x", back="/g/canal-house/trays\r\nX: y")
        self.assertEqual(back.status_code, 200)

    def test_degrees_that_were_fahrenheit_are_asked_about(self) -> None:
        self.assertIn("As °F it is 23.9 °C", said(self.log("mat-1 set 75")))
        self.assertIn("38 °C at most", said(self.log("mat-1 set 40")))
        asked = self.me.client.get(f"{G}/log/echo", query_string={"line": "A soil 75"}).get_data(as_text=True)
        self.assertIn("As \\u00b0F it is 23.9", asked)

    def test_years_of_a_slip(self) -> None:
        for fields in (
            {"crop-0": "pea", "cells-0": "r4c1", "sown_at": at}
            for at in ("0202-03-01T10:00", "1926-03-01T10:00", "9999-01-01T10:00")
        ):
            response = self.me.send(f"{G}/sow?tray=A", tray="A", kinds="1", **fields)
            self.assertEqual(response.status_code, 400)
            self.assertRegex(said(response.get_data(as_text=True)), "too far off|too long ago|future")
        for out_by in ("0001-01-01", "3026-05-01", "9999-12-31"):
            self.assertEqual(self.me.send(f"{G}/plan/wants", crop="leek", plants="4", out_by=out_by).status_code, 400)
        for day in ("0001-01-01", "2200-01-01", "99999-01-01"):
            response = self.me.send(f"{G}/room/lamps/lamp-1", "/me", id="lamp-1", until=day)
            self.assertEqual(response.status_code, 400, day)
        self.assertIn("too long ago", said(self.log("A note x @ 0202-01-01")))

    def test_files_of_a_slip(self) -> None:
        def upload(data: str) -> str:
            token = self.me.token(f"{G}/trays/E")
            sent = {"csrf_token": token, "file": (io.BytesIO(data.encode()), "x\x00.csv")}
            return str(self.me.client.post(f"{G}/trays/E/upload", data=sent, follow_redirects=True).get_data(as_text=True))

        spots = "at,quantity,value,unit,x_mm\n" + "".join(
            f"2026-02-19T10:00:00+02:00,soil_temperature,20,degC,{i}\n" for i in range(1500)
        )
        page = upload(spots)
        self.assertIn("<b>300</b> new readings", page)
        self.assertIn("names up to 300 different places", page)
        for data in (
            "at,quantity,value,unit\n" + "x" * 140_000 + ",b,1,d\n",
            'time,temp\n2026-02-19 10:00,"20\n',
            "time,temp\n" + "9" * 140_000 + ",1\n",
        ):
            self.assertIn("E", upload(data))
        nights = "on,min_c\n0001-01-01,-3\n2001-01-01,-2\n9999-01-01,-3\n"
        sent = {"csrf_token": self.me.token(f"{G}/plan/frost"), "file": (io.BytesIO(nights.encode()), "n.csv")}
        self.assertIn(
            "of 1900 to 2199", self.me.client.post(f"{G}/plan/frost", data=sent, follow_redirects=True).get_data(as_text=True)
        )
        with self.engine.connect() as c:
            self.assertEqual(c.execute(text("select count(*) from journal_section where section = 'minima'")).scalar_one(), 1)


class OnTheWay(Floor):
    def test_the_first_reading_undone_and_a_weight_without_a_scale(self) -> None:
        page = self.log("G humid 55") + self.log("S 412g")
        self.assertIn("Logged. S:", said(page))
        self.all_stand()
        event = re.search(r'name="event" value="(r:G[^"]+)"', page)
        assert event
        self.assertIn("Undone", self.me.send(f"{G}/log/undo", f"{G}/log", event=event.group(1)).get_data(as_text=True))
        self.all_stand()
        for token in (
            "r:cellar|humidity|by-hand|2026-02-20T09:00:00+00:00",
            "r:|||",
            "r:A|x|y|0001-01-01T00:00:00",
            "r:\x00|a|b|c",
        ):
            self.assertEqual(self.me.send(f"{G}/log/undo", f"{G}/log", event=token).status_code, 200)

    def test_a_logger_that_went_silent_long_ago(self) -> None:
        self.change(
            "insert into series (garden_id, place, quantity, source) select id, 'A', 'humidity', 'old-logger' from garden"
        )
        self.change("insert into reading (series_id, at, value, canonical, unit) select id, '2024-06-01', 50, 50, 'percent' from series "
                    "where source = 'old-logger'")  # fmt: skip
        self.all_stand()

    def test_lux_of_an_earlier_time_goes_by_the_lamp_that_hung_then(self) -> None:
        def read(where: str = "value = 7777") -> tuple[str | None, float | None]:
            with self.engine.connect() as c:
                under, figure = c.execute(text(f"select under, canonical from reading where {where}")).one()
            return under, figure

        self.log("lamp-1 to box-mid")
        self.log("F light 7777lux @ 2h ago")
        self.assertEqual(read()[0], "lamp-1", "what hung there then, and not what hangs there now")
        # Under no named lamp the record tells what hung there: a move that is logged late tells it anew.
        with self.engine.begin() as c:
            c.execute(text("update reading set under = null where value = 7777"))
        self.log("lamp-1 to box-mid @ 4h ago")
        self.assertIsNone(read()[1])
        undo = re.search(r'name="event" value="([^"]+)"', self.log("lamp-1 to box-top @ 3h ago"))
        assert undo
        self.assertIsNotNone(read()[1])
        self.me.send(f"{G}/log/undo", f"{G}/log", event=undo.group(1))
        self.assertIsNone(read()[1], "and an undo takes it back")

    def test_the_book_shows_the_newest(self) -> None:
        self.change("insert into series (garden_id, place, quantity, source) select id, 'A', 'height', 'by-hand' from garden")
        self.change("insert into reading (series_id, at, value, canonical, unit) "
                    "select s.id, timestamptz '2026-02-10' + n * interval '1 minute', n, n, 'mm' "
                    "from series s, generate_series(1, 900) n where s.quantity = 'height' and s.place = 'A'")  # fmt: skip
        page = self.me.see(f"{G}/book?kind=readings+by+hand&thing=A&from=2026-02-10&to=2026-02-10")
        self.assertIn("900 mm", page)
        self.assertNotIn(">3 mm", page)

    def test_an_entry_replayed_while_signed_out_waits_on(self) -> None:
        out = self.visitor()
        token = out.token("/sign-in")
        waiting = {"X-Requested-With": "waiting"}
        self.assertEqual(
            out.client.post(f"{G}/log", data={"csrf_token": token, "line": "A 1 up"}, headers=waiting).status_code, 401
        )
        self.assertEqual(
            out.client.post(f"{G}/log", data={"csrf_token": "too old", "line": "A 1 up"}, headers=waiting).status_code, 409
        )

    def test_an_open_box_is_sown_by_the_number_of_seeds(self) -> None:
        self.me.send(f"{G}/room/trays", id="box", kind="open", width_mm="300", depth_mm="200")
        page = self.me.see(f"{G}/sow?tray=box")
        self.assertIn("counted by the seed", page)
        done = self.me.send(f"{G}/sow?tray=box", tray="box", kinds="1", **{"crop-0": "parsley", "seeds-0": "60"})
        self.assertIn("Sown: parsley in tray box", done.get_data(as_text=True))
        self.assertIn("2 seedlings up", said(self.log("box 2 seedlings up")))
        self.assertIn("60 seeds, ", self.me.see(f"{G}/trays/box"))

    def test_the_drawing_speaks_the_readers_measure(self) -> None:
        self.assertNotIn('data-measures="imperial"', self.me.see(f"{G}/today"))
        try:
            self.me.send("/me", measures="imperial")
            self.assertIn('data-measures="imperial"', self.me.see(f"{G}/today"))
            self.assertIn('<span class="unit">in</span>', self.me.see(f"{G}/room/trays/A"))
            self.me.send(f"{G}/trays/A/height", f"{G}/trays/A", batch="leek-1", height="1½")
            with self.engine.connect() as c:
                newest = text("select body->>'mm' from event where batch = 'leek-1' and kind = 'height'")
                self.assertEqual(c.execute(newest).scalar_one(), "38.1")
        finally:
            self.me.send("/me", measures="metric")

    def test_a_plus_one_that_waited_is_worked_out_when_it_lands(self) -> None:
        at = (NOW - timedelta(hours=3)).isoformat()
        self.log("B 2 up @ 2h ago")
        late = said(self.log("B +1 up", pressed_at=at))
        self.assertIn("Logged. celeriac-1: 1 more up", late)
        with self.engine.connect() as c:
            rows = c.execute(text("select at, body from event where kind = 'count' and batch = 'celeriac-1' order by at")).all()
        self.assertEqual([r.body["cells_up"] for r in rows][-2:], [1, 2])
