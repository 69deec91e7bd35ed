"""A little of the fuzz and of the many hands in every run; `./fennet fuzz` and `./fennet stress` do them at length."""

from __future__ import annotations

import unittest

from tests import fuzz, stress


class Fuzz(unittest.TestCase):
    def test_a_few_inputs_end_without_a_fault(self) -> None:
        told = fuzz.run(150, seed=13)
        self.assertEqual(told.faults, [])
        self.assertGreater(told.statuses[200] + told.statuses[302], 20, "some of it is taken, or nothing was tried")
        self.assertGreaterEqual(told.pages, len(fuzz.PAGES), "and every page was looked at")


class Hands(unittest.TestCase):
    def test_thirty_hands_at_once_lose_nothing(self) -> None:
        told = stress.run(3, 30)
        self.assertEqual(told.faults, [])
        self.assertGreaterEqual(sum(told.kept.values()), 30, "each hand was answered")
        self.assertGreater(told.pages, 0)
