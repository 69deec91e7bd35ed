"""Seed that lay too hot or too cold: it sleeps, comes later when that ends, and dies of long or great heat only."""

from __future__ import annotations

import unittest
from collections.abc import Callable

import numpy as np
from hypothesis import given, settings
from hypothesis import strategies as st

from fennet.core import emergence as em
from fennet.core.moisture import heat_survival
from fennet.crops import shipped
from tests.building import DAY_S, asked, counts, days_after, record, soil


def hot_then(hot_d: float, then_c: float, hot_c: float = 31.0) -> Callable[[np.ndarray], np.ndarray]:
    return lambda day: np.where(day < hot_d, hot_c, then_c)


class Sleeping(unittest.TestCase):
    def test_lettuce_six_days_hot_then_cool_still_comes_only_later(self) -> None:
        f = asked(record([soil(hot_then(6, 17), 7)], counts((6, 0)), crop="lettuce", seeds_per_cell=1), 7)
        self.assertNotEqual(f.verdict, "finished")
        assert f.half_up and f.final_count
        self.assertGreater(days_after(f.half_up.p50), 8.5)
        self.assertGreaterEqual(f.final_count.p50, 7)
        self.assertEqual(max(f.delay_days, key=lambda c: f.delay_days[c]), "hot_soil")

    def test_heat_that_goes_on_lets_few_come(self) -> None:
        f = asked(record([soil(31, 7)], counts((6, 1)), crop="lettuce", seeds_per_cell=1), 7)
        assert f.final_count
        self.assertLessEqual(f.final_count.p50, 4)

    def test_the_few_that_come_in_the_heat_do_not_make_the_rest_quick(self) -> None:
        """One of twelve up on a hot tray is of those that come in heat: the sleepers keep the pace of their kind."""
        f = asked(record([soil(hot_then(5, 17), 6)], counts((4, 1), (5.5, 1)), crop="lettuce", seeds_per_cell=1), 6)
        assert f.final_count and f.half_up
        self.assertGreaterEqual(f.final_count.p50, 6)
        self.assertGreater(f.half_up.p50 - f.at_s, 0.5 * DAY_S)

    def test_three_weeks_of_heat_cost_more_than_one(self) -> None:
        week, three = (
            asked(record([soil(hot_then(d, 17), d + 0.5)], crop="celery", seeds_per_cell=1, depth_mm=3), d + 0.5).final_count
            for d in (7, 24)
        )
        assert week and three
        self.assertGreater(week.p50, three.p50)

    def test_soil_over_forty_kills(self) -> None:
        self.assertLess(heat_survival(np.full(96, 42.0), np.zeros(96), 1 / 48), 0.3)
        scorched = asked(record([soil(hot_then(3, 20, 43.0), 4)], crop="lettuce", seeds_per_cell=1), 4)
        kept_cool = asked(record([soil(20, 4)], crop="lettuce", seeds_per_cell=1), 4)
        assert scorched.final_count and kept_cool.final_count
        self.assertLess(scorched.final_count.p50, 0.4 * kept_cool.final_count.p50)


class TheTwoCourses(unittest.TestCase):
    @settings(max_examples=40)
    @given(st.sampled_from(["lettuce", "celery", "spinach", "pepper"]), st.floats(24, 34), st.floats(12, 20), st.integers(1, 9))
    def test_what_has_come_only_grows_and_never_passes_the_living(
        self, crop: str, hot_c: float, cool_c: float, hot_d: int
    ) -> None:
        r = shipped().get(crop).response
        grid_s = np.arange(0, 12 * DAY_S, 1800.0)
        temp_c = np.where(grid_s < hot_d * DAY_S, hot_c, cool_c)
        course = em.progress(r, grid_s, temp_c, np.full(len(grid_s), np.nan), np.full(48, cool_c))
        share = em.came(course.reached(np.linspace(0, 60 * DAY_S, 200)), np.array(1.0), np.array(0.2))
        self.assertTrue((np.diff(share) >= -1e-12).all())
        self.assertLessEqual(float(share[-1]), 1.0)

    def test_a_course_with_sleepers_reads_the_same_both_ways(self) -> None:
        r = shipped().get("lettuce").response
        grid_s = np.arange(0, 8 * DAY_S, 1800.0)
        temp_c = np.where(grid_s < 5 * DAY_S, 29.0, 17.0)
        course = em.progress(r, grid_s, temp_c, np.full(len(grid_s), np.nan), np.full(48, 17.0))
        k, sigma = np.ones((1, 1)), np.full((1, 1), 0.2)
        for part in (0.1, 0.5, 0.9):
            t_s = course.shown(np.array([[part]]), k, sigma, 0.0)[0, 0]
            self.assertAlmostEqual(float(em.came(course.reached(np.array([[t_s]])), k, sigma)[0, 0]), part, delta=0.03)
