"""The new season: what failed is not repeated without a word, what was enough is, and dates follow what really happened."""

from __future__ import annotations

import unittest
from datetime import date
from typing import Any

from fennet.core.next_season import Advice, advice
from fennet.core.planning.results import Result
from fennet.core.records import Want
from fennet.core.variety_notes import Did, Failed, VarietyNotes

NOTHING = VarietyNotes((), None, None, ())
FAILED = Failed("b", 2026, 3, 12, {"dried out": 1}, True, "weak_seed")


def told(planted: int = 10, notes: VarietyNotes = NOTHING, **more: Any) -> Advice:
    given: dict[str, Any] = {"better": None, "planted_on": None, "seeds_left": None, "alive": None, **more}
    want = Want(crop="leek", variety="Quay", plants=10, out_by=date(2026, 4, 10))
    return advice(want, Result(("b",), 10, 12, planted), notes, **given)


class Advised(unittest.TestCase):
    def test_each_kind_of_past_has_its_verdict_and_its_reason(self) -> None:
        poor = VarietyNotes((), Did(100.0, 1, 1, 2.0, 1, 1, (2026,)), None, ())
        cases = {
            "enough": (told(), "repeat"),
            "fell_short": (told(planted=4), "change"),
            "failed": (told(notes=VarietyNotes((), None, FAILED, ())), "change"),
            "better": (told(better="Sluice"), "change"),
            "weak_seed": (told(alive=0.2), "change"),
            "tasted_poor": (told(notes=poor), "drop"),
        }
        for reason, (a, verdict) in cases.items():
            with self.subTest(reason):
                self.assertEqual(a.verdict, verdict)
                self.assertIn(reason, [key for key, _ in a.reasons])

    def test_a_date_moves_by_as_much_as_it_was_missed_and_not_for_a_few_days(self) -> None:
        self.assertEqual(told(planted_on=date(2026, 4, 20)).out_by, date(2026, 4, 20))
        self.assertEqual(told(planted_on=date(2026, 4, 12)).out_by, date(2026, 4, 10))
        self.assertEqual(told(planted_on=date(2026, 3, 30)).out_by, date(2026, 4, 10), "sooner than wanted is no fault")

    def test_what_was_never_sown_is_neither_repeated_nor_blamed(self) -> None:
        a = advice(Want(crop="leek", plants=10), Result(), NOTHING, None, None, None, None)
        self.assertEqual((a.verdict, [key for key, _ in a.reasons]), ("new", ["not_sown"]))
