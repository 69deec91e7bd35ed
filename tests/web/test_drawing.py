"""From figures to places on paper, and the shelf of kept answers."""

from __future__ import annotations

import unittest
from zoneinfo import ZoneInfo

import numpy as np
from hypothesis import given
from hypothesis import strategies as st

from fennet.presentation.formatter import Formatter
from fennet.web.drawing import MOST_POINTS, Plot, day_ticks, round_scale, thinned
from tests.building import DAY_S


class Drawing(unittest.TestCase):
    def test_edges_and_clipping(self) -> None:
        plot = Plot(0.0, 100.0, 10.0, 20.0, 120.0)
        self.assertEqual((plot.x(0), plot.x(100), plot.y(10), plot.y(20), plot.y(99), plot.y(-9)), (0, 1000, 120, 0, 0, 120))
        self.assertEqual(plot.percent(50), "50.00%")

    def test_a_staircase_goes_up_where_it_was_counted(self) -> None:
        plot = Plot(0.0, 100.0, 0.0, 10.0, 100.0)
        self.assertEqual(
            plot.steps((20.0, 40.0), (3, 5), 60.0), "0.0,100.0 200.0,100.0 200.0,70.0 400.0,70.0 400.0,50.0 600.0,50.0"
        )

    @given(st.integers(2, 5000), st.integers(0, 10_000))
    def test_thinning_keeps_every_peak(self, n: int, seed: int) -> None:
        values = np.random.default_rng(seed).normal(size=n)
        at, kept = thinned(np.arange(n, dtype=float), values)
        self.assertLessEqual(len(kept), MOST_POINTS)
        self.assertEqual((kept.min(), kept.max()), (values.min(), values.max()))
        self.assertTrue((np.diff(at) > 0).all())

    def test_ticks_are_local_midnights_across_a_clock_change(self) -> None:
        fmt = Formatter(ZoneInfo("Europe/Tallinn"))
        from datetime import datetime

        start = datetime(2026, 3, 27, 12, tzinfo=fmt.zone).timestamp()
        ticks = day_ticks(Plot(start, start + 5 * DAY_S, 0, 1, 1), fmt)
        self.assertEqual([t.words for t in ticks], ["28 Mar", "29 Mar", "30 Mar", "31 Mar", "1 Apr"])
        gaps = np.diff([float(t.at[:-1]) for t in ticks]) / 100 * 120
        self.assertAlmostEqual(float(gaps[1]), 23.0, delta=0.05, msg="the day the clocks go forward has 23 hours")

    def test_scales_are_widened_to_whole_steps(self) -> None:
        self.assertEqual(round_scale(9.2, 24.1, 1.0), (9.0, 25.0))
