"""What Tune, the score, the door and the day's list show, worked out without a page around them."""

from __future__ import annotations

import unittest
from datetime import datetime, timedelta
from itertools import pairwise
from typing import Any
from zoneinfo import ZoneInfo

from hypothesis import given
from hypothesis import strategies as st

from fennet.core.scoring import score_promises
from fennet.core.tuning.guards import HOLD_S
from fennet.core.work.figures import Look, SoilOut
from fennet.core.work.task import LEAVE, Task
from fennet.journal.promises import read_promises
from fennet.presentation.formatter import Formatter
from fennet.storage.queries import Device
from fennet.web.parts import Untold
from fennet.web.today.work import LATER, left_value, work_view
from fennet.web.tune.score import score_view
from fennet.web.tune.view import CHART_HEIGHT, _chart, device_views
from tests.building import SOWN, event, on
from tests.core.test_tuning import room, tuned
from tests.core.test_worklist import room as waiting_room
from tests.core.test_worklist import up

ZONE = ZoneInfo("Europe/Amsterdam")
SAY = Formatter(ZONE)


UTC_ZONE = ZoneInfo("UTC")


class Chart(unittest.TestCase):
    def test_the_line_rises_the_band_and_the_proposal_lie_inside(self) -> None:
        s = tuned(room({"A": "tomato"}, 22.0, 24.0))
        chart = _chart(s, s.trays[0], SAY)
        assert chart is not None and chart.proposal is not None and s.setpoint_c is not None
        points = [tuple(map(float, p.split(","))) for p in chart.line.split()]
        self.assertTrue(all(b[1] <= a[1] for a, b in pairwise(points)), "soil never falls as the dial rises")
        top, height = chart.band
        self.assertTrue(top >= 0 and top + height <= CHART_HEIGHT)
        self.assertTrue(top <= chart.proposal[1] <= top + height, "what is proposed lies in the band")
        self.assertTrue(chart.dots, "what was read is drawn")
        self.assertEqual(chart.tray, "A")
        read = [row for row in chart.table if row[2]]
        self.assertEqual([row[0] for row in read], ["24 °C"])
        self.assertEqual(read[0][2], "22 °C")

    def test_fahrenheit_on_both_axes(self) -> None:
        s = tuned(room({"A": "tomato"}, 22.0, 24.0))
        chart = _chart(s, s.trays[0], Formatter(ZONE, "en_US", "degF"))
        assert chart is not None
        self.assertTrue(all(words.endswith("°F") for _, words in chart.ticks_y))
        self.assertIn("75.2 °F", [row[0] for row in chart.table])


class Doors(unittest.TestCase):
    NOW = datetime(2026, 3, 3, 8, tzinfo=ZONE)

    def told(self, last: timedelta | None, **report: Any) -> str:
        at = None if last is None else self.NOW - last
        (view,) = device_views([Device("h", "thermostat", "mat-1", self.NOW, "me", at, report)], self.NOW, SAY)
        return view.words

    def test_what_a_thermostat_last_said(self) -> None:
        self.assertEqual(self.told(None), "has not called yet")
        soon = timedelta(seconds=40)
        self.assertIn("its probe reads 19.5 °C, heating", self.told(soon, probe_c=19.5, heating=True))
        self.assertIn(
            "probe silent, not heating (probe silent)", self.told(soon, probe_c=None, heating=False, why="probe silent")
        )
        self.assertIn("it has gone off", self.told(timedelta(seconds=HOLD_S + 1), probe_c=19.5, heating=True))


class Scores(unittest.TestCase):
    def test_the_page_tells_shares_widths_and_why_some_cannot_be_marked(self) -> None:
        half = {"kind": "half_up", "subject": "b", "made_at": on(1).isoformat()}
        days = {"p10": on(5.5).isoformat(), "p50": on(6.0).isoformat(), "p90": on(6.5).isoformat()}
        mat = {
            "id": "m",
            "kind": "mat_soil",
            "subject": "A",
            "thing": "mat-1",
            "event": "gone",
            "made_at": on(1).isoformat(),
            "due_from": on(2).isoformat(),
            "due_at": on(3).isoformat(),
            "low": 25.0,
            "middle": 26.0,
            "high": 27.0,
        }
        journal = waiting_room(events=[up(5.0, 1), up(6.0, 3), up(7.0, 6)])
        view = score_view(
            score_promises(read_promises([{**half, **days, "id": "p"}, mat]), journal, journal.events, on(9).timestamp()),
            UTC_ZONE,
            SAY,
        )
        self.assertEqual(len(view.lines), 2)
        held = next(x for x in view.lines if "half" in x.kind)
        self.assertIn("1 of 1 ranges held, 100 %", held.words)
        self.assertIn("Too few yet to tell", held.sentence)
        self.assertEqual({m.outcome for m in view.marks}, {"held", "cannot be marked: the entry it was based on was undone"})
        self.assertEqual(score_view([], UTC_ZONE, SAY).lines, [])


class Rows(unittest.TestCase):
    def view(self, tasks: list[Task], events: Any = (), untold: Any = ()) -> Any:
        return work_view(tasks, {"b": "tomato"}, list(events), on(2).timestamp(), SAY, on(1.5).timestamp(), list(untold))

    def test_headings_count_what_is_due_and_notes_stand_apart(self) -> None:
        now = on(2).timestamp()
        look = Task("look:b", now, "A", "b", Look(0, 6, 1.0, False))
        note = Task("soil_out:b", now, "A", "b", SoilOut(20.0, 24.0, 30.0, -4.0, False))
        v = self.view([look, note])
        self.assertEqual((v.heading, len(v.now), len(v.notes)), ("One thing, a minute", 1, 1))
        self.assertIn("4 °C below its range", v.notes[0].words.what)
        quiet = self.view([])
        self.assertEqual(quiet.heading, "Nothing needs doing now")
        self.assertIn("could not be worked out", self.view([], untold=[Untold("b", "tomato")]).heading)

    def test_what_is_left_goes_and_what_was_done_is_told(self) -> None:
        look = Task("look:b", on(2).timestamp(), "A", "b", Look(0, 6, 1.0, False))
        left = event("set", 1.9, "l", what=LEAVE, value={"task": "look:b", "until": on(3).isoformat(), "why": "guests"})
        v = self.view([look], [left, event("watered", 1.8, tray="A"), event("cover", 1.85, tray="A", on=True)])
        self.assertEqual((len(v.now), v.left[0].why), (0, "guests"))
        self.assertIn("Two entries logged today", v.done)

    @given(st.sampled_from([name for name, _, _ in LATER]), st.integers(0, 400), st.integers(0, 23))
    def test_later_is_always_later_and_by_the_local_clock(self, word: str, day: int, hour: int) -> None:
        at = datetime(2026, 1, 1, hour, 30, tzinfo=ZONE) + timedelta(days=day)
        value = left_value("look:b", word, "", at.timestamp(), SAY)
        assert value is not None
        until = datetime.fromisoformat(value["until"])
        self.assertGreater(until.timestamp(), at.timestamp())
        self.assertIn(until.hour, (7, 18), "seven in the morning or six in the evening, also where a clock changes")
        self.assertIsNone(left_value("look:b", "someday", "", SOWN.timestamp(), SAY))
