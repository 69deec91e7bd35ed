"""Plan, wants, seed box, sowing day, labels, frost, mix, versions and the calendar, through the client."""

# ruff: noqa: E501 — tables of cases read best a case a line.

from __future__ import annotations

import csv
import io
import re
from datetime import date
from typing import Any, ClassVar

from icalendar import Calendar

from fennet.simulated_room.weather_station import minima_csv
from tests.web.site import SiteCase, Visitor

G = "/g/canal-house"


class PlanCase(SiteCase):
    me: ClassVar[Visitor]

    @classmethod
    def setUpClass(cls) -> None:
        super().setUpClass()
        cls.me = cls().gardener()

    def row(self, page: str, name: str) -> str:
        """The table row of a sowing."""
        found = re.search(rf'<tr id="row-[^"]*">\s*<th scope="row"><a[^>]*>{re.escape(name)}</a>.*?</tr>', page, re.S)
        assert found, name
        return found.group(0)

    def positions(self, page: str) -> dict[str, str]:
        return {name: n for n, name in re.findall(r'<th scope="row"><a href="[^"]*/plan/wants/(\d+)">([^<]+)</a>', page)}

    def csv(self) -> list[dict[str, str]]:
        return list(csv.DictReader(io.StringIO(self.me.see(f"{G}/plan.csv"))))


class Season(PlanCase):
    def test_the_chart_has_its_twin_and_its_frost(self) -> None:
        page = self.me.see(f"{G}/plan")
        bars = re.findall(r'data-sow data-want="(\d+)" data-sowing-no="([\d.]+)" data-day="([\d-]+)"', page)
        self.assertGreaterEqual(len(bars), 7)
        for position, which, day in bars:
            self.assertIn(f'id="move-{position}-{which.replace(".", "-")}"', page)
            self.assertIn(f'value="{day}"', page)
        self.assertIn("frost-line", page)
        self.assertRegex(page, r"\w+ sowings, the first on \d+ \w+")
        self.assertNotIn("style=", page)

    def test_a_sowing_moved_by_typing_stays_and_is_handed_back(self) -> None:
        page = self.me.see(f"{G}/plan")
        position = self.positions(page)["cosmos, Lamplighter"]
        before = next(r for r in self.csv() if r["crop"] == "cosmos")
        tried = self.me.see(f"{G}/plan?try={position}:1:2026-04-20")
        self.assertIn("is-tried", tried)
        self.assertIn('data-day="2026-04-20"', tried)
        self.assertEqual(next(r for r in self.csv() if r["crop"] == "cosmos"), before, "trying keeps nothing")
        moved = self.me.send(f"{G}/plan/move", f"{G}/plan", want=position, sowing_no="1", day="2026-04-20").get_data(as_text=True)
        self.assertIn("Sown on 20 April", moved)
        self.assertEqual(next(r for r in self.csv() if r["crop"] == "cosmos")["sow_on"], "2026-04-20")
        far = self.me.send(f"{G}/plan/move", f"{G}/plan", want=position, sowing_no="1", day="2026-03-01").get_data(as_text=True)
        self.assertIn("before its range", self.row(far, "cosmos, Lamplighter") + far)
        self.me.send(f"{G}/plan/move", f"{G}/plan", want=position, sowing_no="1", day="2026-03-01", free="1")
        self.assertEqual(next(r for r in self.csv() if r["crop"] == "cosmos"), before)
        for bad in (
            {"want": position, "which": "1", "day": "soon"},
            {"want": "x", "which": "1", "day": "2026-04-20"},
            {"want": "99999", "which": "1", "day": "2026-04-20"},
        ):
            self.assertIn("is-error", self.me.send(f"{G}/plan/move", f"{G}/plan", **bad).get_data(as_text=True))
        self.assertEqual(self.me.client.get(f"{G}/plan?try=1:1:never").status_code, 404)

    def test_a_want_comes_changes_and_goes(self) -> None:
        def send(**fields: Any) -> tuple[int, str]:
            answer = self.me.send(f"{G}/plan/wants", **fields)
            return answer.status_code, answer.get_data(as_text=True)

        for fields, said in (
            ({"crop": "", "plants": "4"}, "A crop is missing"),
            ({"crop": "tomatoe", "plants": "4"}, "Nearest: "),
            ({"crop": "parsley", "plants": ""}, "how many plants"),
            ({"crop": "parsley", "plants": "-4"}, "Plants wanted: "),
            ({"crop": "parsley", "plants": "400000"}, "Plants wanted: "),
            ({"crop": "parsley", "plants": "4", "out_by": "2026-13-40"}, "Out by: "),
            ({"crop": "parsley", "plants": "4", "confidence": "very"}, "50 to 99"),
            ({"crop": "parsley", "plants": "4", "confidence": "100"}, "How sure"),
            ({"crop": "parsley", "plants": "4", "seed_lot": "lot-leek-0"}, "That packet holds leek"),
            ({"crop": "parsley", "plants": "4", "seed_lot": "none"}, "is not one of the choices"),
        ):
            code, page = send(**fields)
            self.assertEqual(code, 400, fields)
            self.assertIn(said, page)
        code, page = send(
            crop="Sweet corn", variety="Skipper", plants="12", spares="2", confidence="95", **{"practice-frost_risk": "safe"}
        )
        self.assertEqual(code, 200)
        self.assertIn("sweet corn, Skipper", page)
        position = self.positions(page)["sweet corn, Skipper"]
        changed = self.me.send(
            f"{G}/plan/wants/{position}", crop="sweet corn", variety="Skipper", plants="6", spares="", where="indoors"
        ).get_data(as_text=True)
        self.assertIn(">6</td>", self.row(changed, "sweet corn, Skipper"))
        dropped = self.me.send(f"{G}/plan/wants/{position}/drop", f"{G}/plan").get_data(as_text=True)
        self.assertNotIn("sweet corn, Skipper", dropped)
        self.assertEqual(self.me.client.get(f"{G}/plan/wants/{position}").status_code, 404)

    def test_what_does_not_fit_is_named_with_a_press_that_helps(self) -> None:
        page = self.me.send(f"{G}/plan/wants", crop="tomato", variety="Too Many", plants="300").get_data(as_text=True)
        self.assertIn("What the room cannot hold", page)
        self.assertRegex(page, r"of shelf is needed; there is")
        do = re.search(r'name="do" value="(fewer:\d+:\d+)"', page)
        assert do
        after = self.me.send(f"{G}/plan/move", f"{G}/plan", do=do.group(1)).get_data(as_text=True)
        self.assertIn("the rest of the plan was fitted around it", after)
        _, position, left = do.group(1).split(":")
        self.assertRegex(self.me.see(f"{G}/plan/wants/{position}"), rf'name="plants"[^>]* value="{left}"')
        self.assertLess(after.count('class="clash"'), max(2, page.count('class="clash"')))
        self.me.send(f"{G}/plan/wants/{do.group(1).split(':')[1]}/drop", f"{G}/plan")

    def test_the_plan_is_told_what_the_room_is_like(self) -> None:
        before = {(r["crop"], r["number"]): r["sow_on"] for r in self.csv()}
        self.assertIn("is out of range", self.me.send(f"{G}/plan/room", f"{G}/plan", air_c="80").get_data(as_text=True))
        self.assertIn("is not a number", self.me.send(f"{G}/plan/room", f"{G}/plan", air_c="warm").get_data(as_text=True))
        self.me.send(f"{G}/plan/room", f"{G}/plan", air_c="13,5")
        colder = {(r["crop"], r["number"]): r["sow_on"] for r in self.csv()}
        self.assertLess(colder["cosmos", "1"] or "9", before["cosmos", "1"], "slower growing is sown earlier")
        self.me.send(f"{G}/plan/room", f"{G}/plan")
        self.assertEqual({(r["crop"], r["number"]): r["sow_on"] for r in self.csv()}, before)

    def test_practice_moves_the_plan_at_once(self) -> None:
        def out() -> str:
            return next(r["out_on"] for r in self.csv() if r["crop"] == "cosmos")

        usual = out()
        self.me.send(f"{G}/practice", frost_risk="safe")
        self.assertGreater(out(), usual, "a safer gate opens later")
        self.me.send(f"{G}/practice", frost_risk="usual")
        self.assertEqual(out(), usual)

    def test_versions_are_kept_compared_and_taken_up(self) -> None:
        self.assertIn("Give the version a name", self.me.send(f"{G}/plan/versions", name=" ").get_data(as_text=True))
        self.me.send(f"{G}/plan/versions", name="first thoughts")
        position = self.positions(self.me.see(f"{G}/plan"))["shiso, Wharf Red"]
        self.me.send(f"{G}/plan/wants/{position}", crop="shiso", variety="Wharf Red", plants="40")
        page = self.me.see(f"{G}/plan/compare?a=first thoughts")
        line = next(x for x in re.findall(r'<tr class="differs">.*?</tr>', page, re.S) if "shiso" in x)
        seeds = [int(n) for n in re.findall(r"<td>(\d+) in", line)]
        self.assertEqual(len(seeds), 2)
        self.assertLess(seeds[0], seeds[1])
        self.me.send(f"{G}/plan/versions", name="first thoughts", action="restore")
        again = self.me.see(f"{G}/plan/compare?a=first thoughts")
        self.assertNotIn('class="differs"', again)
        self.me.send(f"{G}/plan/versions", name="first thoughts", action="drop")
        self.assertIn("None is saved yet", self.me.see(f"{G}/plan/versions"))

    def test_the_calendar_by_file_and_by_a_secret_address(self) -> None:
        rows = [r for r in self.csv() if r["sow_on"]]
        feed = Calendar.from_ical(self.me.see(f"{G}/plan.ics"))
        sown = {str(e["summary"]): e.decoded("dtstart") for e in feed.walk("VEVENT") if str(e["summary"]).startswith("Sow ")}
        self.assertEqual(sorted(sown.values()), sorted(date.fromisoformat(r["sow_on"]) for r in rows))
        self.assertEqual(len({str(e["uid"]) for e in feed.walk("VEVENT")}), len(list(feed.walk("VEVENT"))))
        made = self.me.send(f"{G}/plan/calendar").get_data(as_text=True)
        found = re.search(r"<code>[^<]*(/calendar/[^<]+\.ics)</code>", made)
        assert found
        nobody = self.visitor()
        answer = nobody.client.get(found.group(1))
        self.assertEqual((answer.status_code, answer.mimetype), (200, "text/calendar"))
        self.assertEqual(len(Calendar.from_ical(answer.data).walk("VEVENT")), len(feed.walk("VEVENT")))
        page = self.me.see(f"{G}/plan/calendar")
        self.assertNotIn(found.group(1), page, "it is shown once")
        revoke = re.search(r'name="revoke" value="([0-9a-f]+)"', page)
        assert revoke
        self.me.send(f"{G}/plan/calendar", revoke=revoke.group(1))
        self.assertEqual(nobody.client.get(found.group(1)).status_code, 404)
        self.assertEqual(nobody.client.get("/calendar/guess.ics").status_code, 404)

    def test_frost_tells_days_and_takes_a_record_of_nights(self) -> None:
        page = self.me.see(f"{G}/plan/frost")
        self.assertIn("Lock station (simulated)", page)
        self.assertRegex(page, r"tomatillo</th><td>\d+ (May|June)")
        for content, said in ((b"a,b\n1,2\n", "accepted: a day"), (b"", "empty"), (b"\x00\x01", "not text")):
            bad = self.me.client.post(
                f"{G}/plan/frost",
                data={"csrf_token": self.me.token(f"{G}/plan/frost"), "file": (io.BytesIO(content), "nights.csv")},
            )
            self.assertEqual(bad.status_code, 400)
            self.assertIn(said, bad.get_data(as_text=True))
        self.assertEqual(self.me.send(f"{G}/plan/frost").status_code, 400, "no file at all")
        text = minima_csv(2025, seed=7) + "never,3\n"
        data = {"csrf_token": self.me.token(f"{G}/plan/frost"), "file": (io.BytesIO(text.encode()), "nights.csv")}
        kept = self.me.client.post(f"{G}/plan/frost", data=data, follow_redirects=True).get_data(as_text=True)
        self.assertIn("is not a day; accepted", kept)
        self.assertIn("uploaded station", kept)


class Sowing(PlanCase):
    def test_a_line_of_the_run_sheet_logs_itself(self) -> None:
        rows = [r for r in self.csv() if r["sow_on"]]
        first = min(r["sow_on"] for r in rows)
        sheet = self.me.see(f"{G}/plan/days/{first}")
        line = re.search(r'name="line" value="([\d:.]+)"', sheet)
        cells = re.search(r'name="tray-0" value="(\w+)".*?name="cells-0" value="([^"]+)"', sheet, re.S)
        assert line and cells
        address = f"{G}/plan/days/{first}"
        for fields, said in (
            ({"cells-0": "r99c1"}, "has no cell r99c1"), ({"seeds": "none"}, "1 to 200"), ({"line": "9:9"}, "done or no longer planned"), ({"cells-0": ""}, "Nothing is sown"),
        ):  # fmt: skip
            given = {"line": line.group(1), "tray-0": cells.group(1), "cells-0": cells.group(2), "seeds": "2"} | fields
            self.assertIn(said, self.me.send(address, **given).get_data(as_text=True))
        done = self.me.send(
            address,
            line=line.group(1),
            seeds="2",
            covered="1",
            key="once",
            **{
                "tray-0": cells.group(1),
                "cells-0": "r4c6" if "r4c6" in cells.group(2) else cells.group(2).split("-")[0].split(",")[0],
            },
        )
        page = done.get_data(as_text=True)
        self.assertIn("Sown: 1 cells of", page)
        batch = re.search(r"\((\w+-\d+)\)", page)
        assert batch
        entry = self.me.client.get(f"{G}/b/{batch.group(1)}", follow_redirects=True)
        self.assertEqual(entry.status_code, 200)
        self.assertIn(f"/trays/{cells.group(1)}", entry.request.path)
        again = self.me.see(address)
        self.assertIn(f'value="{line.group(1)}"', again, "one cell of many is sown: the rest stays on the sheet")
        self.assertIn(batch.group(1), self.me.see(f"{G}/plan/days/today").split("<h2>Done</h2>")[1])
        self.assertEqual(self.me.client.get(f"{G}/plan/days/never").status_code, 404)

    def test_labels_lead_to_the_sheet_until_it_is_sown(self) -> None:
        rows = [r for r in self.csv() if r["sow_on"]]
        day = max(r["sow_on"] for r in rows)
        page = self.me.see(f"{G}/plan/labels?day={day}&outline=1")
        self.assertRegex(page, r'width="210mm" height="297mm" viewBox="0 0 210 297"')
        self.assertIn("label-code", page)
        shiso = self.me.client.get(f"{G}/s/want-shiso/1")
        self.assertEqual(shiso.status_code, 302)
        self.assertIn("/plan/days/", shiso.headers["Location"])
        self.assertEqual(self.me.client.get(f"{G}/b/nothing").status_code, 404)
        own = self.me.see(f"{G}/plan/labels?sheet=own&w=90&h=40&columns=3&rows=2&page_w=210&page_h=297")
        self.assertIn("do not fit on 210 × 297 mm", own)
        self.assertIn("is out of range", self.me.see(f"{G}/plan/labels?sheet=own&w=9000"))
        self.assertEqual(self.me.see(f"{G}/plan/labels/100x15.css"), "@page { size: 100mm 15mm; margin: 0; }\n")
        for bad in ("1x1", "axb", "9000x20"):
            self.assertEqual(self.me.client.get(f"{G}/plan/labels/{bad}.css").status_code, 404)

    def test_a_second_label_carries_both_dates(self) -> None:
        self.me.send(f"{G}/log", line="parsley-1 potted up", back=f"{G}/today")
        page = self.me.see(f"{G}/plan/labels?batch=leek-0")
        self.assertRegex(page, r"sown 27 November 2025.*potted 13 January 2026")


class Box(PlanCase):
    def test_a_packet_with_its_tests_and_its_count(self) -> None:
        for fields, said in (
            ({"crop": ""}, "A crop is missing"), ({"crop": "leek", "packed": "2031"}, "not there yet"), ({"crop": "leek", "packed": "old"}, "Year packed"),
            ({"crop": "leek", "rate": "lots"}, "is not a number"), ({"crop": "leek", "rate": "140"}, "Rate on the label"), ({"crop": "leek", "seeds": "-3"}, "Seeds left"),
        ):  # fmt: skip
            answer = self.me.send(f"{G}/seeds/packet", **fields)
            self.assertEqual(answer.status_code, 400, fields)
            self.assertIn(said, answer.get_data(as_text=True))
        page = self.me.send(
            f"{G}/seeds/packet", crop="okra", variety="Keel", packed="2024", rate="90", seeds="80", storage="room"
        ).get_data(as_text=True)
        lot = re.search(r'id="(lot-[\w-]+)">\s*<th scope="row">\s*<a[^>]*>okra,\s+Keel', page)
        assert lot
        address = f"{G}/seeds/packet/{lot.group(1)}"
        before = re.search(r"(\d+)\s+%\s+alive", self.me.see(address))
        for bad, said in (
            ({"sown": "20", "germinated": "25", "on": "2026-02-01"}, "cannot have come up"),
            ({"sown": "20", "germinated": "5", "on": "2027-01-01"}, "Counted on: "),
            ({"sown": "0", "germinated": "0", "on": "2026-02-01"}, "is out of range"),
        ):
            self.assertIn(said, self.me.send(f"{address}/test", address, **bad).get_data(as_text=True))
        tested = self.me.send(f"{address}/test", address, sown="20", germinated="4", on="2026-02-10").get_data(as_text=True)
        after = re.search(r"(\d+)\s+%\s+alive", tested)
        assert before and after
        self.assertLess(int(after.group(1)), int(before.group(1)))
        self.assertIn('value="60"', tested, "twenty were spent on the test")
        counted = self.me.send(address, crop="okra", variety="Keel", packed="2024", rate="90", seeds="55").get_data(as_text=True)
        self.assertIn(">55</td>", counted)
        self.assertNotIn("okra, Keel", self.me.send(f"{address}/drop", address).get_data(as_text=True))
        self.assertIn("so it stays", self.me.send(f"{G}/seeds/packet/lot-leek-0/drop", f"{G}/seeds").get_data(as_text=True))

    def test_lists_come_as_csv_and_twice_is_once(self) -> None:
        def send(text: str) -> str:
            data = {"csrf_token": self.me.token(f"{G}/plan"), "back": "seeds", "file": (io.BytesIO(text.encode()), "list.csv")}
            return str(self.me.client.post(f"{G}/plan/wants/file", data=data, follow_redirects=True).get_data(as_text=True))

        packets = "crop;variety;packed;rate;seeds;storage\nBeetroot;Bollard;2025;85 %;120;room\nnonsense;X;2025;80;10;room\nleek;Bad;2025;eighty;10;room\n"
        page = send(packets)
        self.assertIn("From the file: 1 seed lots", page)
        self.assertIn("line 3.crop", page)
        self.assertIn("line 4.rate", page)
        self.assertIn("1 there already", send(packets.split("\nnonsense", maxsplit=1)[0] + "\n"))
        self.assertIn("1 wants", send("crop,variety,plants,out_by\nbeet,Bollard,20,2026-06-01\n"))
        self.assertIn("1 batches", send("crop,sown_at,tray,cells,id\nleek,2026-02-01T09:00,A,3,leek-csv\n"))
        self.assertIn("accepted: wants:", send("what,ever\n1,2\n"))
        self.assertIn("Choose a file", self.me.send(f"{G}/plan/wants/file", f"{G}/plan").get_data(as_text=True))

    def test_the_mix_by_recipe(self) -> None:
        season = self.me.see(f"{G}/plan/mix?for=season&recipe=Compost and peat")
        pots = self.me.see(f"{G}/plan/mix?for=pots&recipe=Compost and peat")
        litres = [float(re.search(r"([\d.]+) l of", p).group(1)) for p in (season, pots)]  # type: ignore[union-attr]
        self.assertGreater(litres[0], litres[1])
        wrong = self.me.send(
            f"{G}/plan/mix", name="Mine", per_cent="1", **{"of-0": "peat", "parts-0": "60", "of-1": "sand", "parts-1": "30"}
        )
        self.assertEqual(wrong.status_code, 400)
        self.assertIn("90 %", wrong.get_data(as_text=True))
        self.assertIn("go together", self.me.send(f"{G}/plan/mix", name="Mine", **{"of-0": "peat"}).get_data(as_text=True))
        kept = self.me.send(
            f"{G}/plan/mix", name="Mine", **{"of-0": "peat", "parts-0": "2", "of-1": "sand", "parts-1": "1"}
        ).get_data(as_text=True)
        self.assertIn("of “Mine”", kept)
        self.assertNotIn("<option selected>Mine", self.me.send(f"{G}/plan/mix", drop="Mine").get_data(as_text=True))


class NewSeason(PlanCase):
    def test_a_season_begins_from_the_last_with_its_results(self) -> None:
        page = self.me.see(f"{G}/plan/season")
        self.assertRegex(page, r"pak choi, Towpath</th>\s*<td>10 wanted; \d+ up of \d+, 10 planted")
        n = page.count('name="keep-')
        fields = {"keep-0": "1", "plants-0": "44", "out_by-0": "2027-04-20", "name": "2026"}
        begun = self.me.send(f"{G}/plan/season", **fields).get_data(as_text=True)
        self.assertIn("A new season of 1 crops", begun)
        self.assertEqual([r["crop"] for r in self.csv()], ["leek"])
        self.assertEqual(self.csv()[0]["out_on"], "2027-04-20")
        self.me.send(f"{G}/plan/versions", name="2026", action="restore")
        self.assertEqual(self.me.see(f"{G}/plan/season").count('name="keep-'), n)
