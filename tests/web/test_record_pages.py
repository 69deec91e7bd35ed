"""Today, the log line, the Book, the room's forms, practice and photos, through the client."""

# ruff: noqa: E501 — tables of cases read best a case a line.

from __future__ import annotations

import csv
import io
import json
import re
from typing import ClassVar

from PIL import Image

from tests.web.site import SiteCase, Visitor

G = "/g/canal-house"


class Pages(SiteCase):
    me: ClassVar[Visitor]

    @classmethod
    def setUpClass(cls) -> None:
        super().setUpClass()
        cls.me = cls().gardener()

    def log(self, line: str, **more: str) -> tuple[int, str]:
        answer = self.me.send(f"{G}/log", line=line, back=f"{G}/today", **more)
        return answer.status_code, answer.get_data(as_text=True)


class Today(Pages):
    def test_the_bench_is_drawn_to_scale_with_its_twin_in_words(self) -> None:
        page = self.me.see(f"{G}/today")
        widths = {m[0]: float(m[1]) for m in re.findall(r'<rect class="tray-box"[^>]*width="([\d.]+)" height="([\d.]+)"', page)}
        self.assertTrue(widths)
        self.assertRegex(page, r'aria-label="D pak choi, statice .*; Tray D, pak choi \d+ of 12 up')
        self.assertIn("The room in a table", page)
        for tray in "BCDFGHS":
            self.assertRegex(page, rf'<th scope="row">\s*<a href="{G}/trays/{tray}">{tray}</a>')
        self.assertRegex(page, r"lamp-1, 07:00–21:30, \d+ µmol")

    def test_each_room_and_an_earlier_day(self) -> None:
        self.assertIn("Tray A, leek", self.me.see(f"{G}/today?room=landing"))
        then = self.me.see(f"{G}/today?at=2026-01-20T10:00&room=box-room")
        self.assertIn("as it was 20 January, 10:00", then)
        self.assertIn("210 mm over the shelf", self.me.see(f"{G}/today?at=2025-12-20T10:00&room=box-room"))
        self.assertNotIn("one-press", then.split("matters-name")[1].split("</section>")[0], "what is past cannot be done now")
        self.assertEqual(self.me.client.get(f"{G}/today?at=nonsense").status_code, 400)

    def test_lowering_the_lamp_moves_it_and_changes_the_light(self) -> None:
        def over_the_board(page: str) -> float:
            found = re.search(
                r'class="board" d="M[\d.]+ ([\d.]+)h.*?data-lamp="lamp-1".*?class="lamp-bar[^>]*y="([\d.]+)"', page, re.S
            )
            assert found
            return float(found.group(1)) - float(found.group(2)) - 8

        before = self.me.see(f"{G}/today")
        status, after = self.log("lamp-1 at 200mm")
        self.assertEqual(status, 200)
        self.assertEqual((over_the_board(before), over_the_board(after)), (400, 200), "the drawing is to scale")
        self.assertIn("200 mm over the shelf", after)
        light = [float(re.search(r"lamp-1, [\d:–]+, (\d+) µmol", p).group(1)) for p in (before, after)]  # type: ignore[union-attr]
        self.assertGreater(light[1], light[0] * 1.5)


class LogLine(Pages):
    def test_the_echo_says_what_it_would_be(self) -> None:
        for line, key, words in (
            ("A 3 up", "echo", "leek-1: 3 cells up; now"), ("B watered below 300ml; A feel 3", "echo", "B: watered 300 ml from below; A: feels even; now"),
            ("A soil 21.5 moist 60 @ yesterday 19:00", "echo", "A: soil 21.5 °C, moisture 60 %; 19 February, 19:00"), ("A waterd", "trouble", "not something that can be logged here"),
        ):  # fmt: skip
            answer = json.loads(self.me.client.get(f"{G}/log/echo", query_string={"line": line}).get_data(as_text=True))
            self.assertIn(words, str(answer[key]))
            self.assertNotIn("trouble" if key == "echo" else "echo", answer)
        mend = json.loads(self.me.client.get(f"{G}/log/echo", query_string={"line": "A waterd"}).get_data(as_text=True))
        self.assertEqual(mend["trouble"]["mend"], "A watered")
        self.assertTrue(mend["suggestions"] == [] or mend["suggestions"][0]["line"].startswith("A"))

    def test_what_may_be_a_slip_is_doubted_before_it_is_saved_and_told_after(self) -> None:
        for line, words in (
            ("D 1230g", "108 % of what it holds drained: dripping, or wet outside"),
            ("A 900g", "Nobody has said what A weighs dry and full"),
            ("H fed 2500mg", "a decimal point? If it was poured, pour plain water through H"),
            ("H fed 200mg", "burns seedlings, from 150 on"),
            ("C fed 50mg", "Nothing in C has a true leaf yet"),
            ("G fed 60mg", ""), ("D 1000g", ""),
        ):  # fmt: skip
            with self.subTest(line):
                answer = json.loads(self.me.client.get(f"{G}/log/echo", query_string={"line": line}).get_data(as_text=True))
                self.assertIn(words, answer["doubt"].replace("\N{NO-BREAK SPACE}", " "))
                self.assertEqual(bool(answer["doubt"]), bool(words))
        self.assertIn("burns seedlings", self.log("H fed 200mg", key="burnt")[1])
        status, page = self.log("D 2900g")
        self.assertEqual(status, 400)
        self.assertIn("more than D can hold, 1180 g drained", page)
        self.assertIn("less than the dry tray, 520 g", self.log("D 100g")[1])

    def test_a_trays_weight_is_read_by_the_scale_that_knows_it(self) -> None:
        page = self.log("D 850g", key="weighed")[1]
        self.assertIn("Logged. D: weighs 850 g.", page)
        # (850 − 520) / (1180 − 520) of what it holds.
        self.assertRegex(self.me.see(f"{G}/trays/D"), r">50<")
        token = re.search(r'name="event" value="(r:[^"]+)"', page)
        assert token
        undone = self.me.send(f"{G}/log/undo", f"{G}/log", event=token.group(1), back=f"{G}/log").get_data(as_text=True)
        self.assertIn("Undone.", undone)

    def test_logged_undone_and_brought_back(self) -> None:
        _, page = self.log("S tall 130mm 8 leaves", key="k1")
        self.assertIn("Logged. snapdragon-0: 130 mm tall, 8 true leaves.", page)
        self.assertIn("logged already", self.log("S tall 130mm 8 leaves", key="k1")[1])
        token = re.search(r'name="event" value="([^"]+)"', page)
        assert token
        undone = self.me.send(f"{G}/log/undo", f"{G}/log", event=token.group(1), back=f"{G}/book?thing=S").get_data(as_text=True)
        self.assertIn("Undone.", undone)
        self.assertNotIn("130 mm tall", undone)
        again = re.search(r'name="event" value="([^"]+)"', undone)
        assert again
        back = self.me.send(f"{G}/log/undo", f"{G}/log", event=again.group(1), again="1", back=f"{G}/book?thing=S").get_data(
            as_text=True
        )
        self.assertIn("130 mm tall", back)

    def test_what_is_not_understood_is_told_with_its_mend_and_nothing_is_written(self) -> None:
        status, page = self.log("A waterd 250ml")
        self.assertEqual(status, 400)
        self.assertIn("Log “A watered 250ml” instead", page)
        for line, said in (
            ("", "Nothing is said"), ("lamp-1 24h", "Plants need a night"), ("A light -5", "cannot be light; accepted: 0 to 4000"), ("A light 3000000lux", "cannot be light"),
            ("A moist 140", "cannot be moisture"), ("A to box-top x 20", "one spot"), ("C to box-top; B on mat-2", "cannot lie under"), ("<script>", "called"),
        ):  # fmt: skip
            with self.subTest(line):
                status, page = self.log(line)
                self.assertEqual(status, 400)
                self.assertRegex(page, said)
                self.assertNotIn("<script>alert", page)

    def test_several_trays_by_thumb_at_an_earlier_time(self) -> None:
        answer = self.me.send(f"{G}/log", tray=["F", "S"], action="feel 2", when="8:00", key="thumb")
        self.assertIn("Logged. F: feels pale top; S: feels pale top; 20 February, 08:00.", answer.get_data(as_text=True))

    def test_what_waited_for_a_signal_is_dated_when_it_was_pressed(self) -> None:
        status, _ = self.log("Q watered 100ml", pressed_at="2026-02-20T07:05:00.000Z")
        self.assertEqual(status, 200)
        self.assertRegex(self.me.see(f"{G}/book?thing=Q"), r"20 February, 08:05</td><td>Q</td>\s*<td><a[^>]*>watered 100 ml")
        status, _ = self.log("Q watered 101ml", pressed_at="2031-02-20T07:05:00.000Z")
        self.assertRegex(
            self.me.see(f"{G}/book?thing=Q"),
            r"20 February, 10:30</td><td>Q</td>\s*<td><a[^>]*>watered 101 ml",
            "a time to come is not believed",
        )

    def test_nobody_is_led_away_by_the_way_back(self) -> None:
        answer = self.me.client.post(
            f"{G}/log", data={"csrf_token": self.me.token(), "line": "S feel 3", "back": "https://elsewhere.example/"}
        )
        self.assertTrue(answer.headers["Location"].startswith(G))


class Book(Pages):
    def rows(self, query: str) -> list[list[str]]:
        return list(csv.reader(io.StringIO(self.me.see(f"{G}/book.csv?{query}"))))

    def test_filtered_by_thing_kind_and_days_and_exported_alike(self) -> None:
        page = self.me.see(f"{G}/book?thing=G&kind=water and feed&from=2026-01-01&to=2026-02-20")
        shown = len(re.findall(r'class="entry|<td class="when">', page))
        rows = self.rows("thing=G&kind=water and feed&from=2026-01-01&to=2026-02-20")
        self.assertEqual(rows[0], ["at", "about", "kind", "what", "by"])
        self.assertEqual(len(rows) - 1, shown)
        self.assertTrue(all(r[1] == "G" and r[2] in ("watered", "fed") for r in rows[1:]))
        self.assertEqual(rows[1:], sorted(rows[1:], key=lambda r: r[0]))
        room = {r[1] for r in self.rows("thing=landing&from=2025-11-20&to=2026-02-20")[1:]}
        self.assertTrue({"A", "leek-1", "Q"} <= room)
        self.assertNotIn("shiso-1", room)

    def test_readings_go_out_as_they_come_in(self) -> None:
        text = self.me.see(f"{G}/book/readings.csv?thing=D&from=2026-02-18&to=2026-02-20")
        rows = list(csv.DictReader(io.StringIO(text)))
        self.assertTrue({"soil_temperature", "light", "moisture"} <= {r["quantity"] for r in rows})
        self.assertIn("lux", {r["unit"] for r in rows})
        self.log("porch outside -3.5")
        self.assertIn(
            ",outdoor_temperature,-3.5,degC,", self.me.see(f"{G}/book/readings.csv?thing=porch&from=2026-02-20&to=2026-02-20")
        )
        self.log("porch note =HYPERLINK(1)")
        self.assertIn("“=HYPERLINK(1)”", self.me.see(f"{G}/book.csv?thing=porch&from=2026-02-20&to=2026-02-20"))
        self.assertIn("loggers", self.me.see(f"{G}/book?kind=loggers by day&thing=A"))
        self.assertRegex(self.me.see(f"{G}/book?kind=loggers by day&thing=A"), r"soil [\d.]+–[\d.]+ °C, \d+ readings")

    def test_days_that_are_none(self) -> None:
        for query, said in (("from=yesterday", "is not a day"), ("from=2026-03-01&to=2026-02-01", "must not be later")):
            answer = self.me.client.get(f"{G}/book?{query}")
            self.assertEqual(answer.status_code, 400)
            self.assertIn(said, answer.get_data(as_text=True))

    def test_a_past_entry_is_corrected_and_the_first_one_stays(self) -> None:
        _, page = self.log("P watered 100ml @ yesterday 8:00")
        token = re.search(r'name="event" value="([^"]+)"', page)
        assert token
        address = f"{G}/book/{token.group(1)}"
        self.assertIn('value="100"', self.me.see(address))
        mended = self.me.send(address, tray="P", how="above", ml="150", minutes="", at="2026-02-19T09:00").get_data(as_text=True)
        self.assertIn("P: watered 150 ml from above", mended)
        for fields, said in (
            ({"ml": "lots"}, "not a number"),
            ({"ml": "nan"}, "not a number"),
            ({"ml": "-3"}, "not accepted"),
            ({"tray": "Z9"}, "no tray Z9"),
            ({"at": "2027-01-01T00:00"}, "future"),
        ):
            answer = self.me.send(address, **({"tray": "P", "ml": "150", "at": "2026-02-19T09:00"} | fields))
            self.assertEqual(answer.status_code, 400, fields)
            self.assertIn(said, answer.get_data(as_text=True))
        self.assertEqual(self.me.client.get(f"{G}/book/nothing").status_code, 404)


class Scales(Pages):
    def test_a_scale_set_up_for_a_tray_reads_its_weights_from_then_on(self) -> None:
        def doubt() -> str:
            answer = self.me.client.get(f"{G}/log/echo", query_string={"line": "F 900g"})
            return str(json.loads(answer.get_data(as_text=True))["doubt"])

        self.assertIn("Nobody has said what F weighs", doubt())
        made = self.me.send(f"{G}/room/sources", id="scale-f", kind="moisture", sited="F", key="sf1")
        self.assertIn("scale-f", made.get_data(as_text=True))
        points = {"source": "scale-f", "dry": "500", "capacity": "1000", "unit": "g"}
        for wrong, said in (
            ({"dry": "light"}, "is not a number"),
            ({"capacity": "500"}, ""),
            ({"from": "someday"}, "is not a day"),
        ):
            answer = self.me.send(f"{G}/room/calibrate", f"{G}/room/sources/scale-f", **(points | wrong)).get_data(as_text=True)
            self.assertNotIn("scale-f is calibrated", answer, wrong)
            self.assertIn(said, answer)
        told = self.me.send(f"{G}/room/calibrate", f"{G}/room/sources/scale-f", **points, key="sf2").get_data(as_text=True)
        self.assertIn("scale-f is calibrated", told)
        self.assertEqual(doubt(), "")
        self.log("F 900g", key="sf3")
        # (900 − 500) / 500 of what it holds.
        self.assertRegex(self.me.see(f"{G}/trays/F"), r">80<")
        self.log("F 1040g", key="sf4")
        self.assertIn("more than F can hold", self.log("F 1300g")[1])


class SettingUp(Pages):
    def test_things_are_listed_changed_and_refused_in_words(self) -> None:
        self.assertRegex(self.me.see(f"{G}/room"), r"box-wall</b> 110 W if all of it runs, of 1840 W")
        made = self.me.send(
            f"{G}/room/lamps?like=lamp-2",
            id="lamp-3",
            kind="white_led",
            watts="2000",
            outlet="box-wall",
            place="box-low",
            height_mm="220",
            on="06:00",
            off="20:00",
            key="l3",
        )
        self.assertIn("lamp-3", made.get_data(as_text=True))
        self.assertIn("box-wall carries 2110 W; 1840 W is four fifths", self.me.see(f"{G}/room"))
        for section, fields, said in (
            ("lamps", {"id": "lamp-4", "watts": "many"}, "not a number"), ("lamps", {"id": "lamp-4", "place": "box-low", "on": "06:00", "off": "06:00"}, "Plants need a night"),
            ("trays", {"id": "lamp-3"}, "name of a lamp already"), ("trays", {"id": "T", "width_mm": "360", "depth_mm": "240", "place": "box-top", "x_mm": "30"}, "one spot"),
        ):  # fmt: skip
            answer = self.me.send(f"{G}/room/{section}", **fields)
            self.assertEqual(answer.status_code, 400, fields)
            page = answer.get_data(as_text=True)
            self.assertIn(said, page)
            self.assertIn(f'value="{fields["id"]}"', page, "what was typed stays")
        self.assertEqual(self.me.client.get(f"{G}/room/spaceships").status_code, 404)

    def test_where_the_garden_is(self) -> None:
        self.assertIn(
            "Kept.",
            self.me.send(f"{G}/room/garden", f"{G}/room", latitude="52,2", longitude="4.6", last_frost="05-07").get_data(
                as_text=True
            ),
        )
        for fields, said in (
            ({"latitude": "north"}, "not a number"),
            ({"latitude": "95"}, "95"),
            ({"last_frost": "13-40"}, "accepted: 12 May"),
        ):
            self.assertIn(said, self.me.send(f"{G}/room/garden", f"{G}/room", **fields).get_data(as_text=True))

    def test_practice_changes_the_bands_and_says_what_gives_way(self) -> None:
        self.assertIn("Practice saved", self.me.send(f"{G}/practice", water_when="evenly_moist").get_data(as_text=True))
        self.assertIn("practice: water at evenly moist, 65 %", self.me.see(f"{G}/practice/targets?crop=tomato"))
        self.assertIn("gives way", self.me.see(f"{G}/practice/targets?crop=onion"))
        self.me.send(f"{G}/practice", water_when="pale_top")
        own = self.me.send(
            f"{G}/practice/targets?crop=tomato", crop="tomato", quantity="moisture", stage="seedling", low="45", high="70"
        )
        self.assertIn("your own band for tomato", own.get_data(as_text=True))
        self.assertIn(
            "not a number",
            self.me.send(f"{G}/practice/targets?crop=tomato", crop="tomato", quantity="moisture", low="wet", high="70").get_data(
                as_text=True
            ),
        )
        self.assertEqual(self.me.client.get(f"{G}/practice?batch=none").status_code, 404)

    def test_a_photo_goes_up_and_a_script_does_not(self) -> None:
        def send(data: bytes, name: str) -> str:
            body = {
                "csrf_token": self.me.token(f"{G}/trays/A"),
                "thing": "A",
                "back": f"{G}/trays/A",
                "photo": (io.BytesIO(data), name),
            }
            return str(self.me.client.post(f"{G}/photos", data=body, follow_redirects=True).get_data(as_text=True))

        out = io.BytesIO()
        Image.new("RGB", (600, 400), (80, 120, 60)).save(out, "PNG")
        page = send(out.getvalue(), "leek.png")
        found = re.search(rf'src="({G}/photos/\d+/thumb)"', page)
        assert found
        thumb = self.me.client.get(found.group(1))
        self.assertEqual((thumb.mimetype, thumb.headers["X-Content-Type-Options"]), ("image/jpeg", "nosniff"))
        self.assertIn("not a picture", send(b"<script>alert(1)</script>", "leek.png"))

    def test_the_whole_history_for_the_zoom(self) -> None:
        answer = json.loads(self.me.see(f"{G}/trays/G/series.json?of=parsley-1"))
        self.assertEqual([c["name"] for c in answer["charts"]], ["Air", "Light", "Hours", "Moisture"])
        for chart in answer["charts"]:
            self.assertEqual(len(chart["at"]), len(chart["value"]))
            self.assertEqual(chart["at"], sorted(chart["at"]))
        self.assertEqual(self.me.client.get(f"{G}/trays/G/series.json?of=leek-1").status_code, 404)

    def test_the_ribbons_have_stages_deeds_and_a_twin(self) -> None:
        page = self.me.see(f"{G}/trays/G?days=all")
        for words in ("sown", "growing on", "thinned", "Soil", "Light", "Hours", "Moisture", "% of 6"):
            self.assertIn(words, page)
        self.assertIn("Pale top (50 %) gives way: parsley wants 55 % at least", page)
        self.assertGreater(len(re.findall(r'<th scope="row">\d+ \w+</th>', page)), 60)


class NewGarden(SiteCase):
    demo = False

    def test_a_room_begun_in_one_press_and_a_place_without_a_room(self) -> None:
        me = self.visitor()
        me.send("/welcome", name="Bram", password="a long enough sentence", garden="Loft", timezone="Europe/Tallinn")
        self.assertIn("No room is set up yet", me.see("/g/loft/today"))
        self.assertIn("two lamps, a mat, a sill", me.send("/g/loft/room/start", "/g/loft/room", key="s").get_data(as_text=True))
        page = me.see("/g/loft/today")
        self.assertIn("Upper shelf", page)
        self.assertIn("lamp-1, 06:30–21:00", page)
        me.send("/g/loft/room/places", id="bag", kind="bag")
        self.assertIn("Without a room", me.see("/g/loft/today"))
        self.assertIn("No entries for that", me.see("/g/loft/book?thing=A&kind=counts"))
