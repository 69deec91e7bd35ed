"""What batches taught of growth: leaves follow as they do here, a variety's own height shows beside another, and a garden where
all is leggy never takes that for how things should be."""

from __future__ import annotations

import unittest
from typing import Any
from zoneinfo import ZoneInfo

from hypothesis import given, settings
from hypothesis import strategies as st

from fennet.answering.answers import Answers
from fennet.core.bearing import record_at
from fennet.core.care.leaves import SEED_LEAVES_D
from fennet.core.learning.corrections import Correction
from fennet.core.learning.garden import learned
from fennet.core.learning.grown import GrownLesson, grown_s
from fennet.core.learning.lessons import Told
from fennet.core.records import Batch, Event, Journal, Tray
from fennet.crops import shipped
from fennet.presentation.formatter import Formatter
from fennet.presentation.learned import line_words
from tests.building import event, on, soil

LEEK = shipped().get("leek")


def batch(id: str, variety: str = "Quay", day: float = 0, tray: str = "A", **more: Any) -> Batch:
    return Batch(id=id, crop="leek", variety=variety, sown_at=on(day), cells=4, tray=tray, **more)


def raised(id: str, times: float = 1.0, leaf_times: float = 1.0, out: bool = True) -> list[Event]:
    """Up on day 10, measured against a thermometer that stands at the growing band; planted on day 60."""
    told = [event("count", 10, f"{id}-up", batch=id, cells_up=4)]
    for day in (24.0, 34.0):
        mm = float(LEEK.growth.height_mm(day - 10)) * times
        told.append(event("height", day, f"{id}-{day}", batch=id, mm=mm))
    leaf_d = 10 + SEED_LEAVES_D + 2.5 * LEEK.growth.leaf_days * leaf_times
    told.append(event("height", leaf_d, f"{id}-l", batch=id, mm=float(LEEK.growth.height_mm(leaf_d - 10)) * times, true_leaves=2))
    return [*told, event("planted", 60, f"{id}-p", batch=id)] if out else told


def answers(batches: list[Batch], events: list[Event], day: float = 70) -> Answers:
    # At the middle of its growing band an age runs a day a day.
    from fennet.core.planning.growing import growing_band_c

    trays = [Tray(id=t) for t in sorted({b.tray or "" for b in batches})]
    warm = [soil(growing_band_c(LEEK), 70, t.id) for t in trays]
    j = Journal(batches=batches, trays=trays, events=sorted(events, key=lambda e: e.at), series=warm)
    return Answers(record_at(j, on(day).timestamp()), on(day).timestamp(), exactly=True)


def grew(id: str, off: float, variety: str, crop: str = "leek", leaves: float | None = None) -> GrownLesson:
    return GrownLesson(id, crop, variety, 2026, float(len(id)), Told(off, 0.02), None if leaves is None else Told(leaves, 0.02))


class Lessons(unittest.TestCase):
    def test_what_was_measured_against_its_age(self) -> None:
        found = answers([batch("b")], raised("b", 1.3, 1.25)).learned.grown
        self.assertEqual(len(found), 1)
        height, leaves = found[0].height, found[0].leaves
        assert height is not None and leaves is not None
        self.assertAlmostEqual(height.off, 0.262, delta=0.03)
        self.assertAlmostEqual(leaves.off, 0.223, delta=0.05)

    def test_nothing_is_learned_before_it_goes_out_nor_from_what_nobody_measured(self) -> None:
        inside = answers([batch("b")], raised("b", out=False))
        self.assertEqual(inside.learned.grown, ())
        self.assertIsNone(grown_s(inside.journal.batches[0], inside.events, inside.at_s))
        told = [event("count", 10, "u", batch="b", cells_up=4), event("planted", 60, "p", batch="b")]
        self.assertEqual(answers([batch("b")], told).learned.grown, ())
        bought = answers([batch("b", start="bought")], [event("height", 20, "h", batch="b", mm=90), *told[1:]])
        self.assertEqual(bought.learned.grown, (), "its age is guessed by its height")

    def test_topping_ends_what_a_height_tells(self) -> None:
        topped = [event("topped", 12, "t", batch="b"), event("planted", 60, "p", batch="b")]
        told = [e for e in raised("b", 0.5, out=False) if e.fields.get("true_leaves") is None]
        self.assertEqual(answers([batch("b")], [*told, *topped]).learned.grown, ())


class Used(unittest.TestCase):
    def test_leaves_follow_as_they_do_here(self) -> None:
        a = answers([batch("b"), batch("next", day=30, tray="B")],
                    [*raised("b", leaf_times=1.6), event("count", 40, "n", batch="next", cells_up=4)])  # fmt: skip
        later = a.journal.batches[1]
        crop = a.crop_here(later)
        self.assertGreater(crop.growth.leaf_days, 1.1 * LEEK.growth.leaf_days)
        by_table = (30.0 - SEED_LEAVES_D) / LEEK.growth.leaf_days
        self.assertLess(a.leaves(later), by_table)
        self.assertEqual(crop.growth.source, "learned_here")

    def test_where_all_is_leggy_leggy_is_no_nature(self) -> None:
        """One variety of each kind, all half as tall again: none of it is what is expected, all of it is what will be."""
        found = learned((), grown=[grew(f"b{i}", 0.4, "quay", crop) for i, crop in enumerate(("leek", "onion", "tomato") * 3)])
        here = found.crop_here(LEEK, "Quay", None, 2026)
        self.assertEqual(here.growth.height_12d_mm, LEEK.growth.height_12d_mm)
        self.assertGreater(here.growth.likely_times, 1.25)
        two = learned((), grown=[grew(f"b{i}", 0.4, "ab"[i % 2]) for i in range(8)]).crop_here(LEEK, "a", None, 2026)
        self.assertAlmostEqual(two.growth.height_12d_mm / LEEK.growth.height_12d_mm, 1.0, delta=0.09)

    @settings(max_examples=30, deadline=None)
    @given(st.floats(-0.3, 0.3), st.floats(0.05, 0.5))
    def test_a_varietys_own_nature_is_what_parts_it_from_others_here(self, all_off: float, apart: float) -> None:
        """Whatever the light does to all, the taller of two varieties is expected taller, by less than was seen."""
        told = [grew(f"b{i}{v}", all_off + (apart if v == "tall" else 0.0), v) for i in range(4) for v in ("tall", "short")]
        of = learned((), grown=told)
        tall, short = (of.crop_here(LEEK, v, None, 2026).growth for v in ("tall", "short"))
        self.assertGreater(tall.height_12d_mm, short.height_12d_mm)
        self.assertLess(tall.height_12d_mm / short.height_12d_mm, 2.72**apart + 1e-9)

    def test_it_is_told_and_forgotten(self) -> None:
        of = learned((), grown=[grew("b1", 0.3, "quay", leaves=0.2), grew("b22", 0.3, "quay", leaves=0.2)])
        from fennet.core.learning.overview import lines

        said = {x.measure: line_words(x, Formatter(ZoneInfo("UTC"))) for x in lines(of, {"leek": LEEK})}
        self.assertIn("taller than the table says", said["height"])
        self.assertIn("later", said["leaves"])
        gone = learned((), corrections=[Correction(crop="leek", forget_before=on(0))], grown=of.grown)
        self.assertEqual((gone.grew("height"), gone.here("leek", "quay", "", 2026)), ([], None))
