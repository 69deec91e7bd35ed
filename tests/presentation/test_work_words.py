"""The day's list in words: every kind of task, singly and grouped, and every press a line that the log line understands."""

from __future__ import annotations

import unittest
from datetime import UTC, datetime, timedelta
from typing import Any
from zoneinfo import ZoneInfo

from fennet.core.light import LampState
from fennet.core.records import Batch, Tray
from fennet.core.room import MatState, RoomState, TrayState
from fennet.core.work.task import LOSS, NOTES, Task
from fennet.core.work.worklist import TOGETHER, grouped
from fennet.core.working import Interval
from fennet.journal.log_line import Action, Scene, understand
from fennet.presentation.formatter import Formatter
from fennet.presentation.work import Words, ready_words, task_words

NOW = datetime(2026, 3, 3, 9, 30, tzinfo=UTC)
AT_S = NOW.timestamp()
SPEECHES = (Formatter(ZoneInfo("Europe/Amsterdam")), Formatter(ZoneInfo("America/New_York"), "en_US", "degF", "imperial"))
SOWN = NOW - timedelta(days=20)
SCENE = Scene(
    ZoneInfo("Europe/Amsterdam"), NOW,
    kinds={
        "A": "tray", "B": "tray", "D": "tray", "a": "batch", "b": "batch", "d": "batch", "mat-1": "mat", "lamp-1": "lamp",
        "shelf": "place",
    },
    in_tray={"A": ("a",), "B": ("b",), "D": ("d",)},
    batches={x: Batch(id=x, crop="leek", tray=x.upper(), cells=12, sown_at=SOWN) for x in "abd"},
    trays={x: Tray(id=x, rows=3, columns=4) for x in "ABD"},
    up=dict.fromkeys("abd", ("cells", 3, 12)),
    state=RoomState(
        AT_S, {x: TrayState(x, "shelf", mat="mat-1") for x in "ABD"},
        {"lamp-1": LampState("lamp-1", 0.0, float("inf"), "shelf", 200.0, ((390, 1260),))}, {"mat-1": MatState("mat-1")},
    ),
)  # fmt: skip
SOIL = Interval(20.0, 21.0, 22.0)
#: A figure of each kind's own, as the list makes them.
FIGURES: dict[str, dict[str, Any]] = {
    "hand_over": {"steps": ["cover_off", "mat_off", "light_on"], "batches": ["a"], "up": 7, "of": 12, "since_s": AT_S - 9e4,
                  "dark_h": 20.0, "cells": ["r1c1", "r1c2"]},
    "look": {"up": 3, "of": 12, "looked_d": 1.4, "towel": False},
    "mist": {"n": 2, "cells": ["r1c1", "r1c2"], "chance": 0.4},
    "call_it": {"chance": 0.05, "resow_d": 6.0, "n": 12, "towel": False},
    "late": {"days": 4.0, "cause": "cold_soil"},
    "water": {"moisture_pct": 31.0, "low_pct": 50.0, "high_pct": 80.0, "how": "below", "ml": 250.0, "minutes": 25.0},
    "too_wet": {"moisture_pct": 99.0, "low_pct": 50.0, "high_pct": 80.0, "how": "below", "ml": 10.0, "minutes": 25.0},
    "probe_silent": {"source": "probe-1", "silent_h": 9.0}, "no_soil": {},
    "mat_set": {"mat": "mat-1", "to_c": 24.0, "now_c": 20.0, "gain_d": 2.4, "expect": SOIL},
    "mat_limit": {"mat": "mat-1", "most_c": 19.0, "middle_c": 24.0},
    "exchange": {"mat": "mat-1", "in": "A", "out": "B", "gain_d": 2.0},
    "promise": {"actual_c": 18.0, "low_c": 20.0, "high_c": 22.0},
    "soil_out": {"soil_c": 12.0, "low_c": 15.0, "high_c": 20.0, "miss_c": -3.0, "air": False},
    "no_light": {}, "light_out": {"mol": 4.0, "low": 8.0, "high": 14.0},
    "hours_out": {"hours": 9.0, "want": 15.0, "low": 14.0, "high": 16.0, "lamp": "lamp-1"},
    "lamp_near": {"gap_mm": 20.0, "least_mm": 60.0, "to_mm": 240.0, "lamp": "lamp-1"},
    "fallen": {"cover": "on"},
    "damp": {"index": 51.0, "leading": ["still_air", "too_wet"], "cover": "on", "up": True},
    "leggy": {"ratio": 1.8}, "sign": {"signs": ["purple_under", "stalled"]},
    "feed": {"mg": 50.0, "first": True, "push": 2.0, "every_d": 7.0},
    "thin": {"to": 12, "extra": 9, "how": "cut"}, "prick_out": {"n": 40},
    "pot_up": {"why": "leaves", "need": 2, "pot_mm": 75.0, "leaves": 2, "stem": "level"},
    "pinch": {"left_d": 30.0},
    "lamp_set": {"lamp": "lamp-1", "height_mm": 160.0, "distance_mm": 90.0, "hours": 15.0, "on_min": 390, "off_min": 1290,
                 "trays": ["A", "B"], "now_mm": 200.0, "reaches": True, "low": 9.0},
    "lamp_raise": {"lamp": "lamp-1", "to_mm": 240.0},
}  # fmt: skip


def tasks(kind: str, trays: str = "A", **more: Any) -> list[Task]:
    """A kind of task for some trays, as the list tells it."""
    return grouped([Task(f"{kind}:{t}", kind, AT_S, t, t.lower(), {**FIGURES[kind], **more}) for t in trays], AT_S)


def words(kind: str, trays: str = "A", fmt: Formatter = SPEECHES[0], **more: Any) -> Words:
    (only,) = tasks(kind, trays, **more)
    return task_words(only, "leek", fmt)


class EveryKind(unittest.TestCase):
    def test_none_is_without_words(self) -> None:
        self.assertEqual(set(FIGURES), set(LOSS))

    def test_each_says_what_and_why_and_leads_somewhere(self) -> None:
        for fmt in SPEECHES:
            for kind in FIGURES:
                with self.subTest(kind):
                    w = words(kind, fmt=fmt)
                    self.assertTrue(w.what and w.why.endswith("."), (w.what, w.why))
                    self.assertTrue(not w.why[0].islower() or w.why.startswith("leek"), w.why)
                    self.assertNotIn("None", w.what + w.why)
                    self.assertEqual(bool(w.button), bool(w.line) or w.opens == "set", "a button bears a deed")
                    self.assertTrue(w.line or w.opens or kind in NOTES, "what is to be done can be pressed or opened")

    def test_what_a_press_logs_is_understood_and_speaks_of_its_tray(self) -> None:
        pressed = set()
        for kind in FIGURES:
            for trays in ("A", "ABD") if kind in TOGETHER else ("A",):
                for t in tasks(kind, trays):
                    line = task_words(t, "leek", SPEECHES[0]).line
                    if not line:
                        continue
                    with self.subTest(kind, trays=trays, line=line):
                        parts = understand(line, SCENE).parts
                        self.assertTrue(parts)
                        about = {str(v) for p in parts if isinstance(p, Action) for v in p.fields.values()}
                        about |= {p.place for p in parts if not isinstance(p, Action)}
                        self.assertTrue(about & {t.tray, t.batch, "lamp-1"}, about)
                        pressed.add(kind)
        self.assertLessEqual({"hand_over", "water", "mist", "feed", "thin", "damp", "lamp_set", "lamp_raise", "fallen"}, pressed)

    def test_one_walk_for_several_trays_is_one_row_that_names_them_all(self) -> None:
        for kind in TOGETHER:
            with self.subTest(kind):
                w = words(kind, "ABD")
                self.assertIn("A, B and D", w.what)
                self.assertNotIn("leek", w.what + w.why, "the name of one does not stand for all")


class Wording(unittest.TestCase):
    def test_a_hand_over_of_part_of_a_tray_says_whose_cells(self) -> None:
        w = words("hand_over")
        self.assertIn("For 2 of its cells; the others wait.", w.why)
        self.assertEqual(w.line, "A cover off; A mat off; a to light")
        vented = words("hand_over", steps=["cover_vent"], cells=[], dark_h=0.0, up=1)
        self.assertEqual((vented.button, vented.line), ("Vent the cover", "A cover vent"))
        self.assertIn("The first of leek is up since", vented.why)

    def test_a_towel_is_opened_and_its_seeds_are_freed(self) -> None:
        self.assertIn("count roots", words("look", towel=True).what)
        self.assertIn("frees 12 seeds", words("call_it", towel=True).why)
        self.assertIn("lift the cover", words("look", up=0).what)

    def test_water_that_is_wanted_later_says_what_it_will_reach_and_a_wet_top_waits(self) -> None:
        w = words("water", from_s=AT_S, to_s=AT_S + 9e4, hold="top_wet")
        self.assertIn("will reach 50 % of capacity", w.why)
        self.assertIn("Its top is wet: let it dry first.", w.why)
        self.assertNotIn("Stand it in", words("water", how="above").why)
        self.assertEqual(words("water", ml=None).button, "Water")

    def test_a_risk_before_they_are_up_asks_nothing_that_harms_seed(self) -> None:
        seed, plants = words("damp", up=False), words("damp", up=True)
        self.assertEqual((seed.line, plants.line), ("A cover vent", "A cover off"))
        self.assertIn("no water until the top pales", seed.what)
        self.assertIn("dry the top", plants.what)
        self.assertEqual(words("damp", cover="off").line, "")

    def test_a_feed_says_why_it_is_doubled_or_halved(self) -> None:
        self.assertIn("doubled, to catch up", words("feed", push=2.0).why)
        self.assertIn("halved, to hold it", words("feed", push=0.5).why)
        self.assertTrue(words("feed", push=1.0, first=False).why.startswith("50 mg"))

    def test_potting_up_says_the_reason_of_each_and_how_deep(self) -> None:
        for why, said in (("roots", "roots of leek come out"), ("full_cell", "hold leek no longer"), ("calendar", "third week")):
            self.assertIn(said.lower(), words("pot_up", why=why).why.lower())
        self.assertIn("Bury the stem", words("pot_up", stem="bury").why)
        mixed = grouped(
            [Task(f"pot_up:{t}", "pot_up", AT_S, t, t.lower(), {**FIGURES["pot_up"], "stem": stem, "pot_mm": mm})
             for t, stem, mm in (("A", "bury", 90.0), ("B", "level", 75.0))], AT_S,
        )  # fmt: skip
        w = task_words(mixed[0], "leek", SPEECHES[0])
        self.assertEqual(w.what, "A and B: pot up", "pots of two widths are not one figure")
        self.assertIn("How deep, each says", w.why)

    def test_why_one_batch_is_handled_on_its_own_page(self) -> None:
        fmt = SPEECHES[0]
        self.assertEqual(
            ready_words("thin", "first_leaf", FIGURES["thin"], fmt), "about nine too many once the first true leaves are there"
        )
        self.assertIn("a crowd of about", ready_words("prick_out", "crowd", FIGURES["prick_out"], fmt))
        self.assertIn("weeks to wait", ready_words("pinch", "branches", FIGURES["pinch"], fmt))
        for why in ("leaves", "roots", "full_cell", "calendar"):
            self.assertTrue(ready_words("pot_up", why, {"need": 1, "pot_mm": 90.0}, fmt).endswith(", into 90 mm pots"))

    def test_a_lamp_that_cannot_reach_says_so(self) -> None:
        self.assertIn("9 mol a day at best", words("lamp_set", reaches=False).why)
        self.assertTrue(words("lamp_set", now_mm=None).what.startswith("lamp-1: set to"))
        self.assertTrue(words("lamp_set", now_mm=100.0).what.startswith("lamp-1: raise to"))
