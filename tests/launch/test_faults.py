"""A few kills under load; `./fennet faults` does a hundred."""

from __future__ import annotations

import unittest

from tests.crowd import crowd
from tests.faults import faults


class Kills(unittest.TestCase):
    def test_nothing_acknowledged_is_lost_or_doubled_and_every_answer_is_in_words(self) -> None:
        told = faults(6)
        self.assertEqual(told.faults, [], told.line())
        self.assertEqual(sum(told.kills.values()), 6)
        self.assertGreater(told.presses, 6)


class Crowd(unittest.TestCase):
    def test_people_in_many_gardens_see_pages_and_find_their_lines(self) -> None:
        told, words = crowd(3, 4, 5, 5)
        self.assertEqual(told.faults, [], words)
        self.assertGreater(told.presses, 2, words)
