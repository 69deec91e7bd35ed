"""The track record: how sure Fennet is gets a sentence where the record carries it; each outcome stands in its part."""

from __future__ import annotations

import unittest
from collections.abc import Sequence
from dataclasses import replace
from zoneinfo import ZoneInfo

import numpy as np

from fennet.core.records import Batch, Event, Journal, Series
from fennet.core.scoring import (
    HALF_UP,
    OUTING,
    PARTS,
    PLANTING,
    WARNING,
    WATERING,
    Promise,
    ScoredPromise,
    score_promise,
    track_record,
)
from fennet.journal.promises import entry_of, promise_of
from tests.building import event, on

UTC = ZoneInfo("UTC")


def marked(z: float, n: int, year: int = 2026) -> ScoredPromise:
    """A promise of 80 % about 0 ± 1.28, and what came."""
    made_s = (year - 1970) * 365.25 * 86_400 + 40 * 86_400 + n
    outcome = "early" if z < -1.2816 else "late" if z > 1.2816 else "hit"
    return ScoredPromise(str(n), HALF_UP, f"b{n}", made_s, -1.2816, 0.0, 1.2816, outcome, z)


def scored(p: Promise, events: list[Event], read: Sequence[tuple[float, float]] = (), day: float = 60) -> tuple[str, str]:
    """What came of a promise: its outcome and why it cannot be marked."""
    at = np.array([on(d).timestamp() for d, _ in read])
    moist = Series("A", "moisture", None, at, np.array([v for _, v in read]), np.zeros(len(read), dtype=bool))
    b = Batch(id="b", crop="leek", sown_at=on(0), cells=12, tray="A")
    j = Journal(batches=[b], series=[moist] if read else [], events=events)
    s = score_promise(p, j, events, on(day).timestamp())
    return s.outcome, s.why


DUE = Promise("p", WATERING, "A", on(0).timestamp(), on(3).timestamp(), on(4).timestamp(), on(5).timestamp(), level=50.0)
WARNED = Promise("p", WARNING, "b", on(10).timestamp(), 0.0, 0.0, 0.0)
ADVISED = replace(WARNED, kind=OUTING, due_from_s=on(10).timestamp(), due_s=on(11).timestamp(), level=2.0)


class Kinds(unittest.TestCase):
    def test_a_watering_is_marked_by_the_trays_own_moisture(self) -> None:
        fell = [(0.1, 90.0), (2.0, 70.0), (3.5, 55.0), (4.5, 45.0)]
        cases = {
            "fell within it": (fell, [], ("hit", "")),
            "fell before": ([(0.1, 90.0), (1.0, 60.0), (2.0, 40.0)], [], ("early", "")),
            "still moist when it was over": ([(0.1, 90.0), (5.5, 60.0)], [], ("late", "")),
            "watered before it was due": (fell[:2], [event("watered", 2.5, tray="A", how="below")], ("void", "watered_before")),
            "nobody read it": ([], [], ("void", "not_read_moisture")),
        }
        for name, (read, events, expected) in cases.items():
            with self.subTest(name):
                self.assertEqual(scored(DUE, events, read), expected)
        self.assertEqual(scored(DUE, [], fell[:2], day=3)[0], "open")

    def test_a_warning_is_followed_by_a_fall_or_not(self) -> None:
        fall, late = (event("sign", day, batch="b", sign="fallen_pinched_base") for day in (14, 30))
        looked = event("count", 15, "seen", batch="b", cells_up=11)
        self.assertEqual([scored(WARNED, e)[0] for e in ([fall], [looked], [looked, late])], ["hit", "miss", "miss"])
        self.assertEqual(scored(WARNED, []), ("void", "not_looked_at"), "silence says nothing")
        self.assertEqual(scored(WARNED, [], day=12)[0], "open")

    def test_an_outing_is_held_to_what_was_advised_and_to_what_somebody_saw(self) -> None:
        out: dict[str, tuple[dict[str, object], tuple[str, str]]] = {
            "well": ({"hours": 2, "seen": "none"}, ("hit", "")), "limp": ({"hours": 2, "seen": "limp"}, ("miss", "")),
            "too long": ({"hours": 5, "seen": "limp"}, ("void", "stayed_longer")),
            "nobody looked": ({"hours": 2}, ("void", "nobody_looked")),
        }  # fmt: skip
        for name, (fields, expected) in out.items():
            with self.subTest(name):
                self.assertEqual(scored(ADVISED, [event("outing", 10.3, batch="b", **fields)]), expected)
        self.assertEqual(scored(ADVISED, []), ("void", "stayed_in"))

    def test_a_deed_is_marked_by_the_day_it_was_done(self) -> None:
        p = replace(DUE, kind=PLANTING, subject="b", level=None)
        cases = {"hit": [event("planted", 4, batch="b", count=3)], "early": [event("planted", 1, batch="b", count=3)],
                 "late": [event("planted", 9, batch="b", count=3)], "void": [event("gave_up", 2, batch="b")]}  # fmt: skip
        for expected, events in cases.items():
            with self.subTest(expected):
                self.assertEqual(scored(p, events)[0], expected)
        self.assertEqual({scored(p, [], day=day)[0] for day in (4, 9)}, {"open"}, "nobody's entry is no deed done late")

    def test_they_go_out_and_come_back_in_a_journal(self) -> None:
        for p in (DUE, WARNED, ADVISED):
            self.assertEqual(promise_of(entry_of(p, UTC)), p)


class Record(unittest.TestCase):
    def said(self, spread: float, n: int, seed: int) -> str:
        rng = np.random.default_rng(seed)
        return track_record([marked(float(z), i) for i, z in enumerate(rng.normal(0, spread, n))], UTC)[0].says

    def test_ranges_that_hold_as_promised_are_seldom_called_anything_else(self) -> None:
        for n in (8, 40, 300):
            wrong = sum(self.said(1.0, n, seed) not in ("fair", "too_few") for seed in range(100))
            # Five in a hundred on either side.
            self.assertLessEqual(wrong, 17, n)

    def test_ranges_too_narrow_and_too_wide_are_called_so_once_there_are_enough(self) -> None:
        self.assertEqual({self.said(2.0, 60, seed) for seed in range(20)}, {"over"})
        self.assertEqual({self.said(0.4, 60, seed) for seed in range(20)}, {"under"})
        self.assertEqual(self.said(2.0, 5, 1), "too_few")

    def test_promises_of_one_batch_tell_once(self) -> None:
        one = [replace(marked(0.0, i), subject="b") for i in range(50)]
        self.assertEqual(track_record(one, UTC)[0].says, "too_few")

    def test_outcomes_fall_into_the_parts_of_their_ranges_as_they_should(self) -> None:
        rng = np.random.default_rng(3)
        (told,) = track_record([marked(float(z), i) for i, z in enumerate(rng.normal(0, 1, 4000))], UTC)
        for n, should in zip(told.parts, PARTS, strict=True):
            self.assertAlmostEqual(n / 4000, should, delta=0.02)
        self.assertEqual(sum(told.parts), told.score.marked)

    def test_each_year_stands_by_itself_where_there_is_more_than_one(self) -> None:
        found = [marked(0.0, i, 2025) for i in range(10)] + [marked(2.0, i, 2026) for i in range(10, 20)]
        every, new, old = track_record(found, UTC)
        self.assertEqual([(r.year, r.score.held) for r in (every, new, old)], [(None, 10), (2026, 0), (2025, 10)])
        self.assertEqual([r.year for r in track_record(found[:10], UTC)], [None])
