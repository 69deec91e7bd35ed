"""What is seen, logged and asked is weighed fairly: the eye, the record before supposition, and many neighbours at once."""

from __future__ import annotations

import unittest
from dataclasses import replace
from typing import Any
from zoneinfo import ZoneInfo

from fennet.answering.answers import Answers
from fennet.cli.journal_file import answers_of
from fennet.cli.score_grown import GrownScore, judged
from fennet.cli.score_why import score_half
from fennet.core.damping_off import lingers, risk_days
from fennet.core.diagnosis.finding import Finding, LeggyFigures
from fennet.core.history import counts_of
from fennet.core.lighting import curve
from fennet.core.records import Batch, Event, Lamp, Place
from fennet.crops import shipped
from fennet.journal.reader import read_journal
from fennet.presentation.diagnosis import verdict_words
from fennet.presentation.formatter import Formatter
from fennet.simulated_room.attic_grown import attic_grown
from fennet.simulated_room.attic_seed import attic_slow
from tests.building import SOWN, event, record, soil

UTC = ZoneInfo("UTC")


def shelf(n: int, sign: bool = False, mm: float = 40.0) -> dict[str, Any]:
    """A shelf of tomato trays under one good lamp, each measured with a ruler."""
    at = "2026-02-{:02}T10:00:00+00:00".format
    journal: dict[str, Any] = {
        "format": "fennet-journal", "version": 1, "garden": {"timezone": "UTC"}, "rooms": [{"id": "r"}],
        "places": [{"id": "s", "room": "r", "kind": "shelf"}], "lamps": [{"id": "l", "place": "s", "kind": "white_led"}],
        "trays": [], "batches": [], "readings": [],
        "events": [{"at": at(1), "kind": "lamp", "lamp": "l", "height_mm": 220, "on": "06:00", "off": "21:00"}],
    }  # fmt: skip
    for i in range(n):
        journal["trays"].append({"id": f"T{i}", "kind": "cells", "rows": 3, "columns": 4})
        journal["batches"].append({"id": f"b{i}", "tray": f"T{i}", "crop": "tomato", "sown_at": at(1), "cells": 12})
        journal["events"] += [
            {"at": at(1), "kind": "placed", "tray": f"T{i}", "place": "s"},
            {"at": at(9), "kind": "count", "batch": f"b{i}", "cells_up": 11},
            {"at": at(21), "kind": "height", "batch": f"b{i}", "mm": mm},
        ]
        journal["readings"] += [
            {"at": at(day), "place": f"T{i}", "quantity": q, "value": v, "unit": u}
            for day in range(2, 22, 3)
            for q, v, u in (("soil_temperature", 22.0, "degC"), ("light", 260.0, "umol/m2/s"))
        ]
    if sign:
        journal["events"].append({"at": at(21), "kind": "sign", "batch": "b0", "sign": "long_thin", "cells": 12})
    return journal


def asked(journal: dict[str, Any]) -> Answers:
    return answers_of(read_journal(journal), SOWN.timestamp() + 18.2 * 86_400)


def leggy(a: Answers) -> Finding:
    return next(f for f in a.findings(a.journal.batches[0]) if f.complaint == "leggy")


class TheEye(unittest.TestCase):
    def test_who_saw_long_thin_stems_is_not_told_that_they_are_sturdy(self) -> None:
        seen, unseen = leggy(asked(shelf(1, sign=True))), leggy(asked(shelf(1)))
        self.assertEqual(unseen.state, "sturdy")
        self.assertNotEqual(seen.state, "sturdy")
        assert isinstance(seen.figures, LeggyFigures) and seen.next_check
        self.assertTrue(seen.figures.eye_against_ruler)
        self.assertEqual(seen.next_check.witness, "ruler")
        words = verdict_words(seen, Formatter(UTC))
        self.assertRegex(words, "^You saw long thin stems; by the ruler")
        self.assertIn("Nothing recorded explains it", words)

    def test_where_both_agree_nothing_is_said_of_a_conflict(self) -> None:
        both = leggy(asked(shelf(1, sign=True, mm=95.0)))
        assert isinstance(both.figures, LeggyFigures)
        self.assertEqual((both.state, both.figures.eye_against_ruler), ("leggy", False))


class ManyAtOnce(unittest.TestCase):
    def test_the_work_for_a_shelf_of_trays_grows_with_their_number(self) -> None:
        """Counted, not timed: how often the lamp's curve is fitted, and a neighbour's age worked out."""
        fits = {}
        for n in (6, 12, 24):
            calls = 0
            whole = curve._solve

            def counted(*given: Any, of: Any = whole) -> Any:
                nonlocal calls
                calls += 1
                return of(*given)

            curve._solve = counted
            try:
                a = asked(shelf(n))
                for b in a.journal.batches:
                    a.findings(b)
            finally:
                curve._solve = whole
            fits[n] = calls
        self.assertLessEqual(fits[24], 3 * fits[12])
        self.assertLessEqual(fits[24], 24)

    def test_leaving_one_reading_out_in_closed_form_is_leaving_it_out(self) -> None:
        points = [curve.LightPoint(0.0, "A", 80.0 + 40 * i, 400.0 / (1 + 0.3 * i) * (4.0 if i == 2 else 1.0)) for i in range(6)]
        lamp = Lamp(id="l", kind="white_led")
        fitted = curve._solve(lamp, points, None, ("A",), 60.0)
        found = curve._worst(fitted, points)
        assert found is not None
        rest = curve._solve(lamp, [p for p in points if p is not found[0]], None, ("A",), 60.0)
        self.assertIs(found[0], points[2])
        self.assertAlmostEqual(found[1], found[0].ppfd_umol / rest.ppfd(found[0].distance_mm, "A").p50, delta=0.02)


class TheRecordFirst(unittest.TestCase):
    def test_a_seedling_is_a_cell_where_one_seed_went_into_each(self) -> None:
        b = Batch(id="b", crop="leek", sown_at=SOWN, cells=16, seeds_per_cell=1)
        mixed = [event("count", 8, "1", batch="b", cells_up=5), event("count", 10, "2", batch="b", seedlings_up=14)]
        self.assertEqual(counts_of(b, mixed).up, 14)
        beet = Batch(id="b", crop="beet", sown_at=SOWN, cells=4, seeds_per_cell=3)
        many = counts_of(beet, [event("count", 8, "1", batch="b", seedlings_up=17)])
        self.assertEqual((many.up, many.of), (17, 17), "a cluster gives more than one")

    def test_a_fan_told_by_its_place_or_room_alone_moves_the_air(self) -> None:
        def worst(*fan: Event) -> float:
            events = [event("placed", 0, tray="A", place="s"), event("count", 6, batch="b1", cells_up=12), *fan]
            made = replace(record([soil(20.0, 10)], events, crop="tomato"), places=[Place(id="s", room="r", kind="shelf")])
            days = risk_days(made, shipped().get("tomato"), made.batches[0], made.events, SOWN.timestamp() + 9 * 86_400)
            return float(days.index.max())

        silent = worst()
        for place in ("s", "r"):
            self.assertLess(worst(event("fan", 0, place=place, hours_per_day=8.0)), silent, place)
        self.assertEqual(worst(event("fan", 0, place="elsewhere", hours_per_day=8.0)), silent)

    def test_cool_soil_lingers_by_degrees_for_cool_kinds_too(self) -> None:
        for crop, good_c, cool_c in (("tomato", 25.0, 14.0), ("cabbage", 17.0, 7.0)):
            kind = shipped().get(crop)
            self.assertEqual(float(lingers(kind, good_c)), 0.0)
            self.assertGreater(float(lingers(kind, cool_c)), 0.8)

    def test_the_attic_is_understood(self) -> None:
        """A small sample of the half looked at; the whole scores stand in docs/models.md."""
        slow = score_half(40, False, (0.65, 1.0), attic_slow)
        self.assertGreaterEqual(slow.first / slow.ill, 0.7)
        self.assertGreaterEqual(slow.alone / slow.well, 0.9)
        grown = GrownScore()
        for seed in range(2, 62, 2):
            judged(seed, attic_grown(seed), grown)
        self.assertGreaterEqual(grown.share(grown.second), 0.75)
        self.assertGreaterEqual(grown.share(grown.seen), 0.85)
