"""A batch by a clock of its own: sown, up, hardened by the plan with the weather that a station tells, planted in two parts,
picked and tasted. Everything goes through pages and the open door."""

from __future__ import annotations

import re
from datetime import UTC, datetime, timedelta

from tests.web.site import SiteCase, Visitor

G = "/g/yard"
SOWN = datetime(2027, 4, 20, 8, tzinfo=UTC)


class ToTheKitchen(SiteCase):
    demo = False

    def setUp(self) -> None:
        super().setUp()
        self.addCleanup(setattr, type(self), "now", type(self).now)

    def at(self, day: float, hour: float = 8.0) -> None:
        type(self).now = SOWN.replace(hour=0) + timedelta(days=day, hours=hour)

    def press(self, way: str, **fields: str) -> str:
        said = self.me.send(f"{G}/harden/{way}", f"{G}/harden", key=f"{way}{type(self).now}", **fields)
        page: str = said.get_data(as_text=True)
        self.assertEqual(said.status_code, 200, page[:200])
        return page

    def log(self, line: str) -> str:
        said: str = self.me.send(f"{G}/log", line=line, key=f"{line}{type(self).now}").get_data(as_text=True)
        self.assertIn("Logged", said, line)
        return said

    def garden(self) -> Visitor:
        me = self.visitor()
        me.send("/welcome", name="Bram", password="a long enough sentence", garden="Yard", timezone="Europe/Amsterdam")
        me.send(f"{G}/room/garden", f"{G}/room", name="Yard", timezone="Europe/Amsterdam", latitude="52.1", longitude="4.6",
                last_frost="05-05", key="g")  # fmt: skip
        for place, kind in (("shelf", "shelf"), ("bed-1", "outdoors"), ("bed-2", "outdoors")):
            me.send(f"{G}/room/places", f"{G}/room", id=place, kind=kind, key=place)
        me.send(f"{G}/practice", harden="hour_a_day", key="p")
        me.send(f"{G}/trays/new", id="A", rows="3", columns="4", place="shelf", key="t")
        return me

    def station(self) -> str:
        page = self.me.send(f"{G}/harden/station", f"{G}/harden", name="roof").get_data(as_text=True)
        found = re.search(r'class="token">([^<]+)<', page)
        assert found
        return found[1]

    def tell(self, token: str, low_c: float = 10.0, high_c: float = 18.0) -> None:
        days = [{"day": (type(self).now + timedelta(days=i)).date().isoformat(), "low_c": low_c, "high_c": high_c, "wind_m_s": 2,
                 "cloud_share": 0.5} for i in range(7)]  # fmt: skip
        said = self.me.client.post(
            "/api/weather", json={"kind": "forecast", "issued_at": type(self).now.isoformat(), "days": days},
            headers={"Authorization": f"Bearer {token}"},
        )  # fmt: skip
        self.assertEqual(said.status_code, 200, said.get_data(as_text=True))

    def harden(self, token: str, first: int) -> int:
        """Every morning as the page says, until its gate is open; the day on which it is."""
        for day in range(first, first + 25):
            self.at(day, 6.0)
            self.tell(token)
            page = self.me.see(f"{G}/harden")
            if "Plant out: yes" in page:
                return day
            if "Take them out" not in page:
                continue
            out = re.search(r'of-several">Out for ([\d.]+).*?(h|min) from (\d+):', page)
            assert out, page[page.index("<h2") :][:2000]
            night = "and the night" in page
            self.at(day, float(out[3]) - 2)
            self.press("out", batch="pak_choi-1", as_told="yes")
            hours = float(out[1]) / (1 if out[2] == "h" else 60)
            self.at(day + night, 5.9 if night else float(out[3]) - 2 + hours)
            self.assertIn("Out since", self.me.see(f"{G}/harden"))
            self.press("in", batch="pak_choi-1", seen="none")
        raise AssertionError("the gate never opened")

    def test_from_the_shelf_to_a_tasted_harvest(self) -> None:
        self.at(0)
        self.me = self.garden()
        self.me.send(f"{G}/sow?tray=A", tray="A", kinds="1", key="s", sown_at="2027-04-20T09:00",
                     **{"crop-0": "pak choi", "cells-0": "all", "seeds-0": "1"})  # fmt: skip
        for day, up in ((6, 5), (7, 10)):
            self.at(day)
            self.log(f"pak_choi-1 {up} up")
        token = self.station()
        self.at(12, 6)
        self.tell(token)
        self.assertNotIn("Take them out", self.me.see(f"{G}/harden"), "its time has not come")
        day = self.harden(token, 13)
        self.assertGreater(day, 13 + 6, "steps and a night come first")
        self.at(day, 9)
        self.assertIn("ready to plant out", self.me.see(f"{G}/today"))
        # A part of it, in one bed; the rest a day later, in another. Two seeds never came.
        page = self.press("plant/pak_choi-1", count="6", place="bed-1")
        self.assertIn("Four still in their pots", page)
        self.at(day + 1, 9)
        self.tell(token)
        page = self.press("plant/pak_choi-1", count="4", place="bed-2")
        self.assertIn("in bed-1, bed-2, 10 plants", page)
        self.assertIn("First pick expected", page)
        self.assertNotIn("still in their pots", page)
        # A late frost is told on the day's list, and what it took is written down.
        self.at(day + 2, 15)
        self.tell(token, low_c=-5.0, high_c=9.0)
        self.assertIn("cover it tonight", self.me.see(f"{G}/today"))
        self.at(day + 3, 9)
        self.assertIn("1 lost since to frost", self.press("told", batch="pak_choi-1", deed="lost", lost="1", why="frost"))
        self.at(day + 20)
        self.assertIn("does well", self.press("told", batch="pak_choi-1", deed="well"))
        self.at(day + 36)
        page = self.press("told", batch="pak_choi-1", deed="picked", grams="420", pieces="3")
        self.assertIn("420", page)
        self.at(day + 37)
        page = self.press("told", batch="pak_choi-1", deed="taste 4")
        self.assertIn("taste 4 of 5", page)
        self.at(day + 37, 8.5)
        self.press("told", batch="pak_choi-1", deed="word", text="Sow the next one thinner.")
        score = self.me.see(f"{G}/score")
        self.assertIn("the first pick or flower after planting", score)
        self.assertIn("1 of 1 ranges held", score)
        self.assertIn("Sow the next one thinner", self.me.see(f"{G}/book"))
