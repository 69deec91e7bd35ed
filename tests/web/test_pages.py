"""Pages by client: what they say, what they refuse, and whom they let in."""

# ruff: noqa: E501 — tables of cases read best a case a line.

from __future__ import annotations

import io
import re
from datetime import timedelta

from sqlalchemy import text
from sqlalchemy.exc import IntegrityError

from fennet.core.records import Tray
from fennet.operations import gardens, logging
from fennet.operations.acting import Actor
from fennet.storage import queries
from tests.database import NOW, new_person
from tests.web.site import SiteCase

G = "/g/canal-house"


class FirstVisit(SiteCase):
    demo = False

    def test_the_first_visit_makes_the_owner_and_the_second_may_not(self) -> None:
        visitor = self.visitor()
        page = visitor.see("/")
        self.assertIn("Set up Fennet", page)
        short = visitor.send("/welcome", name="Ottilie", password="short", garden="Attic", timezone="Europe/Tallinn")
        self.assertEqual(short.status_code, 400)
        self.assertIn("10 to 500", short.get_data(as_text=True))
        made = visitor.send(
            "/welcome", name="Ottilie", password="a long enough sentence", garden="Attic", timezone="Europe/Tallinn"
        )
        self.assertIn("Set up the room", made.get_data(as_text=True))
        again = self.visitor()
        self.assertIn("<h1>Sign in</h1>", again.see("/welcome"))
        # From the empty garden on: a tray, a sowing, a guess, a verdict.
        visitor.send("/g/attic/trays/new", id="A", rows="2", columns="3", place="", key="t1", then="sow")
        sown = visitor.send("/g/attic/sow?tray=A", tray="A", kinds="2", key="s1", sown_at="2026-02-12T10:00", **{"crop-0": "leeks", "cells-0": "r1c1-r1c3", "seeds-0": "2", "crop-1": "lettuce", "cells-1": "r2c1", "packed-1": "2025", "rate-1": "90"})  # fmt: skip
        self.assertIn("Cannot tell yet", sown.get_data(as_text=True))
        told = visitor.send(
            "/g/attic/trays/A/reading",
            "/g/attic/trays/A",
            what="soil",
            value="18",
            estimated="1",
            at="2026-02-15T10:00",
            key="r1",
        )
        page = told.get_data(as_text=True)
        self.assertIn("Not due yet: half should be up", page)
        self.assertIn("the soil temperature is a guess", page)


class SigningIn(SiteCase):
    def test_wrong_and_unknown_are_told_alike(self) -> None:
        pages = [
            self.visitor().send("/sign-in", name=n, password=p).get_data(as_text=True)
            for n, p in (("demo", "wrong"), ("nobody", "canal-house"))
        ]
        for page in pages:
            self.assertIn("That name and password do not match", page)

    def test_the_session_is_new_after_sign_in_and_gone_after_sign_out(self) -> None:
        visitor = self.gardener()
        self.assertIn("Trays", visitor.see(f"{G}/trays"))
        visitor.send("/sign-out", "/me")
        self.assertIn("<h1>Sign in</h1>", visitor.see(f"{G}/trays"))

    def test_only_addresses_of_this_site_are_gone_on_to(self) -> None:
        for bad in ("//evil.example", "https://evil.example/", "/\\evil.example"):
            response = self.visitor()
            token = response.token("/sign-in")
            went = response.client.post(
                f"/sign-in?next={bad}", data={"name": "demo", "password": "canal-house", "csrf_token": token}
            )
            self.assertEqual(went.headers["Location"], "/")

    def test_a_form_without_its_token_changes_nothing(self) -> None:
        visitor = self.gardener()
        response = visitor.client.post(f"{G}/trays/A/mark", data={"batch": "leek-1", "cell": "r3c1"})
        self.assertEqual(response.status_code, 400)
        self.assertIn("too old", response.get_data(as_text=True))

    def test_cookies_and_headers(self) -> None:
        client = self.visitor().client
        response = client.get("/sign-in")
        cookie = response.headers["Set-Cookie"]
        self.assertTrue(
            cookie.startswith("fennet-test-demo=")
            and "HttpOnly" in cookie
            and "SameSite=Lax" in cookie
            and "Secure" not in cookie
        )
        policy = response.headers["Content-Security-Policy"]
        self.assertNotIn("unsafe", policy)
        body = response.get_data(as_text=True)
        self.assertIsNone(re.search(r"<script(?![^>]*src=)|<style|\sstyle=|\son\w+=", body))


class BehindHttps(SiteCase):
    public_url = "https://garden.example"

    def test_the_cookie_is_secure(self) -> None:
        self.assertIn("Secure", self.visitor().client.get("/sign-in").headers["Set-Cookie"])


class Demo(SiteCase):
    def test_the_story_tells_its_verdicts(self) -> None:
        page = self.gardener().see(f"{G}/trays")
        self.assertRegex(page, r"Late by (six|seven|eight|nine) days, (nearly all|most) of it cold soil")
        self.assertRegex(page, r"Not due yet</strong></a>:\s+half should be up")
        self.assertIn('<span class="soil">air ', page, "a thermometer in the air is not called the soil's")
        self.assertIn("On time", page)
        self.assertIn("in a house at about", page, "where nobody reads anything a house is taken, and told")

    def test_fahrenheit_and_american_dates(self) -> None:
        visitor = self.gardener()
        try:
            visitor.send("/me", temperature_unit="degF", locale="en_US")
            page = visitor.see(f"{G}/trays/A")
            self.assertIn("°F", page)
            self.assertNotIn("°C<", page)
            self.assertRegex(page, r"February \d")
            self.assertIn("range 55.4–75.2 °F", page)
        finally:
            visitor.send("/me", temperature_unit="degC", locale="en_GB")

    def test_every_number_of_the_tray_opens_its_working(self) -> None:
        page = self.gardener().see(f"{G}/trays/A")
        for target in set(re.findall(r'popovertarget="([^"]+)"', page)):
            self.assertIn(f'id="{target}"', page)
        self.assertIn("Garcia-Huidobro", page)

    def test_a_write_keeps_each_waiting_batchs_promise_once_a_day_and_a_look_none(self) -> None:
        def kept() -> int:
            with self.engine.connect() as c:
                found = text("select count(*) from promise where subject = 'celeriac-1' and kind = 'half_up'")
                return int(c.execute(found).scalar_one())

        visitor = self.gardener()
        for page in ("trays/B", "today", "towels", "score"):
            visitor.see(f"{G}/{page}")
        self.assertEqual(kept(), 0)
        for n in range(2):
            visitor.send(f"{G}/log", line="A note dry", key=f"promise-{n}")
        self.assertEqual(kept(), 1)
        with self.engine.begin() as c, self.assertRaises(IntegrityError):
            c.execute(
                text(
                    "insert into promise (garden_id, kind, subject, day, body) select garden_id, kind, subject, day, body "
                    "from promise where subject = 'celeriac-1' and kind = 'half_up'"
                )
            )

    def test_crops_are_found_and_their_figures_sourced(self) -> None:
        visitor = self.gardener()
        self.assertIn("aubergine", visitor.see(f"{G}/crops?q=eggplant"))
        self.assertIn(">tomato</a>", visitor.see(f"{G}/crops?q=tomatto"))
        self.assertIn("Ellis &amp; Roberts", visitor.see(f"{G}/crops/leek"))
        days, share = visitor.see(f"{G}/crops/zinnia").split("Share that comes")
        never = days.split(">Days<")[1].count("never")
        self.assertEqual(share.split("</tr>")[0].count(">0 %"), never, "where none come, no share does")

    def test_what_is_not_there(self) -> None:
        visitor = self.gardener()
        for address in (f"{G}/trays/Z", f"{G}/crops/unobtainium", "/nowhere", f"{G}/trays/A/upload/none/x"):
            self.assertEqual(visitor.client.get(address).status_code, 404)


class Logging(SiteCase):
    def setUp(self) -> None:
        self.visitor_ = self.gardener()

    def tray(self) -> str:
        return self.visitor_.see(f"{G}/trays/A")

    def test_pressing_a_cell_marks_it_and_undo_takes_it_back(self) -> None:
        before = self.tray().count("is-up")
        page = self.visitor_.send(f"{G}/trays/A/mark", f"{G}/trays/A", batch="leek-1", cell="r3c4", key="m1").get_data(
            as_text=True
        )
        self.assertEqual(page.count("is-up"), before + 1)
        event = re.search(r'name="event" value="([^"]+)"', page)
        assert event
        page = self.visitor_.send(f"{G}/log/undo", f"{G}/trays/A", event=event.group(1), back=f"{G}/trays/A").get_data(
            as_text=True
        )
        self.assertEqual(page.count("is-up"), before)
        self.assertIn("Bring it back", page)

    def test_a_kind_of_ones_own_counts_at_once(self) -> None:
        visitor = self.gardener()
        add = f"{G}/own-crops"
        for fields, said in (
            ({"name": "", "like": "basil"}, "A kind needs a name"), ({"name": "tomato", "like": "basil"}, "is a crop of the table already"),
            ({"name": "Quay herb", "like": "quayherb of yore"}, "is not a crop of the table"),
            ({"name": "Quay herb", "like": "basil", "half_up_d": "0"}, "out of range"),
            ({"name": "Quay herb", "like": "basil", "soil_low_c": "30", "soil_high_c": "20"}, "from the cooler to the warmer"),
        ):  # fmt: skip
            answer = visitor.send(add, add, **fields)
            self.assertEqual(answer.status_code, 400)
            self.assertIn(said, answer.get_data(as_text=True))
        page = visitor.send(add, add, name="Quay herb", like="basil", half_up_d="9", key="own").get_data(as_text=True)
        self.assertIn("Your own kind, like basil", page)
        self.assertIn("After about nine days", page)
        self.assertIn("Quay herb", visitor.see(f"{G}/crops?q=quay"))
        made = visitor.send(f"{G}/begin/sown", crop="quay herb", cells="4", where="landing-sill", warm_c="24", key="sown")
        self.assertIn("half should be up", made.get_data(as_text=True))
        self.assertIn("is in use by a batch", visitor.send(f"{add}/quay_herb/drop", add, key="d").get_data(as_text=True))
        page = visitor.send(f"{add}/quay_herb", f"{add}/quay_herb", name="Quay herb", like="mint", key="c").get_data(as_text=True)
        self.assertIn("like mint", page)

    def test_bad_input_is_told_in_words_and_keeps_what_was_typed(self) -> None:
        for address, fields, said in (
            ("reading", {"what": "soil", "value": "900"}, "accepted: -60 to 80 °C"), ("reading", {"what": "soil", "value": "-50"}, "cannot be soil temperature"), ("reading", {"what": "soil", "value": "18", "at": "2026-03-29T03:30"}, "future|does not exist"),
            ("reading", {"what": "soul", "value": "18"}, "is not one of the choices"), ("count", {"batch": "leek-1", "total": "two"}, "not a whole number"),
            ("count", {"batch": "leek-1", "total": "-1"}, "is out of range; accepted: 0 to"), ("count", {"batch": "leek-1", "total": "99"}, "more than were sown"),
            ("mark", {"batch": "leek-1", "cell": "r4c6"}, "does not belong"),
        ):  # fmt: skip
            response = self.visitor_.send(f"{G}/trays/A/{address}", f"{G}/trays/A", **fields)
            page = response.get_data(as_text=True)
            self.assertEqual(response.status_code, 400, fields)
            self.assertRegex(page, said)
            self.assertNotIn("Traceback", page)
        self.assertEqual(
            self.visitor_.send(f"{G}/trays/A/mark", f"{G}/trays/A", batch="celeriac-1", cell="r1c1").status_code, 404
        )

    def test_sowing_into_held_cells_or_the_future_or_an_unknown_crop(self) -> None:
        for fields, said in (
            ({"crop-0": "pea", "cells-0": "r1c1"}, "is held by batch"), ({"crop-0": "tomatto", "cells-0": "r4c1"}, "Nearest: tomato"),
            ({"crop-0": "pea", "cells-0": "r9c9"}, "no cell r9c9"), ({"crop-0": "pea", "cells-0": "r4c1", "sown_at": "2027-01-01T10:00"}, "future"),
            ({"crop-0": "pea", "cells-0": "r4c1", "seeds-0": "many"}, "not a whole number"), ({"cells-0": "r4c1"}, "A crop is missing"),
        ):  # fmt: skip
            response = self.visitor_.send(f"{G}/sow?tray=A", tray="A", kinds="1", **fields)
            self.assertEqual(response.status_code, 400, fields)
            self.assertIn(said, response.get_data(as_text=True))

    def upload(self, data: bytes, name: str = "probe.csv") -> str:
        token = self.visitor_.token(f"{G}/trays/E")
        response = self.visitor_.client.post(
            f"{G}/trays/E/upload", data={"csrf_token": token, "file": (io.BytesIO(data), name)}, follow_redirects=True
        )
        self.address = response.request.path
        return str(response.get_data(as_text=True))

    def test_a_thermometers_file_is_shown_before_it_is_kept(self) -> None:
        start = NOW - timedelta(days=3)
        rows = "".join(f"{(start + timedelta(hours=h)):%d.%m.%Y %H:%M};{17 + h % 3},5\n" for h in range(70))
        page = self.upload(f"Time;Temp °C\n{rows}29.03.2025 99:99;18,0\n01.02.2026 10:00;900\n".encode())
        self.assertIn("<b>70</b> new readings", page)
        self.assertIn("<b>2</b> set aside", page)
        self.assertIn("line 73", page)
        kept = self.visitor_.send(
            self.address,
            save="1",
            time_column="Time",
            time_form="%d.%m.%Y %H:%M",
            remember="landing probe",
            **{"use-1": "soil_temperature degC", "place-1": "E"},
        )
        page = kept.get_data(as_text=True)
        self.assertIn("70 readings kept", page)
        self.assertIn("Not due yet", page)
        again = self.upload(f"Time;Temp °C\n{rows}".encode())
        self.assertIn("<b>0</b> new readings, 70 there already", again)
        self.assertIn("Read as “landing probe”", again)

    def test_lines_pasted_from_a_spreadsheet_are_as_good_as_a_file(self) -> None:
        rows = "\n".join(f"{NOW - timedelta(days=2, hours=h):%Y-%m-%d %H:%M}\t{20 + h % 3}" for h in range(20, 0, -1))
        page = self.visitor_.send(f"{G}/trays/E/upload", f"{G}/trays/E", pasted=f"time\tair temp\n{rows}").get_data(as_text=True)
        self.assertIn("<b>20</b> new readings", page)
        self.assertIn("what was pasted", page)
        taken = self.visitor_.send(f"{G}/plan/wants/file", f"{G}/plan", pasted="crop\tplants\nleek\t7\n").get_data(as_text=True)
        self.assertIn("1 ", taken)
        self.assertIn(
            "Choose a CSV file first",
            self.visitor_.send(f"{G}/trays/E/upload", f"{G}/trays/E", pasted=" ").get_data(as_text=True),
        )

    def test_files_that_are_none_are_refused_in_words(self) -> None:
        for data, said in ((b"", "empty"), (b"\x89PNG\r\n\x1a\n\x00\x00\x00", "binary"), (b"hello", "one column")):
            self.assertIn(said, self.upload(data))
        big = self.upload(b"a,b\n" * 9_000_000)
        self.assertIn("up to 32 MB", big)

    def test_sixty_columns_are_shown_and_of_more_it_is_said_that_they_are_left_out(self) -> None:
        for n, words in ((60, "c59 holds"), (130, "31 more columns are left out")):
            head = ",".join(["Time", *(f"c{i} °C" for i in range(n))])
            rows = "\n".join(",".join([f"2026-02-01 1{i}:00", *("20.5" for _ in range(n))]) for i in range(5))
            page = self.upload(f"{head}\n{rows}\n".encode())
            self.assertIn(words.replace(" holds", " °C holds"), page)
            self.assertIn("two columns are soil temperature at E", page)

    def test_a_viewer_sees_but_does_not_write(self) -> None:
        with self.engine.begin() as c:
            ref = queries.gardens(c, slug="canal-house")[0]
            person = new_person(c, "Vi", "a viewer's password")
            gardens.join(c, ref, person, "viewer")
        viewer = self.visitor()
        viewer.send("/sign-in", name="Vi", password="a viewer's password")
        response = viewer.send(f"{G}/trays/A/mark", f"{G}/trays/A", batch="leek-1", cell="r3c1")
        self.assertIn("may look", response.get_data(as_text=True))

    def test_given_up_cells_are_free_and_the_record_stays(self) -> None:
        with self.engine.connect() as c:
            ref = queries.gardens(c, slug="canal-house")[0]
        self.write(Actor("t", ref), gardens.add_tray, Tray(id="X", kind="cells", rows=1, columns=2), None)
        self.visitor_.send(
            f"{G}/sow?tray=X", tray="X", kinds="1", sown_at="2026-02-18T10:00", **{"crop-0": "cress", "cells-0": "all"}
        )
        with self.engine.connect() as c:
            batch = next(b for b in queries.records(c, ref.id, "batches") if b.tray == "X")
        page = self.visitor_.send(f"{G}/trays/X/give-up", f"{G}/trays/X", batch=batch.id).get_data(as_text=True)
        self.assertIn("given up", page)
        self.assertEqual(page.count("is-free"), 2)
        self.assertIn("Finished", page)
        with self.engine.connect() as c:
            self.assertTrue(self.write(Actor("t", ref), logging.batch_and_events, batch.id)[1])


class DatabaseAway(SiteCase):
    def test_a_lost_database_is_a_503_in_words(self) -> None:
        visitor = self.gardener()
        engine = self.app.extensions["fennet_engine"]
        from fennet.storage.database import connect

        self.app.extensions["fennet_engine"] = connect("postgresql://fennet@127.0.0.1:1/none")
        try:
            response = visitor.client.get(f"{G}/trays")
        finally:
            self.app.extensions["fennet_engine"] = engine
        self.assertEqual(response.status_code, 503)
        self.assertIn("starts it again by itself", response.get_data(as_text=True))
