"""The track record: how sure Fennet is gets a sentence where the record carries it; each outcome stands in its part."""

from __future__ import annotations

import unittest
from dataclasses import replace
from zoneinfo import ZoneInfo

import numpy as np

from fennet.core.scoring import HALF_UP, PARTS, ScoredPromise, track_record

UTC = ZoneInfo("UTC")


def marked(z: float, n: int, year: int = 2026) -> ScoredPromise:
    """A promise of 80 % about 0 ± 1.28, and what came."""
    made_s = (year - 1970) * 365.25 * 86_400 + 40 * 86_400 + n
    outcome = "early" if z < -1.2816 else "late" if z > 1.2816 else "hit"
    return ScoredPromise(str(n), HALF_UP, f"b{n}", made_s, -1.2816, 0.0, 1.2816, outcome, z)


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
