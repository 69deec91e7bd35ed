"""Where the season's bars and the words and codes of labels stand, by figures alone."""

from __future__ import annotations

import re
import unittest
from datetime import date, timedelta
from zoneinfo import ZoneInfo

import segno
from hypothesis import given, settings
from hypothesis import strategies as st

from fennet.presentation.formatter import Formatter
from fennet.presentation.label_sheets import SHEETS, Label, Sheet, _path, _placed, pages_of
from fennet.web.plan.view import NAMES, ROW, TOP, WIDTH, plan_view
from tests.core.test_plan import STATION, Clashes, garden, planned

SAY = Formatter(ZoneInfo("Europe/Amsterdam"))
LINK = "http://127.0.0.1:8420/g/canal-house/s/want-leek/1"


class Chart(unittest.TestCase):
    def setUp(self) -> None:
        self.plan = planned(garden(Clashes.FULL, 3, 2), station=STATION)
        self.view = plan_view(self.plan, list(range(len(Clashes.FULL))), SAY)

    def test_each_bar_runs_from_left_to_right_inside_the_paper(self) -> None:
        for row in self.view.rows:
            order = [row.x[k] for k in ("sow", "half", "pot", "harden", "out")]
            self.assertEqual(order, sorted(order), row.name)
            self.assertTrue(NAMES <= row.x["from"] <= row.x["sow"] <= row.x["out"] <= WIDTH)
            self.assertTrue(row.x["half_low"] <= row.x["half"] <= row.x["half_high"])
        self.assertEqual([r.y for r in self.view.rows], [TOP + ROW * i for i in range(len(self.view.rows))])
        days = [r.day for r in self.view.rows]
        self.assertEqual(days, sorted(days), "the first sown stands on top")

    def test_a_day_is_as_wide_everywhere(self) -> None:
        one, other = self.view.rows[0], self.view.rows[-1]
        apart = (date.fromisoformat(other.day) - date.fromisoformat(one.day)).days
        self.assertAlmostEqual(other.x["sow"] - one.x["sow"], apart * self.view.per_day, delta=0.2)

    def test_frost_falls_from_certain_to_none_across_the_rows(self) -> None:
        points = [tuple(map(float, p.split(","))) for p in self.view.frost.split()]
        heights = [y for _, y in points]
        self.assertEqual(heights, sorted(heights), "the chance of a later frost never rises as spring goes on")
        self.assertAlmostEqual(heights[0], TOP, delta=1)
        self.assertGreater(heights[-1], TOP + ROW * len(self.view.rows) * 0.9)

    def test_the_load_says_what_is_over(self) -> None:
        full = plan_view(planned(garden([{"crop": "tomato", "plants": 300}])), [7], SAY)
        shelf = next(s for s in full.strips if s.name == "Shelf")
        self.assertTrue(shelf.over)
        assert shelf.have_y is not None
        for bar in shelf.bars:
            self.assertEqual(bar.over, bar.y < shelf.have_y - 0.3, bar.words)
        self.assertTrue(any(value.startswith("fewer:7:") for c in full.clashes for _, actions in c.ways for _, value in actions))
        self.assertIn("does not hold", full.lead)
        told = plan_view(self.plan, list(range(7)), SAY, garden(Clashes.FULL, 3, 2)).load_workings
        self.assertEqual([w.name for w in told], ["mat places", "shelf", "room under lamps"])
        self.assertIn("1.62", told[1].value, "three shelves of 1200 × 450 mm")
        nothing = plan_view(planned(garden([])), [], SAY)
        self.assertIn("Nothing planned yet", nothing.lead)


class Labels(unittest.TestCase):
    LONG = Label(
        "chinese cabbage",
        "A Very Long Name Given By Somebody's Aunt",
        "sown 28 September 2026",
        "A r1c1-r4c6",
        LINK,
        "potted 2 October 2026",
    )

    @settings(max_examples=60, deadline=None)
    @given(st.floats(20, 200), st.floats(8, 120), st.booleans())
    def test_words_and_code_stay_inside_any_label(self, w: float, h: float, short: bool) -> None:
        label = Label("leek", "", "sown 2 May 2026", "A", LINK) if short else self.LONG
        placed = _placed(label, 0.0, 0.0, Sheet("any", 450, 450, 1, 1, w, h))
        modules = segno.make(LINK, error="m", micro=False).symbol_size(border=0)[0]
        side = modules * placed.code_scale
        self.assertLessEqual(placed.code_x + side, w + 0.01)
        self.assertLessEqual(placed.code_y + side, h + 0.01)
        self.assertGreaterEqual(placed.code_x - 2 * placed.code_scale, 0)
        for text in placed.texts:
            self.assertLessEqual(text.y, h)
            self.assertLess(text.x + 0.5 * text.size * min(len(text.words), 4), w)

    def test_every_sheet_fits_its_page_and_fills_from_the_first_free_label(self) -> None:
        for sheet in SHEETS.values():
            self.assertTrue(sheet.fits, sheet.name)
            for page in pages_of([self.LONG] * 70, sheet, 2):
                for p in page:
                    self.assertLessEqual(p.x + p.w, sheet.page_w + 0.05)
                    self.assertLessEqual(p.y + p.h, sheet.page_h + 0.05)
        pages = pages_of([self.LONG] * 3, SHEETS["a4-24"], 23)
        self.assertEqual([len(p) for p in pages], [1, 2], "one label is left on the begun sheet")

    def test_the_code_is_drawn_module_by_module(self) -> None:
        qr = segno.make(LINK, error="m", micro=False)
        dark = sum(sum(map(bool, row)) for row in qr.matrix)
        runs = [int(n) for n in re.findall(r"h(\d+)v1", _path(qr))]
        self.assertEqual(sum(runs), dark)

    def test_a_stick_is_written_along(self) -> None:
        stick = _placed(self.LONG, 0, 0, SHEETS["stick-15"])
        self.assertEqual(len(stick.texts), 2)
        self.assertIn("potted 2 October", stick.texts[1].words)


class Station(unittest.TestCase):
    def test_the_simulated_station_is_the_same_each_time_and_has_gaps(self) -> None:
        from fennet.simulated_room.weather_station import YEARS, minima

        one, other = minima(2025), minima(2025)
        self.assertEqual((one, len(one)), (other, YEARS))
        nights = [x for e in one for x in e["min_c"]]
        self.assertEqual(len(nights), (date(2025, 12, 31) - date(1996, 1, 1) + timedelta(days=1)).days)
        self.assertTrue(5 < sum(x is None for x in nights) < 500)
        self.assertNotEqual(minima(2025, seed=7), one)
