"""The day's list in words: every kind of task, singly and grouped, and every press a line that the log line understands."""

from __future__ import annotations

import unittest
from datetime import timedelta
from typing import Any
from zoneinfo import ZoneInfo

from fennet.core.care.handling import PotUp
from fennet.core.light import LampState
from fennet.core.records import Batch, Tray
from fennet.core.room import MatState, RoomState, TrayState
from fennet.core.work.task import LOSS, NOTES, Task
from fennet.core.work.worklist import TOGETHER, grouped
from fennet.journal.log_line import Action, Scene, understand
from fennet.presentation.formatter import Formatter
from fennet.presentation.work import Words, ready_words, task_words
from tests.tasks import AT_S, FIGURES, NOW, task

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


def tasks(kind: str, trays: str = "A", **more: Any) -> list[Task]:
    """A kind of task for some trays, as the list tells it."""
    return grouped([task(kind, tray=t, **more) for t in trays], AT_S)


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
        self.assertRegex(w.why, r"For r1c1, r1c2; the others wait\.")
        self.assertEqual(w.line, "A cover off; A mat off; a to light")
        vented = words("hand_over", steps=("cover_vent",), cells=(), dark_h=0.0, up=1)
        self.assertEqual((vented.button, vented.line), ("Vent the cover", "A cover vent"))
        self.assertIn("The first leek came up on", vented.why)

    def test_a_towel_is_opened_and_its_place_is_freed(self) -> None:
        self.assertIn("count roots", words("look", towel=True).what)
        self.assertIn("frees its place", words("call_it", by_seed=True).why)
        self.assertIn("lift the cover", words("look", up=0).what)

    def test_water_that_is_wanted_later_says_what_it_will_reach_and_a_wet_top_waits(self) -> None:
        w = words("water", ahead=True, hold="top_wet")
        self.assertIn("will soon be down to 50 % of capacity", w.why)
        self.assertIn("Its top is wet: let it dry first.", w.why)
        self.assertNotIn("Stand it in", words("water", how="above").why)
        self.assertEqual(words("water", ml=None).button, "Water")

    def test_a_risk_before_they_are_up_asks_nothing_that_harms_seed(self) -> None:
        seed, plants = words("damp", up=False), words("damp", up=True)
        self.assertEqual((seed.line, plants.line), ("A cover vent", "A cover off"))
        self.assertIn("no water until the top is pale", seed.what)
        self.assertIn("dry the top", plants.what)
        self.assertEqual(words("damp", cover="off").line, "")

    def test_a_feed_says_why_it_is_doubled_or_halved(self) -> None:
        self.assertIn("doubled, to catch up", words("feed", push=2.0).why)
        self.assertIn("halved, to hold it", words("feed", push=0.5).why)
        self.assertTrue(words("feed", push=1.0, first=False).why.startswith("50 mg"))

    def test_potting_up_says_the_reason_of_each_and_how_deep(self) -> None:
        for why, said in (
            ("roots", "roots of leek come out"),
            ("full_cell", "leek has outgrown its cells"),
            ("calendar", "third week"),
        ):
            self.assertIn(said.lower(), words("pot_up", why=why).why.lower())
        self.assertIn("Bury the stem", words("pot_up", stem="bury").why)
        mixed = grouped(
            [task("pot_up", tray="A", stem="bury", pot_mm=90.0), task("pot_up", tray="B", stem="level", pot_mm=75.0)], AT_S
        )
        w = task_words(mixed[0], "leek", SPEECHES[0])
        self.assertEqual(w.what, "A and B: pot up", "pots of two widths are not one figure")
        self.assertIn("How deep: see each", w.why)

    def test_why_one_batch_is_handled_on_its_own_page(self) -> None:
        fmt = SPEECHES[0]
        self.assertEqual(ready_words(FIGURES["thin"], fmt), "about nine too many once the first true leaves are there")
        self.assertIn("a crowd of about", ready_words(FIGURES["prick_out"], fmt))
        self.assertIn("weeks to wait", ready_words(FIGURES["pinch"], fmt))
        for why in ("leaves", "roots", "full_cell", "calendar"):
            self.assertTrue(ready_words(PotUp(why, 90.0, 1, "level", 1), fmt).endswith(", into 90 mm pots"))

    def test_a_lamp_that_cannot_reach_says_so(self) -> None:
        self.assertIn("9 mol a day at best", words("lamp_set", reaches=False).why)
        self.assertTrue(words("lamp_set", now_mm=None).what.startswith("lamp-1: set to"))
        self.assertTrue(words("lamp_set", now_mm=100.0).what.startswith("lamp-1: raise to"))
