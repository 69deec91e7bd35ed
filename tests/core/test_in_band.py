"""Time in a band by duration."""

from __future__ import annotations

import unittest

import numpy as np
from hypothesis import given
from hypothesis import strategies as st

from fennet.core.in_band import time_in_band

HOUR = 3600.0
figures = st.lists(st.floats(0, 40), min_size=2, max_size=30)


class InBand(unittest.TestCase):
    @given(figures)
    def test_under_in_and_over_make_up_the_known_time(self, values: list[float]) -> None:
        t = time_in_band(np.arange(len(values)) * HOUR, np.array(values), 12.0, 24.0)
        self.assertAlmostEqual(t.in_h + t.under_h + t.over_h, t.known_h, places=6)
        self.assertAlmostEqual(t.known_h, len(values) - 1)
        self.assertTrue(min(t.in_h, t.under_h, t.over_h) >= -1e-9)

    @given(figures, st.integers(2, 7))
    def test_reading_more_often_along_the_same_line_changes_nothing(self, values: list[float], times: int) -> None:
        at_s = np.arange(len(values)) * HOUR
        fine = np.unique(np.concatenate([at_s, np.linspace(0, at_s[-1], times * len(values))]))
        a = time_in_band(at_s, np.array(values), 12.0, 24.0)
        b = time_in_band(fine, np.interp(fine, at_s, values), 12.0, 24.0)
        for name in ("under_h", "over_h", "under_unit_h", "over_unit_h"):
            self.assertAlmostEqual(getattr(a, name), getattr(b, name), places=5)

    @given(figures)
    def test_a_wider_band_holds_no_less(self, values: list[float]) -> None:
        at_s = np.arange(len(values)) * HOUR
        self.assertLessEqual(
            time_in_band(at_s, np.array(values), 14.0, 20.0).in_h, time_in_band(at_s, np.array(values), 10.0, 24.0).in_h + 1e-9
        )

    def test_gaps_are_told_and_not_counted(self) -> None:
        t = time_in_band(np.array([0, 1, 30, 31]) * HOUR, np.array([5.0, 5.0, 20.0, np.nan]), 12.0, 24.0)
        self.assertEqual((t.known_h, t.gap_h, t.under_h, t.under_unit_h, t.share), (1.0, 30.0, 1.0, 7.0, 0.0))

    def test_ten_readings_of_one_minute_do_not_outweigh_an_hour(self) -> None:
        at_s = np.concatenate([np.arange(10) * 60.0, [9 * 60.0 + HOUR]])
        t = time_in_band(at_s, np.array([10.0] * 9 + [20.0, 20.0]), 12.0, 24.0)
        self.assertGreater(t.share or 0, 0.85)

    def test_the_worst_spell_is_the_one_that_cost_most(self) -> None:
        values = np.array([15, 11, 15, 15, 8, 6, 8, 15, 15, 25, 15], dtype=float)
        worst = time_in_band(np.arange(11) * HOUR, values, 12.0, 24.0).worst
        assert worst is not None
        self.assertEqual((worst.side, worst.furthest), ("under", 6.0))
        self.assertAlmostEqual(worst.from_s / HOUR, 3 + 3 / 7)

    def test_nothing_known(self) -> None:
        t = time_in_band(np.array([0.0]), np.array([5.0]), 1, 2)
        self.assertEqual((t.share, t.worst), (None, None))
