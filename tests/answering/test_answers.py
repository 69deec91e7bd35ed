"""What is kept of answers: for as long as the part of the record they read is the same, and no longer."""

from __future__ import annotations

import dataclasses
import unittest
from dataclasses import replace
from datetime import timedelta

import numpy as np

from fennet.answering.answers import Answers
from fennet.answering.memo import ENTRY_BYTES, Memo, Shelf, weight_of
from fennet.core.bearing import record_at
from fennet.core.records import Batch, Event, Journal, Series, Tray
from tests.building import DAY_S, SOWN, counts, event, on, record, soil


def kept(journal: Journal, set_up: int = 1) -> Journal:
    """A journal as it is read from a store: its series and its set-up with revisions."""
    series = [dataclasses.replace(s, revision=s.revision or (i, 1)) for i, s in enumerate(journal.series)]
    return dataclasses.replace(journal, revision=set_up, series=series)


class Kept(unittest.TestCase):
    def setUp(self) -> None:
        self.memo = Memo()
        self.journal = kept(record([soil(16, 6)], counts((5, 1))))
        self.journal = dataclasses.replace(self.journal, trays=[Tray(id="A", rows=3, columns=4), Tray(id="B")])

    def at(self, journal: Journal, day: float, garden: object = 1) -> Answers:
        now_s = on(day).timestamp()
        return Answers(record_at(replace(journal, keeps=Shelf(self.memo, garden)), now_s), now_s)

    @property
    def batch(self) -> Batch:
        return self.journal.batches[0]

    def test_what_was_sown_a_moment_ago_is_asked_about_as_of_then(self) -> None:
        at_s = SOWN.timestamp() + 600.0
        sown = SOWN + timedelta(minutes=7)
        fresh = Batch(id="b", crop="leek", tray="A", cells=6, sown_at=sown)
        a = Answers(record_at(Journal(batches=[fresh], trays=[Tray(id="A", rows=2, columns=3)]), at_s), at_s)
        self.assertEqual(a.conditions(fresh).stage, "sown")
        self.assertIsNotNone(a.forecast(fresh))
        self.assertTrue(a.findings(fresh))

    def test_the_same_part_is_worked_out_once_and_a_deed_elsewhere_does_not_matter(self) -> None:
        first = self.at(self.journal, 6).forecast(self.batch)
        elsewhere = self.with_events(event("watered", 5.9, tray="B"), event("note", 5.95, text="x"))
        self.assertIs(self.at(elsewhere, 6 + 30 / DAY_S).forecast(self.batch), first)
        self.assertGreater(self.memo.held().hits, 0)

    def with_events(self, *events: Event) -> Journal:
        return dataclasses.replace(self.journal, events=[*self.journal.events, *events])

    def test_what_was_just_logged_is_in_the_answer(self) -> None:
        now = 6 + 61 / DAY_S
        self.at(self.journal, now).forecast(self.batch)
        again = self.at(self.with_events(event("count", 6 + 60 / DAY_S, batch="b1", cells_up=7)), now).forecast(self.batch)
        assert again is not None
        self.assertEqual(again.counts.up, 7)

    def test_a_guess_that_was_measured_to_the_same_figure_and_two_readings_changed_about_are_seen(self) -> None:
        a = self.at(self.journal, 6).forecast(self.batch)
        s: Series = self.journal.series[0]
        swapped = s.value.copy()
        swapped[3], swapped[90] = 9.0, 2 * 16 - 9.0
        for value, estimated in ((s.value, np.ones(len(s.value), bool)), (swapped, s.estimated)):
            changed = dataclasses.replace(s, value=value, estimated=estimated, revision=(0, 2))
            other = dataclasses.replace(self.journal, series=[changed])
            self.assertIsNot(self.at(other, 6).forecast(self.batch), a)

    def test_a_correction_a_withdrawal_and_its_withdrawal(self) -> None:
        first = self.at(self.journal, 6).forecast(self.batch)
        said = event("count", 5, "count-5", batch="b1", cells_up=4)
        corrected = self.with_events(event("corrects", 5.5, "k1", target="count-5", event=said))
        found = self.at(corrected, 6).forecast(self.batch)
        assert found is not None
        self.assertEqual(found.counts.up, 4)
        undone = dataclasses.replace(corrected, events=[*corrected.events, event("withdrawn", 5.6, "w1", target="k1")])
        self.assertIs(self.at(undone, 6).forecast(self.batch), first, "the record says again what it said")
        again = dataclasses.replace(undone, events=[*undone.events, event("withdrawn", 5.7, "w2", target="w1")])
        self.assertIs(self.at(again, 6).forecast(self.batch), found)

    def test_another_garden_another_set_up_and_no_revisions_never_share_an_answer(self) -> None:
        first = self.at(self.journal, 6).forecast(self.batch)
        self.assertIsNot(self.at(self.journal, 6, garden=2).forecast(self.batch), first)
        self.assertIsNot(self.at(dataclasses.replace(self.journal, revision=2), 6).forecast(self.batch), first)
        loose = dataclasses.replace(self.journal, revision=None)
        self.assertIsNot(self.at(loose, 6).forecast(self.batch), self.at(loose, 6).forecast(self.batch))

    def test_before_it_is_sown_there_is_nothing_to_say(self) -> None:
        self.assertIsNone(self.at(self.journal, -1 / DAY_S).forecast(self.batch))

    def test_what_lies_ahead_comes_due(self) -> None:
        ahead = self.with_events(event("count", 6.01, batch="b1", cells_up=3))
        record = record_at(ahead, on(6).timestamp())
        self.assertEqual((len(record.events), record.until_s), (1, on(6.01).timestamp()))
        self.assertEqual(len(record_at(ahead, record.until_s).events), 2)
        self.assertEqual(SOWN, on(0))


class Bounds(unittest.TestCase):
    def test_it_holds_no_more_than_it_may_and_gives_up_what_was_asked_for_least_lately(self) -> None:
        memo = Memo(most_entries=3, most_bytes=10 * ENTRY_BYTES)
        for key in "abc":
            memo.get(key, lambda: 1)
        memo.get("a", lambda: self.fail("it is kept"))
        memo.get("d", lambda: 1)
        made: list[str] = []
        memo.get("b", lambda: made.append("b"))
        self.assertEqual((made, memo.held().entries), (["b"], 3))
        big = np.zeros(9 * ENTRY_BYTES // 8)
        memo.get("big", lambda: big)
        self.assertLessEqual(memo.held().bytes, 10 * ENTRY_BYTES)
        memo.get("too big", lambda: np.zeros(20 * ENTRY_BYTES))
        self.assertNotEqual(memo.held().entries, 0, "what would empty it is not kept")

    def test_what_fails_or_is_not_to_be_kept_is_made_anew(self) -> None:
        memo = Memo()
        with self.assertRaises(ZeroDivisionError):
            memo.get("x", lambda: 1 / 0)
        self.assertEqual(memo.get("x", lambda: 2, keep=lambda v: v > 2), 2)
        self.assertEqual(memo.get("x", lambda: 3), 3)

    def test_shared_records_weigh_nothing(self) -> None:
        journal = record([soil(16, 60)])
        self.assertLess(weight_of([journal, journal.batches[0]]), 200)
        self.assertGreater(weight_of(journal.series[0]), 60 * 24 * 16)
