"""A little of the state machine that writes in any order and holds every page to one worked out anew."""

from __future__ import annotations

import unittest

from tests import one_memory


class OneMemory(unittest.TestCase):
    def test_every_page_after_every_step_is_as_it_would_be_anew(self) -> None:
        one_memory.run(24, 8, 20)
        self.assertGreater(sum(one_memory.OneMemory.taken.values()), 3)
