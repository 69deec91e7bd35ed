"""The schedule: against exhaustive search on small cases, and against the envelope where the envelope fails."""

from __future__ import annotations

import itertools
import unittest

import numpy as np
from hypothesis import given, settings
from hypothesis import strategies as st

from fennet.core.planning.schedule import Option, Problem, Schedule, Unit, greedy, schedule


def drawn(seed: int, units: int = 5, options: int = 6, days: int = 60, have: tuple[float, float] = (2, 6)) -> Problem:
    """Units of a mat and a stretch of shelf, at random places of a season."""
    rng = np.random.default_rng(seed)
    made = []
    for i in range(units):
        start, wait, area = int(rng.integers(0, days - 20)), int(rng.integers(5, 14)), float(rng.integers(1, 3))
        ways = []
        for d in range(options):
            a = start + d
            ways.append(Option((((a, a + wait, 1.0),), ((a, a + wait + 20, area),)), float(abs(d - options // 2))))
        made.append(Unit(str(i), tuple(ways)))
    return Problem(tuple(made), np.array(have, dtype=float), np.zeros((2, days + 60)))


def loads(problem: Problem, choice: tuple[int, ...]) -> np.ndarray:
    load = problem.taken.copy()
    for unit, k in zip(problem.units, choice, strict=True):
        for r, spans in enumerate(unit.options[k].use):
            for a, b, amount in spans:
                load[r, a:b] += amount
    return load


def fits(problem: Problem, choice: tuple[int, ...]) -> bool:
    return bool((loads(problem, choice) <= np.maximum(problem.have[:, None], problem.taken) + 1e-4).all())


def cheapest(problem: Problem) -> float | None:
    """By looking at every choice there is: the least cost of one that fits."""
    alone = [
        [loads(Problem((u,), problem.have, np.zeros_like(problem.taken)), (k,)) for k in range(len(u.options))]
        for u in problem.units
    ]
    room = np.maximum(problem.have[:, None], problem.taken) + 1e-4 - problem.taken
    costs = [
        sum(u.options[k].cost for u, k in zip(problem.units, choice, strict=True))
        for choice in itertools.product(*(range(len(u.options)) for u in problem.units))
        if (sum(alone[u][k] for u, k in enumerate(choice)) <= room).all()
    ]
    return min(costs, default=None)


class Search(unittest.TestCase):
    def test_it_fits_wherever_anything_fits_and_about_as_cheaply(self) -> None:
        fitted, envelope_failed, cost, least = 0, 0, 0.0, 0.0
        for seed in range(30):
            problem = drawn(seed, options=5)
            best, found = cheapest(problem), schedule(problem)
            self.assertEqual(best is not None, fits(problem, found.choice), seed)
            self.assertTrue(found.settled, "a case this small is always settled")
            if best is not None:
                fitted += 1
                envelope_failed += not fits(problem, greedy(problem).choice)
                cost, least = cost + found.cost, least + best
        self.assertGreater(fitted, 10)
        self.assertGreaterEqual(envelope_failed, 3, "the cases hold some on which one after the other fails")
        self.assertLessEqual(cost, 1.05 * least)

    def test_the_stored_case_that_the_envelope_gets_wrong(self) -> None:
        # One mat. The long sowing takes its best days first and leaves no room for the two short ones, which cannot move.
        long = Unit("long", tuple(Option((((d, d + 10, 1.0),),), float(abs(d - 2))) for d in range(40)))
        early, late = (Unit(n, (Option((((a, a + 8, 1.0),),), 0.0),)) for n, a in (("early", 4), ("late", 12)))
        problem = Problem((long, early, late), np.array([1.0]), np.zeros((1, 80)))
        self.assertFalse(fits(problem, greedy(problem).choice))
        found = schedule(problem)
        self.assertTrue(fits(problem, found.choice))
        self.assertEqual(found.choice[0], 20, "the first day on which the mat is free again")

    def test_what_is_in_use_counts_and_what_is_over_already_is_nobodys_fault(self) -> None:
        taken = np.zeros((1, 40))
        taken[0, :10] = 3.0
        unit = Unit("u", tuple(Option((((d, d + 5, 1.0),),), float(d)) for d in range(20)))
        found = schedule(Problem((unit,), np.array([1.0]), taken))
        self.assertEqual((found.choice, found.excess), ((10,), 0.0))
        unknown = schedule(Problem((unit,), np.array([np.inf]), taken))
        self.assertEqual(unknown.choice, (0,), "what is not known is never short")

    def test_the_impossible_is_known_to_be_so(self) -> None:
        unit = Unit("u", (Option((((0, 5, 2.0),),), 0.0), Option((((3, 8, 2.0),),), 1.0)))
        found = schedule(Problem((unit, unit), np.array([3.0]), np.zeros((1, 20))))
        self.assertTrue(found.settled)
        self.assertGreater(found.excess, 0.0)
        self.assertEqual(schedule(Problem((), np.array([1.0]), np.zeros((1, 5)))), Schedule((), 0.0, 0.0, True))
        with self.assertRaises(ValueError):
            schedule(Problem((Unit("none", ()),), np.array([1.0]), np.zeros((1, 5))))

    @settings(max_examples=15, deadline=None)
    @given(st.integers(0, 10_000), st.integers(2, 14))
    def test_the_same_case_has_the_same_answer_no_worse_than_the_envelope(self, seed: int, units: int) -> None:
        problem = drawn(seed, units, 8, 70, (3, 9))
        one, other = schedule(problem), schedule(problem)
        self.assertEqual(one, other)
        self.assertLessEqual(one.excess, greedy(problem).excess + 1e-6)
        over = np.maximum(loads(problem, one.choice) - problem.have[:, None], 0) / problem.have[:, None]
        self.assertAlmostEqual(one.excess, float(over.sum()), delta=0.01)
